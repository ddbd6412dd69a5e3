"""The search for the best point: against optima known in closed form, lists, limits that nothing
keeps, and its end."""

from __future__ import annotations

import math
import threading
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
import pytest

from labilis.model import RESPONSES, Limit, Project, TrialPlan, Vary
from labilis.results.findings import TrialFindings
from labilis.run import Snapshot
from labilis.run.trials import best_of, run_plan
from labilis.run.trials.ranking import margins
from labilis.run.trials.search import search
from tests.run.test_trials import project

Responses = Callable[[float, float], dict[str, float]]


class Bench:
    """Stands for the runs: figures from a formula of t and w, mm."""

    def __init__(
        self, responses: Responses, spoil: Callable[[float, float], str] = lambda _t, _w: ""
    ) -> None:
        self.base: Project = project()
        self.responses, self.spoil = responses, spoil
        self.asked: list[tuple[str, ...]] = []

    def run_all(self, points: list[dict[str, str]]) -> Iterator[TrialFindings]:
        for point in points:
            t, w = (self.base.value(point.get(name, "4 mm"), "length") for name in ("t", "w"))
            self.asked.append(tuple(point.values()))
            reason = self.spoil(t, w)
            found = {} if reason else self.responses(t, w)
            yield TrialFindings(
                parameters=np.array(list(point)),
                texts=np.array(list(point.values())),
                numbers=np.array([t, w][: len(point)]),
                responses=np.array([found.get(name, math.nan) for name in RESPONSES]),
                mesh_error=0.01,
                unsound="",
                meets=1,
                driver="a",
                kind="b",
                reason=reason,
                unknowns=1,
                seconds=1.0,
            )

    def best(self, plan: TrialPlan) -> TrialFindings | None:
        rows = list(search(self.base, plan, self.run_all, lambda: False))
        assert len(self.asked) == len(set(self.asked)) == len(rows) <= plan.points
        return best_of(self.base, plan, rows)[0]


def strut(t: float, w: float) -> dict[str, float]:
    """Factor as t³ w, mass (tonnes) as t w."""
    return {"first factor": t**3 * w / 500.0, "mass": t * w * 1e-6}


def lightest(*vary: Vary, points: int = 30, seed: int = 1) -> TrialPlan:
    return TrialPlan(
        name="search",
        vary=vary,
        how="search",
        points=points,
        seed=seed,
        objective="mass",
        best="least",
        limits=(Limit(response="first factor", at_least="3"),),
    )


T, W = Vary(parameter="t", low="2 mm", high="6 mm"), Vary(parameter="w", low="5 mm", high="30 mm")


@pytest.mark.parametrize("seed", [1, 2, 3, 4, 5])
def test_the_lightest_strut_is_found_within_two_percent(seed: int) -> None:
    """t as thick as it may be, w what is left to do; the factor counts with its mesh error of 1
    %."""
    best = Bench(strut).best(lightest(T, W, seed=seed))
    least = 6.0 * (3.0 / 0.99 * 500.0 / 6.0**3) * 1e-6
    assert best is not None and least <= best.response("mass") < 1.02 * least, best


def test_an_optimum_inside_the_ranges_is_found() -> None:
    def hill(t: float, w: float) -> dict[str, float]:
        return {"first factor": 10.0 - (t - 3.3) ** 2 - ((w - 21.0) / 10.0) ** 2, "mass": 1e-6}

    plan = TrialPlan(name="hill", vary=(T, W), how="search", points=36)
    best = Bench(hill).best(plan)
    assert best is not None and best.response("first factor") > 9.98


def test_gauges_stay_gauges_and_their_neighbours_are_tried() -> None:
    gauges = Vary(parameter="t", values=("2 mm", "2.5 mm", "3 mm", "4 mm", "5 mm", "6 mm"))
    bench = Bench(lambda t, w: {"first factor": t, "mass": t * 1e-6})
    best = bench.best(lightest(gauges, points=6))
    assert best is not None and best.texts.tolist() == ["4 mm"]
    assert {texts[0] for texts in bench.asked} <= set(gauges.values)


def test_where_nothing_keeps_to_the_limits_none_is_best_and_the_nearest_is_told() -> None:
    bench = Bench(lambda t, w: {"first factor": 0.1 * t, "mass": t * w * 1e-6})
    rows = list(search(bench.base, lightest(T, W, points=15), bench.run_all, lambda: False))
    best, why = best_of(bench.base, lightest(T, W), rows)
    assert best is None and "None of" in why
    assert (
        max(row.response("first factor") for row in rows) > 0.58
    )  # it went toward what would be nearer


def test_trials_without_an_answer_are_gone_round() -> None:
    bench = Bench(strut, lambda t, w: "it cannot be meshed" if t > 5 else "")
    best = bench.best(lightest(T, W, points=40))
    least = 5.0 * (3.0 / 0.99 * 500.0 / 5.0**3) * 1e-6
    assert best is not None and best.response("mass") < 1.1 * least


def test_values_are_short_but_tell_a_thousandth_of_their_range_apart() -> None:
    far = Vary(parameter="t", low="1000 mm", high="1001 mm")
    bench = Bench(lambda t, w: {"first factor": 10 - abs(t - 1000.37), "mass": 1e-6})
    best = bench.best(TrialPlan(name="far", vary=(far,), how="search", points=24))
    assert best is not None and abs(best.numbers[0] - 1000.37) < 0.02
    assert all(len(texts[0].split()[0].replace(".", "")) <= 8 for texts in bench.asked)


def test_it_stops_when_it_is_told_and_leaves_no_thread() -> None:
    bench = Bench(strut)
    rows: list[Any] = []
    for row in search(bench.base, lightest(T, W), bench.run_all, lambda: len(rows) >= 16):
        rows.append(row)
    assert 16 <= len(rows) < 30
    assert not [
        thread
        for thread in threading.enumerate()
        if thread.name == "labilis-search" and thread.is_alive()
    ]


def test_margins_count_the_mesh_error_and_what_is_not_known() -> None:
    bench = Bench(strut)
    row = next(bench.run_all([{"t": "5 mm", "w": "12 mm"}]))
    plan = TrialPlan(
        name="m",
        vary=(T,),
        limits=(
            Limit(response="first factor", at_least="3"),
            Limit(response="mass", at_most="0.1 kg"),
            Limit(response="first yield", at_least="1"),
        ),
    )
    assert margins(bench.base, plan, row) == pytest.approx(
        [(3.0 * 0.99 - 3) / 3, (0.1 - 0.06) / 0.1, -1.0]
    )


def test_a_search_over_real_runs_keeps_to_its_limits() -> None:
    base = project()
    plan = lightest(Vary(parameter="t", low="2 mm", high="8 mm"), points=9).model_copy(
        update={"limits": (Limit(response="first factor", at_least="6"),)}
    )
    rows = list(run_plan(Snapshot(base), plan, {}, workers=2))
    best, _ = best_of(base, plan, rows)
    # factor as t³, 13.8 at 4 mm: 6 needs 3.03 mm, with its mesh error a little more
    assert best is not None and 3.0 < base.value(str(best.texts[0]), "length") < 3.3, [
        (row.texts[0], row.reason) for row in rows
    ]
