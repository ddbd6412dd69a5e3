"""Trial plans: their points, what is found of each, which is best, and that nothing is run
twice."""

from __future__ import annotations

import dataclasses
import math
import os
import signal
import time
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from labilis.judge.overall import least_overall
from labilis.model import RESPONSES, LabilisError, Limit, Project, TrialPlan, Vary, load_project
from labilis.results.findings import TrialFindings
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.run.trials import (
    best_of,
    found_of,
    keeps,
    ordered,
    points_of,
    project_at,
    response_text,
    run_plan,
    trial_key,
)
from labilis.store.kept_trials import keep_trial, read_trials
from tests.judge.test_mistakes import ALL, flat, force, strip


def project(**change: Any) -> Project:
    return load_project(
        strip(
            parameters={"t": "4 mm", "w": "20 mm"},
            pieces=[flat("t")],
            mesh={"size": "20 mm"},
            **change,
        )
    )


def plan(*vary: Vary, **more: Any) -> TrialPlan:
    return TrialPlan(
        name="plan", vary=vary or (Vary(parameter="t", values=("3 mm", "4 mm", "5 mm")),), **more
    )


def trial(
    responses: dict[str, float] | None = None, text: str = "1 mm", error: float = 0.01, **more: Any
) -> TrialFindings:
    values = np.array([(responses or {}).get(name, math.nan) for name in RESPONSES])
    facts = {
        "unsound": "",
        "meets": 1,
        "driver": "a",
        "kind": "b",
        "reason": "",
        "unknowns": 1,
        "seconds": 1.0,
    } | more
    return TrialFindings(
        parameters=np.array(["t"]),
        texts=np.array([text]),
        numbers=np.array([1.0]),
        responses=values,
        mesh_error=error,
        **facts,
    )


# --- points
# --------------------------------------------------------------------------------------------------
def test_points_of_a_grid_a_list_and_a_cube() -> None:
    t, w = (
        Vary(parameter="t", low="2 mm", high="0.4 cm", count=3),
        Vary(parameter="w", values=("10 mm", "w + 10 mm")),
    )
    assert points_of(project(), plan(t, w)) == [
        {"t": a, "w": b} for a in ("2 mm", "3 mm", "0.4 cm") for b in ("10 mm", "30 mm")
    ]
    pair = Vary(parameter="w", values=("1 mm", "2 mm", "3 mm"))
    assert points_of(project(), plan(t, pair, how="list")) == [
        {"t": "2 mm", "w": "1 mm"},
        {"t": "3 mm", "w": "2 mm"},
        {"t": "0.4 cm", "w": "3 mm"},
    ]
    spread = plan(
        t, Vary(parameter="w", low="10 mm", high="30 mm"), how="latin hypercube", points=16
    )
    rows = points_of(project(), spread)
    assert rows == points_of(project(), spread)
    for name, low, high in (
        ("t", 2.0, 4.0),
        ("w", 10.0, 30.0),
    ):  # one point in each sixteenth of a range
        values = np.array([project().value(row[name], "length") for row in rows])
        assert sorted(np.floor((values - low) / (high - low) * 16).astype(int)) == list(range(16))


@pytest.mark.parametrize(
    ("vary", "more", "words"),
    [
        ({"parameter": "t", "values": ("3 kg",)}, {}, "another kind"),
        ({"parameter": "t", "values": ("3 q",)}, {}, "not a unit"),
    ],
)
def test_values_of_another_kind_are_refused(
    vary: dict[str, Any], more: dict[str, Any], words: str
) -> None:
    with pytest.raises(LabilisError, match=words):
        points_of(project(), plan(Vary(**vary), **more))


@pytest.mark.parametrize(
    "wrong",
    [
        {"vary": []},
        {"vary": [{"parameter": "q", "values": ["1 mm"]}]},
        {"vary": [{"parameter": "t"}]},
        {"vary": [{"parameter": "t", "low": "1 mm"}]},
        {"vary": [{"parameter": "t", "values": ["1 mm"], "low": "1 mm", "high": "2 mm"}]},
        {"vary": [{"parameter": "t", "values": ["1 mm"]}] * 2},
        {"vary": [{"parameter": "t", "values": ["1 mm"]}], "how": "goal", "goal": "3"},
        {"vary": [{"parameter": "t", "low": "1 mm", "high": "2 mm"}], "how": "goal"},
        {
            "vary": [
                {"parameter": "t", "values": ["1 mm"]},
                {"parameter": "w", "values": ["1 mm", "2 mm"]},
            ],
            "how": "list",
        },
        {
            "vary": [
                {"parameter": "t", "low": "1 mm", "high": "2 mm", "count": 200},
                {"parameter": "w", "low": "1 mm", "high": "2 mm", "count": 200},
            ]
        },
        {"vary": [{"parameter": "t", "values": ["1 mm"]}], "limits": [{"response": "mass"}]},
        {
            "vary": [{"parameter": "t", "values": ["1 mm"]}],
            "limits": [{"response": "mass", "at_most": "3 mm"}],
        },
    ],
)
def test_a_plan_that_cannot_be_run_is_refused(wrong: dict[str, Any]) -> None:
    with pytest.raises(LabilisError):
        load_project({**project().model_dump(mode="json"), "plans": [{"name": "p", **wrong}]})


def test_the_key_of_a_trial_is_all_that_it_reads() -> None:
    base = project()
    key = trial_key(base, {"t": "3 mm"})
    assert trial_key(base.changed(name="other", design="b", plans=[plan()]), {"t": "3 mm"}) == key
    assert trial_key(base.changed(parameters={"t": "9 mm", "w": "20 mm"}), {"t": "3 mm"}) == key
    for other in (
        base.changed(parameters={"t": "4 mm", "w": "21 mm"}),
        base.changed(mesh={"size": "19 mm"}),
        base.changed(criteria={"modes": 3, "required_factor": "1"}),
    ):
        assert trial_key(other, {"t": "3 mm"}) != key
    assert trial_key(base, {"t": "3.1 mm"}) != key


# --- which is best
# --------------------------------------------------------------------------------------------------
@pytest.mark.parametrize(
    ("found", "held"),
    [
        (trial({"first factor": 3.1, "mass": 0.001}), ""),
        (trial({"first factor": 2.9, "mass": 0.001}), "under 3"),
        (trial({"first factor": 3.1, "mass": 0.001}, error=0.05), "within its mesh error"),
        (
            trial({"first factor": 3.1, "mass": 0.001}, error=math.nan),
            "how far its first factor can be off",
        ),
        (trial({"first factor": 3.1, "mass": 0.0021}), "over 2 kg"),
        (trial({"first factor": 3.1}), "mass is not known"),
        (
            trial({"first factor": 9.0, "mass": 0.001}, unsound="it is not stated right"),
            "not stated right",
        ),
        (trial({"first factor": math.inf, "mass": 0.001}), ""),
        (trial({}), "not known"),
        (trial(reason="it broke"), "it broke"),
    ],
)
def test_a_trial_keeps_to_its_limits_with_its_error_or_does_not(
    found: TrialFindings, held: str
) -> None:
    asked = plan(
        limits=(
            Limit(response="first factor", at_least="3"),
            Limit(response="mass", at_most="2 kg"),
        )
    )
    assert (held in keeps(project(), asked, found)) and bool(
        keeps(project(), asked, found)
    ) == bool(held)


def test_best_first_and_why() -> None:
    asked = plan(limits=(Limit(response="mass", at_most="2 kg"),))
    rows = [
        trial({"first factor": value, "mass": mass}, text)
        for value, mass, text in (
            (5.0, 0.001, "a"),
            (9.0, 0.003, "b"),
            (7.0, 0.001, "c"),
            (7.05, 0.0015, "d"),
        )
    ] + [trial(text="e", reason="it broke")]
    assert [row.texts[0] for row in ordered(project(), asked, rows)] == ["d", "c", "a", "b", "e"]
    best, why = best_of(project(), asked, rows)
    assert (
        best is rows[3]
        and "Of 5 trials 3 keep" in why
        and "within their mesh errors" in why
        and "2 did not" in why
    )
    least, _ = best_of(project(), plan(objective="mass", best="least"), rows)
    assert least is not None and least.texts[0] in "ac"
    nothing, why = best_of(
        project(), plan(limits=(Limit(response="first factor", at_least="99"),)), rows[:2]
    )
    assert nothing is None and "9" in why and "under 99" in why
    assert best_of(project(), asked, [])[0] is None


def test_responses_in_words() -> None:
    assert (
        response_text("mass", 0.0012) == "1.2 kg"
        and response_text("first factor", 3.0, 0.004) == "3 ± 0.4 %"
    )
    assert (
        response_text("first factor", math.inf) == "none"
        and response_text("largest stress", math.nan) == "–"
    )


# --- running
# --------------------------------------------------------------------------------------------------
def test_trials_find_what_a_run_of_each_finds_and_nothing_twice(tmp_path: Path) -> None:
    base = project(
        regions=[
            {"name": "foot", "names": ["strip/side.4"]},
            {"name": "head", "names": ["strip/side.2"]},
        ]
    )
    asked = plan(Vary(parameter="t", values=("3 mm", "4 mm", "-3 mm")))
    kept: dict[str, TrialFindings] = {}
    file = tmp_path / "kept.jsonl"

    def give(key: str, found: TrialFindings) -> None:
        kept[key] = found
        keep_trial(file, key, found)

    found = {row.texts[0]: row for row in run_plan(Snapshot(base), asked, {}, give, workers=2)}
    assert len(found) == len(kept) == 3
    for text in ("3 mm", "4 mm"):
        alone = project_at(base, {"t": text})
        facts = judge_project(alone, Runner().run(Snapshot(alone), Plan("modes"))).cases[0].facts
        modes = facts.modes
        assert modes is not None
        whole, low = least_overall(facts), least_overall(facts, low=True)
        assert whole is not None and low is not None
        assert found[text].response("capacity") == pytest.approx(whole.factor, rel=1e-9)
        off = 1.0 - low.factor / whole.factor
        assert found[text].error_of("capacity") == pytest.approx(off, rel=1e-6) and off > 0
        assert found[text].response("first factor") == pytest.approx(
            float(modes.positive[0]), rel=1e-9
        )
        assert found[text].mesh_error == pytest.approx(modes.first_error, rel=1e-6)
        t = float(text.split()[0])
        assert found[text].response("mass") == pytest.approx(200 * 20 * t * 7.85e-9, rel=1e-9)
    assert found["4 mm"].response("first factor") / found["3 mm"].response(
        "first factor"
    ) == pytest.approx((4 / 3) ** 3, rel=0.01)
    assert found["-3 mm"].reason  # no plate is that thin: it is said, and the plan goes on
    again = read_trials(file)
    assert again.keys() == kept.keys()
    rows = list(
        run_plan(Snapshot(base), asked, again, lambda key, row: pytest.fail("run again"), workers=2)
    )
    assert [row.response("first factor") for row in rows[:2]] == [
        found[row.texts[0]].response("first factor") for row in rows[:2]
    ]


def test_kept_trials_that_were_changed_are_not_believed(tmp_path: Path) -> None:
    file = tmp_path / "kept.jsonl"
    keep_trial(file, "trial-a", trial({"first factor": 3.0}))
    keep_trial(file, "trial-b", trial({"first factor": 4.0}))
    text = file.read_text()
    file.write_text(
        text.replace("3.0", "30.0", 1) + '{"key": 1}\nnot json\n' + text.splitlines()[1][:80]
    )
    found = read_trials(file)
    assert list(found) == ["trial-b"] and found["trial-b"].response("first factor") == 4.0
    assert read_trials(tmp_path / "none") == {}


def test_a_goal_is_reached_or_said_not_to_lie_between() -> None:
    base = project()
    asked = plan(Vary(parameter="t", low="2 mm", high="6 mm"), how="goal", goal="8", points=15)
    rows = list(run_plan(Snapshot(base), asked, {}, workers=2))
    best, why = best_of(base, asked, rows)
    assert best is not None and best.response("first factor") == pytest.approx(8.0, rel=2e-3)
    assert "asked for 8" in why and len(rows) <= 10
    far = plan(Vary(parameter="t", low="2 mm", high="2.2 mm"), how="goal", goal="800")
    rows = list(run_plan(Snapshot(base), far, {}, workers=2))
    assert len(rows) == 2 and "does not reach 800" in best_of(base, far, rows)[1]


@pytest.mark.full
def test_a_plan_that_is_stopped_ends_and_goes_on_later() -> None:
    base, asked = project(), plan(Vary(parameter="t", low="2 mm", high="6 mm", count=5))
    kept: dict[str, TrialFindings] = {}
    list(
        run_plan(
            Snapshot(base), asked, kept, kept.__setitem__, workers=1, stop=lambda: len(kept) >= 2
        )
    )
    assert 2 <= len(kept) < 5
    new: list[str] = []
    rows = list(run_plan(Snapshot(base), asked, kept, lambda key, _: new.append(key), workers=2))
    assert len(rows) == 5 and len(new) == 5 - len(kept) and not set(new) & set(kept)


def test_a_process_that_dies_loses_no_trial(monkeypatch: pytest.MonkeyPatch) -> None:
    """Its trial is run again by another."""
    from labilis.run.trials import executors

    base, asked = project(), plan(Vary(parameter="t", low="2 mm", high="6 mm", count=4))
    killed: list[int] = []
    whole = executors.Processes.submit

    def submit(place: Any, model: str, traced: bool) -> Any:
        future = whole(place, model, traced)
        if not killed and '"t": "2 mm"' not in model:
            process = next(iter(place._pool._processes))
            killed.append(process)
            os.kill(process, signal.SIGKILL)
        return future

    monkeypatch.setattr(executors.Processes, "submit", submit)
    rows = list(run_plan(Snapshot(base), asked, {}, workers=2))
    assert killed and sorted(row.texts[0] for row in rows) == sorted(
        point["t"] for point in points_of(base, asked)
    )
    assert not [row for row in rows if row.reason]


def test_a_response_that_one_case_does_not_have_is_not_known() -> None:
    """What the other cases reach says nothing of it."""
    from types import SimpleNamespace

    from labilis.run.trials.running import _of_all

    report = SimpleNamespace(cases=[2.0, math.nan, 1.0])
    assert math.isnan(_of_all(report, float, min))  # type: ignore[arg-type]
    report.cases = [2.0, math.inf, 1.5]
    assert _of_all(report, float, min) == 1.5 and _of_all(report, float, max) == math.inf  # type: ignore[arg-type]


def test_a_part_that_its_held_loads_bring_down_is_never_best() -> None:
    """It has no factor at all, which is not the same as one without end."""
    loads = [force("-10 N"), {**force("-3 kN"), "name": "stays", "growth": "held"}]
    base = load_project(
        strip(*loads, parameters={"t": "4 mm"}, pieces=[flat("t")], mesh={"size": "20 mm"})
    )
    asked = plan(Vary(parameter="t", values=("4 mm", "6 mm")), objective="mass", best="least")
    rows = {row.texts[0]: row for row in run_plan(Snapshot(base), asked, {}, workers=1)}
    assert rows["4 mm"].response("first factor") == 0.0 and "under its held loads" in keeps(
        base, asked, rows["4 mm"]
    )
    assert not keeps(base, asked, rows["6 mm"])
    best, _ = best_of(base, asked, list(rows.values()))
    assert best is rows["6 mm"]


def test_a_trial_whose_load_a_support_swallows_keeps_to_nothing() -> None:
    """As the verdict of such a part is void; a reason in writing that the gate is not asked
    counts here as there."""
    supports = [
        {"name": "foot", "on": "foot", "held": ALL},
        {"name": "head", "on": "head", "held": ["x"]},
    ]
    asked = plan(Vary(parameter="t", values=("4 mm",)))
    for left_out, held in (
        ({}, "it is not stated right"),
        ({"stated right": "tried on purpose"}, ""),
    ):
        base = project(
            supports=supports, criteria={"modes": 2, "required_factor": "1", "left_out": left_out}
        )
        row = next(iter(run_plan(Snapshot(base), asked, {}, workers=1)))
        assert (held in keeps(base, asked, row)) and bool(keeps(base, asked, row)) == bool(held), (
            keeps(base, asked, row)
        )


def test_a_goal_that_is_stopped_ends_in_silence() -> None:
    """Between two of its trials, or in the middle of one."""
    base = project()
    asked = plan(Vary(parameter="t", low="2 mm", high="6 mm"), how="goal", goal="8", points=15)
    kept: dict[str, TrialFindings] = {}
    list(run_plan(Snapshot(base), asked, {}, kept.__setitem__, workers=2))
    ends = {trial_key(base, point) for point in points_of(base, asked)}
    begun = [False]

    def stop() -> bool:  # when it has its two ends and asks for the next
        asked_again, begun[0] = begun[0], begun[0] or len(seen) >= 2
        return asked_again

    seen: list[TrialFindings] = []
    for row in run_plan(
        Snapshot(base), asked, {key: kept[key] for key in ends}, workers=1, stop=stop
    ):
        seen.append(row)
    assert len(seen) == 2


@pytest.mark.full
def test_thousands_of_trials_are_told_apart_at_once() -> None:
    """The window asks at every event which of them fit what is stated."""
    base, asked = (
        project(),
        plan(
            Vary(parameter="t", low="2 mm", high="6 mm", count=200),
            Vary(parameter="w", low="2 mm", high="9 mm", count=10),
        ),
    )
    kept = {trial_key(base, point): trial(text=point["t"]) for point in points_of(base, asked)}
    kept = {
        key: dataclasses.replace(
            row,
            parameters=np.array(["t", "w"]),
            texts=np.array(list(point.values())),
            numbers=np.zeros(2),
        )
        for (key, row), point in zip(kept.items(), points_of(base, asked))
    }
    started = time.process_time()
    assert len(found_of(base, asked, kept)) == 2000
    once = time.process_time() - started
    started = time.process_time()
    for _ in range(2000):
        base.model_dump(mode="json")
    assert once < time.process_time() - started  # each once more would take that, and hashing it


def test_a_verified_factor_is_traced_for_and_one_of_a_perfect_part_is_not_known() -> None:
    """What was found without a trace is another trial."""

    def base(**trace: Any) -> Project:
        return load_project(
            strip(
                force("-1250 N"),
                parameters={"t": "4 mm"},
                pieces=[flat("t")],
                mesh={"size": "20 mm"},
                trace={"target": "1.05", "steps": 30, **trace},
            )
        )

    asked = plan(
        Vary(parameter="t", values=("4 mm",)),
        objective="verified factor",
        limits=(Limit(response="mass", at_most="9 kg"),),
    )
    bowed, perfect = base(amplitude="0.2 mm"), base(mode=0)
    assert asked.traced and not plan().traced
    assert trial_key(bowed, {"t": "4 mm"}, True) != trial_key(bowed, {"t": "4 mm"})
    (row,) = run_plan(Snapshot(bowed), asked, {trial_key(bowed, {"t": "4 mm"}): trial()}, workers=1)
    assert row.response("verified factor") == pytest.approx(1.05, rel=1e-3) and not keeps(
        bowed, asked, row
    )
    assert found_of(bowed, asked, {trial_key(bowed, {"t": "4 mm"}, True): row}) == [row]
    (row,) = run_plan(Snapshot(perfect), asked, {}, workers=1)
    assert math.isnan(row.response("verified factor")) and "not known" in keeps(perfect, asked, row)


@pytest.mark.parametrize(
    ("value", "off", "held"),
    [
        (2.0, 0.1, ""),
        (1.6, 0.1, "within its mesh error"),
        (1.4, 0.0, "is under 1.5"),
        (1.6, float("nan"), ""),  # of a file that was kept before it was known
    ],
)
def test_first_yield_keeps_to_its_limit_with_its_mesh_error(
    value: float, off: float, held: str
) -> None:
    asked = plan(limits=(Limit(response="first yield", at_least="1.5"),))
    tried = dataclasses.replace(
        trial({"first factor": 9.0, "mass": 0.001, "first yield": value}, error=0.3),
        yield_error=off,
    )
    from labilis.run.trials import response_text
    from labilis.run.trials.ranking import margins

    said = keeps(project(), asked, tried)
    assert (held in said) and bool(said) == bool(held)
    assert (margins(project(), asked, tried)[0] >= 0) == (not held)
    assert ("±" in response_text("first yield", value, tried.error_of("first yield"))) == (
        off == off
    )


def test_capacity_keeps_to_its_limit_with_its_own_error() -> None:
    """What it stands on may be known less well than the first factor."""
    from labilis.run.trials.ranking import error_in
    from labilis.run.trials.running import figures_of_trial

    asked = plan(limits=(Limit(response="capacity", at_least="1.5"),))
    tried = trial({"first factor": 9.0, "mass": 0.001, "capacity": 1.6}, error=0.01)
    assert keeps(project(), asked, tried) == "" and tried.error_of("capacity") == 0.01
    unsure = dataclasses.replace(tried, capacity_error=0.2)
    assert "within its mesh error" in keeps(project(), asked, unsure)
    assert unsure.error_of("first factor") == 0.01
    for one, off in ((tried, 0.01), (unsure, 0.2)):
        found = figures_of_trial(one)
        assert found is not None and error_in(found, "capacity") == off
