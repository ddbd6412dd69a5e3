"""Pieces that stand on others: the relation is stated, and what moves, grows or turns takes along
what stands on it."""

from __future__ import annotations

from typing import Any

import numpy as np

from labilis.edit.placing import Vector, place_of
from labilis.model import LabilisError, Piece, Place, Project, Stand
from labilis.model.recipes import End, ends_of
from labilis.model.standing import end_of, frame_of

_NEAR = 1e-3  # mm: a place on an end lies no further from it


def stands_on(project: Project, name: str, owner: str, point: Vector) -> Project:
    """The project with a piece, where it is, stated from another one that it stands on at a point
    (mm): from its end, top or bottom where the point lies there. Unchanged where the other is no
    recipe, or stands on the piece itself."""
    piece, base = project.named("pieces", name), project.named("pieces", owner)
    if base.recipe is None or piece.recipe is None or name in _below(project, owner):
        return project
    end, by = _at(project, base, point), _at(project, piece, point)
    return related(project, name, Stand(piece=owner, end=end, by=by))


def related(project: Project, name: str, stand: Stand | None) -> Project:
    """The project with a piece where it is, stated from what it stands on, or by itself."""
    piece = project.named("pieces", name)
    place = _stated(project, piece, stand)
    pieces = [
        one.model_copy(update={"place": place}) if one.name == name else one
        for one in project.pieces
    ]
    return project.changed(pieces=pieces)


def with_stand(project: Project, row: int, path: tuple[str | int, ...], value: Any) -> Project:
    """The project with one value of what a piece, by its row, stands on; () as path for all of it.
    It stays where it is."""
    piece = project.pieces[row]
    if not path:
        stand = None if value is None else Stand.model_validate(value)
    else:
        stated = {} if piece.place.on is None else piece.place.on.model_dump()
        stand = Stand.model_validate({**stated, str(path[0]): value})
    if stand is not None and piece.name in _below(project, stand.piece):
        raise LabilisError(
            f"'{stand.piece}' stands on '{piece.name}' itself.",
            f"pieces/{piece.name}/place/on",
            "Choose another.",
            "stand",
        )
    return related(project, piece.name, stand)


def let_go(project: Project, owner: str) -> Project:
    """The project with everything that stands on a piece stated by itself, where it is."""
    for piece in project.pieces:
        if piece.place.on is not None and piece.place.on.piece == owner:
            project = related(project, piece.name, None)
    return project


def _below(project: Project, name: str) -> list[str]:
    """A piece, what it stands on, and so on."""
    found = [name]
    while (on := project.named("pieces", found[-1]).place.on) is not None:
        found.append(on.piece)
    return found


def _at(project: Project, piece: Piece, point: Vector) -> End:
    """The end of a piece on whose plane a point lies, 'itself' where on none."""
    assert piece.recipe is not None
    axes, at = _frame(project, piece)
    height = float(axes[:, 2] @ (np.array(point, dtype=float) - at))
    return next(
        (
            end
            for end in ends_of(piece.recipe)
            if end != "itself" and abs(end_of(project, piece, end) - height) < _NEAR
        ),
        "itself",
    )


def _frame(project: Project, piece: Piece) -> tuple[np.ndarray, np.ndarray]:
    frame = frame_of(project, piece)
    return np.array(frame.turn), np.array(frame.at)


def _stated(project: Project, piece: Piece, stand: Stand | None) -> Place:
    """The place of a piece, where it is now, from what it is to stand on."""
    axes, at = _frame(project, piece)
    if stand is None:
        return place_of(axes, at)
    base = project.named("pieces", stand.piece)
    turn, origin = _frame(project, base)
    axes, at = turn.T @ axes, turn.T @ (at - origin)
    at = at + end_of(project, piece, stand.by) * axes[:, 2]
    at[2] -= end_of(project, base, stand.end)
    return place_of(axes, at).model_copy(update={"on": stand})
