"""The drawer's page of a convergence study: the factor over several meshes, and what they say together."""
from __future__ import annotations

from PyQt6.QtWidgets import QHeaderView, QLabel, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from labilis.judge.findings import ConvergenceFindings
from labilis.judge.sentences import convergence_words

_NOTHING = "No convergence study yet. It finds the first factor with several meshes: run it at the Mesh station."


class ConvergencePage(QWidget):
    """A table and a sentence; rows come as the meshes are done."""

    def __init__(self) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.table = QTableWidget(0, 5)
        self.table.setHorizontalHeaderLabels(["element size", "elements", "unknowns", "first factor", "change"])
        self.table.setAccessibleName("Convergence study")
        self.table.verticalHeader().hide()  # type: ignore[union-attr]
        self.table.setShowGrid(False)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        head = self.table.horizontalHeader()
        assert head is not None
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        head.setStretchLastSection(True)
        self.note = QLabel(_NOTHING)
        self.note.setObjectName("note")
        self.note.setWordWrap(True)
        layout.addWidget(self.table, 1)
        layout.addWidget(self.note)

    def show_study(self, found: ConvergenceFindings | None) -> None:
        """Fill the table."""
        self.table.setRowCount(0 if found is None else len(found.factors))
        if found is None:
            self.note.setText(_NOTHING)
            return
        for row, factor in enumerate(found.factors):
            change = "" if row == 0 else f"{100 * (factor / found.factors[row - 1] - 1):+.2f} %"
            cells = [f"{found.sizes[row]:.3g} mm", f"{int(found.elements[row]):,}", f"{int(found.unknowns[row]):,}", f"{factor:.4g}",
                     change]
            for column, text in enumerate(cells):
                self.table.setItem(row, column, QTableWidgetItem(text))
        self.note.setText(convergence_words(found) if found.done else "Meshing on ...")
