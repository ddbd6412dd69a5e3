"""Random actions in the real window over the demos: no exception that nothing took, nothing
stated lost, no standstill."""

from __future__ import annotations

import json
import random
import shutil
import sys
import time
import traceback
from pathlib import Path
from typing import Any

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QInputDialog,
    QMenu,
    QMessageBox,
    QPushButton,
    QTableWidget,
    QToolButton,
    QWidget,
)

from labilis.model import load_project
from tests.interface.conftest import DEMO, Hand, at_this_speed

DEMOS = DEMO.parents[1]
TYPED = [
    "1 mm",
    "5 mm",
    "0",
    "-3 mm",
    "12",
    "abc",
    "",
    "1e9 mm",
    "2 kN",
    "1/0",
    "x",
    "thickness",
    "300 MPa",
    "3 deg",
    "0.3",
    "ä ü",
    "=1+1",
    "<b>name</b>",
    "10 %",
    "2*(1+",
    "99999999999999999999",
    "'",
    "../x",
    "nan",
]
# s that the window's own thread may be busy with one action; measured in its own time, not the
# machine's
LONGEST = 10.0


class Monkey:
    """Chooses and does things; `said` is what it did."""

    def __init__(self, hand: Hand, seed: int, folder: Path) -> None:
        self.hand, self.dice, self.folder, self.said = (
            hand,
            random.Random(seed),
            folder,
            [f"seed {seed}"],
        )
        shutil.copytree(DEMOS, folder / "demos")  # what is saved over is a copy
        self.demos = sorted((folder / "demos").glob("*/*.json"))
        hand.load(self.demos[seed % len(self.demos)])
        self.slowest = (0.0, "")
        patch = hand.patch
        patch.setattr(
            QFileDialog,
            "getOpenFileName",
            staticmethod(lambda *_, **__: (str(self.dice.choice([*self.demos, ""])), "")),
        )
        patch.setattr(
            QFileDialog,
            "getSaveFileName",
            staticmethod(
                lambda *_, **__: (
                    str(
                        self.dice.choice(
                            [
                                folder / "a.labilis",
                                folder / "b.png",
                                folder / "c.json",
                                folder / "none" / "d.labilis",
                                "",
                            ]
                        )
                    ),
                    "",
                )
            ),
        )
        patch.setattr(
            QFileDialog,
            "getExistingDirectory",
            staticmethod(
                lambda *_, **__: str(
                    self.dice.choice([folder / "out", folder / "none" / "out", ""])
                )
            ),
        )
        patch.setattr(
            QInputDialog,
            "getText",
            staticmethod(lambda *_, **__: (self.dice.choice(TYPED), self.dice.random() < 0.8)),
        )
        patch.setattr(QMessageBox, "exec", lambda _self: 0)
        patch.setattr(QMenu, "exec", lambda menu, *_: self._from(menu))

    def _from(self, menu: QMenu) -> Any:
        """One of a menu that would be waited for."""
        actions = [
            action for action in menu.actions() if action.isEnabled() and not action.isSeparator()
        ]
        chosen = self.dice.choice([*actions, None])
        if chosen is not None:
            chosen.trigger()
        return chosen

    def step(self) -> None:
        act = self.dice.choices(
            [
                self.command,
                self.value,
                self.button,
                self.pick,
                self.undo,
                self.table,
                self.box,
                self.key,
                self.station,
            ],
            [6, 10, 5, 5, 3, 2, 2, 2, 3],
        )[0]
        started = time.thread_time()
        act()
        self.hand.qtbot.wait(1)
        self.slowest = max(self.slowest, (time.thread_time() - started, self.said[-1]))

    def command(self) -> None:
        command = self.dice.choice(self.hand.window.commands)
        self.said.append(command.words)
        command.call()

    def station(self) -> None:
        name = self.dice.choice(list(self.hand.window.sheet.cards))
        self.said.append(f"station {name}")
        self.hand.window.sheet.open_station(name)

    def value(self) -> None:
        """Click a value of a sentence; type or choose something."""
        cards = self.hand.window.sheet.cards
        card = cards[self.dice.choice(list(cards))]
        links = [
            (label, number, span)
            for label in card.sentences
            for number, span in enumerate(label.sentence)
            if span.path is not None
        ]
        if not links:
            return
        label, number, span = self.dice.choice(links)
        self.said.append(f"click {span.text!r} at {span.path}")
        label.linkActivated.emit(str(number))
        editor = card.editor
        if editor is None or not hasattr(editor, "line"):
            return
        text = self.dice.choice([*TYPED, *self.hand.session.project.parameters])
        self.said[-1] += f", type {text!r}"
        editor.line.setText(text)
        editor.line.returnPressed.emit() if self.dice.random() < 0.5 else editor.ok.click()

    def _shown(self, kind: type[QWidget]) -> Any:
        found = [
            widget
            for widget in self.hand.window.findChildren(kind)
            if widget.isVisible() and widget.isEnabled()
        ]
        return self.dice.choice(found) if found else None

    def button(self) -> None:
        widget = self._shown(self.dice.choice([QPushButton, QToolButton]))
        if widget is not None:
            self.said.append(f"press {widget.text() or widget.accessibleName()!r}")
            menu = widget.menu()
            self._from(menu) if menu is not None else widget.click()

    def box(self) -> None:
        widget = self._shown(QComboBox)
        if widget is not None and widget.count():
            row = self.dice.randrange(widget.count())
            self.said.append(f"choose {widget.itemText(row)!r}")
            widget.setCurrentIndex(row)
            widget.activated.emit(row)

    def table(self) -> None:
        widget = self._shown(QTableWidget)
        if widget is not None and widget.rowCount():
            row, column = (
                self.dice.randrange(widget.rowCount()),
                self.dice.randrange(widget.columnCount()),
            )
            self.said.append(f"table {widget.accessibleName()!r}, row {row}, column {column}")
            item = widget.item(row, column)
            widget.setCurrentCell(row, column)
            if item is not None:
                widget.itemClicked.emit(item)
                widget.itemActivated.emit(item)

    def pick(self) -> None:
        plotter = self.hand.window.stage.plotter
        at = QPoint(self.dice.randrange(plotter.width()), self.dice.randrange(plotter.height()))
        way = self.dice.choice([Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier])
        self.said.append(f"pick at {at.x()}, {at.y()}")
        self.hand.qtbot.mouseMove(plotter, at)
        self.hand.qtbot.mouseClick(plotter, Qt.MouseButton.LeftButton, way, at)

    def key(self) -> None:
        key = self.dice.choice(
            [
                Qt.Key.Key_Escape,
                Qt.Key.Key_Delete,
                Qt.Key.Key_BracketLeft,
                Qt.Key.Key_BracketRight,
                Qt.Key.Key_F,
                Qt.Key.Key_G,
                Qt.Key.Key_D,
                Qt.Key.Key_Space,
                Qt.Key.Key_1,
                Qt.Key.Key_5,
                Qt.Key.Key_Tab,
            ]
        )
        self.said.append(f"key {key.name}")
        self.hand.qtbot.keyClick(self.hand.window, key)

    def undo(self) -> None:
        self.said.append("undo or redo")
        self.dice.choice([self.hand.session.undo, self.hand.session.undo, self.hand.session.redo])()


def restlessly(hand: Hand, folder: Path, seed: int, actions: int) -> tuple[float, str]:
    """The slowest action. Raises AssertionError with the last things that were done."""
    failed: list[str] = []
    hand.patch.setattr(
        sys, "excepthook", lambda *trail: failed.append("".join(traceback.format_exception(*trail)))
    )
    monkey = Monkey(hand, seed, folder)
    for number in range(actions):
        try:
            monkey.step()
        except Exception as error:  # raised by a call, not by an event
            from labilis.model import LabilisError

            if not isinstance(error, LabilisError):
                raise AssertionError("; ".join(monkey.said[-8:])) from error
        assert not failed, "\n".join([*failed, *monkey.said[-8:]])
        if number % 25 == 24:  # what is stated can be read again as it was
            project = hand.session.project
            assert load_project(json.loads(project.to_json())) == project, monkey.said[-25:]
    if hand.session.running is not None:
        hand.session.stop()
    hand.wait_idle()
    kept = hand.session.file
    assert kept is None or kept.project == hand.session.project
    return monkey.slowest


@pytest.mark.parametrize(
    ("seed", "actions"),
    [
        (1, 100),
        (2, 100),
        (3, 100),
        *(
            pytest.param(seed, 1250, marks=[pytest.mark.full, pytest.mark.timeout(7200)])
            for seed in range(11, 15)
        ),
    ],
)
def test_random_actions_lose_nothing_and_raise_nothing(
    hand: Hand, tmp_path: Path, seed: int, actions: int
) -> None:
    slowest, what = restlessly(hand, tmp_path, seed, actions)
    assert slowest < at_this_speed(LONGEST), what
