"""Strip under the mesh: how many elements have which shape, and the worst ones, which are marked
on the part."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from labilis.judge.mesh_display import POOR, worst_elements
from labilis.results.findings import MeshFindings
from labilis.ui.theme import PAPER


class QualityStrip(QWidget):
    """Bars of the histogram with its words."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(64)
        self.mesh: MeshFindings | None = None
        self.hide()

    def show_mesh(self, mesh: MeshFindings | None) -> None:
        """Show a mesh's figures, or nothing."""
        self.mesh = mesh
        self.setVisible(mesh is not None)
        if mesh is not None:
            self.setAccessibleName(self.words())
            self.setToolTip(self.words())
        self.update()

    def words(self) -> str:
        """The strip in words."""
        assert self.mesh is not None
        worst, poor = float(self.mesh.shape.min()), int((self.mesh.shape < POOR).sum())
        marked = len(worst_elements(self.mesh))
        said = f"worst {worst:.2f}; " + (
            "none under " + f"{POOR}"
            if not poor
            else f"{poor:,} under {POOR}"
            + (
                f", the worst {marked} marked on the part"
                if poor > marked
                else ", marked on the part"
            )
        )
        return f"Shape of {self.mesh.count:,} elements, 1 is ideal: {said}."

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        if self.mesh is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        counts, left, foot, step = self.mesh.histogram, 14.0, self.height() - 18.0, 26.0
        most = max(int(counts.max()), 1)
        font = painter.font()
        font.setPixelSize(11)
        painter.setFont(font)
        for k, count in enumerate(counts):
            high = (
                0.0 if count == 0 else max(2.0, (foot - 6.0) * np.sqrt(count / most))
            )  # the few bad ones must be seen
            bar = QRectF(left + k * step + 2, foot - high, step - 4, high)
            painter.fillRect(bar, QColor(PAPER.caution if (k + 1) / 10 <= POOR else PAPER.accent))
        painter.setPen(QPen(QColor(PAPER.quiet), 1))
        painter.drawLine(QPointF(left, foot), QPointF(left + 10 * step, foot))
        for k in (0, 2, 5, 10):
            painter.drawText(
                QRectF(left + k * step - 15, foot + 2, 30, 14),
                Qt.AlignmentFlag.AlignHCenter,
                f"{k / 10:g}",
            )
        painter.setPen(QColor(PAPER.ink))
        room = QRectF(
            left + 10 * step + 22, 4, self.width() - left - 10 * step - 36, self.height() - 8
        )
        painter.drawText(
            room, int(Qt.AlignmentFlag.AlignVCenter) | int(Qt.TextFlag.TextWordWrap), self.words()
        )
