"""Nearest points on the surfaces that machining makes, in closed form and for many points at
once."""

from __future__ import annotations

import numpy as np

from labilis.shape.face_tables import FaceTable, Floats


def _split(points: Floats, origin: Floats, axis: Floats) -> tuple[Floats, Floats, Floats]:
    """(height along the axis (n,), unit vector away from it (n, 3), distance from it (n,))."""
    offset = points - origin
    height = offset @ axis
    away = offset - height[:, None] * axis
    distance = np.linalg.norm(away, axis=1)
    return height, away / np.maximum(distance, 1e-300)[:, None], distance


def project_analytic(faces: FaceTable, face: int, points: Floats) -> Floats | None:
    """Nearest points (n, 3) on a plane, cylinder, cone, sphere or torus; None for any other
    surface. mm."""
    kind = str(faces.kind[face])
    axis, origin, radius = faces.direction[face], faces.origin[face], faces.radius[face]
    if kind == "plane":
        return points - ((points - origin) @ axis)[:, None] * axis
    if kind == "sphere":
        offset = points - origin
        return (
            origin + offset * (radius / np.maximum(np.linalg.norm(offset, axis=1), 1e-300))[:, None]
        )
    if kind not in ("cylinder", "cone", "torus"):
        return None
    height, away, distance = _split(points, origin, axis)
    if kind == "cylinder":
        return origin + height[:, None] * axis + radius * away
    if (
        kind == "cone"
    ):  # radius at height h is R + h tan(angle); step along the normal of the generating line
        angle = faces.second[face]
        excess = (distance - radius - height * np.tan(angle)) * np.cos(angle)
        return points - excess[:, None] * (np.cos(angle) * away - np.sin(angle) * axis)
    centre = origin + radius * away
    offset = points - centre
    return (
        centre
        + offset
        * (faces.second[face] / np.maximum(np.linalg.norm(offset, axis=1), 1e-300))[:, None]
    )
