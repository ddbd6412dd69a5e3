"""A piece put on a face: where it stands so that its own foot lies on it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy.spatial.transform import Rotation

from labilis.model import LabilisError, Piece, Place, Project
from labilis.model.recipes import Plate, Rib, Strut, Turn

_ALONG = 0.9  # of the normal along x: then y is the direction that lies across


def placed_on(
    project: Project,
    piece: Piece,
    point: Sequence[float],
    normal: Sequence[float],
    middle: Sequence[float] = (0.0, 0.0),
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


def strut_between(
    project: Project,
    piece: Piece,
    start: Sequence[float],
    end: Sequence[float],
    middle: Sequence[float] = (0.0, 0.0),
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
    point: Sequence[float],
    normal: Sequence[float],
    middle: Sequence[float] = (0.0, 0.0),
) -> Project:
    """The project with a piece on a plane, see `placed_on`. Its copies stay as they are stated."""
    pieces = [
        piece.model_copy(update={"place": placed_on(project, piece, point, normal, middle)})
        if piece.name == name
        else piece
        for piece in project.pieces
    ]
    return project.changed(pieces=pieces)
