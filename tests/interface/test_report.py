"""The station Report: its head, sections in and out, and the document that is written while the window stays usable."""
from __future__ import annotations

import io
import json
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QFileDialog

from tests.files.test_wrong_and_right import QUICK, written
from tests.interface.conftest import Hand
from tests.unit.test_mistakes import strip


def test_a_report_is_headed_trimmed_and_written(hand: Hand, tmp_path: Path) -> None:
    hand.load(written(tmp_path, strip(**QUICK), "strip"))
    hand.answer_open(tmp_path / "early.pdf")
    hand.click(hand.card("Report").tools["write the report"])
    assert "nothing to report yet" in hand.window.banner_text.text() and not (tmp_path / "early.pdf").exists()
    hand.run()
    hand.type_value("Report", "none", "V-17")
    assert "number V-17" in hand.text("Report")
    hand.type_value("Report", "nobody named", "Harbour office")
    hand.choose("Report", ("report", "left_out"), "leave it out")  # the verdict stands first
    assert hand.session.project.report.left_out == ("verdict",) and "Left out: verdict" in hand.text("Report")
    assert hand.session.current("modes") is not None  # nothing of it makes results old
    hand.choose("Report", ("report", "notes"), "at modes")
    hand.type_value("Report", "Click here and write", "The first mode is the one that counts.")
    path = tmp_path / "report.html"
    hand.answer_open(path)
    hand.click(hand.card("Report").tools["write the report"])
    hand.wait_idle(120)
    page = path.read_text(encoding="utf-8")
    for words in ("V-17", "Harbour office", "The first mode is the one that counts.", "Modes of one"):
        assert words in page
    assert "Gates of the verdict" not in page
    assert any("Report written" in line for line in hand.session.journal)
    factor = hand.session.case_report.facts.modes.positive[0]
    assert f"{factor:.5g}" in page
    hand.click(hand.card("Report").tools["look at its pages"])
    hand.wait_idle(120)
    preview = hand.window.preview
    assert preview is not None and preview.isVisible() and preview.document.pageCount() >= 3
    assert preview.document.getAllText(preview.document.pageCount() - 1).text() and "pages" in preview.count.text()
    assert "Out of date" not in preview.count.text()
    hand.type_value("Report", "Harbour office", "Pilot office")
    assert "Out of date" in preview.count.text()
    hand.click(hand.card("Report").tools["look at its pages"])
    hand.wait_idle(120)
    assert "Out of date" not in preview.count.text() and "Pilot office" in preview.document.getAllText(0).text()
    preview.close()
    hand.answer_open(tmp_path / "report.txt")
    hand.click(hand.card("Report").tools["write the report"])
    assert "written as .pdf" in hand.window.banner_text.text()
    assert json.loads(hand.session.project.to_json())["report"]["number"] == "V-17"


def test_a_view_and_a_logo_go_into_the_report(hand: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
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
    assert image.width > 300 and len(set(image.convert("RGB").resize((40, 40)).getdata())) > 20  # something is drawn
    logo = tmp_path / "picture 1.png"  # another picture under a name that is taken
    Image.new("RGB", (90, 30), "green").save(logo)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", staticmethod(lambda *_a, **_k: (str(logo), "")))
    hand.click(hand.card("Report").tools["logo…"])
    assert hand.session.project.report.logo.file == "picture 3.png"
    assert "Logo: picture" in hand.text("Report")
    hand.session.save(tmp_path / "kept.labilis")
    hand.session.open(tmp_path / "kept.labilis")
    hand.wait_idle()
    hand.session.write_report(tmp_path / "r.html")
    hand.wait_idle()
    page = (tmp_path / "r.html").read_text(encoding="utf-8")
    assert "As it bulges" in page and 'alt="Logo"' in page
    hand.choose("Report", ("report", "pictures"), "take it out")
    assert len(hand.session.project.report.pictures) == 1
    logo.write_bytes(b"no picture")
    hand.click(hand.card("Report").tools["logo…"])
    assert "is no PNG" in window.banner_text.text()


def test_a_report_is_checked_in_the_window_beside_what_is_stated(hand: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """It holds; a figure changed by hand is named; and so is a statement that was changed since."""
    hand.load(written(tmp_path, strip(**QUICK), "strip"))
    hand.run()
    path = tmp_path / "r.html"
    hand.session.write_report(path)
    hand.wait_idle(120)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", staticmethod(lambda *_a, **_k: (str(path), "")))

    def said() -> str:
        hand.click(hand.card("Report").tools["check a report…"])
        hand.wait_idle(120)
        return hand.window.banner_text.text()
    assert said().startswith("The report holds. ") and "figures were found again" in said()
    assert hand.session.journal[-1].endswith("The report holds.") and any("✓ one: " in line for line in hand.session.journal)
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
