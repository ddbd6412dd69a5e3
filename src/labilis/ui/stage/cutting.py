"""A plane across x, y or z that cuts off what lies before it, so that the inside is seen."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QMenu, QPushButton, QSlider, QToolButton

from labilis.model import shown
from labilis.ui.plain_text import Label

Floats = NDArray[np.float64]
_STEPS = 200


class Cut(NamedTuple):
    """A plane: a place on it, mm, and the way to the half that stays."""

    origin: tuple[float, float, float]
    normal: tuple[float, float, float]

    def keeps(self, points: Floats) -> NDArray[np.bool_]:
        """Which of points (n, 3) stay."""
        return np.asarray((points - np.array(self.origin)) @ np.array(self.normal) >= 0.0)

    def shortened(self, start: Floats, end: Floats) -> tuple[Floats, Floats, NDArray[np.bool_]]:
        """Straight lines (s, 3) up to the plane, and which of them are left."""
        normal = np.array(self.normal)
        one, two = ((points - np.array(self.origin)) @ normal for points in (start, end))
        share = one / np.where(one == two, 1.0, one - two)
        crossing = start + share[:, None] * (end - start)
        return (
            np.where((one < 0)[:, None], crossing, start),
            np.where((two < 0)[:, None], crossing, end),
            (one >= 0) | (two >= 0),
        )


class CutStrip(QFrame):
    """Chooses the plane: a button with its axis, and a strip over the stage with its place, there
    while something is cut off; `changed` is told of every other plane."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.axis: int | None = None
        self._way = -1.0  # what lies toward the smaller coordinate stays
        self.setObjectName("float")
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 2, 10, 2)
        self.button = QPushButton("Cut")
        self.button.setObjectName("chip")
        self.button.setToolTip("Cut off what lies before a plane, to see and pick what is inside")
        menu = QMenu(self)
        for number, name in enumerate("xyz"):
            action = menu.addAction(f"Across {name}")
            assert action is not None
            action.triggered.connect(lambda _=False, number=number: self.choose(number))
        self.nothing = menu.addAction("Nothing cut off")
        assert self.nothing is not None
        self.nothing.triggered.connect(lambda _=False: self.choose(None))
        self.button.setMenu(menu)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, _STEPS)
        self.slider.setValue(_STEPS // 2)
        self.slider.setFixedWidth(150)
        self.slider.setAccessibleName("Place of the cut")
        self.slider.valueChanged.connect(lambda _: self.changed.emit())
        self.other = QToolButton()
        self.other.setText("⇄")
        self.other.setAccessibleName("Show the other side of the cut")
        self.other.setToolTip("Show the other side of the cut")
        self.other.clicked.connect(self.turn)
        self.place = Label("")
        for widget in (self.place, self.slider, self.other):
            row.addWidget(widget)
        self.choose(None)

    def choose(self, axis: int | None) -> None:
        """Cut across this axis, 0 for x; nothing with None."""
        self.axis = axis
        self.setVisible(axis is not None)
        self.changed.emit()
        self.adjustSize()

    def turn(self) -> None:
        """The other half stays."""
        self._way = -self._way
        self.changed.emit()

    def plane(self, extents: Floats, beyond: float) -> Cut | None:
        """The plane in a part of these extents (3, 2) mm, from so much before it to so much behind
        it, so that all of a thick sheet can go; None where nothing is cut off."""
        if self.axis is None:
            return None
        low, high = extents[self.axis] + np.array([-beyond, beyond])
        at = float(low + (high - low) * self.slider.value() / _STEPS)
        self.place.setText(f"cut at {'xyz'[self.axis]} = {shown.length(at, 4)}")
        self.adjustSize()
        origin, normal = [0.0, 0.0, 0.0], [0.0, 0.0, 0.0]
        origin[self.axis], normal[self.axis] = at, self._way
        return Cut(tuple(origin), tuple(normal))  # type: ignore[arg-type]
