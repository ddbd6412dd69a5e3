"""The mesh of the whole part: tetrahedra of each solid and shells of the sheets, put side by
side."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from labilis.mesh.extrusion import Sweep, find_sweep
from labilis.mesh.fused import mesh_fused
from labilis.mesh.lines import mesh_lines
from labilis.mesh.mesh import Cells, Ints, Mesh, packed
from labilis.mesh.sheets import mesh_sheets
from labilis.mesh.sweep import sweep_body
from labilis.mesh.tetrahedra import mesh_body
from labilis.model import LabilisError
from labilis.shape import BodyShape, PartShape
from labilis.shape.fuse import fused_groups, touching
from labilis.shape.repeated_bodies import matrix_of, move_between


def mesh_part(
    part: PartShape,
    size: float,
    order: int = 2,
    zones: Sequence[tuple[Ints, Ints, float]] = (),
    apart: frozenset[tuple[int, int]] = frozenset(),
    swept: bool = True,
    coarser: float = 1.0,
    solids: float | None = None,
) -> Mesh:
    """Mesh all solids, sheets and lines with elements of about `size` mm, solids of `solids` mm
    where that is given; `zones` as in `mesh_body`, faces and edges numbered as in `part.view`.
    Solids that have faces
    in common are filled together and share nodes there, and so do lines that touch, unless their
    bodies are `apart`. Other solids that are an outline moved along a line are `swept` where no
    zone touches them. The rest is joined by `bonds`. `coarser` as in `mesh_body`."""
    starts = np.cumsum(
        [(0, 0), *((len(shape.faces), len(shape.edges)) for shape in part.components)], axis=0
    )
    mine = [[_within(zone, start, end) for zone in zones] for start, end in pairwise(starts)]
    local = [[zone for zone in item if len(zone[0]) + len(zone[1])] for item in mine]
    solids = size if solids is None else solids
    meshes, done, alone = _fused(part, solids, order, local, starts, apart, coarser)
    sweeps = [
        find_sweep(shape)
        if order == 2 and swept and not zoned and number not in done | alone
        else None
        for number, (shape, zoned) in enumerate(zip(part.solids, local))
    ]
    # solids that are meshed as they are, for those that are the same elsewhere
    whole: list[tuple[int, Mesh]] = []
    for number, shape in enumerate(part.components):
        if number in done:
            continue
        if number < len(part.solids) and (twin := _twin(part, number, whole, local)) is not None:
            mesh = twin
        elif not isinstance(shape, BodyShape):
            mesh = mesh_lines(shape, size, apart, coarser)
        elif number < len(part.solids):
            sweep = sweeps[number]
            mesh = (
                mesh_body(shape, solids, order, local[number], coarser)
                if sweep is None
                else _swept(shape, sweep, solids, part.bodies[part.solid_bodies[number]], coarser)
            )
        else:
            mesh = mesh_sheets(shape, size, local[number], coarser=coarser)
        if number < len(part.solids):
            whole += [] if local[number] else [(number, mesh)]
            body = part.solid_bodies[number]
            mesh = replace(
                mesh,
                cells=tuple(
                    Cells(cell.elements, np.full(len(cell.elements), body)) for cell in mesh.cells
                ),
            )
        meshes.append((mesh, int(starts[number, 0]), int(starts[number, 1])))
    mesh = meshes[0][0] if len(meshes) == 1 else _joined(meshes)
    return replace(mesh, told=(*mesh.told, NOT_FUSED)) if alone else mesh


def _twin(
    part: PartShape,
    number: int,
    whole: Sequence[tuple[int, Mesh]],
    zones: Sequence[Sequence[object]],
) -> Mesh | None:
    """The mesh of a solid that is one of those meshed `whole` in another place; None where it is
    not, or has a zone."""
    for other, mesh in [] if zones[number] else whole:
        move = move_between(part.solids[other].solid, part.solids[number].solid)
        if move is not None:
            turn, shift = matrix_of(move)
            return replace(mesh, nodes=mesh.nodes @ turn.T + shift)
    return None


NOT_FUSED = (
    "Solids that touch could not be filled with one mesh: each has its own, and they are bonded "
    "where they touch. Look at the "
    "evidence on joints."
)


def _swept(shape: BodyShape, sweep: Sweep, size: float, name: str, coarser: float) -> Mesh:
    """A swept solid; of tetrahedra, which is told, where the sweep comes to nothing."""
    try:
        return sweep_body(shape, sweep, size, coarser)
    except (LabilisError, ValueError, KeyError, IndexError):
        mesh = mesh_body(shape, size, coarser=coarser)
        return replace(
            mesh, told=(*mesh.told, f"{name} could not be swept and is filled with tetrahedra.")
        )


def _within(zone: tuple[Ints, Ints, float], start: Ints, end: Ints) -> tuple[Ints, Ints, float]:
    """The faces and edges of a zone that belong to one component, by its own numbers."""
    faces, edges = (
        items[(items >= low) & (items < high)] - low
        for items, low, high in zip(zone[:2], start, end)
    )
    return faces, edges, zone[2]


def _fused(
    part: PartShape,
    size: float,
    order: int,
    zones: Sequence[Sequence[tuple[Ints, Ints, float]]],
    starts: Ints,
    apart: frozenset[tuple[int, int]],
    coarser: float,
) -> tuple[list[tuple[Mesh, int, int]], set[int], set[int]]:
    """(meshes of groups of solids that have faces in common, the solids in them, those of groups
    that cannot be filled together)."""
    meshes: list[tuple[Mesh, int, int]] = []
    done: set[int] = set()
    alone: set[int] = set()
    for numbers in touching(part.solids):
        for members, one in fused_groups([part.solids[number] for number in numbers]):
            group = [numbers[item] for item in members]
            bodies = [part.solid_bodies[number] for number in group]
            try:
                mesh = mesh_fused(
                    one,
                    [part.solids[number] for number in group],
                    size,
                    order,
                    [zones[number] for number in group],
                    [(int(starts[number, 0]), int(starts[number, 1])) for number in group],
                    bodies,
                    coarser,
                )
            except LabilisError:
                alone |= set(group)
                continue
            inside = sorted((a, b) for a, b in apart if a in bodies and b in bodies)
            edges = {
                part.solid_bodies[number]: (
                    int(starts[number, 1]),
                    int(starts[number, 1]) + len(part.solids[number].view.edges),
                )
                for number in group
            }
            meshes.append((_let_go(mesh, inside, edges), 0, 0))
            done |= set(group)
    return meshes, done, alone


def _let_go(
    mesh: Mesh, pairs: Sequence[tuple[int, int]], edges: Mapping[int, tuple[int, int]]
) -> Mesh:
    """Pairs of bodies in one mesh parted: nodes that only these two share are there twice. `edges`:
    first and last but one of the edges of each body."""
    for one, two in pairs:
        users = {
            int(body): np.unique(
                np.concatenate([cell.elements[cell.body == body].ravel() for cell in mesh.cells])
            )
            for body in np.unique(np.concatenate([cell.body for cell in mesh.cells]))
        }
        others = [nodes for body, nodes in users.items() if body not in (one, two)]
        common = np.setdiff1d(
            np.intersect1d(users[one], users[two]),
            np.concatenate([np.zeros(0, dtype=np.int64), *others]),
        )
        if len(common) == 0:
            continue
        new = np.arange(len(mesh.nodes))
        new[common] = len(mesh.nodes) + np.arange(len(common))
        cells = tuple(
            replace(
                cell,
                elements=np.where((cell.body == two)[:, None], new[cell.elements], cell.elements),
            )
            for cell in mesh.cells
        )
        mine = np.isin(mesh.triangles, users[two]).all(axis=1) & _outside(mesh, two)
        triangles = np.where(
            mine[:, None] & (mesh.triangles >= 0), new[mesh.triangles], mesh.triangles
        )
        low, high = edges[two]
        own = (mesh.segment_edge >= low) & (mesh.segment_edge < high)
        segments = np.where(own[:, None] & (mesh.segments >= 0), new[mesh.segments], mesh.segments)
        mesh = replace(
            mesh,
            nodes=np.concatenate([mesh.nodes, mesh.nodes[common]]),
            cells=cells,
            triangles=triangles,
            segments=segments,
        )
    return mesh


def _outside(mesh: Mesh, body: int) -> NDArray[np.bool_]:
    """(k,): triangles whose inner side is filled by elements of a body."""
    sides = packed(
        np.concatenate(
            [
                cell.elements[cell.body == body][:, corners]
                for cell in mesh.cells
                for corners in ([1, 2, 3], [0, 2, 3], [0, 1, 3], [0, 1, 2])
            ]
        ),
        len(mesh.nodes),
    )
    apex = np.concatenate(
        [cell.elements[cell.body == body][:, k] for cell in mesh.cells for k in range(4)]
    )
    order = np.argsort(sides)
    sides, keys = sides[order], packed(mesh.triangles[:, :3], len(mesh.nodes))
    found = np.zeros(len(keys), dtype=bool)
    corner = mesh.nodes[mesh.triangles[:, :3]]
    normal = np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
    place = np.searchsorted(sides, keys)
    place[place == len(sides)] = 0
    there = sides[place] == keys
    away = mesh.nodes[apex[order][place]] - corner[:, 0]
    found[there] = (np.einsum("ki,ki->k", normal, away) < 0)[there]
    return found


def _joined(meshes: list[tuple[Mesh, int, int]]) -> Mesh:
    starts = np.cumsum([0] + [len(mesh.nodes) for mesh, _, _ in meshes])
    blocks: dict[tuple[bool, int], list[Cells]] = {}
    for (mesh, _, _), start in zip(meshes, starts):
        for cell in mesh.cells:
            blocks.setdefault((cell.shell, cell.elements.shape[1]), []).append(
                Cells(cell.elements + start, cell.body, cell.thickness)
            )
    cells = tuple(
        Cells(
            np.concatenate([cell.elements for cell in same]),
            np.concatenate([cell.body for cell in same]),
            np.concatenate([cell.thickness for cell in same if cell.thickness is not None])
            if shell
            else None,
        )
        for (shell, _), same in blocks.items()
    )
    return Mesh(
        np.concatenate([mesh.nodes for mesh, _, _ in meshes]),
        cells,
        _stacked([mesh.triangles for mesh, _, _ in meshes], starts),
        np.concatenate([mesh.triangle_face + face for mesh, face, _ in meshes]),
        _stacked([mesh.segments for mesh, _, _ in meshes], starts),
        np.concatenate([mesh.segment_edge + edge for mesh, _, edge in meshes]),
        sum(mesh.straightened for mesh, _, _ in meshes),
        np.concatenate([mesh.quads + start for (mesh, _, _), start in zip(meshes, starts)]),
        np.concatenate([mesh.quad_face + face for mesh, face, _ in meshes]),
        np.concatenate(
            [
                _of_quads(mesh, first)
                for (mesh, _, _), first in zip(
                    meshes, np.cumsum([0] + [len(mesh.quads) for mesh, _, _ in meshes])
                )
            ]
        ),
        tuple(dict.fromkeys(text for mesh, _, _ in meshes for text in mesh.told)),
    )


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
        row[:, : item.shape[1]] = np.where(item >= 0, item + start, -1)
        rows.append(row)
    return np.concatenate(rows)
