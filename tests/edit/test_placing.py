"""Pieces put on faces: their foot lies on the skin, whatever way the face looks."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from labilis.edit.new_pieces import with_plate_along, with_rib_into
from labilis.edit.placing import movable, placed_on, put_on, strut_between
from labilis.model import LabilisError, Piece, Project, load_project
from labilis.run import Plan, Runner, Snapshot, judge_project, stage_keys
from labilis.run.picking import edge_footing, footing, inner_corner, section_middle
from labilis.shape import ShapeView, find_region
from tests.frames import STEEL, portal, strut

PLATE = {
    "kind": "plate",
    "thickness": "6 mm",
    "outline": [
        {"x": f"{x} mm", "y": f"{y} mm"} for x, y in ((-60, -40), (60, -40), (60, 40), (-60, 40))
    ],
}
TUBE = {"shape": "square tube", "width": "30 mm", "thickness": "2 mm"}
NEW: dict[str, dict[str, Any]] = {
    "strut": {"kind": "strut", "length": "80 mm", "section": TUBE},
    "plate": {**PLATE, "thickness": "4 mm"},
    "rib": {"kind": "rib", "width": "50 mm", "height": "40 mm", "thickness": "3 mm"},
    "block": {"kind": "block", "width": "30 mm", "height": "20 mm", "depth": "10 mm"},
    "folded": {
        "kind": "folded sheet",
        "profile": [["20 mm", "0 mm"], ["0 mm", "0 mm"], ["0 mm", "20 mm"]],
        "thickness": "2 mm",
        "length": "60 mm",
    },
}
TURNS = [(), (("x", 90.0),), (("y", -37.0), ("z", 20.0)), (("x", 180.0),)]


def base(turns: tuple[tuple[str, float], ...], mesh_as: str) -> dict[str, Any]:
    return {
        "name": "base",
        "recipe": PLATE,
        "material": STEEL["name"],
        "mesh_as": mesh_as,
        "place": {
            "at": ["100 mm", "-20 mm", "35 mm"],
            "turns": [{"about": axis, "angle": f"{angle} deg"} for axis, angle in turns],
        },
    }


def view_of(project: Project) -> ShapeView:
    view = Runner().run(Snapshot(project), Plan("shape"))[stage_keys(project).shape]
    assert isinstance(view, ShapeView)
    return view


@pytest.mark.parametrize("kind", sorted(NEW))
@pytest.mark.parametrize("turns", TURNS)
def test_the_foot_lies_on_the_face_and_the_rest_stands_off(
    kind: str, turns: tuple[tuple[str, float], ...]
) -> None:
    project = load_project({"materials": [STEEL], "pieces": [base(turns, "solid")]})
    view = view_of(project)
    face = next(row for row, name in enumerate(view.faces.name) if name == "base/top")
    where = footing(view, face, (0.0, 0.0, 1.0))
    assert where is not None
    point, normal = where
    piece = Piece.model_validate(
        {"name": "new", "recipe": NEW[kind], "material": STEEL["name"], "mesh_as": "solid"}
    )
    placed = put_on(project.changed(pieces=[*project.pieces, piece]), "new", point, normal)
    shown = view_of(placed)
    body = int(np.flatnonzero(shown.bodies == "new")[0])
    triangles = np.isin(shown.tessellation.face, np.flatnonzero(shown.faces.body == body))
    points = shown.tessellation.points[shown.tessellation.triangles[triangles].ravel()]
    height = (points - point) @ normal
    assert height.min() == pytest.approx(0.0, abs=2e-4)
    reach = {"strut": 80.0, "plate": 4.0, "rib": 40.0, "block": 10.0, "folded": 60.0}[kind]
    assert height.max() == pytest.approx(reach, abs=2e-4)


@pytest.mark.parametrize("mesh_as", ["shell", "solid", "line"])
@pytest.mark.parametrize("side", [1.0, -1.0])
def test_a_strut_put_on_a_sheet_is_joined_to_it(mesh_as: str, side: float) -> None:
    """On the side that is looked at, half the sheet's thickness off, and carrying."""
    turns = (("x", 50.0), ("z", -15.0))
    project = load_project({"materials": [STEEL], "pieces": [base(turns, "shell")]})
    view = view_of(project)
    normal = view.faces.direction[0]
    where = footing(view, 0, tuple(side * normal))
    assert where is not None
    assert where[1] @ normal == pytest.approx(side)
    assert (where[0] - view.faces.centroid[0]) @ where[1] == pytest.approx(3.0)
    piece = Piece.model_validate(
        {"name": "post", "recipe": NEW["strut"], "material": STEEL["name"], "mesh_as": mesh_as}
    )
    placed = put_on(project.changed(pieces=[*project.pieces, piece]), "post", *where)
    push = [f"{-1000.0 * float(c)!r} N" for c in where[1]]
    stated = load_project(
        {
            **placed.model_dump(mode="json"),
            "regions": [
                {"name": "rim", "names": ["base/side.1", "base/side.3"]},
                {"name": "head", "names": ["post/end"]},
            ],
            "supports": [{"name": "rim", "on": "rim", "held": ["x", "y", "z"]}],
            "loads": [{"kind": "force", "name": "push", "on": "head", "components": push}],
            "cases": [{"name": "case", "loads": [{"load": "push"}]}],
            "mesh": {"size": "12 mm"},
            "criteria": {"modes": 1, "mesh_error": False},
        }
    )
    found = find_region(stated.regions[1], view_of(stated))
    assert not found.lost
    case = judge_project(stated, Runner().run(Snapshot(stated), Plan("modes"))).cases[0]
    assert case.facts.modes.positive[0] > 1.0  # type: ignore[union-attr]
    assert case.facts.strength.reaction.sum(axis=(0, 1))[:3] == pytest.approx(  # type: ignore[union-attr]
        1000.0 * where[1], rel=1e-6, abs=1e-6
    )


def test_what_is_no_plane_and_what_comes_from_a_file_is_refused() -> None:
    project = load_project(
        {
            "materials": [STEEL],
            "pieces": [
                {
                    "name": "tube",
                    "material": STEEL["name"],
                    "mesh_as": "solid",
                    "recipe": {
                        "kind": "strut",
                        "length": "80 mm",
                        "section": {
                            "shape": "round tube",
                            "diameter": "30 mm",
                            "thickness": "3 mm",
                        },
                    },
                }
            ],
        }
    )
    view = view_of(project)
    for face, kind in enumerate(view.faces.kind):
        assert (footing(view, face, (0, 0, 1)) is None) == (str(kind) != "plane")
    assert movable(project) == ["tube"]
    imported = Piece.model_validate(
        {"name": "part", "geometry": "a.step", "material": STEEL["name"]}
    )
    with pytest.raises(LabilisError, match="where its file has it"):
        placed_on(project, imported, (0, 0, 0), (0, 0, 1))


def test_turned_half_round_it_still_has_a_place() -> None:
    """Where the angles of the turns are not told apart (the middle one a right angle)."""
    project = load_project({"materials": [STEEL], "pieces": [base((), "solid")]})
    for normal in ((1, 0, 0), (-1, 0, 0), (0, 1, 0), (0, -1, 0), (0, 0, -1)):
        placed = put_on(project, "base", (5.0, 6.0, 7.0), normal)
        view = view_of(placed)
        bottom = next(row for row, name in enumerate(view.faces.name) if name == "base/bottom")
        assert view.faces.centroid[bottom] == pytest.approx((5.0, 6.0, 7.0), abs=1e-6)
        assert view.faces.direction[bottom] == pytest.approx(-np.array(normal), abs=1e-9)


@pytest.mark.parametrize("end", [(300.0, 40.0, -70.0), (0.0, 0.0, 250.0), (-10.0, 0.0, 0.0)])
def test_a_strut_runs_from_one_place_to_another(end: tuple[float, float, float]) -> None:
    start = np.array([12.5, -3.0, 7.0])
    project = load_project({"materials": [STEEL], "pieces": [base((), "solid")]})
    piece = Piece.model_validate(
        {"name": "brace", "recipe": NEW["strut"], "material": STEEL["name"], "mesh_as": "shell"}
    )
    made = strut_between(project, piece, start, start + end)
    view = view_of(project.changed(pieces=[made]))
    for name, place in (("start", start), ("end", start + end)):
        rows = [row for row, text in enumerate(view.edges.name) if text == f"brace/{name}"]
        middle = view.edges.centroid[rows].mean(axis=0)
        assert middle == pytest.approx(place, abs=3e-4)
    with pytest.raises(LabilisError, match="the same"):
        strut_between(project, piece, start, start)
    with pytest.raises(LabilisError, match="no strut"):
        strut_between(project, project.pieces[0], start, start + end)


def test_a_brace_of_a_frame_of_lines_is_joined_at_both_of_its_ends() -> None:
    """From corner to corner of a portal it takes the sway."""
    stated = load_project(portal())
    before = judge_project(stated, Runner().run(Snapshot(stated), Plan("modes"))).cases[0]
    view = view_of(stated)
    points = {
        str(name).split("|")[0]: view.edges.centroid[row]
        for row, name in enumerate(view.edges.name)
        if str(view.edges.kind[row]) == "point"
    }
    foot, head = points["left post/start"], points["right post/end"]
    tube = {"shape": "round tube", "diameter": "30 mm", "thickness": "2 mm"}
    piece = Piece.model_validate(strut("brace", 1.0, section=tube))
    made = strut_between(stated, piece, foot, head)
    braced = stated.changed(pieces=[*stated.pieces, made])
    after = judge_project(braced, Runner().run(Snapshot(braced), Plan("modes"))).cases[0]
    assert after.facts.modes is not None and before.facts.modes is not None
    sways = [
        np.abs(case.facts.strength.displacement_growing[:, 0]).max()  # type: ignore[union-attr]
        for case in (before, after)
    ]
    assert sways[1] < 0.2 * sways[0]


@pytest.mark.parametrize("shape", ["angle", "channel", "T", "square tube"])
def test_lines_of_any_section_meet_where_they_were_asked_to(shape: str) -> None:
    """A line stands on its centroid, which for an angle is not where its corner is: two that were
    to meet in space did not."""
    sizes = {"thickness": "4 mm", "width": "40 mm"}
    if shape != "square tube":
        sizes["height"] = "60 mm"
    if shape == "T":
        sizes["web"] = "4 mm"
    section = {"shape": shape, **sizes}
    empty = load_project({"materials": [{**STEEL, "name": "structural steel S235"}], "pieces": []})
    top, feet = np.array([310.7, 40.3, 803.1]), [(0.0, 0.0, 0.0), (650.0, 13.0, 0.0)]
    pieces = []
    for number, foot in enumerate(feet):
        piece = Piece.model_validate(strut(f"leg-{number}", 1.0, section=section))
        pieces.append(strut_between(empty, piece, foot, top, section_middle(empty, piece)))
    stated = load_project(
        {
            **empty.changed(pieces=pieces).model_dump(mode="json"),
            "regions": [
                {"name": "feet", "names": ["leg-0/start", "leg-1/start"]},
                {"name": "top", "names": ["leg-0/end"]},
            ],
            "supports": [
                {
                    "name": "feet",
                    "on": "feet",
                    "held": ["x", "y", "z", "turn_x", "turn_y", "turn_z"],
                }
            ],
            "loads": [
                {
                    "kind": "force",
                    "name": "push",
                    "on": "top",
                    "components": ["0 N", "0 N", "-1000 N"],
                }
            ],
            "cases": [{"name": "case", "loads": [{"load": "push"}]}],
            "criteria": {"modes": 1, "mesh_error": False},
        }
    )
    case = judge_project(stated, Runner().run(Snapshot(stated), Plan("strength"))).cases[0]
    strength = case.facts.strength
    assert strength is not None
    names = strength.line_names
    pushed = [strength.line_growing[names == f"leg-{k}"][:, :, 0].mean() for k in (0, 1)]
    assert pushed[0] < -300 and pushed[1] < -300  # both carry


def _owner(view: ShapeView, project: Project, of: str, row: int) -> str:
    return project.piece_of(str(view.bodies[view.body_of(of, row)]))


def _joined(project: Project) -> int:
    """Pairs of bodies of a part that hang together by more than a corner."""
    findings = Runner().run(Snapshot(project), Plan("mesh"))[stage_keys(project).mesh]
    return int((np.concatenate([findings.bonded, findings.fused])[:, 2] > 3).sum())


@pytest.mark.parametrize(
    ("turns", "mesh_as", "side"),
    [
        # each side, turn and kind here, each of them with each other in the long run
        pytest.param(
            turns, kind, side, marks=[] if (number + side + k) % 4 == 0 else pytest.mark.full
        )
        for number, turns in enumerate(TURNS)
        for k, kind in enumerate(("solid", "shell"))
        for side in range(4)
    ],
)
def test_a_plate_along_an_edge_and_a_rib_into_the_corner(
    turns: tuple[tuple[str, float], ...], mesh_as: str, side: int
) -> None:
    """Whatever way the base lies: as long as the edge, square to the face, within the base's
    outline where it is a solid, and joined all along; the rib touches both."""
    project = load_project({"materials": [STEEL], "pieces": [base(turns, mesh_as)]})
    view = view_of(project)
    top = next(row for row, name in enumerate(view.faces.name) if name in ("base/face", "base/top"))
    up = view.faces.direction[top]
    edges = [
        row
        for row in range(len(view.edges))
        if top in view.edges.faces[row] and view.edges.kind[row] == "line"
    ]
    edge = edges[side]
    foot = edge_footing(view, edge, tuple(up))
    assert foot is not None and foot.normal == pytest.approx(up)
    assert foot.inside @ (view.faces.centroid[top] - view.edges.centroid[edge]) > 0
    along = (foot.end - foot.start) / np.linalg.norm(foot.end - foot.start)
    # the plate's own axes: along the edge, up, and out of the base
    assert np.cross(along, foot.normal) @ foot.inside == pytest.approx(-1.0)
    inset = np.zeros(3) if foot.sheet else foot.inside
    made, name = with_plate_along(
        project, _owner(view, project, "edge", edge), foot.start, foot.end, foot.normal, inset
    )
    assert made.named("pieces", name).mesh_as == mesh_as
    after = view_of(made)
    bodies = list(after.bodies)
    mine = [row for row in range(len(after.faces)) if after.faces.body[row] == bodies.index(name)]
    corners = after.tessellation.points[
        np.unique(after.tessellation.triangles[np.isin(after.tessellation.face, mine)])
    ]
    along = (foot.end - foot.start) / view.edges.length[edge]
    assert np.ptp(corners @ along) == pytest.approx(view.edges.length[edge], abs=1e-3)
    rise = (corners - foot.start) @ up
    assert rise.min() == pytest.approx(0, abs=1e-3) and rise.max() == pytest.approx(120, abs=1e-3)
    deep = (corners - foot.start) @ foot.inside
    assert deep.min() == pytest.approx(0, abs=1e-3)
    assert deep.max() == pytest.approx(3.0 if mesh_as == "solid" else 0.0, abs=1e-3)
    assert _joined(made) == 1

    # the face of the new plate that looks inward, and the base's
    inner = max(
        (row for row in mine if after.faces.kind[row] == "plane"),
        key=lambda row: (
            (round(float(abs(after.faces.direction[row] @ foot.inside)), 6))
            * after.faces.area[row]
            * (1.0 if mesh_as == "shell" else 0.1 + float(after.faces.direction[row] @ foot.inside))
        ),
    )
    again = next(
        row for row, found in enumerate(after.faces.name) if found in ("base/face", "base/top")
    )
    for pair in ((again, inner), (inner, again)):
        corner = inner_corner(after, *pair, tuple(up + foot.inside))
        assert corner is not None
        ribbed, rib = with_rib_into(
            made, _owner(after, made, "face", pair[0]), corner.point, corner.ways, corner.reaches
        )
        shape = view_of(ribbed)
        own = np.flatnonzero(shape.faces.body == list(shape.bodies).index(rib))
        found = shape.tessellation.points[
            np.unique(shape.tessellation.triangles[np.isin(shape.tessellation.face, own)])
        ]
        thin = 3.0 if mesh_as == "solid" else 0.0
        level = thin if mesh_as == "solid" else 0.0
        assert ((found - foot.start) @ up).min() == pytest.approx(0, abs=1e-3)
        assert ((found - foot.start) @ foot.inside).min() == pytest.approx(level, abs=1e-3)
        middle = 0.5 * view.edges.length[edge]
        assert (found - foot.start) @ along == pytest.approx(
            np.full(len(found), middle), abs=0.5 * thin + 1e-3
        )
        assert _joined(ribbed) == 3


def test_where_no_plate_and_no_rib_can_stand() -> None:
    """Round edges and parallel faces offer nothing; neither does a corner with a bend in it."""
    folded = {**base((), "shell"), "recipe": NEW["folded"] | {"bend": "4 mm"}}
    project = load_project({"materials": [STEEL], "pieces": [folded]})
    view = view_of(project)
    plane = [row for row in range(len(view.faces)) if view.faces.kind[row] == "plane"]
    assert len(plane) == 2 and inner_corner(view, *plane, (1.0, 1.0, 1.0)) is None
    curved = next(row for row in range(len(view.edges)) if view.edges.kind[row] == "circle")
    assert edge_footing(view, curved, (0.0, 0.0, 1.0)) is None
    block = {**base((), "solid"), "recipe": NEW["block"]}
    solid = view_of(load_project({"materials": [STEEL], "pieces": [block]}))
    for one in range(6):
        for two in range(6):  # all corners of a block are outer ones
            assert one == two or inner_corner(solid, one, two, (1.0, 1.0, 1.0)) is None
