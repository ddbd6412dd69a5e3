"""Measuring what is picked: section properties of flat faces, lengths of edges, distances and
angles between two."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from labilis.analysis.section_properties import cut_section
from labilis.mechanics.cross_section import CrossSection, cross_section
from labilis.mesh import mesh_section
from labilis.model import shown
from labilis.results.findings import Floats, MeshFindings
from labilis.shape import EdgeTable, FaceTable, ShapeView

Item = tuple[str, int]
_NOUGHT = 1e-9  # of the largest movement: rounding


def face_section(view: ShapeView, face: int) -> CrossSection | None:
    """Section properties of a flat face, from its triangulation (arcs by chords); None for faces
    that are not flat."""
    if str(view.faces.kind[face]) != "plane":
        return None
    tessellation = view.tessellation
    triangles = tessellation.triangles[tessellation.face == face]
    loops = _loops(triangles)
    normal = view.faces.direction[face]
    one = np.cross(normal, np.eye(3)[int(np.argmin(np.abs(normal)))])
    one = one / np.linalg.norm(one)
    frame = np.stack([one, np.cross(normal, one)])
    paths = [tessellation.points[loop] @ frame.T for loop in loops]
    paths.sort(key=lambda path: -float(np.prod(np.ptp(path, axis=0))))  # the outer one first
    try:
        return cross_section(*mesh_section([paths]))
    except (ValueError, IndexError, ArithmeticError, np.linalg.LinAlgError):
        return None


def _loops(triangles: np.ndarray) -> list[list[int]]:
    """Closed paths round triangles, by point numbers."""
    sides = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    known = {(int(a), int(b)) for a, b in sides}
    after = {a: b for a, b in known if (b, a) not in known}
    loops = []
    while after:
        start, now = after.popitem()
        loop = [start]
        while now != start and now in after:
            loop.append(now)
            now = after.pop(now)
        loops.append(loop)
    return [loop for loop in loops if len(loop) > 2]


def measured(view: ShapeView, items: tuple[Item, ...]) -> list[str]:
    """Lines about one picked thing, or about two together; nothing for more."""
    if len(items) == 1 and items[0][0] == "face":
        return _face_lines(view, items[0][1])
    if len(items) == 1:
        return _cut_lines(view, items[0][1])
    if len(items) == 2:
        return _between(view, items)
    return []


def _face_lines(view: ShapeView, face: int) -> list[str]:
    if view.faces.thickness[face] > 0:
        return [f"sheet, {shown.length(view.faces.thickness[face])} thick"]
    section = face_section(view, face)
    if section is None:
        return []
    centre = shown.place([float(c) for c in view.faces.centroid[face]])
    small = f"{shown.value(section.i_z, 'second moment'):.4g}"
    return [
        f"I {small} and {shown.second_moment(section.i_y)}, J "
        f"{shown.second_moment(section.torsion)}",
        f"least radius of gyration {shown.length(section.radius)}; centroid {centre}",
    ]


def _cut_lines(view: ShapeView, edge: int) -> list[str]:
    """The section square to a straight edge at its middle."""
    edges = view.edges
    if str(edges.kind[edge]) != "line":
        return []
    found = cut_section(
        view,
        int(view.faces.body[max(edges.faces[edge])]),
        edges.centroid[edge],
        edges.direction[edge],
    )
    if found is None:
        return []
    torsion = f", J {shown.second_moment(found.torsion)}" if np.isfinite(found.torsion) else ""
    return [
        f"cut square to it at its middle: {shown.area(found.area)}",
        f"I {shown.value(found.i_min, 'second moment'):.4g} and "
        f"{shown.second_moment(found.i_max)}{torsion}",
        f"least radius of gyration {shown.length(np.sqrt(found.i_min / found.area))}",
    ]


def _points(view: ShapeView, item: Item) -> Floats:
    of, index = item
    if of == "edge":
        return view.tessellation.edge(index)
    tessellation = view.tessellation
    return tessellation.points[np.unique(tessellation.triangles[tessellation.face == index])]


def _between(view: ShapeView, items: tuple[Item, ...]) -> list[str]:
    tables: dict[str, FaceTable | EdgeTable] = {"face": view.faces, "edge": view.edges}
    a, b = items
    one, two = _points(view, a), _points(view, b)
    nearest = min(float(np.linalg.norm(two - point, axis=1).min()) for point in one)
    middle = float(np.linalg.norm(tables[a[0]].centroid[a[1]] - tables[b[0]].centroid[b[1]]))
    lines = [
        f"{shown.length(middle)} between their middles, {shown.length(nearest)} at the nearest "
        "corners"
    ]
    ways = [tables[of].direction[index] for of, index in items]
    if all(np.linalg.norm(way) > 0.5 for way in ways):
        cosine = float(np.clip(abs(ways[0] @ ways[1]), 0.0, 1.0))
        angle = float(np.degrees(np.arccos(cosine)))
        if a[0] != b[0]:  # a face's direction is square to it
            angle = 90.0 - angle
        apart = ""
        if a[0] == b[0] == "face":
            between = tables[b[0]].centroid[b[1]] - tables[a[0]].centroid[a[1]]
            apart = f", {shown.length(abs(float(between @ ways[0])))} apart"
        lines.append(f"{angle:.4g}° between them" if angle > 1e-3 else f"parallel{apart}")
    return lines


def measured_moved(
    view: ShapeView, items: tuple[Item, ...], mesh: MeshFindings, motion: Floats
) -> list[str]:
    """What a motion (n, 3) mm of the mesh's nodes does to one picked thing, or to the distance and
    the angle of two; on the sides of elements that lie on them, before and after alike. Nothing for
    what has no element."""
    if len(items) not in (1, 2) or len(motion) != len(mesh.nodes):
        return []
    before, after = (
        [_Placed.of(mesh, item, places) for item in items]
        for places in (mesh.nodes, mesh.nodes + motion)
    )
    if any(item is None for item in before):
        return []
    return _of_one(before[0], after[0]) if len(items) == 1 else _of_two(view, items, before, after)  # type: ignore[arg-type]


@dataclass(frozen=True)
class _Placed:
    """A picked thing on the mesh: its middle mm, its length mm along the sides of elements (0 for
    faces), the distance mm of its ends (nan for faces and closed edges), its direction: from end to
    end, or the mean normal."""

    middle: Floats
    length: float
    ends: float
    way: Floats

    @classmethod
    def of(cls, mesh: MeshFindings, item: Item, places: Floats) -> _Placed | None:
        kind, number = item
        if kind == "face":
            corners = places[mesh.triangles[mesh.triangle_face == number][:, :3]]
            if len(corners) == 0:
                return None
            cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
            area = np.linalg.norm(cross, axis=1)
            return cls(
                (area[:, None] * corners.mean(axis=1)).sum(axis=0) / area.sum(),
                0.0,
                np.nan,
                _unit(cross.sum(axis=0)),
            )
        sides = mesh.segments[mesh.segment_edge == number]
        if len(sides) == 0:
            return None
        if sides.shape[1] == 3:
            sides = np.concatenate(
                [
                    np.where(sides[:, 2] >= 0, sides[:, [0, 2]].T, sides[:, [0, 1]].T).T,
                    sides[sides[:, 2] >= 0][:, [2, 1]],
                ]
            )
        start, end = places[sides[:, 0]], places[sides[:, 1]]
        lengths = np.linalg.norm(end - start, axis=1)
        weights = lengths if lengths.any() else np.ones(len(lengths))
        middle = (weights[:, None] * (start + end) / 2.0).sum(axis=0) / weights.sum()
        nodes, uses = np.unique(sides[sides[:, 0] != sides[:, 1]], return_counts=True)
        tips = nodes[uses == 1]
        if len(tips) != 2:
            return cls(middle, float(lengths.sum()), np.nan, np.zeros(3))
        run = places[tips[1]] - places[tips[0]]
        return cls(middle, float(lengths.sum()), float(np.linalg.norm(run)), _unit(run))


def _unit(vector: Floats) -> Floats:
    length = float(np.linalg.norm(vector))
    return np.zeros(3) if length == 0.0 else np.asarray(vector / length)


def _of_one(before: _Placed, after: _Placed) -> list[str]:
    move = after.middle - before.middle
    move = np.where(np.abs(move) < _NOUGHT * np.abs(move).max(), 0.0, move)
    each = ", ".join(
        f"{axis} {shown.value(float(part), 'length'):.3g}" for axis, part in zip("xyz", move)
    )
    lines = [f"moves by {shown.length(float(np.linalg.norm(move)), 3)} under the load ({each})"]
    if before.length > 0:
        lines.append(
            f"{shown.length(before.length, 6)} long, "
            f"{shown.text(after.length - before.length, 'length', 3, '+')} under the load"
        )
    if np.isfinite(before.ends):
        lines.append(
            f"ends {shown.length(after.ends, 6)} apart under the load, "
            f"{shown.text(after.ends - before.ends, 'length', 3, '+')}"
        )
    turned = _angle(before.way, after.way)
    return [*lines, f"turns by {turned:.3g}°"] if turned > 1e-6 else lines


def _of_two(
    view: ShapeView, items: tuple[Item, ...], before: list[_Placed], after: list[_Placed]
) -> list[str]:
    apart, then = (float(np.linalg.norm(two.middle - one.middle)) for one, two in (before, after))
    lines = [
        f"middles {shown.length(then, 6)} apart under the load, "
        f"{shown.text(then - apart, 'length', 3, '+')}"
    ]
    tables: dict[str, FaceTable | EdgeTable] = {"face": view.faces, "edge": view.edges}
    straight = all(str(tables[of].kind[index]) in ("line", "plane") for of, index in items)
    if straight and all(item.way.any() for item in (*before, *after)):
        kinds = [of for of, _ in items]
        was, now = (_angle(one.way, two.way) for one, two in (before, after))
        if "edge" in kinds and was > 90.0:  # a line runs both ways: the smaller angle is meant
            was, now = 180.0 - was, 180.0 - now
        # normals look out of the part: what faces enclose, and an edge with a face, shrinks as they
        # open
        lines.append(
            "the angle between them changes by "
            f"{(now - was) * (-1 if 'face' in kinds else 1) + 0.0:+.3g}°"
        )
    return lines


def _angle(one: Floats, two: Floats) -> float:
    """Degrees between two unit vectors, without loss for small angles."""
    return (
        float(np.degrees(2.0 * np.arctan2(np.linalg.norm(one - two), np.linalg.norm(one + two))))
        if one.any() and two.any()
        else 0.0
    )
