"""What faces that touch at bolts and seams are worth: the factor with them bonded and apart."""

import math

from labilis.judge.evidence.base import CaseFacts, Evidence
from labilis.model import Project
from labilis.results.findings import StudyFindings

AGREE = 0.05  # of the factor: less than thin parts meshed two ways differ by


def lost(found: StudyFindings) -> float:
    """Share of the first factor that goes when the faces that touch are apart rather than
    bonded; nan where either is not there."""
    values = dict(zip((str(label) for label in found.labels), found.figures[:, 0].tolist()))
    stands = values.get("as it stands", math.nan)
    bonded, apart = values.get("faces bonded", stands), values.get("faces apart", stands)
    return (
        1.0 - apart / bonded
        if bonded > 0 and math.isfinite(bonded) and math.isfinite(apart)
        else math.nan
    )


def decided(found: StudyFindings, project: Project) -> float | None:
    """The largest factor that a piece must reach and that is reached as it stands but not in
    every row, None where there is none."""
    stands, least = float(found.figures[0, 0]), float(found.figures[:, 0].min())
    return max(
        (
            needed
            for piece in project.active_pieces
            if least < (needed := project.required_of(piece.name)) <= stands
        ),
        default=None,
    )


def contact(facts: CaseFacts) -> Evidence | None:
    """Judged on the first factor with the faces apart against what is required, from a study
    that was asked for."""
    found, modes = facts.contact, facts.modes
    if found is None or not found.done or modes is None or len(found.figures) < 2:
        return None
    stands = float(found.figures[0, 0])
    least = float(found.figures[:, 0].min())
    share = lost(found)
    if not math.isfinite(share):
        return Evidence(
            "faces that touch",
            "–",
            "",
            "not judged",
            "The factors with the faces bonded and apart cannot be compared.",
            "mesh",
        )
    said = "; ".join(
        f"{label} {'it falls apart' if value == 0 else f'{value:.4g}'}"
        for label, value in zip(found.labels.tolist(), found.figures[:, 0].tolist())
    )
    needed = decided(found, facts.project)
    state = (
        "bad"
        if needed is not None
        else "good"
        if abs(share) <= AGREE or stands <= least * (1 + AGREE)
        else "caution"
    )
    more = (
        f" The required {needed:.4g} is met only because the faces are bonded: say that the pieces "
        "are only bolted."
        if needed is not None
        else ""
        if state == "good"
        else " A contact that opens or slides gives less than a bonded one."
    )
    return Evidence(
        "faces that touch",
        f"{100 * share:.2g}",
        "% of the factor hangs on them",
        state,  # type: ignore[arg-type]
        f"First factor {said}.{more}",
        "mesh",
    )
