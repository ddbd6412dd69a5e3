"""Nearest points of triangles."""

from __future__ import annotations

import numpy as np

from labilis.mesh.mesh import Floats


def closest_weights(points: Floats, corners: Floats) -> Floats:
    """Corner weights (k, 3) of the nearest point of each triangle (k, 3, 3)."""
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    e0, e1, v = b - a, c - a, points - a
    d00, d01, d11 = (e0 * e0).sum(1), (e0 * e1).sum(1), (e1 * e1).sum(1)
    d20, d21 = (v * e0).sum(1), (v * e1).sum(1)
    det = np.maximum(d00 * d11 - d01**2, 1e-300)
    s, t = (d11 * d20 - d01 * d21) / det, (d00 * d21 - d01 * d20) / det
    inner = np.stack([1 - s - t, s, t], axis=1)
    options, gaps = [inner], [np.where((inner >= -1e-9).all(axis=1), 0.0, np.inf)]
    for i, j in ((0, 1), (1, 2), (2, 0)):
        p, q = corners[:, i], corners[:, j]
        along = np.clip(
            ((points - p) * (q - p)).sum(1) / np.maximum(((q - p) ** 2).sum(1), 1e-300), 0, 1
        )
        w = np.zeros((len(points), 3))
        w[:, i], w[:, j] = 1 - along, along
        options.append(w)
        gaps.append(np.linalg.norm(points - (p + along[:, None] * (q - p)), axis=1))
    choice = np.argmin(np.stack(gaps), axis=0)
    return np.asarray(np.stack(options)[choice, np.arange(len(points))])
