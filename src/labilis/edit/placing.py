"""A piece put on a face: where it stands so that its own foot lies on it."""

from __future__ import annotations

import warnings
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from labilis.edit.sides import with_side
from labilis.model import LabilisError, Piece, Place, Project
from labilis.model.recipes import Plate, Rib, Strut, Turn

Vector = Sequence[float] | NDArray[np.float64]
_ALONG = 0.9  # of the normal along x: then y is the direction that lies across


def placed_on(
    project: Project,
    piece: Piece,
    point: Vector,
    normal: Vector,
    middle: Vector = (0.0, 0.0),
) -> Place:
    """Where a piece of a recipe stands on a plane through a point (mm) with a normal that points
    away from what it stands on: struts, sheets and blocks with their beginning, plates flat, ribs
    with their foot. Its own x lies along the face, as near to x as it can; `middle`: what of it in
    its own x and y (mm) comes to the point, the centroid of a section. Raises LabilisError for an
    imported piece, and for sizes that have no value."""
    recipe = piece.recipe
    if recipe is None:
        raise LabilisError(
            f"'{piece.name}' stands where its file has it.",
            f"pieces/{piece.name}",
            "Put a piece of a recipe here, or move it in its own program.",
            "imported",
        )
    n = np.array(normal, dtype=float)
    n /= np.linalg.norm(n)
    seed = np.array([1.0, 0.0, 0.0]) if abs(n[0]) < _ALONG else np.array([0.0, 1.0, 0.0])
    along = seed - (seed @ n) * n
    along /= np.linalg.norm(along)
    if isinstance(recipe, Rib):  # drawn standing: its foot along x, its back along y
        axes = np.stack([along, n, np.cross(along, n)], axis=1)
    else:
        axes = np.stack([along, np.cross(n, along), n], axis=1)
    lift = 0.0
    if isinstance(recipe, Plate):  # drawn round the middle of its thickness
        lift = 0.5 * project.number(recipe, "thickness", f"pieces/{piece.name}/recipe/thickness")
    at = np.array(point, dtype=float) + lift * n - axes[:, :2] @ np.array(middle, dtype=float)
    return place_of(axes, at)


def place_of(axes: np.ndarray, at: np.ndarray) -> Place:
    """The place of a piece whose own axes are the columns (3, 3), with its origin at (3,) mm."""
    with warnings.catch_warnings():  # where two turns are about one line, one of them is enough
        warnings.simplefilter("ignore", UserWarning)
        angles = Rotation.from_matrix(axes).as_euler("xyz", degrees=True)
    return Place(
        turns=tuple(
            Turn(about=axis, angle=f"{round(float(angle), 6):.10g} deg")  # type: ignore[arg-type]
            for axis, angle in zip("xyz", angles)
            if abs(angle) > 1e-6
        ),
        # to a tenth of a micrometre: nearer than anything is joined by
        at=tuple(f"{round(float(c), 4) + 0.0:.10g} mm" for c in at),  # type: ignore[arg-type]
    )


def plate_along(
    project: Project,
    piece: Piece,
    start: Vector,
    end: Vector,
    normal: Vector,
    inset: Vector,
) -> Piece:
    """A plate as long as an edge from `start` to `end` (mm), standing on it along a normal;
    `inset` (3,): the way into the face for a plate whose outside is to be flush with the edge,
    noughts for one whose middle is to stand on it."""
    assert isinstance(piece.recipe, Plate)
    along = np.array(end, dtype=float) - np.array(start, dtype=float)
    length = float(np.linalg.norm(along))
    n = np.array(normal, dtype=float)
    axes = np.stack([along / length, n, np.cross(along / length, n)], axis=1)
    half = 0.5 * project.number(piece.recipe, "thickness", f"pieces/{piece.name}")
    at = np.array(start, dtype=float) + half * np.array(inset, dtype=float)
    sized = with_side(
        project.with_item("pieces", piece), piece.name, 0, f"{round(length, 4):.10g} mm"
    )
    return sized.named("pieces", piece.name).model_copy(update={"place": place_of(axes, at)})


_OF_REACH = 0.6  # of how far the faces go: as long as a rib is to begin with


def rib_into(piece: Piece, point: Vector, ways: np.ndarray, reaches: Vector) -> Piece:
    """A rib with its right angle at a point (mm), along two ways (2, 3) square to each other, over
    a part of how far the faces there go (mm)."""
    assert isinstance(piece.recipe, Rib)
    width, height = (f"{float(f'{_OF_REACH * reach:.2g}'):g} mm" for reach in reaches)
    axes = np.stack([*ways, np.cross(ways[0], ways[1])], axis=1)
    return piece.model_copy(
        update={
            "recipe": piece.recipe.model_copy(update={"width": width, "height": height}),
            "place": place_of(axes, np.array(point, dtype=float)),
        }
    )


def strut_between(
    project: Project,
    piece: Piece,
    start: Vector,
    end: Vector,
    middle: Vector = (0.0, 0.0),
) -> Piece:
    """A strut whose section's `middle` (mm, in its own axes; the centroid, on which a line stands)
    runs from one point to another, mm. Raises LabilisError for a piece that is no strut, and for
    points that coincide."""
    if not isinstance(piece.recipe, Strut):
        raise LabilisError(
            f"'{piece.name}' is no strut.", f"pieces/{piece.name}", "Choose a strut.", "strut"
        )
    along = np.array(end, dtype=float) - np.array(start, dtype=float)
    length = round(float(np.linalg.norm(along)), 4)
    if length < 1e-3:
        raise LabilisError(
            "Both places are the same.", "part", "Pick two that lie apart.", "between"
        )
    recipe = piece.recipe.model_copy(update={"length": f"{length:.10g} mm"})
    return piece.model_copy(
        update={"recipe": recipe, "place": placed_on(project, piece, start, along, middle)}
    )


def movable(project: Project) -> list[str]:
    """Pieces that can be put somewhere: those of recipes."""
    return [piece.name for piece in project.pieces if piece.recipe is not None]


def put_on(
    project: Project,
    name: str,
    point: Vector,
    normal: Vector,
    middle: Vector = (0.0, 0.0),
) -> Project:
    """The project with a piece on a plane, see `placed_on`. Its copies stay as they are stated."""
    pieces = [
        piece.model_copy(update={"place": placed_on(project, piece, point, normal, middle)})
        if piece.name == name
        else piece
        for piece in project.pieces
    ]
    return project.changed(pieces=pieces)
