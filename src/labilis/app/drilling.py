"""Where a hole goes that was asked for without a place."""

from __future__ import annotations

from typing import Any

import numpy as np

from labilis.model import Project, shown
from labilis.run.picking import ShapeView

_ALONG = 0.99  # cosine: a wall that a hole goes through squarely


def with_places(project: Project, view: ShapeView, index: int, cuts: list[Any]) -> list[Any]:
    """The cuts of a piece with the last one, which is new, in the middle of the piece's largest
    flat wall that lies square to it, else in the middle of its first body. At nought it would most
    often miss the piece."""
    stated = project.pieces[index]
    if len(cuts) != len(stated.cuts) + 1:
        return cuts
    new = cuts[-1] if isinstance(cuts[-1], dict) else cuts[-1].model_dump()
    names = [str(name) for name in view.bodies]
    body = next((names.index(name) for name in stated.instances if name in names), None)
    if body is None or any(name in new for name in "xyz"):
        return cuts
    axis = "xyz".index(new["along"])
    mine = view.faces.body == body
    square = mine & (view.faces.kind == "plane")
    square &= np.abs(view.faces.direction[:, axis]) > _ALONG
    if square.any():
        place = view.faces.centroid[int(np.argmax(np.where(square, view.faces.area, 0.0)))]
    else:
        inside = np.isin(view.tessellation.face, np.flatnonzero(mine))
        corners = view.tessellation.points[view.tessellation.triangles[inside]].reshape(-1, 3)
        place = 0.5 * (corners.min(axis=0) + corners.max(axis=0))
    at = {
        name: shown.stated(float(f"{place[k]:.3g}"), "length", 4)
        for k, name in enumerate("xyz")
        if k != axis
    }
    return [*cuts[:-1], {**new, **at}]
