"""The side to which an imperfection lowers the factor most, from what a modes run found."""

from __future__ import annotations

import numpy as np

from labilis.model import shown

_ALIKE = 0.02  # of the amplitude: what the loads bend less than this does not count
_DROP = 0.005  # of the factor: a difference between the sides that does not count


def weaker_side(amplitude: float, pull: float, skew: float) -> tuple[str, str]:
    """('+' or '-', '' where neither, why) of the side to which a bow of `amplitude` mm lowers the
    factor most; `pull` and `skew` as in ModesFindings. An imperfection δ to the side where the
    factor falls costs 2 √(skew δ) of it (Koiter 1945)."""
    drops = {
        sign: 2 * float(np.sqrt(max(0.0, -skew * (number * amplitude + pull))))
        for sign, number in (("+", 1.0), ("-", -1.0))
    }
    if abs(drops["+"] - drops["-"]) > _DROP:
        sign = max(drops, key=lambda side: drops[side])
        return (
            sign,
            f"to that side the factor falls by {100 * abs(skew) * shown.per('length'):.2g} % per "
            f"{shown.unit('length')} once it buckles",
        )
    if abs(pull) > _ALIKE * amplitude:
        return (
            "+" if pull > 0 else "-",
            f"to that side the loads bend it by themselves, {shown.length(abs(pull), 3)} of the "
            "shape at its factor",
        )
    return "", "both sides buckle alike: it goes to the one that yields first"
