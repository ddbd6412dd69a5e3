"""Figures of the joints between bodies of a mesh: by how many nodes, over what reach and area,
across what gap, and whether in turn."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from labilis.mesh import Bonds, Mesh

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class JointFigures:
    """bonded and fused (p, 3), (f, 3): pairs of bodies, lower first, and the nodes that join them;
    reach (p + f, 2) mm: how far those nodes spread, along and across (√12 standard deviations, the
    length of an even row); turns (p + f,): they carry turns by themselves; area and gap (p,): mm²
    that is tied and the open room in mm across it (median)."""

    bonded: Ints
    fused: Ints
    reach: Floats
    turns: NDArray[np.bool_]
    area: Floats
    gap: Floats


def joint_figures(mesh: Mesh, bonds: Bonds) -> JointFigures:
    """What joins the bodies of a mesh."""
    fused, common = _shared(mesh)
    ordered = np.sort(bonds.bodies, axis=1)
    between = ordered[:, 0] != ordered[:, 1]
    pairs = (
        np.unique(ordered[between], axis=0) if between.any() else np.zeros((0, 2), dtype=np.int64)
    )
    turning = np.zeros(len(mesh.nodes), dtype=bool)
    turning[mesh.turning_nodes] = True
    bonded, reach, turns, area, gap = [], [], [], [], []
    for pair in pairs:
        mine = (ordered == pair).all(axis=1)
        nodes = np.unique(bonds.nodes[mine])
        bonded.append((*pair, len(nodes)))
        reach.append(_spread(mesh.nodes[nodes]))
        turns.append(bool(turning[nodes].any()))
        area.append(float(bonds.area[mine].sum()) if len(bonds.area) else float("nan"))
        gap.append(float(max(np.median(bonds.gap[mine]), 0.0)))
    for nodes in common:
        reach.append(_spread(mesh.nodes[nodes]))
        turns.append(bool(turning[nodes].any()))
    return JointFigures(
        np.array(bonded, dtype=np.int64).reshape(-1, 3),
        fused,
        np.array(reach, dtype=float).reshape(-1, 2),
        np.array(turns, dtype=bool),
        np.array(area),
        np.array(gap),
    )


def _spread(places: Floats) -> tuple[float, float]:
    if len(places) < 2:
        return 0.0, 0.0
    values = np.linalg.svd(places - places.mean(axis=0), compute_uv=False) * np.sqrt(
        12.0 / len(places)
    )
    return float(values[0]), float(values[1]) if len(values) > 1 else 0.0


def _shared(mesh: Mesh) -> tuple[Ints, list[Ints]]:
    """((f, 3) pairs of bodies with nodes in common, lower first, and how many; those nodes)."""
    entries = [
        np.stack([cell.elements.ravel(), np.repeat(cell.body, cell.elements.shape[1])], axis=1)
        for cell in mesh.cells
        if not cell.line
    ]
    if not entries:
        return np.zeros((0, 3), dtype=np.int64), []
    node, body = np.unique(np.concatenate(entries), axis=0).T
    member = sparse.csr_matrix((np.ones(len(node), dtype=np.int64), (body, node)))
    pairs = sparse.triu(member @ member.T, 1).tocoo()
    order = np.lexsort([pairs.col, pairs.row])
    found = np.stack([pairs.row, pairs.col, pairs.data], axis=1).astype(np.int64)[order]
    common = [
        np.intersect1d(member[int(one)].indices, member[int(two)].indices) for one, two, _ in found
    ]
    # where walls come together like those of a box and its funnel, some meet in the corner only
    corner = {
        number: (int(found[number, 0]), int(found[number, 1]), int(nodes[0]))
        for number, nodes in enumerate(common)
        if len(nodes) == 1
    }
    closed = _closed_at(
        mesh, {(body, at) for one, two, at in corner.values() for body in (one, two)}
    )
    stays = [
        number not in corner
        or not closed
        >= {(corner[number][0], corner[number][2]), (corner[number][1], corner[number][2])}
        for number in range(len(found))
    ]
    return found[stays], [nodes for nodes, stay in zip(common, stays) if stay]


def _closed_at(mesh: Mesh, asked: set[tuple[int, int]]) -> set[tuple[int, int]]:
    """Which of (body, node) are corners of a sheet both of whose edges there are joined to another
    sheet: they hang on more than that node."""
    if not asked:
        return set()
    corners = np.unique([node for _, node in asked])
    rows = []
    for cell in mesh.cells:
        if not cell.shell:
            continue
        near = np.isin(cell.elements, corners).any(axis=1)
        elements, body = cell.elements[near], cell.body[near]
        for k in range(elements.shape[1]):
            ends = np.sort(elements[:, [k - 1, k]], axis=1)
            rows.append(np.concatenate([ends, body[:, None]], axis=1))
    sides = np.concatenate(rows) if rows else np.zeros((0, 3), dtype=np.int64)
    once, count = np.unique(sides, axis=0, return_counts=True)
    shared, bodies = np.unique(once[:, :2], axis=0, return_counts=True)
    joined = {(int(a), int(b)) for a, b in shared[bodies > 1]}
    found = set()
    for one, node in asked:
        own = once[(once[:, 2] == one) & (once[:, :2] == node).any(axis=1) & (count == 1)]
        if len(own) and all((int(a), int(b)) in joined for a, b, _ in own):
            found.add((one, node))
    return found
