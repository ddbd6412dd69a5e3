"""What bolts carry against what EN 1993-1-8 allows."""

import math

from labilis.judge.bolts import bolt_checks, bolts_without_load
from labilis.judge.evidence.base import CaseFacts, Evidence, EvidenceName
from labilis.judge.figures import force_text

NAME: EvidenceName = "bolts"


def bolts(facts: CaseFacts) -> Evidence | None:
    """The most used bolt under the service load, and the factor that it reaches."""
    if not facts.project.bolts or facts.strength is None:
        return None
    idle = bolts_without_load(facts)
    if idle:
        return Evidence(
            NAME,
            f"{len(idle)}",
            "bolts without load",
            "caution",
            f"The faces round '{idle[0]}' are bonded, so that the bolt "
            "carries nothing in this model and cannot be checked. Say that its pieces are only "
            "bolted.",
            "mesh",
        )
    worst = bolt_checks(facts)[0]
    how = "in bearing" if worst.bearing > worst.used else "in shear and pull"
    said = (
        f"Between {worst.pieces[0]} and {worst.pieces[1]} '{worst.name}' carries "
        f"{force_text(worst.shear)} in shear and "
        f"{force_text(worst.pull)} in pull, {100 * worst.most:.3g} % of EN 1993-1-8 {how}"
    )
    beyond = (
        f"; it is used up at {worst.factor:.4g} × the load" if math.isfinite(worst.factor) else ""
    )
    missing = (
        " Bearing is not judged: a piece has no yield strength."
        if math.isnan(worst.bearing)
        else ""
    )
    first = (
        None
        if facts.modes is None or len(facts.modes.positive) == 0
        else float(facts.modes.positive[0])
    )
    state = (
        "bad"
        if worst.most > 1.0
        else "caution"
        if missing or (first is not None and worst.factor < first)
        else "good"
    )
    before = ", before the part buckles" if first is not None and worst.factor < first else ""
    return Evidence(
        NAME,
        f"{100 * worst.most:.3g}",
        "% of what EN 1993-1-8 allows",
        state,  # type: ignore[arg-type]
        f"{said}{beyond}{before}. Prying is not counted.{missing}",
        "mesh",
    )
