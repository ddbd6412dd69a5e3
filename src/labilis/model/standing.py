"""Where pieces of recipes stand: their own frames in the axes of the part."""

from __future__ import annotations

import math
from typing import NamedTuple

from labilis.model.project import Piece, Project
from labilis.model.recipes import End, Plate, Strut

Vector = tuple[float, float, float]
Rows = tuple[Vector, Vector, Vector]
_UNIT: Rows = ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))


class Frame(NamedTuple):
    """turn: its columns are a piece's own x, y and z in the part's axes; at: its origin, mm."""

    turn: Rows
    at: Vector

    def point(self, own: Vector) -> Vector:
        """A place in the piece's own axes, mm, in the part's."""
        return _sum(self.at, _times(self.turn, own))


def frame_of(project: Project, piece: Piece) -> Frame:
    """Of a piece of a recipe, its first one where it is repeated. Raises LabilisError where a size
    has no value."""
    chain = [piece]
    while chain[-1].place.on is not None:  # the project has no circles
        chain.append(project.named("pieces", chain[-1].place.on.piece))
    frame = Frame(_UNIT, (0.0, 0.0, 0.0))
    for one in reversed(chain):
        frame = _within(project, one, frame)
    return frame


def end_of(project: Project, piece: Piece, end: End) -> float:
    """How far along its own z (mm) an end of a piece lies from its origin."""
    recipe, where = piece.recipe, f"pieces/{piece.name}/recipe"
    if isinstance(recipe, Strut) and end == "end":
        return project.number(recipe, "length", f"{where}/length")
    if isinstance(recipe, Plate) and end in ("top", "bottom"):
        half = 0.5 * project.number(recipe, "thickness", f"{where}/thickness")
        return half if end == "top" else -half
    return 0.0


def _within(project: Project, piece: Piece, base: Frame) -> Frame:
    """The frame of a piece whose place is stated in a base, or at an end of what has that base."""
    where, place = f"pieces/{piece.name}/place", piece.place
    turn = _UNIT
    for number, item in enumerate(place.turns):
        angle = project.number(item, "angle", f"{where}/turns/{number}/angle")
        turn = _product(_about(item.about, angle), turn)
    at: Vector = tuple(project.numbers(place, "at"))  # type: ignore[assignment]
    if place.on is not None:
        owner = project.named("pieces", place.on.piece)
        lift = end_of(project, owner, place.on.end)
        own = end_of(project, piece, place.on.by)
        at = _sum(_sum(at, (0.0, 0.0, lift)), _times(turn, (0.0, 0.0, -own)))
    return Frame(_product(base.turn, turn), base.point(at))


def _about(axis: str, angle: float) -> Rows:
    c, s = math.cos(angle), math.sin(angle)
    if axis == "x":
        return ((1.0, 0.0, 0.0), (0.0, c, -s), (0.0, s, c))
    if axis == "y":
        return ((c, 0.0, s), (0.0, 1.0, 0.0), (-s, 0.0, c))
    return ((c, -s, 0.0), (s, c, 0.0), (0.0, 0.0, 1.0))


def _product(one: Rows, two: Rows) -> Rows:
    columns = tuple(zip(*two))
    return tuple(  # type: ignore[return-value]
        tuple(sum(a * b for a, b in zip(row, column)) for column in columns) for row in one
    )


def _times(rows: Rows, vector: Vector) -> Vector:
    return tuple(sum(a * b for a, b in zip(row, vector)) for row in rows)  # type: ignore[return-value]


def _sum(one: Vector, two: Vector) -> Vector:
    return (one[0] + two[0], one[1] + two[1], one[2] + two[2])
