"""Calls into libraries that may crash or never end, made in a child of this process."""

from __future__ import annotations

import contextlib
import faulthandler
import gc
import os
import pickle
import select
import signal
import tempfile
import time
from collections.abc import Callable
from typing import Any


class Ended(Exception):
    """The child came to its end without an answer: by a signal, by an error of its own, or
    because its time was up."""


def apart(call: Callable[[], Any], seconds: float) -> Any:
    """What a call returns, made in a fork of this process. Raises Ended when that crashes, raises
    or takes longer than `seconds`.

    The child only runs the one call and never returns into the program; what it sends is read by
    its own parent alone."""
    read, write = os.pipe()
    child = os.fork()
    if child == 0:
        status = 1
        # what waits to be cleaned up is the parent's: windows and their display, locks that its
        # other threads hold
        gc.disable()
        try:
            os.close(read)
            null = os.open(os.devnull, os.O_WRONLY)
            os.dup2(null, 1)
            os.dup2(null, 2)
            faulthandler.disable()
            os.chdir(tempfile.gettempdir())  # libraries that fail leave files where they stand
            with os.fdopen(write, "wb") as pipe:
                pickle.dump(call(), pipe, protocol=pickle.HIGHEST_PROTOCOL)
            status = 0
        finally:
            os._exit(status)
    os.close(write)
    try:
        return pickle.loads(_received(read, time.monotonic() + seconds))
    except (EOFError, pickle.UnpicklingError, TimeoutError) as error:
        raise Ended(str(error) or "it crashed") from error
    finally:
        os.close(read)
        with contextlib.suppress(ProcessLookupError):
            os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)


def _received(pipe: int, until: float) -> bytes:
    parts: list[bytes] = []
    while True:
        left = until - time.monotonic()
        if left <= 0 or not select.select([pipe], [], [], left)[0]:
            raise TimeoutError("it took too long")
        part = os.read(pipe, 1 << 20)
        if not part:
            return b"".join(parts)
        parts.append(part)
