"""A perfectly centred load on a perfect part hides what an imperfect one does."""

from labilis.judge.evidence.base import CaseFacts, Evidence
from labilis.model import shown


def centred(facts: CaseFacts) -> Evidence | None:
    """A trace from the part as drawn, or with next to nothing of a mode."""
    trace = facts.trace
    if trace is None or not trace.done:
        return None
    size = abs(trace.amplitude)
    if trace.mode == 0 or size == 0.0:
        peak = int(trace.factors.argmax())  # behind a limit a negative pivot is what it should be
        if bool((trace.negative[:peak] > 0).any()) or (
            peak == len(trace.factors) - 1 and trace.negative[-1] > 0
        ):
            return Evidence(
                "centred load",
                "0",
                f"{shown.unit('length')} out of true",
                "bad",
                "The perfect part was traced past a bifurcation without leaving "
                "the straight path: it does not stand there. Start from the shape of a mode.",
                "trace",
            )
        return Evidence(
            "centred load",
            "0",
            f"{shown.unit('length')} out of true",
            "caution",
            "The trace started from the perfect part: a centred load can pass an instability "
            "unseen. Start from the shape of a mode.",
            "trace",
        )
    if facts.mesh is not None and size < 1e-3 * facts.mesh.thickness:
        return Evidence(
            "centred load",
            f"{shown.value(size, 'length'):.2g}",
            f"{shown.unit('length')} out of true",
            "caution",
            f"The imperfection of {shown.length(size, 2)} is less than a thousandth of the "
            "thickness; a real part is further out.",
            "trace",
        )
    return Evidence(
        "centred load",
        f"{shown.value(size, 'length'):.3g}",
        f"{shown.unit('length')} out of true",
        "good",
        f"The trace started {shown.length(size, 3)} out of true.",
        "trace",
    )
