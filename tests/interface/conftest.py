"""A real window on a virtual screen."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QWidget

from labilis.app import Session
from labilis.app.preferences import prefer_still
from labilis.ui.app import make_application
from labilis.ui.window import Window

DEMO = Path(__file__).parents[2] / "src/labilis/demos/panel-prop/panel-prop.json"


class Hand:
    """What a user's hand can do with a window."""

    def __init__(self, window: Window, qtbot: Any, monkeypatch: pytest.MonkeyPatch) -> None:
        self.window, self.session, self.qtbot, self.patch = (
            window,
            window.session,
            qtbot,
            monkeypatch,
        )

    def click(self, widget: QWidget) -> None:
        assert widget.isEnabled(), f"{widget.accessibleName() or widget.objectName()} is disabled"
        assert widget.isVisible()
        self.qtbot.mouseClick(widget, Qt.MouseButton.LeftButton)

    def wait_idle(self, limit: float = 90.0) -> None:
        self.qtbot.waitUntil(lambda: self.session.running is None, timeout=int(1000 * limit))
        self.qtbot.wait(80)  # what was asked for meanwhile begins at the next turn
        self.qtbot.waitUntil(lambda: self.session.running is None, timeout=int(1000 * limit))

    def answer_open(self, path: Path) -> None:
        """The next file dialogs answer with this path."""
        for name in ("getOpenFileName", "getSaveFileName"):
            self.patch.setattr(QFileDialog, name, staticmethod(lambda *_, **__: (str(path), "")))

    def load(self, path: Path) -> None:
        self.answer_open(path)
        self.click(self.window.buttons["open"])
        self.wait_idle()
        assert self.session.current("shape") is not None

    def run(self) -> None:
        self.click(self.window.run_button)
        self.wait_idle()

    def key(self, key: Any, modifier: Any = Qt.KeyboardModifier.NoModifier) -> None:
        self.qtbot.keyClick(self.window, key, modifier)
        self.qtbot.wait(30)

    def pixel(self, point: Any) -> QPoint:
        """Where a point of space lies on the 3D view, in the widget's coordinates."""
        from labilis.ui.stage.picking import world_to_display

        stage = self.window.stage
        x, y, _ = world_to_display(stage.plotter.renderer, np.array([point], dtype=float))[0]
        return QPoint(round(x), round(stage.plotter.height() - y))

    def move_in_view(self, point: Any) -> None:
        where = self.pixel(point)
        self.qtbot.mouseMove(self.window.stage.plotter, where - QPoint(3, 2))
        self.qtbot.mouseMove(self.window.stage.plotter, where)
        self.qtbot.wait(40)

    def click_in_view(self, point: Any, modifier: Any = Qt.KeyboardModifier.NoModifier) -> None:
        self.move_in_view(point)
        self.qtbot.mouseClick(
            self.window.stage.plotter, Qt.MouseButton.LeftButton, modifier, self.pixel(point)
        )
        self.qtbot.wait(40)

    def menu(self, menu: Any, words: str) -> None:
        """Choose from a menu by its words."""
        action = next(action for action in menu.actions() if words in action.text())
        action.trigger()
        self.qtbot.wait(30)

    def card(self, name: str) -> Any:
        self.window.sheet.open_station(name)
        return self.window.sheet.cards[name]

    def text(self, name: str) -> str:
        """All that a station says."""
        return " ".join(label.accessibleName() for label in self.window.sheet.cards[name].sentences)

    def type_value(self, station: str, shown: str, text: str) -> Any:
        """Click a value of a station by what it shows and type another; returns the editor if it
        stays open."""
        card = self.card(station)
        label, span = next(
            (label, span)
            for label in card.sentences
            for span in label.sentence
            if span.path is not None and shown in span.text
        )
        label.linkActivated.emit(str(label.sentence.index(span)))
        editor = card.editor
        editor.line.setText("")
        self.qtbot.keyClicks(editor.line, text)
        self.qtbot.keyClick(editor.line, Qt.Key.Key_Return)
        self.qtbot.wait(30)
        return card.editor

    def choose(self, station: str, path: tuple[Any, ...], words: str, shown: str = "") -> None:
        """Click a choice of a station, found by where it leads and what it shows, and take the
        first that holds these words."""
        from labilis.ui.sheet import card as cards

        offered: list[Any] = []
        self.patch.setattr(
            cards, "choose", lambda _parent, span, take: offered.append((span, take))
        )
        card = self.card(station)
        label, span = next(
            (label, span)
            for label in card.sentences
            for span in label.sentence
            if span.path == path
            and shown in span.text
            and any(words in text for text, _ in span.choices)
        )
        label.linkActivated.emit(str(label.sentence.index(span)))
        span, take = offered[0]
        take(next(value for text, value in span.choices if words in text))
        self.wait_idle()


def at_this_speed(seconds: float) -> float:
    """A limit of processor time that was set where a million additions take 0.08 s, on a machine
    that may be several times slower: some are held back while others work on them."""
    started, total = time.thread_time(), 0
    for number in range(1_000_000):
        total += number
    return seconds * max((time.thread_time() - started) / 0.08, 1.0)


def _nobody_answers(*words: Any, **_: Any) -> Any:
    """In place of a dialog that a test did not foresee: it would be waited for without end."""
    pytest.fail(f"a dialog asks and nobody answers: {words[1:3]}")


@pytest.fixture
def hand(qtbot: Any, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Iterator[Hand]:
    make_application()
    prefer_still(True)  # what moves by itself would be drawn all the time that a test waits
    window = Window(Session())
    window.show()
    qtbot.waitExposed(window)
    qtbot.waitUntil(lambda: window.stage.plotter is not None, timeout=20000)
    QApplication.setActiveWindow(window)  # there is no window manager that would
    made = Hand(window, qtbot, monkeypatch)
    for name in ("getOpenFileName", "getSaveFileName", "getExistingDirectory"):
        monkeypatch.setattr(QFileDialog, name, staticmethod(_nobody_answers))
    monkeypatch.setattr(QInputDialog, "getText", staticmethod(_nobody_answers))
    made.qtbot.wait(50)
    yield made
    window.close()
    window.deleteLater()


@pytest.fixture
def bar_file(tmp_path: Path) -> Callable[..., Path]:
    from tests.parts import bar_step

    def write(name: str = "flat bar ß.step") -> Path:
        path = tmp_path / name
        path.write_bytes(bar_step())
        return path

    return write
