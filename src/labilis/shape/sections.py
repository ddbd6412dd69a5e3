"""Cross-sections of a body: area, centroid and principal second moments, for hand checks."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from labilis.shape.face_tables import Floats
from labilis.shape.topology import BodyShape, _xyz


@dataclass(frozen=True)
class SectionScan:
    """Sections at stations along an axis.

    station (n,) mm along `axis` (3,) from the project's origin; area (n,) mm²; centroid (n, 3) mm;
    i_min, i_max (n,) mm⁴: principal second moments; weak (n, 3): direction a member moves in when
    it bends about its weak axis; strong (n, 3): the same for the strong axis. Cuts that miss the
    body are left out.
    """

    axis: Floats
    station: Floats
    area: Floats
    centroid: Floats
    i_min: Floats
    i_max: Floats
    weak: Floats
    strong: Floats

    def smallest(self) -> int:
        """Index of the section with the smallest second moment."""
        return int(np.argmin(self.i_min))


def planar_properties(shape: Any) -> tuple[float, Floats, Floats]:
    """(area mm², centroid (3,), inertia about the centroid (3, 3) mm⁴ as ∫(r² I - r rᵀ) dA) of
    planar faces."""
    from OCP.BRepGProp import BRepGProp
    from OCP.GProp import GProp_GProps

    properties = GProp_GProps()
    BRepGProp.SurfaceProperties_s(shape, properties)
    matrix = properties.MatrixOfInertia()
    inertia = np.array([[matrix.Value(i, j) for j in (1, 2, 3)] for i in (1, 2, 3)])
    return float(properties.Mass()), np.array(_xyz(properties.CentreOfMass())), inertia


def cut(body: BodyShape, point: Floats, normal: Floats) -> Any:
    """Planar faces where the plane through `point` meets the body (a TopoDS compound)."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Common
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
    from OCP.gp import gp_Dir, gp_Pln, gp_Pnt

    reach = 2.0 * body.view.size
    plane = gp_Pln(gp_Pnt(*map(float, point)), gp_Dir(*map(float, normal)))
    face = BRepBuilderAPI_MakeFace(plane, -reach, reach, -reach, reach).Face()
    return BRepAlgoAPI_Common(body.solid, face).Shape()


def scan_sections(
    body: BodyShape, axis: Floats, lower: float, upper: float, count: int = 9
) -> SectionScan:
    """Sections square to `axis` at `count` stations inside (lower, upper), mm along the axis."""
    axis = np.asarray(axis, dtype=float) / np.linalg.norm(axis)
    centre = body.view.centroid
    rows: list[tuple[float, float, Floats, float, float, Floats, Floats]] = []
    for fraction in (np.arange(count) + 0.5) / count:
        station = lower + fraction * (upper - lower)
        area, centroid, inertia = planar_properties(
            cut(body, centre + (station - centre @ axis) * axis, axis)
        )
        if area <= 0:
            continue
        u = np.cross(axis, np.eye(3)[int(np.argmin(np.abs(axis)))])
        u /= np.linalg.norm(u)
        frame = np.stack([u, np.cross(axis, u)])
        moments, vectors = np.linalg.eigh(frame @ inertia @ frame.T)
        about = vectors.T @ frame  # axes of bending; the member moves square to them
        rows.append(
            (
                station,
                area,
                centroid,
                moments[0],
                moments[1],
                np.cross(axis, about[0]),
                np.cross(axis, about[1]),
            )
        )
    columns = (
        [np.array(column) for column in zip(*rows)]
        if rows
        else [np.zeros(0)] * 2 + [np.zeros((0, 3))] + [np.zeros(0)] * 2 + [np.zeros((0, 3))] * 2
    )
    return SectionScan(axis, *columns)
