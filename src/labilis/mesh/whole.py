"""The mesh of the whole part: tetrahedra of each solid and shells of the sheets, put side by side."""
from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise

import numpy as np

from labilis.mesh.fused import mesh_fused
from labilis.mesh.lines import mesh_lines
from labilis.mesh.mesh import Cells, Ints, Mesh
from labilis.mesh.prism import find_sweep
from labilis.mesh.sheets import mesh_sheets
from labilis.mesh.sweep import sweep_body
from labilis.mesh.tetrahedra import mesh_body
from labilis.shape import BodyShape, PartShape
from labilis.shape.fuse import fuse_solids, touching


def mesh_part(part: PartShape, size: float, order: int = 2, zones: Sequence[tuple[Ints, Ints, float]] = (),
              apart: frozenset[tuple[int, int]] = frozenset(), swept: bool = True) -> Mesh:
    """Mesh all solids, sheets and lines with elements of about `size` mm; `zones` as in `mesh_body`, faces and edges numbered as in
    `part.view`. Solids that are an outline moved along a line are `swept` where no zone touches them; other solids that have faces in
    common share nodes there, and so do lines that touch, unless their bodies are `apart`. The rest is joined by `bonds`."""
    starts = np.cumsum([(0, 0), *((len(shape.faces), len(shape.edges)) for shape in part.components)], axis=0)
    mine = [[_within(zone, start, end) for zone in zones] for start, end in pairwise(starts)]
    local = [[zone for zone in item if len(zone[0]) + len(zone[1])] for item in mine]
    sweeps = [find_sweep(shape) if order == 2 and swept and not zoned else None for shape, zoned in zip(part.solids, local)]
    meshes, done = _fused(part, size, order, local, starts, [number for number, sweep in enumerate(sweeps) if sweep is None], apart)
    for number, shape in enumerate(part.components):
        if number in done:
            continue
        if not isinstance(shape, BodyShape):
            mesh = mesh_lines(shape, size, apart)
        elif number < len(part.solids):
            sweep = sweeps[number]
            mesh = mesh_body(shape, size, order, local[number]) if sweep is None else sweep_body(shape, sweep, size)
            body = part.solid_bodies[number]
            mesh = replace(mesh, cells=tuple(Cells(cell.elements, np.full(len(cell.elements), body)) for cell in mesh.cells))
        else:
            mesh = mesh_sheets(shape, size, local[number])
        meshes.append((mesh, int(starts[number, 0]), int(starts[number, 1])))
    return meshes[0][0] if len(meshes) == 1 else _joined(meshes)


def _within(zone: tuple[Ints, Ints, float], start: Ints, end: Ints) -> tuple[Ints, Ints, float]:
    """The faces and edges of a zone that belong to one component, by its own numbers."""
    faces, edges = (items[(items >= low) & (items < high)] - low for items, low, high in zip(zone[:2], start, end))
    return faces, edges, zone[2]


def _fused(part: PartShape, size: float, order: int, zones: Sequence[Sequence[tuple[Ints, Ints, float]]], starts: Ints, loose: list[int],
           apart: frozenset[tuple[int, int]]) -> tuple[list[tuple[Mesh, int, int]], set[int]]:
    """(meshes of groups of `loose` solids that have faces in common, the solids in them)."""
    solids = [part.solids[number] for number in loose]
    bodies = [part.solid_bodies[number] for number in loose]
    free = frozenset((i, j) for j in range(len(loose)) for i in range(j)
                     if (min(bodies[i], bodies[j]), max(bodies[i], bodies[j])) in apart)
    meshes: list[tuple[Mesh, int, int]] = []
    done: set[int] = set()
    for group in touching(solids, free):
        if any((i, j) in free for j in group for i in group if i < j):
            continue  # a joint within the group is released
        one = fuse_solids([solids[item] for item in group])
        if one is None:
            continue
        numbers = [loose[item] for item in group]
        meshes.append((mesh_fused(one, [solids[item] for item in group], size, order, [zones[number] for number in numbers],
                                  [(int(starts[number, 0]), int(starts[number, 1])) for number in numbers],
                                  [bodies[item] for item in group]), 0, 0))
        done |= set(numbers)
    return meshes, done


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
