"""Negative factors belong to the reversed load."""

from labilis.judge.evidence.base import CaseFacts, Evidence


def negative_factors(facts: CaseFacts) -> Evidence | None:
    """Points out negative factors and says what they mean."""
    modes = facts.modes
    if modes is None or not (modes.factors < 0).any():
        return None
    nearest = float(modes.factors[modes.factors < 0].max())
    return Evidence(
        "negative factors",
        f"{nearest:.4g}",
        "factor",
        "caution",
        f"Factor {nearest:.4g} is negative: the load must reverse, to {abs(nearest):.4g} times its "
        "size, for "
        "that mode. As the load stands it does not occur.",
        "modes",
    )
