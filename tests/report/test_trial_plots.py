"""What is drawn of trials."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from labilis.app.trial_table import ranked
from labilis.model import RESPONSES, Limit, TrialPlan, Vary
from labilis.results.findings import TrialFindings
from labilis.run.trials import front_of
from labilis.ui.drawer.trial_plots import FRONT, HELD, KEPT, panel_of, place_of, plots_of
from tests.run.test_trials import project

T, W = Vary(parameter="t", low="2 mm", high="6 mm"), Vary(parameter="w", low="5 mm", high="30 mm")


def trial(t: float, w: float, factor: float, mass: float) -> TrialFindings:
    values = np.array(
        [{"first factor": factor, "mass": mass / 1000}.get(name, math.nan) for name in RESPONSES]
    )
    return TrialFindings(
        parameters=np.array(["t", "w"]),
        texts=np.array([f"{t} mm", f"{w} mm"]),
        numbers=np.array([t, w]),
        responses=values,
        mesh_error=0.0,
        unsound="",
        meets=1,
        driver="a",
        kind="b",
        reason="",
        unknowns=1,
        seconds=1.0,
    )


ROWS = [
    trial(2, 10, 2.0, 0.5),
    trial(4, 10, 5.0, 1.0),
    trial(4, 20, 4.0, 2.0),
    trial(6, 20, 9.0, 3.0),
]


def plan(how: str = "search") -> TrialPlan:
    return TrialPlan(
        name="p", vary=(T, W), how=how, limits=(Limit(response="first factor", at_least="3"),)
    )  # type: ignore[arg-type]


def test_the_map_tells_what_keeps_to_the_limits_and_its_value() -> None:
    names = plots_of(plan())
    assert names == ("map of t and w", "first factor over t", "mass and first factor")
    assert plots_of(plan("grid"))[0] == "first factor over t"
    panel = panel_of(names[0], ranked(project(), plan(), ROWS))
    assert panel is not None and (panel.under, panel.beside) == ("t, mm", "w, mm")
    kept, held = panel.lines
    assert kept.name == KEPT
    found = dict(zip(kept.points, kept.labels))
    assert found == {(4, 10): "5", (4, 20): "4", (6, 20): "9"}
    assert (held.name, held.points, held.dots) == (HELD, ((2, 10),), "ringed")


def test_the_front_is_of_those_that_keep_to_the_limits() -> None:
    panel = panel_of("mass and first factor", ranked(project(), plan(), ROWS))
    assert panel is not None
    assert next(line for line in panel.lines if line.name == FRONT).points == (
        (1.0, 5.0),
        (3.0, 9.0),
    )
    found = {one.trial.texts[0]: one for one in ranked(project(), plan(), ROWS).rows}
    assert place_of("mass and first factor", plan(), found["2 mm"]) == (0.5, 2.0)
    assert panel_of("mass and first factor", ranked(project(), plan(), [])) is None


@given(st.lists(st.tuples(st.floats(0.1, 9), st.floats(0.1, 9)), min_size=1, max_size=30))
def test_nothing_beats_the_front_and_it_beats_all_else(points: list[tuple[float, float]]) -> None:
    front = front_of(points)

    def beats(one: tuple[float, float], two: tuple[float, float]) -> bool:
        return one != two and one[0] <= two[0] and one[1] >= two[1]

    assert front == sorted(front) and set(front) <= set(points)
    for point in points:
        assert (point in front) is not any(beats(other, point) for other in points)


@pytest.mark.parametrize("how", ["grid", "search"])
def test_points_of_several_parameters_are_no_line_but_those_of_a_grid_are(how: str) -> None:
    panel = panel_of("first factor over t", ranked(project(), plan(how), ROWS))
    assert panel is not None
    assert [line.dots for line in panel.lines] == (["", ""] if how == "grid" else ["filled"])
