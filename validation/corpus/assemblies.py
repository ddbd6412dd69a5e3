"""Several bodies: welded, bolted and built-up parts."""

from __future__ import annotations

import math
from typing import Any

from validation.corpus import drawing as d
from validation.corpus.part import Part, Rng, any_end, between, family


@family
def welded_tee(rng: Rng) -> Part:
    t, b, length, h = (
        between(rng, 4, 8),
        between(rng, 60, 100),
        between(rng, 150, 300),
        between(rng, 40, 80),
    )
    flange = d.box(b, t, length, (-b / 2, -t, 0))
    web = d.box(0.8 * t, h, length, (-0.4 * t, 0, 0))
    return Part([("flange", flange), ("web", web)], end=any_end(rng))


@family
def welded_tee_with_gap(rng: Rng) -> Part:
    t, b, length, h = (
        between(rng, 4, 8),
        between(rng, 60, 100),
        between(rng, 150, 300),
        between(rng, 40, 80),
    )
    gap = between(rng, 0.05, 0.3, 0.05)
    flange = d.box(b, t, length, (-b / 2, -t, 0))
    web = d.box(0.8 * t, h, length, (-0.4 * t, gap, 0))
    return Part([("flange", flange), ("web", web)], end=any_end(rng))


@family
def stand_of_angle_legs(rng: Rng) -> Part:
    t, b, h, a = (
        between(rng, 2, 3),
        between(rng, 30, 45),
        between(rng, 300, 600),
        between(rng, 200, 350),
    )
    outline = [(0, 0), (b, 0), (b, t), (t, t), (t, b), (0, b)]
    legs = []
    for number, turn in enumerate((0, 90, 180, 270)):
        leg = d.shifted(d.extrude(outline, h), -a / 2, -a / 2, 0)
        legs.append((f"leg {number + 1}", d.turned(leg, (0, 0, 1), turn)))
    top = d.box(a, a, between(rng, 4, 6), (-a / 2, -a / 2, h))
    return Part([*legs, ("top", top)], end="free")


@family
def stand_with_bolted_feet(rng: Rng) -> Part:
    t, b, h, p = (
        between(rng, 2, 4),
        between(rng, 30, 50),
        between(rng, 250, 450),
        between(rng, 4, 6),
    )
    tube = d.cut(
        d.box(b, b, h, (-b / 2, -b / 2, p)),
        d.box(b - 2 * t, b - 2 * t, h, (-b / 2 + t, -b / 2 + t, p)),
    )
    a = b + 50
    foot = d.cut(
        d.box(a, a, p, (-a / 2, -a / 2, 0)),
        *[
            d.cylinder(4.5, 3 * p, (x * (a / 2 - 11), y * (a / 2 - 11), -p))
            for x in (-1, 1)
            for y in (-1, 1)
        ],
    )
    cap = d.box(a, a, p, (-a / 2, -a / 2, h + p))
    return Part(
        [("foot plate", foot), ("column", tube), ("cap", cap)],
        end="free",
        foot=lambda faces: faces.bores_along((0, 0, 1)),
    )


@family
def hopper_on_legs(rng: Rng) -> Part:
    t, a, c, h = (
        between(rng, 2, 3),
        between(rng, 240, 360),
        between(rng, 80, 120),
        between(rng, 160, 260),
    )
    b, leg_t, leg_h = between(rng, 30, 45), between(rng, 3, 4), between(rng, 250, 400)
    bodies: list[tuple[str, Any]] = []
    z0 = leg_h - h
    for number, turn in enumerate((0, 90, 180, 270)):
        wall = d.plate_between(
            [
                (-c / 2, -c / 2, z0),
                (c / 2, -c / 2, z0),
                (a / 2, -a / 2, leg_h),
                (-a / 2, -a / 2, leg_h),
            ],
            t,
        )
        # mitred where walls meet: what lies beyond the diagonal planes is cut away
        reach = 4 * a
        for side in (-1, 1):
            half = d.extrude(
                [(0, 0), (side * reach, -reach), (side * reach, reach), (0, reach)],
                4 * h + 4 * leg_h,
                -leg_h,
            )
            wall = d.cut(wall, half)
        bodies.append((f"wall {number + 1}", d.turned(wall, (0, 0, 1), turn)))
    lean = t / 2 / math.sin(math.atan2(h, (a - c) / 2))
    outline = [(0, 0), (b, 0), (b, leg_t), (leg_t, leg_t), (leg_t, b), (0, b)]
    for number, turn in enumerate((0, 90, 180, 270)):
        leg = d.shifted(d.extrude(outline, leg_h), -a / 2 - lean - leg_t, -a / 2 - lean - leg_t, 0)
        bodies.append((f"leg {number + 1}", d.turned(leg, (0, 0, 1), turn)))
    return Part(bodies, end="free", head=lambda faces: faces.upper_rim(leg_h))


@family
def built_up_i(rng: Rng) -> Part:
    tf, tw = between(rng, 4, 8), between(rng, 3, 5)
    b, h, length = tf * between(rng, 12, 16), between(rng, 80, 160), between(rng, 300, 600)
    parts = [
        ("lower flange", d.box(b, tf, length, (-b / 2, -tf, 0))),
        ("web", d.box(tw, h, length, (-tw / 2, 0, 0))),
        ("upper flange", d.box(b, tf, length, (-b / 2, h, 0))),
    ]
    for k in range(int(rng.integers(0, 3))):
        z = length * (0.33 + 0.33 * k)
        for side in (-1, 1):
            low = tw / 2 if side > 0 else -b / 2
            parts.append(
                (f"stiffener {2 * k + (side > 0) + 1}", d.box(b / 2 - tw / 2, h, tw, (low, 0, z)))
            )
    return Part(parts, end=any_end(rng))


@family
def lapped_plates(rng: Rng) -> Part:
    t, b, length = between(rng, 3, 6), between(rng, 60, 100), between(rng, 150, 250)
    lap = between(rng, 50, 80)
    one = d.box(b, t, length, (-b / 2, 0, 0))
    two = d.box(b, t, length, (-b / 2, t, length - lap))
    holes = [d.cylinder(4.5, 6 * t, (x * b / 4, -t, length - lap / 2), (0, 1, 0)) for x in (-1, 1)]
    return Part([("lower", d.cut(one, *holes)), ("upper", d.cut(two, *holes))], end="guided")


@family
def double_angle_with_gusset(rng: Rng) -> Part:
    t, b, length, g = (
        between(rng, 3, 5),
        between(rng, 40, 60),
        between(rng, 300, 500),
        between(rng, 6, 10),
    )
    outline = [(0, 0), (b, 0), (b, t), (t, t), (t, b), (0, b)]
    right = d.shifted(d.extrude(outline, length), g / 2, 0, 60)
    left = d.shifted(d.extrude([(-x, y) for x, y in reversed(outline)], length), -g / 2, 0, 60)
    gusset = d.box(g, 1.6 * b, 180, (-g / 2, -0.2 * b, 0))
    return Part([("angle right", right), ("angle left", left), ("gusset", gusset)], end="free")


@family
def frame_of_tubes(rng: Rng) -> Part:
    t, b, h, w = (
        between(rng, 2, 3),
        between(rng, 30, 50),
        between(rng, 250, 400),
        between(rng, 200, 350),
    )

    def tube(length: float) -> Any:
        return d.cut(
            d.box(b, b, length, (-b / 2, -b / 2, 0)),
            d.box(b - 2 * t, b - 2 * t, length, (-b / 2 + t, -b / 2 + t, 0)),
        )

    beam = d.shifted(d.turned(tube(w + b), (0, 1, 0), 90), -(w + b) / 2, 0, h + b / 2)
    return Part(
        [
            ("left post", d.shifted(tube(h), -w / 2, 0, 0)),
            ("right post", d.shifted(tube(h), w / 2, 0, 0)),
            ("beam", beam),
        ],
        end="free",
        head=lambda faces: faces.top_of((0, 0, 1)),
    )


@family
def plate_on_channel(rng: Rng) -> Part:
    t = between(rng, 2, 4)
    b, h, length = t * between(rng, 10, 16), t * between(rng, 18, 28), between(rng, 250, 450)
    channel = d.folded([(b, h / 2), (0, h / 2), (0, -h / 2), (b, -h / 2)], t, 1.5 * t, length)
    cover = d.box(t, h + 40, length, (-1.5 * t, -h / 2 - 20, 0))
    return Part([("channel", channel), ("cover", cover)], end=any_end(rng))


@family
def tube_on_thick_foot(rng: Rng) -> Part:
    t = between(rng, 2, 4)
    r, length, a = t * between(rng, 8, 14), between(rng, 250, 450), between(rng, 80, 120)
    tube = d.cut(d.cylinder(r, length, (0, 0, 40)), d.cylinder(r - t, length, (0, 0, 40)))
    foot = d.box(a + 2 * r, a + 2 * r, 40, (-a / 2 - r, -a / 2 - r, 0))
    return Part([("foot", foot), ("tube", tube)], end="free")


@family
def corner_touch(rng: Rng) -> Part:
    t, b, h = between(rng, 3, 5), between(rng, 60, 100), between(rng, 150, 250)
    one = d.box(b, t, h, (0, 0, 0))
    two = d.box(t, b, h, (-t, t, 0))
    cap = d.box(2 * b, 2 * b, 6, (-b, -b + 20, h))
    base = d.box(2 * b, 2 * b, 6, (-b, -b + 20, -6))
    return Part([("base", base), ("plate one", one), ("plate two", two), ("cap", cap)], end="free")
