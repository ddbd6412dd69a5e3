"""Block Lanczos with full orthogonalisation and thick restart for A x = mu K x, K positive definite and factorised.

Works with the operator K⁻¹A in the inner product of K (Grimes, Lewis and Simon 1994; Wu and Simon 2000 for the
restart). Blocks share one triangular solve between several vectors, which is what makes it fast, and find repeated
factors.
"""
from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Spectrum:
    """values (k,) mu, best first; vectors (n, k) with unit K-norm; residuals (k,): K-norm of K⁻¹A x - mu x over |mu|."""

    values: Floats
    vectors: Floats
    residuals: Floats
    solves: int


def _rank(values: Floats, both: bool) -> NDArray[np.int64]:
    return np.argsort(-np.abs(values) if both else -values, kind="stable")


def block_lanczos(apply: Callable[[Floats], Floats], solve: Callable[[Floats], Floats],
                  times_k: Callable[[Floats], Floats], n: int, wanted: int, both: bool = False, block: int = 8,
                  tolerance: float = 1e-8, most: int = 0, progress: Callable[[float], None] | None = None) -> Spectrum:
    """The `wanted` largest mu (largest in size when `both`) of A x = mu K x.

    apply: x (n, b) -> A x; solve: -> K⁻¹ x; times_k: -> K x. Stops when every wanted value has converged, the Krylov
    space is exhausted, or after `most` block steps (0: enough for any ordinary spectrum).
    """
    wanted, block = min(wanted, n), min(block, n)
    limit = min(n, max(8 * block, 3 * wanted + 4 * block))
    most = most or max(60, 20 * wanted // block)
    v = np.zeros((n, 0))
    kv = np.zeros((n, 0))
    h = np.zeros((0, 0))
    random = np.random.default_rng(20260101)
    start = solve(apply(random.standard_normal((n, block))))
    k_start = times_k(start)
    q, kq, _ = _orthonormal(start, k_start, v, kv, float(np.sqrt(np.abs(np.einsum("ij,ij->j", start, k_start)).max())))
    solves = 1
    values, s, residuals = np.zeros(0), np.zeros((0, 0)), np.zeros(0)
    for step in range(most):
        if q.shape[1] == 0:
            break
        old = v.shape[1]
        v, kv = np.concatenate([v, q], axis=1), np.concatenate([kv, kq], axis=1)
        w = apply(q)
        coupling = v.T @ w
        grown = np.zeros((v.shape[1],) * 2)
        grown[:old, :old] = h
        grown[:, old:] = coupling
        grown[old:, :] = coupling.T
        grown[old:, old:] = 0.5 * (coupling[old:] + coupling[old:].T)
        h = grown
        z = solve(w)
        scale = float(np.sqrt(np.abs(np.einsum("ij,ij->j", z, w)).max(initial=0.0)))
        z = z - v @ coupling
        kz = w - kv @ coupling
        solves += 1
        q, kq, r = _orthonormal(z, kz, v, kv, scale)
        values, s = np.linalg.eigh(h)
        order = _rank(values, both)
        values, s = values[order], s[:, order]
        residuals = np.linalg.norm(r @ s[old:], axis=0) / np.maximum(np.abs(values), 1e-300)
        count = min(wanted, len(values))
        # a value that is noise beside the largest one cannot be resolved any better
        done = (residuals[:count] < tolerance) | (np.abs(values[:count]) < 1e-12 * np.abs(values[0]))
        if progress is not None:
            progress(float(done.sum()) / wanted)
        if v.shape[1] >= min(wanted + block, n) and done.all() and count == wanted:
            break
        if v.shape[1] + block > limit and step < most - 1 and q.shape[1]:
            keep = min(wanted + block, v.shape[1] - block)
            v, kv, h = v @ s[:, :keep], kv @ s[:, :keep], np.diag(values[:keep])
            s = np.eye(keep)
            values, residuals = values[:keep], residuals[:keep]
    count = min(wanted, len(values))
    return Spectrum(values[:count], v @ s[:, :count], residuals[:count], solves)


def _orthonormal(z: Floats, kz: Floats, v: Floats, kv: Floats, scale: float) -> tuple[Floats, Floats, Floats]:
    """z made K-orthonormal to v and in itself: (q, K q, r) with z - v(...) = q r. Columns that are nothing but rounding beside
    `scale`, the size of z before it was projected, or that depend on the others, are dropped."""
    total = np.eye(z.shape[1])
    for turn in range(3):
        for _ in range(2):
            if v.shape[1]:
                c = v.T @ kz
                z, kz = z - v @ c, kz - kv @ c
        gram = z.T @ kz
        gram = 0.5 * (gram + gram.T)
        values, vectors = np.linalg.eigh(gram)
        good = values > max((1e-11 * scale) ** 2 if turn == 0 else 0.0, 1e-14 * max(values.max(initial=0.0), 0.0))
        if scale == 0.0 or not good.any():
            return z[:, :0], kz[:, :0], np.zeros((0, total.shape[1]))
        root = np.sqrt(values[good])
        change = vectors[:, good] / root
        z, kz = z @ change, kz @ change
        total = (vectors[:, good] * root).T @ total
        if np.allclose(gram, np.eye(len(gram)), atol=1e-12):
            break
    return z, kz, total
