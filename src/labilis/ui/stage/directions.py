"""Which way x, y and z are: a small drawing in the corner of the stage that turns with the view.
A click on a letter looks along it."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from labilis.ui.theme import PAPER

_SIDE, _ARM, _LETTER = 84, 27.0, 36.0  # px
Floats = NDArray[np.float64]


class Directions(QWidget):
    """`chosen` carries the letter that was clicked. `facing` gives (right (3,), up (3,)) of the
    view."""

    chosen = pyqtSignal(str)

    def __init__(self, parent: QWidget, facing: Callable[[], tuple[Floats, Floats]]) -> None:
        super().__init__(parent)
        self._facing = facing
        self.setFixedSize(_SIDE, _SIDE)
        self.setAttribute(Qt.WidgetAttribute.WA_TranslucentBackground)
        self.setAccessibleName("Directions x, y and z; a click looks along one")
        self.setToolTip("Directions of the project: click a letter to look along it")
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def ends(self) -> dict[str, tuple[QPointF, float]]:
        """Where each letter stands in the drawing, and how far its arm comes toward the eye, -1
        to 1."""
        right, up = self._facing()
        toward = np.cross(right, up)
        middle = QPointF(_SIDE / 2, _SIDE / 2)
        return {
            letter: (
                middle + _LETTER * QPointF(float(right[axis]), -float(up[axis])),
                float(toward[axis]),
            )
            for axis, letter in enumerate("xyz")
        }

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Arms from the back to the front; one that points away is drawn thin, one along the
        view as a ring."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        font = QFont(self.font())
        font.setPixelSize(13)
        font.setBold(True)
        painter.setFont(font)
        middle = QPointF(_SIDE / 2, _SIDE / 2)
        for letter, (place, toward) in sorted(self.ends().items(), key=lambda item: item[1][1]):
            colour = QColor(PAPER.ink if toward > -0.2 else PAPER.quiet)
            along = place - middle
            size = float(np.hypot(along.x(), along.y()))
            painter.setPen(QPen(colour, 2.0 if toward > -0.2 else 1.2))
            if size < 7:  # the eye looks along it: a dot when it comes, a cross when it goes
                painter.drawEllipse(middle, 5.0, 5.0)
                painter.drawText(
                    QRectF(middle.x() + 7, middle.y() + 3, 14, 16),
                    Qt.AlignmentFlag.AlignCenter,
                    letter,
                )
                if toward > 0:
                    painter.setBrush(colour)
                    painter.drawEllipse(middle, 1.6, 1.6)
                    painter.setBrush(Qt.BrushStyle.NoBrush)
                else:
                    for dx, dy in ((3.5, 3.5), (3.5, -3.5)):
                        painter.drawLine(middle + QPointF(dx, dy), middle - QPointF(dx, dy))
                continue
            unit = along / size
            tip = middle + along * (_ARM / _LETTER)
            painter.drawLine(middle, tip)
            side = QPointF(-unit.y(), unit.x())
            painter.setBrush(colour)
            painter.drawPolygon(
                QPolygonF(
                    [tip + unit * 2.0, tip - unit * 5.0 + side * 2.8, tip - unit * 5.0 - side * 2.8]
                )
            )
            painter.setBrush(Qt.BrushStyle.NoBrush)
            beyond = middle + along * (max(size, 16.0) / size)
            painter.drawText(
                QRectF(beyond.x() - 9, beyond.y() - 9, 18, 18), Qt.AlignmentFlag.AlignCenter, letter
            )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """The letter next to the click."""
        at = event.position()
        letter = min(self.ends().items(), key=lambda item: (item[1][0] - at).manhattanLength())[0]
        self.chosen.emit(letter)
