"""The usual slips that explain why a model and a formula are apart: each makes a ratio of its
own."""

from __future__ import annotations

from dataclasses import dataclass

from labilis.judge.hand import EulerCheck
from labilis.judge.hand.euler import FOUR_CASES

WITHIN = 0.03  # of the ratio that a slip must explain


@dataclass(frozen=True)
class Slip:
    """A slip: what it is in words, the ratio of model over formula that it makes, and the
    station where it would be changed."""

    words: str
    ratio: float
    station: str


def slips_of(check: EulerCheck, first: float) -> tuple[Slip, ...]:
    """Slips that explain the ratio of the model's first factor over Euler's within 3 %, the
    nearest first; none when both agree so."""
    formula = check.governing.factor
    if not (formula > 0 and first > 0):
        return ()
    ratio = first / formula
    if abs(ratio - 1.0) <= WITHIN:
        return ()
    fitting = [slip for slip in _usual(check) if abs(slip.ratio / ratio - 1.0) <= WITHIN]
    return tuple(sorted(fitting, key=lambda slip: abs(slip.ratio / ratio - 1.0)))


def _usual(check: EulerCheck) -> list[Slip]:
    plane, other = check.governing, check.planes[-1]
    found = [
        Slip(
            f"the ends are {case.name} (K = {case.k:g}) rather than {plane.ends.name}",
            (plane.ends.k / case.k) ** 2,
            "supports",
        )
        for case in FOUR_CASES
        if abs(case.k / plane.ends.k - 1.0) > 0.01
    ]
    if other is not plane and abs(other.second_moment / plane.second_moment - 1.0) > WITHIN:
        found.append(
            Slip(
                f"it bends about its {other.axis} axis rather than its {plane.axis} one",
                other.second_moment / plane.second_moment,
                "part",
            )
        )
    for words, change, station in (
        ("a length is halved or doubled", 4.0, "part"),
        ("a radius is taken for a diameter", 16.0, "part"),
        ("a flat wall's thickness is ten times off", 1000.0, "part"),
        ("a thin tube's wall is ten times off", 10.0, "part"),
        ("Young's modulus is in GPa where MPa is meant", 1000.0, "part"),
        ("steel's modulus stands for aluminium's", 3.0, "part"),
        ("pounds are taken for newtons", 4.44822, "loads"),
        ("kilograms are taken for newtons", 9.80665, "loads"),
        ("a load in all is taken for one on each of two", 2.0, "loads"),
    ):
        found += [Slip(words, change, station), Slip(words, 1.0 / change, station)]
    return found
