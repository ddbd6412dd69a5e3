"""Levers: how much a factor rises with the thickness of each shell and with the skin of a solid,
the change of the state before buckling included.

With φ a mode, s* = s_held + λ s_growing its state and u* the displacement that belongs to it,

    dλ/dt = [φᵀ K' φ + (φᵀ K_G φ)'] / (-φᵀ K_G,growing φ),   φᵀ K_G φ = ∫ n(φ)·s* dA + d(φ)·(K u* -
    f),

n the second-order strain of φ and d its second-order motion on the arms of hubs and bonds. The
change of u* is taken by one adjoint solve K z = Tᵀ(∫ Bᵀ C n dA + K d) with the factors of K at hand
(Haftka and Gürdal 1992, on adjoint sensitivities)."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from labilis.mechanics.assembly import add_forces, times
from labilis.mechanics.blocks import ShellBlock, SolidBlock
from labilis.mechanics.solid_families import family
from labilis.solve.factor import Factor
from labilis.solve.strength import LinearSolution
from labilis.solve.system import System

Floats = NDArray[np.float64]


_NO_FORCE = 1e-6  # of the largest, that rounding leaves at a node


class Levers(NamedTuple):
    """thickness (k, m): relative rise of each factor per relative rise of each shell's thickness,
    block after block, nought for solids; skin (k, n) 1/mm³: relative rise of each factor per mm by
    which the skin of a solid moves outwards, per mm² of it, at its nodes; nought where the skin is
    tied, held or loaded, which its move would change as well."""

    thickness: Floats
    skin: Floats


def levers_of(
    system: System,
    factor: Factor,
    factors: Floats,
    vectors: Floats,
    growing: LinearSolution,
    held: LinearSolution,
    close: float = 1e-4,
) -> Levers:
    """Levers of factors (k,) with vectors (q, k) of unit K-norm or any other; growing, held: the
    linear solutions. `factor` is of the stiffness at rest. Factors within `close` of each other are
    repeated: their levers are averaged, which is what the mean of the group does. The loads' own
    change (self-weight) is not counted."""
    count = sum(len(block.members) for block in system.blocks)
    rows = [
        _of_mode(system, factor, float(value), vectors[:, k], held.u + value * growing.u, growing)
        for k, value in enumerate(factors)
    ]
    found = Levers(
        np.array([row.thickness for row in rows]).reshape(len(factors), count),
        np.array([row.skin for row in rows]).reshape(len(factors), len(system.nodes)),
    )
    found.skin[:, ~_free(system, (growing, held))] = 0.0
    for value in factors:
        group = np.abs(factors - value) <= close * abs(value)
        if group.sum() > 1:
            for levers in found:
                levers[group] = levers[group].mean(axis=0)
    return found


def _of_mode(
    system: System, factor: Factor, value: float, q: Floats, u: Floats, growing: LinearSolution
) -> Levers:
    phi = system.ties.expand(q)
    motion = system.ties.second_motion(q)
    pulled = np.zeros(3 * system.ties.n_nodes)
    own: list[tuple[Floats, Floats, Floats] | None] = []
    scale = 0.0
    for block, at_phi, at_u, at_grow in zip(
        system.blocks, system.local(phi), system.local(u), system.local(growing.u)
    ):
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
        add_forces(block.members, block.forces(state), pulled.reshape(-1, 3))
    scale -= float(motion @ growing.internal)
    pulled += times(system.stiffness, motion)
    z = system.ties.expand(factor.solve(system.ties.reduce_vector(pulled)))
    found, skin, volume = [], np.zeros(len(system.nodes)), np.zeros(len(system.nodes))
    for block, mine, at_phi, at_u, at_z, at_d in zip(
        system.blocks, own, *(system.local(x) for x in (phi, u, z, motion))
    ):
        if isinstance(block, SolidBlock):
            # a shell of dn thickness on the skin brings its own part of every integral along
            # (Hadamard's form of the shape's derivative)
            density = _density(block, at_phi, at_u, at_d - at_z) / (value * scale)
            weight = np.repeat(block.volume, block.members.shape[1])
            skin += np.bincount(block.members.ravel(), weight * density.ravel(), len(skin))[
                : len(skin)
            ]
            volume += np.bincount(block.members.ravel(), weight, len(volume))[: len(volume)]
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
    return Levers(np.concatenate(found), skin / np.maximum(volume, 1e-300))


def _density(block: SolidBlock, at_phi: Floats, at_u: Floats, at_rest: Floats) -> Floats:
    """ε(φ)·C ε(φ) + (n(φ) + ε(d - z))·C ε(u*) (m, k) at the nodes, each motion's gradient
    carried there from the quadrature points."""
    carry, gradient = family(block.members.shape[1]).extrapolation, block.geometry.gradient
    h_phi, h_u, h_rest = (
        np.einsum(
            "ng,mgxy->mnxy", carry, np.swapaxes(local, 1, 2)[:, None] @ gradient, optimize=True
        )
        for local in (at_phi, at_u, at_rest)
    )
    second = np.swapaxes(h_phi, -1, -2) @ h_phi
    e_phi, e_u, e_rest = (_voigt(h + np.swapaxes(h, -1, -2)) for h in (h_phi, h_u, h_rest))
    stress = e_u @ block.elasticity
    return np.asarray(
        (e_phi @ block.elasticity * e_phi).sum(axis=-1)
        + ((_voigt(2.0 * second) + e_rest) * stress).sum(axis=-1)
    )


def _voigt(twice: Floats) -> Floats:
    """Strains (..., 6) with engineering shears from twice a symmetric tensor (..., 3, 3)."""
    return np.stack(
        [
            twice[..., i, j] * (0.5 if i == j else 1.0)
            for i, j in ((0, 0), (1, 1), (2, 2), (0, 1), (1, 2), (2, 0))
        ],
        axis=-1,
    )


def _free(system: System, loads: Sequence[LinearSolution]) -> NDArray[np.bool_]:
    """(n,) nodes that nothing holds, ties or pushes: where inner forces balance by themselves."""
    loose = np.zeros(3 * system.ties.n_nodes, dtype=bool)
    loose[system.ties.plain] = True
    free = loose.reshape(-1, 3)[: len(system.nodes)].all(axis=1)
    for load in loads:
        inner = times(system.stiffness, load.u)
        force = np.linalg.norm((inner - load.internal).reshape(-1, 3)[: len(system.nodes)], axis=1)
        free &= force <= _NO_FORCE * max(
            float(force.max(initial=0.0)), float(np.abs(inner).max(initial=0.0)), 1e-300
        )
    return np.asarray(free)
