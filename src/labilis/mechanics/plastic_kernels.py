"""Return to the yield surface in plane stress, and what it makes of the layers of a shell, and
along one axis, for the fibres of lines, compiled; `plastic` and `line_plastic` say what is
meant."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
_HARD, _MOST = 1e-12, 60
_compiled: Any = numba.njit(cache=True, nogil=True, error_model="numpy")


@_compiled
def _strength(curve: Any, p: float) -> tuple[float, float]:
    """(yield stress, its slope) at an equivalent plastic strain; curve: strains, stresses,
    slopes."""
    strain, stress, slope = curve
    piece = 0
    while piece + 1 < len(strain) and p >= strain[piece + 1]:
        piece += 1
    return stress[piece] + slope[piece] * (p - strain[piece]), slope[piece]


@_compiled
def _mises(s: Floats) -> float:
    return float(np.sqrt(s[0] ** 2 + s[1] ** 2 - s[0] * s[1] + 3.0 * s[2] ** 2))


@_compiled
def _multiplier(e: float, nu: float, curve: Any, s: Floats, p: float) -> tuple[float, float]:
    """(γ, slope of the curve) with the returned stress on the yield surface, by Newton's method
    kept inside a bracket."""
    c1, c2 = e / (3 * (1 - nu)), e / (1 + nu)
    first = 0.25 * (s[0] + s[1]) ** 2
    second = 0.75 * (s[0] - s[1]) ** 2 + 3.0 * s[2] ** 2
    low, high, gamma, slope = 0.0, np.inf, 0.0, 0.0
    for _ in range(_MOST):
        a, b = 1 / (1 + c1 * gamma), 1 / (1 + c2 * gamma)
        mises = np.sqrt(first * a * a + second * b * b)
        strength, slope = _strength(curve, p + (2 / 3) * gamma * mises)
        off = mises - strength
        falls = -(first * c1 * a**3 + second * c2 * b**3) / mises
        slant = falls - slope * (2 / 3) * (mises + gamma * falls)
        if off > 0:
            low = gamma
        else:
            high = gamma
        if abs(off) < _HARD * strength:
            break
        newton = gamma - off / slant if slant < 0 else -1.0
        if low < newton < high:
            gamma = newton
        else:
            gamma = 0.5 * (low + high) if np.isfinite(high) else 2 * low + 1 / c2
    return gamma, slope


@_compiled
def _elastic(e: float, nu: float, out: Floats) -> None:
    """out (3, 3): plane stress."""
    out[:] = 0.0
    out[0, 0] = out[1, 1] = e / (1 - nu**2)
    out[0, 1] = out[1, 0] = nu * out[0, 0]
    out[2, 2] = e / (2 * (1 + nu))


@_compiled
def _return(
    e: float,
    nu: float,
    curve: Any,
    elastic: Floats,
    strain: Floats,
    plastic: Floats,
    p: float,
    stress: Floats,
    moduli: Floats,
) -> tuple[float, float]:
    """(p, demand) of one point; stress (3,), moduli (3, 3) and plastic (3,) are overwritten."""
    for i in range(3):
        stress[i] = 0.0
        for j in range(3):
            stress[i] += elastic[i, j] * (strain[j] - plastic[j])
    moduli[:] = elastic
    demand = _mises(stress) / _strength(curve, p)[0]
    if demand <= 1.0:
        return p, demand
    gamma, slope = _multiplier(e, nu, curve, stress, p)
    a, b = 1 / (1 + gamma * e / (3 * (1 - nu))), 1 / (1 + gamma * e / (1 + nu))
    total, apart = a * (stress[0] + stress[1]), b * (stress[0] - stress[1])
    stress[0], stress[1], stress[2] = 0.5 * (total + apart), 0.5 * (total - apart), b * stress[2]
    flow = np.empty(3)
    flow[0] = (2 * stress[0] - stress[1]) / 3
    flow[1] = (2 * stress[1] - stress[0]) / 3
    flow[2] = 2 * stress[2]
    for i in range(3):
        plastic[i] += gamma * flow[i]
    # (C⁻¹ + γ P)⁻¹: both have the sum, the difference and the shear for principal directions
    even, odd = 1 / ((1 - nu) / e + gamma / 3), 1 / ((1 + nu) / e + gamma)
    moduli[0, 0] = moduli[1, 1] = 0.5 * (even + odd)
    moduli[0, 1] = moduli[1, 0] = 0.5 * (even - odd)
    moduli[2, 2] = 1 / (2 * (1 + nu) / e + 2 * gamma)
    n = np.empty(3)
    n[0] = moduli[0, 0] * flow[0] + moduli[0, 1] * flow[1]
    n[1] = moduli[1, 0] * flow[0] + moduli[1, 1] * flow[1]
    n[2] = moduli[2, 2] * flow[2]
    size = stress[0] * flow[0] + stress[1] * flow[1] + stress[2] * flow[2]
    harder = (2 / 3) * slope * size / max(1 - (2 / 3) * slope * gamma, 1e-12)
    whole = flow[0] * n[0] + flow[1] * n[1] + flow[2] * n[2] + harder
    for i in range(3):
        for j in range(3):
            moduli[i, j] -= n[i] * n[j] / whole
    return p + gamma * (2 / 3) * _mises(stress), demand


@_compiled
def _add_layer(
    stress: Floats, moduli: Floats, weight: float, z: float, tangent: bool, r: Floats, c: Floats
) -> None:
    """Add a layer at the height z to resultants r (9,) and, if asked for, to the section c (9,
    9)."""
    for i in range(3):
        r[i] += weight * stress[i]
        r[3 + i] += weight * z * stress[i]
        if tangent:
            for j in range(3):
                part = weight * moduli[i, j]
                c[i, j] += part
                c[i, 3 + j] += z * part
                c[3 + i, j] += z * part
                c[3 + i, 3 + j] += z * z * part


@_compiled
def return_layers(
    e: float,
    nu: float,
    curve: Any,
    heights: Floats,
    weights: Floats,
    strain: Floats,
    stiffness: Floats,
    thickness: Floats,
    offset: Floats,
    plastic: Floats,
    p: Floats,
    tangent: bool,
) -> tuple[Floats, Floats, Floats, Floats, Floats, Floats]:
    """(resultants (m, g, 9), section tangents (m, g, 9, 9) or none, largest von Mises stress (m,),
    plastic strain (m, g, l, 3), p (m, g, l), demand (m,)) of shells at strains (m, g, 9); heights
    and weights (l,) of the layers over half the thickness and the thickness."""
    m, g = strain.shape[:2]
    resultant = np.empty((m, g, 9))
    sections = np.empty((m if tangent else 0, g, 9, 9))
    peak, demand, after, grown = np.zeros(m), np.zeros(m), plastic.copy(), p.copy()
    elastic, moduli, stress, plane = np.empty((3, 3)), np.empty((3, 3)), np.empty(3), np.empty(3)
    none = np.empty((9, 9))
    _elastic(e, nu, elastic)
    for k in range(m):
        for at in range(g):
            r = resultant[k, at]
            c = sections[k, at] if tangent else none
            if tangent:
                c[:] = stiffness[k]
                c[:6, :6] = 0.0
            for i in range(9):
                r[i] = 0.0
                if i > 5:
                    for j in range(9):
                        r[i] += stiffness[k, i, j] * strain[k, at, j]
            for layer in range(len(heights)):
                z = offset[k] + 0.5 * thickness[k] * heights[layer]
                for i in range(3):
                    plane[i] = strain[k, at, i] + z * strain[k, at, 3 + i]
                was = p[k, at, layer]
                now, used = _return(
                    e, nu, curve, elastic, plane, after[k, at, layer], was, stress, moduli
                )
                grown[k, at, layer] = now
                demand[k] = max(demand[k], used)
                peak[k] = max(peak[k], _mises(stress))
                _add_layer(stress, moduli, weights[layer] * thickness[k], z, tangent, r, c)
    return resultant, sections, peak, after, grown, demand


@_compiled
def _along(e: float, curve: Any, trial: float, p: float) -> tuple[float, float, float]:
    """(stress, its slope over the modulus, p) of a fibre beyond yield, from the size of its
    elastic stress: Newton's method, exact after as many passes as the curve has pieces."""
    step = 0.0
    for _ in range(len(curve[0]) + 3):
        strength, slope = _strength(curve, p + step)
        change = (trial - e * step - strength) / (e + slope)
        step = max(step + change, 0.0)
        if abs(change) < 1e-15 + _HARD * step:
            break
    slope = _strength(curve, p + step)[1]
    return trial - e * step, slope / (e + slope), p + step


@_compiled
def return_fibres(
    e: float,
    curve: Any,
    areas: Floats,
    rows: Floats,
    elastic: Floats,
    strain: Floats,
    warped: Floats,
    plastic: Floats,
    p: Floats,
) -> tuple[Floats, Floats, Floats, Floats, Floats, Floats, Floats]:
    """(resultants (m, g, 3), bimoment (m, g) beyond the elastic one, and of the fibres (m, g, f)
    stress, its slope over the modulus, p, demand and strain) of sections at strains (m, g, 3) and
    φ'' (m, g); areas (f,) and rows (f, 4) as in `line_plastic.FibreForms`."""
    m, g, f = p.shape
    resultant, bimoment = np.empty((m, g, 3)), np.zeros((m, g))
    stress, slope, grown = np.empty((m, g, f)), np.ones((m, g, f)), p.copy()
    demand, fibre = np.empty((m, g, f)), np.empty((m, g, f))
    for k in range(m):
        for at in range(g):
            for i in range(3):
                resultant[k, at, i] = elastic[i] * strain[k, at, i]
            for n in range(f):
                there = rows[n, 3] * warped[k, at]
                for i in range(3):
                    there += rows[n, i] * strain[k, at, i]
                now = e * (there - plastic[k, at, n])
                used = abs(now) / _strength(curve, p[k, at, n])[0]
                if used > 1.0:
                    size, slope[k, at, n], grown[k, at, n] = _along(e, curve, abs(now), p[k, at, n])
                    now = np.copysign(size, now)
                stress[k, at, n], demand[k, at, n], fibre[k, at, n] = now, used, there
                lost = areas[n] * (e * there - now)
                for i in range(3):
                    resultant[k, at, i] -= lost * rows[n, i]
                bimoment[k, at] -= lost * rows[n, 3]
    return resultant, bimoment, stress, slope, grown, demand, fibre
