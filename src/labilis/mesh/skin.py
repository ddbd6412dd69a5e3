"""The skin of solids as triangles of a wanted size, made from the CAD's own triangulation.

Sides that are too long are split, short ones collapsed, pairs of triangles turned where that opens
their least angle, and nodes moved to the middle of their neighbours on the true surface, over and
over (Botsch and Kobbelt 2004). Edges of the CAD stay edges, its corners stay where they are.
Nothing here needs a parametrisation, so that any face and any number of faces round an edge will
do."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numba
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from labilis.mesh.mesh import Floats, Ints
from labilis.mesh.slivers import without_slivers
from labilis.shape import BodyShape, Tessellation

SizeField = Callable[[Floats], Floats]  # places (k, 3) mm -> wanted side (k,) mm
# rad of a round face to one element: its sides are curved, so that this follows a circle within
# 0.01 % of its radius
CHORD = 0.5

SLENDER = 6.0  # most that an element on a round face is longer along the axis than round it
_LONG, _SHORT = 1.4, 0.62  # of the wanted side: beyond these a side is split or collapsed
_NEEDLE = 0.2  # of the wanted side: shorter ones go even where others become too long for a while
_LEAST_ROUNDS, _MOST_ROUNDS = 4, 16
_INNER, _EDGE, _CORNER = 0, 1, 2
# twice the area over the square of the longest side: flatter triangles may only become less flat
_FLAT = 0.05
_PASSES = 4  # over all sides at a time
_BEND = 0.6  # least cosine between a triangle and the surface after a node of it moves
_TURNED = 0.8  # the same after its side is turned


@dataclass(frozen=True)
class Skin:
    """points (n, 3) mm with the side (n,) wanted at each; triangles (m, 3) with the face (m,) each
    lies on; segments (s, 2) along CAD edges with the edge (s,) of each."""

    points: Floats
    wanted: Floats
    triangles: Ints
    face: Ints
    segments: Ints
    edge: Ints


@dataclass(frozen=True)
class _Round:
    """Round faces of a body: axis, origin (f, 3) and radius (f,) of cylinders and cones, whose
    elements are shorter round the axis than along it; radius nan for all others."""

    axis: Floats
    origin: Floats
    radius: Floats

    @classmethod
    def of(cls, body: BodyShape) -> _Round:
        turned = np.isin(body.faces.kind, ["cylinder", "cone"])
        return cls(
            body.faces.direction, body.faces.origin, np.where(turned, body.faces.radius, np.nan)
        )

    def stretch(self, face: Ints, places: Floats, wanted: Floats) -> tuple[Floats, Floats]:
        """(direction (k, 3) round the axis at places on faces, how much longer (k,) sides count
        that way)."""
        return _stretch_of(
            np.ascontiguousarray(face), places, wanted, self.axis, self.origin, self.radius
        )


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _stretch_of(
    face: Ints, places: Floats, wanted: Floats, axis: Floats, origin: Floats, radius: Floats
) -> tuple[Floats, Floats]:
    way, factor = np.zeros((len(face), 3)), np.ones(len(face))
    for k in range(len(face)):
        f = face[k]
        if np.isnan(radius[f]):
            continue
        ax, ay, az = axis[f, 0], axis[f, 1], axis[f, 2]
        x, y, z = (
            places[k, 0] - origin[f, 0],
            places[k, 1] - origin[f, 1],
            places[k, 2] - origin[f, 2],
        )
        along = x * ax + y * ay + z * az
        x, y, z = x - along * ax, y - along * ay, z - along * az
        size = max(np.sqrt(x * x + y * y + z * z), 1e-300)
        x, y, z = x / size, y / size, z / size
        way[k, 0], way[k, 1], way[k, 2] = ay * z - az * y, az * x - ax * z, ax * y - ay * x
        factor[k] = min(max(wanted[k] / max(CHORD * size, 1e-300), 1.0), SLENDER)
    return way, factor


def make_skin(body: BodyShape, surface: Tessellation, size: SizeField) -> Skin:
    """Skin of a body with sides of about the wanted `size`, shorter round the axes of round
    faces, from its triangulation."""
    rounds = _Round.of(body)
    skin = _flip(_from_surface(body, surface, size), rounds)
    skin = _flip(_collapse(skin, rounds), rounds)
    for _ in range(_MOST_ROUNDS):  # first fine enough everywhere, then well shaped
        skin, cut = _split(skin, body, rounds, size)
        if not cut:
            break
        skin = _collapse(_flip(skin, rounds), rounds)
    for _ in range(_LEAST_ROUNDS):
        skin = _flip(_collapse(skin, rounds), rounds)
        skin = _smooth(skin, body)
        skin = replace(skin, wanted=size(skin.points))
        skin = _flip(_split(skin, body, rounds, size)[0], rounds)
    skin = _flip(_collapse(skin, rounds), rounds)
    return _used(_flip(_smooth(skin, body), rounds))


def _from_surface(body: BodyShape, surface: Tessellation, size: SizeField) -> Skin:
    tree = cKDTree(surface.points)
    segments, owner = [np.zeros((0, 2), dtype=np.int64)], [np.zeros(0, dtype=np.int64)]
    for edge in range(len(body.edges)):
        line = surface.edge(edge)
        if len(line) < 2:
            continue
        nodes = tree.query(line)[1]
        pairs = np.stack([nodes[:-1], nodes[1:]], axis=1)
        pairs = pairs[pairs[:, 0] != pairs[:, 1]]
        segments.append(pairs)
        owner.append(np.full(len(pairs), edge, dtype=np.int64))
    wanted = size(surface.points)
    points, *merged, _ = without_slivers(
        surface.points,
        wanted,
        surface.triangles.astype(np.int64),
        surface.face.astype(np.int64),
        np.concatenate(segments),
        np.concatenate(owner),
    )
    return _used(Skin(points, wanted, *merged))


def _side_lengths(skin: Skin, sides: Ints, inverse: Ints, rounds: _Round) -> Floats:
    """Length (u,) of sides over what is wanted there; on round faces the larger of what the
    faces beside a side say."""
    return _side_lengths_of(
        skin.points,
        skin.wanted,
        skin.face,
        sides,
        inverse,
        rounds.axis,
        rounds.origin,
        rounds.radius,
    )


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _side_lengths_of(
    points: Floats,
    wanted: Floats,
    face: Ints,
    sides: Ints,
    inverse: Ints,
    axis: Floats,
    origin: Floats,
    radius: Floats,
) -> Floats:
    found = np.empty(len(sides))
    for s in range(len(sides)):
        a, b = sides[s, 0], sides[s, 1]
        x, y, z = (
            points[b, 0] - points[a, 0],
            points[b, 1] - points[a, 1],
            points[b, 2] - points[a, 2],
        )
        found[s] = np.sqrt(x * x + y * y + z * z) / (0.5 * (wanted[a] + wanted[b]))
    for t in range(len(inverse)):
        f = face[t]
        if np.isnan(radius[f]):
            continue
        ax, ay, az = axis[f, 0], axis[f, 1], axis[f, 2]
        for c in range(3):
            s = inverse[t, c]
            a, b = sides[s, 0], sides[s, 1]
            h = 0.5 * (wanted[a] + wanted[b])
            x = 0.5 * (points[a, 0] + points[b, 0]) - origin[f, 0]
            y = 0.5 * (points[a, 1] + points[b, 1]) - origin[f, 1]
            z = 0.5 * (points[a, 2] + points[b, 2]) - origin[f, 2]
            along = x * ax + y * ay + z * az
            x, y, z = x - along * ax, y - along * ay, z - along * az
            size = max(np.sqrt(x * x + y * y + z * z), 1e-300)
            wx, wy, wz = (
                (ay * z - az * y) / size,
                (az * x - ax * z) / size,
                (ax * y - ay * x) / size,
            )
            factor = min(max(h / max(CHORD * size, 1e-300), 1.0), SLENDER)
            x, y, z = (
                points[b, 0] - points[a, 0],
                points[b, 1] - points[a, 1],
                points[b, 2] - points[a, 2],
            )
            turned = x * wx + y * wy + z * wz
            found[s] = max(
                found[s],
                np.sqrt(max(x * x + y * y + z * z + (factor * factor - 1.0) * turned * turned, 0.0))
                / h,
            )
    return found


def _kinds(skin: Skin) -> Ints:
    """(n,): whether a node lies within a face, on one edge, or where edges meet or end."""
    return _kinds_of(skin.segments, skin.edge, len(skin.points))


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _kinds_of(segments: Ints, edge: Ints, count: int) -> Ints:
    uses, first, kinds = (
        np.zeros(count, dtype=np.int64),
        np.full(count, -1, dtype=np.int64),
        np.zeros(count, dtype=np.int64),
    )
    for k in range(len(segments)):
        for c in range(2):
            v = segments[k, c]
            uses[v] += 1
            if first[v] < 0:
                first[v] = edge[k]
            elif first[v] != edge[k]:
                kinds[v] = 2
    for v in range(count):
        if uses[v] > 0 and uses[v] != 2:
            kinds[v] = 2
        elif uses[v] == 2 and kinds[v] == 0:
            kinds[v] = 1
    return kinds


def _on_segments(skin: Skin, sides: Ints) -> NDArray[np.bool_]:
    """(u,): which sides run along CAD edges."""
    stride = np.int64(len(skin.points))
    low, high = np.sort(skin.segments, axis=1).T
    found = np.zeros(len(sides), dtype=bool)
    at = np.searchsorted(sides[:, 0] * stride + sides[:, 1], low * stride + high)
    found[np.minimum(at, len(sides) - 1)] = True
    return found


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _sides(triangles: Ints, count: int) -> tuple[Ints, Ints]:  # noqa: C901 - one compiled loop
    """(unique sides (u, 2), lower node first, number of the side 01, 12, 20 of each triangle (m,
    3))."""
    starts = np.zeros(count + 1, dtype=np.int64)
    for t in range(len(triangles)):
        for c in range(3):
            starts[min(triangles[t, c], triangles[t, (c + 1) % 3]) + 1] += 1
    for v in range(count):
        starts[v + 1] += starts[v]
    filled = starts[:-1].copy()
    other = np.empty(3 * len(triangles), dtype=np.int64)
    slot = np.empty((len(triangles), 3), dtype=np.int64)
    for t in range(len(triangles)):
        for c in range(3):
            a, b = triangles[t, c], triangles[t, (c + 1) % 3]
            low, high = min(a, b), max(a, b)
            place = -1
            for k in range(starts[low], filled[low]):
                if other[k] == high:
                    place = k
                    break
            if place < 0:
                place = filled[low]
                other[place] = high
                filled[low] += 1
            slot[t, c] = place
    number = np.full(3 * len(triangles), -1, dtype=np.int64)
    total = 0
    for v in range(count):  # in order of the other node as well, so that sides can be looked up
        for k in range(starts[v], filled[v]):
            before = 0
            for i in range(starts[v], filled[v]):
                if other[i] < other[k]:
                    before += 1
            number[k] = total + before
        total += filled[v] - starts[v]
    sides = np.empty((total, 2), dtype=np.int64)
    for v in range(count):
        for k in range(starts[v], filled[v]):
            sides[number[k], 0], sides[number[k], 1] = v, other[k]
    for t in range(len(triangles)):
        for c in range(3):
            slot[t, c] = number[slot[t, c]]
    return sides, slot


def _facing(skin: Skin) -> Floats:
    """Which way the surface looks at each triangle (m, 3), from all triangles of its face round
    its nodes: flat slivers do not tell."""
    p = skin.points[skin.triangles]
    normal = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    starts, around = _rings(skin.triangles, len(skin.points))
    return _facing_of(skin.triangles, skin.face, normal, starts, around)


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _facing_of(triangles: Ints, face: Ints, normal: Floats, starts: Ints, around: Ints) -> Floats:
    found = np.zeros((len(triangles), 3))
    for t in range(len(triangles)):
        for c in range(3):
            v = triangles[t, c]
            x, y, z = 0.0, 0.0, 0.0
            for k in range(starts[v], starts[v + 1]):
                u = around[k]
                if face[u] == face[t]:
                    x, y, z = x + normal[u, 0], y + normal[u, 1], z + normal[u, 2]
            size = max(np.sqrt(x * x + y * y + z * z), 1e-300)
            found[t, 0] += x / size
            found[t, 1] += y / size
            found[t, 2] += z / size
        size = max(np.sqrt(found[t, 0] ** 2 + found[t, 1] ** 2 + found[t, 2] ** 2), 1e-300)
        for k in range(3):
            found[t, k] /= size
    return found


def _split(skin: Skin, body: BodyShape, rounds: _Round, size: SizeField) -> tuple[Skin, bool]:
    """All sides that are too long cut in the middle, on the true edge or surface; whether there
    were any."""
    from labilis.mesh.tetrahedra import split_triangles

    sides, inverse = _sides(skin.triangles, len(skin.points))
    long = _side_lengths(skin, sides, inverse, rounds) > _LONG
    if not long.any():
        return skin, False
    new = np.full(len(sides), -1, dtype=np.int64)
    new[long] = len(skin.points) + np.arange(int(long.sum()))
    triangles, face = split_triangles(skin.triangles, skin.face, new[inverse])
    packed = sides[:, 0] * np.int64(len(skin.points)) + sides[:, 1]
    low, high = np.sort(skin.segments, axis=1).T
    at = np.searchsorted(packed, low * np.int64(len(skin.points)) + high)
    mid = new[np.minimum(at, len(new) - 1)]
    cut = mid >= 0
    segments = np.concatenate(
        [
            skin.segments[~cut],
            np.stack([skin.segments[cut, 0], mid[cut]], axis=1),
            np.stack([mid[cut], skin.segments[cut, 1]], axis=1),
        ]
    )
    edge = np.concatenate([skin.edge[~cut], skin.edge[cut], skin.edge[cut]])
    points = np.concatenate([skin.points, skin.points[sides[long]].mean(axis=1)])
    grown = Skin(
        points,
        np.concatenate([skin.wanted, size(points[len(skin.points) :])]),
        triangles,
        face,
        segments,
        edge,
    )
    return replace(
        grown, points=_onto(grown, body, points, np.arange(len(skin.points), len(points)))
    ), True


def _onto(skin: Skin, body: BodyShape, points: Floats, chosen: Ints) -> Floats:
    """Points with the chosen nodes moved onto the true edges and faces that they belong to."""
    moved = points.copy()
    pick = np.zeros(len(points), dtype=bool)
    pick[chosen] = True
    edge_of = np.full(len(points), -1, dtype=np.int64)
    edge_of[skin.segments.ravel()] = np.repeat(skin.edge, 2)
    face_of = np.full(len(points), -1, dtype=np.int64)
    face_of[skin.triangles.ravel()] = np.repeat(skin.face, 3)
    for number, nodes in _grouped(edge_of, pick & (edge_of >= 0)):
        if body.edges.kind[number] != "line":
            moved[nodes] = body.project_to_edge(number, points[nodes])
    for number, nodes in _grouped(face_of, pick & (edge_of < 0) & (face_of >= 0)):
        if body.faces.kind[number] == "plane":
            normal = body.faces.direction[number]
            moved[nodes] = (
                points[nodes]
                - ((points[nodes] - body.faces.origin[number]) @ normal)[:, None] * normal
            )
        else:
            moved[nodes] = body.project_to_face(number, points[nodes])
    return moved


def _grouped(owner: Ints, chosen: NDArray[np.bool_]) -> Iterator[tuple[int, Ints]]:
    """Chosen nodes by their owner."""
    nodes = np.flatnonzero(chosen)
    nodes = nodes[np.argsort(owner[nodes], kind="stable")]
    starts = (
        np.flatnonzero(np.concatenate([[True], np.diff(owner[nodes]) > 0]))
        if len(nodes)
        else np.zeros(0, dtype=np.int64)
    )
    for start, end in itertools.pairwise([*starts.tolist(), len(nodes)]):
        yield int(owner[nodes[start]]), nodes[start:end]


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _rings(triangles: Ints, count: int) -> tuple[Ints, Ints]:
    """Triangles round each node: (starts (n + 1,), triangle numbers)."""
    starts = np.zeros(count + 1, dtype=np.int64)
    for t in range(len(triangles)):
        for c in range(3):
            starts[triangles[t, c] + 1] += 1
    for v in range(count):
        starts[v + 1] += starts[v]
    filled = starts[:-1].copy()
    around = np.empty(3 * len(triangles), dtype=np.int64)
    for t in range(len(triangles)):
        for c in range(3):
            v = triangles[t, c]
            around[filled[v]] = t
            filled[v] += 1
    return starts, around


def _collapse(skin: Skin, rounds: _Round) -> Skin:
    """Sides that are too short taken out: their node within a face goes to the other end, one on
    an edge along that edge."""
    for _ in range(_PASSES):
        kinds = _kinds(skin)
        sides, inverse = _sides(skin.triangles, len(skin.points))
        length = _side_lengths(skin, sides, inverse, rounds)
        short = length < _SHORT
        if not short.any():
            return skin
        order = np.flatnonzero(short)[np.argsort(length[short])]
        short_sides, along = sides[order], _on_segments(skin, sides)[order]
        starts, around = _rings(skin.triangles, len(skin.points))
        way, factor = rounds.stretch(
            skin.face,
            skin.points[skin.triangles].mean(axis=1),
            skin.wanted[skin.triangles].mean(axis=1),
        )
        target, changed = _collapse_pass(
            skin.points,
            skin.triangles,
            kinds,
            short_sides,
            along,
            starts,
            around,
            skin.wanted * _LONG,
            _facing(skin),
            way,
            factor,
            length[order],
        )
        if changed == 0:
            return skin
        triangles = target[skin.triangles]
        alive = (
            (triangles[:, 0] != triangles[:, 1])
            & (triangles[:, 1] != triangles[:, 2])
            & (triangles[:, 2] != triangles[:, 0])
        )
        segments = target[skin.segments]
        there = segments[:, 0] != segments[:, 1]
        skin = _used(
            Skin(
                skin.points,
                skin.wanted,
                triangles[alive],
                skin.face[alive],
                segments[there],
                skin.edge[there],
            )
        )
    return skin


def _used(skin: Skin) -> Skin:
    """Without nodes that no triangle has."""
    present = np.zeros(len(skin.points), dtype=bool)
    present[skin.triangles] = True
    used = np.flatnonzero(present)
    new = np.full(len(skin.points), -1, dtype=np.int64)
    new[used] = np.arange(len(used))
    segments = new[skin.segments]
    there = (segments >= 0).all(axis=1)
    return Skin(
        skin.points[used],
        skin.wanted[used],
        new[skin.triangles],
        skin.face,
        segments[there],
        skin.edge[there],
    )


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _has(triangles: Ints, t: int, v: int) -> bool:
    return bool(triangles[t, 0] == v or triangles[t, 1] == v or triangles[t, 2] == v)


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _flatness(points: Floats, i0: int, i1: int, i2: int) -> float:
    """Twice the area over the square of the longest side."""
    ax, ay, az = points[i0, 0], points[i0, 1], points[i0, 2]
    ux, uy, uz = points[i1, 0] - ax, points[i1, 1] - ay, points[i1, 2] - az
    vx, vy, vz = points[i2, 0] - ax, points[i2, 1] - ay, points[i2, 2] - az
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    wx, wy, wz = vx - ux, vy - uy, vz - uz
    side = max(
        ux * ux + uy * uy + uz * uz, vx * vx + vy * vy + vz * vz, wx * wx + wy * wy + wz * wz
    )
    return float(np.sqrt(nx * nx + ny * ny + nz * nz) / max(side, 1e-300))


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _stays(
    points: Floats,
    triangles: Ints,
    t: int,
    a: int,
    b: int,
    facing: Floats,
    way: Floats,
    factor: Floats,
    longest: Floats,
    slack: float,
) -> bool:
    """Whether triangle t may have node b instead of a: not flat, not turned over, no side too
    long."""
    i0, i1, i2 = triangles[t, 0], triangles[t, 1], triangles[t, 2]
    i0, i1, i2 = b if i0 == a else i0, b if i1 == a else i1, b if i2 == a else i2
    ax, ay, az = points[i0, 0], points[i0, 1], points[i0, 2]
    ux, uy, uz = points[i1, 0] - ax, points[i1, 1] - ay, points[i1, 2] - az
    vx, vy, vz = points[i2, 0] - ax, points[i2, 1] - ay, points[i2, 2] - az
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    size = np.sqrt(nx * nx + ny * ny + nz * nz)
    wx, wy, wz = vx - ux, vy - uy, vz - uz
    side = max(
        ux * ux + uy * uy + uz * uz, vx * vx + vy * vy + vz * vz, wx * wx + wy * wy + wz * wz
    )
    if size < _FLAT * side:
        before = _flatness(points, triangles[t, 0], triangles[t, 1], triangles[t, 2])
        if slack == 1.0 or before > _FLAT:
            return size > 1.05 * side * before
        if size < 0.3 * side * before:  # among needles one more may stay one for a while
            return False
    if nx * facing[t, 0] + ny * facing[t, 1] + nz * facing[t, 2] < _BEND * size:
        return False
    for v in (i0, i1, i2):
        if v != b:
            sx, sy, sz = (
                points[v, 0] - points[b, 0],
                points[v, 1] - points[b, 1],
                points[v, 2] - points[b, 2],
            )
            turned = sx * way[t, 0] + sy * way[t, 1] + sz * way[t, 2]
            most = slack * max(longest[b], longest[v])
            if (
                sx * sx + sy * sy + sz * sz + (factor[t] * factor[t] - 1.0) * turned * turned
                > most * most
            ):
                return False
    return True


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _shared(
    points: Floats,
    triangles: Ints,
    a: int,
    b: int,
    starts: Ints,
    around: Ints,
    facing: Floats,
    way: Floats,
    factor: Floats,
    longest: Floats,
    limit: float,
) -> int:
    """How many triangles lie at the side a b; -1 where one of the others round a would not stay
    good with a moved to b."""
    shared = 0
    for i in range(starts[a], starts[a + 1]):
        t = around[i]
        if _has(triangles, t, b):
            shared += 1
        elif not _stays(
            points,
            triangles,
            t,
            a,
            b,
            facing,
            way,
            factor,
            longest,
            limit,
        ):
            return -1
    return shared


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _common(triangles: Ints, a: int, b: int, starts: Ints, around: Ints) -> int:
    """How often a neighbour of a, seen from a's triangles, is one of b as well: those across the
    side a b only, where its two ends may become one."""
    common = 0
    for i in range(
        starts[a], starts[a + 1]
    ):  # neighbours of both: only those across the side itself
        for c in range(3):
            v = triangles[around[i], c]
            if v in (a, b):
                continue
            for j in range(starts[b], starts[b + 1]):
                if _has(triangles, around[j], v):
                    common += 1
                    break
    return common


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _collapse_pass(
    points: Floats,
    triangles: Ints,
    kinds: Ints,
    sides: Ints,
    along: NDArray[np.bool_],
    starts: Ints,
    around: Ints,
    longest: Floats,
    facing: Floats,
    way: Floats,
    factor: Floats,
    length: Floats,
) -> tuple[Ints, int]:
    """(node that each node becomes, how many changed); nodes round a changed one wait for the
    next pass."""
    target = np.arange(len(points))
    locked = np.zeros(len(points), dtype=np.bool_)
    changed = 0
    for k in range(len(sides)):
        for turn in range(2):
            a, b = (sides[k, 0], sides[k, 1]) if turn == 0 else (sides[k, 1], sides[k, 0])
            if (
                locked[a]
                or locked[b]
                or kinds[a] == _CORNER
                or (kinds[a] == _EDGE and not along[k])
            ):
                continue
            limit = 1.0 if length[k] > _NEEDLE else 2.5
            shared = _shared(
                points, triangles, a, b, starts, around, facing, way, factor, longest, limit
            )
            if shared < 2:
                continue
            # each node across the side is met by two triangles round a: once in the shared one,
            # once in the next
            if _common(triangles, a, b, starts, around) != 2 * shared:
                continue
            target[a] = b
            changed += 1
            for v in (a, b):
                for i in range(starts[v], starts[v + 1]):
                    for c in range(3):
                        locked[triangles[around[i], c]] = True
            break
    return target, changed


def _flip(skin: Skin, rounds: _Round) -> Skin:
    """Sides turned within a face where that opens the least angle."""
    triangles, facing = skin.triangles.copy(), _facing(skin)
    for _ in range(_PASSES):
        sides, inverse = _sides(triangles, len(skin.points))
        pairs = _pairs_of(inverse, len(sides))
        inner = np.flatnonzero((pairs[:, 1] >= 0) & (pairs[:, 2] < 0))
        one, two = pairs[inner, 0], pairs[inner, 1]
        free = (skin.face[one] == skin.face[two]) & ~_on_segments(skin, sides)[inner]
        known = sides @ np.array([len(skin.points), 1], dtype=np.int64)
        chosen = sides[inner[free]]
        way, factor = rounds.stretch(
            skin.face[one[free]], skin.points[chosen].mean(axis=1), skin.wanted[chosen].mean(axis=1)
        )
        if (
            _flip_pass(
                skin.points, triangles, chosen, one[free], two[free], known, facing, way, factor
            )
            == 0
        ):
            break
    return replace(skin, triangles=triangles)


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _pairs_of(inverse: Ints, count: int) -> Ints:
    """(u, 3): the first three triangles at each side, -1 for none."""
    found = np.full((count, 3), -1, dtype=np.int64)
    for t in range(len(inverse)):
        for c in range(3):
            s = inverse[t, c]
            for k in range(3):
                if found[s, k] < 0:
                    found[s, k] = t
                    break
    return found


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _openness(points: Floats, a: int, b: int, c: int, way: Floats, more: float) -> float:
    """Square of twice the area over the product of the two longest sides, about the least angle's
    sine, of a triangle whose sides count `more` times longer, plus one, along `way`."""
    ux, uy, uz = (
        points[b, 0] - points[a, 0],
        points[b, 1] - points[a, 1],
        points[b, 2] - points[a, 2],
    )
    vx, vy, vz = (
        points[c, 0] - points[a, 0],
        points[c, 1] - points[a, 1],
        points[c, 2] - points[a, 2],
    )
    s = more * (ux * way[0] + uy * way[1] + uz * way[2])
    ux, uy, uz = ux + s * way[0], uy + s * way[1], uz + s * way[2]
    s = more * (vx * way[0] + vy * way[1] + vz * way[2])
    vx, vy, vz = vx + s * way[0], vy + s * way[1], vz + s * way[2]
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    wx, wy, wz = vx - ux, vy - uy, vz - uz
    l0, l1, l2 = (
        ux * ux + uy * uy + uz * uz,
        vx * vx + vy * vy + vz * vz,
        wx * wx + wy * wy + wz * wz,
    )
    least = max(min(l0, l1, l2), 1e-300)
    return float((nx * nx + ny * ny + nz * nz) * least / max(l0 * l1 * l2, 1e-300))


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _looks(points: Floats, a: int, b: int, c: int, facing: Floats) -> float:
    """Cosine between the normal of a triangle and a direction."""
    ux, uy, uz = (
        points[b, 0] - points[a, 0],
        points[b, 1] - points[a, 1],
        points[b, 2] - points[a, 2],
    )
    vx, vy, vz = (
        points[c, 0] - points[a, 0],
        points[c, 1] - points[a, 1],
        points[c, 2] - points[a, 2],
    )
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    return float(
        (nx * facing[0] + ny * facing[1] + nz * facing[2])
        / max(np.sqrt(nx * nx + ny * ny + nz * nz), 1e-300)
    )


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _flip_pass(
    points: Floats,
    triangles: Ints,
    sides: Ints,
    one: Ints,
    two: Ints,
    known: Ints,
    facing: Floats,
    way: Floats,
    factor: Floats,
) -> int:
    touched = np.zeros(len(triangles), dtype=np.bool_)
    changed, count = 0, len(points)
    for k in range(len(sides)):
        t, u = one[k], two[k]
        if touched[t] or touched[u]:
            continue
        a, b = sides[k, 0], sides[k, 1]
        c, d = -1, -1
        forward = False
        for i in range(3):
            if triangles[t, i] != a and triangles[t, i] != b:
                c = triangles[t, i]
            if triangles[u, i] != a and triangles[u, i] != b:
                d = triangles[u, i]
            if triangles[t, i] == a and triangles[t, (i + 1) % 3] == b:
                forward = True
        if c == d or c < 0 or d < 0:
            continue
        if not forward:  # turned so that the first triangle runs a b c
            a, b = b, a
        more = factor[k] - 1.0
        now = min(
            _openness(points, a, b, c, way[k], more), _openness(points, b, a, d, way[k], more)
        )
        then = min(
            _openness(points, c, a, d, way[k], more), _openness(points, d, b, c, way[k], more)
        )
        if then < 1.1 * now + 1e-12:
            continue
        if (
            min(
                _looks(points, c, a, d, facing[t]),
                _looks(points, c, a, d, facing[u]),
                _looks(points, d, b, c, facing[t]),
                _looks(points, d, b, c, facing[u]),
            )
            < _TURNED
        ):
            continue
        key = min(c, d) * count + max(c, d)
        place = np.searchsorted(known, key)
        if place < len(known) and known[place] == key:
            continue
        triangles[t, 0], triangles[t, 1], triangles[t, 2] = c, a, d
        triangles[u, 0], triangles[u, 1], triangles[u, 2] = d, b, c
        touched[t] = touched[u] = True
        changed += 1
    return changed


def _smooth(skin: Skin, body: BodyShape) -> Skin:
    """Nodes moved half way to the middle of their neighbours, those on edges along them, where
    no triangle suffers."""
    kinds = _kinds(skin)
    sides, _inverse = _sides(skin.triangles, len(skin.points))
    count = len(skin.points)
    both = np.concatenate([sides, sides[:, ::-1]])
    inner = both[kinds[both[:, 0]] == _INNER]
    ways = np.concatenate([skin.segments, skin.segments[:, ::-1]])
    along = ways[kinds[ways[:, 0]] == _EDGE]
    pairs = np.concatenate([inner, along])
    weight = np.maximum(np.bincount(pairs[:, 0], minlength=count), 1)
    middle = np.stack(
        [
            np.bincount(pairs[:, 0], weights=skin.points[pairs[:, 1], k], minlength=count) / weight
            for k in range(3)
        ],
        axis=1,
    )
    marked = np.zeros(count, dtype=bool)
    marked[pairs[:, 0]] = True
    free = np.flatnonzero(marked)
    if len(free) == 0:
        return skin
    moved = skin.points.copy()
    moved[free] = 0.4 * skin.points[free] + 0.6 * middle[free]
    moved = _onto(skin, body, moved, free)
    for _round in range(4):
        worse = _suffering(skin, moved)
        if len(worse) == 0:
            break
        moved[worse] = skin.points[worse]
    return replace(skin, points=moved)


def _suffering(skin: Skin, moved: Floats) -> Ints:
    """Nodes of triangles that a move turns over or makes much flatter."""
    facing = _facing(skin)

    def figures(points: Floats) -> tuple[Floats, Floats]:
        p = points[skin.triangles]
        normal = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
        side = np.linalg.norm(p - np.roll(p, 1, axis=1), axis=2).max(axis=1)
        return normal, np.linalg.norm(normal, axis=1) / np.maximum(side**2, 1e-300)

    _, q0 = figures(skin.points)
    n1, q1 = figures(moved)
    cosine = np.einsum("ki,ki->k", facing, n1) / np.maximum(np.linalg.norm(n1, axis=1), 1e-300)
    bad = (cosine < _BEND) | (q1 < np.minimum(0.8 * q0, 0.35))
    marked = np.zeros(len(skin.points), dtype=bool)
    marked[skin.triangles[bad]] = True
    return np.flatnonzero(marked)


def crossing(points: Floats, triangles: Ints) -> Ints:
    """Triangles (k,) that are pierced by a side of another, or lie flat on one: such a skin
    bounds no room."""
    corners = points[triangles]
    low, high = corners.min(axis=1), corners.max(axis=1)
    axis = int(np.argmax(np.ptp(points, axis=0)))
    order = np.argsort(low[:, axis])
    return np.flatnonzero(_crossing(points, triangles, low, high, order, axis))


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _pierces(points: Floats, a: int, b: int, i: int, j: int, k: int) -> bool:
    """Whether the side a b goes through the inside of triangle i j k."""
    ox, oy, oz = points[i, 0], points[i, 1], points[i, 2]
    ux, uy, uz = points[j, 0] - ox, points[j, 1] - oy, points[j, 2] - oz
    vx, vy, vz = points[k, 0] - ox, points[k, 1] - oy, points[k, 2] - oz
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    px, py, pz = points[a, 0] - ox, points[a, 1] - oy, points[a, 2] - oz
    qx, qy, qz = points[b, 0] - ox, points[b, 1] - oy, points[b, 2] - oz
    da, db = nx * px + ny * py + nz * pz, nx * qx + ny * qy + nz * qz
    if da * db >= 0.0:
        return False
    t = da / (da - db)
    rx, ry, rz = px + t * (qx - px), py + t * (qy - py), pz + t * (qz - pz)
    uu, uv, vv = (
        ux * ux + uy * uy + uz * uz,
        ux * vx + uy * vy + uz * vz,
        vx * vx + vy * vy + vz * vz,
    )
    ru, rv = rx * ux + ry * uy + rz * uz, rx * vx + ry * vy + rz * vz
    det = max(uu * vv - uv * uv, 1e-300)
    s, w = (vv * ru - uv * rv) / det, (uu * rv - uv * ru) / det
    return bool(s > 1e-9 and w > 1e-9 and s + w < 1.0 - 1e-9)


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _crossing(
    points: Floats, triangles: Ints, low: Floats, high: Floats, order: Ints, axis: int
) -> NDArray[np.bool_]:
    found = np.zeros(len(triangles), dtype=np.bool_)
    for m in range(len(order)):
        t = order[m]
        for n in range(m + 1, len(order)):
            u = order[n]
            if low[u, axis] > high[t, axis]:
                break
            if (
                low[u, 0] > high[t, 0]
                or low[t, 0] > high[u, 0]
                or low[u, 1] > high[t, 1]
                or low[t, 1] > high[u, 1]
                or low[u, 2] > high[t, 2]
                or low[t, 2] > high[u, 2]
            ):
                continue
            for c in range(3):
                a, b = triangles[t, c], triangles[t, (c + 1) % 3]
                if (
                    not _has(triangles, u, a)
                    and not _has(triangles, u, b)
                    and _pierces(points, a, b, triangles[u, 0], triangles[u, 1], triangles[u, 2])
                ):
                    found[t] = found[u] = True
                a, b = triangles[u, c], triangles[u, (c + 1) % 3]
                if (
                    not _has(triangles, t, a)
                    and not _has(triangles, t, b)
                    and _pierces(points, a, b, triangles[t, 0], triangles[t, 1], triangles[t, 2])
                ):
                    found[t] = found[u] = True
    return found
