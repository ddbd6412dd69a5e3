"""Where a stress is a peak of the idealisation: within a wall of what is held or rigid, of an edge
that is loaded, of a re-entrant corner.

There the stress of linear elasticity grows without bound as elements become smaller; a real part
yields a little and goes on. What the wall beside it carries is judged instead.

So it does along the border of where pieces are bonded, which is a weld's toe: there first yield
counts as such, and what the sections carry (EN 1993-1-1, 6.3.4) is read a wall farther on.
"""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from labilis.analysis.constraints import Tied
from labilis.analysis.regions import Floats, Ints, match_region
from labilis.mesh import Bonds, Mesh
from labilis.mesh.quality import mean_wall
from labilis.model import LabilisError, LineLoad, MomentLoad, Project, SymmetryAxes
from labilis.shape import ShapeView

# times half a turn: angle of a sheet's border from which its corner is re-entrant; a hole of 16
# sides has 1.13
_CORNER = 1.25
# cosine of 50°: neighbours that turn inward by more are a notch; fillets have at most 45° per
# element
_NOTCH = 0.64
_MOST = 0.9  # of a piece's nodes: where more would be set aside, none are


def find_peaks(project: Project, view: ShapeView, mesh: Mesh, tied: Tied) -> tuple[Ints, list[str]]:
    """((n,): which source each node of the mesh is near to, -1 for none; what the sources are in
    words)."""
    words: list[str] = []
    wall, found = node_walls(mesh), np.full(len(mesh.nodes), -1, dtype=np.int64)
    for what, nodes in _sources(project, view, mesh, tied):
        if len(nodes):
            distance, _ = cKDTree(mesh.nodes[nodes]).query(mesh.nodes)
            found[(found < 0) & (distance <= wall * (1 + 1e-6))] = len(words)
            words.append(what)
    return found, words


def near_joints(mesh: Mesh, bonds: Bonds | None) -> NDArray[np.bool_]:
    """(n,): whether a node is within a wall of the border of where two pieces are bonded, or of
    where that lies on the other piece."""
    if bonds is None or len(bonds.nodes) == 0:
        return np.zeros(len(mesh.nodes), dtype=bool)
    corners = mesh.triangles[:, :3]
    bonded = np.zeros(len(mesh.nodes), dtype=bool)
    bonded[bonds.nodes] = True
    inside = bonded[corners]
    ends = np.zeros(len(mesh.nodes), dtype=bool)
    ends[corners[inside.any(axis=1) & ~inside.all(axis=1)].ravel()] = True
    # a doubler that is bonded all over ends where its own border is
    whole = corners[inside.all(axis=1)]
    sides, times = np.unique(
        np.sort(np.concatenate([whole[:, [k, m]] for k, m in pairwise((0, 1, 2, 0))]), axis=1),
        axis=0,
        return_counts=True,
    )
    ends[sides[times == 1].ravel()] = True
    rows = ends[bonds.nodes]
    there = mesh.nodes[corners[bonds.triangle[rows]]]
    places = np.concatenate(
        [mesh.nodes[bonds.nodes[rows]], np.einsum("kc,kcx->kx", bonds.weights[rows], there)]
    )
    if len(places) == 0:
        return np.zeros(len(mesh.nodes), dtype=bool)
    distance, _ = cKDTree(places).query(mesh.nodes)
    return np.asarray(distance <= node_walls(mesh) * (1 + 1e-6))


def spared(near: Ints, nodes: Ints) -> Ints:
    """Of a piece's nodes those that are at no peak; all of them where hardly any would be left."""
    kept = nodes[near[nodes] < 0]
    return kept if len(kept) > (1.0 - _MOST) * len(nodes) else nodes


def node_walls(mesh: Mesh) -> Floats:
    """(n,) mm: thickness of the shells at a node, twice the volume over the skin of its solid,
    noughts on lines."""
    found = np.zeros(len(mesh.nodes))
    for cell in mesh.cells:
        if cell.thickness is not None:
            np.maximum.at(
                found, cell.elements.ravel(), np.repeat(cell.thickness, cell.elements.shape[1])
            )
        elif not cell.line:
            for body in np.unique(cell.body):
                elements = cell.elements[cell.body == body]
                nodes = np.unique(elements)
                inside = np.zeros(len(mesh.nodes), dtype=bool)
                inside[nodes] = True
                corners = mesh.nodes[mesh.triangles[inside[mesh.triangles[:, :3]].all(axis=1), :3]]
                found[nodes] = np.maximum(
                    found[nodes], mean_wall(corners, mesh.nodes[nodes].mean(axis=0))
                )
    return found


def _sources(project: Project, view: ShapeView, mesh: Mesh, tied: Tied) -> list[tuple[str, Ints]]:
    """(words, nodes of the mesh) of each; what is held across in two ways or more, as a plane of
    symmetry disturbs nothing."""
    count, hubs = len(mesh.nodes), {hub.name for hub in project.hubs}
    found: list[tuple[str, Ints]] = []
    for number, support in enumerate(project.supports):
        if isinstance(support.axes, SymmetryAxes) or support.on in hubs:
            continue
        nodes = [
            item.nodes
            for item in tied.held
            if item.owner == number and not item.turns and item.directions.shape[1] > 1
        ]
        found.append(
            (
                f"where '{support.on}' is held",
                np.unique(np.concatenate([np.zeros(0, dtype=np.int64), *nodes])),
            )
        )
    for name, hub in zip(tied.hub_names, tied.hubs):
        bolt, _, region = name.partition("\n")
        found.append(
            (
                f"the rim '{region}' of bolt '{bolt}'" if region else f"the rim of hub '{name}'",
                hub.nodes[hub.nodes < count],
            )
        )
    for load in project.loads:
        if hasattr(load, "on") and not isinstance(load, MomentLoad) and load.on not in hubs:
            try:
                match = match_region(project.named("regions", load.on), view)
            except LabilisError:
                continue
            solid = [edge for edge in match.edges if _of_a_solid(view, int(edge))]
            if solid and not isinstance(load, LineLoad):
                found.append(
                    (f"the loaded edge '{load.on}'", np.unique(mesh.edge_segments(np.array(solid))))
                )
    return [*found, ("a re-entrant corner", np.union1d(_notches(mesh), _corners(mesh, view)))]


def _of_a_solid(view: ShapeView, edge: int) -> bool:
    """Whether an edge lies between faces of a solid, which it has two of; not of sheets or
    lines."""
    faces = view.edges.faces[edge][view.edges.faces[edge] >= 0]
    return len(faces) > 0 and not (view.faces.thickness[faces] > 0).any()


def _notches(mesh: Mesh) -> Ints:
    """Nodes on sides where the skin of solids turns inward sharply."""
    triangles = mesh.triangles[_of_solids(mesh)][:, :3]
    _, which, times = np.unique(
        np.sort(triangles, axis=1), axis=0, return_inverse=True, return_counts=True
    )
    # between two solids in one mesh there is no skin
    triangles = triangles[times[which.ravel()] == 1]
    if len(triangles) == 0:
        return np.zeros(0, dtype=np.int64)
    corners = mesh.nodes[triangles]
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normal = normal / np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-300)
    middle = corners.mean(axis=1)
    sides = np.sort(
        np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]), axis=1
    )
    owner = np.tile(np.arange(len(triangles)), 3)
    order = np.lexsort((sides[:, 1], sides[:, 0]))
    sides, owner = sides[order], owner[order]
    pair = (sides[:-1] == sides[1:]).all(axis=1)
    one, two, side = owner[:-1][pair], owner[1:][pair], sides[:-1][pair]
    inward = np.einsum("ki,ki->k", middle[two] - middle[one], normal[one]) > 0
    return np.unique(side[inward & (np.einsum("ki,ki->k", normal[one], normal[two]) < _NOTCH)])


def _corners(mesh: Mesh, view: ShapeView) -> Ints:
    """Nodes on the free border of a sheet where it takes up clearly more than half a turn, and
    ends before a whole one."""
    rows = np.isin(mesh.triangle_face, np.flatnonzero(view.sheet))
    triangles = mesh.triangles[rows][:, :3]
    if len(triangles) == 0:
        return np.zeros(0, dtype=np.int64)
    angle = np.zeros(len(mesh.nodes))
    for a, b, c in ((0, 1, 2), (1, 2, 0), (2, 0, 1)):
        one, two = (mesh.nodes[triangles[:, k]] - mesh.nodes[triangles[:, a]] for k in (b, c))
        cosine = np.einsum("ki,ki->k", one, two) / np.maximum(
            np.linalg.norm(one, axis=1) * np.linalg.norm(two, axis=1), 1e-300
        )
        np.add.at(angle, triangles[:, a], np.arccos(np.clip(cosine, -1.0, 1.0)))
    sides = np.sort(
        np.concatenate([triangles[:, [k, m]] for k, m in pairwise((0, 1, 2, 0))]), axis=1
    )
    unique, times = np.unique(sides, axis=0, return_counts=True)
    border = np.unique(unique[times == 1])
    return border[angle[border] > _CORNER * np.pi]


def _of_solids(mesh: Mesh) -> NDArray[np.bool_]:
    inside = np.zeros(len(mesh.nodes), dtype=bool)
    for cell in mesh.cells:
        if not cell.shell and not cell.line:
            inside[cell.elements.ravel()] = True
    return np.asarray(inside[mesh.triangles[:, :3]].all(axis=1))
