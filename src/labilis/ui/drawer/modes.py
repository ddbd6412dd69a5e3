"""The table of modes: factor, load, driver with the energy of every piece, kind, half wave,
verdict."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import QModelIndex, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem, QVBoxLayout, QWidget

from labilis.judge.figures import critical_text, error_text
from labilis.model import shown
from labilis.results.findings import ModesFindings
from labilis.ui.copying import full_head
from labilis.ui.drawer.tables import column_widths, note_below, plain_table, text_cell
from labilis.ui.plain_text import plain_tip
from labilis.ui.theme import PAPER

if TYPE_CHECKING:
    from labilis.run.report import CaseReport

_COLUMNS = [
    "no.",
    "factor",
    "± mesh",
    "critical load",
    "driver, kind",
    "energy",
    "half wave",
    "required",
]
_SHARES = _COLUMNS.index("energy")


class _Bars(QStyledItemDelegate):
    """Shares of the energy as one small bar, the driver's part first."""

    def paint(
        self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex
    ) -> None:
        shares = index.data(Qt.ItemDataRole.UserRole)
        if painter is None or not shares:
            return
        painter.save()
        if option.state & option.state.State_Selected:
            painter.fillRect(option.rect, QColor(PAPER.accent_pale))
        area = QRectF(option.rect).adjusted(8, 8, -12, -8)
        painter.setPen(Qt.PenStyle.NoPen)
        left = area.left()
        for number, share in enumerate(shares):
            colour = QColor(PAPER.accent)
            colour.setAlphaF(1.0 if number == 0 else max(0.45 - 0.12 * (number - 1), 0.12))
            painter.setBrush(colour)
            painter.drawRect(QRectF(left, area.top(), area.width() * share, area.height()))
            left += area.width() * share
        painter.restore()


class ModesPage(QWidget):
    """`chosen` fires with the number of a mode from 0 when its row is clicked."""

    chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.table = plain_table(_COLUMNS, "Modes")
        self.table.setObjectName("modes")
        self.table.setItemDelegateForColumn(_SHARES, _Bars(self.table))
        column_widths(self.table, (30, 62, 74, 84, None, 52, 92, 118), 4)
        self.table.setWordWrap(False)  # cut at a letter, not at a word
        self.table.itemSelectionChanged.connect(self._clicked)
        for column, tip in (
            (_SHARES, "Share of the strain energy in each piece, the driver's first"),
            (
                _COLUMNS.index("half wave"),
                "Length of a half wave; each tells how many elements lie along it, one of second "
                "order counted twice",
            ),
        ):
            self.table.horizontalHeaderItem(column).setToolTip(tip)  # type: ignore[union-attr]
        layout.addWidget(self.table, 1)
        self.note = note_below("")
        layout.addWidget(self.note)
        self._filling = False

    def show_report(self, report: CaseReport | None, stale: bool) -> str:
        """Fill the table; gives the summary for the drawer's line."""
        facts = report.facts if report is not None else None
        modes = facts.modes if facts is not None else None
        self._filling = True
        if report is None or facts is None or modes is None:
            self.table.setRowCount(0)
            self.note.setText("No modes yet. Run to find them.")
            self._filling = False
            return ""
        self.table.setRowCount(len(modes.factors))
        full_head(self.table, _COLUMNS.index("critical load"), "force")
        full_head(self.table, _COLUMNS.index("half wave"), "length")
        for row in range(len(modes.factors)):
            self._fill_row(row, report, modes, stale)
            self._fill_shares(row, report)
        notes = [
            item.text
            for item in report.evidence
            if item.name
            in (
                "completeness",
                "modes under the required factor",
                "negative factors",
                "compression",
            )
        ]
        if len(modes.factors) == 0:
            notes = [
                item.text for item in report.evidence if item.name in ("compression", "held loads")
            ]
        self.note.setText(("Out of date. " if stale else "") + "  ".join(notes))
        self._filling = False
        first = (
            f"first factor {modes.positive[0]:.4g}" if len(modes.positive) else "no positive factor"
        )
        return ("out of date: " if stale else "") + first

    def _fill_row(self, row: int, report: CaseReport, modes: ModesFindings, stale: bool) -> None:
        facts, waves = report.facts, report.half_waves
        factor, kind = modes.factors[row], facts.kinds[row]
        required = facts.required_for(row)
        if factor < 0:
            verdict, colour = "load must reverse", PAPER.quiet
        elif facts.meets(row) is None:
            verdict, colour = "the trace decides", PAPER.quiet
        elif facts.meets(row):
            verdict, colour = f"✓ meets {required:.4g}", PAPER.good
        else:
            verdict, colour = f"✕ {100 * (1 - factor / required):.0f} % under", PAPER.bad
        grey = PAPER.quiet if stale else ""
        wave, count = waves[row] if row < len(waves) else (0.0, 0.0)
        along = f"{count:.0f}" if count >= 10 else f"{count:.2g}"
        error = float(modes.mesh_error[row]) if row < len(modes.mesh_error) else math.nan
        cells = [
            str(row + 1),
            f"{factor:.4g}",
            error_text(error) if math.isfinite(error) else "–",
            critical_text(float(factor), modes.growing_force),
            f"{modes.drivers[row]}, {kind}",
            "",
            shown.length(wave, 2 if wave < 100 else 3) if wave else "",
        ]
        critical = (
            shown.value(abs(float(factor)) * modes.growing_force, "force")
            if modes.growing_force
            else None
        )
        full = {
            1: float(factor),
            2: 100 * error,
            3: critical,
            6: shown.value(wave, "length") if wave else None,
        }
        for column, text in enumerate(cells):
            self.table.setItem(row, column, text_cell(text, grey, full.get(column)))
        if wave and (item := self.table.item(row, len(cells) - 1)) is not None:
            item.setToolTip(plain_tip(f"{item.toolTip()}, {along} elements along it"))
        self.table.setItem(row, len(cells), text_cell(verdict, grey or colour))

    def _fill_shares(self, row: int, report: CaseReport) -> None:
        modes = report.facts.modes
        assert modes is not None
        order = modes.shares[row].argsort()[::-1]
        shares = [
            (str(modes.pieces[k]), float(modes.shares[row, k]))
            for k in order
            if modes.shares[row, k] > 0.005
        ]
        cell = text_cell("")
        cell.setData(Qt.ItemDataRole.UserRole, [share for _, share in shares])
        words = ", ".join(f"{name} {100 * share:.0f} %" for name, share in shares)
        cell.setToolTip(plain_tip(words))
        cell.setData(Qt.ItemDataRole.AccessibleTextRole, words)
        self.table.setItem(row, _SHARES, cell)

    def choose(self, mode: int) -> None:
        """Mark a mode's row without telling."""
        self._filling = True
        if 0 <= mode < self.table.rowCount():
            self.table.selectRow(mode)
        else:
            self.table.clearSelection()
        self._filling = False

    def _clicked(self) -> None:
        rows = self.table.selectionModel().selectedRows()  # type: ignore[union-attr]
        if rows and not self._filling:
            self.chosen.emit(rows[0].row())
