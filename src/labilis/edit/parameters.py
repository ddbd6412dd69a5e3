"""Values made parameters: a value that is stated in one place becomes a named one that plans can
vary. Pure functions on statements."""

from __future__ import annotations

import re
from typing import Any

from labilis.model import LabilisError, Limit, Project, TrialPlan, Vary
from labilis.model.expressions import FUNCTIONS, evaluate
from labilis.model.units import UNIT_SYMBOLS

Path = tuple[str | int, ...]


def stated_at(project: Project, path: Path) -> Any:
    """What the JSON form holds at a path, None where there is nothing."""
    place: Any = project.model_dump()
    for step in path:
        if isinstance(place, dict):
            place = place.get(step)
        elif isinstance(place, list | tuple) and isinstance(step, int) and step < len(place):
            place = place[step]
        else:
            return None
    return place


def as_parameter(project: Project, path: Path, shown: str) -> tuple[Project, str]:
    """(the project with the value at a path as a parameter, its name). `shown` is the value where
    none is stated. A value that is a parameter already stays. Raises LabilisError for what is no
    quantity."""
    if path[:1] == ("parameters",):
        return project, str(path[1])
    text = stated_at(project, path)
    text = shown if text is None else text
    if not isinstance(text, str):
        raise LabilisError(
            "Only quantities can become parameters.",
            _where(path),
            "Vary a length, a force, an angle or the like.",
            "parameter",
        )
    if text in project.parameters:
        return project, text
    evaluate(text, project.parameters)  # says what it is not
    name = free_parameter(project, _name_for(project, path))
    named = project.changed(parameters={**project.parameters, name: text})
    return named.with_value(path, name), name


def varied(project: Project, parameter: str, plan: str | None = None) -> Project:
    """The project with the parameter in a plan: the named or the first one, or a new one where
    there is none."""
    if any(
        parameter == vary.parameter
        for item in project.plans
        for vary in item.vary
        if plan in (None, item.name)
    ):
        return project
    low, high = range_about(project, parameter)
    vary = Vary(parameter=parameter, low=low, high=high)
    chosen = next((item for item in project.plans if plan in (None, item.name)), None)
    if chosen is None:
        return with_plan(project, vary)
    grown = {
        **chosen.model_dump(),
        "vary": [*(item.model_dump() for item in chosen.vary), vary.model_dump()],
    }
    if chosen.how == "goal":  # which is for one parameter
        grown |= {"how": "grid", "goal": None}
    return project.changed(plans=[grown if item is chosen else item for item in project.plans])


def with_plan(project: Project, vary: Vary) -> Project:
    """The project with a further plan over a parameter or a choice, which asks for what the
    project does."""
    limit = Limit(response="first factor", at_least=project.criteria.required_factor)
    plan = TrialPlan(name=project.free_name("plans", "plan"), vary=(vary,), limits=(limit,))
    return project.changed(plans=[*project.plans, plan])


def range_about(project: Project, parameter: str) -> tuple[str, str]:
    """From half of the present value to half as much again; about nought one unit to both sides."""
    value = evaluate(parameter, project.parameters)
    unit = f"{value.units:~}".strip()

    def text(number: float) -> str:
        return f"{number:.6g} {unit}".strip()

    ends = (0.5 * value.magnitude, 1.5 * value.magnitude) if value.magnitude else (-1.0, 1.0)
    low, high = sorted(float(end) for end in ends)
    short = text(low), text(high)
    try:
        for one in short:
            if evaluate(one, {}).dimensionality != value.dimensionality:
                raise ValueError(one)
        return short
    except (LabilisError, ValueError):  # a unit that is not written like that
        return (
            f"0.5 * ({project.parameters[parameter]})",
            f"1.5 * ({project.parameters[parameter]})",
        )


def _where(path: Path) -> str:
    return "/".join(str(step) for step in path)


def _name_for(project: Project, path: Path) -> str:
    """'strip_thickness' for the thickness of piece 'strip'; numbers of places in lists count
    from 1."""
    words: list[str] = []
    place: Any = project
    for step in path:
        place = (
            place[step]
            if isinstance(step, int)
            else place.get(step)
            if isinstance(place, dict)
            else getattr(place, step, None)
        )
        if isinstance(step, int):
            words = [str(name)] if (name := getattr(place, "name", "")) else [*words, str(step + 1)]
        elif step not in ("recipe", "section", "place", *type(project).model_fields):
            words.append(step)
        if place is None:
            break
    return "_".join(words)


def free_parameter(project: Project, base: str) -> str:
    """A name that the grammar takes and that nothing has: no parameter, unit or function."""
    base = re.sub(r"[^A-Za-z0-9]+", "_", base).strip("_") or "value"
    base = base if base[0].isalpha() else f"value_{base}"
    taken = {*project.parameters, *UNIT_SYMBOLS, *FUNCTIONS, "pi"}
    name, count = base, 1
    while name in taken:
        count += 1
        name = f"{base}_{count}"
    return name
