"""The answer in words: does the part meet its required factor."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from labilis.judge.evidence.base import CaseFacts, Evidence
from labilis.judge.figures import error_text
from labilis.judge.gates import Gate, gates_of, perfect_trace


@dataclass(frozen=True)
class Verdict:
    """meets: True, False, or None when it cannot be said yet; headline and detail are sentences."""

    meets: bool | None
    headline: str
    detail: str
    factor: float | None = None
    required: float = 3.0
    gates: tuple[Gate, ...] = ()


def verdict_of_case(facts: CaseFacts, evidence: Sequence[Evidence]) -> Verdict:
    """Verdict of one load case: what its modes say, if no gate keeps it from being said."""
    found = _of_modes(facts, perfect_trace(facts, evidence))
    if facts.modes is None:
        return found
    gates = gates_of(facts, evidence)
    asked = [gate for gate in gates if not gate.left_out]
    worst = {
        state: next((gate for gate in asked if gate.state == state), None)
        for state in ("void", "fails", "open")
    }
    if (void := worst["void"]) is not None:
        return replace(
            found, meets=None, headline=f"No verdict: {void.words}", detail=void.reason, gates=gates
        )
    if (failing := worst["fails"]) is not None and found.meets is not False:
        return replace(
            found,
            meets=False,
            headline="Does not meet: the trace",
            detail=failing.reason,
            gates=gates,
        )
    if (kept := worst["open"]) is not None and found.meets is True:
        return replace(
            found,
            meets=None,
            headline=f"No verdict: {kept.words}",
            detail=f"{found.headline} by its modes, but: {kept.reason}",
            gates=gates,
        )
    left = "".join(f"; {gate.name} left out: {gate.left_out}" for gate in gates if gate.left_out)
    return replace(found, gates=gates, detail=found.detail + left)


def _of_modes(facts: CaseFacts, perfect: Evidence | None) -> Verdict:
    """What the modes alone say."""
    if (plain := _without_modes(facts)) is not None:
        return plain
    modes, required = facts.modes, facts.required
    assert modes is not None
    first = float(modes.positive[0]) if len(modes.positive) else float("inf")
    draft = (
        " (first-order draft, too high)" if facts.mesh is not None and facts.mesh.order == 1 else ""
    )
    if first == float("inf"):
        return Verdict(
            True, "Cannot go unstable", "no mode under the required factor", None, required
        )
    wanting = [
        (factor / facts.required_for(number), factor, driver)
        for number, (factor, driver) in enumerate(zip(modes.factors, modes.drivers))
        if facts.meets(number) is False
    ]
    decided = [
        number
        for number, driver in enumerate(modes.drivers)
        if modes.factors[number] > 0 and facts.trace_decides(driver)
    ]
    if decided and not wanting:
        return _by_trace(facts, decided[0], perfect)
    if not wanting:
        return _nothing_wanting(facts, first, draft)
    share, factor, driver = min(wanting)
    whose = "" if factor == first else f"{driver} "
    return Verdict(
        False,
        f"Does not meet {factor / share:.4g}",
        f"{whose}goes unstable at {factor:.4g} × the growing load, {100 * (1 - share):.0f} % "
        f"under{draft}",
        float(factor),
        float(factor / share),
    )


def _without_modes(facts: CaseFacts) -> Verdict | None:
    """The verdict where there is no mode to judge, or one that no list shows."""
    modes, required = facts.modes, facts.required
    if modes is None:
        return Verdict(
            None,
            "No verdict yet",
            "Find modes to see whether the part meets its required factor.",
            None,
            required,
        )
    if modes.held_unstable:
        return Verdict(
            False,
            f"Does not meet {required:.4g}",
            "unstable under the held loads alone",
            0.0,
            required,
        )
    if len(modes.positive) == 0 and not modes.antisymmetric < required:
        return Verdict(
            True,
            "Cannot go unstable",
            "nothing that could buckle is in compression under this load",
            None,
            required,
        )
    first = float(modes.positive[0]) if len(modes.positive) else float("inf")
    if modes.antisymmetric < min(first, required):
        return Verdict(
            False,
            f"Does not meet {required:.4g}",
            f"goes unstable at {modes.antisymmetric:.4g} × the growing load in a mode "
            "that the plane of symmetry hides",
            modes.antisymmetric,
            required,
        )
    return None


def _nothing_wanting(facts: CaseFacts, first: float, draft: str) -> Verdict:
    """All factors that were found reach what they must: whether that is enough."""
    modes, required = facts.modes, facts.required
    assert modes is not None
    if draft:
        return Verdict(
            None,
            "No verdict from a draft",
            f"first factor {first:.4g}{draft}; mesh with second order",
            first,
            required,
        )
    if not modes.complete:
        return Verdict(
            None,
            "No verdict: modes are missing",
            f"first factor found {first:.4g}; ask for more modes",
            first,
            required,
        )
    if modes.antisymmetric < first:
        return Verdict(
            True,
            f"Meets {required:.4g}",
            f"goes unstable at {modes.antisymmetric:.4g} × the growing load, in a mode that "
            "the plane of symmetry hides",
            modes.antisymmetric,
            required,
        )
    return Verdict(
        True,
        f"Meets {required:.4g}",
        f"goes unstable at {first:.4g}{_error(facts)} × the growing load, ideal part",
        first,
        required,
    )


def _error(facts: CaseFacts) -> str:
    """' ± 0.4 %', the mesh error of the first factor, '' when it is not known."""
    error = facts.modes.first_error if facts.modes is not None else math.nan
    return "" if math.isnan(error) else f" ± {error_text(error)}"


def _by_trace(facts: CaseFacts, mode: int, perfect: Evidence | None) -> Verdict:
    """Verdict on a closed thin-walled section that drives a mode, numbered from 0."""
    assert facts.modes is not None
    first, driver = float(facts.modes.factors[mode]), facts.modes.drivers[mode]
    needed, trace = facts.required_for(mode), facts.trace
    if trace is None or not trace.done:
        return Verdict(
            None,
            "No verdict: the trace decides",
            f"{driver} is a closed thin-walled section, its first factor is {first:.4g}; "
            f"trace it to {needed:.4g}",
            first,
            needed,
        )
    if trace.verified >= needed and perfect is not None:
        return Verdict(
            None, "No verdict: the trace is of a perfect part", perfect.text, first, needed
        )
    if trace.verified >= needed:
        return Verdict(
            True,
            f"Meets {needed:.4g}",
            f"verified to {trace.verified:.4g} × the growing load on a trace",
            trace.verified,
            needed,
        )
    return Verdict(
        False,
        f"Does not meet {needed:.4g}",
        f"the trace carries {trace.verified:.4g} × the growing load, "
        f"{100 * (1 - trace.verified / needed):.0f} % under",
        trace.verified,
        needed,
    )


def overall(verdicts: list[Verdict]) -> bool | None:
    """False if any case fails, None if any is open, else True."""
    if any(verdict.meets is False for verdict in verdicts):
        return False
    if not verdicts or any(verdict.meets is None for verdict in verdicts):
        return None
    return True
