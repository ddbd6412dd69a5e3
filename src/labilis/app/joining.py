"""Bolts and seams from what is picked."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from labilis.app.picked import Offer, Selection, with_region
from labilis.model import Bolt, Project, Seam
from labilis.model.renaming import renamed
from labilis.run.picking import ShapeView, circle_centre

_SIZES = (
    3,
    4,
    5,
    6,
    8,
    10,
    12,
    14,
    16,
    20,
    24,
    27,
    30,
    36,
)  # mm: threads of ISO 261's first choice


def join_offers(view: ShapeView, selection: Selection) -> list[Offer]:
    """Ways to join what is picked: bores of two or more pieces, or edges that lie on another
    piece."""
    bores = [_bore(view, item) for item in selection]
    if (
        all(bore is not None for bore in bores)
        and len({view.body_of(*item) for item in selection}) > 1
    ):
        return [Offer("bolt", "A bolt through them, the pieces only bolted")]
    if bores and all(bore is not None for bore in bores):
        through = _through_each(view, selection)
        if through:
            many = f"{len(through)} bolts, each" if len(through) > 1 else "A bolt"
            return [Offer("bolts", f"{many} through what lies on its hole, only bolted")]
    if any(of != "edge" or view.edges.length[index] == 0 for of, index in selection):
        return []
    if len({view.body_of(*item) for item in selection}) > 1:
        return []
    return [
        Offer(f"seam {name}", f"Welded to {name} along them") for name in _beside(view, selection)
    ]


def join(
    project: Project, view: ShapeView, selection: Selection, way: str
) -> tuple[Project, str, str, str]:
    """(statements, words, list that the new one is in, its name) with the selection joined in
    one of the ways of `join_offers`."""
    if way == "bolt":
        project, name = _with_bolt(project, view, selection)
        return project, f"{name} added", "bolts", name
    if way == "bolts":
        through = _through_each(view, selection)
        for items in through:
            project, name = _with_bolt(project, view, items)
        words = f"{len(through)} bolts added" if len(through) > 1 else f"{name} added"
        return project, words, "bolts", name
    project, region = with_region(project, view, selection)
    body = way.removeprefix("seam ")
    to = (
        body if any(body in piece.instances for piece in project.pieces) else project.piece_of(body)
    )
    seam = Seam(name=project.free_name("seams", f"{region.name} welded"), along=region.name, to=to)
    return project.with_item("seams", seam), f"{seam.name} added", "seams", seam.name


def _with_bolt(project: Project, view: ShapeView, items: Selection) -> tuple[Project, str]:
    """(statements, name) with a bolt through bores, of the largest thread that fits."""
    groups: dict[int, list[tuple[str, int]]] = {}
    for item in items:
        groups.setdefault(view.body_of(*item), []).append(item)
    regions = []
    for bores in groups.values():
        project, name = _bore_region(project, view, _whole(view, bores))
        regions.append(name)
    bore = min(2 * float(_bore(view, item)[1]) for item in items)  # type: ignore[index]
    size = max((size for size in _SIZES if size <= bore), default=_SIZES[0])
    bolt = Bolt(
        name=project.free_name("bolts", f"M{size}"),
        through=tuple(regions),
        diameter=f"{size} mm",
        faces="apart",
    )
    return project.with_item("bolts", bolt), bolt.name


@dataclass(frozen=True)
class _Hole:
    """items: the face or edges of a round hole; body it is in; axis (3,); centre (3,) mm; radius
    mm; low, high: from where to where it goes along the axis, mm."""

    items: Selection
    body: int
    axis: np.ndarray
    centre: np.ndarray
    radius: float
    low: float
    high: float


def _hole(view: ShapeView, item: tuple[str, int]) -> _Hole | None:
    """The whole hole that an item is of, None of what is not round all the way, such as a bend."""
    bore = _bore(view, item)
    if bore is None:
        return None
    axis, radius = np.array(bore[0], dtype=float), bore[1]
    of, index = item
    items = _whole(view, [item])
    if of == "edge":
        if view.edges.length[[row for _, row in items]].sum() < 1.99 * np.pi * radius:
            return None
        centre = circle_centre(view, index)
        half = 0.5 * float(view.faces.thickness[int(view.edges.faces[index].max())])
        middle = float(centre @ axis)
        low, high = middle - half, middle + half
    else:
        rows = [row for _, row in items]
        centre = np.array(view.faces.origin[index], dtype=float)
        there = np.isin(view.tessellation.face, rows)
        points = view.tessellation.points[np.unique(view.tessellation.triangles[there])]
        low, high = float((points @ axis).min()), float((points @ axis).max())
        round_all_the_way = 2.0 * np.pi * radius * (high - low)
        if view.sheet[index] or view.faces.area[rows].sum() < 0.99 * round_all_the_way:
            return None
    return _Hole(items, view.body_of(of, index), axis, centre, radius, low, high)


_PARALLEL = 0.999  # cosine of axes that are one
_ON_AXIS = 0.25  # of the radius: holes that a bolt still goes through
_NEAR = 1.0  # of the thinner wall: the gap across which holes are on each other


def _meet(one: _Hole, two: _Hole) -> bool:
    """Whether one bolt goes through both holes, of walls that lie on each other or nearly so."""
    if abs(float(one.axis @ two.axis)) < _PARALLEL or max(one.radius, two.radius) > 2 * min(
        one.radius, two.radius
    ):
        return False
    off = two.centre - one.centre
    off = off - (off @ one.axis) * one.axis
    if float(np.linalg.norm(off)) > _ON_AXIS * min(one.radius, two.radius):
        return False
    sign = 1.0 if one.axis @ two.axis > 0 else -1.0
    low, high = sorted((sign * two.low, sign * two.high))
    gap = max(low - one.high, one.low - high)
    return gap <= _NEAR * min(one.high - one.low, two.high - two.low)


def _through_each(view: ShapeView, selection: Selection) -> list[Selection]:
    """For each hole that is picked, it and all holes of other pieces that lie on it and on each
    other; none where no other piece is met."""
    found: list[Selection] = []
    done: set[tuple[str, int]] = set()
    if len(view.bodies) < 2:
        return found
    for item in selection:
        first = None if item in done else _hole(view, item)
        if first is None:
            continue
        group, known = [first], set(first.items)
        for hole in group:  # grows while it is gone through
            for other in _about(view, hole):
                met = None if other in known else _hole(view, other)
                if met is not None and _meet(hole, met):
                    known |= set(met.items)
                    group.append(met)
        done |= known
        if len({hole.body for hole in group}) > 1:
            found.append(tuple(part for hole in group for part in hole.items))
    return found


def _about(view: ShapeView, hole: _Hole) -> list[tuple[str, int]]:
    """Round edges and faces about the axis of a hole that may be of another one that lies on it:
    a plate may have thousands that do not."""
    found: list[tuple[str, int]] = []
    for of, table, kind in (("edge", view.edges, "circle"), ("face", view.faces, "cylinder")):
        centre = table.centroid if of == "edge" else view.faces.origin
        off = centre - hole.centre
        off = off - (off @ hole.axis)[:, None] * hole.axis
        # the middle of an arc lies off the axis by less than its radius
        reach = _ON_AXIS * hole.radius + (table.radius if of == "edge" else 0.0)
        near = (table.kind == kind) & (np.linalg.norm(off, axis=1) <= reach)
        near &= np.abs(table.direction @ hole.axis) > _PARALLEL
        found += [(of, int(row)) for row in np.flatnonzero(near)]
    return [item for item in found if _bore(view, item) is not None]


def _bore_region(project: Project, view: ShapeView, items: Selection) -> tuple[Project, str]:
    """Statements with a region for a bore, called after its piece where it has no name of its
    own."""
    known = {region.name for region in project.regions}
    project, region = with_region(project, view, items)
    if region.name in known or not region.picks:
        return project, region.name
    number = [item.name for item in project.regions].index(region.name)
    name = project.free_name("regions", f"{region.piece} bore")
    return renamed(project, "regions", number, name), name


def _bore(view: ShapeView, item: tuple[str, int]) -> tuple[np.ndarray, float] | None:
    """(direction, radius) of a bore, or of the round edge of a hole."""
    of, index = item
    if of == "face":
        round_one = str(view.faces.kind[index]) == "cylinder" and bool(view.faces.inner[index])
        return (view.faces.direction[index], float(view.faces.radius[index])) if round_one else None
    face = int(view.edges.faces[index].max())  # -1 for the end of a line
    if (
        str(view.edges.kind[index]) != "circle" or face < 0 or view.faces.thickness[face] <= 0
    ):  # a solid's bore is its face
        return None
    return view.edges.direction[index], float(view.edges.radius[index])


def _whole(view: ShapeView, items: list[tuple[str, int]]) -> Selection:
    """Picked bores, arcs with all others of their circle, faces with all others of their
    cylinder."""
    found = dict.fromkeys(items)
    faces = view.faces
    for of, index in items:
        if of == "face":
            axis, radius = faces.direction[index], float(faces.radius[index])
            off = faces.origin - faces.origin[index]
            off = off - (off @ axis)[:, None] * axis
            same = faces.inner & (faces.body == faces.body[index]) & (faces.kind == "cylinder")
            same &= np.abs(faces.direction @ axis) > 1 - 1e-6
            same &= np.abs(faces.radius - radius) < 1e-3 * radius
            same &= np.linalg.norm(off, axis=1) < 0.01 * radius
            found |= {("face", int(row)): None for row in _touching(view, index, same)}
        if of == "edge":
            centre, radius = circle_centre(view, index), float(view.edges.radius[index])
            alike = (view.edges.kind == "circle") & (
                np.abs(view.edges.radius - radius) < 1e-3 * radius
            )
            alike &= np.linalg.norm(view.edges.centroid - centre, axis=1) < 1.01 * radius
            for other in np.flatnonzero(alike):
                if (
                    view.body_of("edge", int(other)) == view.body_of(of, index)
                    and np.linalg.norm(circle_centre(view, int(other)) - centre) < 0.01 * radius
                ):
                    found["edge", int(other)] = None
    return tuple(found)


def _touching(view: ShapeView, face: int, among: np.ndarray) -> list[int]:
    """Faces that hang together with one of them over edges: bores in two walls of one body have
    one axis as well."""
    found = [face]
    for row in found:
        beside = view.edges.faces[(view.edges.faces == row).any(axis=1)]
        found += [
            int(other)
            for other in np.unique(beside[beside >= 0])
            if among[other] and int(other) not in found
        ]
    return found


def _beside(view: ShapeView, selection: Selection) -> list[str]:
    """Bodies whose surface comes as near to the edges as the walls are thick."""
    points = np.concatenate([view.tessellation.edge(index) for _, index in selection])
    own = view.body_of(*selection[0])
    reach = 1.05 * max(view.thickness, float(view.faces.thickness.max(initial=0.0)))
    found = []
    for body, name in enumerate(view.bodies):
        if body == own:
            continue
        faces = np.flatnonzero(view.faces.body == body)
        corners = view.tessellation.points[
            np.unique(view.tessellation.triangles[np.isin(view.tessellation.face, faces)])
        ]
        if (
            len(corners)
            and ((points >= corners.min(axis=0) - reach) & (points <= corners.max(axis=0) + reach))
            .all(axis=1)
            .any()
        ):
            found.append(str(name))
    return found
