"""What a plane cuts through, so that a solid that is cut open does not look hollow: caps on the
CAD's surface, and the elements of solids with their values inside."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyvista as pv
from numpy.typing import NDArray
from vtkmodules.vtkCommonDataModel import vtkPlane, vtkPlaneCollection
from vtkmodules.vtkFiltersGeneral import vtkClipClosedSurface

from labilis.results.findings import MeshFindings
from labilis.ui.stage.cutting import Cut

Ints = NDArray[Any]
_JOINED = 1e-7  # of the size: points of two faces that are one
_CORNERS = {  # corners of an element by its nodes: (VTK's kind of cell, how many)
    4: (pv.CellType.TETRA, 4),
    10: (pv.CellType.TETRA, 4),
    15: (pv.CellType.WEDGE, 6),
    20: (pv.CellType.HEXAHEDRON, 8),
}


def caps(surface: pv.PolyData, part: Ints, cut: Cut) -> pv.PolyData:
    """Faces in the plane that close what is cut open; part (cells,): the closed surface that each
    triangle is of. What is not closed stays open."""
    triangles, points = np.asarray(surface.regular_faces), np.asarray(surface.points)
    across = (points - np.array(cut.origin)) @ np.array(cut.normal)
    low, high = across[triangles].min(axis=1), across[triangles].max(axis=1)
    planes = vtkPlaneCollection()
    plane = vtkPlane()
    plane.SetOrigin(cut.origin)
    plane.SetNormal(cut.normal)
    planes.AddItem(plane)
    join = _JOINED * float(np.ptp(points, axis=0).max())
    names, of = np.unique(part, return_inverse=True)
    numbers = np.unique(of[(low < 0) & (high > 0)])
    group = np.full(len(names), -1)
    group[numbers] = _groups(points, triangles, of, numbers, join)
    groups = group[of]
    found = [
        cap
        for one in range(int(group.max(initial=-1)) + 1)
        if (cap := _cap(points, triangles[groups == one], planes, join)) is not None
    ]
    return pv.merge(found) if found else pv.PolyData()


def _groups(points: NDArray[Any], triangles: Ints, part: Ints, numbers: Ints, gap: float) -> Ints:
    """A group for each of the surfaces `numbers`, so that none in a group touches another of it:
    those are cut at once, as a pass takes longer than what it cuts. Boxes around them tell."""
    order = np.argsort(part, kind="stable")
    starts = np.searchsorted(part[order], numbers)
    ends = np.searchsorted(part[order], numbers, side="right")
    corners = [points[triangles[order[a:b]]].reshape(-1, 3) for a, b in zip(starts, ends)]
    low = np.array([one.min(axis=0) for one in corners]).reshape(-1, 3) - gap
    high = np.array([one.max(axis=0) for one in corners]).reshape(-1, 3) + gap
    group = np.full(len(numbers), -1)
    for one in range(len(numbers)):
        beside = ((low[:one] <= high[one]) & (high[:one] >= low[one])).all(axis=1)
        taken = set(group[:one][beside].tolist())
        group[one] = next(k for k in range(one + 1) if k not in taken)
    return group


def _cap(
    points: NDArray[Any], triangles: Ints, planes: vtkPlaneCollection, join: float
) -> pv.PolyData | None:
    clip = vtkClipClosedSurface()
    one = pv.PolyData.from_regular_faces(points, triangles)
    clip.SetInputData(one.clean(tolerance=join, absolute=True))
    clip.SetClippingPlanes(planes)
    clip.SetScalarModeToLabels()
    clip.TriangulationErrorDisplayOff()
    clip.Update()
    closed = pv.PolyData(clip.GetOutput()).triangulate()
    if closed.n_cells == 0:
        return None
    cap = closed.regular_faces[np.asarray(closed.cell_data["Labels"]) == 1]
    return pv.PolyData.from_regular_faces(np.asarray(closed.points), cap) if len(cap) else None


class SolidInside:
    """Solid elements of a mesh, their sides taken straight, to be cut with their values; `nodes`
    (k,) of the mesh that they have as corners."""

    def __init__(self, mesh: MeshFindings) -> None:
        groups = [elements for shell, elements in mesh.groups() if not shell]
        groups = [elements for elements in groups if elements.shape[1] in _CORNERS]
        kinds = [_CORNERS[elements.shape[1]] for elements in groups]
        corners = [elements[:, :many] for elements, (_, many) in zip(groups, kinds)]
        every = np.concatenate([one.ravel() for one in corners]) if corners else np.zeros(0, int)
        self.nodes, numbered = np.unique(every, return_inverse=True)
        cells, start = [], 0
        for one in corners:
            mine = numbered[start : start + one.size].reshape(one.shape)
            start += one.size
            cells.append(np.hstack([np.full((len(one), 1), one.shape[1]), mine]).ravel())
        self._grid = (
            pv.UnstructuredGrid(
                np.concatenate(cells),
                np.concatenate(
                    [np.full(len(one), int(kind)) for one, (kind, _) in zip(corners, kinds)]
                ),
                np.asarray(mesh.nodes[self.nodes], dtype=float),
            )
            if cells
            else None
        )
        self.rest = mesh.nodes[self.nodes]

    def cut(
        self, plane: Cut, motion: NDArray[np.float64] | None, values: NDArray[np.float64] | None
    ) -> pv.PolyData:
        """Where the plane meets the elements moved by `motion` (n, 3) of the mesh's nodes; point
        data 'value' of `values` (n,), node 'node' nearest to each point."""
        if self._grid is None:
            return pv.PolyData()
        self._grid.points = self.rest if motion is None else self.rest + motion[self.nodes]
        if values is not None:
            self._grid.point_data["value"] = np.asarray(values, dtype=float)[self.nodes]
        return pv.PolyData(self._grid.slice(normal=plane.normal, origin=plane.origin))
