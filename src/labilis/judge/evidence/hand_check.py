"""The model against Euler's formula."""

import math

from labilis.judge.evidence.base import CaseFacts, Evidence, State
from labilis.judge.slips import slips_of
from labilis.model import shown


def hand_check(facts: CaseFacts) -> Evidence | None:
    """Good within 5 %, caution beyond, with the likely reasons; not judged where the formula
    does not fit."""
    if facts.modes is None or facts.euler is None:
        return None
    if isinstance(facts.euler, str):
        return Evidence(
            "hand check", "–", "", "not judged", f"No Euler check: {facts.euler}", "modes"
        )
    check = facts.euler
    if math.isnan(check.difference):
        return None
    plane = check.governing
    reasons = " ".join(check.remarks)
    slips = slips_of(check, float(facts.modes.positive[0])) if len(facts.modes.positive) else ()
    state: State = "good" if abs(check.difference) <= 5 else "caution"
    return Evidence(
        "hand check",
        f"{check.difference:+.1f}",
        "% from Euler",
        state,
        f"Euler gives {plane.factor:.4g} ({plane.ends.name}, K = {plane.ends.k:g}, L = "
        f"{shown.length(check.length)}); the "
        f"model lies {abs(check.difference):.1f} % {'above' if check.difference > 0 else 'below'}. "
        f"{reasons}".strip(),
        slips[0].station if slips else "modes",
        tuple((f"That is the ratio when {slip.words}.", slip.station) for slip in slips[:3]),
    )
