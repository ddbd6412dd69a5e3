"""A report's content as pages (PDF), one file for a browser (HTML), or an editable document
(DOCX)."""

from __future__ import annotations

import base64
import io
from pathlib import Path
from typing import Any

from labilis.model import LabilisError
from labilis.report.blocks import Block, Figure, Table, Words
from labilis.report.content import Content
from labilis.report.verify import CARRIED, carried_text, in_page

FORMS = (".pdf", ".html", ".docx")


def write_report(content: Content, path: Path) -> None:
    """Writes it in the form of the file's name. Raises LabilisError for a name or a place that
    does not do."""
    form = path.suffix.lower()
    if form not in FORMS:
        raise LabilisError(
            f"A report is written as {', '.join(FORMS)}, not as '{path.suffix}'.",
            str(path),
            "Give the file one of these endings.",
            "report-form",
        )
    put(
        {".pdf": as_pdf, ".html": lambda item: as_html(item).encode(), ".docx": as_docx}[form](
            content
        ),
        path,
    )


def put(data: bytes, path: Path) -> None:
    """Writes a file whole or not at all. Raises LabilisError."""
    beside = path.with_name(path.name + ".part")
    try:
        beside.write_bytes(data)
        beside.replace(path)  # whole or not at all
    except OSError as error:
        beside.unlink(missing_ok=True)
        raise LabilisError(
            f"The report cannot be written ({error.strerror}).",
            str(path),
            "Choose another place.",
            "disk",
        ) from error


def as_html(content: Content, carry: bool = True, links: bool = False) -> str:
    """One file that works without any other; `links`: its figures lead to where they come from
    in the window."""
    from jinja2 import Environment, PackageLoader, StrictUndefined

    house = Environment(
        loader=PackageLoader("labilis.report", "templates"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    carried = (
        in_page(carried_text(content.model, content.files, content.figures, content.printed))
        if carry
        else ""
    )
    return house.get_template("report.html").render(
        content=content,
        carried=carried,
        links=links,
        kind=_kind,
        picture=_picture,
        anchor=_anchor,
        data_of=_data_of,
    )


def _kind(block: Block) -> str:
    return type(block).__name__.lower()


def _anchor(table: Table) -> str:
    return table.caption.partition(".")[0].replace(" ", "-").lower()


def _picture(figure: Figure) -> str:
    return _data_of(figure.png)


def _data_of(png: bytes) -> str:
    return "data:image/png;base64," + base64.b64encode(png).decode()


def as_pages(content: Content) -> bytes:
    """Pages to look at in the window: nothing travels with them, and every figure leads to where
    it comes from."""
    from weasyprint import HTML

    target = io.BytesIO()
    HTML(string=as_html(content, carry=False, links=True), url_fetcher=_only_data()).write_pdf(
        target
    )
    return target.getvalue()


def as_pdf(content: Content) -> bytes:
    """Pages; what can be checked travels as an attachment."""
    from weasyprint import HTML, Attachment

    text = carried_text(content.model, content.files, content.figures, content.printed)
    attached = Attachment(
        string=text.encode(),
        name=CARRIED,
        description="Statements and figures of this report, for labilis verify",
    )
    target = io.BytesIO()
    HTML(string=as_html(content, carry=False), url_fetcher=_only_data()).write_pdf(
        target, attachments=[attached], pdf_variant="pdf/ua-1"
    )
    return target.getvalue()


def _only_data() -> Any:
    """Takes nothing but what is in the page itself: names and notes of a project reach no file
    and no network."""
    from weasyprint.urls import URLFetcher

    return URLFetcher(allowed_protocols=["data"])


def as_docx(content: Content) -> bytes:
    """An editable document: headings, paragraphs, tables and pictures under the styles of a
    document. Drawings are told in words."""
    from docx import Document
    from docx.enum.section import WD_ORIENT
    from docx.shared import Mm, Pt, RGBColor

    document = Document()
    page = document.sections[0]
    page.orientation = WD_ORIENT.PORTRAIT
    page.page_width, page.page_height = (
        (Mm(210), Mm(297)) if content.paper == "A4" else (Mm(215.9), Mm(279.4))
    )
    page.left_margin = page.right_margin = Mm(20)
    document.styles["Normal"].font.size = Pt(10)
    document.core_properties.title = content.head.title
    document.core_properties.author = dict(content.head.rows).get("Author", "")
    if content.head.logo:
        document.add_picture(io.BytesIO(content.head.logo), height=Mm(14))
    document.add_heading(content.head.title, 0)
    verdict = document.add_paragraph()
    run = verdict.add_run(f"{content.head.verdict} ({content.head.status})")
    run.bold, run.font.color.rgb = (
        True,
        RGBColor.from_string({"good": "0F6B63", "bad": "B93A1E"}.get(content.head.tone, "A66A00")),
    )
    _rows(document, ("", ""), content.head.rows)
    width = page.page_width - page.left_margin - page.right_margin
    for section in content.sections:
        document.add_heading(section.title, 1)
        for block in section.blocks:
            if isinstance(block, Words):
                document.add_paragraph(block.text, style="List Bullet" if block.point else None)
            elif isinstance(block, Table):
                document.add_paragraph(block.caption, style="Caption")
                _rows(document, block.heads, block.rows)
            else:
                if block.png:
                    document.add_picture(
                        io.BytesIO(block.png), width=int(width * (1.0 if block.wide else 0.6))
                    )
                elif block.svg:
                    document.add_picture(io.BytesIO(_drawn(block.svg)), width=int(width * 0.85))
                document.add_paragraph(block.caption, style="Caption")
    target = io.BytesIO()
    document.save(target)
    return target.getvalue()


def _rows(document: Any, heads: tuple[str, ...], rows: tuple[tuple[str, ...], ...]) -> None:
    from docx.shared import Pt

    headed = any(heads)
    table = document.add_table(
        rows=1 if headed else 0, cols=len(heads), style="Light Grid Accent 1" if headed else None
    )
    for row in ([heads] if headed else []) + list(rows):
        cells = table.rows[0].cells if row is heads else table.add_row().cells
        for cell, text in zip(cells, row):
            cell.text = text
            for paragraph in cell.paragraphs:
                for run in paragraph.runs:
                    run.font.size = Pt(8.5)


def _drawn(svg: str) -> bytes:
    """A drawing as a PNG, at 220 pixels to the inch and more."""
    import resvg_py

    return bytes(resvg_py.svg_to_bytes(svg_string=svg, zoom=3, background="white"))
