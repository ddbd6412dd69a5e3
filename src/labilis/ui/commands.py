"""Find a command: every command of the window by its words, with its key."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QObject, QPoint, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QLineEdit, QListWidget, QListWidgetItem, QWidget

from labilis.ui.theme import PAPER

_MOST = 200  # lines of the list


@dataclass(frozen=True)
class Command:
    """Words, key (may be empty), what it does."""

    words: str
    key: str
    call: Callable[[], object]


def matching(commands: list[Command], text: str) -> list[Command]:
    """Commands that hold every typed word, those that begin with the text first."""
    words = text.lower().split()
    found = [
        command for command in commands if all(word in command.words.lower() for word in words)
    ]
    return sorted(
        found, key=lambda command: not command.words.lower().startswith(text.lower().strip())
    )


class CommandBox(QLineEdit):
    """The box in the top bar, with its list of matches underneath."""

    def __init__(
        self,
        commands: list[Command],
        parent: QWidget,
        named: Callable[[], list[Command]] = list,
    ) -> None:
        super().__init__(parent)
        self.commands, self._named = commands, named
        self.setPlaceholderText("Find a command…   Ctrl+K")
        self.setAccessibleName("Find a command")
        self.setFixedWidth(210)
        self.list = QListWidget(parent.window())
        self.list.setWindowFlags(Qt.WindowType.ToolTip)
        self.list.setStyleSheet(f"border: 1px solid {PAPER.quiet};")
        self.list.itemClicked.connect(self._run_item)
        self.textEdited.connect(lambda _: self.show_matches())
        self.installEventFilter(self)

    def show_matches(self) -> None:
        """List what fits the text."""
        self.list.clear()
        named = self._named() if self.text().strip() else []  # as many as the part has faces
        for command in matching([*self.commands, *named], self.text())[:_MOST]:
            item = QListWidgetItem(
                f"{command.words}" + (f"   {command.key}" if command.key else "")
            )
            item.setData(Qt.ItemDataRole.UserRole, command)
            self.list.addItem(item)
        self.list.setCurrentRow(0)
        self.list.setFixedSize(360, min(380, 28 * max(self.list.count(), 1) + 6))
        self.list.move(self.mapToGlobal(QPoint(self.width() - 360, self.height() + 2)))
        self.list.setVisible(self.hasFocus())

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.FocusIn:
            self.show_matches()
        elif event is not None and event.type() == QEvent.Type.FocusOut:
            self.list.hide()
        return super().eventFilter(watched, event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()), 0)
        if step:
            self.list.setCurrentRow(
                min(max(self.list.currentRow() + step, 0), self.list.count() - 1)
            )
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if (item := self.list.currentItem()) is not None:
                self._run_item(item)
        elif event.key() == Qt.Key.Key_Escape:
            self._leave()
        else:
            super().keyPressEvent(event)

    def _run_item(self, item: QListWidgetItem) -> None:
        command: Command = item.data(Qt.ItemDataRole.UserRole)
        self._leave()
        command.call()

    def _leave(self) -> None:
        self.clear()
        self.list.hide()
        self.clearFocus()
