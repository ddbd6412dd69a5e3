"""How far the first factor can be off for its mesh."""

import math

from labilis.judge.evidence.base import CaseFacts, Evidence
from labilis.judge.figures import error_text

LIMIT, MOST = 0.02, 0.10  # what is aimed at; beyond the second the factor is a guess


def mesh_error(facts: CaseFacts) -> Evidence | None:
    """Judged on the first positive factor, from the same case on another mesh."""
    modes = facts.modes
    if modes is None or len(modes.positive) == 0:
        return None
    if not facts.project.criteria.mesh_error:
        return Evidence(
            "mesh error",
            "–",
            "",
            "not judged",
            "How far the factors can be off for their mesh was not asked for.",
            "mesh",
        )
    error, first = modes.first_error, float(modes.positive[0])
    if math.isnan(error):
        return Evidence(
            "mesh error",
            "–",
            "",
            "not judged",
            "The mesh could not be compared with another one. Study convergence over "
            "several meshes to tell how far the factor can be off.",
            "mesh",
        )
    state = "good" if error <= LIMIT else "caution" if error <= MOST else "bad"
    more = "" if state == "good" else " Mesh finer, or study convergence over several meshes."
    other = modes.least_known
    if other != modes.first:
        more = (
            f" Mode {other + 1} at {float(modes.factors[other]):.4g} is known within "
            f"{error_text(float(modes.mesh_error[other]))} only and may come first.{more}"
        )
    return Evidence(
        "mesh error",
        f"{100 * error:.2g}",
        "% of the first factor",
        state,  # type: ignore[arg-type]
        f"By another mesh and the jumps of stress in this one the first factor is {first:.4g} ± "
        f"{error_text(error)}.{more}",
        "mesh",
    )
