"""Tables and notes as the drawer's pages have them."""
from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QHeaderView, QTableWidget, QTableWidgetItem

from labilis.ui.plain import Label, plain_tip

_HEIGHT = 26


def text_cell(words: str, colour: str = "") -> QTableWidgetItem:
    item = QTableWidgetItem(words)
    item.setToolTip(plain_tip(words))
    item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
    if colour:
        item.setForeground(QColor(colour))
    return item


def plain_table(columns: list[str], name: str) -> QTableWidget:
    table = QTableWidget(0, len(columns))
    table.setHorizontalHeaderLabels(columns)
    table.setAccessibleName(name)
    table.verticalHeader().hide()  # type: ignore[union-attr]
    table.verticalHeader().setDefaultSectionSize(_HEIGHT)  # type: ignore[union-attr]
    table.setShowGrid(False)
    table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
    table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
    table.setSelectionMode(QTableWidget.SelectionMode.SingleSelection)
    head = table.horizontalHeader()
    assert head is not None
    head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    head.setHighlightSections(False)
    head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
    head.setStretchLastSection(True)
    return table


def column_widths(table: QTableWidget, widths: tuple[int | None, ...], stretched: int) -> None:
    """Fixed columns but for one that takes the rest; no scroll bar sideways."""
    head = table.horizontalHeader()
    assert head is not None
    head.setStretchLastSection(False)
    for column, width in enumerate(widths):
        head.setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch if column == stretched else QHeaderView.ResizeMode.Fixed)
        if width is not None:
            table.setColumnWidth(column, width)
    table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)


def note_below(words: str) -> Label:
    """A small wrapped label."""
    note = Label(words)
    note.setObjectName("note")
    note.setWordWrap(True)
    return note
