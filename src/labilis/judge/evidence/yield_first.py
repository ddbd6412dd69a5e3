"""Yield long before buckling: the elastic factor is then not what the part carries."""
from labilis.judge.evidence.base import CaseFacts, Evidence


def yield_first(facts: CaseFacts) -> Evidence | None:
    """Compares first yield with the first positive factor."""
    if facts.strength is None or facts.modes is None or len(facts.modes.positive) == 0:
        return None
    if facts.yield_strength is None:
        return Evidence("yield before buckling", "–", "", "not judged",
                        "The material has no yield strength, so yield cannot be compared with buckling.", "part")
    factor, first = facts.strength.yield_factor, float(facts.modes.positive[0])
    if factor < first:
        return Evidence("yield before buckling", f"{factor:.4g}", "factor", "caution",
                        f"The most stressed point yields at {factor:.4g} × the load, before the first mode at {first:.4g}. "
                        "Local peaks at supports may be harmless; otherwise the part carries less than its ideal factor.",
                        "strength")
    return Evidence("yield before buckling", f"{factor:.4g}", "factor", "good",
                    f"First yield at {factor:.4g} lies above the first mode at {first:.4g}.", "strength")
