"""Shapes for the corpus, drawn with OpenCASCADE. Lengths in mm, the z axis upward unless said
otherwise."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import Any

Point2 = tuple[float, float]
Point3 = tuple[float, float, float]


def pnt(place: Sequence[float]) -> Any:
    """A point."""
    from OCP.gp import gp_Pnt

    return gp_Pnt(*(float(c) for c in place))


def box(x: float, y: float, z: float, at: Point3 = (0, 0, 0)) -> Any:
    """A block from its least corner."""
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox

    return BRepPrimAPI_MakeBox(pnt(at), x, y, z).Solid()


def cylinder(
    radius: float, height: float, at: Point3 = (0, 0, 0), along: Point3 = (0, 0, 1)
) -> Any:
    """A round bar from the centre of its foot."""
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder
    from OCP.gp import gp_Ax2, gp_Dir

    return BRepPrimAPI_MakeCylinder(gp_Ax2(pnt(at), gp_Dir(*along)), radius, height).Solid()


def cone(low: float, high: float, height: float, at: Point3 = (0, 0, 0)) -> Any:
    """A truncated cone from the centre of its foot."""
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeCone
    from OCP.gp import gp_Ax2, gp_Dir

    return BRepPrimAPI_MakeCone(gp_Ax2(pnt(at), gp_Dir(0, 0, 1)), low, high, height).Solid()


def ball(radius: float, at: Point3 = (0, 0, 0)) -> Any:
    """A ball."""
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeSphere

    return BRepPrimAPI_MakeSphere(pnt(at), radius).Solid()


def wire(points: Sequence[Sequence[float]]) -> Any:
    """A closed polygon in space."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakePolygon

    maker = BRepBuilderAPI_MakePolygon()
    for point in points:
        maker.Add(pnt(point))
    maker.Close()
    return maker.Wire()


def polygon(
    points: Sequence[Sequence[float]], holes: Sequence[Sequence[Sequence[float]]] = ()
) -> Any:
    """A plane face inside a polygon and outside others."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
    from OCP.ShapeFix import ShapeFix_Face

    maker = BRepBuilderAPI_MakeFace(wire(points), True)
    for hole in holes:
        maker.Add(wire(hole))
    fixer = ShapeFix_Face(maker.Face())
    fixer.FixOrientation()
    return fixer.Face()


def extrude(
    outline: Sequence[Point2], height: float, z: float = 0.0, holes: Sequence[Sequence[Point2]] = ()
) -> Any:
    """A polygon in x and y drawn up along z."""
    from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
    from OCP.gp import gp_Vec

    face = polygon(
        [(x, y, z) for x, y in outline], [[(x, y, z) for x, y in hole] for hole in holes]
    )
    return BRepPrimAPI_MakePrism(face, gp_Vec(0, 0, height)).Shape()


def plate_between(points: Sequence[Point3], thickness: float) -> Any:
    """A flat polygon in space, thickened to both sides."""
    from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
    from OCP.gp import gp_Vec

    a, b, c = points[:3]
    one, two = [b[k] - a[k] for k in range(3)], [c[k] - a[k] for k in range(3)]
    n = [
        one[1] * two[2] - one[2] * two[1],
        one[2] * two[0] - one[0] * two[2],
        one[0] * two[1] - one[1] * two[0],
    ]
    size = math.sqrt(sum(k * k for k in n))
    n = [k * thickness / size for k in n]
    face = polygon([tuple(p[k] - n[k] / 2 for k in range(3)) for p in points])
    return BRepPrimAPI_MakePrism(face, gp_Vec(*n)).Shape()


def loft(sections: Sequence[Sequence[Point3]], ruled: bool = True) -> Any:
    """A solid through closed polygons."""
    from OCP.BRepOffsetAPI import BRepOffsetAPI_ThruSections

    maker = BRepOffsetAPI_ThruSections(True, ruled)
    for section in sections:
        maker.AddWire(wire(section))
    maker.Build()
    return maker.Shape()


def revolve(outline: Sequence[Point2], angle: float = 2 * math.pi) -> Any:
    """A polygon of (radius, height) turned about z."""
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeRevol
    from OCP.gp import gp_Ax1, gp_Dir

    face = polygon([(r, 0.0, z) for r, z in outline])
    axis = gp_Ax1(pnt((0, 0, 0)), gp_Dir(0, 0, 1))
    whole = angle > 2 * math.pi - 1e-9
    return (
        BRepPrimAPI_MakeRevol(face, axis) if whole else BRepPrimAPI_MakeRevol(face, axis, angle)
    ).Shape()


def fuse(*shapes: Any, unify: bool = True) -> Any:
    """Shapes as one solid; faces in one plane joined."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Fuse
    from OCP.ShapeUpgrade import ShapeUpgrade_UnifySameDomain

    whole = shapes[0]
    for other in shapes[1:]:
        whole = BRepAlgoAPI_Fuse(whole, other).Shape()
    if not unify:
        return whole
    joined = ShapeUpgrade_UnifySameDomain(whole, True, True, False)
    joined.Build()
    return joined.Shape()


def cut(shape: Any, *tools: Any) -> Any:
    """A shape without others."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut

    for tool in tools:
        shape = BRepAlgoAPI_Cut(shape, tool).Shape()
    return shape


def common(one: Any, two: Any) -> Any:
    """What two shapes share."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Common

    return BRepAlgoAPI_Common(one, two).Shape()


def edges_of(shape: Any) -> list[tuple[Any, Point3, Point3]]:
    """Edges of a shape with their middle and, for straight ones, their direction."""
    from OCP.BRepAdaptor import BRepAdaptor_Curve
    from OCP.TopAbs import TopAbs_EDGE
    from OCP.TopExp import TopExp
    from OCP.TopoDS import TopoDS
    from OCP.TopTools import TopTools_IndexedMapOfShape

    found = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(shape, TopAbs_EDGE, found)
    rows = []
    for number in range(1, found.Extent() + 1):
        edge = TopoDS.Edge_s(found.FindKey(number))
        curve = BRepAdaptor_Curve(edge)
        middle = curve.Value(0.5 * (curve.FirstParameter() + curve.LastParameter()))
        direction = (0.0, 0.0, 0.0)
        if curve.GetType().name == "GeomAbs_Line":
            d = curve.Line().Direction()
            direction = (abs(d.X()), abs(d.Y()), abs(d.Z()))
        rows.append((edge, (middle.X(), middle.Y(), middle.Z()), direction))
    return rows


def rounded(shape: Any, radius: float, which: Callable[[Point3, Point3], bool]) -> Any:
    """Edges that `which` (middle, direction) chooses rounded."""
    from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet

    maker = BRepFilletAPI_MakeFillet(shape)
    chosen = [edge for edge, middle, direction in edges_of(shape) if which(middle, direction)]
    for edge in chosen:
        maker.Add(radius, edge)
    return maker.Shape() if chosen else shape


def turned(shape: Any, about: Point3, degrees: float, at: Point3 = (0, 0, 0)) -> Any:
    """A shape turned about an axis."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_Transform
    from OCP.gp import gp_Ax1, gp_Dir, gp_Trsf

    move = gp_Trsf()
    move.SetRotation(gp_Ax1(pnt(at), gp_Dir(*about)), math.radians(degrees))
    return BRepBuilderAPI_Transform(shape, move, True).Shape()


def shifted(shape: Any, x: float, y: float, z: float) -> Any:
    """A shape moved."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_Transform
    from OCP.gp import gp_Trsf, gp_Vec

    move = gp_Trsf()
    move.SetTranslation(gp_Vec(x, y, z))
    return BRepBuilderAPI_Transform(shape, move, True).Shape()


def arc_points(
    radius: float, start: float, end: float, count: int, at: Point2 = (0, 0)
) -> list[Point2]:
    """Points on an arc, degrees."""
    steps = [math.radians(start + (end - start) * k / count) for k in range(count + 1)]
    return [(at[0] + radius * math.cos(a), at[1] + radius * math.sin(a)) for a in steps]


def folded(profile: Sequence[Point2], thickness: float, inside: float, length: float) -> Any:
    """Sheet folded along z over a mid-line in x and y, with bends of an inside radius."""
    from labilis.shape.profile import offset_band, rounded_path
    from labilis.shape.recipes.named_body import face_of, prism

    rows = [(x, y, inside + thickness / 2) for x, y in profile]
    band = offset_band(tuple(rounded_path(rows, False, "profile")), thickness)
    return prism(face_of([band]), 0.0, 0.0, length).Shape()
