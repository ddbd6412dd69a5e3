"""Work that has no name yet: where it is kept, and what windows that are gone left there."""

from __future__ import annotations

import os
import time
from pathlib import Path

from labilis.model import LabilisError
from labilis.store.state import state_folder


def recovery_folder() -> Path:
    """Where unsaved work is kept. Raises LabilisError when there can be no such place."""
    folder = state_folder() / "unsaved"
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise LabilisError(
            f"Unsaved work cannot be kept: there is no folder for it ({error.strerror}).",
            str(folder),
            "Save the project under a name.",
            "disk",
        ) from error
    return folder


def recovery_path(number: int) -> Path:
    """A file of this process for the `number`-th project that it begins."""
    return recovery_folder() / f"{os.getpid()}-{number}-{int(time.time())}.labilis"


def is_unsaved(path: Path) -> bool:
    """Whether a file is one that keeps unsaved work."""
    try:
        return path.parent == recovery_folder()
    except LabilisError:
        return False


def recoverable() -> list[Path]:
    """Unsaved work of windows that are gone, newest first."""
    found = []
    try:
        waiting = list(recovery_folder().glob("*.labilis"))
    except LabilisError:
        return []
    for path in waiting:
        try:
            process = int(path.stem.split("-")[0])
            os.kill(process, 0)
        except (ValueError, ProcessLookupError):
            found.append(path)
        except PermissionError:
            continue
    return sorted(found, key=lambda path: -path.stat().st_mtime)


def remove_file(path: Path) -> None:
    """Take a project file away, with its log."""
    for suffix in ("", "-wal", "-shm"):
        Path(str(path) + suffix).unlink(missing_ok=True)


def bytes_of(path: Path) -> bytes:
    """What a file holds. Raises LabilisError when it cannot be read."""
    try:
        return path.read_bytes()
    except OSError as error:
        raise LabilisError(
            f"The file cannot be read ({error.strerror}).", str(path), "Check the name.", "no-file"
        ) from error
