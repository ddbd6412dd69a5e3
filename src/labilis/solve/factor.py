"""Sparse symmetric factorisation: MKL PARDISO, or SuperLU of SciPy where MKL is missing.

One small interface: ``factor(A) -> solve(B), negative_pivots``. A is given by its upper triangle.
"""
from __future__ import annotations

import ctypes
from functools import lru_cache
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.linalg import splu

from labilis.mechanics.assembly import full

Floats = NDArray[np.float64]


class NotPositive(ArithmeticError):
    """The matrix was expected to be positive definite and is not."""


class Factor(Protocol):
    """A factorised symmetric matrix."""

    negative_pivots: int

    def solve(self, b: Floats) -> Floats:
        """x with A x = b for b (n,) or (n, k)."""

    def free(self) -> None:
        """Give the memory back."""


@lru_cache(maxsize=1)
def pardiso_routine() -> Any:
    """MKL's `pardiso` as a ctypes function, or None where there is no MKL."""
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

    def __init__(self, upper: sparse.csr_matrix, positive: bool) -> None:
        upper.sort_indices()
        self._n = upper.shape[0]
        self._a = np.ascontiguousarray(upper.data, dtype=np.float64)
        self._ia = np.ascontiguousarray(upper.indptr, dtype=np.int32)
        self._ja = np.ascontiguousarray(upper.indices, dtype=np.int32)
        self._pt = np.zeros(64, dtype=np.int64)
        self._type = 2 if positive else -2
        iparm = np.zeros(64, dtype=np.int32)
        iparm[0] = 1  # own settings below
        iparm[1] = 2  # METIS ordering
        iparm[9] = 8  # perturb pivots under 1e-8
        iparm[17] = -1  # report the factor's entries
        iparm[20] = 1  # 1x1 and 2x2 pivots
        iparm[34] = 1  # indices from zero
        self._iparm = iparm
        self._live = True
        dummy = np.zeros(1)
        error = self._call(12, dummy, dummy, 1)
        if error:
            self.free()
            if error == -4 and positive:
                raise NotPositive("the stiffness is not positive definite")
            if error == -2:
                raise MemoryError("not enough memory for the factors")
            raise ArithmeticError(f"PARDISO error {error} while factorising")
        self.negative_pivots = int(iparm[22]) if not positive else 0
        self.entries = int(iparm[17])

    def _call(self, phase: int, b: Floats, x: Floats, columns: int) -> int:
        error = ctypes.c_int32(0)
        ints = ctypes.POINTER(ctypes.c_int32)

        def number(value: int) -> Any:
            return ctypes.byref(ctypes.c_int32(value))

        perm = np.zeros(1, dtype=np.int32)
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

    def __init__(self, upper: sparse.csr_matrix, positive: bool) -> None:
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


def factor(upper: sparse.csr_matrix, positive: bool = True) -> Factor:
    """Factorise the symmetric matrix with this upper triangle; `positive` expects a positive definite one.

    Raises NotPositive, MemoryError or ArithmeticError.
    """
    if pardiso_routine() is not None:
        return PardisoFactor(upper, positive)
    return SuperLuFactor(upper, positive)
