"""Spatial line element of two nodes: cubic in bending, shear flexible, St Venant torsion, with its second-order terms.

Strains are those of a rod of finite rotation (Reissner 1981; Simo 1985): Γ = Rᵀ(e1 + u') - e1 and K, the axial vector of RᵀR'. A fibre
at y, z has Green's strain Γ1 + K2 z - K3 y + ((Γ2 - K1 z)² + (Γ3 + K1 y)²)/2; the last term lets twisted fibres shorten (Wagner 1936)
and makes the section, which twists about its shear centre, carry its centroid along. Expanded to second order in the motion, with R
the exponential of the turn, the strains are, beside their linear parts,

    Γ⁽²⁾ = θ×(θ×e1)/2 - θ×u',    K⁽²⁾ = -θ×θ'/2,    w⁽²⁾ = θ1'²/2,

to which the fibre's last term adds (γy² + γz²)/2 for the direct force, -κx γy and -κx γz for the moments My and Mz.

The linear element is exact for loads at its ends: it is built from the flexibility of a cantilever, so that shear and an offset
shear centre need no shape functions of their own. Local axes: x along the element through the centroids, y and z the principal axes
of the section. Order of a section's strains: ε, γy, γz, κx, κy, κz and w.
"""
from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from labilis.mechanics.cross_section import CrossSection

Floats = NDArray[np.float64]
STRAINS = 7
_HINGE = 1e-8  # of an end's own stiffness
_GAUSS = np.polynomial.legendre.leggauss(3)


@dataclass(frozen=True)
class LineGeometry:
    """What is fixed of m line elements of one section: length (m,) mm; relative (m, 6, 12): motion of the second end beside the first,
    in local axes, from global unknowns; stiff (m, 6, 6) inverse of the cantilever's flexibility; section (7, 7), its rows as
    STRAINS; fields at g points: strain (m, g, 6, 12), slope u' (m, g, 3, 12), turn θ and its slope (m, g, 3, 12), all
    from global unknowns; weight (m, g) mm; hinges (m, 12, 12): next to nothing that hinges hold, so that a joint of hinges only is not
    loose."""

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


def section_stiffness(section: CrossSection, modulus: float, ratio: float) -> Floats:
    """C (7, 7) of N, Vy, Vz, Mx, My, Mz about the centroid and the Wagner moment against ε, γ, κ and w; N, N mm, N mm² to N mm⁴."""
    shear = modulus / (2 * (1 + ratio))
    c = np.zeros((STRAINS, STRAINS))
    c[[0, 4, 5], [0, 4, 5]] = modulus * np.array([section.area, section.i_y, section.i_z])
    y, z = section.shear_centre
    about = np.array([[1.0, 0.0, -z], [0.0, 1.0, y], [0.0, 0.0, 1.0]])  # γy, γz at the shear centre and κx from those at the centroid
    c[1:4, 1:4] = about.T @ np.diag(shear * np.array([section.shear_y, section.shear_z, section.torsion])) @ about
    c[6, [0, 4, 5]] = c[[0, 4, 5], 6] = modulus * section.polar[:3]
    c[6, 6] = modulus * section.polar[3]
    return c


def _carried(distance: Floats) -> Floats:
    """Resultants (..., 6, 6) at a distance (...) before the loaded end, from forces and moments there."""
    b = np.zeros((*distance.shape, 6, 6))
    b[...] = np.eye(6)
    b[..., 4, 2] = -distance
    b[..., 5, 1] = distance
    return b


def line_geometry(ends: Floats, frames: Floats, section: Floats, released: NDArray[np.bool_] | None = None) -> LineGeometry:
    """Geometry of elements between ends (m, 2, 3) mm with local axes as rows of frames (m, 3, 3) and section stiffness (7, 7); released
    (m, 12): local motions (three displacements and three turns at each end) that hinge."""
    m = len(ends)
    length = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    flexible = np.linalg.inv(section[:6, :6])
    points, weights = 0.5 * (1 + _GAUSS[0]), 0.5 * _GAUSS[1]
    x = length[:, None] * points
    weight = length[:, None] * weights
    b = _carried(length[:, None] - x)
    flexibility = np.einsum("mg,mgia,ij,mgjc->mac", weight, b, flexible, b, optimize=True)
    stiff = np.linalg.inv(flexibility)
    rigid = np.zeros((m, 6, 6))
    rigid[:] = np.eye(6)
    rigid[:, 1, 5], rigid[:, 2, 4] = length, -length
    relative = np.concatenate([-rigid, np.broadcast_to(np.eye(6), (m, 6, 6))], axis=2)
    to_local = np.zeros((m, 12, 12))
    for k in range(4):
        to_local[:, 3 * k:3 * k + 3, 3 * k:3 * k + 3] = frames
    hinges = np.zeros((m, 12, 12))
    if released is not None:
        local = np.swapaxes(relative, 1, 2) @ stiff @ relative
        hinges = np.swapaxes(to_local, 1, 2) @ (np.where(released, _HINGE * np.einsum("mii->mi", local), 0.0)[:, :, None] * to_local)
        to_local = _hinged(np.swapaxes(relative, 1, 2) @ stiff @ relative, released) @ to_local
    relative = relative @ to_local
    first = to_local[:, 3:6]
    strain = np.einsum("ij,mgja,mab,mbc->mgic", flexible, b, stiff, relative, optimize=True)
    grown = _carried(length[:, None] - 0.5 * x) * x[..., None, None]  # ∫ of the carried from 0 to x: linear in x, so its middle times x
    turned = np.einsum("ij,mgja,mab,mbc->mgic", flexible, grown, stiff, relative, optimize=True)[:, :, 3:]
    turn = first[:, None] + turned
    slope = strain[:, :, :3].copy()
    slope[:, :, 1] += turn[:, :, 2]
    slope[:, :, 2] -= turn[:, :, 1]
    return LineGeometry(length, relative, stiff, section, strain, slope, turn, strain[:, :, 3:], weight, hinges)


def _hinged(stiffness: Floats, released: NDArray[np.bool_]) -> Floats:
    """(m, 12, 12) that gives the ends' own motions from those of the nodes: released ones carry nothing."""
    found = np.broadcast_to(np.eye(12), stiffness.shape).copy()
    for element in np.flatnonzero(released.any(axis=1)):
        gone = np.flatnonzero(released[element])
        kept = np.setdiff1d(np.arange(12), gone)
        found[element][gone] = 0.0
        k = stiffness[element]
        found[element][np.ix_(gone, kept)] = -np.linalg.pinv(k[np.ix_(gone, gone)]) @ k[np.ix_(gone, kept)]
    return found


def stiffness(g: LineGeometry) -> Floats:
    """K_0 (m, 12, 12)."""
    return np.asarray(np.swapaxes(g.relative, 1, 2) @ g.stiff @ g.relative + g.hinges)


def resultants(g: LineGeometry, state: Floats) -> Floats:
    """N, Vy, Vz, Mx, My, Mz and the Wagner moment (m, g, 7) from end forces (m, 6)."""
    x = g.length[:, None] * 0.5 * (1 + _GAUSS[0])
    six = np.einsum("mgij,mj->mgi", _carried(g.length[:, None] - x), state)
    strain = six @ np.linalg.inv(g.section[:6, :6])
    return np.concatenate([six, (strain @ g.section[:6, 6])[..., None]], axis=2)


def second_forms(g: LineGeometry) -> Floats:
    """Second derivatives H (m, g, 7, 12, 12) of the strains at rest: strain⁽²⁾ = uᵀ H u / 2."""
    t, s, r = g.turn, g.slope, g.turn_slope
    shear_y, shear_z, twist = (g.strain[:, :, k] for k in (1, 2, 3))

    def both(a: Floats, b: Floats) -> Floats:
        """Second derivative of the product of two fields (m, g, 12)."""
        product = a[..., :, None] * b[..., None, :]
        return np.asarray(product + np.swapaxes(product, -1, -2))
    one, two, three = (t[:, :, k] for k in range(3))
    h = np.zeros((*g.weight.shape, STRAINS, 12, 12))
    h[:, :, 0] = (-0.5 * (both(two, two) + both(three, three)) - both(two, s[:, :, 2]) + both(three, s[:, :, 1])
                  + 0.5 * (both(shear_y, shear_y) + both(shear_z, shear_z)))
    h[:, :, 1] = 0.5 * both(one, two) - both(three, s[:, :, 0]) + both(one, s[:, :, 2])
    h[:, :, 2] = 0.5 * both(one, three) - both(one, s[:, :, 1]) + both(two, s[:, :, 0])
    for k, (i, j) in enumerate(((1, 2), (2, 0), (0, 1))):
        h[:, :, 3 + k] = -0.5 * (both(t[:, :, i], r[:, :, j]) - both(t[:, :, j], r[:, :, i]))
    h[:, :, 4] -= both(twist, shear_y)
    h[:, :, 5] -= both(twist, shear_z)
    h[:, :, 6] = 0.5 * both(r[:, :, 0], r[:, :, 0])
    return h


def geometric(g: LineGeometry, state: Floats) -> Floats:
    """K_G (m, 12, 12) under end forces (m, 6)."""
    return np.asarray(np.einsum("mg,mgk,mgkij->mij", g.weight, resultants(g, state), second_forms(g), optimize=True))


def path_derivative(g: LineGeometry, motion: Floats) -> Floats:
    """Derivative (m, 12, 12) of the tangent along a motion (m, 12): K_G and what the change of the strains does."""
    h = second_forms(g)
    strain = np.concatenate([np.einsum("mgij,mj->mgi", g.strain, motion), np.zeros((*g.weight.shape, 1))], axis=2)
    fields = np.concatenate([g.strain, np.zeros((*g.weight.shape, 1, 12))], axis=2)
    moved = np.einsum("mgkij,mj->mgki", h, motion)
    mixed = np.einsum("mg,mgki,kl,mglj->mij", g.weight, fields, g.section, moved, optimize=True)
    own = np.einsum("mg,mgk,mgkij->mij", g.weight, strain @ g.section, h, optimize=True)
    return np.asarray(own + mixed + np.swapaxes(mixed, 1, 2))


def second_state(g: LineGeometry, motion: Floats) -> Floats:
    """End forces (m, 6) that do the same work as the stresses of the second derivative of the strains along a motion (m, 12)."""
    second = np.einsum("mgkij,mi,mj->mgk", second_forms(g), motion, motion, optimize=True)
    force = (second @ g.section)[..., :6] @ np.linalg.inv(g.section[:6, :6])
    x = g.length[:, None] * 0.5 * (1 + _GAUSS[0])
    return np.asarray(np.einsum("mab,mg,mgib,mgi->ma", g.stiff, g.weight, _carried(g.length[:, None] - x), force, optimize=True))
