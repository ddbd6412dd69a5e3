"""The range that a first factor may lie in, from what members and walls allow however they are held."""
from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from labilis.judge.findings import MemberFindings
from labilis.judge.hand.plate import plate_stress
from labilis.judge.screening import elastic_of
from labilis.model import Project

FREEST, FIRMEST = 2.0, 0.5  # K of a strut that is held at one end only, and of one that is held firmly at both
# coefficients of a long plate in even compression: one side free and the other supported, both held firmly (Timoshenko and Gere 1961)
_ONE_FREE, _FIRM = 0.425, 6.97
_MOSTLY = 0.5  # of a member's largest compression, that its mean must be: what bends has no upper bound here
_LITTLE = 0.05  # of the largest compression anywhere


@dataclass(frozen=True)
class Range:
    """low: nothing goes before, by member `weakest`; high: by then member `first_to_go` has gone, inf where none is compressed evenly."""

    low: float
    weakest: str
    high: float
    first_to_go: str


def plausible_range(project: Project, members: MemberFindings) -> Range:
    """Least and largest first factor on the growing load. Raises LabilisError without a material."""
    largest = float(members.peak.max(initial=0.0))
    low, high = (math.inf, ""), (math.inf, "")
    for k, name in enumerate(str(item) for item in members.names):
        peak = float(members.peak[k])
        if peak <= _LITTLE * largest:
            continue
        e, ratio = elastic_of(project, str(members.pieces[k]))
        growing, held = (float(value) for value in members.axial[k])
        mean = growing / float(members.area[k])
        euler = math.pi**2 * e * float(members.i_min[k]) / float(members.length[k]) ** 2
        column = [(euler / end**2 - held) / growing if growing > 0 else math.inf for end in (FREEST, FIRMEST)]
        wall = _walls(members, k, e, ratio)
        stress = [max(peak, mean), mean]
        plate = [one / max(at, 1e-300) for one, at in zip(wall, stress)]
        low = min(low, (min(column[0], plate[0]), name))
        if mean >= _MOSTLY * peak:
            high = min(high, (min(column[1], plate[1]), name))
    return Range(*low, *high)


def _walls(members: MemberFindings, k: int, e: float, ratio: float) -> tuple[float, float]:
    """(least, largest) stress at which a wall of a member may buckle, MPa; infinite where it has none."""
    if members.radius[k] > 0:
        classical = e * float(members.thickness[k]) / (float(members.radius[k]) * math.sqrt(3 * (1 - ratio**2)))
        return 0.5 * classical, math.inf
    if members.wall_width[k] > 0:
        slim = float(members.wall_width[k] / members.wall_thickness[k])
        return plate_stress(e, ratio, 1.0, slim, _ONE_FREE), plate_stress(e, ratio, 1.0, slim, _FIRM)
    return math.inf, math.inf


def off(first: float, allowed: Range) -> float:
    """How many times a factor lies over the range, or under it as a share of one; 1 within."""
    return float(np.clip(1.0, first / allowed.high if math.isfinite(allowed.high) else 0.0, first / allowed.low))
