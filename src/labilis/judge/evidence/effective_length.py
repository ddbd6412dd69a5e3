"""The effective length of the wrong case: ends that were chosen by hand and are not the model's."""

from labilis.judge.evidence.base import CaseFacts, Evidence
from labilis.judge.hand import EulerCheck


def effective_length(facts: CaseFacts) -> Evidence | None:
    """Compares chosen ends, and a typed K, with the ends that the supports make."""
    found = facts.ends_found
    if found is None or not isinstance(facts.euler, EulerCheck):
        return None
    chosen = facts.euler.governing.ends
    typed = next(
        (
            facts.project.value(check.values["K"], check.kind_of("values", "K"))
            for check in facts.project.checks
            if "K" in check.values
        ),
        None,
    )
    k = chosen.k if typed is None else typed
    if abs(k - found.k) < 0.02 * found.k:
        return Evidence(
            "effective length",
            f"{k:.4g}",
            "K",
            "good",
            f"The supports make it {found.name}, K = {found.k:g}, as the check takes it.",
            "modes",
        )
    if (
        1.0 <= k / found.k <= 1.35
    ):  # recommended values are larger than the theoretical ones by up to a third
        return Evidence(
            "effective length",
            f"{k:.4g}",
            "K",
            "good",
            f"K = {k:g} lies above the theoretical {found.k:g} of {found.name}, on the safe side.",
            "modes",
        )
    return Evidence(
        "effective length",
        f"{k:.4g}",
        "K",
        "caution",
        f"The check takes K = {k:g}; the supports make it {found.name}, "
        f"K = {found.k:g}, which changes the load {(k / found.k) ** 2:.3g} times.",
        "modes",
    )
