"""Where the program keeps what belongs to a user and to no project: unsaved work, what is open,
what was open last, preferences."""

from __future__ import annotations

import os
from contextlib import suppress
from pathlib import Path

from platformdirs import user_state_path


def state_folder() -> Path:
    """Not made by asking for it. `LABILIS_STATE` puts it elsewhere."""
    return Path(os.environ.get("LABILIS_STATE") or user_state_path("labilis", ensure_exists=False))


def write_small(target: Path, text: str) -> None:
    """Put a text in place of a small file, whole or not at all. What cannot be kept is no reason
    to stop anything: nothing is said."""
    fresh = target.with_name(f"{target.name}.{os.getpid()}")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        fresh.write_text(text, encoding="utf-8")
        fresh.replace(target)
    except OSError:
        with suppress(OSError):
            fresh.unlink(missing_ok=True)
