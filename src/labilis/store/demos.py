"""The demos that ship with the program: a folder each, with a model of the same name in it."""

from __future__ import annotations

from pathlib import Path

_FOLDER = Path(__file__).parents[1] / "demos"


def demo_names() -> list[str]:
    """Names of the demos."""
    return sorted(folder.name for folder in _FOLDER.iterdir() if demo_model(folder.name).is_file())


def demo_model(name: str) -> Path:
    """The model of a demo, whether it is there or not."""
    return _FOLDER / name / f"{name}.json"
