"""The station Report: its head, sections in and out, and the document that is written while the window stays usable."""
from __future__ import annotations

import json
from pathlib import Path

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
