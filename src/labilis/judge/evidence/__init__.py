"""Evidence: checks made on a result, each with its figure. A new one is one file and one line
here."""

from collections.abc import Callable

from labilis.judge.evidence.as_asked import mesh_as_asked
from labilis.judge.evidence.balance import balance
from labilis.judge.evidence.base import CaseFacts, Evidence
from labilis.judge.evidence.bolts import bolts
from labilis.judge.evidence.centred import centred
from labilis.judge.evidence.completeness import completeness, under_required
from labilis.judge.evidence.compression import compression
from labilis.judge.evidence.contact import contact
from labilis.judge.evidence.cross_check import cross_check
from labilis.judge.evidence.deflection import deflection_before_buckling
from labilis.judge.evidence.each_load import each_load
from labilis.judge.evidence.edge_support import edge_support
from labilis.judge.evidence.effective_length import effective_length
from labilis.judge.evidence.element_order import element_order
from labilis.judge.evidence.files import read_whole
from labilis.judge.evidence.following import following_pressure
from labilis.judge.evidence.free_motion import free_motion
from labilis.judge.evidence.half_waves import half_waves
from labilis.judge.evidence.hand_check import hand_check
from labilis.judge.evidence.held_direction import held_direction
from labilis.judge.evidence.held_part import held_part, together
from labilis.judge.evidence.interacting import interacting_modes
from labilis.judge.evidence.joints import joints
from labilis.judge.evidence.large_deflection import kept_length, linear_or_not
from labilis.judge.evidence.material_figures import material_figures
from labilis.judge.evidence.mesh_error import mesh_error
from labilis.judge.evidence.midsurface import midsurface, narrow_walls
from labilis.judge.evidence.negative import negative_factors
from labilis.judge.evidence.overall import overall
from labilis.judge.evidence.plausible import along_its_length, plausible
from labilis.judge.evidence.proportions import proportions
from labilis.judge.evidence.southwell import southwell_line
from labilis.judge.evidence.stated_loads import in_no_case, size_of_loads, warmth, weight
from labilis.judge.evidence.stretch import stretch
from labilis.judge.evidence.symmetry import symmetry
from labilis.judge.evidence.traced import traced
from labilis.judge.evidence.walls_of_lines import walls_of_lines
from labilis.judge.evidence.yield_first import yield_first

REGISTRY: tuple[Callable[[CaseFacts], Evidence | None], ...] = (
    free_motion,
    balance,
    held_direction,
    compression,
    element_order,
    walls_of_lines,
    half_waves,
    mesh_error,
    cross_check,
    completeness,
    under_required,
    negative_factors,
    interacting_modes,
    symmetry,
    mesh_as_asked,
    joints,
    bolts,
    contact,
    midsurface,
    narrow_walls,
    deflection_before_buckling,
    following_pressure,
    yield_first,
    overall,
    traced,
    hand_check,
    plausible,
    along_its_length,
    edge_support,
    each_load,
    held_part,
    together,
    centred,
    read_whole,
    proportions,
    material_figures,
    in_no_case,
    weight,
    warmth,
    size_of_loads,
    effective_length,
    stretch,
    southwell_line,
    linear_or_not,
    kept_length,
)
_ORDER = {"bad": 0, "caution": 1, "not judged": 2, "good": 3}


def collect(facts: CaseFacts) -> tuple[Evidence, ...]:
    """All evidence that the facts allow, worst first."""
    found = [item for item in (check(facts) for check in REGISTRY) if item is not None]
    return tuple(sorted(found, key=lambda item: _ORDER[item.state]))


__all__ = ["REGISTRY", "CaseFacts", "Evidence", "collect"]
