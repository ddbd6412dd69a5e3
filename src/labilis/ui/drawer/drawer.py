"""Drawer with its pages."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QFont, QFontMetrics, QResizeEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QHeaderView,
    QPlainTextEdit,
    QPushButton,
    QStackedWidget,
    QTableWidget,
    QTableWidgetItem,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from labilis.ui.drawer.hand import HandPage
from labilis.ui.drawer.improve import ImprovePage
from labilis.ui.drawer.lines import LinesPage
from labilis.ui.drawer.modes import ModesPage
from labilis.ui.drawer.screening import ScreeningPage
from labilis.ui.drawer.studies import StudiesPage
from labilis.ui.drawer.tables import plain_table, text_cell
from labilis.ui.drawer.trace_page import TracePage
from labilis.ui.plain_text import Label
from labilis.ui.theme import PAPER, icon

if TYPE_CHECKING:
    from labilis.app import Session
    from labilis.run.report import CaseReport

PAGES = (
    "Modes",
    "Lines",
    "Screening",
    "Hand checks",
    "Studies",
    "Trace",
    "Improve",
    "Evidence",
    "Journal",
)
_STATES = {
    "good": ("✓", "good"),
    "caution": ("▬", "caution"),
    "bad": ("✕", "bad"),
    "not judged": ("○", "quiet"),
}


class Drawer(QWidget):
    """Pages under tabs; `mode_chosen` carries a mode's number from 0, `quantity_chosen` the name of
    what lines carry, `station_wanted` a station's name."""

    mode_chosen = pyqtSignal(int)
    quantity_chosen = pyqtSignal(str)
    station_wanted = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("drawer")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 2, 8, 4)
        layout.setSpacing(2)
        layout.addLayout(self._tab_row())
        self.old = Label("Out of date: this is of before the last change. Run again for today's.")
        self.old.setStyleSheet(f"color: {PAPER.caution}; font-weight: 600")
        self.old.hide()
        layout.addWidget(self.old)
        self.pages = QStackedWidget()
        layout.addWidget(self.pages)
        self.modes_page, self.trace_page = ModesPage(), TracePage()
        self.modes, self.modes_note, self.curve = (
            self.modes_page.table,
            self.modes_page.note,
            self.trace_page.curve,
        )
        self.modes_page.chosen.connect(self.mode_chosen)
        self.evidence = self._evidence_table()
        self.journal = QPlainTextEdit()
        self.journal.setReadOnly(True)
        self.journal.setAccessibleName("Journal")
        self.studies = StudiesPage()
        self.hand, self.screening = HandPage(session), ScreeningPage()
        self.improve = ImprovePage(session)
        self.lines = LinesPage()
        self.lines.quantity_chosen.connect(self.quantity_chosen)
        for page in (
            self.modes_page,
            self.lines,
            self.screening,
            self.hand,
            self.studies,
            self.trace_page,
            self.improve,
            self.evidence,
            self.journal,
        ):
            self.pages.addWidget(page)
        self.is_open = self._stale = False
        self.setMinimumHeight(34)
        self._height = 210
        session.results_changed.connect(self.refresh)
        session.statements_changed.connect(self.refresh)
        session.case_changed.connect(self.refresh)
        session.improving.changed.connect(self.improve.refresh)
        session.journal_grew.connect(self.journal.appendPlainText)
        self._made = True
        self.show_page("Modes")
        self.set_open(False)
        self.refresh()

    def _tab_row(self) -> QHBoxLayout:
        """Tabs, the summary of what is in front, and the fold."""
        row = QHBoxLayout()
        row.setSpacing(0)
        self.tabs: dict[str, QPushButton] = {}
        for name in PAGES:
            tab = QPushButton(name)
            tab.setObjectName("tab")
            tab.setCheckable(True)
            tab.clicked.connect(lambda _=False, name=name: self.show_page(name))
            tab.ensurePolished()  # into the font that it has on the screen
            bold = QFont(tab.font())
            bold.setBold(True)
            tab.setMinimumWidth(
                QFontMetrics(bold).horizontalAdvance(name + (" (99)" if name == "Evidence" else ""))
                + 12
            )
            row.addWidget(tab)
            self.tabs[name] = tab
        self.summary = Label()
        self.summary.setObjectName("note")
        row.addStretch(1)
        row.addWidget(self.summary)
        self.fold = QToolButton()
        self.fold.setAccessibleName("Fold or unfold the drawer")
        self.fold.setToolTip("Fold or unfold the drawer")
        self.fold.clicked.connect(self.toggle)
        row.addWidget(self.fold)
        return row

    def _evidence_table(self) -> QTableWidget:
        table = plain_table(["", "evidence", "what it says", ""], "Evidence")
        head = table.horizontalHeader()
        assert head is not None
        head.setStretchLastSection(False)
        for column, width in ((0, 96), (1, 150), (3, 90)):
            head.setSectionResizeMode(column, QHeaderView.ResizeMode.Fixed)
            table.setColumnWidth(column, width)
        head.setSectionResizeMode(2, QHeaderView.ResizeMode.Stretch)
        table.setWordWrap(True)
        table.itemActivated.connect(self._evidence_clicked)
        table.itemClicked.connect(self._evidence_clicked)
        return table

    def show_page(self, name: str) -> None:
        """Bring a page to the front; unfold if need be."""
        for other, tab in self.tabs.items():
            tab.setChecked(other == name)
        self.pages.setCurrentIndex(PAGES.index(name))
        self._show_summary()
        self._tell_old()
        self._height = 270 if name in ("Hand checks", "Improve") else 210
        QTimer.singleShot(0, self._fit_rows)
        if name == "Improve":
            self.improve.refresh()
        if hasattr(self, "_made"):
            self.set_open(True)

    def toggle(self) -> None:
        """Fold or unfold."""
        self.set_open(not self.is_open)

    def set_open(self, is_open: bool) -> None:
        """Fold to a line or unfold."""
        self.is_open = is_open
        self.pages.setVisible(is_open)
        self._tell_old()
        self.setFixedHeight(self._height if is_open else 36)
        self.fold.setIcon(icon("unfold" if is_open else "fold"))

    def refresh(self) -> None:
        """Fill the tables anew."""
        report, stale = self.session.case_report, False
        if self.session.out_of_date is not None:
            report, stale = self.session.out_of_date, True
        self._stale = stale
        self.summary.setText(self.modes_page.show_report(report, stale))
        self._show_summary()
        self._fill_evidence(report)
        self.trace_page.show_trace(report.facts.trace if report is not None else None, stale)
        self.hand.show_report(report)
        self.screening.show_report(report)
        self.lines.show_report(report)
        self.tabs["Lines"].setVisible(self.lines.shown)
        if not self.lines.shown and self.pages.currentWidget() is self.lines:
            self.pages.setCurrentWidget(self.modes_page)
            self.tabs["Lines"].setChecked(False)
            self.tabs["Modes"].setChecked(True)
        current = self.session.current
        if self.is_open and self.pages.currentWidget() is self.improve:
            self.improve.refresh()
        self._tell_old()
        self.studies.show_studies(
            current("converge"),
            {kind: current(kind) for kind in self.studies.tables},  # type: ignore[arg-type]
        )

    def _tell_old(self) -> None:
        """Above a page that shows what was found before the last change: nobody takes it for
        today's."""
        of_a_run = (self.modes_page, self.lines, self.screening, self.hand)
        page = self.pages.currentWidget()
        evidence = self.pages.indexOf(page) == PAGES.index("Evidence")
        trace = page is self.trace_page and self.trace_page.curve.trace is not None
        told = page in of_a_run or evidence or trace
        self.old.setVisible(self.is_open and self._stale and told)

    def choose_mode(self, mode: int) -> None:
        """Mark a mode's row without telling."""
        self.modes_page.choose(mode)

    def _fill_evidence(self, report: CaseReport | None) -> None:
        items = report.evidence if report is not None else ()
        rows: list[tuple[str, str, str, str, str]] = []
        for item in items:
            mark, tone = _STATES[item.state]
            colour = PAPER.tone(tone)
            rows.append(
                (
                    f"{mark} {item.state}",
                    colour,
                    f"{item.name}\n{item.figure} {item.unit}",
                    item.text,
                    item.station,
                )
            )
            rows += [("", "", "", words, station) for words, station in item.causes]
        self.evidence.setRowCount(len(rows))
        for row, (state, colour, name, text, station) in enumerate(rows):
            for column, cell in enumerate(
                (text_cell(state, colour), text_cell(name), text_cell(text))
            ):
                self.evidence.setItem(row, column, cell)
            link = text_cell(f"→ {station.capitalize()}", PAPER.accent)
            link.setData(Qt.ItemDataRole.UserRole, station.capitalize())
            self.evidence.setItem(row, 3, link)
        worst = [item for item in items if item.state in ("bad", "caution")]
        self.tabs["Evidence"].setText(f"Evidence ({len(worst)})" if worst else "Evidence")
        self._fit_rows()

    def _fit_rows(self) -> None:
        """Rows as high as their wrapped text."""
        metrics = self.evidence.fontMetrics()
        for row in range(self.evidence.rowCount()):
            lines = [
                metrics.boundingRect(
                    0,
                    0,
                    self.evidence.columnWidth(column) - 12,
                    2000,
                    int(Qt.TextFlag.TextWordWrap),
                    item.text(),
                ).height()
                for column in (1, 2)
                if (item := self.evidence.item(row, column)) is not None
            ]
            self.evidence.setRowHeight(row, max(lines, default=18) + 14)

    def _show_summary(self) -> None:
        """Beside the tabs of modes, where all of it has room: the ladder says the same."""
        room = (
            self.width()
            - sum(tab.minimumWidth() for tab in self.tabs.values())
            - self.fold.sizeHint().width()
            - 24
        )
        self.summary.setVisible(
            self.pages.currentWidget() is self.modes_page
            and self.summary.sizeHint().width() <= room
        )

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._show_summary()
        QTimer.singleShot(0, self._fit_rows)

    def _evidence_clicked(self, item: QTableWidgetItem) -> None:
        station = item.data(Qt.ItemDataRole.UserRole)
        if station:
            self.station_wanted.emit(station)
