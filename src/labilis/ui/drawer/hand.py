"""The drawer's page of hand checks: formulas on the left, the numbers of the chosen one on the
right, each open to change."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QTableWidgetItem,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from labilis.judge.figures import force_text
from labilis.judge.hand.checks_of_member import HandResult, Taken, raised
from labilis.judge.hand.sheet import calculation
from labilis.model import HandCheck, LabilisError, shown
from labilis.ui.copying import FULL, copy_rows, full_head, full_text
from labilis.ui.drawer.tables import column_widths, note_below, plain_table, text_cell
from labilis.ui.plain_text import Label, plain_tip
from labilis.ui.theme import PAPER

if TYPE_CHECKING:
    from labilis.app import Session
    from labilis.run.report import CaseReport

_NOTHING = "Hand checks take their numbers from a strength run: run it, then choose a piece."


class HandPage(QWidget):
    """All checks of one member."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._report: CaseReport | None = None
        self._results: tuple[HandResult, ...] = ()
        self._filling = False
        self._kind = ""
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        left, right = QVBoxLayout(), QVBoxLayout()
        row = QHBoxLayout()
        row.addWidget(Label("of"))
        self.members = QComboBox()
        self.members.setAccessibleName("Piece that is checked")
        self.members.currentTextChanged.connect(self._chosen)
        row.addWidget(self.members)
        row.addStretch(1)
        self.copy = QToolButton()
        self.copy.setText("copy as a calculation")
        self.copy.setObjectName("tool")
        self.copy.setToolTip(
            "Formula, numbers with where they come from, result and source, as text and as a table"
        )
        self.copy.clicked.connect(self._copy)
        row.addWidget(self.copy)
        left.addLayout(row)
        self.table = plain_table(["check", "gives", "factor", "the model", "ladder"], "Hand checks")
        column_widths(self.table, (None, 68, 44, 88, 48), 0)
        self.table.setWordWrap(False)
        self.table.itemSelectionChanged.connect(self._show_selected)
        self.table.itemChanged.connect(self._ticked)
        left.addWidget(self.table, 1)
        self.formula = Label()
        self.formula.setWordWrap(True)
        self.formula.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        right.addWidget(self.formula)
        self.symbols = plain_table(["symbol", "value", "model has", ""], "Numbers of the check")
        column_widths(self.symbols, (None, 84, 72, 30), 0)
        self.symbols.setWordWrap(False)
        right.addWidget(self.symbols, 1)
        self.note = note_below(_NOTHING)
        right.addWidget(self.note)
        layout.addLayout(left, 1)
        layout.addLayout(right, 1)

    # --- filling
    # ----------------------------------------------------------------------------------------------
    def show_report(self, report: CaseReport | None) -> None:
        """Fill the page from a case; the member and check that are shown stay."""
        self._report = report
        hand = report.facts.hand if report is not None else None
        names = [] if hand is None else [str(name) for name in hand.members.names]
        known = [self.members.itemText(k) for k in range(self.members.count())]
        self._filling = True
        if names != known:
            before = self.members.currentText()
            self.members.clear()
            self.members.addItems(names)
            if names and report is not None:
                self.members.setCurrentText(before if before in names else report.hand_member)
        self._filling = False
        self._fill()

    def _chosen(self, _name: str) -> None:
        if not self._filling:
            self._fill()

    def _fill(self) -> None:
        report = self._report
        self._results = (
            ()
            if report is None or not self.members.currentText()
            else report.hand_checks(self.members.currentText())
        )
        self._filling = True
        self.table.setRowCount(len(self._results))
        for row, item in enumerate(self._results):
            quiet = PAPER.quiet if item.outcome is None else ""
            cells = [
                item.form.title,
                "–" if item.outcome is None else force_text(item.outcome.load),
                f"{item.factor:.4g}" if math.isfinite(item.factor) else "–",
                self._beside(item),
            ]
            full = {2: item.factor, 3: item.difference}
            if item.outcome is not None:
                full[1] = shown.value(item.outcome.load, "force")
            for column, words in enumerate(cells):
                off = column == 3 and math.isfinite(item.difference) and abs(item.difference) > 5
                self.table.setItem(
                    row, column, text_cell(words, PAPER.caution if off else quiet, full.get(column))
                )
            tick = QTableWidgetItem()
            tick.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsUserCheckable)
            tick.setCheckState(Qt.CheckState.Checked if item.on_ladder else Qt.CheckState.Unchecked)
            tick.setToolTip("Show it on the ladder")
            self.table.setItem(row, 4, tick)
        full_head(self.table, 1, "force")
        kinds = [item.form.key for item in self._results]
        if kinds:
            self.table.selectRow(kinds.index(self._kind) if self._kind in kinds else 0)
        self._filling = False
        self._show_selected()

    @staticmethod
    def _beside(item: HandResult) -> str:
        if item.outcome is None:
            return item.problem
        if math.isfinite(item.difference):
            return f"{abs(item.difference):.1f} % {'above' if item.difference > 0 else 'below'}"
        return item.problem or ("capacity" if item.form.real else "")

    def _selected(self) -> HandResult | None:
        row = self.table.currentRow()
        return self._results[row] if 0 <= row < len(self._results) else None

    def _show_selected(self) -> None:
        item = self._selected()
        self.copy.setVisible(item is not None)
        if item is None:
            self.formula.setText("")
            self.symbols.setRowCount(0)
            self.note.setText(_NOTHING)
            return
        if self._filling:
            return
        self._kind = item.form.key
        self.formula.setText(item.form.formula)
        self.symbols.setRowCount(len(item.taken))
        for row, taken in enumerate(item.taken):
            self.symbols.setItem(row, 0, text_cell(f"{taken.symbol.name}, {taken.symbol.words}"))
            self.symbols.setCellWidget(row, 1, self._editor(item, taken))
            found = raised(taken.found or "unknown")
            cell = text_cell(f"usual: {found}" if taken.usual else found, PAPER.quiet)
            says = (
                "A usual value: the model says nothing of it"
                if taken.usual
                else "What the model has"
            )
            if isinstance(taken.value, float) and not taken.typed:  # each row has a unit of its own
                full = (
                    f"{full_text(shown.value(taken.value, taken.symbol.kind))} "
                    f"{shown.unit(taken.symbol.kind)}"
                ).strip()
                cell.setData(FULL, full)
                says = f"{says} ({full})"
            cell.setToolTip(plain_tip(says))
            self.symbols.setItem(row, 2, cell)
            self.symbols.setCellWidget(row, 3, self._back(item, taken))
        parts = []
        if item.outcome is not None:
            parts += [
                ", ".join(
                    shown.restated(f"{name} = {value:.4g} {unit}".strip())
                    for name, value, unit in item.outcome.steps
                )
            ]
            parts += item.outcome.remarks
        parts += [*item.reasons, f"Holds for: {item.form.valid}.", item.form.source + "."]
        self.note.setText("  ".join(part for part in (item.problem, *parts) if part))

    def _copy(self) -> None:
        """The chosen check to the clipboard."""
        item = self._selected()
        if item is not None and self._report is not None:
            copy_rows(calculation(item, self._report.facts.case))

    # --- changing
    # ----------------------------------------------------------------------------------------------
    def _editor(self, item: HandResult, taken: Taken) -> QWidget:
        if taken.symbol.choices:
            box = QComboBox()
            box.addItems(taken.symbol.choices)
            box.setCurrentText(str(taken.value))
            box.setAccessibleName(taken.symbol.words)
            box.textActivated.connect(lambda text: self._set(item, taken, text))
            return box
        line = QLineEdit(taken.text)
        line.setCursorPosition(0)  # its number, where it is longer than the field
        line.setAccessibleName(taken.symbol.words)
        line.setPlaceholderText("type it")
        if taken.typed:
            line.setStyleSheet(f"color: {PAPER.accent}; font-weight: 600")
        line.editingFinished.connect(
            lambda: None if line.text() == taken.text else self._set(item, taken, line.text())
        )
        return line

    def _back(self, item: HandResult, taken: Taken) -> QToolButton:
        back = QToolButton()
        back.setText("↺")
        back.setToolTip("Back to the model's value")
        back.setAccessibleName(f"Back to the model's {taken.symbol.words}")
        back.setEnabled(taken.typed)
        back.clicked.connect(lambda: self._set(item, taken, ""))
        return back

    def _set(self, item: HandResult, taken: Taken, text: str) -> None:
        """State a value; an empty one goes back to the model's."""
        stated = self._stated(item)
        values = {name: value for name, value in stated.values.items() if name != taken.symbol.name}
        if text.strip():
            values[taken.symbol.name] = text.strip()
        words = f"{taken.symbol.words} of {item.form.title} for {item.member}"
        words += f" set to {text.strip()}" if text.strip() else " as the model has it"
        self._state(stated.model_copy(update={"values": values}), words)

    def _ticked(self, cell: QTableWidgetItem) -> None:
        if self._filling or cell.column() != 4 or not 0 <= cell.row() < len(self._results):
            return
        item = self._results[cell.row()]
        shown = cell.checkState() == Qt.CheckState.Checked
        self._state(
            self._stated(item).model_copy(update={"on_ladder": shown}),
            f"{item.form.title} for {item.member} {'put on' if shown else 'taken off'} the ladder",
        )

    def _stated(self, item: HandResult) -> HandCheck:
        checks = self.session.project.checks
        return next(
            (
                check
                for check in checks
                if check.kind == item.form.key and check.member == item.member
            ),
            HandCheck(kind=item.form.key, member=item.member),  # type: ignore[arg-type]
        )

    def _state(self, check: HandCheck, title: str) -> None:
        project = self.session.project
        rest = tuple(
            other
            for other in project.checks
            if (other.kind, other.member) != (check.kind, check.member)
        )
        keep = (check,) if check.values or check.on_ladder else ()
        try:
            for symbol, text in check.values.items():
                known = next(
                    item.symbol
                    for result in self._results
                    if result.form.key == check.kind
                    for item in result.taken
                    if item.symbol.name == symbol
                )
                if not known.choices:
                    project.value(text, known.kind, f"checks/{check.kind}/{symbol}")
            self.session.edit(
                project.changed(checks=[*(one.model_dump() for one in (*rest, *keep))]), title
            )
        except LabilisError as error:
            self.note.setText(f"<span style='color:{PAPER.bad}'>{error}</span>")
