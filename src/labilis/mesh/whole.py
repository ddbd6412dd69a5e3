"""The mesh of the whole part: tetrahedra of each solid and shells of the sheets, put side by side."""
from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from labilis.mesh.lines import mesh_lines
from labilis.mesh.mesh import Cells, Ints, Mesh
from labilis.mesh.prism import find_sweep
from labilis.mesh.sheets import mesh_sheets
from labilis.mesh.sweep import sweep_body
from labilis.mesh.tetrahedra import mesh_body
from labilis.shape import BodyShape, PartShape


def mesh_part(part: PartShape, size: float, order: int = 2, zones: Sequence[tuple[Ints, Ints, float]] = (),
              apart: frozenset[tuple[int, int]] = frozenset(), swept: bool = True) -> Mesh:
    """Mesh all solids, sheets and lines with elements of about `size` mm; `zones` as in `mesh_body`, faces and edges numbered as in
    `part.view`. Solids that are an outline moved along a line are `swept` where no zone touches them. Lines that touch share nodes
    unless their bodies are `apart`; other bodies are not joined here, see `bonds`."""
    meshes = []
    face, edge = 0, 0
    for number, shape in enumerate(part.components):
        faces, edges = len(shape.faces), len(shape.edges)
        mine = []
        for zone_faces, zone_edges, zone_size in zones:
            f = zone_faces[(zone_faces >= face) & (zone_faces < face + faces)] - face
            e = zone_edges[(zone_edges >= edge) & (zone_edges < edge + edges)] - edge
            if len(f) or len(e):
                mine.append((f, e, zone_size))
        if not isinstance(shape, BodyShape):
            mesh = mesh_lines(shape, size, apart)
        elif number < len(part.solids):
            sweep = find_sweep(shape) if order == 2 and swept and not mine else None
            mesh = mesh_body(shape, size, order, mine) if sweep is None else sweep_body(shape, sweep, size)
            body = part.solid_bodies[number]
            mesh = replace(mesh, cells=tuple(Cells(cell.elements, np.full(len(cell.elements), body)) for cell in mesh.cells))
        else:
            mesh = mesh_sheets(shape, size, mine)
        meshes.append((mesh, face, edge))
        face, edge = face + faces, edge + edges
    return meshes[0][0] if len(meshes) == 1 else _joined(meshes)


def _joined(meshes: list[tuple[Mesh, int, int]]) -> Mesh:
    starts = np.cumsum([0] + [len(mesh.nodes) for mesh, _, _ in meshes])
    blocks: dict[tuple[bool, int], list[Cells]] = {}
    for (mesh, _, _), start in zip(meshes, starts):
        for cell in mesh.cells:
            blocks.setdefault((cell.shell, cell.elements.shape[1]), []).append(Cells(cell.elements + start, cell.body, cell.thickness))
    cells = tuple(Cells(np.concatenate([cell.elements for cell in same]), np.concatenate([cell.body for cell in same]),
                        np.concatenate([cell.thickness for cell in same if cell.thickness is not None]) if shell else None)
                  for (shell, _), same in blocks.items())
    return Mesh(np.concatenate([mesh.nodes for mesh, _, _ in meshes]), cells,
                _stacked([mesh.triangles for mesh, _, _ in meshes], starts),
                np.concatenate([mesh.triangle_face + face for mesh, face, _ in meshes]),
                _stacked([mesh.segments for mesh, _, _ in meshes], starts),
                np.concatenate([mesh.segment_edge + edge for mesh, _, edge in meshes]),
                sum(mesh.straightened for mesh, _, _ in meshes),
                np.concatenate([mesh.quads + start for (mesh, _, _), start in zip(meshes, starts)]),
                np.concatenate([mesh.quad_face + face for mesh, face, _ in meshes]),
                np.concatenate([_of_quads(mesh, first) for (mesh, _, _), first in zip(
                    meshes, np.cumsum([0] + [len(mesh.quads) for mesh, _, _ in meshes]))]))


def _of_quads(mesh: Mesh, first: int) -> Ints:
    if mesh.of_quad is None:
        return np.full(len(mesh.triangles), -1, dtype=np.int64)
    return np.where(mesh.of_quad >= 0, mesh.of_quad + first, -1)


def _stacked(items: list[Ints], starts: Ints) -> Ints:
    """Rows under each other, node numbers shifted, missing mid-sides as -1."""
    width = max(item.shape[1] for item in items)
    rows = []
    for item, start in zip(items, starts):
        row = np.full((len(item), width), -1, dtype=np.int64)
        row[:, :item.shape[1]] = np.where(item >= 0, item + start, -1)
        rows.append(row)
    return np.concatenate(rows)
