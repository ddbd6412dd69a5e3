"""The drawer's page of the screening: where to look before any buckling run."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from labilis.judge.screening import HEADS, HOW, screened_cells
from labilis.model import shown
from labilis.ui.copying import full_head
from labilis.ui.drawer.tables import column_widths, note_below, plain_table, text_cell
from labilis.ui.theme import PAPER

if TYPE_CHECKING:
    from labilis.run.report import CaseReport

_NOTHING = (
    "Screening needs a strength run only: it then says which pieces are slender and in compression."
)


class ScreeningPage(QWidget):
    """One row per piece, the most doubtful first."""

    def __init__(self) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.table = plain_table(list(HEADS), "Screening")
        column_widths(self.table, (96, 128, 84, 40, 40, 62, 50, None), 7)
        self.table.verticalHeader().setDefaultSectionSize(38)  # type: ignore[union-attr]
        self.note = note_below(_NOTHING)
        layout.addWidget(self.table, 1)
        layout.addWidget(self.note)

    def show_report(self, report: CaseReport | None) -> None:
        """Fill the table."""
        items = () if report is None else report.facts.screened
        self.table.setRowCount(len(items))
        for row, item in enumerate(items):
            for column, (words, full) in enumerate(screened_cells(item)):
                colour = (PAPER.caution if item.closer else PAPER.good) if column == 0 else ""
                value = (
                    None if full is None else shown.value(full, "force") if column == 2 else full
                )
                self.table.setItem(row, column, text_cell(words, colour, full=value))
        full_head(self.table, 2, "force")
        self.note.setText(HOW if items else _NOTHING)
