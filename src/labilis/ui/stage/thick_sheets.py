"""Sheets as they are cut and folded: both skins at half a thickness from the mid-surface that is
meshed, with the rims between them."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np
import pyvista as pv
from numpy.typing import NDArray
from vtkmodules.vtkCommonDataModel import vtkStaticPointLocator

if TYPE_CHECKING:
    from labilis.run.picking import ShapeView


Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class ThickSheets:
    """Points of the mid-surfaces, each face with its own: points (n, 3) mm, step (n, 3) mm from
    there to the skin that the face looks to, face (n,); triangles (m, 3) of them and their face
    (m,)."""

    points: Floats
    step: Floats
    face: Ints
    triangles: Ints
    triangle_face: Ints
    _nearest: dict[int, Any] = field(default_factory=dict)  # locators by face

    def surface(self) -> tuple[Floats, Ints, Ints]:
        """(points, triangles, face of each) of both skins and the rims."""
        n = len(self.points)
        points = np.concatenate([self.points + self.step, self.points - self.step])
        sides = np.concatenate([self.triangles[:, [k, (k + 1) % 3]] for k in range(3)])
        owner = np.tile(self.triangle_face, 3)
        rim = ~np.isin(sides[:, 1] * n + sides[:, 0], sides[:, 0] * n + sides[:, 1])
        a, b = sides[rim].T
        triangles = np.concatenate(
            [
                self.triangles,
                self.triangles[:, ::-1] + n,
                np.stack([b, a, a + n], axis=1),
                np.stack([b, a + n, b + n], axis=1),
            ]
        )
        face = np.concatenate([self.triangle_face, self.triangle_face, owner[rim], owner[rim]])
        return points, triangles, face

    def on_skins(self, line: Floats, faces: Ints) -> list[Floats]:
        """A polyline (k, 3) on the mid-surface of some faces, carried to both skins of each."""
        found = []
        for face in faces.tolist():
            mine = np.flatnonzero(self.face == face)
            if not len(mine):
                continue
            if face not in self._nearest:
                self._nearest[face] = vtkStaticPointLocator()
                self._nearest[face].SetDataSet(pv.PolyData(self.points[mine]))
                self._nearest[face].BuildLocator()
            rows = [self._nearest[face].FindClosestPoint(place) for place in line.tolist()]
            step = self.step[mine[rows]]
            found += [line + step, line - step]
        return found


def thick_sheets(view: ShapeView) -> ThickSheets:
    """The sheets of a part; none of it where there is none."""
    tessellation, faces = view.tessellation, view.faces
    sheet = faces.thickness[tessellation.face] > 0
    corners, face = tessellation.triangles[sheet], tessellation.face[sheet]
    count = len(tessellation.points)
    keys, numbered = np.unique(face[:, None] * count + corners, return_inverse=True)
    triangles = numbered.reshape(-1, 3).astype(np.int64)
    owner, points = keys // count, tessellation.points[keys % count]
    places = points[triangles]
    across = np.cross(places[:, 1] - places[:, 0], places[:, 2] - places[:, 0])
    normal = np.zeros_like(points)
    for corner in range(3):
        np.add.at(normal, triangles[:, corner], across)
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-300)
    uneven = np.einsum("ni,ni->n", faces.slope[owner], points - faces.centroid[owner])
    half = 0.5 * np.maximum(faces.thickness[owner] + uneven, 0.0)
    return ThickSheets(points, half[:, None] * normal, owner, triangles, face)
