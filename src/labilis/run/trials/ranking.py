"""Which trials keep to their limits, which is the best, and why the others are not."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from labilis.model import RESPONSE_KINDS, Limit, Project, TrialPlan, shown
from labilis.results.findings import Floats, TrialFindings, response_error
from labilis.run.trials.levers import lever_words, levers_found

_OF_FACTOR = (
    "first factor",
    "capacity",
    "verified factor",
)  # what the mesh error of the first factor counts for


_WITH_BAND = ("first factor", "first yield", "capacity")  # told with their errors


def _band(response: str, value: float, trial: TrialFindings) -> float:
    """How much a response may be off for its mesh, nought where it has no error of its own or
    none is known."""
    error = trial.error_of(response)
    counts = response in (*_OF_FACTOR, "first yield")
    return error * abs(value) if counts and math.isfinite(value) and math.isfinite(error) else 0.0


def response_text(name: str, value: float, error: float = math.nan) -> str:
    """A response with its unit, and those of `_WITH_BAND` with how far they can be off."""
    kind = RESPONSE_KINDS[name][0]
    if math.isnan(value):
        return "–"
    if math.isinf(value):
        return "none"
    band = f" ± {100 * error:.2g} %" if name in _WITH_BAND and math.isfinite(error) else ""
    unit = shown.unit(kind)
    return f"{shown.value(value, kind):.4g}{band}{' ' + unit if unit else ''}"


def error_in(found: Mapping[str, Any], name: str) -> float:
    """How far a response of `figures_of` can be off for the mesh, relative, nan where that is not
    known."""
    errors = (float(found.get(f"{of}_error", math.nan)) for of in ("mesh", "yield", "capacity"))
    return response_error(name, *errors)


def limit_words(project: Project, limit: Limit) -> str:
    """'mass at most 2 kg'."""
    ends = [f"at least {limit.at_least}"] if limit.at_least is not None else []
    ends += [f"at most {limit.at_most}"] if limit.at_most is not None else []
    return f"{limit.words} {' and '.join(ends)}"


def keeps(project: Project, plan: TrialPlan, trial: TrialFindings) -> str:
    """'' for a trial that keeps to every limit of the plan, else what held it back, in words. A
    factor must keep to it with its mesh error, one that is not known to how far it is off does not;
    a trial that is not stated right or not
    computed well keeps to nothing."""
    if trial.reason or trial.unsound:
        return shown.restated(trial.reason or trial.unsound)
    if math.isnan(trial.response(plan.objective, plan.of)):
        return f"its {plan.objective_words} is not known" + _beyond(trial, plan.of)
    for limit in plan.limits:
        value = _value(limit, trial)
        if math.isnan(value) or (
            limit.of and limit.at_most is not None and limit.of not in trial.whose
        ):
            return f"its {limit.words} is not known" + _beyond(trial, limit.of)
        if limit.response in _OF_FACTOR and math.isfinite(value) and math.isnan(trial.mesh_error):
            return f"how far its {limit.words} can be off for its mesh is not known"
        band = _band(limit.response, value, trial)
        said = response_text(limit.response, value, trial.error_of(limit.response))
        if limit.at_least is not None and value - band < project.number(limit, "at_least"):
            near = " within its mesh error" if value >= project.number(limit, "at_least") else ""
            return f"its {limit.words} {said} is under {limit.at_least}{near}"
        if limit.at_most is not None and value + band > project.number(limit, "at_most"):
            near = " within its mesh error" if value <= project.number(limit, "at_most") else ""
            return f"its {limit.words} {said} is over {limit.at_most}{near}"
    return ""


def _value(limit: Limit, trial: TrialFindings) -> float:
    """What a limit is held against: a first factor of something that no mode is of lies beyond
    all that were found."""
    value = trial.response(limit.response, limit.of)
    return trial.beyond if limit.of and math.isnan(value) else value


def _beyond(trial: TrialFindings, of: str) -> str:
    return (
        f": beyond {trial.beyond:.4g}, the last mode that was found"
        if of and math.isfinite(trial.beyond)
        else ""
    )


def margins(project: Project, plan: TrialPlan, trial: TrialFindings) -> Floats:
    """How far inside each end of each limit a trial lies, over that end, with its mesh error; -1
    where that is not known, and everywhere for a trial that keeps to nothing."""
    found = []
    for limit in plan.limits:
        value = _value(limit, trial)
        band = _band(limit.response, value, trial)
        for field, sign in (("at_least", 1.0), ("at_most", -1.0)):
            end = project.number_if(limit, field)
            if end is not None:
                margin = sign * (value - sign * band - end) / max(abs(end), 1e-300)
                found.append(
                    -1.0 if trial.reason or trial.unsound or math.isnan(margin) else margin
                )
    return np.array(found if found else [-1.0 if trial.reason or trial.unsound else 1.0])


def rank(project: Project, plan: TrialPlan, trial: TrialFindings) -> float:
    """What is least for the best."""
    value = trial.response(plan.objective, plan.of)
    if plan.how == "goal" and plan.goal is not None:
        return abs(value - project.number(plan, "goal"))
    return -value if plan.best == "greatest" else value


def ordered(
    project: Project, plan: TrialPlan, trials: Sequence[TrialFindings]
) -> list[TrialFindings]:
    """Trials best first: those that keep to all limits by their objective, then the others by
    it, then those without an answer."""

    def place(trial: TrialFindings) -> tuple[int, float]:
        value = rank(project, plan, trial)
        if math.isnan(value):
            return 2, 0.0
        return (1 if keeps(project, plan, trial) else 0), value

    return sorted(trials, key=place)


def best_of(
    project: Project, plan: TrialPlan, trials: Sequence[TrialFindings]
) -> tuple[TrialFindings | None, str]:
    """(the best trial, why it is): None where none keeps to the limits, with what held the
    nearest back."""
    rows = ordered(project, plan, trials)
    if not rows:
        return None, "No trial has been run."
    if plan.how == "one by one":  # it asks what helps, not which is best
        return None, lever_words(plan, levers_found(project, plan, trials), trials)
    good = [trial for trial in rows if not keeps(project, plan, trial)]
    if not good:
        return (
            None,
            f"None of {len(rows)} trials keeps to the limits; of the nearest, "
            f"{keeps(project, plan, rows[0])}.",
        )
    best = good[0]
    value = response_text(
        plan.objective, best.response(plan.objective, plan.of), best.error_of(plan.objective)
    )
    if plan.how == "goal":
        aim = project.number(plan, "goal")
        band = (
            best.mesh_error
            if plan.objective in _OF_FACTOR and math.isfinite(best.mesh_error)
            else 0.0
        )
        off = abs(best.response(plan.objective, plan.of) / aim - 1.0) if aim else math.inf
        if off > max(band, 0.005):
            return (
                None,
                f"The {plan.objective_words} does not reach {plan.goal} between the ends; the "
                f"nearest is {value}.",
            )
        return best, f"The {plan.objective_words} is {value}, asked for {plan.goal}."
    others = sum(1 for trial in rows if keeps(project, plan, trial))
    words = (
        f"Of {len(rows)} trials {len(good)} keep to the limits; the best has the {plan.best} "
        f"{plan.objective_words}, {value}."
    )
    second = good[1] if len(good) > 1 else None
    if (
        second is not None
        and plan.objective == "first factor"
        and math.isfinite(best.mesh_error + second.mesh_error)
    ):
        two = [trial.response("first factor", plan.of) for trial in (best, second)]
        if abs(two[0] - two[1]) <= best.mesh_error * two[0] + second.mesh_error * two[1]:
            words += " The next lies within their mesh errors."
    return best, words + (f" {others} did not." if others else "")


def front_of(points: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    """Points (less is better, more is better) that no other beats, rising."""
    found: list[tuple[float, float]] = []
    for mass, factor in sorted(points, key=lambda point: (point[0], -point[1])):
        if not found or factor > found[-1][1]:
            found.append((mass, factor))
    return found
