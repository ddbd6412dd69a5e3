"""Measuring on the part, and STL."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

import meshio
import numpy as np
import pytest

from labilis.analysis.section_properties import cut_section
from labilis.model import LabilisError, load_project
from labilis.run import Plan, Runner, Snapshot, judge_project, stage_keys
from labilis.run.measure import face_section, measured, measured_moved
from labilis.shape import build_body, build_part, list_bodies
from labilis.shape.step import volume_of
from labilis.shape.stl import read_stl
from tests.judge.test_mistakes import STEEL


def view_of(recipe: dict[str, Any], mesh_as: str = "solid") -> Any:
    return build_part(
        load_project({"pieces": [{"name": "one", "recipe": recipe, "mesh_as": mesh_as}]}), {}
    ).view


def face(view: Any, name: str) -> tuple[str, int]:
    return "face", list(view.faces.name).index(f"one/{name}")


def test_section_properties_of_a_flat_face_with_a_hole() -> None:
    view = view_of(
        {
            "kind": "strut",
            "length": "100 mm",
            "section": {"shape": "square tube", "width": "40 mm", "thickness": "3 mm"},
        }
    )
    found = face_section(view, face(view, "start")[1])
    assert found is not None
    assert found.area == pytest.approx(40**2 - 34**2, rel=1e-6)
    assert found.i_z == pytest.approx((40**4 - 34**4) / 12, rel=1e-6)
    lines = measured(view, (face(view, "start"),))
    assert lines[0].startswith("I 1.02e+05") and "centroid (0, 0, 0) mm" in lines[1]
    round_one = view_of(
        {"kind": "strut", "length": "50 mm", "section": {"shape": "round", "diameter": "20 mm"}}
    )
    section = face_section(round_one, face(round_one, "end")[1])
    assert section is not None and section.torsion == pytest.approx(np.pi * 20**4 / 32, rel=0.02)
    assert face_section(round_one, face(round_one, "skin.1")[1]) is None


def straight(view: Any, length: float) -> int:
    return next(
        k
        for k in range(len(view.edges))
        if str(view.edges.kind[k]) == "line" and abs(view.edges.length[k] - length) < 1e-6
    )


@pytest.mark.parametrize("mesh_as", ["solid", "shell"])
def test_a_cut_square_to_an_edge(mesh_as: str) -> None:
    """A square tube and an angle, as solids exactly, as sheets by their mid-lines."""
    tube = {
        "kind": "strut",
        "length": "300 mm",
        "section": {"shape": "square tube", "width": "40 mm", "thickness": "2 mm"},
    }
    view = view_of(tube, mesh_as)
    edge = straight(view, 300.0)
    found = cut_section(view, 0, view.edges.centroid[edge], view.edges.direction[edge])
    assert found is not None
    assert found.area == pytest.approx(40**2 - 36**2, rel=1e-6)
    mid_line = 2 * (2 * 38**3 / 12) + 2 * (38 * 2 * 19**2 + 38 * 2**3 / 12)
    assert found.i_min == pytest.approx(
        (40**4 - 36**4) / 12 if mesh_as == "solid" else mid_line, rel=1e-6
    )
    assert found.i_max == pytest.approx(found.i_min, rel=1e-6)
    assert found.centroid == pytest.approx(view.edges.centroid[edge] * [0, 0, 1], abs=1e-6)
    assert found.torsion == pytest.approx(2 * 38**3, rel=0.03)  # Bredt: 4 A² t / (4 b)
    lines = measured(view, (("edge", edge),))
    assert lines[0].startswith("cut square to it at its middle: 304 mm²") and "J " in lines[1]


def test_a_cut_through_a_folded_sheet_and_a_bore() -> None:
    fold = {
        "kind": "folded sheet",
        "profile": [("40 mm", "0 mm"), ("0 mm", "0 mm"), ("0 mm", "40 mm")],
        "thickness": "2 mm",
        "bend": "4 mm",
        "length": "240 mm",
    }
    one, two = (
        cut_section(view, 0, np.array([0.0, 0, 120]), np.array([0.0, 0, 1]))
        for view in (view_of(fold), view_of(fold, "shell"))
    )
    assert one is not None and two is not None
    assert two.area == pytest.approx(one.area, rel=2e-3) and two.i_min == pytest.approx(
        one.i_min, rel=5e-3
    )
    assert two.i_max == pytest.approx(one.i_max, rel=5e-3) and two.torsion == pytest.approx(
        one.torsion, rel=0.05
    )
    slanted = cut_section(view_of(fold, "shell"), 0, np.array([0.0, 0, 120]), np.array([0.0, 1, 1]))
    assert slanted is not None and slanted.area == pytest.approx(
        one.area * 2**0.5, rel=0.01
    )  # the cut of a prism leans with the plane
    plate = {
        "kind": "plate",
        "thickness": "10 mm",
        "outline": [
            {"x": f"{x} mm", "y": f"{y} mm"} for x, y in ((0, 0), (100, 0), (100, 40), (0, 40))
        ],
        "openings": [{"x": "50 mm", "y": "20 mm", "diameter": "20 mm"}],
    }
    view = view_of(plate)
    bored = cut_section(view, 0, np.array([50.0, 0, 0]), np.array([1.0, 0, 0]))
    assert bored is not None and bored.area == pytest.approx(
        10 * 20, rel=5e-3
    )  # two strips of 10 × 10 that act together
    assert bored.i_max == pytest.approx(10 * (40**3 - 20**3) / 12, rel=0.01)
    assert cut_section(view, 0, np.array([500.0, 0, 0]), np.array([1.0, 0, 0])) is None


def test_distances_and_angles_between_two() -> None:
    view = view_of({"kind": "block", "width": "40 mm", "height": "30 mm", "depth": "20 mm"})
    lines = measured(view, (face(view, "bottom"), face(view, "top")))
    assert (
        lines[0].startswith("20 mm between their middles") and lines[1] == "parallel, 20 mm apart"
    )
    side = next(
        ("face", k) for k in range(len(view.faces)) if abs(view.faces.direction[k][0]) > 0.9
    )
    assert measured(view, (face(view, "bottom"), side))[1] == "90° between them"
    assert measured(view, (side, side, side)) == []
    sheet = view_of(
        {
            "kind": "plate",
            "thickness": "2 mm",
            "outline": [{"x": f"{x} mm", "y": f"{y} mm"} for x, y in ((0, 0), (9, 0), (9, 9))],
        },
        "shell",
    )
    assert measured(sheet, (("face", 0),)) == ["sheet, 2 mm thick"]


def meshed(recipe: dict[str, Any], mesh_as: str, size: str) -> tuple[Any, Any]:
    """(view, mesh) of a recipe."""
    project = load_project(
        {"pieces": [{"name": "one", "recipe": recipe, "mesh_as": mesh_as}], "mesh": {"size": size}}
    )
    found = Runner().run(Snapshot(project), Plan("mesh"))
    keys = stage_keys(project)
    return found[keys.shape], found[keys.mesh]


BLOCK_40 = {"kind": "block", "width": "40 mm", "height": "30 mm", "depth": "20 mm"}
TUBE = {
    "kind": "strut",
    "length": "90 mm",
    "section": {"shape": "round tube", "diameter": "30 mm", "thickness": "1 mm"},
}
PLATE = {
    "kind": "plate",
    "thickness": "2 mm",
    "outline": [
        {"x": f"{x} mm", "y": f"{y} mm"} for x, y in ((0, 0), (300, 0), (280, 40), (0, 50))
    ],
}


@pytest.mark.parametrize("size", ["6 mm", "25 mm"])
def test_measuring_under_a_load(size: str) -> None:
    view, mesh = meshed(BLOCK_40, "solid", size)
    stretched = mesh.nodes * np.array([0.01, 0.0, -0.002])
    lines = measured_moved(view, (face(view, "top"),), mesh, stretched)
    assert lines == ["moves by 0.04 mm under the load (x 0, y 0, z -0.04)"]
    lines = measured_moved(view, (face(view, "bottom"), face(view, "top")), mesh, stretched)
    assert lines == [
        "middles 19.96 mm apart under the load, -0.04 mm",
        "the angle between them changes by +0°",
    ]
    along_x = next(
        ("edge", k) for k in range(len(view.edges)) if abs(view.edges.direction[k][0]) > 0.9
    )
    lines = measured_moved(view, (along_x,), mesh, stretched)
    assert lines[1:] == [
        "40 mm long, +0.4 mm under the load",
        "ends 40.4 mm apart under the load, +0.4 mm",
    ]
    sheared = np.stack(
        [np.tan(np.radians(2.0)) * mesh.nodes[:, 2], 0 * mesh.nodes[:, 0], 0 * mesh.nodes[:, 0]],
        axis=1,
    )
    side = next(("face", k) for k in range(len(view.faces)) if view.faces.direction[k][0] > 0.9)
    assert measured_moved(view, (face(view, "top"), side), mesh, sheared)[1].endswith("-2°")
    assert (
        measured_moved(view, (along_x,) * 3, mesh, stretched)
        == measured_moved(view, (along_x,), mesh, stretched[1:])
        == []
    )
    assert measured_moved(view, (("edge", len(view.edges)),), mesh, stretched) == []


@pytest.mark.parametrize(
    ("recipe", "mesh_as"),
    [(PLATE, "shell"), (PLATE, "solid"), (TUBE, "shell"), (TUBE, "solid"), (TUBE, "line")],
)
def test_what_turns_as_a_whole_keeps_its_lengths(recipe: dict[str, Any], mesh_as: str) -> None:
    """Turned by 70° and shifted: nothing becomes longer, on any mesh; then stretched by a
    thousandth."""
    view, mesh = meshed(recipe, mesh_as, "20 mm")
    a = np.radians(70.0)
    turn = np.array([[np.cos(a), -np.sin(a), 0], [np.sin(a), np.cos(a), 0], [0, 0, 1]])
    for stretch in (0.0, 1e-3):
        motion = (1 + stretch) * mesh.nodes @ turn.T + [5, 600, -7] - mesh.nodes
        seen = 0
        for edge in range(len(view.edges)):
            lines = [
                line
                for line in measured_moved(view, (("edge", edge),), mesh, motion)
                if "mm long" in line
            ]
            for line in lines:
                length, change = (float(part.split()[0]) for part in line.split(","))
                assert change == pytest.approx(stretch * length, rel=6e-3, abs=1e-9)
                seen += 1
        assert seen >= (1 if mesh_as == "line" else 2)


# --- STL
# --------------------------------------------------------------------------------------------------
def stl_of(recipe: dict[str, Any], drop: int = 0, binary: bool = True) -> bytes:
    tessellation = view_of(recipe).tessellation
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "x.stl"
        meshio.write(
            path,
            meshio.Mesh(tessellation.points, [("triangle", tessellation.triangles[drop:])]),
            binary=binary,
        )
        return path.read_bytes()


BLOCK = {"kind": "block", "width": "40 mm", "height": "8 mm", "depth": "4 mm"}


@pytest.mark.parametrize("binary", [True, False])
def test_a_closed_stl_becomes_a_solid_with_flat_faces(binary: bool) -> None:
    ((name, solid),) = read_stl(stl_of(BLOCK, binary=binary), "block.stl")
    body = build_body(solid)
    assert name == "block" and volume_of(solid) == pytest.approx(40 * 8 * 4, rel=1e-6)
    assert len(body.faces) == 6 and set(body.faces.kind) == {"plane"}


def test_stl_runs_like_any_part() -> None:
    import hashlib

    data = stl_of(BLOCK)
    body = build_body(read_stl(data)[0][1])
    sha = hashlib.sha256(data).hexdigest()
    picks = {}
    for word, x in (("foot", -20.0), ("head", 20.0)):
        k = int(np.argmin(np.abs(body.faces.centroid[:, 0] - x)))
        picks[word] = {
            "name": word,
            "piece": "block",
            "picks": [
                {
                    "of": "face",
                    "kind": "plane",
                    "position": body.faces.centroid[k].tolist(),
                    "size": float(body.faces.area[k]),
                    "direction": body.faces.direction[k].tolist(),
                }
            ],
        }
    project = load_project(
        {
            "geometry": [{"file": "block.stl", "sha256": sha}],
            "materials": [STEEL],
            "regions": list(picks.values()),
            "pieces": [{"name": "block", "geometry": "block.stl", "material": "steel"}],
            "supports": [{"name": "foot", "on": "foot", "held": ["x", "y", "z"]}],
            "loads": [
                {
                    "kind": "force",
                    "name": "push",
                    "on": "head",
                    "components": ["-1 kN", "0 N", "0 N"],
                }
            ],
            "cases": [{"name": "one", "loads": [{"load": "push"}]}],
            "criteria": {"modes": 1},
        }
    )
    found = (
        judge_project(project, Runner().run(Snapshot(project, {sha: data}), Plan("modes")))
        .cases[0]
        .facts.modes
    )
    assert found is not None
    # stocky: shear takes some of Euler's load
    assert found.positive[0] == pytest.approx(
        np.pi**2 * 210e3 * 8 * 4**3 / 12 / (4 * 40**2) / 1000, rel=0.04
    )
    assert list_bodies(data, "block.stl")[0].unit.startswith("millimetre")


@pytest.mark.parametrize(
    ("data", "code"),
    [(b"", "not-stl"), (b"solid x\nendsolid x\n", "not-stl"), (b"nothing of the kind", "not-stl")],
)
def test_what_is_no_stl_is_refused(data: bytes, code: str) -> None:
    with pytest.raises(LabilisError) as caught:
        read_stl(data)
    assert caught.value.code == code


def test_an_open_stl_is_refused_with_the_place() -> None:
    with pytest.raises(LabilisError, match="is not closed: 3 sides") as caught:
        read_stl(stl_of(BLOCK, drop=1))
    assert caught.value.code == "stl-open"
