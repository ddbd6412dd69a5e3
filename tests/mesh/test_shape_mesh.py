"""Reading STEP, measuring, finding faces again, sections, meshes."""

import hashlib
from typing import Any

import numpy as np
import pytest

from labilis.analysis.constraints import describe_motions
from labilis.analysis.mesh_stage import check_size, mesh_sizes, mesh_stage, zones_of
from labilis.mesh import estimate, measure_quality, mesh_body, mesh_part, proposed_size
from labilis.model import LabilisError, Region, load_project
from labilis.run.picking import describe_edge, describe_face, make_pick
from labilis.shape import (
    PartShape,
    build_body,
    build_part,
    find_region,
    list_bodies,
    read_step,
    scan_sections,
)
from tests.frames import STEEL
from tests.parts import bar_step, body_of, bored_step, bores, box, face_towards, to_step

NONE = np.array([], dtype=int)


@pytest.mark.parametrize("schema", ["AP203", "AP214IS", "AP242DIS"])
def test_every_step_schema_reads(schema: str) -> None:
    data = to_step(box(30, 20, 10), schema)
    infos = list_bodies(data)
    assert len(infos) == 1
    assert infos[0].volume == pytest.approx(6000)


def test_inches_become_millimetres() -> None:
    # OpenCASCADE writes in the unit it is told, and reading must bring it back
    data = to_step(box(25.4, 25.4, 50.8), unit="INCH")
    info = list_bodies(data)[0]
    assert info.unit == "inch"
    assert info.volume == pytest.approx(25.4 * 25.4 * 50.8)


def test_several_bodies_keep_their_numbers() -> None:
    from OCP.BRep import BRep_Builder
    from OCP.TopoDS import TopoDS_Compound

    both, builder = TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(both)
    builder.Add(both, box(10, 10, 10))
    builder.Add(both, box(5, 5, 5, (20, 0, 0)))
    infos = list_bodies(to_step(both))
    assert [info.number for info in infos] == [1, 2]
    assert sorted(info.volume for info in infos) == pytest.approx([125, 1000])


def test_faces_of_a_bored_bar_are_measured() -> None:
    body = body_of(bored_step())
    view = body.view
    holes = bores(body)
    assert len(holes) == 2
    for hole, x in zip(holes, (0.0, 320.0)):
        assert view.faces.radius[hole] == pytest.approx(2)
        assert view.faces.area[hole] == pytest.approx(2 * np.pi * 2 * 18, rel=1e-6)
        assert np.abs(view.faces.direction[hole]) == pytest.approx([0, 1, 0])
        assert view.faces.centroid[hole] == pytest.approx([x, 9, 0], abs=1e-6)
        assert describe_face(view, hole)[0] == "bore Ø 4 (R 2) mm"
    top = face_towards(body, (0, 0, 1))
    assert view.faces.direction[top] == pytest.approx([0, 0, 1])
    assert describe_face(view, top)[0] == "flat face, facing +z"
    assert view.volume == pytest.approx(336 * 18 * 8 - 2 * np.pi * 4 * 18, rel=1e-6)
    assert np.abs(view.long_axis) == pytest.approx([1, 0, 0], abs=1e-9)
    assert view.length == pytest.approx(336)
    circles = np.flatnonzero(view.edges.kind == "circle")
    assert len(circles) == 4
    assert describe_edge(view, int(circles[0]))[0] == "edge Ø 4 (R 2) mm"
    assert len(view.edges) == 12 + 4  # seams of the bores are not edges


def test_a_triangulation_is_closed_and_outward() -> None:
    tessellation = body_of(bored_step()).view.tessellation
    a, b, c = (tessellation.points[tessellation.triangles[:, k]] for k in range(3))
    volume = np.einsum("ij,ij->", np.cross(a, b), c) / 6
    assert volume == pytest.approx(336 * 18 * 8 - 2 * np.pi * 4 * 18, rel=2e-3)
    sides = np.sort(tessellation.triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1)
    _, counts = np.unique(sides, axis=0, return_counts=True)
    assert (counts == 2).all()


def test_regions_are_found_again_in_a_file_written_anew() -> None:
    first = body_of(bored_step())
    picks = tuple(make_pick(first.view, "face", face) for face in bores(first))
    region = Region(name="eyes", piece="part", picks=picks)
    grown = body_of(bored_step(height=8.4))  # a revised part, a little thicker
    match = find_region(region, grown.view)
    assert list(match.faces) == sorted(bores(grown))
    assert match.lost == ()
    gone = body_of(bar_step(336.0, 18.0, 8.0))
    assert len(find_region(region, gone.view).lost) == 2


def test_two_picks_never_share_a_face() -> None:
    body = body_of(bar_step())
    pick = make_pick(body.view, "face", 0)
    match = find_region(Region(name="r", piece="part", picks=(pick, pick)), body.view)
    assert len(match.faces) == 1
    assert len(match.lost) == 1


def test_edge_picks() -> None:
    body = body_of(bar_step())
    for edge in range(len(body.edges)):
        match = find_region(
            Region(name="r", piece="part", picks=(make_pick(body.view, "edge", edge),)), body.view
        )
        assert list(match.edges) == [edge]


def test_sections_of_a_rectangle() -> None:
    body = body_of(bar_step(240.0, 16.0, 4.0))
    scan = scan_sections(body, np.array([1.0, 0, 0]), 10.0, 230.0, 5)
    assert scan.area == pytest.approx(64 * np.ones(5))
    assert scan.i_min == pytest.approx(16 * 4**3 / 12 * np.ones(5))
    assert scan.i_max == pytest.approx(4 * 16**3 / 12 * np.ones(5))
    assert np.abs(scan.weak[0]) == pytest.approx([0, 0, 1], abs=1e-9)


@pytest.mark.parametrize("order", [1, 2])
def test_mesh_fills_the_body(order: int) -> None:
    body = body_of(bored_step())
    mesh = mesh_body(body, 6.0, order)
    quality = measure_quality(mesh, body.view.thickness)
    assert mesh.order == order
    assert quality.volume == pytest.approx(body.view.volume, rel=2e-3)
    assert quality.shape.min() > 0.01
    assert quality.histogram.sum() == len(mesh.elements)
    for hole in bores(body):
        nodes = mesh.nodes[mesh.region_nodes(np.array([hole]), NONE)]
        centre = body.faces.centroid[hole]
        away = np.hypot(nodes[:, 0] - centre[0], nodes[:, 2] - centre[2])
        assert np.abs(away - 2.0).max() < 1e-6  # mid-side nodes too lie on the true surface


def test_second_order_volume_is_far_closer() -> None:
    from labilis.mechanics.solid import geometry

    body = body_of(bored_step())
    mesh = mesh_body(body, 7.0, 2)
    exact = body.view.volume
    curved = geometry(mesh.nodes, mesh.elements).weight.sum()
    straight = measure_quality(mesh, 1.0).volume
    assert abs(curved - exact) < 0.1 * abs(straight - exact)


def test_surface_is_whole_and_belongs_to_faces_and_edges() -> None:
    body = body_of(bored_step())
    mesh = mesh_body(body, 6.0, 2)
    sides = np.sort(mesh.triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1)
    _, counts = np.unique(sides, axis=0, return_counts=True)
    assert (counts == 2).all()
    corner = mesh.nodes[mesh.triangles[:, :3]]
    areas = (
        np.linalg.norm(np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]), axis=1)
        / 2
    )
    found = np.bincount(mesh.triangle_face, weights=areas, minlength=len(body.faces))
    assert found == pytest.approx(body.faces.area, rel=0.02)
    ends = mesh.nodes[mesh.segments[:, :2]]
    lengths = np.bincount(
        mesh.segment_edge,
        weights=np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1),
        minlength=len(body.edges),
    )
    assert lengths == pytest.approx(body.edges.length, rel=0.02)


def test_zones_make_it_finer_there_only() -> None:
    body = body_of(bar_step(240.0, 16.0, 4.0))
    end = face_towards(body, (1, 0, 0))
    plain = mesh_body(body, 8.0, 1)
    zoned = mesh_body(body, 8.0, 1, [(np.array([end]), NONE, 1.5)])
    edges = np.flatnonzero(np.abs(body.edges.centroid[:, 0]) < 1e-6)[:1]
    lined = mesh_body(body, 8.0, 1, [(NONE, edges, 1.5)])

    def near(mesh: object, x: float) -> int:
        return int((np.abs(mesh.nodes[:, 0] - x) < 8).sum())  # type: ignore[attr-defined]

    assert near(zoned, 240) > 4 * near(plain, 240)
    assert near(zoned, 60) < 2 * near(plain, 60)
    assert near(lined, 0) > 2 * near(plain, 0)


@pytest.mark.parametrize("size", [3.0, 5.0, 9.0])
def test_estimates_are_of_the_right_size(size: float) -> None:
    body = body_of(bored_step())
    mesh = mesh_body(body, size, 2)
    guess = estimate(body.view, size, 2, swept=False)
    assert 0.4 < guess.elements / len(mesh.elements) < 2.5
    assert 0.4 < guess.nodes / len(mesh.nodes) < 2.5


@pytest.mark.parametrize("mesh_as", ["shell", "solid"])
@pytest.mark.parametrize(
    ("name", "fine", "wide"),
    [("hole.1", 1.2, 170.0), ("side.3", 2.0, 240.0), ("face", 5.0, 130.0), ("hole.2", 3.0, 300.0)],
)
def test_what_zones_add_is_told_within_a_factor_of_two(
    mesh_as: str, name: str, fine: float, wide: float
) -> None:
    """Zones on a bore, along a side, on a whole face; of sheets and of tetrahedra."""
    recipe = {
        "kind": "plate",
        "thickness": "5 mm",
        "outline": [
            {"x": f"{x} mm", "y": f"{y} mm"} for x, y in ((0, 0), (wide, 0), (wide, 110), (30, 110))
        ],
        "openings": [
            {"x": "60 mm", "y": "50 mm", "diameter": "24 mm"},
            {"x": f"{wide - 30} mm", "y": "70 mm", "diameter": "14 mm"},
        ],
    }
    if mesh_as == "solid" and name == "face":
        name = "top"
    stated = {
        "materials": [STEEL],
        "pieces": [{"name": "p", "material": STEEL["name"], "mesh_as": mesh_as, "recipe": recipe}],
        "regions": [{"name": "here", "names": [f"p/{name}"]}],
        "mesh": {"size": "14 mm", "solids": "tetrahedra"},
    }
    zone = {"zones": [{"region": "here", "size": f"{fine} mm"}]}
    plain, zoned = (
        load_project({**stated, "mesh": {**stated["mesh"], **more}})  # type: ignore[dict-item]
        for more in ({}, zone)
    )
    part = build_part(zoned, {})
    size, solids = mesh_sizes(zoned, part.view)
    told = estimate(part.view, size, 2, False, solids, zones_of(zoned, part.view)).unknowns
    bare = estimate(part.view, size, 2, False, solids).unknowns
    real = mesh_stage(zoned, part)[2].unknowns
    assert 0.5 < real / told < 2.0
    more = real - mesh_stage(plain, part)[2].unknowns
    assert 0.4 < more / (told - bare) < 2.5  # what the zone adds, by itself


def test_sizes_that_cannot_be_are_refused() -> None:
    view = body_of(bar_step()).view
    assert 0 < proposed_size(view) < 10
    with pytest.raises(LabilisError, match="larger than the part"):
        check_size(view, 500.0, 2)
    with pytest.raises(LabilisError) as caught:
        check_size(view, 0.02, 2)
    assert "GiB" in str(caught.value)
    assert caught.value.where == "mesh/size"


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"", "empty"),
        (b"solid ascii\nfacet", "not a STEP file"),
        (b"ISO-10303-21;\nHEADER;\ngarbage", "STEP"),
    ],
)
def test_files_that_are_not_step(data: bytes, said: str) -> None:
    with pytest.raises(LabilisError, match=said):
        read_step(data, "x.step")


def _strip() -> bytes:
    """A bent strip of two faces, 20 mm wide, 120 mm and 80 mm long."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
    from OCP.BRepBuilderAPI import BRepBuilderAPI_Sewing as Sewing
    from OCP.gp import gp_Ax3, gp_Dir, gp_Pln, gp_Pnt

    sewing = Sewing(1e-6)
    for normal, run, low, high in (
        (gp_Dir(0, 0, 1), gp_Dir(1, 0, 0), 0, 120),
        (gp_Dir(-1, 0, 0), gp_Dir(0, 0, 1), 0, 80),
    ):
        at = gp_Pnt(0, 0, 0) if low == 0 and high == 120 else gp_Pnt(120, 0, 0)
        sewing.Add(
            BRepBuilderAPI_MakeFace(gp_Pln(gp_Ax3(at, normal, run)), low, high, 0, 20).Face()
        )
    sewing.Perform()
    return to_step(sewing.SewedShape())


def test_step_surfaces_become_shells() -> None:
    data = _strip()
    (info,) = list_bodies(data, "strip.step")
    assert info.volume == 0.0
    sha = hashlib.sha256(data).hexdigest()

    def part_of(**fields: Any) -> PartShape:
        return build_part(
            load_project(
                {
                    "geometry": [{"file": "strip.step", "sha256": sha}],
                    "pieces": [{"name": "strip", "geometry": "strip.step", **fields}],
                }
            ),
            {sha: data},
        )

    part = part_of(mesh_as="shell", thickness="1.5 mm")
    mesh = mesh_part(part, 10.0)
    assert part.view.volume == pytest.approx(20 * 200 * 1.5) and set(part.view.faces.thickness) == {
        1.5
    }
    assert len(mesh.nodes) == 3 * 21, "the fold's nodes are shared"
    for fields, said in (
        ({}, "encloses nothing"),
        ({"mesh_as": "shell"}, "no thickness"),
        ({"mesh_as": "shell", "thickness": "0 mm"}, "not above zero"),
    ):
        with pytest.raises(LabilisError, match=said):
            part_of(**fields)


def test_step_without_any_body() -> None:
    data = bar_step()
    head, _, tail = data.partition(b"DATA;")
    empty = head + b"DATA;\nENDSEC;\nEND-ISO-10303-21;\n"
    assert tail
    with pytest.raises(LabilisError):
        read_step(empty, "empty.step")


def test_curved_faces_take_their_nodes() -> None:
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeCone, BRepPrimAPI_MakeSphere, BRepPrimAPI_MakeTorus

    for shape in (
        BRepPrimAPI_MakeSphere(10.0).Solid(),
        BRepPrimAPI_MakeCone(8.0, 4.0, 15.0).Solid(),
        BRepPrimAPI_MakeTorus(20.0, 4.0).Solid(),
    ):
        body = build_body(shape)
        mesh = mesh_body(body, 4.0, 2)
        for face in range(len(body.faces)):
            nodes = mesh.nodes[mesh.region_nodes(np.array([face]), NONE)]
            away = np.linalg.norm(body.project_to_face(face, nodes) - nodes, axis=1)
            assert (away < 1e-6).mean() > (0.9 if mesh.straightened else 0.999)
            assert (
                away.max() < 0.12
            )  # no more than the sag of the few sides that had to stay straight


def test_free_motions_in_words() -> None:
    centre = np.array([12.0, 3.0, 150.0])
    turn = np.array([0.0, 1.0, 0.0])
    about_origin = np.array([[*np.cross(turn, centre), *turn]]) / 50
    assert describe_motions(np.eye(6)[[0, 5]], centre) == "slides along x, turns about z"
    assert describe_motions(about_origin, centre) == "turns about y through (0, 3, 0) mm"


@pytest.mark.parametrize(("share", "skins"), [(0.5, 1), (0.05, 3)])
def test_a_surface_that_runs_through_itself_is_not_made_finer(
    monkeypatch: pytest.MonkeyPatch, share: float, skins: int
) -> None:
    """Where half of the skin crosses itself finer ones do as well, and took minutes; where a
    twentieth does, two finer ones are tried."""
    from labilis.mesh import tetrahedra

    made: list[int] = []
    make = tetrahedra.make_skin

    def counted(*given: Any, **more: Any) -> Any:
        made.append(1)
        return make(*given, **more)

    monkeypatch.setattr(tetrahedra, "make_skin", counted)
    monkeypatch.setattr(
        tetrahedra, "crossing", lambda points, corners: np.arange(int(share * len(corners)))
    )
    body = body_of(bar_step())
    assert tetrahedra.mesh_kept(body, body.view.size, 8.0, 2, ()) is None
    assert len(made) == skins
