"""What a user prefers for new projects, and how the window was left. What cannot be read or kept
is no reason to stop anything."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any, Literal

from labilis.model import shown
from labilis.store.state import state_folder, write_small

Paper = Literal["as the desktop", "light", "dark"]
PAPERS: tuple[Paper, ...] = ("as the desktop", "light", "dark")
_LONGEST = 10_000  # letters of a window's place, which takes about 100


def _file() -> Path:
    return state_folder() / "preferences.json"


def _stated() -> dict[str, Any]:
    try:
        stated = json.loads(_file().read_text(encoding="utf-8"))
    except (OSError, ValueError, RecursionError):
        return {}
    return stated if isinstance(stated, dict) else {}


def _prefer(name: str, value: str) -> None:
    write_small(_file(), json.dumps({**_stated(), name: value}))


def preferred_units() -> shown.UnitsName:
    """Units in which a new project shows its figures: those that were chosen last."""
    stated = _stated().get("units")
    return next((name for name in shown.NAMES if name == stated), shown.DEFAULT)


def prefer_units(name: shown.UnitsName) -> None:
    """Remember them for the next new project."""
    _prefer("units", name)


def preferred_paper() -> Paper:
    """Light or dark, as it was chosen last; the desktop's way without a choice."""
    stated = _stated().get("paper")
    return next((name for name in PAPERS if name == stated), PAPERS[0])


def prefer_paper(name: Paper) -> None:
    """Remember it for the next window."""
    _prefer("paper", name)


def prefers_still() -> bool:
    """Whether modes stand still until they are played."""
    return _stated().get("motion") == "still"


def prefer_still(still: bool) -> None:
    """Remember it."""
    _prefer("motion", "still" if still else "moving")


def window_place() -> str:
    """Size and place of the window when it was closed last, as the window wrote it; '' without."""
    stated = _stated().get("window")
    return stated if isinstance(stated, str) and len(stated) < _LONGEST else ""


def keep_window_place(place: str) -> None:
    """Remember it."""
    _prefer("window", place)
