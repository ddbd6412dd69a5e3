"""The real window for scripts that take pictures of it; needs a display of 1280 x 800."""

from __future__ import annotations

import os
import tempfile
import time
from pathlib import Path


class RealWindow:
    """A window with a state of its own, at the corner of the screen."""

    def __init__(self) -> None:
        os.environ["LABILIS_STATE"] = tempfile.mkdtemp(prefix="labilis-pictures-")
        from PyQt6.QtWidgets import QApplication

        from labilis.app import Session
        from labilis.ui.app import make_application
        from labilis.ui.window import Window

        self.application = make_application()
        self.window = Window(Session())
        self._process = QApplication.processEvents
        self.window.move(0, 0)
        self.window.show()

    def wait(self, seconds: float) -> None:
        """Let it work for so long."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            self._process()
            time.sleep(0.01)

    def idle(self) -> None:
        """Until nothing runs."""
        self.wait(0.3)
        while self.window.session.running is not None:
            self.wait(0.05)
        self.wait(0.4)

    def freeze(self) -> None:
        """A moving shape at its farthest."""
        self.window.stage.playback.set_playing(False)
        self.window.stage.playback.phase = 0.25
        self.window.stage._frame()

    def take(self, path: Path) -> None:
        """The screen as it is once the small pictures of the ladder, which come one by one, are
        there."""
        self.wait(0.4)
        while self.window._picture_timer.isActive():
            self.wait(0.05)
        screen = self.window.screen()
        assert screen is not None
        screen.grabWindow(0, 0, 0, 1280, 800).save(str(path))  # type: ignore[call-overload]
