"""Consistent nodal forces of tractions on faces and edges. N, mm, MPa."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

# seven-point rule of degree 5 on the triangle (Radon 1948); weights sum to 1/2
_P = (6 - np.sqrt(15)) / 21, (6 + np.sqrt(15)) / 21
_W = (155 - np.sqrt(15)) / 2400, (155 + np.sqrt(15)) / 2400
_TRIANGLE_POINTS = np.array(
    [[1 / 3, 1 / 3]]
    + [[p, p] for p in _P]
    + [[1 - 2 * p, p] for p in _P]
    + [[p, 1 - 2 * p] for p in _P]
)
_TRIANGLE_WEIGHTS = np.array([9 / 80, *_W, *_W, *_W])
_LINE_POINTS, _LINE_WEIGHTS = np.polynomial.legendre.leggauss(3)


def _triangle_shape(n_nodes: int) -> tuple[Floats, Floats]:
    """Shape functions (g, n) and natural derivatives (g, n, 2) at the quadrature points;
    mid-sides 01 12 20."""
    x, y = _TRIANGLE_POINTS.T
    bary = np.stack([1 - x - y, x, y], axis=1)
    slope = np.array([[-1.0, -1.0], [1.0, 0.0], [0.0, 1.0]])
    if n_nodes == 3:
        return bary, np.broadcast_to(slope, (len(bary), 3, 2))
    a, b = np.array([0, 1, 2]), np.array([1, 2, 0])
    values = np.concatenate([bary * (2 * bary - 1), 4 * bary[:, a] * bary[:, b]], axis=1)
    corners = (4 * bary - 1)[:, :, None] * slope
    mids = 4 * (bary[:, a, None] * slope[b] + bary[:, b, None] * slope[a])
    return values, np.concatenate([corners, mids], axis=1)


@lru_cache
def _rule(n_nodes: int) -> tuple[Floats, Floats, Floats]:
    """Shape functions (g, n), natural derivatives (g, n, 2) and weights (g,) of triangles of 3 or 6
    nodes or quadrilaterals of 8 (corners, then mid-sides 01 12 23 30; three points each way)."""
    if n_nodes != 8:
        return (*_triangle_shape(n_nodes), _TRIANGLE_WEIGHTS)
    x, y = (grid.ravel() for grid in np.meshgrid(_LINE_POINTS, _LINE_POINTS, indexing="ij"))
    values, slopes = np.empty((9, 8)), np.empty((9, 8, 2))
    for node, (a, b) in enumerate(((-1, -1), (1, -1), (1, 1), (-1, 1))):
        values[:, node] = 0.25 * (1 + a * x) * (1 + b * y) * (a * x + b * y - 1)
        slopes[:, node] = 0.25 * np.stack(
            [a * (1 + b * y) * (2 * a * x + b * y), b * (1 + a * x) * (a * x + 2 * b * y)], axis=1
        )
    for node, b in ((4, -1), (6, 1)):
        values[:, node] = 0.5 * (1 - x**2) * (1 + b * y)
        slopes[:, node] = np.stack([-x * (1 + b * y), 0.5 * b * (1 - x**2)], axis=1)
    for node, a in ((5, 1), (7, -1)):
        values[:, node] = 0.5 * (1 - y**2) * (1 + a * x)
        slopes[:, node] = np.stack([0.5 * a * (1 - y**2), -y * (1 + a * x)], axis=1)
    return values, slopes, np.outer(_LINE_WEIGHTS, _LINE_WEIGHTS).ravel()


def face_weights(nodes: Floats, triangles: Ints) -> tuple[Floats, Floats]:
    """(∫N dA (t, n) mm², ∫N n dA (t, n, 3) mm²) of surface triangles (t, 3) or (t, 6) or
    quadrilaterals (t, 8), normals outward."""
    values, slopes, rule = _rule(triangles.shape[1])
    tangent = np.einsum("gna,tnx->tgax", slopes, nodes[triangles], optimize=True)
    normal = np.cross(tangent[:, :, 0], tangent[:, :, 1])
    area = np.linalg.norm(normal, axis=2) * rule
    return area @ values, np.einsum("tgx,g,gn->tnx", normal, rule, values, optimize=True)


def edge_weights(nodes: Floats, segments: Ints) -> Floats:
    """∫N ds (s, n) mm of segments (s, 2) or (s, 3): ends, then mid-side. Where all segments are
    points, the ends of lines, each counts alike."""
    if len(segments) and bool((segments[:, 0] == segments[:, 1]).all()):
        return np.full(segments.shape, 1.0 / segments.shape[1])
    s = _LINE_POINTS
    if segments.shape[1] == 2:
        values, slopes = (
            np.stack([(1 - s) / 2, (1 + s) / 2], 1),
            np.broadcast_to([-0.5, 0.5], (3, 2)),
        )
    else:
        values = np.stack([s * (s - 1) / 2, s * (s + 1) / 2, 1 - s**2], 1)
        slopes = np.stack([s - 0.5, s + 0.5, -2 * s], 1)
    speed = np.linalg.norm(np.einsum("gn,snx->sgx", slopes, nodes[segments]), axis=2)
    return np.asarray((speed * _LINE_WEIGHTS) @ values)


def traction(nodes: Floats, weights: Floats, cells: Ints, force: Floats) -> Floats:
    """Nodal forces (n, 3) of a total force (3,) N spread evenly over faces or edges with weights
    (c, k)."""
    result = np.zeros((len(nodes), 3))
    share = weights / weights.sum()
    for axis in range(3):
        result[:, axis] = np.bincount(
            cells.ravel(), weights=(share * force[axis]).ravel(), minlength=len(nodes)
        )
    return result


def following_stiffness(nodes: Floats, triangles: Ints, value: float) -> Floats:
    """Load stiffness (t, 3n, 3n) N/mm of a pressure (MPa, positive into the body) that stays square
    to the moving surface.

    The forces are f_a = -p ∫ N_a (x,1 × x,2); this is -df/du, to be added to the tangent
    (Schweizerhof and Ramm 1984). It is symmetric on closed surfaces and where the border is held.
    """
    values, slopes, rule = _rule(triangles.shape[1])
    tangent = np.einsum("gna,tnx->tgax", slopes, nodes[triangles], optimize=True)

    def cross(vector: Floats) -> Floats:
        x, y, z = np.moveaxis(vector, -1, 0)
        zero = np.zeros_like(x)
        return np.stack(
            [np.stack([zero, -z, y], -1), np.stack([z, zero, -x], -1), np.stack([-y, x, zero], -1)],
            -2,
        )

    one, two = cross(tangent[:, :, 0]), cross(tangent[:, :, 1])
    weighted = values * rule[:, None]
    blocks = np.einsum("ga,gb,tgxy->taxby", weighted, slopes[:, :, 1], one, optimize=True)
    blocks -= np.einsum("ga,gb,tgxy->taxby", weighted, slopes[:, :, 0], two, optimize=True)
    size = 3 * triangles.shape[1]
    return value * blocks.reshape(len(triangles), size, size)


def pressure(nodes: Floats, triangles: Ints, value: float) -> Floats:
    """Nodal forces (n, 3) of a pressure (MPa, positive into the body) in the direction of the
    undeformed normal."""
    _, normal = face_weights(nodes, triangles)
    result = np.zeros((len(nodes), 3))
    for axis in range(3):
        result[:, axis] = np.bincount(
            triangles.ravel(), weights=(-value * normal[:, :, axis]).ravel(), minlength=len(nodes)
        )
    return result
