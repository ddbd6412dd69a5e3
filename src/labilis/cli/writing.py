"""Text and JSON to files and to standard output."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import typer


def write_text(path: Path, text: str) -> None:
    """Writes a file. Raises LabilisError where that cannot be done."""
    from labilis.store.export import told_of_disk

    with told_of_disk(path):
        path.write_text(text, encoding="utf-8")


def tell_json(data: Any, target: Path | None) -> bool:
    """Writes results as JSON where they are asked for; whether that was standard output, which
    then holds nothing else."""
    text = json.dumps(data, indent=2, ensure_ascii=False)
    if target is not None and str(target) == "-":
        typer.echo(text)
        return True
    if target is not None:
        write_text(target, text + "\n")
    return False
