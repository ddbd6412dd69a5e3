"""Statements, files and designs of a session, without a window."""

from __future__ import annotations

import hashlib
from pathlib import Path
from typing import Any

import pytest

from labilis.app import Event, Session
from labilis.model import LabilisError, load_project, shown
from tests.judge.test_mistakes import strip
from tests.parts import bar_step, bored_step


def heard(event: Event) -> list[Any]:
    said: list[Any] = []
    event.connect(lambda *content: said.append(content))
    return said


def begin(session: Session, **more: Any) -> None:
    session.new(load_project(strip(**more)), {}, "a strip")
    assert session.wait(60)


def test_a_grade_comes_with_its_first_piece_and_goes_with_its_last(session: Session) -> None:
    begin(session)
    path = ("pieces", 0, "material")
    session.set_value(path, "aluminium EN AW-6082 T6", "another grade")
    assert [item.name for item in session.project.materials] == ["aluminium EN AW-6082 T6"]
    session.copy_material("aluminium EN AW-6082 T6")
    assert session.project.pieces[0].material == "aluminium EN AW-6082 T6 copy"
    session.set_value(("materials", 0, "yield_strength"), "200 MPa", "softer")
    session.keep_material("aluminium EN AW-6082 T6 copy", "sheet")
    session.set_value(path, "structural steel S235", "steel")
    session.set_value(path, "aluminium EN AW-6082 T6 copy", "the own one again")
    assert session.project.materials[0].yield_strength == "200 MPa"
    assert len(session.project.materials) == 1
    for _ in range(3):
        session.undo()
    assert session.project.materials[0].yield_strength != "200 MPa"


def test_a_name_is_changed_wherever_it_stands_and_a_value_that_does_not_fit_changes_nothing(
    session: Session,
) -> None:
    begin(session)
    session.set_value(("regions", 0, "name"), "base", "renamed")
    assert session.project.supports[0].on == "base"
    before, told = session.project, heard(session.statements_changed)
    for path, value in (
        (("mesh", "size"), "3 kg"),
        (("pieces", 0, "material"), "unobtainium"),
        (("supports", 0, "on"), "nowhere"),
    ):
        with pytest.raises(LabilisError):
            session.set_value(path, value, "wrong")
    assert session.project is before and not told
    problems = heard(session.problem)
    session.remove("regions", "base")
    assert not session.project.supports and "with " in session.last_edit and not problems
    session.undo()
    assert session.project == before
    session.redo()
    session.redo()  # nothing is left to do again
    assert not session.project.supports and session.journal[-1].endswith("Nothing to redo")


def test_units_are_those_of_the_project_and_of_new_ones(session: Session) -> None:
    begin(session)
    session.show_in("in-lbf-psi")
    assert session.project.units == "in-lbf-psi" and shown.unit("length") == "in"
    session.set_value(("name",), "b", "named")
    session.undo()
    session.undo()
    assert Session().project.units == "in-lbf-psi"


def test_designs_are_kept_shown_and_told_apart(session: Session) -> None:
    begin(session, parameters={"t": "2 mm"}, pieces=[{**strip()["pieces"][0]}])
    first = session.project.design
    session.improving.keep_design("thick", {"t": "3 mm"})
    session.improving.choose_design("thick")
    assert session.project.parameters["t"] == "3 mm" and session.project.design == "thick"
    session.improving.choose_design("thick")
    session.improving.choose_design(first)
    assert session.project.parameters["t"] == "2 mm"
    design, figures, report = session.improving.figures_of_design("thick")
    assert design.parameters["t"] == "3 mm" and figures is None and report is None
    assert session.improving.promise is None and session.improving.sizing_words == ""


def test_a_plan_runs_is_stopped_and_goes_on(session: Session) -> None:
    plan = {
        "name": "walls",
        "vary": [{"parameter": "t", "values": ["2 mm", "2.5 mm", "3 mm"]}],
        "limits": [{"response": "first factor", "at_least": "1"}],
    }
    flat = strip()["pieces"][0]
    flat = {**flat, "recipe": {**flat["recipe"], "thickness": "t"}}
    begin(session, parameters={"t": "2 mm"}, pieces=[flat], plans=[plan], mesh={"size": "10 mm"})
    told = heard(session.improving.changed)
    session.improving.run_trials("walls")
    with pytest.raises(LabilisError, match="A run is on"):
        session.improving.run_trials("walls")
    while not session.trials:
        assert session.running is not None and session.running.upto == "trials"
        session.poll()
    session.stop()
    found = dict(session.trials)
    assert found and session.idle and told
    assert "Trials stopped" in session.journal[-1]
    session.improving.run_trials("walls")
    assert session.wait(120) and len(session.trials) == 3
    assert all(session.trials[key] is value for key, value in found.items())
    assert f"{3 - len(found)} run" in session.journal[-1]
    assert len(session.improving.trials_of(session.project.plans[0])) == 3
    with pytest.raises(LabilisError):
        session.improving.run_trials("another")


def test_files_are_brought_in_replaced_and_refused(session: Session, tmp_path: Path) -> None:
    one, two = tmp_path / "bar.step", tmp_path / "eye.step"
    one.write_bytes(bar_step())
    two.write_bytes(bored_step())
    with pytest.raises(LabilisError, match="no imported file"):
        session.reading.revise(one)
    session.reading.import_step(one)
    assert session.wait(60) and len(session.project.pieces) == 1
    session.reading.add_file(two)
    assert session.wait(60) and len(session.project.pieces) == 2
    assert set(session.files) == {
        hashlib.sha256(path.read_bytes()).hexdigest() for path in (one, two)
    }
    other = tmp_path / "other.step"
    other.write_bytes(bar_step(length=300.0))
    with pytest.raises(LabilisError, match="several files"):
        session.reading.revise(other)
    session.reading.revise(other, "bar.step")
    assert session.wait(60) and "in place of bar.step" in session.last_edit
    assert [item.file for item in session.project.geometry] == ["other.step", "eye.step"]
    before, problems = session.project, heard(session.problem)
    session.reading.revise(one, "other.step")
    session.set_value(("name",), "changed meanwhile", "named")
    assert session.wait(60)
    assert problems and "was changed while" in problems[0][0].what
    assert session.project.geometry == before.geometry
    with pytest.raises(LabilisError, match="cannot be read"):
        session.reading.import_step(tmp_path / "gone.step")
    spoilt = tmp_path / "spoilt.step"
    spoilt.write_bytes(b"ISO-10303-21; nothing")
    session.reading.import_step(spoilt)
    assert session.wait(60) and session.last_error is not None
    assert session.project.name == "changed meanwhile"


def test_what_cannot_be_written_is_said_and_stays(session: Session, tmp_path: Path) -> None:
    begin(session)
    with pytest.raises(LabilisError, match="no name yet"):
        session.save()
    path = tmp_path / "a.labilis"
    session.save(path)
    other = session.file
    session.save(tmp_path / "b.labilis")
    assert session.saved_path == tmp_path / "b.labilis" and session.file is not other
    assert path.exists()  # a named file is not taken away by another name
    session.save()
    with pytest.raises(LabilisError):
        session.open(tmp_path / "nothing.labilis")
    assert session.saved_path == tmp_path / "b.labilis"


def test_steps_back_and_forth_keep_what_they_leave_alone(session: Session) -> None:
    """What is known of the pieces need not be found again; what is stated is what was stated, a
    change of a parameter included."""
    begin(session, parameters={"push": "100 N"})
    first = session.project
    session.set_value(("loads", 0, "components", 0), "-push", "by a parameter")
    session.set_value(("parameters", "push"), "120 N", "more")
    last = session.project
    pieces = last.pieces
    for _ in range(2):
        session.undo()
    assert session.project == first == load_project(first.to_json())
    assert session.project.pieces is pieces or session.project.pieces[0] is pieces[0]
    for _ in range(2):
        session.redo()
    assert session.project == last and session.project.pieces[0] is pieces[0]
    load = session.project.loads[0]
    assert session.project.numbers(load, "components")[0] == -120.0
