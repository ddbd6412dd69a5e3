"""What the part carries by the general method of EN 1993, beside its ideal factors."""

import math

from labilis.judge.evidence.base import CaseFacts, Evidence
from labilis.judge.figures import error_text
from labilis.judge.overall import least_overall, overall_checks


def overall(facts: CaseFacts) -> Evidence | None:
    """The least over all modes, against the factor that is asked of what the part carries."""
    if facts.modes is None or len(facts.modes.positive) == 0:
        return None
    least = least_overall(facts)
    if least is None:
        return Evidence(
            "overall check",
            "–",
            "",
            "not judged",
            f"No overall check: {overall_checks(facts)[1]}. Trace the part.",
            "trace",
        )
    needed = facts.capacity_required
    low = least_overall(facts, low=True)
    assert low is not None and facts.strength is not None
    enough = low.factor >= needed
    off = (
        ""
        if math.isnan(facts.modes.section_error)
        else f" The sections yield, a wall away from joints, at "
        f"{facts.strength.sections_yield:.4g} ± {error_text(facts.modes.section_error)}: "
        f"{low.factor:.4g} at the low end."
    )
    more = "" if enough else " Trace the part: a trace knows more than the curve."
    return Evidence(
        "overall check",
        f"{least.factor:.4g}",
        "× the service load",
        "good" if enough else "caution",
        f"By EN 1993-1-1, 6.3.4 an imperfect part carries {least.factor:.4g} × the load "
        f"(slenderness {least.slenderness:.3g}, "
        f"{least.curve}, reduction {least.reduction:.3g}, mode {least.mode + 1}); {needed:.4g} is "
        f"asked for.{off}{more}",
        "trace",
    )
