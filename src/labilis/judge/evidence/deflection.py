"""Deflection before buckling: the classical problem leaves it out."""

import math

from labilis.judge.evidence.base import CaseFacts, Evidence


def deflection_before_buckling(facts: CaseFacts) -> Evidence | None:
    """Compares the first factor with that of the full derivative of the tangent along the linear
    path; over 5 % apart the path to buckling is not straight and only a large-deflection run can
    tell. The second factor is a signal, not a better value: a tangent that is linear in the load
    turns spuriously soft once the part has turned by more than about its thickness over its
    length."""
    modes = facts.modes
    if modes is None or math.isnan(modes.second_opinion) or len(modes.positive) == 0:
        return None
    first, second = float(modes.positive[0]), modes.second_opinion
    apart = 100.0 * (second / first - 1.0)
    if abs(apart) <= 5:
        return Evidence(
            "deflection before buckling",
            f"{apart:+.1f}",
            "% on the first factor",
            "good",
            f"With the deflection before buckling the first factor is {second:.4g}, "
            f"{abs(apart):.1f} % "
            f"{'higher' if apart > 0 else 'lower'}: it hardly matters.",
            "modes",
        )
    return Evidence(
        "deflection before buckling",
        f"{apart:+.1f}",
        "% on the first factor",
        "caution",
        f"A second opinion that lets the part deflect on its way gives {second:.4g} instead of "
        f"{first:.4g}. Neither is "
        "to be trusted then: the path is not straight, and only large-deflection analysis can tell "
        "what the part "
        "carries.",
        "modes",
    )
