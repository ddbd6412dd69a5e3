"""Lines, screening, hand checks, classes, studies, and all kinds of supports and loads, by the
real controls."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit, QMenu

from labilis.ui.drawer.trace_page import TracePage
from tests.interface.conftest import DEMO, Hand
from tests.judge.test_mistakes import force, strip


@pytest.fixture
def short(tmp_path: Path) -> Path:
    """A strip that runs in no time."""
    path = tmp_path / "strip.json"
    model = strip(
        force("-100 N"),
        mesh={"size": "20 mm"},
        criteria={"modes": 2, "required_factor": "1"},
        trace={"target": "30", "amplitude": "0.2 mm"},
    )
    path.write_text(json.dumps({"labilis": 2, **model}), encoding="utf-8")
    return path


def named(hand: Hand, name: str) -> tuple[str, int]:
    view = hand.session.current("shape")
    for of, table in (("face", view.faces), ("edge", view.edges)):
        for row, words in enumerate(table.name):
            if name in str(words).split("|"):
                return of, row
    raise AssertionError(name)


def test_a_line_is_made_picked_and_judged(hand: Hand) -> None:
    window, session = hand.window, hand.session
    window.add_piece("strut, round")
    hand.wait_idle()
    name = session.project.pieces[0].name
    hand.choose("Part", ("pieces", 0, "mesh_as"), "a line of its section")
    hand.wait_idle()
    assert session.project.pieces[0].mesh_as == "line"
    view = session.current("shape")
    assert len(view.faces) == 0 and len(view.ghost_triangles) > 0
    window.stage.look("x")
    hand.qtbot.wait(150)
    ends = [view.edges.centroid[named(hand, f"{name}/{word}")[1]] for word in ("start", "end")]
    hand.click_in_view(ends[0])
    assert window.stage.selection == (named(hand, f"{name}/start"),)
    window.stage.fill_menus()
    hand.menu(window.stage.hold_menu, "Fixed")
    window.stage.select((named(hand, f"{name}/end"),))
    window.stage.fill_menus()
    assert not any("per length" in action.text() for action in window.stage.push_menu.actions())
    hand.menu(window.stage.push_menu, "by components")
    editor = window.sheet.cards["Loads"].editor
    editor.line.setText("-1 kN")
    hand.click(editor.ok)
    hand.run()
    facts = session.case_report.facts
    assert facts.modes.positive[0] == pytest.approx(
        np.pi**2 * 210e3 * np.pi * 40**4 / 64 / (2 * 500) ** 2 / 1000, rel=0.01
    )
    assert "line elements" in facts.mesh.words
    window.stage.show_view("Mode", 0)
    assert window.stage.scene.field.n_points > 5
    window.stage.show_view("Mesh")
    assert "mesh struts" in window.stage.scene.actors


def test_screening_and_hand_checks_show_and_take_numbers(hand: Hand) -> None:
    window, session = hand.window, hand.session
    hand.load(DEMO)
    hand.click(hand.card("Strength").tools["run strength"])
    hand.wait_idle()
    hand.click(window.drawer.tabs["Screening"])
    table = window.drawer.screening.table
    assert (
        table.rowCount() == 1
        and "look closer" in table.item(0, 0).text()
        and "pinned" in table.item(0, 7).text()
    )
    hand.run()
    hand.click(window.drawer.tabs["Hand checks"])
    page = window.drawer.hand
    titles = [page.table.item(row, 0).text() for row in range(page.table.rowCount())]
    assert titles[:4] == ["Euler", "Johnson", "Secant", "Perry"] and "EN 1993-1-1" in titles
    before = page.table.item(0, 2).text()
    assert page.table.item(0, 3).text().endswith("above")
    names = [page.symbols.item(row, 0).text() for row in range(page.symbols.rowCount())]
    length = page.symbols.cellWidget(
        next(k for k, text in enumerate(names) if text.startswith("L,")), 1
    )
    assert isinstance(length, QLineEdit) and length.text() == "420 mm"
    length.setText("400 mm")
    hand.qtbot.keyClick(length, Qt.Key.Key_Return)
    hand.qtbot.wait(60)
    assert session.project.checks[0].values == {"L": "400 mm"}
    assert float(page.table.item(0, 2).text()) == pytest.approx(
        float(before) * (420 / 400) ** 2, rel=1e-3
    )
    names = [page.symbols.item(row, 0).text() for row in range(page.symbols.rowCount())]
    hand.click(
        page.symbols.cellWidget(next(k for k, text in enumerate(names) if text.startswith("L,")), 3)
    )
    assert session.project.checks == () and page.table.item(0, 2).text() == before
    # a choice, and a rung on the ladder
    page.table.selectRow(titles.index("EN 1993-1-1"))
    hand.qtbot.wait(40)
    curve = next(
        page.symbols.cellWidget(row, 1)
        for row in range(page.symbols.rowCount())
        if isinstance(page.symbols.cellWidget(row, 1), QComboBox)
    )
    curve.setCurrentText("a")
    curve.textActivated.emit("a")
    assert session.project.checks[0].values == {"curve": "a"}
    row = next(
        k for k in range(page.table.rowCount()) if page.table.item(k, 0).text() == "EN 1993-1-1"
    )
    page.table.item(row, 4).setCheckState(Qt.CheckState.Checked)
    hand.qtbot.wait(60)
    assert session.project.checks[0].on_ladder
    assert any("EN 1993-1-1" in rung.title for rung in window.ladder.rungs)
    # what is wrong stays out
    page.table.selectRow(0)
    hand.qtbot.wait(40)
    wrong = page.symbols.cellWidget(2, 1)
    wrong.setText("12 kg")
    hand.qtbot.keyClick(wrong, Qt.Key.Key_Return)
    assert len(session.project.checks) == 1 and "length" in page.note.text()


@pytest.mark.full
def test_the_class_of_a_piece_changes_what_is_required(hand: Hand, short: Path) -> None:
    hand.load(short)
    hand.run()
    assert hand.session.case_report.verdict.required == 1.0
    hand.choose("Modes", ("pieces", 0, "acts_as"), "member, or plate")
    hand.run()
    assert hand.session.case_report.verdict.required == 15.0 and "15" in hand.text("Modes")


def test_supports_and_loads_of_every_kind(hand: Hand, short: Path) -> None:
    window, session = hand.window, hand.session
    hand.load(short)

    def pick(name: str) -> None:
        window.stage.select((named(hand, name),))
        window.stage.fill_menus()

    pick("strip/face")
    hand.menu(window.stage.hold_menu, "Elastic foundation")
    assert session.project.springs[0].per == "area" and "foundation of 1 N/mm^3" in hand.text(
        "Supports"
    )
    pick("strip/side.1")
    hand.menu(window.stage.hold_menu, "Springs along")
    assert session.project.springs[1].x == "100 N/mm"
    pick("strip/side.3")
    hand.menu(window.stage.hold_menu, "Plane of symmetry")
    assert session.project.supports[
        -1
    ].axes.normal == "y" and "plane of symmetry square to y" in hand.text("Supports")
    pick("strip/side.2")
    hand.menu(window.stage.push_menu, "per length")
    window.sheet.cards["Loads"].close_editor()
    assert session.project.loads[-1].kind == "line"
    pick("strip/side.2")
    hand.menu(window.stage.push_menu, "Moment")
    window.sheet.cards["Loads"].close_editor()
    assert session.project.loads[-1].kind == "moment" and session.project.hubs[0].kind == "stiff"
    hand.choose("Supports", ("hubs", 0, "kind"), "spread")
    assert session.project.hubs[0].kind == "spread"
    hand.choose("Loads", ("loads", 0, "tilt"), "toward z")
    assert session.project.loads[0].tilt.toward == "z" and "leaning 1 deg" in hand.text("Loads")
    hand.type_value("Loads", "1 deg", "2 deg")
    assert session.project.loads[0].tilt.angle == "2 deg"
    for words, kind in (
        ("temperature", "temperature"),
        ("displacement of foot", "move"),
        ("own weight", "weight"),
    ):
        hand.click(hand.card("Loads").tools["+ other"])
        hand.qtbot.wait(60)
        menu = QApplication.activePopupWidget()
        assert isinstance(menu, QMenu)
        hand.menu(menu, words)
        menu.close()
        window.sheet.cards["Loads"].close_editor()
        assert session.project.loads[-1].kind == kind
    for _ in range(3):
        hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.project.loads[-1].kind == "moment"


@pytest.mark.full
def test_studies_of_amplitude_tilt_and_the_other_way(hand: Hand, short: Path) -> None:
    window = hand.window
    hand.load(short)
    hand.click(hand.card("Trace").tools["how sensitive"])
    assert window.drawer.studies.buttons["amplitude"].isChecked()
    hand.wait_idle(240)
    table = window.drawer.studies.tables["amplitude"].table
    assert table.rowCount() == 6 and table.item(0, 0).text() == "0.1 mm"
    assert "sensitive to its shape" in hand.text("Trace")
    hand.click(hand.card("Strength").tools["tilt"])
    hand.wait_idle(120)
    assert window.drawer.studies.tables["tilt"].table.rowCount() == 25
    drawn = {kind: page.chart for kind, page in window.drawer.studies.tables.items()}
    assert [panel.under for panel in drawn["tilt"].panels] == ["tilt, °", "offset, mm"]
    assert drawn["tilt"].dashes == "y, dashed z"
    assert all(len(line.points) == 7 for panel in drawn["tilt"].panels for line in panel.lines)
    assert [line.name for line in drawn["amplitude"].panels[0].lines] == [
        "verified factor",
        "limit",
        "first yield",
    ]
    assert "first yield over tilt, °" in drawn["tilt"].accessibleDescription()
    hand.click(hand.card("Mesh").tools["cross-check"])
    assert window.drawer.studies.buttons["cross"].isChecked()
    hand.wait_idle(120)
    crossed = window.drawer.studies.tables["cross"]
    assert crossed.table.rowCount() == 2 and [
        crossed.table.item(row, 0).text() for row in (0, 1)
    ] == ["shells", "a solid"]
    assert "As a solid the first factor is" in crossed.note.text() and not crossed.chart.isVisible()
    hand.click(window.drawer.studies.buttons["converge"])
    assert window.drawer.studies.pages.currentIndex() == 0


def test_a_trace_that_yields_says_so(hand: Hand, short: Path) -> None:
    hand.load(short)
    hand.click(hand.card("Trace").tools["run the trace"])
    hand.wait_idle(120)
    assert "The material yields" in hand.text("Trace") and "plastic strain" in hand.text("Trace")
    window, page = hand.window, hand.window.drawer.findChild(TracePage)
    hand.click(window.stage.chips["Trace"])
    strip = window.stage.playback
    assert [strip.what.itemText(k) for k in range(strip.what.count())] == [
        "movement",
        "stress",
        "plastic strain",
    ]
    for number, (unit, least, most) in enumerate(
        (
            ("movement, mm", 1.0, 50.0),
            ("von Mises stress, MPa", 200.0, 236.0),
            ("plastic strain, %", 0.01, 6.0),
        )
    ):
        strip.what.setCurrentIndex(number)
        strip.what.activated.emit(number)
        assert strip.unit.text() == unit and least < window.stage.field.most < most
    hand.click(strip.button)  # plays along the path, with the colours of each shape
    hand.qtbot.wait(200)
    hand.click(strip.button)
    places = [page.over.itemText(k) for k in range(page.over.count())]
    assert places[0] == "motion of the mode's point, mm" and any(
        ", x, mm" in place for place in places
    )
    page.over.setCurrentIndex(len(places) - 1)
    page.over.activated.emit(len(places) - 1)
    assert page.curve.axis == places[-1]
    drawer = window.drawer
    assert not drawer.old.isVisible()
    hand.type_value("Loads", "-100 N", "-110 N")
    assert drawer.pages.currentWidget() is page
    assert page.curve.trace is not None
    assert drawer.old.isVisible(), "its curve is of before the last change"
    hand.click(window.buttons["undo"])
    assert not drawer.old.isVisible()
    hand.choose("Trace", ("trace", "material"), "elastic")
    assert hand.session.current("trace") is None and "stays elastic" in hand.text("Trace")


def test_measures_stand_on_the_small_bar_and_films_are_saved(
    hand: Hand, short: Path, tmp_path: Path
) -> None:
    window = hand.window
    hand.load(short)
    view = hand.session.current("shape")
    hand.click_in_view(view.faces.centroid[0])
    assert window.stage.pointer_bar.isVisible() and "4 mm thick" in window.stage.bar_note.text()
    window.stage.pointer_bar.hide()
    window.stage.select(())
    hand.run()
    hand.click(window.stage.chips["Stress"])
    window.stage.playback.set_playing(False)
    hand.click_in_view(view.faces.centroid[0])  # on the shape under load as well
    assert (
        window.stage.selection == (("face", 0),)
        and "under the load" in window.stage.bar_note.text()
    )
    assert "picked" in window.stage.scene.actors and "drawn ×" in window.stage.playback.story.text()
    stage, bar = window.stage, window.stage.pointer_bar
    whole = QRect(stage.mapToGlobal(QPoint(0, 0)), stage.size())
    for x, y in (
        (5, 5),
        (stage.plotter.width() - 5, 5),
        (stage.plotter.width() - 5, stage.plotter.height() - 5),
    ):
        stage._place_bar(x, y)  # it stands whole on the stage wherever the click was
        assert whole.contains(bar.frameGeometry()), (x, y)
    window.stage.select(())
    assert "picked" not in window.stage.scene.actors
    window.stage.show_view("Mode", 0)
    for name in ("mode one.png", "mode.mp4"):
        hand.answer_open(tmp_path / name)
        hand.click(window.stage.playback.save)
        assert (tmp_path / name).stat().st_size > 2000
    import imageio.v3 as imageio

    picture, film = imageio.imread(tmp_path / "mode one.png"), imageio.imread(tmp_path / "mode.mp4")
    assert film.shape[0] == 48 and film.shape[1:3] == picture.shape[:2]
    assert np.abs(film[0].astype(int) - film[12]).max() > 40  # it moves
    hand.answer_open(tmp_path / "mode.avi")
    hand.click(window.stage.playback.save)
    assert (
        not (tmp_path / "mode.avi").exists() and "no kind of picture" in window.banner_text.text()
    )


@pytest.mark.full
@pytest.mark.parametrize("name", ["mode.gif", "mode.webp"])
def test_moving_pictures_of_other_kinds_are_saved(
    hand: Hand, short: Path, tmp_path: Path, name: str
) -> None:
    hand.load(short)
    hand.run()
    hand.window.stage.show_view("Mode", 0)
    hand.answer_open(tmp_path / name)
    hand.click(hand.window.stage.playback.save)
    assert (tmp_path / name).stat().st_size > 2000


@pytest.mark.full
def test_the_worst_of_several_cases_is_told(hand: Hand, tmp_path: Path) -> None:
    model = strip(
        force("-100 N"),
        {**force("-900 N"), "name": "more"},
        mesh={"size": "20 mm"},
        criteria={"modes": 1, "required_factor": "8"},
    )
    model["cases"] = [
        {"name": "little", "loads": [{"load": "push"}]},
        {"name": "much", "loads": [{"load": "more"}]},
    ]
    path = tmp_path / "two.json"
    path.write_text(json.dumps({"labilis": 2, **model}), encoding="utf-8")
    hand.load(path)
    hand.run()
    texts = [hand.window.case_box.itemText(row) for row in range(2)]
    assert texts[0].startswith("Case: little   ✓") and texts[1].startswith("Case: much   ✕")
    assert "Worst of 2 cases: much" in hand.window.case_box.toolTip()


@pytest.mark.full
def test_looking_at_stress_energy_and_several_modes(hand: Hand, short: Path) -> None:
    hand.load(short)
    hand.run()
    stage = hand.window.stage
    hand.click(stage.chips["Stress"])
    what = stage.playback.what
    assert [what.itemText(k) for k in range(what.count())] == [
        "worst side",
        "top",
        "middle",
        "bottom",
    ]
    strength = hand.session.case_report.facts.strength
    what.setCurrentText("middle")
    what.activated.emit(2)
    assert (
        stage.field.most == pytest.approx(float(strength.layers[1].max()))
        and "membrane" in stage.playback.unit.text()
    )
    arrows = [mark for mark in stage.glyphs.loads if mark.reaction]
    total = sum(mark.direction * float(mark.tag.split()[0]) for mark in arrows)
    assert len(arrows) >= 1 and abs(total[0]) == pytest.approx(100.0, rel=1e-3)
    mesh = hand.session.current("mesh")
    node = int(np.argmax(mesh.nodes[:, 0]))
    hand.qtbot.waitUntil(lambda: stage.scene.field is not None)
    at = hand.pixel(
        stage.scene.field.points[
            int(np.flatnonzero(stage.scene.field.point_data["node"] == node)[0])
        ]
    )
    found = stage.spot_at(at.x(), stage.plotter.height() - at.y())
    assert np.linalg.norm(mesh.nodes[found] - mesh.nodes[node]) < 25.0
    hand.click(stage.chips["Mode"])
    stage.fill_compare()
    hand.menu(stage.compare_menu, "modes 1 and 2")
    assert stage.compared.count == 2 and not stage.glyphs.supports
    stage.look("z")
    parts = [actor.GetPosition() for _, actor, _, _ in stage.compared._parts]
    assert np.linalg.norm(np.subtract(*parts)) > 10.0
    what.setCurrentText("where the energy is")
    what.activated.emit(1)
    assert "energy per volume" in stage.playback.unit.text() and stage.compared.count == 2
    stage.fill_compare()
    hand.menu(stage.compare_menu, "one shape again")
    assert stage.compared.count == 0 and stage.scene.field is not None and stage.glyphs.supports


@pytest.mark.full
def test_a_trace_is_paused_stopped_and_gone_on_with(hand: Hand) -> None:
    window, session = hand.window, hand.session
    hand.load(DEMO.parents[1] / "sensor-bracket/sensor-bracket.json")
    session.set_value(("trace", "steps"), 12, "fewer")
    session.set_value(("mesh", "size"), "8 mm", "coarser")
    hand.wait_idle()
    hand.run()
    hand.click(hand.card("Trace").tools["run the trace"])

    def steps() -> int:
        found = session.current("path")
        return 0 if found is None else found.steps

    hand.qtbot.waitUntil(lambda: steps() >= 1, timeout=90000)
    hand.click(window.banner_pause)
    assert (
        session.paused
        and window.banner_pause.text() == "go on"
        and "paused" in window.banner_text.text()
    )
    hand.qtbot.wait(300)  # what was on its way has come in
    before = steps()
    hand.qtbot.wait(1500)
    assert steps() == before and session.running is not None, "nothing moves while it is paused"
    hand.click(window.banner_pause)
    hand.qtbot.waitUntil(lambda: steps() > before, timeout=90000)
    hand.click(window.banner_pause)
    hand.click(window.run_button)  # stop, while it is paused
    hand.qtbot.waitUntil(lambda: session.running is None, timeout=3000)
    left = steps()
    tool = hand.card("Trace").tools["run the trace"]
    assert tool.text() == f"go on from step {left}" and hand.card("Trace").tools["anew"].isVisible()
    assert "Traced so far" in hand.text("Trace")
    stored = session.file.results([session_key(session)])
    assert stored[session_key(session)].steps == left, "it is in the file as well"
    hand.click(tool)
    hand.wait_idle()
    trace = session.case_report.facts.trace
    assert trace.done and len(trace.factors) - 1 > left
    assert tool.text() == "run the trace"
    session.set_value(("trace", "steps"), 14, "a few more")
    hand.wait_idle()
    assert session.current("trace") is None and tool.text().startswith("go on from step")


def session_key(session: Any) -> str:
    from labilis.run import stage_keys

    return stage_keys(session.project, session.case_name).path


@pytest.mark.full
def test_a_starting_shape_is_mixed_and_its_amplitude_taken_from_a_standard(
    hand: Hand, short: Path
) -> None:
    hand.load(short)
    hand.run()
    hand.choose("Trace", ("trace", "seeds"), "mix in mode 2")
    assert "with mode 2 0.2 mm to its own side" in hand.text("Trace")
    card = hand.card("Trace")
    span = next(
        span
        for label in card.sentences
        for span in label.sentence
        if span.text == "recommended amplitudes"
    )
    words, value = span.choices[1]
    assert "EN 1993" in words
    hand.session.set_value(("trace", "amplitude"), value, "recommended")
    hand.type_value("Trace", "none", "0.3")
    hand.wait_idle()
    assert hand.session.project.trace.modes_at == "0.3"
    hand.click(card.tools["run the trace"])
    hand.wait_idle()
    assert "About the loaded state" in hand.text("Trace")


def test_modes_show_energy_and_half_waves_and_traces_are_compared(hand: Hand, short: Path) -> None:
    hand.load(short)
    hand.run()
    drawer = hand.window.drawer
    drawer.show_page("Modes")
    report = hand.session.case_report
    assert drawer.modes.item(0, 5).data(Qt.ItemDataRole.UserRole) == pytest.approx([1.0])
    assert "strip 100 %" in drawer.modes.item(0, 5).toolTip()
    wave, count = report.half_waves[0]
    cell = drawer.modes.item(0, 6)
    assert cell.text() == f"{wave:.0f} mm" and f", {count:.2g} elements along it" in cell.toolTip()
    assert "meets 1" in drawer.modes.item(0, 7).text()
    page = drawer.trace_page
    hand.window.run_trace()
    hand.wait_idle()
    first = page.curve.trace
    hand.click(page.keep)
    assert not page.keep.isEnabled() and page.clear.isVisible()
    hand.session.set_value(("trace", "amplitude"), "2 mm", "further out")
    hand.wait_idle()
    hand.window.run_trace()
    hand.wait_idle()
    second = page.curve.trace
    assert second is not first and page.curve.kept == [("A", first)]
    change = 100 * (second.verified / first.verified - 1)
    assert (
        page.note.text()
        == f"A: one: mode 1, 0.2 mm, verified {first.verified:.4g} (now {change:+.1f} %)"
    )
    assert change < -0.5
    image = page.curve.grab().toImage()
    hand.click(page.clear)
    assert page.curve.kept == [] and page.curve.grab().toImage() != image
