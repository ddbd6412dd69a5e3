"""What a real part carries, without a trace: the general method of EN 1993-1-1:2005, 6.3.4, and of
EN 1993-1-5:2006, 10.

    λ̄ = √(α_ult / α_cr),   factor = χ(λ̄) α_ult / γM1

α_ult: factor at which the most stressed section of the perfect part yields, read a wall away from
the toes of joints, where the stress of linear elasticity knows no end; α_cr: factor of a mode;
χ: the column curve c (6.49) where a member bows or sways, d where it twists, a where a plate by
itself and c where a stiffener buckles, which may behave as columns (EN 1993-1-5, 4.5.3), and the
plate curve (B.1) of annex B for welded or cold formed plates where walls of a section buckle, which
have a reserve; a wall's mode that hardly distorts its section takes the curve c as well. The code
takes α_ult over the section; the first point of one that yields is on the safe side of it.

Walls that are curved and buckle by themselves may carry a small share of their ideal load: the
least that tests of spherical caps gave, 0.14 (Weingarten and Seide 1968, NASA SP-8032; of cylinders
up to R/t = 1500 it is 0.18, Weingarten, Seide and Peterson 1968, NASA SP-8007)."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from labilis.judge.hand.ec3 import reduction
from labilis.results.findings import MeshFindings, ModesFindings

if TYPE_CHECKING:
    from labilis.judge.evidence.base import CaseFacts

GAMMA_M1 = 1.0  # recommended value, EN 1993-1-1, 6.1
_PLATE_ALPHA, _PLATE_PLATEAU = (
    0.34,
    0.70,
)  # EN 1993-1-5, table B.1: welded or cold formed, direct stress, ψ >= 0
# EN 1993-1-5, 4.5.3: a plate by itself may behave as a column, curve a where it has no stiffener;
# with one no better than curve c
_CURVES = {"member bow": "c", "member sway": "c", "torsion": "d", "plate": "a", "stiffener": "c"}
_WALLS = ("plate", "local wall", "stiffener")
# share of the motion that distorts the section, under which a wall's mode may be a member's: walls
# that stand on all sides had 0.50 and more (0.43 in closed form where they bulge in one half wave
# across), those of sections 0.85 and more, members 0.13 and less, cantilevered plates with ribs
# 0.13 to 0.19 (32 parts drawn at random)
_HARDLY = 0.30
_KNOCKED = 0.14
_THIN = 10.0  # R/t from which a curved wall may buckle by itself before it yields
_CURVED = 0.05  # of a part's surface that may lie on such walls: less is fillets and bosses


@dataclass(frozen=True)
class OverallCheck:
    """Check of one mode, numbered from 0: slenderness, curve in words, reduction, factor on the
    growing load."""

    mode: int
    slenderness: float
    curve: str
    reduction: float
    factor: float


_NOTHING = 1e-9  # of first yield, where its error is all of it


def plate_reduction(slenderness: float) -> float:
    """ρ of equation (B.1)."""
    phi = 0.5 * (1 + _PLATE_ALPHA * (slenderness - _PLATE_PLATEAU) + slenderness)
    return (
        1.0
        if slenderness <= _PLATE_PLATEAU
        else min(1.0, 1.0 / (phi + math.sqrt(max(phi * phi - slenderness, 0.0))))
    )


def mesh_errors(modes: ModesFindings) -> list[float]:
    """Mesh error of each mode, of those that were not followed the largest that was; noughts
    where there is none."""
    known = modes.mesh_error
    largest = float(known[np.isfinite(known)].max()) if np.isfinite(known).any() else 0.0
    own = [float(error) if math.isfinite(error) else largest for error in known]
    return own if len(own) == len(modes.factors) else [0.0] * len(modes.factors)


def overall_checks(facts: CaseFacts, low: bool = False) -> tuple[tuple[OverallCheck, ...], str]:
    """(checks of all positive modes, '') or ((), why there is none). `low`: with first yield and
    the modes at the low ends of their mesh errors."""
    modes, strength, mesh = facts.modes, facts.strength, facts.mesh
    if modes is None or strength is None or mesh is None or len(modes.positive) == 0:
        return (), "there are no modes"
    ultimate = strength.sections_yield
    if low and not math.isnan(modes.section_error):
        ultimate *= max(1.0 - modes.section_error, _NOTHING)
    if not math.isfinite(ultimate) or ultimate <= 0 or facts.yield_strength is None:
        return (), "there is no yield strength, or nothing yields"
    acting = {str(name) for name in strength.loads}
    if any(load.name in acting and load.growth == "held" for load in facts.project.loads):
        return (), "part of the load is held, and the check knows loads that grow together only"
    if facts.without_yield:
        return (), f"the material of {facts.without_yield[0]} has no yield strength"
    curved = thin_curved_share(mesh) > _CURVED
    critical = [
        float(factor) * max(1.0 - (error if low else 0.0), _NOTHING)
        for factor, error in zip(modes.factors, mesh_errors(modes))
    ]
    found = []
    for number, (factor, kind, driver) in enumerate(zip(critical, facts.kinds, modes.drivers)):
        if factor <= 0:
            continue
        if facts.trace_decides(driver):
            return (
                (),
                f"mode {number + 1} is of a closed thin-walled section, which may carry far less "
                "than its ideal load",
            )
        found.append(_check(number, factor, ultimate, _taken_as(modes, number, kind, curved)))
    # a curved wall's mode that was not looked for may lie just beyond the last one, and count for a
    # seventh of it
    if curved:
        number = int(np.argmax(modes.factors))
        beyond = _check(number, critical[number], ultimate, "curved wall")
        found.append(
            replace(
                beyond,
                curve=f"{beyond.curve}, of one that may lie beyond the modes found: ask for more "
                "of them",
            )
        )
    return tuple(found), ""


def _taken_as(modes: ModesFindings, number: int, kind: str, curved: bool) -> str:
    """The kind that a mode is checked as. A wall that hardly changes the shape of its section is as
    much a member: which of the two it is called hangs on the mesh, and it takes the lower curve."""
    if curved and kind in _WALLS:
        return "curved wall"
    told = number < len(modes.distorted)
    if kind in ("plate", "local wall") and told and modes.distorted[number] < _HARDLY:
        return "member bow"
    return kind


def _check(number: int, critical: float, ultimate: float, kind: str) -> OverallCheck:
    slenderness = math.sqrt(ultimate / critical)
    if kind == "curved wall":
        slenderness = math.sqrt(ultimate / (_KNOCKED * critical))
        chi = reduction(slenderness, "d")
        return OverallCheck(
            number,
            slenderness,
            f"{_KNOCKED:g} of a curved wall's ideal load, curve d",
            chi,
            chi * ultimate / GAMMA_M1,
        )
    if kind == "local wall":
        return OverallCheck(
            number,
            slenderness,
            "plate curve B.1",
            rho := plate_reduction(slenderness),
            rho * ultimate / GAMMA_M1,
        )
    letter = _CURVES.get(kind, "d")
    chi = reduction(slenderness, letter)
    return OverallCheck(
        number, slenderness, f"column curve {letter}", chi, chi * ultimate / GAMMA_M1
    )


def least_overall(facts: CaseFacts, low: bool = False) -> OverallCheck | None:
    """The check that governs, None where there is none; `low` as in `overall_checks`."""
    checks, _ = overall_checks(facts, low)
    return min(checks, key=lambda item: item.factor, default=None)


def thin_curved_share(mesh: MeshFindings) -> float:
    """Share of a mesh's surface that lies on faces whose radius is over ten times the wall."""
    area, radius = mesh.face_rounding
    if not len(area):
        return 0.0
    return float(area[radius > _THIN * mesh.thickness].sum() / area.sum())
