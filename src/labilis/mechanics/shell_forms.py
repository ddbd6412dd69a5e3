"""Shape functions and tying points of the shell elements.

A node carries four vectors: its place x, its director d and two tangents t1, t2 that turn with d.
With the shape functions of the parent element every strain of the shell is a sum of products of two
such vectors (`shell_kernels` writes them out). The nine strains are, in natural components:
membrane 11, 22, 2·12; bending 11, 22, 2·12; transverse shear 1, 2; drilling (in-plane rotation of
the element less that of its nodes).

Transverse shear is taken where it is free of locking: MITC4 (Dvorkin and Bathe 1984) and, with its
stiffness reduced (`shell.ShellGeometry.shear`), MITC3 (Lee and Bathe 2004). So is the membrane of
quadrilaterals that are warped, MITC4+ (Ko, Lee and Bathe 2017): with g_k the tangents, its parts
that are constant and linear in r and s are fixed by g_1·g_1 at the middles of two sides, g_2·g_2 at
those of the other two and g_1·g_2 in the middle, and the bilinear one, x_d·u_d of the vectors x_d
in which the sides differ, is what those five would make of it if the element were plane
(`bilinear_share`). The displacements' own would make a warped element resist bending without
strain. The drilling strain couples the sixth motion of a node to the in-plane rotation (Hughes and
Brezzi 1989)."""

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
    shear strains of a quadrature point. plane_slopes (q, 2, n): slopes of the
    two tangents whose product is taken at each of the membrane's places; plane_share (g, 3, q): how
    much of each goes into the membrane strains; plane_bilinear (g, 3): how much of the bilinear
    part, as in `bilinear_share`; bend (q,): w of what bulging adds to a product.

    A side that is bent is longer than its chord, which is all that bilinear places know. Where the
    tangents g_k change by h_k = d,k of the director, a square g·g along a side lacks (g·h)²/3 of a
    side of length 2, the mean of (κ r)², and (g·h)²/12 of one of length 1. For the product of g_1
    and g_2 in the middle of a quadrilateral it is (g_1·h_1 + g_2·h_2)(g_1·h_2 + g_2·h_1)/3: what
    they lack under any bending without strain of a surface of second degree. Both are w P Q with P
    = g_1·h_1 + g_2·h_2 and Q = g_1·h_2 + g_2·h_1. Without them critical factors of coarse meshes
    are too high, and what is curved at rest locks: it would not bend without straining its
    chords.

    twist (q,): times the square of the change of Q in the middle. The squares along the sides of a
    quadrilateral that twists by κ12 take (κ12 s)² at s = ±1, three times its mean: with them the
    geometric stiffness of a plate is that of lumped quadrature, exact for whole waves, while its
    bending is soft by (kh)²/12; with the mean itself it is too small by (kh)²/6. Halfway between
    both, κ12²/6 less, the factors of square waves have no error of that order (what averaging a
    lumped and a consistent mass does for vibrations: Hughes 1987, section 7.3). It counts from
    rest, so that what is twisted there does not lock."""

    nodes: int
    weights: Floats
    values: Floats
    slopes: Floats
    tie_values: Floats
    tie_slopes: Floats
    tie_share: Floats
    plane_slopes: Floats
    plane_share: Floats
    plane_bilinear: Floats
    bend: Floats
    twist: Floats

    @cached_property
    def tables(self) -> tuple[Floats, ...]:
        """What `shell_kernels` asks for; slopes (g, 2, n)."""
        along = np.ascontiguousarray(np.swapaxes(self.slopes, 1, 2))
        ties = self.tie_values, self.tie_slopes, self.tie_share
        return self.values, along, *ties, self.plane_slopes, self.bend, self.twist


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
    plane: tuple[Floats, ...],
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
        *plane,
    )


def _quad_plane(points: Floats) -> tuple[Floats, ...]:
    """plane_slopes, plane_share, plane_bilinear, bend and twist of the quadrilateral. With the
    products A, B of g_1·g_1 at s = 1, -1, C, D of g_2·g_2 at r = 1, -1, E of g_1·g_2 in the
    middle, and b the bilinear part: g_1·g_1 = (A + B)/2 + s (A - B)/2 + (s² - 1) b, g_2·g_2 alike
    in r, and g_1·g_2 = E + r (A - B)/4 + s (C - D)/4 + r s b."""
    places = [(0, 0, (0.0, 1.0)), (0, 0, (0.0, -1.0)), (1, 1, (1.0, 0.0)), (1, 1, (-1.0, 0.0))]
    slopes = np.array(
        [
            quad_shape(*place)[1][:, [one, two]].T
            for one, two, place in [*places, (0, 1, (0.0, 0.0))]
        ]
    )
    share, bilinear = np.zeros((len(points), 3, 5)), np.zeros((len(points), 3))
    for g, (r, s) in enumerate(points):
        share[g, 0, :2] = 0.25 * (1 + s), 0.25 * (1 - s)  # the strain is half of the change
        share[g, 1, 2:4] = 0.25 * (1 + r), 0.25 * (1 - r)
        share[g, 2] = 0.25 * r, -0.25 * r, 0.25 * s, -0.25 * s, 1.0
        bilinear[g] = 0.5 * (s * s - 1), 0.5 * (r * r - 1), r * s
    bend, twist = np.array([1, 1, 1, 1, 4]), np.array([-1, -1, -1, -1, 0])
    return slopes, share, bilinear, bend / 12.0, twist / 12.0


def bilinear_share(places: Floats) -> Floats:
    """(m, 5): how much of the five membrane products of a quadrilateral with corners (m, 4, 3) mm
    goes into its bilinear part b = x_d·u_d, as far as x_d = d_1 x_1 + d_2 x_2 lies in the plane of
    x_1 and x_2: b (d_1² + d_2² - 1) = Σ d_1 (d_1 ∓ 1)/2 A, B + Σ d_2 (d_2 ∓ 1)/2 C, D + 2 d_1 d_2 E
    (Ko, Lee and Bathe 2017)."""
    signs = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]], dtype=float)
    sides = 0.25 * np.einsum("na,mnx->max", signs, places)
    apart = 0.25 * np.einsum("n,mnx->mx", signs.prod(axis=1), places)
    d = np.linalg.solve(sides @ np.swapaxes(sides, 1, 2), (sides @ apart[..., None]))[..., 0]
    one, two = d.T
    parts = [one * (one - 1) / 2, one * (one + 1) / 2, two * (two - 1) / 2, two * (two + 1) / 2]
    # nought only where two sides that meet lie in one line, and the element has lost a corner
    whole = np.minimum(one**2 + two**2 - 1, -1e-3)
    return np.asarray(np.stack([*parts, 2 * one * two], axis=1) / whole[:, None])


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

    return _build(4, quad_shape, points, np.ones(4), shear, _quad_plane(points))


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

    # the squares of its three sides: 2·12 is what they make of it
    along = triangle_shape(0.0, 0.0)[1].T
    last = along[0] - along[1]
    plane = np.array([[along[0], along[0]], [along[1], along[1]], [last, last]])
    share = np.array([[0.5, 0, 0], [0, 0.5, 0], [0.5, 0.5, -0.5]])
    everywhere = np.broadcast_to(share, (3, 3, 3)).copy()
    sides = plane, everywhere, np.zeros((3, 3)), np.full(3, 1 / 48), np.zeros(3)
    return _build(3, triangle_shape, points, np.full(3, 1 / 6), shear, sides)


def forms_of(n_nodes: int) -> ShellForms:
    """Forms by the number of nodes, 3 or 4."""
    return {3: triangle_forms, 4: quad_forms}[n_nodes]()
