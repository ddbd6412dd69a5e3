"""What is chosen in a statement and is no quantity, as a thing that plans try: a piece that is
there or set aside, its material, how it is meshed, a whole section. Named by its place in the JSON
form, items of lists by their names: ``pieces/rib/set_aside``. Pure functions."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from labilis.model import LabilisError, Project, Vary, is_choice, load_project

THERE = {"no": False, "yes": True}  # how a statement that is true or false is written in a plan


def offered(project: Project) -> list[Vary]:
    """Choices that a piece offers by itself: whether it is there, and of which of the project's
    materials."""
    found = [
        Vary(parameter=f"pieces/{piece.name}/set_aside", values=("no", "yes"))
        for piece in project.pieces
        if len(project.pieces) > 1
    ]
    names = tuple(material.name for material in project.materials)
    if len(names) > 1:
        found += [
            Vary(parameter=f"pieces/{piece.name}/material", values=names)
            for piece in project.pieces
        ]
    return found


def with_choices(project: Project, point: Mapping[str, str]) -> Project:
    """The project with those names of a point that are choices set. Raises LabilisError for a place
    that is not there, or for what it cannot be."""
    chosen = {name: text for name, text in point.items() if is_choice(name)}
    if not chosen:
        return project
    data = project.model_dump()
    for name, text in chosen.items():
        _set(data, name, text)
    return load_project(data)


def _set(data: dict[str, Any], name: str, text: str) -> None:
    steps = name.split("/")
    place: Any = data
    for step in steps[:-1]:
        place = _inside(place, step)
        if place is None:
            raise _nowhere(name)
    last = steps[-1]
    if not isinstance(place, dict) or last not in place:
        raise _nowhere(name)
    place[last] = _value(place[last], text, name)


def _inside(place: Any, step: str) -> Any:
    if isinstance(place, dict):
        return place.get(step)
    if isinstance(place, list | tuple):
        return next(
            (item for item in place if isinstance(item, dict) and item.get("name") == step), None
        )
    return None


def _value(present: Any, text: str, name: str) -> Any:
    """What a text means where `present` stands: yes or no, a list or object in JSON, 'none', or
    the text itself."""
    if isinstance(present, bool):
        if text not in THERE:
            raise LabilisError(
                f"'{text}' is neither yes nor no.", f"plans/{name}", "Try it at no and yes.", "plan"
            )
        return THERE[text]
    if text[:1] in "{[" and text:
        try:
            return json.loads(text)
        except json.JSONDecodeError as error:
            raise LabilisError(
                f"'{text}' is not JSON ({error.msg}).",
                f"plans/{name}",
                "Write an object or a list as in the model's own file.",
                "plan",
            ) from error
    return None if text == "none" else text


def _nowhere(name: str) -> LabilisError:
    return LabilisError(
        f"There is nothing at '{name}' that could be chosen.",
        f"plans/{name}",
        "Name a field as the model's file has it, items of lists by their names: "
        "pieces/rib/material.",
        "plan",
    )
