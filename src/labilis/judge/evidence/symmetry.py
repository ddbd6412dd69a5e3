"""A model cut at a plane of symmetry knows symmetric modes only; the others are looked for as
well."""

import numpy as np

from labilis.judge.evidence.base import CaseFacts, Evidence


def symmetry(facts: CaseFacts) -> Evidence | None:
    """Bad when an antisymmetric mode comes first: the factor that is shown is not the part's."""
    modes = facts.modes
    if modes is None or np.isnan(modes.antisymmetric):
        return None
    first = float(modes.positive[0]) if len(modes.positive) else float("inf")
    other = modes.antisymmetric
    if other == 0.0:
        return Evidence(
            "symmetry",
            "0",
            "antisymmetric factor",
            "bad",
            "Moving against the plane of symmetry the whole part is held by "
            "nothing. Model all of it, or add the support that holds it.",
            "supports",
        )
    if other < first:
        return Evidence(
            "symmetry",
            f"{other:.4g}",
            "antisymmetric factor",
            "bad",
            f"The halves moving against each other go unstable at {other:.4g}, before the "
            f"symmetric mode at {first:.4g}: the "
            "plane of symmetry hides the lowest mode. Model the whole part.",
            "supports",
        )
    words = f"lie above, from {other:.4g}" if np.isfinite(other) else "do not exist"
    return Evidence(
        "symmetry",
        f"{other:.4g}",
        "antisymmetric factor",
        "good",
        f"Antisymmetric modes, which the plane of symmetry hides, {words}.",
        "supports",
    )
