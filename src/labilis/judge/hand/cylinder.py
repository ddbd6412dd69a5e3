"""A round tube whose wall buckles, with the knock-down for its sensitivity."""

from __future__ import annotations

import math

from labilis.judge.hand.form import AREA, E, Form, Outcome, Symbol, Values, numbers


def knock_down(slimness: float) -> float:
    """Lower bound of tests against R/t: 1 - 0.901 (1 - exp(-√(R/t) / 16))."""
    return 1 - 0.901 * (1 - math.exp(-math.sqrt(slimness) / 16))


def _compute(values: Values) -> Outcome:
    e, ratio, t, radius, area = numbers(values, "E", "ν", "t", "R", "A")
    ideal = e * t / (radius * math.sqrt(3 * (1 - ratio**2)))
    gamma = knock_down(radius / t)
    remarks = (
        ("R/t lies beyond 1500, outside the tests.",)
        if radius / t > 1500
        else (("A wall this thick yields or bows as a column first.",) if radius / t < 20 else ())
    )
    return Outcome(
        gamma * ideal * area,
        (("R / t", radius / t, ""), ("σcr", ideal, "MPa"), ("γ", gamma, "")),
        remarks,
    )


FORM = Form(
    "cylinder",
    "Cylinder",
    "γ A E t / (R √(3 (1 - ν²))), γ = 1 - 0.901 (1 - exp(-√(R/t) / 16))",
    "Lorenz 1908; knock-down: Weingarten, Morgan and Seide 1965, NASA SP-8007",
    "round tubes in even compression, R/t up to 1500",
    (
        E,
        Symbol("ν", "Poisson's ratio", "number"),
        Symbol("t", "thickness of the wall", "length"),
        Symbol("R", "radius of the wall's middle", "length"),
        AREA,
    ),
    _compute,
    real=True,
)
