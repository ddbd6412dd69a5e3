"""Tables of the window as files."""

from __future__ import annotations

import csv
from collections.abc import Sequence
from pathlib import Path

from labilis.model import LabilisError
from labilis.store.export import plain_cell


def write_table(path: Path, rows: Sequence[Sequence[object]]) -> None:
    """Rows as CSV, cells as text that no spreadsheet takes for a formula. Raises LabilisError
    where the file cannot be written."""
    try:
        with open(path, "w", newline="", encoding="utf-8") as target:
            csv.writer(target).writerows([[plain_cell(cell) for cell in row] for row in rows])
    except OSError as error:
        raise LabilisError(
            f"'{path.name}' could not be written ({error.strerror}).",
            str(path.parent),
            "Choose a folder you may write to.",
            "csv",
        ) from error
