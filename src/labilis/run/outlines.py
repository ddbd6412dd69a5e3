"""An outline as it is drawn in plan, and whether a piece can be made of it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from labilis.edit.outlines import Outline, outline_of
from labilis.model import Piece, Project
from labilis.shape.profile import points_of
from labilis.shape.recipes.paths import plane_paths

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Drawn:
    """An outline in mm. loops: closed lines (k, 2), the outer one first; middle (k, 2): the
    mid-line of a folded sheet, of no points for others; corners (n, 2) as stated; centres (m, 2) of
    the openings."""

    loops: tuple[Floats, ...]
    middle: Floats
    corners: Floats
    centres: Floats

    @property
    def extents(self) -> Floats:
        """(2, 2): least and largest x and y of all that is drawn."""
        points = np.concatenate([*self.loops, self.corners])
        return np.array([points.min(axis=0), points.max(axis=0)])


def drawn(project: Project, piece: Piece) -> Drawn:
    """A piece's outline as it is made. Raises LabilisError where it cannot be made."""
    where = f"pieces/{piece.name}/recipe"
    outline = outline_of(piece)
    assert outline is not None and piece.recipe is not None
    runs = plane_paths(piece.recipe, project.value, where)
    paths = [points_of(path) for path in runs]
    corners, centres = points_stated(project, outline)
    if outline.closed:
        return Drawn(tuple(paths), np.zeros((0, 2)), corners, centres)
    middle = np.concatenate([paths[1], [runs[1][-1].end]])  # an open path has an end of its own
    return Drawn((paths[0],), middle, corners, centres)


def points_stated(project: Project, outline: Outline) -> tuple[Floats, Floats]:
    """(corners (n, 2), centres of openings (m, 2)) in mm. Raises LabilisError for a text that is
    no length."""
    corners = [
        (project.value(corner.x, "length"), project.value(corner.y, "length"))
        for corner in outline.corners
    ]
    centres = [
        (project.value(item.x, "length"), project.value(item.y, "length"))
        for item in outline.openings
    ]
    return np.array(corners).reshape(-1, 2), np.array(centres).reshape(-1, 2)
