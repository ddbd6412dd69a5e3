"""A value becomes a parameter and nothing that is computed changes."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from labilis.edit.parameters import as_parameter, stated_at, varied
from labilis.model import LabilisError, Project, load_project
from labilis.model.expressions import evaluate
from labilis.run.trials import points_of
from tests.judge.test_mistakes import force, strip

DEMOS = sorted((Path(__file__).parents[2] / "src/labilis/demos").glob("*/*.json"))


def leaves(value: Any, path: tuple[str | int, ...] = ()) -> list[tuple[tuple[str | int, ...], str]]:
    if isinstance(value, dict):
        return [leaf for key, item in value.items() for leaf in leaves(item, (*path, key))]
    if isinstance(value, list | tuple):
        return [leaf for row, item in enumerate(value) for leaf in leaves(item, (*path, row))]
    return [(path, value)] if isinstance(value, str) else []


def quantities(project: Project) -> list[tuple[tuple[str | int, ...], str]]:
    """Every stated text with a unit, outside plans, parameters and designs."""
    found = []
    for path, text in leaves(project.model_dump()):
        if (
            path[0] in ("plans", "parameters", "variants", "name", "scenario")
            or " " not in text
            or not text[0].isdigit()
        ):
            continue
        if (
            path[2:3] == ("place",) and project.pieces[int(path[1])].recipe is None
        ):  # an imported body stays where it is
            continue
        try:
            evaluate(text, project.parameters)
            found.append((path, text))
        except LabilisError:
            continue
    return found


def values(project: Project) -> list[tuple[str, float]]:
    """All that is stated, in kernel units."""
    return [(leaf.path, project.value(leaf.text, kind)) for leaf, kind in project.quantities()]


@pytest.mark.parametrize("path", DEMOS, ids=lambda path: path.stem)
def test_any_quantity_of_a_demo_can_be_made_a_parameter(path: Path) -> None:
    project = load_project(json.loads(path.read_text(encoding="utf-8")))
    before = values(project)
    found = quantities(project)
    assert len(found) > 5
    for place, text in found[::3]:
        made, name = as_parameter(project, place, "")
        assert stated_at(made, place) == name and made.parameters[name] == text, place
        assert values(made) == before, place
        again, same = as_parameter(made, place, "")
        assert again is made and same == name
        plan = varied(made, name).plans[0]
        assert name in {vary.parameter for vary in plan.vary} and points_of(made, plan)


def test_names_say_what_they_are_and_are_free() -> None:
    project = load_project(strip(force("-100 N"), parameters={"strip_thickness": "1 mm"}))
    made, name = as_parameter(project, ("pieces", 0, "recipe", "thickness"), "")
    assert name == "strip_thickness_2" and made.parameters[name] == "4 mm"
    made, name = as_parameter(project, ("pieces", 0, "recipe", "outline", 1, "x"), "")
    assert name == "strip_outline_2_x"
    _, name = as_parameter(project, ("loads", 0, "components", 0), "")
    assert name == "push_components_1"
    _, name = as_parameter(project, ("parameters", "strip_thickness"), "")
    assert name == "strip_thickness"
    made, name = as_parameter(
        project, ("criteria", "capacity"), "1.5"
    )  # nothing stated: what is shown
    assert made.criteria.capacity == name and made.parameters[name] == "1.5"


def test_what_is_no_quantity_is_refused_and_changes_nothing() -> None:
    project = load_project(strip())
    for path in (("criteria", "modes"), ("pieces", 0, "name")):
        with pytest.raises(LabilisError):
            as_parameter(project, path, "")


def test_a_parameter_joins_the_plan_once_with_a_range_about_its_value() -> None:
    project = load_project(
        strip(parameters={"t": "4 mm", "zero": "0 mm", "back": "-10 mm", "lean": "2 deg"})
    )
    first = varied(project, "t")
    assert [vary.model_dump(include={"low", "high"}) for vary in first.plans[0].vary] == [
        {"low": "2 mm", "high": "6 mm"}
    ]
    assert varied(first, "t") is first
    both = varied(varied(first, "zero"), "back")
    assert [(vary.low, vary.high) for vary in both.plans[0].vary[1:]] == [
        ("-1 mm", "1 mm"),
        ("-15 mm", "-5 mm"),
    ]
    turned = varied(project, "lean").plans[0].vary[0]
    assert project.value(str(turned.low), "angle") == pytest.approx(project.value("1 deg", "angle"))
    goal = project.changed(
        plans=[
            {
                "name": "g",
                "how": "goal",
                "goal": "3",
                "vary": [{"parameter": "t", "low": "1 mm", "high": "2 mm"}],
            }
        ]
    )
    assert varied(goal, "back").plans[0].how == "grid"
