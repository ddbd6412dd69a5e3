"""Numbers as people read them."""
from __future__ import annotations

import math


def critical_text(factor: float, growing_force: float) -> str:
    """Critical load of a factor; a dash where the growing loads balance each other and have no resultant."""
    return force_text(factor * growing_force) if growing_force else "–"


def error_text(error: float) -> str:
    """A relative error in per cent with two digits, never less than 0.01 %: what lies under that is no error of a real part."""
    return f"{max(100 * error, 0.01):.2g} %"


def force_text(value: float) -> str:
    """A force in N with a fitting unit and four digits: '2.255 kN'."""
    if not math.isfinite(value):
        return "–"
    size = abs(value)
    if size >= 1e6:
        return f"{value / 1e6:.4g} MN"
    return f"{value / 1e3:.4g} kN" if size >= 1e3 else f"{value:.4g} N"
