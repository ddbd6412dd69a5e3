"""Shells on sheets: edges divided once for all faces that share them, then each face meshed in
its own plane."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from labilis.mesh.mesh import Cells, Floats, Ints, Mesh
from labilis.mesh.planar import mesh_region, quality, transfinite
from labilis.mesh.tetrahedra import zone_points
from labilis.shape import BodyShape
from labilis.shape.unrolling import Chart, Curves, make_charts, make_curves

_BEND = 0.4  # rad per element on bends: four over a right angle
# the same on round tubes: a polygon inside the circle misses 5/24 of its square in the second
# moment
_ROUND = 0.15
_HOLE = 0.55  # twelve round a hole
_SMALL_HOLE = 0.8  # the same for holes that are small beside the element size
_CORNER = 0.8  # rad the border must turn by for a corner of a four-sided patch
_GROWTH = 0.35  # element size gained per mm of distance from something finer
_MAPPED = 0.35  # least shape a mapped patch may have
_SAMPLES = 33
_POINT = 1e-6  # of the size: edges shorter than this are the pole of a ball or the tip of a cone


@dataclass
class _Division:
    """Edges divided: count (n,) elements along each; along: for each its curve parameters, node
    numbers follow later."""

    count: Ints
    density: list[Floats]


def mesh_sheets(
    sheets: BodyShape,
    size: float,
    zones: Sequence[tuple[Ints, Ints, float]] = (),
    wall: float = np.inf,
    coarser: float = 1.0,
) -> Mesh:
    """Quadrilaterals with triangles as filler on fused sheets; sizes as in `mesh_body`. Edges
    between faces are shared. `wall` mm: arcs are divided so finely that they bulge by a quarter of
    it at most between their nodes."""
    curves = make_curves(sheets)
    charts = make_charts(sheets, curves.ends)
    field = _Field(
        size, [(cKDTree(points), zone_size) for points, zone_size in zone_points(sheets, zones)]
    )
    division = _divide(sheets, curves, field, wall, coarser)
    patches = [_patch(chart, curves) for chart in charts]
    annuli = [_is_annulus(chart, curves) for chart in charts]
    _agree(division, charts, patches, annuli)
    nodes, along, parameters = _edge_nodes(curves, division)
    all_nodes, total = [nodes], len(nodes)
    quads: list[Any] = []
    triangles: list[Any] = []
    quad_face: list[Any] = []
    triangle_face: list[Any] = []
    for number, (chart, patch) in enumerate(zip(charts, patches)):
        border = _border(chart, along, parameters)
        ring = _ring(border, field) if annuli[number] else None
        flat, four, three = (
            ring if ring is not None else _fill(chart, border, patch, division, field)
        )
        inner = chart.lift(flat[len(border.points) :])
        ids = np.concatenate([border.nodes, total + np.arange(len(inner))]).astype(np.int64)
        all_nodes.append(inner)
        total += len(inner)
        for cells, found, owner in ((four, quads, quad_face), (three, triangles, triangle_face)):
            cells = cells[:, ::-1] if chart.flipped else cells
            found.append(ids[cells])
            owner.append(np.full(len(cells), number, dtype=np.int64))
    return _assembled(
        sheets,
        np.concatenate(all_nodes),
        np.concatenate(quads),
        np.concatenate(quad_face),
        np.concatenate(triangles),
        np.concatenate(triangle_face),
        along,
    )


def _assembled(
    sheets: BodyShape,
    nodes: Floats,
    quads: Ints,
    quad_face: Ints,
    triangles: Ints,
    triangle_face: Ints,
    along: list[Ints],
) -> Mesh:
    cells = []
    for elements, face in ((quads, quad_face), (triangles, triangle_face)):
        if len(elements):
            away = nodes[elements].mean(axis=1) - sheets.faces.centroid[face]
            thickness = sheets.faces.thickness[face] + (away * sheets.faces.slope[face]).sum(
                axis=1
            )  # tapered walls
            cells.append(Cells(elements, sheets.faces.body[face], thickness))
    drawn = np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]], triangles])
    segments = np.concatenate([np.stack([line[:-1], line[1:]], axis=1) for line in along])
    owner = np.concatenate(
        [np.full(len(line) - 1, number, dtype=np.int64) for number, line in enumerate(along)]
    )
    run = segments[:, 0] != segments[:, 1]
    segments, owner = segments[run], owner[run]
    return Mesh(
        nodes,
        tuple(cells),
        drawn,
        np.concatenate([quad_face, quad_face, triangle_face]),
        segments,
        owner,
    )


@dataclass(frozen=True)
class _Field:
    """Element size in space: the plan's, finer in zones and growing away from them."""

    size: float
    zones: list[tuple[cKDTree, float]]

    def at(self, points: Floats) -> Floats:
        """(k,) mm at points (k, 3)."""
        found = np.full(len(points), self.size)
        for tree, zone_size in self.zones:
            away = np.maximum(tree.query(points)[0] - zone_size, 0.0)
            found = np.minimum(found, zone_size + _GROWTH * away)
        return found


def _divide(
    sheets: BodyShape, curves: Curves, field: _Field, wall: float, coarser: float
) -> _Division:
    """How many elements each edge gets by length and by bend, with the wanted density along it."""
    counts, densities, closed = [], [], _round_faces(sheets, curves)
    for edge in range(len(curves.length)):
        if curves.length[edge] < _POINT * field.size:
            counts.append(1)
            densities.append(np.ones(_SAMPLES))
            continue
        if field.zones:
            sizes = field.at(curves.places(edge, curves.parameters(edge, _SAMPLES - 1)))
        else:
            sizes = np.full(_SAMPLES, field.size)
        density = 1.0 / sizes
        by_length = curves.length[edge] * float(np.trapezoid(density, dx=1.0 / (_SAMPLES - 1)))
        step = _turn(sheets, closed, edge, field.size)
        if np.isfinite(sheets.edges.radius[edge]):
            step = min(step, max(float(np.sqrt(2.0 * wall / sheets.edges.radius[edge])), 0.1))
        counts.append(
            max(
                1,
                int(np.ceil(by_length - 0.1)),
                int(np.ceil(curves.bend[edge] / (coarser * step) - 0.1)),
            )
        )
        densities.append(density)
    return _Division(np.array(counts, dtype=np.int64), densities)


def _round_faces(sheets: BodyShape, curves: Curves) -> NDArray[np.bool_]:
    """(n_faces,): cylinders that go round more than half way, all faces of one axis and radius
    together."""
    faces, edges, found = sheets.faces, sheets.edges, np.zeros(len(sheets.faces), dtype=bool)
    pending = set(np.flatnonzero(faces.kind == "cylinder").tolist())
    while pending:
        one = min(pending)
        axis = faces.direction[one]
        off = faces.origin - faces.origin[one]
        away = np.linalg.norm(off - (off @ axis)[:, None] * axis, axis=1)
        same = (
            (faces.kind == "cylinder")
            & (np.abs(faces.direction @ axis) > 1 - 1e-9)
            & (away < 1e-6 * faces.radius[one])
            & (np.abs(faces.radius / faces.radius[one] - 1) < 1e-6)
        )
        group = np.flatnonzero(same)
        arcs = np.isin(edges.faces, group).any(axis=1) & (edges.kind == "circle")
        heights = np.unique(np.round(edges.centroid[arcs] @ axis, 6))
        found[group] = bool(len(heights)) and float(curves.bend[arcs].sum()) / len(heights) > 3.5
        pending -= set(group.tolist())
    return found


def _turn(sheets: BodyShape, closed: NDArray[np.bool_], edge: int, size: float) -> float:
    """Rad per element along a curved edge: by what it bounds, a `closed` round tube, a bend or a
    hole in something flat."""
    beside = sheets.edges.faces[edge][sheets.edges.faces[edge] >= 0]
    if (sheets.faces.kind[beside] != "plane").any():
        return _ROUND if closed[beside].any() else _BEND
    radius = sheets.edges.radius[edge]
    return _SMALL_HOLE if np.isfinite(radius) and radius < 0.5 * size else _HOLE


def _patch(chart: Chart, curves: Curves) -> list[list[int]] | None:
    """Positions in the outer loop of the edges of four sides, if the face has one loop with four
    corners."""
    if len(chart.loops) != 1 or chart.inner:
        return None
    loop = chart.loops[0]
    outline: list[int] = []
    starts: list[int] = []
    for edge, forward in loop:
        places = chart.edge_places(edge, forward, curves.parameters(edge, 8))
        places = places if forward else places[::-1]
        starts.append(len(outline))
        outline += list(places[:-1])
    points = np.array(outline)
    n = len(points)
    ahead = np.roll(points, -1, axis=0) - points
    angle = np.arctan2(ahead[:, 1], ahead[:, 0])
    turn = np.abs((angle - np.roll(angle, 1) + np.pi) % (2 * np.pi) - np.pi)
    corners = [k for k, start in enumerate(starts) if turn[start % n] > _CORNER]
    if len(corners) != 4:
        return None
    m = len(loop)
    return [
        [(a + i) % m for i in range((b - a) % m or m)]
        for a, b in zip(corners, corners[1:] + corners[:1])
    ]


def _is_annulus(chart: Chart, curves: Curves) -> bool:
    """A face between two circles round one centre."""
    if len(chart.loops) != 2 or chart.inner:
        return False
    circles = []
    for loop in chart.loops:
        places = np.concatenate(
            [
                chart.edge_places(edge, forward, curves.parameters(edge, 12))[:-1]
                for edge, forward in loop
            ]
        )
        centre = 0.5 * (places.min(axis=0) + places.max(axis=0))
        radius = np.linalg.norm(places - centre, axis=1)
        if np.ptp(radius) > 0.02 * radius.mean():
            return False
        circles.append((centre, float(radius.mean())))
    (one, r1), (two, r2) = circles
    return bool(np.linalg.norm(one - two) < 0.02 * abs(r1 - r2))


def _ring(border: _Border, field: _Field) -> tuple[Floats, Ints, Ints] | None:
    """Quadrilaterals between two circles that are divided alike; None where they are not."""
    outer, inner = sorted(border.loops, key=lambda loop: -abs(_signed(border.points[loop])))
    if len(outer) != len(inner):
        return None
    a, b = border.points[outer], border.points[inner][::-1]
    n = len(a)
    inner = inner[::-1]
    shift = int(
        np.argmin([np.linalg.norm(np.roll(b, -k, axis=0) - a, axis=1).max() for k in range(n)])
    )
    b, inner = np.roll(b, -shift, axis=0), np.roll(inner, -shift)
    width = float(np.linalg.norm(a - b, axis=1).mean())
    layers = max(1, int(np.ceil(width / field.size - 0.1)))
    points, rows = [border.points], [outer]
    for k in range(1, layers):
        rows.append(len(border.points) + (k - 1) * n + np.arange(n))
        points.append(a + (b - a) * k / layers)
    rows.append(inner)
    everything = np.concatenate(points)
    quads = np.concatenate(
        [
            np.stack([low, np.roll(low, -1), np.roll(high, -1), high], axis=1)
            for low, high in itertools.pairwise(rows)
        ]
    )
    if quality(everything, quads).mean() < 0:
        quads = quads[:, ::-1]
    return (
        (everything, quads, np.zeros((0, 3), dtype=np.int64))
        if quality(everything, quads).min() > 0.1
        else None
    )


def _raised(division: _Division, start: Ints, one: list[int], two: list[int], most: float) -> int:
    """How many elements were added to the side with fewer of two that have to agree; -1, and
    none, where it would grow `most` times."""
    low, high = sorted((one, two), key=lambda side: int(division.count[side].sum()))
    gap = int(division.count[high].sum() - division.count[low].sum())
    if division.count[low].sum() + gap > most * start[low].sum() + 4:
        return -1 if gap else 0
    for _ in range(gap):
        division.count[max(low, key=lambda edge: start[edge] / division.count[edge])] += 1
    return gap


def _agree(
    division: _Division,
    charts: list[Chart],
    patches: list[list[list[int]] | None],
    annuli: list[bool],
) -> None:
    """Raise counts until opposite sides of four-sided faces and both circles of rings agree; a face
    that would ask for half as many again is left free."""
    start = division.count.copy()
    for _ in range(60):
        changed = False
        for chart, annulus in zip(charts, annuli):
            one, two = (
                ([edge for edge, _ in loop] for loop in (*chart.loops, *chart.loops)[:2])
                if annulus
                else ([], [])
            )
            changed |= _raised(division, start, one, two, 1e9) > 0
        for number, (chart, patch) in enumerate(zip(charts, patches)):
            if patch is None:
                continue
            sides = [[chart.loops[0][position][0] for position in side] for side in patch]
            for one, two in ((sides[0], sides[2]), (sides[1], sides[3])):
                grown = _raised(division, start, one, two, 2.0)
                if grown < 0:
                    patches[number] = None
                    break
                changed |= grown > 0
        if not changed:
            return
    for number, (chart, patch) in enumerate(zip(charts, patches)):
        if patch is not None:
            sums = [
                int(division.count[[chart.loops[0][p][0] for p in side]].sum()) for side in patch
            ]
            if sums[0] != sums[2] or sums[1] != sums[3]:
                patches[number] = None


def _edge_nodes(curves: Curves, division: _Division) -> tuple[Floats, list[Ints], list[Floats]]:
    """(nodes on vertices and edges, node numbers along each edge, curve parameters along each
    edge)."""
    nodes, along, parameters = [curves.vertices], [], []
    total = len(curves.vertices)
    for edge, count in enumerate(division.count):
        density = division.density[edge]
        grown = np.concatenate([[0.0], np.cumsum(0.5 * (density[1:] + density[:-1]))])
        fractions = np.interp(
            np.linspace(0, grown[-1], count + 1), grown, np.linspace(0, 1, len(grown))
        )
        fine = curves.parameters(edge, 64)
        t = np.interp(fractions, np.linspace(0, 1, 65), fine)
        inner = curves.places(edge, t[1:-1])
        nodes.append(inner)
        along.append(
            np.concatenate(
                [[curves.ends[edge, 0]], total + np.arange(len(inner)), [curves.ends[edge, 1]]]
            ).astype(np.int64)
        )
        parameters.append(t)
        total += len(inner)
    return np.concatenate(nodes), along, parameters


@dataclass(frozen=True)
class _Border:
    """Points (n, 2) of a face's border in its plane, each node once; nodes (n,) of the mesh;
    loops and inner paths by point."""

    points: Floats
    nodes: Ints
    loops: list[Ints]
    inner: list[Ints]


def _border(chart: Chart, along: list[Ints], parameters: list[Floats]) -> _Border:
    """Border of a face from the divided edges round it and within it."""
    places: list[Floats] = []
    nodes: list[Ints] = []
    runs: list[int] = []
    for loop in chart.loops:
        for edge, forward in loop:
            flat, ids = chart.edge_places(edge, forward, parameters[edge]), along[edge]
            if not forward:
                flat, ids = flat[::-1], ids[::-1]
            places.append(flat[:-1])
            nodes.append(ids[:-1])
        runs.append(sum(len(along[edge]) - 1 for edge, _ in loop))
    for edge in chart.inner:
        places.append(chart.edge_places(edge, True, parameters[edge]))
        nodes.append(along[edge])
    everything, given = np.concatenate(places), np.concatenate(nodes)
    _, first, number = np.unique(given, return_index=True, return_inverse=True)
    order = np.argsort(np.argsort(first))  # in the order of first appearance
    keep, number = np.sort(first), order[number]
    ends = np.cumsum([0, *runs])
    loops = [number[a:b] for a, b in itertools.pairwise(ends)]
    steps = np.cumsum([ends[-1], *(len(along[edge]) for edge in chart.inner)])
    return _Border(
        everything[keep], given[keep], loops, [number[a:b] for a, b in itertools.pairwise(steps)]
    )


def _fill(
    chart: Chart, border: _Border, patch: list[list[int]] | None, division: _Division, field: _Field
) -> tuple[Floats, Ints, Ints]:
    """Points (the border's first) with quadrilaterals and triangles of one face."""
    if patch is not None:
        mapped = _mapped(chart, border.points, patch, division)
        if mapped is not None:
            return mapped
    points = border.points
    pairs = np.concatenate(
        [
            *(np.stack([loop, np.roll(loop, -1)], axis=1) for loop in border.loops),
            *(np.stack([path[:-1], path[1:]], axis=1) for path in border.inner),
        ]
    )
    length = np.linalg.norm(points[pairs[:, 1]] - points[pairs[:, 0]], axis=1)
    count = np.maximum(np.bincount(pairs.ravel(), minlength=len(points)), 1)
    step = np.bincount(pairs.ravel(), weights=np.repeat(length, 2), minlength=len(points)) / count
    tree = cKDTree(points)

    def size(places: Floats) -> Floats:
        away, nearest = tree.query(places)
        wanted = field.at(chart.lift(places)) if field.zones else np.full(len(places), field.size)
        return np.minimum(wanted, step[nearest] + _GROWTH * away)

    area = sum(_signed(points[loop]) for loop in border.loops)
    if area > 0:
        return mesh_region(points, border.loops, border.inner, size)
    mirror = np.array([1.0, -1.0])
    flat, quads, triangles = mesh_region(
        points * mirror, border.loops, border.inner, lambda places: size(places * mirror)
    )
    return flat * mirror, quads[:, ::-1], triangles[:, ::-1]


def _signed(loop: Floats) -> float:
    return float(
        0.5 * (loop[:, 0] * np.roll(loop[:, 1], -1) - np.roll(loop[:, 0], -1) * loop[:, 1]).sum()
    )


def _mapped(
    chart: Chart, outline: Floats, patch: list[list[int]], division: _Division
) -> tuple[Floats, Ints, Ints] | None:
    """A four-sided patch with its points in the order of the outline, then inner ones; None when
    it would be badly shaped."""
    counts = [int(division.count[edge]) for edge, _ in chart.loops[0]]
    starts = np.cumsum([0, *counts])
    n = len(outline)
    sides = []
    for side in patch:
        first, length = starts[side[0]], sum(counts[k] for k in side)
        sides.append((first + np.arange(length + 1)) % n)
    if len(sides[0]) != len(sides[2]) or len(sides[1]) != len(sides[3]):
        return None
    points, quads = transfinite([outline[side] for side in sides])
    shape = quality(points, quads)
    if shape.min() < _MAPPED * shape.max():
        return None
    a, b = len(sides[0]) - 1, len(sides[1]) - 1
    grid = np.arange((a + 1) * (b + 1)).reshape(a + 1, b + 1)
    number = np.full(grid.size, -1, dtype=np.int64)
    number[grid[:, 0]], number[grid[a, :]] = sides[0], sides[1]
    number[grid[::-1, b]], number[grid[0, ::-1]] = sides[2], sides[3]
    inner = number < 0
    number[inner] = n + np.arange(int(inner.sum()))
    return np.concatenate([outline, points[inner]]), number[quads], np.zeros((0, 3), dtype=np.int64)
