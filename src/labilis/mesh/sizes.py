"""How long the sides of elements are to be at each place of a solid's skin."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from labilis.mesh.mesh import Floats
from labilis.mesh.skin import CHORD
from labilis.shape import BodyShape, Tessellation
from labilis.shape.rays import Rays

GROWTH = 0.35  # side gained per mm of distance from something finer
# thicknesses to a side: with one element of second order through a wall its shape is then still
# good
WALL = 4.0
# of the wall: how far a chord on a round wall may stand off, or both its sides would cross
_BULGE = 0.25
_CLASS = 1.25  # seeds within this ratio count as one size
_RAYS = 3000


@dataclass(frozen=True)
class Sizes:
    """A wanted side that grows away from seeds: base mm, and trees of places with their size."""

    base: float
    seeds: tuple[tuple[cKDTree, float], ...]

    def __call__(self, places: Floats) -> Floats:
        """Wanted side (k,) mm at places (k, 3)."""
        found = np.full(len(places), self.base)
        for tree, size in self.seeds:
            reach = (self.base - size) / GROWTH + size
            away = np.maximum(tree.query(places, distance_upper_bound=reach)[0] - size, 0.0)
            found = np.minimum(found, size + GROWTH * away)
        return found


def skin_sizes(
    body: BodyShape,
    surface: Tessellation,
    size: float,
    zones: Sequence[tuple[Floats, float]],
    least: float = 0.0,
    coarser: float = 1.0,
) -> Sizes:
    """Sizes on the skin of a solid, or of several put together: `size` mm, less in zones (points,
    size), at bends of edges, on balls and free-form faces, and in thin walls, there not under
    `least` mm; what bends and thin walls ask for is taken as much `coarser`."""
    places, sizes = [], []
    for edge in range(len(body.edges)):
        line = surface.edge(edge)
        if body.edges.kind[edge] == "line" or len(line) < 3:
            continue
        line = line[
            np.concatenate(
                [[True], np.linalg.norm(np.diff(line, axis=0), axis=1) > 1e-9 * body.reach]
            )
        ]
        if len(line) < 3:
            continue
        places.append(line)
        sizes.append(
            np.full(len(line), CHORD * body.edges.radius[edge])
            if np.isfinite(body.edges.radius[edge])
            else _bent_sides(line)
        )
    for face in np.flatnonzero(~np.isin(body.faces.kind, ["plane", "cylinder", "cone"])):
        nodes = np.unique(surface.triangles[surface.face == face])
        radius = (
            float(np.nanmin([body.faces.second[face], body.faces.radius[face], np.inf]))
            if body.faces.kind[face] != "other"
            else (_radius_of(surface, int(face)))
        )
        if np.isfinite(radius):
            places.append(surface.points[nodes])
            sizes.append(np.full(len(nodes), CHORD * radius))
    thin_places, thin = _thin(body, surface, size, least)
    places.append(thin_places)
    sizes.append(thin)
    return _gathered(size, np.concatenate(places), coarser * np.concatenate(sizes), zones)


def _gathered(
    size: float, places: Floats, sizes: Floats, zones: Sequence[tuple[Floats, float]]
) -> Sizes:
    seeds = [(cKDTree(points), zone) for points, zone in zones if len(points)]
    finer = sizes < size / 1.02
    if finer.any():
        places, sizes = places[finer], np.maximum(sizes[finer], size / 200)
        number = np.floor(np.log(sizes) / np.log(_CLASS)).astype(np.int64)
        seeds += [
            (cKDTree(places[number == value]), float(sizes[number == value].min()))
            for value in np.unique(number)
        ]
    return Sizes(size, tuple(seeds))


def _bent_sides(line: Floats) -> Floats:
    """Side (k,) mm at each point of a polyline along which it turns by CHORD. Measured over that
    turn, not at the point: where a line is drawn with points close together their turns are
    noise."""
    step = np.diff(line, axis=0)
    length = np.linalg.norm(step, axis=1)
    unit = step / np.maximum(length, 1e-300)[:, None]
    turn = np.arccos(np.clip((unit[:-1] * unit[1:]).sum(axis=1), -1, 1))
    place = np.concatenate([[0.0], np.cumsum(length)])
    # the turn at a point spread over the halves of both its segments; the ends go on bending as
    # beside them
    share = np.concatenate([[0.0], 0.5 * turn]) + np.concatenate([0.5 * turn, [0.0]])
    share[0], share[-1] = 2 * share[0], 2 * share[-1]
    turned = np.concatenate([[0.0], np.cumsum(share)]) + 1e-9 * place
    total, reach = turned[-1], place[-1]
    if total <= CHORD:
        return np.full(len(line), reach * CHORD / max(total, 1e-9))
    low = np.clip(turned - 0.5 * CHORD, 0.0, total - CHORD)
    return np.asarray(np.interp(low + CHORD, turned, place) - np.interp(low, turned, place))


def _radius_of(surface: Tessellation, face: int) -> float:
    """Least radius of curvature of a free-form face, from the turns between its triangles; inf
    for a flat one."""
    triangles = surface.triangles[surface.face == face]
    p = surface.points[triangles]
    normal = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    area = np.linalg.norm(normal, axis=1)
    good = area > 1e-9 * area.max()
    triangles, normal, middle = (
        triangles[good],
        normal[good] / area[good, None],
        p[good].mean(axis=1),
    )
    pairs = np.sort(triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1)
    owner = np.repeat(np.arange(len(triangles)), 3)
    order = np.lexsort((pairs[:, 1], pairs[:, 0]))
    same = np.flatnonzero((pairs[order[:-1]] == pairs[order[1:]]).all(axis=1))
    if len(same) == 0:
        return float("inf")
    one, two = owner[order[same]], owner[order[same + 1]]
    turn = np.arccos(np.clip((normal[one] * normal[two]).sum(axis=1), -1, 1))
    away = np.linalg.norm(middle[one] - middle[two], axis=1)
    radius = away / np.maximum(turn, 1e-9)
    return float(np.quantile(radius, 0.1)) if np.quantile(turn, 0.9) > 1e-3 else float("inf")


def _thin(
    body: BodyShape, surface: Tessellation, size: float, least: float
) -> tuple[Floats, Floats]:
    """(places (k, 3) on the skin where the solid is thin, side (k,) mm that this asks for)."""
    rays = Rays.through(surface)
    rows = np.flatnonzero(rays.areas > 0)
    reached = np.cumsum(rays.areas[rows])
    count = int(np.clip(8 * reached[-1] / size**2, 200, _RAYS))
    chosen = rows[np.searchsorted(reached, (np.arange(count) + 0.5) / count * reached[-1])]
    generator = np.random.default_rng(2)
    a, b = np.sqrt(generator.random(count)), generator.random(count)
    places = np.einsum(
        "kc,kcx->kx", np.stack([1 - a, a * (1 - b), a * b], axis=1), rays.corners[chosen]
    )
    wall, _, cosine = rays.faces_hit(places, -rays.normals[chosen])
    through = np.isfinite(wall) & (np.abs(cosine) > 0.5)
    asked = np.maximum(WALL * wall, least)
    radius = np.where(
        np.isin(body.faces.kind[rays.owner[chosen]], ["cylinder", "cone", "sphere"]),
        body.faces.radius[rays.owner[chosen]],
        np.inf,
    )
    # round the axis chords are short anyhow; where the wall is thinner than their bulge they have
    # to be shorter still
    asked = np.minimum(
        asked,
        np.where(
            np.isfinite(radius), np.sqrt(8 * _BULGE * np.maximum(wall, 1e-9) * radius), np.inf
        ),
    )
    # where two faces run together to an edge the wall goes to nothing; that asks for no elements of
    # its own
    mean = float((wall[through] * 1.0).mean()) if through.any() else size
    return places[through], np.maximum(asked[through], 0.5 * min(mean, size))
