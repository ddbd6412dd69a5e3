"""Whether a solid is one outline moved along a straight line, told from its faces and edges."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np

from labilis.mesh.mesh import Floats, Ints
from labilis.shape.face_tables import EdgeTable, FaceTable

CLOSE = 1e-6  # of lengths that must agree


class Tables(Protocol):
    """A body's faces and edges, and its rough size, mm."""

    @property
    def faces(self) -> FaceTable:
        """Rows of faces."""

    @property
    def edges(self) -> EdgeTable:
        """Rows of edges, which number the faces beside them."""

    @property
    def reach(self) -> float:
        """Rough size, mm."""


@dataclass(frozen=True)
class Sweep:
    """caps: face it starts from, face it ends on; along (3,) mm from one to the other; edges (k,
    2): edge of the first cap and the same of the other; sides (k,): face between them."""

    caps: tuple[int, int]
    along: Floats
    edges: Ints
    sides: Ints


def find_sweep(body: Tables) -> Sweep | None:
    """The shortest way in which a solid is a face moved along a line, or None."""
    faces, reach = body.faces, body.reach
    flat = np.flatnonzero(faces.kind == "plane")
    found: list[Sweep] = []
    for one in flat:
        direction = -faces.direction[one]
        step = faces.centroid[flat] - faces.centroid[one]
        away = step @ direction
        fits = (
            (faces.direction[flat] @ direction > 1 - 1e-9)
            & (away > CLOSE * reach)
            & (np.abs(step - away[:, None] * direction).max(axis=1) < CLOSE * reach)
            & (np.abs(faces.area[flat] / faces.area[one] - 1) < CLOSE)
        )
        for two in flat[fits]:
            along = faces.centroid[two] - faces.centroid[one]
            sweep = _between(body, int(one), int(two), along)
            if sweep is not None:
                found.append(sweep)
    return (
        min(found, key=lambda sweep: (round(float(np.linalg.norm(sweep.along)), 6), sweep.caps))
        if found
        else None
    )


def _between(body: Tables, one: int, two: int, along: Floats) -> Sweep | None:
    faces, edges = body.faces, body.edges
    direction = along / np.linalg.norm(along)
    mine, other = (np.flatnonzero((edges.faces == cap).any(axis=1)) for cap in (one, two))
    if len(mine) != len(other) or len(faces) != 2 + len(mine):
        return None
    pairs, sides = [], []
    for edge in mine:
        side = int(edges.faces[edge].sum() - one)
        kind = str(faces.kind[side])
        steep = abs(float(faces.direction[side] @ direction))
        if not (kind == "plane" and steep < 1e-9) and not (kind == "cylinder" and steep > 1 - 1e-9):
            return None
        away = np.abs(edges.centroid[other] - edges.centroid[edge] - along).max(axis=1)
        twin = int(other[int(np.argmin(away))])
        if (
            away.min() > CLOSE * body.reach
            or abs(edges.length[twin] / edges.length[edge] - 1) > CLOSE
            or side not in edges.faces[twin]
        ):
            return None
        pairs.append((int(edge), twin))
        sides.append(side)
    if len(set(sides)) != len(sides):
        return None
    return Sweep(
        (one, two), along, np.array(pairs, dtype=np.int64), np.array(sides, dtype=np.int64)
    )
