"""The application without a window: runs that wait their turn, stops, deaths, what is kept."""

from __future__ import annotations

import os
import signal
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest

from labilis.app import Event, Job, JobState, Runs, Session
from labilis.app.demos import demo_model
from labilis.app.recovery import recoverable
from labilis.model import LabilisError
from labilis.run import Plan, stage_keys
from labilis.run.importing import new_project
from labilis.shape.proposal import list_bodies
from tests.parts import bar_step


def prop(session: Session) -> None:
    session.open(demo_model("panel-prop"))


def heard(event: Event) -> list[Any]:
    said: list[Any] = []
    event.connect(lambda *content: said.append(content))
    return said


class Steps:
    """An engine that hands over what a test gives it."""

    def __init__(self) -> None:
        self.events: list[tuple[str, Any]] = []
        self.stopped = False

    def poll(self) -> Iterator[tuple[str, Any]]:
        while self.events:
            yield self.events.pop(0)

    def stop(self) -> None:
        self.stopped = True


def job(stage: Any, log: list[str], engine: Steps, **more: Any) -> Job:
    return Job(
        Plan(stage),
        lambda: log.append(f"begin {stage}") or engine,  # type: ignore[func-returns-value]
        lambda key, result: log.append(f"{stage} {key} {result}"),
        lambda timing: log.append(f"done {stage} {timing.get('total')}"),
        lambda: log.append(f"end {stage}"),
        **more,
    )


@pytest.fixture
def runs() -> Iterator[Runs]:
    made = Runs()
    yield made
    made.close()


def test_each_job_gets_its_own_answer_and_the_next_waits(runs: Runs) -> None:
    log: list[str] = []
    one, two = Steps(), Steps()
    first, second = job("shape", log, one), job("modes", log, two)
    runs.ask(first)
    runs.ask(second)
    runs.ask(job("modes", log, two))  # the same again is no third
    assert log == ["begin shape"] and runs.waiting == [second]
    with pytest.raises(LabilisError, match="A run is on"):
        runs.must_be_idle()
    one.events = [("found", ("k", 1)), ("done", {"total": 2.0})]
    runs.poll()
    assert log == ["begin shape", "shape k 1", "end shape", "done shape 2.0", "begin modes"]
    assert first.state is JobState.DONE and second.state is JobState.RUNNING
    two.events = [("found", ("k", 3)), ("done", None)]
    runs.poll()
    assert log[5:] == ["modes k 3", "end modes", "done modes None"] and not runs.busy


def test_what_is_not_needed_any_more_is_passed_over(runs: Runs) -> None:
    log: list[str] = []
    engine = Steps()
    runs.ask(job("strength", log, engine))
    runs.ask(job("shape", log, Steps(), needed=lambda: False))
    runs.ask(job("modes", log, Steps()))
    engine.events = [("done", None)]
    runs.poll()
    assert log[-1] == "begin modes" and "begin shape" not in log


def test_a_stop_takes_what_was_found_and_forgets_what_waits(runs: Runs) -> None:
    log: list[str] = []
    engine = Steps()
    asked = job("trials", log, engine)
    runs.ask(asked)
    runs.ask(job("modes", log, Steps()))
    engine.events = [("found", ("k", 7)), ("done", None)]
    assert runs.stop() is asked and engine.stopped and asked.state is JobState.STOPPED
    assert log == ["begin trials", "trials k 7", "end trials"], "a stopped job is not done"
    runs.poll()
    assert not runs.busy and not runs.waiting and len(log) == 3


def test_a_failure_ends_one_job_and_not_the_next(runs: Runs) -> None:
    log: list[str] = []
    failed, died = heard(runs.failed), heard(runs.died)
    error = LabilisError("No.", "mesh", "Mesh coarser.")
    one, two = Steps(), Steps()

    def cannot() -> Steps:
        raise error

    runs.ask(job("mesh", log, one))
    runs.ask(Job(Plan("report"), cannot))
    runs.ask(job("modes", log, two))
    one.events = [("error", (error, "why"))]
    runs.poll()
    assert [(told[0].plan.upto, told[1]) for told in failed] == [("mesh", error), ("report", error)]
    assert log[-1] == "begin modes"
    two.events = [("died", "The run ended without an answer.")]
    runs.poll()
    assert died[0][1].startswith("The run ended") and not runs.busy
    assert not [line for line in log if line.startswith("done")]


def test_a_listener_that_fails_keeps_nobody_from_hearing(monkeypatch: pytest.MonkeyPatch) -> None:
    event, told = Event(), []
    failed: list[BaseException] = []
    monkeypatch.setattr(sys, "excepthook", lambda _kind, error, _trail: failed.append(error))

    def fails(_: int) -> None:
        raise ValueError("mine")

    class Short:
        def hear(self, value: int) -> None:
            told.append(-value)

    short = Short()
    event.connect(short.hear)
    event.connect(fails)
    event.connect(told.append)
    event.emit(1)
    assert told == [-1, 1] and [str(error) for error in failed] == ["mine"]
    del short  # what is gone hears nothing more, and is not kept by having listened
    event.emit(2)
    assert told == [-1, 1, 2]


@pytest.mark.full
def test_modes_asked_for_while_the_part_is_read_wait_and_are_found(session: Session) -> None:
    prop(session)
    assert session.running is not None and session.running.upto == "shape"
    assert not session.at_work, "reading alone leaves the run button free"
    session.run("modes")
    assert session.at_work and [job.plan.upto for job in session.runs.waiting] == ["modes"]
    assert session.wait(120)
    assert session.current("shape") is not None and session.stale_cases() == 0
    said = [line.split("  ", 1)[1] for line in session.journal]
    assert "Waiting behind the part: modes" in said
    assert any(line.startswith("Ran modes in") for line in said)


@pytest.mark.full
def test_statements_changed_while_a_run_waits_are_those_that_it_runs(session: Session) -> None:
    prop(session)
    session.run("modes")
    size = session.project.loads[0].name
    session.edit(session.project.changed(name="another"), "another name")
    session.set_value(("cases", 0, "name"), "renamed", "case renamed")
    assert session.wait(120) and session.case_name == "renamed" and size
    assert session.report.cases[0].facts.modes is not None


def test_a_case_renamed_while_its_trace_waits_is_told_and_nothing_fails(session: Session) -> None:
    prop(session)
    failed: list[Any] = []
    session.problem.connect(failed.append)
    session.run("trace")
    session.set_value(("cases", 0, "name"), "renamed", "case renamed")
    assert session.wait(120) and not failed
    assert any("there is no case" in line for line in session.journal)
    assert session.current("trace") is None and session.last_error is None
    session.run("strength")
    assert session.wait(120) and session.current("strength") is not None


@pytest.mark.full
def test_a_reading_that_was_stopped_has_no_second_life(session: Session, tmp_path: Path) -> None:
    prop(session)
    assert session.wait(60)
    before = session.project
    path = tmp_path / "other bar.step"
    path.write_bytes(bar_step())
    session.reading.import_step(path)
    assert session.at_work, "a file that was asked for can be stopped"
    session.stop()
    session.run("strength")
    assert session.wait(120)
    assert session.project is before and session.current("strength") is not None
    session.reading.import_step(path)  # and one that is not stopped is taken
    assert session.wait(60) and session.project.pieces[0].name != before.pieces[0].name


def test_a_worker_that_dies_is_told_and_the_next_run_goes(session: Session) -> None:
    prop(session)
    problems = heard(session.problem)
    assert session.wait(60)
    session.run("modes")
    until = time.monotonic() + 30
    while session.progress.fraction < 0.02 and time.monotonic() < until:
        session.poll()
        time.sleep(0.005)
    assert session.running is not None and session.worker.process_id is not None
    os.kill(session.worker.process_id, signal.SIGKILL)
    assert session.wait(30)
    assert "without an answer" in problems[0][0].what and session.last_error is problems[0][0]
    session.run("modes")
    assert session.wait(120) and session.stale_cases() == 0 and session.last_error is None


def test_another_project_ends_what_ran_for_the_old_one(session: Session) -> None:
    prop(session)
    assert session.wait(60)
    session.run("modes")
    session.run("trace")
    session.new(
        new_project(list_bodies(bar_step(), "bar.step"), "bar.step", "0" * 64, "bar"),
        {"0" * 64: bar_step()},
        "another",
    )
    assert session.wait(60)
    assert [p.upto for p in (session.running,) if p] == [] and session.project.name == "bar"
    assert not any("Ran modes" in line for line in session.journal)


@pytest.mark.parametrize("stage", ["report", "part"])
def test_what_needs_results_or_rest_says_so(session: Session, stage: str, tmp_path: Path) -> None:
    prop(session)
    write: Callable[[], None] = {
        "report": lambda: session.outputs.write_report(tmp_path / "a.html"),
        "part": lambda: session.outputs.export_part(tmp_path / "a"),
    }[stage]
    with pytest.raises(LabilisError, match="A run is on"):
        write()
    assert session.wait(60)
    if stage == "report":
        with pytest.raises(LabilisError, match="nothing to report"):
            write()
        return
    write()
    assert session.wait(60) and (tmp_path / "a.step").read_bytes().startswith(b"ISO-10303")


def test_saving_moving_and_coming_back(session: Session, tmp_path: Path) -> None:
    prop(session)
    assert session.wait(60)
    session.run("strength")
    assert session.wait(120)
    path = tmp_path / "kept.labilis"
    session.save(path)
    session.set_value(("name",), "Prop B", "named")
    session.undo()
    session.redo()
    session.close()
    again = Session()
    try:
        again.open(path)
        assert again.project.name == "Prop B" and again.current("strength") is not None
        again.undo()
        assert again.project.name != "Prop B" and again.wait(60)
    finally:
        again.close()


def test_unsaved_work_is_kept_for_another_window(session: Session) -> None:
    prop(session)
    assert session.file is not None and not recoverable(), "its process still lives"
    path = session.file.path
    session.close()
    gone = path.with_name("1999999-1-0.labilis")
    path.rename(gone)
    assert recoverable() == [gone]


def test_a_trace_that_waited_goes_on_from_nothing_of_other_statements(
    session: Session, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Where a trace was left off is looked up when its turn comes, for what is stated then."""
    prop(session)
    assert session.wait(60)
    sent: list[Plan] = []
    left: Any = SimpleNamespace(case="", steps=0)
    monkeypatch.setattr(session, "_submit", lambda plan, anew: submit(session, plan, anew))

    def submit(of: Session, plan: Plan, anew: bool) -> Steps:
        monkeypatch.setattr(of.worker, "submit", lambda _snapshot, plan: sent.append(plan))
        Session._submit(of, plan, anew)
        return Steps()

    def asked() -> None:
        session.runs.current = Job(Plan("report"), Steps, engine=Steps())
        session.run("trace")
        session.runs.waiting[0].needed()

    keys = stage_keys(session.settled, session.case_name)
    session.results[keys.path] = left
    asked()
    session.runs.current = None
    session.poll()
    assert sent[-1].upto == "trace" and sent[-1].resume is left
    session.runs.current = None
    asked()
    session.set_value(("trace", "amplitude"), "0.77 mm", "another amplitude")
    session.runs.current = None
    session.runs.waiting = [job for job in session.runs.waiting if job.plan.upto == "trace"]
    session.poll()
    assert len(sent) == 2 and sent[-1].resume is None
    session.runs.current = None
    session.results[stage_keys(session.settled, session.case_name).path] = left
    session.run("trace", anew=True)
    assert len(sent) == 3 and sent[-1].resume is None
    session.runs.current = None
