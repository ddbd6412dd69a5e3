"""Element matrices to one sparse symmetric matrix, of which only the upper triangle is kept.

The pattern is found once per mesh, pair of nodes by pair of nodes; each assembly then adds to known
places (compiled)."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray
from scipy import sparse

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
_compiled: Any = numba.njit(cache=True, nogil=True)


@dataclass(frozen=True)
class BlockPlaces:
    """Where the matrices of one block of like elements (m, n nodes) go.

    pair (m, p): for each pair of element nodes, on and above the diagonal row by row, the pair of
    mesh nodes it is; -1 less that where the element's nodes stand in falling order, so that its
    block goes in transposed.
    """

    nodes: int
    pair: NDArray[np.int32]


@dataclass(frozen=True)
class Pattern:
    """Places of element matrices in the upper triangle, three unknowns per node.

    A node of six motions counts as two nodes here: its place and its turn (see `solve.system`).
    n_nodes; indptr, indices: CSR pattern of the matrix; blocks: places of each block of elements;
    base (pairs, 3): entry (k, l) of a pair's block goes to base[pair, k] + l; used (n_nodes,):
    nodes that have an element.
    """

    n_nodes: int
    indptr: NDArray[np.int32]
    indices: NDArray[np.int32]
    blocks: tuple[BlockPlaces, ...]
    base: Ints
    used: NDArray[np.bool_]


@_compiled
def _count_pairs(elements: Ints, count: Ints) -> None:
    """Add how many pairs of different nodes have each node (n,) as their lower one."""
    for e in range(len(elements)):
        for i in range(elements.shape[1]):
            for j in range(i + 1, elements.shape[1]):
                count[min(elements[e, i], elements[e, j])] += 1


@_compiled
def _list_pairs(elements: Ints, place: Ints, other: Ints) -> None:
    """Put the higher node of each such pair where `place` (n,), which moves on, says."""
    for e in range(len(elements)):
        for i in range(elements.shape[1]):
            for j in range(i + 1, elements.shape[1]):
                low = min(elements[e, i], elements[e, j])
                other[place[low]] = max(elements[e, i], elements[e, j])
                place[low] += 1


@_compiled
def _unique_rows(start: Ints, other: Ints, first: Ints) -> int:
    """Sort each row of `other` and keep every node once, with the node itself before them: first
    (n + 1,) is where the rows begin then, `other` in place but for the nodes themselves, which are
    not stored. The number of pairs, diagonal ones included, is returned."""
    total, kept = 0, 0
    for row in range(len(start) - 1):
        own = np.sort(other[start[row] : start[row + 1]])
        first[row] = total
        total += 1
        last = -1
        for value in own:
            if value != last:
                other[kept] = value
                kept += 1
                total += 1
                last = value
    first[len(start) - 1] = total
    return total


@_compiled
def _pairs_of(elements: Ints, first: Ints, other: Ints, pair: NDArray[np.int32]) -> None:
    """pair (m, p) as in `BlockPlaces`; row r of `other` begins at first[r] - r."""
    for e in range(len(elements)):
        number = 0
        for i in range(elements.shape[1]):
            for j in range(i, elements.shape[1]):
                a, b = elements[e, i], elements[e, j]
                low, high = min(a, b), max(a, b)
                found = first[low]
                if a != b:
                    begin, end = first[low] - low, first[low + 1] - low - 1
                    found += 1 + np.searchsorted(other[begin:end], high)
                pair[e, number] = found if a <= b else -1 - found
                number += 1


@_compiled
def _columns(
    first: Ints, other: Ints, indptr: Ints, indices: NDArray[np.int32], base: Ints
) -> None:
    """Fill the CSR pattern and base (pairs, 3): row 3r + k holds the rest of its own diagonal block
    and then three columns of each higher node."""
    for row in range(len(first) - 1):
        beside = first[row + 1] - first[row] - 1
        for k in range(3):
            at = indptr[3 * row + k]
            base[first[row], k] = at - k
            for l in range(k, 3):
                indices[at + l - k] = 3 * row + l
            for rank in range(beside):
                begin = at + 3 - k + 3 * rank
                base[first[row] + 1 + rank, k] = begin
                for l in range(3):
                    indices[begin + l] = 3 * other[first[row] - row + rank] + l


def make_pattern(n_nodes: int, *blocks: Ints) -> Pattern:
    """Pattern of blocks of elements (m, n), each of its own n, on `n_nodes` nodes of three
    unknowns each. Raises ValueError where an element has one node twice."""
    blocks = tuple(np.ascontiguousarray(block, dtype=np.int64) for block in blocks)
    for block in blocks:
        if len(block) and not np.diff(np.sort(block, axis=1), axis=1).all():
            raise ValueError("an element has one node twice")
    count = np.zeros(n_nodes, dtype=np.int64)
    for block in blocks:
        _count_pairs(block, count)
    start = np.concatenate([[0], np.cumsum(count)])
    other, place = np.empty(start[-1], dtype=np.int64), start[:-1].copy()
    for block in blocks:
        _list_pairs(block, place, other)
    first = np.empty(n_nodes + 1, dtype=np.int64)
    pairs = _unique_rows(start, other, first)
    per_row = (3 * (np.diff(first)[:, None] - 1) + np.array([3, 2, 1])).ravel()
    indptr = np.concatenate([[0], np.cumsum(per_row)])
    indices, base = np.empty(indptr[-1], dtype=np.int32), np.empty((pairs, 3), dtype=np.int64)
    _columns(first, other, indptr, indices, base)
    found = []
    for block in blocks:
        n = block.shape[1]
        pair = np.empty((len(block), n * (n + 1) // 2), dtype=np.int32)
        _pairs_of(block, first, other, pair)
        found.append(BlockPlaces(n, pair))
    used = np.zeros(n_nodes, dtype=bool)
    for block in blocks:
        used[block.ravel()] = True
    return Pattern(n_nodes, indptr.astype(np.int32), indices, tuple(found), base, used)


Part = tuple[int, slice, Floats]  # number of the block, its elements, their matrices


@_compiled
def _add(matrices: Floats, pair: NDArray[np.int32], base: Ints, data: Floats) -> None:
    """data += matrices (m, 3n, 3n) at their places."""
    n = matrices.shape[1] // 3
    for e in range(len(matrices)):
        number = 0
        for i in range(n):
            for j in range(i, n):
                at = pair[e, number]
                number += 1
                one, two = (i, j) if at >= 0 else (j, i)
                row = at if at >= 0 else -1 - at
                for k in range(3):
                    begin = base[row, k]
                    for l in range(k if i == j else 0, 3):
                        data[begin + l] += matrices[e, 3 * one + k, 3 * two + l]


@_compiled
def _add_alike(matrices: Floats, pair: NDArray[np.int32], base: Ints, data: Floats) -> None:
    """The same with matrices (m, n, n) that act alike on x, y and z."""
    n = matrices.shape[1]
    for e in range(len(matrices)):
        number = 0
        for i in range(n):
            for j in range(i, n):
                at = pair[e, number]
                number += 1
                row = at if at >= 0 else -1 - at
                for k in range(3):
                    data[base[row, k] + k] += matrices[e, i, j]


class Sum:
    """A matrix to which element matrices are added, slice by slice."""

    def __init__(self, pattern: Pattern) -> None:
        self._pattern, self._data = pattern, np.zeros(len(pattern.indices))

    def add(self, number: int, rows: slice, matrices: Floats) -> None:
        """Add symmetric matrices of some elements of a block: (m, 3n, 3n), or (m, n, n) where a
        matrix acts alike on x, y and z."""
        block = self._pattern.blocks[number]
        add = _add_alike if matrices.shape[1] == block.nodes else _add
        add(np.ascontiguousarray(matrices), block.pair[rows], self._pattern.base, self._data)

    def matrix(self) -> sparse.csr_matrix:
        """The upper triangle (3 n_nodes square), always of the same pattern."""
        size = 3 * self._pattern.n_nodes
        return sparse.csr_matrix(
            (self._data, self._pattern.indices, self._pattern.indptr), shape=(size, size)
        )


def assemble(pattern: Pattern, parts: Iterable[Part]) -> sparse.csr_matrix:
    """Upper triangle of the sum of `parts`, see `Sum`."""
    total = Sum(pattern)
    for part in parts:
        total.add(*part)
    return total.matrix()


@_compiled
def _add_forces(members: Ints, forces: Floats, total: Floats) -> None:
    for e in range(len(members)):
        for i in range(members.shape[1]):
            for x in range(3):
                total[members[e, i], x] += forces[e, i, x]


def add_forces(members: Ints, forces: Floats, total: Floats) -> None:
    """total (n, 3) += forces (m, k, 3) on the nodes of elements (m, k)."""
    if len(members):
        _add_forces(np.ascontiguousarray(members), np.ascontiguousarray(forces), total)


def added(
    one: sparse.csr_matrix, other: sparse.csr_matrix, share: float = 1.0
) -> sparse.csr_matrix:
    """one + share * other; where both have one pattern, the sum has it too, entries that cancel
    included, so that it can be factorised like them."""
    if one.indices is other.indices or (
        np.array_equal(one.indptr, other.indptr) and np.array_equal(one.indices, other.indices)
    ):
        data = one.data + share * other.data
        return sparse.csr_matrix((data, one.indices, one.indptr), shape=one.shape)
    return sparse.csr_matrix(one + share * other)


def times(upper: sparse.csr_matrix, x: Floats) -> Floats:
    """Product of the symmetric matrix whose upper triangle is given with x (n,) or (n, k)."""
    diagonal = upper.diagonal()
    return np.asarray(upper @ x + upper.T @ x - (diagonal * x.T).T)


def full(upper: sparse.csr_matrix) -> sparse.csr_matrix:
    """Both triangles."""
    return sparse.csr_matrix(upper + sparse.triu(upper, 1).T)
