"""What the trace of the imperfect part says beside the ideal factor."""

from labilis.judge.evidence.base import CaseFacts, Evidence, State
from labilis.model import shown


def traced(facts: CaseFacts) -> Evidence | None:
    """The verified factor, and how much of the ideal one is lost; without a trace, that the
    ideal factor is no capacity."""
    trace = facts.trace
    if facts.modes is None or len(facts.modes.positive) == 0:
        return None
    if trace is None or not trace.done:
        return Evidence(
            "ideal factor as capacity",
            "–",
            "",
            "not judged",
            "The first factor is of an ideal part. What an imperfect, yielding part carries is "
            "less: run a trace.",
            "trace",
        )
    lost = f", {trace.loss_words}" if trace.loss_words else ""
    text = (
        f"With {shown.length(abs(trace.amplitude), 3)} of mode {trace.mode} the part is verified "
        f"to {trace.verified:.4g} × the "
        f"load{lost}."
    )
    state: State = (
        "good"
        if trace.verified >= 1 and not trace.loss > 0.5
        else "caution"
        if trace.verified >= 1
        else "bad"
    )
    return Evidence("trace", f"{trace.verified:.4g}", "verified factor", state, text, "trace")
