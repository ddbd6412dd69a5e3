"""The drawer's page of studies: over meshes, over the amplitude of the starting shape, over a
misalignment of the load, the part meshed the other way, and with faces that touch bonded and
apart."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from labilis.judge.studies import figure_words, study_words
from labilis.model import shown
from labilis.results.findings import ConvergenceFindings, StudyFindings
from labilis.ui.drawer.chart import Chart, Line, Panel
from labilis.ui.drawer.convergence import ConvergencePage
from labilis.ui.drawer.tables import column_widths, note_below, plain_table, text_cell
from labilis.ui.theme import PAPER

KINDS = {
    "converge": "meshes",
    "amplitude": "amplitude",
    "tilt": "misalignment",
    "cross": "meshed the other way",
    "contact": "touching faces",
}
_FIRST = {
    "amplitude": "amplitude",
    "tilt": "misalignment",
    "cross": "meshed as",
    "contact": "joints",
}
_FACTORS = {
    "first factor": "good",
    "verified factor": "good",
    "limit": "bad",
    "first yield": "caution",
}
_NOTHING = {
    "amplitude": "Not done yet. It traces the part with half, once and twice the amplitude to both "
    "sides: run it at the Trace "
    "station.",
    "tilt": "Not done yet. It leans the largest force by up to 2° to both sides of both axes "
    "across it, and moves it along them by "
    "up to twice the thickness: run it at the Strength station.",
    "cross": "Not done yet. It finds the first factors of the same part with shells as solids and "
    "thin solids as shells: run it at "
    "the Mesh station.",
    "contact": "Not done yet. It finds the first factor with the faces that touch at bolts and "
    "seams bonded, and with them apart: "
    "run it at the Mesh station.",
}


class StudyTable(QWidget):
    """Rows of one study as they are done, and a sentence."""

    def __init__(self, kind: str) -> None:
        super().__init__()
        self.kind = kind
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        widths = (
            (None, 90, 66, 66, 96, 82)
            if kind == "cross"
            else (None, 90, 96)
            if kind == "contact"
            else (None, 96, 66, 76)
        )
        self.table = plain_table([""] * len(widths), f"Study of {KINDS[kind]}")
        column_widths(self.table, widths, 0)
        self.note = note_below(_NOTHING[kind])
        self.chart = Chart(f"Chart of the study of {KINDS[kind]}")
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(self.table, 1)
        row.addWidget(self.chart, 1)
        self.chart.hide()
        layout.addLayout(row, 1)
        layout.addWidget(self.note)

    def show_study(self, found: StudyFindings | None) -> None:
        """Fill the table."""
        self.table.setRowCount(0 if found is None else len(found.labels))
        drawn = [] if found is None else panels(found)
        self.chart.show_panels(drawn, "" if found is None else _axes(found))
        self.chart.setVisible(bool(drawn))
        if found is None:
            self.note.setText(_NOTHING[self.kind])
            return
        self.table.setHorizontalHeaderLabels(
            [_FIRST[self.kind], *(shown.axis(str(column))[0] for column in found.columns)]
        )
        scales = [shown.axis(str(column))[1] for column in found.columns]
        for row, (label, figures) in enumerate(zip(found.labels, found.figures)):
            cells = [
                shown.restated(str(label)),
                *(
                    figure_words(str(column), float(value))
                    for column, value in zip(found.columns, figures)
                ),
            ]
            for column, words in enumerate(cells):
                self.table.setItem(
                    row,
                    column,
                    text_cell(
                        words,
                        full=float(figures[column - 1]) * scales[column - 1] if column else None,
                    ),
                )
        self.note.setText(study_words(found) if found.done else "Running on ...")


def _axes(found: StudyFindings) -> str:
    """What whole and dashed lines are, where there are two axes."""
    axes = list(dict.fromkeys(str(name).rsplit(",", 1)[0][-1] for name in found.series if name))
    return f"{axes[0]}, dashed {axes[1]}" if len(axes) == 2 else ""


def panels(found: StudyFindings) -> list[Panel]:
    """One panel for each unit of x: factors over it, the second axis dashed."""
    kinds: dict[str, list[str]] = {}
    for name in dict.fromkeys(str(item) for item in found.series if item):
        kinds.setdefault(name.split()[0].rstrip(","), []).append(name)
    result = []
    for kind, names in kinds.items():
        lines = []
        for number, name in enumerate(names):
            rows = sorted(
                (row for row in range(len(found.x)) if str(found.series[row]) in (name, "")),
                key=lambda row: float(found.x[row]),
            )
            for column, title in enumerate(str(column) for column in found.columns):
                if title in _FACTORS:
                    points = tuple(
                        (float(found.x[row]), float(found.figures[row, column])) for row in rows
                    )
                    lines.append(Line(title, points, PAPER.tone(_FACTORS[title]), number > 0))
        unit = names[0].rsplit(", ", 1)[-1]
        result.append(Panel(f"{kind}, {unit}", "factor", tuple(lines)))
    return result


class StudiesPage(QWidget):
    """One study at a time, chosen by buttons."""

    def __init__(self) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        row = QHBoxLayout()
        self.buttons: dict[str, QPushButton] = {}
        self.pages = QStackedWidget()
        self.convergence = ConvergencePage()
        self.tables = {kind: StudyTable(kind) for kind in ("amplitude", "tilt", "cross", "contact")}
        for kind, words in KINDS.items():
            button = QPushButton(words)
            button.setObjectName("chip")
            button.setCheckable(True)
            button.clicked.connect(lambda _=False, kind=kind: self.choose(kind))
            row.addWidget(button)
            self.buttons[kind] = button
            self.pages.addWidget(self.convergence if kind == "converge" else self.tables[kind])
        row.addStretch(1)
        layout.addLayout(row)
        layout.addWidget(self.pages, 1)
        self.choose("converge")

    def choose(self, kind: str) -> None:
        """Show one study."""
        for name, button in self.buttons.items():
            button.setChecked(name == kind)
        self.pages.setCurrentIndex(list(KINDS).index(kind))

    def show_studies(
        self, converge: ConvergenceFindings | None, others: Mapping[str, StudyFindings | None]
    ) -> None:
        """Fill all of them; `others` by kind."""
        self.convergence.show_study(converge)
        for kind, table in self.tables.items():
            table.show_study(others.get(kind))
