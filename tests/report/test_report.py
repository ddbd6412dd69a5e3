"""The report: what stands in it, that it can be checked, and that what was changed by hand is
named."""

from __future__ import annotations

import dataclasses
import io
import json
import re
from html.parser import HTMLParser
from pathlib import Path
from typing import Any

import pytest

from labilis.model import LabilisError, load_project, shown
from labilis.report import (
    Content,
    Table,
    Words,
    carried_by,
    changed_on_pages,
    content_of,
    verified,
    write_report,
)
from labilis.report.content import plain
from labilis.report.write import as_docx, as_html, as_pdf
from labilis.run import Plan, Runner, Snapshot, judge_project, stage_keys
from tests.commands import labilis
from tests.judge.test_mistakes import flat, force, strip
from tests.judge.test_wrong_and_right import QUICK, written

HOSTILE = '<script>alert(1)</script> & "quoted" \\ }} {% x %} <img src="file:///etc/passwd">'


def reported(model: dict[str, Any], upto: str = "modes") -> tuple[Any, Any, dict[str, Any]]:
    project = load_project(model)
    results = Runner().run(Snapshot(project), Plan(upto))  # type: ignore[arg-type]
    return project, judge_project(project, results), results


@pytest.fixture(scope="module")
def content() -> Content:
    model = strip(
        force("-300 N"),
        parameters={"t": "4 mm"},
        pieces=[flat("t")],
        criteria={"modes": 2, "required_factor": "3"},
        trace={"target": "2"},
        report={"number": "V-17", "author": "A. Keller", "notes": {"modes": "As agreed."}},
        **QUICK,
    )
    return content_of(*reported(model, "trace"), today="2026-11-26")


def texts(content: Content) -> str:
    return as_html(content)


def test_every_section_stands_in_it_with_its_figures(content: Content) -> None:
    assert [section.key for section in content.sections] == [
        "verdict",
        "part",
        "supports",
        "loads",
        "mesh",
        "strength",
        "screening",
        "modes",
        "hand checks",
        "trace",
        "evidence",
        "limits",
    ]
    page = as_html(content)
    for words in (
        "V-17",
        "A. Keller",
        "2026-11-26",
        "As agreed.",
        "Meets 3",
        "strip: flat plate, 200 mm × 20 mm, t (4 mm) thick",
        "foot: fixed",
        "push: x -300 N",
        "EN 1993-1-1:2005, 6.3.1.2",
        "Table 1. Gates",
        "Figure 1. Factors",
    ):
        assert words.replace("&", "&amp;") in page, words
    factor = content.figures["one: factor of mode 1"][0]
    assert f"<td>{factor:.5g}</td>" in page and content.printed[f"{factor:.5g}"] >= 1
    captions = [int(number) for number in re.findall(r"Table (\d+)\.", page)]
    assert captions == list(range(1, len(captions) + 1))


def test_studies_that_were_run_stand_in_it_with_all_of_their_figures() -> None:
    model = strip(
        force("-300 N"),
        criteria={"modes": 1, "mesh_error": False},
        **{**QUICK, "mesh": {"size": "20 mm"}},
    )
    project = load_project(model)
    runner, results = Runner(), {}
    for upto in ("modes", "tilt", "converge"):
        results |= runner.run(Snapshot(project), Plan(upto, meshes=3))  # type: ignore[arg-type]
    made = content_of(project, judge_project(project, results), results)
    section = next(section for section in made.sections if section.key == "studies")
    tables = [block for block in section.blocks if isinstance(block, Table)]
    assert (
        len(tables) == 2 and len(tables[0].rows) == 3 and tables[0].heads[0] == "element size, mm"
    )
    keys = stage_keys(project, "one")
    study, meshes = results[keys.tilt], results[keys.converge]
    assert [float(row[3]) for row in tables[0].rows] == pytest.approx(
        meshes.factors.tolist(), rel=1e-4
    )
    assert [row[0] for row in tables[1].rows] == study.labels.tolist() and len(
        tables[1].rows
    ) == len(study.labels) > 4
    assert [float(row[1]) for row in tables[1].rows] == pytest.approx(
        study.figures[:, 0].tolist(), rel=1e-3
    )
    with shown.using("in-lbf-psi"):
        inches = content_of(
            project.changed(units="in-lbf-psi"),
            judge_project(project.changed(units="in-lbf-psi"), results),
            results,
        )
        told = next(section for section in inches.sections if section.key == "studies").blocks
        assert told[1].heads[0] == "element size, in"  # type: ignore[union-attr]
        assert float(told[1].rows[0][0]) == pytest.approx(
            float(tables[0].rows[0][0]) / 25.4, rel=5e-3
        )  # type: ignore[union-attr]
        assert not any(" mm" in cell for row in told[3].rows for cell in row)  # type: ignore[union-attr]
    assert not any(section.key == "studies" for section in content_of(*reported(model)).sections)
    left = project.changed(report={"left_out": ["studies"]})
    assert not any(
        section.key == "studies"
        for section in content_of(left, judge_project(left, results), results).sections
    )


def test_tables_tell_what_is_under_and_what_pushes_back() -> None:
    found = content_of(
        *reported(strip(force("-300 N"), criteria={"modes": 2, "required_factor": "20"}, **QUICK))
    )
    tables = {
        block.caption: block
        for section in found.sections
        for block in section.blocks
        if isinstance(block, Table)
    }
    modes = next(table for caption, table in tables.items() if "Modes of one" in caption)
    assert modes.rows[0][-1].startswith("under by 7") and modes.rows[1][-1] == "meets"
    reactions = next(table for caption, table in tables.items() if "Reactions" in caption)
    assert reactions.rows == (("foot", "300", "0", "0"), ("loads", "-300", "0", "0"))
    assert found.head.tone == "bad" and "Does not meet" in found.head.verdict


def test_nothing_that_is_only_clicked_stands_in_sentences(content: Content) -> None:
    said = [
        block.text
        for section in content.sections
        for block in section.blocks
        if isinstance(block, Words)
    ]
    assert said and not [
        text for text in said if re.search(r"\+ |\(\)|\bdrill\b|, \.|;\s*\.|\bmix\b", text)
    ]
    from labilis.judge.spans import Span

    def act(text: str) -> Span:
        return Span(text, ("x",), act=True)

    assert (
        plain(
            (
                Span("a"),
                Span("; "),
                act("turn"),
                Span(", "),
                act("repeat"),
                Span("."),
                Span(" "),
                act("+ limit"),
            )
        )
        == "a."
    )
    # what is named like a word to click stays
    steel = {
        "name": "mix",
        "youngs_modulus": "210 GPa",
        "poisson_ratio": "0.3",
        "yield_strength": "235 MPa",
        "density": "7850 kg/m^3",
        "hardening": [["0", "235 MPa"], ["0.1", "300 MPa"]],
    }
    piece = {**flat(), "material": "mix"}
    piece["recipe"] = {
        **piece["recipe"],
        "openings": [{"x": "100 mm", "y": "10 mm", "diameter": "5 mm"}],
    }
    page = as_html(content_of(*reported(strip(materials=[steel], pieces=[piece], **QUICK))))
    assert (
        "thick, 4 corners, 1 opening, of mix, as shells" in page
        and "Openings: Ø 5 mm at x 100 mm, y 10 mm." in page
    )
    assert "points." not in page and "300 MPa at 0.1 plastic strain." in page


def test_a_part_that_its_held_loads_bring_down_is_not_called_safe() -> None:
    """It has no factor, which is not the same as none to fear."""
    model = strip(force("-10 N"), {**force("-3 kN"), "name": "stays", "growth": "held"}, **QUICK)
    found = content_of(*reported(model))
    said = [
        block for section in found.sections if section.key == "modes" for block in section.blocks
    ]
    assert (
        len(said) == 1 and ("under its held loads alone") in said[0].text and said[0].tone == "bad"
    )  # type: ignore[union-attr]
    assert found.head.tone == "bad"


class _Outline(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.open: list[str] = []
        self.bad: list[str] = []
        self.alts: list[str] = []
        self.sources: list[str] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        found = dict(attrs)
        if tag not in ("meta", "img", "br", "line", "circle", "polyline"):
            self.open.append(tag)
        if tag == "img":
            self.alts.append(found.get("alt") or "")
        self.sources += [value for name in ("src", "href") if (value := found.get(name))]

    def handle_endtag(self, tag: str) -> None:
        if tag in ("line", "circle", "polyline"):
            return
        if not self.open or self.open.pop() != tag:
            self.bad.append(tag)


def test_the_page_is_whole_works_alone_and_says_what_its_pictures_show(content: Content) -> None:
    drawn = content_of(*reported(strip(**QUICK)), pictures=lambda *_: b"\x89PNG")
    outline = _Outline()
    outline.feed(as_html(drawn))
    assert not outline.bad and not outline.open
    assert len(outline.alts) >= 4 and all(len(alt) > 10 for alt in outline.alts)
    assert all(source.startswith(("data:", "#")) for source in outline.sources)


def test_names_and_notes_never_become_markup_or_reach_a_file(tmp_path: Path) -> None:
    model = strip(
        report={
            "title": HOSTILE,
            "author": HOSTILE,
            "number": HOSTILE,
            "notes": {"verdict": HOSTILE},
        },
        **QUICK,
    )
    hostile = content_of(*reported({**model, "name": HOSTILE}))
    page = as_html(hostile)
    before = page[: page.index('id="labilis-report"')]
    assert "<script>alert" not in page.replace(before, "") or page.count("<script>alert") == 0
    assert "<script>alert" not in before and '<img src="file' not in page
    write_report(hostile, tmp_path / "h.pdf")
    assert b"root:" not in (tmp_path / "h.pdf").read_bytes()
    write_report(hostile, tmp_path / "h.docx")
    carried = carried_by(tmp_path / "h.pdf")
    assert carried.whole and json.loads(carried.model)["report"]["title"] == HOSTILE
    (tmp_path / "h.html").write_text(page, encoding="utf-8")
    assert carried_by(tmp_path / "h.html").whole


def test_the_short_form_and_sections_left_out() -> None:
    project, report, results = reported(
        strip(report={"form": "short", "left_out": ["part"]}, **QUICK)
    )
    keys = [section.key for section in content_of(project, report, results).sections]
    assert keys == ["verdict", "supports", "loads", "modes", "limits"]


@pytest.mark.parametrize("form", ["pdf", "html"])
def test_a_report_holds_until_it_is_changed(content: Content, tmp_path: Path, form: str) -> None:
    path = tmp_path / f"report.{form}"
    write_report(content, path)
    carried = carried_by(path)
    rows, differs = verified(carried, content.model)
    assert carried.whole and not changed_on_pages(carried) and not differs
    assert len(rows) > 8 and all(row.holds for row in rows), [row for row in rows if not row.holds]
    # each figure that is changed, on the pages or in what travels, is named
    for name, value in carried.figures.items():
        if isinstance(value, list) and value[0] is not None:
            changed = dataclasses.replace(
                carried,
                figures={
                    **carried.figures,
                    name: [(1.05 + 2 * value[1]) * value[0] + 0.1, *value[1:]],
                },
            )
            from labilis.report.verify import _compared

            assert not _compared(name, changed.figures[name], value).holds
    for words in carried.printed:
        spoilt = carried.text.replace(
            words, words.replace(words[-1], "1" if words[-1] != "1" else "2"), 1
        )
        if spoilt != carried.text:
            assert words in changed_on_pages(dataclasses.replace(carried, text=spoilt)), words
    changed = load_project(content.model).changed(parameters={"t": "5 mm"})
    assert "parameters/t: 4 mm in the report, 5 mm now" in verified(carried, changed.to_json())[1]


def test_what_is_no_report_or_damaged_is_told(content: Content, tmp_path: Path) -> None:
    path = tmp_path / "r.html"
    page = as_html(content)
    for text, words in (
        ("<p>hello</p>", "no report"),
        (page.replace('"figures"', '"figurez"'), "damaged"),
        (page[:-400], "no report"),
        ("%PDF-1.7 nothing", "damaged|no report"),
    ):
        path.write_text(text, encoding="utf-8")
        with pytest.raises(LabilisError, match=words):
            carried_by(path)
    number = f"{content.figures['one: factor of mode 1'][0]!r}"
    path.write_text(page.replace(number, "99.5"), encoding="utf-8")
    assert not carried_by(path).whole
    with pytest.raises(LabilisError, match="not as"):
        write_report(content, tmp_path / "r.odt")
    with pytest.raises(LabilisError, match="cannot be written"):
        write_report(content, tmp_path / "none" / "r.html")


def test_pages_and_document_hold_the_same_words(content: Content) -> None:
    from docx import Document
    from pypdf import PdfReader

    reader = PdfReader(io.BytesIO(as_pdf(content)))
    pages = re.sub(r"\s+", "", " ".join(page.extract_text() for page in reader.pages))
    document = Document(io.BytesIO(as_docx(content)))
    words = " ".join(
        [
            *(paragraph.text for paragraph in document.paragraphs),
            *(cell.text for table in document.tables for row in table.rows for cell in row.cells),
        ]
    )
    for section in content.sections:
        assert section.title in words and re.sub(r"\s+", "", section.title) in pages
    for words_ in content.printed:
        assert (
            words_ in words
            or re.sub(r"\s+", "", words_) in re.sub(r"\s+", "", words)
            or words_
            in "".join(
                getattr(block, "svg", "")
                for section in content.sections
                for block in section.blocks
            )
        )
    assert reader.metadata is not None and reader.metadata.title == content.head.title
    assert "/StructTreeRoot" in reader.trailer["/Root"]  # tagged, for those who hear it read


@pytest.mark.full
def test_the_command_line_writes_and_checks(tmp_path: Path) -> None:
    model = written(tmp_path, strip(**QUICK))
    done = labilis(
        "report", model, "--to", tmp_path / "r.pdf", "--to", tmp_path / "r.docx", "--form", "short"
    )
    assert done.returncode == 0, done.stderr
    assert (
        "Meets what is asked of it" in done.stdout and (tmp_path / "r.docx").stat().st_size > 10_000
    )
    checked = labilis("verify", tmp_path / "r.pdf", "--json", tmp_path / "v.json")
    assert checked.returncode == 0, checked.stdout + checked.stderr
    assert json.loads((tmp_path / "v.json").read_text())["holds"] is True
    other = written(tmp_path, strip(force("-120 N"), **QUICK), "other")
    checked = labilis("verify", tmp_path / "r.pdf", "--model", other)
    assert (
        checked.returncode == 1
        and "loads/push" in checked.stdout
        and "does not hold" in checked.stdout
    )
    assert labilis("report", model, "--to", tmp_path / "r.xyz").returncode == 2
