"""A support that swallows the load: the loaded region is held in the load's own direction."""

from labilis.judge.evidence.base import CaseFacts, Evidence, State


def held_direction(facts: CaseFacts) -> Evidence | None:
    """Share of each load that acts on motions held at the same place and so never reaches the
    part."""
    strength = facts.strength
    if strength is None or len(strength.loads) == 0:
        return None
    worst = int(strength.swallowed.argmax())
    share = float(strength.swallowed[worst])
    if share < 0.05:  # a face beside a held one shares some of its nodes
        return Evidence(
            "held loaded direction",
            "0",
            "% swallowed",
            "good",
            "No support holds a load's own direction where it acts.",
            "supports",
        )
    state: State = "bad" if share > 0.2 else "caution"
    return Evidence(
        "held loaded direction",
        f"{100 * share:.0f}",
        "% swallowed",
        state,
        f"{100 * share:.0f} % of load '{strength.loads[worst]}' goes straight into a support and "
        "never reaches "
        "the part. Free that direction where the load acts.",
        "supports",
    )
