"""Scribes cut into the faces of solids and sheets: faces are divided, nothing is taken away, and
what is scribed has a name."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from scipy.spatial import ConvexHull

from labilis.model import LabilisError, Project, Scribe, ScribeCircle, ScribeLine
from labilis.shape.face_tables import EdgeTable, FaceTable, Floats, Whole
from labilis.shape.recipes.named_body import images, parts
from labilis.shape.regions import closest_row, rows_named
from labilis.shape.step import solids_of
from labilis.shape.topology import (
    BodyShape,
    build_body,
    edge_row,
    face_row,
    make_table,
    normal_at,
    shape_key,
)


def scribe_part(
    project: Project, solids: Sequence[BodyShape], sheets: BodyShape | None
) -> tuple[list[BodyShape], BodyShape | None]:
    """Solids and sheets with all scribes of the project cut in. Raises LabilisError for a scribe
    whose face is not there, that does not cross it or that this kind of face cannot take."""
    if not project.scribes:
        return list(solids), sheets
    drawn = [*solids, *([] if sheets is None else [sheets])]
    present = list(drawn)
    for scribe in project.scribes:
        where = f"scribes/{scribe.name}"

        def read(text: str, where: str = where) -> float:
            return project.value(text, "length", where)

        hosts = _hosts(scribe, drawn, present)
        if not hosts:
            raise LabilisError(
                f"Scribe '{scribe.name}' lost its face.",
                where,
                "Remove it and scribe the face again.",
                "lost-region",
            )
        for number, source, row, rows in hosts:
            edges = _crossing(source, row, scribe, read, where)
            inside = [_spot(source, row, scribe, read)] if isinstance(scribe, ScribeCircle) else []
            present[number] = _cut_in(
                present[number], rows, scribe, edges, inside, read, drawn[number] is sheets
            )
    return present[: len(solids)], present[-1] if sheets is not None else None


def _hosts(
    scribe: Scribe, drawn: Sequence[BodyShape], present: Sequence[BodyShape]
) -> list[tuple[int, BodyShape, int, list[int]]]:
    """(component, body that measures the face, its row there, rows of the parts it has been divided
    into since) of the faces a scribe is
    on: all that have its name, or the one that looks most like its pick."""
    if scribe.pick is None:
        found = [
            (number, body, row, _parts_of(present[number], row))
            for number, body in enumerate(drawn)
            for row in rows_named(body.faces, scribe.face)
        ]
        return found or [
            (number, body, row, [row])
            for number, body in enumerate(present)
            for row in rows_named(body.faces, scribe.face)
        ]
    scale = max(body.reach for body in drawn)
    looks: list[tuple[float, int, int, int]] = []
    for age, bodies in enumerate((drawn, present)):
        for number, body in enumerate(bodies):
            row, cost = closest_row(scribe.pick, body.faces, scale)
            if row >= 0:
                looks.append((cost, age, number, row))
    if not looks:
        return []
    _, age, number, row = min(looks)
    return [
        (number, drawn[number], row, _parts_of(present[number], row))
        if age == 0
        else (number, present[number], row, [row])
    ]


def _parts_of(body: BodyShape, row: int) -> list[int]:
    """Present rows of a face as it was drawn."""
    return (
        [row]
        if body.whole is None
        else [int(part) for part in np.flatnonzero(body.whole.face_of == row)]
    )


# --- what is scribed
# --------------------------------------------------------------------------------------------------
def _crossing(body: BodyShape, row: int, scribe: Scribe, read: Any, where: str) -> list[Any]:
    """Edges on a face where the scribe's planes or cylinders cross it."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Section

    found = []
    for tool in _tools(body, row, scribe, read, where):
        section = BRepAlgoAPI_Section(body.face_handles[row], tool, False)
        section.ComputePCurveOn1(True)
        section.Approximation(False)
        section.Build()
        found += parts(section.Shape(), "edge")
    if not found:
        raise LabilisError(
            f"Scribe '{scribe.name}' does not cross its face.",
            where,
            "Give another offset or place.",
            "scribe-outside",
        )
    return found


def _tools(body: BodyShape, row: int, scribe: Scribe, read: Any, where: str) -> list[Any]:
    kind = str(body.faces.kind[row])
    if isinstance(scribe, ScribeLine):
        if scribe.between is not None:
            ends = np.array([[read(text) for text in point] for point in scribe.between])
            along = ends[1] - ends[0]
            across = np.cross(along, normal_at(body, row, ends.mean(axis=0)))
            if np.linalg.norm(across) < 1e-9 * max(float(np.linalg.norm(along)), 1.0):
                raise LabilisError(
                    f"The two points of scribe '{scribe.name}' give no line on its face.",
                    where,
                    "Take two places on the face.",
                    "scribe-points",
                )
            return [_plane(ends[0], across)]
        offset = read(scribe.offset)
        if kind == "plane":
            middle, along, across = _frame(body, row)
            if scribe.run == "crosswise":
                along, across = across, along
            return [_plane(middle + offset * across, across)]
        if kind == "cylinder":
            return [_on_cylinder(body, row, scribe.run, offset)]
        raise LabilisError(
            f"A line cannot be scribed along a {kind} face.",
            where,
            "Give two points for it to run between.",
            "scribe-kind",
        )
    middle, normal = _centre(body, row, scribe, read)
    radii = [read(text) / 2 for text in (scribe.diameter, scribe.hole) if text]
    if min(radii) <= 0 or (len(radii) > 1 and radii[1] >= radii[0]):
        raise LabilisError(
            f"The diameters of scribe '{scribe.name}' make no ring.",
            where,
            "Both above zero, the hole the smaller one.",
            "scribe-size",
        )
    return [
        _round(
            middle,
            normal,
            radius,
            reach=min(2 * radius, body.reach) if kind != "plane" else body.reach,
        )
        for radius in radii
    ]


def _frame(body: BodyShape, row: int) -> tuple[Floats, Floats, Floats]:
    """(middle, along, across) of a plane face: of the smallest rectangle round it, the longer side
    first; `across` points to the positive side of the axis nearest to it."""
    normal = body.faces.direction[row]
    edges = [
        np.array(places)
        for places in (_sampled(edge) for edge in parts(body.face_handles[row], "edge"))
    ]
    points = np.concatenate(edges)
    one = np.cross(normal, np.eye(3)[int(np.argmin(np.abs(normal)))])
    one /= np.linalg.norm(one)
    two = np.cross(normal, one)
    flat = points @ np.stack([one, two], axis=1)
    hull = flat[ConvexHull(flat).vertices]
    sides = np.roll(hull, -1, axis=0) - hull
    best: tuple[float, Floats, Floats, Floats] | None = None
    for angle in np.unique(np.round(np.arctan2(sides[:, 1], sides[:, 0]) % (np.pi / 2), 9)):
        turned = hull @ np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
        low, high = turned.min(axis=0), turned.max(axis=0)
        area = float(np.prod(high - low))
        if best is None or area < best[0] * (1 - 1e-9):
            back = np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
            axes = back if (high - low)[0] >= (high - low)[1] * (1 - 1e-9) else back[::-1]
            best = (area, 0.5 * (low + high) @ back, axes[0], axes[1])
    assert best is not None
    basis = np.stack([one, two])
    middle = best[1] @ basis + normal * float(points[0] @ normal)
    along, across = best[2] @ basis, best[3] @ basis
    return middle, _positive(along), _positive(across)


def _positive(axis: Floats) -> Floats:
    return axis if axis[int(np.argmax(np.abs(axis)))] > 0 else -axis


def _sampled(edge: Any) -> list[tuple[float, float, float]]:
    from OCP.BRepAdaptor import BRepAdaptor_Curve

    curve = BRepAdaptor_Curve(edge)
    count = 2 if curve.GetType().name == "GeomAbs_Line" else 25
    return [
        (point.X(), point.Y(), point.Z())
        for point in (
            curve.Value(float(t))
            for t in np.linspace(curve.FirstParameter(), curve.LastParameter(), count)
        )
    ]


def _plane(point: Floats, normal: Floats) -> Any:
    from OCP.gp import gp_Dir, gp_Pln, gp_Pnt

    return gp_Pln(gp_Pnt(*map(float, point)), gp_Dir(*map(float, normal)))


def _cylinder_of(body: BodyShape, row: int) -> tuple[Any, float, float, float, float]:
    from OCP.BRepAdaptor import BRepAdaptor_Surface

    adaptor = BRepAdaptor_Surface(body.face_handles[row])
    return (
        adaptor,
        adaptor.FirstUParameter(),
        adaptor.LastUParameter(),
        adaptor.FirstVParameter(),
        adaptor.LastVParameter(),
    )


def _middle_of_cylinder(body: BodyShape, row: int) -> Floats:
    adaptor, u0, u1, v0, v1 = _cylinder_of(body, row)
    point = adaptor.Value(0.5 * (u0 + u1), 0.5 * (v0 + v1))
    return np.array([point.X(), point.Y(), point.Z()])


def _on_cylinder(body: BodyShape, row: int, run: str, offset: float) -> Any:
    """Plane square to the axis, or a half plane that starts at it; the offset of the latter is
    an arc on the face."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
    from OCP.gp import gp_Ax3, gp_Dir, gp_Pln, gp_Pnt

    adaptor, u0, u1, v0, v1 = _cylinder_of(body, row)
    axis, origin, radius = (
        body.faces.direction[row],
        body.faces.origin[row],
        float(body.faces.radius[row]),
    )
    if run == "crosswise":
        return _plane(origin + (0.5 * (v0 + v1) + offset) * axis, axis)
    point = adaptor.Value(0.5 * (u0 + u1) + offset / radius, 0.5 * (v0 + v1))
    spot = np.array([point.X(), point.Y(), point.Z()])
    out = spot - origin - ((spot - origin) @ axis) * axis
    out /= np.linalg.norm(out)
    base = spot - radius * out
    side = np.cross(axis, out)
    frame = gp_Ax3(gp_Pnt(*map(float, base)), gp_Dir(*map(float, side)), gp_Dir(*map(float, out)))
    length = v1 - v0
    return BRepBuilderAPI_MakeFace(
        gp_Pln(frame), 0.5 * radius, 1.5 * radius, -length, length
    ).Face()


def _round(middle: Floats, normal: Floats, radius: float, reach: float) -> Any:
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
    from OCP.gp import gp_Ax3, gp_Cylinder, gp_Dir, gp_Pnt

    frame = gp_Ax3(gp_Pnt(*map(float, middle)), gp_Dir(*map(float, normal)))
    return BRepBuilderAPI_MakeFace(gp_Cylinder(frame, radius), 0.0, 2 * np.pi, -reach, reach).Face()


# --- cutting in
# --------------------------------------------------------------------------------------------------
def _cut_in(
    body: BodyShape,
    rows: list[int],
    scribe: Scribe,
    edges: list[Any],
    inside: list[Callable[[Floats], bool]],
    read: Any,
    sheet: bool,
) -> BodyShape:
    """The body with faces divided; faces and edges keep their names, new ones get the scribe's.
    Parts of the faces `rows` of which a point lies `inside` are its patch."""
    from OCP.BOPAlgo import BOPAlgo_Builder

    builder = BOPAlgo_Builder()
    for shape in [*(body.face_handles if sheet else [body.solid]), *edges]:
        builder.AddArgument(shape)
    builder.Perform()
    if builder.HasErrors():
        raise LabilisError(
            f"Scribe '{scribe.name}' could not be cut into the part.",
            f"scribes/{scribe.name}",
            "Move it a little, or clear of edges.",
            "scribe",
        )
    face_of = {
        shape_key(face): (row, face)
        for face, row in images(
            builder, [(face, row) for row, face in enumerate(body.face_handles)]
        )
    }
    edge_of = {
        shape_key(edge): row
        for edge, row in images(
            builder, [(edge, row) for row, edge in enumerate(body.edge_handles)]
        )
    }
    patch = {
        key
        for key, (row, face) in face_of.items()
        if row in rows and any(test(_point_in(face)) for test in inside)
    }
    scribed = {
        shape_key(edge): f"{scribe.name}/{_edge_word(edge, scribe, read)}"
        for edge, _ in images(builder, [(edge, scribe) for edge in edges])
    }
    result = _divided(builder, [face for _, face in face_of.values()] if sheet else [])
    before = [face_of[shape_key(face)][0] for face in result.face_handles]
    origin = [edge_of.get(shape_key(edge), -1) for edge in result.edge_handles]
    return _named(body, result, scribe, before, origin, patch, scribed)


def _named(
    body: BodyShape,
    result: BodyShape,
    scribe: Scribe,
    before: list[int],
    origin: list[int],
    patch: set[int],
    scribed: Mapping[int, str],
) -> BodyShape:
    """The divided body with the names of the faces and edges it came from (rows of `body`, -1 for
    new edges), and those of the scribe."""
    words = [
        _with(str(body.faces.name[row]), f"{scribe.name}/patch" if shape_key(face) in patch else "")
        for row, face in zip(before, result.face_handles)
    ]
    edge_words = [
        _with(str(body.edges.name[row]) if row >= 0 else "", scribed.get(shape_key(edge), ""))
        for row, edge in zip(origin, result.edge_handles)
    ]
    whole = body.whole or Whole(
        body.faces, body.edges, np.arange(len(body.faces)), np.arange(len(body.edges))
    )
    return replace(
        result,
        faces=replace(
            result.faces,
            name=np.array(words, dtype=np.str_),
            body=body.faces.body[before],
            thickness=body.faces.thickness[before],
        ),
        edges=replace(result.edges, name=np.array(edge_words, dtype=np.str_)),
        whole=replace(
            whole,
            face_of=whole.face_of[before],
            edge_of=np.array([-1 if row < 0 else whole.edge_of[row] for row in origin]),
        ),
    )


def _divided(builder: Any, handles: list[Any]) -> BodyShape:
    """The sheets of these faces, or the solid, as it is after the cut."""
    if handles:
        around, table = edges_of(handles)
        return BodyShape(
            builder.Shape(),
            tuple(handles),
            tuple(around),
            make_table(FaceTable, [face_row(face) for face in handles]),
            make_table(EdgeTable, table),
        )
    return build_body(solids_of(builder.Shape())[0])


def _with(names: str, more: str) -> str:
    """Names joined by '|', each once."""
    return "|".join(dict.fromkeys(word for word in (*names.split("|"), more) if word))


def _point_in(face: Any) -> Floats:
    """A point inside a face, mm."""
    from OCP.BOPTools import BOPTools_AlgoTools3D
    from OCP.gp import gp_Pnt, gp_Pnt2d
    from OCP.IntTools import IntTools_Context

    point, flat = gp_Pnt(), gp_Pnt2d()
    BOPTools_AlgoTools3D.PointInFace_s(face, point, flat, IntTools_Context())
    return np.array([point.X(), point.Y(), point.Z()])


def _spot(body: BodyShape, row: int, scribe: ScribeCircle, read: Any) -> Callable[[Floats], bool]:
    """Tells whether a point on the face lies inside the scribe's circle and outside its hole."""
    middle, normal = _centre(body, row, scribe, read)
    low, high, flat = (
        read(scribe.hole) / 2 if scribe.hole else 0.0,
        read(scribe.diameter) / 2,
        body.faces.kind[row] == "plane",
    )

    def test(point: Floats) -> bool:
        step = point - middle
        away = float(np.linalg.norm(step - (step @ normal) * normal))
        return bool(low < away < high and (flat or abs(step @ normal) < 4 * high))

    return test


def _centre(body: BodyShape, row: int, scribe: ScribeCircle, read: Any) -> tuple[Floats, Floats]:
    """(middle, normal there) of a circle."""
    kind = str(body.faces.kind[row])
    if scribe.at is not None:
        middle = np.array([read(text) for text in scribe.at])
    else:
        middle = (
            _frame(body, row)[0]
            if kind == "plane"
            else _middle_of_cylinder(body, row)
            if kind == "cylinder"
            else body.faces.centroid[row]
        )
    return middle, normal_at(body, row, middle)


def _edge_word(edge: Any, scribe: Scribe, read: Any) -> str:
    if isinstance(scribe, ScribeLine):
        return "line"
    if scribe.hole is None:
        return "outer"
    from OCP.BRepAdaptor import BRepAdaptor_Curve

    curve = BRepAdaptor_Curve(edge)
    if curve.GetType().name == "GeomAbs_Circle":
        return (
            "inner"
            if curve.Circle().Radius() < (read(scribe.hole) + read(scribe.diameter)) / 4
            else "outer"
        )
    return "outer"


def edges_of(faces: Sequence[Any]) -> tuple[list[Any], list[dict[str, Any]]]:
    """Edges of sheets, without names, with the faces beside them."""
    beside: dict[int, list[int]] = {}
    handle: dict[int, Any] = {}
    for number, face in enumerate(faces):
        for edge in parts(face, "edge"):
            handle.setdefault(shape_key(edge), edge)
            beside.setdefault(shape_key(edge), []).append(number)
    rows = [
        {
            **edge_row(edge),
            "faces": [beside[key][0], beside[key][1] if len(beside[key]) > 1 else -1],
        }
        for key, edge in handle.items()
    ]
    return list(handle.values()), rows
