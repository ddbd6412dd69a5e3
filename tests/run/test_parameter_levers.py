"""Levers of parameters by trials on both sides: against powers, closed forms, levers of
thickness; and advice that stands on them."""

from __future__ import annotations

import dataclasses
import json
import math
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from labilis.app.trial_table import ranked
from labilis.model import LabilisError, Project, TrialPlan, Vary, load_project
from labilis.results.findings import ModesFindings, TrialFindings
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.run.advice import Wall, _harmed, advise, tried
from labilis.run.trials import best_of, levers_found, points_of, run_plan, trial_key, trial_of
from labilis.ui.drawer.trial_plots import panel_of, place_of, plots_of
from tests.cli.test_improve_cli import inside
from tests.judge.test_mistakes import force, strip
from tests.run.test_advice import first_factor, nothing
from tests.run.test_search import Responses
from tests.run.test_trials import project

T, W = Vary(parameter="t", low="2 mm", high="6 mm"), Vary(parameter="w", low="5 mm", high="30 mm")


def each(*vary: Vary, **more: Any) -> TrialPlan:
    return TrialPlan(name="each", how="one by one", vary=vary or (T, W), **more)


def trials(
    base: Project, plan: TrialPlan, responses: Responses, spoilt: int = -1
) -> list[TrialFindings]:
    """As if they were run, from a formula of t and w in mm."""
    rows = []
    for point in points_of(base, plan):
        t, w = (base.value(point.get(name, base.parameters[name]), "length") for name in ("t", "w"))
        rows.append(trial_of(base, point, {"responses": responses(t, w)}))
    return [row for number, row in enumerate(rows) if number != spoilt]


@given(st.floats(-4, 4), st.floats(-4, 4), st.floats(0.1, 9))
def test_powers_are_found_as_they_are(a: float, b: float, scale: float) -> None:
    rows = trials(
        project(), each(), lambda t, w: {"first factor": scale * t**a * w**b, "mass": t * w}
    )
    found = {lever.parameter: lever for lever in levers_found(project(), each(), rows)}
    assert found["t"].response == pytest.approx(a, abs=1e-6) and found[
        "w"
    ].response == pytest.approx(b, abs=1e-6)
    assert found["t"].off < 1e-6 and found["w"].mass == pytest.approx(1.0)
    assert len(rows) == 5 and len({tuple(row.texts) for row in rows}) == 5


def test_what_is_no_power_is_within_what_is_told() -> None:
    rows = trials(
        project(), each(), lambda t, w: {"first factor": 3.0 + t**2 + 100.0 / w, "mass": 1.0}
    )
    found = {lever.parameter: lever for lever in levers_found(project(), each(), rows)}
    here = 3.0 + 16.0 + 5.0
    for name, exact in (("t", 2 * 16.0 / here), ("w", -5.0 / here)):
        assert abs(found[name].response - exact) < max(found[name].off, 1e-3 * abs(exact))
        assert found[name].response == pytest.approx(exact, rel=0.01)


def test_modes_that_change_places_leave_no_certain_sign() -> None:
    rows = trials(project(), each(T), lambda t, w: {"first factor": min(t**3, 64.0), "mass": t})
    (lever,) = levers_found(project(), each(T), rows)
    assert (
        lever.response == pytest.approx(1.5) and lever.off == pytest.approx(1.5) and not lever.known
    )
    assert "± " in best_of(project(), each(T), rows)[1]


def test_what_is_nought_goes_by_its_range_and_one_without_is_refused() -> None:
    base = load_project(
        {**project().model_dump(mode="json"), "parameters": {"t": "4 mm", "w": "0 mm"}}
    )
    off = Vary(parameter="w", low="-10 mm", high="30 mm")
    rows = trials(base, each(off), lambda t, w: {"first factor": math.exp(0.01 * w), "mass": 1.0})
    assert [row.numbers[0] for row in rows] == pytest.approx([0.0, -0.8, 0.8])
    (lever,) = levers_found(base, each(off), rows)
    assert (
        lever.ranged
        and lever.response == pytest.approx(0.4, rel=1e-3)
        and "of its range" in best_of(base, each(off), rows)[1]
    )
    below = load_project(
        {**project().model_dump(mode="json"), "parameters": {"t": "4 mm", "w": "-20 mm"}}
    )
    rows = trials(
        below,
        each(Vary(parameter="w", low="-30 mm", high="-10 mm")),
        lambda t, w: {"first factor": w**2, "mass": 1.0},
    )
    (lever,) = levers_found(below, each(Vary(parameter="w", low="-30 mm", high="-10 mm")), rows)
    assert lever.response == pytest.approx(-2.0) and lever.off < 1e-6  # larger is nearer to nought
    with pytest.raises(LabilisError, match="nothing to take 2 % of"):
        points_of(base, each(Vary(parameter="w", low="1 mm", high="1 mm")))
    with pytest.raises(ValueError, match="ranges"):
        each(Vary(parameter="t", values=("3 mm",)))


def test_a_trial_that_is_missing_or_failed_leaves_its_parameter_out() -> None:
    def given(t: float, w: float) -> dict[str, float]:
        return {"first factor": t * w, "mass": 1.0}

    assert levers_found(project(), each(), trials(project(), each(), given, spoilt=0)) == []
    assert [
        lever.parameter
        for lever in levers_found(project(), each(), trials(project(), each(), given, spoilt=1))
    ] == ["w"]
    none = trials(project(), each(), lambda t, w: {"first factor": math.inf, "mass": 1.0})
    assert (
        levers_found(project(), each(), none) == []
        and "not known" in best_of(project(), each(), none)[1]
    )


def test_the_chart_draws_each_against_its_change() -> None:
    rows = trials(project(), each(), lambda t, w: {"first factor": t**3 / w, "mass": 1.0})
    (name,) = plots_of(each())
    best = ranked(project(), each(), rows)
    panel = panel_of(name, best)
    assert panel is not None and panel.under == "change, %"
    assert [line.name for line in panel.lines] == ["t", "w"]  # what moves it most first
    assert [x for x, _ in panel.lines[0].points] == pytest.approx([-2, 0, 2])
    shown = {id(one.trial): one for one in best.rows}
    assert place_of(name, each(), shown[id(rows[0])]) == (0.0, pytest.approx(3.2))
    assert place_of(name, each(), shown[id(rows[4])])[0] == pytest.approx(2.0)


def plate(**more: Any) -> dict[str, Any]:
    """A strip of length l, width w and thickness t, clamped at one end and pushed at the other."""
    corners = (("0 mm", "0 mm"), ("l", "0 mm"), ("l", "w"), ("0 mm", "w"))
    piece = {
        "name": "strip",
        "material": "steel",
        "mesh_as": "shell",
        "recipe": {
            "kind": "plate",
            "thickness": "t",
            "outline": [{"x": x, "y": y} for x, y in corners],
        },
    }
    ranges = [
        {"parameter": name, "low": f"0.6 * ({text})", "high": f"1.4 * ({text})"}
        for name, text in (("t", "4 mm"), ("l", "200 mm"), ("w", "20 mm"))
    ]
    return strip(
        force("-100 N"),
        **{
            "pieces": [piece],
            "parameters": {"t": "4 mm", "l": "200 mm", "w": "20 mm"},
            "mesh": {"size": "10 mm"},
            "regions": [
                {"name": "foot", "names": ["strip/side.4"]},
                {"name": "head", "names": ["strip/side.2"]},
            ],
            "criteria": {"modes": 3, "required_factor": "100"},
            "plans": [{"name": "each", "how": "one by one", "vary": ranges}],
            **more,
        },
    )


@pytest.mark.full
def test_a_strut_has_the_levers_of_euler_and_its_advice_keeps_its_promise() -> None:
    """π² E w t³ / (48 l²): 3, 1 and -2; of its mass 1, 1 and 1."""
    base = load_project(plate())
    plan = base.plans[0]
    rows = list(run_plan(Snapshot(base), plan, {}))
    found = {lever.parameter: lever for lever in levers_found(base, plan, rows)}
    for name, exact in (("t", 3.0), ("w", 1.0), ("l", -2.0)):
        assert found[name].response == pytest.approx(exact, rel=0.01), name
        assert found[name].mass == pytest.approx(1.0, rel=1e-3)
    known = {
        trial_key(base, dict(zip(row.parameters.tolist(), row.texts.tolist()))): row for row in rows
    }
    results = Runner().run(Snapshot(base), Plan("modes"))
    report = judge_project(base, results)
    without, remedies = advise(base, report, results), advise(base, report, results, known)
    # shorter costs less than nothing
    assert [item.path for item in remedies][:1] == [("parameters", "l")]
    shorter = remedies[0]
    assert shorter.value == "180 mm" and shorter.mass == pytest.approx(
        -0.1 * 0.2 * 0.02 * 0.004 * 7850, rel=0.01
    )
    assert len(remedies) == len(without) + 2 and {item.path for item in without if item.path} == {
        ("parameters", "t")
    }
    for item in remedies:
        if item.path:
            gain = first_factor(tried(base, item), item.case) - item.factor
            assert gain == pytest.approx(item.gain, rel=0.1), item.words
    # a range ends what is advised
    tight = load_project(
        plate(
            plans=[
                {
                    "name": "each",
                    "how": "one by one",
                    "vary": [
                        {"parameter": "l", "low": "195 mm", "high": "400 mm"},
                        *[vary.model_dump() for vary in plan.vary if vary.parameter != "l"],
                    ],
                }
            ]
        )
    )
    again = {
        trial_key(tight, dict(zip(row.parameters.tolist(), row.texts.tolist()))): row
        for row in rows
    }
    assert (
        next(
            item
            for item in advise(tight, report, results, again)
            if item.path == ("parameters", "l")
        ).value
        == "195 mm"
    )
    # what was tried of other statements says nothing
    other = load_project(plate(parameters={"t": "4 mm", "l": "210 mm", "w": "20 mm"}))
    assert not [item for item in advise(other, report, results, known) if item.path]


@pytest.mark.parametrize(
    ("value", "said"),
    [
        ("4 mm", "4.4 mm"),
        ("2 * 2 mm + 1 mm", "1.1 * (2 * 2 mm + 1 mm)"),
        ("0.5 N / mm ** 2", "0.55 N / mm ** 2"),
    ],
)
def test_advice_states_a_value_that_can_be_read_again(value: str, said: str) -> None:
    from labilis.run.advice import _changed
    from labilis.run.trials.levers import Lever

    base = load_project(strip(parameters={"p": value}))
    (remedy,) = _changed(base, Lever("p", 2.0, 0.0, 1.0, value), "one", 5.0, 1.0, (0.0, 1e9))
    assert remedy.value == said and remedy.expected == pytest.approx(5.0 * 1.21)
    changed = base.with_value(remedy.path, remedy.value)
    kind = "stress" if "N" in value else "length"
    assert changed.value("p", kind) == pytest.approx(1.1 * base.value("p", kind))


@pytest.mark.parametrize(
    ("response", "value", "there"),
    [
        (2.0, "10 mm", "11 mm"),
        (-2.0, "10 mm", "9 mm"),
        (2.0, "-10 mm", "-9 mm"),
        (-2.0, "-10 mm", "-11 mm"),
    ],
)
def test_advice_goes_to_the_side_that_helps_on_both_sides_of_nought(
    response: float, value: str, there: str
) -> None:
    """As much as it promises: of a factor that goes with the square of a parameter, or with its
    inverse."""
    from labilis.run.advice import _changed
    from labilis.run.trials.levers import Lever

    base = load_project(strip(parameters={"p": value}))
    (remedy,) = _changed(
        base, Lever("p", response, 0.0, response, value), "one", 5.0, 1.0, (-1e9, 1e9)
    )
    assert remedy.value == there
    size = base.with_value(remedy.path, there).value("p", "length") / base.value("p", "length")
    power = response if base.value("p", "length") > 0 else -response  # of the size of p
    assert remedy.expected == pytest.approx(5.0 * size**power) and remedy.gain > 0
    assert remedy.mass == pytest.approx(size**power - 1.0)


def test_trials_that_are_not_to_be_trusted_say_so_behind_the_levers() -> None:
    rows = trials(project(), each(T), lambda t, w: {"first factor": t**3, "mass": t})
    spoilt = [dataclasses.replace(row, unsound="the mesh is too coarse") for row in rows]
    assert "Not to be trusted" not in best_of(project(), each(T), rows)[1]
    assert (
        "Not to be trusted as it stands: the mesh is too coarse."
        in best_of(project(), each(T), spoilt)[1]
    )


def test_the_command_tells_levers_and_advice_takes_them(tmp_path: Path) -> None:
    path, kept = tmp_path / "plate.json", tmp_path / "kept"
    path.write_text(json.dumps(plate(mesh={"size": "20 mm"})), encoding="utf-8")
    ran = inside("trials", path, "--keep", kept, "--json", "-", "--workers", "1")
    assert ran.returncode == 0
    levers = {item["parameter"]: item for item in json.loads(ran.stdout)["levers"]}
    assert levers["t"]["lever"] == pytest.approx(3.0, rel=0.02) and levers["l"]["value"] == "200 mm"
    rows = json.loads(inside("advise", path, "--keep", kept, "--json", "-").stdout)
    assert rows[0]["remedy"] == "l 180 mm instead of 200 mm" and rows[0]["mass_kg"] < 0


def test_a_remedy_that_spoils_another_case_says_so() -> None:
    def case(levers: list[float]) -> Any:
        modes = ModesFindings(
            **nothing()
            | {
                "factors": np.array([3.1, 8.0]),
                "levers": np.ones((2, 1)),
                "pieces": np.array(["a"]),
                "piece_levers": np.array([[levers[0]], [levers[1]]]),
                "shares": np.ones((2, 1)),
            }
        )
        facts = SimpleNamespace(
            case="other",
            modes=modes,
            kinds=["member sway", "plate"],
            required_for=lambda _mode: 3.0,
        )
        return SimpleNamespace(facts=facts)

    wall = Wall("a", ("parameters", "t"), ("a",))
    assert _harmed(case([1.0, -1.0]), wall, 1.5, 1.0) == ""
    assert _harmed(case([-1.0, 1.0]), wall, 1.5, 1.0) == "takes case 'other' down to 2.067 of 3"
    assert (
        _harmed(case([1.0, -3.0]), wall, 1.5, 1.0) == "takes case 'other' down to 2.37 of 3"
    )  # a mode that was second
    assert _harmed(case([0.1, 1.0]), wall, 1.5, 1.0) == ""
    assert _harmed(case([0.1, 1.0]), wall, 1.5, 0.9).startswith(
        "takes case 'other' down to 2.353 of 3"
    )  # walls that come nearer
    without = SimpleNamespace(
        facts=SimpleNamespace(case="other", modes=None, required_for=lambda _mode: 3.0)
    )
    assert "not known" in _harmed(without, wall, 1.5, 1.0)  # type: ignore[arg-type]
