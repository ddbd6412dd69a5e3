"""No mode is missing, and how many lie under the required factor."""

import numpy as np

from labilis.judge.evidence.base import CaseFacts, Evidence


def completeness(facts: CaseFacts) -> Evidence | None:
    """Negative pivots counted just above the last factor against the factors found."""
    modes = facts.modes
    if modes is None or len(modes.checks) == 0:
        return None
    counted, found = int(modes.checks[:, 1].sum()), int(modes.checks[:, 2].sum())
    where = " and ".join(f"{sigma:.4g}" for sigma, _, _ in modes.checks)
    if modes.complete:
        reach = float(np.abs(modes.checks[:, 0]).max())
        beyond = int((np.abs(modes.factors) > reach).sum())
        crowd = (
            f" Beyond it factors are repeated: {beyond} of them are listed, and there may be more."
            if beyond
            else ""
        )
        return Evidence(
            "completeness",
            f"{found} of {counted}",
            "modes",
            "good",
            f"Complete: {counted} negative pivots counted at {where}, as many modes found.{crowd}",
            "modes",
        )
    return Evidence(
        "completeness",
        f"{found} of {counted}",
        "modes",
        "bad",
        f"{counted} factors lie below {where}, {found} were found. Ask for more modes.",
        "modes",
    )


def under_required(facts: CaseFacts) -> Evidence | None:
    """Several modes under the required factor, or more than were asked for."""
    modes = facts.modes
    if modes is None or len(modes.positive) == 0:
        return None
    wanting = sum(facts.meets(number) is False for number in range(len(modes.factors)))
    below = max(wanting, modes.below_required if wanting == len(modes.positive) else 0)
    if below <= 1:
        return None
    found = len(modes.positive)
    more = f" Only {found} were asked for." if below > found else ""
    return Evidence(
        "modes under the required factor",
        str(below),
        "modes",
        "caution",
        f"{below} modes lie under the required factor {facts.required:.4g}; each needs its own "
        f"remedy.{more}",
        "modes",
    )
