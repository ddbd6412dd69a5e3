"""What leaves the program besides the report: the part as STEP, deformed surfaces as STL,
pictures."""

from __future__ import annotations

import hashlib
import json
from collections import Counter
from pathlib import Path
from typing import Any

import meshio
import numpy as np
import pytest

from labilis.judge.mesh_display import surface_triangles
from labilis.model import LabilisError, load_project
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.run.keys import stage_keys
from labilis.run.masses import mass_of
from labilis.shape.step import read_bodies, volume_of
from labilis.shape.writing import step_of
from labilis.store import load_model
from labilis.store.export import shape_moved, write_stl
from tests.cli.test_improve_cli import inside
from tests.drawn_recipes import column
from tests.judge.test_mistakes import flat, force, solid, strip
from tests.parts import cantilever

DEMOS = Path(__file__).parents[2] / "src/labilis/demos"


def reported(model: dict[str, Any], upto: str = "modes") -> Any:
    project = load_project(model)
    return judge_project(project, Runner().run(Snapshot(project), Plan(upto))).cases[0]  # type: ignore[arg-type]


@pytest.mark.parametrize("demo", ["panel-prop", "cabinet-stand", "antenna-mast", "sensor-bracket"])
def test_every_demo_comes_back_from_its_step_file(demo: str) -> None:
    """All pieces and copies under their names, shells with their thickness, each with the volume
    and the place that it has as a solid."""
    snapshot = load_model(next((DEMOS / demo).glob("*.json")))
    project = snapshot.project
    bodies, unit = read_bodies(step_of(project, snapshot.files), "part.step")
    assert unit.lower() in ("millimetre", "mm") and len(bodies) == sum(
        piece.count for piece in project.pieces
    )
    assert [name for name, _ in bodies] == [
        name for piece in project.pieces for name in piece.instances
    ]
    view = Runner().run(snapshot, Plan("shape"))[stage_keys(project).shape]
    for piece in project.active_pieces:
        density = project.number(project.named("materials", piece.material), "density")
        volume = sum(volume_of(body) for name, body in bodies if name in piece.instances)
        assert volume == pytest.approx(mass_of(project, view, (piece.name,)) / density, rel=2e-3), (
            piece.name
        )


def test_what_is_read_again_has_the_same_factor(tmp_path: Path) -> None:
    """A strip by its recipe, and as the shells that the program finds in its STEP file."""
    path = tmp_path / "strip.json"
    path.write_text(
        json.dumps(strip(criteria={"modes": 1, "required_factor": "1"})), encoding="utf-8"
    )
    assert (
        inside("export", path, "--what", "part", "--to", tmp_path / "out" / "strip.step").returncode
        == 2
    )  # no such folder
    assert inside("export", path, "--what", "part", "--to", tmp_path / "strip.step").returncode == 0
    data = (tmp_path / "strip.step").read_bytes()
    ((name, body),) = read_bodies(data, "strip.step")[0]
    assert name == "strip" and volume_of(body) == pytest.approx(200 * 20 * 4, rel=1e-9)


def edges_of(triangles: np.ndarray) -> Counter[tuple[int, int]]:
    return Counter(
        (int(min(a, b)), int(max(a, b))) for row in triangles for a, b in zip(row, np.roll(row, -1))
    )


def test_a_deformed_solid_is_a_closed_surface_where_its_nodes_are(tmp_path: Path) -> None:
    case = reported(solid(mesh={"size": "8 mm"}))
    assert set(edges_of(surface_triangles(case.facts.mesh)[0]).values()) == {2}
    for mode, scale, largest in (
        (0, None, None),
        (0, 50.0, None),
        (1, None, 0.05 * 200),
        (2, 3.0, 3.0),
    ):
        places = shape_moved(case, mode, scale=scale)
        write_stl(case, places, path := tmp_path / f"{mode} {scale}.stl")
        read = meshio.read(path)
        moved = places - case.facts.mesh.nodes
        if largest is not None:
            assert np.linalg.norm(moved, axis=1).max() == pytest.approx(largest)
        else:
            strength = case.facts.strength
            both = strength.displacement_growing + strength.displacement_held
            assert moved == pytest.approx((scale or 1.0) * both, abs=1e-9)
        surface = places[np.unique(surface_triangles(case.facts.mesh)[0])]
        assert read.points.min(axis=0) == pytest.approx(surface.min(axis=0), abs=1e-3)
        assert read.points.max(axis=0) == pytest.approx(surface.max(axis=0), abs=1e-3)


@pytest.mark.parametrize(
    ("ask", "words"),
    [({"mode": 9}, "no mode 9: 2 were found"), ({"traced": True}, "was not traced")],
)
def test_what_was_not_found_cannot_be_written(ask: dict[str, Any], words: str) -> None:
    with pytest.raises(LabilisError, match=words):
        shape_moved(reported(strip()), **ask)


def test_lines_have_no_surface(tmp_path: Path) -> None:
    rod = {
        "name": "rod",
        "material": "steel",
        "mesh_as": "line",
        "recipe": {
            "kind": "strut",
            "length": "400 mm",
            "section": {"shape": "round", "diameter": "10 mm"},
        },
    }
    case = reported(
        strip(
            {**force(), "components": ["0 N", "0 N", "-100 N"]},
            pieces=[rod],
            regions=[
                {"name": "foot", "names": ["rod/start"]},
                {"name": "head", "names": ["rod/end"]},
            ],
        )
    )
    with pytest.raises(LabilisError, match="no surface"):
        write_stl(case, shape_moved(case), tmp_path / "rod.stl")


def test_the_command_writes_what_is_asked_for_and_refuses_the_rest(tmp_path: Path) -> None:
    path = tmp_path / "strip.json"
    path.write_text(json.dumps(strip(mesh={"size": "20 mm"})), encoding="utf-8")
    ran = inside(
        "export",
        path,
        "--what",
        "shape",
        "--to",
        tmp_path / "one.stl",
        "--mode",
        "1",
        "--scale",
        "7",
    )
    assert ran.returncode == 0
    points = meshio.read(tmp_path / "one.stl").points
    assert np.abs(points[:, 2]).max() == pytest.approx(7.0, rel=1e-4)
    ran = inside("export", path, "--what", "pictures", "--to", tmp_path / "p", "--width", "300")
    names = sorted(item.name for item in (tmp_path / "p").iterdir())
    assert ran.returncode == 0 and names == [
        "mesh.png",
        "one-mode-1.png",
        "one-mode-2.png",
        "one-stress.png",
        "part.png",
    ]
    from PIL import Image

    assert 200 < Image.open(tmp_path / "p/part.png").width <= 300  # white borders are cut off
    ran = inside("export", path, "--what", "results", "--to", tmp_path / "r")
    assert ran.returncode == 0 and {item.name for item in (tmp_path / "r").iterdir()} == {
        "one.vtu",
        "one-modes.csv",
        "one-evidence.csv",
    }
    for wrong in (
        ("--what", "shape", "--to", tmp_path / "one.step"),
        ("--what", "part", "--to", tmp_path / "one.json"),
        ("--what", "shape", "--to", tmp_path / "x.stl", "--mode", "40"),
        ("--what", "results", "--to", path / "r"),
        ("--what", "results", "--to", tmp_path / "q", "--case", "no such"),
    ):
        ran = inside("export", path, *wrong)
        assert ran.returncode == 2 and ran.stderr.endswith("."), wrong


def test_a_piece_that_is_set_aside_or_a_line_is_in_the_step_file_as_well() -> None:
    rod = {
        "name": "rod",
        "material": "steel",
        "mesh_as": "line",
        "recipe": {
            "kind": "strut",
            "length": "400 mm",
            "section": {"shape": "round", "diameter": "10 mm"},
        },
        "copies": [{"kind": "line", "count": 3, "step": ["50 mm", "0 mm", "0 mm"]}],
    }
    project = load_project(
        strip(pieces=[flat(), {**flat(), "name": "cover", "set_aside": True}, rod])
    )
    bodies, _ = read_bodies(step_of(project, {}), "part.step")
    assert [name for name, _ in bodies] == ["strip", "cover", *project.pieces[2].instances]
    assert volume_of(bodies[-1][1]) == pytest.approx(np.pi * 25 * 400, rel=1e-6)
    with pytest.raises(LabilisError, match="no solid"):
        step_of(project.changed(pieces=[], regions=[], supports=[], loads=[], cases=[]), {})


@pytest.mark.parametrize(
    ("section", "length"),
    [
        ({"shape": "square tube", "width": "40 mm", "thickness": "2 mm"}, 700.0),
        ({"shape": "channel", "width": "35 mm", "height": "70 mm", "thickness": "2.5 mm"}, 700.0),
    ],
    ids=["square tube", "channel"],
)
@pytest.mark.parametrize("mesh_as", ["shell", "solid"])
@pytest.mark.full
def test_an_imported_member_has_the_factors_and_hand_checks_of_its_recipe(
    section: dict[str, str], length: float, mesh_as: str
) -> None:
    """Imported shells took K = 1 whatever held them: Euler's factor of a column that was free at
    its head was four times too high."""
    model = column({"kind": "strut", "section": section}, length)
    held = ["x", "y", "z"] + (["turn_x", "turn_y", "turn_z"] if mesh_as == "shell" else [])
    model |= {
        "hubs": [],
        "supports": [{"name": "foot", "on": "foot", "held": held}],
        "mesh": {"size": "20 mm"},
        "criteria": {"modes": 1, "mesh_error": False},
    }
    model["pieces"][0] |= {
        "mesh_as": mesh_as,
        "place": {"turns": [{"about": "y", "angle": "90 deg"}]},
    }
    model["loads"][0] |= {"on": "head", "components": ["-1 kN", "0 N", "0 N"]}
    stated = load_project(model)
    data = step_of(stated, {})
    read = cantilever(data, size="20 mm", criteria=stated.criteria)
    read = read.changed(
        pieces=[read.pieces[0].model_copy(update={"mesh_as": mesh_as})],
        materials=stated.materials if not read.materials else read.materials,
    )
    files = {hashlib.sha256(data).hexdigest(): data}
    one, two = (
        judge_project(project, Runner().run(Snapshot(project, kept), Plan("modes"))).cases[0]
        for project, kept in ((stated, {}), (read, files))
    )
    assert two.facts.modes.positive[0] == pytest.approx(one.facts.modes.positive[0], rel=1e-3)  # type: ignore[union-attr]
    assert two.euler is not None and two.euler.governing.ends.k == 2.0
    checks = {
        item.form.key: item.factor for item in two.hand_checks("part") if item.outcome is not None
    }
    assert len(checks) > 6
    for item in one.hand_checks("leg"):
        if item.outcome is not None:
            assert checks[item.form.key] == pytest.approx(item.factor, rel=2e-3), item.form.key
