"""Tables and notes as the drawer's pages have them."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QHeaderView, QMenu, QTableWidget, QTableWidgetItem

from labilis.ui.copying import FULL, copy_menu, copy_rows, full_text, show_menu, table_rows
from labilis.ui.plain_text import Label, plain_tip

_HEIGHT = 26


class PlainTable(QTableWidget):
    """A table whose whole content can be copied: Ctrl+C, or the other button of the mouse, which
    offers one number and a file as well."""

    def __init__(self, rows: int, columns: int) -> None:
        super().__init__(rows, columns)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.customContextMenuRequested.connect(
            lambda place: show_menu(self.menu_at(place), self, place)
        )

    def menu_at(self, place: QPoint) -> QMenu:
        """What can be taken along there."""
        item = self.itemAt(place)
        full = None if item is None else item.data(FULL)
        return copy_menu(self, lambda: table_rows(self), "" if full is None else str(full))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.matches(QKeySequence.StandardKey.Copy):
            copy_rows(table_rows(self))
        else:
            super().keyPressEvent(event)


def text_cell(words: str, colour: str = "", full: float | None = None) -> QTableWidgetItem:
    """A cell that is not edited; `full` is its number with all digits, shown at the pointer and
    copied."""
    item = QTableWidgetItem(words)
    digits = "" if full is None else full_text(full)
    item.setToolTip(plain_tip(f"{words} ({digits})" if digits and digits != words else words))
    if digits:
        item.setData(FULL, digits)
    item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
    if colour:
        item.setForeground(QColor(colour))
    return item


def plain_table(columns: list[str], name: str) -> PlainTable:
    table = PlainTable(0, len(columns))
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
        head.setSectionResizeMode(
            column,
            QHeaderView.ResizeMode.Stretch if column == stretched else QHeaderView.ResizeMode.Fixed,
        )
        if width is not None:
            table.setColumnWidth(column, width)
    table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)


def note_below(words: str) -> Label:
    """A small wrapped label whose words can be taken along."""
    note = Label(words)
    note.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    note.setObjectName("note")
    note.setWordWrap(True)
    return note
