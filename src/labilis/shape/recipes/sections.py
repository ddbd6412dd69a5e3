"""Cross-sections of struts: exact outline, and walls (mid-lines with thickness) where the section
is thin. Lengths in mm.

A new section is a function here and one line in SECTIONS.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from labilis.model import LabilisError, shown
from labilis.shape.profile import Run, circle, counted, offset_band, rounded_path, way_back

Sizes = dict[str, float]


@dataclass(frozen=True)
class Wall:
    """One wall: its mid-line, whose runs are numbered by their corners, thickness and name."""

    runs: tuple[Run, ...]
    thickness: float
    name: str


@dataclass(frozen=True)
class SectionShape:
    """outlines: closed paths, one list per separate part, the outer one first and then holes;
    walls: empty when the section is not thin. The numbers of the runs are each there once, sides
    and rounded corners apart, and do not hang on which of them have any length."""

    outlines: tuple[tuple[tuple[Run, ...], ...], ...]
    walls: tuple[Wall, ...] = ()


def _sharp(
    points: list[tuple[float, float]],
    radius: float = 0.0,
    closed: bool = True,
    where: str = "section",
) -> tuple[Run, ...]:
    return tuple(rounded_path([(x, y, radius) for x, y in points], closed, where))


def _box(width: float, height: float, radius: float = 0.0) -> tuple[Run, ...]:
    w, h = width / 2, height / 2
    return _sharp([(w, -h), (w, h), (-w, h), (-w, -h)], radius)


def _thin(wall: float, across: float, where: str) -> None:
    if wall <= 0 or 2 * wall >= across:
        raise LabilisError(
            f"A wall of {shown.length(wall)} closes a section of {shown.length(across)}.",
            where,
            "Make the wall thinner; check for diameter and radius mixed up.",
            "wall",
        )


def _flat(s: Sizes) -> SectionShape:
    b, t = s["width"], s["thickness"]
    return SectionShape(
        ((_box(b, t),),), (Wall(_sharp([(-b / 2, 0), (b / 2, 0)], closed=False), t, "wall"),)
    )


def _round(s: Sizes) -> SectionShape:
    return SectionShape(((tuple(counted(circle((0, 0), s["diameter"] / 2))),),))


def _square(s: Sizes) -> SectionShape:
    return SectionShape(((_box(s["width"], s["width"]),),))


def _round_tube(s: Sizes) -> SectionShape:
    d, t = s["diameter"], s["thickness"]
    _thin(t, d, "section/thickness")
    outer, inner = circle((0, 0), d / 2), circle((0, 0), d / 2 - t, clockwise=True)
    return SectionShape(
        ((tuple(counted(outer)), tuple(counted(inner, len(outer)))),),
        (Wall(tuple(counted(circle((0, 0), (d - t) / 2, 4))), t, "wall"),),
    )


def _tube(s: Sizes) -> SectionShape:
    b, h, t, r = s["width"], s.get("height", s["width"]), s["thickness"], s.get("radius", 0.0)
    _thin(t, min(b, h), "section/thickness")
    rounded = r + t if r > 0 else 0.0
    inner = tuple(way_back(_box(b - 2 * t, h - 2 * t, r), 4, closed=True, first=4))
    return SectionShape(
        ((_box(b, h, rounded), inner),),
        (Wall(_box(b - t, h - t, r + t / 2 if r > 0 else 0.0), t, "wall"),),
    )


def _band(points: list[tuple[float, float]], thickness: float, inside: float) -> SectionShape:
    """Open section of one thickness round a mid-line."""
    middle = _sharp(points, inside + thickness / 2 if inside > 0 else 0.0, closed=False)
    return SectionShape(
        ((tuple(offset_band(middle, thickness)),),), (Wall(middle, thickness, "wall"),)
    )


def _angle(s: Sizes) -> SectionShape:
    b, h, t = s["width"], s["height"], s["thickness"]
    _thin(t, min(b, h), "section/thickness")
    return _band([(t / 2, h), (t / 2, t / 2), (b, t / 2)], t, s.get("radius", 0.0))


def _double_angle(s: Sizes) -> SectionShape:
    b, h, t, g = s["width"], s["height"], s["thickness"], s["gap"]
    _thin(t, min(b, h), "section/thickness")
    right = _band([(g / 2 + t / 2, h), (g / 2 + t / 2, t / 2), (g / 2 + b, t / 2)], t, 0.0)
    left = _band([(-g / 2 - b, t / 2), (-g / 2 - t / 2, t / 2), (-g / 2 - t / 2, h)], t, 0.0)
    # the second one goes on counting: three corners, twice as many sides and ends
    second = tuple(replace(run, number=run.number + 6) for run in left.outlines[0][0])
    return SectionShape(
        (*right.outlines, (second,)),
        tuple(
            Wall(shape.walls[0].runs, t, f"angle.{number}")
            for number, shape in ((1, right), (2, left))
        ),
    )


def _channel(s: Sizes) -> SectionShape:
    b, h, t = s["width"], s["height"], s["thickness"]
    _thin(t, min(2 * b, h), "section/thickness")
    m = h / 2 - t / 2
    return _band([(b, m), (t / 2, m), (t / 2, -m), (b, -m)], t, s.get("radius", 0.0))


def _hat(s: Sizes) -> SectionShape:
    b, h, f, t = s["width"], s["height"], s["flange"], s["thickness"]
    _thin(t, min(b, 2 * h), "section/thickness")
    w = b / 2 - t / 2
    return _band(
        [(-w - f, t / 2), (-w, t / 2), (-w, h - t / 2), (w, h - t / 2), (w, t / 2), (w + f, t / 2)],
        t,
        s.get("radius", 0.0),
    )


def _i(s: Sizes) -> SectionShape:
    b, h, t, w = s["width"], s["height"], s["thickness"], s["web"]
    _thin(t, h, "section/thickness")
    _thin(w, 2 * b, "section/web")
    x, y = b / 2, h / 2
    outline = _sharp(
        [
            (x, -y),
            (x, -y + t),
            (w / 2, -y + t),
            (w / 2, y - t),
            (x, y - t),
            (x, y),
            (-x, y),
            (-x, y - t),
            (-w / 2, y - t),
            (-w / 2, -y + t),
            (-x, -y + t),
            (-x, -y),
        ]
    )
    m = y - t / 2
    flanges = [
        Wall(_sharp([(-x, k), (0, k), (x, k)], closed=False), t, name)
        for k, name in ((m, "top"), (-m, "bottom"))
    ]
    return SectionShape(
        ((outline,),), (*flanges, Wall(_sharp([(0, -m), (0, m)], closed=False), w, "web"))
    )


def _t(s: Sizes) -> SectionShape:
    b, h, t, w = s["width"], s["height"], s["thickness"], s["web"]
    _thin(t, 2 * h, "section/thickness")
    _thin(w, 2 * b, "section/web")
    x = b / 2
    outline = _sharp(
        [
            (-x, 0),
            (-w / 2, 0),
            (-w / 2, -h + t),
            (w / 2, -h + t),
            (w / 2, 0),
            (x, 0),
            (x, t),
            (-x, t),
        ]
    )
    top = Wall(
        _sharp([(-x, t / 2), (0, t / 2), (x, t / 2)], closed=False),
        t,
        "top",
    )
    return SectionShape(
        ((outline,),), (top, Wall(_sharp([(0, t - h), (0, t / 2)], closed=False), w, "web"))
    )


SECTIONS: dict[str, Callable[[Sizes], SectionShape]] = {
    "flat": _flat,
    "round": _round,
    "square": _square,
    "round tube": _round_tube,
    "square tube": _tube,
    "rectangular tube": _tube,
    "angle": _angle,
    "double angle": _double_angle,
    "channel": _channel,
    "I": _i,
    "T": _t,
    "hat": _hat,
}


def section_shape(shape: str, sizes: Sizes, corners: list[tuple[float, float]]) -> SectionShape:
    """Outline and walls of a section; sizes in mm by name. Raises LabilisError for sizes that
    make no section."""
    for name, value in sizes.items():
        if value < 0 or (value == 0 and name not in ("radius", "gap")):
            raise LabilisError(
                f"The section's {name} is {shown.length(value)}.",
                f"section/{name}",
                "Give a positive length.",
                "section",
            )
    if shape == "polygon":
        runs = _sharp(corners)
        from labilis.shape.profile import area_of, crosses_itself

        if crosses_itself(runs):
            raise LabilisError(
                "The outline crosses itself.",
                "section/corners",
                "Put its corners in order.",
                "outline",
            )
        if area_of(runs) < 0:
            runs = tuple(replace(run, start=run.end, end=run.start) for run in reversed(runs))
        return SectionShape(((runs,),))
    return SECTIONS[shape](sizes)


def second_moments(shape: SectionShape) -> tuple[float, np.ndarray, np.ndarray]:
    """(area mm², centroid (2,) mm, second moments about the centroid (2, 2) mm⁴: [[∫x², ∫xy],
    [∫xy, ∫y²]]) of the outline."""
    from labilis.shape.profile import area_of, points_of

    total, first, second = 0.0, np.zeros(2), np.zeros((2, 2))
    for part in shape.outlines:
        for number, path in enumerate(part):
            p = points_of(path, 400)
            q = np.roll(p, -1, axis=0)
            cross = p[:, 0] * q[:, 1] - q[:, 0] * p[:, 1]
            sign = (1.0 if area_of(path) > 0 else -1.0) * (1.0 if number == 0 else -1.0)
            total += sign * 0.5 * cross.sum()
            first += sign * (cross[:, None] * (p + q)).sum(axis=0) / 6
            outer = np.einsum("ki,kj->kij", p, p) + np.einsum("ki,kj->kij", q, q)
            mixed = np.einsum("ki,kj->kij", p, q)
            second += (
                sign
                * np.einsum("k,kij->ij", cross, 2 * outer + mixed + np.swapaxes(mixed, 1, 2))
                / 24
            )
    centroid = first / total
    return total, centroid, second - total * np.outer(centroid, centroid)
