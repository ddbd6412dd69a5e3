"""Column curves of AS 4100, 6.3.3 and 6.3.4."""

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

CONSTANTS = ("-1", "-0.5", "0", "0.5", "1")
CONSTANT = Symbol("αb", "section constant", "choice", choices=CONSTANTS)
PHI = Symbol("φ", "capacity factor", "number")


def reduction(modified: float, constant: float) -> float:
    """αc from the modified slenderness λn and the section constant αb."""
    alpha = 2100 * (modified - 13.5) / (modified**2 - 15.3 * modified + 2050)
    ratio = max(modified + alpha * constant, 1e-9)
    eta = max(0.00326 * (ratio - 13.5), 0.0)
    xi = ((ratio / 90) ** 2 + 1 + eta) / (2 * (ratio / 90) ** 2)
    return min(1.0, xi * (1 - math.sqrt(max(1 - (90 / (xi * ratio)) ** 2, 0.0))))


def _compute(values: Values) -> Outcome:
    fy, area, critical = numbers(values, "fy", "A", "Ncr")
    modified = 90 * math.sqrt(area * fy / critical)
    alpha = reduction(modified, float(str(values["αb"])))
    return Outcome(
        number(values, "φ") * alpha * area * fy, (("λn", modified, ""), ("αc", alpha, ""))
    )


FORM = Form(
    "as4100",
    "AS 4100",
    "φ αc A fy, λn = 90 √(A fy / Ncr), αc by clause 6.3.3",
    "AS 4100:1998, 6.3.3 and 6.3.4",
    "sections whose walls do not buckle before yield (kf = 1)",
    (FY, AREA, CRITICAL, CONSTANT, PHI),
    _compute,
    real=True,
)
