"""The few routines of Intel's MKL that the solvers use, by ctypes; where there is no MKL, NumPy and
SciPy do the same more slowly.

MKL and NumPy's own linear algebra keep threads of their own, which wait for work by turning round
and so take the cores from each
other: with MKL at hand the other library is held to one thread, and large products go through MKL
too."""

from __future__ import annotations

import ctypes
import glob
import os
import sys
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from threadpoolctl import ThreadpoolController

from labilis.mechanics.assembly import times

Floats = NDArray[np.float64]
_AS_IT_IS = 10  # not transposed
_ROWS, _COLUMNS = 101, 102  # layouts: by rows, by columns
_PLAIN, _TRANSPOSED = 111, 112
_LITTLE_MEMORY = 80
_SYMMETRIC, _UPPER, _FULL_DIAGONAL = 21, 41, 50


@lru_cache(maxsize=1)
def library() -> Any:
    """MKL as a ctypes library, or None where there is none."""
    beside = sorted(glob.glob(os.path.join(sys.prefix, "lib", "libmkl_rt.so*")))
    if beside:
        # pypardiso searches the whole environment for MKL, which takes longer than a small run:
        # show it the usual place
        os.environ.setdefault("PYPARDISO_MKL_RT", beside[0])
    try:
        from pypardiso.pardiso_wrapper import PyPardisoSolver

        found = PyPardisoSolver().libmkl
        if not hasattr(found, "cblas_dgemm"):
            return None
    except Exception:  # any failure to load MKL means the same: do without
        return None
    ThreadpoolController().select(internal_api="openblas").limit(limits=1)
    return found


def _at(array: Floats) -> ctypes.c_void_p:
    return ctypes.c_void_p(array.ctypes.data)


def _gemm(alpha: float, a: Floats, b: Floats, beta: float, out: Floats) -> None:
    """out = alpha a b + beta out; out by columns, a and b by columns or rows."""
    (m, k), n = a.shape, b.shape[1]

    def how(x: Floats) -> tuple[int, int]:
        down, along = (step // x.itemsize for step in x.strides)
        by_columns = down == 1 and (x.shape[1] == 1 or along >= x.shape[0])
        return (
            (_PLAIN, max(along, x.shape[0])) if by_columns else (_TRANSPOSED, max(down, x.shape[1]))
        )

    (ta, la), (tb, lb) = how(a), how(b)
    library().cblas_dgemm(
        ctypes.c_int(_COLUMNS),
        ctypes.c_int(ta),
        ctypes.c_int(tb),
        ctypes.c_int(m),
        ctypes.c_int(n),
        ctypes.c_int(k),
        ctypes.c_double(alpha),
        _at(a),
        ctypes.c_int(la),
        _at(b),
        ctypes.c_int(lb),
        ctypes.c_double(beta),
        _at(out),
        ctypes.c_int(m),
    )


def _dense(x: Floats) -> Floats:
    """x as it stands if its rows or its columns are without gaps, else a copy."""
    return x if x.strides[0] == x.itemsize or x.strides[1] == x.itemsize else np.asfortranarray(x)


def product(a: Floats, b: Floats) -> Floats:
    """a b of (m, k) and (k, n), by columns."""
    if library() is None or not min(a.size, b.size):
        return np.asarray(a @ b)
    out = np.empty((a.shape[0], b.shape[1]), order="F")
    _gemm(1.0, _dense(a), _dense(b), 0.0, out)
    return out


def take_away(z: Floats, a: Floats, b: Floats) -> Floats:
    """z - a b; z (m, n) by columns is overwritten where MKL does it."""
    if library() is None or not min(a.size, b.size):
        return np.asarray(z - a @ b)
    z = np.asfortranarray(z)
    _gemm(-1.0, _dense(a), _dense(b), 1.0, z)
    return z


class _Description(ctypes.Structure):
    _fields_ = [("type", ctypes.c_int), ("mode", ctypes.c_int), ("diagonal", ctypes.c_int)]


class Symmetric:
    """The symmetric matrix with this upper triangle (n, n), for products with many vectors."""

    _kind = _Description(_SYMMETRIC, _UPPER, _FULL_DIAGONAL)

    def __init__(self, upper: sparse.csr_matrix) -> None:
        upper.sort_indices()
        self._upper = upper
        self._handle = ctypes.c_void_p()
        if library() is None or upper.nnz == 0:
            return
        self._starts, self._columns = (
            upper.indptr.astype(np.int32),
            upper.indices.astype(np.int32, copy=False),
        )
        self._values = np.ascontiguousarray(upper.data, dtype=np.float64)
        ends = ctypes.c_void_p(self._starts.ctypes.data + self._starts.itemsize)
        n = ctypes.c_int(upper.shape[0])
        failed = library().mkl_sparse_d_create_csr(
            ctypes.byref(self._handle),
            ctypes.c_int(0),
            n,
            n,
            _at(self._starts),
            ends,
            _at(self._columns),
            _at(self._values),
        )
        if failed:
            self._handle = ctypes.c_void_p()
            return
        library().mkl_sparse_set_memory_hint(self._handle, ctypes.c_int(_LITTLE_MEMORY))
        library().mkl_sparse_set_mm_hint(
            self._handle,
            ctypes.c_int(_AS_IT_IS),
            self._kind,
            ctypes.c_int(_ROWS),
            ctypes.c_int(8),
            ctypes.c_int(50),
        )
        library().mkl_sparse_optimize(self._handle)

    def __call__(self, x: Floats) -> Floats:
        """A x for x (n, k)."""
        if not self._handle:
            return times(self._upper, x)
        x = np.ascontiguousarray(x, dtype=np.float64)
        width = ctypes.c_int(x.shape[1])
        y = np.empty_like(x)
        failed = library().mkl_sparse_d_mm(
            ctypes.c_int(_AS_IT_IS),
            ctypes.c_double(1.0),
            self._handle,
            self._kind,
            ctypes.c_int(_ROWS),
            _at(x),
            width,
            width,
            ctypes.c_double(0.0),
            _at(y),
            width,
        )
        return times(self._upper, x) if failed else y

    def __del__(self) -> None:
        try:
            if self._handle:
                library().mkl_sparse_destroy(self._handle)
        except Exception:  # the interpreter may be on its way out
            pass
