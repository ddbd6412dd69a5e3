"""Loads that do not do what they were stated for."""

from __future__ import annotations

from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from labilis.judge.evidence.base import CaseFacts
from labilis.judge.evidence.stated_loads import in_no_case, size_of_loads, warmth, weight
from labilis.model import load_project
from tests.judge.test_mistakes import STEEL, force, strip

WEIGHT = {"kind": "weight", "name": "own weight"}
WARM = {"kind": "temperature", "name": "sun", "change": "20 K"}


def facts(*loads: dict[str, Any], case: str = "one", **change: Any) -> CaseFacts:
    return CaseFacts(load_project(strip(*(loads or (force("-100 N"),)), **change)), case)


def spare(cases: list[dict[str, Any]]) -> CaseFacts:
    return facts(force("-100 N"), {**force("-1 N"), "name": "spare"}, cases=cases)


ONE = {"name": "one", "loads": [{"load": "push"}]}


@pytest.mark.parametrize(
    ("cases", "idle"),
    [
        ([ONE], True),
        ([{"name": "one", "loads": [{"load": "push"}, {"load": "spare", "factor": "0"}]}], True),
        ([ONE, {"name": "two", "loads": [{"load": "spare"}]}], False),
        (
            [
                ONE,
                {"name": "two", "loads": [{"load": "spare"}]},
                {"name": "three", "combine": [{"case": "one"}, {"case": "two", "factor": "-1"}]},
            ],
            False,
        ),
        (
            [
                {"name": "one", "loads": [{"load": "push"}, {"load": "spare"}]},
                {
                    "name": "two",
                    "loads": [{"load": "spare", "factor": "-1"}],
                    "combine": [{"case": "one"}],
                },
            ],
            False,
        ),
    ],
)
def test_a_load_acts_in_a_case_or_is_told(cases: list[dict[str, Any]], idle: bool) -> None:
    said = in_no_case(spare(cases))
    assert said is not None
    assert said.state == ("caution" if idle else "good")
    assert ("'spare' is stated and in no case" in said.text) is idle


@pytest.mark.parametrize(
    ("acceleration", "state"),
    [
        (("0 m/s^2", "0 m/s^2", "-9.81 m/s^2"), "good"),
        (("0 m/s^2", "0 m/s^2", "-9810 mm/s^2"), "good"),
        (("0 m/s^2", "-386.1 in/s^2", "0 m/s^2"), "good"),
        (("300 m/s^2", "0 m/s^2", "0 m/s^2"), "good"),
        (("0 m/s^2", "0 m/s^2", "-1.62 m/s^2"), "good"),
        (("0 m/s^2", "0 m/s^2", "-9.81 mm/s^2"), "caution"),
        (("0 m/s^2", "-32.2 in/s^2", "0 m/s^2"), "caution"),
        (("0 m/s^2", "0 m/s^2", "0 m/s^2"), "caution"),
    ],
)
def test_a_weight_is_that_of_gravity_at_least(acceleration: tuple[str, ...], state: str) -> None:
    said = weight(facts(force("-100 N"), {**WEIGHT, "acceleration": list(acceleration)}))
    assert said is not None
    assert said.state == state
    assert weight(facts()) is None


@pytest.mark.parametrize(
    ("factor", "state"), [("1.35", "good"), ("0.9", "good"), ("0.001", "caution"), ("0", None)]
)
def test_a_weight_counts_as_it_acts_in_the_case(factor: str, state: str | None) -> None:
    loads = [{"load": "push"}, {"load": "own weight", "factor": factor}]
    said = weight(facts(force("-100 N"), WEIGHT, cases=[{"name": "one", "loads": loads}]))
    assert (None if said is None else said.state) == state


@pytest.mark.parametrize(
    ("change", "factor", "state"),
    [
        ("20 K", "1", "good"),
        ("-120 K", "1", "good"),
        ("293 K", "1", "caution"),
        ("-196 K", "1", "caution"),
        ("100 K", "2", "caution"),
        ("100 K", "0.5", "good"),
    ],
)
def test_a_temperature_for_a_change_of_it_is_told(change: str, factor: str, state: str) -> None:
    """As it acts in the case, its factor included."""
    loads = [{"load": "push"}, {"load": "sun", "factor": factor}]
    said = warmth(
        facts(
            force("-100 N"),
            {**WARM, "change": change},
            materials=[{**STEEL, "expansion": "1.2e-5 /K"}],
            cases=[{"name": "one", "loads": loads}],
        )
    )
    assert said is not None
    assert said.state == state


@pytest.mark.parametrize(
    ("first", "required", "state"),
    [(13.9, 3.0, "good"), (2999.0, 3.0, "good"), (3001.0, 3.0, "caution"), (4e6, 4.0, "caution")],
)
def test_a_factor_a_thousand_times_too_high_is_told(
    first: float, required: float, state: str
) -> None:
    modes: Any = SimpleNamespace(positive=np.array([first, 2 * first]), antisymmetric=np.nan)
    known = facts()
    said = size_of_loads(
        CaseFacts(known.project, known.case, modes=modes, required=required)  # type: ignore[arg-type]
    )
    assert said is not None
    assert said.state == state
    modes.antisymmetric = 2.0  # which a plane of symmetry hides
    hidden = size_of_loads(CaseFacts(known.project, known.case, modes=modes, required=required))
    assert hidden is not None
    assert hidden.state == "good"
    nothing: Any = SimpleNamespace(positive=np.zeros(0))
    assert size_of_loads(CaseFacts(known.project, known.case, modes=nothing)) is None
