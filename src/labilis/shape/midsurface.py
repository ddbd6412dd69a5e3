"""Thin solids to sheets that meet: every wall's midway surface is cut by the solid, and walls share
their edges.

The cut of a midway surface with the whole solid reaches through root fillets and through the walls
that it ends at, so that it crosses their own middles. All cuts are put together with common edges,
and what hangs over beyond a common edge is taken off: it lies in another wall's thickness. Where a
wall passes smoothly into a bend, or into a thicker part, its cut is divided along that line first.
Faces that are neither plane, cylinder nor cone are moved inward by half the thickness instead."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from labilis.model import LabilisError
from labilis.shape.face_tables import Floats, Ints
from labilis.shape.offsets import area_of, offset_face
from labilis.shape.rays import Rays
from labilis.shape.recipes.named_body import Made, Sheet, images, middle_of, parts, typed
from labilis.shape.repeated_bodies import matrix_of, move_between
from labilis.shape.topology import BodyShape, edge_row, normal_at, shape_key, surface_near
from labilis.shape.walls import MidwaySurface, Wall, Walls, find_walls

LEAST_COVER = 0.80  # of the volume that must lie in walls for sheets to stand for a solid at all
_BESIDE = 0.15  # of the thickness: how far the sides may be from where the thickness says
# thicknesses from the middle beyond which a side is missing: another wall stands there
_DEEP = 0.62
_COVERED = 0.5  # share of a cell that must lie between sides for it to be wall by itself
_LITTLE = 0.2  # under this a cut has nothing to do with the wall
_FREE = 0.4  # share of the rim of what is not covered that may be free
_REACH = 4.0  # thicknesses that a midway surface is extended: through fillets and other walls
_FILLET = 0.4  # of the thickness: radius of a fillet that is worth a strip of its own
# walls that a place in a root fillet counts for at most: at 2.0 the twist of T, I and angle struts
# with fillets of one thickness came out 6 to 10 % too stiff against solids, without strips 11 to 14
# % too soft; at 1.5 both twist and bending lie within 4 %
_ROOT = 1.5
_ANGLE = 0.5  # sine, 30°: walls that meet at less pass into each other
_SPOTS = 40  # where a cell is looked at
_TANGENT = 0.985  # cosine, 10°: faces that bend less where they meet move inward as one


@dataclass(frozen=True)
class MidSurface:
    """sheets that share edges where they meet; covered: share of the solid's volume that lies in
    walls; deviation: volume of the sheets over that of the solid, less one, what meets counted
    once; width: of the narrowest wall over its thickness; narrow: width of the narrowest wall that
    meets another at an angle, over the thickness of that one, nought where none does."""

    sheets: tuple[Sheet, ...]
    covered: float
    deviation: float
    width: float
    narrow: float = 0.0

    @property
    def made(self) -> Made:
        """The sheets as a recipe makes them."""
        return Made(sheets=list(self.sheets))


@dataclass(frozen=True)
class _Cell:
    """A piece of a cut: its face, the wall it belongs to, the share of it that lies between that
    wall's sides, and the share that has one of the sides while another wall stands where the other
    would be; filled: thickness (mm) of a strip beside a root fillet, nought for all others."""

    face: Any
    wall: Wall
    surface: MidwaySurface
    covered: float
    under: float = 0.0
    filled: float = 0.0


_known: deque[tuple[Any, MidSurface]] = deque(maxlen=32)


def find_midsurface(body: BodyShape, name: str) -> MidSurface:
    """Mid-surface of a thin solid, of one that was looked at before, in this place or another, the
    same one moved. Raises LabilisError for a solid that is not thin, with the share that is."""
    for solid, found in _known:
        if (move := move_between(solid, body.solid)) is not None:
            return found if move.IsIdentity() else _moved(found, move)
    found = _find(body, name)
    _known.append((body.solid, found))
    return found


def _moved(found: MidSurface, move: Any) -> MidSurface:
    turn, shift = matrix_of(move)
    return replace(
        found,
        sheets=tuple(
            sheet._replace(
                face=typed(sheet.face.Moved(move)),
                slope=tuple((turn @ sheet.slope).tolist()),
                centre=tuple((turn @ sheet.centre + shift).tolist()),
            )
            for sheet in found.sheets
        ),
    )


def _find(body: BodyShape, name: str) -> MidSurface:
    walls = find_walls(body)
    reach = _REACH * max((wall.thickness for wall in walls.walls), default=0.0)
    _refuse_ridges(body, walls, name)
    cells: list[_Cell] = []
    for number, surface in enumerate(walls.surfaces):
        here = [wall for wall in walls.walls if wall.surface == number]
        if not here:
            continue
        if surface.kind == "other":
            cells += [
                _Cell(face, here[0], surface, 1.0)
                for face in offset_face(body, surface.face, -here[0].thickness / 2)
            ]
            continue
        marks = _marks(body, surface, here, walls)
        for face in _divided(_cut(body, surface, here, walls.rays, reach), marks.onward):
            cell = _judged(face, surface, here, walls)
            if cell is not None and cell.covered + cell.under > _LITTLE:
                cells += _told_apart(cell, marks.roots, here, walls)
    cells = _peeled(_together(cells, walls))
    volume = sum(area_of(cell.face) * _thickness(cell) for cell in cells)
    twice = _twice(cells)
    share = (volume - twice) / body.view.volume
    if not cells or share < LEAST_COVER:
        raise LabilisError(
            f"'{name}' is not thin: only {100 * max(share, 0.0):.0f} % of its volume lies between "
            "pairs of faces at "
            "an even small distance.",
            f"pieces/{name}/mesh_as",
            "Mesh it as a solid.",
            "not-thin",
        )
    width = min(_width(cell) for cell in cells if cell.covered > _COVERED)
    return MidSurface(tuple(_sheets(_turned(cells))), share, share - 1.0, width, _narrow(cells))


def _refuse_ridges(body: BodyShape, walls: Walls, name: str) -> None:
    """Raises LabilisError for a free-form wall that meets another at an angle: what is moved inward
    by half of its thickness is not carried on to the other, and both would hang beside one another
    by a gap."""
    owner = {face: number for number, wall in enumerate(walls.walls) for face in wall.faces}
    free = {
        face
        for wall in walls.walls
        if walls.surfaces[wall.surface].kind == "other"
        for face in wall.faces
    }
    for number, (one, two) in enumerate(body.edges.faces):
        if (
            owner.get(int(one)) == owner.get(int(two))
            or not {int(one), int(two)} & free
            or not {int(one), int(two)} <= set(owner)
        ):
            continue
        place = np.array(middle_of(body.edge_handles[number]))
        if float(normal_at(body, int(one), place) @ normal_at(body, int(two), place)) < _TANGENT:
            near = ", ".join(f"{c:.4g}" for c in place)
            raise LabilisError(
                f"'{name}' has free-form walls that meet at an angle, near ({near}) mm, where "
                "shells cannot "
                "be joined.",
                f"pieces/{name}/mesh_as",
                "Mesh it as a solid.",
                "ridge",
            )


# --- cuts
# --------------------------------------------------------------------------------------------------
def _cut(
    body: BodyShape, surface: MidwaySurface, walls: Sequence[Wall], rays: Rays, reach: float
) -> list[Any]:
    """Faces of the midway surface, some `reach` mm larger than its walls, that lie in the solid."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Common

    mine = np.isin(rays.owner, sorted(frozenset().union(*(wall.faces for wall in walls))))
    tools = _large(surface, rays.corners[mine].reshape(-1, 3), reach)
    return parts(
        BRepAlgoAPI_Common(tools[0] if len(tools) == 1 else _sewn(tools), body.solid).Shape(),
        "face",
    )


def _sewn(faces: Sequence[Any]) -> Any:
    """Faces joined at their common edges; the kernel mistakes halves of one surface for each
    other when it has to find those."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_Sewing

    sewing = BRepBuilderAPI_Sewing(1e-6)
    for face in faces:
        sewing.Add(face)
    sewing.Perform()
    return sewing.SewedShape()


def _large(surface: MidwaySurface, points: Floats, reach: float) -> list[Any]:
    """The surface as a face that goes `reach` mm beyond points (k, 3); round ones that close in
    two halves."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
    from OCP.Geom import Geom_ConicalSurface, Geom_CylindricalSurface
    from OCP.gp import gp_Ax3, gp_Dir, gp_Pln, gp_Pnt

    frame = gp_Ax3(gp_Pnt(*map(float, surface.origin)), gp_Dir(*map(float, surface.direction)))
    x, y = (np.array([d.X(), d.Y(), d.Z()]) for d in (frame.XDirection(), frame.YDirection()))
    away = points - surface.origin
    if surface.kind == "plane":
        u, v = away @ x, away @ y
        return [
            BRepBuilderAPI_MakeFace(
                gp_Pln(frame),
                float(u.min()) - reach,
                float(u.max()) + reach,
                float(v.min()) - reach,
                float(v.max()) + reach,
            ).Face()
        ]
    height = away @ surface.direction
    low, high = float(height.min()) - reach, float(height.max()) + reach
    spread = reach / surface.radius
    start, length = _sector(np.arctan2(away @ y, away @ x))
    if length < 2 * np.pi - 0.5:  # open ones stay open
        spread = min(spread, 0.5 * (2 * np.pi - 0.3 - length))
    length += 2 * spread
    frame.Rotate(
        frame.Axis(), start - spread
    )  # parameters from nought: the kernel mistakes others for their like a turn away
    geometry: Any = Geom_CylindricalSurface(frame, surface.radius)
    if surface.kind == "cone":
        geometry = Geom_ConicalSurface(frame, surface.angle, surface.radius)
        low, high = (
            float(
                np.clip(h, *_above_the_tip(surface.radius, float(np.tan(surface.angle)), low, high))
            )
            / float(np.cos(surface.angle))
            for h in (low, high)
        )
    runs = [(0.0, np.pi), (np.pi, 2 * np.pi)] if length > 2 * np.pi - 0.2 else [(0.0, length)]
    return [BRepBuilderAPI_MakeFace(geometry, a, b, low, high, 1e-7).Face() for a, b in runs]


def _above_the_tip(radius: float, slope: float, low: float, high: float) -> tuple[float, float]:
    """Least and greatest height at which a cone has not run to its tip."""
    tip = -0.98 * radius / slope if slope != 0 else -np.inf
    return (tip, high) if slope > 0 else (low, tip)


def _sector(angles: Floats) -> tuple[float, float]:
    """(start, length) of the shortest arc that holds all angles, rad."""
    ordered = np.sort(angles)
    gaps = np.append(np.diff(ordered), ordered[0] + 2 * np.pi - ordered[-1])
    largest = int(gaps.argmax())
    return float(ordered[(largest + 1) % len(ordered)]), float(2 * np.pi - gaps[largest])


@dataclass(frozen=True)
class _Marks:
    """Edges on a midway surface. onward: beyond them another wall goes on, a bend or a thicker or
    thinner part; roots: where a root fillet begins, and straight on from the ends of a foot, so
    that no more is carried on to the other wall than stands on it."""

    onward: list[Any]
    roots: list[Any]


def _marks(body: BodyShape, surface: MidwaySurface, here: Sequence[Wall], walls: Walls) -> _Marks:
    """What divides the cut of a midway surface."""
    found = _Marks([], [])
    sides: frozenset[int] = frozenset().union(*(wall.faces for wall in walls.walls))
    longer = max(wall.thickness for wall in walls.walls)
    for wall in here:
        for face in sorted(wall.faces):
            for rim in _rim(body, face):
                half = 0.5 * float(wall.thickness_at(rim.place[None])[0])
                beyond = rim.place - half * rim.normal + 0.35 * wall.thickness * rim.outward
                if _goes_on(beyond, surface.normal_at(beyond[None])[0], wall, walls):
                    found.onward.append(_onto(rim.edge, surface, 0.5 * wall.thickness))
                elif rim.rise > 1e-3 * wall.thickness:
                    if rim.beside not in sides and rim.rise > (1 + 1e-6) * _FILLET * wall.thickness:
                        found.roots.append(_onto(rim.edge, surface, 0.0))
                    found.roots.extend(_foot_ends(rim, surface, half, longer, sides, walls.rays))
    return _Marks(
        [edge for edge in found.onward if edge is not None],
        [edge for edge in found.roots if edge is not None],
    )


def _foot_ends(
    rim: _Rim, surface: MidwaySurface, half: float, length: float, sides: frozenset[int], rays: Rays
) -> list[Any]:
    """Edges straight on from those ends of a foot where the solid goes on beside it; sides:
    faces of walls."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge
    from OCP.gp import gp_Pnt

    found = []
    drop = 0.0
    if (
        rim.beside not in sides
    ):  # a fillet or a chamfer stands between: the foot ends further out than the edge does
        drop = max(
            0.0,
            float(
                (
                    (rays.corners[rays.owner == rim.beside].reshape(-1, 3) - rim.place)
                    @ rim.outward
                ).max()
            ),
        )
    for end, along in zip(rim.ends, rim.leaving):
        normal = rim.normal
        outward = np.cross(along, normal)
        outward *= np.sign(float(outward @ rim.outward)) / max(
            float(np.linalg.norm(outward)), 1e-300
        )
        start = _on_the_other(end - half * normal, along, outward, drop, rays)
        places = start + 0.6 * half * along + 0.6 * half * np.stack([outward, -outward])
        _, _, cosine = rays.faces_hit(places, np.stack([outward, -outward]))
        if (
            cosine[0] > 0 and not cosine[1] > 0
        ):  # a ray that leaves first began in the solid: it goes on only under the foot
            a, b = surface.nearest(
                np.stack([start - 0.02 * half * outward, start + 2.0 * length * outward])
            )
            found.append(
                BRepBuilderAPI_MakeEdge(gp_Pnt(*map(float, a)), gp_Pnt(*map(float, b))).Edge()
            )
    return found if surface.kind == "plane" else []


def _on_the_other(start: Floats, along: Floats, outward: Floats, drop: float, rays: Rays) -> Floats:
    """Where the outline of a wall that leaves a place beside a fillet meets the wall `drop` mm
    further out. The outline is followed half of the way and drawn on from there: a straight one is
    met as it is, a fillet led round the end is cut off before it runs out."""
    if drop <= 0:
        return start
    depths = np.array([0.25, 0.5]) * drop
    back = 1.5 * drop
    inside = start - back * along + depths[:, None] * outward
    distance, _, cosine = rays.faces_hit(inside, np.stack([along, along]))
    if not (cosine > 0).all() or (distance > 4 * back).any():  # not in the wall, or no outline near
        return start
    beyond = distance - back
    return np.asarray(start + (beyond[1] + 2 * (beyond[1] - beyond[0])) * along + drop * outward)


@dataclass(frozen=True)
class _Rim:
    """An edge of a face: outward (3,): out of the face in the middle of the edge; place and normal
    (3,) of the face there; ends (2, 3) mm with the directions `leaving` (2, 3) in which the edge
    would go on; beside: the face on its other side; rise mm: how far that face comes up over this
    one near the edge, below nought where it goes down."""

    edge: Any
    outward: Floats
    place: Floats
    normal: Floats
    ends: Floats
    leaving: Floats
    beside: int
    rise: float


def _rim(body: BodyShape, face: int) -> Iterable[_Rim]:
    """Edges of a face."""
    from OCP.BRep import BRep_Tool
    from OCP.BRepAdaptor import BRepAdaptor_Curve
    from OCP.gp import gp_Pnt, gp_Vec
    from OCP.TopAbs import TopAbs_EDGE, TopAbs_REVERSED
    from OCP.TopExp import TopExp_Explorer
    from OCP.TopoDS import TopoDS

    known = {shape_key(edge): number for number, edge in enumerate(body.edge_handles)}
    explorer = TopExp_Explorer(body.face_handles[face], TopAbs_EDGE)
    while explorer.More():
        edge = TopoDS.Edge_s(explorer.Current())
        explorer.Next()
        if BRep_Tool.Degenerated_s(edge) or shape_key(edge) not in known:
            continue
        curve = BRepAdaptor_Curve(edge)
        first, last = curve.FirstParameter(), curve.LastParameter()
        sign = -1.0 if edge.Orientation() == TopAbs_REVERSED else 1.0
        places, tangents = [], []
        for t in (first, 0.5 * (first + last), last):
            point, tangent = gp_Pnt(), gp_Vec()
            curve.D1(t, point, tangent)
            places.append((point.X(), point.Y(), point.Z()))
            tangents.append((tangent.X(), tangent.Y(), tangent.Z()))
        size = np.linalg.norm(tangents, axis=1)
        if size.min() < 1e-12:
            continue
        along = np.array(tangents) / size[:, None]
        normal = normal_at(body, face, np.array(places[1]))
        outward = np.cross(sign * along[1], normal)
        number = known[shape_key(edge)]
        beside = int(body.edges.faces[number].sum() - face)
        # the other face seen a little way in: it comes up over this one beside a root, and goes
        # down beside a free end
        depth = 0.25 * np.sqrt(float(min(body.faces.area[beside], body.faces.area[face])))
        depth = min(
            depth, 0.5 * float(np.nan_to_num(body.faces.radius[beside], nan=np.inf)) or depth
        )
        near = surface_near(body.face_handles[beside], places[1])[1]
        into = np.cross(near, -sign * along[1])
        rise = float((into * depth) @ normal)
        if abs(rise) < 0.05 * depth and np.isfinite(
            body.faces.radius[beside]
        ):  # tangent: it rises by its bend
            rise = (
                float(body.faces.radius[beside])
                * (1.0 if body.faces.inner[beside] else -1.0)
                * (1.0 if str(body.faces.kind[face]) == "plane" else 0.0)
            )
        yield _Rim(
            edge,
            outward,
            np.array(places[1]),
            normal,
            np.array([places[0], places[2]]),
            np.stack([-along[0], along[2]]),
            beside,
            rise,
        )


def _goes_on(place: Floats, normal: Floats, wall: Wall, walls: Walls) -> bool:
    """Whether a place lies in the middle part of another wall than this one."""
    distance, face, _ = walls.rays.faces_hit(np.stack([place, place]), np.stack([normal, -normal]))
    for other in walls.walls:
        if other is wall or not (int(face[0]) in other.faces and int(face[1]) in other.faces):
            continue
        if (
            abs(float(distance.sum()) - float(other.thickness_at(place[None])[0]))
            < 2 * _BESIDE * other.thickness
        ):
            return True
    return False


def _onto(edge: Any, surface: MidwaySurface, longer: float) -> Any:
    """An edge moved onto a midway surface along its normals; open ones go on by `longer` mm at
    either end."""
    from OCP.BRepAdaptor import BRepAdaptor_Curve
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge
    from OCP.gp import gp_Ax2, gp_Circ, gp_Dir, gp_Pnt

    curve = BRepAdaptor_Curve(edge)
    first, last = curve.FirstParameter(), curve.LastParameter()
    kind = curve.GetType().name

    def at(parameter: float) -> Floats:
        point = curve.Value(parameter)
        return np.array([point.X(), point.Y(), point.Z()])

    if kind == "GeomAbs_Line" and (
        surface.kind == "plane"
        or abs(float((at(last) - at(first)) @ surface.direction))
        > (1 - 1e-9) * np.linalg.norm(at(last) - at(first))
    ):
        a, b = surface.nearest(np.stack([at(first), at(last)]))
        step = (b - a) / np.linalg.norm(b - a) * longer
        return BRepBuilderAPI_MakeEdge(
            gp_Pnt(*map(float, a - step)), gp_Pnt(*map(float, b + step))
        ).Edge()
    if kind == "GeomAbs_Circle":
        circle = curve.Circle()
        axis = circle.Axis().Direction()
        square = abs(float(np.array([axis.X(), axis.Y(), axis.Z()]) @ surface.direction)) > 1 - 1e-9
        if square:
            middle = surface.nearest(at(0.5 * (first + last))[None])[0]
            old = circle.Location()
            centre = np.array([old.X(), old.Y(), old.Z()])
            n = np.array([axis.X(), axis.Y(), axis.Z()])
            centre = centre + float((middle - centre) @ n) * n
            radius = float(np.linalg.norm(middle - centre))
            frame = gp_Ax2(
                gp_Pnt(*map(float, centre)),
                axis,
                gp_Dir(*(getattr(circle.XAxis().Direction(), c)() for c in "XYZ")),
            )
            whole = last - first > 2 * np.pi - 1e-9
            more = 0.0 if whole else min(longer / radius, 0.5 * (2 * np.pi - (last - first)))
            return BRepBuilderAPI_MakeEdge(gp_Circ(frame, radius), first - more, last + more).Edge()
    return _projected(edge, surface)


def _projected(edge: Any, surface: MidwaySurface) -> Any:
    """Any other edge on a midway surface: a curve through its points moved there."""
    from OCP.BRepAdaptor import BRepAdaptor_Curve
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge
    from OCP.GeomAPI import GeomAPI_PointsToBSpline
    from OCP.gp import gp_Pnt
    from OCP.TColgp import TColgp_Array1OfPnt

    curve = BRepAdaptor_Curve(edge)
    places = [
        curve.Value(float(t))
        for t in np.linspace(curve.FirstParameter(), curve.LastParameter(), 33)
    ]
    moved = surface.nearest(np.array([(p.X(), p.Y(), p.Z()) for p in places]))
    if np.linalg.norm(moved[0] - moved[-1]) < 1e-6:
        return None
    row = TColgp_Array1OfPnt(1, len(moved))
    for number, point in enumerate(moved, 1):
        row.SetValue(number, gp_Pnt(*map(float, point)))
    fitted = GeomAPI_PointsToBSpline(row)
    return BRepBuilderAPI_MakeEdge(fitted.Curve()).Edge() if fitted.IsDone() else None


def _divided(faces: Sequence[Any], marks: Sequence[Any]) -> list[Any]:
    """Faces cut along edges that lie on them."""
    from OCP.BOPAlgo import BOPAlgo_Builder

    if not marks:
        return list(faces)
    found = []
    for face in faces:
        builder = BOPAlgo_Builder()
        builder.AddArgument(face)
        for mark in marks:
            builder.AddArgument(mark)
        builder.SetFuzzyValue(1e-5)
        builder.Perform()
        pieces = [] if builder.HasErrors() else [typed(piece) for piece in builder.Modified(face)]
        found += pieces or [face]
    return found


def _told_apart(
    cell: _Cell, roots: Sequence[Any], here: Sequence[Wall], walls: Walls
) -> list[_Cell]:
    """A cell divided at its roots: strips beside fillets have a thickness of their own, what is
    carried on beside a foot is a piece by itself."""
    pieces = _divided([cell.face], roots)
    if len(pieces) < 2:
        return [cell]
    found = []
    for face in pieces:
        new = _judged(face, cell.surface, here, walls)
        if new is not None:
            found.append(
                replace(new, filled=_filled(new, walls)) if new.covered < _COVERED else new
            )
    return found


def _filled(cell: _Cell, walls: Walls) -> float:
    """Thickness (mm) that bends as a strip beside a root fillet does: across it the flexibilities
    of its places add up, so that the cube of the thickness is averaged by its inverse. No place
    counts for more than `_ROOT` walls."""
    places = cell.surface.nearest(spots(cell.face))
    normals = cell.surface.normal_at(places)
    across = walls.rays.shoot(places, normals)[0] + walls.rays.shoot(places, -normals)[0]
    wall = cell.wall.thickness_at(places)
    relative = np.clip(across / wall, 1.0, _ROOT)
    return float(np.median(wall) * np.mean(relative**-3.0) ** (-1.0 / 3.0))


# --- cells
# --------------------------------------------------------------------------------------------------
def _judged(
    face: Any, surface: MidwaySurface, candidates: Sequence[Wall], walls: Walls
) -> _Cell | None:
    """A piece of a cut with the wall that it fits best, None for a speck."""
    places = surface.nearest(spots(face))
    if len(places) == 0:
        return None
    normals = surface.normal_at(places)
    ahead, back = walls.rays.faces_hit(places, normals), walls.rays.faces_hit(places, -normals)
    elsewhere = _between_others(ahead[1], back[1], walls)
    best: _Cell | None = None
    for wall in candidates:
        own = sorted(wall.faces)
        half = 0.5 * wall.thickness_at(places)
        (one, far_one), (two, far_two) = (
            (
                np.isin(face_hit, own) & (np.abs(distance - half) < _BESIDE * wall.thickness),
                distance > 2 * _DEEP * half,
            )
            for distance, face_hit, _ in (ahead, back)
        )
        between, under = one & two, ((one & far_two) | (two & far_one)) & ~elsewhere
        cell = _Cell(face, wall, surface, float(between.mean()), float(under.mean()))
        if best is None or cell.covered + cell.under > best.covered + best.under:
            best = cell
    return best


def _between_others(ahead: Ints, back: Ints, walls: Walls) -> NDArray[np.bool_]:
    """(k,): whether rays ahead and back meet the two sides of one wall."""
    found = np.zeros(len(ahead), dtype=bool)
    for wall in walls.walls:
        own = sorted(wall.faces)
        found |= np.isin(ahead, own) & np.isin(back, own)
    return found


def spots(face: Any) -> Floats:
    """Points (k, 3) spread over a face by area."""
    from OCP.BRep import BRep_Tool
    from OCP.BRepBuilderAPI import BRepBuilderAPI_Copy
    from OCP.BRepMesh import BRepMesh_IncrementalMesh
    from OCP.TopLoc import TopLoc_Location
    from OCP.TopoDS import TopoDS

    size = np.sqrt(max(area_of(face), 1e-12))
    face = TopoDS.Face_s(
        BRepBuilderAPI_Copy(face, True, False).Shape()
    )  # edges it shares may carry points that do not fit
    BRepMesh_IncrementalMesh(face, 0.02 * size, False, 0.3, False)
    location = TopLoc_Location()
    found = BRep_Tool.Triangulation_s(face, location)
    if found is None or found.NbTriangles() == 0:
        return np.zeros((0, 3))
    move = location.Transformation()
    points = np.array(
        [
            (p.X(), p.Y(), p.Z())
            for p in (found.Node(i).Transformed(move) for i in range(1, found.NbNodes() + 1))
        ]
    )
    corners = points[
        np.array([found.Triangle(i).Get() for i in range(1, found.NbTriangles() + 1)]) - 1
    ]
    area = np.linalg.norm(
        np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1
    )
    if area.sum() <= 0:
        return np.zeros((0, 3))
    reached = np.cumsum(area)
    chosen = np.searchsorted(reached, (np.arange(_SPOTS) + 0.5) / _SPOTS * reached[-1])
    generator = np.random.default_rng(1)
    a, b = np.sqrt(generator.random(_SPOTS)), generator.random(_SPOTS)
    weights = np.stack([1 - a, a * (1 - b), a * b], axis=1)
    return np.asarray(np.einsum("kc,kcx->kx", weights, corners[chosen]))


def _together(cells: Sequence[_Cell], walls: Walls) -> list[_Cell]:
    """All cells with common edges where they meet or cross, each judged again."""
    from OCP.BOPAlgo import BOPAlgo_Builder

    if len(cells) < 2:
        return list(cells)
    builder = BOPAlgo_Builder()
    for cell in cells:
        builder.AddArgument(cell.face)
    builder.SetFuzzyValue(1e-5)
    builder.Perform()
    if builder.HasErrors():
        raise LabilisError(
            "The mid-surfaces of its walls cannot be put together.",
            "pieces",
            "Mesh the piece as a solid.",
            "fuse",
        )
    found: dict[int, _Cell] = {}
    for face, cell in images(builder, [(cell.face, cell) for cell in cells]):
        new = replace(cell, face=face)
        if not face.IsSame(cell.face) and cell.surface.kind != "other":
            judged = _judged(face, cell.surface, [cell.wall], walls)
            new = replace(judged, filled=cell.filled) if judged is not None else new
        known = found.get(shape_key(face))
        if known is None or known.covered + known.under < new.covered + new.under:
            found[shape_key(face)] = new
    return list(found.values())


def _peeled(cells: list[_Cell]) -> list[_Cell]:
    """Cells without what hangs over: pieces that are not covered and whose rim is free for the
    most part."""
    rims = [
        [(shape_key(edge), float(edge_row(edge)["length"])) for edge in parts(cell.face, "edge")]
        for cell in cells
    ]
    kept = set(range(len(cells)))
    while True:
        users: dict[int, int] = {}
        for number in kept:
            for key, _ in rims[number]:
                users[key] = users.get(key, 0) + 1
        free = {
            number: sum(length for key, length in rims[number] if users[key] == 1)
            / max(sum(length for _, length in rims[number]), 1e-300)
            for number in kept
            if cells[number].covered <= _COVERED
        }
        worst = max(free, key=lambda number: free[number], default=-1)
        if worst < 0 or free[worst] < _FREE:
            return [cells[number] for number in sorted(kept)]
        kept.discard(worst)


def _turned(cells: list[_Cell]) -> list[_Cell]:
    """Cells turned so that neighbours that pass smoothly into each other have the same side up."""
    beside: dict[int, list[tuple[int, Any]]] = {}
    for number, cell in enumerate(cells):
        for edge in parts(cell.face, "edge"):
            beside.setdefault(shape_key(edge), []).append((number, edge))
    links: dict[int, list[tuple[int, bool]]] = {}
    for users in beside.values():
        if len(users) == 2 and users[0][0] != users[1][0]:
            (one, edge), (two, _) = users
            cosine = float(_normal(cells[one].face, edge) @ _normal(cells[two].face, edge))
            if abs(cosine) > 0.85:  # the same for folds under which shells share their directors
                links.setdefault(one, []).append((two, cosine < 0))
                links.setdefault(two, []).append((one, cosine < 0))
    flip: dict[int, bool] = {}
    for start in range(len(cells)):
        if start in flip:
            continue
        flip[start], waiting = False, [start]
        while waiting:
            number = waiting.pop()
            for other, against in links.get(number, []):
                if other not in flip:
                    flip[other] = flip[number] != against
                    waiting.append(other)
    return [
        replace(cell, face=typed(cell.face.Reversed())) if flip[number] else cell
        for number, cell in enumerate(cells)
    ]


def _normal(face: Any, edge: Any) -> Floats:
    """Normal (3,) of a face, as it is turned, in the middle of one of its edges."""
    return surface_near(face, middle_of(edge))[1]


# --- figures
# --------------------------------------------------------------------------------------------------
def _thickness(cell: _Cell) -> float:
    return cell.filled or float(cell.wall.thickness_at(_centre(cell.face)[None])[0])


def _centre(face: Any) -> Floats:
    from OCP.BRepGProp import BRepGProp
    from OCP.GProp import GProp_GProps

    properties = GProp_GProps()
    BRepGProp.SurfaceProperties_s(face, properties)
    centre = properties.CentreOfMass()
    return np.array([centre.X(), centre.Y(), centre.Z()])


def _width(cell: _Cell) -> float:
    """Area over the longest edge, in thicknesses."""
    longest = max(float(edge_row(edge)["length"]) for edge in parts(cell.face, "edge"))
    return area_of(cell.face) / max(longest, 1e-300) / _thickness(cell)


def _joints(cells: Sequence[_Cell]) -> Iterable[tuple[Any, dict[int, list[int]]]]:
    """Edges with the cells there by surface; one that passes through counts twice."""
    beside: dict[int, list[tuple[int, Any]]] = {}
    for number, cell in enumerate(cells):
        for edge in parts(cell.face, "edge"):
            beside.setdefault(shape_key(edge), []).append((number, edge))
    for users in beside.values():
        edge = users[0][1]
        groups: dict[int, list[int]] = {}
        for number, _ in users:
            groups.setdefault(cells[number].wall.surface, []).extend(
                [number] * (2 if _crosses(cells[number].face, edge) else 1)
            )
        yield edge, groups


def _narrow(cells: Sequence[_Cell]) -> float:
    """Least width of a wall over the thickness of another that it meets at an angle; 0 where
    none does. Bends are no such joints."""
    least = np.inf
    for edge, groups in _joints(cells):
        if len(groups) < 2 or _sine(cells, groups, edge) < _ANGLE:
            continue
        for key, members in groups.items():
            other = max(
                (
                    _thickness(cells[number])
                    for one, rest in groups.items()
                    if one != key
                    for number in rest
                ),
                default=0.0,
            )
            for number in members:
                if other and cells[number].covered > _COVERED:
                    least = min(least, _width(cells[number]) * _thickness(cells[number]) / other)
    return float(least) if np.isfinite(least) else 0.0


def _twice(cells: Sequence[_Cell]) -> float:
    """Volume (mm³) that sheets count twice where three or more meet: half of what passes through
    and the end of what stands on it."""
    total = 0.0
    for edge, groups in _joints(cells):
        if sum(len(members) for members in groups.values()) < 3:
            continue
        thick = {
            key: max(_thickness(cells[number]) for number in members)
            for key, members in groups.items()
        }
        through = [key for key, members in groups.items() if len(members) > 1]
        if len(groups) != 2 or not through:
            continue
        one, two = groups
        part = 1.0 if len(through) == 2 else 0.5
        total += (
            part
            * thick[one]
            * thick[two]
            / max(_sine(cells, groups, edge), 0.3)
            * float(edge_row(edge)["length"])
        )
    return total


def _sine(cells: Sequence[_Cell], groups: dict[int, list[int]], edge: Any) -> float:
    """Sine of the angle between the first two surfaces that meet at an edge."""
    one, two, *_ = (_normal(cells[members[0]].face, edge) for members in groups.values())
    return float(np.linalg.norm(np.cross(one, two)))


def _crosses(face: Any, edge: Any) -> bool:
    """Whether an edge lies within a face instead of round it."""
    from OCP.TopAbs import TopAbs_EDGE, TopAbs_INTERNAL
    from OCP.TopExp import TopExp_Explorer

    uses, explorer = 0, TopExp_Explorer(face, TopAbs_EDGE)
    while explorer.More():
        if explorer.Current().IsSame(edge):
            uses += 2 if explorer.Current().Orientation() == TopAbs_INTERNAL else 1
        explorer.Next()
    return uses > 1


def _sheets(cells: Iterable[_Cell]) -> Iterable[Sheet]:
    for cell in cells:
        if cell.filled:
            yield Sheet(cell.face, cell.filled)
            continue
        slope, place = (
            tuple(float(c) for c in item) for item in (cell.wall.slope, cell.wall.place)
        )
        yield Sheet(cell.face, cell.wall.thickness, "", slope, place)  # type: ignore[arg-type]
