"""Thin STEP solids to shells: volume, thickness, and factors against the recipe they came from."""

import hashlib
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from labilis.judge.evidence.midsurface import narrow_walls
from labilis.model import LabilisError, Region, load_project
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.run.picking import make_pick
from labilis.shape import PartShape, build_part
from tests.parts import to_step
from tests.shape.test_recipes import part, strut
from validation.members import TEE
from validation.recipes import case_of, flat, force, hold, mm, region, shell

FOLD = {
    "kind": "folded sheet",
    "profile": [("40 mm", "0 mm"), ("0 mm", "0 mm"), ("0 mm", "40 mm")],
    "thickness": "2 mm",
    "bend": "4 mm",
    "length": "240 mm",
}
STEEL = {"name": "steel", "youngs_modulus": "210 GPa", "poisson_ratio": "0.3"}


def step_of(*pieces: dict[str, Any]) -> bytes:
    """Recipes as one fused solid in a STEP file."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Fuse

    solids = [
        solid.solid for solid in part(*[{**piece, "mesh_as": "solid"} for piece in pieces]).solids
    ]
    return to_step(solids[0] if len(solids) == 1 else BRepAlgoAPI_Fuse(*solids).Shape())


def imported(data: bytes, mesh_as: str = "shell", **more: Any) -> dict[str, Any]:
    return {
        "labilis": 2,
        "materials": [STEEL],
        "geometry": [{"file": "a.step", "sha256": hashlib.sha256(data).hexdigest()}],
        "pieces": [
            {"name": "sheet", "geometry": "a.step", "material": "steel", "mesh_as": mesh_as}
        ],
        **more,
    }


def shells_of(*pieces: dict[str, Any]) -> PartShape:
    data = step_of(*pieces)
    return build_part(load_project(imported(data)), {hashlib.sha256(data).hexdigest(): data})


@pytest.mark.parametrize(
    ("pieces", "thickness", "bodies"),
    [
        ([shell("a", FOLD)], [2.0], 1),
        (
            [
                shell(
                    "a",
                    {
                        **flat(200, 100, 3),
                        "openings": [{"x": "50 mm", "y": "50 mm", "diameter": "30 mm"}],
                    },
                )
            ],
            [3.0],
            1,
        ),
        ([strut("square tube", width=40, thickness=2, radius=2)], [2.0], 1),
        ([strut("square tube", width=40, thickness=2)], [2.0], 1),
        ([strut("round tube", diameter=40, thickness=2)], [2.0], 1),
        ([strut("angle", width=40, height=40, thickness=2)], [2.0], 1),
        (TEE, [1.5, 2.0], 1),
    ],
    ids=[
        "folded",
        "plate",
        "tube with bends",
        "sharp tube",
        "round tube",
        "sharp angle",
        "T bracket",
    ],
)
@pytest.mark.full
def test_midsurfaces_keep_thickness_and_volume(
    pieces: list[dict], thickness: list[float], bodies: int
) -> None:
    found = shells_of(*pieces)
    assert np.allclose(np.unique(np.round(found.view.faces.thickness, 6)), thickness)
    assert len(found.bodies) == bodies
    assert abs(found.deviation) < 1e-6
    exact = part(*[{**piece, "mesh_as": "solid"} for piece in pieces]).view.volume
    twice = (
        0.0 if pieces is not TEE else 1.5 * 2.0 / 2 * 130.0
    )  # half the base's thickness under the rib counts twice
    assert found.view.volume == pytest.approx(exact + twice, rel=1e-6)


@pytest.mark.parametrize(
    "piece",
    [
        strut("round", diameter=20),
        shell(
            "b",
            {"kind": "block", "width": "40 mm", "height": "40 mm", "depth": "30 mm"},
            mesh_as="solid",
        ),
    ],
)
def test_a_solid_that_is_not_thin_is_refused(piece: dict) -> None:
    with pytest.raises(LabilisError) as caught:
        shells_of(piece)
    assert caught.value.code == "not-thin"
    assert "% of its volume" in caught.value.what


@pytest.mark.parametrize(
    ("pieces", "edges", "width", "radius"),
    [
        ([strut("square tube", width=40, thickness=2, radius=2)], "both supported", 34.0, 0.0),
        ([strut("square tube", width=40, thickness=2)], "both supported", 38.0, 0.0),
        ([strut("angle", width=40, height=40, thickness=2)], "one supported, one free", 39.5, 0.0),
        (
            [strut("channel", width=30, height=60, thickness=2)],
            "one supported, one free",
            29.5,
            0.0,
        ),  # the flange is slimmer
        ([shell("a", FOLD)], "one supported, one free", 34.0, 0.0),
        ([strut("round tube", diameter=40, thickness=2)], "", 0.0, 19.0),
    ],
    ids=["tube with bends", "sharp tube", "sharp angle", "channel", "folded", "round tube"],
)
@pytest.mark.parametrize("mesh_as", ["shell", "solid"])
@pytest.mark.full
def test_walls_of_imported_solids_are_known(
    pieces: list[dict], edges: str, width: float, radius: float, mesh_as: str
) -> None:
    """For screening: which edges of a wall are supported, as for recipes."""
    data = step_of(*pieces)
    (member,) = build_part(
        load_project(imported(data, mesh_as)), {hashlib.sha256(data).hexdigest(): data}
    ).members
    assert member.radius == pytest.approx(radius, abs=1e-6) and (member.wall is None) == (not edges)
    if member.wall is not None:
        assert member.wall.edges == edges and member.wall.thickness == pytest.approx(2.0)
        assert member.wall.width == pytest.approx(width, rel=0.06)


def test_factors_of_the_imported_sheet_equal_the_recipe() -> None:
    data = step_of(shell("a", FOLD))
    sha = hashlib.sha256(data).hexdigest()
    view = build_part(load_project(imported(data)), {sha: data}).view

    def ends(z: float) -> Region:
        rows = [
            row for row in range(len(view.edges)) if abs(view.edges.centroid[row][2] - z) < 1e-6
        ]
        return Region(
            name=f"at {z:g}",
            piece="sheet",
            picks=tuple(make_pick(view, "edge", row) for row in rows),
        )

    regions = [ends(0.0).model_dump(), ends(240.0).model_dump()]
    statements = {
        "supports": [hold("at 0", "x", "y", "z")],
        **case_of(force("at 240", z=-1.0)),
        "mesh": {"size": mm(8)},
        "criteria": {"modes": 3},
    }
    one = load_project(imported(data, regions=regions, **statements))
    report = judge_project(one, Runner().run(Snapshot(one, {sha: data}), Plan("modes")))
    recipe = load_project(
        {
            "labilis": 2,
            "materials": [STEEL],
            "pieces": [shell("a", FOLD)],
            "regions": [region("at 0", "a/start"), region("at 240", "a/end")],
            **statements,
        }
    )
    same = judge_project(recipe, Runner().run(Snapshot(recipe), Plan("modes")))
    assert report.cases[0].facts.modes.positive == pytest.approx(
        same.cases[0].facts.modes.positive, rel=0.01
    )
    assert (
        next(item for item in report.cases[0].evidence if item.name == "mid-surface").state
        == "good"
    )


def _cone() -> Any:
    """A conical tube: 1.5 mm wall, 60 to 30 mm mean radius at the ends of 80 mm."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeCone

    half = 0.75 / np.cos(np.arctan(30 / 80))
    return BRepAlgoAPI_Cut(
        *(BRepPrimAPI_MakeCone(60 + by, 30 + by, 80.0).Solid() for by in (half, -half))
    ).Shape()


def _wave() -> Any:
    """A sheet of 2 mm bent to a wave by a spline, 120 mm wide."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge
    from OCP.BRepOffset import BRepOffset_MakeSimpleOffset
    from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
    from OCP.GeomAPI import GeomAPI_PointsToBSpline
    from OCP.gp import gp_Pnt, gp_Vec
    from OCP.TColgp import TColgp_Array1OfPnt

    points = TColgp_Array1OfPnt(1, 13)
    for k, x in enumerate(np.linspace(0, 200, 13), 1):
        points.SetValue(k, gp_Pnt(float(x), 0.0, float(12 * np.sin(np.pi * x / 100))))
    edge = BRepBuilderAPI_MakeEdge(GeomAPI_PointsToBSpline(points).Curve()).Edge()
    face = BRepPrimAPI_MakePrism(edge, gp_Vec(0, 120, 0)).Shape()
    maker = BRepOffset_MakeSimpleOffset(face, 2.0)
    maker.SetBuildSolidFlag(True)
    maker.Perform()
    return maker.GetResultShape()


def _drilled() -> Any:
    """A tube of 40 mm, 2 mm thick, 120 mm long, with a bore of 12 mm through both walls and one
    of 8 mm through one, across the seam."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder
    from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

    tube = _tube(120.0)
    through = BRepPrimAPI_MakeCylinder(
        gp_Ax2(gp_Pnt(0, -50, 40), gp_Dir(0, 1, 0)), 6.0, 100.0
    ).Solid()
    one_wall = BRepPrimAPI_MakeCylinder(
        gp_Ax2(gp_Pnt(0, 0, 80), gp_Dir(1, 0, 0)), 4.0, 50.0
    ).Solid()
    return BRepAlgoAPI_Cut(BRepAlgoAPI_Cut(tube, through).Shape(), one_wall).Shape()


def _mitred() -> Any:
    """The tube with one end cut at 45 degrees."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox
    from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

    slanted = gp_Ax2(gp_Pnt(-100, -100, 0), gp_Dir(-1, 0, 1), gp_Dir(0, 1, 0))
    return BRepAlgoAPI_Cut(
        _tube(120.0), BRepPrimAPI_MakeBox(slanted, 200.0, 400.0, 400.0).Solid()
    ).Shape()


def _tube(length: float) -> Any:
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder

    return BRepAlgoAPI_Cut(
        *(BRepPrimAPI_MakeCylinder(radius, length).Solid() for radius in (20.0, 18.0))
    ).Shape()


@pytest.mark.parametrize(
    ("make", "thickness", "area"),
    [
        (_cone, 1.5, np.pi * 90 * np.hypot(80, 30)),
        (_wave, 2.0, None),
        (_drilled, 2.0, None),
        (_mitred, 2.0, None),
    ],
    ids=["cone", "free form", "drilled tube", "mitred tube"],
)
def test_curved_sheets_become_shells_on_their_true_mid_surface(
    make: Any, thickness: float, area: float | None
) -> None:
    from labilis.mesh import mesh_part
    from labilis.shape.step import solids_of, volume_of

    solid = solids_of(make())[0]
    data = to_step(solid)
    found = build_part(load_project(imported(data)), {hashlib.sha256(data).hexdigest(): data})
    assert np.allclose(found.view.faces.thickness, thickness, rtol=2e-3)
    if area is not None:
        # the ends of a slanted wall are cut square to the axis, the moved skin ends square to the
        # wall: half a thickness times its slope
        assert found.view.faces.area.sum() == pytest.approx(area, rel=3e-3)
    assert abs(found.view.volume / abs(volume_of(solid)) - 1) < 0.01 and abs(found.deviation) < 0.01
    mesh = mesh_part(found, 10.0)
    corners = mesh.nodes[mesh.triangles]
    meshed = (
        0.5
        * np.linalg.norm(
            np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1
        ).sum()
    )
    assert meshed == pytest.approx(found.view.faces.area.sum(), rel=0.01)


def gusset(radius: float, length: float = 60.0, height: float = 80.0) -> Any:
    """A plate on a foot plate with a triangle of 4 mm between them, rounded where it stands on
    both."""
    from validation.corpus import drawing as d

    t = 4.0
    rib = d.turned(d.extrude([(t, t), (length, t), (t, height)], t, -t / 2), (1, 1, 1), 120)
    shape = d.fuse(d.box(50, 80, t, (-25, 0, 0)), d.box(50, t, 110, (-25, 0, 0)), rib)
    return (
        d.rounded(
            shape,
            radius,
            lambda m, v: (
                abs(abs(m[0]) - t / 2) < 1e-6
                and v[0] < 0.1
                and (abs(m[1] - t) < 1e-6 or abs(m[2] - t) < 1e-6)
            ),
        )
        if radius
        else shape
    )


@pytest.mark.parametrize("radius", [0.0, 1.0, 1.6, 3.0])
def test_a_gusset_reaches_as_far_with_fillets_as_without(radius: float) -> None:
    """Its foot ends where its outline meets the wall, and not where the fillet begins: 4 mm in
    80 cost a tenth of the factor."""
    from labilis.shape import build_body
    from labilis.shape.midsurface import find_midsurface

    found = find_midsurface(build_body(gusset(radius)), "bracket")
    outlines = [vertices_of(sheet.face) for sheet in found.sheets]
    corners = np.concatenate(
        [outline for outline in outlines if np.abs(outline[:, 0]).max() < 0.01]
    )
    assert corners[:, 2].max() == pytest.approx(80.0, abs=0.02)
    assert corners[:, 1].max() == pytest.approx(60.0, abs=0.02)
    assert abs(found.deviation) < 0.01


def vertices_of(face: Any) -> Any:
    from OCP.BRep import BRep_Tool
    from OCP.TopAbs import TopAbs_VERTEX
    from OCP.TopExp import TopExp_Explorer
    from OCP.TopoDS import TopoDS

    points, explorer = [], TopExp_Explorer(face, TopAbs_VERTEX)
    while explorer.More():
        p = BRep_Tool.Pnt_s(TopoDS.Vertex_s(explorer.Current()))
        points.append((p.X(), p.Y(), p.Z()))
        explorer.Next()
    return np.array(points)


@pytest.mark.parametrize(
    ("pieces", "narrow"),
    [
        ([strut("angle", width=40, height=40, thickness=4)], 38 / 4),
        ([strut("square tube", width=40, thickness=2)], 38 / 2),
        ([shell("a", FOLD)], 0.0),
        ([strut("round tube", diameter=40, thickness=2)], 0.0),
    ],
    ids=["angle", "box", "fold", "round"],
)
def test_the_narrowest_wall_at_a_corner_is_known(pieces: list[dict], narrow: float) -> None:
    """Bends are no corners; a wall is as wide as shells take it."""
    assert shells_of(*pieces).narrow == pytest.approx(narrow, rel=1e-6)


@pytest.mark.parametrize(
    ("narrow", "state", "figure"),
    [(0.0, "", ""), (5.0, "caution", "23"), (12.4, "caution", "8.6"), (12.6, "good", "12.6")],
)
def test_shells_of_narrow_walls_say_how_low_they_can_lie(
    narrow: float, state: str, figure: str
) -> None:
    """(b / (b - t/2))² - 1 of a wall whose width runs to the middle of the next."""
    facts = SimpleNamespace(mesh=SimpleNamespace(narrow=narrow))
    found = narrow_walls(facts)  # type: ignore[arg-type]
    assert (found.state, found.figure) == (state, figure) if found else not state


@pytest.mark.parametrize(
    "piece",
    [
        strut("I", width=60, height=104, thickness=4, web=4),
        strut("angle", width=40, height=40, thickness=4),
        strut("square tube", width=40, thickness=2, radius=2),
        shell("a", FOLD),
    ],
)
def test_shells_weigh_what_the_solid_weighs(piece: dict) -> None:
    """Sheets that meet count twice what they have in common: an I of shells was some per cent
    too heavy."""
    exact = part({**piece, "mesh_as": "solid"}).view.volume
    assert part({**piece, "mesh_as": "shell"}).view.volumes == pytest.approx([exact], rel=1e-9)
    assert shells_of(piece).view.volumes == pytest.approx([exact], rel=1e-6)
