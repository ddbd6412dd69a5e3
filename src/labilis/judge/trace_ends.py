"""Why a trace ended, in words, and what to try then."""
from __future__ import annotations

from collections.abc import Sequence

_FALLS = 1e-3  # of a factor: what a path must fall by for its limit to be passed; steps in balance differ by less
# name: (why, what to try)
ENDS = {
    "target": ("the factor asked for was reached", ""),
    "limit": ("the limit was passed", ""),
    "steps": ("the steps ran out", "Allow more steps: it goes on from there."),
    "stuck": ("no balance was found with the smallest step", "Look at the last shape. A finer mesh where it bends, a larger amplitude, or "
              "a prescribed displacement in place of the force may take it further."),
    "mechanism": ("something moves freely", "Look at the last shape for what is loose, and hold it."),
    "inverted": ("an element turned inside out", "Mesh finer where the last shape folds, or allow less motion."),
    "deflection": ("the deflection allowed was passed", "Allow more if the part may move so far."),
    "yield": ("well past first yield, which this trace does not follow", "Let the material yield to go on."),
    "plastic": ("the plastic strain allowed was reached", "Allow more if the material takes it."),
    "strain": ("strains passed 5 %, where the theory of small strains ends", "Take what was found so far, or let the material yield.")}


def limit_of(factors: Sequence[float]) -> float:
    """The first limit of a path, nan while it still rises: a part that snaps at a limit is lost there, however far the path rises again."""
    top = 0
    for number, factor in enumerate(factors):
        if factor > factors[top]:
            top = number
        elif factor < factors[top] - _FALLS * abs(factors[top]):
            return float(factors[top])
    return float("nan")


def bifurcation_of(factors: Sequence[float], negative: Sequence[int]) -> float:
    """Factor of the last point before a rising path lost its stability without a limit, nan when it did not: what follows is not where a
    part would go."""
    limit = limit_of(factors)
    top = len(factors) - 1 if limit != limit else list(factors).index(limit)
    last = top + 1 if limit != limit else top  # at a limit itself a pivot is lost as well
    for number in range(1, last):
        if negative[number] > negative[0]:
            return float(factors[number - 1])
    return float("nan")


def what_to_try(why: str) -> str:
    """The advice that belongs to a reason, '' where none is needed."""
    return next((advice for words, advice in ENDS.values() if words == why), "")
