"""Section properties of a cut through a piece, from its triangulation: what a beam of this
section would have."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from labilis.mechanics.cross_section import cross_section
from labilis.mesh import inside, mesh_section
from labilis.results.findings import Floats
from labilis.shape import ShapeView

# of the part's size: the plane is put aside by so much, so that it meets no corner exactly
_ASIDE = 1e-7


@dataclass(frozen=True)
class CutSection:
    """area mm²; centroid (3,) mm; i_min, i_max mm⁴; torsion J mm⁴, nan for sheets with several
    cells."""

    area: float
    centroid: Floats
    i_min: float
    i_max: float
    torsion: float


def cut_section(view: ShapeView, body: int, point: Floats, normal: Floats) -> CutSection | None:
    """Where the plane through `point` (3,) square to `normal` meets a body; None where it misses
    it."""
    normal = normal / np.linalg.norm(normal)
    faces = np.flatnonzero(view.faces.body == body)
    tessellation = view.tessellation
    rows = np.isin(tessellation.face, faces)
    triangles, owner = tessellation.triangles[rows], tessellation.face[rows]
    height = (tessellation.points - point) @ normal - _ASIDE * max(view.size, 1.0)
    ends, keys, which = _crossings(tessellation.points, triangles, height)
    if len(ends) == 0:
        return None
    one = np.cross(normal, np.eye(3)[int(np.argmin(np.abs(normal)))])
    one /= np.linalg.norm(one)
    frame = np.stack([one, np.cross(normal, one)])
    flat = (ends - point) @ frame.T
    thickness = view.faces.thickness[owner[which]]
    found = (
        _of_solid(flat, keys)
        if not (thickness > 0).any()
        else _of_sheets(flat, thickness, _slopes(tessellation.points, triangles[which], normal))
    )
    if found is None:
        return None
    area, middle, inertia, torsion = found
    values = np.linalg.eigvalsh(inertia)
    return CutSection(area, point + middle @ frame, float(values[0]), float(values[1]), torsion)


def _crossings(
    points: Floats, triangles: np.ndarray, height: Floats
) -> tuple[Floats, np.ndarray, np.ndarray]:
    """(ends (k, 2, 3), keys (k, 2) of the sides that they lie on, row of the triangle (k,)) of the
    lines in which triangles meet height
    nought: from the side that rises to the side that falls, so that they run on from triangle to
        triangle."""
    above = height[triangles] > 0
    which = np.flatnonzero(above.any(axis=1) & ~above.all(axis=1))
    ends, keys = np.empty((len(which), 2, 3)), np.empty((len(which), 2), dtype=np.int64)
    for corner in range(3):
        a, b = triangles[which, corner], triangles[which, (corner + 1) % 3]
        rises = (height[a] <= 0) & (height[b] > 0)
        falls = (height[a] > 0) & (height[b] <= 0)
        for side, rows in ((0, rises), (1, falls)):
            share = height[a[rows]] / (height[a[rows]] - height[b[rows]])
            ends[rows, side] = points[a[rows]] + share[:, None] * (
                points[b[rows]] - points[a[rows]]
            )
            keys[rows, side] = np.minimum(a[rows], b[rows]) * np.int64(len(points)) + np.maximum(
                a[rows], b[rows]
            )
    return ends, keys, which


def _of_solid(flat: Floats, keys: np.ndarray) -> tuple[float, Floats, Floats, float] | None:
    """(area, centroid (2,), second moments ∫ r² 1 - r rᵀ about it (2, 2), J) of the closed
    lines."""
    after = {int(start): (int(end), row) for row, (start, end) in enumerate(keys)}
    loops: list[Floats] = []
    while after:
        start, (now, row) = after.popitem()
        line = [flat[row, 0]]
        while now != start and now in after:
            now, row = after.pop(now)
            line.append(flat[row, 0])
        loops.append(np.array(line))
    areas = np.array([_signed(loop) for loop in loops])
    outward = np.sign(areas[int(np.abs(areas).argmax())])
    parts = [[loop] for loop, area in zip(loops, areas) if area * outward > 0]
    for loop, area in zip(loops, areas, strict=True):
        if area * outward < 0:
            holders = [part for part in parts if inside(loop[:1], part[:1])[0]]
            if holders:
                min(holders, key=lambda part: abs(_signed(part[0]))).append(loop)
    try:
        found = cross_section(*mesh_section(parts))
    except (ValueError, IndexError, ArithmeticError, np.linalg.LinAlgError):
        return None
    return found.area, found.centroid, np.diag([found.i_z, found.i_y]), found.torsion


def _signed(loop: Floats) -> float:
    after = np.roll(loop, -1, axis=0)
    return float(0.5 * (loop[:, 0] * after[:, 1] - loop[:, 1] * after[:, 0]).sum())


def _slopes(points: Floats, triangles: np.ndarray, normal: Floats) -> Floats:
    """Sine (k,) of the angle between the plane and the sheet: a slanted sheet is cut thicker."""
    corner = points[triangles]
    across = np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
    across /= np.linalg.norm(across, axis=1, keepdims=True)
    return np.asarray(np.sqrt(np.maximum(1.0 - (across @ normal) ** 2, 1e-6)))


def _of_sheets(
    flat: Floats, thickness: Floats, slope: Floats
) -> tuple[float, Floats, Floats, float]:
    """The same of lines (k, 2, 2) with thickness; J of open sections Σ l t³/3, of one closed
    cell by Bredt as well."""
    step, middle, t = flat[:, 1] - flat[:, 0], flat.mean(axis=1), thickness / slope
    length = np.linalg.norm(step, axis=1)
    area = float((length * t).sum())
    centre = (length * t) @ middle / area
    off = middle - centre
    across = np.stack([-step[:, 1], step[:, 0]], axis=1) / np.maximum(length, 1e-300)[:, None]
    second = np.einsum("k,ki,kj->ij", length * t, off, off) + np.einsum(
        "k,ki,kj->ij", length * t / 12, step, step
    )
    second += np.einsum("k,ki,kj->ij", length * t**3 / 12, across, across)
    return area, centre, np.trace(second) * np.eye(2) - second, _torsion(flat, length, t)


def _torsion(flat: Floats, length: Floats, t: Floats) -> float:
    open_part = float((length * t**3).sum() / 3)
    grid = 1e-6 * float(np.ptp(flat.reshape(-1, 2), axis=0).max())
    _, number = np.unique(
        np.round(flat.reshape(-1, 2) / max(grid, 1e-12)).astype(np.int64),
        axis=0,
        return_inverse=True,
    )
    number = number.reshape(-1, 2)
    degree = np.bincount(number.ravel())
    parts = _pieces(number)
    cells = len(number) - len(degree) + parts
    if cells == 0:
        return open_part
    if cells == 1 and (degree == 2).all():
        # the lines run one way round, as the triangles do, or each by itself: take them round by
        # their ends
        return open_part + 4 * _enclosed(flat, number) ** 2 / float((length / t).sum())
    return float("nan")


def _pieces(number: np.ndarray) -> int:
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    size = int(number.max()) + 1
    return int(
        connected_components(
            coo_matrix((np.ones(len(number)), number.T), shape=(size, size)), directed=False
        )[0]
    )


def _enclosed(flat: Floats, number: np.ndarray) -> float:
    """Area inside one closed line given by its pieces in any order."""
    beside: dict[int, list[tuple[int, Floats]]] = {}
    for (a, b), (one, two) in zip(number.tolist(), flat):
        beside.setdefault(a, []).append((b, two))
        beside.setdefault(b, []).append((a, one))
    start = int(number[0, 0])
    before, now, path = -1, start, []
    while True:
        following = next((item for item in beside[now] if item[0] != before), beside[now][0])
        path.append(following[1])
        before, now = now, following[0]
        if now == start or len(path) > len(number):
            break
    return abs(_signed(np.array(path)))
