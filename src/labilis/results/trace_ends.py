"""Why a trace ended, in words, and what to try then."""

from __future__ import annotations

from collections.abc import Sequence

# of a factor: what a path must fall by for its limit to be passed; steps in balance differ by less
_FALLS = 1e-3
# name: (why, what to try)
ENDS = {
    "target": ("the factor asked for was reached", ""),
    "limit": ("the limit was passed", ""),
    "steps": ("the steps ran out", "Allow more steps: it goes on from there."),
    "stuck": (
        "no balance was found with the smallest step",
        "Look at the last shape. A finer mesh where it bends, a larger amplitude, or "
        "a prescribed displacement in place of the force may take it further.",
    ),
    "mechanism": (
        "something moves freely",
        "Look at the last shape for what is loose, and hold it.",
    ),
    "inverted": (
        "an element turned inside out",
        "Mesh finer where the last shape folds, or allow less motion.",
    ),
    "deflection": ("the deflection allowed was passed", "Allow more if the part may move so far."),
    "yield": (
        "well past first yield, which this trace does not follow",
        "Let the material yield to go on.",
    ),
    "line": (
        "well past what a line carries elastically: its walls are slim, or it is sheared",
        "Mesh what yields there as shells or solids to go on.",
    ),
    "plastic": ("the plastic strain allowed was reached", "Allow more if the material takes it."),
    "strain": (
        "strains passed 5 %, where the theory of small strains ends",
        "Take what was found so far, or let the material yield.",
    ),
}


def ends_of(factors: Sequence[float], negative: Sequence[int]) -> tuple[float, float]:
    """(limit, bifurcation) of a path with the negative pivots of its tangents, nan where there is
    none.

    The limit is the first one: a part that snaps there is lost, however far the path rises again.
    It is passed where the path falls by more than balance is sure of, or where it loses a pivot and
    does not rise any more. The bifurcation is the factor of the last point before a
    rising path lost a pivot: what follows is not where a part would go.
    """
    nan = float("nan")
    fall, top = len(factors), 0
    for number, factor in enumerate(factors):
        if factor > factors[top]:
            top = number
        elif factor < factors[top] - _FALLS * abs(factors[top]):
            fall = number
            break
    lost = next(
        (number for number in range(1, len(factors)) if negative[number] > negative[0]),
        len(factors),
    )
    limit = float(factors[top]) if fall < len(factors) else nan
    if lost < min(fall, len(factors)) and max(factors[lost:fall]) > factors[lost - 1] * (
        1 + _FALLS
    ):
        at_top = lost == top and fall < len(factors)  # at a limit itself a pivot is lost as well
        return limit, nan if at_top else float(factors[lost - 1])
    return (float(factors[top]) if lost < len(factors) and limit != limit else limit), nan


def what_to_try(why: str) -> str:
    """The advice that belongs to a reason, '' where none is needed."""
    return next((advice for words, advice in ENDS.values() if words == why), "")
