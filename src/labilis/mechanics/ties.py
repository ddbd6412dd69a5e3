"""Supports, hubs and bonds by elimination: u = T q.

Every node is free, held in some directions, carried by a stiff hub whose six motions it follows, or
follows other nodes by a linear rule (a bonded edge, a spread hub). Elimination keeps the matrices
symmetric and positive; there are no penalties and no multipliers. A node of six motions counts as
two nodes of three: its place and its turn.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Rule = tuple[Floats, Floats, Floats]  # weights, turning and arms of a Follow
_NONE = np.zeros(0, dtype=np.int64)
# of the complex-step derivative: no difference is taken, so nothing is lost to rounding
_STEP = 1e-30


@dataclass(frozen=True)
class HeldNodes:
    """Directions held at nodes: nodes (k,), directions (k, r, 3) unit vectors; owner: number of the
    support; turns: the nodes are turns, so that axes of rotation are held."""

    nodes: Ints
    directions: Floats
    owner: int
    turns: bool = False


@dataclass(frozen=True)
class StiffHub:
    """Nodes (k,) that move as a rigid body about `centre` (3,) mm, and turn nodes that turn with
    it; held (r, 6): combinations of the hub's three displacements and three turns that are held,
    with the support each belongs to in `owners`."""

    nodes: Ints
    centre: Floats
    held: Floats = field(default_factory=lambda: np.zeros((0, 6)))
    owners: tuple[int, ...] = ()
    turns: Ints = field(default_factory=lambda: _NONE)


@dataclass(frozen=True)
class Follow:
    """Nodes (k,) that follow others: u = Σ weights u_master + turn × arm.

    masters (k, p), weights (k, p, 3, 3); the frame they ride in turns by Σ turning u_master,
    turning (k, p, 3, 3) in rad per mm (or per rad where a master is a turn); arms (k, 3) mm from
    where they are tied. The first-order part of the arm is already in `weights`; arms and turning
    give the second-order part, which is the tie's geometric stiffness. `rule` gives all three for
    other places (n, 3) of the nodes, also complex ones.
    """

    nodes: Ints
    masters: Ints
    weights: Floats
    turning: Floats
    arms: Floats
    rule: Callable[[Floats], Rule] | None = None

    def about(self, places: Floats) -> Follow:
        """The same tie with its nodes at other places (n, 3). Raises ValueError for a tie
        without a rule."""
        if self.rule is None:
            raise ValueError("a tie without a rule cannot be moved")
        weights, turning, arms = self.rule(places)
        return replace(self, weights=weights, turning=turning, arms=arms)

    def weights_slope(self, places: Floats, motion: Floats) -> Floats:
        """Change (k, p, 3, 3) of the weights as nodes at places (n, 3) move along `motion` (n, 3),
        by a complex step (Squire and Trapp 1998). Raises ValueError for a tie without a rule."""
        return np.asarray(self.about(places + 1j * _STEP * motion).weights.imag / _STEP)

    def bending(self, internal: Floats) -> Floats:
        """Geometric stiffness (k, 3p, 3p) of the arms on their masters, under nodal forces
        `internal` (3n,)."""
        bent = _arm_matrix(internal.reshape(-1, 3)[self.nodes], self.arms)
        k, p = self.masters.shape
        turning = np.swapaxes(self.turning, 1, 2).reshape(k, 3, 3 * p)
        return np.asarray(np.swapaxes(turning, 1, 2) @ bent @ turning)

    def matrix(self, values: Floats, n_nodes: int) -> sparse.csr_matrix:
        """(3k, 3 n_nodes) matrix of `values` (k, p, 3, 3)."""
        k, _p = self.masters.shape
        rows = np.broadcast_to(
            3 * np.arange(k)[:, None, None, None] + np.arange(3)[None, None, :, None], values.shape
        )
        columns = np.broadcast_to(3 * self.masters[:, :, None, None] + np.arange(3), values.shape)
        return sparse.csr_matrix(
            (values.ravel(), (rows.ravel(), columns.ravel())), shape=(3 * k, 3 * n_nodes)
        )


class TieConflict(ValueError):
    """Two ties claim one node: `nodes` lists them, `hubs` the numbers of the hubs concerned."""

    def __init__(self, message: str, nodes: Ints, hubs: tuple[int, ...]) -> None:
        super().__init__(message)
        self.nodes, self.hubs = nodes, hubs


@dataclass(frozen=True)
class Ties:
    """The elimination u = T q of a mesh of n nodes (turns counted).

    plain (p,): unknowns of the mesh that are unknowns of q in the same order, the first p of q;
    tied (s,): unknowns that depend on q by `block` (s, q); hubs with, for each, its slice of q, its
    rows of `block` (places only) and basis (6, f): six motions from its unknowns. held_nodes: node
    numbers with (3, 3) projectors onto their held directions. place_of (n,): the node whose place
    each node has; a turn shares it with its place.
    """

    n_nodes: int
    plain: Ints
    tied: Ints
    block: sparse.csr_matrix
    hubs: tuple[StiffHub, ...]
    hub_slices: tuple[slice, ...]
    hub_rows: tuple[slice, ...]
    hub_bases: tuple[Floats, ...]
    held_nodes: Ints
    held_projectors: Floats
    node_places: Floats
    place_of: Ints
    follows: tuple[Follow, ...] = ()

    @property
    def groups(self) -> Ints:
        """Number of the node (or tie) that each unknown of q belongs to, without gaps."""
        _, nodes = np.unique(self.place_of[self.plain // 3], return_inverse=True)
        start = int(nodes.max()) + 1 if len(nodes) else 0
        return np.concatenate([nodes, start + np.arange(self.size - len(self.plain))])

    @property
    def size(self) -> int:
        """Number of unknowns left."""
        return int(self.block.shape[1])

    def expand(self, q: Floats) -> Floats:
        """u (3n,) or (3n, k) from q."""
        u = np.zeros((3 * self.n_nodes, *q.shape[1:]))
        u[self.plain] = q[: len(self.plain)]
        u[self.tied] = self.block @ q
        return u

    @property
    def matrix(self) -> sparse.csr_matrix:
        """T itself (3n, q)."""
        free = len(self.plain)
        rest = self.block.tocoo()
        return sparse.csr_matrix(
            (
                np.concatenate([np.ones(free), rest.data]),
                (
                    np.concatenate([self.plain, self.tied[rest.row]]),
                    np.concatenate([np.arange(free), rest.col]),
                ),
            ),
            shape=(3 * self.n_nodes, self.size),
        )

    def carried(self, given: Floats) -> Floats:
        """Prescribed motions (3n,) with those of bonded nodes that follow them."""
        result = given.copy()
        for _ in range(3):
            for follow in self.follows:
                if len(follow.nodes):
                    moved = follow.matrix(follow.weights, self.n_nodes) @ result
                    result.reshape(-1, 3)[follow.nodes] = moved.reshape(-1, 3)
        return result

    def handed_on(self, forces: Floats) -> Floats:
        """Nodal forces (3n,) with those on bonded nodes handed on to the nodes that carry them."""
        result = forces.copy()
        for _ in range(3):
            for follow in self.follows:
                if len(follow.nodes):
                    own = result.reshape(-1, 3)[follow.nodes].ravel()
                    result.reshape(-1, 3)[follow.nodes] = 0.0
                    result += follow.matrix(follow.weights, self.n_nodes).T @ own
        return result

    def reduce_vector(self, f: Floats) -> Floats:
        """Tᵀ f for forces (3n,) or (3n, k)."""
        reduced = np.asarray(self.block.T @ f[self.tied])
        reduced[: len(self.plain)] += f[self.plain]
        return reduced

    def reduce_matrix(self, upper: sparse.csr_matrix) -> sparse.csr_matrix:
        """Upper triangle of Tᵀ K T from the upper triangle of K."""
        k_pp = upper[self.plain][:, self.plain]
        if len(self.tied) == 0:
            return sparse.csr_matrix(k_pp)
        beside = self._columns_of_tied(upper) @ self.block
        return self._with_plain(k_pp, beside, self.block.T @ beside[self.tied])

    def _with_plain(
        self, k_pp: sparse.csr_matrix | None, beside: sparse.csr_matrix, k_tt: sparse.csr_matrix
    ) -> sparse.csr_matrix:
        """Upper triangle of k_pp + A + Aᵀ + k_tt, A the rows of plain unknowns in `beside` (3n,
        q)."""
        free, rest = len(self.plain), self.size - len(self.plain)
        a = sparse.vstack([beside[self.plain], sparse.csr_matrix((rest, self.size))], format="csr")
        total = sparse.triu(a + a.T + k_tt, format="csr")
        if k_pp is not None:
            whole = sparse.csr_matrix(
                (
                    k_pp.data,
                    k_pp.indices,
                    np.concatenate([k_pp.indptr, np.full(rest, k_pp.indptr[free])]),
                ),
                shape=(self.size, self.size),
            )
            total = total + whole
        return sparse.csr_matrix(total)

    def reduce_turning(self, upper: sparse.csr_matrix, q: Floats) -> sparse.csr_matrix:
        """T'ᵀ K T + Tᵀ K T' (upper triangle), T' the change of T as the nodes move by the linear
        solution q: arms turn with their hubs and bonds, the surfaces they ride on and the fit of a
        spread hub change."""
        moved = sparse.csr_matrix(self._columns_of_tied(upper) @ self._changed(q))
        a_t = self.block.T @ moved[self.tied]
        return self._with_plain(None, moved, a_t + a_t.T)

    def _changed(self, q: Floats) -> sparse.csr_matrix:
        """Change (s, q) of `block` along the motion of the linear solution q."""
        by_hubs = sparse.lil_matrix((len(self.tied), self.size))
        for hub, where, rows, basis in zip(
            self.hubs, self.hub_slices, self.hub_rows, self.hub_bases
        ):
            arms = np.cross(basis[3:] @ q[where], self.node_places[hub.nodes] - hub.centre)
            by_hubs[rows, where] = (rigid_motion(arms) - rigid_motion(0 * arms)).reshape(
                -1, 6
            ) @ basis
        changed = by_hubs.tocsr()
        if not self.follows:
            return changed
        # T_f = W T: T_f' = W' T + W T', where T' of what follows in turn is that of the round
        # before
        motion, t = self.expand(q).reshape(-1, 3), self.matrix
        slopes = sparse.vstack(
            [
                follow.matrix(follow.weights_slope(self.node_places, motion), self.n_nodes) @ t
                for follow in self.follows
            ]
        )
        rule = sparse.vstack(
            [follow.matrix(follow.weights, self.n_nodes) for follow in self.follows], format="csr"
        )[:, self.tied]
        own = sparse.csr_matrix((len(self.tied) - slopes.shape[0], self.size))
        changed = changed + sparse.vstack([own, slopes], format="csr")
        step = changed
        for _ in range(8):
            step = sparse.vstack([own, rule @ step], format="csr")
            if step.nnz == 0:
                break
            changed = changed + step
        return sparse.csr_matrix(changed)

    def _columns_of_tied(self, upper: sparse.csr_matrix) -> sparse.csr_matrix:
        """K[:, tied] of the symmetric matrix with this upper triangle."""
        rows = upper[:, self.tied].tocsr()
        columns = upper[self.tied].T.tocsr()
        diagonal = sparse.csr_matrix(
            (upper.diagonal()[self.tied], (self.tied, np.arange(len(self.tied)))), shape=rows.shape
        )
        return (rows + columns - diagonal).tocsr()

    def hub_forces(self, hub: int, force: Floats) -> Floats:
        """Reduced vector of a force and moment (6,) that act at a hub's centre."""
        q = np.zeros(self.size)
        q[self.hub_slices[hub]] = self.hub_bases[hub].T @ force
        return q

    def geometric(self, internal: Floats) -> sparse.csr_matrix:
        """Geometric stiffness (upper triangle) of stiff hubs and of bonded arms under nodal forces
        `internal` (3n,) = K u - f.

        A node on an arm r moves by θ×r + θ×(θ×r)/2 + ...; the second term does work with the force
        on the node. Its second derivative is (g rᵀ + r gᵀ)/2 - (g·r) 1 (Argyris, 1982, on finite
        rotations).
        """
        total = self.hub_geometric(internal)
        for follow in self.follows:
            if len(follow.nodes):
                total = total + self.follow_geometric(follow, internal)
        return sparse.csr_matrix(total)

    def hub_geometric(self, internal: Floats) -> sparse.csr_matrix:
        """The part of `geometric` that stiff hubs bring."""
        rows, columns, values = [_NONE], [_NONE], [np.zeros(0)]
        forces = internal.reshape(-1, 3)
        for hub, where, basis in zip(self.hubs, self.hub_slices, self.hub_bases):
            r = self.node_places[hub.nodes] - hub.centre
            local = basis[3:].T @ _arm_matrix(forces[hub.nodes], r).sum(axis=0) @ basis[3:]
            i, j = np.triu_indices(len(local))
            rows.append(where.start + i)
            columns.append(where.start + j)
            values.append(local[i, j])
        return sparse.csr_matrix(
            (np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))),
            shape=(self.size, self.size),
        )

    def follow_geometric(self, follow: Follow, internal: Floats) -> sparse.csr_matrix:
        """The part of `geometric` that one tie of `follows` brings."""
        local = follow.bending(internal)
        dofs = (3 * follow.masters[:, :, None] + np.arange(3)).reshape(len(local), -1)
        rows = np.broadcast_to(dofs[:, :, None], local.shape)
        columns = np.broadcast_to(dofs[:, None, :], local.shape)
        whole = sparse.csr_matrix(
            (local.ravel(), (rows.ravel(), columns.ravel())), shape=2 * (3 * self.n_nodes,)
        )
        return self.reduce_matrix(sparse.csr_matrix(sparse.triu(whole)))

    def second_motion(self, q: Floats) -> Floats:
        """Second-order displacement (3n,) of nodes on arms, θ×(θ×r), for a motion q: the work of
        the internal forces on it is qᵀ times `geometric` times q."""
        found = np.zeros((self.n_nodes, 3))
        u = None
        for hub, where, basis in zip(self.hubs, self.hub_slices, self.hub_bases):
            turn = basis[3:] @ q[where]
            found[hub.nodes] += np.cross(
                turn, np.cross(turn, self.node_places[hub.nodes] - hub.centre)
            )
        for follow in self.follows:
            if len(follow.nodes):
                u = self.expand(q).reshape(-1, 3) if u is None else u
                turn = np.einsum("kpij,kpj->ki", follow.turning, u[follow.masters])
                found[follow.nodes] += np.cross(turn, np.cross(turn, follow.arms))
        return found.ravel()


def cross_matrix(vectors: Floats) -> Floats:
    """(k, 3, 3) matrices of v×."""
    x, y, z = vectors.T
    zero = np.zeros_like(x)
    return np.stack(
        [np.stack([zero, -z, y], -1), np.stack([z, zero, -x], -1), np.stack([-y, x, zero], -1)], -2
    )


def _arm_matrix(forces: Floats, arms: Floats) -> Floats:
    """Second derivative (k, 3, 3) to a turn of the work of forces (k, 3) on the ends of arms (k,
    3)."""
    outer = forces[:, :, None] * arms[:, None, :]
    return 0.5 * (outer + np.swapaxes(outer, 1, 2)) - np.trace(outer, axis1=1, axis2=2)[
        :, None, None
    ] * np.eye(3)


def null_space(rows: Floats, tolerance: float = 1e-9) -> tuple[Floats, Floats]:
    """(basis of what rows (r, d) leave free (d, f), basis of what they hold (d, d - f))."""
    d = rows.shape[1]
    if len(rows) == 0:
        return np.eye(d), np.zeros((d, 0))
    _, values, vectors = np.linalg.svd(rows)
    rank = int((values > tolerance * max(values[0], 1e-300)).sum())
    held, free = vectors[:rank].T, vectors[rank:].T
    if np.allclose(
        np.sort(np.abs(held), axis=0)[:-1], 0, atol=1e-12
    ):  # held along axes: keep the axes themselves
        free = np.eye(d)[:, np.abs(held).sum(axis=1) < 0.5]
    return free, held


def rigid_motion(arms: Floats) -> Floats:
    """Displacement (k, 3, 6) of points on arms (k, 3) per displacement and turn of their hub: u
    + θ×r."""
    motion = np.zeros((len(arms), 3, 6))
    motion[:, [0, 1, 2], [0, 1, 2]] = 1.0
    x, y, z = arms.T
    motion[:, 0, 4], motion[:, 0, 5] = z, -y
    motion[:, 1, 3], motion[:, 1, 5] = -z, x
    motion[:, 2, 3], motion[:, 2, 4] = y, -x
    return motion


def make_ties(
    places: Floats,
    held: Sequence[HeldNodes],
    hubs: Sequence[StiffHub] = (),
    follows: Sequence[Follow] = (),
    place_of: Ints | None = None,
) -> Ties:
    """Elimination for a mesh with nodes at `places` (n, 3) mm, turns included; `place_of` (n,)
    tells the place of each turn.

    A bonded node that is held or carried by a hub as well keeps to the support or hub. Raises
    TieConflict when two hubs share a node, when a hub's node is held by itself as well, or when
    bonds go round in a circle.
    """
    n, place_of = len(places), np.arange(len(places)) if place_of is None else place_of
    hub_of = _hub_of(n, hubs)
    nodes, vectors = _held_rows(held, hub_of)
    follows = tuple(
        _without(follow, (hub_of >= 0) | np.isin(np.arange(n), nodes)) for follow in follows
    )
    free_axes, axis_rows, skew_nodes = _free_axes(hub_of, follows, nodes, vectors)
    plain = np.flatnonzero(free_axes.ravel())
    tied, blocks, column, slices, bases = [], [], len(plain), [], []
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
    hub_starts = []
    for hub in hubs:
        block, basis = _hub_block(hub, places)
        hub_starts.append((sum(len(part) for part, _ in blocks), 3 * len(hub.nodes)))
        tied.append((3 * np.concatenate([hub.nodes, hub.turns])[:, None] + np.arange(3)).ravel())
        blocks.append((block, column))
        slices.append(slice(column, column + basis.shape[1]))
        bases.append(basis)
        column += basis.shape[1]
    matrix = _block_matrix(blocks, column)
    tied_rows = np.concatenate(tied or [_NONE])
    held_nodes, stacked = _projectors(projectors, nodes[axis_rows], free_axes)
    ties = Ties(
        n,
        plain,
        tied_rows,
        matrix,
        tuple(hubs),
        tuple(slices),
        tuple(slice(a, a + b) for a, b in hub_starts),
        tuple(bases),
        held_nodes,
        stacked,
        places,
        place_of,
    )
    return _following(ties, follows) if any(len(follow.nodes) for follow in follows) else ties


def _projectors(
    skew: dict[int, Floats], along_axes: Ints, free_axes: NDArray[np.bool_]
) -> tuple[Ints, Floats]:
    """Nodes that are held and what of their motion is, (h,) and (h, 3, 3)."""
    projectors = dict(skew)
    for node in np.unique(along_axes):
        projectors[int(node)] = np.diag((~free_axes[node]).astype(float))
    held_nodes = np.array(sorted(projectors), dtype=np.int64)
    return held_nodes, np.array([projectors[int(node)] for node in held_nodes]).reshape(-1, 3, 3)


def _block_matrix(blocks: list[tuple[Floats, int]], columns: int) -> sparse.csr_matrix:
    """Blocks one under the other, each from a column of its own on."""
    rows_at = np.cumsum([0] + [len(block) for block, _ in blocks])
    parts = [np.indices(block.shape) for block, _ in blocks]
    data = np.concatenate([block.ravel() for block, _ in blocks] or [np.zeros(0)])
    rows = np.concatenate(
        [part[0].ravel() + start for part, start in zip(parts, rows_at)] or [np.zeros(0, int)]
    )
    at = np.concatenate(
        [part[1].ravel() + start for part, (_, start) in zip(parts, blocks)] or [np.zeros(0, int)]
    )
    return sparse.csr_matrix((data, (rows, at)), shape=(int(rows_at[-1]), columns))


def _free_axes(
    hub_of: Ints, follows: Sequence[Follow], nodes: Ints, vectors: Floats
) -> tuple[NDArray[np.bool_], NDArray[np.bool_], Ints]:
    """(which motions of each node (n, 3) stay unknowns as they are, which of the held directions
    run along an axis, nodes that are held along another)."""
    free_axes = np.ones((len(hub_of), 3), dtype=bool)
    free_axes[hub_of >= 0] = False
    for follow in follows:
        free_axes[follow.nodes] = False
    along_axis = (
        np.isclose(np.abs(vectors).max(axis=1, initial=0.0), 1.0, atol=1e-12)
        if len(vectors)
        else np.zeros(0, bool)
    )
    skew_nodes = np.unique(nodes[~along_axis])
    axis_rows = along_axis & ~np.isin(nodes, skew_nodes)
    free_axes[nodes[axis_rows], np.abs(vectors[axis_rows]).argmax(axis=1)] = False
    free_axes[skew_nodes] = False
    return free_axes, axis_rows, skew_nodes


def _hub_block(hub: StiffHub, places: Floats) -> tuple[Floats, Floats]:
    """What the free motions of a stiff hub, columns of the basis (6, k), give the nodes and turns
    that it carries."""
    basis, _ = null_space(hub.held)
    motion = rigid_motion(places[hub.nodes] - hub.centre).reshape(-1, 6)
    turning = np.tile(np.eye(3, 6, 3), (len(hub.turns), 1))
    return np.concatenate([motion, turning]) @ basis, basis


def _held_rows(held: Sequence[HeldNodes], hub_of: Ints) -> tuple[Ints, Floats]:
    """Node and direction of every held motion, (r,) and (r, 3)."""
    nodes = np.concatenate(
        [np.repeat(item.nodes, item.directions.shape[1]) for item in held] or [_NONE]
    )
    vectors = np.concatenate(
        [item.directions.reshape(-1, 3) for item in held] or [np.zeros((0, 3))]
    )
    if (hub_of[nodes] >= 0).any():
        both = np.unique(nodes[hub_of[nodes] >= 0])
        raise TieConflict(
            "nodes of a hub are held by themselves as well", both, (int(hub_of[both[0]]),)
        )
    return nodes, vectors


def _hub_of(n: int, hubs: Sequence[StiffHub]) -> Ints:
    """Number of the hub that carries each of n nodes, -1 for none."""
    hub_of = np.full(n, -1, dtype=np.int64)
    for number, hub in enumerate(hubs):
        members = np.concatenate([hub.nodes, hub.turns])
        taken = hub_of[members] >= 0
        if taken.any():
            raise TieConflict(
                "two hubs share nodes", members[taken], (int(hub_of[members[taken][0]]), number)
            )
        hub_of[members] = number
    return hub_of


def _without(follow: Follow, taken: NDArray[np.bool_]) -> Follow:
    """The bond without the nodes that something else carries."""
    keep = ~taken[follow.nodes]
    return replace(
        follow,
        nodes=follow.nodes[keep],
        masters=follow.masters[keep],
        weights=follow.weights[keep],
        turning=follow.turning[keep],
        arms=follow.arms[keep],
        rule=follow.rule and partial(_some, follow.rule, keep),
    )


def _some(rule: Callable[[Floats], Rule], keep: NDArray[np.bool_], nodes: Floats) -> Rule:
    weights, turning, arms = rule(nodes)
    return weights[keep], turning[keep], arms[keep]


def _following(ties: Ties, follows: Sequence[Follow]) -> Ties:
    """Ties with bonded nodes put in; a bonded node may follow others that follow in turn."""
    nodes = np.concatenate([follow.nodes for follow in follows])
    if len(np.unique(nodes)) < len(nodes):
        raise TieConflict("a node is bonded twice", nodes, ())
    dofs = (3 * nodes[:, None] + np.arange(3)).ravel()
    rule = sparse.vstack(
        [follow.matrix(follow.weights, ties.n_nodes) for follow in follows], format="csr"
    )
    within = rule[:, dofs]  # bonded nodes that follow bonded nodes
    start = rule @ ties.matrix
    total = start
    for _ in range(8):
        if within.nnz == 0:
            break
        start = within @ start
        if start.nnz == 0:
            break
        total = total + start
    else:
        raise TieConflict("bonds follow each other in a circle", nodes, ())
    return Ties(
        ties.n_nodes,
        ties.plain,
        np.concatenate([ties.tied, dofs]),
        sparse.vstack([ties.block, total], format="csr"),
        ties.hubs,
        ties.hub_slices,
        ties.hub_rows,
        ties.hub_bases,
        ties.held_nodes,
        ties.held_projectors,
        ties.node_places,
        ties.place_of,
        tuple(follows),
    )


def free_motions(
    places: Floats,
    held: Sequence[HeldNodes],
    hubs: Sequence[StiffHub],
    everywhere: Floats | None = None,
) -> Floats:
    """Rigid motions (k, 6) that nothing holds: displacement of the centroid of `places` (mm) and
    turn (rad), unit length overall. `everywhere` are the places by node number when `places` leaves
    some out."""
    everywhere = places if everywhere is None else everywhere
    centre = places.mean(axis=0)
    scale = max(float(np.linalg.norm(np.ptp(places, axis=0))) / 2, 1e-9)
    rows = [np.zeros((0, 6))]
    for item in held:
        vectors = item.directions.reshape(-1, 3)
        if item.turns:
            rows.append(np.concatenate([0 * vectors, vectors], axis=1))
            continue
        arms = np.repeat(everywhere[item.nodes] - centre, item.directions.shape[1], axis=0)
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
