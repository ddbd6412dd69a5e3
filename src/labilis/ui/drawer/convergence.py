"""The drawer's page of a convergence study: the factor over several meshes, and what they say
together."""

from __future__ import annotations

import math

from PyQt6.QtWidgets import QHBoxLayout, QTableWidget, QVBoxLayout, QWidget

from labilis.model import shown
from labilis.results.findings import ConvergenceFindings
from labilis.ui.copying import full_head
from labilis.ui.drawer.chart import Chart, Line, Panel
from labilis.ui.drawer.tables import PlainTable, column_widths, text_cell
from labilis.ui.plain_text import Label
from labilis.ui.theme import PAPER
from labilis.words.stations import convergence_words

_NOTHING = (
    "No convergence study yet. It finds the first factor with several meshes: run it at "
    "the "
    "Mesh station."
)


class ConvergencePage(QWidget):
    """A table and a sentence; rows come as the meshes are done."""

    def __init__(self) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.table = PlainTable(0, 5)
        self.table.setHorizontalHeaderLabels(
            ["element size", "elements", "unknowns", "first factor", "change"]
        )
        self.table.setAccessibleName("Convergence study")
        self.table.verticalHeader().hide()  # type: ignore[union-attr]
        self.table.setShowGrid(False)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        column_widths(self.table, (86, 74, 78, 84, None), 4)
        self.note = Label(_NOTHING)
        self.note.setObjectName("note")
        self.note.setWordWrap(True)
        self.chart = Chart("Chart of the convergence study")
        self.chart.hide()
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(self.table, 3)
        row.addWidget(self.chart, 2)
        layout.addLayout(row, 1)
        layout.addWidget(self.note)

    def show_study(self, found: ConvergenceFindings | None) -> None:
        """Fill the table."""
        self.table.setRowCount(0 if found is None else len(found.factors))
        self.chart.show_panels([] if found is None else [_panel(found)])
        if found is None:
            self.note.setText(_NOTHING)
            return
        full_head(self.table, 0, "length")
        for row, factor in enumerate(found.factors):
            change = 100.0 * (float(factor) / float(found.factors[row - 1]) - 1.0) if row else None
            cells = [
                shown.length(found.sizes[row], 3),
                f"{int(found.elements[row]):,}",
                f"{int(found.unknowns[row]):,}",
                f"{factor:.4g}",
                "" if change is None else f"{change:+.2f} %",
            ]
            full = {0: shown.value(float(found.sizes[row]), "length"), 3: float(factor), 4: change}
            for column, text in enumerate(cells):
                self.table.setItem(row, column, text_cell(text, full=full.get(column)))
        self.note.setText(convergence_words(found) if found.done else "Meshing on ...")


def _panel(found: ConvergenceFindings) -> Panel:
    """Factor over element size, down to nought where it goes to, with its band."""
    lines = [
        Line(
            "first factor",
            tuple((float(x), float(y)) for x, y in zip(found.sizes, found.factors)),
            PAPER.accent,
        )
    ]
    if found.done and math.isfinite(found.limit):
        reach = float(found.sizes.max())
        band = float(found.band) if math.isfinite(found.band) else 0.0
        lines.append(
            Line(
                "goes to",
                ((0.0, found.limit), (reach, found.limit)),
                PAPER.quiet,
                True,
                max(band, 1e-12 * abs(found.limit)),
            )
        )
    return Panel("element size, mm", "first factor", tuple(lines))
