"""The drawer's page of lines: what each member carries at most, and its course along the one that
is chosen."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from labilis.judge.line_forces import CARRIED, Along, along_members, heads, largest, table
from labilis.model import shown
from labilis.ui.drawer.chart import Chart, Line, Panel
from labilis.ui.drawer.tables import column_widths, note_below, plain_table, text_cell
from labilis.ui.theme import PAPER

if TYPE_CHECKING:
    from labilis.run.report import CaseReport

_NOTHING = "No piece is meshed as a line, or strength has not been run."
_HOW = (
    "The largest in size under the service load, growing and held. Nx draws; My is about the "
    "strong axis, T about the shear centre; σ is of Nx, bending and warping. What is chosen here "
    "is drawn beside the members on the stage."
)


class LinesPage(QWidget):
    """`quantity_chosen` carries the name of what is to be drawn on the stage."""

    quantity_chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.table = plain_table(list(heads()), "Lines")
        column_widths(self.table, (None, 50, 44, 68, 44, 68, 60, 50, 62), 0)
        self.table.currentCellChanged.connect(lambda *_: self._choose())
        # the stage may show something else by now
        self.table.cellClicked.connect(lambda *_: self._choose())
        self.chart = Chart("Course along the chosen member")
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(self.table, 1)
        row.addWidget(self.chart)
        self.chart.setFixedWidth(180)
        layout.addLayout(row, 1)
        self.note = note_below(_NOTHING)
        layout.addWidget(self.note)
        self._members: tuple[Along, ...] = ()

    def show_report(self, report: CaseReport | None) -> None:
        """Fill the table; the member that was chosen stays chosen."""
        facts = None if report is None else report.facts
        strength = None if facts is None else facts.strength
        rows: tuple[tuple[tuple[str, float | None], ...], ...] = ()
        self._members = ()
        mesh = None if facts is None else facts.mesh
        if facts is not None and mesh is not None and strength is not None:
            self._members = along_members(strength, mesh.nodes)
            rows = table(facts.project, self._members)
        self.table.setHorizontalHeaderLabels(list(heads()))
        kinds = ["", *(what.kind for what in CARRIED), ""]
        chosen = max(self.table.currentRow(), 0), max(self.table.currentColumn(), 1)
        self.table.blockSignals(True)
        self.table.setRowCount(len(rows))
        for number, cells in enumerate(rows):
            for column, (words, full) in enumerate(cells):
                value = (
                    full if full is None or not kinds[column] else shown.value(full, kinds[column])
                )
                cell = text_cell(words, full=value)
                if 0 < column <= len(CARRIED):
                    _, place = largest(self._members[number], column - 1)
                    far = shown.length(place, 3)
                    cell.setToolTip(f"{cell.toolTip()}, {far} from the start")
                self.table.setItem(number, column, cell)
        if rows:
            self.table.setCurrentCell(min(chosen[0], len(rows) - 1), chosen[1])
        self.table.blockSignals(False)
        self.note.setText(_HOW if rows else _NOTHING)
        self._draw()

    @property
    def shown(self) -> bool:
        """Whether there is anything to show."""
        return bool(self._members)

    def _choose(self) -> None:
        self._draw()
        column = self.table.currentColumn() - 1
        if self._members and 0 <= column < len(CARRIED):
            self.quantity_chosen.emit(CARRIED[column].name)

    def _draw(self) -> None:
        """The course of the chosen column along the chosen member."""
        row = self.table.currentRow()
        if not 0 <= row < len(self._members):
            self.chart.show_panels(())
            return
        member = self._members[row]
        column = min(max(self.table.currentColumn() - 1, 0), len(CARRIED) - 1)
        what = CARRIED[column]
        unit = shown.unit(what.kind)
        # moments of frames in N mm have too many digits for an axis
        metric, size = ("kN m", 1e6) if unit == "N mm" else (unit, shown.per(what.kind))
        points = tuple(
            (float(x), float(y) / size) for x, y in zip(member.station, member.values[:, column])
        )
        self.chart.show_panels(
            (
                Panel(
                    "from its start, mm",
                    f"{what.symbol} in {metric}",
                    (Line(what.symbol, points, PAPER.accent),),
                ),
            )
        )
