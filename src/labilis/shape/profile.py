"""Plane paths of lines and arcs, for outlines and mid-lines. No geometry kernel here; lengths in
mm."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from labilis.model import LabilisError, shown

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Run:
    """A straight or bent stretch from `start` to `end` (2,) mm; `through` is a point in the middle
    of an arc, None for a line; rounding: an arc that rounds a corner and is no side of its own;
    number: of the corner that it rounds or begins at, from 0 on, -1 without corners. What is made
    of a path (its other side, its way back) goes on counting, so that the number of what is there
    does not hang on what is not."""

    start: Floats
    end: Floats
    through: Floats | None = None
    rounding: bool = False
    number: int = -1

    @property
    def bent(self) -> bool:
        """An arc."""
        return self.through is not None


def rounded_path(
    corners: Sequence[tuple[float, float, float]],
    closed: bool,
    where: str,
    bows: Sequence[float] = (),
) -> list[Run]:
    """Path through corners (x, y, radius), each rounded by an arc of its radius; runs of no length
    are left out. `bows`: of each side from its corner on, as in `Corner`, none for straight ones.

    Raises LabilisError for a radius below zero or too large for the runs beside it, for corners
    that coincide, and for rounded ones beside a bowed side.
    """
    points = np.array([corner[:2] for corner in corners], dtype=float)
    radii = np.array([corner[2] for corner in corners], dtype=float)
    n = len(points)
    if (radii < 0).any():
        raise LabilisError(
            f"A radius of {shown.length(radii.min())} is below zero.",
            where,
            "Give zero for a sharp corner.",
            "radius",
        )
    following = np.roll(points, -1, axis=0) - points
    lengths = np.linalg.norm(following, axis=1)[: n if closed else n - 1]
    if len(lengths) == 0 or (lengths < 1e-9).any():
        raise LabilisError(
            "Two corners coincide.", where, "Move one of them or leave it out.", "corner"
        )
    bow = np.array(bows if len(bows) else np.zeros(n), dtype=float)
    beside = (bow != 0) | (np.roll(bow, 1) != 0)
    if (radii[beside] > 0).any():
        raise LabilisError(
            "A corner beside a bowed side cannot be rounded.",
            where,
            "Give its arc as a side of its own.",
            "radius",
        )
    arcs, cut = _corner_arcs(points, radii, closed, where)
    for i, length in enumerate(lengths):
        if cut[i] + cut[(i + 1) % n] > length * (1 + 1e-9):
            raise LabilisError(
                f"A radius of {shown.length(max(radii[i], radii[(i + 1) % n]))} does not fit a run "
                f"of {shown.length(length)}.",
                where,
                "Make the radius smaller or the run longer.",
                "radius",
            )
    return _runs(points, arcs, bow, closed)


def _runs(points: Floats, arcs: Mapping[int, Run], bow: Floats, closed: bool) -> list[Run]:
    """Sides between the arcs at corners (n, 2), bowed by so much of their length."""
    n = len(points)
    runs: list[Run] = []
    for i in range(n):
        if i in arcs:
            runs.append(arcs[i])
        if closed or i < n - 1:
            j = (i + 1) % n
            start = arcs[i].end if i in arcs else points[i]
            end = arcs[j].start if j in arcs else points[j]
            if np.linalg.norm(end - start) > 1e-9:
                along = end - start
                # a bow above nought turns left, so that its middle lies to the right of the way
                top = 0.5 * (start + end) + 0.5 * bow[i] * np.array([along[1], -along[0]])
                runs.append(Run(start, end, top if bow[i] else None, number=i))
    return runs


def _corner_arcs(
    points: np.ndarray, radii: np.ndarray, closed: bool, where: str
) -> tuple[dict[int, Run], np.ndarray]:
    """(arcs that round corners, by their numbers; length (n,) that each takes off the runs
    beside it)."""
    n, cut = len(points), np.zeros(len(points))
    arcs: dict[int, Run] = {}
    for i in range(n):
        if radii[i] == 0 or (not closed and i in (0, n - 1)):
            continue
        back = points[i - 1] - points[i]
        ahead = points[(i + 1) % n] - points[i]
        back, ahead = back / np.linalg.norm(back), ahead / np.linalg.norm(ahead)
        half = 0.5 * np.arccos(np.clip(back @ ahead, -1.0, 1.0))
        if half > np.pi / 2 - 1e-9:  # straight on: nothing to round
            continue
        if half < 1e-6:
            raise LabilisError(
                "A corner folds back onto itself.", where, "Move its neighbour.", "corner"
            )
        cut[i] = radii[i] / np.tan(half)
        bisector = (back + ahead) / np.linalg.norm(back + ahead)
        centre = points[i] + bisector * radii[i] / np.sin(half)
        arcs[i] = Run(
            points[i] + cut[i] * back,
            points[i] + cut[i] * ahead,
            centre - radii[i] * bisector,
            True,
            i,
        )
    return arcs, cut


def circle(
    centre: tuple[float, float], radius: float, pieces: int = 2, clockwise: bool = False
) -> list[Run]:
    """A circle as arcs."""
    angles = np.linspace(0, 2 * np.pi, 2 * pieces + 1) * (-1 if clockwise else 1)
    points = np.array(centre) + radius * np.stack([np.cos(angles), np.sin(angles)], axis=1)
    return [Run(points[2 * i], points[2 * i + 2], points[2 * i + 1]) for i in range(pieces)]


def counted(runs: Sequence[Run], first: int = 0) -> list[Run]:
    """A path whose runs are numbered in their order."""
    return [replace(run, number=number) for number, run in enumerate(runs, first)]


def slot(centre: tuple[float, float], diameter: float, length: float, angle: float) -> list[Run]:
    """A slot: two half circles of `diameter` with their centres `length` apart, along `angle`
    rad."""
    along = np.array([np.cos(angle), np.sin(angle)])
    across = np.array([-along[1], along[0]]) * diameter / 2
    one, two = np.array(centre) - along * length / 2, np.array(centre) + along * length / 2
    tip = along * diameter / 2
    return [
        Run(one - across, two - across),
        Run(two - across, two + across, two + tip),
        Run(two + across, one + across),
        Run(one + across, one - across, one - tip),
    ]


def points_of(runs: Sequence[Run], steps: int = 12) -> Floats:
    """Points (k, 2) along a path, arcs by chords; the end of a closed path is not repeated."""
    found: list[Floats] = []
    for run in runs:
        if run.through is None:
            found.append(run.start[None])
            continue
        centre, radius, begin, sweep = arc_of(run)
        angles = begin + sweep * np.arange(steps) / steps
        found.append(centre + radius * np.stack([np.cos(angles), np.sin(angles)], axis=1))
    return np.concatenate(found)


def arc_of(run: Run) -> tuple[Floats, float, float, float]:
    """(centre, radius, angle of the start, swept angle) of an arc."""
    assert run.through is not None
    a, b, c = run.start, run.through, run.end
    matrix = 2 * np.stack([b - a, c - a])
    centre = np.linalg.solve(matrix, np.array([b @ b - a @ a, c @ c - a @ a]))
    angles = [float(np.arctan2(*(p - centre)[::-1])) for p in (a, b, c)]
    sweep = (angles[2] - angles[0]) % (2 * np.pi)
    if (angles[1] - angles[0]) % (2 * np.pi) > sweep:
        sweep -= 2 * np.pi
    return centre, float(np.linalg.norm(a - centre)), angles[0], sweep or 2 * np.pi


def area_of(runs: Sequence[Run]) -> float:
    """Signed area (mm²) inside a closed path, positive when it runs counter-clockwise."""
    total = 0.0
    for run in runs:
        total += 0.5 * float(run.start[0] * run.end[1] - run.end[0] * run.start[1])
        if run.bent:
            _, radius, _, sweep = arc_of(run)
            total += 0.5 * radius**2 * (sweep - np.sin(sweep))
    return total


def inside(points: Floats, polygon: Floats) -> NDArray[np.bool_]:
    """(k,) whether points (k, 2) lie inside a polygon (m, 2): a ray to the right meets it an odd
    number of times."""
    a, b = polygon, np.roll(polygon, -1, axis=0)
    crosses = (a[None, :, 1] > points[:, None, 1]) != (b[None, :, 1] > points[:, None, 1])
    with np.errstate(divide="ignore", invalid="ignore"):
        x = a[:, 0] + (points[:, None, 1] - a[:, 1]) * (b[:, 0] - a[:, 0]) / (b[:, 1] - a[:, 1])
    return np.asarray((crosses & (points[:, None, 0] < x)).sum(axis=1) % 2 == 1)


def crosses_itself(runs: Sequence[Run]) -> bool:
    """Whether a closed path meets itself away from the joints of neighbouring runs."""
    p = points_of(runs)
    q = np.roll(p, -1, axis=0)
    n = len(p)

    def side(a: Floats, b: Floats, c: Floats) -> Floats:
        return (b[..., 0] - a[..., 0]) * (c[..., 1] - a[..., 1]) - (b[..., 1] - a[..., 1]) * (
            c[..., 0] - a[..., 0]
        )

    a, b, c, d = p[:, None], q[:, None], p[None], q[None]
    meet = (side(a, b, c) * side(a, b, d) < 0) & (side(c, d, a) * side(c, d, b) < 0)
    i, j = np.indices((n, n))
    apart = (np.abs(i - j) > 1) & (np.abs(i - j) < n - 1)
    return bool((meet & apart).any())


def offset_band(runs: Sequence[Run], thickness: float) -> list[Run]:
    """Closed outline of the band of `thickness` mm round an open mid-line: both sides, square ends.

    At sharp corners the sides are mitred. Bends must be wider than half the thickness. Of n corners
    the left side keeps its numbers, the end has n - 1, the right side n to 2 n - 1 on its way back,
    and the other end 2 n - 1.
    """
    sides = []
    for sign in (1.0, -1.0):
        shifted = [_shifted(run, sign * thickness / 2) for run in runs]
        for k in range(len(shifted) - 1):
            one, two = shifted[k], shifted[k + 1]
            if np.linalg.norm(one.end - two.start) > 1e-9 and not one.bent and not two.bent:
                u, v = one.end - one.start, two.end - two.start
                solved = np.linalg.solve(np.stack([u, -v], axis=1), two.start - one.start)
                meet = one.start + solved[0] * u
                shifted[k] = replace(one, end=meet)
                shifted[k + 1] = replace(two, start=meet)
        sides.append(shifted)
    left, right = sides
    corners = max(run.number for run in runs) + 2
    back = way_back(right, corners, closed=False, first=corners)
    return [
        *left,
        Run(left[-1].end, back[0].start, number=corners - 1),
        *back,
        Run(back[-1].end, left[0].start, number=2 * corners - 1),
    ]


def way_back(runs: Sequence[Run], corners: int, closed: bool, first: int = 0) -> list[Run]:
    """A path of so many corners the other way round, its sides and corners counted along that way
    from `first` on."""
    sides = corners - 1 if not closed else corners
    return [
        Run(
            run.end,
            run.start,
            run.through,
            run.rounding,
            first + ((corners if run.rounding else sides) - 1 - run.number),
        )
        for run in reversed(runs)
    ]


def _shifted(run: Run, by: float) -> Run:
    """A run moved to its left by `by`."""
    if run.through is None:
        along = (run.end - run.start) / np.linalg.norm(run.end - run.start)
        normal = by * np.array([-along[1], along[0]])
        return replace(run, start=run.start + normal, end=run.end + normal)
    centre, radius, _, sweep = arc_of(run)
    new = radius - by * np.sign(sweep)
    start, end, through = (
        centre + (p - centre) * new / radius for p in (run.start, run.end, run.through)
    )
    return replace(run, start=start, end=end, through=through)
