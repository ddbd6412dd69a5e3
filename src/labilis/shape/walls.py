"""Walls of a solid: pairs of faces that look at each other through little material, gathered by the
surface midway between.

From every face rays go into the solid. Two faces make a wall where the rays between them are short
beside the faces, and as long everywhere or changing evenly (tapered and drafted walls). Pairs whose
midway surface is the same belong together: the two halves of a flange's inner side, the parts of a
wall on both sides of another.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from labilis.shape.face_tables import FaceTable, Floats, Ints
from labilis.shape.rays import Rays
from labilis.shape.recipes.named_body import middle_of
from labilis.shape.topology import BodyShape, normal_at

# thickness over the square root of the common area beyond which two faces make no wall
_THIN = 0.35
_NARROW = 2.0  # thicknesses that the common part is wide at least
_EVEN = 0.03  # spread of distances over their mean that still counts as constant
_FIT = 0.04  # the same about a thickness that changes evenly
_RANGE = 0.35  # how far an evenly changing thickness may go from its mean
_SQUARE = 0.94  # least cosine between a ray and the normal of the face through which it leaves
_TANGENT = 0.9986  # cosine between normals of faces that run smoothly into each other, 3°
_SAME = 2e-3  # of the thickness: midway surfaces this close are one
# share of a face of any other kind that must lie opposite: fillets on both sides of a web are no
# wall
_OTHER = 0.4
_SPOTS = 48  # rays from each face


@dataclass(frozen=True)
class MidwaySurface:
    """Where walls have their middle. kind: plane, cylinder, cone, or 'other' (a face moved inward,
    `face` its number); origin (3,) mm and direction (3,): of a plane its normal, else the axis;
    radius mm (of a cone at the origin); angle: half angle of a cone, rad."""

    kind: str
    origin: Floats
    direction: Floats
    radius: float = 0.0
    angle: float = 0.0
    face: int = -1

    def normal_at(self, points: Floats) -> Floats:
        """Unit normals (k, 3) at points (k, 3) of a plane, cylinder or cone."""
        if self.kind == "plane":
            return np.broadcast_to(self.direction, points.shape)
        away = points - self.origin
        radial = away - (away @ self.direction)[:, None] * self.direction
        radial = radial / np.maximum(np.linalg.norm(radial, axis=1, keepdims=True), 1e-300)
        return np.asarray(np.cos(self.angle) * radial - np.sin(self.angle) * self.direction)

    def nearest(self, points: Floats) -> Floats:
        """Points (k, 3) moved onto a plane, cylinder or cone along its normals."""
        away = points - self.origin
        height = away @ self.direction
        if self.kind == "plane":
            return np.asarray(points - height[:, None] * self.direction)
        distance = np.linalg.norm(away - height[:, None] * self.direction, axis=1)
        excess = (distance - self.radius - height * np.tan(self.angle)) * np.cos(self.angle)
        return np.asarray(points - excess[:, None] * self.normal_at(points))

    def same_as(self, other: MidwaySurface, within: float) -> bool:
        """Whether two surfaces coincide within a distance, mm."""
        if self.kind != other.kind or self.kind == "other":
            return self.kind == other.kind and self.face == other.face
        if abs(abs(float(self.direction @ other.direction)) - 1.0) > 1e-7:
            return False
        step = other.origin - self.origin
        if self.kind == "plane":
            return abs(float(step @ self.direction)) < within
        along = float(step @ self.direction)
        if (
            np.linalg.norm(step - along * self.direction) > within
            or abs(abs(self.angle) - abs(other.angle)) > 1e-6
        ):
            return False
        if self.kind == "cylinder":
            return abs(self.radius - other.radius) < within
        sign = 1.0 if float(self.direction @ other.direction) > 0 else -1.0
        return (
            abs(self.radius + along * np.tan(self.angle) - other.radius) < within
            and abs(self.angle - sign * other.angle) < 1e-6
        )


@dataclass(frozen=True)
class Wall:
    """faces: of both its sides; surface: number of its midway surface; thickness mm at `place` (3,)
    mm and its slope (3,), mm per mm; area mm² that its faces have in common."""

    faces: frozenset[int]
    surface: int
    thickness: float
    slope: Floats
    place: Floats
    area: float

    def thickness_at(self, points: Floats) -> Floats:
        """Thickness (k,) mm at points (k, 3)."""
        return np.asarray(self.thickness + (points - self.place) @ self.slope)


@dataclass(frozen=True)
class Walls:
    """surfaces and the walls on them; rays: what the solid is shot at with."""

    surfaces: tuple[MidwaySurface, ...]
    walls: tuple[Wall, ...]
    rays: Rays


@dataclass(frozen=True)
class _Pair:
    one: int
    two: int
    area: float
    distance: float
    slope: Floats
    place: Floats
    share: float
    narrow: bool = False


def find_walls(body: BodyShape) -> Walls:
    """All walls of a solid."""
    mean_wall = 2.0 * body.view.volume / float(body.faces.area.sum())
    rays = Rays.through(body.tessellate(max(0.02 * mean_wall, 1e-5 * body.view.size), 0.15))
    surfaces: list[MidwaySurface] = []
    walls: list[Wall] = []
    for pair in _with_bends(body, _pairs(body, rays)):
        surface, thickness, slope, place = _midway(body.faces, pair)
        if surface.kind == "other" and pair.share < _OTHER:
            continue
        number = next(
            (
                row
                for row, known in enumerate(surfaces)
                if known.same_as(surface, _SAME * thickness)
            ),
            len(surfaces),
        )
        if number == len(surfaces):
            surfaces.append(surface)
        walls.append(
            Wall(frozenset((pair.one, pair.two)), number, thickness, slope, place, pair.area)
        )
    return Walls(tuple(surfaces), tuple(_joined(walls)), rays)


def _with_bends(body: BodyShape, pairs: list[_Pair]) -> list[_Pair]:
    """Pairs without the narrow ones but for bends: round ones whose both faces run smoothly into
    faces of one wall that is wide."""
    wide = [pair for pair in pairs if not pair.narrow]
    sides = {face: pair for pair in wide for face in (pair.one, pair.two)}
    smooth: dict[int, set[int]] = {}
    for edge, (a, b) in enumerate(body.edges.faces):
        for one, two in ((int(a), int(b)), (int(b), int(a))):
            if one >= 0 and two in sides and str(body.faces.kind[one]) == "cylinder":
                place = np.array(middle_of(body.edge_handles[edge]))
                if abs(float(normal_at(body, one, place) @ normal_at(body, two, place))) > _TANGENT:
                    smooth.setdefault(one, set()).add(two)
    bends = [
        pair
        for pair in pairs
        if pair.narrow
        and smooth.get(pair.one)
        and smooth.get(pair.two)
        and any(
            abs(sides[face].distance / pair.distance - 1) < 2 * _EVEN for face in smooth[pair.one]
        )
    ]
    return wide + bends


def _joined(walls: list[Wall]) -> list[Wall]:
    """Walls on one surface whose thickness agrees where both are, as one."""
    kept: list[Wall] = []
    for wall in sorted(walls, key=lambda item: -item.area):
        for number, known in enumerate(kept):
            far = abs(float(known.thickness_at(wall.place[None])[0]) - wall.thickness)
            if (
                known.surface == wall.surface
                and far < _EVEN * known.thickness
                and np.linalg.norm(known.slope - wall.slope) < 0.02
            ):
                kept[number] = Wall(
                    known.faces | wall.faces,
                    known.surface,
                    known.thickness,
                    known.slope,
                    known.place,
                    known.area + wall.area,
                )
                break
        else:
            kept.append(wall)
    return kept


def _pairs(body: BodyShape, rays: Rays) -> list[_Pair]:
    """Pairs of faces with short, even rays between them; each once, seen from the face that
    tells more."""
    start, inward, owner = _spots(body, rays)
    distance, hit, cosine = rays.faces_hit(start, inward)
    square = (hit >= 0) & (hit != owner) & (cosine > _SQUARE)
    found: dict[tuple[int, int], _Pair] = {}
    count = np.bincount(owner, minlength=len(body.faces))
    for one in range(len(body.faces)):
        mine = np.flatnonzero(square & (owner == one))
        for two in np.unique(hit[mine]):
            rows = mine[hit[mine] == two]
            pair = _pair_of(
                body,
                one,
                int(two),
                start[rows],
                inward[rows],
                distance[rows],
                len(rows) / count[one],
            )
            key = (min(one, int(two)), max(one, int(two)))
            if pair is not None and (key not in found or found[key].area < pair.area):
                found[key] = pair
    return list(found.values())


def _spots(body: BodyShape, rays: Rays) -> tuple[Floats, Floats, Ints]:
    """Points spread over all faces by area, the direction inward at each, and the face of each."""
    generator = np.random.default_rng(0)
    points, inward, owner = [], [], []
    for face in range(len(body.faces)):
        rows = np.flatnonzero((rays.owner == face) & (rays.areas > 0))
        if len(rows) == 0:
            continue
        reached = np.cumsum(rays.areas[rows])
        chosen = rows[np.searchsorted(reached, (np.arange(_SPOTS) + 0.5) / _SPOTS * reached[-1])]
        a, b = np.sqrt(generator.random(_SPOTS)), generator.random(_SPOTS)
        weights = np.stack([1 - a, a * (1 - b), a * b], axis=1)
        points.append(np.einsum("kc,kcx->kx", weights, rays.corners[chosen]))
        inward.append(-rays.normals[chosen])
        owner.append(np.full(_SPOTS, face, dtype=np.int64))
    return np.concatenate(points), np.concatenate(inward), np.concatenate(owner)


def _pair_of(
    body: BodyShape,
    one: int,
    two: int,
    start: Floats,
    inward: Floats,
    distance: Floats,
    share: float,
) -> _Pair | None:
    """The pair, if what lies between is thin and even."""
    if len(distance) < 4 or share < 0.03:
        return None
    kinds = str(body.faces.kind[one]), str(body.faces.kind[two])
    if (kinds[0] == "plane") != (kinds[1] == "plane"):
        return None
    area = float(body.faces.area[one]) * share
    middle = start + 0.5 * distance[:, None] * inward
    mean = float(np.median(distance))
    centre = middle.mean(axis=0)
    if mean > _THIN * np.sqrt(area) or _width(middle, mean) < _NARROW * mean:
        even = (
            kinds == ("cylinder", "cylinder")
            and (np.abs(distance - mean) < _EVEN * mean).mean() > 0.9
        )
        return _Pair(one, two, area, mean, np.zeros(3), centre, share, True) if even else None
    near = np.abs(distance - mean) < _EVEN * mean
    if near.mean() > 0.9:
        return _Pair(one, two, area, mean, np.zeros(3), centre, share)
    slope, level = _fitted(middle - centre, distance)
    rest = distance - level - (middle - centre) @ slope
    ends = np.abs((middle - centre) @ slope).max()
    if np.sqrt(np.mean(rest**2)) < _FIT * level and ends < _RANGE * level:
        return _Pair(one, two, area, level, slope, centre, share)
    if near.mean() > 0.6:
        return _Pair(one, two, area, mean, np.zeros(3), centre, share)
    return None


def _width(points: Floats, thickness: float) -> float:
    """How wide a cloud of points on a flat or bent strip is across its longest direction, mm."""
    if len(points) < 6:
        return np.inf
    spread = np.linalg.svd(points - points.mean(axis=0), compute_uv=False)
    return float(np.sqrt(12.0 / len(points)) * spread[1])


def _fitted(places: Floats, values: Floats) -> tuple[Floats, float]:
    """(slope (3,), level) of the affine function nearest to values at places about their mean."""
    basis = np.linalg.svd(places, full_matrices=False)[2][:2]
    flat = np.column_stack([places @ basis.T, np.ones(len(places))])
    solution = np.linalg.lstsq(flat, values, rcond=None)[0]
    return np.asarray(solution[:2] @ basis), float(solution[2])


def _midway(faces: FaceTable, pair: _Pair) -> tuple[MidwaySurface, float, Floats, Floats]:
    """(surface midway between two faces, thickness at `place`, its slope, place)."""
    one, two = pair.one, pair.two
    kinds = {str(faces.kind[one]), str(faces.kind[two])}
    if kinds == {"plane"}:
        return _between_planes(faces, pair)
    exact = None
    if kinds == {"cylinder"}:
        exact = _between_cylinders(faces, pair)
    elif kinds == {"cone"}:
        exact = _between_cones(faces, pair)
    if exact is not None:
        return exact[0], exact[1], np.zeros(3), pair.place
    return (
        MidwaySurface("other", np.zeros(3), np.zeros(3), face=one),
        pair.distance,
        np.zeros(3),
        pair.place,
    )


def _between_planes(faces: FaceTable, pair: _Pair) -> tuple[MidwaySurface, float, Floats, Floats]:
    n1, n2 = faces.direction[pair.one], faces.direction[pair.two]
    d1, d2 = float(n1 @ faces.origin[pair.one]), float(n2 @ faces.origin[pair.two])
    across = n1 - n2
    size = float(np.linalg.norm(across))
    normal = across / size
    place = pair.place - (float(normal @ pair.place) - (d1 - d2) / size) * normal
    lean = float(n1 @ normal)  # cosine of half the angle between the sides
    slope = (
        -(n1 + n2) / lean
    )  # along the midway plane: the sum of unit vectors is square to their difference
    return (
        MidwaySurface("plane", place, normal),
        (d1 + d2 - float((n1 + n2) @ place)) / lean,
        slope,
        place,
    )


def _between_cylinders(faces: FaceTable, pair: _Pair) -> tuple[MidwaySurface, float] | None:
    a, b = faces.direction[pair.one], faces.direction[pair.two]
    step = faces.origin[pair.two] - faces.origin[pair.one]
    thickness = abs(float(faces.radius[pair.one] - faces.radius[pair.two]))
    off = float(np.linalg.norm(step - (step @ a) * a))
    if (
        abs(abs(float(a @ b)) - 1) > 1e-7
        or off > 0.02 * thickness
        or abs(thickness - pair.distance) > 2 * _EVEN * thickness
    ):
        return None
    radius = 0.5 * float(faces.radius[pair.one] + faces.radius[pair.two])
    return MidwaySurface("cylinder", faces.origin[pair.one], a, radius), thickness


def _between_cones(faces: FaceTable, pair: _Pair) -> tuple[MidwaySurface, float] | None:
    a, b = faces.direction[pair.one], faces.direction[pair.two]
    if float(a @ b) < 1 - 1e-7 or abs(faces.second[pair.one] - faces.second[pair.two]) > 1e-6:
        return None
    step = faces.origin[pair.two] - faces.origin[pair.one]
    up = float(step @ a)
    if np.linalg.norm(step - up * a) > 0.02 * pair.distance:
        return None
    angle = float(faces.second[pair.one])
    other = float(faces.radius[pair.two]) - up * float(
        np.tan(angle)
    )  # radius of the second at the first's origin
    thickness = abs(float(faces.radius[pair.one]) - other) * float(np.cos(angle))
    if abs(thickness - pair.distance) > 2 * _EVEN * thickness:
        return None
    radius = 0.5 * (float(faces.radius[pair.one]) + other)
    return MidwaySurface("cone", faces.origin[pair.one], a, radius, angle), thickness
