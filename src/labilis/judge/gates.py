"""Gates that a verdict passes before it may say that a part meets: what is stated, how it was computed, whether it yields first.

None of them is passed by default: results that are not there, not finite or of the wrong shape are void.
"""
from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from labilis.judge.evidence.base import CaseFacts, Evidence

GateState = Literal["passes", "fails", "open", "void"]
NAMES = ("stated right", "computed right", "strength", "capacity")
_WORDS = {"stated right": "the model is not stated right", "computed right": "not computed well enough", "strength": "strength is open",
          "capacity": "capacity"}
_STATED = {"held loaded direction": "void", "balance": "void", "free motion": "void", "joints": "open", "loads one by one": "open"}
_COMPUTED = {"completeness": "open", "elements per half wave": "open", "element order": "open"}
_APART = 0.05  # between the first factor and a second opinion, from which the path to buckling is not straight


@dataclass(frozen=True)
class Gate:
    """One gate: its name, what came of it, why, and the station where it is mended; left_out: the engineer's written reason for not asking
    it, '' when it is asked."""

    name: str
    state: GateState
    reason: str
    station: str
    left_out: str = ""

    @property
    def words(self) -> str:
        """What is wrong, for the head of a verdict."""
        return _WORDS[self.name]


def gates_of(facts: CaseFacts, evidence: Sequence[Evidence]) -> tuple[Gate, ...]:
    """All gates of a case with modes, in the order in which they are looked at."""
    found = [_stated(facts, evidence), _computed(facts, evidence), _strength(facts), _capacity(facts)]
    reasons = facts.project.criteria.left_out
    return tuple(Gate(gate.name, gate.state, gate.reason, gate.station, reasons.get(gate.name, "")) for gate in found)  # type: ignore[call-overload]


def _worst(name: str, evidence: Sequence[Evidence], states: dict[str, str], station: str) -> Gate:
    bad = [item for item in evidence if item.state == "bad" and item.name in states]
    if not bad:
        return Gate(name, "passes", "", station)
    first = min(bad, key=lambda item: states[item.name] != "void")
    return Gate(name, states[first.name], first.text, first.station or station)  # type: ignore[arg-type]


def _stated(facts: CaseFacts, evidence: Sequence[Evidence]) -> Gate:
    strength = facts.strength
    if strength is None or len(strength.stress) == 0 or not np.isfinite(strength.stress).all() or not np.isfinite(strength.applied).all():
        return Gate("stated right", "void", "The solution under the service load is missing or not finite. Run it again.", "strength")
    return _worst("stated right", evidence, _STATED, "supports")


def _computed(facts: CaseFacts, evidence: Sequence[Evidence]) -> Gate:
    modes = facts.modes
    assert modes is not None
    shaped = facts.mesh is not None and len(modes.shapes) == len(modes.factors) == len(modes.residuals) and (
        len(modes.factors) == 0 or modes.shapes.shape[1:] == (len(facts.mesh.nodes), 3))
    if not shaped or not np.isfinite(modes.factors).all() or not np.isfinite(modes.residuals).all():
        return Gate("computed right", "void", "The modes are not finite or do not fit the mesh. Run them again.", "modes")
    gate = _worst("computed right", evidence, _COMPUTED, "mesh")
    if gate.state != "passes":
        return gate
    if len(modes.positive):
        first, required = float(modes.positive[0]), facts.required
        second = modes.second_opinion
        if math.isfinite(second) and second < required and abs(second / first - 1.0) > _APART:
            return Gate("computed right", "open", f"The second opinion of {second:.4g} lies under the required {required:.4g}, the first "
                        f"factor of {first:.4g} does not: only a trace can tell.", "trace")
        low = first * (1.0 - error) if math.isfinite(error := modes.first_error) else first
        if low < required <= first:
            return Gate("computed right", "open", f"With its mesh error of {100 * error:.2g} % the first factor may be as low as "
                        f"{low:.4g}, under the required {required:.4g}. Mesh finer.", "mesh")
    return gate


def _strength(facts: CaseFacts) -> Gate:
    factor = facts.strength.yield_factor if facts.strength is not None else float("nan")
    if math.isnan(factor) or factor >= 1.0:
        return Gate("strength", "passes", "", "strength")
    trace = facts.trace
    if trace is not None and trace.done and trace.yielding and trace.verified >= 1.0:
        return Gate("strength", "passes", "", "strength")
    return Gate("strength", "open", f"The most stressed point yields at {factor:.4g} × the service load. Trace the part with yield, or "
                "give the reason why that peak may be set aside.", "strength")


def _capacity(facts: CaseFacts) -> Gate:
    trace = facts.trace
    if trace is None or not trace.done:
        return Gate("capacity", "passes", "", "trace")  # the ideal factor is judged alone, and the head of the verdict says so
    if trace.verified < 1.0:
        return Gate("capacity", "fails", f"The trace carries only {trace.verified:.4g} × the service load.", "trace")
    return Gate("capacity", "passes", "", "trace")
