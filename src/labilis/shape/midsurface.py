"""Thin solids to sheets: pairs of faces at constant distance give the mid-surface and the thickness.

From every face rays go into the solid; where nearly all of them leave through faces at one distance that is small beside the
face, the face is a skin. Skins that run smoothly into each other form one side of a sheet; the larger of two opposite sides
is kept and moved inward by half the thickness.
"""
from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from labilis.model import LabilisError
from labilis.shape.recipes.made import Made, parts, typed
from labilis.shape.tables import Floats, Ints
from labilis.shape.topology import BodyShape, normal_at

_THIN = 0.35  # thickness over the square root of a face's area beyond which a face is no skin
_EVEN = 0.03  # spread of distances that still counts as constant
_SQUARE = 0.85  # least cosine between a ray and the normal of the face through which it leaves
_SMOOTH = 0.05  # rad between normals at an edge that counts as tangent
_LEAST_COVER = 0.80  # of the volume that must lie between skins


@dataclass(frozen=True)
class MidSurface:
    """patches: sheets of each smooth patch as `Made`; thickness (p,) mm of each."""

    patches: tuple[Made, ...]
    thickness: Floats


def find_midsurface(body: BodyShape, name: str) -> MidSurface:
    """Mid-surface of a thin solid. Raises LabilisError for a solid that is not thin, with the share that is."""
    distance, partner = _opposite(body)
    skins = np.flatnonzero(np.isfinite(distance))
    sides = _sides(body, skins, distance)
    kept = _kept(body, sides, partner)
    area = np.array([float(body.faces.area[side].sum()) for side in kept])
    thickness = np.array([float(np.median(distance[side])) for side in kept])
    patches = tuple(Made(sheets=_moved_in(body, side, thick)) for side, thick in zip(kept, thickness))
    covered = sum(_area(face) * t for patch in patches for face, t, _ in patch.sheets)
    share = covered / body.view.volume
    if len(area) == 0 or share < _LEAST_COVER:
        raise LabilisError(f"'{name}' is not thin: only {100 * share:.0f} % of its volume lies between pairs of faces at a constant "
                           "small distance.", f"pieces/{name}/mesh_as", "Mesh it as a solid.", "not-thin")
    return MidSurface(patches, thickness)


def _opposite(body: BodyShape) -> tuple[Floats, Ints]:
    """For each face: (distance mm through the solid, nan where it is not constant or not small; face on the other side, -1)."""
    tessellation = body.tessellate(body.view.size * 2e-4, 0.12)
    corners = tessellation.points[tessellation.triangles]
    cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    doubled = np.linalg.norm(cross, axis=1)
    normal = cross / np.maximum(doubled, 1e-300)[:, None]
    found = np.full(len(body.faces), np.nan)
    partner = np.full(len(body.faces), -1, dtype=np.int64)
    for face in range(len(body.faces)):
        rows = np.flatnonzero((tessellation.face == face) & (doubled > 0))
        rows = rows[np.argsort(-doubled[rows])[:24]]
        spots = corners[rows].mean(axis=1) if len(rows) > 6 else np.concatenate(
            [np.einsum("c,kcx->kx", weight, corners[rows]) for weight in _SPOTS])
        inward = -np.tile(normal[rows], (len(spots) // len(rows), 1))
        along, hit = _shoot(spots, inward, corners, tessellation.face, face)
        ok = np.isfinite(along)
        if ok.sum() < 0.6 * len(along):
            continue
        middle = float(np.median(along[ok]))
        near = ok & (np.abs(along - middle) < _EVEN * middle)
        if near.sum() < 0.6 * len(along) or middle > _THIN * np.sqrt(body.faces.area[face]):
            continue
        partner[face] = int(np.bincount(hit[near]).argmax())
        found[face] = _exact(body, face, int(partner[face]), middle)
    return found, partner


def _exact(body: BodyShape, one: int, two: int, rough: float) -> float:
    """Distance between two planes, coaxial cylinders or cones in closed form, mm; the rough one where they are something else."""
    faces = body.faces
    if faces.kind[one] == faces.kind[two] == "plane":
        exact = abs(float((faces.origin[two] - faces.origin[one]) @ faces.direction[one]))
    elif faces.kind[one] == faces.kind[two] == "cylinder":
        exact = abs(float(faces.radius[two] - faces.radius[one]))
    elif faces.kind[one] == faces.kind[two] == "cone" and abs(faces.second[one] - faces.second[two]) < 1e-6:
        up = float((faces.origin[two] - faces.origin[one]) @ faces.direction[one])
        exact = abs(float(faces.radius[two] - faces.radius[one]) - up * float(np.tan(faces.second[one]))) * float(np.cos(faces.second[one]))
    else:
        return rough
    return exact if abs(exact - rough) < _EVEN * rough else rough


_SPOTS = np.array([[1, 1, 1], [4, 1, 1], [1, 4, 1], [1, 1, 4]]) / np.array([[3], [6], [6], [6]])


def _shoot(points: Floats, directions: Floats, corners: Floats, owner: Ints, own: int) -> tuple[Floats, Ints]:
    """Distance (k,) along rays to the first triangle of another face, inf for none or one that it meets aslant, and that face (Möller
    and Trumbore 1997)."""
    others = np.flatnonzero(owner != own)
    a, e1, e2 = corners[others, 0], corners[others, 1] - corners[others, 0], corners[others, 2] - corners[others, 0]
    best, face = np.full(len(points), np.inf), np.zeros(len(points), dtype=np.int64)
    for k, (point, direction) in enumerate(zip(points, directions)):
        p = np.cross(direction, e2)
        det = (e1 * p).sum(axis=1)
        with np.errstate(divide="ignore", invalid="ignore"):
            s = point - a
            u = (s * p).sum(axis=1) / det
            q = np.cross(s, e1)
            v = (q @ direction) / det
            t = (e2 * q).sum(axis=1) / det
            inside = (np.abs(det) > 1e-12) & (u >= -1e-6) & (v >= -1e-6) & (u + v <= 1 + 1e-6) & (t > 1e-6)
        if inside.any():
            row = np.flatnonzero(inside)[int(np.argmin(t[inside]))]
            normal = np.cross(e1[row], e2[row])
            if abs(float(normal @ direction)) > _SQUARE * float(np.linalg.norm(normal)):  # the end of a slanted wall is no skin
                best[k], face[k] = t[row], owner[others[row]]
    return best, face


def _sides(body: BodyShape, skins: Ints, distance: Floats) -> list[Ints]:
    """Skins of one thickness joined where they run smoothly into each other."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    is_skin = np.isin(np.arange(len(body.faces)), skins)
    pairs = [(a, b) for edge, (a, b) in enumerate(body.edges.faces) if a >= 0 and b >= 0 and is_skin[a] and is_skin[b]
             and abs(distance[a] - distance[b]) < _EVEN * distance[a] and _tangent(body, edge, int(a), int(b))]
    links = np.array(pairs).reshape(-1, 2)
    graph = coo_matrix((np.ones(len(links)), (links[:, 0], links[:, 1])), shape=(len(body.faces),) * 2)
    _, label = connected_components(graph, directed=False)
    return [np.flatnonzero((label == value) & is_skin) for value in np.unique(label[skins])]


def _tangent(body: BodyShape, edge: int, one: int, two: int) -> bool:
    """Whether the surfaces on both sides of an edge have one normal there."""
    from labilis.shape.recipes.made import middle_of

    place = np.array(middle_of(body.edge_handles[edge]))
    normals = [normal_at(body, face, place) for face in (one, two)]
    return bool(abs(float(normals[0] @ normals[1])) > np.cos(_SMOOTH))


def _kept(body: BodyShape, sides: list[Ints], partner: Ints) -> list[Ints]:
    """Of opposite sides the larger one; of equal ones the first."""
    order = sorted(range(len(sides)), key=lambda k: (-round(float(body.faces.area[sides[k]].sum()), 3), k))
    gone: set[int] = set()
    kept = []
    for k in order:
        faces = {int(face) for face in sides[k]}
        lost = sum(float(body.faces.area[face]) for face in faces & gone)
        if lost > 0.5 * float(body.faces.area[sides[k]].sum()):
            continue
        kept.append(sides[k])
        gone |= {int(partner[face]) for face in faces} | {other for other in range(len(partner)) if int(partner[other]) in faces}
    return kept


def _moved_in(body: BodyShape, faces: Ints, thickness: float) -> list[tuple[Any, float, str]]:
    """Sheets of one side, each face moved inward by half the thickness."""
    return [(sheet, thickness, "") for face in faces for sheet in _offset_face(body, int(face), -thickness / 2)]


def _offset_face(body: BodyShape, face: int, by: float) -> list[Any]:
    """A face moved along its outward normal; a closed round one in two halves."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_Transform
    from OCP.gp import gp_Trsf, gp_Vec

    handle = body.face_handles[face]
    if str(body.faces.kind[face]) != "plane":
        return _offset_curved(handle, by, body.solid)
    step = gp_Trsf()
    step.SetTranslation(gp_Vec(*(float(c) for c in by * body.faces.direction[face])))
    maker = BRepBuilderAPI_Transform(handle, step, True)
    return [typed(maker.Shape().Oriented(handle.Orientation()))]


def _offset_surface(handle: Any, by: float) -> Any:
    """The surface of a face, `by` further out, whose parameters mean the same places: a cylinder, cone, sphere or torus stays one,
    anything else becomes an offset surface."""
    from OCP.BRep import BRep_Tool
    from OCP.BRepAdaptor import BRepAdaptor_Surface
    from OCP.Geom import (
        Geom_ConicalSurface,
        Geom_CylindricalSurface,
        Geom_OffsetSurface,
        Geom_SphericalSurface,
        Geom_ToroidalSurface,
    )
    from OCP.gp import gp_Vec
    from OCP.TopAbs import TopAbs_REVERSED

    adaptor = BRepAdaptor_Surface(handle)
    kind = adaptor.GetType().name.removeprefix("GeomAbs_")
    natural = by * (-1.0 if handle.Orientation() == TopAbs_REVERSED else 1.0)  # along du x dv
    if kind in ("Cylinder", "Cone", "Sphere", "Torus"):
        form = getattr(adaptor, kind)()
        frame = form.Position()
        radial = natural if frame.Direct() else -natural
        if kind == "Cylinder":
            return Geom_CylindricalSurface(frame, form.Radius() + radial)
        if kind == "Sphere":
            return Geom_SphericalSurface(frame, form.Radius() + radial)
        if kind == "Torus":
            return Geom_ToroidalSurface(frame, form.MajorRadius(), form.MinorRadius() + radial)
        axis, angle = frame.Direction(), form.SemiAngle()
        frame = frame.Translated(gp_Vec(axis.X(), axis.Y(), axis.Z()).Multiplied(-radial * float(np.sin(angle))))
        return Geom_ConicalSurface(frame, angle, form.RefRadius() + radial * float(np.cos(angle)))
    return Geom_OffsetSurface(BRep_Tool.Surface_s(handle), natural)


def _offset_curved(handle: Any, by: float, solid: Any) -> list[Any]:
    """A curved face on its offset surface, with the same outline in its parameters; of a closed round one what lies in the solid, so that
    holes and slanted ends are cut by their own walls."""
    from OCP.BRep import BRep_Tool
    from OCP.BRepAdaptor import BRepAdaptor_Surface
    from OCP.BRepBuilderAPI import (
        BRepBuilderAPI_MakeEdge,
        BRepBuilderAPI_MakeFace,
        BRepBuilderAPI_MakeWire,
        BRepBuilderAPI_Sewing,
    )
    from OCP.BRepLib import BRepLib
    from OCP.BRepTools import BRepTools_WireExplorer
    from OCP.TopAbs import TopAbs_FORWARD, TopAbs_WIRE
    from OCP.TopExp import TopExp_Explorer
    from OCP.TopoDS import TopoDS

    adaptor = BRepAdaptor_Surface(handle)
    surface = _offset_surface(handle, by)
    u0, u1, v0, v1 = (adaptor.FirstUParameter(), adaptor.LastUParameter(), adaptor.FirstVParameter(), adaptor.LastVParameter())
    forward = TopoDS.Face_s(handle.Oriented(TopAbs_FORWARD))
    wires = []
    explorer = TopExp_Explorer(forward, TopAbs_WIRE)
    while explorer.More():
        wires.append(TopoDS.Wire_s(explorer.Current()))
        explorer.Next()
    if adaptor.IsUPeriodic() and u1 - u0 > 2 * np.pi - 1e-6:
        middle = 0.5 * (u0 + u1)
        sewing = BRepBuilderAPI_Sewing(1e-6)
        for a, b in ((u0, middle), (middle, u1)):
            sewing.Add(BRepBuilderAPI_MakeFace(surface, a, b, v0, v1, 1e-6).Face().Oriented(handle.Orientation()))
        sewing.Perform()
        halves = parts(sewing.SewedShape(), "face")
        if len(wires) == 1 and _straight_ends(forward):
            return halves
        from OCP.BRepAlgoAPI import BRepAlgoAPI_Common

        inside = BRepAlgoAPI_Common(sewing.SewedShape(), solid).Shape()
        return [typed(face.Oriented(handle.Orientation())) for face in parts(inside, "face")]
    maker: Any = None
    for wire in wires:
        made, run = BRepBuilderAPI_MakeWire(), BRepTools_WireExplorer(wire, forward)
        while run.More():
            edge = run.Current()
            if BRep_Tool.Degenerated_s(edge):
                raise LabilisError("A face that runs to a point cannot be made a shell yet.", "pieces", "Mesh the piece as a solid.",
                                   "mid-kind")
            curve = BRep_Tool.CurveOnSurface_s(edge, forward, 0.0, 0.0)
            first, last = _range_of(edge)
            new = BRepBuilderAPI_MakeEdge(curve, surface, first, last).Edge()
            BRepLib.BuildCurves3d_s(new)
            made.Add(TopoDS.Edge_s(new.Oriented(edge.Orientation())))
            run.Next()
        if maker is None:
            maker = BRepBuilderAPI_MakeFace(surface, made.Wire(), True)
        else:
            maker.Add(made.Wire())
    return [TopoDS.Face_s(maker.Face().Oriented(handle.Orientation()))]


def _straight_ends(face: Any) -> bool:
    """Whether a closed round face is bounded by circles square to its axis, and by its seam."""
    from OCP.BRepAdaptor import BRepAdaptor_Curve

    kinds = {BRepAdaptor_Curve(edge).GetType().name for edge in parts(face, "edge")}
    return kinds <= {"GeomAbs_Line", "GeomAbs_Circle"}


def _range_of(edge: Any) -> tuple[float, float]:
    from OCP.BRepAdaptor import BRepAdaptor_Curve

    curve = BRepAdaptor_Curve(edge)
    return curve.FirstParameter(), curve.LastParameter()


def _area(face: Any) -> float:
    from OCP.BRepGProp import BRepGProp
    from OCP.GProp import GProp_GProps

    properties = GProp_GProps()
    BRepGProp.SurfaceProperties_s(face, properties)
    return abs(float(properties.Mass()))


def named_patches(found: MidSurface, name: str) -> list[tuple[Made, str]]:
    """Patches with the names of the bodies they become: the piece's own, or `bracket.1`, `bracket.2`, ... when there are several."""
    if len(found.patches) == 1:
        return [(found.patches[0], name)]
    return [(replace(patch), f"{name}.{number}") for number, patch in enumerate(found.patches, 1)]
