"""What a recipe makes: a solid and its sheets (mid-surfaces), with names for faces and edges;
and the tools to make them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from labilis.model import LabilisError
from labilis.shape.profile import Run


class Sheet(NamedTuple):
    """A face of a mid-surface: thickness mm at `centre` (3,) mm, name, slope of the thickness
    (3,) in mm per mm."""

    face: Any
    thickness: float
    name: str = ""
    slope: tuple[float, float, float] = (0.0, 0.0, 0.0)
    centre: tuple[float, float, float] = (0.0, 0.0, 0.0)


@dataclass
class Made:
    """solid: TopoDS_Shape with solid_names (face, name); sheets of its mid-surface, none when the
    recipe is not thin; sheet_edges (edge, name)."""

    solid: Any = None
    solid_names: list[tuple[Any, str]] = field(default_factory=list)
    sheets: list[Sheet] = field(default_factory=list)
    sheet_edges: list[tuple[Any, str]] = field(default_factory=list)


def edge_of(run: Run, z: float = 0.0) -> Any:
    """Edge of a run at height z."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge
    from OCP.GC import GC_MakeArcOfCircle
    from OCP.gp import gp_Pnt

    ends = [gp_Pnt(float(p[0]), float(p[1]), z) for p in (run.start, run.end)]
    if run.through is None:
        return BRepBuilderAPI_MakeEdge(*ends).Edge()
    middle = gp_Pnt(float(run.through[0]), float(run.through[1]), z)
    return BRepBuilderAPI_MakeEdge(GC_MakeArcOfCircle(ends[0], middle, ends[1]).Value()).Edge()


def wire_of(runs: Sequence[Run], z: float = 0.0) -> Any:
    """Wire of a closed path at height z."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeWire

    maker = BRepBuilderAPI_MakeWire()
    for run in runs:
        maker.Add(edge_of(run, z))
    return maker.Wire()


def face_of(paths: Sequence[Sequence[Run]], z: float = 0.0, where: str = "recipe") -> Any:
    """Plane face inside the first path and outside the others."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
    from OCP.gp import gp_Dir, gp_Pln, gp_Pnt
    from OCP.ShapeFix import ShapeFix_Face

    plane = gp_Pln(gp_Pnt(0, 0, z), gp_Dir(0, 0, 1))
    maker = BRepBuilderAPI_MakeFace(plane, wire_of(paths[0], z), True)
    for path in paths[1:]:
        maker.Add(wire_of(path, z))
    if not maker.IsDone():
        raise LabilisError("The outline encloses no face.", where, "Check its corners.", "outline")
    fixer = ShapeFix_Face(maker.Face())
    fixer.FixOrientation()
    return fixer.Face()


def prism(shape: Any, x: float, y: float, z: float) -> Any:
    """The maker of a sweep along a vector; it knows which face came from which edge."""
    from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
    from OCP.gp import gp_Vec

    return BRepPrimAPI_MakePrism(shape, gp_Vec(x, y, z))


def moved(shape: Any, x: float, y: float, z: float) -> Any:
    """A shape moved."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_Transform
    from OCP.gp import gp_Trsf, gp_Vec

    step = gp_Trsf()
    step.SetTranslation(gp_Vec(x, y, z))
    return BRepBuilderAPI_Transform(shape, step, True).Shape()


def parts(shape: Any, kind: str) -> list[Any]:
    """Sub-shapes of a kind: 'face' or 'edge', in a lasting order."""
    from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE
    from OCP.TopExp import TopExp
    from OCP.TopoDS import TopoDS
    from OCP.TopTools import TopTools_IndexedMapOfShape

    found = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(shape, TopAbs_FACE if kind == "face" else TopAbs_EDGE, found)
    cast = TopoDS.Face_s if kind == "face" else TopoDS.Edge_s
    return [cast(found.FindKey(number)) for number in range(1, found.Extent() + 1)]


def swept(
    paths: Sequence[Sequence[Run]],
    low: float,
    high: float,
    names: Sequence[Sequence[str]],
    ends: tuple[str, str],
    where: str,
) -> tuple[Any, list[tuple[Any, str]]]:
    """Solid of a plane face swept along z from low to high, with its side faces named like the
    runs and its two ends."""
    base = face_of(paths, low, where)
    maker = prism(base, 0.0, 0.0, high - low)
    named = [(maker.FirstShape(), ends[0]), (maker.LastShape(), ends[1])]
    places = _midpoints(paths, low, names)
    for edge in parts(base, "edge"):
        generated = list(maker.Generated(edge))
        named += [(face, _closest(edge, places)) for face in generated]
    return maker.Shape(), named


def _midpoints(
    paths: Sequence[Sequence[Run]], z: float, names: Sequence[Sequence[str]]
) -> list[tuple[tuple[float, float, float], str]]:
    found = []
    for path, words in zip(paths, names):
        for run, word in zip(path, words):
            middle = run.through if run.through is not None else 0.5 * (run.start + run.end)
            found.append(((float(middle[0]), float(middle[1]), z), word))
    return found


def middle_of(edge: Any) -> tuple[float, float, float]:
    """Point at the middle of an edge's parameter range, mm."""
    from OCP.BRepAdaptor import BRepAdaptor_Curve

    curve = BRepAdaptor_Curve(edge)
    point = curve.Value(0.5 * (curve.FirstParameter() + curve.LastParameter()))
    return point.X(), point.Y(), point.Z()


def _closest(edge: Any, places: list[tuple[tuple[float, float, float], str]]) -> str:
    x, y, z = middle_of(edge)
    return min(
        places,
        key=lambda item: (item[0][0] - x) ** 2 + (item[0][1] - y) ** 2 + (item[0][2] - z) ** 2,
    )[1]


def name_edges(
    face: Any, paths: Sequence[Sequence[Run]], names: Sequence[Sequence[str]], z: float = 0.0
) -> list[tuple[Any, str]]:
    """Edges of a plane face with the names of the runs they came from."""
    places = _midpoints(paths, z, names)
    return [(edge, _closest(edge, places)) for edge in parts(face, "edge")]


def turned_to_right(face: Any, run: Run) -> Any:
    """A face swept along z, turned so that its normal points to the right of the run it came from:
    outward of closed sections that run counter-clockwise."""
    from OCP.BRepAdaptor import BRepAdaptor_Surface
    from OCP.gp import gp_Pnt, gp_Vec
    from OCP.TopAbs import TopAbs_FORWARD, TopAbs_REVERSED
    from OCP.TopoDS import TopoDS

    surface = BRepAdaptor_Surface(face)
    u = 0.5 * (surface.FirstUParameter() + surface.LastUParameter())
    v = 0.5 * (surface.FirstVParameter() + surface.LastVParameter())
    point, one, two = gp_Pnt(), gp_Vec(), gp_Vec()
    surface.D1(u, v, point, one, two)
    normal = one.Crossed(two)
    along = run.end - run.start  # in the middle of an arc the tangent is along its chord
    right = normal.X() * along[1] - normal.Y() * along[0] > 0
    return TopoDS.Face_s(face.Oriented(TopAbs_FORWARD if right else TopAbs_REVERSED))


def typed(shape: Any) -> Any:
    """A shape as the face, edge or whatever else it is."""
    from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE
    from OCP.TopoDS import TopoDS

    kind = shape.ShapeType()
    return (
        TopoDS.Face_s(shape)
        if kind == TopAbs_FACE
        else TopoDS.Edge_s(shape)
        if kind == TopAbs_EDGE
        else shape
    )


def images(maker: Any, named: list[tuple[Any, ...]]) -> list[Any]:
    """Named faces or edges after a boolean operation."""
    found = []
    for shape, *rest in named:
        after = list(maker.Modified(shape))
        if after:
            # a face keeps the side it was given; splitting may have turned it
            found += [(typed(new.Oriented(shape.Orientation())), *rest) for new in after]
        elif not maker.IsDeleted(shape):
            found.append((shape, *rest))
    return found
