"""The range that a first factor may lie in, from what members and walls allow however they are
held."""

from __future__ import annotations

import math
from dataclasses import dataclass

from labilis.judge.hand.plate import plate_stress
from labilis.judge.screening import elastic_of
from labilis.model import Project
from labilis.results.findings import MemberFindings
from labilis.results.section_class import thin_section

FREEST, FIRMEST = (
    2.0,
    0.5,
)  # K of a strut that is held at one end only, and of one that is held firmly at both
# coefficients of a long plate in even compression: one side free and the other supported, both held
# firmly (Timoshenko and Gere 1961)
_ONE_FREE, _FIRM = 0.425, 6.97
# of a member's largest compression, that its mean must be: what bends has no upper bound here
_MOSTLY = 0.5
_LITTLE = 0.05  # of the largest compression anywhere
# how far a first factor may lie beyond the range. Of 64 parts of the corpus (seed 31) those of one
# piece had 0.83 times the least (a threaded rod, whose core is thinner than its mean section) to
# 1.5 times the largest (a stepped plate); those of several pieces 0.22 times (members longer than
# any of their pieces) to 4 times (walls stiffened along their length by another piece)
ONE, SEVERAL = (0.7, 1.8), (0.1, 10.0)


@dataclass(frozen=True)
class Range:
    """low: nothing goes before, by member `weakest`; high: by then member `first_to_go` has gone,
    inf where none is compressed evenly;
    beyond: how many times a factor may lie under and over them. low is 0 where walls are not known.
    ends: the same as high for a member that is held at its ends only; plate: whether the member is
    one flat wall that is not much longer than wide."""

    low: float
    weakest: str
    high: float
    first_to_go: str
    beyond: tuple[float, float] = ONE
    ends: float = math.inf
    plate: bool = False

    def holds(self, first: float) -> bool:
        """Whether a factor is plausible."""
        return self.beyond[0] * self.low <= first <= self.beyond[1] * self.high


def plausible_range(
    project: Project, members: MemberFindings, along: bool = False, push: float = 0.0
) -> Range:
    """Least and largest first factor on the growing load; `along`: a single member is held along
    its length as well, so that its walls have to buckle, or the whole of it between firm ends: a
    long wall and a wide column together, which for a plate that is held firmly all round comes to k
    = 6.97 + 4 / a² (10.97 where Timoshenko and Gere 1961 have 10.07 for a square, 7.41 and 7.37 for
    a = 3); push N: the growing load along it, which a side that is held may take away before the
    other end. Raises LabilisError without a material."""
    largest, several = float(members.peak.max(initial=0.0)), len(members.names) > 1
    low, high, ends = (math.inf, ""), (math.inf, ""), math.inf
    for k, name in enumerate(str(item) for item in members.names):
        peak = float(members.peak[k])
        if peak <= _LITTLE * largest:
            continue
        e, ratio = elastic_of(project, str(members.pieces[k]))
        growing, held = (float(value) for value in members.axial[k])
        mean = growing / float(members.area[k])
        euler = math.pi**2 * e * float(members.i_min[k]) / float(members.length[k]) ** 2
        # however it bends, no member goes before the one whose whole section has its largest
        # compression
        stress = [max(peak, mean) * float(members.area[k]), growing]
        column = [
            (euler / end**2 - held) / force if force > 0 else math.inf
            for end, force in zip((FREEST, FIRMEST), stress)
        ]
        wall = _walls(members, k, e, ratio)
        if math.isinf(wall[0]) and is_thin(members, k):
            low = (0.0, name)
            continue
        plate = [
            one * float(members.area[k]) / max(force, 1e-300) for one, force in zip(wall, stress)
        ]
        low = min(low, (min(column[0], plate[0]), name))
        if mean >= _MOSTLY * peak:
            # among several pieces one may be held along its length by another: then its wall has to
            # buckle
            most = min(column[1], plate[1])
            if several:
                most = max(column[1], plate[1])
            elif along:
                most = column[1] / (1.0 - ratio**2) + plate[1]
            high = min(high, (most, name))
        pressed = max(growing, push)
        if pressed > 0:
            ends = min(
                ends,
                (euler / FIRMEST**2 - held) / pressed,
                wall[1] * float(members.area[k]) / pressed,
            )
    if project.springs or any(
        hub.at is not None for hub in project.hubs
    ):  # what stands on them, or is reached by an arm, may be softer
        low = (0.0, low[1])
    return Range(*low, *high, SEVERAL if several else ONE, ends, not several and _is_plate(members))


_WIDE = 5.0  # times its width that a plate is long at most, unless it is
# thicknesses wide: what is narrower and longer is a strap, which a support along its length holds
# by mistake more often
_THICKS = 30.0
_FLAT = 1.05  # times the area of its one wall that a plate's section has at most, holes taken out


def _is_plate(members: MemberFindings) -> bool:
    width, thick = float(members.wall_width[0]), float(members.wall_thickness[0])
    alone = 0.0 < float(members.area[0]) <= _FLAT * width * thick
    return alone and (float(members.length[0]) <= 1.001 * _WIDE * width or width >= _THICKS * thick)


def is_thin(members: MemberFindings, k: int) -> bool:
    """Whether the section of a member is far wider than its walls are thick."""
    return thin_section(*(float(x[k]) for x in (members.area, members.i_min, members.thickness)))


def _walls(members: MemberFindings, k: int, e: float, ratio: float) -> tuple[float, float]:
    """(least, largest) stress at which a wall of a member may buckle, MPa; infinite where it has
    none."""
    if members.radius[k] > 0:
        slim = float(members.radius[k]) / float(members.thickness[k])
        # half of Koiter's stress along it (bending and holes), or a ring under outside pressure, E
        # / (4 (1 - ν²)) (t / R)² (Bresse)
        return e * min(
            0.5 / (slim * math.sqrt(3 * (1 - ratio**2))), 0.25 / ((1 - ratio**2) * slim**2)
        ), math.inf
    if members.wall_width[k] > 0:
        slim = float(members.wall_width[k] / members.wall_thickness[k])
        return plate_stress(e, ratio, 1.0, slim, _ONE_FREE), plate_stress(
            e, ratio, 1.0, slim, _FIRM
        )
    return math.inf, math.inf
