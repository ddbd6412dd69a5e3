"""One conforming mesh of several solids that touch: tetrahedra that share nodes across the faces
in common."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from labilis.mesh.estimate import chord_angle
from labilis.mesh.mesh import Cells, Ints, Mesh, packed
from labilis.mesh.tetrahedra import (
    ANOTHER_WAY,
    fill,
    mesh_kept,
    onto_surface,
    outward,
    refine_surface,
    second_order,
    segments_of,
    zone_points,
)
from labilis.model import LabilisError
from labilis.shape import BodyShape
from labilis.shape.fuse import FusedSolids

_FACES = np.array([[1, 2, 3], [0, 2, 3], [0, 1, 3], [0, 1, 2]])
_TURNED = [0, 2, 1, 5, 4, 3]  # corners and mid-sides of a triangle seen from behind


def mesh_fused(
    fused: FusedSolids,
    solids: Sequence[BodyShape],
    size: float,
    order: int,
    zones: Sequence[Sequence[tuple[Ints, Ints, float]]],
    starts: Sequence[tuple[int, int]],
    bodies: Sequence[int],
    coarser: float = 1.0,
) -> Mesh:
    """Tetrahedra of about `size` mm in solids fused into one. For each solid: `zones` as in
    `mesh_body`, `starts`: what its first face and first edge are called in the mesh, and its number
    in `bodies`; `coarser` as in `mesh_body`.

    Raises LabilisError if the room cannot be filled.
    """
    smallest = min([size, *(zone[2] for mine in zones for zone in mine)])
    reach = max(solid.view.size for solid in solids)
    around = [
        item for solid, mine in zip(solids, zones) if mine for item in zone_points(solid, mine)
    ]
    kept = mesh_kept(fused.body, reach, size, order, around, coarser)
    if kept is not None:
        corners = kept.elements[:, :4]
        owner = _owners(corners, kept.triangles[:, :3], kept.triangle_face, fused)
        return _told_apart(
            replace(kept, cells=(Cells(kept.elements, owner),)), owner, fused, starts, bodies
        )
    angle = min(chord_angle(solid.view, smallest) for solid in solids)
    surface = fused.body.tessellate(max(smallest / 20.0, reach * 1e-5), angle)
    nodes, tets, triangles, face = fill(surface.points, surface.triangles, surface.face, size)
    if around:
        nodes, triangles, face = refine_surface(nodes, triangles, face, size, around)
        nodes, tets, triangles, face = fill(nodes, triangles, face, size)
    owner = _owners(tets, triangles, face, fused)
    segments, edge = segments_of(triangles, face, nodes, fused.body, surface, fused.beside)
    nodes = onto_surface(fused.body, nodes, tets, triangles, face, segments, edge)
    mesh = Mesh(nodes, (Cells(tets, owner),), triangles, face, segments, edge, told=(ANOTHER_WAY,))
    if order == 2:
        mesh = second_order(fused.body, mesh)
    return _told_apart(mesh, owner, fused, starts, bodies)


def _owners(tets: Ints, triangles: Ints, face: Ints, fused: FusedSolids) -> Ints:
    """Solid (m,) that each tetrahedron is in: faces of the shape part the room, and the faces
    round a part tell whose it is."""
    stride = int(max(tets.max(), triangles.max())) + 1
    cell = np.repeat(np.arange(len(tets)), 4)
    unique, inverse = np.unique(packed(tets[:, _FACES].reshape(-1, 3), stride), return_inverse=True)
    walls = np.full(len(unique), -1, dtype=np.int64)
    walls[np.searchsorted(unique, packed(triangles, stride))] = face
    wall = walls[inverse]
    order = np.argsort(inverse, kind="stable")
    pair = inverse[order][:-1] == inverse[order][1:]
    one, two = cell[order][:-1][pair], cell[order][1:][pair]
    open_side = wall[order][:-1][pair] < 0
    links = coo_matrix(
        (np.ones(int(open_side.sum())), (one[open_side], two[open_side])), shape=(len(tets),) * 2
    )
    count, part = connected_components(links, directed=False)
    solids = [
        set(fused.face_of[fused.face_of[:, 1] == which, 0].tolist())
        for which in range(int(fused.face_of[:, 1].max()) + 1)
    ]
    found = np.full(count, -1, dtype=np.int64)
    for number in range(count):
        walls_here = set(wall[(part[cell] == number) & (wall >= 0)].tolist())
        fits = [which for which, faces in enumerate(solids) if walls_here <= faces]
        if not fits:
            raise LabilisError(
                "The solids that touch cannot be filled with one mesh.",
                "mesh",
                "Try another element size, or sweep them.",
                "mesh-failed",
            )
        found[number] = min(
            fits, key=lambda which: len(solids[which])
        )  # a core's faces are all faces of what is round it as well
    return found[part]


def _told_apart(
    mesh: Mesh,
    owner: Ints,
    fused: FusedSolids,
    starts: Sequence[tuple[int, int]],
    bodies: Sequence[int],
) -> Mesh:
    """The mesh with faces and edges called as those of the solids: triangles that two share are
    there for both, each turned outward."""
    triangles, face, segments, edge = [], [], [], []
    tets = mesh.elements
    for which, (first_face, first_edge) in enumerate(starts):
        mine = fused.face_of[fused.face_of[:, 1] == which]
        calls = np.full(int(fused.face_of[:, 0].max()) + 1, -1, dtype=np.int64)
        calls[mine[:, 0]] = mine[:, 2] + first_face
        rows = calls[mesh.triangle_face] >= 0
        own = mesh.triangles[rows]
        turned, _ = outward(
            mesh.nodes, tets[owner == which], own[:, :3], calls[mesh.triangle_face[rows]]
        )
        back = (turned != own[:, :3]).any(axis=1)
        own = np.where(back[:, None], own[:, _TURNED[: own.shape[1]]], own)
        triangles.append(own)
        face.append(calls[mesh.triangle_face[rows]])
        for fused_edge, _, row in fused.edge_of[fused.edge_of[:, 1] == which]:
            here = mesh.segment_edge == fused_edge
            segments.append(mesh.segments[here])
            edge.append(np.full(int(here.sum()), row + first_edge))
    cells = (Cells(tets, np.asarray(bodies, dtype=np.int64)[owner]),)
    return Mesh(
        mesh.nodes,
        cells,
        np.concatenate(triangles),
        np.concatenate(face),
        np.concatenate(segments),
        np.concatenate(edge),
        mesh.straightened,
        told=mesh.told,
    )
