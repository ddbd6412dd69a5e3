"""A sentence whose values are live, and the editor that opens right under it."""

from __future__ import annotations

from collections.abc import Callable
from html import escape
from typing import Any

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QCursor, QKeyEvent, QKeySequence, QResizeEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from labilis.app.typed import with_unit
from labilis.judge.spans import Sentence, Span
from labilis.model import LabilisError
from labilis.ui.copying import copy_text, show_menu
from labilis.ui.plain_text import Label, plain_tip, polish_again
from labilis.ui.theme import PAPER


class SentenceLabel(QLabel):
    """Sentence as rich text; values are links. `chosen` carries the span that was clicked,
    `removed` asks to drop it, `folded` to show or hide its details."""

    chosen = pyqtSignal(object)
    removed = pyqtSignal()
    folded = pyqtSignal()

    def __init__(self, sentence: Sentence, removable: str = "", fold: str = "") -> None:
        super().__init__()
        self.sentence = sentence
        self.setWordWrap(True)
        self.setTextFormat(Qt.TextFormat.RichText)
        self.setTextInteractionFlags(
            Qt.TextInteractionFlag.LinksAccessibleByMouse
            | Qt.TextInteractionFlag.LinksAccessibleByKeyboard
            | Qt.TextInteractionFlag.TextSelectableByMouse
        )
        html = "".join(self._html(number, span) for number, span in enumerate(sentence))
        if fold:
            html += (
                f'&nbsp;<a href="fold" style="color:{PAPER.accent};text-decoration:none">{fold}</a>'
            )
        if removable:
            html += (
                f'&nbsp;<a href="remove" style="color:{PAPER.quiet};text-decoration:none" '
                f'title="{escape(removable)}">✕</a>'
            )
        self.setText(html)
        self.setAccessibleName("".join(span.text for span in sentence))
        self.linkActivated.connect(self._clicked)
        self.figures = [full for span in sentence for _, full in span.figures]
        tips = {
            "": "\n".join(self.figures),
            "remove": removable,
            "fold": "Where it stands, and what is cut into it",
        }
        self.linkHovered.connect(lambda link: self.setToolTip(plain_tip(tips.get(link, "Change"))))
        self.setToolTip(plain_tip(tips[""]))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Keeps room for every line: the sheet asks for heights before its scroll bar takes some
        of the width, and a line would be cut."""
        super().resizeEvent(event)
        self.setMinimumHeight(self.heightForWidth(self.width()))

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None:
            show_menu(self.menu(), self, event.pos())

    def menu(self) -> QMenu:
        """What can be taken along: what is marked, the sentence, and each found number of it
        with all of its digits."""
        menu = QMenu(self)
        whole = "".join(span.text for span in self.sentence if not span.act)
        marked = [("copy what is marked", self.selectedText())] if self.hasSelectedText() else []
        for words, text in [
            *marked,
            ("copy the sentence", whole),
            *((f"copy {full}", full) for full in self.figures),
        ]:
            action = menu.addAction(words)
            assert action is not None
            action.triggered.connect(lambda _=False, text=text: copy_text(text))
        return menu

    def _html(self, number: int, span: Span) -> str:
        text = escape(span.text).replace("\n", "<br>")
        if span.strong:
            text = f"<b>{text}</b>"
        if span.path is not None:
            colour = (
                PAPER.tone(span.tone) if span.tone else (PAPER.ink if span.strong else PAPER.accent)
            )
            return f'<a href="{number}" style="color:{colour};text-decoration:none">{text}</a>'
        return f'<span style="color:{PAPER.tone(span.tone)}">{text}</span>' if span.tone else text

    def _clicked(self, link: str) -> None:
        if link == "remove":
            self.removed.emit()
        elif link == "fold":
            self.folded.emit()
        else:
            self.chosen.emit(self.sentence[int(link)])


class ValueEditor(QFrame):
    """Line with the value as it was written, what it must be, and any error right there. Enter
    takes it, Tab takes it and asks for the next value (Shift+Tab: the one before), Escape leaves;
    Alt with the letter that is marked presses a button."""

    closed = pyqtSignal()
    passed_on = pyqtSignal(int)

    def __init__(
        self,
        span: Span,
        text: str,
        hint: str,
        take: Callable[[str], None],
        vary: Callable[[], None] | None = None,
    ) -> None:
        super().__init__()
        self._take = take
        self._first = text
        self.span = span
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 2)
        layout.setSpacing(2)
        row = QHBoxLayout()
        self.line = QLineEdit(text)
        self.line.setAccessibleName(hint)
        self.line.selectAll()
        self.line.returnPressed.connect(self.accept)
        self.line.installEventFilter(self)
        self.ok = QPushButton("Set")
        self.ok.clicked.connect(self.accept)
        row.addWidget(self.line, 1)
        row.addWidget(self.ok)
        self.vary = QPushButton("Var&y")
        self.vary.setToolTip("Try other values of it in a trial plan, as a parameter")
        self.vary.setVisible(vary is not None)
        if vary is not None:
            self.vary.clicked.connect(lambda: self._do(vary))
        row.addWidget(self.vary)
        layout.addLayout(row)
        hint = f"{hint}; Tab for the next value"
        self.note = Label(hint)
        self.note.setObjectName("note")
        self.note.setWordWrap(True)
        layout.addWidget(self.note)
        self.line.textEdited.connect(lambda _: self._say("", hint))

    def accept(self) -> None:
        """Try the value; a LabilisError is shown and the editor stays."""
        self._do(self._take_typed)

    def _take_typed(self) -> None:
        self._take(with_unit(self.line.text().strip(), self._first, self.span.kind))

    def _do(self, act: Callable[[], None]) -> bool:
        try:
            act()
        except LabilisError as error:
            self._say(str(error), str(error))
            return False
        self.closed.emit()
        return True

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Tab out of the line: what was typed is taken, what was only passed stays. Not by the
        order of focus, which Qt follows as well when the line is put away. Undo and redo are the
        window's where nothing was typed yet."""
        steps = {Qt.Key.Key_Tab: 1, Qt.Key.Key_Backtab: -1}
        if not isinstance(event, QKeyEvent):
            return False
        if event.type() == QEvent.Type.ShortcutOverride and self._is_of_window(event):
            event.ignore()
            return True
        if event.type() != QEvent.Type.KeyPress:
            return False
        if event.key() not in steps:
            return False
        typed = self.line.text().strip() != self._first
        if self._do(self._take_typed if typed else lambda: None):
            self.passed_on.emit(steps[Qt.Key(event.key())])
        return True

    def _is_of_window(self, event: QKeyEvent) -> bool:
        undo, redo = (QKeySequence.StandardKey.Undo, QKeySequence.StandardKey.Redo)
        if event.matches(undo):
            return not self.line.isUndoAvailable()
        return event.matches(redo) and not self.line.isRedoAvailable()

    def _say(self, error: str, text: str) -> None:
        self.line.setProperty("wrong", "true" if error else "false")
        self.note.setObjectName("error" if error else "note")
        for widget in (self.line, self.note):
            polish_again(widget)
        self.note.setText(text)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.closed.emit()
        else:
            super().keyPressEvent(event)


class MotionEditor(QFrame):
    """Ticks for the motions that a support can hold."""

    closed = pyqtSignal()

    def __init__(
        self,
        motions: tuple[str, ...],
        held: tuple[str, ...],
        take: Callable[[tuple[str, ...]], None],
    ) -> None:
        super().__init__()
        self._take = take
        layout = QGridLayout(self)
        layout.setContentsMargins(0, 2, 0, 2)
        self.boxes: dict[str, QCheckBox] = {}
        for number, motion in enumerate(motions):
            box = QCheckBox(motion.replace("turn_", "turn "))
            box.setChecked(motion in held)
            self.boxes[motion] = box
            layout.addWidget(box, number // 3, number % 3)
        self.ok = QPushButton("Set")
        self.ok.clicked.connect(self.accept)
        layout.addWidget(self.ok, 2, 2)
        self.note = Label("Ticked motions are held.")
        self.note.setObjectName("note")
        self.note.setWordWrap(True)
        layout.addWidget(self.note, 2, 0, 1, 2)

    def accept(self) -> None:
        """Take the ticks."""
        try:
            self._take(tuple(motion for motion, box in self.boxes.items() if box.isChecked()))
        except LabilisError as error:
            self.note.setText(str(error))
            self.note.setStyleSheet(f"color: {PAPER.bad}")
            return
        self.closed.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.closed.emit()
        else:
            super().keyPressEvent(event)


def choose(parent: QWidget, span: Span, take: Callable[[Any], None]) -> QMenu:
    """Menu of a span's choices at the pointer."""
    menu = QMenu(parent)
    for shown, value in span.choices:
        action = menu.addAction(shown)
        assert action is not None
        action.triggered.connect(lambda _=False, value=value: take(value))
    menu.popup(QCursor.pos())
    return menu
