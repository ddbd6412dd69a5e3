"""Where surfaces touch without common nodes: nodes of one and the triangles of the other that they
are bonded to.

Mid-surfaces of sheets that touch lie apart by half a thickness (an end on a face), by half of both
(face on face) or by half of their difference (where a wall changes its thickness); solids touch
with their skins, a sheet's edge or face with a solid's skin. Ends may stand off by a weld gap. Of
two surfaces the one that is finer there follows, node by node.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from labilis.mesh.lines import LineJoint, line_joints
from labilis.mesh.mesh import Floats, Ints, Mesh
from labilis.mesh.nearest_point import closest_weights
from labilis.mesh.quality import mean_wall
from labilis.shape.strut_axes import LineSet

_SLACK = 0.03  # of the distance that the thicknesses ask for
_NONE = np.zeros(0, dtype=np.int64)
_PARALLEL = 0.9  # cosine of normals from which surfaces lie face on face
# of the thinner wall: the widest gap under an end that still counts as welded, unless another is
# stated
_WELD = 0.5
_BROAD = 3.0  # walls: solids' patches narrower than this are ends, which may stand off
_BESIDE_FOLD = 3.0  # reaches: so near to a common edge everything is near
_FINER = 0.95  # of the other's sides: from here on a surface counts as finer
_LOOK = 3.0  # weld gaps: how far pairs are looked for that are near without being joined


@dataclass(frozen=True)
class Bonds:
    """nodes (k,) bonded; triangle (k,) rows of `Mesh.triangles` they follow; weights (k, 3) of its
    corners at the nearest point; bodies (k, 2): the body of the node and the body it is bonded to;
    gap (k,) mm of open room between them, below nought where they overlap; area (k,) mm² that each
    node stands for; missed (m, 2): pairs of bodies that touch without one bond, as every node there
    is bonded to others or carries others; near (n, 2) pairs of bodies that come near without
    touching, with their gap in near_gap (n,);
    joints: ends of lines on surfaces."""

    nodes: Ints
    triangle: Ints
    weights: Floats
    bodies: Ints
    gap: Floats
    missed: Ints
    joints: tuple[LineJoint, ...] = ()
    area: Floats = field(default_factory=lambda: np.zeros(0))
    near: Ints = field(default_factory=lambda: np.zeros((0, 2), dtype=np.int64))
    near_gap: Floats = field(default_factory=lambda: np.zeros(0))


@dataclass(frozen=True)
class _Candidates:
    """Nodes that fit a triangle: node (k,), triangle (k,), weights (k, 3), one and two (k,) bodies,
    gap and distance (k,) mm, first (k,): whether the node has to follow, as the end of a sheet
    has."""

    node: Ints
    triangle: Ints
    weights: Floats
    one: Ints
    two: Ints
    gap: Floats
    distance: Floats
    first: NDArray[np.bool_]


class _Surfaces:
    """Surfaces of a mesh, measured once for all pairs of bodies."""

    def __init__(self, mesh: Mesh, weld: float | None) -> None:
        self.mesh = mesh
        self.body, self.thickness, self.is_shell = _owners(mesh)
        self.corners = mesh.nodes[mesh.triangles[:, :3]]
        cross = np.cross(
            self.corners[:, 1] - self.corners[:, 0], self.corners[:, 2] - self.corners[:, 0]
        )
        self.area = 0.5 * np.linalg.norm(cross, axis=1)
        self.normal = cross / np.maximum(2 * self.area[:, None], 1e-300)
        self.owner, self.wall_of = _triangle_owners(mesh, self.body, self.thickness)
        count = len(mesh.nodes)
        whole = mesh.triangles
        used = whole >= 0
        self.node_of = whole[used]
        self.row_of = np.repeat(np.arange(len(whole)), used.sum(axis=1))
        share = (self.area / np.maximum(used.sum(axis=1), 1))[self.row_of]
        self.node_area = np.bincount(self.node_of, weights=share, minlength=count)
        side = np.linalg.norm(self.corners - np.roll(self.corners, 1, axis=1), axis=2).mean(axis=1)
        self.side = side
        uses = np.maximum(np.bincount(self.node_of, minlength=count), 1)
        self.node_side = (
            np.bincount(self.node_of, weights=side[self.row_of], minlength=count) / uses
        )
        self.free = _free_edges(mesh)
        self.face_pairs = np.unique(
            np.stack([self.node_of, mesh.triangle_face[self.row_of]], axis=1), axis=0
        )
        self.tolerance = 1e-5 * float(np.linalg.norm(np.ptp(mesh.nodes, axis=0))) + 1e-6
        self.wall = {
            body: self.thickness[body] or _mean_wall(mesh, body, self) for body in self.body
        }
        self.weld = weld

    def gap_allowed(self, one: int, two: int) -> float:
        """Widest gap (mm) under an end between two bodies that counts as welded."""
        return self.usual_gap(one, two) if self.weld is None else self.weld

    def usual_gap(self, one: int, two: int) -> float:
        """Gap (mm) that counts as welded where nothing is stated."""
        return _WELD * min(self.wall[one], self.wall[two])

    def facing(self, nodes: Ints, directions: Floats, body: int) -> Floats:
        """(k,): largest cosine, by size, between a direction and the normals of a body's
        triangles that meet at a node."""
        place = np.full(len(self.mesh.nodes), -1, dtype=np.int64)
        place[nodes] = np.arange(len(nodes))
        rows = self.row_of[self.owner[self.row_of] == body]
        where = place[self.node_of[self.owner[self.row_of] == body]]
        there = where >= 0
        best = np.zeros(len(nodes))
        np.maximum.at(
            best,
            where[there],
            np.abs(np.einsum("ki,ki->k", self.normal[rows[there]], directions[where[there]])),
        )
        return best


def find_bonds(
    mesh: Mesh,
    apart: frozenset[tuple[int, int]] = frozenset(),
    lines: LineSet | None = None,
    weld: float | None = None,
    seams: Mapping[tuple[int, int], Ints] | None = None,
) -> Bonds:
    """Bonds between all bodies that touch, and within a body where its sheets change their
    thickness; `apart` are pairs of bodies (lower first) whose joint is released; `weld` mm: the
    widest gap under an end that counts as joined, half of the thinner wall when None;
    `seams`: of pairs (body with the edges, the other) the only nodes that are joined."""
    seams = seams or {}
    welded = {(min(pair), max(pair)) for pair in seams}
    body, thickness, _ = _owners(mesh)
    joints = line_joints(mesh, lines, body, thickness, apart)
    if not body or len(mesh.triangles) == 0:
        return Bonds(
            _NONE,
            _NONE,
            np.zeros((0, 3)),
            np.zeros((0, 2), dtype=np.int64),
            np.zeros(0),
            np.zeros((0, 2), dtype=np.int64),
            joints,
        )
    surfaces = _Surfaces(mesh, weld)
    found = list(_within_bodies(surfaces))
    near: dict[tuple[int, int], float] = {}
    boxes = {
        number: (mesh.nodes[nodes].min(axis=0), mesh.nodes[nodes].max(axis=0))
        for number, nodes in body.items()
    }
    for one in body:
        for two in body:
            key = min(one, two), max(one, two)
            if one != two and key not in apart and (key not in welded or (one, two) in seams):
                pair, gap = _between(surfaces, one, two, boxes, seams.get((one, two)))
                found += [pair] if pair is not None else []
                near[key] = min(near.get(key, np.inf), gap)
    chosen = _chosen(surfaces, found)
    touching = {
        (int(a), int(b))
        for item in found
        for a, b in zip(np.minimum(item.one, item.two), np.maximum(item.one, item.two))
    }
    beside = {
        key: gap
        for key, gap in near.items()
        if np.isfinite(gap)
        and key not in touching
        and not len(np.intersect1d(body[key[0]], body[key[1]]))
    }
    return replace(
        chosen,
        joints=joints,
        near=np.array(sorted(beside), dtype=np.int64).reshape(-1, 2),
        near_gap=np.array([beside[key] for key in sorted(beside)]),
    )


def _between(
    s: _Surfaces,
    one: int,
    two: int,
    boxes: dict[int, tuple[Floats, Floats]],
    only: Ints | None = None,
) -> tuple[_Candidates | None, float]:
    """(nodes of one body, or those of them that are named, that fit triangles of another; least
    open gap between them where nothing fits, else inf). Nodes that are named have to follow."""
    mesh, allowed = s.mesh, s.gap_allowed(one, two)
    touch = 0.5 * (s.thickness[one] + s.thickness[two]) * (1 + _SLACK) + s.tolerance
    reach = (
        touch + max(allowed, s.usual_gap(one, two)) * _LOOK
    )  # a small stated gap leaves what it does not join to be told
    rows = np.flatnonzero(s.owner == two)
    low, high = boxes[two][0] - reach, boxes[two][1] + reach
    own = np.intersect1d(s.body[one], s.node_of if only is None else only)
    own = own[((mesh.nodes[own] >= low) & (mesh.nodes[own] <= high)).all(axis=1)]
    shared = np.intersect1d(s.body[one], s.body[two])
    own = own[~np.isin(own, shared)]
    if len(shared) and len(
        own
    ):  # joined by common nodes there already: beside a fold everything is near
        own = own[cKDTree(mesh.nodes[shared]).query(mesh.nodes[own])[0] > _BESIDE_FOLD * touch]
    if len(own) == 0 or len(rows) == 0:
        return None, np.inf
    triangle, weights, distance = _nearest(mesh.nodes[own], s.corners[rows], reach)
    there = np.isfinite(distance)
    own, triangle, weights, distance = (
        own[there],
        rows[triangle[there]],
        weights[there],
        distance[there],
    )
    if len(own) == 0:
        return None, np.inf
    fits, gap, first = _fits(s, one, two, own, triangle, distance, allowed)
    first = first | (only is not None)
    if not fits.any():
        return None, float(gap.min())
    k = int(fits.sum())
    return _Candidates(
        own[fits],
        triangle[fits],
        weights[fits],
        np.full(k, one),
        np.full(k, two),
        gap[fits],
        distance[fits],
        first[fits],
    ), np.inf


def _fits(
    s: _Surfaces, one: int, two: int, own: Ints, triangle: Ints, distance: Floats, allowed: float
) -> tuple[NDArray[np.bool_], Floats, NDArray[np.bool_]]:
    """(whether each node touches its triangle, the open gap mm, whether it has to follow)."""
    t1, t2 = s.thickness[one], s.wall_of[triangle]
    parallel = s.facing(own, s.normal[triangle], one) > _PARALLEL
    free = s.free[own]
    tolerance = s.tolerance
    if s.is_shell[one] and s.is_shell[two]:
        lap = 0.5 * (t1 + t2)
        end = 0.5 * np.hypot(
            t2, t1
        )  # flush with the other's border its own mid-line may lie half a thickness beyond it
        flat = np.abs(distance - lap) < _SLACK * lap + tolerance
        stepped = free & (distance < lap)
        ends = free & (distance < end * (1 + _SLACK) + tolerance + allowed)
        return (
            np.where(parallel, flat | stepped, ends),
            np.where(parallel, distance - lap, distance - 0.5 * t2),
            free,
        )
    if s.is_shell[one]:
        half = 0.5 * t1
        flat = np.abs(distance - half) < 2 * _SLACK * half + tolerance
        ends = free & (distance < half * (1 + _SLACK) + tolerance + allowed)
        return np.where(parallel, flat, ends), np.where(parallel, distance - half, distance), free
    if s.is_shell[two]:
        lap = 0.5 * t2
        narrow = _narrow(s, own, one)
        fits = parallel & (
            np.abs(distance - lap) < 2 * _SLACK * lap + tolerance + np.where(narrow, allowed, 0.0)
        )
        return fits, distance - lap, narrow
    step = s.mesh.nodes[own] - s.mesh.nodes[s.mesh.triangles[triangle, 0]]
    open_gap = np.where(parallel, np.einsum("ki,ki->k", step, s.normal[triangle]), distance)
    narrow = _narrow(s, own, one) | _narrow_face(s, triangle, two)
    return (
        (distance < tolerance) | (parallel & narrow & (distance < allowed + tolerance)),
        open_gap,
        np.zeros(len(own), dtype=bool),
    )


def _narrow(s: _Surfaces, nodes: Ints, body: int) -> NDArray[np.bool_]:
    """Whether nodes lie on a face that is narrow beside the body's wall: an end."""
    faces = _narrow_faces(s, body)
    rows = s.face_pairs[np.isin(s.face_pairs[:, 1], faces), 0]
    return np.isin(nodes, rows)


def _narrow_face(s: _Surfaces, triangle: Ints, body: int) -> NDArray[np.bool_]:
    return np.isin(s.mesh.triangle_face[triangle], _narrow_faces(s, body))


def _narrow_faces(s: _Surfaces, body: int) -> Ints:
    """Faces of a body that are at most a few walls wide."""
    rows = np.flatnonzero(s.owner == body)
    faces, inverse = np.unique(s.mesh.triangle_face[rows], return_inverse=True)
    area = np.bincount(inverse, weights=s.area[rows])
    middle = s.corners[rows].mean(axis=1)
    centre = np.stack(
        [
            np.bincount(inverse, weights=s.area[rows] * middle[:, k]) / np.maximum(area, 1e-300)
            for k in range(3)
        ],
        axis=1,
    )
    far = np.zeros(len(faces))
    np.maximum.at(
        far, inverse, np.linalg.norm(s.corners[rows] - centre[inverse][:, None], axis=2).max(axis=1)
    )
    return faces[area / np.maximum(2 * far, 1e-300) < _BROAD * s.wall[body]]


def _within_bodies(s: _Surfaces) -> Iterator[_Candidates]:
    """Free edges of a body's sheets on other sheets of it that they share no edge with nearby:
    where its thickness changes."""
    mesh = s.mesh
    for body in s.body:
        if not s.is_shell[body]:
            continue
        rows = np.flatnonzero(s.owner == body)
        faces = np.unique(mesh.triangle_face[rows])
        nodes_of = {
            int(face): np.unique(mesh.triangles[rows[mesh.triangle_face[rows] == face], :3])
            for face in faces
        }
        boxes = {
            face: (mesh.nodes[nodes].min(axis=0), mesh.nodes[nodes].max(axis=0))
            for face, nodes in nodes_of.items()
        }
        reach = s.thickness[body] * (1 + _SLACK) + s.tolerance
        for face, nodes in nodes_of.items():
            edge = nodes[s.free[nodes]]
            for other in nodes_of:
                low, high = boxes[other][0] - reach, boxes[other][1] + reach
                near = (
                    edge[((mesh.nodes[edge] >= low) & (mesh.nodes[edge] <= high)).all(axis=1)]
                    if other != face
                    else _NONE
                )
                near = near[~np.isin(near, nodes_of[other])]
                common = np.intersect1d(nodes, nodes_of[other])
                if len(common) and len(near):
                    near = near[
                        cKDTree(mesh.nodes[common]).query(mesh.nodes[near])[0]
                        > _BESIDE_FOLD * reach
                    ]
                if len(near) == 0:
                    continue
                yield from _stepped(
                    s,
                    body,
                    near,
                    rows[mesh.triangle_face[rows] == face],
                    rows[mesh.triangle_face[rows] == other],
                    reach,
                )


def _stepped(
    s: _Surfaces, body: int, near: Ints, mine: Ints, others: Ints, reach: float
) -> Iterator[_Candidates]:
    triangle, weights, distance = _nearest(s.mesh.nodes[near], s.corners[others], reach)
    there = np.isfinite(distance)
    near, triangle, weights, distance = (
        near[there],
        others[triangle[there]],
        weights[there],
        distance[there],
    )
    if len(near) == 0:
        return
    # half of both together at most: then their material still meets
    fits = (
        distance
        < 0.5 * (s.wall_of[triangle] + float(s.wall_of[mine].mean())) * (1 + _SLACK) + s.tolerance
    )
    if fits.any():
        k = int(fits.sum())
        yield _Candidates(
            near[fits],
            triangle[fits],
            weights[fits],
            np.full(k, body),
            np.full(k, body),
            np.zeros(k),
            distance[fits],
            np.ones(k, dtype=bool),
        )


def _chosen(s: _Surfaces, found: list[_Candidates]) -> Bonds:
    """Each node bonded once; a node that carries others is not bonded itself. What has to follow
    comes first, then what is finer there."""
    if not found:
        return Bonds(
            _NONE,
            _NONE,
            np.zeros((0, 3)),
            np.zeros((0, 2), dtype=np.int64),
            np.zeros(0),
            np.zeros((0, 2), dtype=np.int64),
        )
    all_of = {
        name: np.concatenate([getattr(item, name) for item in found])
        for name in _Candidates.__dataclass_fields__
    }
    node, triangle, one, two = all_of["node"], all_of["triangle"], all_of["one"], all_of["two"]
    ratio = s.node_side[node] / np.maximum(s.side[triangle], 1e-300)
    finer = (ratio < _FINER) | ((ratio < 1 / _FINER) & (one > two))
    order = np.lexsort((node, all_of["distance"], ~finer, ~all_of["first"]))
    slaves, masters = (
        np.zeros(len(s.mesh.nodes), dtype=bool),
        np.zeros(len(s.mesh.nodes), dtype=bool),
    )
    kept = []
    for k in order:
        carriers = s.mesh.triangles[triangle[k]]
        carriers = carriers[carriers >= 0]
        if (
            slaves[node[k]]
            or masters[node[k]]
            or slaves[carriers].any()
            or (carriers == node[k]).any()
        ):
            continue
        slaves[node[k]] = True
        masters[carriers] = True
        kept.append(k)
    rows = np.array(kept, dtype=np.int64)
    made = {(min(a, b), max(a, b)) for a, b in zip(one[rows], two[rows])}
    missed = sorted({(int(min(a, b)), int(max(a, b))) for a, b in zip(one, two)} - made)
    return Bonds(
        node[rows],
        triangle[rows],
        all_of["weights"][rows],
        np.stack([one[rows], two[rows]], axis=1),
        all_of["gap"][rows],
        np.array(missed, dtype=np.int64).reshape(-1, 2),
        area=_stands_for(s, node[rows], one[rows]),
    )


def _stands_for(s: _Surfaces, nodes: Ints, bodies: Ints) -> Floats:
    """Area (mm²) that each bonded node stands for: of the edge of a sheet its length there times
    the thickness."""
    sheet = np.array([s.is_shell[int(body)] for body in bodies], dtype=bool) & s.free[nodes]
    thick = np.array([s.thickness[int(body)] for body in bodies])
    return np.where(sheet, s.node_side[nodes] * thick, s.node_area[nodes])


def _owners(mesh: Mesh) -> tuple[dict[int, Ints], dict[int, float], dict[int, bool]]:
    """Nodes, greatest thickness (0 for solids) and kind of each body."""
    nodes: dict[int, list[Ints]] = {}
    thick: dict[int, float] = {}
    shell: dict[int, bool] = {}
    for cell in mesh.cells:
        for number in np.unique(cell.body) if not cell.line else ():
            rows = cell.body == number
            nodes.setdefault(int(number), []).append(cell.elements[rows].ravel())
            thick[int(number)] = max(
                thick.get(int(number), 0.0),
                0.0 if cell.thickness is None else float(cell.thickness[rows].max()),
            )
            shell[int(number)] = cell.shell
    return (
        {number: np.unique(np.concatenate(parts)) for number, parts in nodes.items()},
        thick,
        shell,
    )


def _mean_wall(mesh: Mesh, body: int, s: _Surfaces) -> float:
    return mean_wall(s.corners[s.owner == body], mesh.nodes[s.body[body]].mean(axis=0))


def _triangle_owners(
    mesh: Mesh, body: dict[int, Ints], thickness: dict[int, float]
) -> tuple[Ints, Floats]:
    """Body and thickness of each surface triangle; of sheets their own where elements tell."""
    owner = np.full(len(mesh.triangles), -1, dtype=np.int64)
    member = np.zeros(len(mesh.nodes), dtype=bool)
    for number, nodes in body.items():
        member[:] = False
        member[nodes] = True
        inside = member[mesh.triangles[:, :3]].all(axis=1) & (owner < 0)
        owner[inside] = number
    found = np.array([thickness.get(int(number), 0.0) for number in owner])
    thinnest = np.full(len(mesh.nodes), np.inf)
    for cell in mesh.cells:
        if cell.thickness is not None:
            np.minimum.at(
                thinnest, cell.elements.ravel(), np.repeat(cell.thickness, cell.elements.shape[1])
            )
    own = thinnest[mesh.triangles[:, :3]].max(axis=1)
    return owner, np.where((found > 0) & np.isfinite(own), np.minimum(own, found), found)


def _free_edges(mesh: Mesh) -> NDArray[np.bool_]:
    """(n,): nodes on sides that belong to one shell only."""
    sides = []
    for cell in mesh.cells:
        if cell.shell:
            sides.append(
                np.stack([cell.elements, np.roll(cell.elements, -1, axis=1)], axis=2).reshape(-1, 2)
            )
    free = np.zeros(len(mesh.nodes), dtype=bool)
    if sides:
        unique, count = np.unique(
            np.sort(np.concatenate(sides), axis=1), axis=0, return_counts=True
        )
        free[unique[count == 1]] = True
    return free


def _nearest(points: Floats, corners: Floats, reach: float) -> tuple[Ints, Floats, Floats]:
    """Nearest triangle (k,), corner weights (k, 3) and distance (k,) of points (k, 3); infinite
    beyond `reach`."""
    centres = corners.mean(axis=1)
    radius = float(np.linalg.norm(corners - centres[:, None], axis=2).max())
    tree = cKDTree(centres)
    count = min(len(corners), 24)
    away, candidates = tree.query(points, k=count, distance_upper_bound=reach + radius)
    away, candidates = (
        np.atleast_2d(away.T).T.reshape(len(points), count),
        np.atleast_2d(candidates.T).T.reshape(len(points), count),
    )
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
