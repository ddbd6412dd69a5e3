"""The secant formula: a straight elastic column pushed off its axis, until its fibre yields."""

from __future__ import annotations

import math

from scipy.optimize import brentq

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

ECCENTRICITY = Symbol("e", "eccentricity of the load", "length", -1e-300)


def largest_stress(load: float, values: Values) -> float:
    """Largest compressive stress (MPa) under a load (N) below Euler's."""
    e_mod, area, c, e = numbers(values, "E", "A", "c", "e")
    ratio, gyration = slenderness(values)
    return (
        load
        / area
        * (1 + e * c / gyration**2 / math.cos(0.5 * ratio * math.sqrt(load / (e_mod * area))))
    )


def _compute(values: Values) -> Outcome:
    e_mod, fy, area, inertia, length, k = numbers(values, "E", "fy", "A", "I", "L", "K")
    top = min(math.pi**2 * e_mod * inertia / (k * length) ** 2, fy * area)
    ratio, gyration = slenderness(values)
    e, c = numbers(values, "e", "c")
    steps = (("K L / i", ratio, ""), ("e c / i²", e * c / gyration**2, ""))
    if largest_stress(top * (1 - 1e-9), values) <= fy:
        return Outcome(top, steps)
    return Outcome(
        float(brentq(lambda load: largest_stress(load, values) - fy, 1e-9 * top, top * (1 - 1e-9))),
        steps,
    )


FORM = Form(
    "secant",
    "Secant",
    "P where P/A (1 + (e c / i²) sec(K L / (2 i) √(P / (E A)))) = fy",
    "Scheffler 1858; Gere and Goodno, Mechanics of Materials, ch. 11",
    "straight column pushed off its axis; ends when the fibre yields",
    (E, FY, AREA, INERTIA, LENGTH, ENDS, FIBRE, ECCENTRICITY),
    _compute,
    real=True,
)
