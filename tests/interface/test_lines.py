"""What lines carry, in the window: the table, its course, and the diagram on the stage."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt

from labilis.judge.line_forces import CARRIED
from tests.frames import portal
from tests.interface.conftest import Hand

DEMO = Path(__file__).parents[2] / "src/labilis/demos/panel-prop/panel-prop.json"


def test_lines_have_a_page_and_diagrams_on_the_stage(hand: Hand, tmp_path: Path) -> None:
    path = tmp_path / "portal.json"
    path.write_text(json.dumps(portal()))
    hand.load(path)
    drawer, stage = hand.window.drawer, hand.window.stage
    assert not drawer.tabs["Lines"].isVisible()
    hand.run()
    hand.click(drawer.tabs["Lines"])
    lines = drawer.lines
    assert lines.table.rowCount() == 3 and lines.chart.panels
    bending = 1 + [item.symbol for item in CARRIED].index("Mz")
    lines.table.setCurrentCell(1, bending)
    hand.qtbot.wait(50)
    assert stage.view_name == "Stress" and stage.playback.chosen == "Mz, bending"
    scene = stage.scene
    assert scene is not None and "diagram" in scene.actors
    drawn = np.asarray(scene.actors["diagram"].mapper.dataset.point_data["value"])
    shown = float(lines.table.item(1, bending).text().replace(",", ""))
    assert np.abs(drawn).max() == abs(drawn).max() >= abs(shown) * 0.99
    assert "right post" in stage.playback.story.text()
    assert stage.playback.high.text().replace(",", "") == f"{abs(shown):.0f}"
    assert "from the start" in lines.table.item(1, bending).toolTip()
    x, y = zip(*lines.chart.panels[0].lines[0].points)
    assert max(x) == 1200.0 and max(map(abs, y)) * 1e6 >= abs(shown) * 0.99
    # another member's course, the same diagram
    lines.table.setCurrentCell(2, bending)
    hand.qtbot.wait(30)
    assert lines.chart.panels[0].lines[0].points[-1][0] == 1600.0
    # stress again, and no diagram any more
    stage.playback.choose("worst side")
    hand.qtbot.wait(30)
    assert "diagram" not in scene.actors
    # the cell that is current still is; clicked again it is drawn again
    cell = lines.table.visualItemRect(lines.table.item(2, bending)).center()
    hand.qtbot.mouseClick(lines.table.viewport(), Qt.MouseButton.LeftButton, pos=cell)
    hand.qtbot.wait(30)
    assert "diagram" in scene.actors and stage.playback.chosen == "Mz, bending"
    # a traced frame moves; its diagram is of the linear run and is not shown there
    hand.window.run_trace()
    hand.wait_idle()
    trace = hand.session.current("trace")
    assert trace is not None and trace.end_words == "its limit"
    stage.show_view("Trace")
    hand.qtbot.wait(30)
    assert "diagram" not in scene.actors
    hand.click(drawer.tabs["Lines"])
    hand.load(DEMO)
    hand.run()
    assert (
        not drawer.tabs["Lines"].isVisible() and drawer.pages.currentWidget() is drawer.modes_page
    )
    assert [name for name, tab in drawer.tabs.items() if tab.isChecked()] == ["Modes"]


@pytest.mark.full
def test_an_edit_makes_lines_of_before_old(hand: Hand, tmp_path: Path) -> None:
    """After an edit nothing that lines carried is shown as today's."""
    path = tmp_path / "portal.json"
    path.write_text(json.dumps(portal()))
    hand.load(path)
    hand.run()
    drawer = hand.window.drawer
    hand.click(drawer.tabs["Lines"])
    drawer.lines.table.setCurrentCell(0, 1)
    hand.type_value("Loads", "-6000.0 N", "-9000 N")
    hand.qtbot.wait(100)
    scene = hand.window.stage.scene
    assert scene is not None and "diagram" not in scene.actors
    for name in ("Lines", "Screening", "Hand checks", "Evidence", "Modes"):
        hand.click(drawer.tabs[name])
        assert drawer.old.isVisible() and "before the last change" in drawer.old.text(), name
    hand.click(drawer.tabs["Journal"])
    assert not drawer.old.isVisible()
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    hand.wait_idle()
    hand.click(drawer.tabs["Lines"])
    assert not drawer.old.isVisible()


def test_a_strut_is_divided_in_its_sentence(hand: Hand, tmp_path: Path) -> None:
    """One choice; the place of the division is a parameter, and undo puts the strut together."""
    path = tmp_path / "portal.json"
    path.write_text(json.dumps(portal()))
    hand.load(path)
    session = hand.session
    hand.wait_idle()
    before, names = session.project, [piece.name for piece in session.project.pieces]
    hand.choose("Part", ("pieces", 0, "divide"), "in its middle")
    assert session.project.pieces[1].name == f"{names[0]}-2"
    assert f"With its start on the end of {names[0]}" in hand.text("Part")
    split = f"{names[0].replace(' ', '_')}_split"
    assert split in session.project.parameters and split in hand.text("Part")
    hand.run()
    report = session.case_report
    assert report is not None and report.facts.modes is not None
    session.undo()
    hand.wait_idle()
    assert session.project == before


@pytest.mark.parametrize("zoom", [1.0, 1.6, 4.0])
def test_what_is_written_at_a_load_keeps_off_the_border(
    hand: Hand, tmp_path: Path, zoom: float
) -> None:
    """However near the border its arrow stands, or beyond it, a tag is whole."""
    path = tmp_path / "portal.json"
    path.write_text(json.dumps(portal()))
    hand.load(path)
    stage = hand.window.stage
    stage.plotter.camera.zoom(zoom)
    stage.render()
    renderer = stage.plotter.renderer
    size, tags = renderer.GetSize(), stage.glyphs._tags
    assert tags
    for tag in tags:
        box = [0.0, 0.0, 0.0, 0.0]
        tag.GetBoundingBox(renderer, box)
        (x, y), (left, right, low, high) = tag.GetPosition(), box
        assert x + left > 0 and x + right < size[0], tag.GetInput()
        assert y + low > 0 and y + high < size[1], tag.GetInput()
