"""Nothing moves freely: a part that could has been refused before the run."""

from labilis.judge.evidence.base import CaseFacts, Evidence


def free_motion(facts: CaseFacts) -> Evidence | None:
    """Good once a strength run exists; the refusal itself is raised by the run with the motion
    named."""
    if facts.strength is None:
        return None
    return Evidence(
        "free rigid motion",
        "0",
        "of 6 motions",
        "good",
        "All six rigid motions of the part are held.",
        "supports",
    )
