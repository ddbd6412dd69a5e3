"""New statements in the units that figures are shown in: what the window writes by itself, '3 mm'
or '1 kN', is written as its user would type it. What was typed, and what was there before,
stays."""

from __future__ import annotations

import re

from labilis.model import Project, load_project, shown
from labilis.model.project import put_at
from labilis.model.quantities import Path

_PLAIN = re.compile(r"-?\d+(\.\d+)?(e[+-]?\d+)? [A-Za-z/*^0-9]+", re.IGNORECASE)
_EXACT = {
    "at",
    "x",
    "y",
    "z",
    "centre",
    "step",
    "offset",
    "between",
}  # places: rounding them would move what was placed
_NAMED = ("pieces", "scribes", "hubs", "springs", "loads")  # a thread M8 is 8 mm everywhere


def retyped(before: Project, after: Project) -> Project:
    """`after` with the plain quantities of items that `before` does not have in the units that
    are shown."""
    if shown.chosen() == shown.DEFAULT:
        return after
    known = {(field, item.name) for field in _NAMED for item in getattr(before, field)}
    data = None
    for leaf, kind in after.quantities():
        if not _is_new(after, leaf.path, known) or not _PLAIN.fullmatch(leaf.text):
            continue
        exact = any(
            step in _EXACT
            for step in leaf.path[3 if leaf.path[0] == "pieces" else 2 :]
            if isinstance(step, str)
        )
        text = shown.typed(leaf.text, kind, 6 if exact else 2)
        if text != leaf.text:
            data = put_at(after.model_dump() if data is None else data, leaf.path, text)
    fresh = {
        name: shown.typed(text, "length")
        for name, text in after.parameters.items()
        if name not in before.parameters and re.fullmatch(r"\d+ mm", text)
    }
    if fresh:
        data = put_at(
            after.model_dump() if data is None else data,
            ("parameters",),
            {**after.parameters, **fresh},
        )
    return after if data is None else load_project(data)


def _is_new(project: Project, path: Path, known: set[tuple[str, str]]) -> bool:
    field = str(path[0])
    return field in _NAMED and (field, getattr(project, field)[path[1]].name) not in known
