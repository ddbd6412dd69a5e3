"""Element matrices to one sparse symmetric matrix, of which only the upper triangle is kept.

The pattern is found once per mesh, pair of nodes by pair of nodes; each assembly is then nine sums over known places.
"""
from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class Pattern:
    """Places of element node pairs in the upper triangle, three unknowns per node.

    n_nodes; pair (m, p): number of the node pair of each upper element pair; left, right (p,): element nodes of those
    pairs; turned (m, p): True where the pair's nodes stand in falling order, so that its block is transposed;
    indptr, indices: CSR pattern of the matrix; place (n_pairs, 9): where a pair's block goes, -1 below the diagonal.
    """

    n_nodes: int
    pair: Ints
    left: Ints
    right: Ints
    turned: NDArray[np.bool_]
    indptr: Ints
    indices: Ints
    place: Ints


def make_pattern(n_nodes: int, elements: Ints) -> Pattern:
    """Pattern of elements (m, n) on `n_nodes` nodes of three unknowns each."""
    left, right = np.triu_indices(elements.shape[1])
    a, b = elements[:, left], elements[:, right]
    low, high = np.minimum(a, b), np.maximum(a, b)
    alone = np.arange(n_nodes, dtype=np.int64)
    keys = np.concatenate([(low * n_nodes + high).ravel(), alone * n_nodes + alone])
    unique, inverse = np.unique(keys, return_inverse=True)
    row, column = unique // n_nodes, unique % n_nodes
    first = np.searchsorted(row, alone)
    rank = np.arange(len(unique)) - first[row]  # 0 is the diagonal block: it has the least column of its row
    blocks = np.bincount(row, minlength=n_nodes)
    per_row = (3 * (blocks[:, None] - 1) + np.array([3, 2, 1])).ravel()
    indptr = np.concatenate([[0], np.cumsum(per_row)])
    indices = np.empty(indptr[-1], dtype=np.int64)
    place = np.full((len(unique), 9), -1, dtype=np.int64)
    diagonal = rank == 0
    for k in range(3):
        start = indptr[3 * row + k]
        for j in range(3):
            if j >= k:
                place[diagonal, 3 * k + j] = start[diagonal] + j - k
            off = ~diagonal
            place[off, 3 * k + j] = start[off] + (3 - k) + 3 * (rank[off] - 1) + j
            there = place[:, 3 * k + j] >= 0
            indices[place[there, 3 * k + j]] = 3 * column[there] + j
    return Pattern(n_nodes, inverse[:a.size].reshape(a.shape), left, right, a > b, indptr, indices, place)


def assemble(pattern: Pattern, parts: Iterable[tuple[slice, Floats]]) -> sparse.csr_matrix:
    """Upper triangle (3 n_nodes square) of the sum of symmetric element matrices (m, 3n, 3n), given slice by slice."""
    blocks = np.zeros((9, len(pattern.place)))
    for rows, matrices in parts:
        m, size, _ = matrices.shape
        cells = matrices.reshape(m, size // 3, 3, size // 3, 3)[:, pattern.left, :, pattern.right]  # (p, m, 3, 3)
        pair, turned = pattern.pair[rows].T.ravel(), pattern.turned[rows].T[..., None, None]
        cells = np.where(turned, np.swapaxes(cells, -1, -2), cells).reshape(-1, 9)
        low = int(pair.min())
        length = int(pair.max()) - low + 1
        for k in range(9):
            blocks[k, low:low + length] += np.bincount(pair - low, weights=cells[:, k], minlength=length)
    data = np.zeros(len(pattern.indices))
    for k in range(9):
        there = pattern.place[:, k] >= 0
        data[pattern.place[there, k]] = blocks[k, there]
    size = 3 * pattern.n_nodes
    return sparse.csr_matrix((data, pattern.indices, pattern.indptr), shape=(size, size))


def assemble_scalar(pattern: Pattern, parts: Iterable[tuple[slice, Floats]]) -> sparse.csr_matrix:
    """Like `assemble` for matrices (m, n, n) that act alike on x, y and z; keeps the pattern of `assemble`."""
    total = np.zeros(len(pattern.place))
    for rows, matrices in parts:
        cells = matrices[:, pattern.left, pattern.right].ravel()
        total += np.bincount(pattern.pair[rows].ravel(), weights=cells, minlength=len(total))
    data = np.zeros(len(pattern.indices))
    for k in (0, 4, 8):
        data[pattern.place[:, k]] = total
    size = 3 * pattern.n_nodes
    return sparse.csr_matrix((data, pattern.indices, pattern.indptr), shape=(size, size))


def times(upper: sparse.csr_matrix, x: Floats) -> Floats:
    """Product of the symmetric matrix whose upper triangle is given with x (n,) or (n, k)."""
    diagonal = upper.diagonal()
    return np.asarray(upper @ x + upper.T @ x - (diagonal * x.T).T)


def full(upper: sparse.csr_matrix) -> sparse.csr_matrix:
    """Both triangles."""
    return sparse.csr_matrix(upper + sparse.triu(upper, 1).T)
