"""The points of a plan: what its parameters are set to, and the project there."""

from __future__ import annotations

import itertools
import math
from collections import deque
from collections.abc import Mapping
from typing import Any

from labilis.edit.choices import with_choices
from labilis.model import LabilisError, Project, TrialPlan, Vary, is_choice
from labilis.model.expressions import evaluate
from labilis.results.findings import TrialFindings
from labilis.run.keys import hash_of

Point = dict[str, str]
# of a value, or of its range where that is nought: differences of first factors lie well above
# their digits
STEP = 0.02
_VERSION = 5  # raise when what is found of a trial changes its meaning


def points_of(project: Project, plan: TrialPlan) -> list[Point]:
    """What the parameters are set to in each trial of a plan that knows its points beforehand; of a
    goal its two ends. Raises LabilisError for a value that has another unit than its parameter."""
    names = [vary.parameter for vary in plan.vary]
    if plan.how == "latin hypercube":
        from scipy.stats import qmc  # takes half a second, which every command would wait for

        sample = qmc.LatinHypercube(len(names), seed=plan.seed).random(plan.points)
        rows: list[tuple[str, ...]] = [
            tuple(vary.between(float(share)) for vary, share in zip(plan.vary, row))
            for row in sample
        ]
    elif plan.how == "search":  # where it begins: what else it tries it finds
        rows = [
            tuple(
                vary.values[len(vary.values) // 2] if vary.values else vary.between(0.5)
                for vary in plan.vary
            )
        ]
        for vary in plan.vary:
            for text in (*vary.values, *([] if vary.values else (str(vary.low), str(vary.high)))):
                value_text(project, vary.parameter, text)
    elif plan.how == "goal":
        rows = [(plan.vary[0].between(0.0),), (plan.vary[0].between(1.0),)]
    elif plan.how == "one by one":
        return _each_alone(project, plan)
    elif plan.how == "list":
        rows = list(zip(*(vary.texts() for vary in plan.vary)))
    else:
        rows = list(itertools.product(*(vary.texts() for vary in plan.vary)))
    return [
        {name: value_text(project, name, text) for name, text in zip(names, row)} for row in rows
    ]


def _each_alone(project: Project, plan: TrialPlan) -> list[Point]:
    """The present design, then each parameter a step down and up with the others as they are."""
    names = [vary.parameter for vary in plan.vary]
    here = {name: value_text(project, name, project.parameters[name]) for name in names}
    points = [here]
    for vary in plan.vary:
        points += [
            {
                **here,
                vary.parameter: value_text(project, vary.parameter, _stepped(project, vary, sign)),
            }
            for sign in (-1, 1)
        ]
    return points


def range_of(project: Project, vary: Vary) -> float:
    """Length of a range in kernel units."""
    return abs(kernel_number(project, str(vary.high)) - kernel_number(project, str(vary.low)))


def _stepped(project: Project, vary: Vary, sign: int) -> str:
    """The expression of a parameter a step to one side. Raises LabilisError where there is
    nothing to take a step of."""
    text = project.parameters[vary.parameter]
    if evaluate(text, project.parameters).magnitude != 0:
        return f"{1 + sign * STEP:g} * ({text})"
    if range_of(project, vary) == 0.0:
        raise LabilisError(
            f"'{vary.parameter}' is nought, and its range has no length: there is nothing to take "
            f"{100 * STEP:g} % of.",
            f"plans/{vary.parameter}",
            "Give the range in which it may lie.",
            "no-step",
        )
    return f"({text}) + {sign * STEP:g} * (({vary.high}) - ({vary.low}))"


def value_text(project: Project, name: str, text: str) -> str:
    """A value of a parameter as a number with its unit, a choice as it is. Raises LabilisError
    where it is of another kind than the parameter, or cannot be chosen."""
    where = f"plans/{name}"
    if is_choice(name):
        with_choices(project, {name: text})  # says what cannot be
        return text
    try:
        present, value = (
            evaluate(project.parameters[name], project.parameters),
            evaluate(text, project.parameters),
        )
    except LabilisError as error:
        raise LabilisError(error.what, where, error.remedy, error.code) from error
    if present.dimensionality != value.dimensionality:
        raise LabilisError(
            f"'{text}' is of another kind than parameter '{name}', which is "
            f"{project.parameters[name]}.",
            where,
            "Give it in a unit of that kind.",
            "unit",
        )
    short = f"{value.magnitude:.10g} {value.units:~}".strip()
    try:
        again = evaluate(short, {})
    except LabilisError:  # a unit that is not written like that
        return text
    near = again.dimensionality == value.dimensionality and abs(
        (again - value).to_base_units().magnitude
    ) <= 1e-9 * max(abs(value.to_base_units().magnitude), 1e-300)
    return short if near else text


def kernel_number(project: Project, text: str, name: str = "") -> float:
    """A value in kernel units, whatever its kind; nan of a choice, which has no size."""
    if is_choice(name):
        return math.nan
    return float(evaluate(text, project.parameters).to_base_units().magnitude)


def project_at(project: Project, point: Point) -> Project:
    """The project with its parameters set; plans and other designs are left out. Raises
    LabilisError where a statement does not fit."""
    sizes = {name: text for name, text in point.items() if not is_choice(name)}
    return with_choices(
        project.changed(parameters={**project.parameters, **sizes}, plans=[], variants=[]), point
    )


def trial_key(project: Project, point: Point, traced: bool = False) -> str:
    """Hash of all that a trial reads: every statement with the parameters set, but for names of the
    project and of designs; and whether it was traced."""
    return "trial-" + hash_of([_VERSION, _rest(project), {**project.parameters, **point}, traced])


_known: deque[tuple[Project, str]] = deque(maxlen=8)


def _rest(project: Project) -> str:
    """Hash of all but the parameters. A project never changes, so that thousands of trials ask
    for it once."""
    for known, found in tuple(_known):
        if known is project:
            return found
    stated: dict[str, Any] = project.model_dump(
        mode="json",
        exclude={
            "name",
            "scenario",
            "parameters",
            "plans",
            "design",
            "variants",
            "report",
            "units",
        },
    )
    found = hash_of(stated)
    _known.append((project, found))
    return found


def found_of(
    project: Project, plan: TrialPlan, trials: Mapping[str, TrialFindings]
) -> list[TrialFindings]:
    """Trials of the parameters of a plan that fit the present statements, whatever plan they
    were run for."""
    names = {vary.parameter for vary in plan.vary}
    return [
        trial
        for key, trial in trials.items()
        if set(trial.parameters.tolist()) == names
        and trial_key(
            project, dict(zip(trial.parameters.tolist(), trial.texts.tolist())), plan.traced
        )
        == key
    ]
