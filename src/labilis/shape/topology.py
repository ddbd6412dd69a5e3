"""A solid with its faces and edges measured, and its triangulation at any fineness."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from labilis.model import LabilisError
from labilis.shape.face_tables import (
    EdgeTable,
    FaceTable,
    Floats,
    Ints,
    ShapeView,
    Tessellation,
    Whole,
)
from labilis.shape.free_surface import FreeSurface
from labilis.shape.long_direction import longest_direction
from labilis.shape.surfaces import project_analytic

_FACE_KINDS = {
    "GeomAbs_Plane": "plane",
    "GeomAbs_Cylinder": "cylinder",
    "GeomAbs_Cone": "cone",
    "GeomAbs_Sphere": "sphere",
    "GeomAbs_Torus": "torus",
}
_EDGE_KINDS = {"GeomAbs_Line": "line", "GeomAbs_Circle": "circle"}


def _xyz(point: Any) -> tuple[float, float, float]:
    return point.X(), point.Y(), point.Z()


def _subshapes(shape: Any, kind: Any, cast: Any) -> list[Any]:
    from OCP.TopExp import TopExp
    from OCP.TopTools import TopTools_IndexedMapOfShape

    found = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(shape, kind, found)
    return [cast(found.FindKey(index)) for index in range(1, found.Extent() + 1)]


def shape_key(shape: Any) -> int:
    """The same for two handles of one face or edge, whichever way they are turned."""
    from OCP.TopAbs import TopAbs_FORWARD

    return hash(shape.Oriented(TopAbs_FORWARD))


def face_row(face: Any) -> dict[str, Any]:
    """Row of the face table, as a dict of its fields."""
    from OCP.BRepAdaptor import BRepAdaptor_Surface
    from OCP.BRepGProp import BRepGProp
    from OCP.GProp import GProp_GProps
    from OCP.TopAbs import TopAbs_REVERSED

    adaptor, properties = BRepAdaptor_Surface(face), GProp_GProps()
    BRepGProp.SurfaceProperties_s(face, properties)
    kind = _FACE_KINDS.get(adaptor.GetType().name, "other")
    reversed_face = face.Orientation() == TopAbs_REVERSED
    row: dict[str, Any] = {
        "kind": kind,
        "area": abs(properties.Mass()),
        "centroid": _xyz(properties.CentreOfMass()),
        "direction": (0.0, 0.0, 0.0),
        "origin": (0.0, 0.0, 0.0),
        "radius": np.nan,
        "second": np.nan,
        "inner": False,
        "name": "",
        "body": 0,
        "thickness": 0.0,
        "slope": (0.0, 0.0, 0.0),
    }
    if kind == "plane":
        plane = adaptor.Plane()
        sign = -1.0 if reversed_face != (not plane.Position().Direct()) else 1.0
        row["direction"] = tuple(sign * c for c in _xyz(plane.Axis().Direction()))
        row["origin"] = _xyz(plane.Location())
    elif kind == "other":
        row |= _canonical(face, row["area"], row["centroid"])
    else:
        surface = getattr(adaptor, kind.capitalize())()
        axis = surface.Position().Axis()
        row["direction"], row["origin"] = _xyz(axis.Direction()), _xyz(axis.Location())
        if kind == "torus":
            row["radius"], row["second"] = surface.MajorRadius(), surface.MinorRadius()
        elif kind == "cone":
            row["radius"], row["second"] = surface.RefRadius(), surface.SemiAngle()
        else:
            row["radius"] = surface.Radius()
        row["inner"] = bool(reversed_face == surface.Position().Direct())
    return row


# of a face's size: how far a free-form face may be from the plane or cylinder that it is taken for
_FLAT = 1e-6


def _canonical(face: Any, area: float, centroid: tuple[float, float, float]) -> dict[str, Any]:
    """Fields of a free-form face that is a plane or a cylinder in truth, as ruled and lofted
    ones often are; nothing for others."""
    from OCP.gp import gp_Cylinder, gp_Pln
    from OCP.ShapeAnalysis import ShapeAnalysis_CanonicalRecognition

    within = _FLAT * float(np.sqrt(area))
    seen, plane, cylinder = ShapeAnalysis_CanonicalRecognition(face), gp_Pln(), gp_Cylinder()
    if seen.IsPlane(within, plane):
        normal, origin = np.array(_xyz(plane.Axis().Direction())), _xyz(plane.Location())
        outward = surface_near(face, centroid)[1]
        return {
            "kind": "plane",
            "direction": tuple(normal * (1.0 if normal @ outward > 0 else -1.0)),
            "origin": origin,
        }
    if seen.IsCylinder(within, cylinder):
        axis, foot = (
            np.array(_xyz(cylinder.Axis().Direction())),
            np.array(_xyz(cylinder.Location())),
        )
        place, outward = surface_near(face, centroid)
        radial = (place - foot) - ((place - foot) @ axis) * axis
        return {
            "kind": "cylinder",
            "direction": tuple(axis),
            "origin": tuple(foot),
            "radius": cylinder.Radius(),
            "inner": bool(radial @ outward < 0),
        }
    return {}


def surface_near(face: Any, place: tuple[float, float, float]) -> tuple[Floats, Floats]:
    """(point (3,) of a face's surface nearest to a place, unit normal (3,) there as the face is
    turned)."""
    from OCP.BRep import BRep_Tool
    from OCP.gp import gp_Pnt, gp_Vec
    from OCP.ShapeAnalysis import ShapeAnalysis_Surface
    from OCP.TopAbs import TopAbs_REVERSED

    geometry = BRep_Tool.Surface_s(face)
    uv = ShapeAnalysis_Surface(geometry).ValueOfUV(gp_Pnt(*map(float, place)), 1e-6)
    point, one, two = gp_Pnt(), gp_Vec(), gp_Vec()
    geometry.D1(uv.X(), uv.Y(), point, one, two)
    normal = np.array(_xyz(one.Crossed(two)))
    sign = -1.0 if face.Orientation() == TopAbs_REVERSED else 1.0
    return np.array(_xyz(point)), sign * normal / max(float(np.linalg.norm(normal)), 1e-300)


def edge_row(edge: Any) -> dict[str, Any]:
    """Row of the edge table without its neighbours."""
    from OCP.BRepAdaptor import BRepAdaptor_Curve
    from OCP.BRepGProp import BRepGProp
    from OCP.GProp import GProp_GProps

    adaptor, properties = BRepAdaptor_Curve(edge), GProp_GProps()
    BRepGProp.LinearProperties_s(edge, properties)
    kind = _EDGE_KINDS.get(adaptor.GetType().name, "other")
    row: dict[str, Any] = {
        "kind": kind,
        "length": properties.Mass(),
        "centroid": _xyz(properties.CentreOfMass()),
        "direction": (0.0, 0.0, 0.0),
        "radius": np.nan,
        "name": "",
    }
    if kind == "line":
        row["direction"] = _xyz(adaptor.Line().Direction())
    elif kind == "circle":
        row["direction"], row["radius"] = (
            _xyz(adaptor.Circle().Axis().Direction()),
            adaptor.Circle().Radius(),
        )
    return row


_TYPES: dict[str, Any] = {
    "kind": "U8",
    "inner": bool,
    "faces": np.int64,
    "body": np.int64,
    "name": np.str_,
}


def make_table(kind: Any, rows: list[dict[str, Any]]) -> Any:
    """A FaceTable or EdgeTable of rows."""
    columns: dict[str, Any] = {}
    for name in kind.__dataclass_fields__:
        columns[name] = np.array([row[name] for row in rows], dtype=_TYPES.get(name, np.float64))
        if name in ("centroid", "direction", "origin", "slope"):
            columns[name] = columns[name].reshape(-1, 3)
        elif name == "faces":
            columns[name] = columns[name].reshape(-1, 2)
    return kind(**columns)


def _nodes_of(triangulation: Any, location: Any) -> tuple[Floats, Ints]:
    """Places (n, 3) mm and corners (m, 3) of a face's triangulation."""
    move = location.Transformation()
    local = np.array(
        [
            _xyz(triangulation.Node(i).Transformed(move))
            for i in range(1, triangulation.NbNodes() + 1)
        ]
    )
    corners = (
        np.array(
            [triangulation.Triangle(i).Get() for i in range(1, triangulation.NbTriangles() + 1)],
            dtype=np.int64,
        )
        - 1
    )
    return local, corners


@dataclass(frozen=True)
class BodyShape:
    """A solid and its handles; lives in the process that read it. `view` is what travels. whole:
    what there was before scribes."""

    solid: Any
    face_handles: tuple[Any, ...]
    edge_handles: tuple[Any, ...]
    faces: FaceTable
    edges: EdgeTable
    whole: Whole | None = None

    @cached_property
    def view(self) -> ShapeView:
        """Measurements and a triangulation fine enough to look at."""
        from OCP.BRepGProp import BRepGProp
        from OCP.GProp import GProp_GProps

        properties = GProp_GProps()
        BRepGProp.VolumeProperties_s(self.solid, properties)
        if properties.Mass() <= 0:
            raise LabilisError(
                "The solid has no volume, or its faces are turned inside out.",
                "part",
                "Repair it where it was drawn and export it again.",
                "no-volume",
            )
        principal = properties.PrincipalProperties()
        axes = np.array(
            [
                _xyz(getattr(principal, f"{which}AxisOfInertia")())
                for which in ("First", "Second", "Third")
            ]
        )
        moments = np.array(principal.Moments())
        # about an axis of inertia counts what lies across it: half of their sum less each is what
        # lies along it
        second = np.einsum("k,ki,kj->ij", 0.5 * moments.sum() - moments, axes, axes)
        rough = np.array([_xyz(properties.CentreOfMass())])
        diagonal = max(
            float(np.ptp(self.edges.centroid, axis=0).max()) if len(self.edges) else 0.0,
            float(np.sqrt(self.faces.area.max())),
        )
        tessellation = self.tessellate(diagonal * 1e-3, 0.15)
        extents = np.stack(
            [tessellation.points.min(axis=0), tessellation.points.max(axis=0)], axis=1
        )
        long_axis = longest_direction(second, tessellation.points)
        return ShapeView(
            self.faces,
            self.edges,
            tessellation,
            float(properties.Mass()),
            rough[0],
            long_axis,
            extents,
            float(2.0 * properties.Mass() / self.faces.area.sum()),
            np.array([""]),
            whole=self.whole,
        )

    @cached_property
    def volume(self) -> float:
        """Volume mm³ of a solid, or of several put together."""
        from OCP.BRepGProp import BRepGProp
        from OCP.GProp import GProp_GProps

        properties = GProp_GProps()
        BRepGProp.VolumeProperties_s(self.solid, properties)
        return abs(float(properties.Mass()))

    @property
    def reach(self) -> float:
        """Rough size, mm, of a solid or of sheets."""
        places = np.concatenate([self.faces.centroid, self.edges.centroid])
        return max(
            float(np.linalg.norm(np.ptp(places, axis=0))), float(np.sqrt(self.faces.area.max()))
        )

    def tessellate(self, deflection: float, angle: float) -> Tessellation:
        """Closed triangulation: nodes on edges shared between faces. `deflection` in mm, `angle`
        in rad per chord."""
        from OCP.BRep import BRep_Tool
        from OCP.BRepMesh import BRepMesh_IncrementalMesh
        from OCP.BRepTools import BRepTools
        from OCP.TopAbs import TopAbs_REVERSED
        from OCP.TopLoc import TopLoc_Location

        BRepTools.Clean_s(self.solid)
        BRepMesh_IncrementalMesh(self.solid, deflection, False, angle, False)
        points: list[Floats] = []
        triangles: list[Ints] = []
        owner: list[Ints] = []
        start = 0
        triangulations: dict[int, tuple[Any, Any]] = {}
        for index, face in enumerate(self.face_handles):
            location = TopLoc_Location()
            triangulation = BRep_Tool.Triangulation_s(face, location)
            if triangulation is None:
                raise LabilisError(
                    f"Face {index + 1} cannot be triangulated.",
                    "part",
                    "Repair the face where it was drawn and export it again.",
                    "bad-face",
                )
            triangulations[index] = (triangulation, location)
            local, corners = _nodes_of(triangulation, location)
            if face.Orientation() == TopAbs_REVERSED:
                corners = corners[:, ::-1]
            points.append(local)
            triangles.append(corners + start)
            owner.append(np.full(len(corners), index))
            start += len(local)
        merged, where = merge_points(np.concatenate(points))
        corners = where[np.concatenate(triangles)]
        flat = (
            (corners[:, 0] == corners[:, 1])
            | (corners[:, 1] == corners[:, 2])
            | (corners[:, 2] == corners[:, 0])
        )
        polylines = [
            np.array(list(self._polyline(index, triangulations)))
            for index in range(len(self.edge_handles))
        ]
        offsets = np.concatenate([[0], np.cumsum([len(line) for line in polylines])]).astype(
            np.int64
        )
        along = np.concatenate(polylines) if polylines else np.zeros((0, 3))
        return Tessellation(merged, corners[~flat], np.concatenate(owner)[~flat], along, offsets)

    def _polyline(
        self, index: int, triangulations: dict[int, tuple[Any, Any]]
    ) -> Iterator[tuple[float, float, float]]:
        from OCP.BRep import BRep_Tool

        edge = self.edge_handles[index]
        triangulation, location = triangulations[int(self.edges.faces[index, 0])]
        polygon = BRep_Tool.PolygonOnTriangulation_s(edge, triangulation, location)
        if polygon is None:
            return
        move = location.Transformation()
        for i in range(1, polygon.NbNodes() + 1):
            yield _xyz(triangulation.Node(polygon.Node(i)).Transformed(move))

    def project_to_face(self, face: int, points: Floats) -> Floats:
        """Nearest points (n, 3) on the true surface of a face."""
        near = project_analytic(self.faces, face, points)
        if near is not None:
            return near
        known = self._free_surfaces
        if face not in known:
            known[face] = FreeSurface(self.face_handles[face])
        return known[face].nearest(points)

    @cached_property
    def _free_surfaces(self) -> dict[int, FreeSurface]:
        return {}

    def project_to_edge(self, edge: int, points: Floats) -> Floats:
        """Nearest points (n, 3) on the true curve of an edge; straight edges give the points
        back."""
        if self.edges.kind[edge] == "line":
            return points
        from OCP.BRepAdaptor import BRepAdaptor_Curve
        from OCP.GeomAPI import GeomAPI_ProjectPointOnCurve
        from OCP.gp import gp_Pnt

        adaptor = BRepAdaptor_Curve(self.edge_handles[edge])
        curve = adaptor.Curve().Curve()
        move = adaptor.Trsf()
        back = move.Inverted()
        result = points.copy()
        for row, point in enumerate(points):
            found = GeomAPI_ProjectPointOnCurve(gp_Pnt(*map(float, point)).Transformed(back), curve)
            if found.NbPoints():
                result[row] = _xyz(found.NearestPoint().Transformed(move))
        return result


def merge_points(
    points: Floats, relative: float = 1e-7, least: float = 1e-9
) -> tuple[Floats, Ints]:
    """Points that coincide made one: (unique points, index of each old point). `least` mm: a size
    that they belong to, where they span less themselves."""
    tolerance = relative * max(float(np.ptp(points, axis=0).max()), least)
    pairs = cKDTree(points).query_pairs(tolerance, output_type="ndarray")
    links = coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(points),) * 2)
    count, label = connected_components(links, directed=False)
    first = np.full(count, -1, dtype=np.int64)
    first[label[::-1]] = np.arange(len(points))[::-1]
    order = np.argsort(first)  # keep the order of first appearance, so that results repeat
    rank = np.empty_like(order)
    rank[order] = np.arange(count)
    return points[first[order]], rank[label]


def build_body(solid: Any) -> BodyShape:
    """Measure a TopoDS_Solid: its faces, its real edges and which faces each edge lies between."""
    from OCP.BRep import BRep_Tool
    from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE
    from OCP.TopExp import TopExp
    from OCP.TopoDS import TopoDS
    from OCP.TopTools import TopTools_IndexedDataMapOfShapeListOfShape, TopTools_IndexedMapOfShape

    faces = _subshapes(solid, TopAbs_FACE, TopoDS.Face_s)
    numbers = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(solid, TopAbs_FACE, numbers)
    beside = TopTools_IndexedDataMapOfShapeListOfShape()
    TopExp.MapShapesAndAncestors_s(solid, TopAbs_EDGE, TopAbs_FACE, beside)
    edges, rows = [], []
    for edge in _subshapes(solid, TopAbs_EDGE, TopoDS.Edge_s):
        if BRep_Tool.Degenerated_s(edge):
            continue
        neighbours = sorted({numbers.FindIndex(face) - 1 for face in beside.FindFromKey(edge)})
        if len(neighbours) < 2:  # a seam: the same face on both sides
            continue
        edges.append(edge)
        rows.append({**edge_row(edge), "faces": neighbours[:2]})
    return BodyShape(
        solid,
        tuple(faces),
        tuple(edges),
        make_table(FaceTable, [face_row(face) for face in faces]),
        make_table(EdgeTable, rows),
    )


def normal_at(body: BodyShape, face: int, place: Floats) -> Floats:
    """Normal (3,) of a face's surface near a place (3,) mm, out of the solid."""
    return surface_near(body.face_handles[face], tuple(place))[1]  # type: ignore[arg-type]
