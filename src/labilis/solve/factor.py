"""Sparse symmetric factorisation: MKL PARDISO, or SuperLU of SciPy where MKL is missing.

One small interface: ``factor(A) -> solve(B), negative_pivots``. A is given by its upper triangle.
"""

from __future__ import annotations

import ctypes
import time
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.linalg import splu

from labilis.mechanics.assembly import full
from labilis.mesh.estimate import available_memory
from labilis.solve.mkl import library

Floats = NDArray[np.float64]
_EMPTY = np.zeros(1)
_SHARED = 3  # of K, of K with held loads, and of a shift
_GROUPED = 20_000  # unknowns from which on the ordering is looked for on groups


class NotPositive(ArithmeticError):
    """The matrix was expected to be positive definite and is not."""


class Factor(Protocol):
    """A factorised symmetric matrix."""

    negative_pivots: int
    ordering: Any  # int32 array (n,), or None where the library has none to give
    shared: bool  # the symbolic factorisation was taken over from another factor
    perturbed: int  # pivots that are nothing beside the matrix

    def solve(self, b: Floats) -> Floats:
        """x with A x = b for b (n,) or (n, k)."""

    def free(self) -> None:
        """Give the memory back."""


def back_end() -> str:
    """Name of the library in use."""
    return "MKL PARDISO" if library() is not None else "SuperLU (SciPy)"


class _Analysis:
    """Pattern, ordering and symbolic factorisation by MKL PARDISO, shared by at most _SHARED
    factors whose matrices have one pattern."""

    def __init__(
        self, upper: sparse.csr_matrix, kind: int, ordering: NDArray[np.int32] | None
    ) -> None:
        self.size = upper.shape[0]
        self.starts = np.ascontiguousarray(upper.indptr, dtype=np.int32)
        self.columns = np.ascontiguousarray(upper.indices, dtype=np.int32)
        self.kind = kind
        self._handle = np.zeros(64, dtype=np.int64)
        settings = np.zeros(64, dtype=np.int32)
        settings[0] = 1  # own settings below
        settings[1] = 2  # METIS ordering
        settings[4] = (
            2 if ordering is None else 1
        )  # give the ordering found, or use this one and save the search for it
        self.ordering = np.zeros(self.size, dtype=np.int32) if ordering is None else ordering
        settings[17] = -1  # report the factor's entries
        settings[34] = 1  # indices from zero
        self.settings = settings
        self._free = list(range(1, _SHARED + 1))
        started = time.perf_counter()
        values = np.ascontiguousarray(upper.data, dtype=np.float64)
        error = self.call(11, 1, values)
        self.seconds = time.perf_counter() - started
        if error:
            self._release()
            raise (
                MemoryError("not enough memory for the factors")
                if error == -2
                else ArithmeticError(f"PARDISO error {error} while looking at the pattern")
            )
        # what the numbers will take is known before they are worked out: a system that runs out of
        # memory ends the program without a word
        self.memory = 1024 * int(max(settings[14], settings[15] + settings[16]))
        try:
            self.check_room()
        except MemoryError:
            self._release()
            raise

    def check_room(self) -> None:
        """Raises MemoryError where one more factor has no room."""
        free = available_memory()
        if self.memory > free:
            raise MemoryError(
                f"the factors need {self.memory / 2**30:.1f} GiB, {free / 2**30:.1f} GiB are free"
            )

    def fits(self, upper: sparse.csr_matrix) -> bool:
        """There is room for one more factor, and the matrix has this pattern."""
        return (
            bool(self._free)
            and upper.nnz == len(self.columns)
            and np.array_equal(upper.indptr, self.starts)
            and np.array_equal(upper.indices, self.columns)
        )

    def take(self) -> int:
        """A place for a factor; `give` it back."""
        return self._free.pop(0)

    def give(self, place: int) -> None:
        """Free the factor in this place; the analysis goes with the last."""
        self._free.append(place)
        if len(self._free) == _SHARED:
            self._release()
        else:
            self.call(0, place, _EMPTY)

    def _release(self) -> None:
        self.call(-1, 1, _EMPTY)
        self._free = []

    def call(
        self,
        phase: int,
        place: int,
        values: Floats,
        b: Floats = _EMPTY,
        x: Floats = _EMPTY,
        settings: NDArray[np.int32] | None = None,
    ) -> int:
        """One phase of PARDISO for the factor in `place`, with its own settings if it has some;
        returns its error number."""
        settings = self.settings if settings is None else settings
        error = ctypes.c_int32(0)
        ints = ctypes.POINTER(ctypes.c_int32)

        def number(value: int) -> Any:
            return ctypes.byref(ctypes.c_int32(value))

        library().pardiso(
            self._handle.ctypes.data_as(ctypes.POINTER(ctypes.c_int64)),
            number(_SHARED),
            number(place),
            number(self.kind),
            number(phase),
            number(self.size),
            values.ctypes.data_as(ctypes.c_void_p),
            self.starts.ctypes.data_as(ints),
            self.columns.ctypes.data_as(ints),
            self.ordering.ctypes.data_as(ints),
            number(1 if b.ndim == 1 else b.shape[1]),
            settings.ctypes.data_as(ints),
            number(0),
            b.ctypes.data_as(ctypes.c_void_p),
            x.ctypes.data_as(ctypes.c_void_p),
            ctypes.byref(error),
        )
        return error.value


class PardisoFactor:
    """LDLᵀ by MKL PARDISO; refinement is off, see `solve.strength` for the one residual check.
    Pivots stand where they are, which is as fast as LLᵀ; only if one had to be perturbed, a second
    try exchanges rows (2 by 2 pivots)."""

    def __init__(
        self,
        upper: sparse.csr_matrix,
        positive: bool,
        ordering: NDArray[np.int32] | None = None,
        like: PardisoFactor | None = None,
    ) -> None:
        upper.sort_indices()
        self._live = False
        self._analysis: _Analysis
        if positive and (upper.diagonal() <= 0.0).any():  # the library may crash on an empty row
            raise NotPositive("a diagonal entry is not positive")
        self._values = np.ascontiguousarray(upper.data, dtype=np.float64)
        if like is not None and like._live and like._analysis.fits(upper):
            self._analysis, self.shared = like._analysis, True
            self._analysis.check_room()
            self.analysis_s = 0.0
        else:
            self._analysis, self.shared = (
                _Analysis(upper, -2, like.ordering if like is not None else ordering),
                False,
            )
            self.analysis_s = self._analysis.seconds
        self.ordering: Any = self._analysis.ordering
        self._place = self._analysis.take()
        self._live = True
        started = time.perf_counter()
        self._settings = settings = (
            self._analysis.settings.copy()
        )  # how this one pivots must not change how the other solves
        for exchange, perturbed_below in ((0, 13), (1, 8)):
            settings[20], settings[9] = exchange, perturbed_below
            error = self._analysis.call(22, self._place, self._values, settings=settings)
            if error or settings[13] == 0:
                break
        self.numeric_s = time.perf_counter() - started
        self.negative_pivots, self.entries, self.perturbed = (
            int(settings[22]),
            int(settings[17]),
            int(settings[13]),
        )
        self.memory = 1024 * int(
            max(settings[14], settings[15] + settings[16])
        )  # bytes at the peak of the factorisation
        if error or (positive and (self.negative_pivots or settings[13])):
            self.free()
            if error == -2:
                raise MemoryError("not enough memory for the factors")
            if error not in (0, -4):
                raise ArithmeticError(f"PARDISO error {error} while factorising")
            if positive:
                raise NotPositive("the stiffness is not positive definite")
            raise ArithmeticError("the matrix is singular")

    def solve(self, b: Floats) -> Floats:
        rhs = np.array(b, dtype=np.float64, order="F")
        x = np.zeros_like(rhs, order="F")
        error = self._analysis.call(33, self._place, self._values, rhs, x, self._settings)
        if error:
            raise ArithmeticError(f"PARDISO error {error} while solving")
        return x

    def free(self) -> None:
        if self._live:
            self._live = False
            self._analysis.give(self._place)

    def __del__(self) -> None:
        try:
            self.free()
        except Exception:  # the interpreter may be on its way out
            pass


class SuperLuFactor:
    """LU by SuperLU without row exchanges, so that the signs of the pivots count the negative
    eigenvalues."""

    ordering: Any = None
    shared = False

    def __init__(
        self, upper: sparse.csr_matrix, positive: bool, ordering: NDArray[np.int32] | None = None
    ) -> None:
        matrix = full(upper).tocsc()
        self._lu = splu(
            matrix,
            permc_spec="MMD_AT_PLUS_A",
            diag_pivot_thresh=0.0,
            options={"SymmetricMode": True},
        )
        pivots = self._lu.U.diagonal()
        self.negative_pivots = int((pivots < 0).sum())
        self.perturbed = int((np.abs(pivots) < 1e-12 * np.abs(pivots).max(initial=0.0)).sum())
        self.entries = int(self._lu.L.nnz)
        if positive and self.negative_pivots:
            raise NotPositive("the stiffness is not positive definite")

    def solve(self, b: Floats) -> Floats:
        return np.asarray(self._lu.solve(np.asarray(b, dtype=np.float64)))

    def free(self) -> None:
        self._lu = None


def group_ordering(upper: sparse.csr_matrix, groups: NDArray[np.int64]) -> NDArray[np.int32]:
    """Fill-reducing ordering (n,) found on the graph of groups of unknowns (the nodes), which has a
    ninth of the entries.

    `groups` (n,) numbers the group of each unknown from 0, without gaps. The result is PARDISO's
    `perm`: the old number of the unknown at each new place.
    """
    count = int(groups.max()) + 1
    first = np.full(count, -1, dtype=np.int64)
    first[groups[::-1]] = np.arange(len(groups))[::-1]
    rows = upper[first]  # one unknown of each group has the whole group's neighbours
    small = sparse.csr_matrix(
        (np.ones(rows.nnz), groups[rows.indices], rows.indptr), shape=(count, count)
    )
    small.sum_duplicates()
    small = sparse.csr_matrix(sparse.triu(small + small.T) + sparse.eye(count) * float(2 * count))
    analysed = _Analysis(small, 2, None)
    place = np.empty(count, dtype=np.int64)
    place[analysed.ordering] = np.arange(
        count
    )  # PARDISO lists which old row comes at each new place
    analysed.give(analysed.take())
    return np.argsort(place[groups], kind="stable").astype(np.int32)


def factor(
    upper: sparse.csr_matrix,
    positive: bool = True,
    like: Factor | None = None,
    groups: NDArray[np.int64] | None = None,
) -> Factor:
    """Factorise the symmetric matrix with this upper triangle; `positive` expects a positive
    definite one. `like` is a factor of a matrix of the same pattern, whose ordering and symbolic
    factorisation are taken over; `groups` (see `group_ordering`) makes finding an ordering cheaper.

    Raises NotPositive, MemoryError or ArithmeticError.
    """
    if library() is not None:
        if isinstance(like, PardisoFactor):
            return PardisoFactor(upper, positive, like=like)
        return PardisoFactor(
            upper,
            positive,
            None if groups is None or len(groups) <= _GROUPED else group_ordering(upper, groups),
        )
    return SuperLuFactor(upper, positive)
