"""Levers: how much a factor rises with the thickness of each shell, the change of the state before buckling included.

With φ a mode, s* = s_held + λ s_growing its state and u* the displacement that belongs to it,

    dλ/dt = [φᵀ K' φ + (φᵀ K_G φ)'] / (-φᵀ K_G,growing φ),   φᵀ K_G φ = ∫ n(φ)·s* dA + d(φ)·(K u* - f),

n the second-order strain of φ and d its second-order motion on the arms of hubs and bonds. The change of u* is taken by one
adjoint solve K z = Tᵀ(∫ Bᵀ C n dA + K d) with the factors of K at hand (Haftka and Gürdal 1992, on adjoint sensitivities).
"""
from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from labilis.mechanics.assembly import times
from labilis.mechanics.blocks import ShellBlock
from labilis.solve.factor import Factor
from labilis.solve.strength import LinearSolution
from labilis.solve.system import System

Floats = NDArray[np.float64]


def thickness_levers(system: System, factor: Factor, factors: Floats, vectors: Floats, growing: LinearSolution, held: LinearSolution,
                     close: float = 1e-4) -> Floats:
    """Relative rise of each factor per relative rise of each element's thickness (k, m), elements block after block, nought for
    solids.

    factors (k,), vectors (q, k) of unit K-norm or any other; growing, held: the linear solutions. `factor` is of the
    stiffness at rest. Factors within `close` of each other are repeated: their elements' levers are averaged, which
    is what the mean of the group does. The loads' own change with thickness (self-weight) is not counted.
    """
    if len(factors) == 0:
        return np.zeros((0, sum(len(block.members) for block in system.blocks)))
    rows = [_of_mode(system, factor, float(value), vectors[:, k], held.u + value * growing.u, growing)
            for k, value in enumerate(factors)]
    levers = np.array(rows).reshape(len(factors), -1)
    for value in factors:
        group = np.abs(factors - value) <= close * abs(value)
        if group.sum() > 1:
            levers[group] = levers[group].mean(axis=0)
    return levers


def _of_mode(system: System, factor: Factor, value: float, q: Floats, u: Floats, growing: LinearSolution) -> Floats:
    phi = system.ties.expand(q)
    motion = system.ties.second_motion(q)
    pulled = np.zeros(3 * system.ties.n_nodes)
    own: list[tuple[Floats, Floats, Floats] | None] = []
    scale = 0.0
    for block, at_phi, at_u, at_grow in zip(system.blocks, system.local(phi), system.local(u), system.local(growing.u)):
        if isinstance(block, ShellBlock):
            second = block.second_strain(at_phi)
            state = np.einsum("mjk,mgk->mgj", block.section, second)
            strains = block.linear_strain(np.stack([at_phi, at_u, at_grow], axis=-1))
            own.append((second, strains[..., 0], strains[..., 1]))
            scale -= float(np.einsum("mgj,mgj,mg->", state, strains[..., 2], block.geometry.area))
        else:
            state = block.second_state(at_phi)
            own.append(None)
            scale -= block.work(state, at_grow)
        np.add.at(pulled.reshape(-1, 3), block.members.ravel(), block.forces(state).reshape(-1, 3))
    scale -= float(motion @ growing.internal)
    pulled += times(system.stiffness, motion)
    z = system.ties.expand(factor.solve(system.ties.reduce_vector(pulled)))
    found = []
    for block, mine, at_z, at_d in zip(system.blocks, own, system.local(z), system.local(motion)):
        if mine is None or not isinstance(block, ShellBlock):
            found.append(np.zeros(len(block.members)))
            continue
        second, e_phi, e_u = mine
        others = block.linear_strain(np.stack([at_z, at_d], axis=-1))
        slope, area = block.section_slope, block.geometry.area
        left = second + others[..., 1] - others[..., 0]
        change = np.einsum("mgj,mjk,mgk,mg->m", e_phi, slope, e_phi, area, optimize=True)
        change += np.einsum("mgj,mjk,mgk,mg->m", left, slope, e_u, area, optimize=True)
        found.append(change * block.geometry.thickness / (value * scale))
    return np.concatenate(found)
