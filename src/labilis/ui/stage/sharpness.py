"""Smoothed edges where they cost little, else only once the view is at rest.

Four samples for each pixel take two to three times the time of one on a machine that draws in
software (0.20 against 0.07 to 0.10 s a frame of 730 x 656 pixels on one core of the machine this
was measured on), so that turning the part and moving modes would stutter."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Callable, Iterator
from typing import Any

from PyQt6.QtCore import QObject, QTimer

SAMPLES = 4
_SLOW = 0.05  # s of a sharp frame, from which a view that changes is drawn without: 20 a second
_REST = 300  # ms without a change, until it is drawn sharp


class Sharpness(QObject):
    """Sets the samples of a 3D view before each frame. `state` tells what the view shows, camera
    and size; `changed` is called for any other change."""

    def __init__(self, view: Any, window: Any, state: Callable[[], object]) -> None:
        super().__init__()
        self._view, self._window, self._state = view, window, state
        self._seen: object = None
        self._sharp = True  # whether the next frame is
        self._slow = False
        self._kept = False
        self._began = 0.0
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_REST)
        self._rest.timeout.connect(self._at_rest)
        window.AddObserver("StartEvent", lambda *_: self._before())
        window.AddObserver("EndEvent", lambda *_: self._after())

    def changed(self) -> None:
        """What is shown has changed: the next frame is one of many, perhaps."""
        if self._slow and not self._kept:
            self._sharp = False
            self._rest.start()

    @contextlib.contextmanager
    def kept(self) -> Iterator[None]:
        """All frames sharp: they go into a picture or a film."""
        self._kept = self._sharp = True
        try:
            yield
        finally:
            self._kept = False

    def stop(self) -> None:
        """Nothing is drawn any more."""
        self._rest.stop()

    def _before(self) -> None:
        if (state := self._state()) != self._seen:
            self._seen = state
            self.changed()
        samples = SAMPLES if self._sharp else 0
        if self._window.GetMultiSamples() != samples:
            self._window.SetMultiSamples(samples)
        self._began = time.perf_counter()

    def _after(self) -> None:
        if self._sharp and not self._slow:
            self._slow = time.perf_counter() - self._began > _SLOW

    def _at_rest(self) -> None:
        self._sharp = True
        self._view.update()
