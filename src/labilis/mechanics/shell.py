"""Shell elements with six motions per node, finite rotations and an exact, symmetric tangent.

Energy per area ½ eᵀ C e with the nine strains of `shell_forms`, computed by `shell_kernels`.
Residual and tangent are its first and second derivatives to the nodes' displacements and turns,
where a turn ω takes a vector v to exp(ω) v = v + ω×v + ½ ω×(ω×v) + ...; the second derivative of
the last term, (f vᵀ + v fᵀ)/2 - (f·v) 1 for the force f on v, makes the tangent exact. Rotations
are updated multiplicatively: R <- exp(ω) R.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from labilis.mechanics.shell_forms import (
    STRAINS,
    T1,
    T2,
    D,
    ShellForms,
    X,
    bilinear_share,
    forms_of,
)
from labilis.mechanics.shell_kernels import (
    forces_and_tangents,
    linear_strains,
    second_strains,
    strains,
    turned,
)

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

SHEAR_CORRECTION = 5.0 / 6.0
# of the shear stiffness G t: holds the sixth motion; more stiffens very thin warped elements
DRILLING = 1e-3
# of triangles: how much of h²/t² their transverse shear gives way by, see `ShellGeometry.shear`
SHEAR_GIVES = 0.1


@dataclass(frozen=True)
class ShellGeometry:
    """Undeformed shells.

    elements (m, n); places (m, n, 3) mm; triads (m, n, 3, 3): rows t1, t2, d at each node of each
    element (they differ between elements at folds); local (m, g, 2, 2): the local Cartesian
    tangents in natural ones; area (m, g) mm² of each quadrature point; thickness (m,) mm; offset
    (m,) mm of the mid-surface along d from the nodes."""

    elements: Ints
    places: Floats
    triads: Floats
    local: Floats
    area: Floats
    thickness: Floats
    offset: Floats

    @property
    def forms(self) -> ShellForms:
        """Table of the parent element."""
        return forms_of(self.elements.shape[1])

    @cached_property
    def plane(self) -> Floats:
        """(m, g, 3, q): how much of the products of tangents goes into the membrane strains."""
        forms, count = self.forms, len(self.elements)
        share = np.broadcast_to(forms.plane_share, (count, *forms.plane_share.shape)).copy()
        if forms.plane_bilinear.any():
            warped = bilinear_share(self.places)
            share += forms.plane_bilinear[..., None] * warped[:, None, None]
        return share

    @property
    def shear(self) -> Floats:
        """(m,) how much of the stiffness of transverse shear is taken: 1 of quadrilaterals, t²/(t²
        + α h²) of triangles with longest sides h. MITC3 still locks in shear when thin; so
        softened it converges whatever its thickness is, at the cost of a shear deflection of the
        order h² (Lyly, Stenberg and Vihinen 1993)."""
        if self.elements.shape[1] == 4:
            return np.ones(len(self.elements))
        sides = self.places - np.roll(self.places, 1, axis=1)
        longest = np.einsum("mnx,mnx->mn", sides, sides).max(axis=1)
        return np.asarray(self.thickness**2 / (self.thickness**2 + SHEAR_GIVES * longest))

    @cached_property
    def curved(self) -> Floats:
        """P and Q of the sides at rest and no change of Q (m, q, 3), see `ShellForms.bend`."""
        slopes, y = self.forms.plane_slopes, self.rest
        x, d = (np.einsum("qan,mnx->mqax", slopes, y[:, :, v]) for v in (X, D))
        both = x @ np.swapaxes(d, 2, 3)
        p, q = both[..., 0, 0] + both[..., 1, 1], both[..., 0, 1] + both[..., 1, 0]
        return np.stack([p, q, np.zeros_like(q)], axis=-1)

    @cached_property
    def rest(self) -> Floats:
        """Nodal vectors (m, n, 4, 3) x, d, t1, t2 at rest, places about the element's own
        middle."""
        y = np.empty((*self.elements.shape, 4, 3))
        y[:, :, X] = self.places - self.places.mean(axis=1, keepdims=True)
        y[:, :, D], y[:, :, T1], y[:, :, T2] = (self.triads[:, :, k] for k in (2, 0, 1))
        return y


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
    """Triads of like elements (m, n) at places (m, n, 3), see `smoothed`."""
    return smoothed([places], [elements], fold)[0]


def smoothed(
    places: Sequence[Floats],
    elements: Sequence[Ints],
    fold: float,
    planes: Sequence[Ints] | None = None,
) -> list[Floats]:
    """Triads of kinds of elements (m, n) at places (m, n, 3), with d averaged at nodes, by the
    angle each takes up there, over neighbouring elements of any kind whose normals lie within
    `fold` rad of each other; across a sharper fold each side keeps its own.

    `planes` (m,) of each kind: the plane face that an element lies on, -1 for none. Elements on one
    average among themselves, however shallow the fold beside them is, and where others meet them
    within `fold` they take their normals: a bend leaves its walls along their tangents."""
    flat = [flat_triads(at) for at in places]
    of = [np.repeat(np.arange(len(nodes)), nodes.shape[1]) for nodes in elements]
    own = np.concatenate([triads[rows, 0, 2] for triads, rows in zip(flat, of)])
    along = np.concatenate([triads[rows, 0, 0] for triads, rows in zip(flat, of)])
    plane = np.concatenate(
        [np.full(len(rows), -1) if planes is None else planes[k][rows] for k, rows in enumerate(of)]
    )
    corners = np.concatenate([nodes.ravel() for nodes in elements])
    weight = np.concatenate([_corner_angles(at).ravel() for at in places])
    order = np.argsort(corners, kind="stable")
    nodes, own, along, plane, weight = (
        values[order] for values in (corners, own, along, plane, weight)
    )
    first = np.searchsorted(nodes, nodes)  # where the corners at the same node begin
    many = np.searchsorted(nodes, nodes, side="right") - first
    mean, walls = np.zeros((2, len(nodes), 3))
    for step in range(int(many.max(initial=0))):
        there = np.flatnonzero(step < many)
        other = first[there] + step
        near = np.einsum("ki,ki->k", own[there], own[other]) > np.cos(fold)
        alike = plane[there] == plane[other]
        share = (weight[other] * near)[:, None] * own[other]
        mean[there] += alike[:, None] * share
        walls[there] += ((plane[there] < 0) & ~alike)[:, None] * share
    against = np.einsum("ki,ki->k", walls, walls) > 0
    mean[against] = walls[against]
    mean /= np.linalg.norm(mean, axis=1, keepdims=True)
    result = np.empty((len(order), 3, 3))
    result[order] = _around(mean, along)
    parts = np.split(result, np.cumsum([nodes.size for nodes in elements])[:-1])
    return [part.reshape(*kind.shape, 3, 3) for part, kind in zip(parts, elements)]


def _corner_angles(places: Floats) -> Floats:
    """(m, n) rad at the corners of elements at places (m, n, 3)."""
    on, back = np.roll(places, -1, axis=1) - places, np.roll(places, 1, axis=1) - places
    across = np.linalg.norm(np.cross(on, back), axis=2)
    return np.asarray(np.arctan2(across, np.einsum("mnx,mnx->mn", on, back)))


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
    return ShellGeometry(
        elements,
        places,
        triads,
        h,
        size * forms.weights,
        np.broadcast_to(thickness, m).astype(float),
        np.broadcast_to(offset, m).astype(float),
    )


def section_stiffness(
    youngs_modulus: float,
    poisson_ratio: float,
    thickness: Floats,
    offset: Floats,
    share: Floats | float = 1.0,
) -> Floats:
    """C (m, 9, 9): membrane, bending, shear and drilling stiffness per area, N/mm and N, with
    the offset's coupling; of transverse shear a `share` (m,)."""
    e, nu = youngs_modulus, poisson_ratio
    plane = e / (1 - nu**2) * np.array([[1, nu, 0], [nu, 1, 0], [0, 0, (1 - nu) / 2]])
    shear = e / (2 * (1 + nu))
    c = np.zeros((len(thickness), STRAINS, STRAINS))
    t = thickness[:, None, None]
    c[:, 0:3, 0:3] = t * plane
    c[:, 0:3, 3:6] = c[:, 3:6, 0:3] = t * offset[:, None, None] * plane
    c[:, 3:6, 3:6] = (t**3 / 12 + t * offset[:, None, None] ** 2) * plane
    c[:, 6, 6] = c[:, 7, 7] = SHEAR_CORRECTION * shear * thickness * share
    c[:, 8, 8] = DRILLING * shear * thickness
    return c


def _moved(geometry: ShellGeometry, displacement: Floats, rotation: Floats | None) -> Floats:
    """How far the nodal vectors (m, n, 4, 3) have moved at displacements (m, n, 3) and rotations
    (m, n, 3, 3)."""
    moved = np.zeros(geometry.rest.shape)
    # about the element's own middle: far from the origin strains would drown in rounding
    moved[:, :, X] = displacement - displacement.mean(axis=1, keepdims=True)
    if rotation is not None:
        turned = geometry.triads @ np.swapaxes(rotation, -1, -2) - geometry.triads
        moved[:, :, D], moved[:, :, T1], moved[:, :, T2] = (turned[:, :, k] for k in (2, 0, 1))
    return moved


@dataclass(frozen=True)
class ShellState:
    """Strains and resultants (m, g, 9) in local Cartesian components; moved nodal vectors y (m, n,
    4, 3), P and Q of the sides (m, q, 3) and section tangents (m, 1 or g, 9, 9), of which the
    derivatives are made."""

    strain: Floats
    resultant: Floats
    y: Floats
    bent: Floats
    section: Floats


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
    moved = _moved(geometry, displacement, rotation)
    tables = geometry.forms.tables
    strain, bent = strains(
        geometry.rest + 0.5 * moved,
        moved,
        tables,
        geometry.plane,
        geometry.local,
        geometry.curved,
        1.0,
    )
    if free is not None:
        strain[:, :, :2] -= free[:, None, None]
    y, section = geometry.rest + moved, stiffness[:, None]
    if law is not None:
        resultant, tangents = law(strain)
        return ShellState(strain, resultant, y, bent, section if tangents is None else tangents)
    resultant = strain @ stiffness  # which is symmetric
    return ShellState(
        strain, resultant if initial is None else resultant + initial, y, bent, section
    )


def linear_strain(geometry: ShellGeometry, motions: Floats) -> Floats:
    """Strains (m, g, 9, c) of small motions (m, 6n, c): displacements and turns, c of them at
    once."""
    tables, local = geometry.forms.tables, geometry.local
    if motions.shape[2] > 3:  # one by one they cost less up to here
        return np.asarray(
            linear_strains(geometry.rest, motions, tables, geometry.plane, local, geometry.curved)
        )
    found = np.empty((*geometry.area.shape, STRAINS, motions.shape[2]))
    for column in range(motions.shape[2]):
        motion = np.ascontiguousarray(motions[..., column]).reshape(*geometry.elements.shape, 6)
        rate, _ = turned(geometry.rest, motion)
        found[..., column], _ = strains(
            geometry.rest, rate, tables, geometry.plane, local, geometry.curved, 0.0
        )
    return found


def second_strain(geometry: ShellGeometry, motion: Floats) -> Floats:
    """Second derivative (m, g, 9) at rest of the strains along a motion (m, n, 6) of displacements
    and turns: twice the quadratic part of the vectors' rates and what is linear in their second
    derivatives, directors turning by θ × d and θ × (θ × d)."""
    rate, bent = turned(geometry.rest, motion)
    tables = geometry.forms.tables
    return np.asarray(
        second_strains(
            geometry.rest, rate, bent, tables, geometry.plane, geometry.local, geometry.curved
        )
    )


def residual_and_tangent(
    geometry: ShellGeometry,
    stiffness: Floats,
    displacement: Floats,
    rotation: Floats | None = None,
    initial: Floats | None = None,
) -> tuple[Floats, Floats]:
    """Internal forces (m, 6n) N and N mm on displacements and turns, and their symmetric derivative
    (m, 6n, 6n). `initial` (m, g, 9) are resultants that are there without strain."""
    residual, tangent, _ = forces_and_tangent(
        geometry, stiffness, displacement, rotation, True, initial
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
    law: Law | None = None,
    free: Floats | None = None,
) -> tuple[Floats, Floats | None, Floats]:
    """(internal forces (m, 6n), their derivative (m, 6n, 6n) when asked for, resultants (m, g,
    9)); see `residual_and_tangent`."""
    state = shell_state(geometry, stiffness, displacement, rotation, initial, law, free)
    forces, tangents = forces_and_tangents(
        state.y,
        state.resultant,
        state.bent,
        state.section,
        geometry.local,
        geometry.area,
        geometry.forms.tables,
        geometry.plane,
        with_tangent,
        True,
    )
    return forces, tangents if with_tangent else None, state.resultant


def at_rest(
    geometry: ShellGeometry,
    stiffness: Floats,
    resultant: Floats | None = None,
    with_tangent: bool = True,
) -> tuple[Floats, Floats]:
    """(forces (m, 6n), tangents (m, 6n, 6n), none of them unless asked for) at the undeformed
    shape: K_0 without resultants; with the resultants (m, g, 9) of the linear solution their
    forces and the geometric stiffness K_G alone."""
    still = np.zeros((*geometry.area.shape, STRAINS))
    return forces_and_tangents(
        geometry.rest,
        still if resultant is None else resultant,
        geometry.curved,
        stiffness[:, None],
        geometry.local,
        geometry.area,
        geometry.forms.tables,
        geometry.plane,
        with_tangent,
        resultant is None,
    )


def part_of(geometry: ShellGeometry, rows: slice) -> ShellGeometry:
    """Geometry of some of the elements."""
    g = geometry
    return ShellGeometry(
        g.elements[rows],
        g.places[rows],
        g.triads[rows],
        g.local[rows],
        g.area[rows],
        g.thickness[rows],
        g.offset[rows],
    )


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
