"""What ships with the program: demos, a folder each with a model of the same name in it, and
starting shapes by job, small models of recipes that run at once."""

from __future__ import annotations

from pathlib import Path

_FOLDER = Path(__file__).parents[1] / "demos"
_STARTS = Path(__file__).parents[1] / "starts"


def demo_names() -> list[str]:
    """Names of the demos."""
    return sorted(folder.name for folder in _FOLDER.iterdir() if demo_model(folder.name).is_file())


def demo_model(name: str) -> Path:
    """The model of a demo, whether it is there or not."""
    return _FOLDER / name / f"{name}.json"


def start_names() -> list[str]:
    """Names of the starting shapes."""
    return sorted(path.stem for path in _STARTS.glob("*.json"))


def start_model(name: str) -> Path:
    """The model of a starting shape, whether it is there or not."""
    return _STARTS / f"{name}.json"
