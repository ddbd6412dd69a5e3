"""Shell elements with six motions per node, finite rotations and an exact, symmetric tangent.

Energy per area ½ eᵀ C e with the nine strains of `shell_forms`. Residual and tangent are its first
and second derivatives to the nodes' displacements and turns, where a turn ω takes a vector v to
exp(ω) v = v + ω×v + ½ ω×(ω×v) + ...; the second derivative of the last term, (f vᵀ + v fᵀ)/2 -
(f·v) 1 for the force f on v, makes the tangent exact. Rotations are updated
multiplicatively: R <- exp(ω) R.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from labilis.mechanics.shell_forms import STRAINS, T1, T2, D, ShellForms, X, forms_of

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

SHEAR_CORRECTION = 5.0 / 6.0
# of the shear stiffness G t: holds the sixth motion; more stiffens very thin warped elements
DRILLING = 1e-3


@dataclass(frozen=True)
class ShellGeometry:
    """Undeformed shells.

    elements (m, n); places (m, n, 3) mm; triads (m, n, 3, 3): rows t1, t2, d at each node of each
    element (they differ between elements at folds); change (m, g, 9, 9): natural strains to local
    Cartesian ones; area
    (m, g) mm² of each quadrature point; thickness (m,) mm; offset (m,) mm of the mid-surface along
    d from the nodes."""

    elements: Ints
    places: Floats
    triads: Floats
    change: Floats
    area: Floats
    thickness: Floats
    offset: Floats

    @property
    def forms(self) -> ShellForms:
        """Table of the parent element."""
        return forms_of(self.elements.shape[1])

    @cached_property
    def drill(self) -> Floats:
        """Drilling forms (m, g, 4n, 4n), see `_drill_forms`."""
        return _drill_forms(self)

    @cached_property
    def at_rest(self) -> Floats:
        """Products (m, 4n, 4n) of the nodal vectors at rest."""
        rest = _vectors(self, np.zeros((*self.elements.shape, 3)), None)
        return np.asarray(rest @ np.swapaxes(rest, 1, 2))


def flat_triads(places: Floats) -> Floats:
    """Triads (m, n, 3, 3) with d along each element's own mean normal: for flat or folded
    surfaces without smoothing."""
    n = places.shape[1]
    one, two = (
        (places[:, 2] - places[:, 0], places[:, 3] - places[:, 1])
        if n == 4
        else (places[:, 1] - places[:, 0], places[:, 2] - places[:, 0])
    )
    d = np.cross(one, two)
    d /= np.maximum(
        np.linalg.norm(d, axis=1, keepdims=True), 1e-300
    )  # a folded element is refused by shell_geometry
    return np.repeat(_around(d, places[:, 1] - places[:, 0])[:, None], n, axis=1)


def smooth_triads(places: Floats, elements: Ints, fold: float = 0.35) -> Floats:
    """Triads with d averaged at nodes over neighbouring elements whose normals lie within `fold`
    rad of each other; across a sharper fold each side keeps its own."""
    flat = flat_triads(places)
    normals = flat[:, 0, 2]
    count = elements.shape[1]
    order = np.argsort(elements.ravel(), kind="stable")
    nodes = elements.ravel()[order]
    first = np.searchsorted(
        nodes, nodes
    )  # where the corners at the same node begin, for each corner
    many = np.searchsorted(nodes, nodes, side="right") - first
    mean = np.zeros((len(nodes), 3))
    own = normals[order // count]
    for step in range(int(many.max())):
        there = np.flatnonzero(step < many)
        other = own[first[there] + step]
        near = np.einsum("ki,ki->k", own[there], other) > np.cos(fold)
        mean[there] += near[:, None] * other
    mean /= np.linalg.norm(mean, axis=1, keepdims=True)
    result = np.empty((len(order), 3, 3))
    result[order] = _around(mean, flat[order // count, 0, 0])
    return result.reshape(*elements.shape, 3, 3)


def _around(d: Floats, towards: Floats) -> Floats:
    """Right-handed triads (k, 3, 3) of rows t1, t2, d with t1 as near as can be to `towards`."""
    t1 = towards - np.einsum("ki,ki->k", towards, d)[:, None] * d
    t1 /= np.maximum(np.linalg.norm(t1, axis=1, keepdims=True), 1e-300)
    return np.stack([t1, np.cross(d, t1), d], axis=1)


def shell_geometry(
    nodes: Floats,
    elements: Ints,
    thickness: Floats | float,
    offset: Floats | float = 0.0,
    triads: Floats | None = None,
) -> ShellGeometry:
    """Geometry of shells (m, 3) or (m, 4) on nodes (k, 3) mm. Raises ValueError for elements
    folded onto themselves."""
    places = nodes[elements]
    triads = flat_triads(places) if triads is None else triads
    forms = forms_of(elements.shape[1])
    m = len(elements)
    tangent = np.einsum("gna,mnx->mgax", forms.slopes, places, optimize=True)
    normal = np.cross(tangent[:, :, 0], tangent[:, :, 1])
    size = np.linalg.norm(normal, axis=2)
    if (size <= 0).any() or (
        np.einsum("mgx,mgx->mg", normal, np.repeat(normal[:, :1], normal.shape[1], axis=1)) <= 0
    ).any():
        raise ValueError("an element is folded onto itself")
    local = _around(
        (normal / size[..., None]).reshape(-1, 3),
        np.repeat(triads[:, :1, 0], normal.shape[1], axis=1).reshape(-1, 3),
    )
    local = local.reshape(*size.shape, 3, 3)
    f = np.einsum("mgax,mgbx->mgab", tangent, local[:, :, :2])  # a_alpha · e_beta
    h = np.linalg.inv(f)  # h[beta, gamma]: e_beta = h[beta, gamma] a_gamma
    change = np.zeros((*size.shape, STRAINS, STRAINS))
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
    return ShellGeometry(
        elements,
        places,
        triads,
        change,
        size * forms.weights,
        np.broadcast_to(thickness, m).astype(float),
        np.broadcast_to(offset, m).astype(float),
    )


def section_stiffness(
    youngs_modulus: float, poisson_ratio: float, thickness: Floats, offset: Floats
) -> Floats:
    """C (m, 9, 9): membrane, bending, shear and drilling stiffness per area, N/mm and N, with
    the offset's coupling."""
    e, nu = youngs_modulus, poisson_ratio
    plane = e / (1 - nu**2) * np.array([[1, nu, 0], [nu, 1, 0], [0, 0, (1 - nu) / 2]])
    shear = e / (2 * (1 + nu))
    c = np.zeros((len(thickness), STRAINS, STRAINS))
    t = thickness[:, None, None]
    c[:, 0:3, 0:3] = t * plane
    c[:, 0:3, 3:6] = c[:, 3:6, 0:3] = t * offset[:, None, None] * plane
    c[:, 3:6, 3:6] = (t**3 / 12 + t * offset[:, None, None] ** 2) * plane
    c[:, 6, 6] = c[:, 7, 7] = SHEAR_CORRECTION * shear * thickness
    c[:, 8, 8] = DRILLING * shear * thickness
    return c


def _drill_forms(geometry: ShellGeometry) -> Floats:
    """Drilling form (m, g, 4n, 4n): ½ (e2·x,1 - e1·x,2 read with the nodes' turned tangents), zero
    under rigid motion.

    With g^1, g^2 the coefficients that turn x,alpha into local derivatives, the strain is
    ½ (x,1loc · t2 - x,2loc · t1), t interpolated from the nodes.
    """
    forms = geometry.forms
    n = forms.nodes
    h = geometry.change[:, :, 6:8, 6:8]
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


@dataclass(frozen=True)
class ShellState:
    """Strains and resultants (m, g, 9) in local Cartesian components, and what the derivatives
    are made of."""

    strain: Floats
    resultant: Floats
    y: Floats
    curvature: Floats
    section: Floats | None = None


Law = Callable[[Floats], tuple[Floats, Floats | None]]


def shell_state(
    geometry: ShellGeometry,
    stiffness: Floats,
    displacement: Floats,
    rotation: Floats | None = None,
    initial: Floats | None = None,
    law: Law | None = None,
    free: Floats | None = None,
) -> ShellState:
    """Strain e and resultant C e + initial (m, g, 9): forces N/mm, moments N, at a deformation. A
    `law` gives resultants and section tangents (m, g, 9, 9) from the strains instead of C; `free`
    (m,) is what the plane strains would be under heat alone."""
    y = _vectors(geometry, displacement, rotation)
    products = y @ np.swapaxes(y, 1, 2) - geometry.at_rest
    natural = 0.5 * np.einsum("gkab,mab->mgk", geometry.forms.q, products, optimize=True)
    curvature = natural[..., 3:5].copy()
    natural[..., 0:2] += _bulge(geometry) * curvature**2
    strain = np.einsum("mgjk,mgk->mgj", geometry.change, natural)
    strain[:, :, 8] = 0.5 * np.einsum("mgab,mab->mg", geometry.drill, products, optimize=True)
    if free is not None:
        strain[:, :, :2] -= free[:, None, None]
    if law is not None:
        resultant, section = law(strain)
        return ShellState(strain, resultant, y, curvature, section)
    resultant = np.einsum("mjk,mgk->mgj", stiffness, strain)
    return ShellState(strain, resultant if initial is None else resultant + initial, y, curvature)


def second_strain(geometry: ShellGeometry, displacement: Floats, turn: Floats) -> Floats:
    """Second derivative (m, g, 9) at rest of the strains along a motion of displacements and turns
    (m, n, 3): of the products of the nodal vectors it is 2 ẏ ẏᵀ + y ÿᵀ + ÿ yᵀ, with directors that
    turn by θ × d and θ × (θ × d)."""
    m, n = geometry.elements.shape
    at_rest = _vectors(geometry, np.zeros_like(displacement), None)
    apart = at_rest.reshape(m, n, 4, 3)
    rate, bent = np.zeros_like(apart), np.zeros_like(apart)
    rate[:, :, X] = displacement - displacement.mean(axis=1, keepdims=True)
    rate[:, :, D:] = np.cross(turn[:, :, None], apart[:, :, D:])
    bent[:, :, D:] = np.cross(turn[:, :, None], rate[:, :, D:])
    first, second = rate.reshape(m, 4 * n, 3), bent.reshape(m, 4 * n, 3)
    mixed = at_rest @ np.swapaxes(second, 1, 2)
    products = 2.0 * first @ np.swapaxes(first, 1, 2) + mixed + np.swapaxes(mixed, 1, 2)
    q = geometry.forms.q
    natural = 0.5 * np.einsum("gkab,mab->mgk", q, products, optimize=True)
    if bulge := _bulge(geometry):
        along = first @ np.swapaxes(at_rest, 1, 2)
        curvature = 0.5 * np.einsum(
            "gkab,mab->mgk", q[:, 3:5], along + np.swapaxes(along, 1, 2), optimize=True
        )
        natural[..., 0:2] += 2.0 * bulge * curvature**2
    strain = np.einsum("mgjk,mgk->mgj", geometry.change, natural)
    strain[:, :, 8] = _drilled(geometry, products)
    return np.asarray(strain)


def _drilled(geometry: ShellGeometry, products: Floats) -> Floats:
    """Half of the drilling forms times products (m, 4n, 4n), (m, g), without the forms
    themselves."""
    forms = geometry.forms
    m, n = geometry.elements.shape
    apart = products.reshape(m, n, 4, n, 4)
    slope = np.einsum(
        "mgba,gna->mgbn", geometry.change[:, :, 6:8, 6:8], forms.slopes, optimize=True
    )
    found = 0.0
    for number, sign, other in ((0, 0.5, T2), (1, -0.5, T1)):
        along = slope[:, :, number] @ apart[:, :, X, :, other]
        found = found + sign * np.einsum("mgk,gk->mg", along, forms.values)
    return np.asarray(found)


def _bulge(geometry: ShellGeometry) -> float:
    """A straight side that bends becomes longer than its chord: with x,11·d = -κ the slope varies
    by κ r within the element, which adds the mean of ½ (κ r)², κ²/6, to the membrane strain 11 (22
    alike). The bilinear place alone misses it, which makes critical factors of coarse meshes too
    high. The linear solution is not touched."""
    return 1.0 / 6.0 if geometry.elements.shape[1] == 4 else 0.0


def residual_and_tangent(
    geometry: ShellGeometry,
    stiffness: Floats,
    displacement: Floats,
    rotation: Floats | None = None,
    initial: Floats | None = None,
    material: bool = True,
) -> tuple[Floats, Floats]:
    """Internal forces (m, 6n) N and N mm on displacements and turns, and their symmetric derivative
    (m, 6n, 6n).

    `initial` (m, g, 9) are resultants that are there without strain. `material` False leaves Bᵀ C B
    out: at rest, with the resultants of the linear solution, what is left is the geometric
    stiffness K_G.
    """
    residual, tangent, _ = forces_and_tangent(
        geometry, stiffness, displacement, rotation, True, initial, material
    )
    assert tangent is not None
    return residual, tangent


def forces_and_tangent(
    geometry: ShellGeometry,
    stiffness: Floats,
    displacement: Floats,
    rotation: Floats | None = None,
    with_tangent: bool = True,
    initial: Floats | None = None,
    material: bool = True,
    law: Law | None = None,
    free: Floats | None = None,
) -> tuple[Floats, Floats | None, Floats]:
    """(internal forces (m, 6n), their derivative (m, 6n, 6n) when asked for, resultants (m, g,
    9)); see `residual_and_tangent`."""
    state = shell_state(geometry, stiffness, displacement, rotation, initial, law, free)
    forms, y = geometry.forms, state.y
    m, n = geometry.elements.shape
    drill = geometry.drill
    weighted = state.resultant * geometry.area[..., None]
    natural = np.einsum("mgjk,mgj->mgk", geometry.change, weighted)
    bulge = 2.0 * _bulge(geometry)
    natural[..., 3:5] += bulge * state.curvature * natural[..., 0:2]
    q_total = np.einsum("mgk,gkab->mab", natural[:, :, :8], forms.q[:, :8], optimize=True)
    q_total += np.einsum("mg,mgab->mab", weighted[:, :, 8], drill, optimize=True)
    force = q_total @ y  # on each nodal vector, (m, 4n, 3)
    residual, second = _turning(y, force, n)
    if not with_tangent:
        return residual, None, state.resultant
    tangent = _turned_form(q_total, y, n)
    tangent.reshape(m, n, 6, n, 6)[:, np.arange(n), 3:, np.arange(n), 3:] += np.moveaxis(
        second, 1, 0
    )
    rows = slice(0, 8) if material else slice(3, 5)
    slopes = _natural_slopes(geometry, y, rows) if material or bulge else np.zeros(0)
    if bulge:
        bending = (slopes[:, :, 3:5] if material else slopes).reshape(m, -1, 6 * n)
        tangent += np.swapaxes(bending, 1, 2) @ (
            (bulge * natural[..., 0:2]).reshape(m, -1, 1) * bending
        )
    if material:
        section = stiffness if state.section is None else state.section
        tangent += material_part(
            _strain_matrix(geometry, y, slopes, state.curvature), section, geometry.area
        )
    return residual, tangent, state.resultant


def _natural_slopes(geometry: ShellGeometry, y: Floats, rows: slice = slice(0, 8)) -> Floats:
    """Derivative (m, g, k, n, 6) of the first eight natural strains, or those in `rows`, to
    displacements and turns of the nodes, at nodal vectors y (m, 4n, 3). They know places and
    directors only."""
    m, n = geometry.elements.shape
    q = geometry.forms.q[:, rows]
    g, k = q.shape[:2]
    vectors = y.reshape(m, n, 4, 3)
    known = np.ascontiguousarray(q.reshape(g, k, n, 4, n, 4)[:, :, :, :2][..., :2]).reshape(
        g * k * n * 2, n * 2
    )
    slopes = (known @ np.ascontiguousarray(vectors[:, :, :2]).reshape(m, n * 2, 3)).reshape(
        m, g, k, n, 2, 3
    )
    natural = np.empty((m, g, k, n, 6))
    natural[..., :3] = slopes[..., X, :]
    _cross_into(natural[..., 3:], vectors[:, None, None, :, D], slopes[..., D, :])
    return natural


def _cross_into(out: Floats, v: Floats, w: Floats) -> None:
    """out = v × w."""
    for i, j, k in ((0, 1, 2), (1, 2, 0), (2, 0, 1)):
        np.subtract(v[..., j] * w[..., k], v[..., k] * w[..., j], out=out[..., i])


def _strain_matrix(
    geometry: ShellGeometry, y: Floats, slopes: Floats, curvature: Floats | None = None
) -> Floats:
    """B (m, g, 9, 6n): derivative of the strains to displacements and turns of the nodes, at nodal
    vectors y (m, 4n, 3) with the derivatives `slopes` of their natural strains."""
    m, n = geometry.elements.shape
    forms = geometry.forms
    g = len(forms.weights)
    vectors = y.reshape(m, n, 4, 3)
    natural = slopes.reshape(m, g, 8, 6 * n)
    if curvature is not None and _bulge(geometry):
        natural = natural.copy()
        natural[:, :, 0:2] += 2.0 * _bulge(geometry) * curvature[..., None] * natural[:, :, 3:5]
    b = np.empty((m, g, STRAINS, n, 6))
    np.matmul(geometry.change[:, :, :8, :8], natural, out=b.reshape(m, g, STRAINS, 6 * n)[:, :, :8])
    h = geometry.change[:, :, 6:8, 6:8]
    slope = np.einsum("mgba,gna->mgbn", h, forms.slopes)
    t1 = np.einsum("gn,mnx->mgx", forms.values, vectors[:, :, T1])
    t2 = np.einsum("gn,mnx->mgx", forms.values, vectors[:, :, T2])
    along = slope @ vectors[:, None, :, X]  # (m, g, 2, 3): local derivatives of the place
    b[:, :, 8, :, :3] = 0.5 * (
        slope[:, :, 0, :, None] * t2[:, :, None] - slope[:, :, 1, :, None] * t1[:, :, None]
    )
    one, two = np.empty((2, m, g, n, 3))
    _cross_into(one, vectors[:, None, :, T2], along[:, :, None, 0])
    _cross_into(two, vectors[:, None, :, T1], along[:, :, None, 1])
    b[:, :, 8, :, 3:] = 0.5 * forms.values[None, :, :, None] * (one - two)
    return b.reshape(m, g, STRAINS, 6 * n)


def strain_matrix_at_rest(geometry: ShellGeometry) -> Floats:
    """B (m, g, 9, 6n): strains per displacement and turn of the nodes at the undeformed shape."""
    y = _vectors(geometry, np.zeros((*geometry.elements.shape, 3)), None)
    return _strain_matrix(geometry, y, _natural_slopes(geometry, y))


def material_part(b: Floats, stiffness: Floats, area: Floats) -> Floats:
    """∫ Bᵀ C B dA (m, 6n, 6n) from B (m, g, 9, 6n), C (m, 9, 9) or (m, g, 9, 9), area (m, g)."""
    m, g, s, size = b.shape
    c = stiffness[:, None] if stiffness.ndim == 3 else stiffness
    weighted = ((c * area[..., None, None]) @ b).reshape(m, g * s, size)
    return np.swapaxes(b.reshape(m, g * s, size), 1, 2) @ weighted


def part_of(geometry: ShellGeometry, rows: slice) -> ShellGeometry:
    """Geometry of some of the elements."""
    g = geometry
    return ShellGeometry(
        g.elements[rows],
        g.places[rows],
        g.triads[rows],
        g.change[rows],
        g.area[rows],
        g.thickness[rows],
        g.offset[rows],
    )


def _turning(y: Floats, force: Floats, n: int) -> tuple[Floats, Floats]:
    """Forces and moments (m, 6n) of `force` (m, 4n, 3) on the nodal vectors, and for each node the
    second derivative of its work on the turned vectors (m, n, 3, 3)."""
    m = len(y)
    turned, pushed = y.reshape(m, n, 4, 3)[:, :, 1:], force.reshape(m, n, 4, 3)[:, :, 1:]
    outer = np.swapaxes(pushed, 2, 3) @ turned
    residual = np.empty((m, n, 6))
    residual[..., :3] = force.reshape(m, n, 4, 3)[:, :, X]
    for i, j, k in ((0, 1, 2), (1, 2, 0), (2, 0, 1)):  # Σ v × f
        residual[..., 3 + i] = outer[..., k, j] - outer[..., j, k]
    second = 0.5 * (outer + np.swapaxes(outer, -1, -2)) - np.einsum("mnii->mn", outer)[
        ..., None, None
    ] * np.eye(3)
    return residual.reshape(m, 6 * n), second


def _turned_form(q: Floats, y: Floats, n: int) -> Floats:
    """Form (m, 6n, 6n) on displacements and turns of the form q (m, 4n, 4n) on nodal vectors y (m,
    4n, 3), whose variations are u for a place and ω×v for a turned vector: q u·u, q u·(ω×w), and q
    (ω×v)·(ψ×w) = q ω·((v·w) 1 - w vᵀ) ψ."""
    m = len(q)
    q, turned = q.reshape(m, n, 4, n, 4), y.reshape(m, n, 4, 3)[:, :, 1:]
    out = np.zeros((m, n, 6, n, 6))
    summed = (np.moveaxis(q[..., 1:], 3, 1).reshape(m, n, 4 * n, 3) @ turned).reshape(
        m, n, n, 4, 3
    )  # [j, i, a]: Σ_b q w_b
    summed = np.moveaxis(summed, 1, 3)  # [i, a, j]
    for axis in range(3):
        out[:, :, axis, :, axis] = q[:, :, X, :, X]
    for i, j, k in ((0, 1, 2), (1, 2, 0), (2, 0, 1)):  # ω×s in u
        out[:, :, i, :, 3 + j] = summed[:, :, X, :, k]
        out[:, :, i, :, 3 + k] = -summed[:, :, X, :, j]
    out[:, :, 3:, :, :3] = np.moveaxis(out[:, :, :3, :, 3:], (1, 2, 3, 4), (3, 4, 1, 2))
    outer = (np.swapaxes(turned, 2, 3) @ summed[:, :, 1:].reshape(m, n, 3, 3 * n)).reshape(
        m, n, 3, n, 3
    )  # [i, x, j, y]: Σ q v w
    trace = np.einsum("mixjx->mij", outer)
    out[:, :, 3:, :, 3:] = -np.swapaxes(outer, 2, 4)
    for axis in range(3):
        out[:, :, 3 + axis, :, 3 + axis] += trace
    return out.reshape(m, 6 * n, 6 * n)


def exponential(turn: Floats) -> Floats:
    """Rotation matrices (..., 3, 3) of turns (..., 3) rad (Rodrigues)."""
    angle = np.linalg.norm(turn, axis=-1)[..., None, None]
    x, y, z = np.moveaxis(turn, -1, 0)
    zero = np.zeros_like(x)
    cross = np.stack(
        [np.stack([zero, -z, y], -1), np.stack([z, zero, -x], -1), np.stack([-y, x, zero], -1)], -2
    )
    small = angle < 1e-6
    safe = np.where(small, 1.0, angle)
    first = np.where(small, 1 - angle**2 / 6, np.sin(safe) / safe)
    second = np.where(small, 0.5 - angle**2 / 24, (1 - np.cos(safe)) / safe**2)
    return np.eye(3) + first * cross + second * (cross @ cross)


def logarithm(rotation: Floats) -> Floats:
    """Rotation vectors (..., 3) rad of rotations (..., 3, 3) by less than half a turn."""
    skew = 0.5 * np.stack(
        [
            rotation[..., 2, 1] - rotation[..., 1, 2],
            rotation[..., 0, 2] - rotation[..., 2, 0],
            rotation[..., 1, 0] - rotation[..., 0, 1],
        ],
        axis=-1,
    )
    sine = np.linalg.norm(skew, axis=-1)
    cosine = 0.5 * (np.trace(rotation, axis1=-2, axis2=-1) - 1.0)
    angle = np.arctan2(sine, cosine)
    with np.errstate(divide="ignore", invalid="ignore"):
        scale = np.where(sine > 1e-9, angle / sine, 1.0)
    return skew * scale[..., None]


def surface_stress(
    resultant: Floats, thickness: Floats, offset: Floats
) -> tuple[Floats, Floats, Floats]:
    """Plane stresses (m, g, 3) xx, yy, xy in MPa at the top (d side), middle and bottom of each
    shell."""
    t, e = thickness[:, None, None], offset[:, None, None]
    membrane = resultant[:, :, :3] / t
    bending = 6.0 * (resultant[:, :, 3:6] - e * resultant[:, :, :3]) / t**2
    return membrane + bending, membrane, membrane - bending
