"""Strains, forces and tangents of shells, compiled: what `shell_forms` states as bilinear forms,
written out element by element.

A node has four vectors y (n, 4, 3): place x, director d, tangents t1, t2. At a quadrature point
the natural strains of a motion are, with a_k = x,k and d_k = d,k,

    membrane Σ_q share_q (a_k·a_l + w_q P Q) at places q, P = a_k·d_k + a_l·d_l, Q = a_k·d_l +
    a_l·d_k; bending a_k·d_k, a_1·d_2 + a_2·d_1;
    shear Σ_p share_p (a·d) at tying points p;   drilling ½ (x,1·t2 - x,2·t1) in local axes,

each less what it is at rest. Forms of second degree change by their rate halfway: strains are
computed from how far the vectors have moved and where they are halfway, so that small ones keep
their digits. `tables` are `ShellForms.tables`; h (m, g, 2, 2) are the local tangents in natural
ones, `ShellGeometry.local`. The NumPy forms they are held against stand in the tests."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

from labilis.mechanics.shell_forms import STRAINS, T1, T2, D, Floats, X

# sums may be taken in another order, nothing else: a nan stays one
_compiled: Any = numba.njit(
    cache=True, nogil=True, error_model="numpy", fastmath={"reassoc", "contract", "nsz"}
)


@_compiled
def _sum(weights: Floats, y: Floats, vector: int, out: Floats) -> None:
    """out (3,) = Σ weights_i y_i of one of the vectors."""
    one, two, three = 0.0, 0.0, 0.0
    for i in range(len(weights)):
        one += weights[i] * y[i, vector, 0]
        two += weights[i] * y[i, vector, 1]
        three += weights[i] * y[i, vector, 2]
    out[0], out[1], out[2] = one, two, three


@_compiled
def _rates(slopes: Floats, y: Floats, out: Floats) -> None:
    """out (4, 3): two tangents and the rates of the director along them, slopes (2, n): a_1, a_2,
    d_1, d_2 at a point."""
    for direction in range(2):
        _sum(slopes[direction], y, X, out[direction])
        _sum(slopes[direction], y, D, out[2 + direction])


@_compiled
def _dot(a: Floats, b: Floats) -> float:
    return float(a[0] * b[0] + a[1] * b[1] + a[2] * b[2])


@_compiled
def _plane(h: Floats, out: Floats) -> None:
    """out (3, 3): natural membrane or bending strains to local ones."""
    for k in range(2):
        out[k, 0], out[k, 1], out[k, 2] = h[k, 0] ** 2, h[k, 1] ** 2, h[k, 0] * h[k, 1]
    out[2, 0], out[2, 1] = 2.0 * h[0, 0] * h[1, 0], 2.0 * h[0, 1] * h[1, 1]
    out[2, 2] = h[0, 0] * h[1, 1] + h[0, 1] * h[1, 0]


@_compiled
def _mixed(m: Floats, u: Floats, natural: Floats) -> None:
    """natural[3:6]: bending strains of rates u (4, 3) against rates m (4, 3)."""
    natural[3] = _dot(m[0], u[2]) + _dot(u[0], m[2])
    natural[4] = _dot(m[1], u[3]) + _dot(u[1], m[3])
    natural[5] = _dot(m[0], u[3]) + _dot(u[0], m[3]) + _dot(m[1], u[2]) + _dot(u[1], m[2])


@_compiled
def _ties(middle: Floats, moved: Floats, tables: Any, room: Floats, out: Floats) -> None:
    """out (p,): shear strains at the tying points; room (4, 3)."""
    _, _, values, slopes, _, _, _, _ = tables
    a, d, u, v = room[0], room[1], room[2], room[3]
    for p in range(len(values)):
        _sum(slopes[p], middle, X, a)
        _sum(values[p], middle, D, d)
        _sum(slopes[p], moved, X, u)
        _sum(values[p], moved, D, v)
        out[p] = _dot(a, v) + _dot(u, d)


@_compiled
def _against(m: Floats, u: Floats, out: Floats) -> None:
    """out (3,): product of the tangents, P and Q of rates u (4, 3) against rates m (4, 3)."""
    out[0] = _dot(m[0], u[1]) + _dot(u[0], m[1])
    out[1] = _dot(m[0], u[2]) + _dot(u[0], m[2]) + _dot(m[1], u[3]) + _dot(u[1], m[3])
    out[2] = _dot(m[0], u[3]) + _dot(u[0], m[3]) + _dot(m[1], u[2]) + _dot(u[1], m[2])


@_compiled
def _products(
    middle: Floats,
    moved: Floats,
    tables: Any,
    curved: Floats,
    squares: float,
    room: Floats,
    out: Floats,
    bent: Floats,
) -> None:
    """out (q,): how what the membrane is made of changes at its places; bent (q, 3) becomes P and Q
    there and the change of Q, from `curved` at rest; room (9, 3)."""
    slopes, weight, twist = tables[5], tables[6], tables[7]
    m, u, change = room[:4], room[4:8], room[8]
    for q in range(len(slopes)):
        _rates(slopes[q], middle, m)
        _rates(slopes[q], moved, u)
        _against(m, u, change)
        bent[q, 0], bent[q, 1] = curved[q, 0] + change[1], curved[q, 1] + change[2]
        bent[q, 2] = change[2]
        both = curved[q, 0] * change[2] + change[1] * curved[q, 1] + squares * change[1] * change[2]
        out[q] = change[0] + weight[q] * both
    for q in range(len(slopes)):
        out[q] += squares * twist[q] * bent[-1, 2] ** 2


@_compiled
def _membrane(plane: Floats, products: Floats, natural: Floats) -> None:
    """natural[:3]: membrane strains of the products (q,), plane (3, q) of each."""
    for j in range(3):
        natural[j] = 0.0
        for q in range(len(products)):
            natural[j] += plane[j, q] * products[q]


@_compiled
def _drilled(h: Floats, rates: Floats, values: Floats, y: Floats, room: Floats) -> float:
    """½ (x,1 · t2 - x,2 · t1) at one point, places by their rates (4, 3), tangents of y; room
    (3,)."""
    _sum(values, y, T2, room)
    found = h[0, 0] * _dot(rates[0], room) + h[0, 1] * _dot(rates[1], room)
    _sum(values, y, T1, room)
    found -= h[1, 0] * _dot(rates[0], room) + h[1, 1] * _dot(rates[1], room)
    return float(0.5 * found)


@_compiled
def _to_local(natural: Floats, drill: float, h: Floats, plane: Floats, out: Floats) -> None:
    """out (9,): local strains of natural ones (8,) and a drilling strain; plane (3, 3) is room."""
    _plane(h, plane)
    for j in range(3):
        out[j] = _dot(plane[j], natural[:3])
        out[3 + j] = _dot(plane[j], natural[3:6])
    for j in range(2):
        out[6 + j] = h[j, 0] * natural[6] + h[j, 1] * natural[7]
    out[8] = drill


@_compiled
def strains(
    middle: Floats,
    moved: Floats,
    tables: Any,
    plane: Floats,
    h: Floats,
    curved: Floats,
    squares: float,
) -> tuple[Floats, Floats]:
    """(local strains (m, g, 9), P and Q at the membrane's places and the change of Q (m, q, 3),
    which are `curved` at rest) of nodal vectors that have moved (m, n, 4, 3), by the vectors
    halfway, which is exact for forms of second degree: those at rest, with `squares` nought
    instead of one, give the linear strains."""
    values, slopes, _, _, share, _, _, _ = tables
    m, g = h.shape[:2]
    found, bent = np.empty((m, g, STRAINS)), np.empty(curved.shape)
    a, u, change = np.empty((4, 3)), np.empty((4, 3)), np.empty((3, 3))
    natural, tied, room = np.empty(8), np.empty(share.shape[2]), np.empty((9, 3))
    products = np.empty(plane.shape[3])
    for e in range(m):
        _ties(middle[e], moved[e], tables, room, tied)
        _products(middle[e], moved[e], tables, curved[e], squares, room, products, bent[e])
        for k in range(g):
            _rates(slopes[k], middle[e], a)
            _rates(slopes[k], moved[e], u)
            _mixed(a, u, natural)
            _membrane(plane[e, k], products, natural)
            for j in range(2):
                natural[6 + j] = 0.0
                for p in range(len(tied)):
                    natural[6 + j] += share[k, j, p] * tied[p]
            drill = _drilled(h[e, k], u, values[k], middle[e], room[0])
            drill += _drilled(h[e, k], a, values[k], moved[e], room[0])
            _to_local(natural, drill, h[e, k], change, found[e, k])
    return found, bent


@_compiled
def _couple(natural: Floats, h: Floats, values: Floats, slopes: Floats, xv: Floats) -> None:
    """Add the natural resultants (9,) of a point, bending and drilling, to the couplings of places
    with the turned vectors (3, n, n)."""
    for i in range(len(values)):
        si, ti = slopes[0, i], slopes[1, i]
        along = 0.5 * natural[8] * (h[0, 0] * si + h[0, 1] * ti)
        across = 0.5 * natural[8] * (h[1, 0] * si + h[1, 1] * ti)
        for j in range(len(values)):
            sj, tj = slopes[0, j], slopes[1, j]
            mixed = si * tj + ti * sj
            xv[0, i, j] += natural[3] * si * sj + natural[4] * ti * tj + natural[5] * mixed
            xv[T1 - 1, i, j] -= across * values[j]
            xv[T2 - 1, i, j] += along * values[j]


@_compiled
def _couple_tied(
    shear: Floats, products: Floats, bent: Floats, tables: Any, xx: Floats, xv: Floats
) -> None:
    """The same of what works at the tying points of shear (p,) and on what the membrane is made of
    (q,), where P, Q and the change of Q are `bent` (q, 3)."""
    _, _, values, slopes, _, plane, bend, twist = tables
    twisting = 0.0
    for q in range(len(products)):
        twisting += 2.0 * products[q] * twist[q] * bent[-1, 2]
    for i in range(len(xx)):
        for j in range(len(xx)):
            for p in range(len(shear)):
                xv[0, i, j] += shear[p] * slopes[p, i] * values[p, j]
            for q in range(len(products)):
                si, ti, sj, tj = plane[q, 0, i], plane[q, 1, i], plane[q, 0, j], plane[q, 1, j]
                mixed = si * tj + ti * sj
                xx[i, j] += products[q] * mixed
                both = bent[q, 1] * (si * sj + ti * tj) + bent[q, 0] * mixed
                xv[0, i, j] += products[q] * bend[q] * both
            xv[0, i, j] += twisting * mixed  # of the last place


@_compiled
def _push(y: Floats, xx: Floats, xv: Floats, force: Floats) -> None:
    """force (n, 4, 3) on the nodal vectors y from the couplings."""
    n = len(xx)
    force[:] = 0.0
    for i in range(n):
        for j in range(n):
            for x in range(3):
                force[i, X, x] += xx[i, j] * y[j, X, x]
                for v in range(3):
                    force[i, X, x] += xv[v, i, j] * y[j, 1 + v, x]
                    force[j, 1 + v, x] += xv[v, i, j] * y[i, X, x]


@_compiled
def _moments(y: Floats, force: Floats, residual: Floats) -> None:
    """residual (n, 6): forces on places, and Σ v × f on turns."""
    for i in range(len(y)):
        for x in range(3):
            residual[i, x] = force[i, X, x]
            b, c = (x + 1) % 3, (x + 2) % 3
            total = 0.0
            for v in range(1, 4):
                total += y[i, v, b] * force[i, v, c] - y[i, v, c] * force[i, v, b]
            residual[i, 3 + x] = total


@_compiled
def _geometric(y: Floats, xx: Floats, xv: Floats, force: Floats, tangent: Floats) -> None:
    """Add what the forces make of the tangent (6n, 6n): u·(ω×s) between a place and a turn, and
    (f vᵀ + v fᵀ)/2 - (f·v) 1 where the turned vectors of one node bend their own way."""
    n = len(xx)
    for i in range(n):
        for j in range(n):
            for x in range(3):
                b, c = (x + 1) % 3, (x + 2) % 3
                tangent[6 * i + x, 6 * j + x] += xx[i, j]
                s = xv[0, i, j] * y[j, 1, x] + xv[1, i, j] * y[j, 2, x] + xv[2, i, j] * y[j, 3, x]
                tangent[6 * i + b, 6 * j + 3 + c] += s
                tangent[6 * i + c, 6 * j + 3 + b] -= s
                tangent[6 * j + 3 + c, 6 * i + b] += s
                tangent[6 * j + 3 + b, 6 * i + c] -= s
    for i in range(n):
        for v in range(1, 4):
            work = _dot(force[i, v], y[i, v])
            for a in range(3):
                tangent[6 * i + 3 + a, 6 * i + 3 + a] -= work
                for b in range(3):
                    tangent[6 * i + 3 + a, 6 * i + 3 + b] += 0.5 * (
                        force[i, v, a] * y[i, v, b] + y[i, v, a] * force[i, v, b]
                    )


@_compiled
def _add_row(
    b: Floats, row: int, at: int, place: Floats, s: float, d: Floats, director: Floats, v: float
) -> None:
    """Add to six entries of a row from `at` on: `place` times s for a displacement, d × `director`
    times v for the turn of a vector d."""
    b[row, at] += s * place[0]
    b[row, at + 1] += s * place[1]
    b[row, at + 2] += s * place[2]
    b[row, at + 3] += v * (d[1] * director[2] - d[2] * director[1])
    b[row, at + 4] += v * (d[2] * director[0] - d[0] * director[2])
    b[row, at + 5] += v * (d[0] * director[1] - d[1] * director[0])


@_compiled
def _add_rows(weights: Floats, rows: Floats, out: Floats) -> None:
    """out (6n,) += Σ weights_p rows_p."""
    for p in range(len(weights)):
        weight = weights[p]
        if weight:
            for column in range(len(out)):
                out[column] += weight * rows[p, column]


@_compiled
def _matrix(
    y: Floats,
    h: Floats,
    values: Floats,
    slopes: Floats,
    share: Floats,
    plane: Floats,
    tied: Floats,
    room: Floats,
    b: Floats,
) -> None:
    """b (9, 6n): derivatives of the natural strains, drilling local, at one point; tied: see
    `_tied_rows`, share (2, p) and plane (3, q) of them; room (8, 3)."""
    rates, t1, t2, along, across = room[:4], room[4], room[5], room[6], room[7]
    _rates(slopes, y, rates)
    _sum(values, y, T1, t1)
    _sum(values, y, T2, t2)
    a1, a2, d1, d2 = rates[0], rates[1], rates[2], rates[3]
    for x in range(3):
        along[x] = h[0, 0] * a1[x] + h[0, 1] * a2[x]
        across[x] = h[1, 0] * a1[x] + h[1, 1] * a2[x]
    b[:] = 0.0
    for i in range(len(values)):
        s, t, at, d = slopes[0, i], slopes[1, i], 6 * i, y[i, D]
        _add_row(b, 3, at, d1, s, d, a1, s)
        _add_row(b, 4, at, d2, t, d, a2, t)
        _add_row(b, 5, at, d2, s, d, a1, t)
        _add_row(b, 5, at, d1, t, d, a2, s)
        half, one = 0.5 * values[i], 0.5 * (h[0, 0] * s + h[0, 1] * t)
        _add_row(b, 8, at, t2, one, y[i, T2], along, half)
        two = 0.5 * (h[1, 0] * s + h[1, 1] * t)
        _add_row(b, 8, at, t1, -two, y[i, T1], across, -half)
    ties = share.shape[1]
    for j in range(2):
        _add_rows(share[j], tied[:ties], b[6 + j])
    for j in range(3):
        _add_rows(plane[j], tied[ties : ties + plane.shape[1]], b[j])


@_compiled
def _tied_rows(y: Floats, tables: Any, bent: Floats, room: Floats, tied: Floats) -> None:
    """tied (p + 3 q, 6n): derivatives of the shear strains at the tying points, of what the
    membrane is made of at its places, and there of P and Q, which are `bent` (q, 3); room (4,
    3)."""
    _, _, values, slopes, _, plane, bend, twist = tables
    a, d, ones = room[0], room[1], len(values) + len(plane)
    tied[:] = 0.0
    for p in range(len(values)):
        _sum(slopes[p], y, X, a)
        _sum(values[p], y, D, d)
        for i in range(values.shape[1]):
            _add_row(tied, p, 6 * i, d, slopes[p, i], y[i, D], a, values[p, i])
    for q in range(len(plane)):
        _rates(plane[q], y, room)
        one, two, three = len(values) + q, ones + 2 * q, ones + 2 * q + 1
        for i in range(values.shape[1]):
            s, t, at, d = plane[q, 0, i], plane[q, 1, i], 6 * i, y[i, D]
            _add_row(tied, two, at, room[2], s, d, room[0], s)
            _add_row(tied, two, at, room[3], t, d, room[1], t)
            _add_row(tied, three, at, room[3], s, d, room[0], t)
            _add_row(tied, three, at, room[2], t, d, room[1], s)
            for x in range(3):
                tied[one, at + x] = s * room[1, x] + t * room[0, x]
        for column in range(tied.shape[1]):
            both = bent[q, 1] * tied[two, column] + bent[q, 0] * tied[three, column]
            tied[one, column] += bend[q] * both
    for q in range(len(plane)):
        for column in range(tied.shape[1]):
            tied[len(values) + q, column] += 2.0 * twist[q] * bent[-1, 2] * tied[-1, column]


@_compiled
def _local_row(j: int, b: Floats, plane: Floats, h: Floats, out: Floats) -> None:
    """out (6n,): row j of the derivatives b (9, 6n) of natural strains, of local ones."""
    first = 3 * (j // 3)
    if j < 6:
        one, two, three = plane[j - first, 0], plane[j - first, 1], plane[j - first, 2]
    elif j < 8:
        one, two, three = h[j - 6, 0], h[j - 6, 1], 0.0
    else:
        one, two, three = 0.0, 0.0, 1.0
    for x in range(b.shape[1]):
        out[x] = one * b[first, x] + two * b[first + 1, x] + three * b[first + 2, x]


@_compiled
def linear_strains(
    rest: Floats, motions: Floats, tables: Any, plane: Floats, h: Floats, curved: Floats
) -> Floats:
    """Local strains (m, g, 9, c) of small motions (m, 6n, c), displacements and turns, at nodal
    vectors at rest."""
    values, slopes, tie_values, _, share, _, _, _ = tables
    m, g = h.shape[:2]
    size, count = motions.shape[1:]
    found = np.empty((m, g, STRAINS, count))
    tied = np.empty((len(tie_values) + 3 * plane.shape[3], size))
    b, local = np.empty((STRAINS, size)), np.empty(size)
    room, change = np.empty((8, 3)), np.empty((3, 3))
    for e in range(m):
        _tied_rows(rest[e], tables, curved[e], room, tied)
        for k in range(g):
            _matrix(rest[e], h[e, k], values[k], slopes[k], share[k], plane[e, k], tied, room, b)
            _plane(h[e, k], change)
            for j in range(STRAINS):
                _local_row(j, b, change, h[e, k], local)
                found[e, k, j] = 0.0
                for x in range(size):
                    for column in range(count):
                        found[e, k, j, column] += local[x] * motions[e, x, column]
    return found


@_compiled
def _second_products(
    rest: Floats,
    rate: Floats,
    bent: Floats,
    tables: Any,
    curved: Floats,
    room: Floats,
    out: Floats,
) -> None:
    """out (q,): second derivatives of what the membrane is made of at its places; room (16, 3)."""
    slopes, weight, twist = tables[5], tables[6], tables[7]
    m, u, v = room[:4], room[4:8], room[8:12]
    first, second, square = room[12], room[13], room[14]
    for q in range(len(slopes)):
        _rates(slopes[q], rest, m)
        _rates(slopes[q], rate, u)
        _rates(slopes[q], bent, v)
        _against(m, u, first)
        _against(m, v, second)
        _against(u, u, square)
        p, r = second[1] + square[1], second[2] + square[2]
        both = curved[q, 0] * r + p * curved[q, 1] + 2.0 * first[1] * first[2]
        out[q] = second[0] + square[0] + weight[q] * both
    for q in range(len(slopes)):  # first is that of the last place
        out[q] += 2.0 * twist[q] * first[2] ** 2


@_compiled
def second_strains(
    rest: Floats, rate: Floats, bent: Floats, tables: Any, plane: Floats, h: Floats, curved: Floats
) -> Floats:
    """Second derivative (m, g, 9) of the local strains along nodal vectors rest + s rate + ½ s²
    bent (m, n, 4, 3): linear in `bent`, of second degree in `rate`."""
    values, slopes, _, _, share, _, _, _ = tables
    m, g = h.shape[:2]
    found = np.empty((m, g, STRAINS))
    a, u, v, change = np.empty((4, 3)), np.empty((4, 3)), np.empty((4, 3)), np.empty((3, 3))
    natural, more, room = np.empty(8), np.empty(8), np.empty((16, 3))
    tied, more_tied = np.empty(share.shape[2]), np.empty(share.shape[2])
    products = np.empty(plane.shape[3])
    for e in range(m):
        _ties(rest[e], bent[e], tables, room, tied)
        _ties(rate[e], rate[e], tables, room, more_tied)
        _second_products(rest[e], rate[e], bent[e], tables, curved[e], room, products)
        for k in range(g):
            _rates(slopes[k], rest[e], a)
            _rates(slopes[k], rate[e], u)
            _rates(slopes[k], bent[e], v)
            _mixed(a, v, natural)
            _mixed(u, u, more)
            for j in range(3, 6):
                natural[j] += more[j]
            _membrane(plane[e, k], products, natural)
            for j in range(2):
                natural[6 + j] = 0.0
                for p in range(len(tied)):
                    natural[6 + j] += share[k, j, p] * (tied[p] + more_tied[p])
            drill = _drilled(h[e, k], v, values[k], rest[e], room[0])
            drill += _drilled(h[e, k], a, values[k], bent[e], room[0])
            drill += 2.0 * _drilled(h[e, k], u, values[k], rate[e], room[0])
            _to_local(natural, drill, h[e, k], change, found[e, k])
    return found


@_compiled
def turned(rest: Floats, motion: Floats) -> tuple[Floats, Floats]:
    """(first, second) rates (m, n, 4, 3) of the nodal vectors under displacements and turns (m, n,
    6): θ × d and θ × (θ × d) of those that turn; places about the element's own middle."""
    m, n = rest.shape[:2]
    first, second = np.zeros(rest.shape), np.zeros(rest.shape)
    for e in range(m):
        for x in range(3):
            mean = 0.0
            for i in range(n):
                mean += motion[e, i, x] / n
            for i in range(n):
                first[e, i, X, x] = motion[e, i, x] - mean
        for i in range(n):
            for v in range(1, 4):
                for x in range(3):
                    b, c = (x + 1) % 3, (x + 2) % 3
                    tb, tc = motion[e, i, 3 + b], motion[e, i, 3 + c]
                    first[e, i, v, x] = tb * rest[e, i, v, c] - tc * rest[e, i, v, b]
                for x in range(3):
                    b, c = (x + 1) % 3, (x + 2) % 3
                    tb, tc = motion[e, i, 3 + b], motion[e, i, 3 + c]
                    second[e, i, v, x] = tb * first[e, i, v, c] - tc * first[e, i, v, b]
    return first, second


@_compiled
def _natural_section(c: Floats, h: Floats, plane: Floats, out: Floats) -> None:
    """out (9, 9): section stiffness c for natural strains; plane and shear do not mix."""
    out[:] = 0.0
    for one in (0, 3):
        for two in (0, 3):
            for i in range(3):
                for l in range(3):
                    half = 0.0
                    for k in range(3):
                        half += c[one + i, two + k] * plane[k, l]
                    for j in range(3):
                        out[one + j, two + l] += plane[i, j] * half
    for i in range(2):
        for j in range(2):
            out[6 + i, 6 + j] = h[0, i] * c[6, 6] * h[0, j] + h[1, i] * c[7, 7] * h[1, j]
    out[8, 8] = c[8, 8]


@_compiled
def _add_material(b: Floats, c: Floats, work: Floats, tangent: Floats) -> None:
    """tangent += bᵀ c b; c couples the first six strains, the next two, and the last. Sums are
    written out, so that a row stays in registers."""
    size = b.shape[1]
    for k in range(6):
        c0, c1, c2, c3, c4, c5 = c[k, 0], c[k, 1], c[k, 2], c[k, 3], c[k, 4], c[k, 5]
        for x in range(size):
            work[k, x] = (
                c0 * b[0, x] + c1 * b[1, x] + c2 * b[2, x] + c3 * b[3, x] + c4 * b[4, x]
            ) + c5 * b[5, x]
    for x in range(size):
        work[6, x] = c[6, 6] * b[6, x] + c[6, 7] * b[7, x]
        work[7, x] = c[7, 6] * b[6, x] + c[7, 7] * b[7, x]
        work[8, x] = c[8, 8] * b[8, x]
    for row in range(size):
        w0, w1, w2, w3, w4 = work[0, row], work[1, row], work[2, row], work[3, row], work[4, row]
        w5, w6, w7, w8 = work[5, row], work[6, row], work[7, row], work[8, row]
        for x in range(size):
            tangent[row, x] += (
                (w0 * b[0, x] + w1 * b[1, x] + w2 * b[2, x])
                + (w3 * b[3, x] + w4 * b[4, x] + w5 * b[5, x])
                + (w6 * b[6, x] + w7 * b[7, x] + w8 * b[8, x])
            )


@_compiled
def _stiffen(
    b: Floats,
    section: Floats,
    h: Floats,
    plane: Floats,
    area: float,
    c: Floats,
    work: Floats,
    tangent: Floats,
) -> None:
    """Add the material of one point with the matrix b on an area."""
    _natural_section(section, h, plane, c)
    c *= area
    _add_material(b, c, work, tangent)


@_compiled
def _add_bulging(products: Floats, tables: Any, tied: Floats, tangent: Floats) -> None:
    """Add what the membrane's forces (q,) do where sides bulge, w (dP dQᵀ + dQ dPᵀ), and where the
    element twists, 2 dQ dQᵀ in its middle, tied the rows of P and Q, see `_tied_rows`."""
    bend, twist, twisting = tables[6], tables[7], 0.0
    for q in range(len(products)):
        twisting += products[q] * twist[q]
    for q in range(len(products)):
        force = products[q] * bend[q]
        for row in range(len(tangent)):
            one, two = force * tied[2 * q, row], force * tied[2 * q + 1, row]
            for column in range(len(tangent)):
                tangent[row, column] += one * tied[2 * q + 1, column] + two * tied[2 * q, column]
    if twisting:
        for row in range(len(tangent)):
            one = 2.0 * twisting * tied[-1, row]
            for column in range(len(tangent)):
                tangent[row, column] += one * tied[-1, column]


@_compiled
def _resultants(r: Floats, area: float, h: Floats, plane: Floats, natural: Floats) -> None:
    """natural (9,): what does the work of r (9,) times an area on local strains on natural ones."""
    for k in range(3):
        natural[k] = area * (plane[0, k] * r[0] + plane[1, k] * r[1] + plane[2, k] * r[2])
        natural[3 + k] = area * (plane[0, k] * r[3] + plane[1, k] * r[4] + plane[2, k] * r[5])
    for k in range(2):
        natural[6 + k] = area * (h[0, k] * r[6] + h[1, k] * r[7])
    natural[8] = area * r[8]


@_compiled
def forces_and_tangents(
    y: Floats,
    resultant: Floats,
    bent: Floats,
    section: Floats,
    h: Floats,
    area: Floats,
    tables: Any,
    plane: Floats,
    wanted: bool,
    material: bool,
) -> tuple[Floats, Floats]:
    """(forces (m, 6n), tangents (m, 6n, 6n), none of them unless `wanted`) at nodal vectors y (m,
    n, 4, 3) under resultants (m, g, 9), with P and Q of its sides (m, q, 3) and section tangents
    (m, 1 or g, 9, 9); without `material` what is left of the tangent is the part of the forces."""
    values, slopes, _, _, share, _, _, _ = tables
    m, g = h.shape[:2]
    n, ties, products = values.shape[1], share.shape[2], plane.shape[3]
    forces, tangents = np.empty((m, n, 6)), np.empty((m if wanted else 0, 6 * n, 6 * n))
    xx, xv, force, room = (
        np.empty((n, n)),
        np.empty((3, n, n)),
        np.empty((n, 4, 3)),
        np.empty((8, 3)),
    )
    change, natural = np.empty((3, 3)), np.empty(STRAINS)
    tied_force, plane_force = np.empty(ties), np.empty(products)
    tied, b, c = (
        np.empty((ties + 3 * products, 6 * n)),
        np.empty((STRAINS, 6 * n)),
        np.empty((STRAINS, STRAINS)),
    )
    work = np.empty((STRAINS, 6 * n))
    for e in range(m):
        xx[:], xv[:], tied_force[:], plane_force[:] = 0.0, 0.0, 0.0, 0.0
        if wanted:
            tangents[e] = 0.0
            _tied_rows(y[e], tables, bent[e], room, tied)
        for k in range(g):
            _plane(h[e, k], change)
            _resultants(resultant[e, k], area[e, k], h[e, k], change, natural)
            for j in range(2):
                for p in range(ties):
                    tied_force[p] += natural[6 + j] * share[k, j, p]
            for j in range(3):
                for q in range(products):
                    plane_force[q] += natural[j] * plane[e, k, j, q]
            _couple(natural, h[e, k], values[k], slopes[k], xv)
            if wanted and material:
                _matrix(y[e], h[e, k], values[k], slopes[k], share[k], plane[e, k], tied, room, b)
                part = section[e, min(k, section.shape[1] - 1)]
                _stiffen(b, part, h[e, k], change, area[e, k], c, work, tangents[e])
        _couple_tied(tied_force, plane_force, bent[e], tables, xx, xv)
        _push(y[e], xx, xv, force)
        _moments(y[e], force, forces[e])
        if wanted:
            _geometric(y[e], xx, xv, force, tangents[e])
            _add_bulging(plane_force, tables, tied[ties + products :], tangents[e])
    return forces.reshape(m, 6 * n), tangents
