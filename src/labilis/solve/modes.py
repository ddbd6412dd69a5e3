"""Modes of instability: (K_0 + K_G,held + lambda K_G,growing) phi = 0.

Solved as -K_G phi = mu K phi with mu = 1/lambda by block Lanczos; completeness proved by counting
the negative pivots of K + sigma K_G, which by Sylvester's law of inertia are the factors between 0
and sigma.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import linalg, sparse

from labilis.mechanics.assembly import full
from labilis.solve.factor import Factor, factor
from labilis.solve.lanczos import Spectrum, block_lanczos
from labilis.solve.mkl import Symmetric

Floats = NDArray[np.float64]
_ALIKE = 1e-3  # of a factor: those nearer to it are one repeated
_FIRST, _NEAR = 1e-5, 1e-4  # of a factor that is looked for near others; residual of its mode
_DENSE = 400  # unknowns under which the whole spectrum is computed at once


class NotConverged(ArithmeticError):
    """No factor converged although there are some."""


@dataclass(frozen=True)
class Completeness:
    """Counting of negative pivots at `sigma`: `counted` factors lie between 0 and sigma, `found`
    of them were found."""

    sigma: float
    counted: int
    found: int

    @property
    def holds(self) -> bool:
        """No factor is missing."""
        return self.counted == self.found


@dataclass(frozen=True)
class ModesSolution:
    """factors (k,) by size, positive first; vectors (size, k) reduced unknowns; residuals (k,)
    relative, energy norm;
    checks: one for each sign that was asked for and has factors."""

    factors: Floats
    vectors: Floats
    residuals: Floats
    checks: tuple[Completeness, ...]
    solves: int


def _dense(k: sparse.csr_matrix, k_g: sparse.csr_matrix, both: bool, wanted: int) -> Spectrum:
    values, vectors = linalg.eigh(-full(k_g).toarray(), full(k).toarray())
    order = np.argsort(-np.abs(values) if both else -values)[:wanted]
    return Spectrum(values[order], vectors[:, order], np.zeros(len(order)), 1)


def _lanczos(
    k: sparse.csr_matrix, k_factor: Factor, k_g: sparse.csr_matrix, wanted: int, **how: Any
) -> Spectrum:
    """`how`: of `block_lanczos`."""
    times_k, times_g = Symmetric(k), Symmetric(k_g)
    return block_lanczos(lambda x: -times_g(x), k_factor.solve, times_k, k.shape[0], wanted, **how)


def find_modes(
    k: sparse.csr_matrix,
    k_factor: Factor,
    k_g: sparse.csr_matrix,
    wanted: int,
    both: bool = False,
    largest: float = np.inf,
    count: bool = True,
    progress: Callable[[float], None] | None = None,
    needed: float = np.inf,
) -> ModesSolution:
    """The `wanted` smallest factors: positive ones, or the smallest of both signs when `both`.

    k (upper triangle, with the held part) must be positive definite and factorised in k_factor.
    Factors beyond `largest` mean nothing physical and are left out; there may be none at all, which
    is an answer. `count` proves completeness; where the last factors are one repeated oftener than
    can be found (a line that twists has it once for every element), it is proved below them, unless
    that is under what is `needed`.
    """
    n = k.shape[0]
    extra, solves = min(wanted + 2, n), 0
    for block in (4, 12):
        if n <= _DENSE:
            found = _dense(k, k_g, both, extra)
        else:
            found = _lanczos(
                k,
                k_factor,
                k_g,
                extra,
                both=both,
                block=block,
                sure=min(wanted, extra),
                progress=progress,
            )
        solves += found.solves
        factors, vectors, residuals = _sorted(found, both, largest)
        checks = _checks(k, k_g, k_factor, factors, wanted, both) if count else ()
        if n <= _DENSE or all(check.holds for check in checks):
            # a factor repeated more often than the block is wide may be missed: then look again
            # with a wide one
            break
        extra = min(wanted + 2 + sum(abs(check.counted - check.found) for check in checks), n)
    checks = tuple(
        check if check.holds else _below_crowd(k, k_g, k_factor, factors, check, needed)
        for check in checks
    )
    return ModesSolution(factors[:wanted], vectors[:, :wanted], residuals[:wanted], checks, solves)


def first_factor(
    k: sparse.csr_matrix, k_factor: Factor, k_g: sparse.csr_matrix, largest: float, near: Floats
) -> float:
    """The smallest positive factor, nan when there is none up to `largest`, of a problem whose
    modes are thought to lie near vectors (size, m). That none lies below is proved by the pivots;
    where one does, or none is found, it is looked for from nothing."""
    n, scale = k.shape[0], 1.0 - _FIRST
    if n > _DENSE and near.shape[1]:
        found = _lanczos(k, k_factor, k_g, 1, tolerance=_NEAR, near=near)
        value = float(found.values[0]) if len(found.values) else 0.0
        # an eigenvalue is off by the square of its residual (Parlett 1980, 11.7)
        if (
            value > 1.0 / largest
            and found.residuals[0] < _NEAR
            and count_below(k, k_g, scale / value, k_factor) == 0
        ):
            return 1.0 / value
    solution = find_modes(k, k_factor, k_g, 1, largest=largest, count=False)
    return float(solution.factors[0]) if len(solution.factors) else float("nan")


def _sorted(found: Spectrum, both: bool, largest: float) -> tuple[Floats, Floats, Floats]:
    """Factors that mean something, with vectors and residuals, smallest first. Raises
    NotConverged."""
    floor = 1.0 / largest
    good = np.abs(found.values) > max(floor, 1e-300) if both else found.values > max(floor, 1e-300)
    good &= found.residuals < 1e-5  # what has not converged is not reported
    if not good.any() and (found.values > 1e3 * floor).any():
        raise NotConverged(f"factors crowd near {1.0 / found.values.max():.4g}")
    factors = 1.0 / found.values[good]
    order = np.argsort(
        np.where(factors > 0, factors, np.inf) if not both else np.abs(factors), kind="stable"
    )
    return factors[order], found.vectors[:, good][:, order], found.residuals[good][order]


def _checks(
    k: sparse.csr_matrix,
    k_g: sparse.csr_matrix,
    k_factor: Factor,
    factors: Floats,
    wanted: int,
    both: bool,
) -> tuple[Completeness, ...]:
    found = []
    for sign in (1.0, -1.0) if both else (1.0,):
        of_sign = factors[factors * sign > 0]
        if len(of_sign) and len(factors[:wanted]):
            found.append(
                _count(
                    k, k_g, k_factor, np.sort(np.abs(of_sign)), sign, np.abs(factors[:wanted]).max()
                )
            )
    return tuple(found)


def _count(
    k: sparse.csr_matrix,
    k_g: sparse.csr_matrix,
    k_factor: Factor,
    factors: Floats,
    sign: float,
    last: float,
) -> Completeness:
    """Pivot count just above the last factor that will be reported."""
    inside = factors[factors <= last * (1 + 1e-9)]
    if len(inside) == 0:
        sigma = last
    else:
        # the next ones need not have converged as well
        above = factors[factors > inside[-1] * (1 + 1e-3)]
        sigma = 0.5 * (inside[-1] + above[0]) if len(above) else inside[-1] * (1 + 1e-3)
        sigma = min(sigma, inside[-1] * 1.05)
    return Completeness(
        sign * sigma, count_below(k, k_g, sign * sigma, k_factor), int((factors < sigma).sum())
    )


def _below_crowd(
    k: sparse.csr_matrix,
    k_g: sparse.csr_matrix,
    k_factor: Factor,
    factors: Floats,
    check: Completeness,
    needed: float,
) -> Completeness:
    """The count just below the last factors that are all alike; the same check where that lies
    under what is needed or does not hold."""
    sign = float(np.sign(check.sigma))
    inside = np.sort(np.abs(factors[factors * sign > 0]))
    inside = inside[inside < abs(check.sigma)]
    if len(inside) < 2:
        return check
    first = len(inside) - 1
    while first > 0 and inside[first - 1] > inside[-1] * (1 - _ALIKE):
        first -= 1
    sigma = inside[first] * (1 - _ALIKE)
    if first == len(inside) - 1 or (sign > 0 and sigma < needed):
        return check
    lower = Completeness(
        sign * sigma, count_below(k, k_g, sign * sigma, k_factor), int((inside < sigma).sum())
    )
    return lower if lower.holds else check


def combined(k: sparse.csr_matrix, k_g: sparse.csr_matrix, sigma: float) -> sparse.csr_matrix:
    """K + sigma K_G; both have one pattern as a rule, so that their values can be added as they
    stand."""
    if (
        k.nnz == k_g.nnz
        and np.array_equal(k.indices, k_g.indices)
        and np.array_equal(k.indptr, k_g.indptr)
    ):
        return sparse.csr_matrix((k.data + sigma * k_g.data, k.indices, k.indptr), shape=k.shape)
    return sparse.csr_matrix(k + sigma * k_g)


def count_below(
    k: sparse.csr_matrix, k_g: sparse.csr_matrix, sigma: float, like: Factor | None = None
) -> int:
    """Number of factors between 0 and sigma: negative pivots of K + sigma K_G."""
    shifted = factor(combined(k, k_g, sigma), positive=False, like=like)
    count = shifted.negative_pivots
    shifted.free()
    return count
