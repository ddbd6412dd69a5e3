"""Text and JSON to files and to standard output."""
from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import typer

from labilis.model import LabilisError


def write_text(path: Path, text: str) -> None:
    """Writes a file. Raises LabilisError where that cannot be done."""
    try:
        path.write_text(text, encoding="utf-8")
    except OSError as error:
        raise LabilisError(f"The file cannot be written ({error.strerror}).", str(path), "Choose another place.",
                           "disk") from error


def tell_json(data: Any, target: Path | None) -> bool:
    """Writes results as JSON where they are asked for; whether that was standard output, which then holds nothing else."""
    text = json.dumps(data, indent=2, ensure_ascii=False)
    if target is not None and str(target) == "-":
        typer.echo(text)
        return True
    if target is not None:
        write_text(target, text + "\n")
    return False
