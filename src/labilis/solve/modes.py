"""Modes of instability: (K_0 + K_G,held + lambda K_G,growing) phi = 0.

Solved as -K_G phi = mu K phi with mu = 1/lambda by block Lanczos; completeness proved by counting
the negative pivots of K + sigma K_G, which by Sylvester's law of inertia are the factors between 0
and sigma.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import linalg, sparse

from labilis.mechanics.assembly import added, full
from labilis.solve.factor import Factor, factor
from labilis.solve.lanczos import Spectrum, block_lanczos, lanczos_below
from labilis.solve.mkl import Symmetric

Floats = NDArray[np.float64]
_ALIKE = 1e-3  # of a factor: those nearer to it are one repeated
# residual of the modes, by Lanczos from nothing, from which on it goes faster from a shift: the
# last factor is then some per cent high, which is what the shift is put above
_NEARLY = 0.1
_CROWD = 30  # factors below the shift beside the ones that are wanted and as many again
_RELIABLE = 1e-5  # residual from which on a mode is not reported
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


@dataclass(frozen=True)
class _Pencil:
    """K (upper triangle) with its factor and K_G, and products with both."""

    k: sparse.csr_matrix
    k_factor: Factor
    k_g: sparse.csr_matrix

    @cached_property
    def times_k(self) -> Symmetric:
        return Symmetric(self.k)

    @cached_property
    def times_g(self) -> Symmetric:
        return Symmetric(self.k_g)

    def pushed(self, x: Floats) -> Floats:
        """-K_G x."""
        return -self.times_g(x)

    def lanczos(self, wanted: int, **how: Any) -> Spectrum:
        """`how`: of `block_lanczos`."""
        size = self.k.shape[0]
        return block_lanczos(self.pushed, self.k_factor.solve, self.times_k, size, wanted, **how)


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
    pencil = _Pencil(k, k_factor, k_g)
    if not both and n > _DENSE:
        first, then = (None, None) if progress is None else _halves(progress)
        near = pencil.lanczos(wanted + 6, sure=wanted, tolerance=_NEARLY, progress=first)
        solves = near.solves
        proved = _from_shift(pencil, near.values, near.vectors, wanted, largest, then)
        if proved is not None:
            return replace(proved, solves=solves + proved.solves)
    for block in (4, 12):
        if n <= _DENSE:
            found = _dense(k, k_g, both, extra)
        else:
            found = pencil.lanczos(
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


def _from_shift(
    pencil: _Pencil,
    values: Floats,
    near: Floats,
    wanted: int,
    largest: float,
    progress: Callable[[float], None] | None = None,
) -> ModesSolution | None:
    """The `wanted` smallest positive factors with the proof that none is missing, from Ritz values
    1/λ (m,) and vectors (size, m) near them; None where that does not do.

    Ritz values of λ are never too low (Courant and Fischer), so that at least as many factors lie
    below a shift above the last as are wanted. The pivots there count them, and as many are found:
    the proof comes with the factor that finds them.
    """
    ritz = 1.0 / values[values > 1.0 / largest]
    if len(ritz) < wanted or not np.all(np.diff(ritz[:wanted]) >= 0):
        return None
    last = ritz[wanted - 1]
    above = ritz[wanted:][ritz[wanted:] > last * (1 + _ALIKE)]
    sigma = min(0.5 * (last + above[0]), 1.05 * last) if len(above) else last * (1 + _ALIKE)
    shifted = factor(added(pencil.k, pencil.k_g, sigma), positive=False, like=pencil.k_factor)
    try:
        counted = shifted.negative_pivots
        if not wanted <= counted <= 2 * wanted + _CROWD:
            return None
        start = _widened(near, counted + 2)
        found = lanczos_below(
            shifted.solve, pencil.times_k, start, counted, wanted, progress=progress
        )
    finally:
        shifted.free()
    if found is None:
        return None
    # what is reported is measured with K itself: K⁻¹A x against μ x
    x = found.vectors
    pushed = pencil.pushed(x)
    mu = np.einsum("ij,ij->j", x, pushed)
    off = pencil.k_factor.solve(pushed) - x * mu
    residuals = np.sqrt(np.abs(np.einsum("ij,ij->j", off, pencil.times_k(off)))) / np.abs(mu)
    order = np.argsort(1.0 / mu, kind="stable")
    factors = 1.0 / mu[order]
    if factors[0] <= 0 or factors[-1] >= sigma or (residuals[order] > _RELIABLE).any():
        return None
    check = Completeness(sigma, counted, counted)
    return ModesSolution(factors, x[:, order], residuals[order], (check,), found.solves + 1)


def _halves(
    progress: Callable[[float], None],
) -> tuple[Callable[[float], None], Callable[[float], None]]:
    """What tells of the first half of the work, and of the second."""
    return lambda done: progress(0.5 * done), lambda done: progress(0.5 + 0.5 * done)


def _widened(near: Floats, width: int) -> Floats:
    """Vectors (n, width) that begin with those near, the rest at random."""
    if near.shape[1] >= width:
        return near[:, :width]
    more = np.random.default_rng(20260102).standard_normal((len(near), width - near.shape[1]))
    return np.concatenate([near, more * np.abs(near).max()], axis=1)


def first_factor(
    k: sparse.csr_matrix, k_factor: Factor, k_g: sparse.csr_matrix, largest: float, near: Floats
) -> float:
    """The smallest positive factor, nan when there is none up to `largest`, of a problem whose
    modes are thought to lie near vectors (size, m). That none lies below is proved by the pivots;
    where one does, or none is found, it is looked for from nothing."""
    if k.shape[0] > _DENSE and near.shape[1]:
        pencil = _Pencil(k, k_factor, k_g)
        values, s = linalg.eigh(near.T @ pencil.pushed(near), near.T @ pencil.times_k(near))
        order = np.argsort(-values)
        found = _from_shift(pencil, values[order], near @ s[:, order], 1, largest)
        if found is not None:
            return float(found.factors[0])
    solution = find_modes(k, k_factor, k_g, 1, largest=largest, count=False)
    return float(solution.factors[0]) if len(solution.factors) else float("nan")


def _sorted(found: Spectrum, both: bool, largest: float) -> tuple[Floats, Floats, Floats]:
    """Factors that mean something, with vectors and residuals, smallest first. Raises
    NotConverged."""
    floor = 1.0 / largest
    good = np.abs(found.values) > max(floor, 1e-300) if both else found.values > max(floor, 1e-300)
    good &= found.residuals < _RELIABLE  # what has not converged is not reported
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


def count_below(
    k: sparse.csr_matrix, k_g: sparse.csr_matrix, sigma: float, like: Factor | None = None
) -> int:
    """Number of factors between 0 and sigma: negative pivots of K + sigma K_G."""
    shifted = factor(added(k, k_g, sigma), positive=False, like=like)
    count = shifted.negative_pivots
    shifted.free()
    return count
