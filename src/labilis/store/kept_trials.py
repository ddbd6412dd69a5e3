"""Trials kept beside a model: a file to which a line of JSON is added for each, so that a plan
that was stopped goes on where it was."""

from __future__ import annotations

import hashlib
import json
import os
from pathlib import Path

import numpy as np

import labilis
from labilis.model import LabilisError
from labilis.results.findings import TrialFindings
from labilis.run.codec import pack, unpack


def read_trials(path: Path) -> dict[str, TrialFindings]:
    """Trials by key; lines that are not whole, or not of this version, are left out. Raises
    LabilisError for a file that cannot be read."""
    found: dict[str, TrialFindings] = {}
    if not path.exists():
        return found
    try:
        lines = path.read_text(encoding="utf-8", errors="replace").splitlines()
    except OSError as error:
        raise LabilisError(
            f"The trials cannot be read ({error.strerror}).",
            str(path),
            "Choose another file.",
            "disk",
        ) from error
    for line in lines:
        try:
            stored = json.loads(line)
            if stored["checksum"] != _checksum(stored["key"], stored["trial"]):
                continue
            texts = {
                name: _array(value)
                for name, value in stored["trial"].items()
                if isinstance(value, list)
            }
            plain = {
                name: value
                for name, value in stored["trial"].items()
                if not isinstance(value, list)
            }
            found[str(stored["key"])] = unpack("TrialFindings", plain, texts)
        except (ValueError, KeyError, TypeError, AttributeError, RecursionError, LabilisError):
            continue
    return found


def keep_trial(path: Path, key: str, trial: TrialFindings) -> None:
    """Adds a trial. Raises LabilisError when it cannot be written."""
    _, plain, arrays = pack(trial)
    stored = {**plain, **{name: array.tolist() for name, array in arrays.items()}}
    line = json.dumps(
        {"key": key, "checksum": _checksum(key, stored), "trial": stored}, ensure_ascii=False
    )
    try:
        with open(path, "a", encoding="utf-8") as target:
            target.write(line + "\n")
            target.flush()
            os.fsync(target.fileno())
    except OSError as error:
        raise LabilisError(
            f"The trial cannot be kept ({error.strerror}).",
            str(path),
            "Choose another file.",
            "disk",
        ) from error


def _array(value: list[object]) -> np.ndarray:
    return (
        np.array(value, dtype=str)
        if value and isinstance(value[0], str)
        else np.array(value, dtype=float)
    )


def _checksum(key: str, stored: dict[str, object]) -> str:
    return hashlib.sha256(
        json.dumps([labilis.__version__, key, stored], sort_keys=True).encode()
    ).hexdigest()[:32]
