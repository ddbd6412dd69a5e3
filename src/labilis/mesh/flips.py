"""Flat tetrahedra taken out by turning: edges removed with all that stand round them, faces
exchanged for edges, and flat ones on the skin peeled off (Freitag and Ollivier-Gooch 1997; the best
way to fill a ring by Klincsek's recursion, 1980)."""

from __future__ import annotations

import numba
import numpy as np
from numpy.typing import NDArray

from labilis.mesh.mesh import Floats, Ints, packed

BAD = 0.2  # shape under which a tetrahedron is worth a try
_GAIN = 1.2  # by how much the worst has to become better
_PASSES = 8
_PEEL = 0.03  # shape under which an element that lies on the skin is peeled off
_RING = 7  # tetrahedra round an edge at most
_FACES = np.array(
    [[1, 2, 3], [0, 3, 2], [0, 1, 3], [0, 2, 1]]
)  # opposite to each corner, turned outward
_EDGES = np.array(
    [[0, 1, 2, 3], [0, 2, 3, 1], [0, 3, 1, 2], [1, 2, 0, 3], [1, 3, 2, 0], [2, 3, 0, 1]]
)


def improve(nodes: Floats, tets: Ints, skin: Ints, face: Ints) -> tuple[Ints, Ints, Ints]:
    """(elements, triangles of the skin turned outward where they are outer ones, the face of each)
    with fewer flat elements; of a skin (k, 3) with the face (k,) each triangle lies on only what
    lies within one face is changed."""
    for _ in range(_PASSES):
        before = len(tets)
        tets, skin, face = _peel(nodes, tets, skin, face)
        shape = shapes(nodes, tets)
        bad = np.flatnonzero(shape < BAD)
        if len(bad) == 0:
            break
        beside, stride = _neighbours(tets), len(nodes)
        walls = np.isin(
            packed(tets[:, _FACES].reshape(-1, 3), stride), packed(skin, stride)
        ).reshape(-1, 4)
        beside = np.where(walls, -1, beside)  # walls between solids stay as well
        new, gone, count, turned = _turn(nodes, tets, beside, shape, bad[np.argsort(shape[bad])])
        tets = np.concatenate([tets[~gone], new[:count]])
        if turned == 0 and len(tets) == before:
            break
    return tets, skin, face


def compiled() -> None:
    """What is compiled here, called once on a flat tetrahedron that stands on a good one."""
    nodes = np.concatenate([np.eye(3), [[1.0, 1.0, 1.0], [0.3, 0.3, 0.38]]])
    tets = np.array([[0, 1, 2, 3], [0, 2, 1, 4]])
    skin = np.array([[0, 1, 3], [1, 2, 3], [2, 0, 3], [0, 4, 1], [1, 4, 2], [2, 4, 0]])
    improve(nodes, tets, skin, np.arange(len(skin)))


def shapes(nodes: Floats, tets: Ints) -> Floats:
    """Shape (m,): 72 √3 V over the cubed root mean square edge; 1 for an equal-sided one, below
    nought where it is inside out."""
    return np.asarray(_shapes(nodes, np.ascontiguousarray(tets[:, :4])))


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _shape(p: Floats, a: int, b: int, c: int, d: int) -> float:
    ux, uy, uz = p[b, 0] - p[a, 0], p[b, 1] - p[a, 1], p[b, 2] - p[a, 2]
    vx, vy, vz = p[c, 0] - p[a, 0], p[c, 1] - p[a, 1], p[c, 2] - p[a, 2]
    wx, wy, wz = p[d, 0] - p[a, 0], p[d, 1] - p[a, 1], p[d, 2] - p[a, 2]
    volume = (wx * (uy * vz - uz * vy) + wy * (uz * vx - ux * vz) + wz * (ux * vy - uy * vx)) / 6.0
    total = ux * ux + uy * uy + uz * uz + vx * vx + vy * vy + vz * vz + wx * wx + wy * wy + wz * wz
    total += (
        (ux - vx) ** 2
        + (uy - vy) ** 2
        + (uz - vz) ** 2
        + (ux - wx) ** 2
        + (uy - wy) ** 2
        + (uz - wz) ** 2
    )
    total += (vx - wx) ** 2 + (vy - wy) ** 2 + (vz - wz) ** 2
    return float(72.0 * np.sqrt(3.0) * volume / max(total, 1e-300) ** 1.5)


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _shapes(p: Floats, tets: Ints) -> Floats:
    found = np.empty(len(tets))
    for m in range(len(tets)):
        found[m] = _shape(p, tets[m, 0], tets[m, 1], tets[m, 2], tets[m, 3])
    return found


def _neighbours(tets: Ints) -> Ints:
    """(m, 4): element across the side opposite to each corner, -1 for none."""
    sides = packed(tets[:, _FACES].reshape(-1, 3), int(tets.max()) + 1)
    order = np.argsort(sides, kind="stable")
    same = np.flatnonzero(sides[order[:-1]] == sides[order[1:]])
    found = np.full(4 * len(tets), -1, dtype=np.int64)
    one, two = order[same], order[same + 1]
    found[one], found[two] = two // 4, one // 4
    return found.reshape(-1, 4)


def _peel(nodes: Floats, tets: Ints, skin: Ints, face: Ints) -> tuple[Ints, Ints, Ints]:
    """(elements, triangles of the skin, their faces) without flat elements that lie on one outer
    face of the skin with two or three of
    their sides: what they cover becomes the skin."""
    shape = shapes(nodes, tets)
    stride = len(nodes)
    waiting = np.argsort(shape)[: int((shape < _PEEL).sum())]
    rows = dict(zip(packed(skin, stride).tolist(), range(len(skin))))
    sides = dict(
        zip(
            waiting.tolist(),
            packed(tets[waiting][:, _FACES].reshape(-1, 3), stride).reshape(-1, 4).tolist(),
        )
    )
    beside = _neighbours(tets)
    triangles, owner = dict(enumerate(skin.tolist())), dict(enumerate(face.tolist()))
    keep = np.ones(len(tets), dtype=bool)
    following = len(skin)
    for _ in range(4):
        on_skin = [
            t for t in waiting.tolist() if keep[t] and sum(key in rows for key in sides[t]) >= 2
        ]
        for t in on_skin:
            mine = sides[t]
            outer = [
                k
                for k in range(4)
                if mine[k] in rows and (beside[t, k] < 0 or not keep[beside[t, k]])
            ]
            faces = {owner[rows[mine[k]]] for k in outer}
            inner = [k for k in range(4) if k not in outer]
            if (
                not 2 <= len(outer) <= 3
                or len(faces) != 1
                or any(mine[k] in rows for k in inner)
                or shape[t] > (_PEEL if len(outer) == 2 else 1e-3)
            ):
                continue
            for k in outer:
                number = rows.pop(mine[k])
                del triangles[number], owner[number]
            for k in inner:  # seen from outside what lies under it: turned over
                triangles[following], owner[following] = (
                    tets[t][_FACES[k]][::-1].tolist(),
                    next(iter(faces)),
                )
                rows[mine[k]] = following
                following += 1
            keep[t] = False
        if keep[on_skin].all():
            break
    return (
        tets[keep],
        np.array(list(triangles.values()), dtype=np.int64),
        np.array(list(owner.values()), dtype=np.int64),
    )


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _fill(p: Floats, ring: Ints, n: int, a: int, b: int, best: Floats, where: Ints) -> None:
    """best[i, j], where[i, j] of the ring of n nodes round the edge a b."""
    # best filling of the ring by triangles, each carrying one element to either end of the
    # edge
    for length in range(n):
        for i in range(n - length):
            j = i + length
            if length < 2:
                best[i, j] = 1e9
                continue
            best[i, j] = -1e9
            for k in range(i + 1, j):
                value = min(
                    _shape(p, ring[i], ring[k], ring[j], b),
                    _shape(p, ring[k], ring[i], ring[j], a),
                )
                value = min(value, min(best[i, k], best[k, j]))
                if value > best[i, j]:
                    best[i, j], where[i, j] = value, k


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _build(
    ring: Ints, n: int, a: int, b: int, where: Ints, stack: Ints, new: Ints, count: int
) -> int:
    """The elements of the best filling, written from new[count] on; how many there are then."""
    top = 0
    stack[0, 0], stack[0, 1] = 0, n - 1
    while top >= 0:
        i, j = stack[top, 0], stack[top, 1]
        top -= 1
        if j - i < 2:
            continue
        k = where[i, j]
        new[count, 0], new[count, 1], new[count, 2], new[count, 3] = (
            ring[i],
            ring[k],
            ring[j],
            b,
        )
        new[count + 1, 0], new[count + 1, 1], new[count + 1, 2], new[count + 1, 3] = (
            ring[k],
            ring[i],
            ring[j],
            a,
        )
        count += 2
        stack[top + 1, 0], stack[top + 1, 1] = i, k
        stack[top + 2, 0], stack[top + 2, 1] = k, j
        top += 2
    return count


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _face_for_edge(
    p: Floats,
    tets: Ints,
    beside: Ints,
    shape: Floats,
    gone: NDArray[np.bool_],
    t: int,
    new: Ints,
    count: int,
) -> int:
    """Three elements round a new edge for two that share a face, where that is better; how many
    were made."""
    for c in range(4):  # a face for an edge
        u = beside[t, c]
        if u < 0 or gone[u]:
            continue
        apex = tets[t, c]
        x, y, z = tets[t, _FACES[c, 0]], tets[t, _FACES[c, 1]], tets[t, _FACES[c, 2]]
        other = -1
        for i in range(4):
            v = tets[u, i]
            if v != x and v != y and v != z:
                other = v
        worst = min(shape[t], shape[u])
        value = min(
            _shape(p, other, x, y, apex),
            min(_shape(p, other, y, z, apex), _shape(p, other, z, x, apex)),
        )
        # the side is seen from outside as x y z: turned towards the apex it runs x z y
        back = min(
            _shape(p, other, y, x, apex),
            min(_shape(p, other, z, y, apex), _shape(p, other, x, z, apex)),
        )
        if max(value, back) < _GAIN * worst + 1e-4 or max(value, back) <= 0.0:
            continue
        if value >= back:
            trio = ((x, y), (y, z), (z, x))
        else:
            trio = ((y, x), (z, y), (x, z))
        for i, j in trio:
            new[count, 0], new[count, 1], new[count, 2], new[count, 3] = other, i, j, apex
            count += 1
        gone[t] = gone[u] = True
        return 3
    return 0


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _turn(
    p: Floats, tets: Ints, beside: Ints, shape: Floats, bad: Ints
) -> tuple[Ints, NDArray[np.bool_], int, int]:
    """(new elements, which are gone, how many new, how many turns)."""
    new = np.empty((8 * len(bad) + 64, 4), dtype=np.int64)
    gone = np.zeros(len(tets), dtype=np.bool_)
    count, turns = 0, 0
    ring = np.empty(_RING + 1, dtype=np.int64)
    members = np.empty(_RING + 1, dtype=np.int64)
    best = np.empty((_RING + 1, _RING + 1))
    where = np.empty((_RING + 1, _RING + 1), dtype=np.int64)
    stack = np.empty((2 * _RING + 4, 2), dtype=np.int64)
    for t in bad:
        if gone[t] or count + 4 * _RING > len(new):
            continue
        done = False
        for e in range(6):
            a, b = tets[t, _EDGES[e, 0]], tets[t, _EDGES[e, 1]]
            n = _round(
                tets,
                beside,
                gone,
                t,
                a,
                b,
                tets[t, _EDGES[e, 2]],
                tets[t, _EDGES[e, 3]],
                ring,
                members,
            )
            if n < 3:
                continue
            worst = 1e9
            for i in range(n):
                worst = min(worst, shape[members[i]])
            _fill(p, ring, n, a, b, best, where)
            if best[0, n - 1] < _GAIN * worst + 1e-4 or best[0, n - 1] <= 0.0:
                continue
            count = _build(ring, n, a, b, where, stack, new, count)
            for i in range(n):
                gone[members[i]] = True
            turns += 1
            done = True
            break
        if done:
            continue
        made = _face_for_edge(p, tets, beside, shape, gone, t, new, count)
        if made:
            count += made
            turns += 1
    return new, gone, count, turns


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _round(
    tets: Ints,
    beside: Ints,
    gone: NDArray[np.bool_],
    t: int,
    a: int,
    b: int,
    c: int,
    d: int,
    ring: Ints,
    members: Ints,
) -> int:
    """Nodes and elements round the edge a b, from element t with its other nodes c and d: how many;
    0 at the skin, where it is already changed, or when they are too many. They run so that (ring i,
    ring i+1, ..., b) is the right way out."""
    n = 0
    now, enter, ahead = t, c, d
    while True:
        if gone[now] or n >= _RING:
            return 0
        members[n], ring[n] = now, enter
        n += 1
        corner = -1
        for i in range(4):
            if tets[now, i] == enter:
                corner = i
        following = beside[now, corner]  # across the side with a, b and the node ahead
        if following < 0:
            return 0
        if following == t:
            break
        fresh = -1
        for i in range(4):
            v = tets[following, i]
            if v != a and v != b and v != ahead:
                fresh = v
        now, enter, ahead = following, ahead, fresh
    return n
