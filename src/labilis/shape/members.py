"""What each piece is as a member: its own length, section and walls, whatever it is meshed with."""

from __future__ import annotations

import itertools
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from scipy.spatial import ConvexHull

from labilis.model import LabilisError, Piece, Strut
from labilis.shape.face_tables import Floats
from labilis.shape.midsurface import MidSurface, find_midsurface
from labilis.shape.profile import points_of
from labilis.shape.recipes.named_body import Made, middle_of, parts
from labilis.shape.recipes.paths import Read, section_of
from labilis.shape.sections import cut, scan_sections
from labilis.shape.step import solids_of
from labilis.shape.topology import BodyShape, build_body, edge_row, face_row

_STATIONS = 5
_ALIKE = 1e-3  # of second moments that differ by rounding only: no axis is the weak one
# times its corners reach further than its sides: of a square 1.41, of a polygon of 16 corners 1.02
_ROUND = 1.05
_CLEAR = 0.1  # of the length left out at either end: eyes and feet are no section


@dataclass(frozen=True)
class Wall:
    """The slimmest flat wall: width and thickness mm; edges: 'both supported', 'one supported,
    one free', or '' when not known."""

    width: float
    thickness: float
    edges: str


@dataclass(frozen=True)
class Member:
    """One piece, or one of its copies. axis (3,) of its longest direction; length mm; area mm²,
    i_min, i_max mm⁴ of its weakest section, mean_area of all; fibre mm: distance of the extreme
    fibre from the weak axis; wall: None when it has no flat wall; radius mm of the middle of a
    round tube's wall, 0 for others; thickness mm: twice volume over skin; bodies: numbers in the
    part."""

    name: str
    piece: str
    bodies: tuple[int, ...]
    axis: Floats
    length: float
    area: float
    mean_area: float
    i_min: float
    i_max: float
    fibre: float
    wall: Wall | None
    radius: float
    thickness: float


def measure(
    name: str, piece: Piece, bodies: tuple[int, ...], solid: Any, walls: list[Wall], radius: float
) -> Member | None:
    """Member of a solid shape; None when it has no section across its longest direction."""
    forms = [build_body(shape) for shape in solids_of(solid)]
    if not forms:
        return None
    axis = forms[0].view.long_axis
    points = np.concatenate([form.view.tessellation.points for form in forms])
    along = points @ axis
    low, high = float(along.min()), float(along.max())
    area, mean_area, i_min, i_max, fibre = _section(forms, axis, low, high, points)
    if area <= 0:
        return None
    thickness = (
        2.0
        * sum(form.view.volume for form in forms)
        / sum(float(form.faces.area.sum()) for form in forms)
    )
    wall = max(
        walls,
        key=lambda one: (
            one.width / one.thickness / (1.0 if one.edges == "both supported" else 0.326)
        ),
        default=None,
    )
    return Member(
        name,
        piece.name,
        bodies,
        axis,
        high - low,
        area,
        mean_area,
        i_min,
        i_max,
        fibre,
        wall,
        radius,
        thickness,
    )


def again(member: Member, name: str, bodies: tuple[int, ...], solid: Any) -> Member:
    """The same member as another copy: only its direction is its own."""
    form = build_body(solids_of(solid)[0])
    return replace(member, name=name, bodies=bodies, axis=form.view.long_axis)


def _section(
    forms: list[BodyShape], axis: Floats, low: float, high: float, points: Floats
) -> tuple[float, float, float, float, float]:
    """(area, mean area, i_min, i_max, extreme fibre) of the weakest section; of separate parts
    side by side together."""
    margin = _CLEAR * (high - low)
    scans = [scan_sections(form, axis, low + margin, high - margin, _STATIONS) for form in forms]
    if any(len(scan.station) == 0 for scan in scans):
        return 0.0, 0.0, 0.0, 0.0, 0.0
    if len(scans) == 1:
        scan, k = scans[0], scans[0].smallest()
        rim = _rim(cut(forms[0], scan.centroid[k], axis))
        alike = scan.i_max[k] - scan.i_min[k] < _ALIKE * scan.i_max[k]
        weak = _square_to_a_side(rim - scan.centroid[k], axis) if alike else scan.weak[k]
        reach = float(np.abs((rim - scan.centroid[k]) @ weak).max())
        return (
            float(scan.area[k]),
            float(scan.area.mean()),
            float(scan.i_min[k]),
            float(scan.i_max[k]),
            reach,
        )
    area = sum(float(scan.area[0]) for scan in scans)
    centre = sum(float(scan.area[0]) * scan.centroid[0] for scan in scans) / area
    total = np.zeros((3, 3))
    for scan in scans:
        away = scan.centroid[0] - centre
        total += (
            scan.i_min[0] * np.outer(scan.weak[0], scan.weak[0])
            + scan.i_max[0] * np.outer(scan.strong[0], scan.strong[0])
            + float(scan.area[0]) * np.outer(away, away)
        )
    values, vectors = np.linalg.eigh(total)
    across = [k for k in range(3) if abs(vectors[:, k] @ axis) < 0.5]
    weak = vectors[:, across[0]]
    return (
        area,
        area,
        float(values[across[0]]),
        float(values[across[1]]),
        float(np.abs((points - centre) @ weak).max()),
    )


def _square_to_a_side(rim: Floats, axis: Floats) -> Floats:
    """Of a section that is as weak every way the direction across it, square to a side, in which it
    reaches least: tables give the section modulus of a square tube about it. rim (n, 3) from the
    centroid; of round ones any direction."""
    one = np.cross(axis, np.eye(3)[int(np.argmin(np.abs(axis)))])
    one /= np.linalg.norm(one)
    two = np.cross(axis, one)
    flat = np.stack([rim @ one, rim @ two], axis=1)
    border = flat[ConvexHull(flat).vertices]
    sides = np.roll(border, -1, axis=0) - border
    normals = np.stack([sides[:, 1], -sides[:, 0]], axis=1) / np.linalg.norm(sides, axis=1)[:, None]
    reach = np.abs(flat @ normals.T).max(axis=0)
    away = np.linalg.norm(flat, axis=1)
    # a chord between two points of a circle reaches less than the circle
    best = (
        flat[int(away.argmax())]
        if away.max() < _ROUND * reach.min()
        else normals[int(reach.argmin())]
    )
    best = best / np.linalg.norm(best)
    return np.asarray(best[0] * one + best[1] * two)


def _rim(section: Any) -> Floats:
    """Points (n, 3) round a cut."""
    from OCP.BRepAdaptor import BRepAdaptor_Curve

    found = []
    for edge in parts(section, "edge"):
        curve = BRepAdaptor_Curve(edge)
        for t in np.linspace(curve.FirstParameter(), curve.LastParameter(), 17):
            point = curve.Value(float(t))
            found.append((point.X(), point.Y(), point.Z()))
    return np.array(found)


# --- walls
# --------------------------------------------------------------------------------------------------
def walls_of(
    piece: Piece, made: Made | None, solid: BodyShape | None, read: Read, where: str
) -> tuple[list[Wall], float]:
    """(flat walls, radius of a round tube or 0) of a piece, from its section or its sheets; of an
    imported solid from its mid-surface, or, where it has none, from its faces, whose edges are not
    known."""
    if isinstance(piece.recipe, Strut):
        section = section_of(piece.recipe, read, where)
        if piece.recipe.section.shape == "round tube":
            return [], read(piece.recipe.section.diameter or "", "length") / 2 - section.walls[
                0
            ].thickness / 2
        runs = [(run, wall.thickness) for wall in section.walls for run in wall.runs]
        return [
            wall
            for k, (run, thickness) in enumerate(runs)
            if run.through is None
            and (
                wall := _run_wall(run, thickness, [other for j, other in enumerate(runs) if j != k])
            ).width
            > 0
        ], 0.0
    if made is not None and made.sheets:
        return _sheet_walls(made), 0.0
    if solid is not None:
        try:
            return _thin_walls(find_midsurface(solid, piece.name))
        except LabilisError:  # it is not thin
            return _solid_walls(solid), 0.0
    return [], 0.0


def _run_wall(run: Any, thickness: float, others: list[tuple[Any, float]]) -> Wall:
    ends = [_touches(point, thickness, others) for point in (run.start, run.end)]
    width = float(np.linalg.norm(run.end - run.start))
    # the two halves of a flange lie in one line: each stands out by itself
    return Wall(
        width,
        thickness,
        "both supported" if all(ends) else "one supported, one free" if any(ends) else "",
    )


def _touches(point: Floats, thickness: float, others: list[tuple[Any, float]]) -> bool:
    for other, wall in others:
        path = points_of([other]) if other.through is not None else np.array([other.start])
        path = np.concatenate([path, other.end[None]])
        for a, b in itertools.pairwise(path):
            t = np.clip((point - a) @ (b - a) / max(float((b - a) @ (b - a)), 1e-300), 0, 1)
            if np.linalg.norm(a + t * (b - a) - point) < 0.51 * (thickness + wall):
                return True
    return False


def _sheet_walls(made: Made) -> list[Wall]:
    beside: dict[tuple[float, ...], int] = {}

    def place(
        edge: Any,
    ) -> tuple[float, ...]:  # sheets are not fused yet: common edges lie on each other
        return tuple(round(c, 4) + 0.0 for c in middle_of(edge))

    for face, *_ in made.sheets:
        for edge in parts(face, "edge"):
            beside[place(edge)] = beside.get(place(edge), 0) + 1
    found = []
    for face, thickness, *_ in made.sheets:
        row = face_row(face)
        if row["kind"] != "plane":
            continue
        edges = [
            (float(edge_row(edge)["length"]), beside[place(edge)] > 1)
            for edge in parts(face, "edge")
        ]
        longest = max(length for length, _ in edges)
        held = sum(joined for length, joined in edges if length > 0.6 * longest)
        found.append(
            Wall(
                row["area"] / longest,
                thickness,
                ("", "one supported, one free", "both supported")[min(held, 2)],
            )
        )
    return found


def _thin_walls(found: MidSurface) -> tuple[list[Wall], float]:
    """(flat walls, radius of a round tube or 0) of a mid-surface, whose sheets end half a
    thickness from each other at sharp corners."""
    sheets = [(sheet.face, sheet.thickness) for sheet in found.sheets]
    rows = [face_row(face) for face, _ in sheets]
    radii = [float(row["radius"]) for row in rows if row["kind"] == "cylinder"]
    if (
        len(radii) == len(rows)
        and np.ptp(radii) < 1e-6 * radii[0]
        and all(row["inner"] == rows[0]["inner"] for row in rows)
    ):
        longest = max(
            edge_row(edge)["length"] for face, _ in sheets for edge in parts(face, "edge")
        )
        around = sum(float(row["area"]) for row in rows) / longest
        return [], radii[0] if around > np.pi * radii[0] else 0.0
    walls = []
    for number, ((face, thickness), row) in enumerate(zip(sheets, rows)):
        if row["kind"] != "plane":
            continue
        others = [sheet for k, sheet in enumerate(sheets) if k != number]
        edges = [(float(edge_row(edge)["length"]), edge) for edge in parts(face, "edge")]
        longest = max(length for length, _ in edges)
        held = sum(
            _meets(edge, thickness, others) for length, edge in edges if length > 0.6 * longest
        )
        walls.append(
            Wall(
                float(row["area"]) / longest,
                thickness,
                ("", "one supported, one free", "both supported")[min(held, 2)],
            )
        )
    return walls, 0.0


def _meets(edge: Any, thickness: float, others: list[tuple[Any, float]]) -> bool:
    """Whether the middle of an edge lies on another sheet, or half a thickness from it."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeVertex
    from OCP.BRepExtrema import BRepExtrema_DistShapeShape
    from OCP.gp import gp_Pnt

    spot = BRepBuilderAPI_MakeVertex(gp_Pnt(*middle_of(edge))).Vertex()
    return any(
        BRepExtrema_DistShapeShape(spot, face).Value() < 0.51 * max(thickness, other) + 1e-6
        for face, other in others
    )


def _solid_walls(body: BodyShape) -> list[Wall]:
    longest = np.zeros(len(body.faces))
    for column in (0, 1):
        there = body.edges.faces[:, column] >= 0
        np.maximum.at(longest, body.edges.faces[there, column], body.edges.length[there])
    thickness = body.view.thickness
    flat = (body.faces.kind == "plane") & (longest > 0)
    width = body.faces.area[flat] / np.maximum(longest[flat], 1e-300)
    return [Wall(float(one), thickness, "") for one in width if one > 5 * thickness]


def member_of(
    name: str,
    piece: Piece,
    bodies: tuple[int, ...],
    made: Made | None,
    solid: Any,
    read: Read,
    where: str,
) -> Member | None:
    """Member of a piece from its recipe (made) or its imported solid; None for what has no
    section."""
    try:
        form = build_body(solids_of(solid)[0]) if made is None else None
        return measure(name, piece, bodies, solid, *walls_of(piece, made, form, read, where))
    except (LabilisError, IndexError):
        return None
