"""The drawer's page of studies: over meshes, over the amplitude of the starting shape, over a tilt of the load."""
from __future__ import annotations

import math

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from labilis.judge.findings import ConvergenceFindings, StudyFindings
from labilis.judge.studies import study_words
from labilis.ui.drawer.convergence import ConvergencePage
from labilis.ui.drawer.tables import note_below, plain_table, text_cell

KINDS = {"converge": "over meshes", "amplitude": "over the amplitude", "tilt": "over a tilt of the load"}
_NOTHING = {"amplitude": "Not done yet. It traces the part with half, once and twice the amplitude to both sides: run it at the Trace "
                         "station.",
            "tilt": "Not done yet. It leans the largest force by up to 2° to both sides of both axes across it: run it at the Strength "
                    "station."}


class StudyTable(QWidget):
    """Rows of one study as they are done, and a sentence."""

    def __init__(self, kind: str) -> None:
        super().__init__()
        self.kind = kind
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.table = plain_table(["", "", "", ""], f"Study {KINDS[kind]}")
        self.note = note_below(_NOTHING[kind])
        layout.addWidget(self.table, 1)
        layout.addWidget(self.note)

    def show_study(self, found: StudyFindings | None) -> None:
        """Fill the table."""
        self.table.setRowCount(0 if found is None else len(found.labels))
        if found is None:
            self.note.setText(_NOTHING[self.kind])
            return
        self.table.setHorizontalHeaderLabels([self.kind, *(str(column) for column in found.columns)])
        for row, (label, figures) in enumerate(zip(found.labels, found.figures)):
            cells = [str(label), *(f"{value:.4g}" if math.isfinite(value) else "–" for value in figures)]
            for column, words in enumerate(cells):
                self.table.setItem(row, column, text_cell(words))
        self.note.setText(study_words(found) if found.done else "Running on ...")


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
        self.tables = {kind: StudyTable(kind) for kind in ("amplitude", "tilt")}
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

    def show_studies(self, converge: ConvergenceFindings | None, amplitude: StudyFindings | None, tilt: StudyFindings | None) -> None:
        """Fill all of them."""
        self.convergence.show_study(converge)
        self.tables["amplitude"].show_study(amplitude)
        self.tables["tilt"].show_study(tilt)
