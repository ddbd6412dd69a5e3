"""A wall in even compression as a long plate."""

from __future__ import annotations

import math

from labilis.judge.hand.form import AREA, E, Form, Outcome, Symbol, Values, numbers

# long edges -> k of a long plate
COEFFICIENTS = {
    "both supported": 4.00,
    "both clamped": 6.97,
    "one clamped, one supported": 5.42,
    "one supported, one free": 0.425,
    "one clamped, one free": 1.277,
}
EDGES = Symbol("edges", "long edges of the wall", "choice", choices=tuple(COEFFICIENTS))


def plate_stress(e: float, ratio: float, t: float, b: float, k: float) -> float:
    """k π² E / (12 (1 - ν²)) (t / b)², MPa."""
    return k * math.pi**2 * e / (12 * (1 - ratio**2)) * (t / b) ** 2


def _compute(values: Values) -> Outcome:
    e, ratio, t, b, area = numbers(values, "E", "ν", "t", "b", "A")
    k = COEFFICIENTS[str(values["edges"])]
    stress = plate_stress(e, ratio, t, b, k)
    remarks = (
        (f"A width of {b / t:.0f} thicknesses is thick for a plate: yield comes first.",)
        if b / t < 10
        else ()
    )
    return Outcome(
        stress * area, (("b / t", b / t, ""), ("k", k, ""), ("σcr", stress, "MPa")), remarks
    )


FORM = Form(
    "plate",
    "Plate",
    "A k π² E / (12 (1 - ν²)) (t / b)²",
    "Bryan 1891; Timoshenko and Gere 1961, ch. 9",
    "wall several times longer than wide, in even compression",
    (
        E,
        Symbol("ν", "Poisson's ratio", "number"),
        Symbol("t", "thickness of the wall", "length"),
        Symbol("b", "width of the wall", "length"),
        EDGES,
        AREA,
    ),
    _compute,
)
