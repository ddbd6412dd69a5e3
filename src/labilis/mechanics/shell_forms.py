"""Shape functions and tying points of the shell elements.

A node carries four vectors: its place x, its director d and two tangents t1, t2 that turn with d.
With the shape functions of the parent element every strain of the shell is a sum of products of two
such vectors (`shell_kernels` writes them out). The nine strains are, in natural components:
membrane 11, 22, 2·12; bending 11, 22, 2·12; transverse shear 1, 2; drilling (in-plane rotation of
the element less that of its nodes).

Transverse shear is taken where it is free of locking: MITC4 (Dvorkin and Bathe 1984) and MITC3 (Lee
and Bathe 2004). The drilling strain couples the sixth motion of a node to the in-plane rotation
(Hughes and Brezzi 1989)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
X, D, T1, T2 = range(4)  # the vectors of a node
STRAINS = 9
Tying = tuple[list[tuple[float, int, tuple[float, float]]], ...]


@dataclass(frozen=True)
class ShellForms:
    """weights (g,); values (g, n) and slopes (g, n, 2) of the shape functions at the quadrature
    points; tie_values and tie_slopes (p, n): the same at the tying points of shear, slopes along
    the one direction that is taken there; tie_share (g, 2, p): how much of each goes into both
    shear strains of a quadrature point."""

    nodes: int
    weights: Floats
    values: Floats
    slopes: Floats
    tie_values: Floats
    tie_slopes: Floats
    tie_share: Floats

    @cached_property
    def tables(self) -> tuple[Floats, Floats, Floats, Floats, Floats]:
        """What `shell_kernels` asks for; slopes (g, 2, n)."""
        along = np.ascontiguousarray(np.swapaxes(self.slopes, 1, 2))
        return self.values, along, self.tie_values, self.tie_slopes, self.tie_share


def quad_shape(r: float, s: float) -> tuple[Floats, Floats]:
    """Shape functions (4,) and slopes (4, 2) of the quadrilateral, corners at (-1,-1) (1,-1)
    (1,1) (-1,1)."""
    signs = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]], dtype=float)
    along = 1 + signs * np.array([r, s])
    return 0.25 * along.prod(axis=1), 0.25 * signs * along[:, ::-1]


def triangle_shape(r: float, s: float) -> tuple[Floats, Floats]:
    """Shape functions (3,) and slopes (3, 2) of the triangle, corners at (0,0) (1,0) (0,1)."""
    return np.array([1 - r - s, r, s]), np.array([[-1.0, -1.0], [1.0, 0.0], [0.0, 1.0]])


def _build(
    n: int,
    shape: Callable[[float, float], tuple[Floats, Floats]],
    points: Floats,
    weights: Floats,
    shear: Callable[[float, float], Tying],
) -> ShellForms:
    """Tables at quadrature points, with transverse shear put together from tying points by
    `shear(r, s)`: for both components a list of (coefficient, component, tying point)."""
    rules = [shear(r, s) for r, s in points]
    ties = sorted({(which, place) for rule in rules for terms in rule for _, which, place in terms})
    share = np.zeros((len(points), 2, len(ties)))
    for g, rule in enumerate(rules):
        for component, terms in enumerate(rule):
            for coefficient, which, place in terms:
                share[g, component, ties.index((which, place))] += coefficient
    at_ties = [shape(*place) for _, place in ties]
    at_points = [shape(r, s) for r, s in points]
    return ShellForms(
        n,
        weights,
        np.array([values for values, _ in at_points]),
        np.array([slopes for _, slopes in at_points]),
        np.array([values for values, _ in at_ties]),
        np.array([slopes[:, which] for (which, _), (_, slopes) in zip(ties, at_ties)]),
        share,
    )


@lru_cache
def quad_forms() -> ShellForms:
    """MITC4 at 2 x 2 points."""
    g = 1 / np.sqrt(3)
    points = np.array([[-g, -g], [g, -g], [g, g], [-g, g]])

    def shear(r: float, s: float) -> Tying:
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

    def shear(r: float, s: float) -> Tying:
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
