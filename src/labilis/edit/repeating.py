"""Copies of a piece by what is picked: along an edge, round an axis, in a mirror."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from labilis.model import Project, shown
from labilis.model.recipes import Copies, LineCopies, MirrorCopy, RingCopies

Vector = Sequence[float]
_AXES: tuple[Literal["x", "y", "z"], ...] = ("x", "y", "z")
_ALONG = 1e-6  # of a direction that may lie off an axis
_IN_RING = 4  # to begin with


def along_edge(step: Vector) -> Copies:
    """Two, the second of them a step (3,) mm away."""
    x, y, z = (_stated(value) for value in step)
    return LineCopies(count=2, step=(x, y, z))


def round_axis(point: Vector, direction: Vector) -> Copies | None:
    """Four round an axis through a point (3,) mm; None where it does not run along x, y or z."""
    axis = _axis(direction)
    if axis is None:
        return None
    x, y, z = (_stated(value) for value in point)
    return RingCopies(count=_IN_RING, about=axis, centre=(x, y, z))


def in_mirror(point: Vector, normal: Vector) -> Copies | None:
    """The mirror image in a plane through a point (3,) mm; None where the plane is not square to x,
    y or z."""
    axis = _axis(normal)
    if axis is None:
        return None
    return MirrorCopy(across=axis, at=_stated(point[_AXES.index(axis)]))


def repeated(project: Project, name: str, copies: Copies) -> Project:
    """The project with a piece, and all of its copies, repeated once more."""
    pieces = [
        piece.model_copy(update={"copies": (*piece.copies, copies)})
        if piece.name == name
        else piece
        for piece in project.pieces
    ]
    return project.changed(pieces=pieces)


def _axis(direction: Vector) -> Literal["x", "y", "z"] | None:
    """The axis of the part along which a unit vector runs, either way."""
    for number, axis in enumerate(_AXES):
        beside = [value for k, value in enumerate(direction) if k != number]
        if max(abs(value) for value in beside) < _ALONG:
            return axis
    return None


def _stated(value: float) -> str:
    return shown.stated(round(value, 6) + 0.0, "length", 7)
