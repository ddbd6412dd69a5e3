"""Ordinary sections of open standards as sizes of our own recipes. Dimensions are those of the
standards' tables; of the many that are rolled the common small ones.

Cold formed tubes have an inside radius of one thickness up to 6 mm (EN 10219-2, 1.5 beyond).
Rolled I sections and angles have fillets, which the recipes leave out: their areas lie up to 6 %
under those of the tables, on the safe side.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING

from labilis.model.errors import LabilisError
from labilis.model.recipes import Section

if TYPE_CHECKING:
    from labilis.model.project import Project

# side: thicknesses, mm (EN 10219-2)
_SQUARE = {
    20: (2,),
    25: (2, 2.5),
    30: (2, 2.5, 3),
    40: (2, 2.5, 3, 4),
    50: (2, 2.5, 3, 4, 5),
    60: (2, 3, 4, 5),
    70: (3, 4, 5),
    80: (3, 4, 5, 6),
    100: (3, 4, 5, 6),
    120: (4, 5, 6),
}
_RECTANGULAR = {
    (20, 40): (2, 2.5, 3),
    (30, 50): (2, 2.5, 3, 4),
    (40, 60): (2, 2.5, 3, 4),
    (40, 80): (3, 4, 5),
    (50, 100): (3, 4, 5, 6),
    (60, 80): (3, 4, 5),
    (60, 120): (4, 5, 6),
}
_ROUND = {
    21.3: (2, 2.5, 3),
    26.9: (2, 2.5, 3),
    33.7: (2, 2.5, 3),
    42.4: (2, 2.5, 3, 4),
    48.3: (2, 2.5, 3, 4, 5),
    60.3: (2, 2.5, 3, 4, 5),
    76.1: (2, 2.5, 3, 4, 5),
    88.9: (2, 2.5, 3, 4, 5),
    114.3: (3, 4, 5, 6),
    139.7: (4, 5, 6),
}
# equal legs: thicknesses, mm (EN 10056-1)
_ANGLE = {
    20: (3,),
    25: (3, 4),
    30: (3, 4),
    35: (4,),
    40: (4, 5),
    45: (4.5,),
    50: (4, 5, 6),
    60: (5, 6, 8),
    70: (6, 7),
    80: (8, 10),
    100: (8, 10, 12),
}
# height, width, web, flange, mm (EN 10365)
_I = {
    "IPE 80": (80, 46, 3.8, 5.2),
    "IPE 100": (100, 55, 4.1, 5.7),
    "IPE 120": (120, 64, 4.4, 6.3),
    "IPE 140": (140, 73, 4.7, 6.9),
    "IPE 160": (160, 82, 5.0, 7.4),
    "IPE 180": (180, 91, 5.3, 8.0),
    "IPE 200": (200, 100, 5.6, 8.5),
    "IPE 220": (220, 110, 5.9, 9.2),
    "IPE 240": (240, 120, 6.2, 9.8),
    "IPE 270": (270, 135, 6.6, 10.2),
    "IPE 300": (300, 150, 7.1, 10.7),
    "HEA 100": (96, 100, 5.0, 8.0),
    "HEA 120": (114, 120, 5.0, 8.0),
    "HEA 140": (133, 140, 5.5, 8.5),
    "HEA 160": (152, 160, 6.0, 9.0),
    "HEA 180": (171, 180, 6.0, 9.5),
    "HEA 200": (190, 200, 6.5, 10.0),
    "HEB 100": (100, 100, 6.0, 10.0),
    "HEB 120": (120, 120, 6.5, 11.0),
    "HEB 140": (140, 140, 7.0, 12.0),
    "HEB 160": (160, 160, 8.0, 13.0),
    "HEB 180": (180, 180, 8.5, 14.0),
    "HEB 200": (200, 200, 9.0, 15.0),
}
_COLD, _LEGS, _ROLLED = "EN 10219-2", "EN 10056-1", "EN 10365"


_FIELDS = ("width", "height", "diameter", "thickness", "web", "radius")
_DIGITS = 5  # of mm: a table has two, and what is left of 60 mm in inches lies far below


@dataclass(frozen=True)
class StandardSection:
    """name as the standard has it; the recipe's section; its sizes in mm by _FIELDS, 0 for none."""

    name: str
    standard: str
    section: Section
    sizes: tuple[float, ...]

    @property
    def words(self) -> str:
        """'60 × 60 × 3, EN 10219-2'."""
        return f"{self.name}, {self.standard}"


def _made(name: str, standard: str, shape: str, **sizes: float) -> StandardSection:
    stated = {key: f"{value:g} mm" for key, value in sizes.items()}
    section = Section.model_validate({"shape": shape, **stated})
    return StandardSection(
        name, standard, section, tuple(float(sizes.get(field, 0.0)) for field in _FIELDS)
    )


@lru_cache
def standard_sections(shape: str) -> tuple[StandardSection, ...]:
    """All of a shape, smallest first; none of shapes that have no table here."""
    make = _TABLES.get(shape)
    return () if make is None else tuple(make())


def _squares() -> Iterator[StandardSection]:
    for side, walls in _SQUARE.items():
        for t in walls:
            name = f"{side} × {side} × {t:g}"
            yield _made(name, _COLD, "square tube", width=side, thickness=t, radius=t)


def _rectangles() -> Iterator[StandardSection]:
    for (width, height), walls in _RECTANGULAR.items():
        for t in walls:
            sizes = {"width": width, "height": height, "thickness": t, "radius": t}
            yield _made(f"{height} × {width} × {t:g}", _COLD, "rectangular tube", **sizes)


def _rounds() -> Iterator[StandardSection]:
    for diameter, walls in _ROUND.items():
        for t in walls:
            name = f"Ø {diameter} × {t:g}"
            yield _made(name, _COLD, "round tube", diameter=diameter, thickness=t)


def _angles() -> Iterator[StandardSection]:
    for side, walls in _ANGLE.items():
        for t in walls:
            name = f"{side} × {side} × {t:g}"
            yield _made(name, _LEGS, "angle", width=side, height=side, thickness=t)


def _beams() -> Iterator[StandardSection]:
    for name, (height, width, web, flange) in _I.items():
        sizes = {"height": height, "width": width, "web": web, "thickness": flange}
        yield _made(name, _ROLLED, "I", **sizes)


_TABLES: dict[str, Callable[[], Iterator[StandardSection]]] = {
    "square tube": _squares,
    "rectangular tube": _rectangles,
    "round tube": _rounds,
    "angle": _angles,
    "I": _beams,
}


@lru_cache
def _by_sizes(shape: str) -> dict[tuple[float, ...], StandardSection]:
    return {item.sizes: item for item in standard_sections(shape)}


def standard_of(project: Project, section: Section) -> StandardSection | None:
    """The standard section that has these sizes, None where there is none."""
    known = _by_sizes(section.shape)
    if not known:
        return None
    try:
        stated = [project.number_if(section, field) for field in _FIELDS]
    except LabilisError:  # a size that has no value yet
        return None
    return known.get(tuple(round(size or 0.0, _DIGITS) for size in stated))
