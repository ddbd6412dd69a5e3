"""What bolts carry against what they can bear, EN 1993-1-8:2005, tables 3.1 and 3.4, with γM2 =
1.25.

Shear in the thread, pull, both together, and bearing in the weaker of the two pieces, for normal
bores. A material states its yield
strength only: it stands for the tensile strength of the piece, which is larger. Without an edge
distance the least that is allowed counts, 1.2 bores. Prying is not in it: no piece presses on
another in the model.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from scipy.optimize import brentq

from labilis.model import Bolt, Project
from labilis.results.findings import Floats, StrengthFindings

if TYPE_CHECKING:
    from labilis.judge.evidence.base import CaseFacts

GAMMA_M2 = 1.25  # recommended value, EN 1993-1-8, table 2.1
_TENSILE = {
    "4.6": 400.0,
    "4.8": 400.0,
    "5.6": 500.0,
    "5.8": 500.0,
    "6.8": 600.0,
    "8.8": 800.0,
    "10.9": 1000.0,
}  # MPa, table 3.1
_BRITTLE = ("4.8", "5.8", "6.8", "10.9")  # α_v = 0.5 in the thread, else 0.6
# mm²: stress areas of coarse threads, ISO 898-1
_AREAS = {
    3: 5.03,
    4: 8.78,
    5: 14.2,
    6: 20.1,
    7: 28.9,
    8: 36.6,
    10: 58.0,
    12: 84.3,
    14: 115.0,
    16: 157.0,
    18: 192.0,
    20: 245.0,
    22: 303.0,
    24: 353.0,
    27: 459.0,
    30: 561.0,
    33: 694.0,
    36: 817.0,
}
_LEAST_EDGE = 1.2  # bores: least end and edge distance, table 3.3
_MOST = 1e6  # times the load: beyond it a bolt carries nothing worth telling


@dataclass(frozen=True)
class BoltCheck:
    """A plane of a bolt: name, the pieces beside it, shear and pull N under the service load, the
    share of what EN 1993-1-8 allows that is used in shear with pull and in bearing (nan where the
    yield strength is not known), and the factor at which one of them is used up."""

    name: str
    pieces: tuple[str, str]
    shear: float
    pull: float
    used: float
    bearing: float
    factor: float

    @property
    def most(self) -> float:
        """The larger of both shares."""
        return self.used if np.isnan(self.bearing) else max(self.used, self.bearing)


def stress_area(diameter: float) -> float:
    """mm² of a thread of a nominal diameter in mm; of sizes that the standard does not have,
    0.75 of the nominal section."""
    size = round(diameter)
    return (
        _AREAS[size]
        if size in _AREAS and abs(diameter - size) < 0.01
        else 0.75 * np.pi * diameter**2 / 4
    )


def resistances(project: Project, bolt: Bolt) -> tuple[float, float]:
    """(F_v,Rd in the thread, F_t,Rd) N."""
    area, tensile = stress_area(project.number(bolt, "diameter")), _TENSILE[bolt.grade]
    shear = (0.5 if bolt.grade in _BRITTLE else 0.6) * tensile * area / GAMMA_M2
    return shear, 0.9 * tensile * area / GAMMA_M2


def bearing_resistance(
    project: Project, bolt: Bolt, piece: str, depth: float, bore: float
) -> float:
    """F_b,Rd N of one piece, nan without its yield strength."""
    of = project.named("pieces", piece).material
    material = None if of is None else project.named("materials", of)
    if material is None or material.yield_strength is None:
        return float("nan")
    strength, tensile = project.number(material, "yield_strength"), _TENSILE[bolt.grade]
    edge = _LEAST_EDGE * bore if bolt.edge is None else project.number(bolt, "edge")
    alpha = min(edge / (3 * bore), tensile / strength, 1.0)
    k1 = min(2.8 * edge / bore - 1.7, 2.5)
    return max(k1, 0.0) * alpha * strength * project.number(bolt, "diameter") * depth / GAMMA_M2


def bolt_checks(facts: CaseFacts) -> tuple[BoltCheck, ...]:
    """All planes of all bolts that carry, the most used first."""
    strength, project = facts.strength, facts.project
    if strength is None or len(strength.bolts) == 0:
        return ()
    known = {bolt.name: bolt for bolt in project.bolts}
    found = [
        _check(project, known[str(name)], strength, row)
        for row, name in enumerate(strength.bolts)
        if str(name) in known
    ]
    return tuple(sorted(found, key=lambda item: item.factor))


def bolts_without_load(facts: CaseFacts) -> tuple[str, ...]:
    """Bolts that are not in the model, as what they hold is bonded."""
    there = set() if facts.strength is None else {str(name) for name in facts.strength.bolts}
    return (
        ()
        if facts.strength is None
        else tuple(bolt.name for bolt in facts.project.bolts if bolt.name not in there)
    )


def _check(project: Project, bolt: Bolt, strength: StrengthFindings, row: int) -> BoltCheck:
    axis, growing, held = (
        strength.bolt_axes[row],
        strength.bolt_growing[row, :3],
        strength.bolt_held[row, :3],
    )
    in_shear, in_pull = resistances(project, bolt)
    pieces = (str(strength.bolt_pieces[row, 0]), str(strength.bolt_pieces[row, 1]))
    each = [
        bearing_resistance(project, bolt, piece, float(depth), float(bore))
        for piece, depth, bore in zip(pieces, strength.bolt_depths[row], strength.bolt_bores[row])
    ]
    bears = min(each)

    def shares(factor: float) -> tuple[float, float, float, float]:
        """(shear, pull, share in shear and pull, share in bearing) at a factor."""
        force: Floats = factor * growing + held
        pull = max(float(force @ axis), 0.0)
        shear = float(np.linalg.norm(force - (force @ axis) * axis))
        return (
            shear,
            pull,
            max(shear / in_shear + pull / (1.4 * in_pull), pull / in_pull),
            shear / bears,
        )

    def over(factor: float) -> float:
        _, _, used, bearing = shares(factor)
        return (used if np.isnan(bearing) else max(used, bearing)) - 1.0

    shear, pull, used, bearing = shares(1.0)
    reached = (
        0.0
        if over(0.0) >= 0
        else float("inf")
        if over(_MOST) < 0
        else float(brentq(over, 0.0, _MOST, xtol=1e-9, rtol=1e-12))
    )
    return BoltCheck(bolt.name, pieces, shear, pull, used, bearing, reached)
