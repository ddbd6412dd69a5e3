"""What the stage offers while there is no part: projects opened last, the demos, a file, or a
piece of numbers."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from labilis.app.demos import demo_model, demo_names, start_model, start_names
from labilis.app.recent import recent_files
from labilis.ui.plain_text import Label, plain_tip
from labilis.ui.theme import PAPER

# what a demo shows, by its folder; one that is not named here is offered by its own name
_SHOWN = {
    "sensor-bracket": "a rib to be placed",
    "panel-prop": "a strut of a STEP file",
    "cabinet-stand": "folded legs and rails",
    "antenna-mast": "a tube under a cable",
}
_STARTS = {
    "strut": "a round tube",
    "bracket": "a shelf on two ribs",
    "stand": "a table on four tubes",
    "mast": "a tube on its base plate",
    "cover": "sheet with two flanges",
    "joint": "an angle on a plate",
}
_MOST = 4
_HALF = 346  # px
_WIDE = 2 * _HALF + 8


def demos() -> list[tuple[str, str, Path]]:
    """(name, what it shows, model) of each demo that ships with the program."""
    models = ((name, demo_model(name)) for name in demo_names())
    return [
        (str(json.loads(path.read_text(encoding="utf-8"))["name"]), _SHOWN.get(name, ""), path)
        for name, path in models
    ]


def starts() -> list[tuple[str, str, Path]]:
    """(name, what it is, model) of each starting shape, in the order of the jobs."""
    names = sorted(start_names(), key=lambda name: [*_STARTS, name].index(name))
    models = ((name, start_model(name)) for name in names)
    return [
        (str(json.loads(path.read_text(encoding="utf-8"))["name"]), _STARTS.get(name, ""), path)
        for name, path in models
    ]


class Begin(QWidget):
    """`wanted` carries a file, of which a project becomes one of its own; `asked` one of open,
    step, piece, tour."""

    wanted = pyqtSignal(object)
    asked = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        outer = QHBoxLayout(self)
        outer.addStretch(1)
        self._column = QVBoxLayout()
        self._column.setSpacing(6)
        outer.addLayout(self._column)
        outer.addStretch(1)
        self.buttons: dict[str, QPushButton] = {}
        self.refresh()

    def refresh(self) -> None:
        """Write the offers anew."""
        while self._column.count():
            item = self._column.takeAt(0)
            if item is not None and (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        self.buttons = {}
        self._column.addStretch(1)
        if recent := recent_files()[:_MOST]:
            self._head("Go on with")
            for path in recent:
                self._row(
                    path.stem, str(path.parent), lambda path=path: self.wanted.emit(path), str(path)
                )
        self._head("Begin with a part of your own")
        self._row("STEP or STL file…", "bodies as they were drawn", lambda: self.asked.emit("step"))
        self._row(
            "A piece from numbers…",
            "plates, struts, folded sheet, ribs, blocks",
            lambda: self.asked.emit("piece"),
        )
        self._row("Project or model…", "what was saved before", lambda: self.asked.emit("open"))
        self._head("Begin with a shape by its job, and change its numbers")
        self._pairs(starts())
        self._head("Or look at one that is ready to run")
        self._row(
            "First check in six steps",
            "what a check is, on a prop that is ready to run",
            lambda: self.asked.emit("tour"),
        )
        self._pairs(demos())
        self._column.addStretch(2)

    def _pairs(self, offers: list[tuple[str, str, Path]]) -> None:
        """Offers two in a row."""
        for number in range(0, len(offers), 2):
            line = QWidget()
            row = QHBoxLayout(line)
            row.setContentsMargins(0, 0, 0, 0)
            row.setSpacing(8)
            for name, words, path in offers[number : number + 2]:
                call = lambda path=path: self.wanted.emit(path)
                row.addWidget(self._offer(name, words, call, words, _HALF), 1)
            self._column.addWidget(line)

    def _head(self, words: str) -> None:
        label = Label(words)
        label.setStyleSheet(f"color: {PAPER.quiet}; font-size: 12px; padding-top: 10px;")
        self._column.addWidget(label)

    def _row(self, name: str, words: str, call: Callable[[], object], tip: str = "") -> None:
        self._column.addWidget(self._offer(name, words, call, tip, _WIDE))

    def _offer(
        self, name: str, words: str, call: Callable[[], object], tip: str, wide: int
    ) -> QPushButton:
        row = QPushButton()
        row.setObjectName("offer")
        row.setAccessibleName(f"{name}: {words}" if words else name)
        row.setToolTip(plain_tip(tip))
        row.setCursor(Qt.CursorShape.PointingHandCursor)
        row.setMinimumSize(wide, 34)
        inside = QHBoxLayout(row)
        inside.setContentsMargins(12, 4, 12, 4)
        title, note = Label(name), Label(words)
        title.setStyleSheet("font-weight: 600; background: transparent;")
        note.setStyleSheet(f"color: {PAPER.quiet}; background: transparent;")
        for label in (title, note):
            label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        note.setText(
            note.fontMetrics().elidedText(
                words, Qt.TextElideMode.ElideMiddle, wide - 50 - title.sizeHint().width()
            )
        )
        inside.addWidget(title)
        inside.addStretch(1)
        inside.addWidget(note)
        row.clicked.connect(lambda _=False: call())
        self.buttons[name] = row
        return row
