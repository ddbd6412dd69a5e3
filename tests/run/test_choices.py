"""Plans that try choices: a piece that is there or not, a material, a section; and first factors
of a piece or a kind of mode."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import pytest

from labilis.edit.choices import offered, with_choices
from labilis.edit.variants import differences
from labilis.model import MODE_KINDS, LabilisError, Project, load_project
from labilis.model.renaming import renamed
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.run.trials import figures_of, found_of, keeps, ordered, points_of
from labilis.run.trials.points import project_at, trial_key
from labilis.run.trials.running import run_plan, trial_of
from labilis.words.plan import improve_sentences
from tests.judge.test_mistakes import STEEL

SOFT = {**STEEL, "name": "alloy", "youngs_modulus": "70 GPa"}


def two_strips(**more: Any) -> Project:
    """Two parallel strips of 200 x 20 x 2 that each carry 100 N; the second is 3 mm thick."""

    def strip(name: str, thickness: str, y: float) -> dict[str, Any]:
        return {
            "name": name,
            "material": "steel",
            "mesh_as": "shell",
            "recipe": {
                "kind": "plate",
                "thickness": thickness,
                "outline": [
                    {"x": f"{x} mm", "y": f"{y + dy} mm"}
                    for x, dy in ((0, 0), (200, 0), (200, 20), (0, 20))
                ],
            },
        }

    plan = {
        "name": "what is there",
        "vary": [
            {"parameter": "pieces/thin/material", "values": ["steel", "alloy"]},
            {"parameter": "t", "values": ["2 mm", "2.5 mm"]},
        ],
        "limits": [{"response": "first factor", "of": "thick", "at_least": "2"}],
        "objective": "first factor",
        "of": "thin",
    }
    return load_project(
        {
            "parameters": {"t": "2 mm"},
            "materials": [STEEL, SOFT],
            "pieces": [strip("thin", "t", 0), strip("thick", "3 mm", 60)],
            "regions": [
                {"name": "feet", "names": ["thin/side.4", "thick/side.4"]},
                {"name": "heads", "names": ["thin/side.2", "thick/side.2"]},
            ],
            "supports": [
                {
                    "name": "feet held",
                    "on": "feet",
                    "held": ["x", "y", "z", "turn_x", "turn_y", "turn_z"],
                }
            ],
            "loads": [
                {
                    "kind": "force",
                    "name": "push",
                    "on": "heads",
                    "components": ["-200 N", "0 N", "0 N"],
                }
            ],
            "cases": [{"name": "push", "loads": [{"load": "push"}]}],
            "mesh": {"size": "10 mm"},
            "criteria": {"modes": 4},
            "plans": [plan],
            **more,
        }
    )


def test_what_pieces_offer() -> None:
    names = [vary.parameter for vary in offered(two_strips())]
    assert names == [
        "pieces/thin/set_aside",
        "pieces/thick/set_aside",
        "pieces/thin/material",
        "pieces/thick/material",
    ]
    from_file = two_strips().pieces[0].model_copy(update={"recipe": None, "geometry": "a.step"})
    alone = load_project(
        {"materials": [STEEL], "pieces": [from_file], "geometry": [{"file": "a.step"}]}
    )
    assert offered(alone) == []


def test_choices_are_set_where_they_stand() -> None:
    project = two_strips()
    changed = with_choices(
        project, {"pieces/thick/set_aside": "yes", "pieces/thin/material": "alloy", "t": "9 mm"}
    )
    assert [(where, there) for where, _, there in differences(project, changed)] == [
        ("pieces/thin/material", "alloy"),
        ("pieces/thick/set_aside", "True"),
    ]
    narrow = (
        '[{"x": "0 mm", "y": "0 mm"}, {"x": "200 mm", "y": "0 mm"}, {"x": "200 mm", "y": "10 '
        'mm"}, {"x": "0 mm", "y": "10 mm"}]'
    )
    assert (
        with_choices(project, {"pieces/thin/recipe/outline": narrow}).pieces[0].recipe.outline[2].y
        == "10 mm"
    )
    assert with_choices(project, {"pieces/thin/material": "none"}).pieces[0].material is None
    assert with_choices(project, {"t": "1 mm"}) is project


@pytest.mark.parametrize(
    ("name", "text", "what"),
    [
        ("pieces/thin/set_aside", "perhaps", "neither yes nor no"),
        ("pieces/thin/material", "wood", "no material"),
        ("pieces/none/material", "steel", "nothing at"),
        ("pieces/thin/materail", "steel", "nothing at"),
        ("pieces/thin/recipe/outline", "[{", "not JSON"),
        ("mesh/order/2", "1", "nothing at"),
    ],
)
def test_a_choice_that_is_none_is_told(name: str, text: str, what: str) -> None:
    with pytest.raises(LabilisError, match=what):
        with_choices(two_strips(), {name: text})
    if not name.startswith("pieces/none"):
        with pytest.raises(LabilisError, match=what):
            points_of(
                project := two_strips(),
                project.plans[0].model_copy(
                    update={
                        "vary": (
                            project.plans[0]
                            .vary[0]
                            .model_copy(update={"parameter": name, "values": (text, text)}),
                        )
                    }
                ),
            )


def test_statements_refuse_what_cannot_be_tried() -> None:
    plan = two_strips().plans[0].model_dump()
    for change, what in (
        (({"parameter": "pieces/thin/set_aside", "low": "1", "high": "2"}), "list what"),
        (
            ({"parameter": "pieces/gone/set_aside", "values": ["no", "yes"]}),
            "no piece called 'gone'",
        ),
    ):
        with pytest.raises(LabilisError, match=what):
            two_strips(plans=[{**plan, "vary": [change]}])
    with pytest.raises(LabilisError, match="only a first factor"):
        two_strips(plans=[{**plan, "objective": "mass"}])
    with pytest.raises(LabilisError, match="no piece or kind of mode called 'bulging'"):
        two_strips(plans=[{**plan, "of": "bulging"}])
    assert two_strips(plans=[{**plan, "of": "torsion"}]).plans[0].of in MODE_KINDS


def test_names_follow_in_plans() -> None:
    project = renamed(renamed(two_strips(), "pieces", 0, "slim"), "materials", 1, "light")
    plan = project.plans[0]
    assert (
        plan.vary[0].parameter == "pieces/slim/material"
        and plan.vary[0].values == ("steel", "light")
        and plan.of == "slim"
    )
    assert plan.limits[0].of == "thick"
    assert renamed(two_strips(), "pieces", 1, "fat").plans[0].limits[0].of == "fat"


def test_trials_of_choices_are_the_runs_they_stand_for() -> None:
    project = two_strips()
    plan = project.plans[0]
    rows = list(run_plan(Snapshot(project), plan, {}))
    assert len(rows) == 4
    by = {tuple(row.texts.tolist()): row for row in rows}
    stiff = by["steel", "2 mm"]
    # Euler, clamped and free: each strip carries its own 100 N
    euler = [math.pi**2 * 210e3 * 20 * t**3 / 12 / (4 * 200**2) / 100 for t in (2, 3)]
    assert stiff.response("first factor", "thin") == pytest.approx(euler[0], rel=0.05)
    assert by["alloy", "2 mm"].response("first factor", "thin") == pytest.approx(
        euler[0] / 3, rel=0.05
    )
    assert stiff.response("first factor") == stiff.response("first factor", "thin")
    assert stiff.beyond >= stiff.least.max()
    best = ordered(project, plan, rows)[0]
    assert best.texts.tolist() == ["steel", "2.5 mm"]
    again = found_of(
        project,
        plan,
        {
            trial_key(project, dict(zip(row.parameters.tolist(), row.texts.tolist()))): row
            for row in rows
        },
    )
    assert len(again) == 4
    other = project_at(project, {"pieces/thin/material": "alloy", "t": "2.5 mm"})
    modes = judge_project(other, Runner().run(Snapshot(other), Plan("modes"))).cases[0].facts.modes
    assert by["alloy", "2.5 mm"].response("first factor") == pytest.approx(
        float(modes.positive[0]), rel=1e-9
    )


def test_what_no_mode_is_of_lies_beyond_all_that_were_found() -> None:
    project = two_strips(criteria={"modes": 1, "mesh_error": True})
    plan = project.plans[0]
    report = judge_project(project, results := Runner().run(Snapshot(project), Plan("modes")))
    trial = trial_of(
        project,
        {"pieces/thin/material": "steel", "t": "2 mm"},
        figures_of(project, report, results),
    )
    assert trial.whose.tolist()[0] == "thin" and math.isnan(trial.response("first factor", "thick"))
    limit = plan.limits[0]
    low, high = (
        plan.model_copy(
            update={
                "limits": (limit.model_copy(update={"at_least": f"{share * trial.beyond:.6g}"}),)
            }
        )
        for share in (0.5, 1.01)
    )
    assert keeps(project, low, trial) == ""
    assert "first factor of thick" in keeps(project, high, trial)
    most = plan.model_copy(
        update={"limits": (limit.model_copy(update={"at_least": None, "at_most": "1e6"}),)}
    )
    assert "not known: beyond" in keeps(project, most, trial)
    assert "not known: beyond" in keeps(
        project, plan.model_copy(update={"of": "thick", "limits": ()}), trial
    )


def test_a_factor_of_one_case_does_not_speak_for_another_whose_modes_end_below_it() -> None:
    """One mode of each case: of the thick strip in the case that pushes it alone, of the thin
    one in the other, far below."""
    project = two_strips()
    regions = [*project.model_dump()["regions"], {"name": "thick head", "names": ["thick/side.2"]}]
    loads = [
        *project.model_dump()["loads"],
        {
            "kind": "force",
            "name": "aside",
            "on": "thick head",
            "components": ["-10 N", "0 N", "0 N"],
        },
    ]
    project = two_strips(
        regions=regions,
        loads=loads,
        cases=[
            {"name": "push", "loads": [{"load": "push"}]},
            {"name": "aside", "loads": [{"load": "aside"}]},
        ],
        criteria={"modes": 1},
    )
    report = judge_project(project, results := Runner().run(Snapshot(project), Plan("modes")))
    figures = figures_of(project, report, results)
    firsts = [
        float(case.facts.modes.positive[0]) for case in report.cases if case.facts.modes is not None
    ]
    assert [
        case.facts.modes.drivers[0] for case in report.cases if case.facts.modes is not None
    ] == ["thin", "thick"]
    assert firsts[1] > 2 * firsts[0] and figures["beyond"] == firsts[0]
    assert "thick" not in figures["least"] and figures["least"]["thin"] == firsts[0]


def test_the_sheet_says_and_offers_them() -> None:
    project = two_strips()
    sentence = improve_sentences(project)[0]
    words = "".join(span.text for span in sentence)
    assert "try thin material at steel, alloy and t at 2 mm, 2.5 mm" in words
    assert (
        "Asked for: first factor of thick at least 2" in words
        and "Best: the greatest first factor of thin." in words
    )
    more = next(span for span in sentence if span.text == "+ parameter")
    assert [name for name, _ in more.choices] == [
        "thin set aside",
        "thick set aside",
        "thick material",
    ]
    for span in sentence:  # each choice that is offered is one that the project takes
        for _, value in span.choices:
            if span.path:
                project.with_value(span.path, value)


def test_from_the_command_line(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    from typer.testing import CliRunner

    from labilis.cli.main import app

    (tmp_path / "m.json").write_text(two_strips().to_json(), encoding="utf-8")
    said = CliRunner().invoke(
        app, ["trials", str(tmp_path / "m.json"), "--json", str(tmp_path / "out.json")]
    )
    assert said.exit_code == 0, said.output
    assert "thin material" in said.output and "first factor of thin" in said.output
