"""Features of a skin that are tiny beside the wanted elements, merged into what lies beside them.

A triangle that is too narrow for any element is a needle, whose short side is collapsed, or a cap,
whose long side is turned so that its tip comes to lie on the neighbour. Both follow the borders of
the CAD's faces, which may vanish where they are narrower than that."""

from __future__ import annotations

import heapq

import numba
import numpy as np

from labilis.mesh.mesh import Floats, Ints

TINY = 0.04  # of the wanted side: what is narrower is merged
_LEAN = 0.3  # least cosine between a triangle and what becomes of it


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _normal_of(p: Floats, a: int, b: int, c: int) -> tuple[float, float, float]:
    x, y, z = p[b, 0] - p[a, 0], p[b, 1] - p[a, 1], p[b, 2] - p[a, 2]
    u, v, w = p[c, 0] - p[a, 0], p[c, 1] - p[a, 1], p[c, 2] - p[a, 2]
    return y * w - z * v, z * u - x * w, x * v - y * u


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _apart(p: Floats, a: int, b: int) -> float:
    return np.sqrt((p[a, 0] - p[b, 0]) ** 2 + (p[a, 1] - p[b, 1]) ** 2 + (p[a, 2] - p[b, 2]) ** 2)


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _narrow_of(p: Floats, tolerance: Floats, a: int, b: int, c: int) -> tuple[float, float, int]:
    """See `_Surface.narrow`."""
    one, two, three = _apart(p, b, c), _apart(p, c, a), _apart(p, a, b)
    allowed = min(tolerance[a], tolerance[b], tolerance[c])
    longest, tip = one, 0
    if two > longest:
        longest, tip = two, 1
    if three > longest:
        longest, tip = three, 2
    x, y, z = _normal_of(p, a, b, c)
    return (
        np.sqrt(x * x + y * y + z * z) / max(longest, 1e-300) / allowed,
        min(one, two, three) / allowed,
        tip,
    )


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _looks_on(p: Floats, a: int, b: int, c: int, d: int, e: int, f: int) -> bool:
    """Whether a triangle looks much the same way as another."""
    x, y, z = _normal_of(p, a, b, c)
    u, v, w = _normal_of(p, d, e, f)
    return x * u + y * v + z * w > _LEAN * np.sqrt(
        (x * x + y * y + z * z) * (u * u + v * v + w * w)
    )


def compiled() -> None:
    """What is compiled here, called once on a triangle."""
    p = np.eye(3)
    _narrow_of(p, np.ones(3), 0, 1, 2)
    _looks_on(p, 0, 1, 2, 0, 1, 2)


class _Surface:
    """Triangles with their neighbours, changed one at a time."""

    def __init__(
        self,
        points: Floats,
        tolerance: Floats,
        triangles: Ints,
        face: Ints,
        segments: Ints,
        edge: Ints,
    ) -> None:
        self.p, self.tolerance = points, tolerance
        self.triangles: dict[int, tuple[int, int, int]] = {
            k: (int(a), int(b), int(c)) for k, (a, b, c) in enumerate(triangles)
        }
        self.face = dict(enumerate(face.tolist()))
        self.round: dict[int, set[int]] = {}
        for k, corners in self.triangles.items():
            for v in corners:
                self.round.setdefault(v, set()).add(k)
        self.segments: dict[tuple[int, int], int] = {}
        self.lines: dict[int, dict[int, int]] = {}  # node -> neighbour along an edge -> edge
        for (a, b), owner in zip(segments.tolist(), edge.tolist()):
            self._draw(a, b, owner)
        self.moved = 0.0

    def _draw(self, a: int, b: int, owner: int) -> None:
        if a != b and b not in self.lines.get(a, {}):
            self.lines.setdefault(a, {})[b] = owner
            self.lines.setdefault(b, {})[a] = owner

    def _erase(self, a: int, b: int) -> int | None:
        owner = self.lines.get(a, {}).pop(b, None)
        self.lines.get(b, {}).pop(a, None)
        return owner

    def normal(self, a: int, b: int, c: int) -> Floats:
        return np.array(_normal_of(self.p, a, b, c))

    def narrow(self, k: int) -> tuple[float, float, int]:
        """(height over the tolerance there, shortest side over it, which corner lies opposite to
        the longest side)."""
        found: tuple[float, float, int] = _narrow_of(self.p, self.tolerance, *self.triangles[k])
        return found

    def neighbours(self, v: int) -> set[int]:
        return {w for k in self.round[v] for w in self.triangles[k]} - {v}

    def keeps(self, old: tuple[int, int, int], new: tuple[int, int, int], k: int) -> bool:
        """Whether a triangle may become another: it goes on looking the same way, unless it was
        too narrow to tell."""
        if self.narrow(k)[0] < 1.0:
            return True
        return bool(_looks_on(self.p, *old, *new))

    def collapse(self, k: int) -> bool:
        """The shortest side of a triangle taken out; False where that would spoil others."""
        corners = self.triangles[k]
        c = int(np.argmin([_apart(self.p, corners[i], corners[(i + 1) % 3]) for i in range(3)]))
        pair = corners[c], corners[(c + 1) % 3]
        ranks = [
            len(set(self.lines.get(v, {}).values())) * 10 + len(self.lines.get(v, {})) for v in pair
        ]
        for a, b in (pair, pair[::-1]) if ranks[0] <= ranks[1] else (pair[::-1], pair):
            shared = self.round[a] & self.round[b]
            common = self.neighbours(a) & self.neighbours(b)
            if len(shared) != 2 or len(common) != 2:
                continue
            rest = self.round[a] - shared
            changed = {t: self._with(t, a, b) for t in rest}
            if not all(self.keeps(self.triangles[t], new, t) for t, new in changed.items()):
                continue
            self.moved = max(self.moved, float(np.linalg.norm(self.p[a] - self.p[b])))
            for t in shared:
                self._remove(t)
            for t, new in changed.items():
                self.triangles[t] = new
                self.round[b].add(t)
            self.round.pop(a)
            for w in list(self.lines.get(a, {})):
                owner = self._erase(a, w)
                if owner is not None:
                    self._draw(b, w, owner)
            return True
        return False

    def _with(self, t: int, a: int, b: int) -> tuple[int, int, int]:
        x, y, z = (b if v == a else v for v in self.triangles[t])
        return x, y, z

    def _remove(self, t: int) -> None:
        for v in self.triangles.pop(t):
            self.round[v].discard(t)
        self.face.pop(t)

    def turn(self, k: int, tip: int) -> bool:
        """The longest side of a cap turned; False where that would spoil the neighbour."""
        corners = self.triangles[k]
        v, a, b = corners[tip], corners[(tip + 1) % 3], corners[(tip + 2) % 3]
        across = [t for t in self.round[a] & self.round[b] if t != k]
        if len(across) != 1:
            return False
        other = across[0]
        w = next(node for node in self.triangles[other] if node not in (a, b))
        if w == v or w in self.neighbours(v):
            return False
        old = self.triangles[other]
        new = (a, w, v), (w, b, v)
        if not all(self.keeps(old, item, other) for item in new):
            return False
        if any(np.linalg.norm(self.normal(*item)) < 1e-12 for item in new):
            return False
        height = float(
            np.linalg.norm(self.normal(*corners))
            / max(float(np.linalg.norm(self.p[a] - self.p[b])), 1e-300)
        )
        if b in self.lines.get(a, {}) and not self.lines.get(v) and not self._onto_line(v, a, b, k):
            return False
        self.moved = max(self.moved, height)
        owner = self._erase(a, b)
        if owner is not None:
            self._draw(a, v, owner)
            self._draw(v, b, owner)
        self.face[k] = self.face[other]
        for t, corners_new in zip((k, other), new):
            for node in self.triangles[t]:
                self.round[node].discard(t)
            self.triangles[t] = corners_new
        for t in (k, other):
            for node in self.triangles[t]:
                self.round[node].add(t)
        return True

    def _onto_line(self, v: int, a: int, b: int, cap: int) -> bool:
        """A node inside of a face moved onto the edge that it is to be part of, so that it lies on
        the faces of both its sides; False where that would spoil others."""
        run = self.p[b] - self.p[a]
        before = self.p[v].copy()
        rest = [t for t in self.round[v] if t != cap]
        normals = [self.normal(*self.triangles[t]) for t in rest]
        wide = [self.narrow(t)[0] >= 1.0 for t in rest]
        self.p[v] = (
            self.p[a] + float((before - self.p[a]) @ run) / max(float(run @ run), 1e-300) * run
        )
        for t, old, asked in zip(rest, normals, wide):
            new = self.normal(*self.triangles[t])
            if asked and not float(old @ new) > _LEAN * np.linalg.norm(old) * np.linalg.norm(new):
                self.p[v] = before
                return False
        return True


def without_slivers(
    points: Floats, wanted: Floats, triangles: Ints, face: Ints, segments: Ints, edge: Ints
) -> tuple[Floats, Ints, Ints, Ints, Ints, float]:
    """(points (n, 3), triangles (m, 3), face (m,), segments (s, 2), edge (s,), how far (mm)
    anything went) of a closed surface whose features narrower than TINY of the wanted side (n,) are
    merged into what lies beside them. What comes to lie on an edge is moved there."""
    surface = _Surface(points.copy(), TINY * wanted, triangles, face, segments, edge)
    p = points[triangles]
    sides = np.linalg.norm(p - np.roll(p, -1, axis=1), axis=2)
    height = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1) / np.maximum(
        sides.max(axis=1), 1e-300
    )
    waiting = [
        (float(height[k]), int(k))
        for k in np.flatnonzero(height < surface.tolerance[triangles].min(axis=1))
    ]
    if not waiting:
        return points, triangles, face, segments, edge, 0.0
    heapq.heapify(waiting)
    for _ in range(20 * len(waiting)):
        if not waiting:
            break
        _, k = heapq.heappop(waiting)
        if k not in surface.triangles:
            continue
        narrow, short, tip = surface.narrow(k)
        if narrow >= 1.0:
            continue
        beside = {t for v in surface.triangles[k] for t in surface.round[v]}
        if surface.collapse(k) if short < 1.0 else surface.turn(k, tip):
            for t in beside:
                if t in surface.triangles and (found := surface.narrow(t)[0]) < 1.0:
                    heapq.heappush(waiting, (found, t))
    lines = [
        (a, b, owner)
        for a, beside_a in surface.lines.items()
        for b, owner in beside_a.items()
        if a < b
    ]
    order = sorted(surface.triangles)
    return (
        surface.p,
        np.array([surface.triangles[k] for k in order], dtype=np.int64),
        np.array([surface.face[k] for k in order], dtype=np.int64),
        np.array([line[:2] for line in lines], dtype=np.int64).reshape(-1, 2),
        np.array([line[2] for line in lines], dtype=np.int64),
        surface.moved,
    )
