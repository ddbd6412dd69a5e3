"""The critical load that the trace itself implies, beside the first mode's."""

import math

from labilis.judge.evidence.base import CaseFacts, Evidence
from labilis.judge.southwell import southwell


def southwell_line(facts: CaseFacts) -> Evidence | None:
    """Within 5 % of the mode that the trace started from, or a caution: another mode may have
    taken over."""
    trace = facts.trace
    if trace is None or not trace.done or trace.mode == 0 or not math.isfinite(trace.ideal):
        return None
    found = southwell(trace)
    if not math.isfinite(found):
        return None
    off = 100 * (found / trace.ideal - 1)
    text = (
        f"Southwell's line through the bowing path implies {found:.4g}, {abs(off):.1f} % "
        f"{'above' if off >= 0 else 'below'} mode 1."
    )
    if abs(off) <= 5:
        return Evidence("Southwell line", f"{found:.4g}", "critical factor", "good", text, "trace")
    return Evidence(
        "Southwell line",
        f"{found:.4g}",
        "critical factor",
        "caution",
        text + " The path does not follow that mode alone, or stiffens after buckling.",
        "trace",
    )
