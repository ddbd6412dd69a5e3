"""Faces moved along their normals: exact for the surfaces that machining makes, offset surfaces
for all others."""

from __future__ import annotations

from typing import Any

import numpy as np

from labilis.model import LabilisError
from labilis.shape.recipes.named_body import parts, typed
from labilis.shape.topology import BodyShape


def offset_face(body: BodyShape, face: int, by: float) -> list[Any]:
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
    """The surface of a face, `by` further out, whose parameters mean the same places: a cylinder,
    cone, sphere or torus stays one, anything else becomes an offset surface."""
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
        frame = frame.Translated(
            gp_Vec(axis.X(), axis.Y(), axis.Z()).Multiplied(-radial * float(np.sin(angle)))
        )
        return Geom_ConicalSurface(frame, angle, form.RefRadius() + radial * float(np.cos(angle)))
    return Geom_OffsetSurface(BRep_Tool.Surface_s(handle), natural)


def _offset_curved(handle: Any, by: float, solid: Any) -> list[Any]:
    """A curved face on its offset surface, with the same outline in its parameters; of a closed
    round one what lies in the solid, so that holes and slanted ends are cut by their own walls."""
    from OCP.BRepAdaptor import BRepAdaptor_Surface
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_Sewing
    from OCP.TopAbs import TopAbs_FORWARD, TopAbs_WIRE
    from OCP.TopExp import TopExp_Explorer
    from OCP.TopoDS import TopoDS

    adaptor = BRepAdaptor_Surface(handle)
    surface = _offset_surface(handle, by)
    u0, u1, v0, v1 = (
        adaptor.FirstUParameter(),
        adaptor.LastUParameter(),
        adaptor.FirstVParameter(),
        adaptor.LastVParameter(),
    )
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
            sewing.Add(
                BRepBuilderAPI_MakeFace(surface, a, b, v0, v1, 1e-6)
                .Face()
                .Oriented(handle.Orientation())
            )
        sewing.Perform()
        halves = parts(sewing.SewedShape(), "face")
        if len(wires) == 1 and _straight_ends(forward):
            return halves
        from OCP.BRepAlgoAPI import BRepAlgoAPI_Common

        inside = BRepAlgoAPI_Common(sewing.SewedShape(), solid).Shape()
        return [typed(face.Oriented(handle.Orientation())) for face in parts(inside, "face")]
    return [_on_surface(surface, forward, wires, handle.Orientation())]


def _on_surface(surface: Any, forward: Any, wires: list[Any], way: Any) -> Any:
    """A face on another surface with the wires of the face `forward` in its parameters."""
    from OCP.BRep import BRep_Tool
    from OCP.BRepBuilderAPI import (
        BRepBuilderAPI_MakeEdge,
        BRepBuilderAPI_MakeFace,
        BRepBuilderAPI_MakeWire,
    )
    from OCP.BRepLib import BRepLib
    from OCP.BRepTools import BRepTools_WireExplorer
    from OCP.TopoDS import TopoDS

    maker: Any = None
    for wire in wires:
        made, run = BRepBuilderAPI_MakeWire(), BRepTools_WireExplorer(wire, forward)
        while run.More():
            edge = run.Current()
            if BRep_Tool.Degenerated_s(edge):
                raise LabilisError(
                    "A face that runs to a point cannot be made a shell yet.",
                    "pieces",
                    "Mesh the piece as a solid.",
                    "mid-kind",
                )
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
    return TopoDS.Face_s(maker.Face().Oriented(way))


def _straight_ends(face: Any) -> bool:
    """Whether a closed round face is bounded by circles square to its axis, and by its seam."""
    from OCP.BRepAdaptor import BRepAdaptor_Curve

    kinds = {BRepAdaptor_Curve(edge).GetType().name for edge in parts(face, "edge")}
    return kinds <= {"GeomAbs_Line", "GeomAbs_Circle"}


def _range_of(edge: Any) -> tuple[float, float]:
    from OCP.BRepAdaptor import BRepAdaptor_Curve

    curve = BRepAdaptor_Curve(edge)
    return curve.FirstParameter(), curve.LastParameter()


def area_of(face: Any) -> float:
    from OCP.BRepGProp import BRepGProp
    from OCP.GProp import GProp_GProps

    properties = GProp_GProps()
    BRepGProp.SurfaceProperties_s(face, properties)
    return abs(float(properties.Mass()))
