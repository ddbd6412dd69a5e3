"""Euler's load with effective length."""

from __future__ import annotations

import math

from labilis.judge.hand.form import (
    AREA,
    ENDS,
    INERTIA,
    LENGTH,
    E,
    Form,
    Outcome,
    Values,
    numbers,
    slenderness,
)

# ends -> (theoretical, recommended where ends are never quite fixed: AISC 360, commentary, table
# C-A-7.1)
EFFECTIVE_LENGTHS = {
    "fixed-fixed": (0.5, 0.65),
    "fixed-pinned": (0.6992, 0.80),
    "fixed-guided": (1.0, 1.2),
    "pinned-pinned": (1.0, 1.0),
    "fixed-free": (2.0, 2.1),
    "pinned-guided": (2.0, 2.0),
}


def _compute(values: Values) -> Outcome:
    e, inertia, length, k = numbers(values, "E", "I", "L", "K")
    ratio, gyration = slenderness(values)
    remarks = (
        (f"Slenderness {ratio:.0f} is low: shear and yield count, Euler is too high.",)
        if ratio < 40
        else ()
    )
    return Outcome(
        math.pi**2 * e * inertia / (k * length) ** 2,
        (("i", gyration, "mm"), ("K L / i", ratio, "")),
        remarks,
    )


FORM = Form(
    "euler",
    "Euler",
    "π² E I / (K L)²",
    "Euler 1744; Timoshenko and Gere 1961, ch. 2; recommended K: AISC 360, table C-A-7.1",
    "slender, straight, elastic, one section, pushed along its axis",
    (E, INERTIA, LENGTH, ENDS, AREA),
    _compute,
)
