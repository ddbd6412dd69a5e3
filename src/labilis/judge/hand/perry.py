"""The Ayrton-Perry formula: a column with a bow, until its fibre yields."""

from __future__ import annotations

import math

from labilis.judge.hand.form import (
    AREA,
    ENDS,
    FIBRE,
    FY,
    INERTIA,
    LENGTH,
    E,
    Form,
    Outcome,
    Symbol,
    Values,
    numbers,
    slenderness,
)

BOW = Symbol("e0", "bow at mid length", "length", -1e-300)


def perry(fy: float, euler: float, eta: float) -> float:
    """Mean stress (MPa) at first yield: the smaller root of (fy - σ)(σE - σ) = η σE σ."""
    half = 0.5 * (fy + (1 + eta) * euler)
    return half - math.sqrt(half**2 - fy * euler)


def _compute(values: Values) -> Outcome:
    e, fy, area, c, bow = numbers(values, "E", "fy", "A", "c", "e0")
    ratio, gyration = slenderness(values)
    euler, eta = math.pi**2 * e / ratio**2, bow * c / gyration**2
    stress = perry(fy, euler, eta)
    return Outcome(
        stress * area,
        (
            ("K L / i", ratio, ""),
            ("σE", euler, "MPa"),
            ("η = e0 c / i²", eta, ""),
            ("σ", stress, "MPa"),
        ),
    )


FORM = Form(
    "perry",
    "Perry",
    "(fy - σ)(σE - σ) = η σE σ, η = e0 c / i²",
    "Ayrton and Perry 1886; Robertson 1925",
    "column with a bow like half a sine; ends when the fibre yields",
    (E, FY, AREA, INERTIA, LENGTH, ENDS, FIBRE, BOW),
    _compute,
    real=True,
)
