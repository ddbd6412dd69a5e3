"""The station Report: its head, sections in and out, and the document that is written while the
window stays usable."""

from __future__ import annotations

import io
import json
from pathlib import Path
from typing import Any

import pytest
from PyQt6.QtCore import QModelIndex, QRect, QRectF, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtPdf import QPdfLinkModel
from PyQt6.QtWidgets import QFileDialog

from labilis.model.report import SECTION_KEYS
from labilis.report.blocks import Source, source_of
from tests.interface.conftest import Hand
from tests.judge.test_mistakes import strip
from tests.judge.test_wrong_and_right import QUICK, written


def made(hand: Hand, *words: str) -> Any:
    """The pages that are looked at, when they are made and say these words."""

    def now() -> bool:
        preview = hand.window.preview
        if preview is None or not preview.isVisible() or "Out of date" in preview.count.text():
            return False
        text = "".join(
            preview.document.getAllText(page).text() for page in range(preview.document.pageCount())
        )
        return all(word in text for word in words)

    hand.qtbot.waitUntil(now, timeout=90_000)
    return hand.window.preview


def links(preview: Any) -> list[tuple[int, Any, Source]]:
    """(page, rectangle in points, where it leads) of every figure of the pages."""
    model, found = QPdfLinkModel(), []
    model.setDocument(preview.document)
    for page in range(preview.document.pageCount()):
        model.setPage(page)
        for row in range(model.rowCount(QModelIndex())):
            link = model.data(model.index(row, 0), QPdfLinkModel.Role.Link.value)
            source = source_of(link.url().toString())
            if source is not None:
                found += [(page, rect, source) for rect in link.rectangles()]
    return found


def click_link(hand: Hand, preview: Any, page: int, rect: Any) -> None:
    view, bar = preview.view, preview.view.verticalScrollBar()
    scale = view.page_rects()[page].width() / preview.document.pagePointSize(page).width()
    bar.setValue(
        bar.value()
        + int(
            view.page_rects()[page].top() + rect.center().y() * scale - view.viewport().height() / 2
        )
    )
    hand.qtbot.wait(30)
    place = view.page_rects()[page].topLeft() + rect.center() * scale
    assert view.source_at(place) is not None
    hand.qtbot.mouseClick(view.viewport(), Qt.MouseButton.LeftButton, pos=place.toPoint())
    hand.qtbot.wait(30)


def test_the_pages_are_kept_as_things_stand_and_lead_to_where_figures_come_from(
    hand: Hand, tmp_path: Path
) -> None:
    without = [
        "mesh",
        "strength",
        "screening",
        "hand checks",
    ]  # drawing them takes most of the time
    model = strip(
        **QUICK,
        criteria={"modes": 2},
        report={"prepared_for": "Harbour office", "left_out": without},
    )
    model["cases"].append({"name": "two", "loads": model["cases"][0]["loads"]})
    hand.load(written(tmp_path, model, "strip"))
    hand.click(hand.card("Report").tools["look at its pages"])
    assert (
        "nothing to report yet" in hand.window.banner_text.text()
        and not hand.window.preview.isVisible()
    )
    hand.run()
    hand.click(hand.card("Report").tools["look at its pages"])
    preview = made(hand, "Harbour office")
    assert preview.document.pageCount() >= 3 and "pages" in preview.count.text()
    hand.type_value(
        "Report", "Harbour office", "Pilot office"
    )  # statements of the report alone: made anew by itself
    assert "Out of date: they are being made anew" in preview.count.text()
    made(hand, "Pilot office")
    found = links(preview)
    assert {source.section for _, _, source in found} >= {
        "verdict",
        "part",
        "supports",
        "loads",
        "modes",
        "evidence",
        "limits",
    }
    assert {source.case for _, _, source in found if source.section == "modes"} == {"one", "two"}
    page, rect, _ = next(
        link
        for link in found
        if link[2].section == "modes" and link[2].mode == 1 and link[2].case == "two"
    )
    hand.window.drawer.show_page("Journal")
    click_link(hand, preview, page, rect)
    assert (
        hand.session.case_name == "two"
        and hand.window.stage.mode == 1
        and hand.window.stage.view_name == "Mode"
    )
    assert hand.window.drawer.tabs["Modes"].isChecked() and hand.window.sheet.open_name == "Modes"
    page, rect, _ = next(
        link for link in found if link[2].section == "evidence" and link[2].case == "one"
    )
    click_link(hand, preview, page, rect)
    assert hand.session.case_name == "one" and hand.window.drawer.tabs["Evidence"].isChecked()
    # what is drawn where a link is said to lie is its words: ink there, none in the margin beside
    # it
    bar = preview.view.verticalScrollBar()
    bar.setValue(0)
    hand.qtbot.wait(300)
    picture, rects = preview.view.viewport().grab().toImage(), preview.view.page_rects()
    scale = rects[0].width() / preview.document.pagePointSize(0).width()
    words = next(rect for page, rect, _ in found if page == 0)
    box = QRectF(rects[0].topLeft() + words.topLeft() * scale, words.size() * scale).toRect()
    assert (
        ink(picture, box) > 0.02
        and ink(picture, box.translated(8 - box.left(), 0).intersected(QRect(8, 0, 20, 9999)))
        == 0.0
    )
    # a change of the part makes them old until the next run, and they never show as today's in
    # between
    hand.type_value("Mesh", "20 mm", "18 mm")
    assert "run first" in preview.count.text()
    hand.qtbot.wait(900)
    assert "run first" in preview.count.text()
    hand.run()
    made(hand)
    hand.key(Qt.Key.Key_Escape)
    preview.close()
    hand.type_value("Report", "Pilot office", "Third office")
    hand.qtbot.wait(700)
    assert not hand.window.printer.busy and not preview.isVisible()


def ink(picture: QImage, box: QRect) -> float:
    """Share of dark dots in a box."""
    dots = [
        picture.pixelColor(x, y).lightness() < 128
        for x in range(box.left(), box.right())
        for y in range(box.top(), box.bottom())
    ]
    return sum(dots) / max(len(dots), 1)


def test_pages_that_were_being_made_when_something_changed_are_not_shown_as_todays(
    hand: Hand, tmp_path: Path
) -> None:
    bare = [key for key in SECTION_KEYS if key not in ("verdict", "limits")]
    report = {"prepared_for": "Harbour office", "left_out": bare}
    hand.load(written(tmp_path, strip(**QUICK, criteria={"modes": 2}, report=report), "strip"))
    hand.run()
    hand.click(hand.card("Report").tools["look at its pages"])
    preview = made(hand, "Harbour office")
    hand.type_value("Report", "Harbour office", "Pilot office")
    hand.qtbot.waitUntil(lambda: hand.window.printer.busy, timeout=9000)
    hand.type_value("Report", "Pilot office", "Third office")
    made(hand, "Third office")
    hand.type_value("Report", "Third office", "Last office")
    hand.qtbot.waitUntil(lambda: hand.window.printer.busy, timeout=9000)
    hand.type_value(
        "Mesh", "20 mm", "18 mm"
    )  # old at once, and what is made meanwhile does not change that
    hand.qtbot.waitUntil(
        lambda: "Last office" in preview.document.getAllText(0).text(), timeout=60_000
    )
    assert "run first" in preview.count.text()


def test_a_report_is_headed_trimmed_and_written(hand: Hand, tmp_path: Path) -> None:
    hand.load(written(tmp_path, strip(**QUICK), "strip"))
    hand.answer_open(tmp_path / "early.pdf")
    hand.click(hand.card("Report").tools["write the report"])
    assert (
        "nothing to report yet" in hand.window.banner_text.text()
        and not (tmp_path / "early.pdf").exists()
    )
    hand.run()
    hand.type_value("Report", "none", "V-17")
    assert "number V-17" in hand.text("Report")
    hand.type_value("Report", "nobody named", "Harbour office")
    hand.choose("Report", ("report", "left_out"), "leave it out")  # the verdict stands first
    assert hand.session.project.report.left_out == (
        "verdict",
    ) and "Left out: verdict" in hand.text("Report")
    assert hand.session.current("modes") is not None  # nothing of it makes results old
    hand.choose("Report", ("report", "notes"), "at modes")
    hand.type_value("Report", "Click here and write", "The first mode is the one that counts.")
    path = tmp_path / "report.html"
    hand.answer_open(path)
    hand.click(hand.card("Report").tools["write the report"])
    hand.wait_idle(120)
    page = path.read_text(encoding="utf-8")
    for words in (
        "V-17",
        "Harbour office",
        "The first mode is the one that counts.",
        "Modes of one",
    ):
        assert words in page
    assert "Gates of the verdict" not in page
    assert any("Report written" in line for line in hand.session.journal)
    factor = hand.session.case_report.facts.modes.positive[0]
    assert f"{factor:.5g}" in page
    hand.answer_open(tmp_path / "report.txt")
    hand.click(hand.card("Report").tools["write the report"])
    assert "written as .pdf" in hand.window.banner_text.text()
    assert json.loads(hand.session.project.to_json())["report"]["number"] == "V-17"


def test_a_view_and_a_logo_go_into_the_report(
    hand: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from PIL import Image

    path = tmp_path / "strip.json"
    path.write_text(json.dumps(strip(mesh={"size": "20 mm"})), encoding="utf-8")
    window = hand.window
    window.keep_view()
    assert "Nothing is shown" in window.banner_text.text()
    hand.load(path)
    hand.run()
    window.stage.show_view("Mode")
    tools = hand.card("Report").tools
    hand.click(tools["+ this view"])
    window.stage.show_view("Mesh")
    hand.click(tools["+ this view"])
    report = hand.session.project.report
    assert [item.file for item in report.pictures] == ["picture 1.png", "picture 2.png"]
    assert "Picture 1: Mode of" in hand.text("Report") and "at part" in hand.text("Report")
    hand.type_value("Report", "Mode of", "As it bulges")
    hand.choose("Report", ("report", "pictures"), "at modes")
    picture = hand.session.project.report.pictures[0]
    assert (picture.caption, picture.section) == ("As it bulges", "modes")
    image = Image.open(io.BytesIO(hand.session.files[picture.sha256]))
    assert (
        image.width > 300 and len(set(image.convert("RGB").resize((40, 40)).getdata())) > 20
    )  # something is drawn
    logo = tmp_path / "picture 1.png"  # another picture under a name that is taken
    Image.new("RGB", (90, 30), "green").save(logo)
    monkeypatch.setattr(
        QFileDialog, "getOpenFileName", staticmethod(lambda *_a, **_k: (str(logo), ""))
    )
    hand.click(hand.card("Report").tools["logo…"])
    assert hand.session.project.report.logo.file == "picture 3.png"
    assert "Logo: picture" in hand.text("Report")
    hand.session.save(tmp_path / "kept.labilis")
    hand.session.open(tmp_path / "kept.labilis")
    hand.wait_idle()
    hand.session.outputs.write_report(tmp_path / "r.html")
    hand.wait_idle()
    page = (tmp_path / "r.html").read_text(encoding="utf-8")
    assert "As it bulges" in page and 'alt="Logo"' in page
    hand.choose("Report", ("report", "pictures"), "take it out")
    assert len(hand.session.project.report.pictures) == 1
    logo.write_bytes(b"no picture")
    hand.click(hand.card("Report").tools["logo…"])
    assert "is no PNG" in window.banner_text.text()


def test_a_report_is_checked_in_the_window_beside_what_is_stated(
    hand: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It holds; a figure changed by hand is named; and so is a statement that was changed since."""
    hand.load(written(tmp_path, strip(**QUICK), "strip"))
    hand.run()
    path = tmp_path / "r.html"
    hand.session.outputs.write_report(path)
    hand.wait_idle(120)
    monkeypatch.setattr(
        QFileDialog, "getOpenFileName", staticmethod(lambda *_a, **_k: (str(path), ""))
    )

    def said() -> str:
        hand.click(hand.card("Report").tools["check a report…"])
        hand.wait_idle(120)
        return hand.window.banner_text.text()

    assert said().startswith("The report holds. ") and "figures were found again" in said()
    assert hand.session.journal[-1].endswith("The report holds.") and any(
        "✓ one: " in line for line in hand.session.journal
    )
    factor = f"{hand.session.current('modes').positive[0]:.5g}"
    page = path.read_text(encoding="utf-8")
    path.write_text(page.replace(f"<td>{factor}</td>", "<td>99.123</td>"), encoding="utf-8")
    assert said().startswith("The report does not hold.") and factor in said()
    path.write_text(page, encoding="utf-8")
    hand.session.set_value(("mesh", "size"), "17 mm", "finer")
    hand.wait_idle()
    words = said()
    assert "The statements differ: mesh/size" in words and "17 mm now" in words
    path.write_text("<html>nothing</html>", encoding="utf-8")
    assert "no report of Labilis" in said()
    assert hand.session.running is None
