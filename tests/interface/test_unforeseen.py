"""What nobody foresaw: errors in the window itself, a reading that was stopped, no folder for
unsaved work."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QLabel, QTableWidget, QWidget

from labilis.model import LabilisError
from labilis.ui.unforeseen import Unforeseen
from tests.interface.conftest import DEMO, Hand
from tests.judge.test_mistakes import strip

STEP = DEMO.with_name("panel-prop.step")


def test_an_error_in_the_window_is_told_and_the_window_stays(hand: Hand) -> None:
    hand.load(DEMO)
    watched = Unforeseen(hand.window)
    try:
        raise KeyError("nobody foresaw this")
    except KeyError as error:
        watched.take(KeyError, error, error.__traceback__)
    assert watched.box.isVisible() and "nobody foresaw this" in watched.box.text()
    assert str(hand.session.file.path) in watched.box.informativeText()
    hand.click(watched.copy)  # type: ignore[arg-type]
    assert "test_unforeseen.py" in QApplication.clipboard().text()  # type: ignore[union-attr]
    watched.take(
        LabilisError, LabilisError("This is told in the window.", "mesh", "Mend it."), None
    )
    assert "This is told in the window. Mend it." in hand.window.banner_text.text()
    assert hand.session.project.pieces and hand.window.isVisible()


PROGRAM = """
import sys
from PyQt6.QtCore import QTimer
from labilis.ui import app, window
def spoil(shown):
    def raise_it():
        raise ZeroDivisionError("in a slot")
    QTimer.singleShot(200, raise_it)
    QTimer.singleShot(1500, app.make_application().quit)
whole = window.Window.show
def show(self):
    whole(self)
    spoil(self)
window.Window.show = show
sys.exit(app.run_window())
"""


def test_the_process_outlives_an_error_in_a_slot(tmp_path: Path) -> None:
    """Without a hook Qt ends it with status 134."""
    ran = subprocess.run(
        [sys.executable, "-c", PROGRAM],
        env=os.environ | {"LABILIS_STATE": str(tmp_path)},
        capture_output=True,
        text=True,
        timeout=120,
    )
    assert ran.returncode == 0, ran.stderr[-2000:]
    assert "ZeroDivisionError: in a slot" in ran.stderr


@pytest.mark.parametrize("end", ["stop", "die"])
def test_a_reading_that_ends_early_is_forgotten(hand: Hand, end: str, tmp_path: Path) -> None:
    """What the next run ends with must not be taken for the bodies of that file."""
    hand.load(DEMO)
    before = hand.session.project
    hand.session.reading.import_step(STEP)
    if end == "stop":
        hand.session.stop()
    else:
        os.kill(hand.session.worker.process_id, 9)
        hand.wait_idle()
    hand.run()
    assert hand.session.project == before
    assert hand.session.current("modes") is not None


def test_without_a_folder_for_unsaved_work_the_window_works_and_says_so(
    hand: Hand, monkeypatch: Any, tmp_path: Path
) -> None:
    (tmp_path / "file").write_text("no folder")
    monkeypatch.setenv("LABILIS_STATE", str(tmp_path / "file"))
    problems: list[LabilisError] = []
    hand.session.problem.connect(problems.append)
    hand.load(DEMO)
    assert (
        problems
        and problems[0].code == "disk"
        and "Unsaved work cannot be kept" in problems[0].what
    )
    hand.session.save(tmp_path / "kept.labilis")
    assert (tmp_path / "kept.labilis").stat().st_size > 0


BIG = "<h1>=Big"


def test_names_never_become_markup(hand: Hand, tmp_path: Path) -> None:
    """A name from a file or a keyboard is shown letter by letter, on labels and in tooltips."""
    model = strip()
    model = json.loads(
        json.dumps(model)
        .replace('"strip"', f'"{BIG}"')
        .replace('"strip/', f'"{BIG}/')
        .replace('"foot"', f'"{BIG} foot"')
        .replace('"one"', f'"{BIG} case"')
        .replace('"push"', f'"{BIG} push"')
    )
    path = tmp_path / "model.json"
    path.write_text(json.dumps(model), encoding="utf-8")
    hand.load(path)
    hand.run()
    assert hand.session.current("modes") is not None
    labels = hand.window.findChildren(QLabel)
    shown = [label for label in labels if "Big" in label.text()]
    assert len(shown) > 3
    for label in labels:
        if label.textFormat() == Qt.TextFormat.AutoText:
            assert not Qt.mightBeRichText(label.text()), label.text()
        elif label.textFormat() == Qt.TextFormat.RichText:
            assert "<h1>" not in label.text()
    for widget in hand.window.findChildren(QWidget):
        assert "<h1>" not in widget.toolTip(), type(widget)
    for table in hand.window.findChildren(QTableWidget):
        for row in range(table.rowCount()):
            for column in range(table.columnCount()):
                if (item := table.item(row, column)) is not None:
                    assert "<h1>" not in item.toolTip()


def test_a_file_that_another_window_has_open_is_for_reading_only(
    hand: Hand, tmp_path: Path, monkeypatch: Any
) -> None:
    from labilis.store import locks

    monkeypatch.setenv("LABILIS_STATE", str(tmp_path / "state"))
    path = tmp_path / "shared.labilis"
    hand.load(DEMO)
    hand.session.save(path)
    sleeper = subprocess.Popen(["sleep", "60"])
    try:
        note = locks.hold(path)
        assert note is not None and locks.holder_of(path) is None
        note.write_text(locks.mark_of(sleeper.pid).replace(" ", " 1"))
        assert locks.holder_of(path) is None  # the number came again for another process
        note.write_text(locks.mark_of(sleeper.pid))
        hand.session.open(path)
        hand.wait_idle()
        assert (
            f"process {sleeper.pid}" in hand.window.banner_text.text()
            and hand.session.file.read_only
        )
        hand.session.edit(hand.session.project.changed(name="other"), "renamed")
        assert "reading only" in hand.window.banner_text.text()
    finally:
        sleeper.kill()
        sleeper.wait()
    hand.session.open(path)
    assert not hand.session.file.read_only and note.read_text() == locks.mark_of(os.getpid())
    hand.session.close()
    assert not note.exists()


@pytest.mark.parametrize("way", ["deleted", "moved", "replaced"])
def test_a_file_that_is_gone_while_it_is_open_is_told_and_saved_anew(
    hand: Hand, tmp_path: Path, way: str
) -> None:
    path = tmp_path / "here.labilis"
    hand.load(DEMO)
    hand.session.save(path)
    if way == "deleted":
        path.unlink()
    else:
        path.rename(tmp_path / "elsewhere.labilis")
    if way == "replaced":
        path.write_bytes((tmp_path / "elsewhere.labilis").read_bytes())
    hand.session.edit(hand.session.project.changed(name="kept in the window"), "renamed")
    assert "no longer where it was" in hand.window.banner_text.text()
    hand.answer_open(tmp_path / "anew.labilis")
    hand.click(hand.window.banner_fix)
    from labilis.store import ProjectFile

    opened = ProjectFile.open(tmp_path / "anew.labilis")
    assert opened.project.name == "kept in the window"
    opened.close()
