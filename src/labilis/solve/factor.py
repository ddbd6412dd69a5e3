"""Sparse symmetric factorisation: MKL PARDISO, or SuperLU of SciPy where MKL is missing.

One small interface: ``factor(A) -> solve(B), negative_pivots``. A is given by its upper triangle.
"""
from __future__ import annotations

import ctypes
import glob
import os
import sys
import time
from functools import lru_cache
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.linalg import splu

from labilis.mechanics.assembly import full

Floats = NDArray[np.float64]
_GROUPED = 20_000  # unknowns from which on the ordering is looked for on groups


class NotPositive(ArithmeticError):
    """The matrix was expected to be positive definite and is not."""


class Factor(Protocol):
    """A factorised symmetric matrix."""

    negative_pivots: int
    ordering: Any  # int32 array (n,), or None where the library has none to give

    def solve(self, b: Floats) -> Floats:
        """x with A x = b for b (n,) or (n, k)."""

    def free(self) -> None:
        """Give the memory back."""


@lru_cache(maxsize=1)
def pardiso_routine() -> Any:
    """MKL's `pardiso` as a ctypes function, or None where there is no MKL."""
    # pypardiso searches the whole environment for MKL, which takes longer than a small run: show it the usual place
    beside = sorted(glob.glob(os.path.join(sys.prefix, "lib", "libmkl_rt.so*")))
    if beside:
        os.environ.setdefault("PYPARDISO_MKL_RT", beside[0])
    try:
        from pypardiso.pardiso_wrapper import PyPardisoSolver

        return PyPardisoSolver()._mkl_pardiso
    except Exception:  # any failure to load MKL means the same: use SuperLU
        return None


def back_end() -> str:
    """Name of the library in use."""
    return "MKL PARDISO" if pardiso_routine() is not None else "SuperLU (SciPy)"


class PardisoFactor:
    """LLᵀ (positive) or LDLᵀ by MKL PARDISO; refinement is off, see `solve.strength` for the one residual check."""

    def __init__(self, upper: sparse.csr_matrix, positive: bool, ordering: NDArray[np.int32] | None = None,
                 analyse_only: bool = False) -> None:
        upper.sort_indices()
        if positive and (upper.diagonal() <= 0.0).any():  # the library may crash on an empty row
            raise NotPositive("a diagonal entry is not positive")
        self._n = upper.shape[0]
        self._a = np.ascontiguousarray(upper.data, dtype=np.float64)
        self._ia = np.ascontiguousarray(upper.indptr, dtype=np.int32)
        self._ja = np.ascontiguousarray(upper.indices, dtype=np.int32)
        self._pt = np.zeros(64, dtype=np.int64)
        self._type = 2 if positive else -2
        iparm = np.zeros(64, dtype=np.int32)
        iparm[0] = 1  # own settings below
        iparm[1] = 2  # METIS ordering
        if ordering is None:
            self.ordering: Any = np.zeros(self._n, dtype=np.int32)
            iparm[4] = 2  # give the ordering back, for matrices of the same pattern
        else:
            self.ordering = ordering
            iparm[4] = 1  # use this one and save the search for it
        iparm[9] = 8  # perturb pivots under 1e-8
        iparm[17] = -1  # report the factor's entries
        iparm[20] = 1  # 1x1 and 2x2 pivots
        iparm[34] = 1  # indices from zero
        self._iparm = iparm
        self._live = True
        dummy = np.zeros(1)
        started = time.perf_counter()
        error = self._call(11, dummy, dummy, 1)
        self.analysis_s = time.perf_counter() - started
        self.negative_pivots = self.entries = 0
        if analyse_only:
            return
        error = error or self._call(22, dummy, dummy, 1)
        self.numeric_s = time.perf_counter() - started - self.analysis_s
        if error:
            self.free()
            if error == -4 and positive:
                raise NotPositive("the stiffness is not positive definite")
            if error == -2:
                raise MemoryError("not enough memory for the factors")
            raise ArithmeticError(f"PARDISO error {error} while factorising")
        self.negative_pivots = int(iparm[22]) if not positive else 0
        self.entries = int(iparm[17])
        self.memory = 1024 * int(max(iparm[14], iparm[15] + iparm[16]))  # bytes at the peak of the factorisation

    def _call(self, phase: int, b: Floats, x: Floats, columns: int) -> int:
        error = ctypes.c_int32(0)
        ints = ctypes.POINTER(ctypes.c_int32)

        def number(value: int) -> Any:
            return ctypes.byref(ctypes.c_int32(value))

        perm = self.ordering
        pardiso_routine()(
            self._pt.ctypes.data_as(ctypes.POINTER(ctypes.c_int64)), number(1), number(1), number(self._type),
            number(phase), number(self._n), self._a.ctypes.data_as(ctypes.c_void_p), self._ia.ctypes.data_as(ints),
            self._ja.ctypes.data_as(ints), perm.ctypes.data_as(ints), number(columns), self._iparm.ctypes.data_as(ints),
            number(0), b.ctypes.data_as(ctypes.c_void_p), x.ctypes.data_as(ctypes.c_void_p), ctypes.byref(error))
        return error.value

    def solve(self, b: Floats) -> Floats:
        rhs = np.array(b, dtype=np.float64, order="F")
        x = np.zeros_like(rhs, order="F")
        error = self._call(33, rhs, x, 1 if rhs.ndim == 1 else rhs.shape[1])
        if error:
            raise ArithmeticError(f"PARDISO error {error} while solving")
        return x

    def free(self) -> None:
        if self._live:
            self._live = False
            self._call(-1, np.zeros(1), np.zeros(1), 1)

    def __del__(self) -> None:
        try:
            self.free()
        except Exception:  # the interpreter may be on its way out
            pass


class SuperLuFactor:
    """LU by SuperLU without row exchanges, so that the signs of the pivots count the negative eigenvalues."""

    ordering: Any = None

    def __init__(self, upper: sparse.csr_matrix, positive: bool, ordering: NDArray[np.int32] | None = None) -> None:
        matrix = full(upper).tocsc()
        self._lu = splu(matrix, permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True})
        pivots = self._lu.U.diagonal()
        self.negative_pivots = int((pivots < 0).sum())
        self.entries = int(self._lu.L.nnz)
        if positive and self.negative_pivots:
            raise NotPositive("the stiffness is not positive definite")

    def solve(self, b: Floats) -> Floats:
        return np.asarray(self._lu.solve(np.asarray(b, dtype=np.float64)))

    def free(self) -> None:
        self._lu = None


def group_ordering(upper: sparse.csr_matrix, groups: NDArray[np.int64]) -> NDArray[np.int32]:
    """Fill-reducing ordering (n,) found on the graph of groups of unknowns (the nodes), which has a ninth of the entries.

    `groups` (n,) numbers the group of each unknown from 0, without gaps. The result is PARDISO's `perm`: the old
    number of the unknown at each new place.
    """
    count = int(groups.max()) + 1
    first = np.full(count, -1, dtype=np.int64)
    first[groups[::-1]] = np.arange(len(groups))[::-1]
    rows = upper[first]  # one unknown of each group has the whole group's neighbours
    small = sparse.csr_matrix((np.ones(rows.nnz), groups[rows.indices], rows.indptr), shape=(count, count))
    small.sum_duplicates()
    small = sparse.csr_matrix(sparse.triu(small + small.T) + sparse.eye(count) * float(2 * count))
    analysed = PardisoFactor(small, positive=True, analyse_only=True)
    place = np.empty(count, dtype=np.int64)
    place[analysed.ordering] = np.arange(count)  # PARDISO lists which old row comes at each new place
    analysed.free()
    return np.argsort(place[groups], kind="stable").astype(np.int32)


def factor(upper: sparse.csr_matrix, positive: bool = True, like: Factor | None = None,
           groups: NDArray[np.int64] | None = None) -> Factor:
    """Factorise the symmetric matrix with this upper triangle; `positive` expects a positive definite one. `like` is a
    factor of a matrix of the same pattern, whose ordering is taken over; `groups` (see `group_ordering`) makes finding
    an ordering cheaper.

    Raises NotPositive, MemoryError or ArithmeticError.
    """
    if pardiso_routine() is not None:
        ordering = like.ordering if like is not None else None
        if ordering is None and groups is not None and len(groups) > _GROUPED:
            ordering = group_ordering(upper, groups)
        return PardisoFactor(upper, positive, ordering)
    return SuperLuFactor(upper, positive)
