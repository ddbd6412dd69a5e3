"""Johnson's parabola for stocky columns."""

from __future__ import annotations

import math

from labilis.judge.hand.form import (
    AREA,
    ENDS,
    FY,
    INERTIA,
    LENGTH,
    E,
    Form,
    Outcome,
    Values,
    numbers,
    slenderness,
)


def _compute(values: Values) -> Outcome:
    e, fy, area = numbers(values, "E", "fy", "A")
    ratio, _ = slenderness(values)
    border = math.sqrt(2 * math.pi**2 * e / fy)
    if ratio <= border:
        stress = fy * (1 - fy * ratio**2 / (4 * math.pi**2 * e))
        return Outcome(
            stress * area, (("K L / i", ratio, ""), ("border", border, ""), ("σ", stress, "MPa"))
        )
    stress = math.pi**2 * e / ratio**2
    return Outcome(
        stress * area,
        (("K L / i", ratio, ""), ("border", border, ""), ("σ", stress, "MPa")),
        (f"Slenderness {ratio:.0f} lies beyond {border:.0f}: Euler's curve is used.",),
    )


FORM = Form(
    "johnson",
    "Johnson",
    "A fy (1 - fy (K L / i)² / (4 π² E)), Euler beyond √(2 π² E / fy)",
    "J. B. Johnson 1893; Budynas and Nisbett, Shigley's Mechanical Engineering Design, ch. 4",
    "stocky columns, no eccentricity",
    (E, FY, AREA, INERTIA, LENGTH, ENDS),
    _compute,
    real=True,
)
