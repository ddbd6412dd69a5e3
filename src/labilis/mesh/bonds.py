"""Where bodies touch without common nodes: nodes of one and the triangles of the other that they are bonded to.

Mid-surfaces of sheets that touch lie apart by half a thickness (an end on a face) or by half of both (face on face); solids
touch with their skins, a sheet's edge or face with a solid's skin.
"""
from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from scipy.spatial import cKDTree

from labilis.mesh.lines import LineJoint, line_joints
from labilis.mesh.mesh import Floats, Ints, Mesh
from labilis.mesh.nearest import closest_weights
from labilis.shape.lines import LineSet

_SLACK = 0.03  # of the distance that the thicknesses ask for
_NONE = np.zeros(0, dtype=np.int64)
_PARALLEL = 0.9  # cosine of normals from which sheets lie face on face


@dataclass(frozen=True)
class Bonds:
    """nodes (k,) bonded; triangle (k,) rows of `Mesh.triangles` they follow; weights (k, 3) of its corners at the nearest point;
    bodies (k, 2): the body of the node and the body it is bonded to; gap (k,) mm between them; missed (m, 2): pairs of
    bodies that touch without one bond, as every node there is bonded to others or carries others; joints: ends of lines on surfaces."""

    nodes: Ints
    triangle: Ints
    weights: Floats
    bodies: Ints
    gap: Floats
    missed: Ints
    joints: tuple[LineJoint, ...] = ()


def find_bonds(mesh: Mesh, apart: frozenset[tuple[int, int]] = frozenset(), lines: LineSet | None = None) -> Bonds:
    """Bonds between all bodies that touch; `apart` are pairs of bodies (lower first) whose joint is released."""
    body, thickness, is_shell = _owners(mesh)
    joints = line_joints(mesh, lines, body, thickness, apart)
    if len(body) < 2:
        return Bonds(_NONE, _NONE, np.zeros((0, 3)), np.zeros((0, 2), dtype=np.int64), np.zeros(0),
                     np.zeros((0, 2), dtype=np.int64), joints)
    triangle_body, triangle_thickness = _triangle_owners(mesh, body, thickness)
    free_edge = _free_edges(mesh)
    normals = _normals(mesh)
    around = mesh.triangles.ravel(), np.repeat(normals, mesh.triangles.shape[1], axis=0)
    around = around[0][around[0] >= 0], around[1][around[0] >= 0]
    tolerance = 1e-5 * float(np.linalg.norm(np.ptp(mesh.nodes, axis=0))) + 1e-6
    corners = mesh.nodes[mesh.triangles[:, :3]]
    boxes = {number: (mesh.nodes[nodes].min(axis=0), mesh.nodes[nodes].max(axis=0)) for number, nodes in body.items()}
    surface = np.unique(mesh.triangles[mesh.triangles >= 0])
    found: list[tuple[float, int, int, Floats, int, int]] = []
    for one in body:
        for two in body:
            if one == two or (min(one, two), max(one, two)) in apart:
                continue
            rows = np.flatnonzero(triangle_body == two)
            reach = 0.5 * (thickness[one] + thickness[two]) * (1 + _SLACK) + tolerance
            low, high = boxes[two][0] - reach, boxes[two][1] + reach
            own = np.intersect1d(body[one], surface)
            near = own[((mesh.nodes[own] >= low) & (mesh.nodes[own] <= high)).all(axis=1)]
            shared = np.intersect1d(body[one], body[two])
            near = near[~np.isin(near, shared)]
            if len(shared) and len(near):  # joined by common nodes there already: beside a fold everything is near
                near = near[cKDTree(mesh.nodes[shared]).query(mesh.nodes[near])[0] > 3.0 * reach]
            if len(near) == 0 or len(rows) == 0:
                continue
            triangle, weights, gap = _nearest(mesh.nodes[near], corners[rows], reach)
            ok = np.isfinite(gap)
            parallel = _beside(around, near, normals[rows[triangle]], len(mesh.nodes)) > _PARALLEL
            if is_shell[one] and is_shell[two]:
                lap = 0.5 * (thickness[one] + triangle_thickness[rows[triangle]])
                # an end on a face; flush with the other's border its own mid-line may lie half a thickness beyond it
                end = 0.5 * np.hypot(triangle_thickness[rows[triangle]], thickness[one])
                fits = np.where(parallel, np.abs(gap - lap) < _SLACK * lap + tolerance,
                                free_edge[near] & (gap < end * (1 + _SLACK) + tolerance))
            elif is_shell[one]:
                half = 0.5 * thickness[one] * (1 + _SLACK) + tolerance
                fits = np.where(parallel, np.abs(gap - 0.5 * thickness[one]) < _SLACK * thickness[one] + tolerance,
                                free_edge[near] & (gap < half))
            elif is_shell[two]:
                half = 0.5 * triangle_thickness[rows[triangle]]
                fits = parallel & (np.abs(gap - half) < 2 * _SLACK * half + tolerance)
            else:
                fits = gap < tolerance
            for k in np.flatnonzero(ok & fits):
                found.append((float(gap[k]), int(near[k]), int(rows[triangle[k]]), weights[k], one, two))
    return replace(_chosen(mesh, found, _finer_first(mesh, triangle_body)), joints=joints)


def _beside(around: tuple[Ints, Floats], nodes: Ints, directions: Floats, count: int) -> Floats:
    """(k,): largest cosine between a direction and the normals of the surface triangles that meet at a node."""
    place = np.full(count, -1, dtype=np.int64)
    place[nodes] = np.arange(len(nodes))
    where = place[around[0]]
    there = where >= 0
    best = np.zeros(len(nodes))
    np.maximum.at(best, where[there], np.abs(np.einsum("ki,ki->k", around[1][there], directions[where[there]])))
    return best


def _finer_first(mesh: Mesh, triangle_body: Ints) -> dict[int, float]:
    """Mean triangle area of each body: the finer one follows the coarser."""
    corners = mesh.nodes[mesh.triangles[:, :3]]
    area = 0.5 * np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    return {int(number): float(area[triangle_body == number].mean()) for number in np.unique(triangle_body)}


def _chosen(mesh: Mesh, found: list[tuple[float, int, int, Floats, int, int]], size: dict[int, float]) -> Bonds:
    """Each node bonded once; a node that carries others is not bonded itself. Between two bodies the finer one follows, or, where
    an end stands on a face, the end."""
    votes: dict[tuple[int, int], int] = {}
    for _, _, _, _, one, two in found:
        votes[one, two] = votes.get((one, two), 0) + 1

    def rank(item: tuple[float, int, int, Floats, int, int]) -> tuple[float, float, float]:
        _, node, _, _, one, two = item
        other = votes.get((two, one), 0)
        follows_better = 0.0 if other == 0 or size[one] < size[two] * (1 - 1e-6) or (
            abs(size[one] - size[two]) <= 1e-6 * size[two] and one > two) else 1.0
        return follows_better, item[0], node
    slaves: set[int] = set()
    masters: set[int] = set()
    kept = []
    for item in sorted(found, key=rank):
        _, node, triangle, _weights, one, two = item
        carriers = {int(k) for k in mesh.triangles[triangle] if k >= 0}
        if node in slaves or node in masters or carriers & slaves:
            continue
        slaves.add(node)
        masters |= carriers
        kept.append(item)
    made = {(min(item[4:6]), max(item[4:6])) for item in kept}
    missed = sorted({(min(item[4:6]), max(item[4:6])) for item in found} - made)
    return Bonds(np.array([item[1] for item in kept], dtype=np.int64), np.array([item[2] for item in kept], dtype=np.int64),
                 np.array([item[3] for item in kept]).reshape(-1, 3), np.array([item[4:6] for item in kept], dtype=np.int64).reshape(-1, 2),
                 np.array([item[0] for item in kept]), np.array(missed, dtype=np.int64).reshape(-1, 2))


def _owners(mesh: Mesh) -> tuple[dict[int, Ints], dict[int, float], dict[int, bool]]:
    """Nodes, mean thickness (0 for solids) and kind of each body."""
    nodes: dict[int, list[Ints]] = {}
    thick: dict[int, float] = {}
    shell: dict[int, bool] = {}
    for cell in mesh.cells:
        for number in np.unique(cell.body) if not cell.line else ():
            rows = cell.body == number
            nodes.setdefault(int(number), []).append(cell.elements[rows].ravel())
            thick[int(number)] = max(thick.get(int(number), 0.0), 0.0 if cell.thickness is None else float(cell.thickness[rows].max()))
            shell[int(number)] = cell.shell
    return {number: np.unique(np.concatenate(parts)) for number, parts in nodes.items()}, thick, shell


def _triangle_owners(mesh: Mesh, body: dict[int, Ints], thickness: dict[int, float]) -> tuple[Ints, Floats]:
    """Body and thickness of each surface triangle."""
    owner = np.full(len(mesh.triangles), -1, dtype=np.int64)
    member = np.zeros(len(mesh.nodes), dtype=bool)
    for number, nodes in body.items():
        member[:] = False
        member[nodes] = True
        inside = member[mesh.triangles[:, :3]].all(axis=1) & (owner < 0)
        owner[inside] = number
    found = np.array([thickness.get(int(number), 0.0) for number in owner])
    return owner, found


def _free_edges(mesh: Mesh) -> np.ndarray:
    """(n,): nodes on sides that belong to one shell only."""
    sides = []
    for cell in mesh.cells:
        if cell.shell:
            sides.append(np.stack([cell.elements, np.roll(cell.elements, -1, axis=1)], axis=2).reshape(-1, 2))
    free = np.zeros(len(mesh.nodes), dtype=bool)
    if sides:
        unique, count = np.unique(np.sort(np.concatenate(sides), axis=1), axis=0, return_counts=True)
        free[unique[count == 1]] = True
    return free


def _normals(mesh: Mesh) -> Floats:
    corners = mesh.nodes[mesh.triangles[:, :3]]
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    return np.asarray(normal / np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-300))


def _nearest(points: Floats, corners: Floats, reach: float) -> tuple[Ints, Floats, Floats]:
    """Nearest triangle (k,), corner weights (k, 3) and distance (k,) of points (k, 3); infinite beyond `reach`."""
    centres = corners.mean(axis=1)
    radius = float(np.linalg.norm(corners - centres[:, None], axis=2).max())
    tree = cKDTree(centres)
    count = min(len(corners), 24)
    away, candidates = tree.query(points, k=count, distance_upper_bound=reach + radius)
    away, candidates = np.atleast_2d(away.T).T.reshape(len(points), count), np.atleast_2d(candidates.T).T.reshape(len(points), count)
    best = np.full(len(points), np.inf)
    triangle, weights = np.zeros(len(points), dtype=np.int64), np.zeros((len(points), 3))
    for column in range(count):
        there = np.flatnonzero(np.isfinite(away[:, column]))
        if len(there) == 0:
            break
        rows = candidates[there, column]
        w = closest_weights(points[there], corners[rows])
        gap = np.linalg.norm(points[there] - np.einsum("kc,kcx->kx", w, corners[rows]), axis=1)
        better = gap < best[there] - 1e-12
        chosen = there[better]
        best[chosen], triangle[chosen], weights[chosen] = gap[better], rows[better], w[better]
    best[best > reach] = np.inf
    return triangle, weights, best
