"""Hexahedron of 20 nodes and wedge of 15: shape functions and quadrature.

Serendipity elements after Zienkiewicz and Taylor, The Finite Element Method, vol. 1 (2000), chapter
8. Natural coordinates: hexahedron r, s, t in -1..1; wedge r, s on the unit triangle and t in -1..1.
Node order: the corners of the face t = -1, those of t = +1 above them, the mid-sides of the lower
face, of the upper face, then of the upright edges."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

HEX_CORNERS = np.array(
    [
        [-1, -1, -1],
        [1, -1, -1],
        [1, 1, -1],
        [-1, 1, -1],
        [-1, -1, 1],
        [1, -1, 1],
        [1, 1, 1],
        [-1, 1, 1],
    ],
    dtype=float,
)
HEX_SIDES = np.array(
    [[0, 1], [1, 2], [2, 3], [3, 0], [4, 5], [5, 6], [6, 7], [7, 4], [0, 4], [1, 5], [2, 6], [3, 7]]
)
HEX_NODES = np.concatenate([HEX_CORNERS, HEX_CORNERS[HEX_SIDES].mean(axis=1)])
WEDGE_CORNERS = np.array(
    [[0, 0, -1], [1, 0, -1], [0, 1, -1], [0, 0, 1], [1, 0, 1], [0, 1, 1]], dtype=float
)
WEDGE_SIDES = np.array([[0, 1], [1, 2], [2, 0], [3, 4], [4, 5], [5, 3], [0, 3], [1, 4], [2, 5]])
WEDGE_NODES = np.concatenate([WEDGE_CORNERS, WEDGE_CORNERS[WEDGE_SIDES].mean(axis=1)])

FULL = 0.1  # of the weight that the six points of a full rule have


def hex_quadrature() -> tuple[Floats, Floats]:
    """Fourteen points (14, 3) and their weights (14,), of degree 3: a rule between the one of 2 x 2
    x 2 points, with which thin elements bend freely but six motions of one element, and some of a
    column of single ones, have no energy, and the one of degree 5 of Irons (1971), with which they
    have all of it and thin elements are too stiff in bending. Eight points carry nearly all weight,
    near where those of the first rule are; six with FULL of the weight they have in the second give
    those motions some."""
    a2, weight = 19.0 / 30.0, FULL * 320.0 / 361.0
    corner_weight = (8.0 - 6.0 * weight) / 8.0
    corner = np.sqrt((8.0 / 3.0 - 2.0 * weight * a2) / (8.0 * corner_weight))
    faces = np.sqrt(a2) * np.concatenate([np.eye(3), -np.eye(3)])
    return np.concatenate([faces, corner * HEX_CORNERS]), np.repeat([weight, corner_weight], [6, 8])


def wedge_quadrature() -> tuple[Floats, Floats]:
    """Nine points (9, 3): three on the triangle (degree 2) at three heights, weights (9,) that
    sum to 1."""
    triangle = np.array([[1 / 6, 1 / 6], [2 / 3, 1 / 6], [1 / 6, 2 / 3]])
    heights, weights = np.polynomial.legendre.leggauss(3)
    points = np.array([[r, s, t] for t in heights for r, s in triangle])
    return points, np.repeat(weights, 3) / 6.0


def hex_shape(points: Floats) -> Floats:
    """Shape functions (g, 20) at points (g, 3)."""
    r = points[:, None, :] * HEX_NODES[None]
    one = 1.0 + r
    corner = 0.125 * one.prod(axis=2) * (r.sum(axis=2) - 2.0)
    values = np.empty((len(points), 20))
    values[:, :8] = corner[:, :8]
    for node in range(8, 20):
        axis = int(np.flatnonzero(HEX_NODES[node] == 0)[0])
        others = [other for other in range(3) if other != axis]
        values[:, node] = 0.25 * (1 - points[:, axis] ** 2) * one[:, node, others].prod(axis=1)
    return values


def hex_gradient(points: Floats) -> Floats:
    """Derivatives (g, 20, 3) of the shape functions to the natural coordinates."""
    r = points[:, None, :] * HEX_NODES[None]
    one = 1.0 + r
    slopes = np.zeros((len(points), 20, 3))
    for axis in range(3):
        others = [other for other in range(3) if other != axis]
        rest = one[:, :8][:, :, others].prod(axis=2)
        sign = HEX_NODES[:8, axis]
        slopes[:, :8, axis] = 0.125 * sign * rest * (r[:, :8].sum(axis=2) - 2.0 + one[:, :8, axis])
    for node in range(8, 20):
        flat = int(np.flatnonzero(HEX_NODES[node] == 0)[0])
        others = [other for other in range(3) if other != flat]
        bubble = 1 - points[:, flat] ** 2
        slopes[:, node, flat] = -0.5 * points[:, flat] * one[:, node, others].prod(axis=1)
        for axis in others:
            other = next(o for o in others if o != axis)
            slopes[:, node, axis] = 0.25 * bubble * HEX_NODES[node, axis] * one[:, node, other]
    return slopes


def _barycentric(points: Floats) -> Floats:
    return np.stack([1 - points[:, 0] - points[:, 1], points[:, 0], points[:, 1]], axis=1)


_TRIANGLE_SLOPE = np.array([[-1.0, -1.0], [1.0, 0.0], [0.0, 1.0]])


def wedge_shape(points: Floats) -> Floats:
    """Shape functions (g, 15) at points (g, 3)."""
    bary, t = _barycentric(points), points[:, 2]
    values = np.empty((len(points), 15))
    for node in range(6):
        b, height = bary[:, node % 3], WEDGE_NODES[node, 2]
        values[:, node] = 0.5 * b * ((2 * b - 1) * (1 + height * t) - (1 - t**2))
    for node in range(6, 12):
        i, j = (node - 6) % 3, (node - 5) % 3
        values[:, node] = 2 * bary[:, i] * bary[:, j] * (1 + WEDGE_NODES[node, 2] * t)
    for node in range(12, 15):
        values[:, node] = bary[:, node - 12] * (1 - t**2)
    return values


def wedge_gradient(points: Floats) -> Floats:
    """Derivatives (g, 15, 3) of the shape functions to the natural coordinates."""
    bary, t = _barycentric(points), points[:, 2]
    slopes = np.zeros((len(points), 15, 3))
    for node in range(6):
        k, height = node % 3, WEDGE_NODES[node, 2]
        b = bary[:, k]
        to_b = 0.5 * ((4 * b - 1) * (1 + height * t) - (1 - t**2))
        slopes[:, node, :2] = to_b[:, None] * _TRIANGLE_SLOPE[k]
        slopes[:, node, 2] = 0.5 * b * ((2 * b - 1) * height + 2 * t)
    for node in range(6, 12):
        i, j, height = (node - 6) % 3, (node - 5) % 3, WEDGE_NODES[node, 2]
        slopes[:, node, :2] = (2 * (1 + height * t))[:, None] * (
            bary[:, j, None] * _TRIANGLE_SLOPE[i] + bary[:, i, None] * _TRIANGLE_SLOPE[j]
        )
        slopes[:, node, 2] = 2 * bary[:, i] * bary[:, j] * height
    for node in range(12, 15):
        k = node - 12
        slopes[:, node, :2] = (1 - t**2)[:, None] * _TRIANGLE_SLOPE[k]
        slopes[:, node, 2] = -2 * t * bary[:, k]
    return slopes
