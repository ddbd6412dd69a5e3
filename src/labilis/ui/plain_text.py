"""Text of the window that is shown as it is: a name that an engineer or a file gave never
becomes markup."""

from __future__ import annotations

from html import escape

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QWidget


class Label(QLabel):
    """A label that shows its text letter by letter, whatever is in it."""

    def __init__(self, text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(text, parent)
        self.setTextFormat(Qt.TextFormat.PlainText)


def polish_again(widget: QWidget) -> None:
    """Have a style sheet looked up anew, after a property that it asks for has changed."""
    style = widget.style()
    assert style is not None
    style.unpolish(widget)
    style.polish(widget)


def plain_tip(text: str) -> str:
    """A tooltip as Qt takes it: markup in it is shown and not followed."""
    return (
        f"<span>{escape(text)}</span>".replace("\n", "<br>") if Qt.mightBeRichText(text) else text  # type: ignore[attr-defined]
    )
