"""Pieces and loads to begin with, made without a window."""

from __future__ import annotations

import random

import numpy as np
import pytest

from labilis.edit.new_loads import with_move, with_temperature, with_weight
from labilis.edit.new_pieces import RECIPES, with_piece, with_piece_on, with_strut_between
from labilis.model import GRADES, Project, load_project
from labilis.run import Plan, Runner, Snapshot, stage_keys
from labilis.run.picking import section_middle


def lines_of(project: Project) -> Project:
    """The project with all its struts meshed as lines."""
    pieces = [piece.model_copy(update={"mesh_as": "line"}) for piece in project.pieces]
    return project.changed(pieces=pieces)


def view_of(project: Project) -> object:
    found = Runner().run(Snapshot(project, {}), Plan("shape"))
    return found[stage_keys(project, "").shape]


@pytest.mark.parametrize("seed", range(3))
def test_any_order_of_pieces_and_loads_is_a_project_that_reads_back(seed: int) -> None:
    """Names are free, every piece has a material, a case is there for the loads."""
    dice = random.Random(seed)
    project = Project(name="Gauge frame")
    names: list[str] = []
    for key in dice.sample(sorted(RECIPES), 8) * 2:
        project, name = with_piece(project, key, GRADES[0], 100.0 * len(names))
        names.append(name)
        if dice.random() < 0.3:
            project, _ = dice.choice((with_weight, with_temperature))(project)
    assert len(set(names)) == len(names) == len(project.pieces)
    assert {piece.material for piece in project.pieces} == {project.materials[0].name}
    acting = {load.load for case in project.cases for load in case.loads}
    assert acting == {load.name for load in project.loads}
    assert load_project(project.to_json()) == project


@pytest.mark.parametrize("key", [key for key in RECIPES if key.startswith("strut, ")])
@pytest.mark.parametrize("seed", range(2))
def test_a_strut_between_two_points_has_its_middle_on_them(key: str, seed: int) -> None:
    """Whatever the section and the direction: a line of it ends where it was asked to."""
    dice = random.Random(f"{key} {seed}")
    start, end = (np.array([dice.uniform(-800, 800) for _ in range(3)]) for _ in range(2))
    project, first = with_piece(Project(name="Gauge frame"), key, GRADES[0], 5000.0)
    project = lines_of(project)
    project, name = with_strut_between(project, key, start, end, section_middle)
    piece = project.named("pieces", name)
    assert piece.mesh_as == "line", "as the struts that are there"
    length = project.value(piece.recipe.length, "length")
    assert length == pytest.approx(float(np.linalg.norm(end - start)), abs=1e-3)
    found = Runner().run(Snapshot(project, {}), Plan("mesh"))
    mesh = found[stage_keys(project, "").mesh]
    for place in (start, end):
        assert np.linalg.norm(mesh.nodes - place, axis=1).min() < 1e-2
    assert first != name


@pytest.mark.parametrize("key", ["plate", "folded channel", "block", "strut, channel"])
def test_a_piece_on_a_plane_stands_on_it(key: str) -> None:
    normal = np.array([1.0, -2.0, 2.0]) / 3.0
    point = np.array([40.0, 25.0, -10.0])
    project, _ = with_piece(Project(name="Gauge frame"), "block", GRADES[0], 900.0)
    project, name = with_piece_on(project, key, point, normal, section_middle)
    alone = project.changed(
        pieces=[piece for piece in project.pieces if piece.name == name], regions=[]
    )
    view = view_of(alone)
    heights = (view.tessellation.points - point) @ normal  # type: ignore[attr-defined]
    assert heights.min() > -2.0, "a sheet by its mid-surface, by half its thickness at most"
    assert heights.max() > 1.0


def test_a_support_moves_along_what_it_holds() -> None:
    stated = {
        "name": "Gauge frame",
        "regions": [{"name": "foot", "names": ["strut/start"]}],
        "supports": [{"name": "foot", "on": "foot", "held": ["y", "z"]}],
    }
    project, _ = with_piece(Project(name="Gauge frame"), "strut, round", GRADES[0], 0.0)
    project = project.changed(**{key: stated[key] for key in ("regions", "supports")})
    project, name = with_move(project, "foot")
    move = project.named("loads", name)
    assert [project.value(c, "length") for c in move.components] == pytest.approx([0, 0.1, 0])
    again, other = with_move(project, "foot")
    assert other != name
    assert len(again.loads) == 2
