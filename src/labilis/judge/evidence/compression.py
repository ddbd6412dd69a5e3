"""Whether anything is in compression at all."""

from labilis.judge.evidence.base import CaseFacts, Evidence


def compression(facts: CaseFacts) -> Evidence | None:
    """Without a positive factor there is nothing to buckle under this load: an answer, not a
    failure."""
    modes = facts.modes
    if modes is None:
        return None
    if modes.held_unstable:
        return Evidence(
            "held loads",
            "0",
            "factor",
            "bad",
            "The part goes unstable under the held loads alone, before any growing load acts.",
            "loads",
        )
    if len(modes.positive) == 0:
        return Evidence(
            "compression",
            "0",
            "positive factors",
            "good",
            "This load cannot make the part unstable: nothing that could buckle is in compression.",
            "loads",
        )
    share = facts.strength.compression_share if facts.strength is not None else 0.0
    return Evidence(
        "compression",
        f"{100 * share:.0f}",
        "% of the volume",
        "good",
        f"{100 * share:.0f} % of the part's volume is mainly in compression.",
        "loads",
    )
