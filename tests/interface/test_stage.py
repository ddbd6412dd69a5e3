"""Moving about on the stage, which way things lie, and what an empty window offers."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QApplication

from labilis.app.recent import recent_files, remember
from labilis.ui.stage.picking import world_to_display
from tests.interface.conftest import Hand

STAND = Path(__file__).parents[2] / "src/labilis/demos/cabinet-stand/cabinet-stand.json"
DEMO = Path(__file__).parents[2] / "src/labilis/demos/panel-prop/panel-prop.json"


def wheel(hand: Hand, at: QPoint, clicks: int) -> None:
    plotter = hand.window.stage.plotter
    event = QWheelEvent(
        QPointF(at),
        QPointF(plotter.mapToGlobal(at)),
        QPoint(0, 0),
        QPoint(0, 120 * clicks),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(plotter, event)
    hand.qtbot.wait(30)


def test_the_wheel_magnifies_about_what_lies_under_the_pointer(hand: Hand) -> None:
    hand.load(DEMO)
    stage = hand.window.stage
    view = hand.session.current("shape")
    for corner in (view.extents[:, 0], view.extents[:, 1]):
        stage.fit()
        hand.qtbot.wait(30)
        place, scale = hand.pixel(corner), stage.plotter.camera.parallel_scale
        wheel(hand, place, 4)
        moved = hand.pixel(corner) - place
        assert max(abs(moved.x()), abs(moved.y())) <= 2
        assert scale / stage.plotter.camera.parallel_scale == pytest.approx(1.2**4)
        wheel(hand, place, -4)
        assert stage.plotter.camera.parallel_scale == pytest.approx(scale)


def test_a_bore_of_a_thin_part_can_be_picked_after_it_was_framed(hand: Hand) -> None:
    """Its wall is some pixels high at first."""
    hand.load(DEMO)
    stage, view = hand.window.stage, hand.session.current("shape")
    bore = int(np.flatnonzero((view.faces.kind == "cylinder") & (view.faces.radius < 20))[0])
    before = stage.plotter.camera.parallel_scale
    mine = view.tessellation.points[view.tessellation.triangles[view.tessellation.face == bore]]
    rims = [edge for edge in range(len(view.edges)) if bore in view.edges.faces[edge]]

    def under(point: np.ndarray) -> tuple[float, float, Any]:
        x, y, _ = world_to_display(stage.plotter.renderer, point[None])[0]
        return x, y, stage.pick_at(x, y)

    assert not any(under(point)[2] == ("face", bore) for point in mine.mean(axis=1))
    x, y = next(
        (x, y)
        for edge in rims
        for x, y, found in map(under, view.tessellation.edge(edge))
        if found == ("edge", edge)
    )
    stage.frame(x, y)
    hand.qtbot.wait(30)
    assert stage.plotter.camera.parallel_scale < 0.5 * before
    shown = world_to_display(stage.plotter.renderer, mine.reshape(-1, 3))[:, :2]
    assert np.ptp(shown, axis=0).max() > 0.3 * stage.plotter.height()
    assert (shown > 0).all() and (shown < [stage.plotter.width(), stage.plotter.height()]).all()
    assert any(under(point)[2] == ("face", bore) for point in mine.mean(axis=1))
    stage.frame(2.0, 2.0)  # nothing there: the whole part again
    assert stage.plotter.camera.parallel_scale == pytest.approx(before, rel=0.01)


@pytest.mark.parametrize("way", ["x", "y", "z", "i"])
@pytest.mark.full
def test_the_directions_are_those_of_the_part_on_the_screen(hand: Hand, way: str) -> None:
    hand.load(DEMO)
    stage = hand.window.stage
    stage.look(way)
    hand.qtbot.wait(30)
    origin = world_to_display(stage.plotter.renderer, np.zeros((1, 3)))[0]
    middle = QPointF(42, 42)
    for axis, letter in enumerate("xyz"):
        end = world_to_display(stage.plotter.renderer, 50.0 * np.eye(3)[axis][None])[0]
        true = np.array([end[0] - origin[0], end[1] - origin[1]])
        place, toward = stage.directions.ends()[letter]
        drawn = np.array([place.x() - middle.x(), middle.y() - place.y()])
        assert np.hypot(*drawn) < 37
        if np.hypot(*true) > 1.0:
            assert true @ drawn / np.hypot(*true) / np.hypot(*drawn) > 0.999
        else:
            assert abs(toward) > 0.999 and np.hypot(*drawn) < 1.0


def test_a_click_on_a_letter_looks_along_it(hand: Hand) -> None:
    hand.load(DEMO)
    stage = hand.window.stage
    place, _ = stage.directions.ends()["y"]
    hand.qtbot.mouseClick(stage.directions, Qt.MouseButton.LeftButton, pos=place.toPoint())
    hand.qtbot.wait(30)
    forward = np.array(stage.plotter.camera.focal_point) - np.array(stage.plotter.camera.position)
    assert abs(forward[1]) / np.linalg.norm(forward) > 0.999


def test_an_empty_window_offers_the_demos_and_what_was_saved_last(
    hand: Hand, tmp_path: Path
) -> None:
    begin = hand.window.stage.begin
    assert begin.isVisible() and {
        "Sensor bracket",
        "Cabinet stand",
        "Panel prop",
        "Antenna mast",
    } <= set(begin.buttons)
    hand.click(begin.buttons["Panel prop"])
    hand.wait_idle()
    assert (
        hand.session.project.name == "Panel prop"
        and hand.session.current("shape") is not None
        and not begin.isVisible()
    )
    saved = tmp_path / "my prop.labilis"
    hand.session.save(saved)
    assert recent_files() == [saved]
    begin.refresh()
    assert "my prop" in begin.buttons
    saved.rename(tmp_path / "moved.labilis")
    begin.refresh()
    assert "my prop" not in begin.buttons


def test_where_pieces_stand_is_folded_away_where_there_are_many(hand: Hand) -> None:
    hand.load(DEMO.parents[1] / "cabinet-stand/cabinet-stand.json")
    card = hand.card("Part")

    def seen() -> list[str]:
        return [label.accessibleName() for label in card.sentences if label.isVisible()]

    assert not any(text.startswith("At x") for text in seen()) and any(
        text.startswith("4 × leg") for text in seen()
    )
    head = next(
        label for label in card.sentences if label.accessibleName().startswith("2 × front-rail")
    )
    assert "▸" in head.text()
    head.linkActivated.emit("fold")
    assert sum(text.startswith("At x") for text in seen()) == 1
    place = next(
        label
        for label in card.sentences
        if label.isVisible() and label.accessibleName().startswith("At x")
    )
    assert card.sentences.index(place) == 1 + next(
        number
        for number, label in enumerate(card.sentences)
        if label.accessibleName().startswith("2 × front-rail")
    )
    hand.type_value("Part", "leg_t + rail_t/2", "leg_t + rail_t/2 + 1 mm")  # an edit leaves it open
    assert sum(text.startswith("At x") for text in seen()) == 1
    hand.window.sheet.open_station("Loads")
    hand.window.sheet.open_station("Part")
    assert sum(text.startswith("At x") for text in seen()) == 1
    next(
        label for label in card.sentences if label.accessibleName().startswith("2 × front-rail")
    ).linkActivated.emit("fold")
    assert not any(text.startswith("At x") for text in seen())


def test_name_and_scenario_are_changed_where_they_stand_and_undo_says_what_it_takes_back(
    hand: Hand,
) -> None:
    hand.load(DEMO)
    window, session = hand.window, hand.session
    keys = session.current("shape")
    for label, text in ((window.name, "Prop <b>7</b>"), (window.scenario, "")):
        hand.qtbot.mouseClick(label, Qt.MouseButton.LeftButton)
        assert label.editor.text() == label.stated
        label.editor.clear()
        hand.qtbot.keyClicks(label.editor, text)
        hand.qtbot.keyClick(label.editor, Qt.Key.Key_Return)
        assert label.editor is None and label.stated == text
    assert (
        session.project.name == "Prop <b>7</b>"
        and session.project.scenario == ""
        and window.scenario.text() == "belongs to…"
    )
    assert window.name.text() == "Prop <b>7</b>" and session.current("shape") is keys
    assert window.buttons["undo"].toolTip() == "Undo: scenario set to nothing (Ctrl+Z)"
    hand.click(window.buttons["undo"])
    assert (
        session.project.scenario == "Vellmark tide station"
        and "scenario set to nothing" in window.buttons["redo"].toolTip()
    )
    hand.qtbot.mouseClick(window.name, Qt.MouseButton.LeftButton)
    hand.qtbot.keyClicks(window.name.editor, "never")
    hand.qtbot.keyClick(window.name.editor, Qt.Key.Key_Escape)
    assert session.project.name == "Prop <b>7</b>" and window.name.editor is None
    hand.qtbot.mouseClick(window.name, Qt.MouseButton.LeftButton)
    window.name.editor.clear()
    hand.qtbot.keyClick(window.name.editor, Qt.Key.Key_Return)
    assert session.project.name == "Prop <b>7</b>" and "needs a name" in window.banner_text.text()


def test_a_parameter_is_renamed_in_the_window_and_one_in_use_is_not_removed(
    hand: Hand, tmp_path: Path
) -> None:
    hand.load(DEMO.parents[1] / "cabinet-stand/cabinet-stand.json")
    before = hand.session.current("shape")
    card = hand.card("Part")
    label = next(label for label in card.sentences if label.accessibleName().startswith("rail_t ="))
    label.linkActivated.emit("0")
    card.editor.line.clear()
    hand.qtbot.keyClicks(card.editor.line, "wall")
    hand.qtbot.keyClick(card.editor.line, Qt.Key.Key_Return)
    hand.wait_idle()
    assert (
        "wall" in hand.session.project.parameters and "rail_t" not in hand.session.project.to_json()
    )
    assert hand.session.current("shape") is before  # nothing that counts has changed
    next(
        label for label in card.sentences if label.accessibleName().startswith("wall =")
    ).linkActivated.emit("remove")
    assert "wall" in hand.session.project.parameters and "is used" in hand.window.banner_text.text()


def test_the_list_of_files_survives_what_is_in_it(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setenv("LABILIS_STATE", str(tmp_path / "state"))
    files = [tmp_path / f"{number}.labilis" for number in range(12)]
    for path in files:
        path.write_bytes(b"")
        remember(path)
    assert recent_files() == files[:3:-1]
    remember(files[6])
    assert recent_files()[0] == files[6] and len(recent_files()) == 8
    content: Any
    for content in (b"{", b"[1, null]", b"\xff\xfe", b"[" * 5000, b"{}"):
        (tmp_path / "state/recent.json").write_bytes(content)
        assert recent_files() == []
    (tmp_path / "state/recent.json").unlink()
    (tmp_path / "state/recent.json").mkdir()
    remember(files[0])  # nowhere to write: no reason to stop


def test_what_is_being_read_is_said_in_place_of_the_offers(hand: Hand) -> None:
    hand.answer_open(DEMO)
    hand.click(hand.window.buttons["open"])
    stage = hand.window.stage
    assert not stage.begin.isVisible()
    assert hand.session.running is None or "being read" in stage._waiting.text()
    hand.wait_idle()
    assert not stage._waiting.isVisible()


def test_the_buttons_of_a_station_stand_in_rows_without_gaps(hand: Hand) -> None:
    """Those that are not offered now take no room; all that are can be reached."""

    def rows(card: Any) -> list[list[str]]:
        hand.qtbot.wait(60)
        found: dict[int, list[tuple[int, str]]] = {}
        for button in card.tools.values():
            if button.isVisible():
                found.setdefault(button.y(), []).append((button.x(), button.text()))
                assert card.rect().contains(button.mapTo(card, button.rect().bottomRight())), (
                    button.text()
                )
        return [[text for _, text in sorted(row)] for _, row in sorted(found.items())]

    assert rows(hand.card("Part")) == [["open STEP…", "+ piece"], ["+ parameter", "materials"]]
    hand.load(DEMO)
    offered = [text for row in rows(hand.card("Part")) for text in row]
    assert offered == [
        "open STEP…",
        "revised file…",
        "+ file…",
        "+ piece",
        "+ parameter",
        "materials",
    ]
    assert not any("touching faces" in row for row in rows(hand.card("Mesh")))


@pytest.mark.full
def test_what_was_picked_on_one_part_is_not_picked_on_another(
    hand: Hand, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Faces are numbered: a number taken over would hold or load another face than the one that
    was clicked."""
    stand = DEMO.parents[1] / "cabinet-stand/cabinet-stand.json"
    hand.load(stand)
    stage, view = hand.window.stage, hand.session.current("shape")
    last = len(view.faces) - 1
    stage.select((("face", last),))
    stage.hovered = ("face", last)
    project = hand.session.project
    hand.session.edit(
        project.changed(parameters={**project.parameters, "width": "510 mm"}), "wider"
    )  # drawn anew: picked anew
    assert stage.selection == ()
    hand.wait_idle()
    assert stage.selection == () and stage.hovered is None and not stage.pointer_bar.isVisible()
    hand.session.undo()
    assert hand.session.current("shape") is view and stage.selection == ()
    stage.select((("face", last),))
    hand.load(DEMO)
    monkeypatch.setattr(stage, "_drawn", (view, None))  # as between a result and its drawing
    monkeypatch.setattr(stage, "_selection", (("face", last),))
    assert len(hand.session.current("shape").faces) < last and stage.selection == ()
    before = hand.session.project
    hand.window.hold_picked("fixed")
    assert hand.session.project == before
    middle = stage.plotter.width() / 2, stage.plotter.height() / 2
    assert all(stage.pick_at(middle[0] + dx, middle[1]) is None for dx in range(-200, 200, 20))
    stage.refresh(force=True)
    assert stage.selection == ()
    stage.look("z")
    assert stage.pick_at(*middle) is not None


def test_the_feet_of_a_stand_are_held_by_a_pick_and_two_choices(hand: Hand) -> None:
    """One foot is clicked, the others come by what they are; the region is stated by its name, so
    that it holds for further copies as well."""
    hand.load(STAND)
    stage, view = hand.window.stage, hand.session.current("shape")
    row = next(k for k, name in enumerate(view.edges.name) if name == "leg.2/start")
    line = view.tessellation.edge(row)
    hand.click_in_view(line.mean(axis=0))
    if stage.selection != (("edge", row),):  # hidden behind another edge in this view
        stage.select((("edge", row),))
        stage._place_bar(300, 300)
    hand.menu(stage.more_menu, "leg/start on 4 pieces")
    assert len(stage.selection) == 12 and "12 edges" in stage.bar_title.text()
    assert stage.pointer_bar.isVisible()
    hand.menu(stage.hold_menu, "Fixed")
    region = hand.session.project.named("regions", hand.session.project.supports[-1].on)
    assert region.names == ("leg/start",) and not region.picks
    assert not hand.session.lost


def test_clicks_on_one_place_go_through_what_lies_behind(hand: Hand) -> None:
    hand.load(STAND)
    stage, view = hand.window.stage, hand.session.current("shape")
    stage.look("x")  # legs stand behind each other
    hand.qtbot.wait(50)
    triangles = view.tessellation.points[view.tessellation.triangles]
    for point in triangles.mean(axis=1)[:: max(len(triangles) // 60, 1)]:
        x, y, _ = world_to_display(stage.plotter.renderer, point[None])[0]
        stage.select(())
        stage.click(x, y)
        line = stage._in_line(x, y)
        if stage.selection and stage.selection[0][0] == "face" and len(line) > 1:
            break
    else:
        pytest.fail("nothing lies behind anything")
    seen = [stage.selection[0][1]]
    for _ in line[1:]:
        stage.click(x, y)
        seen.append(stage.selection[0][1])
        assert f"{len(seen)} of {len(line)} in line" in stage.bar_title.text()
    assert seen == line and len(set(seen)) == len(line)
    towards = np.array([stage.plotter.camera.position]) - np.array(
        [stage.plotter.camera.focal_point]
    )
    depth = view.faces.centroid[line] @ (towards[0] / np.linalg.norm(towards[0]))
    assert depth[0] > depth[-1]
    stage.click(x, y)
    assert stage.selection == (("face", line[0]),) and "in line" not in stage.bar_title.text()
    stage.click(x, y)
    assert stage.selection == (("face", line[1]),)
    stage.click(x, y + 6)  # another place begins anew
    assert stage.selection == (stage.pick_at(x, y + 6),)
    assert "in line" not in stage.bar_title.text()


@pytest.mark.full
def test_a_name_that_is_typed_picks_what_it_means(hand: Hand) -> None:
    hand.load(STAND)
    window = hand.window
    for typed, count in (("pick leg.3/start", 3), ("pick region feet", 12)):
        window.find_box.setFocus()
        hand.qtbot.keyClicks(window.find_box, typed)
        hand.qtbot.keyClick(window.find_box, Qt.Key.Key_Return)
        hand.qtbot.wait(30)
        assert len(window.stage.selection) == count, typed
        assert window.stage.pointer_bar.isVisible()
        hand.key(Qt.Key.Key_Escape)
        assert not window.stage.selection


def test_the_window_comes_back_where_it_was_left(hand: Hand, qtbot: Any) -> None:
    from labilis.app import Session
    from labilis.ui.window import Window

    hand.window.setGeometry(40, 30, 1011, 707)
    hand.qtbot.wait(50)
    hand.window.close()
    again = Window(Session())
    try:
        again.show()
        qtbot.waitExposed(again)
        assert (again.width(), again.height()) == (1011, 707)
        assert (again.x(), again.y()) == (40, 30)
    finally:
        again.close()


def test_dark_paper_is_dark_from_the_corner_to_the_stage(hand: Hand, qtbot: Any) -> None:
    """All that is drawn without a part and with one; the pictures of the modes too."""
    from labilis.app import Session
    from labilis.app.preferences import preferred_paper
    from labilis.ui.app import make_application
    from labilis.ui.theme import DARK, PAPER
    from labilis.ui.window import Window

    window = hand.window
    window.find_box.setFocus()
    hand.qtbot.keyClicks(window.find_box, "paper: dark")
    hand.qtbot.keyClick(window.find_box, Qt.Key.Key_Return)
    assert preferred_paper() == "dark" and "next time" in window.banner_text.text()
    window.close()
    try:
        make_application()
        assert PAPER.ground == DARK.ground
        again = Window(Session())
        again.show()
        qtbot.waitUntil(lambda: again.stage.plotter is not None, timeout=20000)
        again.load_path(DEMO)
        qtbot.waitUntil(lambda: again.session.idle, timeout=60000)
        qtbot.wait(300)
        image = again.grab().toImage()
        light = sum(
            image.pixelColor(x, y).lightness() > 150
            for x in range(0, image.width(), 7)
            for y in range(0, image.height(), 7)
        )
        assert light < 0.1 * (image.width() // 7) * (image.height() // 7)
        assert again.stage.plotter.renderer.background_color.hex_rgb.upper() == DARK.ground
        again.close()
    finally:
        from labilis.app.preferences import prefer_paper

        prefer_paper("light")
        make_application()
