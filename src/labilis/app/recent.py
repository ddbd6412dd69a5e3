"""Files that were opened or saved last, for the window's first page. A list that cannot be read
or kept is no reason to stop anything."""

from __future__ import annotations

import json
import os
from pathlib import Path

from labilis.store.state import state_folder, write_small

_MOST = 8


def _list() -> Path:
    return state_folder() / "recent.json"


def recent_files() -> list[Path]:
    """Those that are still there, the last one first."""
    try:
        stated = json.loads(_list().read_text(encoding="utf-8"))
        paths = (
            [Path(item) for item in stated if isinstance(item, str)]
            if isinstance(stated, list)
            else []
        )
        return [path for path in paths if path.is_file()][:_MOST]
    except (OSError, ValueError, RecursionError):
        return []


def remember(path: Path) -> None:
    """Put a file at the head of the list."""
    path = Path(os.path.abspath(path))
    rows = [str(path), *(str(other) for other in recent_files() if other != path)][:_MOST]
    write_small(_list(), json.dumps(rows))
