"""A label that is edited where it stands: the name of the project, and what it belongs to."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QLineEdit

from labilis.ui.plain_text import Label

_LEAST = 180  # px


class NameLabel(Label):
    """`typed` carries a new text. `hint` is shown where there is none, for somebody to click."""

    typed = pyqtSignal(str)

    def __init__(self, what: str, hint: str = "") -> None:
        super().__init__()
        self.hint, self.stated = hint, ""
        self.editor: QLineEdit | None = None
        self.setCursor(Qt.CursorShape.IBeamCursor)
        self.setToolTip(f"{what}: click to change it")
        self.setAccessibleName(what)

    def show_text(self, text: str) -> None:
        """What is stated now."""
        self.stated = text
        self.setText(text or self.hint)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Open a line in its place."""
        parent = self.parentWidget()
        if self.editor is not None or parent is None or event.button() != Qt.MouseButton.LeftButton:
            return
        line = QLineEdit(self.stated, parent)
        line.setAccessibleName(self.accessibleName())
        line.setPlaceholderText(self.hint)
        line.setMaxLength(120)
        line.setGeometry(self.x() - 6, 6, max(self.width() + 24, _LEAST), parent.height() - 12)
        line.installEventFilter(self)
        line.returnPressed.connect(self._take)
        self.editor = line
        line.show()
        line.raise_()
        line.setFocus()
        line.selectAll()

    def _take(self) -> None:
        if self.editor is not None:
            text = self.editor.text().strip()
            self.close_editor()
            if text != self.stated:
                self.typed.emit(text)

    def close_editor(self) -> None:
        """Put the line away; what was typed is dropped."""
        line, self.editor = self.editor, None
        if line is not None:
            line.hide()
            line.deleteLater()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Clicking elsewhere takes what was typed; Escape is the window's."""
        if watched is self.editor and event is not None and event.type() == QEvent.Type.FocusOut:
            self._take()
        return super().eventFilter(watched, event)
