"""Traces that are left off and gone on with, several modes in the starting shape, modes about a
loaded state."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from labilis.judge.imperfections import recommended
from labilis.judge.path_axes import path_axes
from labilis.model import LabilisError, load_project
from labilis.results.checkpoint import TraceCheckpoint
from labilis.run import Plan, Runner, Snapshot, judge_project, stage_keys
from labilis.store import load_model
from labilis.store.checkpoints import CheckpointFile
from tests.analysis.test_trace import EI, PINNED, STEEL, L, roof, traced
from tests.analysis.test_trace import TraceControl as Control
from tests.commands import labilis
from tests.mechanics.test_line_path import SLIM, column


def project_of(**plan: Any) -> Any:
    return load_project(
        {
            "labilis": 2,
            "materials": [STEEL],
            "criteria": {"modes": 2},
            "trace": {"amplitude": "0.3 mm", **plan},
            **PINNED,
        }
    )


def run(
    project: Any, resume: TraceCheckpoint | None = None, stop_at: int = 10**6
) -> tuple[Any, TraceCheckpoint]:
    """(trace, last checkpoint); left off after a number of steps by an error out of the run, as
    a stop is."""

    class Enough(Exception):
        pass

    last: list[TraceCheckpoint] = []

    def found(_key: str, result: Any) -> None:
        if isinstance(result, TraceCheckpoint):
            last.append(result)
            if result.steps >= stop_at:
                raise Enough

    try:
        results = Runner().run(Snapshot(project), Plan("trace", resume=resume), found=found)
    except Enough:
        return None, last[-1]
    return results[stage_keys(project).trace], last[-1]


def test_a_yielding_trace_left_off_gives_the_same_path(tmp_path: Path) -> None:
    project = project_of()
    whole, end = run(project)
    assert whole.limit == whole.verified and whole.plastic[-1] > 0
    for stop_at in (2, int(np.argmax(whole.plastic > 0)) + 1):
        _, left = run(project, stop_at=stop_at)
        assert left.steps == stop_at
        kept = CheckpointFile(tmp_path / f"{stop_at}.npz")
        kept.keep(stage_keys(project).path, left)
        again, last = run(project, kept.fitting(project, ()))
        assert np.allclose(again.factors, whole.factors, rtol=1e-7) and len(again.factors) == len(
            whole.factors
        )
        assert np.allclose(again.probe, whole.probe, rtol=1e-5) and np.allclose(
            again.plastic, whole.plastic, atol=1e-9
        )
        assert again.reason == whole.reason and again.verified == pytest.approx(
            whole.verified, rel=1e-9
        )
        assert (
            np.allclose(again.motions[-1], whole.motions[-1], atol=1e-4) and last.steps == end.steps
        )
    assert kept.fitting(project_of(amplitude="0.4 mm"), ()) is None, (
        "it belongs to another starting shape"
    )
    assert kept.fitting(project_of(steps=300), ()) is not None, "more steps of the same path"
    (tmp_path / "bad.npz").write_bytes(b"PK nonsense")
    with pytest.raises(LabilisError, match="no checkpoint"):
        CheckpointFile(tmp_path / "bad.npz").fitting(project, ())


def test_a_trace_of_lines_left_off_knows_the_yield_of_what_it_did_before() -> None:
    """Left off on both sides of the first yield of a line, which bounds what is verified."""
    trace = {"mode": 1, "amplitude": "8 mm", "beyond_yield": 2.0, "longest": "0.2"}
    project = load_project(column(SLIM, 2000, 20_000, trace=trace))
    whole, _ = run(project)
    crossed = int(np.argmax(whole.factors > whole.elastic_yield))
    assert 2 < crossed < len(whole.factors) - 1
    for stop_at in (crossed - 1, crossed + 1):
        _, left = run(project, stop_at=stop_at)
        again, _ = run(project, left)
        assert again.elastic_yield == pytest.approx(whole.elastic_yield, rel=1e-6)
        assert again.verified == pytest.approx(whole.verified, rel=1e-6)
        assert again.factors == pytest.approx(whole.factors, rel=1e-9)


@pytest.mark.full
def test_a_trace_of_lines_that_yield_left_off_goes_on_as_if_it_had_not_been() -> None:
    """Left off before and after fibres have yielded."""
    trace = {"mode": 1, "amplitude": "2 mm", "longest": "0.2"}
    project = load_project(
        column({"shape": "round", "diameter": "20 mm"}, 400, 20_000, trace=trace)
    )
    whole, _ = run(project)
    yielded = int(np.argmax(whole.plastic > 0))
    assert 2 < yielded < len(whole.factors) - 2 and whole.verified_by == "limit"
    for stop_at in (yielded - 1, yielded + 1):
        _, left = run(project, stop_at=stop_at)
        again, _ = run(project, left)
        assert again.factors == pytest.approx(whole.factors, rel=1e-7)
        assert again.plastic == pytest.approx(whole.plastic, abs=1e-8)
        assert again.verified == pytest.approx(whole.verified, rel=1e-7)


@pytest.mark.full
def test_regions_may_come_and_go_between() -> None:
    project = project_of()
    whole, _ = run(project)
    _, left = run(project, stop_at=3)
    regions = [item.model_dump() for item in project.regions]
    more = project.changed(regions=[{"name": "new", "names": ["strip/face"]}, *regions])
    assert stage_keys(more).path == stage_keys(project).path
    again, _ = run(more, left)
    assert list(again.places) == ["new", "foot", "head"] and again.probes.shape == (
        len(whole.factors),
        3,
        4,
    )
    assert np.isnan(again.probes[:4, 0]).all() and np.isfinite(again.probes[4:, 0, :3]).all()
    assert np.allclose(again.probes[:, 2, :3], whole.probes[:, 1, :3], atol=1e-4)
    assert not any("new" in axis for axis in path_axes(again)) and "head, x, mm" in path_axes(again)


def test_over_the_top_of_a_roof_and_on() -> None:
    control = Control(first=0.2, largest=0.4, target=3.0, steps=60, fall=0.7)
    whole = roof(control, 8)
    *_, (all_of_it, _) = whole.run()
    half = roof(control, 8)
    for result, _ in half.run():
        if result.factors.argmax() < len(result.factors) - 2:  # the limit is behind
            break
    other = roof(control, 8)
    *_, (rest, last) = other.run(half.walk)
    assert (
        np.allclose(rest.factors, all_of_it.factors, rtol=1e-7)
        and rest.reason == all_of_it.reason == "limit"
    )
    assert rest.limit == pytest.approx(all_of_it.limit, rel=1e-12) and last.arc


@pytest.mark.full
def test_the_command_line_goes_on_from_its_checkpoint(tmp_path: Path) -> None:
    (tmp_path / "m.json").write_text(project_of(material="elastic").to_json(), encoding="utf-8")
    first = labilis(
        "trace",
        tmp_path / "m.json",
        "--steps",
        "3",
        "--checkpoint",
        tmp_path / "c.npz",
        "--json",
        tmp_path / "a.json",
    )
    assert first.returncode == 3 and "Going on" not in first.stderr, first.stderr
    second = labilis(
        "trace",
        tmp_path / "m.json",
        "--checkpoint",
        tmp_path / "c.npz",
        "--modes-at",
        "0.5",
        "--json",
        tmp_path / "b.json",
    )
    assert "Going on from step 3" in second.stderr
    a, b = (
        load_json(tmp_path / name)["cases"][0]["trace"]["curve"] for name in ("a.json", "b.json")
    )
    assert a == b[: len(a)] and len(b) > len(a)
    assert load_model(tmp_path / "m.json").project.trace.steps == 40


def load_json(path: Path) -> Any:
    import json

    return json.loads(path.read_text(encoding="utf-8"))


def test_two_modes_make_one_starting_shape() -> None:
    trace = traced(
        PINNED,
        amplitude="0.2 mm",
        seeds=[{"mode": 2, "amplitude": "0.1 mm", "sign": "-"}],
        material="elastic",
        steps=2,
    )
    facts = trace.facts
    alone = traced(PINNED, amplitude="0.2 mm", material="elastic", steps=2).facts
    assert facts.trace.amplitude == alone.trace.amplitude == pytest.approx(0.2)
    # at small loads each mode grows by 1 / (1 - P / P_k), the second by less
    load = facts.trace.factors[1]
    first, second = facts.modes.positive[:2]
    shapes = facts.modes.shapes
    expected = 0.2 * load / (first - load) * shapes[0] - 0.1 * load / (second - load) * shapes[1]
    across = np.abs(expected[:, 2]) > 0.2 * np.abs(expected[:, 2]).max()
    assert np.allclose(facts.trace.motions[1][across, 2], expected[across, 2], rtol=0.03)
    with pytest.raises(LabilisError, match="Mode 9 was not found"):
        traced(PINNED, seeds=[{"mode": 9, "amplitude": "1 mm"}])


def test_modes_about_a_loaded_state_are_told_as_the_total() -> None:
    """Of a nearly perfect strut the instability ahead stays Euler's load, from wherever it is
    looked at."""
    euler = np.pi**2 * EI / L**2 / 100
    for at in (0.4, 0.8):
        case = traced(
            PINNED,
            amplitude="0.002 mm",
            material="elastic",
            modes_at=f"{at * euler!r}",
            target=f"{0.97 * euler!r}",
        )
        trace = case.facts.trace
        assert trace.about_at >= at * euler
        assert trace.about[0] == pytest.approx(trace.ideal, rel=0.005)
    from labilis.words.trace import trace_sentences

    words = " ".join(
        span.text for sentence in trace_sentences(project_of(), case.facts) for span in sentence
    )
    assert "in all" in words and "that stands and" in words
    assert np.isnan(
        traced(PINNED, amplitude="0.002 mm", material="elastic", steps=3).facts.trace.about_at
    )


def test_recommended_amplitudes_by_kind() -> None:
    project = project_of()
    facts = judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0].facts
    rows = recommended(facts, 0)
    assert facts.kinds[0] == "member bow" and len(rows) == 5
    words, size = next(row for row in rows if "curve b" in row[0])
    moving = float(size.split()[0]) * 200
    assert "EN 1993-1-1" in words and "plastic" in words and 0.93 * L < moving <= 1.001 * L
    elastic = replace(facts, project=project_of(material="elastic"))
    words, size = next(row for row in recommended(elastic, 0) if "curve b" in row[0])
    assert "elastic" in words and 0.93 * L < float(size.split()[0]) * 250 <= 1.001 * L
    assert recommended(facts, 7) == []
