"""The report: one content, of which pages (PDF), one file for a browser (HTML) and an editable
document (DOCX) are made; and its check."""

from labilis.report.content import Content, Figure, Head, Section, Table, Words, content_of
from labilis.report.verify import (
    Checked,
    Checking,
    carried_by,
    changed_on_pages,
    check_report,
    verified,
)
from labilis.report.write import write_report

__all__ = [
    "Checked",
    "Checking",
    "Content",
    "Figure",
    "Head",
    "Section",
    "Table",
    "Words",
    "carried_by",
    "changed_on_pages",
    "check_report",
    "content_of",
    "verified",
    "write_report",
]
