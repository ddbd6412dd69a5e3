"""Column curves of EN 1993-1-1, 6.3.1."""

from __future__ import annotations

import math

from labilis.judge.hand.form import (
    AREA,
    CRITICAL,
    FY,
    Form,
    Outcome,
    Symbol,
    Values,
    number,
    numbers,
)

IMPERFECTION = {"a0": 0.13, "a": 0.21, "b": 0.34, "c": 0.49, "d": 0.76}
CURVE = Symbol("curve", "buckling curve", "choice", choices=tuple(IMPERFECTION))
GAMMA = Symbol("γM1", "partial factor", "number")


def reduction(slenderness: float, curve: str) -> float:
    """χ of equation (6.49)."""
    if slenderness <= 0.2:
        return 1.0
    phi = 0.5 * (1 + IMPERFECTION[curve] * (slenderness - 0.2) + slenderness**2)
    return min(1.0, 1 / (phi + math.sqrt(phi**2 - slenderness**2)))


def _compute(values: Values) -> Outcome:
    fy, area, critical = numbers(values, "fy", "A", "Ncr")
    ratio = math.sqrt(area * fy / critical)
    chi = reduction(ratio, str(values["curve"]))
    return Outcome(chi * area * fy / number(values, "γM1"), (("λ̄", ratio, ""), ("χ", chi, "")))


FORM = Form(
    "ec3",
    "EN 1993-1-1",
    "χ A fy / γM1, χ = 1 / (Φ + √(Φ² - λ̄²)), Φ = (1 + α (λ̄ - 0.2) + λ̄²) / 2, λ̄ = √(A fy / Ncr)",
    "EN 1993-1-1:2005, 6.3.1.2",
    "sections of class 1 to 3 in compression: no wall buckles before",
    (FY, AREA, CRITICAL, CURVE, GAMMA),
    _compute,
    real=True,
)
