"""The window from import to verdict, by its real controls."""

import json
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QImage

from labilis.model import LabilisError
from labilis.store import ProjectFile
from tests.analysis.test_mechanisms import stated, strut
from tests.interface.conftest import DEMO, Hand
from tests.judge.test_mistakes import ALL
from tests.parts import box, to_step


def test_from_a_step_file_to_the_verdict(hand: Hand, bar_file: Callable[..., Path]) -> None:
    window, session = hand.window, hand.session
    assert not window.run_button.isEnabled()
    hand.answer_open(bar_file())
    hand.click(window.buttons["new"])
    hand.wait_idle()
    assert "240 × 16 × 4 mm" in hand.text("Part")
    assert not window.run_button.isEnabled()

    window.stage.look("i")
    foot, head = (0, 8, 2), (240, 8, 2)
    window.stage.look("x")  # look at the head end
    hand.click_in_view(head)
    assert window.stage.selection[0][0] == "face"
    assert window.stage.pointer_bar.isVisible()
    assert "64 mm²" in window.stage.bar_title.text()
    hand.menu(window.stage.push_menu, "by components")
    editor = window.sheet.cards["Loads"].editor
    assert editor is not None and editor.line.text() == "-1 kN"
    editor.line.setText("-200 N")
    hand.click(editor.ok)
    assert "-200 N" in hand.text("Loads")
    assert not window.stage.pointer_bar.isVisible()

    camera = window.stage.plotter.camera
    camera.position = tuple(
        2 * np.array(camera.focal_point) - np.array(camera.position)
    )  # to the other end
    window.stage.plotter.render()
    hand.click_in_view(foot)
    hand.menu(window.stage.hold_menu, "Fixed")
    assert "fixed" in hand.text("Supports")

    hand.run()
    report = session.case_report
    assert report is not None and report.facts.modes is not None
    factor = float(report.facts.modes.positive[0])
    assert factor == pytest.approx(0.767 * 1000 / 200, rel=0.01)
    assert window.ladder.verdict.meets is True
    assert f"{factor:.4g}" in hand.text("Modes")
    assert window.run_button.text() == "Modes are up to date"
    assert window.drawer.modes.rowCount() == len(report.facts.modes.factors)
    assert window.drawer.modes.item(0, 1).text() == f"{factor:.4g}"
    kinds = {rung.kind for rung in window.ladder.rungs}
    assert {"service", "required", "yield", "hand", "mode"} <= kinds
    hand.qtbot.waitUntil(
        lambda: len(window.ladder.pictures) == len(report.facts.modes.factors), timeout=5000
    )


def test_hover_names_what_lies_under_the_pointer(hand: Hand) -> None:
    hand.load(DEMO)
    stage = hand.window.stage
    stage.look("z")
    hand.move_in_view((210, 3, 3))
    assert stage.hovered is not None and stage.describe(stage.hovered)[0] == "flat face, facing +z"
    hand.move_in_view((210, 10, 3))
    assert stage.hovered[0] == "edge"
    assert "mm long" in stage.describe(stage.hovered)[1]
    hand.move_in_view((210, 60, 3))
    assert stage.hovered is None


@pytest.mark.full
def test_shift_adds_to_the_selection_and_a_drag_picks_nothing(hand: Hand) -> None:
    hand.load(DEMO)
    stage = hand.window.stage
    stage.look("i")
    stage.plotter.camera.parallel_scale /= 4
    stage.plotter.render()
    hand.click_in_view((210, 3, 3))
    side = (210.0, -10.0, 1.5)
    hand.click_in_view(side, Qt.KeyboardModifier.ShiftModifier)
    assert len(stage.selection) == 2
    hand.click_in_view((210, 60, 3))
    assert stage.selection == ()
    hand.click_in_view((210, 3, 3))
    hand.key(Qt.Key.Key_Escape)
    assert stage.selection == ()
    start = hand.pixel((210, 3, 3))
    hand.qtbot.mousePress(
        stage.plotter, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start
    )
    for step in range(1, 6):
        hand.qtbot.mouseMove(stage.plotter, start + QPoint(10 * step, 4 * step))
    hand.qtbot.mouseRelease(
        stage.plotter,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
        start + QPoint(50, 20),
    )
    assert stage.selection == ()


def command(hand: Hand, words: str) -> None:
    """What the command box does of these words."""
    next(item for item in hand.window.commands if item.words == words).call()


@pytest.mark.full
def test_a_mode_plays_at_each_scale_and_with_ghost(hand: Hand) -> None:
    hand.load(DEMO)
    hand.run()
    stage, playback = hand.window.stage, hand.window.stage.playback
    hand.click(stage.chips["Mode"])
    assert not playback.playing  # as it is preferred in these tests
    assert playback.phase == pytest.approx(0.25)
    command(hand, "Modes move by themselves")
    assert playback.playing
    first = np.array(stage.scene.field.points)
    hand.qtbot.wait(400)
    assert np.abs(np.array(stage.scene.field.points) - first).max() > 1e-3
    assert "no unit" in playback.unit.text()
    hand.key(Qt.Key.Key_Space)
    assert not playback.playing
    still = np.array(stage.scene.field.points)
    hand.qtbot.wait(200)
    assert np.array_equal(still, np.array(stage.scene.field.points))
    playback.phase = 0.25
    automatic = (hand.key(Qt.Key.Key_F), stage._frame(), stage.scene.scale)[2]
    hand.key(Qt.Key.Key_T)
    assert stage.scene.scale == pytest.approx(1.0)
    hand.key(Qt.Key.Key_T)
    assert stage.scene.scale == pytest.approx(automatic)
    playback.scale.setCurrentText("12.5")
    assert stage.scene.scale == pytest.approx(12.5)
    playback.scale.setCurrentText("many")
    assert stage.scene.scale == pytest.approx(automatic)
    assert "edges" in stage.scene.actors
    hand.key(Qt.Key.Key_G)
    assert "edges" not in stage.scene.actors
    before = playback.phase
    playback.advance(0.1)
    slow = playback.phase - before
    playback.speed.setCurrentText("2 ×")
    before = playback.phase
    playback.advance(0.1)
    assert playback.phase - before == pytest.approx(2 * slow)
    hand.key(Qt.Key.Key_BracketRight)
    assert stage.mode == 1
    assert hand.window.drawer.modes.selectionModel().selectedRows()[0].row() == 1
    hand.key(Qt.Key.Key_BracketLeft)
    assert stage.mode == 0
    assert playback.playing
    command(hand, "Modes stand still until they are played")
    assert not playback.playing
    hand.key(Qt.Key.Key_BracketRight)
    assert not playback.playing
    assert playback.phase == pytest.approx(0.25)
    hand.key(Qt.Key.Key_Space)
    assert playback.playing
    hand.click(stage.chips["Stress"])
    assert not playback.playing
    command(hand, "Modes move by themselves")
    assert not playback.playing  # a stress stands still until it is played


def test_ladder_and_table_lead_to_the_mode(hand: Hand) -> None:
    hand.load(DEMO)
    hand.run()
    window = hand.window
    ladder = window.ladder
    ladder.repaint()
    place = next(place for place, index in ladder._places if ladder.rungs[index].mode == 2)
    hand.qtbot.mouseClick(ladder, Qt.MouseButton.LeftButton, pos=place.center().toPoint())
    assert (window.stage.view_name, window.stage.mode) == ("Mode", 2)
    hand.qtbot.keyClick(ladder, Qt.Key.Key_Down)
    assert ladder.rung_at(QPointF(0, 0)) == -1
    hand.click(window.drawer.tabs["Modes"])
    window.drawer.modes.selectRow(4)
    assert window.stage.mode == 4
    hand.click(window.drawer.tabs["Evidence"])
    texts = [
        window.drawer.evidence.item(row, 1).text()
        for row in range(window.drawer.evidence.rowCount())
    ]
    assert any("completeness" in text for text in texts)
    link = window.drawer.evidence.item(0, 3)
    window.drawer.evidence.itemClicked.emit(link)
    assert window.sheet.open_name == link.data(Qt.ItemDataRole.UserRole)
    window.drawer.evidence.itemClicked.emit(window.drawer.evidence.item(0, 2))
    # ends chosen wrongly: the slip that explains the difference stands below with where it is
    # changed
    session = hand.session
    found = next(item for item in session.case_report.evidence if item.name == "hand check")
    assert not found.causes
    session.edit(
        session.project.changed(euler={"ends": "pinned-pinned", "length": "406.6 mm"}), "Other ends"
    )
    hand.wait_idle()
    table = window.drawer.evidence
    row = next(
        row
        for row in range(table.rowCount())
        if "the ratio when the ends are" in table.item(row, 2).text()
    )
    assert table.item(row, 1).text() == "" and table.item(row, 3).text() == "→ Supports"
    window.sheet.open_station("Part")
    window.drawer.evidence.itemClicked.emit(table.item(row, 3))
    assert window.sheet.open_name == "Supports"


def test_edit_undo_save_and_reopen(hand: Hand, tmp_path: Path) -> None:
    window, session = hand.window, hand.session
    hand.load(DEMO)
    hand.run()
    first = float(session.case_report.facts.modes.positive[0])
    hand.type_value("Part", "1 kN", "2 kN")
    assert session.project.parameters["push"] == "2 kN"
    assert window.ladder.stale and "push" in window.ladder.stale
    assert "out of date" in window.run_button.text()
    assert window.sheet.marks["Modes"].state == "stale"
    hand.run()
    assert float(session.case_report.facts.modes.positive[0]) == pytest.approx(first / 2, rel=1e-6)
    hand.click(window.buttons["undo"])
    assert session.project.parameters["push"] == "1 kN"
    assert window.ladder.stale == ""  # the first result fits again
    hand.click(window.buttons["redo"])
    assert session.project.parameters["push"] == "2 kN"
    path = tmp_path / "Stütze 1.labilis"
    hand.answer_open(path)
    hand.click(window.buttons["save"])
    assert session.saved_path == path
    hand.type_value("Part", "2 kN", "3 kN")  # written at once, without saving again
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    factor = float(session.case_report.facts.modes.positive[0])
    statements = session.project
    hand.load(DEMO)
    assert session.saved_path is None
    hand.load(path)
    assert session.project == statements
    assert float(session.case_report.facts.modes.positive[0]) == factor
    assert window.ladder.verdict.meets is False
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert session.project.parameters["push"] == "3 kN"  # undone edits are there after reopening


def test_wrong_values_stay_in_their_editor_and_change_nothing(hand: Hand) -> None:
    hand.load(DEMO)
    before = hand.session.project
    editor = hand.type_value("Mesh", "5 mm", "12 kg")
    assert editor is not None
    assert "is a mass; a length is needed" in editor.note.text()
    assert hand.session.project == before
    hand.qtbot.keyClick(editor.line, Qt.Key.Key_Escape)
    assert hand.window.sheet.cards["Mesh"].editor is None
    assert "neither a parameter nor a unit" in hand.type_value("Loads", "push", "pusch").note.text()
    assert "whole number" in hand.type_value("Modes", "6", "six").note.text()
    assert "Poisson" in hand.type_value("Part", "0.3", "0.5").note.text()
    assert hand.session.project == before
    assert (
        hand.type_value("Mesh", "5 mm", "6") is None
    )  # a bare number takes the unit that stood there
    assert hand.session.project.mesh.size == "6 mm"


@pytest.mark.full
def test_choices_and_motions(hand: Hand) -> None:
    hand.load(DEMO)
    card = hand.card("Mesh")
    label = card.sentences[0]
    label.linkActivated.emit("0")
    from PyQt6.QtWidgets import QApplication, QMenu

    menu = next(
        widget
        for widget in QApplication.topLevelWidgets()
        if isinstance(widget, QMenu) and widget.isVisible()
    )
    hand.menu(menu, "first-order draft")
    menu.close()
    assert hand.session.project.mesh.order == 1
    card = hand.card("Supports")
    label = card.sentences[0]
    label.linkActivated.emit("2")
    card.editor.boxes["turn_z"].setChecked(True)
    hand.click(card.editor.ok)
    assert "foot on its pin: fixed" in hand.text("Supports")
    hand.run()
    assert hand.window.ladder.verdict.meets is not True
    assert any(
        "first-order" in rung.lower() or "draft" in rung.lower()
        for rung in [hand.window.ladder.verdict.detail, hand.text("Modes")]
    )


def test_free_motion_is_shown_moving_with_the_way_out(hand: Hand) -> None:
    command(hand, "Modes move by themselves")
    hand.load(DEMO)
    card = hand.card("Supports")
    card.sentences[0].linkActivated.emit("2")
    for box_ in card.editor.boxes.values():
        box_.setChecked(False)
    card.editor.boxes["z"].setChecked(True)
    hand.click(card.editor.ok)
    hand.run()
    window = hand.window
    assert "slides along x" in window.banner_text.text()
    assert window.sheet.marks["Supports"].state == "blocked"
    assert window.stage._free is not None
    first = np.array(window.stage.scene.field.points)
    hand.qtbot.wait(300)
    assert np.abs(np.array(window.stage.scene.field.points) - first).max() > 1e-3
    window.stage.select(
        (("face", 0),)
    )  # chosen in the sheet, or clicked, while nothing but the motion is shown
    window.stage.click(
        *(float(c) / 2 for c in (window.stage.plotter.width(), window.stage.plotter.height()))
    )
    assert window.stage._free is not None
    hand.click(window.banner_fix)
    assert window.sheet.open_name == "Supports"


@pytest.mark.full
def test_a_mechanism_is_shown_moving_piece_by_piece(hand: Hand, tmp_path: Path) -> None:
    """Of two struts on a hinge the upper one turns on the stage, the lower one stands still."""
    pieces = [strut("low", 500, (0, 0, 0)), strut("up", 700, (0, 0, 500), 0.0, {"start": ["weak"]})]
    model = stated(pieces, {"foot": ["low/start"], "head": ["up/end"]}, {"foot": ALL})
    (tmp_path / "hinged.json").write_text(json.dumps(model), encoding="utf-8")
    command(hand, "Modes move by themselves")
    hand.load(tmp_path / "hinged.json")
    hand.run()
    window, stage = hand.window, hand.window.stage
    assert (
        "'up' turns about x" in window.banner_text.text()
        and "The stage shows it" in window.banner_text.text()
    )
    assert "mechanism" in stage.playback.unit.text() and stage.playback.isVisible()
    first = np.array(stage.scene.field.points)
    hand.qtbot.wait(300)
    moved = np.linalg.norm(np.array(stage.scene.field.points) - first, axis=1)
    lower = first[:, 2] < 400
    assert lower.any() and moved[lower].max() < 1e-9 < 1e-3 < moved[~lower].max()
    stage.show_view("Mesh")
    assert stage._free is None


def test_supports_and_loads_can_be_taken_off_and_put_back(hand: Hand) -> None:
    hand.load(DEMO)
    label = hand.card("Loads").sentences[0]
    label.linkActivated.emit("remove")
    assert hand.session.project.loads == ()
    assert hand.session.project.cases[0].loads == ()
    assert "Nothing loads the part" in hand.text("Loads")
    assert not hand.window.run_button.isEnabled()
    hand.card("Supports").sentences[1].linkActivated.emit("remove")
    assert [hub.name for hub in hand.session.project.hubs] == ["foot pin"]
    hand.click(hand.window.buttons["undo"])
    hand.click(hand.window.buttons["undo"])
    assert len(hand.session.project.loads) == 1
    assert hand.window.run_button.isEnabled()


def test_pins_zones_and_pressure_by_the_small_bar(hand: Hand, tmp_path: Path) -> None:
    from tests.parts import bored_step

    path = tmp_path / "bored.step"
    path.write_bytes(bored_step())
    hand.load(path)
    stage, session = hand.window.stage, hand.session
    view = session.current("shape")
    low, high = sorted(
        (face for face in range(len(view.faces)) if view.faces.inner[face]),
        key=lambda face: view.faces.centroid[face][0],
    )
    stage.select((("face", low),))
    stage.fill_menus()
    hand.menu(stage.hold_menu, "turns about its axis")
    assert "free to turn about y" in hand.text("Supports")
    stage.select((("face", high),))
    stage.fill_menus()
    hand.menu(stage.hold_menu, "slides along the part")
    assert "slide along x and to turn about y" in hand.text("Supports")
    stage.select((("face", high),))
    hand.click(hand.card("Loads").tools["+ force"])
    assert session.project.loads[0].on == session.project.hubs[1].name
    end = int(np.argmax(view.faces.direction[:, 0]))
    stage.select((("face", end),))
    hand.click(hand.card("Loads").tools["+ pressure"])
    assert "0.1 MPa pressure" in hand.text("Loads")
    stage.select((("face", low),))
    stage.fill_menus()
    stage._place_bar(100, 100)
    hand.click(stage.bar_buttons["Zone"])
    assert "Finer on" in hand.text("Mesh")
    hand.run()
    assert session.case_report.euler.governing.ends.name == "pinned-pinned"


def test_stop_leaves_the_window_usable(hand: Hand) -> None:
    hand.load(DEMO)
    hand.type_value("Mesh", "5 mm", "1.6 mm")
    hand.click(hand.window.run_button)
    hand.qtbot.waitUntil(lambda: hand.session.progress.fraction >= 0.08, timeout=20000)
    assert "Stop" in hand.window.run_button.text()
    hand.card("Loads")  # the rest of the window answers meanwhile
    hand.click(hand.window.run_button)
    assert hand.session.running is None
    assert "Stopped" in hand.session.journal[-1]
    hand.type_value("Mesh", "1.6 mm", "6 mm")
    hand.run()
    assert hand.session.case_report.facts.modes is not None


def test_a_worker_killed_in_the_middle(hand: Hand) -> None:
    import os
    import signal

    hand.load(DEMO)
    hand.type_value("Mesh", "5 mm", "1.6 mm")
    hand.click(hand.window.run_button)
    hand.qtbot.waitUntil(lambda: hand.session.progress.fraction >= 0.08, timeout=20000)
    statements = hand.session.project
    os.kill(hand.session.worker.process_id, signal.SIGKILL)
    hand.wait_idle()
    assert "Nothing stated or found is lost" in hand.window.banner_text.text()
    assert hand.session.project == statements
    hand.type_value("Mesh", "1.6 mm", "6 mm")
    hand.run()
    assert hand.session.case_report.facts.modes is not None


@pytest.mark.parametrize(
    ("name", "content", "said"),
    [
        ("a.step", b"no step", "not a STEP file"),
        ("b.step", b"", "empty"),
        ("c.labilis", b"nothing", "not a Labilis project"),
        ("d.json", b"{", "not JSON"),
    ],
)
def test_bad_files_leave_the_present_project(
    hand: Hand, tmp_path: Path, name: str, content: bytes, said: str
) -> None:
    hand.load(DEMO)
    before = hand.session.project
    path = tmp_path / name
    path.write_bytes(content)
    hand.answer_open(path)
    hand.click(hand.window.buttons["open"])
    hand.wait_idle()
    assert said in hand.window.banner_text.text()
    assert hand.session.project == before
    assert hand.session.current("shape") is not None


def test_a_disk_that_is_full_is_said_and_nothing_is_lost(
    hand: Hand, monkeypatch: pytest.MonkeyPatch
) -> None:
    hand.load(DEMO)

    def full(*_: object) -> None:
        raise LabilisError(
            "The disk is full; this change is not saved.",
            "x",
            "Make room, then save again.",
            "disk-full",
        )

    monkeypatch.setattr(ProjectFile, "commit", full)
    hand.type_value("Mesh", "5 mm", "7 mm")
    assert "disk is full" in hand.window.banner_text.text()
    assert hand.session.project.mesh.size == "7 mm"
    assert "save under another name" in hand.window.banner_fix.text()


def test_several_bodies_and_setting_aside(hand: Hand, tmp_path: Path) -> None:
    from OCP.BRep import BRep_Builder
    from OCP.TopoDS import TopoDS_Compound

    both, builder = TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(both)
    builder.Add(both, box(100, 10, 4))
    builder.Add(both, box(60, 5, 5, (20, 50, 0)))
    path = tmp_path / "two.step"
    path.write_bytes(to_step(both))
    hand.load(path)
    assert [piece.set_aside for piece in hand.session.project.pieces] == [False, False]
    hand.session.set_value(("pieces", 0, "set_aside"), True, "first aside")
    hand.wait_idle()
    assert hand.session.current("shape").volume == pytest.approx(1500)


@pytest.mark.full
def test_the_ladder_is_saved_as_picture_and_page(hand: Hand, tmp_path: Path) -> None:
    window = hand.window
    hand.load(DEMO)
    hand.run()
    size = window.ladder.size()  # before the banner with the refusal takes its line
    for name in ("ladder ä.png", "ladder.pdf", "missing/ladder.png"):
        hand.answer_open(tmp_path / name)
        window.find_box.setFocus()
        window.find_box.clear()
        hand.qtbot.keyClicks(window.find_box, "save the factor")
        hand.qtbot.keyClick(window.find_box, Qt.Key.Key_Return)
    picture = QImage(str(tmp_path / "ladder ä.png"))
    assert picture.size() == 3 * size
    colours = {
        picture.pixelColor(x, y).name()
        for x in range(0, picture.width(), 5)
        for y in range(0, picture.height(), 5)
    }
    assert len(colours) > 20
    page = (tmp_path / "ladder.pdf").read_bytes()
    assert page.startswith(b"%PDF") and b"/Font" in page  # text, not a picture of it
    assert "could not be written" in window.banner_text.text()


def test_commands_by_name_and_keys(hand: Hand) -> None:
    window = hand.window
    hand.load(DEMO)
    hand.key(Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    window.find_box.setFocus()
    hand.qtbot.keyClicks(window.find_box, "journ")
    assert window.find_box.list.count() == 1
    hand.qtbot.keyClick(window.find_box, Qt.Key.Key_Return)
    assert window.drawer.is_open
    assert "Read panel-prop.json" in window.drawer.journal.toPlainText()
    hand.click(window.drawer.fold)
    assert not window.drawer.is_open
    window.sheet.setFocus()
    hand.key(Qt.Key.Key_4)
    assert window.sheet.open_name == "Mesh"
    hand.key(Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
    hand.wait_idle()
    assert hand.session.case_report.facts.modes is not None
    window.list_keys()
    assert "Ctrl+R" in window._keys_box.text()
    window._keys_box.close()


def test_cases_and_recovery(hand: Hand, qtbot: object) -> None:
    window, session = hand.window, hand.session
    hand.load(DEMO)
    window.add_case()
    assert [case.name for case in session.project.cases] == ["panel down", "case"]
    assert session.case_name == "case"
    window.case_box.setCurrentIndex(0)
    window.case_box.activated.emit(0)
    assert session.case_name == "panel down"
    hand.run()
    assert len(session.report.cases) == 2
    assert all(case.facts.modes is not None for case in session.report.cases)
    unsaved = session.file.path
    assert unsaved.is_file()
    orphan = unsaved.with_name("999999-1-1.labilis")
    copy = session.file.save_as(orphan)
    copy.close()
    from labilis.app.recovery import recoverable

    assert recoverable() == [orphan]
    statements = session.project
    session.edit(session.project.changed(name="later"), "renamed")
    window.recover()
    hand.wait_idle()
    assert session.project == statements
    assert session.saved_path is None


def test_every_control_has_a_name(hand: Hand) -> None:
    from PyQt6.QtWidgets import QAbstractButton, QComboBox, QLineEdit

    hand.load(DEMO)
    for kind in (QAbstractButton, QComboBox, QLineEdit):
        for widget in hand.window.findChildren(kind):
            if widget.isVisible() and not widget.objectName().startswith("qt_"):
                named = (
                    widget.accessibleName()
                    or getattr(widget, "text", lambda: "")()
                    or widget.toolTip()
                )
                parent = widget.parent()
                assert (
                    named
                    or isinstance(parent, QComboBox)
                    or "QTableCornerButton" in type(widget).__name__
                    or (parent is not None and parent.metaObject().className().startswith("QTable"))
                ), widget


def test_what_is_picked_takes_only_what_it_can(hand: Hand) -> None:
    """Commands are there whatever is picked: a line on an edge, a pressure on an edge, a washer
    on a face."""
    hand.load(DEMO)
    window, view = hand.window, hand.session.current("shape")
    straight = int(np.flatnonzero(view.edges.kind == "line")[0])
    before = hand.session.project
    for pick, act, words in (
        (
            ("edge", straight),
            lambda: window.scribe_picked("lengthwise"),
            "line is scribed on one face",
        ),
        (
            ("edge", straight),
            lambda: window.scribe_picked("washer"),
            "washer goes round the edge of a hole",
        ),
        (("face", 0), lambda: window.scribe_picked("washer"), "washer goes round"),
        (
            ("edge", straight),
            lambda: window.scribe_picked("circle"),
            "circle is scribed on one face",
        ),
        (("edge", straight), lambda: window.push_picked("pressure"), "pressure acts on faces"),
    ):
        window.stage.select((pick,))
        act()
        assert words in window.banner_text.text() and hand.session.project == before
    window.stage.select((("edge", straight),))
    window.push_picked("line")
    assert len(hand.session.project.loads) == len(before.loads) + 1
