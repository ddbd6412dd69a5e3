"""Sheets laid out in a plane, face by face: planes as they are, cylinders and cones exactly
unrolled, balls at true distances from their middle, others stretched to their mean metric. Meshes
are made in the plane and lifted back onto the true surface."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from labilis.model import LabilisError
from labilis.shape.face_tables import Floats, Ints
from labilis.shape.topology import BodyShape, _xyz, shape_key


@dataclass(frozen=True)
class Chart:
    """One face: loops of (edge number, runs forward) with the face on their left; inner: edges that
    lie within it, such as the foot of another sheet; its surface and how it is unrolled."""

    face: Any
    loops: tuple[tuple[tuple[int, bool], ...], ...]
    inner: tuple[int, ...]
    flipped: bool
    curves: dict[tuple[int, bool], Any]

    @cached_property
    def _surface(self) -> tuple[str, Any]:
        from OCP.BRepAdaptor import BRepAdaptor_Surface

        adaptor = BRepAdaptor_Surface(self.face)
        return {
            "GeomAbs_Plane": "plane",
            "GeomAbs_Cylinder": "cylinder",
            "GeomAbs_Cone": "cone",
            "GeomAbs_Sphere": "sphere",
        }.get(adaptor.GetType().name, "other"), adaptor

    @cached_property
    def _ball(self) -> tuple[Floats, float, Floats, Floats]:
        """(centre, radius, axes (3, 3) of the parameters, axes (3, 3) of the chart: two in the
        plane, then the middle of the face) of a sphere. It is laid out at true distances from that
        middle (the azimuthal equidistant projection), so that a pole is a place like any other and
        half a ball is stretched by π/2 at its rim, no more."""
        _, adaptor = self._surface
        ball = adaptor.Sphere()
        frame = ball.Position()
        axes = np.array([_xyz(getattr(frame, f"{name}Direction")()) for name in ("X", "Y", "")])
        u, v = np.meshgrid(
            np.linspace(adaptor.FirstUParameter(), adaptor.LastUParameter(), 9),
            np.linspace(adaptor.FirstVParameter(), adaptor.LastVParameter(), 9),
        )
        way = (
            _on_ball(np.stack([u.ravel(), v.ravel()], axis=1), axes) * np.cos(v.ravel())[:, None]
        ).sum(axis=0)
        middle = way / np.linalg.norm(way) if np.linalg.norm(way) > 1e-9 else axes[2]
        one = np.cross(middle, np.eye(3)[int(np.argmin(np.abs(middle)))])
        one /= np.linalg.norm(one)
        # the parameters' sense round the outside of a ball with right-handed axes
        two = np.cross(middle, one) * np.sign(np.linalg.det(axes))
        return np.array(_xyz(frame.Location())), ball.Radius(), axes, np.stack([one, two, middle])

    @cached_property
    def _metric(self) -> tuple[float, float]:
        """Stretch of u and v in the middle of a face of any other kind."""
        from OCP.gp import gp_Pnt, gp_Vec

        _, adaptor = self._surface
        u = 0.5 * (adaptor.FirstUParameter() + adaptor.LastUParameter())
        v = 0.5 * (adaptor.FirstVParameter() + adaptor.LastVParameter())
        point, along_u, along_v = gp_Pnt(), gp_Vec(), gp_Vec()
        adaptor.D1(u, v, point, along_u, along_v)
        return max(along_u.Magnitude(), 1e-12), max(along_v.Magnitude(), 1e-12)

    def _flat(self, uv: Floats) -> Floats:
        """Plane coordinates (k, 2) mm of surface parameters (k, 2)."""
        kind, adaptor = self._surface
        if kind == "plane":
            return uv
        if kind == "cylinder":
            return uv * np.array([adaptor.Cylinder().Radius(), 1.0])
        if kind == "cone":
            cone = adaptor.Cone()
            sine = np.sin(cone.SemiAngle())
            reach = uv[:, 1] + cone.RefRadius() / sine
            return np.stack(
                [reach * np.cos(uv[:, 0] * sine), reach * np.sin(uv[:, 0] * sine)], axis=1
            )
        if kind == "sphere":
            _, radius, axes, chart = self._ball
            local = _on_ball(uv, axes) @ chart.T
            away = np.linalg.norm(local[:, :2], axis=1)
            angle = np.arctan2(away, local[:, 2])
            return np.asarray(
                radius
                * local[:, :2]
                * (np.where(away > 1e-12, angle / np.maximum(away, 1e-300), 1.0))[:, None]
            )
        return uv * np.array(self._metric)

    def edge_places(self, edge: int, forward: bool, parameters: Floats) -> Floats:
        """Plane coordinates (k, 2) mm of points on an edge of this face at its curve parameters
        (k,)."""
        curve = self.curves[edge, forward]
        uv = np.array(
            [(point.X(), point.Y()) for point in (curve.Value(float(t)) for t in parameters)]
        )
        return self._flat(uv)

    def heading(self, edge: int, forward: bool, at_end: bool) -> Floats:
        """Direction (2,) in the plane in which an edge leaves its start, or arrives at its end,
        as it runs here."""
        curve = self.curves[edge, forward]
        first, last = curve.FirstParameter(), curve.LastParameter()
        step = 1e-3 * (last - first)
        ahead = np.array([last - step, last] if forward == at_end else [first, first + step])
        one, two = self.edge_places(edge, forward, ahead)
        return np.asarray(two - one if forward else one - two)

    def lift(self, flat: Floats) -> Floats:
        """Points (k, 3) mm on the surface at plane coordinates (k, 2) mm."""
        kind, adaptor = self._surface
        if kind == "plane":
            frame = adaptor.Plane().Position()
            return np.array(_xyz(frame.Location())) + flat @ np.array(
                [_xyz(frame.XDirection()), _xyz(frame.YDirection())]
            )
        if kind in ("cylinder", "cone"):
            surface = getattr(adaptor, kind.capitalize())()
            frame = surface.Position()
            x, y, z = (
                np.array(_xyz(getattr(frame, f"{name}Direction")())) for name in ("X", "Y", "")
            )
            if kind == "cylinder":
                radius = np.full(len(flat), surface.Radius())
                u, height = flat[:, 0] / surface.Radius(), flat[:, 1]
            else:
                sine, cosine = np.sin(surface.SemiAngle()), np.cos(surface.SemiAngle())
                reach = np.linalg.norm(flat, axis=1) * np.sign(surface.RefRadius() / sine + 1e-300)
                u = np.arctan2(flat[:, 1] * np.sign(reach), flat[:, 0] * np.sign(reach)) / sine
                radius = reach * sine
                height = (reach - surface.RefRadius() / sine) * cosine
            around = np.cos(u)[:, None] * x + np.sin(u)[:, None] * y
            return np.array(_xyz(frame.Location())) + radius[:, None] * around + height[:, None] * z
        if kind == "sphere":
            centre, ball, _, chart = self._ball
            angle = np.linalg.norm(flat, axis=1) / ball
            way = flat / ball * np.sinc(angle / np.pi)[:, None]
            return np.asarray(
                centre + ball * np.concatenate([way, np.cos(angle)[:, None]], axis=1) @ chart
            )
        uv = flat / np.array(self._metric)
        return np.array([_xyz(adaptor.Value(float(u), float(v))) for u, v in uv]).reshape(-1, 3)


def _on_ball(uv: Floats, axes: Floats) -> Floats:
    """Directions (k, 3) from a ball's centre at parameters (k, 2): round the third axis, and up
    from the other two."""
    u, v = uv[:, 0], uv[:, 1]
    return np.asarray(
        np.stack([np.cos(v) * np.cos(u), np.cos(v) * np.sin(u), np.sin(v)], axis=1) @ axes
    )


def make_charts(sheets: BodyShape, ends: Ints) -> list[Chart]:
    """Charts of all faces of the sheets. ends (n, 2): vertices at the start and the end of each
    edge's curve. Edges without length (the pole of a ball, the tip of a cone) bound nothing."""
    from OCP.BRep import BRep_Tool
    from OCP.BRepAdaptor import BRepAdaptor_Curve2d
    from OCP.TopAbs import TopAbs_EDGE, TopAbs_FORWARD, TopAbs_REVERSED
    from OCP.TopExp import TopExp_Explorer
    from OCP.TopoDS import TopoDS

    numbers = {shape_key(edge): number for number, edge in enumerate(sheets.edge_handles)}
    charts = []
    for face in sheets.face_handles:
        forward_face = TopoDS.Face_s(face.Oriented(TopAbs_FORWARD))
        curves: dict[tuple[int, bool], Any] = {}
        uses: dict[int, list[bool | None]] = {}
        explorer = TopExp_Explorer(forward_face, TopAbs_EDGE)
        while explorer.More():
            edge = TopoDS.Edge_s(explorer.Current())
            explorer.Next()
            if BRep_Tool.Degenerated_s(edge):
                continue
            number = numbers[shape_key(edge)]
            way = {TopAbs_FORWARD: True, TopAbs_REVERSED: False}.get(edge.Orientation())
            uses.setdefault(number, []).append(way)
            curves[number, way is not False] = BRepAdaptor_Curve2d(edge, forward_face)
        border = [
            (number, bool(ways[0]))
            for number, ways in uses.items()
            if len(ways) == 1 and ways[0] is not None
        ]
        inner = tuple(number for number, ways in uses.items() if len(ways) > 1 or ways[0] is None)
        curves |= {
            (number, True): curves[number, False]
            for number in inner
            if (number, True) not in curves
        }
        chart = Chart(forward_face, (), inner, face.Orientation() == TopAbs_REVERSED, curves)
        charts.append(replace(chart, loops=_chained(chart, border, ends)))
    return charts


def _chained(
    chart: Chart, border: list[tuple[int, bool]], ends: Ints
) -> tuple[tuple[tuple[int, bool], ...], ...]:
    """Oriented edges put one after the other to closed loops; where several go on from a vertex,
    the one furthest to the left."""

    def start(item: tuple[int, bool]) -> int:
        return int(ends[item[0], 0 if item[1] else 1])

    def end(item: tuple[int, bool]) -> int:
        return int(ends[item[0], 1 if item[1] else 0])

    leaving: dict[int, list[tuple[int, bool]]] = {}
    for item in border:
        leaving.setdefault(start(item), []).append(item)
    loops = []
    left = dict.fromkeys(border)
    while left:
        walk = [next(iter(left))]
        del left[walk[0]]
        while end(walk[-1]) != start(walk[0]):
            onward = [item for item in leaving.get(end(walk[-1]), []) if item in left]
            if not onward:
                raise LabilisError(
                    "The border of a sheet is not closed.",
                    "part",
                    "Repair the face where it was drawn, or mesh the piece as a solid.",
                    "open-border",
                )
            if len(onward) > 1:
                back = -chart.heading(*walk[-1], at_end=True)
                onward.sort(
                    key=lambda item: _clockwise(back, chart.heading(item[0], item[1], at_end=False))
                )
            walk.append(onward[0])
            del left[onward[0]]
        loops.append(tuple(walk))
    return tuple(loops)


def _clockwise(one: Floats, two: Floats) -> float:
    """Angle from one direction clockwise to another, rad, above nought."""
    angle = np.arctan2(one[1], one[0]) - np.arctan2(two[1], two[0])
    return float(angle % (2 * np.pi)) or 2 * np.pi


@dataclass(frozen=True)
class Curves:
    """Edges of the sheets: length (n,) mm; ends (n, 2) numbers of the vertices at the start and end
    of each curve; vertices (k, 3) mm; bend (n,): turn in rad of the edge's tangent along it."""

    handles: tuple[Any, ...]
    length: Floats
    ends: Ints
    vertices: Floats
    bend: Floats

    def parameters(self, edge: int, count: int) -> Floats:
        """Curve parameters (count + 1,) at equal distances."""
        from OCP.BRepAdaptor import BRepAdaptor_Curve
        from OCP.GCPnts import GCPnts_UniformAbscissa

        curve = BRepAdaptor_Curve(self.handles[edge])
        first, last = curve.FirstParameter(), curve.LastParameter()
        if curve.GetType().name in ("GeomAbs_Line", "GeomAbs_Circle") or count < 2:
            return np.linspace(first, last, count + 1)
        spaced = GCPnts_UniformAbscissa(curve, count + 1)
        if not spaced.IsDone() or spaced.NbPoints() != count + 1:
            return np.linspace(first, last, count + 1)
        return np.array([spaced.Parameter(number) for number in range(1, count + 2)])

    def places(self, edge: int, parameters: Floats) -> Floats:
        """Points (k, 3) mm on an edge."""
        from OCP.BRepAdaptor import BRepAdaptor_Curve

        curve = BRepAdaptor_Curve(self.handles[edge])
        return np.array([_xyz(curve.Value(float(t))) for t in parameters]).reshape(-1, 3)


def make_curves(sheets: BodyShape) -> Curves:
    """Curves of all edges of the sheets; the start of a curve is where its parameter is least."""
    from OCP.BRepAdaptor import BRepAdaptor_Curve
    from OCP.gp import gp_Pnt, gp_Vec

    starts, bends = [], []
    for edge in sheets.edge_handles:
        curve = BRepAdaptor_Curve(edge)
        first, last = curve.FirstParameter(), curve.LastParameter()
        starts.append([_xyz(curve.Value(first)), _xyz(curve.Value(last))])
        tangents = []
        for t in np.linspace(first, last, 9):
            point, tangent = gp_Pnt(), gp_Vec()
            curve.D1(float(t), point, tangent)
            v = np.array(_xyz(tangent))
            tangents.append(v / max(float(np.linalg.norm(v)), 1e-300))
        stacked = np.array(tangents)
        bends.append(
            float(np.arccos(np.clip((stacked[:-1] * stacked[1:]).sum(axis=1), -1, 1)).sum())
        )
    from labilis.shape.topology import merge_points

    ends = np.array(starts).reshape(-1, 2, 3)
    vertices, where = merge_points(ends.reshape(-1, 3), 1e-6, float(sheets.edges.length.max()))
    return Curves(
        sheets.edge_handles, sheets.edges.length, where.reshape(-1, 2), vertices, np.array(bends)
    )
