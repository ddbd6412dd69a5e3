"""Yield long before buckling: the elastic factor is then not what the part carries."""

from labilis.judge.evidence.base import CaseFacts, Evidence


def yield_first(facts: CaseFacts) -> Evidence | None:
    """Compares first yield with the first positive factor."""
    if facts.strength is None or facts.modes is None or len(facts.modes.positive) == 0:
        return None
    if facts.yield_strength is None:
        return Evidence(
            "yield before buckling",
            "–",
            "",
            "not judged",
            "The material has no yield strength, so yield cannot be compared with buckling.",
            "part",
        )
    strength = facts.strength
    factor, first = strength.strength_factor, float(facts.modes.positive[0])
    aside = (
        f" A peak within a wall of {strength.peak} yields at {strength.yield_factor:.4g} and is "
        "set aside."
        if strength.peak
        else ""
    )
    if factor < first:
        return Evidence(
            "yield before buckling",
            f"{factor:.4g}",
            "factor",
            "caution",
            f"The most stressed wall yields at {factor:.4g} × the load, before the first mode at "
            f"{first:.4g}: the part carries "
            f"less than its ideal factor.{aside}",
            "strength",
        )
    if aside:
        return Evidence(
            "yield before buckling",
            f"{factor:.4g}",
            "factor",
            "good",
            f"The walls yield at {factor:.4g}, above the first mode at {first:.4g}.{aside}",
            "strength",
        )
    return Evidence(
        "yield before buckling",
        f"{factor:.4g}",
        "factor",
        "good",
        f"First yield at {factor:.4g} lies above the first mode at {first:.4g}.",
        "strength",
    )
