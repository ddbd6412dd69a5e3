"""Block Lanczos with full orthogonalisation and thick restart for A x = mu K x, K positive definite
and factorised.

Works with the operator K⁻¹A in the inner product of K (Grimes, Lewis and Simon 1994; Wu and Simon
2000 for the restart). Blocks share one triangular solve between several vectors, which is what
makes it fast, and find repeated factors.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from labilis.solve.mkl import product, take_away

Floats = NDArray[np.float64]
_MOST_VECTORS = 400  # of the Krylov space, where memory allows
_MOST_BYTES = 2e9


@dataclass(frozen=True)
class Spectrum:
    """values (k,) mu, best first; vectors (n, k) with unit K-norm; residuals (k,): K-norm of
    K⁻¹A x - mu x over |mu|."""

    values: Floats
    vectors: Floats
    residuals: Floats
    solves: int


def _rank(values: Floats, both: bool) -> NDArray[np.int64]:
    return np.argsort(-np.abs(values) if both else -values, kind="stable")


def block_lanczos(
    apply: Callable[[Floats], Floats],
    solve: Callable[[Floats], Floats],
    times_k: Callable[[Floats], Floats],
    n: int,
    wanted: int,
    both: bool = False,
    block: int = 4,
    tolerance: float = 1e-6,
    most: int = 0,
    sure: int | None = None,
    progress: Callable[[float], None] | None = None,
    near: Floats | None = None,
) -> Spectrum:
    """The `wanted` largest mu (largest in size when `both`) of A x = mu K x.
    apply: x (n, b) -> A x; solve: -> K⁻¹ x; times_k: -> K x. Stops when the first `sure` (all when
    None) have converged, the Krylov space is exhausted, or after `most` block steps (0: enough for
    any spectrum). `near` (n, m): vectors thought to lie near those looked for; the first ones take
    all places of the first block but one; whoever gives them proves that none is missing."""
    wanted, block = min(wanted, n), min(block, n)
    sure = wanted if sure is None else min(sure, wanted)
    limit, largest = _room(n, wanted, block)
    most = most or max(120, 20 * wanted // block)
    basis = _Basis(n, limit + block)
    start = solve(apply(_first_block(n, block, near)))
    q, kq, _ = _orthonormal(start, times := times_k(start), basis, _size(start, times))
    h, solves = np.zeros((0, 0)), 1
    values, s, residuals = np.zeros(0), np.zeros((0, 0)), np.zeros(0)
    for step in range(most):
        if q.shape[1] == 0:
            break
        old = basis.count
        basis.add(q, kq)
        w = apply(q)
        coupling = product(basis.v.T, w)
        h = _grown(h, coupling, old)
        z = solve(w)
        scale = _size(z, w)
        z, kz = take_away(z, basis.v, coupling), take_away(w, basis.kv, coupling)
        solves += 1
        q, kq, r = _orthonormal(z, kz, basis, scale)
        values, s = _ranked(h, both)
        residuals = np.linalg.norm(r @ s[old:], axis=0) / np.maximum(np.abs(values), 1e-300)
        count = min(sure, len(values))
        done = _settled(values[:count], residuals[:count], tolerance, float(np.abs(values[0])))
        if progress is not None:
            progress(float(done.sum()) / sure)
        if basis.count >= min(wanted + block, n) and done.all() and count == sure:
            break
        if basis.count + block > limit and step < most - 1 and q.shape[1]:
            keep = min(wanted + block, basis.count - block)
            # crowded factors: a restart alone would go round in circles, so give it more room
            if limit < largest:
                limit = min(2 * limit, largest)
                keep = min(max(keep, limit // 3), basis.count - block)
            basis.restart(s[:, :keep], limit + block)
            h, s = np.diag(values[:keep]), np.eye(keep)
            values, residuals = values[:keep], residuals[:keep]
    count = min(wanted, len(values))
    return Spectrum(values[:count], product(basis.v, s[:, :count]), residuals[:count], solves)


def lanczos_below(
    solve: Callable[[Floats], Floats],
    times_k: Callable[[Floats], Floats],
    start: Floats,
    count: int,
    wanted: int,
    tolerance: float = 1e-6,
    most: int = 10,
    progress: Callable[[float], None] | None = None,
) -> Spectrum | None:
    """The `wanted` smallest of the `count` factors λ below a shift σ, given by S = K + σ K_G, which
    has so many negative pivots: solve x -> S⁻¹ x. None where they do not converge.

    Of the operator S⁻¹K, in the inner product of K, the factors below σ are the negative
    eigenvalues ν = λ/(λ - σ) (the buckling transformation of Grimes, Lewis and Simon 1994); all
    others lie above a half or so, so that a few steps tell them apart. The i-th Ritz value of ν
    from below is never under the i-th ν (Cauchy): where as many are negative as are counted, no ν
    lies above the last of them, and those that have converged are the smallest λ, whether the
    others have or not. start (n, m), m ≥ count: vectors thought to lie near. The spectrum's values
    are ν, of the largest λ first, its residuals relative to them.
    """
    n, width = start.shape
    basis, random = _Basis(n, min(n, (width + 2) * (most + 1))), np.random.default_rng(20260103)
    q, kq, _ = _orthonormal(start, times := times_k(start), basis, _size(start, times))
    h = np.zeros((0, 0))
    for step in range(most):
        if q.shape[1] == 0 or basis.count + q.shape[1] > basis.room:
            break
        old, block = basis.count, q.shape[1]
        basis.add(q, kq)
        z = solve(kq)
        kz = times_k(z)
        scale = _size(z, kz)
        coupling = product(basis.v.T, kz)
        h = _grown(h, coupling, old)
        values, s = np.linalg.eigh(h)
        z, kz = take_away(z, basis.v, coupling), take_away(kz, basis.kv, coupling)
        lacking = count - int((values < 0).sum())
        if step and lacking > 0:
            # vectors of one Krylov space have but as many in common with a repeated factor as the
            # block it began with: it needs new ones
            new = random.standard_normal((n, lacking + 1))
            new *= scale / np.sqrt(np.einsum("ij,ij->j", new, times_k(new)))
            z, kz = np.hstack([z, new]), np.hstack([kz, times_k(new)])
        q, kq, r = _orthonormal(z, kz, basis, scale)
        off = np.linalg.norm(r[:, :block] @ s[old:], axis=0)
        residuals = off / np.maximum(np.abs(values), 1e-300)
        if progress is not None:
            progress((step + 1) / most)
        rows = slice(count - wanted, count)
        if lacking == 0 and (residuals[rows] < tolerance).all():
            return Spectrum(values[rows], product(basis.v, s[:, rows]), residuals[rows], step + 1)
    return None


def _room(n: int, wanted: int, block: int) -> tuple[int, int]:
    """Vectors that are kept before a restart: to begin with, and at most."""
    limit = min(n, max(12 * block, 3 * wanted + 4 * block))
    return limit, min(n, max(limit, min(_MOST_VECTORS, int(_MOST_BYTES / (16 * n)))))


def _first_block(n: int, block: int, near: Floats | None) -> Floats:
    """Vectors (n, block) to begin with: those near what is looked for, but for one at random."""
    first = np.random.default_rng(20260101).standard_normal((n, block))
    if near is not None:
        taken = min(near.shape[1], block - 1)
        first[:, :taken] = near[:, :taken]
    return first


def _settled(
    values: Floats, residuals: Floats, tolerance: float, largest: float
) -> NDArray[np.bool_]:
    """Which have converged; a value that is noise beside the largest cannot be resolved better."""
    return np.asarray((residuals < tolerance) | (np.abs(values) < 1e-12 * largest))


def _ranked(h: Floats, both: bool) -> tuple[Floats, Floats]:
    """Values and vectors of the projected matrix, the largest first."""
    values, s = np.linalg.eigh(h)
    order = _rank(values, both)
    return values[order], s[:, order]


def _grown(h: Floats, coupling: Floats, old: int) -> Floats:
    """The projected matrix (count, count) with the coupling (count, b) of the newest vectors."""
    grown = np.zeros((len(coupling),) * 2)
    grown[:old, :old] = h
    grown[:, old:] = coupling
    grown[old:, :] = coupling.T
    grown[old:, old:] = 0.5 * (coupling[old:] + coupling[old:].T)
    return grown


class _Basis:
    """Vectors V, orthonormal in K, and K V, in arrays that are allocated once."""

    def __init__(self, n: int, room: int) -> None:
        self.room = room
        self._v, self._kv = np.empty((n, room), order="F"), np.empty((n, room), order="F")
        self.count = 0

    @property
    def v(self) -> Floats:
        return self._v[:, : self.count]

    @property
    def kv(self) -> Floats:
        return self._kv[:, : self.count]

    def add(self, q: Floats, kq: Floats) -> None:
        """Append a block."""
        end = self.count + q.shape[1]
        self._v[:, self.count : end], self._kv[:, self.count : end] = q, kq
        self.count = end

    def restart(self, s: Floats, room: int) -> None:
        """Keep the combinations V s only; then there is room for this many vectors in all."""
        v, kv = product(self.v, s), product(self.kv, s)
        self.count = s.shape[1]
        if room > self._v.shape[1]:
            n = len(v)
            self._v, self._kv = np.empty((n, room), order="F"), np.empty((n, room), order="F")
        self._v[:, : self.count], self._kv[:, : self.count] = v, kv


def _size(z: Floats, kz: Floats) -> float:
    """Largest K-norm of the columns of z."""
    return float(np.sqrt(np.abs(np.einsum("ij,ij->j", z, kz)).max(initial=0.0)))


def _orthonormal(
    z: Floats, kz: Floats, basis: _Basis, scale: float
) -> tuple[Floats, Floats, Floats]:
    """z made K-orthonormal to the basis and in itself: (q, K q, r) with z - V(...) = q r. Columns
    that are nothing but rounding beside `scale`, the size of z before it was projected, or that
    depend on the others, are dropped."""
    total = np.eye(z.shape[1])
    # z was projected once before: twice is enough, unless its columns all but depend on each other
    again = True
    for turn in range(4):
        if basis.count and again:
            c = product(basis.v.T, kz)
            z, kz = take_away(z, basis.v, c), take_away(kz, basis.kv, c)
        gram = product(z.T, kz)
        gram = 0.5 * (gram + gram.T)
        values, vectors = np.linalg.eigh(gram)
        good = values > max(
            (1e-11 * scale) ** 2 if turn == 0 else 0.0, 1e-14 * max(values.max(initial=0.0), 0.0)
        )
        if scale == 0.0 or not good.any():
            return z[:, :0], kz[:, :0], np.zeros((0, total.shape[1]))
        if turn and np.abs(gram - np.eye(len(gram))).max() < 1e-9:
            break
        root = np.sqrt(values[good])
        again = bool(root.min() < 1e-4 * root.max())
        change = vectors[:, good] / root
        z, kz = product(z, change), product(kz, change)
        total = (vectors[:, good] * root).T @ total
    return z, kz, total
