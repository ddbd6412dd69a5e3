"""Von Mises plasticity with multilinear isotropic hardening: radial return and its consistent
tangent.

In space after Simo and Taylor (1985); in plane stress after Simo and Taylor (1986), through the
thickness of shells at five Lobatto points. Strains are small while rotations are large: Green's
strain stands for the strain, second Piola-Kirchhoff stress for the stress."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
LAYERS = np.array([-1.0, -np.sqrt(3 / 7), 0.0, np.sqrt(3 / 7), 1.0])  # of half the thickness
LAYER_WEIGHTS = np.array([1 / 20, 49 / 180, 16 / 45, 49 / 180, 1 / 20])  # of the thickness
_P = np.array([[2.0, -1.0, 0.0], [-1.0, 2.0, 0.0], [0.0, 0.0, 6.0]]) / 3.0
_HARD, _MOST = 1e-12, 60


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

    def strength(self, p: Floats) -> tuple[Floats, Floats]:
        """(yield stress, its slope) at equivalent plastic strains of any shape."""
        slopes = (
            np.append(np.diff(self.stress) / np.diff(self.strain), self.beyond)
            if len(self.strain) > 1
            else np.array([self.beyond])
        )
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


def return_in_plane(
    law: YieldLaw, strain: Floats, plastic: Floats, p: Floats, tangent: bool
) -> tuple[Floats, Floats | None, Floats, Floats, Floats]:
    """The same in plane stress: strain, plastic and stress (n, 3) xx yy xy, tangent (n, 3, 3)."""
    e, nu, g = law.modulus, law.ratio, law.shear
    elastic = e / (1 - nu**2) * np.array([[1, nu, 0], [nu, 1, 0], [0, 0, (1 - nu) / 2]])
    trial = (strain - plastic) @ elastic
    demand = _plane_mises(trial) / law.strength(p)[0]
    moduli = np.broadcast_to(elastic, (len(strain), 3, 3)).copy() if tangent else None
    stress, new_plastic, new_p = trial.copy(), plastic.copy(), p.copy()
    rows = np.flatnonzero(demand > 1.0)
    if len(rows) == 0:
        return stress, moduli, new_plastic, new_p, demand
    s = trial[rows]
    gamma, slope = _plane_multiplier(law, s, p[rows])
    a, b = 1 / (1 + gamma * e / (3 * (1 - nu))), 1 / (1 + 2 * g * gamma)
    total, difference = a * (s[:, 0] + s[:, 1]), b * (s[:, 0] - s[:, 1])
    found = np.stack([0.5 * (total + difference), 0.5 * (total - difference), b * s[:, 2]], axis=1)
    flow = found @ _P
    stress[rows] = found
    new_plastic[rows] += gamma[:, None] * flow
    new_p[rows] += gamma * (2 / 3) * _plane_mises(found)
    if moduli is not None:
        middle = np.linalg.inv(np.linalg.inv(elastic) + gamma[:, None, None] * _P)
        n = np.einsum("kij,kj->ki", middle, flow)
        size = (found * flow).sum(axis=1)
        harder = (2 / 3) * slope * size / np.maximum(1 - (2 / 3) * slope * gamma, 1e-12)
        moduli[rows] = (
            middle
            - n[:, :, None] * n[:, None, :] / ((flow * n).sum(axis=1) + harder)[:, None, None]
        )
    return stress, moduli, new_plastic, new_p, demand


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


def _plane_mises(stress: Floats) -> Floats:
    x, y, xy = np.moveaxis(stress, -1, 0)
    return np.asarray(np.sqrt(x**2 + y**2 - x * y + 3 * xy**2))


def _plane_multiplier(law: YieldLaw, trial: Floats, p: Floats) -> tuple[Floats, Floats]:
    """(γ, slope of the curve) with the returned stress on the yield surface, by Newton's method
    kept inside a bracket."""
    e, nu, g = law.modulus, law.ratio, law.shear
    c1, c2 = e / (3 * (1 - nu)), 2 * g
    first = 0.25 * (trial[:, 0] + trial[:, 1]) ** 2
    second = 0.75 * (trial[:, 0] - trial[:, 1]) ** 2 + 3 * trial[:, 2] ** 2
    low, high = np.zeros(len(p)), np.full(len(p), np.inf)
    gamma = np.zeros(len(p))
    slope = np.zeros(len(p))
    for _ in range(_MOST):
        a, b = 1 / (1 + c1 * gamma), 1 / (1 + c2 * gamma)
        mises = np.sqrt(first * a**2 + second * b**2)
        strength, slope = law.strength(p + (2 / 3) * gamma * mises)
        off = mises - strength
        d_mises = -(first * c1 * a**3 + second * c2 * b**3) / mises
        d_off = d_mises - slope * (2 / 3) * (mises + gamma * d_mises)
        low, high = np.where(off > 0, gamma, low), np.where(off > 0, high, gamma)
        if np.abs(off).max() < _HARD * float(strength.max()):
            break
        newton = gamma - off / np.where(d_off < 0, d_off, -1e-300)
        middle = np.where(np.isfinite(high), 0.5 * (low + high), 2 * low + 1 / c2)
        gamma = np.where((newton > low) & (newton < high) & (d_off < 0), newton, middle)
    return gamma, slope


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
    m, points = strain.shape[:2]
    height = offset[:, None] + 0.5 * thickness[:, None] * LAYERS  # (m, l)
    plane = strain[:, :, None, :3] + height[:, None, :, None] * strain[:, :, None, 3:6]
    shape = plane.shape[:3]
    stress, moduli, plastic, p, demand = return_in_plane(
        law,
        plane.reshape(-1, 3),
        memory.plastic[rows].reshape(-1, 3),
        memory.p[rows].ravel(),
        tangent,
    )
    memory.trial_plastic[rows] = plastic.reshape(*shape, 3)
    memory.trial_p[rows] = p.reshape(shape)
    memory.demand[rows] = demand.reshape(m, -1).max(axis=1)
    weight = thickness[:, None] * LAYER_WEIGHTS
    stress = stress.reshape(*shape, 3)
    resultant = np.einsum("mjk,mgk->mgj", stiffness, strain)
    resultant[:, :, :3] = np.einsum("ml,mglk->mgk", weight, stress)
    resultant[:, :, 3:6] = np.einsum("ml,ml,mglk->mgk", weight, height, stress)
    peak = _plane_mises(stress).reshape(m, -1).max(axis=1)
    if moduli is None:
        return resultant, None, peak
    c = np.broadcast_to(stiffness[:, None], (m, points, 9, 9)).copy()
    moduli = moduli.reshape(*shape, 3, 3)
    zeroth = np.einsum("ml,mglij->mgij", weight, moduli)
    first = np.einsum("ml,mglij->mgij", weight * height, moduli)
    second = np.einsum("ml,mglij->mgij", weight * height**2, moduli)
    c[:, :, :3, :3], c[:, :, :3, 3:6], c[:, :, 3:6, :3], c[:, :, 3:6, 3:6] = (
        zeroth,
        first,
        first,
        second,
    )
    return resultant, c, peak
