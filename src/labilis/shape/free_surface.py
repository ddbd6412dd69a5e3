"""Nearest places on free-form surfaces, many at a time: from the nearest of a net of samples by
Gauss and Newton's steps."""

from __future__ import annotations

from functools import cached_property
from typing import Any

import numpy as np
from scipy.spatial import cKDTree

from labilis.shape.face_tables import Floats

_NET = 25  # samples each way
_STEPS = 12
_CLOSE = 1e-9  # of the surface's size: a step that is shorter ends the search
_OUT = 1.0  # of the face's own range that a place may lie beyond it


class FreeSurface:
    """The surface of one face, of any kind."""

    def __init__(self, handle: Any) -> None:
        from OCP.BRep import BRep_Tool
        from OCP.BRepAdaptor import BRepAdaptor_Surface

        self._surface = BRep_Tool.Surface_s(handle)
        adaptor = BRepAdaptor_Surface(handle)
        own = np.array(
            [
                [adaptor.FirstUParameter(), adaptor.LastUParameter()],
                [adaptor.FirstVParameter(), adaptor.LastVParameter()],
            ]
        )
        span = np.ptp(own, axis=1)
        whole = np.array(self._surface.Bounds()).reshape(2, 2)
        beyond = own + _OUT * span[:, None] * np.array([-1.0, 1.0])
        periodic = np.array([self._surface.IsUPeriodic(), self._surface.IsVPeriodic()])[:, None]
        self._own = own
        self._limits = np.where(
            periodic,
            beyond,
            np.stack(
                [np.maximum(beyond[:, 0], whole[:, 0]), np.minimum(beyond[:, 1], whole[:, 1])],
                axis=1,
            ),
        )

    @cached_property
    def _net(self) -> tuple[Floats, cKDTree, float]:
        u, v = (np.linspace(low, high, _NET) for low, high in self._own)
        places = np.array([(a, b) for a in u for b in v])
        points = np.array([self._place(float(a), float(b)) for a, b in places])
        return places, cKDTree(points), float(np.linalg.norm(np.ptp(points, axis=0)))

    def _place(self, u: float, v: float) -> tuple[float, float, float]:
        point = self._surface.Value(u, v)
        return point.X(), point.Y(), point.Z()

    def nearest(self, points: Floats) -> Floats:
        """Nearest places (n, 3) mm to points (n, 3)."""
        from OCP.gp import gp_Pnt, gp_Vec

        places, tree, size = self._net
        starts = places[tree.query(points)[1]]
        (u0, u1), (v0, v1) = self._limits
        place, along_u, along_v = gp_Pnt(), gp_Vec(), gp_Vec()
        found = np.empty_like(points)
        for row, ((x, y, z), (u, v)) in enumerate(zip(points.tolist(), starts.tolist())):
            for _ in range(_STEPS):
                self._surface.D1(u, v, place, along_u, along_v)
                ux, uy, uz, vx, vy, vz = (
                    along_u.X(),
                    along_u.Y(),
                    along_u.Z(),
                    along_v.X(),
                    along_v.Y(),
                    along_v.Z(),
                )
                rx, ry, rz = x - place.X(), y - place.Y(), z - place.Z()
                uu, uv, vv = (
                    ux * ux + uy * uy + uz * uz,
                    ux * vx + uy * vy + uz * vz,
                    vx * vx + vy * vy + vz * vz,
                )
                fu, fv = ux * rx + uy * ry + uz * rz, vx * rx + vy * ry + vz * rz
                det = uu * vv - uv * uv
                if det <= 1e-14 * uu * vv or uu * vv == 0.0:  # a pole, or a fold
                    found[row] = self._searched(x, y, z)
                    break
                u_new = min(max(u + (vv * fu - uv * fv) / det, u0), u1)
                v_new = min(max(v + (uu * fv - uv * fu) / det, v0), v1)
                step = uu * (u_new - u) ** 2 + vv * (v_new - v) ** 2
                u, v = u_new, v_new
                if step < (_CLOSE * size) ** 2:
                    found[row] = self._place(u, v)
                    break
            else:
                found[row] = self._searched(x, y, z)
        return found

    def _searched(self, x: float, y: float, z: float) -> tuple[float, float, float]:
        """By the kernel's own search, for the few that the steps do not reach."""
        from OCP.gp import gp_Pnt
        from OCP.ShapeAnalysis import ShapeAnalysis_Surface

        point = ShapeAnalysis_Surface(self._surface)
        found = point.Value(point.ValueOfUV(gp_Pnt(x, y, z), 1e-6))
        return found.X(), found.Y(), found.Z()
