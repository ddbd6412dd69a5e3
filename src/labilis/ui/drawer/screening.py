"""The drawer's page of the screening: where to look before any buckling run."""
from __future__ import annotations

import math

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from labilis.judge.numbers import force_text
from labilis.run.report import CaseReport
from labilis.ui.drawer.tables import column_widths, note_below, plain_table, text_cell
from labilis.ui.theme import LIGHT

_NOTHING = "Screening needs a strength run only: it then says which pieces are slender and in compression."
_HOW = ("Rough factors: members pinned over their whole length, walls as long plates in even compression, from the mean force and the "
        "largest compression of the linear run.")


class ScreeningPage(QWidget):
    """One row per piece, the most doubtful first."""

    def __init__(self) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.table = plain_table(["", "piece", "compression", "L / i", "b / t", "member", "walls", "why"], "Screening")
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
            rough = [f"{value:.3g}" if value < 1e3 else "> 1000" if math.isfinite(value) else "–" for value in (item.member, item.wall)]
            push = force_text(item.compression) if item.compression >= 0 else f"{force_text(-item.compression)} pull"
            cells = ["▬ look closer" if item.closer else "✓ leave it", item.name + (f" (worst of {item.alike})" if item.alike > 1 else ""),
                     push, f"{item.slenderness:.0f}", f"{item.ratio:.0f}" if item.ratio else "–", *rough, item.reason]
            for column, words in enumerate(cells):
                self.table.setItem(row, column, text_cell(words, (LIGHT.caution if item.closer else LIGHT.good) if column == 0 else ""))
        self.note.setText(_HOW if items else _NOTHING)
