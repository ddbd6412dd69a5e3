"""Gates that a verdict passes before it may say that a part meets: what is stated, how it was
computed, whether it yields first.

None of them is passed by default: results that are not there, not finite or of the wrong shape are
void."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal, get_args

import numpy as np

from labilis.judge.bolts import bolt_checks, bolts_without_load
from labilis.judge.evidence.base import CaseFacts, Evidence, EvidenceName
from labilis.judge.figures import error_text
from labilis.judge.overall import least_overall, mesh_errors, overall_checks
from labilis.model import Doubt
from labilis.results.findings import TraceFindings

GateState = Literal["passes", "fails", "open", "void"]
_WORDS = {
    "stated right": "the model is not stated right",
    "computed right": "not computed well enough",
    "strength": "strength is open",
    "capacity": "capacity",
}
# evidence whose ✗ keeps a gate from being passed
STATED: dict[EvidenceName, GateState] = {
    "held loaded direction": "void",
    "balance": "void",
    "joints": "open",
    "faces that touch": "open",
}
COMPUTED: dict[EvidenceName, GateState] = {
    "completeness": "open",
    "elements per half wave": "open",
    "element order": "open",
    "walls of lines": "open",
    "stretch": "open",
    "cross-check": "open",
    "plausible factor": "open",
}
CENTRED: Doubt = "centred load"  # doubts a trace
# evidence whose caution doubts what is stated: a reason in writing (`criteria.meant`) is enough
DOUBTS: tuple[Doubt, ...] = tuple(name for name in get_args(Doubt) if name != CENTRED)
# between the first factor and a second opinion, from which the path to buckling is not straight
_APART = 0.05


@dataclass(frozen=True)
class Gate:
    """One gate: its name, what came of it, why, and the station where it is mended; left_out: the
    engineer's written reason for not asking it, '' when it is asked; doubt: the evidence that keeps
    it open and that a reason why it is meant so would settle."""

    name: str
    state: GateState
    reason: str
    station: str
    left_out: str = ""
    doubt: str = ""

    @property
    def words(self) -> str:
        """What is wrong, for the head of a verdict."""
        return _WORDS[self.name]


def gates_of(facts: CaseFacts, evidence: Sequence[Evidence]) -> tuple[Gate, ...]:
    """All gates of a case with modes, in the order in which they are looked at."""
    found = [
        _stated(facts, evidence),
        _computed(facts, evidence),
        _strength(facts),
        _capacity(facts, evidence),
    ]
    reasons = facts.project.criteria.left_out
    return tuple(replace(gate, left_out=reasons.get(gate.name, "")) for gate in found)  # type: ignore[call-overload]


def _doubt(facts: CaseFacts, evidence: Sequence[Evidence]) -> Evidence | None:
    """The first doubt that no reason settles. Negative factors are one only where the reversed
    load would not be met."""
    factors = facts.modes.factors if facts.modes is not None else np.zeros(0)
    reversed_fails = bool((np.abs(factors[factors < 0]) < facts.required).any())
    return next(
        (
            item
            for item in evidence
            if item.name in DOUBTS
            and item.state == "caution"
            and item.name not in facts.project.criteria.meant
            and (item.name != "negative factors" or reversed_fails)
        ),
        None,
    )


def _worst(
    name: str, evidence: Sequence[Evidence], states: Mapping[EvidenceName, GateState], station: str
) -> Gate:
    bad = [item for item in evidence if item.state == "bad" and item.name in states]
    if not bad:
        return Gate(name, "passes", "", station)
    first = min(bad, key=lambda item: states[item.name] != "void")
    return Gate(name, states[first.name], first.text, first.station or station)


def _stated(facts: CaseFacts, evidence: Sequence[Evidence]) -> Gate:
    strength = facts.strength
    if (
        strength is None
        or len(strength.stress) == 0
        or not np.isfinite(strength.stress).all()
        or not np.isfinite(strength.applied).all()
    ):
        return Gate(
            "stated right",
            "void",
            "The solution under the service load is missing or not finite. Run it again.",
            "strength",
        )
    gate, idle = _worst("stated right", evidence, STATED, "supports"), bolts_without_load(facts)
    if gate.state == "passes" and idle:
        return Gate(
            "stated right",
            "open",
            f"The faces round bolt '{idle[0]}' are bonded, which is stiffer than it is and leaves "
            "it "
            "unchecked. Say that its pieces are only bolted, or remove the bolt.",
            "mesh",
        )
    doubt = _doubt(facts, evidence)
    if gate.state == "passes" and doubt is not None:
        return Gate(
            "stated right",
            "open",
            f"{doubt.text} If it is meant so, say why.",
            doubt.station or "supports",
            doubt=doubt.name,
        )
    return gate


def soundness(facts: CaseFacts, evidence: Sequence[Evidence]) -> tuple[str, ...]:
    """Why figures of a case with modes cannot be used, whatever is asked of them: it is not stated
    right, or not computed well. Gates that are left out with a reason are not asked."""
    reasons = facts.project.criteria.left_out
    if facts.modes is not None and facts.modes.held_unstable:
        return ("it goes unstable under its held loads alone",)
    return tuple(
        f"it is not {gate.name}: {gate.reason}"
        for gate in (_stated(facts, evidence), _proven(facts, evidence))
        if gate.state != "passes" and gate.name not in reasons
    )


def _proven(facts: CaseFacts, evidence: Sequence[Evidence]) -> Gate:
    """The gate *computed right* but for what the mesh error leaves of the required factor."""
    modes = facts.modes
    assert modes is not None
    shaped = (
        facts.mesh is not None
        and len(modes.shapes) == len(modes.factors) == len(modes.residuals)
        and (len(modes.factors) == 0 or modes.shapes.shape[1:] == (len(facts.mesh.nodes), 3))
    )
    if not shaped or not np.isfinite(modes.factors).all() or not np.isfinite(modes.residuals).all():
        return Gate(
            "computed right",
            "void",
            "The modes are not finite or do not fit the mesh. Run them again.",
            "modes",
        )
    gate = _worst("computed right", evidence, COMPUTED, "mesh")
    if gate.state != "passes":
        return gate
    if len(modes.checks) == 0 and not modes.held_unstable:
        return Gate(
            "computed right",
            "void",
            "Nothing proves that no mode is missing. Run the modes again.",
            "modes",
        )
    if (
        len(modes.positive)
        and facts.project.criteria.mesh_error
        and math.isnan(modes.first_error)
        and facts.mesh.order == 2  # type: ignore[union-attr]
    ):
        return Gate(
            "computed right",
            "open",
            "How far the first factor can be off for its mesh could not be told. State another "
            "size.",
            "mesh",
        )
    second, required = modes.second_opinion, facts.required
    if (
        len(modes.positive)
        and second < required
        and abs(second / float(modes.positive[0]) - 1.0) > _APART
    ):
        return Gate(
            "computed right",
            "open",
            f"The second opinion of {second:.4g} lies under the required {required:.4g}, the first "
            f"factor of {modes.positive[0]:.4g} does not: only a trace can tell.",
            "trace",
        )
    return gate


def _computed(facts: CaseFacts, evidence: Sequence[Evidence]) -> Gate:
    gate, modes = _proven(facts, evidence), facts.modes
    assert modes is not None
    if gate.state != "passes":
        return gate
    for number, (factor, driver, error) in enumerate(
        zip(modes.factors, modes.drivers, mesh_errors(modes))
    ):
        needed, low = facts.required_for(number), max(factor * (1.0 - error), 0.0)
        if low < needed <= factor:
            return Gate(
                "computed right",
                "open",
                f"With its mesh error of {100 * error:.2g} % the factor {factor:.4g} of {driver} "
                "may be "
                f"as low as {low:.4g}, under the required {needed:.4g}. Mesh finer.",
                "mesh",
            )
    return gate


def _strength(facts: CaseFacts) -> Gate:
    factor = facts.strength.strength_factor if facts.strength is not None else math.nan
    if math.isnan(factor):
        return Gate(
            "strength",
            "void",
            "The factor at first yield is missing. Run the strength again.",
            "strength",
        )
    if facts.without_yield:
        return Gate(
            "strength",
            "open",
            f"The material of {facts.without_yield[0]} has no yield strength. State it, or give "
            "the reason why "
            "it is not needed.",
            "part",
        )
    checks = bolt_checks(facts)
    over = next((item for item in checks if item.used > 1.0), None)
    if over is not None:
        return Gate(
            "strength",
            "fails",
            f"Bolt '{over.name}' carries {over.used:.4g} times what EN 1993-1-8 allows.",
            "mesh",
        )
    worst = next((item for item in checks if not item.bearing <= 1.0), None)
    if worst is not None:
        presses = (
            "presses on a piece without yield strength. State it."
            if math.isnan(worst.bearing)
            else (
                f"presses on its piece {worst.bearing:.4g} times as hard as EN 1993-1-8 allows. "
                "State its distance from the edge, take a "
                "larger one, or more of them."
            )
        )
        return Gate("strength", "open", f"'{worst.name}' {presses}", "mesh")
    return _yields(facts, factor)


def _yields(facts: CaseFacts, factor: float) -> Gate:
    """First yield at a factor, with its mesh error, against the service load."""
    off = 0.0 if math.isnan(facts.yield_error) else facts.yield_error
    if factor * (1.0 - off) >= 1.0:
        return Gate("strength", "passes", "", "strength")
    trace = facts.trace
    verified = 0.0 if trace is None or not trace.done else trace.verified * (1.0 - _off(facts))
    if trace is not None and trace.yielding and verified >= 1.0:
        return Gate("strength", "passes", "", "strength")
    if factor >= 1.0:
        return Gate(
            "strength",
            "open",
            f"The most stressed point yields at {factor:.4g} ± {error_text(off)} × the service "
            "load, and so may under it. Mesh finer, or trace the part with yield.",
            "mesh",
        )
    return Gate(
        "strength",
        "open",
        f"The most stressed point yields at {factor:.4g} × the service load. Trace the part with "
        "yield, or "
        "give the reason why that peak may be set aside.",
        "strength",
    )


def perfect_trace(facts: CaseFacts, evidence: Sequence[Evidence]) -> Evidence | None:
    """Evidence that the trace says nothing of an imperfect part, as it started from a perfect
    one, unless that is meant so."""
    return next(
        (
            item
            for item in evidence
            if item.name == CENTRED
            and item.state in ("caution", "bad")
            and (item.state == "bad" or CENTRED not in facts.project.criteria.meant)
        ),
        None,
    )


def _capacity(facts: CaseFacts, evidence: Sequence[Evidence]) -> Gate:
    """What a trace verified, else the overall check, against what is asked of an imperfect part."""
    trace, needed, perfect = facts.trace, facts.capacity_required, perfect_trace(facts, evidence)
    if trace is not None and trace.done and (perfect is None or trace.limit < needed):
        return _by_trace(trace, needed, _off(facts))
    if facts.modes is None or len(facts.modes.positive) == 0:
        return Gate(
            "capacity", "passes", "", "trace"
        )  # nothing buckles: strength is judged by itself
    least = least_overall(facts)
    if perfect is not None and (least is None or least.factor < needed):
        return Gate(
            "capacity",
            "open",
            f"{perfect.text} If it is meant so, say why."
            if perfect.state == "caution"
            else perfect.text,
            "trace",
            doubt=CENTRED if perfect.state == "caution" else "",
        )
    if least is None:
        return Gate(
            "capacity", "open", f"Ideal only: {overall_checks(facts)[1]}. Trace the part.", "trace"
        )
    low = least_overall(facts, low=True)
    if low is not None and low.factor >= needed:
        return Gate("capacity", "passes", "", "trace")
    if least.factor >= needed:
        return Gate(
            "capacity",
            "open",
            f"By the overall check an imperfect part carries {least.factor:.4g} × the service "
            f"load, but with the mesh errors of its modes and of the factor at which its sections "
            f"yield it may be as low as {0.0 if low is None else low.factor:.4g}; {needed:.4g} is "
            "asked for. Trace the part, or mesh finer.",
            "trace",
        )
    return Gate(
        "capacity",
        "open",
        f"By the overall check an imperfect part carries {least.factor:.4g} × the service load; "
        f"{needed:.4g} "
        "is asked for. Trace the part.",
        "trace",
    )


def _off(facts: CaseFacts) -> float:
    """How far a verified factor can be off for its mesh: as far as the first mode's, as the trace
    goes on that mesh; nought where that is not asked for."""
    error = math.nan if facts.modes is None else facts.modes.first_error
    return 0.0 if math.isnan(error) else error


def _by_trace(trace: TraceFindings, needed: float, off: float) -> Gate:
    """What the trace of an imperfect part verified, within its mesh error, against what is asked
    for."""
    if trace.verified * (1.0 - off) >= needed:
        return Gate("capacity", "passes", "", "trace")
    if trace.verified >= needed:
        return Gate(
            "capacity",
            "open",
            f"The trace is verified to {trace.verified:.4g} ± {error_text(off)} × the service load "
            f"for its mesh; {needed:.4g} is asked for. Mesh finer.",
            "mesh",
        )
    if trace.limit < needed:
        return Gate(
            "capacity",
            "fails",
            f"The trace carries only {trace.limit:.4g} × the service load; {needed:.4g} is "
            "asked for.",
            "trace",
        )
    if trace.verified_by == "bifurcation":
        return Gate(
            "capacity",
            "open",
            f"The trace is stable up to {trace.bifurcation:.4g} × the service load only, where "
            "another "
            f"path branches off; {needed:.4g} is asked for. Mix that mode into the starting "
            "shape.",
            "trace",
        )
    further = (
        "What lines with slim walls, or in shear, carry beyond it does not know: mesh them as "
        "shells or solids"
        if trace.verified_by == "line yield"
        else "Let the material yield in it"
        if trace.verified_by == "first yield"
        else "Let it go further"
    )
    return Gate(
        "capacity",
        "open",
        f"The trace is verified to {trace.verified:.4g} × the service load only; {needed:.4g} "
        "is asked "
        f"for. {further}.",
        "trace",
    )
