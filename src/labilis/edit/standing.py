"""Pieces that stand on others: the relation is stated, and what moves, grows or turns takes along
what stands on it."""

from __future__ import annotations

from typing import Any

from labilis.edit.placing import Vector
from labilis.model import LabilisError, Piece, Place, Plate, Project, Stand, Strut
from labilis.model.recipes import End
from labilis.model.standing import Frame, end_of, frame_of, turns_of

_NEAR = 1e-3  # mm: a place on an end lies no further from it


def ends_of(piece: Piece) -> tuple[End, ...]:
    """What of a piece others can stand on."""
    if isinstance(piece.recipe, Strut):
        return ("itself", "end")
    return ("itself", "top", "bottom") if isinstance(piece.recipe, Plate) else ("itself",)


def stands_on(project: Project, name: str, owner: str, point: Vector) -> Project:
    """The project with a piece, where it is, stated from another one that it stands on at a point
    (mm): from its end, top or bottom where the point lies there. Unchanged where the other is no
    recipe, or stands on the piece itself."""
    piece, base = project.named("pieces", name), project.named("pieces", owner)
    if base.recipe is None or piece.recipe is None or name in _below(project, owner):
        return project
    frame = frame_of(project, base)
    end, by = _at(project, base, frame, point), _at(project, piece, frame_of(project, piece), point)
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


def _at(project: Project, piece: Piece, frame: Frame, point: Vector) -> End:
    """The end of a piece on whose plane a point lies, 'itself' where on none."""
    height = sum(row[2] * (value - at) for row, value, at in zip(frame.turn, point, frame.at))
    ends = [end for end in ends_of(piece) if end != "itself"]
    return next(
        (end for end in ends if abs(end_of(project, piece, end) - height) < _NEAR), "itself"
    )


def _stated(project: Project, piece: Piece, stand: Stand | None) -> Place:
    """The place of a piece, where it is now, from what it is to stand on."""
    now = frame_of(project, piece)
    turn, at = now.turn, now.at
    lift = own = 0.0
    if stand is not None:
        base = project.named("pieces", stand.piece)
        if base.recipe is None:
            raise LabilisError(
                f"'{stand.piece}' is imported.",
                f"pieces/{piece.name}/place/on",
                "Choose a piece of a recipe.",
                "stand",
            )
        frame = frame_of(project, base)
        lift, own = end_of(project, base, stand.end), end_of(project, piece, stand.by)
        columns = tuple(zip(*frame.turn))
        off = tuple(one - two for one, two in zip(at, frame.at))
        turn = tuple(  # type: ignore[assignment]
            tuple(sum(a * b for a, b in zip(column, other)) for other in zip(*now.turn))
            for column in columns
        )
        at = tuple(sum(a * b for a, b in zip(column, off)) for column in columns)  # type: ignore[assignment]
    along = [row[2] for row in turn]
    at = tuple(value + own * part for value, part in zip(at, along))  # type: ignore[assignment]
    return Place(
        turns=turns_of(turn),
        # to a tenth of a micrometre: nearer than anything is joined by
        at=tuple(  # type: ignore[arg-type]
            f"{round(value - lift * (axis == 2), 4) + 0.0:.10g} mm" for axis, value in enumerate(at)
        ),
        on=stand,
    )
