"""Single bodies: struts, plates, tubes and brackets."""

from __future__ import annotations

import math

from validation.corpus import drawing as d
from validation.corpus.part import Part, Rng, any_end, between, family


# --- bars and plates
# --------------------------------------------------------------------------------------------------
@family
def round_bar(rng: Rng) -> Part:
    r, length = between(rng, 4, 20), between(rng, 120, 500)
    return Part(
        [("bar", d.cylinder(r, length))],
        end=any_end(rng),
        thin=False,
        line=({"shape": "round", "diameter": f"{2 * r} mm"}, length),
    )


@family
def square_bar(rng: Rng) -> Part:
    a, length = between(rng, 6, 30), between(rng, 150, 600)
    return Part(
        [("bar", d.box(a, a, length, (-a / 2, -a / 2, 0)))],
        end=any_end(rng),
        thin=False,
        line=({"shape": "square", "width": f"{a} mm"}, length),
    )


@family
def flat_bar(rng: Rng) -> Part:
    t = between(rng, 2, 6)
    b, length = t * between(rng, 6, 14), between(rng, 150, 500)
    return Part(
        [("strap", d.box(b, t, length, (-b / 2, -t / 2, 0)))],
        end=any_end(rng),
        line=({"shape": "flat", "width": f"{b} mm", "thickness": f"{t} mm"}, length),
    )


@family
def pin_on_block(rng: Rng) -> Part:
    r, h, a = between(rng, 4, 10), between(rng, 60, 160), between(rng, 30, 60)
    return Part(
        [("pin", d.fuse(d.box(a, a, 20, (-a / 2, -a / 2, 0)), d.cylinder(r, h, (0, 0, 20))))],
        end="free",
        thin=False,
    )


@family
def drilled_plate(rng: Rng) -> Part:
    t, b, length = between(rng, 2, 6), between(rng, 80, 160), between(rng, 160, 320)
    tools = []
    for row in range(int(rng.integers(1, 4))):
        for column in range(int(rng.integers(1, 4))):
            r = between(rng, 3, 9)
            tools.append(
                d.cylinder(
                    r,
                    3 * t,
                    (-b / 3 + column * b / 3, -t * 1.5, length * (0.25 + 0.22 * row)),
                    (0, 1, 0),
                )
            )
    return Part(
        [("plate", d.cut(d.box(b, t, length, (-b / 2, -t / 2, 0)), *tools))], end=any_end(rng)
    )


@family
def slotted_plate(rng: Rng) -> Part:
    t, b, length = between(rng, 2, 5), between(rng, 80, 140), between(rng, 200, 320)
    w, h = between(rng, 8, 16), between(rng, 40, 80)
    slot = d.fuse(
        d.box(w, 4 * t, h, (-w / 2, -2 * t, length / 2 - h / 2)),
        d.cylinder(w / 2, 4 * t, (0, -2 * t, length / 2 - h / 2), (0, 1, 0)),
        d.cylinder(w / 2, 4 * t, (0, -2 * t, length / 2 + h / 2), (0, 1, 0)),
    )
    return Part(
        [
            (
                "plate",
                d.cut(
                    d.box(b, t, length, (-b / 2, -t / 2, 0)),
                    slot,
                    d.shifted(slot, b / 4, 0, 0),
                    d.shifted(slot, -b / 4, 0, 0),
                ),
            )
        ],
        end=any_end(rng),
    )


@family
def stepped_plate(rng: Rng) -> Part:
    t, b, length = between(rng, 3, 6), between(rng, 60, 120), between(rng, 200, 320)
    thin = round(t * between(rng, 0.5, 0.75, 0.05), 2)
    lower = d.box(b, t, length / 2, (-b / 2, 0, 0))
    upper = d.box(
        b, thin, length / 2, (-b / 2, 0 if rng.random() < 0.5 else (t - thin) / 2, length / 2)
    )
    return Part([("plate", d.fuse(lower, upper))], end=any_end(rng))


@family
def tapered_plate(rng: Rng) -> Part:
    b, length, t1 = between(rng, 60, 120), between(rng, 160, 300), between(rng, 4, 8)
    t2 = round(t1 * between(rng, 0.65, 0.9, 0.05), 2)
    low = [(-b / 2, -t1 / 2, 0), (b / 2, -t1 / 2, 0), (b / 2, t1 / 2, 0), (-b / 2, t1 / 2, 0)]
    high = [
        (-b / 2, -t2 / 2, length),
        (b / 2, -t2 / 2, length),
        (b / 2, t2 / 2, length),
        (-b / 2, t2 / 2, length),
    ]
    return Part([("wedge", d.loft([low, high]))], end=any_end(rng))


@family
def engraved_plate(rng: Rng) -> Part:
    t, b, length = between(rng, 4, 6), between(rng, 80, 140), between(rng, 160, 280)
    shape = d.box(b, t, length, (-b / 2, -t / 2, 0))
    deep = 0.6
    for number in range(int(rng.integers(4, 9))):
        x = -b / 3 + (number % 4) * b / 5
        z = length * (0.35 + 0.18 * (number // 4))
        shape = d.cut(
            shape,
            d.box(2, deep + 1, 9, (x, t / 2 - deep, z)),
            d.box(6, deep + 1, 2, (x, t / 2 - deep, z + 3.5)),
        )
    return Part([("nameplate", shape)], end=any_end(rng))


@family
def dimpled_sheet(rng: Rng) -> Part:
    t, b, length, r = (
        between(rng, 1, 2),
        between(rng, 80, 120),
        between(rng, 150, 220),
        between(rng, 10, 16),
    )
    deep = between(rng, 3, 5)
    shape = d.box(b, t, length, (-b / 2, -t, 0))
    ball = (r * r + deep * deep) / (2 * deep)
    for z in (0.3, 0.7):
        centre = (0, -t + ball - deep + t, z * length)
        bump = d.common(
            d.ball(ball + t, (0, centre[1] - ball * 0, centre[2])),
            d.box(4 * r, 2 * ball, 4 * r, (-2 * r, -t - 2 * ball, z * length - 2 * r)),
        )
        hollow = d.ball(ball, centre)
        shape = d.cut(d.fuse(shape, bump), hollow)
    return Part([("dimpled", shape)], end=any_end(rng))


@family
def corrugated_sheet(rng: Rng) -> Part:
    t, pitch, deep = between(rng, 1, 2), between(rng, 30, 50), between(rng, 8, 14)
    waves, width = int(rng.integers(2, 5)), between(rng, 80, 160)
    profile = []
    for k in range(waves):
        x = k * pitch
        profile += [(x, 0), (x + pitch * 0.3, 0), (x + pitch * 0.5, deep), (x + pitch * 0.8, deep)]
    profile.append((waves * pitch, 0))
    shape = d.folded(profile, t, 2.0, width)
    return Part([("corrugated", shape)], end="pinned" if rng.random() < 0.5 else "guided")


# --- open sections
# --------------------------------------------------------------------------------------------------
def _angle(b: float, h: float, t: float) -> list[tuple[float, float]]:
    return [(0, 0), (b, 0), (b, t), (t, t), (t, h), (0, h)]


@family
def angle_sharp(rng: Rng) -> Part:
    t = between(rng, 2, 5)
    b, h, length = t * between(rng, 8, 15), t * between(rng, 8, 15), between(rng, 200, 500)
    return Part(
        [("angle", d.extrude(_angle(b, h, t), length))],
        end=any_end(rng),
        line=(
            {"shape": "angle", "width": f"{b} mm", "height": f"{h} mm", "thickness": f"{t} mm"},
            length,
        ),
    )


@family
def angle_with_root_radius(rng: Rng) -> Part:
    t = between(rng, 3, 6)
    b, length, r = t * between(rng, 8, 14), between(rng, 200, 500), t * between(rng, 0.8, 1.5, 0.1)
    shape = d.rounded(
        d.extrude(_angle(b, b, t), length),
        r,
        lambda m, v: v[2] > 0.9 and abs(m[0] - t) < 1e-6 and abs(m[1] - t) < 1e-6,
    )
    if rng.random() < 0.5:
        shape = d.rounded(
            shape,
            0.5 * t,
            lambda m, v: (
                v[2] > 0.9
                and (
                    (abs(m[0] - b) < 1e-6 and abs(m[1] - t) < 1e-6)
                    or (abs(m[1] - b) < 1e-6 and abs(m[0] - t) < 1e-6)
                )
            ),
        )
    return Part([("angle", shape)], end=any_end(rng))


@family
def angle_mitred(rng: Rng) -> Part:
    t = between(rng, 2, 5)
    b, length = t * between(rng, 8, 13), between(rng, 250, 450)
    shape = d.extrude(_angle(b, b, t), length)
    lean = math.radians(between(rng, 20, 45))
    wedge = d.shifted(
        d.turned(
            d.box(6 * b, 6 * b, 6 * b, (-3 * b, -3 * b, -6 * b)), (0, 1, 0), math.degrees(lean)
        ),
        0,
        0,
        b * math.tan(lean) / 2,
    )
    top = d.shifted(
        d.turned(d.box(6 * b, 6 * b, 6 * b, (-3 * b, -3 * b, 0)), (1, 0, 0), math.degrees(lean)),
        0,
        0,
        length - b * math.tan(lean) / 2,
    )
    return Part([("brace", d.cut(shape, wedge, top))], end=any_end(rng))


@family
def channel_folded(rng: Rng) -> Part:
    t = between(rng, 1.5, 4)
    b, h, length = t * between(rng, 8, 15), t * between(rng, 16, 30), between(rng, 200, 500)
    shape = d.folded(
        [(b, h / 2), (0, h / 2), (0, -h / 2), (b, -h / 2)], t, t * between(rng, 1, 2), length
    )
    return Part([("channel", shape)], end=any_end(rng))


@family
def channel_with_lips(rng: Rng) -> Part:
    t = between(rng, 1, 2.5)
    b, h, c, length = (
        t * between(rng, 15, 25),
        t * between(rng, 30, 50),
        t * between(rng, 7, 10),
        between(rng, 200, 500),
    )
    shape = d.folded(
        [(b, h / 2 - c), (b, h / 2), (0, h / 2), (0, -h / 2), (b, -h / 2), (b, -h / 2 + c)],
        t,
        2 * t,
        length,
    )
    return Part([("purlin", shape)], end=any_end(rng))


@family
def channel_rolled(rng: Rng) -> Part:
    t = between(rng, 4, 7)
    b, h, length = t * between(rng, 8, 11), t * between(rng, 14, 22), between(rng, 300, 600)
    x = b
    shape = d.extrude(
        [
            (0, -h / 2),
            (x, -h / 2),
            (x, -h / 2 + t),
            (t, -h / 2 + t),
            (t, h / 2 - t),
            (x, h / 2 - t),
            (x, h / 2),
            (0, h / 2),
        ],
        length,
    )
    shape = d.rounded(
        shape,
        t,
        lambda m, v: v[2] > 0.9 and abs(m[0] - t) < 1e-6 and abs(abs(m[1]) - h / 2 + t) < 1e-6,
    )
    return Part([("channel", shape)], end=any_end(rng))


@family
def z_bracket(rng: Rng) -> Part:
    t = between(rng, 2, 4)
    b, h, w = between(rng, 30, 60), between(rng, 60, 140), between(rng, 40, 120)
    shape = d.folded([(-b, 0), (0, 0), (0, h), (b, h)], t, t * between(rng, 1, 1.5), w)
    shape = d.cut(
        shape,
        d.cylinder(between(rng, 3, 5), 60, (-b / 2, -20, w / 2), (0, 1, 0)),
        d.cylinder(between(rng, 3, 5), 60, (b / 2, h - 20, w / 2), (0, 1, 0)),
    )
    return Part([("z bracket", shape)], axis=(0, 1, 0), end="guided")


@family
def hat_folded(rng: Rng) -> Part:
    t = between(rng, 1, 2.5)
    b, h, f, length = (
        t * between(rng, 18, 30),
        t * between(rng, 15, 25),
        t * between(rng, 8, 14),
        between(rng, 200, 500),
    )
    shape = d.folded(
        [(-b / 2 - f, 0), (-b / 2, 0), (-b / 2, h), (b / 2, h), (b / 2, 0), (b / 2 + f, 0)],
        t,
        1.5 * t,
        length,
    )
    return Part([("hat", shape)], end=any_end(rng))


def _i(b: float, h: float, tf: float, tw: float) -> list[tuple[float, float]]:
    x, y = b / 2, h / 2
    return [
        (x, -y),
        (x, -y + tf),
        (tw / 2, -y + tf),
        (tw / 2, y - tf),
        (x, y - tf),
        (x, y),
        (-x, y),
        (-x, y - tf),
        (-tw / 2, y - tf),
        (-tw / 2, -y + tf),
        (-x, -y + tf),
        (-x, -y),
    ]


def _i_sizes(rng: Rng) -> tuple[float, float, float, float, float]:
    tf = between(rng, 3, 7)
    tw = round(tf * between(rng, 0.6, 1.0, 0.1), 2)
    return tf * between(rng, 12, 18), tf * between(rng, 16, 28), tf, tw, between(rng, 300, 800)


@family
def i_sharp(rng: Rng) -> Part:
    b, h, tf, tw, length = _i_sizes(rng)
    return Part(
        [("beam", d.extrude(_i(b, h, tf, tw), length))],
        end=any_end(rng),
        line=(
            {
                "shape": "I",
                "width": f"{b} mm",
                "height": f"{h} mm",
                "thickness": f"{tf} mm",
                "web": f"{tw} mm",
            },
            length,
        ),
    )


@family
def i_with_root_fillets(rng: Rng) -> Part:
    b, h, tf, tw, length = _i_sizes(rng)
    shape = d.rounded(
        d.extrude(_i(b, h, tf, tw), length),
        tf * between(rng, 0.8, 1.3, 0.1),
        lambda m, v: (
            v[2] > 0.9 and abs(abs(m[0]) - tw / 2) < 1e-6 and abs(abs(m[1]) - h / 2 + tf) < 1e-6
        ),
    )
    return Part([("beam", shape)], end=any_end(rng))


@family
def i_with_web_openings(rng: Rng) -> Part:
    b, h, tf, tw, length = _i_sizes(rng)
    shape = d.extrude(_i(b, h, tf, tw), length)
    r = h * between(rng, 0.15, 0.28, 0.01)
    tools = [d.cylinder(r, 2 * b, (-b, 0, z * length), (1, 0, 0)) for z in (0.25, 0.5, 0.75)]
    shape = d.cut(shape, *tools)
    if rng.random() < 0.5:
        shape = d.rounded(
            shape,
            tf,
            lambda m, v: (
                v[2] > 0.9 and abs(abs(m[0]) - tw / 2) < 1e-6 and abs(abs(m[1]) - h / 2 + tf) < 1e-6
            ),
        )
    return Part([("beam", shape)], end=any_end(rng))


@family
def i_tapered(rng: Rng) -> Part:
    b, h, tf, tw, length = _i_sizes(rng)
    less = between(rng, 0.6, 0.85, 0.05)
    low = [(x, y, 0) for x, y in _i(b, h, tf, tw)]
    high = [(x, y, length) for x, y in _i(b, less * h, tf, tw)]
    return Part([("beam", d.loft([low, high]))], end=any_end(rng))


@family
def t_sharp(rng: Rng) -> Part:
    t = between(rng, 3, 6)
    b, h, length = t * between(rng, 12, 18), t * between(rng, 12, 18), between(rng, 200, 600)
    outline = [
        (-b / 2, 0),
        (-t / 2, 0),
        (-t / 2, -h + t),
        (t / 2, -h + t),
        (t / 2, 0),
        (b / 2, 0),
        (b / 2, t),
        (-b / 2, t),
    ]
    return Part(
        [("tee", d.extrude(outline, length))],
        end=any_end(rng),
        line=(
            {
                "shape": "T",
                "width": f"{b} mm",
                "height": f"{h} mm",
                "thickness": f"{t} mm",
                "web": f"{t} mm",
            },
            length,
        ),
    )


@family
def t_with_fillets(rng: Rng) -> Part:
    t = between(rng, 3, 6)
    b, h, length = t * between(rng, 12, 18), t * between(rng, 12, 18), between(rng, 200, 600)
    outline = [
        (-b / 2, 0),
        (-t / 2, 0),
        (-t / 2, -h + t),
        (t / 2, -h + t),
        (t / 2, 0),
        (b / 2, 0),
        (b / 2, t),
        (-b / 2, t),
    ]
    shape = d.rounded(
        d.extrude(outline, length),
        t,
        lambda m, v: v[2] > 0.9 and abs(abs(m[0]) - t / 2) < 1e-6 and abs(m[1]) < 1e-6,
    )
    return Part([("tee", shape)], end=any_end(rng))


@family
def cruciform(rng: Rng) -> Part:
    t = between(rng, 2, 5)
    b, length = t * between(rng, 16, 28), between(rng, 200, 500)
    shape = d.fuse(
        d.box(b, t, length, (-b / 2, -t / 2, 0)), d.box(t, b, length, (-t / 2, -b / 2, 0))
    )
    return Part([("cross", shape)], end=any_end(rng))


# --- tubes
# --------------------------------------------------------------------------------------------------
@family
def box_tube_sharp(rng: Rng) -> Part:
    t = between(rng, 1.5, 4)
    b, h, length = t * between(rng, 14, 30), t * between(rng, 14, 30), between(rng, 200, 600)
    shape = d.cut(
        d.box(b, h, length, (-b / 2, -h / 2, 0)),
        d.box(b - 2 * t, h - 2 * t, length + 2, (-b / 2 + t, -h / 2 + t, -1)),
    )
    return Part(
        [("tube", shape)],
        end=any_end(rng),
        line=(
            {
                "shape": "rectangular tube",
                "width": f"{b} mm",
                "height": f"{h} mm",
                "thickness": f"{t} mm",
            },
            length,
        ),
    )


@family
def box_tube_rounded(rng: Rng) -> Part:
    t = between(rng, 1.5, 4)
    b, length = t * between(rng, 16, 30), between(rng, 200, 600)
    upright = lambda m, v: v[2] > 0.9
    shape = d.cut(
        d.rounded(d.box(b, b, length, (-b / 2, -b / 2, 0)), 2.5 * t, upright),
        d.rounded(
            d.box(b - 2 * t, b - 2 * t, length, (-b / 2 + t, -b / 2 + t, 0)), 1.5 * t, upright
        ),
    )
    return Part([("tube", shape)], end=any_end(rng))


@family
def rectangular_tube_tapered(rng: Rng) -> Part:
    t, b, length = between(rng, 2, 4), between(rng, 60, 100), between(rng, 200, 400)
    less = between(rng, 0.6, 0.85, 0.05)

    def ring(half: float, z: float) -> list[tuple[float, float, float]]:
        return [(half, -half, z), (half, half, z), (-half, half, z), (-half, -half, z)]

    outer = d.loft([ring(b / 2, 0), ring(less * b / 2, length)])
    inner = d.loft([ring(b / 2 - t, 0), ring(less * b / 2 - t, length)])
    return Part([("leg", d.cut(outer, inner))], end=any_end(rng))


@family
def round_tube(rng: Rng) -> Part:
    t = between(rng, 1, 4)
    r, length = t * between(rng, 8, 25), between(rng, 200, 600)
    return Part(
        [("tube", d.cut(d.cylinder(r, length), d.cylinder(r - t, length)))],
        end=any_end(rng),
        line=({"shape": "round tube", "diameter": f"{2 * r} mm", "thickness": f"{t} mm"}, length),
    )


@family
def drilled_tube(rng: Rng) -> Part:
    t = between(rng, 1.5, 4)
    r, length = t * between(rng, 8, 18), between(rng, 200, 500)
    tools = [
        d.cylinder(between(rng, 3, 0.5 * r), 4 * r, (-2 * r, 0, z * length), (1, 0, 0))
        for z in (0.3, 0.6)[: int(rng.integers(1, 3))]
    ]
    return Part(
        [("tube", d.cut(d.cylinder(r, length), d.cylinder(r - t, length), *tools))],
        end=any_end(rng),
    )


@family
def fish_mouth_tube(rng: Rng) -> Part:
    t = between(rng, 1.5, 3)
    r, length = t * between(rng, 8, 14), between(rng, 250, 450)
    tube = d.cut(d.cylinder(r, length), d.cylinder(r - t, length))
    other = d.cylinder(
        r * between(rng, 1.1, 1.4, 0.05), 6 * r, (-3 * r, 0, length + 0.2 * r), (1, 0, 0)
    )
    return Part(
        [("coped tube", d.cut(tube, other))],
        end="free",
        load="push",
        head=lambda faces: faces.inner_round_across(2),
    )


@family
def mitred_tube(rng: Rng) -> Part:
    t = between(rng, 1.5, 3)
    r, length = t * between(rng, 8, 14), between(rng, 250, 450)
    lean = between(rng, 20, 45)
    tube = d.cut(d.cylinder(r, length), d.cylinder(r - t, length))
    top = d.shifted(
        d.turned(d.box(8 * r, 8 * r, 8 * r, (-4 * r, -4 * r, 0)), (1, 0, 0), lean),
        0,
        0,
        length - r * math.tan(math.radians(lean)),
    )
    return Part([("strut", d.cut(tube, top))], end=any_end(rng))


@family
def hopper_cone(rng: Rng) -> Part:
    t, r, h = between(rng, 2, 4), between(rng, 60, 120), between(rng, 80, 160)
    small = r * between(rng, 0.4, 0.6, 0.05)
    shape = d.cut(d.cone(r, small, h), d.cone(r - t, small - t, h))
    return Part([("cone", shape)], end="free")


@family
def tube_with_base_plate(rng: Rng) -> Part:
    t, b, length = between(rng, 2, 4), between(rng, 40, 80), between(rng, 300, 600)
    a, p = b + between(rng, 50, 90), between(rng, 5, 8)
    tube = d.cut(
        d.box(b, b, length, (-b / 2, -b / 2, p)),
        d.box(b - 2 * t, b - 2 * t, length, (-b / 2 + t, -b / 2 + t, p)),
    )
    base = d.box(a, a, p, (-a / 2, -a / 2, 0))
    holes = [
        d.cylinder(5, 3 * p, (x * (a / 2 - 12), y * (a / 2 - 12), -p))
        for x in (-1, 1)
        for y in (-1, 1)
    ]
    return Part([("post", d.cut(d.fuse(tube, base), *holes))], end="free")


@family
def spool(rng: Rng) -> Part:
    t, r, length = between(rng, 2, 4), between(rng, 20, 40), between(rng, 150, 300)
    f = between(rng, 20, 30)
    tube = d.cut(d.cylinder(r, length), d.cylinder(r - t, length))
    rims = [
        d.cut(d.cylinder(r + f, 1.5 * t, (0, 0, z)), d.cylinder(r - t, 1.5 * t, (0, 0, z)))
        for z in (0, length - 1.5 * t)
    ]
    return Part([("spool", d.fuse(tube, *rims))], end=any_end(rng))


# --- brackets
# --------------------------------------------------------------------------------------------------
@family
def l_bracket_with_gusset(rng: Rng) -> Part:
    t, w = between(rng, 3, 6), between(rng, 60, 120)
    a, h = between(rng, 60, 120), between(rng, 80, 160)
    shape = d.fuse(
        d.box(w, a, t, (-w / 2, 0, 0)),
        d.box(w, t, h, (-w / 2, 0, 0)),
        d.turned(d.extrude([(t, t), (a * 0.8, t), (t, h * 0.8)], t, -t / 2), (1, 1, 1), 120),
    )
    return Part([("bracket", shape)], end="free")


@family
def l_bracket_with_root_radius(rng: Rng) -> Part:
    t, w, a, h = (
        between(rng, 2.5, 5),
        between(rng, 50, 100),
        between(rng, 40, 80),
        between(rng, 60, 140),
    )
    shape = d.fuse(d.box(w, a, t, (-w / 2, 0, 0)), d.box(w, t, h, (-w / 2, 0, 0)))
    shape = d.rounded(
        shape,
        between(rng, 2, 5),
        lambda m, v: v[0] > 0.9 and abs(m[1] - t) < 1e-6 and abs(m[2] - t) < 1e-6,
    )
    return Part([("bracket", shape)], end="free")


@family
def gussets_with_fillets(rng: Rng) -> Part:
    t, w = between(rng, 4, 6), between(rng, 90, 140)
    a, h = between(rng, 70, 120), between(rng, 90, 160)
    rib = d.turned(d.extrude([(t, t), (a * 0.85, t), (t, h * 0.85)], t, -t / 2), (1, 1, 1), 120)
    shape = d.fuse(
        d.box(w, a, t, (-w / 2, 0, 0)),
        d.box(w, t, h, (-w / 2, 0, 0)),
        d.shifted(rib, -w / 4, 0, 0),
        d.shifted(rib, w / 4, 0, 0),
    )
    shape = d.rounded(
        shape,
        2.0,
        lambda m, v: (
            abs(abs(abs(m[0]) - w / 4) - t / 2) < 1e-6
            and v[0] < 0.1
            and (abs(m[1] - t) < 1e-6 or abs(m[2] - t) < 1e-6)
        ),
    )
    return Part([("bracket", shape)], end="free")


@family
def machined_bracket(rng: Rng) -> Part:
    w, h, deep, t = (
        between(rng, 60, 100),
        between(rng, 120, 200),
        between(rng, 18, 26),
        between(rng, 2.5, 4),
    )
    shape = d.box(w, deep, h, (-w / 2, 0, 0))
    rows = int(rng.integers(2, 4))
    step = (h - t) / rows
    for row in range(rows):
        for side in (-1, 1):
            low = (t / 2, t, t + row * step) if side > 0 else (-w / 2 + t, t, t + row * step)
            pocket = d.box(w / 2 - 1.5 * t, deep, step - t, low)
            shape = d.cut(shape, d.rounded(pocket, between(rng, 2, 3), lambda m, v: v[1] > 0.9))
    return Part([("machined bracket", shape)], end=any_end(rng))


@family
def waffle_plate(rng: Rng) -> Part:
    t, b, length, deep = (
        between(rng, 2, 4),
        between(rng, 100, 160),
        between(rng, 160, 260),
        between(rng, 12, 24),
    )
    bodies = [d.box(b, t, length, (-b / 2, 0, 0))]
    for k in range(int(rng.integers(2, 4))):
        bodies.append(d.box(t, deep, length, (-b / 3 + k * b / 3 - t / 2, t, 0)))
    for k in range(2):
        bodies.append(d.box(b, deep * 0.999, t, (-b / 2, t, length * (0.33 + 0.33 * k))))
    return Part([("ribbed plate", d.fuse(*bodies))], end=any_end(rng))


@family
def rib_on_flange(rng: Rng) -> Part:
    t, b, length, h = (
        between(rng, 4, 7),
        between(rng, 60, 100),
        between(rng, 150, 260),
        between(rng, 40, 80),
    )
    shape = d.fuse(
        d.box(b, t, length, (-b / 2, -t, 0)), d.box(t * 0.8, h, length, (-t * 0.4, 0, 0))
    )
    return Part([("stiffened", shape)], end=any_end(rng))


@family
def drafted_casting(rng: Rng) -> Part:
    t, b, h, length = (
        between(rng, 4, 6),
        between(rng, 50, 90),
        between(rng, 40, 60),
        between(rng, 160, 300),
    )
    lean = math.tan(math.radians(between(rng, 1, 2.5)))
    x, k = b / 2, h * lean
    outline = [
        (-x, 0),
        (x, 0),
        (x - 0.0, h),
        (x - t + k * 0.5, h),
        (x - t - k * 0.5, t),
        (-x + t + k * 0.5, t),
        (-x + t - k * 0.5, h),
        (-x, h),
    ]
    return Part([("casting", d.extrude(outline, length))], end=any_end(rng))


@family
def lug_with_boss(rng: Rng) -> Part:
    t, b, length = between(rng, 5, 8), between(rng, 50, 80), between(rng, 120, 200)
    r = b * 0.3
    shape = d.fuse(
        d.box(b, t, length, (-b / 2, -t / 2, 0)),
        d.cylinder(r, 2.4 * t, (0, -1.2 * t, length - 1.2 * r), (0, 1, 0)),
    )
    shape = d.cut(shape, d.cylinder(r * 0.55, 6 * t, (0, -3 * t, length - 1.2 * r), (0, 1, 0)))
    return Part([("lug", shape)], end="free", thin=False)


@family
def curved_strap(rng: Rng) -> Part:
    t, r, w = between(rng, 2, 4), between(rng, 80, 160), between(rng, 30, 60)
    shape = d.revolve(
        [(r, -w / 2), (r + t, -w / 2), (r + t, w / 2), (r, w / 2)],
        math.radians(between(rng, 60, 150)),
    )
    return Part(
        [("strap", shape)],
        axis=(0, 1, 0),
        end="free",
        foot=lambda faces: faces.facing((0, -1, 0), 0.99),
        head=lambda faces: faces.plane_ends(),
    )


@family
def trough(rng: Rng) -> Part:
    t, r, length = between(rng, 1.5, 3), between(rng, 30, 60), between(rng, 200, 400)
    half = d.common(
        d.cut(d.cylinder(r, length), d.cylinder(r - t, length)),
        d.box(4 * r, 2 * r, length, (-2 * r, 0, 0)),
    )
    return Part([("trough", half)], end=any_end(rng))


@family
def dome(rng: Rng) -> Part:
    t, r = between(rng, 2, 4), between(rng, 60, 120)
    cap = d.cut(d.ball(r), d.ball(r - t), d.box(4 * r, 4 * r, 2 * r, (-2 * r, -2 * r, -2 * r)))
    return Part(
        [("dome", cap)],
        load="pressure",
        foot=lambda faces: faces.facing((0, 0, -1), 0.99),
        head=lambda faces: faces.outer_ball(),
    )


@family
def lofted_transition(rng: Rng) -> Part:
    t, b, length = between(rng, 2, 3), between(rng, 50, 80), between(rng, 150, 250)

    def square(half: float, z: float) -> list[tuple[float, float, float]]:
        return [(half, -half, z), (half, half, z), (-half, half, z), (-half, -half, z)]

    def diamond(half: float, z: float) -> list[tuple[float, float, float]]:
        s = half * 1.3
        return [(s, 0, z), (0, s, z), (-s, 0, z), (0, -s, z)]

    outer = d.loft([square(b / 2, 0), diamond(b / 2, length)], ruled=True)
    inner = d.loft([square(b / 2 - t, 0), diamond(b / 2 - t, length)], ruled=True)
    return Part([("transition", d.cut(outer, inner))], end="free")


@family
def threaded_rod(rng: Rng) -> Part:
    r, turns = between(rng, 6, 9), int(rng.integers(10, 18))
    pitch = 2.0
    outline = [(0.0, 0.0), (r, 0.0)]
    for k in range(turns):
        z = 20 + k * pitch
        outline += [(r, z), (r - 1.0, z + pitch / 2)]
    outline += [(r, 20 + turns * pitch), (r, 100.0), (0.0, 100.0)]
    return Part([("rod", d.revolve(outline))], end="free", thin=False)


@family
def sliver_plate(rng: Rng) -> Part:
    t, b, length = between(rng, 3, 5), between(rng, 60, 100), between(rng, 150, 260)
    shape = d.fuse(
        d.box(b, t, length, (-b / 2, 0, 0)),
        d.box(b - 0.06, t, 40, (-b / 2 + 0.03, t - 0.02, 30)),
        unify=False,
    )
    return Part([("padded", shape)], end=any_end(rng))


@family
def inch_channel(rng: Rng) -> Part:
    part = channel_folded(rng)
    part.unit = "INCH"
    return part


@family
def far_angle(rng: Rng) -> Part:
    part = angle_sharp(rng)
    part.place = (between(rng, 10, 170), (4.1e4, -2.3e4, 1.7e4))
    part.line = None
    return part
