"""Numbers as people read them."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from labilis.judge.spans import Figures
from labilis.model import shown

if TYPE_CHECKING:
    from labilis.results.findings import SettledFindings


def critical_text(factor: float, growing_force: float) -> str:
    """Critical load of a factor; a dash where the growing loads balance each other and have no
    resultant."""
    return force_text(factor * growing_force) if growing_force else "–"


def settled_words(found: SettledFindings, said: Figures | None = None) -> str:
    """What making a mesh finer has brought; `said` remembers its figures."""
    said = said or Figures()
    first, last = (
        (
            said.of(float(found.sizes[k]), "length", 3),
            f"{said.plain(float(found.factors[k]))} ± {error_text(float(found.errors[k]))}",
        )
        for k in (0, -1)
    )
    text = (
        f"The proposed {first[0]} gave the factor {first[1]}; "
        f"{said.plain(found.fineness, '.3g')} times finer it is {last[1]}."
    )
    return (
        text
        if found.enough
        else text
        + f" The {error_text(found.limit)} aimed at was not reached: mesh finer where it bends."
    )


def error_text(error: float) -> str:
    """A relative error in per cent with two digits, never less than 0.01 %: what lies under that
    is no error of a real part."""
    return f"{max(100 * error, 0.01):.2g} %"


def force_text(value: float) -> str:
    """A force in N with a fitting unit and four digits: '2.255 kN'."""
    return shown.force(value) if math.isfinite(value) else "–"


def place_text(place: np.ndarray) -> str:
    """'12, 0, 60': a place (3,) mm in the unit that lengths are shown in, without what rounding
    leaves of nought."""
    return shown.numbers([float(c) for c in place])
