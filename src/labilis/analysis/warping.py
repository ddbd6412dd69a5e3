"""Where lines may warp: each end by itself, held where a support clamps it or a stiff hub keeps it
plane, passed on to a strut that goes straight on."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from labilis.analysis.regions import region_nodes
from labilis.mechanics.ties import HeldNodes
from labilis.mesh import Mesh
from labilis.model import Piece, Project, Strut, SymmetryAxes
from labilis.model.standing import frame_of
from labilis.shape import ShapeView

Ints = NDArray[np.int64]
_ALIKE = 1e-6  # of direction cosines: a turn of so much is rounding
_STRAIGHT = 1 - 1e-6  # cosine between struts that go on straight
_SIX = {"x", "y", "z", "turn_x", "turn_y", "turn_z"}


@dataclass(frozen=True)
class Warping:
    """nodes (w,) of the mesh that warping unknowns belong to; of: for each kind of cells, the
    unknowns of its elements' ends (m, 2); held (w,): those that are held."""

    nodes: Ints
    of: tuple[Ints, ...]
    held: NDArray[np.bool_]

    def idle(self, total: int) -> list[HeldNodes]:
        """What warping nodes, the last of all, do not have: their second and third motion, and
        the first where it is held."""
        numbers = total - len(self.nodes) + np.arange(len(self.nodes))
        return [
            HeldNodes(
                numbers[rows],
                np.broadcast_to(np.eye(3)[first:], (int(rows.sum()), 3 - first, 3)),
                -1,
            )
            for rows, first in ((self.held, 0), (~self.held, 1))
            if rows.any()
        ]


def find_warping(
    project: Project, view: ShapeView, mesh: Mesh, flipped: frozenset[str] = frozenset()
) -> Warping:
    """Warping of all lines; of planes of symmetry in `flipped` as of antisymmetry, where it is
    free."""
    keys: list[tuple[int, int]] = []  # (body, node)
    known: dict[tuple[int, int], int] = {}
    of, ends = [], []
    for cell in mesh.cells:
        numbers = np.zeros((len(cell.elements) if cell.line else 0, 2), dtype=np.int64)
        if cell.line:
            for row, (body, pair) in enumerate(zip(cell.body.tolist(), cell.elements.tolist())):
                for side, node in enumerate(pair):
                    if (body, node) not in known:
                        known[body, node] = len(keys)
                        keys.append((body, node))
                    numbers[row, side] = known[body, node]
            ends += _ends(mesh, cell.elements, cell.body)
        of.append(numbers)
    clamped, square = _clamped(project, view, mesh, flipped)
    names = [str(name) for name in view.bodies] if len(keys) else []
    held = np.zeros(len(keys), dtype=bool)
    onto = np.arange(len(keys))
    for body, node, along in ends:
        piece = project.named("pieces", project.piece_of(names[body]))
        found = node in clamped or any(
            abs(float(along @ normal)) > _STRAIGHT for normal in square.get(node, ())
        )
        held[known[body, node]] = piece.warping == "held" or (piece.warping == "found" and found)
    for one, two in _straight_on(project, names, ends):
        onto[known[two]] = onto[known[one]]
        held[known[one]] |= held[known[two]]
    kept, number = np.unique(onto, return_inverse=True)
    return Warping(
        np.array([node for _, node in keys], dtype=np.int64)[kept]
        if len(keys)
        else np.zeros(0, dtype=np.int64),
        tuple(number[numbers] if len(numbers) else numbers for numbers in of),
        held[kept],
    )


def _ends(mesh: Mesh, elements: Ints, bodies: Ints) -> list[tuple[int, int, NDArray[np.float64]]]:
    """(body, node, direction of the line) at both ends of each line."""
    found = []
    for body in np.unique(bodies):
        mine = elements[bodies == body]
        nodes, count = np.unique(mine, return_counts=True)
        for node in nodes[count == 1]:
            step = np.subtract(*mesh.nodes[mine[(mine == node).any(axis=1)][0]])
            found.append((int(body), int(node), step / np.linalg.norm(step)))
    return found


def _clamped(
    project: Project, view: ShapeView, mesh: Mesh, flipped: frozenset[str]
) -> tuple[set[int], dict[int, list[NDArray[np.float64]]]]:
    """(nodes that a support holds in all six motions or that a stiff hub carries, normals of the
    planes of symmetry that nodes lie on)."""
    if not any(cell.line for cell in mesh.cells):
        return set(), {}
    stiff = [hub.region for hub in project.hubs if hub.kind != "spread"]
    clamped = {
        node
        for name in stiff
        for node in region_nodes(project.named("regions", name), view, mesh).tolist()
    }
    square: dict[int, list[NDArray[np.float64]]] = {}
    for support in project.supports:
        if any(hub.name == support.on for hub in project.hubs):
            continue
        nodes = region_nodes(project.named("regions", support.on), view, mesh)
        if isinstance(support.axes, SymmetryAxes):
            if support.name not in flipped:
                for node in nodes.tolist():
                    square.setdefault(node, []).append(np.eye(3)["xyz".index(support.axes.normal)])
        elif set(support.held) >= _SIX:
            clamped |= set(nodes.tolist())
    return clamped, square


def _straight_on(
    project: Project, names: Sequence[str], ends: Sequence[tuple[int, int, NDArray[np.float64]]]
) -> list[tuple[tuple[int, int], tuple[int, int]]]:
    """Ends of two lines of one section that go straight on from each other, with nothing else at
    their node and no hinge."""
    at: dict[int, list[tuple[int, NDArray[np.float64]]]] = {}
    for body, node, along in ends:
        at.setdefault(node, []).append((body, along))
    found = []
    for node, two in at.items():
        if len(two) != 2 or abs(float(two[0][1] @ two[1][1])) < _STRAIGHT:
            continue
        one, other = (project.named("pieces", project.piece_of(names[body])) for body, _ in two)
        if one.releases or other.releases or "free" in (one.warping, other.warping):
            continue
        if (
            isinstance(one.recipe, Strut)
            and isinstance(other.recipe, Strut)
            and one.recipe.section == other.recipe.section
            and _turned_alike(project, one, other)
        ):
            found.append(((two[0][0], node), (two[1][0], node)))
    return found


def _turned_alike(project: Project, one: Piece, other: Piece) -> bool:
    """Whether the sections of two pieces lie alike in the part's axes."""
    frames = [np.array(frame_of(project, piece).turn) for piece in (one, other)]
    return bool(np.abs(frames[0] - frames[1]).max() < _ALIKE)
