"""What a mesh will cost, before it is made."""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from labilis.mesh.extrusion import find_sweep
from labilis.mesh.sizes import GROWTH, WALL
from labilis.mesh.skin import CHORD, SLENDER
from labilis.shape import ShapeView
from labilis.shape.face_tables import EdgeTable, FaceTable

# tetrahedra to a triangle of the skin of a thin solid, what grading adds to the triangles included
_PER_TRIANGLE = 1.9
# of a cube on its side: volume of a tetrahedron inside of a thick solid, what growth inward saves
# included
_CUBE = 0.3


@dataclass(frozen=True)
class MeshEstimate:
    """Expected counts; memory in bytes that the whole run will take at its peak; seconds that a
    run of modes will take, roughly."""

    elements: int
    nodes: int
    unknowns: int
    memory: int
    seconds: float


def available_memory() -> int:
    """Bytes of memory that can still be had, from the kernel; half of all if it does not say."""
    try:
        with open("/proc/meminfo") as lines:
            for line in lines:
                if line.startswith("MemAvailable"):
                    return int(line.split()[1]) * 1024
    except OSError:
        pass
    return os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") // 2


def chord_angle(view: ShapeView, size: float) -> float:
    """Rad per chord on curved faces: twelve chords round a bore, eight where a bore is small beside
    the element size (the sides of second-order elements are curved, so that is enough)."""
    radii = view.faces.radius[np.isfinite(view.faces.radius)]
    return float(np.clip(size / (5.0 * radii.min()), 0.55, 0.8)) if len(radii) else 0.55


@dataclass(frozen=True)
class _Body:
    """Faces and edges of one solid, numbered among themselves."""

    faces: FaceTable
    edges: EdgeTable
    reach: float


def _swept(view: ShapeView, size: float) -> tuple[NDArray[np.bool_], int, int]:
    """(faces of solids that will be swept, elements and nodes of those)."""
    done, elements, nodes = np.zeros(len(view.faces), dtype=bool), 0, 0
    together = _touching(view)
    for body in np.unique(view.faces.body[~view.sheet]):
        mine = (view.faces.body == body) & ~view.sheet
        if body in together:
            continue
        number = np.cumsum(mine) - 1
        beside = view.edges.faces
        inside = (beside >= 0).all(axis=1) & mine[beside].all(axis=1)
        faces = FaceTable(
            **{name: getattr(view.faces, name)[mine] for name in FaceTable.__dataclass_fields__}
        )
        edges = EdgeTable(
            **{
                name: getattr(view.edges, name)[inside]
                for name in EdgeTable.__dataclass_fields__
                if name != "faces"
            },
            faces=number[beside[inside]],
        )
        sweep = find_sweep(_Body(faces, edges, view.size))
        if sweep is None:
            continue
        layers = max(1, int(np.ceil(np.linalg.norm(sweep.along) / size - 0.1)))
        length, radius = edges.length[sweep.edges[:, 0]], edges.radius[sweep.edges[:, 0]]
        around = np.ceil(np.maximum(length / size, np.nan_to_num(length / radius / 0.55))).sum()
        cells = float(faces.area[sweep.caps[0]]) / size**2 + 0.5 * around
        corners, sides = (
            cells + 0.5 * around + 1,
            2 * cells + 0.5 * around,
        )  # Euler's count for quadrilaterals
        done |= mine
        elements, nodes = (
            elements + int(cells) * layers,
            nodes + int((corners + sides) * (layers + 1) + corners * layers),
        )
    return done, elements, nodes


def _touching(view: ShapeView) -> set[int]:
    """Solids that are filled together with others, as far as a view tells: their boxes touch,
    and two plane faces lie on each other."""
    faces, tessellation, found = view.faces, view.tessellation, set()
    near = 1e-4 * view.size
    solids = []
    for body in np.unique(faces.body[~view.sheet]):
        rows = np.flatnonzero((faces.body == body) & ~view.sheet)
        corners = tessellation.points[
            tessellation.triangles[np.isin(tessellation.face, rows)]
        ].reshape(-1, 3)
        solids.append(
            (
                int(body),
                rows[faces.kind[rows] == "plane"],
                corners.min(axis=0) - near,
                corners.max(axis=0) + near,
            )
        )
    for (one, a, low, high), (two, b, other_low, other_high) in combinations(solids, 2):
        if (low > other_high).any() or (other_low > high).any():
            continue
        facing = faces.direction[a] @ faces.direction[b].T < -0.9999
        level = (faces.centroid[a] * faces.direction[a]).sum(axis=1)[:, None] - faces.direction[
            a
        ] @ faces.centroid[b].T
        if (facing & (np.abs(level) < near)).any():
            found |= {one, two}
    return found


# what sheets have beside a fine edge, to the integral of dx / h²: quadrilaterals change their sizes
# in steps (1.76 and 1.82 round a bore and along a side)
_STEPS = 1.8

# (numbers of faces, numbers of edges, size in mm) that are to be finer than the rest
Zone = tuple[NDArray[np.int64], NDArray[np.int64], float]


def _of_zones(view: ShapeView, zones: Sequence[Zone], side: float, solid: bool) -> float:
    """Area of a zone and of what grows round it, in squares of its sides, less what they had of
    `side` mm: h = zone + GROWTH x from a border on, whose integral of dx / h² is (1/zone - 1/side)
    / GROWTH; on a face from its border outward, from an edge to both sides of it."""
    found = 0.0
    for faces, edges, size in zones:
        if size >= side:
            continue
        mine = faces[~view.sheet[faces] if solid else view.sheet[faces]]
        within = (view.edges.faces[:, :, None] == mine).any(axis=2)
        border = float(view.edges.length[within.sum(axis=1) == 1].sum())
        beside = view.edges.faces[edges]
        known = (beside >= 0) & (~view.sheet[beside] if solid else view.sheet[beside])
        border += float((view.edges.length[edges] * known.sum(axis=1)).sum())
        found += float(view.faces.area[mine].sum()) * (1.0 / size**2 - 1.0 / side**2)
        found += (1.0 if solid else _STEPS) * border * (1.0 / size - 1.0 / side) / GROWTH
    return found


def _tetrahedra(
    view: ShapeView, filled: NDArray[np.bool_], size: float, zones: Sequence[Zone]
) -> int:
    """How many fill solids of these faces, counted by the triangles of their skin."""
    sheet = view.sheet
    solid_area = float(view.faces.area[filled].sum())
    volume = view.volume - float((view.faces.area * view.faces.thickness)[sheet].sum())
    volume *= solid_area / float(view.faces.area[~sheet].sum())
    wall = max(2.0 * volume / solid_area, 1e-9)
    side = min(size, WALL * wall)
    chord = np.minimum(
        np.where(np.isfinite(view.faces.radius), CHORD * view.faces.radius, side)[filled], side
    )
    skin = float(
        (view.faces.area[filled] / (0.433 * chord * np.minimum(SLENDER * chord, side))).sum()
    )
    bend = np.where(
        np.isfinite(view.edges.radius), np.maximum(CHORD * view.edges.radius, side / 200), side
    )
    bend = np.where(filled[view.edges.faces].any(axis=1), np.minimum(bend, side), side)
    # from both sides of a bend sides grow with the distance: the integral of dx / (0.433 h²), h
    # = bend + GROWTH x
    skin += float((view.edges.length * 2.0 / (0.433 * GROWTH) * (1.0 / bend - 1.0 / side)).sum())
    skin += _of_zones(view, zones, side, solid=True) / 0.433
    return max(int(_PER_TRIANGLE * skin + volume / (_CUBE * side**3)), 6)


def estimate(
    view: ShapeView,
    size: float,
    order: int,
    swept: bool = True,
    solids: float | None = None,
    zones: Sequence[Zone] = (),
) -> MeshEstimate:
    """Counts for elements of about `size` mm, of `solids` mm in solids where that is given, of the
    sizes of `zones` there; `swept`: solids that can be are swept.

    Of 64 parts of the corpus 62 had between half and twice of the unknowns told here (seed 5).
    Tetrahedra are counted by the triangles of the skin, which thin walls, round faces and bends ask
    for; a sheet has area / size².
    """
    sheet = view.sheet
    elements = nodes = 0
    if not len(sheet):
        lines = sum(
            max(int(length / size), 8)
            for length in view.edges.length[view.edges.name != ""]
            if length > 0
        )
        return MeshEstimate(lines, lines + 1, 6 * (lines + 1), int(350e6), 1.0)
    inside = size if solids is None else solids
    regular, hexahedra, corners = (
        _swept(view, inside) if swept and order == 2 else (np.zeros(len(sheet), dtype=bool), 0, 0)
    )
    filled = ~sheet & ~regular
    if filled.any():
        elements = _tetrahedra(view, filled, inside, zones)
        nodes = int(elements * (0.30 if order == 1 else 1.9)) + 30
    elements, nodes = elements + hexahedra, nodes + corners
    squares = float(view.faces.area[sheet].sum()) / size**2
    squares += _of_zones(view, zones, size, solid=False)
    shells = int(1.1 * squares + 2 * sheet.sum())
    unknowns = 3 * nodes + int(6 * 1.05 * shells)
    # factors of a sparse direct solver on solids grow with about the power 4/3, on shells with
    # little more than one against 371 runs of the corpus (seed 8117), by their unknowns: 0.8 to 1.7
    # times what was used (half of them under 1.2), with the other mesh that tells errors
    memory = int(
        600e6 + 4700.0 * 3 * nodes + 210.0 * (3.0 * nodes) ** (4.0 / 3.0) + 18000.0 * 6 * shells
    )
    seconds = (
        3.2 * (3 * nodes / 48e3) ** 1.2 + 7.6 * (6 * shells / 52e3) ** 0.87 + 0.5
    )  # from docs/performance.md
    return MeshEstimate(elements + shells, nodes + int(1.05 * shells), unknowns, memory, seconds)


_SLENDER = 10.0  # R/t from which a round wall may buckle by itself
_MOST_SHELLS = 9_000  # elements that round walls may bring a proposed size to
# triangles on the skins of solids that a proposed size may lead to: some 100,000 unknowns where
# walls are thin
_MOST_SIDES = 8_000


def proposed_size(view: ShapeView) -> float:
    """Element size (mm) to begin with, rounded to two digits: at least twelve elements along the
    part. Sheets: five elements across the narrow plane faces, which is six or more per half wave of
    a buckling wall. Solids, whose elements are of second order: four, but no more of them than a
    run can take; their thin walls get shorter sides by themselves."""
    sheet = view.sheet
    size = view.length / 12.0 if sheet.all() else solid_size(view)
    if sheet.any():
        size = min(size, _narrow_width(view, sheet, 0.0) / 5.0)
        least = float(np.sqrt(view.faces.area[sheet].sum() / _MOST_SHELLS))
        size = min(size, max(_round_size(view), least))
    return float(f"{size:.1e}")


def solid_size(view: ShapeView) -> float:
    """What of a proposed size (mm) the solids of a part ask for. Beside thin sheets, which ask
    for less, they keep it."""
    solid = ~view.sheet
    width = _narrow_width(view, solid, 3.0 * view.thickness)
    return max(
        min(view.length / 12.0, width / 4.0),
        float(np.sqrt(view.faces.area[solid].sum() / (0.433 * _MOST_SIDES))),
    )


def planned_sizes(
    view: ShapeView, stated: float | None, fineness: float = 1.0
) -> tuple[float, float | None]:
    """(element size, another one of solids or None), mm: what is stated holds for all, what is
    proposed lets solids beside sheets keep theirs, all divided by the fineness."""
    if stated is not None:
        return stated / fineness, None
    size = proposed_size(view)
    return size / fineness, None if view.sheet.all() else max(size, solid_size(view)) / fineness


def _round_size(view: ShapeView) -> float:
    """Size (mm) at which the square buckles of round sheets have six elements to a half wave, inf
    without any. Half waves of a long cylinder under compression are 1.72 √(Rt) long as rings and
    3.46 √(Rt) as squares (Koiter's circle, ν = 0.3), at the same load; under outside pressure and
    torsion they are longer. A wall of R/t under 10 yields before it buckles by itself."""
    faces = view.faces
    thin = (
        view.sheet
        & np.isin(faces.kind, ("cylinder", "cone", "sphere"))
        & (faces.radius > _SLENDER * faces.thickness)
    )
    if not thin.any():
        return float("inf")
    return float(3.46 / 6.0 * np.sqrt((faces.radius[thin] * faces.thickness[thin]).min()))


def _narrow_width(view: ShapeView, chosen: NDArray[np.bool_], least: float) -> float:
    """Width (mm) under which a quarter of the area of the chosen plane faces lies, of those
    wider than `least`; inf without any."""
    longest = np.zeros(len(view.faces))
    for column in (0, 1):
        there = view.edges.faces[:, column] >= 0
        np.maximum.at(longest, view.edges.faces[there, column], view.edges.length[there])
    flat = chosen & (view.faces.kind == "plane") & (longest > 0)
    flat = flat if flat.any() else chosen & (longest > 0)
    width = view.faces.area / np.maximum(longest, 1e-300)
    flat &= width > least
    if not flat.any():
        return float("inf")
    order = np.argsort(width[flat])
    reached = np.cumsum(view.faces.area[flat][order]) / view.faces.area[flat].sum()
    return float(width[flat][order][np.searchsorted(reached, 0.25)])
