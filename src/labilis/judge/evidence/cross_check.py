"""Whether the same part meshed the other way has the same first factor."""

import math

from labilis.judge.evidence.base import CaseFacts, Evidence
from labilis.judge.figures import error_text
from labilis.results.findings import StudyFindings

AGREE, MOST = (
    0.05,
    0.10,
    # first factor of shells against solids: thin parts agree within the first, what differs by more
    # is not one model
)


def apart(cross: StudyFindings) -> float:
    """First factor the other way over that as the part stands, less one; nan where it is not
    there."""
    own, other = (float(value) for value in cross.figures[:2, 0])
    return other / own - 1.0 if own > 0 and math.isfinite(other) else math.nan


def cross_check(facts: CaseFacts) -> Evidence | None:
    """Judged on the first factors, from a study that was asked for."""
    cross, modes = facts.cross, facts.modes
    if (
        cross is None
        or not cross.done
        or modes is None
        or len(cross.figures) != 2
        or len(modes.positive) == 0
    ):
        return None
    own, other = (float(value) for value in cross.figures[:, 0])
    before, after = (str(label) for label in cross.labels)
    off = apart(cross)
    if not math.isfinite(off):
        return Evidence(
            "cross-check",
            "–",
            "",
            "bad",
            f"As {after} the first factor is {other:.4g}, which cannot be compared.",
            "mesh",
        )
    state = "good" if abs(off) <= AGREE else "caution" if abs(off) <= MOST else "bad"
    error = float(cross.figures[1, 3])
    known = f" ± {error_text(error / 100)}" if math.isfinite(error) else ""
    more = (
        ""
        if state == "good"
        else (
            " Look at the joints, the supports and the walls of both: one of the two stands for "
            "another part. "
            "What is not thin is right as solids."
        )
    )
    return Evidence(
        "cross-check",
        f"{100 * off:+.2g}",
        "% the other way",
        state,  # type: ignore[arg-type]
        f"As {after} the first factor is {other:.4g}{known}, as {before} {own:.4g}.{more}",
        "mesh",
    )
