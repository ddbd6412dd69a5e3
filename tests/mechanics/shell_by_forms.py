"""The shells once more, as bilinear forms of nodal vectors in NumPy: what the compiled ones are
held against.

Every strain of a shell is a sum of products of two nodal vectors,

    e_k = ½ Σ_ab q_k[a, b] (y_a · y_b - Y_a · Y_b),

Y at rest; the coefficients q depend on the parent element only, and first and second derivatives to
the vectors follow at once."""

from __future__ import annotations

import numpy as np

from labilis.mechanics.shell import ShellGeometry
from labilis.mechanics.shell_forms import STRAINS, T1, T2, D, X, quad_shape, triangle_shape

Floats = np.ndarray


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


def _tied(n: int, r: float, s: float) -> list[list[tuple[float, int, tuple[float, float]]]]:
    """(coefficient, component, tying point) of both shear strains: MITC4 and MITC3."""
    if n == 4:
        return [
            [(0.5 * (1 + s), 0, (0.0, 1.0)), (0.5 * (1 - s), 0, (0.0, -1.0))],
            [(0.5 * (1 + r), 1, (1.0, 0.0)), (0.5 * (1 - r), 1, (-1.0, 0.0))],
        ]
    one, two, three = (0.5, 0.0), (0.0, 0.5), (0.5, 0.5)
    c = [(1.0, 1, two), (-1.0, 0, one), (-1.0, 1, three), (1.0, 0, three)]
    return [
        [(1.0, 0, one), *((s * k, w, p) for k, w, p in c)],
        [(1.0, 1, two), *((-r * k, w, p) for k, w, p in c)],
    ]


def forms(n: int) -> Floats:
    """q (g, 8, 4n, 4n)."""
    shape = quad_shape if n == 4 else triangle_shape
    g = 1 / np.sqrt(3)
    points = (
        [(-g, -g), (g, -g), (g, g), (-g, g)]
        if n == 4
        else [(1 / 6, 1 / 6), (2 / 3, 1 / 6), (1 / 6, 2 / 3)]
    )
    q = np.array([_point_forms(n, *shape(*point)) for point in points])
    for k, point in enumerate(points):
        for component, terms in enumerate(_tied(n, *point)):
            q[k, 6 + component] = sum(
                c * _point_forms(n, *shape(*place))[6 + which] for c, which, place in terms
            )
    return q


def change_of(geometry: ShellGeometry) -> Floats:
    """Natural strains to local ones (m, g, 9, 9)."""
    h = geometry.local
    change = np.zeros((*h.shape[:2], STRAINS, STRAINS))
    one, two = h[:, :, 0], h[:, :, 1]
    plane = np.stack(
        [
            np.stack([one[..., 0] ** 2, one[..., 1] ** 2, one[..., 0] * one[..., 1]], -1),
            np.stack([two[..., 0] ** 2, two[..., 1] ** 2, two[..., 0] * two[..., 1]], -1),
            np.stack(
                [
                    2 * one[..., 0] * two[..., 0],
                    2 * one[..., 1] * two[..., 1],
                    one[..., 0] * two[..., 1] + one[..., 1] * two[..., 0],
                ],
                -1,
            ),
        ],
        axis=-2,
    )
    change[:, :, 0:3, 0:3] = change[:, :, 3:6, 3:6] = plane
    change[:, :, 6:8, 6:8] = h
    change[:, :, 8, 8] = 1.0
    return change


def _drill_forms(geometry: ShellGeometry) -> Floats:
    """Drilling form (m, g, 4n, 4n): ½ (e2·x,1 - e1·x,2 read with the nodes' turned tangents), zero
    under rigid motion.

    With g^1, g^2 the coefficients that turn x,alpha into local derivatives, the strain is
    ½ (x,1loc · t2 - x,2loc · t1), t interpolated from the nodes.
    """
    forms = geometry.forms
    n = forms.nodes
    h = geometry.local
    slope = np.einsum("mgba,gna->mgbn", h, forms.slopes)  # local derivatives of the shape functions
    m, g = h.shape[:2]
    q = np.zeros((m, g, n, 4, n, 4))
    q[:, :, :, X, :, T2] += 0.5 * slope[:, :, 0, :, None] * forms.values[None, :, None, :]
    q[:, :, :, X, :, T1] -= 0.5 * slope[:, :, 1, :, None] * forms.values[None, :, None, :]
    flat = q.reshape(m, g, 4 * n, 4 * n)
    return flat + np.swapaxes(flat, -1, -2)


def _vectors(geometry: ShellGeometry, displacement: Floats, rotation: Floats | None) -> Floats:
    """Nodal vectors (m, 4n, 3) x, d, t1, t2 at displacements (m, n, 3) and rotations (m, n, 3,
    3)."""
    triads = (
        geometry.triads if rotation is None else geometry.triads @ np.swapaxes(rotation, -1, -2)
    )
    m, n = geometry.elements.shape
    y = np.empty((m, n, 4, 3))
    # about the element's own middle: strains are differences of squares, and far from the origin
    # they would drown in rounding
    y[:, :, X] = geometry.places - geometry.places.mean(axis=1, keepdims=True)
    y[:, :, X] += displacement - displacement.mean(axis=1, keepdims=True)
    y[:, :, D], y[:, :, T1], y[:, :, T2] = triads[:, :, 2], triads[:, :, 0], triads[:, :, 1]
    return y.reshape(m, 4 * n, 3)


def sides(n: int) -> tuple[Floats, ...]:
    """Of the membrane's places (q,): forms (q, 4n, 4n) of the product of both tangents g_1·g_2, of
    P = g_1·h_1 + g_2·h_2 and Q = g_1·h_2 + g_2·h_1, h the rates of the director, w, and how
    much of the square of the change of the last Q."""
    if n == 4:
        places = [(0, 0, 0.0, 1.0), (0, 0, 0.0, -1.0), (1, 1, 1.0, 0.0), (1, 1, -1.0, 0.0)]
        slopes = [quad_shape(r, s)[1][:, [i, j]].T for i, j, r, s in [*places, (0, 1, 0.0, 0.0)]]
        w = np.array([1 / 12, 1 / 12, 1 / 12, 1 / 12, 1 / 3])
    else:
        one, two = triangle_shape(0.0, 0.0)[1].T
        slopes = [np.array([side, side]) for side in (one, two, one - two)]
        w = np.full(3, 1 / 48)
    product = np.array([_product(n, (X, a), (X, b)) for a, b in slopes])
    p = np.array([_product(n, (X, a), (D, a)) + _product(n, (X, b), (D, b)) for a, b in slopes])
    q = np.array([_product(n, (X, a), (D, b)) + _product(n, (X, b), (D, a)) for a, b in slopes])
    return product, p, q, w, np.array([-1, -1, -1, -1, 0]) / 12 if n == 4 else np.zeros(3)


def membrane(geometry: ShellGeometry) -> Floats:
    """(m, g, 3, q): membrane strains of those products, by solving for each element: constant parts
    from the squares along its sides, and the bilinear one, b, from what the five would make of a
    plane one (Ko, Lee and Bathe 2017)."""
    m, n = geometry.elements.shape
    if n == 3:
        share = np.array([[0.5, 0, 0], [0, 0.5, 0], [0.5, 0.5, -0.5]])
        return np.broadcast_to(share, (m, 3, 3, 3))
    signs = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])
    g, out = 1 / np.sqrt(3), np.zeros((m, 4, 3, 5))
    for e, x in enumerate(geometry.places):
        x1, x2, xd = 0.25 * signs[:, 0] @ x, 0.25 * signs[:, 1] @ x, 0.25 * signs.prod(axis=1) @ x
        d1, d2 = np.linalg.lstsq(np.stack([x1, x2], axis=1), xd, rcond=None)[0]
        half = np.eye(5) * np.array([0.5, 0.5, 0.5, 0.5, 1.0])  # squares halved are strains
        even1, odd1 = 0.5 * (half[0] + half[1]), 0.5 * (half[0] - half[1])
        even2, odd2 = 0.5 * (half[2] + half[3]), 0.5 * (half[2] - half[3])
        # b = d1 odd1 + d2 odd2 - d1² con1 - d2² con2 - d1 d2 (2·12), con = even - b
        b = d1 * odd1 + d2 * odd2 - d1**2 * even1 - d2**2 * even2 - d1 * d2 * half[4]
        b = b / (1 - d1**2 - d2**2)
        for k, (r, s) in enumerate([(-g, -g), (g, -g), (g, g), (-g, g)]):
            out[e, k, 0] = (even1 - b) + s * odd1 + s * s * b
            out[e, k, 1] = (even2 - b) + r * odd2 + r * r * b
            out[e, k, 2] = half[4] + r * odd1 + s * odd2 + 2 * r * s * b
    return out


def forces_and_tangent(
    geometry: ShellGeometry,
    stiffness: Floats,
    displacement: Floats,
    rotation: Floats | None,
    initial: Floats,
    material: bool = True,
) -> tuple[Floats, Floats, Floats]:
    """(strains (m, g, 9), forces (m, 6n), tangents (m, 6n, 6n)), by the chain rule through the
    nodal vectors."""
    m, n = geometry.elements.shape
    q = np.concatenate(
        [
            np.broadcast_to(forms(n)[:, :8], (m, len(forms(n)), 8, 4 * n, 4 * n)),
            _drill_forms(geometry)[:, :, None],
        ],
        axis=2,
    )
    y, rest = _vectors(geometry, displacement, rotation), _vectors(geometry, 0 * displacement, None)
    products = y @ np.swapaxes(y, 1, 2) - rest @ np.swapaxes(rest, 1, 2)
    natural = 0.5 * np.einsum("mgkab,mab->mgk", q, products)
    forms_of_sides, plane = sides(n), membrane(geometry)
    now, before = (
        [
            0.5 * np.einsum("qab,mab->mq", form, v @ np.swapaxes(v, 1, 2))
            for form in forms_of_sides[:3]
        ]
        for v in (y, rest)
    )
    w = forms_of_sides[3]
    made = [product + w * p * r for product, p, r in (now, before)]
    twist, turned = forms_of_sides[4], (now[2] - before[2])[:, -1:]
    natural[..., :3] = np.einsum("mgkq,mq->mgk", plane, made[0] - made[1] + twist * turned**2)
    change = change_of(geometry)
    strain = np.einsum("mgjk,mgk->mgj", change, natural)
    weighted = (np.einsum("mjk,mgk->mgj", stiffness, strain) + initial) * geometry.area[..., None]
    work = np.einsum("mgjk,mgj->mgk", change, weighted)
    # first derivatives of the vectors to displacements and turns, and second ones to turns
    first = np.zeros((m, n, 4, 3, n, 6))
    for i in range(n):
        first[:, i, X, :, i, :3] = np.eye(3)
        for v in (D, T1, T2):
            for x in range(3):
                first[:, i, v, :, i, 3 + x] = np.cross(np.eye(3)[x], y.reshape(m, n, 4, 3)[:, i, v])
    first = first.reshape(m, 4 * n, 3, 6 * n)
    slopes = np.einsum("mgkab,mbx,maxs->mgks", q, y, first, optimize=True)
    d = [
        np.einsum("qab,mbx,maxs->mqs", form, y, first, optimize=True) for form in forms_of_sides[:3]
    ]
    p, r = now[1][..., None], now[2][..., None]
    side = d[0] + w[:, None] * (p * d[2] + r * d[1])
    side += 2 * twist[:, None] * turned[..., None] * d[2][:, -1:]
    slopes[:, :, :3] = np.einsum("mgkq,mqs->mgks", plane, side)
    local = np.einsum("mgjk,mgks->mgjs", change, slopes)
    residual = np.einsum("mgj,mgjs->ms", weighted, local)
    total = np.einsum("mgk,mgkab->mab", work[..., 3:], q[:, :, 3:])
    push = np.einsum("mgk,mgkq->mq", work[..., :3], plane)
    total += np.einsum("mq,qab->mab", push, forms_of_sides[0])
    total += np.einsum("mq,mq,qab->mab", push * w, now[2], forms_of_sides[1])
    total += np.einsum("mq,mq,qab->mab", push * w, now[1], forms_of_sides[2])
    twisting = 2 * push @ twist
    total += (twisting * turned[:, 0])[:, None, None] * forms_of_sides[2][-1]
    tangent = np.einsum("mab,maxs,mbxt->mst", total, first, first, optimize=True)
    tangent += np.einsum("m,ms,mt->mst", twisting, d[2][:, -1], d[2][:, -1])
    mixed = np.einsum("mq,mqs,mqt->mst", push * w, d[1], d[2], optimize=True)
    tangent += mixed + np.swapaxes(mixed, 1, 2)
    force = np.einsum("mab,mbx->max", total, y).reshape(m, n, 4, 3)
    apart = tangent.reshape(m, n, 6, n, 6)
    for i in range(n):
        for v in (D, T1, T2):
            f, w = force[:, i, v], y.reshape(m, n, 4, 3)[:, i, v]
            outer = f[:, :, None] * w[:, None, :]
            apart[:, i, 3:, i, 3:] += 0.5 * (outer + np.swapaxes(outer, 1, 2))
            apart[:, i, 3:, i, 3:] -= (f * w).sum(axis=1)[:, None, None] * np.eye(3)
    if material:
        area = geometry.area
        tangent += np.einsum("mgjs,mjk,mgkt,mg->mst", local, stiffness, local, area, optimize=True)
    return strain, residual, tangent
