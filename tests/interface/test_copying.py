"""Every number of the drawer, its curves and the ladder can be taken along with all of its
digits."""

from __future__ import annotations

import csv
import json
import re
from pathlib import Path
from typing import Any

import meshio
import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog, QTableWidget

from labilis.ui.copying import FULL, copy_menu, table_rows
from labilis.ui.drawer.chart import Chart
from labilis.ui.ladder.side_by_side import LaddersBeside
from labilis.ui.sheet.sheet import STATIONS
from tests.interface.conftest import Hand
from tests.judge.test_mistakes import flat, strip


@pytest.fixture
def run(hand: Hand, tmp_path: Path) -> Hand:
    path = tmp_path / "strip.json"
    path.write_text(
        json.dumps(strip(parameters={"t": "4 mm"}, pieces=[flat("t")], mesh={"size": "20 mm"})),
        encoding="utf-8",
    )
    hand.load(path)
    hand.run()
    return hand


def clip() -> tuple[str, str]:
    data = QGuiApplication.clipboard().mimeData()
    return data.text(), data.html()


def test_the_modes_are_copied_whole_with_all_digits(
    run: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    modes, table = run.session.current("modes"), run.window.drawer.modes
    run.window.drawer.show_page("Modes")
    assert (
        table.item(0, 2).text().endswith("%")
        and repr(float(modes.factors[0])) in table.item(0, 1).toolTip()
    )
    run.qtbot.keyClick(table, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    text, page = clip()
    rows = [line.split("\t") for line in text.split("\n")]
    assert rows[0][:3] == ["no.", "factor", "± mesh"] and len(rows) == 1 + len(modes.factors)
    assert [float(row[1]) for row in rows[1:]] == [float(value) for value in modes.factors]
    assert all(row[5].endswith("%") for row in rows[1:])  # the drawn shares, in words
    assert (
        rows[0][3] == "critical load, N" and rows[0][6] == "half wave, mm"
    )  # figures in full, with their unit
    assert [float(row[3]) for row in rows[1:]] == pytest.approx(
        [float(value) * modes.growing_force for value in modes.factors]
    )
    assert page.count("<tr>") == len(rows) and page.count("<th>") == len(rows[0])
    menu = table.menu_at(table.visualItemRect(table.item(0, 1)).center())
    run.menu(menu, f"copy {float(modes.factors[0])!r}")
    assert clip()[0] == repr(float(modes.factors[0]))
    run.answer_open(tmp_path / "modes.csv")
    run.menu(table.menu_at(QPoint(1, 1)), "save as CSV")
    with open(tmp_path / "modes.csv", encoding="utf-8") as source:
        assert [row[1] for row in csv.reader(source)][1:] == [
            repr(float(value)) for value in modes.factors
        ]


def test_the_ladder_and_curves_are_copied(run: Hand) -> None:
    ladder, modes = run.window.ladder, run.session.current("modes")
    factors = [float(row[0]) for row in ladder.rows()[1:-1]]
    assert (
        set(modes.positive.tolist()) <= set(factors)
        and ladder.rows()[-1][1] == ladder.verdict.headline
    )
    run.click(run.card("Mesh").tools["converge"])
    run.wait_idle()
    chart = next(chart for chart in run.window.findChildren(Chart) if chart.panels)
    rows = chart.rows()
    points = [(x, y) for panel in chart.panels for line in panel.lines for x, y in line.points]
    assert [(float(row[2]), float(row[4])) for row in rows[1:]] == points
    assert all("," in row[1] or "mm" in row[1] for row in rows[1:])  # what runs along has its unit


def test_everything_that_is_drawn_is_taken_along_as_figures_and_as_a_picture(
    run: Hand, tmp_path: Path
) -> None:
    """Each widget that draws figures offers them; what is saved is what is drawn: sizes, and the
    words in lines of text."""
    window = run.window
    run.window.run_trace()
    run.wait_idle()
    trace, curve = run.session.current("trace"), window.drawer.trace_page.curve
    rows = curve.rows()
    assert [float(row[4]) for row in rows[1:]] == [float(value) for value in trace.factors]
    assert [float(row[2]) for row in rows[1:]] == pytest.approx(
        [float(value) for value in trace.probe]
    ) and rows[1][1].endswith("mm")
    run.session.show_in("in-lbf-psi")
    assert [25.4 * float(row[2]) for row in curve.rows()[1:]] == pytest.approx(
        [float(value) for value in trace.probe]
    )
    assert curve.rows()[1][1].endswith(", in")
    drawings = [
        curve,
        window.ladder,
        *(chart for chart in window.findChildren(Chart) if chart.panels),
    ]
    for number, drawing in enumerate(drawings):
        for ending in ("png", "svg", "pdf"):
            path = tmp_path / f"{number}.{ending}"
            run.answer_open(path)
            menu = copy_menu(drawing, drawing.rows, drawing=drawing)
            run.menu(menu, "save as picture")
            assert path.read_bytes()[:5] in (b"\x89PNG\r", b"<?xml", b"%PDF-")
        from PIL import Image

        assert Image.open(tmp_path / f"{number}.png").size == (
            3 * drawing.width(),
            3 * drawing.height(),
        )
        text = (tmp_path / f"{number}.svg").read_text(encoding="utf-8")
        assert f"0 0 {drawing.width()} {drawing.height()}" in text and "<text" in text
    run.answer_open(tmp_path / "none" / "ladder.svg")
    window.save_ladder()
    assert "could not be written" in window.banner_text.text()
    run.answer_open(tmp_path / "ladder.bmp")
    window.save_ladder()
    assert (
        "could not be written" in window.banner_text.text()
        and not (tmp_path / "ladder.bmp").exists()
    )


def test_ladders_beside_each_other_give_their_factors(run: Hand) -> None:
    beside = LaddersBeside()
    run.qtbot.addWidget(beside)
    assert beside.rows() == [["design", "what", "factor"]]
    beside.show_ladders([("first", run.window.ladder.rungs), ("second", run.window.ladder.rungs)])
    rows = beside.rows()[1:]
    assert {row[0] for row in rows} == {"first", "second"} and ["first", "mode 1"] in [
        row[:2] for row in rows
    ]
    assert {float(row[2]) for row in rows} >= set(run.session.current("modes").positive.tolist())


@pytest.mark.full
def test_every_number_that_a_table_rounds_has_its_digits(run: Hand) -> None:
    """Walks all tables of the window: a cell whose words are one number with more digits behind
    it gives them."""
    run.click(run.card("Mesh").tools["converge"])
    run.wait_idle()
    seen = 0
    for table in run.window.findChildren(QTableWidget):
        rows = table_rows(table)
        assert all(len(row) == table.columnCount() for row in rows)
        for row in range(table.rowCount()):
            for column in range(table.columnCount()):
                item = table.item(row, column)
                full = None if item is None else item.data(FULL)
                if full is None:
                    continue
                seen += 1
                if item.text().startswith("> "):
                    assert float(full) > float(item.text()[2:])
                    continue
                shown, last = _number(item.text())
                digits = full
                if (
                    table.accessibleName() == "Numbers of the check"
                ):  # each row has a unit of its own
                    digits, _, unit = full.partition(" ")
                    assert unit == "" or unit in item.text() or unit.lstrip("kMG") in item.text()
                    last = max(
                        last, 1e-3 * abs(shown)
                    )  # what is stated is shown as it was typed: 210 GPa
                    shown = shown * {"GPa": 1e3}.get(item.text().split()[-1], 1.0)
                assert abs(float(digits) - shown) <= 0.5001 * last, (
                    table.accessibleName(),
                    item.text(),
                    full,
                )
                assert rows[1 + row][column] == full and full in item.toolTip()
    assert seen >= 12


BARE = re.compile(r"[<>≈] ?|usual: |± ?| (N|kN|MN|MPa|mm|mm²|mm⁴|kg|%|K|s)( pull)?| above| below")


@pytest.mark.full
def test_no_cell_shows_a_number_that_cannot_be_had_in_full(run: Hand) -> None:
    """Every cell of every table that is one number, with or without a unit, gives all of its
    digits; numbers of things do not round."""
    run.click(run.card("Mesh").tools["converge"])
    run.wait_idle()
    run.window.run_trace()
    run.wait_idle()
    run.window.drawer.show_page("Hand checks")
    without, seen = [], set()
    for table in run.window.findChildren(QTableWidget):
        for row in range(table.rowCount()):
            for column in range(table.columnCount()):
                item, head = table.item(row, column), table.horizontalHeaderItem(column)
                words = "" if item is None else BARE.sub("", item.text().replace(",", ""))
                if not re.fullmatch(r"[-+−]?\d+(\.\d+)?(e[-+]?\d+)?", words):
                    continue
                seen.add(table.accessibleName())
                counted = (
                    re.fullmatch(r"\d+", words) and head is not None and head.text() in COUNTED
                )
                if item.data(FULL) is None and not counted:
                    without.append((table.accessibleName(), head and head.text(), item.text()))
    assert not without and seen >= {"Modes", "Screening", "Hand checks"}, (without, seen)


def test_every_sentence_gives_the_numbers_that_were_found_in_full(run: Hand) -> None:
    """Walks all sentences of all stations: a number with a decimal point that nobody typed is
    told with all of its digits."""
    run.click(run.card("Mesh").tools["converge"])
    run.wait_idle()
    run.window.run_trace()
    run.wait_idle()
    found = 0
    for station in STATIONS:
        run.window.sheet.open_station(station)
        for label in run.window.sheet.cards[station].sentences:
            for span in label.sentence:
                said = [_number(words) for words, _ in span.figures]
                for words, full in span.figures:
                    value, last = _number(words)
                    assert (
                        abs(_number(full)[0] - value) <= 0.5001 * last
                        and words.split(" ")[0] in span.text
                    ), (words, full)
                    assert full in label.toolTip()
                    found += 1
                numbers = (
                    []
                    if span.path is not None
                    else re.findall(r"(?<![\w.±] )(?<![\w.])\d[\d,]*\.\d+(?! of 1)", span.text)
                )
                for number in numbers:
                    value = float(number.replace(",", ""))
                    there = [abs(one) / scale for one, _ in said for scale in (1.0, 1e3, 1e6)]
                    assert any(value == pytest.approx(one) for one in there), (span.text, number)
    assert found >= 8
    label = next(
        label for label in run.card("Strength").sentences if "Moves" in label.sentence[0].text
    )
    moved = run.session.current("strength").max_displacement
    menu = label.menu()
    run.menu(menu, f"copy {moved!r} mm")
    assert clip()[0] == f"{moved!r} mm"
    run.menu(menu, "copy the sentence")
    assert clip()[0] == label.sentence[0].text
    assert label.textInteractionFlags() & Qt.TextInteractionFlag.TextSelectableByMouse


COUNTED = ("no.", "elements", "unknowns")


def _number(words: str) -> tuple[float, float]:
    """(value, what its last digit is worth): '2.255 kN' is (2255, 1), '3.3 ± 1 %' is (3.3, 0.1)."""
    words = words.removeprefix("usual: ")
    found: Any = re.match(r"([-+−]?\d+)(\.\d+)?(e[-+]?\d+)?", words.replace(",", ""))
    scale = {"kN": 1e3, "MN": 1e6, "below": -1.0}.get(words.split()[-1], 1.0) * float(
        f"1{found.group(3) or ''}"
    )
    return float((found.group(1) + (found.group(2) or "")).replace("−", "-")) * scale, 10.0 ** (
        1 - len(found.group(2) or ".")
    ) * abs(scale)


def test_any_rung_becomes_a_case_of_its_own(run: Hand) -> None:
    ladder, session = run.window.ladder, run.session
    rung = next(number for number, rung in enumerate(ladder.rungs) if rung.mode == 0)
    factor = ladder.rungs[rung].factor
    run.menu(ladder.menu_at(rung), "× the growing loads")
    assert session.case_name == f"one at {factor:.4g}" and len(session.project.cases) == 2
    run.run()
    first = session.current("modes").positive[0]
    assert first == pytest.approx(1.0, rel=1e-6)  # the new service load is the critical one
    assert not session.case_report.verdict.meets
    run.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert len(session.project.cases) == 1 and session.case_name == "one"


def test_results_the_part_and_the_moved_surface_are_written_from_the_window(
    hand: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "strip.json"
    path.write_text(json.dumps(strip(mesh={"size": "20 mm"})), encoding="utf-8")
    hand.load(path)
    window = hand.window
    monkeypatch.setattr(
        QFileDialog, "getExistingDirectory", staticmethod(lambda *_a, **_k: str(tmp_path / "out"))
    )
    window.export_results()
    assert "nothing to export" in window.banner_text.text()
    for name in ("surface.stl", "part"):
        monkeypatch.setattr(
            QFileDialog,
            "getSaveFileName",
            staticmethod(lambda *_a, name=name, **_k: (str(tmp_path / name), "")),
        )
        if name == "surface.stl":
            window.save_film()
            assert "No moved surface is shown" in window.banner_text.text()
            hand.run()
            window.stage.show_view("Mode")
            window.save_film()
            points = meshio.read(tmp_path / name).points
            assert np.ptp(points[:, 2]) > 5.0  # a strip of 4 mm as it is drawn in its first mode
            assert "the size of a mode has no meaning" in hand.session.journal[-1]
            window.stage.show_view("Stress")
            window.save_film()
            assert "drawn × " in hand.session.journal[-1]
            monkeypatch.setattr(
                QFileDialog,
                "getSaveFileName",
                staticmethod(lambda *_a, **_k: (str(tmp_path / "none/x.stl"), "")),
            )
            window.save_film()
            assert "cannot be written" in window.banner_text.text()
        else:
            window.export_part()
            hand.wait_idle()
            assert (
                tmp_path / "part.step"
            ).stat().st_size > 2000 and "Part written" in hand.session.journal[-1]
    window.export_results()
    assert hand.session.running is not None  # the window stays usable
    hand.wait_idle()
    written = {item.suffix for item in (tmp_path / "out").iterdir()}
    assert written == {".vtu", ".csv"} and "3 files written" in hand.session.journal[-1]


def test_a_hand_check_is_copied_as_a_calculation(run: Hand) -> None:
    page = run.window.drawer.hand
    run.window.drawer.show_page("Hand checks")
    page.table.selectRow(0)
    run.click(page.copy)
    text, table = clip()
    rows = [line.split("\t") for line in text.splitlines()]
    assert rows[0][0].startswith("Euler, strip, case one") and rows[1] == [
        "formula",
        page.formula.text(),
        "",
    ]
    assert {row[0] for row in rows} >= {
        "gives",
        "factor",
        "holds for",
        "source",
    } and "<table>" in table
