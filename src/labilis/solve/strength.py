"""Linear static run: K_0 u = f for the held and the growing loads of a case."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from labilis.mechanics.assembly import times
from labilis.solve.factor import Factor
from labilis.solve.system import System

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class LinearSolution:
    """One load vector's answer.

    u (3n,) mm and q the same in reduced unknowns;
    internal (3n,) = K u - f, N: forces that supports and hubs put on the nodes; residual: what is
    left on free unknowns, relative to the load.
    """

    u: Floats
    q: Floats
    internal: Floats
    residual: float


def solve_linear(
    system: System,
    stiffness_factor: Factor,
    nodal: Floats,
    reduced_extra: Floats,
    given: Floats | None = None,
) -> LinearSolution:
    """Solve for nodal forces (3n,) N (turns counted) and forces already in reduced unknowns (hubs),
    both of one load vector; `given` (3n,): prescribed motions of held unknowns, nought elsewhere.

    The factors are used without refinement; the residual is checked once and refined by hand if it
    is poor."""
    moved = np.zeros(len(nodal)) if given is None else given
    net = nodal - times(system.stiffness, moved) if given is not None else nodal
    rhs = system.ties.reduce_vector(net) + reduced_extra
    scale = float(np.linalg.norm(rhs))
    if scale == 0.0:
        return LinearSolution(moved, np.zeros(system.ties.size), -net, 0.0)
    q = stiffness_factor.solve(rhs)
    k = system.reduced_stiffness
    for _ in range(2):
        left = rhs - times(k, q)
        if np.linalg.norm(left) < 1e-10 * scale:
            break
        q = q + stiffness_factor.solve(left)
    u = system.ties.expand(q) + moved
    residual = float(np.linalg.norm(rhs - times(k, q))) / scale
    return LinearSolution(u, q, times(system.stiffness, u) - nodal, residual)
