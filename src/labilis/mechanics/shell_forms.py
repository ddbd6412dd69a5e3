"""Strains of the shell elements as bilinear forms of nodal vectors.

A node carries four vectors: its place x, its director d and two tangents t1, t2 that turn with d.
With the shape functions of the parent element every strain of the shell is a sum of products of two
such vectors,

    e_k = ½ Σ_ab q_k[a, b] (y_a · y_b - Y_a · Y_b),

Y at rest. The coefficients q depend on the parent element only, so that one small table serves all
elements; first and second derivatives to the vectors follow at once. The nine strains are, in
natural components: membrane 11, 22, 2·12; bending 11, 22, 2·12; transverse shear 1, 2; drilling
(in-plane rotation of the element less that of its nodes).

Transverse shear is taken where it is free of locking: MITC4 (Dvorkin and Bathe 1984) and MITC3 (Lee
and Bathe 2004). The drilling strain couples the sixth motion of a node to the in-plane rotation
(Hughes and Brezzi 1989)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
X, D, T1, T2 = range(4)  # the vectors of a node
STRAINS = 9


@dataclass(frozen=True)
class ShellForms:
    """q (g, 9, 4n, 4n) symmetric in its last two; weights (g,); values (g, n) and slopes (g, n, 2)
    of the shape functions at the quadrature points. Vector a of node i has number 4 i + a."""

    nodes: int
    q: Floats
    weights: Floats
    values: Floats
    slopes: Floats


def quad_shape(r: float, s: float) -> tuple[Floats, Floats]:
    """Shape functions (4,) and slopes (4, 2) of the quadrilateral, corners at (-1,-1) (1,-1)
    (1,1) (-1,1)."""
    signs = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]], dtype=float)
    along = 1 + signs * np.array([r, s])
    return 0.25 * along.prod(axis=1), 0.25 * signs * along[:, ::-1]


def triangle_shape(r: float, s: float) -> tuple[Floats, Floats]:
    """Shape functions (3,) and slopes (3, 2) of the triangle, corners at (0,0) (1,0) (0,1)."""
    return np.array([1 - r - s, r, s]), np.array([[-1.0, -1.0], [1.0, 0.0], [0.0, 1.0]])


def _product(n: int, left: tuple[int, Floats], right: tuple[int, Floats]) -> Floats:
    """Form (4n, 4n) of (Σ a_i u_i) · (Σ b_j v_j), for vectors u, v of the nodes with
    coefficients a, b."""
    form = np.zeros((n, 4, n, 4))
    form[:, left[0], :, right[0]] += np.outer(left[1], right[1])
    flat = form.reshape(4 * n, 4 * n)
    return flat + flat.T  # e = ½ q : (products), so the product itself is q = sum of both orders


def _point_forms(n: int, values: Floats, slopes: Floats) -> Floats:
    """Forms (9, 4n, 4n) of all strains at one point, shear taken on the spot."""
    a1, a2 = slopes[:, 0], slopes[:, 1]
    forms = np.zeros((STRAINS, 4 * n, 4 * n))
    forms[0] = 0.5 * _product(n, (X, a1), (X, a1))
    forms[1] = 0.5 * _product(n, (X, a2), (X, a2))
    forms[2] = _product(n, (X, a1), (X, a2))
    forms[3] = _product(n, (X, a1), (D, a1))
    forms[4] = _product(n, (X, a2), (D, a2))
    forms[5] = _product(n, (X, a1), (D, a2)) + _product(n, (X, a2), (D, a1))
    forms[6] = _product(n, (X, a1), (D, values))
    forms[7] = _product(n, (X, a2), (D, values))
    return forms


def _build(
    n: int,
    shape: Callable[[float, float], tuple[Floats, Floats]],
    points: Floats,
    weights: Floats,
    shear: Callable[[float, float], tuple[list[tuple[float, int, tuple[float, float]]], ...]],
) -> ShellForms:
    """Forms at quadrature points, with transverse shear put together from tying points by `shear(r,
    s)`: for both components a list of (coefficient, component, tying point)."""
    q = np.zeros((len(points), STRAINS, 4 * n, 4 * n))
    all_values, all_slopes = [], []
    for g, (r, s) in enumerate(points):
        values, slopes = shape(r, s)
        q[g] = _point_forms(n, values, slopes)
        for component, terms in enumerate(shear(r, s)):
            q[g, 6 + component] = sum(
                coefficient * _point_forms(n, *shape(*place))[6 + which]
                for coefficient, which, place in terms
            )
        all_values.append(values)
        all_slopes.append(slopes)
    return ShellForms(n, q, weights, np.array(all_values), np.array(all_slopes))


@lru_cache
def quad_forms() -> ShellForms:
    """MITC4 at 2 x 2 points."""
    g = 1 / np.sqrt(3)
    points = np.array([[-g, -g], [g, -g], [g, g], [-g, g]])

    def shear(r: float, s: float) -> tuple[list[tuple[float, int, tuple[float, float]]], ...]:
        return (
            [(0.5 * (1 + s), 0, (0.0, 1.0)), (0.5 * (1 - s), 0, (0.0, -1.0))],
            [(0.5 * (1 + r), 1, (1.0, 0.0)), (0.5 * (1 - r), 1, (-1.0, 0.0))],
        )

    return _build(4, quad_shape, points, np.ones(4), shear)


@lru_cache
def triangle_forms() -> ShellForms:
    """MITC3 at three points."""
    points = np.array([[1 / 6, 1 / 6], [2 / 3, 1 / 6], [1 / 6, 2 / 3]])
    one, two, three = (0.5, 0.0), (0.0, 0.5), (0.5, 0.5)

    def shear(r: float, s: float) -> tuple[list[tuple[float, int, tuple[float, float]]], ...]:
        c = [
            (1.0, 1, two),
            (-1.0, 0, one),
            (-1.0, 1, three),
            (1.0, 0, three),
        ]  # c of Lee and Bathe (2004)
        return (
            [(1.0, 0, one), *((s * k, w, p) for k, w, p in c)],
            [(1.0, 1, two), *((-r * k, w, p) for k, w, p in c)],
        )

    return _build(3, triangle_shape, points, np.full(3, 1 / 6), shear)


def forms_of(n_nodes: int) -> ShellForms:
    """Forms by the number of nodes, 3 or 4."""
    return {3: triangle_forms, 4: quad_forms}[n_nodes]()
