"""Elements of a mesh with the materials of their pieces, and what hangs together."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from labilis.analysis.constraints import Tied, find_free
from labilis.analysis.materials import material_of
from labilis.analysis.regions import Floats
from labilis.analysis.unknowns import Numbering
from labilis.mechanics.blocks import ElementBlock, ShellBlock, SolidBlock
from labilis.mechanics.cross_section import CrossSection, cross_section
from labilis.mechanics.line_block import LineBlock
from labilis.mechanics.shell import smoothed
from labilis.mesh import Cells, Mesh, mesh_section
from labilis.mesh.mesh import packed
from labilis.model import LabilisError, Material, Project
from labilis.shape import PartShape

Ints = NDArray[np.int64]
# rad between neighbouring shells over which directors are not averaged: bends have up to 30° per
# element
_FOLD = 0.56


def _directors(part: PartShape, mesh: Mesh) -> dict[int, Floats]:
    """Triads (m, k, 3, 3) of each block of shells by its number."""
    shells = {number: cell.elements for number, cell in enumerate(mesh.cells) if cell.shell}
    if not shells:
        return {}
    places = [mesh.nodes[elements] for elements in shells.values()]
    planes = [_plane_of(part, mesh, elements) for elements in shells.values()]
    return dict(zip(shells, smoothed(places, list(shells.values()), _FOLD, planes)))


def _plane_of(part: PartShape, mesh: Mesh, elements: Ints) -> Ints:
    """(m,) the plane face that each shell lies on, -1 for none: that of one of the triangles that a
    quadrilateral is cut into."""
    stride, faces = len(mesh.nodes), part.view.faces
    keys = packed(mesh.triangles[:, :3], stride)
    order = np.argsort(keys)
    keys, face = keys[order], mesh.triangle_face[order]
    found = np.full(len(elements), -1, dtype=np.int64)
    ways = [[0, 1, 2]] if elements.shape[1] == 3 else [[0, 1, 2], [0, 2, 3], [0, 1, 3], [1, 2, 3]]
    for way in ways if len(keys) else []:
        wanted = packed(elements[:, way], stride)
        at = np.minimum(np.searchsorted(keys, wanted), len(keys) - 1)
        there = (keys[at] == wanted) & (found < 0)
        found[there] = face[at[there]]
    plane = np.zeros(len(found), dtype=bool)
    plane[found >= 0] = faces.kind[found[found >= 0]] == "plane"
    return np.where(plane, found, -1)


def make_blocks(
    project: Project, part: PartShape, mesh: Mesh, numbering: Numbering
) -> tuple[tuple[ElementBlock, ...], tuple[Ints, ...]]:
    """(blocks of elements of one kind and material, body of each of their elements)."""
    materials = {piece.name: material_of(project, piece.name) for piece in project.active_pieces}
    names = np.array([materials[piece].name for piece in part.pieces])
    blocks: list[ElementBlock] = []
    bodies: list[Ints] = []
    directors = _directors(part, mesh)
    for number, cell in enumerate(mesh.cells):
        if cell.line:
            _add_lines(
                project, part, mesh, numbering, numbering.warp_of[number], cell, blocks, bodies
            )  # in the order of `element_order`
            continue
        triads = directors.get(number)
        for name in np.unique(names[cell.body]):
            rows = np.flatnonzero(names[cell.body] == name)
            material: Material = project.named("materials", str(name))
            modulus, ratio, density = _elastic(project, material)
            if cell.thickness is not None and triads is not None:
                blocks.append(
                    ShellBlock(
                        mesh.nodes,
                        cell.elements[rows],
                        numbering.turn_of,
                        cell.thickness[rows],
                        triads[rows],
                        modulus,
                        ratio,
                        density,
                    )
                )
            else:
                blocks.append(SolidBlock(mesh.nodes, cell.elements[rows], modulus, ratio, density))
            bodies.append(cell.body[rows])
    return tuple(blocks), tuple(bodies)


def element_order(project: Project, pieces: tuple[str, ...], mesh: Mesh) -> Ints:
    """(m,): number in the mesh of each element as the blocks of `make_blocks` have them one
    after the other."""
    names = np.array([project.named("pieces", piece).material for piece in pieces])
    found, start = [], 0
    for cell in mesh.cells:
        groups = cell.body if cell.line else np.unique(names[cell.body], return_inverse=True)[1]
        found += [start + np.flatnonzero(groups == group) for group in np.unique(groups)]
        start += len(cell.elements)
    return np.concatenate(found)


def _elastic(project: Project, material: Material) -> tuple[float, float, float]:
    """(Young's modulus MPa, Poisson's ratio, density t/mm³ or 0)."""
    return (
        project.number(material, "youngs_modulus"),
        project.number(material, "poisson_ratio"),
        0.0 if material.density is None else project.number(material, "density"),
    )


def _add_lines(
    project: Project,
    part: PartShape,
    mesh: Mesh,
    numbering: Numbering,
    warp_of: Ints,
    cell: Cells,
    blocks: list[ElementBlock],
    bodies: list[Ints],
) -> None:
    """One block for each strut that is a line: its section meshed, its frame turned to the
    principal axes, its hinges."""
    assert part.lines is not None
    for line in sorted(part.lines.lines, key=lambda line: line.body):
        piece = project.named("pieces", part.pieces[line.body])
        section = _section(
            tuple(tuple(path.tobytes() for path in paths) for paths in line.outlines)
        )
        rows = np.flatnonzero(cell.body == line.body)
        across = section.axes @ line.frame[1:]
        released = np.zeros((len(rows), 12), dtype=bool)
        for release in piece.releases:
            motions = [{"twist": 3, "strong": 4, "weak": 5}[word] for word in release.motions]
            released[
                0 if release.end == "start" else -1,
                [motion + 6 * (release.end == "end") for motion in motions],
            ] = True
        blocks.append(
            LineBlock(
                mesh.nodes,
                cell.elements[rows],
                numbering.turn_of,
                warp_of[rows],
                _frames(mesh.nodes[cell.elements[rows]], across[0]),
                section,
                released,
                *_elastic(project, material_of(project, piece.name)),
            )
        )
        bodies.append(cell.body[rows])


@lru_cache(maxsize=64)
def _section(outlines: tuple[tuple[bytes, ...], ...]) -> CrossSection:
    """Properties of a section by the bytes of its paths (n, 2) mm: a run asks five times for each,
    and a thin wall is meshed with thousands of triangles."""
    return cross_section(
        *mesh_section(
            [[np.frombuffer(path).reshape(-1, 2) for path in paths] for paths in outlines]
        )
    )


def _frames(ends: Floats, second: Floats) -> Floats:
    """Axes (m, 3, 3) as rows of elements between ends (m, 2, 3): along each, then what is nearest
    to `second` (3,) across it. An imperfect line is not straight."""
    first = ends[:, 1] - ends[:, 0]
    first = first / np.linalg.norm(first, axis=1, keepdims=True)
    across = second - (first @ second)[:, None] * first
    across /= np.linalg.norm(across, axis=1, keepdims=True)
    return np.stack([first, across, np.cross(first, across)], axis=1)


def check_connected(part: PartShape, mesh: Mesh, tied: Tied) -> None:
    """Refuse bodies that are neither joined to the rest nor held by themselves, with their
    names."""
    n = tied.ties.n_nodes
    pairs = [
        np.stack([np.repeat(cell.elements[:, 0], cell.elements.shape[1]), cell.elements.ravel()])
        for cell in mesh.cells
    ]
    place = tied.ties.place_of
    pairs += [np.stack([np.full(len(hub.nodes), hub.nodes[0]), hub.nodes]) for hub in tied.hubs]
    pairs += [
        np.stack(
            [np.repeat(place[follow.nodes], follow.masters.shape[1]), place[follow.masters.ravel()]]
        )
        for follow in tied.ties.follows
    ]
    pairs += [block.members[:, [0, 2]].T for block in tied.bolts]
    joined = np.concatenate(pairs, axis=1)
    _, label = connected_components(
        coo_matrix((np.ones(joined.shape[1]), (joined[0], joined[1])), shape=(n, n)), directed=False
    )
    owner = {}
    for cell in mesh.cells:
        for body in np.unique(cell.body):
            owner[int(body)] = int(label[cell.elements[cell.body == body][0, 0]])
    groups = sorted(set(owner.values()))
    if len(groups) < 2:
        return
    for group in groups:
        members = [part.bodies[body] for body, where in sorted(owner.items()) if where == group]
        inside = label[place] == group
        if len(find_free(mesh.nodes[label[: len(mesh.nodes)] == group], tied, inside)):
            raise LabilisError(
                f"{_listed(members)} {'is' if len(members) == 1 else 'are'} not connected to the "
                "rest and not held.",
                f"pieces/{members[0].split('.')[0]}",
                "Move it until it touches, or set it aside.",
                "not-connected",
            )


def _listed(names: list[str]) -> str:
    quoted = [f"'{name}'" for name in names[:4]] + (["others"] if len(names) > 4 else [])
    return quoted[0] if len(quoted) == 1 else ", ".join(quoted[:-1]) + " and " + quoted[-1]
