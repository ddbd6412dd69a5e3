"""Spatial line element of two nodes: cubic in bending, shear flexible, St Venant torsion, with its
second-order terms.

Strains are those of a rod of finite rotation (Reissner 1981; Simo 1985): Γ = Rᵀ(e1 + u') - e1 and
K, the axial vector of RᵀR'. A fibre at y, z has Green's strain Γ1 + K2 z - K3 y + ((Γ2 - K1 z)² +
(Γ3 + K1 y)²)/2; the last term lets twisted fibres shorten (Wagner 1936) and makes the section,
which twists about its shear centre, carry its centroid along. Expanded to second order in the
motion, with R the exponential of the turn, the strains are, beside their linear parts,

    Γ⁽²⁾ = θ×(θ×e1)/2 - θ×u',    K⁽²⁾ = -θ×θ'/2,    w⁽²⁾ = θ1'²/2,

to which the fibre's last term adds (γy² + γz²)/2 for the direct force, -κx γy and -κx γz for the
moments My and Mz.

The linear element is exact for loads at its ends: it is built from the flexibility of a cantilever,
so that shear and an offset shear centre need no shape functions of their own. Local axes: x along
the element through the centroids, y and z the principal axes of the section. Order of a section's
strains: ε, γy, γz, κx, κy, κz and w.

With warping (Vlasov 1961) an end has a seventh motion, the rate of twist χ; what the twist between
stores, GJ φ'² + E Cw φ''², is exact, and the fields that K_G asks for are of a cubic twist; the
rest of the element, and the place of the shear centre, stay as they are."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from labilis.mechanics.cross_section import CrossSection

Floats = NDArray[np.float64]
STRAINS = 7
_HINGE = 1e-8  # of an end's own stiffness
_IDLE = 1e-6  # of GJ L: what holds a rate of twist that a section does not have
GAUSS = np.polynomial.legendre.leggauss(4)


@dataclass(frozen=True)
class LineGeometry:
    """What is fixed of m line elements of one section: length (m,) mm; relative (m, 6, 12): motion
    of the second end beside the first, in local axes, from global unknowns; stiff (m, 6, 6) inverse
    of the cantilever's flexibility; section (7, 7), its rows as STRAINS; fields at g points: strain
    (m, g, 6, 12), slope u' (m, g, 3, 12), turn θ and its slope (m, g, 3, 12), all from global
    unknowns; weight (m, g) mm; hinges (m, 12, 12): next to nothing that hinges hold, so that a
    joint of hinges only is not loose. With warping there are n = 18 unknowns instead of 12, those
    of two more nodes, whose first is the rate of twist: ends (m, 4, n) gives twist and rate of
    twist of both ends, twisting (m, 4, 4) what an uneven twist stores beside an even one."""

    length: Floats
    relative: Floats
    stiff: Floats
    section: Floats
    strain: Floats
    slope: Floats
    turn: Floats
    turn_slope: Floats
    weight: Floats
    hinges: Floats
    ends: Floats = field(default_factory=lambda: np.zeros((0, 0, 0)))
    twisting: Floats = field(default_factory=lambda: np.zeros((0, 0, 0)))


def section_stiffness(section: CrossSection, modulus: float, ratio: float) -> Floats:
    """C (7, 7) of N, Vy, Vz, Mx, My, Mz about the centroid and the Wagner moment against ε, γ, κ
    and w; N, N mm, N mm² to N mm⁴."""
    shear = modulus / (2 * (1 + ratio))
    c = np.zeros((STRAINS, STRAINS))
    c[[0, 4, 5], [0, 4, 5]] = modulus * np.array([section.area, section.i_y, section.i_z])
    y, z = section.shear_centre
    about = np.array(
        [[1.0, 0.0, -z], [0.0, 1.0, y], [0.0, 0.0, 1.0]]
    )  # γy, γz at the shear centre and κx from those at the centroid
    c[1:4, 1:4] = (
        about.T
        @ np.diag(shear * np.array([section.shear_y, section.shear_z, section.torsion]))
        @ about
    )
    c[6, [0, 4, 5]] = c[[0, 4, 5], 6] = modulus * section.polar[:3]
    c[6, 6] = modulus * section.polar[3]
    return c


def carried(distance: Floats) -> Floats:
    """Resultants (..., 6, 6) at a distance (...) before the loaded end, from forces and moments
    there."""
    b = np.zeros((*distance.shape, 6, 6))
    b[...] = np.eye(6)
    b[..., 4, 2] = -distance
    b[..., 5, 1] = distance
    return b


class Warping(NamedTuple):
    """What a section has for uneven twist: torsion GJ N mm², warping E Cw N mm⁴, shear_centre
    (2,) mm from the centroid."""

    torsion: float
    warping: float
    shear_centre: Floats


def line_geometry(
    ends: Floats,
    frames: Floats,
    section: Floats,
    released: NDArray[np.bool_] | None = None,
    warping: Warping | None = None,
) -> LineGeometry:
    """Geometry of elements between ends (m, 2, 3) mm with local axes as rows of frames (m, 3, 3)
    and section stiffness (7, 7); released (m, 12): local motions (three displacements and three
    turns at each end) that hinge."""
    m = len(ends)
    length = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    flexible = np.linalg.inv(section[:6, :6])
    points, weights = 0.5 * (1 + GAUSS[0]), 0.5 * GAUSS[1]
    x = length[:, None] * points
    weight = length[:, None] * weights
    b = carried(length[:, None] - x)
    flexibility = np.einsum("mg,mgia,ij,mgjc->mac", weight, b, flexible, b, optimize=True)
    stiff = np.linalg.inv(flexibility)
    rigid = np.zeros((m, 6, 6))
    rigid[:] = np.eye(6)
    rigid[:, 1, 5], rigid[:, 2, 4] = length, -length
    relative = np.concatenate([-rigid, np.broadcast_to(np.eye(6), (m, 6, 6))], axis=2)
    to_local = np.zeros((m, 12, 12))
    for k in range(4):
        to_local[:, 3 * k : 3 * k + 3, 3 * k : 3 * k + 3] = frames
    hinges = np.zeros((m, 12, 12))
    if released is not None:
        local = np.swapaxes(relative, 1, 2) @ stiff @ relative
        hinges = np.swapaxes(to_local, 1, 2) @ (
            np.where(released, _HINGE * np.einsum("mii->mi", local), 0.0)[:, :, None] * to_local
        )
        to_local = _hinged(np.swapaxes(relative, 1, 2) @ stiff @ relative, released) @ to_local
    relative = relative @ to_local
    first = to_local[:, 3:6]
    strain = np.einsum("ij,mgja,mab,mbc->mgic", flexible, b, stiff, relative, optimize=True)
    grown = (
        carried(length[:, None] - 0.5 * x) * x[..., None, None]
    )  # ∫ of the carried from 0 to x: linear in x, so its middle times x
    turned = np.einsum("ij,mgja,mab,mbc->mgic", flexible, grown, stiff, relative, optimize=True)[
        :, :, 3:
    ]
    turn = first[:, None] + turned
    geometry = LineGeometry(
        length,
        relative,
        stiff,
        section,
        strain,
        strain[:, :, :3],
        turn,
        strain[:, :, 3:],
        weight,
        hinges,
    )
    if warping is not None:
        return _with_warping(geometry, to_local[:, [3, 9]], points, warping)
    return _sloped(geometry)


def _sloped(g: LineGeometry) -> LineGeometry:
    """With u' from the strains and the turn."""
    slope = g.strain[:, :, :3].copy()
    slope[:, :, 1] += g.turn[:, :, 2]
    slope[:, :, 2] -= g.turn[:, :, 1]
    return replace(g, slope=slope, turn_slope=g.strain[:, :, 3:])


def _with_warping(
    g: LineGeometry, twists: Floats, points: Floats, warping: Warping
) -> LineGeometry:
    """An element of twelve unknowns with a cubic twist; twists (m, 2, 12): twist of both ends."""
    m, n = len(g.length), 18
    length, x = g.length[:, None], points

    def wide(values: Floats) -> Floats:
        return np.concatenate([values, np.zeros((*values.shape[:-1], n - 12))], axis=-1)

    ends = np.zeros((m, 4, n))
    ends[:, [0, 2], :12] = twists
    ends[:, 1, 12] = ends[:, 3, 15] = 1.0

    def rows(*forms: Floats) -> Floats:
        """(m, g, n) of a field given by its forms (m, g) at the four of `ends`."""
        return np.asarray(np.einsum("kmg,mkn->mgn", np.stack(forms), ends))

    twists_along, rates = _twist_forms(length, x, warping.warping > 0)
    twist, rate = rows(*twists_along), rows(*rates)
    even = np.array([-1.0, 0.0, 1.0, 0.0]) / length
    twisting = (
        uneven_twist(g.length, warping)
        - warping.torsion * g.length[:, None, None] * even[:, :, None] * even[:, None, :]
    )
    strain, turn = wide(g.strain), wide(g.turn)
    more = rate - strain[:, :, 3]
    y, z = warping.shear_centre
    strain[:, :, 3] = rate
    strain[:, :, 1] += (
        z * more
    )  # the centroid goes along with a section that twists about its shear centre
    strain[:, :, 2] -= y * more
    turn[:, :, 0] = twist
    hinges = np.zeros((m, n, n))
    hinges[:, :12, :12] = g.hinges
    return _sloped(
        replace(
            g,
            relative=wide(g.relative),
            strain=strain,
            turn=turn,
            hinges=hinges,
            ends=ends,
            twisting=np.asarray(twisting),
        )
    )


def _twist_forms(length: Floats, x: Floats, warps: bool) -> tuple[list[Floats], list[Floats]]:
    """Twist along elements, length (m, 1) mm, at places x (g,) of 0 to 1, of a twist or rate of one
    at either end (twist, rate, twist, rate), each (m, g); and its slope. A section that does not
    warp twists evenly, and what holds its rates is next to nothing."""
    one = np.ones_like(length)
    if not warps:
        return (
            [one * (1 - x), 0 * length * x, one * x, 0 * length * x],
            [-one / length + 0 * x, 0 * length * x, one / length + 0 * x, 0 * length * x],
        )
    return (
        [
            one * (1 - 3 * x**2 + 2 * x**3),
            length * (x - 2 * x**2 + x**3),
            one * (3 * x**2 - 2 * x**3),
            length * (x**3 - x**2),
        ],
        [
            (6 * x**2 - 6 * x) / length,
            one * (1 - 4 * x + 3 * x**2),
            (6 * x - 6 * x**2) / length,
            one * (3 * x**2 - 2 * x),
        ],
    )


def uneven_twist(length: Floats, warping: Warping) -> Floats:
    """What twist φ and its rate at both ends store together (m, 4, 4), exactly: GJ φ'² + E Cw φ''²
    with φ of sinh and cosh of κx, κ² = GJ / (E Cw) (Vlasov 1961), so that a bimoment is right
    however short the layer at a held end is beside the element. Without Cw the even twist, and
    next to nothing on the rates."""
    m = len(length)
    if warping.warping <= 0:
        found = np.zeros((m, 4, 4))
        found[:, [0, 0, 2, 2], [0, 2, 0, 2]] = np.array([1.0, -1.0, -1.0, 1.0])
        found *= (warping.torsion / length)[:, None, None]
        found[:, [1, 3], [1, 3]] = (_IDLE * warping.torsion * length)[:, None]
        return found
    kappa = np.sqrt(warping.torsion / warping.warping)
    u = kappa * length
    # where the layer is long beside the element the closed form drowns in rounding: it is the
    # cubic there, to (κL)⁴ / 10⁵
    small = u < 0.05
    z = np.where(small, 1.0, u)
    # all times 2 exp(-u), so that nothing grows
    e = np.exp(-z)
    s, c, one = 1 - e**2, 1 + e**2, 2 * e
    below = z * s - 2 * (c - one)
    twist = warping.torsion * kappa * s / below
    mixed = warping.torsion * (c - one) / below
    own = warping.torsion * (z * c - s) / (kappa * below)
    other = warping.torsion * (s - z * one) / (kappa * below)
    gj, ec, long = warping.torsion, warping.warping, length
    twist = np.where(small, 1.2 * gj / long + 12 * ec / long**3, twist)
    mixed = np.where(small, 0.1 * gj + 6 * ec / long**2, mixed)
    own = np.where(small, 2 * gj * long / 15 + 4 * ec / long, own)
    other = np.where(small, -gj * long / 30 + 2 * ec / long, other)
    rows = [
        [twist, mixed, -twist, mixed],
        [mixed, own, -mixed, other],
        [-twist, -mixed, twist, -mixed],
        [mixed, other, -mixed, own],
    ]
    return np.moveaxis(np.array(rows), -1, 0)


def _hinged(stiffness: Floats, released: NDArray[np.bool_]) -> Floats:
    """(m, 12, 12) that gives the ends' own motions from those of the nodes: released ones carry
    nothing."""
    found = np.broadcast_to(np.eye(12), stiffness.shape).copy()
    for element in np.flatnonzero(released.any(axis=1)):
        gone = np.flatnonzero(released[element])
        kept = np.setdiff1d(np.arange(12), gone)
        found[element][gone] = 0.0
        k = stiffness[element]
        found[element][np.ix_(gone, kept)] = (
            -np.linalg.pinv(k[np.ix_(gone, gone)]) @ k[np.ix_(gone, kept)]
        )
    return found


def stiffness(g: LineGeometry) -> Floats:
    """K_0 (m, n, n)."""
    found = np.swapaxes(g.relative, 1, 2) @ g.stiff @ g.relative + g.hinges
    return np.asarray(
        found if len(g.ends) == 0 else found + np.swapaxes(g.ends, 1, 2) @ g.twisting @ g.ends
    )


def resultants(g: LineGeometry, state: Floats) -> Floats:
    """N, Vy, Vz, Mx, My, Mz and the Wagner moment (m, g, 7) from end forces (m, 6)."""
    x = g.length[:, None] * 0.5 * (1 + GAUSS[0])
    six = np.einsum("mgij,mj->mgi", carried(g.length[:, None] - x), state)
    strain = six @ np.linalg.inv(g.section[:6, :6])
    return np.concatenate([six, (strain @ g.section[:6, 6])[..., None]], axis=2)


def second_forms(g: LineGeometry) -> Floats:
    """Second derivatives H (m, g, 7, n, n) of the strains at rest: strain⁽²⁾ = uᵀ H u / 2."""
    t, s, r = g.turn, g.slope, g.turn_slope
    shear_y, shear_z, twist = (g.strain[:, :, k] for k in (1, 2, 3))

    def both(a: Floats, b: Floats) -> Floats:
        """Second derivative of the product of two fields (m, g, n)."""
        product = a[..., :, None] * b[..., None, :]
        return np.asarray(product + np.swapaxes(product, -1, -2))

    one, two, three = (t[:, :, k] for k in range(3))
    h = np.zeros((*g.weight.shape, STRAINS, *2 * g.relative.shape[2:]))
    h[:, :, 0] = (
        -0.5 * (both(two, two) + both(three, three))
        - both(two, s[:, :, 2])
        + both(three, s[:, :, 1])
        + 0.5 * (both(shear_y, shear_y) + both(shear_z, shear_z))
    )
    h[:, :, 1] = 0.5 * both(one, two) - both(three, s[:, :, 0]) + both(one, s[:, :, 2])
    h[:, :, 2] = 0.5 * both(one, three) - both(one, s[:, :, 1]) + both(two, s[:, :, 0])
    for k, (i, j) in enumerate(((1, 2), (2, 0), (0, 1))):
        h[:, :, 3 + k] = -0.5 * (both(t[:, :, i], r[:, :, j]) - both(t[:, :, j], r[:, :, i]))
    h[:, :, 4] -= both(twist, shear_y)
    h[:, :, 5] -= both(twist, shear_z)
    h[:, :, 6] = 0.5 * both(r[:, :, 0], r[:, :, 0])
    return h


def geometric(g: LineGeometry, state: Floats) -> Floats:
    """K_G (m, n, n) under end forces (m, 6)."""
    return np.asarray(
        np.einsum(
            "mg,mgk,mgkij->mij", g.weight, resultants(g, state), second_forms(g), optimize=True
        )
    )


def path_derivative(g: LineGeometry, motion: Floats) -> Floats:
    """Derivative (m, n, n) of the tangent along a motion (m, n): K_G and what the change of the
    strains does."""
    h = second_forms(g)
    strain = np.concatenate(
        [np.einsum("mgij,mj->mgi", g.strain, motion), np.zeros((*g.weight.shape, 1))], axis=2
    )
    fields = np.concatenate([g.strain, np.zeros((*g.weight.shape, 1, g.relative.shape[2]))], axis=2)
    moved = np.einsum("mgkij,mj->mgki", h, motion)
    mixed = np.einsum("mg,mgki,kl,mglj->mij", g.weight, fields, g.section, moved, optimize=True)
    own = np.einsum("mg,mgk,mgkij->mij", g.weight, strain @ g.section, h, optimize=True)
    return np.asarray(own + mixed + np.swapaxes(mixed, 1, 2))


def second_state(g: LineGeometry, motion: Floats) -> Floats:
    """End forces (m, 6) that do the same work as the stresses of the second derivative of the
    strains along a motion (m, n)."""
    second = np.einsum("mgkij,mi,mj->mgk", second_forms(g), motion, motion, optimize=True)
    force = (second @ g.section)[..., :6] @ np.linalg.inv(g.section[:6, :6])
    x = g.length[:, None] * 0.5 * (1 + GAUSS[0])
    return np.asarray(
        np.einsum(
            "mab,mg,mgib,mgi->ma",
            g.stiff,
            g.weight,
            carried(g.length[:, None] - x),
            force,
            optimize=True,
        )
    )
