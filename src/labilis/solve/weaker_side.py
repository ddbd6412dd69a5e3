"""Which way a part would rather buckle: what the load itself bends of a mode's shape, and whether
the path after it falls to one side.

Along the shape φ of a mode with factor λc the energy is, to third order and with φᵀKφ = 1 (Koiter
1945),

    V(ξ) = ½ (1 - λ/λc) ξ² - (φ·f) ξ + V₃ ξ³,      V₃ = ½ ∫ e₁(φ) · C e₂(φ, φ) dV,

e₁ the strain linear in the motion, e₂ the second derivative of the strain along it. So the perfect
part's path leaves with λ/λc = 1 + 3 V₃ ξ, falling to one side unless V₃ is nothing, and the load
bends the part by ξ = φ·f already."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from labilis.mechanics.assembly import times
from labilis.solve.strength import LinearSolution
from labilis.solve.system import System

Floats = NDArray[np.float64]


def buckling_sides(
    system: System, growing: LinearSolution, held: LinearSolution, factors: Floats, vectors: Floats
) -> tuple[Floats, Floats]:
    """For modes with factors (k,) and vectors (q, k) of unit K-norm, both for a positive multiple
    of the vector: pull (k,): how much of the vector the loads bend at the factor, linear; skew
    (k,): relative rise of the factor per unit of the vector just after buckling."""
    pull, skew = np.zeros(len(factors)), np.zeros(len(factors))
    for number, (factor, q) in enumerate(zip(factors, vectors.T)):
        phi = system.ties.expand(q)
        stiff = times(system.stiffness, phi)
        pull[number] = stiff @ (held.u + factor * growing.u)
        energy = sum(
            block.work(block.second_state(at), at)
            for block, at in zip(system.blocks, system.local(phi))
        )
        skew[number] = 1.5 * (energy + stiff @ system.ties.second_motion(q))
    return pull, skew
