"""The strip at the stage's foot: legend, play, scale, speed, ghost."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetrics, QLinearGradient, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QSlider,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from labilis.app.preferences import prefers_still
from labilis.ui.plain_text import Label
from labilis.ui.theme import PAPER, icon

_SPEEDS = {"0.25 ×": 0.25, "0.5 ×": 0.5, "1 ×": 1.0, "2 ×": 2.0}


class _Legend(QWidget):
    """Colours from least to most."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(150, 12)
        self.stops: list[QColor] = []

    def paintEvent(self, _event: QPaintEvent) -> None:
        if not self.stops:
            return
        painter = QPainter(self)
        gradient = QLinearGradient(0, 0, self.width(), 0)
        for number, colour in enumerate(self.stops):
            gradient.setColorAt(number / (len(self.stops) - 1), colour)
        painter.setPen(QColor(PAPER.line))
        painter.setBrush(gradient)
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))


class RangeEnd(QLineEdit):
    """One end of the colours, which can be typed; empty for what is there. `typed` fires when
    something else was."""

    typed = pyqtSignal()

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setObjectName("range")
        self.setFrame(False)
        self.setAccessibleName(name)
        self.setToolTip("Type where the colours end; empty: where the values do")
        self.textChanged.connect(lambda _: self._fit())
        self.editingFinished.connect(self._done)

    def tell(self, text: str, own: bool) -> None:
        """Show an end, bold when it was typed and is not the values' own."""
        font = self.font()
        font.setBold(own)
        self.setFont(font)
        self.setText(text)
        self.setVisible(bool(text))

    def _fit(self) -> None:
        wide = QFontMetrics(self.font()).horizontalAdvance(self.text() or "0")
        self.setFixedWidth(wide + 12)

    def _done(self) -> None:
        if self.isModified():
            self.setModified(False)
            self.clearFocus()  # so that Space plays again
            self.typed.emit()


class Playback(QWidget):
    """Controls of movement. `changed` fires when a new frame must be drawn; phase 0 to 1 over
    one swing; `range_typed` when an end of the colours was typed."""

    changed = pyqtSignal()
    what_changed = pyqtSignal()
    range_typed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("float")
        self.phase, self.playing, self.steady = 0.25, True, False
        self._story = ""
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 4, 14, 8)
        layout.setSpacing(2)
        layout.addLayout(self._legend_row())
        layout.addLayout(self._swing_row())
        self.begin()

    def _legend_row(self) -> QHBoxLayout:
        """Colours with their ends and unit, and what is shown in words."""
        top = QHBoxLayout()
        self.low, self.high = RangeEnd("Lower end of the colours"), RangeEnd("Their upper end")
        self.unit = Label()
        self.legend = _Legend()
        self.unit.setObjectName("note")
        for end in (self.low, self.high):
            end.typed.connect(self.range_typed)
        for widget in (self.low, self.legend, self.high, self.unit):
            top.addWidget(widget)
        top.addStretch(1)
        self.story = Label()
        self.story.setStyleSheet("font-weight: 600")
        top.addWidget(self.story)
        return top

    def _swing_row(self) -> QHBoxLayout:
        """What is shown, how far and how fast it moves."""
        row = QHBoxLayout()
        self.button = QToolButton()
        self.button.setAccessibleName("Play or pause")
        self.button.setToolTip("Play or pause (Space)")
        self.button.clicked.connect(self.toggle)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, 100)
        self.slider.setAccessibleName("Phase of the swing")
        self.slider.sliderMoved.connect(self._slide)
        self.scale = QComboBox()
        self.scale.setEditable(True)
        self.scale.addItems(["automatic", "true"])
        self.scale.setAccessibleName("Scale of the movement")
        self.scale.setToolTip("Automatic, true (T), or a number to multiply the movement by")
        self.scale.setFixedWidth(110)
        self.scale.currentTextChanged.connect(lambda _: self._rescaled())
        self.speed = QComboBox()
        self.speed.addItems(list(_SPEEDS))
        self.speed.setCurrentText("1 ×")
        self.speed.setAccessibleName("Speed")
        self.ghost = QCheckBox("ghost")
        self.ghost.setChecked(True)
        self.ghost.setToolTip("Show the undeformed part (G)")
        self.what = QComboBox()
        self.what.setAccessibleName("What is shown")
        self.what.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.what.activated.connect(lambda _: self.what_changed.emit())
        row.addWidget(self.what)
        row.addWidget(self.button)
        row.addWidget(self.slider, 1)
        for word, box in (("scale", self.scale), ("speed", self.speed)):
            label = Label(word)
            label.setObjectName("note")
            row.addWidget(label)
            row.addWidget(box)
        row.addWidget(self.ghost)
        self.save = QToolButton()
        self.save.setText("save…")
        self.save.setAccessibleName("Save a picture or a film")
        self.save.setToolTip("Save what is shown as PNG, or one swing as GIF, WebP or MP4")
        row.addWidget(self.save)
        return row

    def offer(self, choices: tuple[str, ...]) -> None:
        """What may be shown; what was chosen stays where it is among it."""
        if choices != tuple(self.what.itemText(k) for k in range(self.what.count())):
            before = self.chosen
            self.what.clear()
            self.what.addItems(choices)
            self.what.setCurrentText(before if before in choices else choices[0])
        self.what.setVisible(len(choices) > 1)

    def choose(self, name: str) -> None:
        """Show one of what may be shown."""
        if name != self.chosen and self.what.findText(name) >= 0:
            self.what.setCurrentText(name)
            self.what_changed.emit()

    @property
    def chosen(self) -> str:
        """What is to be shown."""
        return self.what.currentText()

    def describe(
        self,
        unit: str,
        low: str,
        high: str,
        colours: Any,
        story: str,
        steady: bool,
        own: tuple[bool, bool] = (False, False),
    ) -> None:
        """Legend and words; `steady` fields (stress) stand still until played; own: which ends
        were typed."""
        self.unit.setText(unit)
        self.low.tell(low, own[0])
        self.high.tell(high, own[1])
        self._story = story
        self.story.setText(story)
        self.legend.stops = (
            []
            if colours is None
            else [
                QColor.fromRgbF(*(float(c) for c in colours(number / 8)[:3])) for number in range(9)
            ]
        )
        self.legend.setVisible(colours is not None)
        self.legend.update()
        if steady != self.steady:
            self.steady = steady
            self.begin(not steady)

    def tell(self, more: str) -> None:
        """What is drawn at this moment, behind the words of the field."""
        words = f"{self._story}, {more}" if more and self._story else self._story or more
        if words != self.story.text():
            self.story.setText(words)

    def toggle(self) -> None:
        """Play or pause."""
        self.set_playing(not self.playing)

    def begin(self, playing: bool = True) -> None:
        """What has just come up moves by itself, unless the user wants it still until played: then
        it stands where it moves most."""
        if playing and prefers_still():
            self.phase, playing = 0.25, False
        self.set_playing(playing)

    def set_playing(self, playing: bool) -> None:
        """Play or pause."""
        self.playing = playing
        self.button.setIcon(icon("pause" if playing else "play"))
        if not playing:
            self.phase = 0.25 if self.steady else self.phase
        self.changed.emit()

    def advance(self, seconds: float) -> None:
        """Move on by a time."""
        self.phase = (self.phase + seconds * 0.6 * _SPEEDS[self.speed.currentText()]) % 1.0
        self.slider.setValue(int(100 * self.phase))
        self.changed.emit()

    def _slide(self, value: int) -> None:
        self.playing = False
        self.button.setIcon(icon("play"))
        self.phase = value / 100
        self.changed.emit()

    def scale_value(self) -> float | None:
        """Number to multiply the movement by; None for automatic."""
        text = self.scale.currentText().strip().rstrip("×").strip()
        if text == "true":
            return 1.0
        try:
            return float(text)
        except ValueError:
            return None

    def toggle_true(self) -> None:
        """Between automatic and true scale."""
        self.scale.setCurrentText("automatic" if self.scale.currentText() == "true" else "true")

    def _rescaled(self) -> None:
        text = self.scale.currentText().strip()
        good = text in ("automatic", "true") or self.scale_value() is not None
        self.scale.setStyleSheet("" if good else f"border: 2px solid {PAPER.bad}")
        self.changed.emit()
