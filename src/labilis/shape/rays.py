"""Rays through a triangulated solid: what they meet first, many at a time."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numba
import numpy as np

from labilis.shape.face_tables import Floats, Ints, Tessellation

_NEAR = 1e-7  # of the solid's size: where a ray starts there is no hit
# barycentric: how far beside a triangle a ray still meets it, so that none slips through between
# two
_BESIDE = 1e-6


@dataclass(frozen=True)
class Rays:
    """A triangulation made ready to be shot at: corners (m, 3, 3) mm and owner (m,), the face of
    each triangle."""

    corners: Floats
    owner: Ints

    @classmethod
    def through(cls, tessellation: Tessellation) -> Rays:
        """All triangles that have an area."""
        corners = tessellation.points[tessellation.triangles]
        return cls(np.ascontiguousarray(corners), np.asarray(tessellation.face, dtype=np.int64))

    @cached_property
    def normals(self) -> Floats:
        """Unit normals (m, 3), out of the solid."""
        cross = np.cross(
            self.corners[:, 1] - self.corners[:, 0], self.corners[:, 2] - self.corners[:, 0]
        )
        return np.asarray(cross / np.maximum(np.linalg.norm(cross, axis=1, keepdims=True), 1e-300))

    @cached_property
    def areas(self) -> Floats:
        """Areas (m,) mm²."""
        cross = np.cross(
            self.corners[:, 1] - self.corners[:, 0], self.corners[:, 2] - self.corners[:, 0]
        )
        return np.asarray(0.5 * np.linalg.norm(cross, axis=1))

    def shoot(self, points: Floats, directions: Floats) -> tuple[Floats, Ints]:
        """(distance (k,) mm to the first triangle, inf for none; its number, -1) of rays from
        points (k, 3) along unit directions (k, 3) (Möller and Trumbore 1997)."""
        size = (
            float(np.ptp(self.corners.reshape(-1, 3), axis=0).max()) if len(self.corners) else 1.0
        )
        return _shoot(
            np.ascontiguousarray(points, dtype=np.float64),
            np.ascontiguousarray(directions, dtype=np.float64),
            self.corners,
            _NEAR * size,
        )

    def near_faces(self, points: Floats, count: int) -> Floats:
        """Distance (k, count) mm of points (k, 3) from each of `count` faces."""
        return np.sqrt(
            _nearest(
                np.ascontiguousarray(points, dtype=np.float64), self.corners, self.owner, count
            )
        )

    def faces_hit(self, points: Floats, directions: Floats) -> tuple[Floats, Ints, Floats]:
        """(distance (k,), face (k,) or -1, cosine (k,) between the ray and the normal there)."""
        distance, triangle = self.shoot(points, directions)
        there = triangle >= 0
        face = np.where(there, self.owner[triangle], -1)
        cosine = np.where(there, np.einsum("ki,ki->k", self.normals[triangle], directions), 0.0)
        return distance, face, cosine


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _shoot(
    points: Floats, directions: Floats, corners: Floats, least: float
) -> tuple[Floats, Ints]:
    best = np.full(len(points), np.inf)
    which = np.full(len(points), -1, dtype=np.int64)
    for k in range(len(points)):
        px, py, pz = points[k]
        dx, dy, dz = directions[k]
        for m in range(len(corners)):
            ax, ay, az = corners[m, 0]
            e1x, e1y, e1z = corners[m, 1, 0] - ax, corners[m, 1, 1] - ay, corners[m, 1, 2] - az
            e2x, e2y, e2z = corners[m, 2, 0] - ax, corners[m, 2, 1] - ay, corners[m, 2, 2] - az
            hx, hy, hz = dy * e2z - dz * e2y, dz * e2x - dx * e2z, dx * e2y - dy * e2x
            det = e1x * hx + e1y * hy + e1z * hz
            if det * det < 1e-24 * (e1x * e1x + e1y * e1y + e1z * e1z) * (
                e2x * e2x + e2y * e2y + e2z * e2z
            ):
                continue
            inverse = 1.0 / det
            sx, sy, sz = px - ax, py - ay, pz - az
            u = (sx * hx + sy * hy + sz * hz) * inverse
            if u < -_BESIDE or u > 1.0 + _BESIDE:
                continue
            qx, qy, qz = sy * e1z - sz * e1y, sz * e1x - sx * e1z, sx * e1y - sy * e1x
            v = (dx * qx + dy * qy + dz * qz) * inverse
            if v < -_BESIDE or u + v > 1.0 + _BESIDE:
                continue
            t = (e2x * qx + e2y * qy + e2z * qz) * inverse
            if least < t < best[k]:
                best[k], which[k] = t, m
    return best, which


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _nearest(points: Floats, corners: Floats, owner: Ints, count: int) -> Floats:
    """Squared distance (k, count) to the triangles of each owner (Ericson 2005, 5.1.5)."""
    best = np.full((len(points), count), np.inf)
    for k in range(len(points)):
        p = points[k]
        for m in range(len(corners)):
            a, b, c = corners[m, 0], corners[m, 1], corners[m, 2]
            ab, ac, ap = b - a, c - a, p - a
            d1, d2 = np.dot(ab, ap), np.dot(ac, ap)
            bp, cp = p - b, p - c
            d3, d4, d5, d6 = np.dot(ab, bp), np.dot(ac, bp), np.dot(ab, cp), np.dot(ac, cp)
            vc, vb, va = d1 * d4 - d3 * d2, d5 * d2 - d1 * d6, d3 * d6 - d5 * d4
            if d1 <= 0.0 and d2 <= 0.0:
                q = a
            elif d3 >= 0.0 and d4 <= d3:
                q = b
            elif vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
                q = a + d1 / max(d1 - d3, 1e-300) * ab
            elif d6 >= 0.0 and d5 <= d6:
                q = c
            elif vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
                q = a + d2 / max(d2 - d6, 1e-300) * ac
            elif va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
                q = b + (d4 - d3) / max((d4 - d3) + (d5 - d6), 1e-300) * (c - b)
            else:
                total = max(va + vb + vc, 1e-300)
                q = a + vb / total * ab + vc / total * ac
            away = p - q
            best[k, owner[m]] = min(best[k, owner[m]], np.dot(away, away))
    return best
