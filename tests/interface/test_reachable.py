"""What a screen reader reads and what the keyboard reaches, over all stations and pages."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
    QScrollBar,
    QSlider,
    QTableWidget,
    QWidget,
)

from labilis.ui.drawer.drawer import PAGES
from tests.interface.conftest import Hand

DEMO = Path(__file__).parents[2] / "src/labilis/demos/panel-prop/panel-prop.json"
KINDS = (
    QAbstractButton,
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
    QSlider,
    QTableWidget,
    QAbstractSpinBox,
)


def told(widget: QWidget) -> str:
    """What a screen reader says of it: its accessible name, or the words on it."""
    return widget.accessibleName() or str(
        getattr(widget, "text", str)() if isinstance(widget, QAbstractButton) else ""
    )


def controls(window: QWidget) -> list[QWidget]:
    """What can be worked on the screen; the parts of a control are its own."""
    return [
        widget
        for kind in KINDS
        for widget in window.findChildren(kind)
        if widget.isVisible()
        and not isinstance(widget, QScrollBar)
        and not isinstance(widget.parent(), QComboBox | QAbstractSpinBox)
        and widget.objectName() not in ("qt_toolbar_ext_button", "qt_spinbox_lineedit")
        and not widget.metaObject().className().startswith("QTableCorner")  # type: ignore[union-attr]
    ]


def screens(hand: Hand) -> Iterator[tuple[str, list[QWidget]]]:
    """What can be worked at every station and page in turn."""
    window = hand.window
    for station in window.sheet.cards:
        window.sheet.open_station(station)
        hand.qtbot.wait(20)
        yield station, controls(window)
    for page in PAGES:
        if window.drawer.tabs[page].isVisible():
            window.drawer.show_page(page)
            hand.qtbot.wait(20)
            yield page, controls(window)


def test_every_control_has_a_name_and_can_be_reached_by_keyboard(hand: Hand) -> None:
    hand.load(DEMO)
    hand.run()
    nameless, deaf, seen = set(), set(), 0
    for where, widgets in screens(hand):
        for widget in widgets:
            seen += 1
            kind = type(widget).__name__
            if not told(widget).strip():
                nameless.add((where, kind, widget.objectName()))
            if widget.focusPolicy() == Qt.FocusPolicy.NoFocus and widget.isEnabled():
                deaf.add((where, kind, told(widget) or widget.objectName()))
    assert seen > 200
    assert not nameless, sorted(nameless)
    assert not deaf, sorted(deaf)


def test_tab_goes_round_and_comes_back(hand: Hand) -> None:
    """From the first control on every one that takes the focus by Tab is met once, and none
    holds it."""
    hand.load(DEMO)
    window = hand.window
    window.setFocus()
    met: list[QWidget] = []
    for _ in range(400):
        hand.qtbot.keyClick(QApplication.focusWidget() or window, Qt.Key.Key_Tab)
        now = QApplication.focusWidget()
        if now is None or (met and now is met[0]):
            break
        met.append(now)
    assert 10 < len(met) < 400, "Tab is caught somewhere"
    names = [told(widget) or widget.accessibleName() for widget in met]
    assert "Run" in " ".join(names)
