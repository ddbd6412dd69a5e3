"""Where a path ends and what of it is verified: limits, bifurcations, steps and ends as stated."""

from __future__ import annotations

import dataclasses
from typing import Any

import numpy as np
import pytest

from labilis.judge.ladder import rungs
from labilis.judge.verdict import verdict_of_case
from labilis.model import LabilisError, load_project
from labilis.results.trace_ends import ends_of
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.words.trace import trace_sentences
from tests.judge.test_mistakes import force, strip


@pytest.mark.parametrize(
    ("factors", "limit"),
    [
        ([0, 1, 2, 3], None),
        ([0, 1, 2, 1.7], 2.0),
        ([0, 1, 2, 1.95, 2.5, 3], 2.0),
        ([0, 1, 2, 1.999, 2.5], None),
        ([0, 1, -1, 5], 1.0),
        ([0], None),
        ([0, -1, -2], 0.0),
    ],
)
def test_a_limit_is_the_first_one(factors: list[float], limit: float | None) -> None:
    """However far the path rises again: there the part is lost."""
    found, _ = ends_of(factors, [0] * len(factors))
    assert np.isnan(found) if limit is None else found == limit


@pytest.mark.parametrize(
    ("factors", "negative", "limit", "stable"),
    [
        ([0, 1, 2, 3], [0, 0, 0, 0], None, None),
        ([0, 1, 2, 3], [0, 0, 1, 1], None, 1.0),
        ([0, 1, 2, 3], [0, 0, 0, 1], None, 2.0),
        ([0, 1, 2, 1], [0, 0, 1, 1], 2.0, None),
        ([0, 1, 2, 1], [0, 1, 1, 2], 2.0, 0.0),
        ([0, 1, 2, 1], [0, 0, 0, 1], 2.0, None),
        ([0, 1, 2, 2.0005], [0, 0, 0, 1], 2.0005, None),
        ([0, 1, 2, 2.0005, 2.0004], [0, 0, 1, 1, 1], None, 1.0),
        ([0, 1, 2, 2.0005, 1.9999, 2.0001], [0, 0, 0, 1, 1, 1], 2.0005, None),
        ([0, 1, 2, 1, 3], [0, 0, 0, 1, 1], 2.0, None),
    ],
)
def test_what_follows_a_bifurcation_is_not_verified(
    factors: list[float], negative: list[int], limit: float | None, stable: float | None
) -> None:
    """A pivot lost on the way up is a bifurcation; one that goes where the path no longer rises
    is a limit."""
    for found, expected in zip(ends_of(factors, negative), (limit, stable)):
        assert np.isnan(found) if expected is None else found == expected


def _strut(**plan: Any) -> Any:
    stated = {
        "material": "elastic",
        "steps": 120,
        "target": "1e9",
        "deflection": "120 mm",
        "beyond_yield": 100,
        "strain": "20 %",
        **plan,
    }
    project = load_project(
        strip(
            force("-100 N"),
            trace=stated,
            mesh={"size": "10 mm"},
            criteria={"modes": 1, "required_factor": "1", "mesh_error": False},
        )
    )
    return judge_project(project, Runner().run(Snapshot(project), Plan("trace"))).cases[0]


def test_a_nearly_perfect_strut_is_traced_far_past_buckling() -> None:
    """200,000 times as long as its bow, by its own elastica: where its end has moved by 0.422 of
    its length the load is 1.063 of the first (Timoshenko and Gere 1961, art. 2.7)."""
    case = _strut(amplitude="0.001 mm")
    trace, first = case.facts.trace, float(case.facts.modes.positive[0])
    assert np.isnan(trace.limit) and np.isnan(trace.bifurcation)
    assert np.interp(0.422 * 200, trace.largest, trace.factors) / first == pytest.approx(
        1.063, abs=0.01
    )
    assert len(trace.factors) < 70


def test_a_perfect_strut_is_verified_to_its_bifurcation_only() -> None:
    """As drawn it stays straight for ever; it is not verified beyond the load at which it would
    bow, and does not meet more."""
    case = _strut(mode=0, target="40")
    trace, first = case.facts.trace, float(case.facts.modes.positive[0])
    assert trace.factors.max() > 1.2 * first
    assert 0.6 * first < trace.verified == trace.bifurcation < 1.001 * first
    project = case.facts.project.changed(
        criteria={
            "required_factor": "1",
            "capacity": f"{1.1 * first}",
            "modes": 1,
            "mesh_error": False,
        }
    )
    facts = dataclasses.replace(case.facts, project=project)
    gate = next(item for item in verdict_of_case(facts, ()).gates if item.name == "capacity")
    assert (
        gate.state == "open"
        and "branches off" in gate.reason
        and verdict_of_case(facts, ()).meets is None
    )
    assert any(
        "branches off" in "".join(span.text for span in line)
        for line in trace_sentences(project, facts)
    )
    assert any(
        "bifurcation" in rung.note for rung in rungs(facts, "100 N") if rung.kind == "verified"
    )


def test_steps_and_ends_are_as_stated() -> None:
    plain, fine = (
        _strut(amplitude="1 mm", target="5"),
        _strut(amplitude="1 mm", target="5", first="0.2", longest="0.25"),
    )
    assert np.diff(fine.facts.trace.factors).max() <= 0.25 + 1e-9 and fine.facts.trace.factors[
        1
    ] == pytest.approx(0.2)
    assert len(fine.facts.trace.factors) > 1.5 * len(plain.facts.trace.factors)
    at = np.interp(4.0, fine.facts.trace.factors, fine.facts.trace.largest)
    assert np.interp(4.0, plain.facts.trace.factors, plain.facts.trace.largest) == pytest.approx(
        at, rel=0.02
    )
    strained = _strut(amplitude="1 mm", strain="0.5 %")
    assert "strains" in strained.facts.trace.reason and strained.facts.trace.largest[-1] < 120


@pytest.mark.parametrize(
    "plan",
    [
        {"fall": "0"},
        {"fall": "20"},
        {"strain": "0 %"},
        {"first": "-1"},
        {"shortest": "0"},
        {"iterations": 2},
    ],
)
def test_steps_that_make_no_sense_are_refused(plan: dict[str, Any]) -> None:
    with pytest.raises(LabilisError):
        load_project(strip(trace=plan))


@pytest.mark.parametrize(
    ("grown", "plastic", "state"),
    [(0.0, 0.0, "good"), (0.01, 0.0, "caution"), (0.01, 0.02, "good"), (0.01, 0.004, "caution")],
)
def test_lengths_that_strain_does_not_explain_are_told(
    grown: float, plastic: float, state: str
) -> None:
    """A side that grows by 1 %: more than half a per cent, or twice the plastic strain, is more
    than stress gives."""
    from types import SimpleNamespace

    from labilis.judge.evidence.large_deflection import kept_length

    nodes = np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0]])
    for pair in ((0, 1), (1, 2), (2, 0)):
        motion = np.zeros((3, 3))
        motion[pair[1]] = grown * (
            nodes[pair[1]] - nodes[pair[0]]
        )  # this side, and a part of the one beside it
        trace = SimpleNamespace(done=True, motions=motion[None], plastic=np.array([0.0, plastic]))
        facts: Any = SimpleNamespace(
            trace=trace, mesh=SimpleNamespace(nodes=nodes, triangles=np.array([[0, 1, 2]]))
        )
        found = kept_length(facts)
        assert found is not None and found.state == state
    facts.trace.done = False
    assert kept_length(facts) is None
