"""Element matrices to one sparse symmetric matrix, of which only the upper triangle is kept.

The pattern is found once per mesh, pair of nodes by pair of nodes; each assembly is then one sum over known places.
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
    """Places of element matrices in the upper triangle, three unknowns per node.

    n_nodes; indptr, indices: CSR pattern of the matrix; rows, columns (u,): entries of an element matrix on and above its
    diagonal block by block; slot (m, u): where each of them goes in the data (transposed where an element's nodes stand in falling
    order); left, right (p,): pairs of element nodes, pair (m, p) the pair of mesh nodes each is, diagonal (pairs, 3) where the
    xx, yy and zz entries of a pair go, for matrices that act alike on x, y, z.
    """

    n_nodes: int
    indptr: Ints
    indices: Ints
    rows: Ints
    columns: Ints
    slot: NDArray[np.int32]
    left: Ints
    right: Ints
    pair: NDArray[np.int32]
    diagonal: Ints


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
    pair = inverse[:a.size].reshape(a.shape).astype(np.int32)
    entries = [(number, i, j, k, l) for number, (i, j) in enumerate(zip(left, right)) for k in range(3)
               for l in range(k if i == j else 0, 3)]
    # a pair in falling order takes its block transposed
    both = np.concatenate([place, place[:, [0, 3, 6, 1, 4, 7, 2, 5, 8]]])
    oriented = pair + np.where(a > b, np.int32(len(unique)), np.int32(0))
    slot = np.empty((len(elements), len(entries)), dtype=np.int32)
    for u, (number, _, _, k, l) in enumerate(entries):
        slot[:, u] = both[:, 3 * k + l][oriented[:, number]]
    return Pattern(n_nodes, indptr, indices, np.array([3 * i + k for _, i, _, k, _ in entries]),
                   np.array([3 * j + l for _, _, j, _, l in entries]), slot, left, right, pair, place[:, [0, 4, 8]].astype(np.int64))


def _sum(size: int, parts: Iterable[tuple[NDArray[np.int32], Floats]]) -> Floats:
    data = np.zeros(size)
    for slot, values in parts:
        data += np.bincount(slot.ravel(), weights=values.ravel(), minlength=size)
    return data


def _matrix(pattern: Pattern, data: Floats) -> sparse.csr_matrix:
    size = 3 * pattern.n_nodes
    return sparse.csr_matrix((data, pattern.indices, pattern.indptr), shape=(size, size))


def assemble(pattern: Pattern, parts: Iterable[tuple[slice, Floats]]) -> sparse.csr_matrix:
    """Upper triangle (3 n_nodes square) of the sum of symmetric element matrices (m, 3n, 3n), given slice by slice."""
    return _matrix(pattern, _sum(len(pattern.indices), (
        (pattern.slot[rows], matrices[:, pattern.rows, pattern.columns]) for rows, matrices in parts)))


def assemble_scalar(pattern: Pattern, parts: Iterable[tuple[slice, Floats]]) -> sparse.csr_matrix:
    """Like `assemble` for matrices (m, n, n) that act alike on x, y and z; keeps the pattern of `assemble`."""
    totals = _sum(len(pattern.diagonal), (
        (pattern.pair[rows], matrices[:, pattern.left, pattern.right]) for rows, matrices in parts))
    data = np.zeros(len(pattern.indices))
    data[pattern.diagonal] = totals[:, None]
    return _matrix(pattern, data)


def times(upper: sparse.csr_matrix, x: Floats) -> Floats:
    """Product of the symmetric matrix whose upper triangle is given with x (n,) or (n, k)."""
    diagonal = upper.diagonal()
    return np.asarray(upper @ x + upper.T @ x - (diagonal * x.T).T)


def full(upper: sparse.csr_matrix) -> sparse.csr_matrix:
    """Both triangles."""
    return sparse.csr_matrix(upper + sparse.triu(upper, 1).T)
