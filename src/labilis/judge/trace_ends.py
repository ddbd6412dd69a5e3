"""Why a trace ended, in words, and what to try then."""
from __future__ import annotations

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


def what_to_try(why: str) -> str:
    """The advice that belongs to a reason, '' where none is needed."""
    return next((advice for words, advice in ENDS.values() if words == why), "")
