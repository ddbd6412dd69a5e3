"""Struts as lines: where their axes run, and their section's outline."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from labilis.model import LabilisError, Piece, Strut
from labilis.shape.face_tables import EdgeTable, FaceTable, Floats, Tessellation
from labilis.shape.profile import Run, arc_of, points_of
from labilis.shape.recipes.paths import Read, section_of
from labilis.shape.recipes.sections import SectionShape, second_moments
from labilis.shape.step import solids_of
from labilis.shape.topology import BodyShape, build_body, make_table

_CHORD = (
    2 * np.pi / 96
)  # rad of an arc to a chord: the second moment of a round bar is then 0.1 % low


@dataclass(frozen=True)
class LineShape:
    """One strut as a line. start, end (3,) mm: ends of the line of centroids; frame (3, 3): rows
    along the strut and along x and y of its section; outlines: for each separate part of the
    section its closed paths (k, 2) mm, the outer one first; body: its number in the part; looks:
    its true shape, to be looked at."""

    start: Floats
    end: Floats
    frame: Floats
    outlines: tuple[tuple[Floats, ...], ...]
    body: int
    looks: tuple[BodyShape, ...]


@dataclass(frozen=True)
class LineSet:
    """All struts that are lines, with their edges as the rest of the part has them: per strut
    its run and its two ends."""

    lines: tuple[LineShape, ...]
    faces: FaceTable
    edges: EdgeTable

    def tessellate(self) -> Tessellation:
        """Polylines of the edges; there are no triangles."""
        points = np.concatenate(
            [
                np.stack([line.start, line.end, line.start, line.start, line.end, line.end])
                for line in self.lines
            ]
        )
        offsets = 2 * np.arange(3 * len(self.lines) + 1)
        return Tessellation(
            np.zeros((0, 3)),
            np.zeros((0, 3), dtype=np.int64),
            np.zeros(0, dtype=np.int64),
            points,
            offsets,
        )


def line_of(
    piece: Piece, read: Read, moves: list[Any], solid: Any, number: int, where: str
) -> LineShape:
    """A strut as a line. moves: transformations to apply one after the other; solid: its shape
    there.

    Raises LabilisError for a piece that is no plain strut.
    """
    if not isinstance(piece.recipe, Strut):
        raise LabilisError(
            f"Piece '{piece.name}' is no strut: only struts can be lines.",
            f"{where}/mesh_as",
            "Mesh it as shells or solids.",
            "not-a-strut",
        )
    if piece.cuts:
        raise LabilisError(
            f"Strut '{piece.name}' has cuts, which a line cannot show.",
            f"{where}/mesh_as",
            "Mesh it as shells or solids, or leave the cuts out.",
            "not-a-strut",
        )
    section = section_of(piece.recipe, read, f"{where}/recipe")
    _, centroid, _ = second_moments(section)
    length = read(piece.recipe.length, "length")
    corners = np.array([*centroid, 0.0]) + np.array(
        [[0.0, 0.0, 0.0], [0.0, 0.0, length], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0]]
    )
    places = np.array([_moved(point, moves) for point in corners])
    along, x, y = (places[k] - places[0] for k in (1, 2, 3))
    along = along / np.linalg.norm(along)
    outlines = _paths(section, centroid)
    if np.cross(x, y) @ along < 0:  # a mirror image
        x = -x
        outlines = tuple(
            tuple(path[::-1] * np.array([-1.0, 1.0]) for path in part) for part in outlines
        )
    looks = tuple(build_body(shape) for shape in solids_of(solid))
    return LineShape(places[0], places[1], np.stack([along, x, y]), outlines, number, looks)


def _moved(point: Floats, moves: list[Any]) -> tuple[float, float, float]:
    from OCP.gp import gp_Pnt

    place = gp_Pnt(*map(float, point))
    for move in moves:
        place = place.Transformed(move)
    return place.X(), place.Y(), place.Z()


def _paths(section: SectionShape, centroid: Floats) -> tuple[tuple[Floats, ...], ...]:
    def points(path: tuple[Run, ...]) -> Floats:
        steps = [max(2, round(abs(arc_of(run)[3]) / _CHORD)) if run.bent else 1 for run in path]
        return np.concatenate([points_of((run,), count) for run, count in zip(path, steps)])

    return tuple(tuple(points(path) - centroid for path in part) for part in section.outlines)


def line_set(lines: list[LineShape], bodies: list[str]) -> LineSet:
    """Edges of all lines with their names: axis, start, end."""
    rows = []
    for line in lines:
        name = bodies[line.body]
        along = line.end - line.start
        shared: dict[str, Any] = {"radius": np.nan, "faces": [-1, -1]}
        rows.append(
            {
                "kind": "line",
                "length": float(np.linalg.norm(along)),
                "centroid": 0.5 * (line.start + line.end),
                "direction": line.frame[0],
                "name": f"{name}/axis",
                **shared,
            }
        )
        for word, place in (("start", line.start), ("end", line.end)):
            rows.append(
                {
                    "kind": "point",
                    "length": 0.0,
                    "centroid": place,
                    "direction": np.zeros(3),
                    "name": f"{name}/{word}",
                    **shared,
                }
            )
    return LineSet(tuple(lines), make_table(FaceTable, []), make_table(EdgeTable, rows))
