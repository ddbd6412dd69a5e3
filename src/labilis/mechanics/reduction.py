"""Tᵀ K T of every matrix of one pattern: what goes where is found once, the numbers are compiled.

All results have one pattern, entries that happen to be nought included: an analysis of it serves
all factors, sums are sums of numbers, and the unknowns of a node stay in one block of the factor,
which solves for many vectors in two thirds of the time (stand and mast of the demos, 1.4 and 1.3
times as many entries)."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from labilis.mechanics.assembly import Pattern
from labilis.mechanics.ties import Follow, Ties

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Small = NDArray[np.int32]
_compiled: Any = numba.njit(cache=True, nogil=True)
_FEW = 16  # masters up to which the matrix of an arm is formed: bonds; a spread hub has hundreds


@_compiled
def _couple(
    indptr: Small, indices: Small, tied_of: Small, used: NDArray[np.bool_], at: Ints, fill: bool,
    source: Ints, other: Small,
) -> None:  # fmt: skip
    """For each unknown of the mesh, its entries with tied unknowns: source, their places in K, and
    other, the tied ones. Counted into `at` first, then filled where `at` says, which moves on.
    Nodes without an element have rows of nothing."""
    for i in range(len(tied_of)):
        for k in range(indptr[i], indptr[i + 1]):
            j = indices[k]
            one, two = tied_of[i], tied_of[j]
            if one >= 0 and two >= 0 and not (used[i // 3] and used[j // 3]):
                continue
            if two >= 0:
                if fill:
                    source[at[i]], other[at[i]] = k, two
                at[i] += 1
            if one >= 0 and i != j:
                if fill:
                    source[at[j]], other[at[j]] = k, one
                at[j] += 1


@_compiled
def _beside(
    i: int, start: Ints, source: Ints, other: Small, data: Floats,
    block_start: Small, block_column: Small, block: Floats, sums: Floats, seen: Ints, touched: Ints,
) -> int:  # fmt: skip
    """Row i of K[:, tied] `block` into `sums`; number and list of the columns that it touches."""
    count = 0
    for c in range(start[i], start[i + 1]):
        value = data[source[c]]
        for k in range(block_start[other[c]], block_start[other[c] + 1]):
            column = block_column[k]
            if seen[column] != i:
                seen[column] = i
                sums[column] = 0.0
                touched[count] = column
                count += 1
            sums[column] += value * block[k]
    return count


@_compiled
def _pairs(
    start: Ints, source: Ints, other: Small, plain_of: Small, tied_of: Small,
    block_start: Small, block_column: Small, size: int, fill: bool, low: Small, high: Small,
) -> int:  # fmt: skip
    """Pairs of reduced unknowns that tied ones bring, in the order in which `_reduce` adds to
    them; their number."""
    sums, seen = np.zeros(size), np.full(size, -1, dtype=np.int64)
    touched = np.zeros(size, dtype=np.int64)
    data, block = np.zeros(1), np.zeros(len(block_column))
    nothing = np.zeros(len(source), dtype=np.int64)
    total = 0
    for i in range(len(plain_of)):
        if start[i] == start[i + 1] or (plain_of[i] < 0 and tied_of[i] < 0):
            continue
        count = _beside(
            i, start, nothing, other, data, block_start, block_column, block, sums, seen, touched
        )  # fmt: skip
        if plain_of[i] >= 0:
            for t in range(count):
                if fill:
                    low[total] = min(plain_of[i], touched[t])
                    high[total] = max(plain_of[i], touched[t])
                total += 1
            continue
        for k in range(block_start[tied_of[i]], block_start[tied_of[i] + 1]):
            for t in range(count):
                if touched[t] >= block_column[k]:
                    if fill:
                        low[total], high[total] = block_column[k], touched[t]
                    total += 1
    return total


@_compiled
def _find(indptr: Small, indices: Small, low: int, high: int) -> int:
    """Place of an entry, -1 where the pattern does not have it."""
    begin, end = indptr[low], indptr[low + 1]
    at = begin + np.searchsorted(indices[begin:end], high)
    return at if at < end and indices[at] == high else -1


@_compiled
def _places(indptr: Small, indices: Small, low: Small, high: Small, where: Small) -> None:
    for k in range(len(low)):
        where[k] = _find(indptr, indices, low[k], high[k])


@_compiled
def _reduce(
    indptr: Small, indices: Small, data: Floats, plain_of: Small, tied_of: Small,
    start: Ints, source: Ints, other: Small,
    block_start: Small, block_column: Small, block: Floats, where: Small,
    out_start: Small, out_column: Small, out: Floats,
) -> None:  # fmt: skip
    """out += Tᵀ K T."""
    size = len(out_start) - 1
    sums, seen = np.zeros(size), np.full(size, -1, dtype=np.int64)
    touched = np.zeros(size, dtype=np.int64)
    total = 0
    for i in range(len(plain_of)):
        own = plain_of[i]
        if own >= 0:
            at = out_start[own]
            for k in range(indptr[i], indptr[i + 1]):
                column = plain_of[indices[k]]
                if column >= 0:
                    while out_column[at] != column:
                        at += 1
                    out[at] += data[k]
        if start[i] == start[i + 1] or (own < 0 and tied_of[i] < 0):
            continue
        count = _beside(
            i, start, source, other, data, block_start, block_column, block, sums, seen, touched
        )  # fmt: skip
        if own >= 0:  # A + Aᵀ: what is on the diagonal comes twice
            for t in range(count):
                twice = 2.0 if touched[t] == own else 1.0
                out[where[total]] += twice * sums[touched[t]]
                total += 1
            continue
        for k in range(block_start[tied_of[i]], block_start[tied_of[i] + 1]):
            for t in range(count):
                if touched[t] >= block_column[k]:
                    out[where[total]] += block[k] * sums[touched[t]]
                    total += 1


@_compiled
def _add_entries(
    start: Small, column: Small, values: Floats,
    out_start: Small, out_column: Small, out: Floats,
) -> bool:  # fmt: skip
    """out += a matrix of few entries; False, and nothing added, where the pattern lacks one."""
    for only_look in (True, False):
        for i in range(len(start) - 1):
            for k in range(start[i], start[i + 1]):
                at = _find(out_start, out_column, i, column[k])
                if at < 0 and values[k] != 0.0:
                    return False
                if not only_look and at >= 0:
                    out[at] += values[k]
    return True


@_compiled
def _row(i: int, plain_of: Small, tied_of: Small, block_start: Small) -> tuple[int, int]:
    """Where row i of T stands in its block; (-1, 0) for an unknown that stays, (0, 0) for none."""
    if plain_of[i] >= 0:
        return -1, 0
    if tied_of[i] < 0:
        return 0, 0
    return block_start[tied_of[i]], block_start[tied_of[i] + 1]


@_compiled
def _add_local(
    members: Ints, matrices: Floats, plain_of: Small, tied_of: Small,
    block_start: Small, block_column: Small, block: Floats,
    out_start: Small, out_column: Small, out: Floats,
) -> bool:  # fmt: skip
    """out += Tᵀ (matrices (m, 3p, 3p) on members (m, p)) T; False where the pattern lacks a
    place."""
    for e in range(len(members)):
        for i in range(matrices.shape[1]):
            one = 3 * members[e, i // 3] + i % 3
            first, last = _row(one, plain_of, tied_of, block_start)
            for j in range(matrices.shape[1]):
                two = 3 * members[e, j // 3] + j % 3
                begin, end = _row(two, plain_of, tied_of, block_start)
                for k in range(first, last if first >= 0 else 0):
                    a = plain_of[one] if k < 0 else block_column[k]
                    x = matrices[e, i, j] * (1.0 if k < 0 else block[k])
                    for l in range(begin, end if begin >= 0 else 0):
                        b = plain_of[two] if l < 0 else block_column[l]
                        value = x * (1.0 if l < 0 else block[l])
                        if a > b or value == 0.0:
                            continue
                        at = _find(out_start, out_column, a, b)
                        if at < 0:
                            return False
                        out[at] += value
    return True


class Reduction:
    """Makes Tᵀ K T (upper triangle) of the matrices of a pattern, for ties whose `block` has one
    structure: those of a part at rest and at any motion."""

    def __init__(self, pattern: Pattern, ties: Ties) -> None:
        n = 3 * pattern.n_nodes
        self._pattern = pattern
        self._plain, self._tied = ties.plain, ties.tied
        self._block_start = ties.block.indptr.astype(np.int32)
        self._block_column = ties.block.indices.astype(np.int32)
        self._plain_of = np.full(n, -1, dtype=np.int32)
        self._plain_of[ties.plain] = np.arange(len(ties.plain))
        self._tied_of = np.full(n, -1, dtype=np.int32)
        self._tied_of[ties.tied] = np.arange(len(ties.tied))
        self._find_coupling()
        low, high = self._find_pairs(ties.size)
        self._start, self._column = _union(self._between_plain(ties.size), low, high)
        self._where = np.empty(len(low), dtype=np.int32)
        _places(self._start, self._column, low, high, self._where)

    def _find_coupling(self) -> None:
        """Entries of K with tied unknowns, row by row."""
        pattern, n, none = self._pattern, len(self._plain_of), np.zeros(0, dtype=np.int32)
        count = np.zeros(n, dtype=np.int64)
        known = (pattern.indptr, pattern.indices, self._tied_of, pattern.used)
        _couple(*known, count, False, none.astype(np.int64), none)
        self._coupled = np.concatenate([[0], np.cumsum(count)])
        self._source = np.empty(self._coupled[-1], dtype=np.int64)
        self._other = np.empty(self._coupled[-1], dtype=np.int32)
        _couple(*known, self._coupled[:-1].copy(), True, self._source, self._other)

    def _find_pairs(self, size: int) -> tuple[Small, Small]:
        """Pairs of reduced unknowns in the order in which they are added to."""
        known = (
            self._coupled, self._source, self._other, self._plain_of, self._tied_of,
            self._block_start, self._block_column, size,
        )  # fmt: skip
        none = np.zeros(0, dtype=np.int32)
        count = _pairs(*known, False, none, none)
        low, high = np.empty(count, dtype=np.int32), np.empty(count, dtype=np.int32)
        _pairs(*known, True, low, high)
        return low, high

    def _between_plain(self, size: int) -> sparse.csr_matrix:
        """Pattern (size square, ones) of what K has between unknowns that stay as they are."""
        pattern, n = self._pattern, len(self._plain_of)
        ones = sparse.csr_matrix(
            (np.ones(len(pattern.indices), dtype=np.int8), pattern.indices, pattern.indptr),
            shape=(n, n),
        )
        kept = ones[self._plain][:, self._plain]
        end = np.full(size - len(self._plain), kept.indptr[-1])
        return sparse.csr_matrix(
            (kept.data, kept.indices, np.concatenate([kept.indptr, end])), shape=(size, size)
        )

    def fits(self, ties: Ties) -> bool:
        """Whether these ties have the structure that this was made for."""
        return (
            np.array_equal(ties.block.indptr, self._block_start)
            and np.array_equal(ties.block.indices, self._block_column)
            and np.array_equal(ties.plain, self._plain)
            and np.array_equal(ties.tied, self._tied)
        )

    def matrix(
        self, upper: sparse.csr_matrix, ties: Ties, internal: Floats | None = None
    ) -> sparse.csr_matrix:
        """Tᵀ K T from the upper triangle of K, which has the pattern that this was made for, with
        the ties' own geometric stiffness under nodal forces `internal` (3n,) = K u - f."""
        pattern, size = self._pattern, ties.size
        if upper.nnz != len(pattern.indices):
            raise ValueError("the matrix has another pattern")
        out = np.zeros(len(self._column))
        _reduce(
            pattern.indptr, pattern.indices, upper.data, self._plain_of, self._tied_of,
            self._coupled, self._source, self._other,
            self._block_start, self._block_column, np.ascontiguousarray(ties.block.data),
            self._where, self._start, self._column, out,
        )  # fmt: skip
        found = sparse.csr_matrix((out, self._column, self._start), shape=(size, size))
        if internal is None:
            return found
        if ties.hubs:
            found = self.plus(found, ties.hub_geometric(internal))
        for follow in ties.follows:
            if len(follow.nodes):
                found = self._with_bent(found, ties, follow, internal)
        return found

    def _with_bent(
        self, found: sparse.csr_matrix, ties: Ties, follow: Follow, internal: Floats
    ) -> sparse.csr_matrix:
        """With the geometric stiffness of the arms of a tie."""
        if follow.masters.shape[1] <= _FEW and found.nnz == len(self._column):
            extra = np.zeros(len(self._column))
            if _add_local(
                np.ascontiguousarray(follow.masters), follow.bending(internal),
                self._plain_of, self._tied_of,
                self._block_start, self._block_column, np.ascontiguousarray(ties.block.data),
                self._start, self._column, extra,
            ):  # fmt: skip
                data = found.data + extra
                return sparse.csr_matrix((data, found.indices, found.indptr), shape=found.shape)
        return self.plus(found, ties.follow_geometric(follow, internal))

    def plus(self, found: sparse.csr_matrix, other: sparse.csr_matrix) -> sparse.csr_matrix:
        """The sum of a matrix made here and of another upper triangle of this size, in the same
        pattern where that holds both."""
        other = sparse.csr_matrix(other)
        if found.nnz == len(self._column):
            data = found.data.copy()
            if _add_entries(
                other.indptr.astype(np.int32), other.indices.astype(np.int32), other.data,
                self._start, self._column, data,
            ):  # fmt: skip
                return sparse.csr_matrix((data, found.indices, found.indptr), shape=found.shape)
        return sparse.csr_matrix(found + other)


def _union(between: sparse.csr_matrix, low: Small, high: Small) -> tuple[Small, Small]:
    """(indptr, indices) of a pattern with pairs (low, high) put in."""
    extra = sparse.csr_matrix((np.ones(len(low), dtype=np.int8), (low, high)), shape=between.shape)
    extra.data[:] = 1  # duplicates were summed, and 256 of them are nought in a byte
    whole = sparse.csr_matrix(between + extra)
    whole.sort_indices()
    return whole.indptr.astype(np.int32), whole.indices.astype(np.int32)
