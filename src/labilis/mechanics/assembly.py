"""Element matrices to one sparse symmetric matrix, of which only the upper triangle is kept.

The pattern is found once per mesh, pair of nodes by pair of nodes; each assembly is then one sum
over known places."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class BlockPlaces:
    """Where the matrices of one block of like elements (m, n nodes) go.

    rows, columns (u,): entries of an element matrix on and above its diagonal block by block; slot
    (m, u): where each of them goes in the data (transposed where an element's nodes stand in
    falling order); left, right (p,): pairs of element nodes, pair (m, p) the pair of mesh nodes
    each is.
    """

    rows: Ints
    columns: Ints
    slot: NDArray[np.int32]
    left: Ints
    right: Ints
    pair: NDArray[np.int32]


@dataclass(frozen=True)
class Pattern:
    """Places of element matrices in the upper triangle, three unknowns per node.

    A node of six motions counts as two nodes here: its place and its turn (see `solve.system`).
    n_nodes; indptr, indices: CSR pattern of the matrix; blocks: places of each block of elements;
    diagonal (pairs, 3) where the xx, yy and zz entries of a pair go, for matrices that act alike on
    x, y, z.
    """

    n_nodes: int
    indptr: Ints
    indices: Ints
    blocks: tuple[BlockPlaces, ...]
    diagonal: Ints


def make_pattern(n_nodes: int, *blocks: Ints) -> Pattern:
    """Pattern of blocks of elements (m, n), each of its own n, on `n_nodes` nodes of three
    unknowns each."""
    pairs = [np.triu_indices(elements.shape[1]) for elements in blocks]
    low_high = [
        (elements[:, left], elements[:, right]) for elements, (left, right) in zip(blocks, pairs)
    ]
    alone = np.arange(n_nodes, dtype=np.int64)
    keys = np.concatenate(
        [(np.minimum(a, b) * n_nodes + np.maximum(a, b)).ravel() for a, b in low_high]
        + [alone * n_nodes + alone]
    )
    unique, inverse = np.unique(keys, return_inverse=True)
    row, column = unique // n_nodes, unique % n_nodes
    first = np.searchsorted(row, alone)
    rank = (
        np.arange(len(unique)) - first[row]
    )  # 0 is the diagonal block: it has the least column of its row
    count = np.bincount(row, minlength=n_nodes)
    per_row = (3 * (count[:, None] - 1) + np.array([3, 2, 1])).ravel()
    indptr = np.concatenate([[0], np.cumsum(per_row)])
    indices = np.empty(indptr[-1], dtype=np.int32)
    place = np.full((len(unique), 9), -1, dtype=np.int32)
    diagonal = rank == 0
    off = ~diagonal
    for k in range(3):
        start = indptr[3 * row + k]
        for j in range(3):
            if j >= k:
                place[diagonal, 3 * k + j] = start[diagonal] + j - k
            place[off, 3 * k + j] = start[off] + (3 - k) + 3 * (rank[off] - 1) + j
            there = place[:, 3 * k + j] >= 0
            indices[place[there, 3 * k + j]] = 3 * column[there] + j
    # a pair in falling order takes its block transposed
    both = np.concatenate([place, place[:, [0, 3, 6, 1, 4, 7, 2, 5, 8]]])
    found, begin = [], 0
    for elements, (left, right), (a, b) in zip(blocks, pairs, low_high):
        pair = inverse[begin : begin + a.size].reshape(a.shape).astype(np.int32)
        begin += a.size
        found.append(_block_places(len(elements), left, right, pair, a > b, both, len(unique)))
    return Pattern(n_nodes, indptr, indices, tuple(found), place[:, [0, 4, 8]].astype(np.int64))


def _block_places(
    count: int,
    left: Ints,
    right: Ints,
    pair: NDArray[np.int32],
    falling: NDArray[np.bool_],
    both: NDArray[np.int32],
    n_pairs: int,
) -> BlockPlaces:
    entries = [
        (number, i, j, k, l)
        for number, (i, j) in enumerate(zip(left, right))
        for k in range(3)
        for l in range(k if i == j else 0, 3)
    ]
    oriented = pair + np.where(falling, np.int32(n_pairs), np.int32(0))
    slot = np.empty((count, len(entries)), dtype=np.int32)
    for u, (number, _, _, k, l) in enumerate(entries):
        slot[:, u] = both[:, 3 * k + l][oriented[:, number]]
    return BlockPlaces(
        np.array([3 * i + k for _, i, _, k, _ in entries]),
        np.array([3 * j + l for _, _, j, _, l in entries]),
        slot,
        left,
        right,
        pair,
    )


Part = tuple[int, slice, Floats]  # number of the block, its elements, their matrices


def _matrix(pattern: Pattern, data: Floats) -> sparse.csr_matrix:
    size = 3 * pattern.n_nodes
    return sparse.csr_matrix((data, pattern.indices, pattern.indptr), shape=(size, size))


def assemble(pattern: Pattern, parts: Iterable[Part]) -> sparse.csr_matrix:
    """Upper triangle (3 n_nodes square) of the sum of symmetric element matrices, given slice by
    slice: (m, 3n, 3n), or (m, n, n) where a matrix acts alike on x, y and z. The pattern is always
    the same."""
    data = np.zeros(len(pattern.indices))
    alike = np.zeros(0)
    for number, rows, matrices in parts:
        block = pattern.blocks[number]
        if matrices.shape[1] == block.right.max() + 1:
            if not len(alike):
                alike = np.zeros(len(pattern.diagonal))
            alike += np.bincount(
                block.pair[rows].ravel(),
                weights=matrices[:, block.left, block.right].ravel(),
                minlength=len(alike),
            )
        else:
            data += np.bincount(
                block.slot[rows].ravel(),
                weights=matrices[:, block.rows, block.columns].ravel(),
                minlength=len(data),
            )
    if len(alike):
        data[pattern.diagonal] += alike[:, None]
    return _matrix(pattern, data)


def times(upper: sparse.csr_matrix, x: Floats) -> Floats:
    """Product of the symmetric matrix whose upper triangle is given with x (n,) or (n, k)."""
    diagonal = upper.diagonal()
    return np.asarray(upper @ x + upper.T @ x - (diagonal * x.T).T)


def full(upper: sparse.csr_matrix) -> sparse.csr_matrix:
    """Both triangles."""
    return sparse.csr_matrix(upper + sparse.triu(upper, 1).T)
