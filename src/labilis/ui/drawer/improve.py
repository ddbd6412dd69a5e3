"""The drawer's page of the station Improve: trials of a plan, best first, with their plot; and
the designs side by side."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QStackedWidget,
    QTableWidget,
    QVBoxLayout,
    QWidget,
)

from labilis.judge.ladder import rungs
from labilis.model import RESPONSE_KINDS, TrialPlan, named, shown
from labilis.ui.copying import full_head
from labilis.ui.drawer.chart import Chart
from labilis.ui.drawer.tables import note_below, plain_table, text_cell
from labilis.ui.drawer.trial_plots import panel_of, place_of, plots_of
from labilis.ui.ladder.side_by_side import LaddersBeside
from labilis.ui.plain_text import plain_tip
from labilis.ui.theme import PAPER

if TYPE_CHECKING:
    from labilis.app import Session
    from labilis.app.trial_table import DesignsBeside, Ranked
    from labilis.results.findings import TrialFindings

_NOTHING = "No trials yet. State a plan at the station Improve, and run it."
_MOST_DESIGNS = 4


class ImprovePage(QWidget):
    """`design_wanted` carries what the parameters of the chosen trial are, by name."""

    design_wanted = pyqtSignal(dict)
    stage_wanted = pyqtSignal(tuple)  # names of designs to be shown side by side on the stage

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._ranked: Ranked | None = None
        self._beside: DesignsBeside | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(self._tool_row())
        self.pages = QStackedWidget()
        layout.addWidget(self.pages, 1)
        trials = QWidget()
        inner = QVBoxLayout(trials)
        inner.setContentsMargins(0, 0, 0, 0)
        across = QHBoxLayout()
        self.table = plain_table([""], "Trials, best first")
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.chart = Chart("Chart of the trials")
        self.chart.point_chosen.connect(self._choose_point)
        self.table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        across.addWidget(self.table, 5)
        across.addWidget(self.chart, 3)
        inner.addLayout(across, 1)
        self.note = note_below(_NOTHING)
        inner.addWidget(self.note)
        self.designs = plain_table([""], "Designs side by side")
        self.designs.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Interactive)  # type: ignore[union-attr]
        side = QWidget()
        below = QVBoxLayout(side)
        below.setContentsMargins(0, 0, 0, 0)
        across = QHBoxLayout()
        self.ladders = LaddersBeside()
        across.addWidget(self.designs, 55)
        across.addWidget(self.ladders, 45)
        below.addLayout(across, 1)
        self.flags = note_below("")
        below.addWidget(self.flags)
        self.pages.addWidget(trials)
        self.pages.addWidget(side)
        self.choose("trials")

    def _tool_row(self) -> QHBoxLayout:
        """What is shown, which plan, and what can be done with it."""
        row = QHBoxLayout()
        self.buttons: dict[str, QPushButton] = {}
        for name in ("trials", "designs"):
            button = QPushButton(name)
            button.setObjectName("chip")
            button.setCheckable(True)
            button.clicked.connect(lambda _=False, name=name: self.choose(name))
            row.addWidget(button)
            self.buttons[name] = button
        self.plan_box = QComboBox()
        self.plan_box.setAccessibleName("Trial plan")
        self.plan_box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.plan_box.activated.connect(lambda _: self.refresh())
        row.addWidget(self.plan_box)
        row.addStretch(1)
        self.plot_box = QComboBox()
        self.plot_box.setAccessibleName("What is drawn of the trials")
        self.plot_box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.plot_box.activated.connect(lambda _: self.refresh())
        row.addWidget(self.plot_box)
        self.keep = QPushButton("keep as a design")
        self.keep.setToolTip("The chosen trial, or the best, as a further design of the project")
        self.keep.clicked.connect(self._keep)
        row.addWidget(self.keep)
        self.alike = QPushButton("mesh all alike")
        self.alike.setToolTip("State the shortest element size of these designs for all of them")
        self.alike.clicked.connect(self._mesh_alike)
        row.addWidget(self.alike)
        self.on_stage = QPushButton("on the stage")
        self.on_stage.setToolTip(
            "The first mode of each design that was run, side by side at one scale"
        )
        self.on_stage.clicked.connect(self._to_stage)
        row.addWidget(self.on_stage)
        return row

    def choose(self, name: str) -> None:
        """Show trials or designs."""
        for other, button in self.buttons.items():
            button.setChecked(other == name)
        self.pages.setCurrentIndex(list(self.buttons).index(name))
        self.refresh()

    @property
    def plan(self) -> TrialPlan | None:
        """The plan that is shown."""
        plans = self.session.project.plans
        return next(
            (plan for plan in plans if plan.name == self.plan_box.currentText()),
            plans[0] if plans else None,
        )

    def refresh(self) -> None:
        """Fill what is shown anew."""
        names = [plan.name for plan in self.session.project.plans]
        if names != [self.plan_box.itemText(row) for row in range(self.plan_box.count())]:
            chosen = self.plan_box.currentText()
            self.plan_box.blockSignals(True)
            self.plan_box.clear()
            self.plan_box.addItems(names)
            self.plan_box.setCurrentIndex(max(names.index(chosen) if chosen in names else 0, 0))
            self.plan_box.blockSignals(False)
        trials = self.buttons["trials"].isChecked()
        self.plan_box.setVisible(trials and len(names) > 0)
        if trials:
            self._show_trials()
        else:
            self._show_designs()
        self.keep.setVisible(trials and self._ranked is not None)
        self.plot_box.setVisible(trials and self._ranked is not None)
        beside = self._beside
        self.on_stage.setVisible(not trials and beside is not None and len(beside.reports) > 1)
        self.alike.setVisible(not trials and beside is not None and beside.finest is not None)

    # --- trials
    # ----------------------------------------------------------------------------------------------
    def _show_trials(self) -> None:
        plan, chosen = self.plan, self._chosen()
        self._ranked = ranked = None if plan is None else self.session.improving.ranked(plan)
        if plan is None or ranked is None:
            self.table.setRowCount(0)
            self.chart.show_panels([])
            self.note.setText(
                _NOTHING
                if plan is None
                else f"No trials of '{plan.name}' yet. Run it at the station Improve."
            )
            return
        names, asked = [vary.parameter for vary in plan.vary], plan.shown
        heads = [
            "",
            *(vary.words for vary in plan.vary),
            *(named(*one) for one in asked),
            "held back by",
        ]
        self.table.setColumnCount(len(heads))
        self.table.setHorizontalHeaderLabels(heads)
        for place, (name, _) in enumerate(asked):
            full_head(self.table, 1 + len(names) + place, RESPONSE_KINDS[name][0])
        self.table.setRowCount(len(ranked.rows))
        for row, one in enumerate(ranked.rows):
            trial, held = one.trial, one.held
            texts = dict(zip(trial.parameters.tolist(), trial.texts.tolist()))
            colour = PAPER.quiet if held else ""
            cells = [
                "◉ best" if trial is ranked.best else "○" if held else "●",
                *(texts.get(name, "") for name in names),
                *one.figures,
                held,
            ]
            full = {
                1 + len(names) + place: trial.response(name, of)
                / shown.per(RESPONSE_KINDS[name][0])
                for place, (name, of) in enumerate(asked)
            }
            tip = plain_tip(f"{trial.driver}, {trial.kind}. {held}" if trial.driver else held)
            for column, words in enumerate(cells):
                cell = text_cell(words, colour, full.get(column))
                cell.setToolTip(f"{cell.toolTip()}; {tip}" if column in full else tip)
                if 0 < column <= len(names) + len(asked):
                    cell.setTextAlignment(
                        int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                    )
                self.table.setItem(row, column, cell)
        _fit(self.table)
        rows = enumerate(ranked.rows)
        again = next((row for row, one in rows if one.trial is chosen), None)
        if again is not None:
            self.table.selectRow(again)
        self.note.setText(ranked.why)
        self._draw(ranked)

    def _draw(self, ranked: Ranked) -> None:
        """What the box above says."""
        names = plots_of(ranked.plan)
        if list(names) != [self.plot_box.itemText(row) for row in range(self.plot_box.count())]:
            self.plot_box.clear()
            self.plot_box.addItems(names)
        panel = panel_of(self.plot_box.currentText(), ranked)
        self.chart.show_panels([panel] if panel is not None else [])

    def _choose_point(self, x: float, y: float) -> None:
        """The row of a point that was clicked."""
        ranked, name = self._ranked, self.plot_box.currentText()
        for row, one in enumerate(ranked.rows if ranked is not None else ()):
            if ranked is not None and place_of(name, ranked.plan, one) == (x, y):
                self.table.selectRow(row)
                self.table.scrollToItem(self.table.item(row, 0))
                return

    def _chosen(self) -> TrialFindings | None:
        picked = {index.row() for index in self.table.selectedIndexes()}
        rows = () if self._ranked is None else self._ranked.rows
        return rows[min(picked)].trial if picked and min(picked) < len(rows) else None

    def _keep(self) -> None:
        trial = self._chosen()
        if trial is None and self._ranked is not None:
            trial = self._ranked.best
        if trial is not None:
            self.design_wanted.emit(dict(zip(trial.parameters.tolist(), trial.texts.tolist())))

    def _to_stage(self) -> None:
        if self._beside is not None:
            self.stage_wanted.emit(tuple(self._beside.reports))

    def _mesh_alike(self) -> None:
        if self._beside is not None and self._beside.finest is not None:
            self.session.improving.mesh_alike(self._beside.finest)

    # --- designs
    # ----------------------------------------------------------------------------------------------
    def _show_designs(self) -> None:
        self._beside = beside = self.session.improving.beside(_MOST_DESIGNS)
        self._fill_designs(beside)
        case = self.session.case_name
        reports = [
            (name, said.case(case) or said.cases[0]) for name, said in beside.reports.items()
        ]
        self.ladders.show_ladders([(name, rungs(one.facts, "")) for name, one in reports])
        self.ladders.setVisible(len(self.ladders.ladders) > 1)
        self.flags.setText(
            beside.said
            if len(beside.names) > 1
            else "One design only. '+ design' at the station Improve keeps a copy of it; a trial "
            "can be kept as one as well."
        )

    def _fill_designs(self, beside: DesignsBeside) -> None:
        """The table of designs beside each other."""
        names = beside.names
        self.designs.setColumnCount(1 + len(names))
        self.designs.setHorizontalHeaderLabels(["", f"(shown) {names[0]}", *names[1:]])
        self.designs.setRowCount(len(beside.rows))
        for number, row in enumerate(beside.rows):
            for column, words in enumerate([row.title, *row.texts]):
                full = beside.figure(row, column - 1) if column else None
                if full is not None:
                    full = float(full) / shown.per(RESPONSE_KINDS[row.response][0])
                cell = text_cell(words, PAPER.quiet if column == 0 else "", full)
                self.designs.setItem(number, column, cell)
        # a long name is cut, so that all designs are seen beside each other; the last one, which
        # has the changes against the first, takes what is left
        for column, name in enumerate(names, 1):
            most = 100 if column < len(names) else 190
            hint = self.designs.sizeHintForColumn(column) + 2
            wide = min(max(hint, 100), most)
            self.designs.setColumnWidth(column, wide)
            head = self.designs.horizontalHeaderItem(column)
            assert head is not None
            # a header would be broken into lines of which the first alone is seen
            metrics = self.designs.fontMetrics()
            head.setText(metrics.elidedText(head.text(), Qt.TextElideMode.ElideRight, wide - 8))
            head.setToolTip(plain_tip(name))
        self.designs.resizeColumnToContents(0)
        self.designs.setColumnWidth(0, min(self.designs.columnWidth(0), 92))


def _fit(table: QTableWidget) -> None:
    """Columns as wide as what is in them, the last at least to the border."""
    table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
    for column in range(table.columnCount()):
        table.resizeColumnToContents(column)
        table.setColumnWidth(column, min(table.columnWidth(column) + 8, 240))
