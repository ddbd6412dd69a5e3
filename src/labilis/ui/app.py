"""Starting the window."""

from __future__ import annotations

import sys
from importlib.resources import as_file, files
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QIcon, QPalette, QPixmap
from PyQt6.QtWidgets import QApplication

from labilis.app import Session
from labilis.app.preferences import preferred_paper
from labilis.ui.theme import DARK, LIGHT, PAPER, style_sheet
from labilis.ui.unforeseen import watch
from labilis.ui.window import Window


def make_application() -> QApplication:
    """The Qt application with our look; the running one if there is one."""
    application = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(application, QApplication)
    application.setApplicationName("Labilis")
    application.setDesktopFileName("labilis")
    drawing = files("labilis").joinpath("ui/theme/icons/labilis.svg")
    with as_file(drawing) as path:
        application.setWindowIcon(QIcon(QPixmap(str(path)).scaledToWidth(256)))
    PAPER.take(DARK if is_dark(application) else LIGHT)
    sheet = style_sheet(PAPER)
    if application.styleSheet() != sheet:  # which every widget would be dressed in anew
        application.setStyle("Fusion")
        application.setPalette(_qt_palette())
        application.setStyleSheet(sheet)
    return application


def _qt_palette() -> QPalette:
    """The paper for what has no style of ours: boxes to tick, dialogs of the platform."""
    palette = QPalette()
    for role, colour in (
        (QPalette.ColorRole.Window, PAPER.ground),
        (QPalette.ColorRole.Button, PAPER.ground),
        (QPalette.ColorRole.Base, PAPER.card),
        (QPalette.ColorRole.AlternateBase, PAPER.ground),
        (QPalette.ColorRole.WindowText, PAPER.ink),
        (QPalette.ColorRole.ButtonText, PAPER.ink),
        (QPalette.ColorRole.Text, PAPER.ink),
        (QPalette.ColorRole.PlaceholderText, PAPER.quiet),
        (QPalette.ColorRole.Highlight, PAPER.accent),
        (QPalette.ColorRole.HighlightedText, PAPER.card),
        (QPalette.ColorRole.Link, PAPER.accent),
    ):
        palette.setColor(role, QColor(colour))
    return palette


def is_dark(application: QApplication) -> bool:
    """Whether the window is on dark paper: as it was chosen, else as the desktop is."""
    chosen = preferred_paper()
    if chosen != "as the desktop":
        return chosen == "dark"
    hints = application.styleHints()
    return hints is not None and hints.colorScheme() == Qt.ColorScheme.Dark


def run_window(path: Path | None = None) -> int:
    """Open the window, with a file if one is given; returns the exit status."""
    application = make_application()
    window = Window(Session())
    watch(window)
    window.show()
    if path is not None:
        application.processEvents()
        window.load_path(path)
    return application.exec()
