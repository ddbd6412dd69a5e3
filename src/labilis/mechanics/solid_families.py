"""The solid elements by their number of nodes. A new one is a file with its shape functions and
one line in FAMILIES."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from labilis.mechanics import bricks, tetrahedra

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Family:
    """name; gradient (g, n, 3) of the shape functions to natural coordinates at the quadrature
    points; weights (g,); values (g, n) of the shape functions there; extrapolation (n, g) from
    quadrature points to nodes."""

    name: str
    gradient: Floats
    weights: Floats
    values: Floats
    extrapolation: Floats


def _tetrahedron(n_nodes: int) -> Family:
    points, weights = tetrahedra.quadrature(n_nodes)
    return Family(
        f"tetrahedron of {n_nodes} nodes",
        tetrahedra.natural_gradient(n_nodes, points),
        weights,
        tetrahedra.shape(n_nodes, points),
        tetrahedra.extrapolation(n_nodes),
    )


def _fit(points: Floats, nodes: Floats, basis: Callable[[Floats], Floats]) -> Floats:
    """Matrix that carries values at points to nodes through a polynomial, the nearest one where
    there are more points than terms."""
    return np.asarray(basis(nodes) @ np.linalg.pinv(basis(points)))


def _hexahedron() -> Family:
    points, weights = bricks.hex_quadrature()

    def basis(p: Floats) -> Floats:
        r, s, t = p.T
        return np.stack([np.ones_like(r), r, s, t, r * s, s * t, t * r, r * s * t], axis=1)

    return Family(
        "hexahedron of 20 nodes",
        bricks.hex_gradient(points),
        weights,
        bricks.hex_shape(points),
        _fit(points, bricks.HEX_NODES, basis),
    )


def _wedge() -> Family:
    points, weights = bricks.wedge_quadrature()

    def basis(p: Floats) -> Floats:
        r, s, t = p.T
        return np.stack(
            [flat * up for up in (np.ones_like(t), t, t**2) for flat in (np.ones_like(r), r, s)],
            axis=1,
        )

    return Family(
        "wedge of 15 nodes",
        bricks.wedge_gradient(points),
        weights,
        bricks.wedge_shape(points),
        _fit(points, bricks.WEDGE_NODES, basis),
    )


FAMILIES: dict[int, Callable[[], Family]] = {
    4: lambda: _tetrahedron(4),
    10: lambda: _tetrahedron(10),
    15: _wedge,
    20: _hexahedron,
}


@lru_cache
def family(n_nodes: int) -> Family:
    """Family of solid elements with this many nodes."""
    return FAMILIES[n_nodes]()
