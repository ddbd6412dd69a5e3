"""Supports and hubs by elimination: u = T q.

Every node is free, held in some directions, or carried by a stiff hub whose six motions it follows. Elimination keeps
the matrices symmetric and positive; there are no penalties and no multipliers.
"""
from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class HeldNodes:
    """Directions held at nodes: nodes (k,), directions (k, r, 3) unit vectors; owner: number of the support."""

    nodes: Ints
    directions: Floats
    owner: int


@dataclass(frozen=True)
class StiffHub:
    """Nodes (k,) that move as a rigid body about `centre` (3,) mm; held (r, 6): combinations of the hub's three
    displacements and three turns that are held, with the support each belongs to in `owners`."""

    nodes: Ints
    centre: Floats
    held: Floats = field(default_factory=lambda: np.zeros((0, 6)))
    owners: tuple[int, ...] = ()


class TieConflict(ValueError):
    """Two ties claim one node: `nodes` lists them, `hubs` the numbers of the hubs concerned."""

    def __init__(self, message: str, nodes: Ints, hubs: tuple[int, ...]) -> None:
        super().__init__(message)
        self.nodes, self.hubs = nodes, hubs


@dataclass(frozen=True)
class Ties:
    """The elimination u = T q of a mesh of n nodes.

    plain (p,): unknowns of the mesh that are unknowns of q in the same order, the first p of q; tied (s,): unknowns that
    depend on the rest of q by `block` (s, q - p); hubs with, for each, its slice of q and basis (6, f): six motions
    from its unknowns. held_nodes: node numbers with (3, 3) projectors onto their held directions.
    """

    n_nodes: int
    plain: Ints
    tied: Ints
    block: sparse.csr_matrix
    hubs: tuple[StiffHub, ...]
    hub_slices: tuple[slice, ...]
    hub_bases: tuple[Floats, ...]
    held_nodes: Ints
    held_projectors: Floats

    @property
    def groups(self) -> Ints:
        """Number of the node (or tie) that each unknown of q belongs to, without gaps."""
        _, nodes = np.unique(self.plain // 3, return_inverse=True)
        start = int(nodes.max()) + 1 if len(nodes) else 0
        return np.concatenate([nodes, start + np.arange(self.block.shape[1])])

    @property
    def size(self) -> int:
        """Number of unknowns left."""
        return len(self.plain) + int(self.block.shape[1])

    def expand(self, q: Floats) -> Floats:
        """u (3n,) or (3n, k) from q."""
        u = np.zeros((3 * self.n_nodes, *q.shape[1:]))
        u[self.plain] = q[:len(self.plain)]
        u[self.tied] = self.block @ q[len(self.plain):]
        return u

    @property
    def matrix(self) -> sparse.csr_matrix:
        """T itself (3n, q)."""
        free = len(self.plain)
        rest = self.block.tocoo()
        return sparse.csr_matrix((np.concatenate([np.ones(free), rest.data]),
                                  (np.concatenate([self.plain, self.tied[rest.row]]),
                                   np.concatenate([np.arange(free), free + rest.col]))), shape=(3 * self.n_nodes, self.size))

    def reduce_vector(self, f: Floats) -> Floats:
        """Tᵀ f for forces (3n,) or (3n, k)."""
        return np.concatenate([f[self.plain], self.block.T @ f[self.tied]])

    def reduce_matrix(self, upper: sparse.csr_matrix) -> sparse.csr_matrix:
        """Upper triangle of Tᵀ K T from the upper triangle of K."""
        k_pp = upper[self.plain][:, self.plain]
        if self.block.shape[1] == 0:
            return sparse.csr_matrix(k_pp)
        beside = self._columns_of_tied(upper)
        k_pt = beside[self.plain] @ self.block
        k_tt = self.block.T @ beside[self.tied] @ self.block
        return sparse.csr_matrix(sparse.bmat([[k_pp, k_pt], [None, sparse.triu(k_tt)]], format="csr"))

    def reduce_turning(self, upper: sparse.csr_matrix, q: Floats) -> sparse.csr_matrix:
        """T'ᵀ K T + Tᵀ K T' (upper triangle), T' the change of T as the hubs turn by their motion in q: their arms turn too."""
        shape = (len(self.tied), self.block.shape[1])
        rows_start = len(self.tied) - 3 * sum(len(hub.nodes) for hub in self.hubs)  # nodes held askew come first
        changed = sparse.lil_matrix(shape)
        for hub, where, basis in zip(self.hubs, self.hub_slices, self.hub_bases):
            turn = basis[3:] @ q[where]
            arms = np.cross(turn, self.node_places[hub.nodes] - hub.centre)
            block = (rigid_motion(arms) - rigid_motion(0 * arms)).reshape(-1, 6) @ basis
            local = where.start - len(self.plain)
            changed[rows_start:rows_start + len(block), local:local + basis.shape[1]] = block
            rows_start += len(block)
        beside = self._columns_of_tied(upper)
        moved = sparse.csr_matrix(beside @ changed.tocsr())
        a_p = moved[self.plain]
        a_t = self.block.T @ moved[self.tied]
        empty = sparse.csr_matrix((len(self.plain), len(self.plain)))
        return sparse.csr_matrix(sparse.bmat([[empty, a_p], [None, sparse.triu(a_t + a_t.T)]], format="csr"))

    def _columns_of_tied(self, upper: sparse.csr_matrix) -> sparse.csr_matrix:
        """K[:, tied] of the symmetric matrix with this upper triangle."""
        rows = upper[:, self.tied].tocsr()
        columns = upper[self.tied].T.tocsr()
        diagonal = sparse.csr_matrix((upper.diagonal()[self.tied], (self.tied, np.arange(len(self.tied)))), shape=rows.shape)
        return (rows + columns - diagonal).tocsr()

    def hub_forces(self, hub: int, force: Floats) -> Floats:
        """Reduced vector of a force and moment (6,) that act at a hub's centre."""
        q = np.zeros(self.size)
        q[self.hub_slices[hub]] = self.hub_bases[hub].T @ force
        return q

    def hub_geometric(self, internal: Floats) -> sparse.csr_matrix:
        """Geometric stiffness (upper triangle) of the stiff hubs under nodal forces `internal` (3n,) = K u - f.

        A node of a hub moves by θ×r + θ×(θ×r)/2 + ...; the second term does work with the force on the node. Its second
        derivative is (g rᵀ + r gᵀ)/2 - (g·r) 1 (Argyris, 1982, on finite rotations).
        """
        rows, columns, values = [], [], []
        forces = internal.reshape(-1, 3)
        for hub, where, basis in zip(self.hubs, self.hub_slices, self.hub_bases):
            g, r = forces[hub.nodes], self._arms[id(hub)]
            outer = g.T @ r
            matrix = 0.5 * (outer + outer.T) - np.trace(outer) * np.eye(3)
            local = basis[3:].T @ matrix @ basis[3:]
            i, j = np.triu_indices(len(local))
            rows.append(where.start + i)
            columns.append(where.start + j)
            values.append(local[i, j])
        if not rows:
            return sparse.csr_matrix((self.size, self.size))
        return sparse.csr_matrix((np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))),
                                 shape=(self.size, self.size))

    @property
    def _arms(self) -> dict[int, Floats]:
        return {id(hub): self.node_places[hub.nodes] - hub.centre for hub in self.hubs}

    node_places: Floats = field(default_factory=lambda: np.zeros((0, 3)))


def null_space(rows: Floats, tolerance: float = 1e-9) -> tuple[Floats, Floats]:
    """(basis of what rows (r, d) leave free (d, f), basis of what they hold (d, d - f))."""
    d = rows.shape[1]
    if len(rows) == 0:
        return np.eye(d), np.zeros((d, 0))
    _, values, vectors = np.linalg.svd(rows)
    rank = int((values > tolerance * max(values[0], 1e-300)).sum())
    held, free = vectors[:rank].T, vectors[rank:].T
    if np.allclose(np.sort(np.abs(held), axis=0)[:-1], 0, atol=1e-12):  # held along axes: keep the axes themselves
        free = np.eye(d)[:, np.abs(held).sum(axis=1) < 0.5]
    return free, held


def rigid_motion(arms: Floats) -> Floats:
    """Displacement (k, 3, 6) of points on arms (k, 3) per displacement and turn of their hub: u + θ×r."""
    motion = np.zeros((len(arms), 3, 6))
    motion[:, [0, 1, 2], [0, 1, 2]] = 1.0
    x, y, z = arms.T
    motion[:, 0, 4], motion[:, 0, 5] = z, -y
    motion[:, 1, 3], motion[:, 1, 5] = -z, x
    motion[:, 2, 3], motion[:, 2, 4] = y, -x
    return motion


def make_ties(places: Floats, held: Sequence[HeldNodes], hubs: Sequence[StiffHub] = ()) -> Ties:
    """Elimination for a mesh with nodes at `places` (n, 3) mm.

    Raises TieConflict when two hubs share a node, or a hub's node is held by itself as well.
    """
    n = len(places)
    hub_of = np.full(n, -1, dtype=np.int64)
    for number, hub in enumerate(hubs):
        taken = hub_of[hub.nodes] >= 0
        if taken.any():
            raise TieConflict("two hubs share nodes", hub.nodes[taken], (int(hub_of[hub.nodes[taken][0]]), number))
        hub_of[hub.nodes] = number
    nodes = np.concatenate([np.repeat(item.nodes, item.directions.shape[1]) for item in held] or [np.zeros(0, np.int64)])
    vectors = np.concatenate([item.directions.reshape(-1, 3) for item in held] or [np.zeros((0, 3))])
    if (hub_of[nodes] >= 0).any():
        both = np.unique(nodes[hub_of[nodes] >= 0])
        raise TieConflict("nodes of a hub are held by themselves as well", both, (int(hub_of[both[0]]),))
    free_axes = np.ones((n, 3), dtype=bool)
    free_axes[hub_of >= 0] = False
    along_axis = np.isclose(np.abs(vectors).max(axis=1, initial=0.0), 1.0, atol=1e-12) if len(vectors) else np.zeros(0, bool)
    skew_nodes = np.unique(nodes[~along_axis])
    axis_rows = along_axis & ~np.isin(nodes, skew_nodes)
    free_axes[nodes[axis_rows], np.abs(vectors[axis_rows]).argmax(axis=1)] = False
    free_axes[skew_nodes] = False
    plain = np.flatnonzero(free_axes.ravel())

    tied, blocks, column, slices, bases = [], [], 0, [], []
    order = np.argsort(nodes, kind="stable")
    sorted_nodes = nodes[order]
    projectors = {}
    for node in skew_nodes:
        begin, end = np.searchsorted(sorted_nodes, [node, node + 1])
        free, _ = null_space(vectors[order[begin:end]])
        projectors[int(node)] = np.eye(3) - free @ free.T
        tied.append(3 * node + np.arange(3))
        blocks.append((free, column))
        column += free.shape[1]
    for hub in hubs:
        basis, _ = null_space(hub.held)
        motion = rigid_motion(places[hub.nodes] - hub.centre)
        tied.append((3 * hub.nodes[:, None] + np.arange(3)).ravel())
        blocks.append((motion.reshape(-1, 6) @ basis, column))
        slices.append(slice(len(plain) + column, len(plain) + column + basis.shape[1]))
        bases.append(basis)
        column += basis.shape[1]
    rows_at = np.cumsum([0] + [len(block) for block, _ in blocks])
    parts = [np.indices(block.shape) for block, _ in blocks]
    data = np.concatenate([block.ravel() for block, _ in blocks] or [np.zeros(0)])
    rows = np.concatenate([part[0].ravel() + start for part, start in zip(parts, rows_at)] or [np.zeros(0, int)])
    columns = np.concatenate([part[1].ravel() + start for part, (_, start) in zip(parts, blocks)] or [np.zeros(0, int)])
    matrix = sparse.csr_matrix((data, (rows, columns)), shape=(int(rows_at[-1]), column))
    for node in np.unique(nodes[axis_rows]):
        projectors[int(node)] = np.diag((~free_axes[node]).astype(float))
    held_nodes = np.array(sorted(projectors), dtype=np.int64)
    stacked = np.array([projectors[int(node)] for node in held_nodes]).reshape(-1, 3, 3)
    return Ties(n, plain, np.concatenate(tied or [np.zeros(0, np.int64)]), matrix, tuple(hubs), tuple(slices),
                tuple(bases), held_nodes, stacked, places)


def free_motions(places: Floats, held: Sequence[HeldNodes], hubs: Sequence[StiffHub]) -> Floats:
    """Rigid motions (k, 6) that nothing holds: displacement of the centroid (mm) and turn (rad), unit length overall."""
    centre = places.mean(axis=0)
    scale = max(float(np.linalg.norm(np.ptp(places, axis=0))) / 2, 1e-9)
    rows = [np.zeros((0, 6))]
    for item in held:
        arms = np.repeat(places[item.nodes] - centre, item.directions.shape[1], axis=0)
        vectors = item.directions.reshape(-1, 3)
        rows.append(np.concatenate([vectors, np.cross(arms, vectors) / scale], axis=1))
    for hub in hubs:
        arm = hub.centre - centre
        turns = (np.cross(arm, hub.held[:, :3]) + hub.held[:, 3:]) / scale
        rows.append(np.concatenate([hub.held[:, :3], turns], axis=1))
    stacked = np.concatenate(rows)
    if len(stacked) == 0:
        free = np.eye(6)
    else:
        _, values, vectors = np.linalg.svd(stacked.T @ stacked)
        free = vectors[values < 1e-12 * len(stacked) + 1e-10 * values[0]]
    return free * np.array([1, 1, 1, 1 / scale, 1 / scale, 1 / scale])
