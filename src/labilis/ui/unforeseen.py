"""When something goes wrong in the window that nobody foresaw: the window stays, the work is
kept, and the engineer is told."""

from __future__ import annotations

import platform
import sys
import traceback
from collections.abc import Callable
from types import TracebackType

from PyQt6.QtCore import PYQT_VERSION_STR, QT_VERSION_STR, Qt
from PyQt6.QtWidgets import QApplication, QMessageBox

import labilis
from labilis.model import LabilisError
from labilis.ui.window import Window

# errors that are written out; a drawing that fails does so at every move of the pointer
_SHOWN_MOST = 20


class Unforeseen:
    """Takes every exception that nothing else took. Without it Qt ends the process at the first
    one."""

    def __init__(self, window: Window) -> None:
        self._window, self._box, self._count = window, QMessageBox(window), 0
        self._details = ""
        self._box.setWindowTitle("Something went wrong")
        self._box.setIcon(QMessageBox.Icon.Warning)
        self._box.setTextFormat(Qt.TextFormat.PlainText)
        self._box.setModal(False)
        self.save = self._button(
            "Save under a name", window.save_as, QMessageBox.ButtonRole.ActionRole
        )
        self.copy = self._button("Copy the details", self._copy, QMessageBox.ButtonRole.ActionRole)
        going = self._box.addButton("Go on", QMessageBox.ButtonRole.AcceptRole)
        self._box.setEscapeButton(
            going
        )  # without one the box refuses to be closed, and the window with it
        self._box.setDefaultButton(going)

    def _button(self, words: str, act: Callable[[], None], role: QMessageBox.ButtonRole) -> object:
        button = self._box.addButton(words, role)
        assert button is not None
        button.clicked.connect(lambda _=False: act())
        return button

    @property
    def box(self) -> QMessageBox:
        """The window that tells of it."""
        return self._box

    def take(
        self, kind: type[BaseException], error: BaseException, trail: TracebackType | None
    ) -> None:
        """As `sys.excepthook` calls it."""
        if isinstance(error, KeyboardInterrupt):
            QApplication.exit(130)
            return
        try:
            if isinstance(error, LabilisError):
                self._window.show_problem(error)
                return
            self._tell(error, "".join(traceback.format_exception(kind, error, trail)))
        except Exception:  # whatever happens while it is told must not end the window either
            traceback.print_exc()

    def _tell(self, error: BaseException, trail: str) -> None:
        self._count += 1
        if self._count > _SHOWN_MOST:
            return
        sys.stderr.write(trail)
        self._details = (
            f"Labilis {labilis.__version__}, Python {platform.python_version()}, Qt "
            f"{QT_VERSION_STR}, "
            f"PyQt {PYQT_VERSION_STR}, {platform.platform()}\n{trail}"
        )
        session = self._window.session
        session.note(
            f"Something went wrong in the window ({type(error).__name__}: {error}); the details "
            "can be copied"
        )
        kept = session.file
        where = (
            f" It is kept in {kept.path}."
            if kept is not None and not kept.read_only
            else " It is not on disk yet: save it."
        )
        self._box.setText(f"{type(error).__name__}: {error}")
        self._box.setInformativeText(
            f"What was stated is not lost.{where} The window can be used on; if it looks wrong, "
            "save and start "
            "it anew."
        )
        self._box.setDetailedText(self._details)
        self._box.show()

    def _copy(self) -> None:
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self._details)


def watch(window: Window) -> Unforeseen:
    """Take over what nothing else takes in this process."""
    found = Unforeseen(window)
    sys.excepthook = found.take
    return found
