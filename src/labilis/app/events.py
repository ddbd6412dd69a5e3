"""Things that happen, and those who listen."""

from __future__ import annotations

import sys
import weakref
from collections.abc import Callable
from typing import Any


class Event:
    """Something that happens in the application. Listeners are called in the order in which they
    came; a method does not keep the object alive that it belongs to.

    One listener that fails keeps no other from hearing, and nothing that was begun from being
    done: the error goes where all go that nobody took, `sys.excepthook`."""

    def __init__(self) -> None:
        self._listeners: list[Callable[[], Callable[..., Any] | None]] = []

    def connect(self, call: Callable[..., Any]) -> None:
        """Call this from now on."""
        if hasattr(call, "__self__") and hasattr(call, "__func__"):
            self._listeners.append(weakref.WeakMethod(call))
        else:
            self._listeners.append(lambda: call)

    def emit(self, *content: Any) -> None:
        """Tell all who listen."""
        for reference in tuple(self._listeners):
            call = reference()
            if call is None:
                self._listeners.remove(reference)
                continue
            try:
                call(*content)
            except Exception:
                sys.excepthook(*sys.exc_info())
