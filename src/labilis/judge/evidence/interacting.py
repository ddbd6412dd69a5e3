"""Factors that lie close together: imperfections may couple their modes, and the real part then
loses more than either alone says."""

from labilis.judge.evidence.base import CaseFacts, Evidence

_CLOSE = 0.05


def interacting_modes(facts: CaseFacts) -> Evidence | None:
    """Modes within 5 % of the first."""
    if facts.modes is None or len(facts.modes.positive) < 2:
        return None
    factors = facts.modes.positive
    near = int((factors <= factors[0] * (1 + _CLOSE)).sum())
    gap = 100 * float(factors[1] / factors[0] - 1)
    if near < 2:
        return Evidence(
            "interacting modes",
            f"{gap:.3g}",
            "% to the next factor",
            "good",
            "The first factor stands alone.",
            "modes",
        )
    repeated = int((factors <= factors[0] * (1 + 1e-4)).sum())
    words = f"{repeated} factors are equal: their shapes mix freely. " if repeated > 1 else ""
    return Evidence(
        "interacting modes",
        str(near),
        "modes",
        "caution",
        f"{words}{near} modes lie within 5 % of the first; they can act "
        "together in an imperfect part, which then carries less than the first factor says.",
        "modes",
    )
