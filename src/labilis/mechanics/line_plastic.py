"""Lines that yield: fibres over the section, at five Lobatto points along the element.

An element is loaded at its ends, so its resultants follow from its end forces q whatever it does
(Spacone, Filippou and Taucer 1996): at a place x they are b(x) q, and its sections follow by
solving

    S_g(e_g) = b_g q,    Σ w_g b_gᵀ e_g + F_s q = d,

with e = (ε, κy, κz) of each section, F_s what shear and twist give way elastically, d the motion of
its ends. It is the least of a convex energy, which Newton's method with a bisected step finds.
A fibre at y, z carries σ(ε + z κy - y κz + ω φ''), its law that of von Mises along one axis; φ'' is
that of the cubic twist, so that bimoments yield with the rest. Yield takes direct stress only:
shear is looked after by `shear_use`.

Lobatto's points lie at the ends as well, where hinges form (Neuenhofer and Filippou 1997).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from labilis.mechanics.line import LineGeometry, carried
from labilis.mechanics.plastic import Memory, YieldLaw, blank
from labilis.mechanics.plastic_kernels import return_fibres

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
# of -1 to 1: (x, weight), exact to degree seven
_X = np.array([-1.0, -np.sqrt(3 / 7), 0.0, np.sqrt(3 / 7), 1.0])
LOBATTO = (0.5 * (1 + _X), 0.5 * np.array([1 / 10, 49 / 90, 32 / 45, 49 / 90, 1 / 10]))
# of the modulus: slope of a plateau, so that a section that yields all over is not without any
# stiffness; EN 1993-1-5:2006, C.6 takes ten times as much
_PLATEAU = 1e-5
# states that are anywhere near a path take two to six passes
_HARD, _MOST, _HALVINGS = 1e-9, 16, 8
# of the first slope of the energy: what counts as rising, and what is left of a fall worth a step
_FLAT, _ENOUGH = 1e-3, 0.5
# so many first steps may leave a slope of so much the other way: most end before, and what would
# not is caught by those that follow
_TRUSTED, _RISING = 8, 0.9


@dataclass(frozen=True)
class FibreForms:
    """What is fixed of m elements: areas (f,); rows (f, 4) of the fibres' strain against ε, κy, κz
    and φ''; elastic (3,) EA, EIy, EIz; b (m, 5, 3, 6); weight (m, 5) mm; slack F_s (m, 6, 6);
    kept (m, 6, 6): columns span the end forces that hinges leave, or are nought; rate of twist
    changes (m, 5, 9): φ'' from the local motions."""

    areas: Floats
    rows: Floats
    elastic: Floats
    b: Floats
    weight: Floats
    slack: Floats
    kept: Floats
    bend: Floats


@dataclass(frozen=True)
class Yielded:
    """Of m elements: force (m, 6), stiffness (m, 6, 6) of the ends; lever (m, 6, 9) that φ'' adds
    to the ends' motions; inner (m, 9), second (m, 9, 9): what yielding bimoments add; stress (m,)
    MPa, the largest of a fibre."""

    force: Floats
    stiffness: Floats
    lever: Floats
    inner: Floats
    second: Floats
    stress: Floats


def blank_fibres(law: YieldLaw, elements: int, fibres: int) -> Memory:
    """Memory of lines that have not yielded."""
    return blank(law.rising(_PLATEAU * law.modulus), elements, len(_X), fibres, 1)


def fibre_forms(
    g: LineGeometry, ends: Floats, fibres: Floats, modulus: float, released: NDArray[np.bool_]
) -> FibreForms:
    """Of elements with twist and its rates `ends` (m, 4, 9) from the local motions; fibres (f, 4):
    y, z, ω, area; released (m, 12) as in `line.line_geometry`."""
    x, weight = LOBATTO
    length = g.length[:, None]
    b = carried(length * (1 - x))[:, :, [0, 4, 5]]
    elastic = g.section[[0, 4, 5], [0, 4, 5]]
    along = length * weight
    bending = np.einsum("mg,mgki,k,mgkj->mij", along, b, 1 / elastic, b, optimize=True)
    forms = np.stack([12 * x - 6, (6 * x - 4) + 0 * x, 6 - 12 * x, 6 * x - 2], axis=1)[
        None
    ] / np.stack(
        [length**2, length, length**2, length], axis=2
    )  # second derivatives of the cubic twist (m, 5, 4)
    rows, areas = _rows(fibres, elastic / modulus)
    return FibreForms(
        areas=areas,
        rows=rows,
        elastic=elastic,
        b=b,
        weight=along,
        slack=np.linalg.inv(g.stiff) - bending,
        kept=_kept(g.length, released),
        bend=forms @ ends,
    )


def _rows(fibres: Floats, moments: Floats) -> tuple[Floats, Floats]:
    """(rows (f, 4), areas (f,)): the fibres' places put right so that their moments are those of
    the section, A, Iy and Iz, and products of them nought: what yields all over has then no elastic
    stiffness left. ω, all noughts where a section does not warp, keeps its own moment."""
    y, z, omega, area = fibres.T
    rows = np.stack([np.ones_like(y), z, -y, omega], axis=1)
    count = 4 if np.abs(omega).max(initial=0.0) > 0 else 3
    own = np.linalg.cholesky((rows[:, :count] * area[:, None]).T @ rows[:, :count])
    wanted = np.sqrt(np.append(moments, own[-1, -1] ** 2)[:count])
    rows[:, :count] = np.linalg.solve(own, rows[:, :count].T).T * wanted
    return rows, np.ascontiguousarray(area)


def _kept(length: Floats, released: NDArray[np.bool_]) -> Floats:
    """(m, 6, 6): bases of the end forces with which nothing acts on what hinges."""
    kept = np.tile(np.eye(6), (len(length), 1, 1))
    for row in np.flatnonzero(released.any(axis=1)):
        rigid = np.eye(6)
        rigid[1, 5], rigid[2, 4] = length[row], -length[row]
        acting = np.concatenate([-rigid, np.eye(6)], axis=1)[:, released[row]]
        # in units of the length, so that forces and moments weigh alike
        scale = np.array([1, 1, 1, length[row], length[row], length[row]])
        left, sizes, _ = np.linalg.svd(acting * scale[:, None])
        rank = int((sizes > 1e-9 * sizes[0]).sum())
        kept[row] = 0.0
        kept[row, :, : 6 - rank] = left[:, rank:] * scale[:, None]
    return kept


def fibre_state(
    forms: FibreForms, motion: Floats, local: Floats, memory: Memory, active: Ints
) -> Yielded:
    """Of the elements `active` (k,) with end motions (k, 6) and local motions (k, 9). The trial
    goes into `memory`. Forces are nan where nothing balances within the passes allowed."""
    elements = _elements(forms, motion, local, memory, active)
    # the last trial is a better beginning than the last accepted state, and the end does not
    # depend on it
    strain, force = elements.elastic(memory.trial_plastic[active][..., 0])
    now = elements.at(strain)
    for number in range(_MOST):
        tangent, inverse, matrix = elements.tangent(now)
        gap = now.resultant - np.einsum("mgki,mi->mgk", elements.b, force)
        left = _unbalanced(forms, memory.law, gap)
        if not left.any():
            break
        step_force = elements.through(matrix, strain, inverse, now) - force
        wanted = np.einsum("mgki,mi->mgk", elements.b, force + step_force)
        step = np.einsum("mgkl,mgl->mgk", inverse, wanted - now.resultant)
        way = _Way(elements, strain, step, force, step_force)
        share = _shares(np.flatnonzero(left), way, _RISING if number < _TRUSTED else _FLAT)
        strain = strain + share[:, None, None] * step
        force = force + share[:, None] * step_force
        now = elements.at(strain)
    force = np.where(left[:, None], np.nan, force)
    memory.trial_plastic[active] = (now.fibre - now.stress / memory.law.modulus)[..., None]
    memory.trial_p[active] = now.p
    memory.demand[active] = now.demand.max(axis=(1, 2))
    b, weight, bend = elements.b, elements.weight, forms.bend[active]
    mixed = np.einsum("mgkl,mgl->mgk", inverse, tangent[..., :3, 3])
    own = tangent[..., 3, 3] - np.einsum("mgk,mgk->mg", tangent[..., :3, 3], mixed)
    return Yielded(
        force,
        matrix,
        np.einsum("mg,mgki,mgk,mgj->mij", weight, b, mixed, bend, optimize=True),
        np.einsum("mg,mg,mgj->mj", weight, now.bimoment, bend),
        np.einsum("mg,mg,mgi,mgj->mij", weight, own, bend, bend, optimize=True),
        np.abs(now.stress).max(axis=(1, 2)),
    )


@dataclass(frozen=True)
class _Sections:
    """resultant (m, 5, 3); bimoment (m, 5) beyond the elastic one; of the fibres (m, 5, f) stress,
    slope, p, demand and strain."""

    resultant: Floats
    bimoment: Floats
    stress: Floats
    slope: Floats
    p: Floats
    demand: Floats
    fibre: Floats


def _elements(
    forms: FibreForms, motion: Floats, local: Floats, memory: Memory, active: Ints
) -> _Elements:
    return _Elements(
        forms,
        memory.law,
        forms.b[active],
        forms.weight[active],
        forms.slack[active],
        forms.kept[active],
        motion,
        np.ascontiguousarray(np.einsum("mgj,mj->mg", forms.bend[active], local)),
        np.ascontiguousarray(memory.plastic[active][..., 0]),
        memory.p[active],
    )


@dataclass(frozen=True)
class _Elements:
    """The elements looked at: parts of `FibreForms`, motion (m, 6), φ'' warped (m, 5), and what
    their fibres (m, 5, f) remember."""

    forms: FibreForms
    law: YieldLaw
    b: Floats
    weight: Floats
    slack: Floats
    kept: Floats
    motion: Floats
    warped: Floats
    plastic: Floats
    p: Floats

    def at(self, strain: Floats, some: Ints | slice = slice(None)) -> _Sections:
        """At strains (m, 5, 3)."""
        forms = self.forms
        return _Sections(
            *return_fibres(
                self.law.modulus,
                self.law.curve,
                forms.areas,
                forms.rows,
                forms.elastic,
                np.ascontiguousarray(strain),
                self.warped[some],
                self.plastic[some],
                self.p[some],
            )
        )

    def elastic(self, plastic: Floats) -> tuple[Floats, Floats]:
        """(strain (m, 5, 3), end forces (m, 6)) of what balances with fibres (m, 5, f) at plastic
        strains."""
        forms = self.forms
        stays = (self.law.modulus * forms.areas * plastic) @ forms.rows[:, :3]
        lost = stays / forms.elastic
        inverse = np.broadcast_to(np.diag(1 / forms.elastic), (*lost.shape, 3))
        free = self.motion - np.einsum("mg,mgki,mgk->mi", self.weight, self.b, lost, optimize=True)
        force = np.einsum("mij,mj->mi", self._stiffness(inverse), free)
        return np.einsum("mgki,mi->mgk", self.b, force) / forms.elastic + lost, force

    def _stiffness(self, inverse: Floats) -> Floats:
        """Of the ends (m, 6, 6), from flexibilities of the sections (m, 5, 3, 3) and the forces
        that hinges leave."""
        flexible = self.slack + np.einsum(
            "mg,mgki,mgkl,mglj->mij", self.weight, self.b, inverse, self.b, optimize=True
        )
        turned = np.swapaxes(self.kept, 1, 2)
        gone = (np.abs(self.kept).max(axis=1) == 0).astype(float)
        inner = turned @ flexible @ self.kept + gone[:, :, None] * np.eye(6)
        return np.asarray(self.kept @ np.linalg.solve(inner, turned))

    def tangent(self, now: _Sections) -> tuple[Floats, Floats, Floats]:
        """(section tangents (m, 5, 4, 4), inverses (m, 5, 3, 3) of their part without φ'',
        stiffness of the ends (m, 6, 6))."""
        forms = self.forms
        softer = self.law.modulus * (1.0 - now.slope) * forms.areas
        pairs = (forms.rows[:, :, None] * forms.rows[:, None, :]).reshape(len(forms.areas), 16)
        tangent: Floats = -(softer @ pairs).reshape(*softer.shape[:2], 4, 4)
        tangent[..., [0, 1, 2], [0, 1, 2]] += forms.elastic
        inverse = np.asarray(np.linalg.inv(tangent[..., :3, :3]), dtype=np.float64)
        return tangent, inverse, self._stiffness(inverse)

    def through(self, matrix: Floats, strain: Floats, inverse: Floats, now: _Sections) -> Floats:
        """End forces (m, 6) of the sections as they are, made linear."""
        there = strain - np.einsum("mgkl,mgl->mgk", inverse, now.resultant)
        rest = np.einsum("mg,mgki,mgk->mi", self.weight, self.b, there, optimize=True)
        return np.asarray(np.einsum("mij,mj->mi", matrix, self.motion - rest))


@dataclass(frozen=True)
class _Way:
    """A step of strains (m, 5, 3) and end forces (m, 6) from where they are."""

    elements: _Elements
    strain: Floats
    step: Floats
    force: Floats
    step_force: Floats

    def slope(self, share: Floats, some: Ints) -> Floats:
        """Of the energy (k,) along the step, at shares (k,) of it."""
        one, part, step = self.elements, share[:, None], self.step[some]
        tried = one.at(self.strain[some] + part[..., None] * step, some).resultant
        ends = self.force[some] + part * self.step_force[some]
        return np.asarray(
            np.einsum("mg,mgk,mgk->m", one.weight[some], step, tried)
            + np.einsum("mi,mij,mj->m", self.step_force[some], one.slack[some], ends)
        )


def _unbalanced(forms: FibreForms, law: YieldLaw, gap: Floats) -> NDArray[np.bool_]:
    """Which elements (m,) have a section whose resultants are not those of the end forces."""
    reach = np.abs(forms.rows[:, 1:3]).max(axis=0)
    sizes = law.stress[0] * np.append(forms.areas.sum(), forms.elastic[1:] / law.modulus / reach)
    return np.asarray((np.abs(gap) > _HARD * sizes).any(axis=(1, 2)))


def _shares(here: Ints, way: _Way, most: float) -> Floats:
    """Share (m,) of each element's step at which its energy has fallen, nought for those that are
    not `here`. The energy is convex: its slope along the step rises, and where it has not turned
    positive the energy is less than before. A root is bracketed (regula falsi, Illinois) where the
    slope at its end is over `most` of that at its beginning."""
    low, high = np.zeros(len(here)), np.ones(len(here))
    before = way.slope(low, here)
    at_low, at_high = before.copy(), way.slope(high, here)
    over = at_high > -most * before
    share = np.where(over, 0.0, 1.0)
    for _ in range(_HALVINGS):
        rows = np.flatnonzero(over)
        if len(rows) == 0:
            break
        one, two = at_low[rows], at_high[rows]
        middle = low[rows] - one * (high[rows] - low[rows]) / np.maximum(two - one, 1e-300)
        edge = 0.05 * (high[rows] - low[rows])
        middle = np.clip(middle, low[rows] + edge, high[rows] - edge)
        found = way.slope(middle, here[rows])
        falls = found <= -_FLAT * before[rows]
        low[rows[falls]], at_low[rows[falls]] = middle[falls], found[falls]
        high[rows[~falls]], at_high[rows[~falls]] = middle[~falls], found[~falls]
        at_high[rows[falls]] *= 0.5
        at_low[rows[~falls]] *= 0.5
        share[rows[falls]] = middle[falls]
        over[rows[falls & (found > _ENOUGH * before[rows])]] = False
    all_of = np.zeros(len(way.step))
    # where rounding hides whether it falls, the whole step is as good as any
    all_of[here] = np.where(share > 0, share, 1.0)
    return all_of


def shear_use(
    law: YieldLaw, force: Floats, rate: Floats, areas: tuple[float, float], arm: float
) -> Floats:
    """Shear stress (m,) beside half of the yield stress in shear, from end forces (m, 6) and the
    largest rate of twist (m,): up to it EN 1993-1-1:2005, 6.2.8, leaves the resistance to bending
    as it is. areas mm² that carry Vy and Vz; arm mm: shear stress of St Venant's over G φ'."""
    straight = np.hypot(force[:, 1] / areas[0], force[:, 2] / areas[1])
    return np.asarray((straight + law.shear * arm * rate) * np.sqrt(3.0) / law.stress[0] / 0.5)
