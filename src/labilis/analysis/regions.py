"""Regions found in the part and on the mesh, and the axes that belong to them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from labilis.mesh import Mesh
from labilis.model import LabilisError, LocalAxes, Region
from labilis.shape import RegionMatch, ShapeView, find_region

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]


def match_region(region: Region, view: ShapeView) -> RegionMatch:
    """Faces and edges of a region; raises LabilisError when a pick has been lost."""
    match = find_region(region, view)
    if match.lost:
        raise LabilisError(
            f"Region '{region.name}' lost {len(match.lost)} of {len(region.picks)}: "
            f"{'; '.join(match.lost)}.",
            f"regions/{region.name}",
            "Pick it again on the part.",
            "lost-region",
        )
    return match


def region_nodes(region: Region, view: ShapeView, mesh: Mesh) -> Ints:
    match = match_region(region, view)
    nodes = mesh.region_nodes(match.faces, match.edges)
    if len(nodes) == 0:
        raise LabilisError(
            f"Region '{region.name}' has no nodes in this mesh.",
            f"regions/{region.name}",
            "Mesh finer, or pick it again.",
            "empty-region",
        )
    return nodes


def unit(vector: Floats, where: str) -> Floats:
    length = float(np.linalg.norm(vector))
    if length < 1e-12:
        raise LabilisError(
            "A direction has no length.", where, "Give another direction.", "direction"
        )
    return vector / length


def local_frame(axes: LocalAxes, where: str) -> Floats:
    """Rows x, y, z of local axes."""
    x = unit(np.array(axes.x_axis, dtype=float), where)
    z = unit(np.cross(x, np.array(axes.xy_plane, dtype=float)), where)
    return np.stack([x, np.cross(z, x), z])


def region_cylinder(region: Region, view: ShapeView) -> tuple[Floats, Floats] | None:
    """(point, direction) of the first bore, round or circle of a region."""
    match = find_region(region, view)
    for face in match.faces:
        if view.faces.kind[face] in ("cylinder", "cone"):
            return view.faces.origin[face], view.faces.direction[face]
    for edge in match.edges:
        if view.edges.kind[edge] == "circle":
            return circle_centre(view, int(edge)), view.edges.direction[edge]
    return None


def circle_centre(view: ShapeView, edge: int) -> Floats:
    """Centre (3,) mm of a round edge, of an arc too: the point of its plane that is as far from
    all of its points."""
    points = view.tessellation.edge(edge)
    middle = points.mean(axis=0)
    arms, axis = (
        points - middle,
        view.edges.direction[edge] / np.linalg.norm(view.edges.direction[edge]),
    )
    rows = np.concatenate([2 * np.diff(arms, axis=0), axis[None]])
    away = np.concatenate([np.diff((arms**2).sum(axis=1)), [0.0]])
    return np.asarray(middle + np.linalg.lstsq(rows, away, rcond=None)[0])
