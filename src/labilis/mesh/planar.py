"""Quadrilaterals, with triangles as filler, inside plane loops whose points are given.

Points are laid out on a grid that is refined where the size asks for it, triangulated (Delaunay),
and pairs of triangles are joined to quadrilaterals, the best pairs first. Holes get a ring of
quadrilaterals of their own.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import Delaunay, cKDTree

from labilis.mesh.mesh import Floats, Ints
from labilis.model import LabilisError

SizeField = Callable[[Floats], Floats]  # points (k, 2) -> element size (k,)
_CLEAR = 0.62  # of the local size: how near a grid point may come to the border
_LEAST = 0.25  # quality under which two triangles stay triangles


def transfinite(sides: Sequence[Floats]) -> tuple[Floats, Ints]:
    """Points (a + 1) × (b + 1) and quadrilaterals of a four-sided patch from its sides (bottom,
    right, top, left), each given counter-clockwise with both ends; bottom and top have a + 1
    points, right and left b + 1."""
    bottom, right, top, left = sides[0], sides[1], sides[2][::-1], sides[3][::-1]
    a, b = len(bottom) - 1, len(right) - 1
    s, t = np.linspace(0, 1, a + 1)[:, None, None], np.linspace(0, 1, b + 1)[None, :, None]
    points = (
        (1 - t) * bottom[:, None]
        + t * top[:, None]
        + (1 - s) * left[None]
        + s * right[None]
        - (1 - s) * (1 - t) * bottom[0]
        - s * (1 - t) * bottom[-1]
        - (1 - s) * t * top[0]
        - s * t * top[-1]
    )
    i, j = np.meshgrid(np.arange(a), np.arange(b), indexing="ij")
    n = (i * (b + 1) + j).ravel()
    return points.reshape(-1, 2), np.stack([n, n + b + 1, n + b + 2, n + 1], axis=1)


def quality(points: Floats, quads: Ints) -> Floats:
    """Shape (k,) of quadrilaterals: the least sine of a corner, negative where one is turned
    over, times least over largest side."""
    p = points[quads]
    ahead = np.roll(p, -1, axis=1) - p
    back = np.roll(p, 1, axis=1) - p
    long = np.linalg.norm(ahead, axis=2)
    sine = (ahead[..., 0] * back[..., 1] - ahead[..., 1] * back[..., 0]) / np.maximum(
        long * np.roll(long, 1, axis=1), 1e-300
    )
    return np.asarray(
        sine.min(axis=1) * np.sqrt(long.min(axis=1) / np.maximum(long.max(axis=1), 1e-300))
    )


def mesh_region(
    border: Floats, loops: Sequence[Ints], inner: Sequence[Ints], size: SizeField
) -> tuple[Floats, Ints, Ints]:
    """(points (n, 2), quadrilaterals (q, 4), triangles (t, 3)), all counter-clockwise, between
    closed loops of border points, given by their
    numbers with the region on their left. `inner`: paths of border points within the region that
    become sides. Border points come first, in order, and nothing is added on loops and paths."""
    points, quads, front = _rings(border, loops, size)
    if not front:
        raise LabilisError(
            "A face has no border that encloses anything.",
            "mesh",
            "Repair the part where it was drawn, and export it again.",
            "geometry-damaged",
        )
    fence = np.concatenate([np.stack([path, np.roll(path, -1)], axis=1) for path in front])
    paths = np.concatenate(
        [
            np.zeros((0, 2), dtype=np.int64),
            *(np.stack([path[:-1], path[1:]], axis=1) for path in inner),
        ]
    )
    segments = np.concatenate([fence, paths])
    everything = np.concatenate([points, _grid_points(points, segments, fence, size)])
    triangles = _triangulate(everything, segments, fence)
    everything = _relax(everything, triangles, len(points))
    pairs, rest = _join(everything, triangles, paths)
    quads = np.concatenate([quads, pairs])
    everything = _smooth(everything, quads, rest, len(border))
    return everything, quads, rest


def mesh_loops(loops: Sequence[Floats], size: SizeField) -> tuple[Floats, Ints, Ints]:
    """The same inside the first loop of points (counter-clockwise) and outside the others
    (clockwise)."""
    starts = np.cumsum([0] + [len(loop) for loop in loops])
    return mesh_region(
        np.concatenate(list(loops)),
        [np.arange(a, b) for a, b in itertools.pairwise(starts)],
        [],
        size,
    )


def _rings(
    border: Floats, loops: Sequence[Ints], size: SizeField
) -> tuple[Floats, Ints, list[Ints]]:
    """One ring of quadrilaterals round each hole that has the room: (points, quads, loops of the
    rest as point numbers)."""
    points = [border]
    tree = cKDTree(border)
    quads: list[Ints] = []
    front: list[Ints] = []
    total = len(border)
    for own in loops:
        loop, n = border[own], len(own)
        centre = loop.mean(axis=0)
        radius = np.linalg.norm(loop - centre, axis=1)
        step = float(np.linalg.norm(np.roll(loop, -1, axis=0) - loop, axis=1).mean())
        a_hole = (
            _area(loop[None])[0] < 0
            and n >= 6
            and radius.max() < 1.15 * radius.min()
            and len(np.unique(own)) == n
        )
        width = min(1.1 * step, float(size(centre[None])[0]))
        near = tree.query(centre, k=min(len(border), n + 1))[0]
        room = near[-1] - radius.max() > 2.2 * width if len(border) > n else False
        if not (a_hole and room):
            front.append(np.asarray(own))
            continue
        points.append(centre + (loop - centre) * (1 + width / radius)[:, None])
        ring = total + np.arange(n)
        quads.append(np.stack([own, ring, np.roll(ring, -1), np.roll(own, -1)], axis=1)[:, ::-1])
        total += n
        front.append(ring)
    everything = np.concatenate(points)
    joined = np.concatenate(quads) if quads else np.zeros((0, 4), dtype=np.int64)
    flip = _area(everything[joined]) < 0
    joined[flip] = joined[flip][:, ::-1]
    return everything, joined, front


def _area(corners: Floats) -> Floats:
    """Signed area (k,) of polygons (k, n, 2)."""
    ahead = np.roll(corners, -1, axis=1)
    return np.asarray(
        0.5 * (corners[..., 0] * ahead[..., 1] - ahead[..., 0] * corners[..., 1]).sum(axis=1)
    )


def inside(points: Floats, loops: Sequence[Floats]) -> NDArray[np.bool_]:
    """(k,) whether points lie inside an odd number of loops."""
    return _within(
        points,
        np.concatenate([np.stack([loop, np.roll(loop, -1, axis=0)], axis=1) for loop in loops]),
    )


def _within(points: Floats, segments: Floats) -> NDArray[np.bool_]:
    """(k,) whether points lie behind an odd number of segments (s, 2, 2)."""
    count = np.zeros(len(points), dtype=np.int64)
    order = np.argsort(points[:, 1])
    x, y = points[order].T
    # a segment meets the few points between the heights of its ends, the lower one counted
    first, last = np.searchsorted(y, np.sort(segments[:, :, 1], axis=1).T)
    for (a, b), low, high in zip(segments, first, last):
        if high > low:
            rows = slice(low, high)
            count[rows] += x[rows] < a[0] + (y[rows] - a[1]) * (b[0] - a[0]) / (b[1] - a[1])
    found = np.zeros(len(points), dtype=bool)
    found[order] = count % 2 == 1
    return found


def _direction(points: Floats, segments: Ints) -> float:
    """Angle (rad) that most of the border's length follows, up to quarter turns."""
    step = points[segments[:, 1]] - points[segments[:, 0]]
    angle, length = np.arctan2(step[:, 1], step[:, 0]), np.linalg.norm(step, axis=1)
    return float(np.angle((length * np.exp(4j * angle)).sum())) / 4


def _grid_points(points: Floats, segments: Ints, fence: Ints, size: SizeField) -> Floats:
    """Corners of a square grid along the border's main direction, halved until it is as fine as
    the size asks, clear of the border."""
    turn = _direction(points, segments)
    frame = np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
    flat = points @ frame.T
    low, high = flat.min(axis=0), flat.max(axis=0)
    largest = float(size(points).max())
    count = np.maximum(np.round((high - low) / largest), 1).astype(int)
    cell = (high - low) / count
    cells = (
        np.stack(np.meshgrid(*(np.arange(n) for n in count), indexing="ij"), axis=-1).reshape(-1, 2)
        * cell
        + low
    )
    found, level = [], cell
    for _ in range(9):
        wanted = size((cells + 0.5 * level) @ frame)
        split = level.max() > 1.5 * wanted
        done = cells[~split]
        found.append(
            np.concatenate(
                [done + level * np.array(corner) for corner in ((0, 0), (1, 0), (0, 1), (1, 1))]
            )
        )
        if not split.any():
            break
        level = level / 2
        cells = np.concatenate(
            [cells[split] + level * np.array(corner) for corner in ((0, 0), (1, 0), (0, 1), (1, 1))]
        )
    grid = np.concatenate(found)
    grid = (
        grid[
            np.unique(
                np.round((grid - low) / (level.min() * 1e-3)).astype(np.int64),
                axis=0,
                return_index=True,
            )[1]
        ]
        @ frame
    )
    middles = 0.5 * (points[segments[:, 0]] + points[segments[:, 1]])
    length = np.linalg.norm(points[segments[:, 1]] - points[segments[:, 0]], axis=1)
    tree = cKDTree(np.concatenate([points[segments[:, 0]], middles]))
    away, which = tree.query(grid)
    local = np.minimum(np.concatenate([length, length])[which], size(grid))
    grid = grid[away > _CLEAR * local]
    grid = grid[_clearance(grid, points[segments]) > 0.5 * _CLEAR]
    return grid[_within(grid, points[fence])]


def _clearance(grid: Floats, segments: Floats) -> Floats:
    """(k,): distance of points to the nearest segments (s, 2, 2) over the length of each, the
    least of them."""
    if len(grid) == 0:
        return np.zeros(0)
    tree = cKDTree(segments.mean(axis=1))
    near = np.atleast_2d(tree.query(grid, k=min(8, len(segments)))[1].T).T.reshape(len(grid), -1)
    start, step = segments[near, 0], segments[near, 1] - segments[near, 0]
    length = np.maximum((step**2).sum(axis=2), 1e-300)
    along = np.clip(((grid[:, None] - start) * step).sum(axis=2) / length, 0.0, 1.0)
    return np.asarray(
        (
            np.linalg.norm(grid[:, None] - start - along[..., None] * step, axis=2)
            / np.sqrt(length)
        ).min(axis=1)
    )


def _triangulate(points: Floats, segments: Ints, fence: Ints) -> Ints:
    """Delaunay triangles inside the fence (s, 2), counter-clockwise, with every segment among
    their sides."""
    triangles = Delaunay(points).simplices.astype(np.int64)
    turned = _area(points[triangles]) < 0
    triangles[turned] = triangles[turned][:, ::-1]
    triangles = triangles[
        np.abs(_area(points[triangles])) > 1e-12 * float(np.ptp(points, axis=0).max()) ** 2
    ]
    triangles = _recover(points, triangles, segments)
    return triangles[_within(points[triangles].mean(axis=1), points[fence])]


def _recover(points: Floats, triangles: Ints, segments: Ints) -> Ints:
    """Border segments that the triangulation misses put in by flipping the sides that cross them
    (Sloan 1993)."""
    for _ in range(50):
        packed = np.sort(
            np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]),
            axis=1,
        )
        keys = np.unique(packed[:, 0] * len(points) + packed[:, 1])
        wanted = np.sort(segments, axis=1)
        missing = segments[~np.isin(wanted[:, 0] * len(points) + wanted[:, 1], keys)]
        if len(missing) == 0:
            return triangles
        changed = False
        for a, b in missing:
            changed = _flip_towards(points, triangles, int(a), int(b)) or changed
        if not changed:
            break
    return triangles


def _flip_towards(points: Floats, triangles: Ints, a: int, b: int) -> bool:
    """Flip sides that cross the segment a b, in place; whether any was flipped."""
    pa, pb = points[a], points[b]
    flipped = False
    for _ in range(200):
        sides = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
        c, d = points[sides[:, 0]], points[sides[:, 1]]
        side_c = (pb[0] - pa[0]) * (c[:, 1] - pa[1]) - (pb[1] - pa[1]) * (c[:, 0] - pa[0])
        side_d = (pb[0] - pa[0]) * (d[:, 1] - pa[1]) - (pb[1] - pa[1]) * (d[:, 0] - pa[0])
        side_a = (d[:, 0] - c[:, 0]) * (pa[1] - c[:, 1]) - (d[:, 1] - c[:, 1]) * (pa[0] - c[:, 0])
        side_b = (d[:, 0] - c[:, 0]) * (pb[1] - c[:, 1]) - (d[:, 1] - c[:, 1]) * (pb[0] - c[:, 0])
        crossing = (side_c * side_d < 0) & (side_a * side_b < 0)
        if not crossing.any():
            return flipped
        done = False
        for row in np.flatnonzero(crossing):
            u, v = sides[row]
            both = np.flatnonzero(((triangles == u).any(axis=1)) & ((triangles == v).any(axis=1)))
            if len(both) != 2:
                continue
            w = [int(np.setdiff1d(triangles[k], [u, v])[0]) for k in both]
            new = np.array([[w[0], w[1], v], [w[1], w[0], u]])
            areas = _area(points[new])
            if areas[0] < 0:
                new, areas = new[:, [1, 0, 2]], -areas
            if areas.min() > 0:
                triangles[both[0]], triangles[both[1]] = new[0], new[1]
                done = flipped = True
                break
        if not done:
            return flipped
    return flipped


def _neighbours(count: int, cells: Sequence[Ints]) -> tuple[Ints, Ints]:
    """Pairs of points (both ways) joined by a side of a cell."""
    sides = np.concatenate(
        [
            np.stack([cell, np.roll(cell, -1, axis=1)], axis=2).reshape(-1, 2)
            for cell in cells
            if len(cell)
        ]
    )
    unique = np.unique(np.sort(sides, axis=1), axis=0)
    return np.concatenate([unique[:, 0], unique[:, 1]]), np.concatenate(
        [unique[:, 1], unique[:, 0]]
    )


def _relax(points: Floats, triangles: Ints, fixed: int, rounds: int = 3) -> Floats:
    """Free points near the border moved towards the middle of their neighbours, unless a
    triangle would turn over."""
    return _moved_to_middles(points, [triangles], fixed, rounds, near=True)


def _smooth(points: Floats, quads: Ints, triangles: Ints, fixed: int, rounds: int = 4) -> Floats:
    return _moved_to_middles(points, [quads, triangles], fixed, rounds)


def _moved_to_middles(
    points: Floats, cells: Sequence[Ints], fixed: int, rounds: int, near: bool = False
) -> Floats:
    if len(points) <= fixed:
        return points
    source, target = _neighbours(len(points), cells)
    count = np.maximum(np.bincount(source, minlength=len(points)), 1)
    free = np.arange(len(points)) >= fixed
    if near:
        free &= (
            np.bincount(source, weights=(target < fixed).astype(float), minlength=len(points)) > 0
        )
    for _ in range(rounds):
        middle = np.stack(
            [
                np.bincount(source, weights=points[target, axis], minlength=len(points)) / count
                for axis in (0, 1)
            ],
            axis=1,
        )
        moved = np.where(free[:, None], 0.4 * points + 0.6 * middle, points)
        for _ in range(6):
            bad = [
                cell[_worst(moved, cell) < np.minimum(0.2, 0.9 * _worst(points, cell))]
                for cell in cells
                if len(cell)
            ]
            back = np.unique(np.concatenate([cell.ravel() for cell in bad]))
            if len(back) == 0:
                break
            moved[back] = points[back]
        points = moved
    return points


def _worst(points: Floats, cells: Ints) -> Floats:
    """Least sine of a corner (k,) of triangles or quadrilaterals."""
    p = points[cells]
    ahead, back = np.roll(p, -1, axis=1) - p, np.roll(p, 1, axis=1) - p
    size = np.linalg.norm(ahead, axis=2) * np.linalg.norm(back, axis=2)
    return np.asarray(
        (
            (ahead[..., 0] * back[..., 1] - ahead[..., 1] * back[..., 0]) / np.maximum(size, 1e-300)
        ).min(axis=1)
    )


def _join(points: Floats, triangles: Ints, kept: Ints) -> tuple[Ints, Ints]:
    """Pairs of triangles joined to quadrilaterals, best first: (quads, triangles left). Sides
    `kept` (s, 2) stay."""
    sides = np.sort(
        np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]), axis=1
    )
    owner = np.tile(np.arange(len(triangles)), 3)
    apex = np.concatenate([triangles[:, 2], triangles[:, 0], triangles[:, 1]])
    order = np.lexsort((sides[:, 1], sides[:, 0]))
    stays = np.isin(
        sides @ np.array([len(points), 1]), np.sort(kept, axis=1) @ np.array([len(points), 1])
    )
    same = np.flatnonzero((sides[order[:-1]] == sides[order[1:]]).all(axis=1) & ~stays[order[:-1]])
    one, two = order[same], order[same + 1]
    quads = np.stack([apex[one], sides[one, 0], apex[two], sides[one, 1]], axis=1)
    turned = _area(points[quads]) < 0
    quads[turned] = quads[turned][:, ::-1]
    score = quality(points, quads)
    taken = np.zeros(len(triangles), dtype=bool)
    chosen = []
    for k in np.argsort(-score, kind="stable"):
        if score[k] < _LEAST:
            break
        a, b = owner[one[k]], owner[two[k]]
        if not (taken[a] or taken[b]):
            taken[a] = taken[b] = True
            chosen.append(k)
    return quads[chosen].reshape(-1, 4), triangles[~taken]
