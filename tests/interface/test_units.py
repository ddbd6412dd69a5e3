"""With another set of units no figure of any screen is left in the first one, and none differs
beyond its rounding."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractButton, QComboBox, QLabel, QLineEdit, QTableWidget, QWidget

from labilis.edit.variants import design_names, design_of
from labilis.model import shown
from labilis.report.content import Figure, Table, Words, content_of
from labilis.results.stress_measures import von_mises
from labilis.run import judge_project
from labilis.ui.copying import table_rows
from tests.interface.conftest import Hand
from tests.judge.test_mistakes import flat, force, strip

METRIC = re.compile(r"(?<![\w^/+])(mm[²³⁴]?|mm\^[234]|MN|kN|N|MPa|GPa|kg|m/s\^?²?2?)(?![\w])")
CHOICE = {"mm N MPa", "m kN MPa"}  # the names of the sets on offer


def inches(data: dict[str, Any]) -> dict[str, Any]:
    """A model with everything typed in in, lbf, psi and lb."""

    def one(found: re.Match[str]) -> str:
        number, unit = float(found[1]), found[2]
        into = {
            "mm": (25.4, "in"),
            "N": (4.4482216152605, "lbf"),
            "MPa": (0.006894757293168361, "psi"),
            "GPa": (6.894757293168361e-6, "psi"),
            "kg/m^3": (27679.9047102, "lb/in^3"),
        }[unit]
        return f"{number / into[0]:.12g} {into[1]}"

    text = json.dumps(data)
    return json.loads(
        re.sub(
            r"(-?\d+(?:\.\d+)?) "
            r"(mm|N|MPa|GPa|kg/m\^3)(?=\")",
            one,
            text,
        )
    )  # type: ignore[no-any-return]


def words_of(widget: QWidget) -> list[str]:
    """All that a window says anywhere, hidden pages and tips included."""
    found: list[str] = []
    for child in widget.findChildren(QWidget):
        found += [
            child.toolTip(),
            child.accessibleName(),
            child.accessibleDescription(),
            child.statusTip(),
        ]
        if isinstance(child, QLabel | QAbstractButton | QLineEdit):
            found.append(child.text())
        if isinstance(child, QLineEdit):
            found.append(child.placeholderText())
        if isinstance(child, QComboBox):
            found += [child.itemText(number) for number in range(child.count())]
        if isinstance(child, QTableWidget):
            for column in range(child.columnCount()):
                if (head := child.horizontalHeaderItem(column)) is not None:
                    found += [head.text(), head.toolTip()]
                for row in range(child.rowCount()):
                    if (item := child.item(row, column)) is not None:
                        found += [item.text(), item.toolTip()]
        panels = getattr(child, "panels", ())
        found += [
            text
            for panel in panels
            for text in (panel.under, panel.beside, *(line.name for line in panel.lines))
        ]
    return [
        text
        for text in found
        if text and text not in CHOICE and not text.startswith("Show figures in")
    ]


def metric(texts: list[str]) -> list[str]:
    return [
        text
        for text in texts
        if METRIC.search(
            re.sub(r"<[^>]*>", " ", text).replace("mm N MPa", "").replace("m kN MPa", "")
        )
    ]


@pytest.fixture
def ran(hand: Hand, tmp_path: Path) -> Hand:
    """A strip in inches, with all that can be run quickly."""
    model = strip(
        force("-100 N"),
        mesh={"size": "15 mm"},
        criteria={"modes": 2, "mesh_error": False},
        trace={"steps": 4, "amplitude": "0.3 mm"},
    )
    path = tmp_path / "strip.json"
    path.write_text(json.dumps({**inches(model), "units": "in-lbf-psi"}), encoding="utf-8")
    hand.load(path)
    for plan in ("modes", "trace"):
        hand.session.run(plan)
        hand.wait_idle()
    return hand


def test_no_metric_unit_is_left_on_any_screen(ran: Hand) -> None:
    window, stage = ran.window, ran.window.stage
    assert shown.chosen() == "in-lbf-psi"
    told: set[str] = set()
    for station in window.sheet.cards:
        window.sheet.open_station(station)
        told |= set(words_of(window))
    for page in (
        "Modes",
        "Screening",
        "Hand checks",
        "Studies",
        "Trace",
        "Improve",
        "Evidence",
        "Journal",
    ):
        window.drawer.show_page(page)
        told |= set(words_of(window))
    for view in ("Shape", "Mesh", "Stress", "Mode", "Trace"):
        stage.show_view(view, 0 if view == "Mode" else None)
        for what in range(stage.playback.what.count()):
            stage.playback.what.setCurrentIndex(what)
            stage.playback.what_changed.emit()
            ran.qtbot.wait(20)
            told |= set(words_of(window))
            if stage.field is not None:
                told |= {stage.field.unit, stage.field.story, stage.field.high}
                from labilis.ui.stage.fields import spot_words

                told |= set(spot_words(stage.field, ran.session.current("mesh"), 0))
    view = ran.session.current("shape")
    for of, table in (("face", view.faces), ("edge", view.edges)):
        for number in range(len(table)):
            told |= set(stage.describe((of, number)))
    stage.show_view("Shape")
    for picked in ((("face", 0),), (("edge", 0),), (("edge", 0), ("edge", 1))):
        stage.select(picked)
        ran.qtbot.wait(20)
        told |= set(words_of(window))
    told |= {text for rung in window.ladder.rungs for text in (rung.title, rung.note, rung.story)}
    told |= {tag.GetInput() for tag in stage.glyphs._tags}
    assert (
        len(told) > 300
        and any(" in" in text for text in told)
        and any("psi" in text for text in told)
    )
    assert metric(sorted(told)) == []


@pytest.mark.full
def test_no_metric_unit_is_left_in_the_report(ran: Hand) -> None:
    told: list[str] = []
    for section in content_of(
        ran.session.project, ran.session.report, ran.session.results
    ).sections:
        told.append(section.title)
        for block in section.blocks:
            if isinstance(block, Words):
                told.append(block.text)
            elif isinstance(block, Table):
                told += [block.caption, *block.heads, *(cell for row in block.rows for cell in row)]
            elif isinstance(block, Figure):
                told += [block.caption, block.alt, block.svg or ""]
    assert len(told) > 100 and metric(told) == []


@pytest.mark.full
def test_the_trace_in_the_report_runs_over_the_motion_in_the_unit_that_stands_under_it(
    ran: Hand,
) -> None:
    """Read back from the drawing: the place of a number on the axis says how far the axis goes."""
    reach = float(abs(ran.session.current("trace").probe).max())
    for name, unit in (("in-lbf-psi", "in"), ("mm-N-MPa", "mm")):
        project = ran.session.project.changed(units=name)
        found = content_of(
            project, judge_project(project, ran.session.results), ran.session.results
        ).sections
        curve = next(
            block
            for section in found
            if section.key == "trace"
            for block in section.blocks
            if isinstance(block, Figure)
        )
        assert f"moves most, {unit}<" in curve.svg
        ticks = [
            (float(at), float(number))
            for at, number in re.findall(r'<text x="([\d.]+)" y="228"[^>]*>([^<]+)<', curve.svg)
        ]
        at, number = ticks[-1]
        assert number > 0 and 470 * number / (at - 56) == pytest.approx(
            reach / shown.per("length"), rel=0.02
        )


def test_every_figure_of_every_table_means_the_same_in_other_units(ran: Hand) -> None:
    """In full: as it was, or by the factor of the unit that stands above its column."""
    session, window = ran.session, ran.window
    for study in ("tilt", "converge"):
        session.run(study)
        ran.wait_idle()
    units = {"in": "mm", "lbf": "N", "psi": "MPa", "lb": "kg", "lbf in": "N mm"}
    sizes = {"in": 25.4, "lbf": 4.4482216152605, "psi": 0.006894757293168361, "lb": 0.45359237}
    sizes["lbf in"] = sizes["lbf"] * sizes["in"]

    def tables() -> dict[str, list[list[str]]]:
        found = {}
        for page in ("Modes", "Screening", "Hand checks", "Studies", "Improve"):
            window.drawer.show_page(page)
            found |= {
                table.accessibleName(): table_rows(table)
                for table in window.drawer.findChildren(QTableWidget)
            }
        return found

    before, studies = tables(), window.drawer.studies
    charts = [
        (panel.under, [line.points for line in panel.lines])
        for panel in studies.convergence.chart.panels
    ]
    session.show_in("mm-N-MPa")
    after, compared = tables(), 0
    for name, rows in before.items():
        for column, (head, metric_head) in enumerate(zip(rows[0], after[name][0])):
            unit = head.rpartition(", ")[2]
            times = sizes.get(unit, 1.0)
            assert metric_head == (
                head if times == 1.0 else head.removesuffix(unit) + units[unit]
            ), name
            for row, metric_row in zip(rows[1:], after[name][1:]):
                try:
                    one, other = float(row[column]), float(metric_row[column])
                except ValueError:
                    continue
                assert other == pytest.approx(times * one, rel=1e-9), (name, head)
                compared += times != 1.0
    assert compared >= 12
    ((under, lines),) = charts
    (panel,) = studies.convergence.chart.panels
    assert under == "element size, in" and panel.under == "element size, mm"
    for line, metric_line in zip(lines, panel.lines):
        for (x, y), (x_metric, y_metric) in zip(line, metric_line.points):
            assert x_metric == pytest.approx(25.4 * x) and y_metric == y


@pytest.mark.full
def test_values_on_the_stage_are_those_of_the_results(ran: Hand) -> None:
    stage, strength, trace = (
        ran.window.stage,
        ran.session.current("strength"),
        ran.session.current("trace"),
    )
    for name, stress, length in (
        ("in-lbf-psi", 0.006894757293168361, 25.4),
        ("m-kN-MPa", 1.0, 1000.0),
    ):
        ran.session.show_in(name)
        stage.show_view("Stress")
        assert (
            stage.field.values * stress == pytest.approx(von_mises(strength.stress))
            and stage.field.most == stage.field.values.max()
        )
        stage.show_view("Trace")
        assert stage.field.most * length == pytest.approx(
            float(np.linalg.norm(trace.motions[-1], axis=1).max())
        )


def test_what_the_command_line_asked_for_ends_with_a_choice_in_the_window(hand: Hand) -> None:
    shown.ask("in-kip-ksi")
    hand.menu(hand.window.stage.units_menu, "in lbf psi")
    assert shown.chosen() == "in-lbf-psi"


def test_a_point_of_a_plot_is_clicked_in_any_units(hand: Hand, tmp_path: Path) -> None:
    path = tmp_path / "plan.json"
    model = strip(
        force("-100 N"),
        parameters={"t": "4 mm"},
        pieces=[flat("t")],
        mesh={"size": "20 mm"},
        units="in-lbf-psi",
        criteria={"modes": 1, "mesh_error": False},
        plans=[{"name": "p", "vary": [{"parameter": "t", "values": ["3 mm", "5 mm"]}]}],
    )
    path.write_text(json.dumps(model), encoding="utf-8")
    hand.load(path)
    hand.window.drawer.show_page("Improve")
    hand.window.sheet.open_station("Improve")
    hand.click(hand.window.sheet.trials_tool)
    hand.wait_idle()
    page = hand.window.drawer.improve
    for plot in range(page.plot_box.count()):
        page.plot_box.setCurrentIndex(plot)
        page.plot_box.activated.emit(plot)
        hand.qtbot.wait(60)
        assert "mm" not in page.chart.panels[0].under and "kg" not in page.chart.panels[0].under
        picked = set()
        for place, _, _ in list(page.chart.spots):
            page.table.clearSelection()
            hand.qtbot.mouseClick(page.chart, Qt.MouseButton.LeftButton, pos=place.toPoint())
            picked |= {index.row() for index in page.table.selectedIndexes()}
        assert picked == {0, 1}, page.plot_box.itemText(plot)
    heads = table_rows(page.table)[0]
    assert "mass, lb" in heads


@pytest.mark.full
def test_choosing_units_changes_figures_and_no_statement_and_no_result(ran: Hand) -> None:
    session, window = ran.session, ran.window
    results, stated = dict(session.results), session.project
    window.drawer.show_page("Modes")
    load = window.drawer.modes.item(0, 3).text()
    rows = table_rows(window.drawer.modes)
    assert rows[0][3] == "critical load, lbf" and float(rows[1][3]) == pytest.approx(
        float(load.split()[0]), rel=1e-3
    )
    ran.menu(window.stage.units_menu, "mm N MPa")
    assert (
        session.project.units == "mm-N-MPa" and stated.changed(units="mm-N-MPa") == session.project
    )
    assert session.running is None and any(
        session.current("modes") is result for result in results.values()
    )
    newton = window.drawer.modes.item(0, 3).text()
    rows = table_rows(window.drawer.modes)
    assert rows[0][3] == "critical load, N" and float(rows[1][3]) == pytest.approx(
        1000 * float(newton.split()[0]), rel=1e-3
    )
    assert load.endswith(" lbf") and newton.endswith(" kN")
    assert float(newton.split()[0]) == pytest.approx(
        4.4482216152605e-3 * float(load.split()[0]), rel=1e-3
    )
    assert "MPa" in ran.text("Strength") and " in " in ran.text("Part")  # what was typed stays
    session.undo()
    assert session.project.units == "in-lbf-psi" and window.drawer.modes.item(0, 3).text() == load


def test_what_was_typed_is_left_alone_by_every_edit(hand: Hand, tmp_path: Path) -> None:
    """In other units than it was typed in, renamed, in another design, tried or taken back:
    rounding would make another part of it."""
    path = tmp_path / "strip.json"
    path.write_text(json.dumps({**strip(force("-100 N")), "units": "in-lbf-psi"}), encoding="utf-8")
    hand.load(path)
    session = hand.session
    session.set_value(("pieces", 0, "name"), "other", "renamed")
    session.set_value(("loads", 0, "name"), "shove", "renamed")
    assert session.project.pieces[0].recipe.thickness == "4 mm"  # type: ignore[union-attr]
    assert session.project.loads[0].components[0] == "-100 N"  # type: ignore[union-attr, index]
    first = session.project.design
    session.improving.keep_design("second")
    session.improving.choose_design("second")
    session.set_value(("pieces", 0, "name"), "third", "renamed")
    session.set_value(("pieces", 0, "recipe", "thickness"), "3 mm", "thinner")
    for name in (first, "second", first):
        session.improving.choose_design(name)
    hand.wait_idle()
    texts = [
        leaf.text
        for design in design_names(session.project)
        for leaf, kind in design_of(session.project, design).quantities()
        if kind in ("length", "force")
    ]
    assert {"4 mm", "3 mm", "-100 N"} <= set(texts) and not any(
        text.endswith((" in", " lbf")) for text in texts
    ), texts


def test_new_statements_are_written_in_the_units_that_are_shown(hand: Hand) -> None:
    hand.menu(hand.window.stage.units_menu, "in lbf psi")
    hand.window.add_piece("plate")
    hand.wait_idle()
    assert hand.session.project.units == "in-lbf-psi"
    assert hand.session.project.pieces[0].recipe.thickness == "0.12 in"  # type: ignore[union-attr]
    hand.window.stage.select((("face", 0),))
    hand.window.push_picked("pressure")
    assert (
        hand.session.project.loads[0].pressure == "14.5 psi"
        or hand.session.project.loads[0].pressure == "15 psi"
    )  # type: ignore[union-attr]
    hand.window.add_piece("rib")
    assert all(
        "mm" not in text
        for text in re.findall(r'"[^"]*"', hand.session.project.to_json())
        if "in-lbf" not in text
    )
