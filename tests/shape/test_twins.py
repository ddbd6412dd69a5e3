"""One body in several places of an assembly: looked at and meshed once, and the same as if each
stood by itself."""

from __future__ import annotations

import hashlib
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from labilis.mesh import mesh_part
from labilis.model import Geometry, Piece, Project, load_project
from labilis.shape import PartShape, build_part, midsurface
from labilis.shape.repeated_bodies import matrix_of, move_between
from labilis.shape.step import read_step
from tests.parts import STEEL, to_step
from validation.corpus import drawing as d

# (axis, degrees, shift) of the places: as drawn, moved, turned and moved
PLACES = (
    ((0, 0, 1), 0.0, (0, 0, 0)),
    ((0, 0, 1), 0.0, (150, 20, -7)),
    ((1, 2, 3), 70.0, (-220, 90, 140)),
)


def folded() -> Any:
    """A folded angle with a tapered leg and a hole, so that no two of its faces are alike."""
    profile = [(0, 0), (40, 0), (40, 2), (2, 2), (2, 25), (0, 25)]
    return d.cut(d.extrude(profile, 90.0), d.cylinder(4.0, 20.0, (25, -5, 30), (0, 1, 0)))


def location(axis: Any, degrees: float, shift: Any) -> Any:
    from OCP.gp import gp_Ax1, gp_Dir, gp_Pnt, gp_Trsf, gp_Vec
    from OCP.TopLoc import TopLoc_Location

    turn, move = gp_Trsf(), gp_Trsf()
    turn.SetRotation(gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(*axis)), np.radians(degrees))
    move.SetTranslation(gp_Vec(*shift))
    return TopLoc_Location(move.Multiplied(turn))


def assembly(one: Any, unit: str = "MM") -> bytes:
    """A STEP file that names one part in each of the PLACES."""
    from OCP.Interface import Interface_Static
    from OCP.STEPCAFControl import STEPCAFControl_Writer
    from OCP.TCollection import TCollection_ExtendedString
    from OCP.TDocStd import TDocStd_Document
    from OCP.XCAFDoc import XCAFDoc_DocumentTool

    document = TDocStd_Document(TCollection_ExtendedString("labilis"))
    tool = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    part, whole = tool.AddShape(one, False), tool.NewShape()
    for place in PLACES:
        tool.AddComponent(whole, part, location(*place))
    tool.UpdateAssemblies()
    writer = STEPCAFControl_Writer()
    Interface_Static.SetCVal_s("write.step.unit", unit)
    writer.Transfer(document)
    with tempfile.TemporaryDirectory() as folder:
        writer.Write(str(Path(folder) / "part.step"))
        Interface_Static.SetCVal_s("write.step.unit", "MM")
        return (Path(folder) / "part.step").read_bytes()


def apart(one: Any) -> bytes:
    """The same bodies, each drawn by itself."""
    from OCP.BRep import BRep_Builder
    from OCP.BRepBuilderAPI import BRepBuilderAPI_Transform
    from OCP.TopoDS import TopoDS_Compound

    builder, together = BRep_Builder(), TopoDS_Compound()
    builder.MakeCompound(together)
    for place in PLACES:
        builder.Add(
            together, BRepBuilderAPI_Transform(one, location(*place).Transformation(), True).Shape()
        )
    return to_step(together)


def built(data: bytes, mesh_as: str) -> PartShape:
    sha = hashlib.sha256(data).hexdigest()
    pieces = [
        Piece(
            name=f"p{number}", material="steel", geometry="part.step", body=number, mesh_as=mesh_as
        )  # type: ignore[arg-type]
        for number in range(1, len(PLACES) + 1)
    ]
    project = load_project({"materials": [STEEL]}).changed(
        geometry=[Geometry(file="part.step", sha256=sha)], pieces=pieces
    )
    assert isinstance(project, Project)
    return build_part(project, {sha: data})


@pytest.mark.parametrize("unit", ["MM", "INCH"])
def test_bodies_of_an_assembly_are_one_shape_in_places_and_each_caller_s_own(unit: str) -> None:
    data = assembly(folded(), unit)
    bodies, _ = read_step(data)
    assert len(bodies) == len(PLACES)
    for (_, shape), place in zip(bodies, PLACES):
        move = move_between(bodies[0][1], shape)
        assert move is not None
        turn, shift = matrix_of(move)
        wanted = matrix_of(location(*place))
        assert np.allclose(turn, wanted[0], atol=1e-9) and np.allclose(shift, wanted[1], atol=1e-6)
    again, _ = read_step(data)
    assert all(move_between(one, other) is None for (_, one), (_, other) in zip(bodies, again))


def test_shells_of_a_twin_are_those_of_the_first_moved(monkeypatch: pytest.MonkeyPatch) -> None:
    looked: list[str] = []
    real = midsurface._find
    monkeypatch.setattr(
        midsurface, "_find", lambda body, name: looked.append(name) or real(body, name)
    )
    one = built(assembly(folded()), "shell")
    # the members have been measured as well
    assert len(one.members) == len(PLACES) and looked == ["p1"]
    two = built(apart(folded()), "shell")
    assert len(looked) > len(PLACES)
    compare(one, two)
    mesh, other = mesh_part(one, 8.0), mesh_part(two, 8.0)
    assert len(mesh.nodes) == pytest.approx(len(other.nodes), rel=0.02)


def compare(one: PartShape, two: PartShape) -> None:
    """Faces and edges of both lie at the same places, whatever their order."""
    for table in ("faces", "edges"):
        a, b = getattr(one.view, table), getattr(two.view, table)
        assert len(a) == len(b)
        away = np.linalg.norm(a.centroid[:, None] - b.centroid[None], axis=2)
        nearest = away.argmin(axis=1)
        assert away.min(axis=1).max() < 1e-5 and len(set(nearest.tolist())) == len(b)
        if table == "faces":
            assert np.allclose(a.thickness, b.thickness[nearest]) and np.allclose(
                a.area, b.area[nearest], rtol=1e-6
            )


def test_a_tapered_wall_keeps_its_taper_where_it_stands() -> None:
    wedge = d.extrude([(0, 0), (60, 0), (60, 4), (0, 2)], 90.0)
    one, two = built(assembly(wedge), "shell"), built(apart(wedge), "shell")
    compare(one, two)
    meshes = [mesh_part(part, 10.0) for part in (one, two)]
    volumes = [sum(float(np.sum(cell.thickness)) for cell in mesh.cells) for mesh in meshes]
    assert volumes[0] / len(meshes[0].cells[0].elements) == pytest.approx(
        volumes[1] / len(meshes[1].cells[0].elements), rel=1e-3
    )
    for mesh in meshes:  # every copy is as thick at its ends as the first
        cell = mesh.cells[0]
        ranges = [
            (cell.thickness[cell.body == body].min(), cell.thickness[cell.body == body].max())
            for body in np.unique(cell.body)
        ]
        assert np.allclose(ranges, ranges[0], rtol=1e-6) and ranges[0][1] > 1.5 * ranges[0][0]


@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize("shape", [folded(), d.cylinder(9.0, 40.0)], ids=["angle", "round bar"])
def test_solids_of_a_twin_are_those_of_the_first_moved(
    shape: Any, order: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    from labilis.mesh import part_mesh

    made: list[int] = []
    for name in ("mesh_body", "_swept"):
        real = getattr(part_mesh, name)
        monkeypatch.setattr(
            part_mesh, name, lambda *items, real=real: made.append(1) or real(*items)
        )
    part = built(assembly(shape), "solid")
    mesh = mesh_part(part, 5.0, order)
    assert len(made) == 1 and [
        int(body) for body in np.unique(np.concatenate([cell.body for cell in mesh.cells]))
    ] == [0, 1, 2]
    starts = np.cumsum([0, *(len(body.faces) for body in part.solids)])
    for number, body in enumerate(
        part.solids
    ):  # corners of every face's triangles lie on that face, turned outward
        for face in range(len(body.faces)):
            mine = mesh.triangles[mesh.triangle_face == starts[number] + face][:, :3]
            points = mesh.nodes[np.unique(mine)]
            assert len(mine) and np.abs(body.project_to_face(face, points) - points).max() < 1e-5
    volume = mesh.nodes[mesh.triangles[:, :3]]
    enclosed = (
        float(np.einsum("ki,ki->k", volume[:, 0], np.cross(volume[:, 1], volume[:, 2])).sum()) / 6
    )
    assert enclosed == pytest.approx(sum(body.view.volume for body in part.solids), rel=0.03)


@pytest.mark.parametrize("zoned", [0, 1])
def test_a_zone_is_of_one_twin_only(zoned: int) -> None:
    part = built(assembly(folded()), "solid")
    zone = (np.array([zoned * len(part.solids[0].faces)]), np.zeros(0, dtype=np.int64), 1.5)
    mesh = mesh_part(part, 6.0, 2, [zone])
    counts = [int(sum((cell.body == body).sum() for cell in mesh.cells)) for body in range(3)]
    rest = [count for body, count in enumerate(counts) if body != zoned]
    assert counts[zoned] > 1.5 * rest[0] and rest[0] == rest[1]
