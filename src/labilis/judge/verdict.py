"""The answer in words: does the part meet its required factor."""
from __future__ import annotations

from dataclasses import dataclass

from labilis.judge.evidence.base import CaseFacts


@dataclass(frozen=True)
class Verdict:
    """meets: True, False, or None when it cannot be said yet; headline and detail are sentences."""

    meets: bool | None
    headline: str
    detail: str
    factor: float | None = None
    required: float = 3.0


def verdict_of_case(facts: CaseFacts) -> Verdict:
    """Verdict of one load case from its modes."""
    modes, required = facts.modes, facts.required
    if modes is None:
        return Verdict(None, "No verdict yet", "Find modes to see whether the part meets its required factor.", None, required)
    if modes.held_unstable:
        return Verdict(False, f"Does not meet {required:.4g}", "unstable under the held loads alone", 0.0, required)
    if len(modes.positive) == 0 and not modes.antisymmetric < required:
        return Verdict(True, "Cannot go unstable", "nothing that could buckle is in compression under this load", None, required)
    first = float(modes.positive[0]) if len(modes.positive) else float("inf")
    if modes.antisymmetric < min(first, required):
        return Verdict(False, f"Does not meet {required:.4g}", f"goes unstable at {modes.antisymmetric:.4g} × the growing load in a mode "
                       "that the plane of symmetry hides", modes.antisymmetric, required)
    draft = " (first-order draft, too high)" if facts.mesh is not None and facts.mesh.order == 1 else ""
    if first >= required:
        if draft:
            return Verdict(None, "No verdict from a draft", f"first factor {first:.4g}{draft}; mesh with second order", first,
                           required)
        if not modes.complete:
            return Verdict(None, "No verdict: modes are missing", f"first factor found {first:.4g}; ask for more modes", first,
                           required)
        return Verdict(True, f"Meets {required:.4g}", f"goes unstable at {first:.4g} × the growing load, ideal part", first,
                       required)
    return Verdict(False, f"Does not meet {required:.4g}",
                   f"goes unstable at {first:.4g} × the growing load, {100 * (1 - first / required):.0f} % under{draft}", first,
                   required)


def overall(verdicts: list[Verdict]) -> bool | None:
    """False if any case fails, None if any is open, else True."""
    if any(verdict.meets is False for verdict in verdicts):
        return False
    if not verdicts or any(verdict.meets is None for verdict in verdicts):
        return None
    return True
