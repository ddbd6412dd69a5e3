"""Von Mises plasticity with multilinear isotropic hardening: radial return and its consistent
tangent.

In space after Simo and Taylor (1985); in plane stress after Simo and Taylor (1986), through the
thickness of shells at five Lobatto points. Strains are small while rotations are large: Green's
strain stands for the strain, second Piola-Kirchhoff stress for the stress."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from labilis.mechanics.plastic_kernels import return_layers

Floats = NDArray[np.float64]
LAYERS = np.array([-1.0, -np.sqrt(3 / 7), 0.0, np.sqrt(3 / 7), 1.0])  # of half the thickness
LAYER_WEIGHTS = np.array([1 / 20, 49 / 180, 16 / 45, 49 / 180, 1 / 20])  # of the thickness


@dataclass(frozen=True)
class YieldLaw:
    """modulus MPa, ratio; stress (k,) MPa over equivalent plastic strain (k,), rising from the
    yield strength at 0; beyond: slope after the last, MPa."""

    modulus: float
    ratio: float
    strain: Floats
    stress: Floats
    beyond: float = 0.0

    def rising(self, least: float) -> YieldLaw:
        """The same with slopes of at least `least` MPa everywhere."""
        rises = np.maximum(np.diff(self.stress), least * np.diff(self.strain))
        stress = self.stress[0] + np.concatenate([[0.0], np.cumsum(rises)])
        return replace(self, stress=stress, beyond=max(self.beyond, least))

    @property
    def shear(self) -> float:
        """Shear modulus, MPa."""
        return self.modulus / (2 * (1 + self.ratio))

    @property
    def curve(self) -> tuple[Floats, Floats, Floats]:
        """Strains, stresses and the slopes (k,) after them, MPa."""
        slopes = np.append(np.diff(self.stress) / np.diff(self.strain), self.beyond)
        return np.asarray(self.strain, float), np.asarray(self.stress, float), slopes

    def strength(self, p: Floats) -> tuple[Floats, Floats]:
        """(yield stress, its slope) at equivalent plastic strains of any shape."""
        slopes = self.curve[2]
        piece = np.clip(np.searchsorted(self.strain, p, side="right") - 1, 0, len(self.strain) - 1)
        return self.stress[piece] + slopes[piece] * (p - self.strain[piece]), slopes[piece]


@dataclass
class Memory:
    """What elements remember: plastic strain and equivalent plastic strain p at the last accepted
    point and at the last trial; demand: for each element the largest elastic predictor over the
    yield stress; shear: of lines see `line_plastic.shear_use`, else nought. Shapes (..., 6, 3 or 1)
    and (...)."""

    law: YieldLaw
    plastic: Floats
    p: Floats
    trial_plastic: Floats = field(init=False)
    trial_p: Floats = field(init=False)
    demand: Floats = field(init=False)
    shear: Floats = field(init=False)

    def __post_init__(self) -> None:
        self.trial_plastic, self.trial_p = self.plastic.copy(), self.p.copy()
        self.demand, self.shear = np.zeros(len(self.p)), np.zeros(len(self.p))

    def begin(self, plastic: Floats) -> None:
        """Start from a plastic strain that was there before, without hardening by it."""
        self.plastic = np.broadcast_to(plastic, self.plastic.shape).copy()
        self.trial_plastic = self.plastic.copy()

    def accept(self) -> None:
        """The trial becomes the memory."""
        self.plastic, self.p = self.trial_plastic.copy(), self.trial_p.copy()

    @property
    def largest(self) -> Floats:
        """Largest equivalent plastic strain (m,) of each element at the last trial."""
        return np.asarray(self.trial_p.reshape(len(self.p), -1).max(axis=1))


def blank(law: YieldLaw, *shape: int) -> Memory:
    """Memory of elements that have not yielded: shape (m, ..., components)."""
    return Memory(law, np.zeros(shape), np.zeros(shape[:-1]))


def return_in_space(
    law: YieldLaw, elasticity: Floats, strain: Floats, plastic: Floats, p: Floats, tangent: bool
) -> tuple[Floats, Floats | None, Floats, Floats, Floats]:
    """(stress (n, 6), tangent (n, 6, 6) or None, plastic strain, p, demand (n,)) at strains (n,
    6), engineering shear."""
    stress = (strain - plastic) @ elasticity
    mean = stress[:, :3].mean(axis=1)
    deviator = stress.copy()
    deviator[:, :3] -= mean[:, None]
    norm = np.sqrt((deviator[:, :3] ** 2).sum(axis=1) + 2 * (deviator[:, 3:] ** 2).sum(axis=1))
    q = np.sqrt(1.5) * norm
    strength, _ = law.strength(p)
    demand = q / strength
    moduli = np.broadcast_to(elasticity, (len(strain), 6, 6)).copy() if tangent else None
    rows = np.flatnonzero(demand > 1.0)
    new_plastic, new_p = plastic.copy(), p.copy()
    if len(rows) == 0:
        return stress, moduli, new_plastic, new_p, demand
    g = law.shear
    step = hardening_step(law, q[rows], p[rows], 3 * g)
    _, slope = law.strength(p[rows] + step)
    way = deviator[rows] / norm[rows, None]
    flow = np.sqrt(1.5) * way
    stress[rows] -= 2 * g * step[:, None] * flow
    new_p[rows] += step
    new_plastic[rows] += step[:, None] * flow * np.array([1, 1, 1, 2, 2, 2.0])
    if moduli is not None:
        theta = 1 - 3 * g * step / q[rows]
        bulk = law.modulus / (3 * (1 - 2 * law.ratio))
        unit = np.array([1.0, 1, 1, 0, 0, 0])
        deviatoric = np.diag([1, 1, 1, 0.5, 0.5, 0.5]) - np.outer(unit, unit) / 3
        beta = 1 / (1 + slope / (3 * g)) - (1 - theta)
        moduli[rows] = (
            bulk * np.outer(unit, unit)
            + 2 * g * theta[:, None, None] * deviatoric
            - 2 * g * beta[:, None, None] * way[:, :, None] * way[:, None, :]
        )
    return stress, moduli, new_plastic, new_p, demand


def hardening_step(law: YieldLaw, q: Floats, p: Floats, stiff: float) -> Floats:
    """Δp with q - stiff Δp = yield stress at p + Δp; exact after as many passes as the curve has
    pieces."""
    step = np.zeros_like(q)
    for _ in range(len(law.strain) + 3):
        strength, slope = law.strength(p + step)
        change = (q - stiff * step - strength) / (stiff + slope)
        step = np.maximum(step + change, 0.0)
        if np.abs(change).max(initial=0.0) < 1e-15 + 1e-12 * float(step.max(initial=0.0)):
            break
    return step


def in_space(
    strain: Floats, elasticity: Floats, memory: Memory, rows: slice, tangent: bool
) -> tuple[Floats, Floats | None]:
    """(stress (m, g, 6), tangent (m, g, 6, 6) or None) of solids with strains (m, g, 6). The
    trial goes into `memory`."""
    m, points = strain.shape[:2]
    stress, moduli, plastic, p, demand = return_in_space(
        memory.law,
        elasticity,
        strain.reshape(-1, 6),
        memory.plastic[rows].reshape(-1, 6),
        memory.p[rows].ravel(),
        tangent,
    )
    memory.trial_plastic[rows] = plastic.reshape(m, points, 6)
    memory.trial_p[rows] = p.reshape(m, points)
    memory.demand[rows] = demand.reshape(m, -1).max(axis=1)
    return stress.reshape(m, points, 6), None if moduli is None else moduli.reshape(m, points, 6, 6)


def layered(
    strain: Floats,
    stiffness: Floats,
    thickness: Floats,
    offset: Floats,
    memory: Memory,
    rows: slice,
    tangent: bool,
) -> tuple[Floats, Floats | None, Floats]:
    """(resultants (m, g, 9), section tangents (m, g, 9, 9) or None, largest von Mises stress (m,))
    of shells whose strains (m, g, 9) are membrane, curvature, shear and drill; shear and drill stay
    elastic by `stiffness` (m, 9, 9). The trial goes into `memory`."""
    law = memory.law
    resultant, sections, peak, plastic, p, demand = return_layers(
        law.modulus,
        law.ratio,
        law.curve,
        LAYERS,
        LAYER_WEIGHTS,
        strain,
        stiffness,
        thickness,
        offset,
        memory.plastic[rows],
        memory.p[rows],
        tangent,
    )
    memory.trial_plastic[rows], memory.trial_p[rows] = plastic, p
    memory.demand[rows] = demand
    return resultant, sections if tangent else None, peak
