"""The report: one content, of which pages (PDF), one file for a browser (HTML) and an editable document (DOCX) are made; and its check."""
from labilis.report.content import Content, Figure, Head, Section, Table, Words, content_of
from labilis.report.verify import Checked, carried_by, changed_on_pages, verified
from labilis.report.write import write_report

__all__ = ["Checked", "Content", "Figure", "Head", "Section", "Table", "Words", "carried_by", "changed_on_pages", "content_of", "verified",
           "write_report"]
