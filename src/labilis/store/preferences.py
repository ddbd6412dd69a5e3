"""What a user prefers for new projects. What cannot be read or kept is no reason to stop
anything."""

from __future__ import annotations

import json
from pathlib import Path

from labilis.model import shown
from labilis.store.state import state_folder, write_small


def _file() -> Path:
    return state_folder() / "preferences.json"


def preferred_units() -> shown.UnitsName:
    """Units in which a new project shows its figures: those that were chosen last."""
    try:
        stated = json.loads(_file().read_text(encoding="utf-8"))
        return next(name for name in shown.NAMES if name == stated["units"])
    except (OSError, ValueError, RecursionError, KeyError, TypeError, StopIteration):
        return shown.DEFAULT


def prefer_units(name: shown.UnitsName) -> None:
    """Remember them for the next new project."""
    write_small(_file(), json.dumps({"units": name}))
