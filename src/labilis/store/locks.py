"""Which process has a project file open for writing: a note beside the user's own state, so that
two windows do not write into one file."""

from __future__ import annotations

import hashlib
import os
from pathlib import Path

from labilis.store.state import state_folder


def _note_of(path: Path) -> Path:
    folder = state_folder() / "open"
    return folder / hashlib.sha256(os.fsencode(Path(path).resolve())).hexdigest()[:32]


def holder_of(path: Path) -> int | None:
    """Process that has the file open, other than this one; None where there is none, or where it
    is gone."""
    try:
        process, _, began = _note_of(path).read_text().partition(" ")
        number = int(process)
    except (OSError, ValueError):
        return None
    return number if number != os.getpid() and mark_of(number) == f"{process} {began}" else None


def mark_of(process: int) -> str:
    """A living process by its number and when it began, since numbers come again; '' for one
    that is gone."""
    try:
        with open(f"/proc/{process}/stat", encoding="utf-8", errors="replace") as file:
            return f"{process} {file.read().rpartition(')')[2].split()[19]}"
    except (OSError, IndexError):
        return ""


def hold(path: Path) -> Path | None:
    """Notes that this process has the file open; returns the note, None where none can be made."""
    note = _note_of(path)
    try:
        note.parent.mkdir(parents=True, exist_ok=True)
        note.write_text(mark_of(os.getpid()))
    except OSError:
        return None
    return note


def let_go(note: Path | None) -> None:
    """Takes a note of this process away."""
    try:
        if note is not None and note.read_text() == mark_of(os.getpid()):
            note.unlink()
    except OSError:
        pass
