"""Slips in a material: a modulus ten times off, a yield strength in GPa, another metal's density.

What is of a steel, an aluminium or a titanium alloy is told by the density, which says so in every
language, else by the name. Bounds: EN 1993-1-1 3.2.6, EN 1993-1-4 2.1.3 and EN 1999-1-1 3.2.5 for
what codes take (210, 195 to 200 and 70 GPa), widened to the alloys of the tables in Ashby (2011,
Materials Selection in Mechanical Design, appendix A); those of anything that parts are made of from
there as well: no solid is stiffer than tungsten carbide (700 GPa), none but rubber yields beyond a
twentieth of its modulus, none is stiffer for its density than a laminate of pitch fibres (220 GPa
at 1 Mg/m³)."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

from labilis.judge.evidence.base import CaseFacts, Evidence
from labilis.model import GRADES, Material, Project, shown
from labilis.model.expressions import number_of

Range = tuple[float, float]


@dataclass(frozen=True)
class _Family:
    """A group of alloys: density t/mm³, modulus and yield strength MPa, Poisson ratio, words in its
    names."""

    name: str
    density: Range
    modulus: Range
    strength: Range
    ratio: Range
    words: str


_FAMILIES = (
    _Family(
        "a steel",
        (7.6e-9, 8.1e-9),
        (185e3, 220e3),
        (100.0, 2500.0),
        (0.25, 0.32),
        r"steel|stahl|acier",
    ),
    _Family(
        "aluminium", (2.6e-9, 2.9e-9), (65e3, 83e3), (15.0, 750.0), (0.3, 0.37), r"alumin|\bEN AW\b"
    ),
    _Family("titanium", (4.3e-9, 4.9e-9), (80e3, 125e3), (150.0, 1600.0), (0.28, 0.38), r"titan"),
)
_ANY = _Family("any", (1e-10, 2.3e-8), (100.0, 700e3), (0.0, float("inf")), (-1.0, 0.5), "")
# what names a grade in its name: its yield strength is known then. Stainless steel is left out, as
# cold working doubles its own and more (EN 1993-1-4, 2.1.2)
_DESIGNATION = re.compile(r"\b(S\d{3}|DC\d\d|AW-?\s?\d{4}|grade \d)(?!\d)", re.IGNORECASE)
# over what the library has: steels come with up to 1.5 times of it (JCSS 2001, Probabilistic Model
# Code 3.02: mean over nominal 1.1 to 1.3), DC01 with up to twice (EN 10130: 280 MPa at most)
_OVER_GRADE = 2.0
_YIELD_STRAIN = 0.05
_STIFFEST = 2.4e14  # MPa per t/mm³; ten times what steel, aluminium and titanium have is 2.6e14


def material_figures(facts: CaseFacts) -> Evidence | None:
    """Figures of a material that none of its kind has."""
    project = facts.project
    used = {piece.material for piece in project.active_pieces if piece.material}
    if not used:
        return None
    doubts = [
        text
        for material in project.materials
        if material.name in used
        for text in _doubts(project, material)
    ]
    if doubts:
        text = f"{doubts[0]} Check the figure and its unit."
        return Evidence(
            "material figures", str(len(doubts)), "out of range", "caution", text, "part"
        )
    return Evidence(
        "material figures",
        "0",
        "out of range",
        "good",
        "Modulus, density and yield strength of each material lie where those of its kind do.",
        "part",
    )


def _doubts(project: Project, material: Material) -> Iterator[str]:
    modulus, density, strength, ratio = (
        None if getattr(material, field) is None else project.number(material, field)
        for field in ("youngs_modulus", "density", "yield_strength", "poisson_ratio")
    )
    family = _family_of(material.name, density)
    of = "" if family is _ANY else f" is {family.name} by its {_told_by(family, density)}, but"
    for figure, value, (low, high), words in (
        ("a modulus", modulus, family.modulus, shown.stress),
        ("a density", density, family.density, _density),
        ("a yield strength", strength, family.strength, shown.stress),
        ("a Poisson ratio", ratio, family.ratio, "{:.3g}".format),
    ):
        if value is not None and not low <= value <= high:
            yield (
                f"'{material.name}'{of} has {figure} of {words(value)}, where they lie between "
                f"{words(low)} and {words(high)}."
            )
    known = _of_grade(material.name)
    if strength is not None and known is not None and strength > _OVER_GRADE * known[1]:
        yield (
            f"'{material.name}' is called {known[0]}, but has a yield strength of "
            f"{shown.stress(strength)}, where {known[0]} has {shown.stress(known[1])}."
        )
    if modulus is not None and density is not None and modulus > _STIFFEST * density:
        yield (
            f"'{material.name}' would be stiffer for its density ({shown.stress(modulus)} at "
            f"{_density(density)}) than any laminate of carbon."
        )
    if modulus is not None and strength is not None and strength > _YIELD_STRAIN * modulus:
        yield (
            f"'{material.name}' would yield at a strain of {strength / modulus:.2g}: only rubber "
            "stretches so far."
        )


def _plain(designation: str) -> str:
    return re.sub(r"[\s-]", "", designation).upper()


def _of_grade(name: str) -> tuple[str, float] | None:
    """(designation, yield strength MPa as the library has it) of the grade that a name tells."""
    found = _DESIGNATION.search(name)
    if found is None:
        return None
    for item in GRADES:
        there = _DESIGNATION.search(item.name)
        if there is not None and _plain(there[0]) == _plain(found[0]) and item.yield_strength:
            return found[0], number_of(item.yield_strength, "stress", {})
    return None


def _family_of(name: str, density: float | None) -> _Family:
    for family in _FAMILIES:
        if density is not None and family.density[0] <= density <= family.density[1]:
            return family
    return next((item for item in _FAMILIES if re.search(item.words, name, re.IGNORECASE)), _ANY)


def _told_by(family: _Family, density: float | None) -> str:
    return (
        "density"
        if density is not None and family.density[0] <= density <= family.density[1]
        else "name"
    )


def _density(value: float) -> str:
    return f"{1e12 * value:,.0f} kg/m³"
