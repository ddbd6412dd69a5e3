"""What is typed over a value of a sentence, and what stood there."""

from __future__ import annotations

from typing import Any

from labilis.edit.parameters import as_parameter, stated_at, varied
from labilis.edit.typed_values import three_parts, two_coordinates, with_unit
from labilis.model import LabilisError, Project
from labilis.model.units import KINDS

Path = tuple[str | int, ...]

__all__ = ["now_at", "pair_at", "triple_at", "typed", "varied_at", "with_unit"]


def now_at(project: Project, path: Path, text: str, kind: str) -> str:
    """What stands in the line when a value is opened: what is stated, else what its sentence says
    (`text`), without a remark; nothing where it asks for one."""
    found = stated_at(project, path)
    if text in ("needed", "not given"):
        return ""
    if found is not None:
        return str(found)
    return text.split(" (")[0] if kind != "text" else ""


def pair_at(project: Project, path: Path) -> tuple[dict[str, Any], str, str] | None:
    """(statement, its two coordinates) of what has two, such as an opening or a hole along an axis,
    at the path of the first of them; else None."""
    found = stated_at(project, path[:-1]) if path[-1] in ("x", "y") else None
    if not isinstance(found, dict):
        return None
    across = [name for name in "xyz" if name in found and name != found.get("along")]
    if len(across) != 2 or path[-1] != across[0]:
        return None
    return found, across[0], across[1]


def triple_at(project: Project, path: Path) -> tuple[str, ...]:
    """The quantities of the list in which a value stands, such as components."""
    row = stated_at(project, path[:-1]) if isinstance(path[-1], int) else None
    plain = isinstance(row, list | tuple) and all(isinstance(text, str) for text in row)
    return tuple(row) if plain else ()  # type: ignore[arg-type]


def typed(project: Project, path: Path, kind: str, text: str) -> tuple[Path, Any]:
    """(path, value) of what a text says: one value, three of a list, or both coordinates. Raises
    LabilisError for what is no whole number where one is wanted."""
    if kind == "count":
        try:
            return path, int(text)
        except ValueError as error:
            raise LabilisError(
                f"'{text}' is not a whole number.", remedy="Such as 6.", code="count"
            ) from error
    if not text and kind in KINDS:
        return path, None
    if kind in KINDS and (found := three_parts(text, triple_at(project, path), kind)):
        return path[:-1], list(found)
    if pair := pair_at(project, path):
        point, one, two = pair
        both = two_coordinates(text, str(point[one]), str(point[two]))
        if both is not None:
            return path[:-1], {**point, one: both[0], two: both[1]}
    return path, text


def varied_at(project: Project, path: Path, text: str) -> tuple[Project, str]:
    """(statements, name) with the value at a path as a parameter in the first plan; `text` is the
    value where none is stated. Raises LabilisError for what is no quantity."""
    made, name = as_parameter(project, path, text)
    return varied(made, name), name
