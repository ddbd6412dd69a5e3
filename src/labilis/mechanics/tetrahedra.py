"""Tetrahedra of four and ten nodes: shape functions and quadrature.

Node order: corners 0-3, then the mid-sides of corner pairs 01 12 02 03 13 23. Shape functions after
Zienkiewicz and Taylor, The Finite Element Method, vol. 1 (2000), chapter 8; four-point rule of
degree 2, Hammer and Stroud (1956)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

SIDES = np.array([[0, 1], [1, 2], [0, 2], [0, 3], [1, 3], [2, 3]])
_SLOPE = np.array([[-1.0, -1.0, -1.0], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]])
_A, _B = 0.1381966011250105, 0.5854101966249685


def quadrature(n_nodes: int) -> tuple[Floats, Floats]:
    """Barycentric points (g, 4) and weights (g,) that sum to 1/6: one point for 4 nodes, four
    for 10."""
    if n_nodes == 4:
        return np.full((1, 4), 0.25), np.array([1.0 / 6.0])
    points = np.full((4, 4), _A)
    np.fill_diagonal(points, _B)
    return points, np.full(4, 1.0 / 24.0)


def shape(n_nodes: int, barycentric: Floats) -> Floats:
    """Shape functions (g, n_nodes) at barycentric points (g, 4)."""
    if n_nodes == 4:
        return barycentric
    a, b = SIDES.T
    return np.concatenate(
        [barycentric * (2 * barycentric - 1), 4 * barycentric[:, a] * barycentric[:, b]], axis=1
    )


def natural_gradient(n_nodes: int, barycentric: Floats) -> Floats:
    """Derivatives (g, n_nodes, 3) of the shape functions to the natural coordinates."""
    if n_nodes == 4:
        return np.broadcast_to(_SLOPE, (len(barycentric), 4, 3)).copy()
    a, b = SIDES.T
    corners = (4 * barycentric - 1)[:, :, None] * _SLOPE
    mids = 4 * (barycentric[:, a, None] * _SLOPE[b] + barycentric[:, b, None] * _SLOPE[a])
    return np.concatenate([corners, mids], axis=1)


def extrapolation(n_nodes: int) -> Floats:
    """Matrix (n_nodes, g) that carries values at the quadrature points to the nodes, linear
    inside an element."""
    points, _ = quadrature(n_nodes)
    if n_nodes == 4:
        return np.ones((4, 1))
    corners = np.linalg.inv(points)  # values at points = points @ values at corners
    return np.concatenate([corners, 0.5 * (corners[SIDES[:, 0]] + corners[SIDES[:, 1]])])
