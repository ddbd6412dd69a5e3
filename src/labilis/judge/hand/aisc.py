"""Column curve of AISC 360, E3."""

from __future__ import annotations

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

PHI = Symbol("φc", "resistance factor", "number")


def critical_stress(fy: float, elastic: float) -> float:
    """Fcr of equations E3-2 and E3-3 from the elastic buckling stress Fe, in the same unit."""
    return 0.658 ** (fy / elastic) * fy if fy / elastic <= 2.25 else 0.877 * elastic


def _compute(values: Values) -> Outcome:
    fy, area, critical = numbers(values, "fy", "A", "Ncr")
    elastic = critical / area
    stress = critical_stress(fy, elastic)
    return Outcome(
        number(values, "φc") * stress * area, (("Fe", elastic, "MPa"), ("Fcr", stress, "MPa"))
    )


FORM = Form(
    "aisc",
    "AISC 360",
    "φc A Fcr, Fcr = 0.658^(fy/Fe) fy while fy/Fe ≤ 2.25, else 0.877 Fe, Fe = Ncr / A",
    "AISC 360-16, E3",
    "sections without slender elements",
    (FY, AREA, CRITICAL, PHI),
    _compute,
    real=True,
)
