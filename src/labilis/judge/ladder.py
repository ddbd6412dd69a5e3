"""What stands on the factor ladder of a load case."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from labilis.judge.bolts import bolt_checks
from labilis.judge.evidence.base import CaseFacts
from labilis.judge.figures import critical_text, error_text, force_text
from labilis.judge.hand import EulerCheck
from labilis.judge.hand.checks_of_member import hand_results
from labilis.judge.overall import least_overall
from labilis.model import shown

RungKind = Literal["service", "required", "yield", "hand", "mode", "negative", "verified"]


@dataclass(frozen=True)
class Rung:
    """kind; factor; title in bold; note beneath; meets (modes only); mode: number from 0 for modes,
    else -1; story: the whole of it for a tool tip."""

    kind: RungKind
    factor: float
    title: str
    note: str = ""
    meets: bool | None = None
    mode: int = -1
    story: str = ""


def _by_hand(facts: CaseFacts) -> list[Rung]:
    """Hand checks that were put on the ladder."""
    if facts.hand is None:
        return []
    found = []
    for member in dict.fromkeys(check.member for check in facts.project.checks if check.on_ladder):
        for item in hand_results(facts.project, facts.hand, member):
            if (
                item.on_ladder
                and item.outcome is not None
                and item.factor > 0
                and math.isfinite(item.factor)
            ):
                note = f"{member}, {'what it carries' if item.form.real else 'ideal'}"
                found.append(
                    Rung(
                        "hand",
                        item.factor,
                        f"{item.factor:.4g} {item.form.title}",
                        note,
                        story=f"{item.form.formula} = {force_text(item.outcome.load)}; "
                        f"{item.form.source}.",
                    )
                )
    return found


def rungs(facts: CaseFacts, service: str) -> tuple[Rung, ...]:
    """Rungs of a case, highest factor first; `service` names the service load, such as '1 kN'."""
    found = [
        Rung("service", 1.0, "1 service load", service, story="The load as stated."),
        Rung(
            "required",
            facts.required,
            f"required {facts.required:.4g}",
            story="The least factor that is asked for.",
        ),
        *_first_yield(facts),
        *_euler(facts),
        *_by_hand(facts),
        *_bolts(facts),
        *_overall(facts),
        *_of_modes(facts),
        *_verified(facts),
    ]
    return tuple(sorted(found, key=lambda rung: -rung.factor))


_BESIDE = 0.02  # of first yield, by which sections have to lie above it to be told beside it


def _first_yield(facts: CaseFacts) -> list[Rung]:
    """Where the most stressed wall or point yields."""
    found: list[Rung] = []
    if (
        facts.strength is not None
        and math.isfinite(facts.strength.strength_factor)
        and facts.strength.strength_factor > 0
    ):
        factor, peak = facts.strength.strength_factor, facts.strength.peak
        aside = (
            f" A peak within a wall of {peak} does so at {facts.strength.yield_factor:.4g}."
            if peak
            else ""
        )
        off = "" if math.isnan(facts.yield_error) else f" ± {error_text(facts.yield_error)}"
        where = "most stressed wall" if peak else "most stressed point"
        sections = facts.strength.sections_yield
        if sections > factor * (1.0 + _BESIDE):
            where = f"at a joint; sections at {sections:.4g}"
            aside += f" It is at the toe of a joint; sections a wall away yield at {sections:.4g}."
        found.append(
            Rung(
                "yield",
                factor,
                f"{factor:.4g} first yield",
                where,
                story=f"The most stressed {'wall' if peak else 'point'} reaches the yield strength "
                f"at {factor:.4g}{off} × the "
                f"load.{aside}",
            )
        )
    return found


def _euler(facts: CaseFacts) -> list[Rung]:
    """Euler's load of the strut."""
    found: list[Rung] = []
    if isinstance(facts.euler, EulerCheck) and facts.euler.governing.factor > 0:
        check = facts.euler
        plane = check.governing
        beside = ""
        if math.isfinite(check.difference):
            beside = (
                f"; mode 1 lies {abs(check.difference):.1f} % "
                f"{'above' if check.difference >= 0 else 'below'}"
            )
        found.append(
            Rung(
                "hand",
                plane.factor,
                f"{plane.factor:.4g} Euler",
                f"{plane.ends.name}, K {plane.ends.k:g}{beside}",
                story=f"π² · {shown.stress(check.modulus)} · "
                f"{shown.second_moment(plane.second_moment)} / ({plane.ends.k:g} · "
                f"{shown.length(check.length)})² = {force_text(plane.critical_load)}, bending "
                f"about the {plane.axis} axis.",
            )
        )
    return found


def _bolts(facts: CaseFacts) -> list[Rung]:
    """The bolt that is used up first."""
    found: list[Rung] = []
    bolt = next(
        (item for item in bolt_checks(facts) if math.isfinite(item.factor) and item.factor > 0),
        None,
    )
    if bolt is not None:
        found.append(
            Rung(
                "hand",
                bolt.factor,
                f"{bolt.factor:.4g} bolt {bolt.name}",
                "EN 1993-1-8",
                story=f"'{bolt.name}' has used up what EN 1993-1-8 allows of shear, pull or "
                "bearing.",
            )
        )
    return found


def _overall(facts: CaseFacts) -> list[Rung]:
    """What the overall check says an imperfect part carries."""
    found: list[Rung] = []
    least = least_overall(facts)
    if least is not None:
        found.append(
            Rung(
                "hand",
                least.factor,
                f"{least.factor:.4g} overall check",
                f"EN 1993-1-1, mode {least.mode + 1}",
                story=f"What an imperfect part carries: slenderness {least.slenderness:.3g}, "
                f"{least.curve}, reduction "
                f"{least.reduction:.3g} of first yield.",
            )
        )
    return found


def _of_modes(facts: CaseFacts) -> list[Rung]:
    """Modes with their verdict, and those that need the load to reverse."""
    found: list[Rung] = []
    if facts.modes is not None:
        for index, (factor, kind, driver) in enumerate(
            zip(facts.modes.factors, facts.kinds, facts.modes.drivers)
        ):
            load = critical_text(float(factor), facts.modes.growing_force)
            if factor > 0:
                meets, needed = facts.meets(index), facts.required_for(index)
                story = f"Mode {index + 1}: {kind} of {driver}, critical load {load}, " + (
                    "the trace decides."
                    if meets is None
                    else "meets the required factor."
                    if meets
                    else f"{100 * (1 - factor / needed):.0f} % under the required {needed:.4g}."
                )
                found.append(
                    Rung(
                        "mode",
                        float(factor),
                        f"{factor:.4g} mode {index + 1}",
                        f"{driver}, {kind}",
                        meets,
                        index,
                        story,
                    )
                )
            else:
                found.append(
                    Rung(
                        "negative",
                        float(factor),
                        f"{factor:.4g} mode {index + 1}",
                        "load must reverse",
                        None,
                        index,
                        f"Mode {index + 1} occurs only if the load reverses.",
                    )
                )
    return found


def _verified(facts: CaseFacts) -> list[Rung]:
    """What the trace of the imperfect part verified."""
    found: list[Rung] = []
    trace = facts.trace
    if trace is not None and trace.done:
        loss = trace.loss_words or "traced"
        end = {
            "limit": "limit",
            "line yield": "what a line carries elastically, on the trace",
            "first yield": "first yield on the trace",
            "bifurcation": "a bifurcation on the trace",
            "end": "not yet at its limit",
        }[trace.verified_by]
        found.append(
            Rung(
                "verified",
                trace.verified,
                f"{trace.verified:.4g} verified",
                f"{end}, {loss}",
                bool(trace.verified >= 1.0),
                story=f"The imperfect part ({shown.length(abs(trace.amplitude), 3)} of mode "
                f"{trace.mode}) carries {trace.verified:.4g} × "
                f"the load: {end}. The trace ended because {trace.reason}.",
            )
        )
    return found
