"""Starting the window."""

from __future__ import annotations

import sys
from pathlib import Path

from PyQt6.QtWidgets import QApplication

from labilis.app import Session
from labilis.ui.theme import LIGHT, style_sheet
from labilis.ui.unforeseen import watch
from labilis.ui.window import Window


def make_application() -> QApplication:
    """The Qt application with our look; the running one if there is one."""
    application = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(application, QApplication)
    application.setApplicationName("Labilis")
    application.setStyle("Fusion")
    application.setStyleSheet(style_sheet(LIGHT))
    return application


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
