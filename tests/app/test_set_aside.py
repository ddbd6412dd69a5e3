"""The weight of a piece set aside, as a load on what it touches."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest

from labilis.app.demos import demo_model
from labilis.app.set_aside import with_aside
from labilis.edit.new_loads import with_weight
from labilis.model import LabilisError, LoadCase, Project, WeightLoad
from labilis.run import Plan, Runner, stage_keys
from labilis.run.picking import ShapeView
from labilis.store import load_model


@pytest.fixture(scope="module")
def stand() -> tuple[Project, ShapeView]:
    snapshot = load_model(demo_model("cabinet-stand"))
    view = Runner().run(snapshot, Plan("shape"))[stage_keys(snapshot.project).shape]
    assert isinstance(view, ShapeView)
    return snapshot.project, view


def test_it_acts_in_every_case(stand: tuple[Project, ShapeView]) -> None:
    project, view = stand
    project = project.changed(cases=[*project.cases, LoadCase(name="quiet")])
    made, name = with_aside(project, view, "cabinet")
    assert len(made.cases) > 1
    assert all(any(use.load == name for use in case.loads) for case in made.cases)


def test_it_falls_as_stated_weights_do(stand: tuple[Project, ShapeView]) -> None:
    """A part modelled with y up: what is set aside falls the way its own weight does."""
    project, view = stand
    project, _ = with_weight(project)
    sideways = ("0 m/s^2", "-9.81 m/s^2", "0 m/s^2")
    project = project.changed(
        loads=[
            load.model_copy(update={"acceleration": sideways}) if load.kind == "weight" else load
            for load in project.loads
        ]
    )
    made, _ = with_aside(project, view, "cabinet")
    push = made.numbers(made.loads[-1], "components")
    assert push == pytest.approx([0.0, -6931.0, 0.0], rel=1e-3)


def test_a_shock_is_no_gravity(stand: tuple[Project, ShapeView]) -> None:
    """Three g along x, stated first, do not turn the weight."""
    project, view = stand
    shock = WeightLoad(name="shock", acceleration=("29.43 m/s^2", "0 m/s^2", "0 m/s^2"))
    made, _ = with_aside(project.changed(loads=[shock, *project.loads]), view, "cabinet")
    assert made.numbers(made.loads[-1], "components") == pytest.approx([0, 0, -6931], abs=1.0)


def test_without_density_nothing_is_made_up(stand: tuple[Project, ShapeView]) -> None:
    project, view = stand
    material = project.named("pieces", "cabinet").material
    bare = project.changed(
        materials=[
            item.model_copy(update={"density": None}) if item.name == material else item
            for item in project.materials
        ]
    )
    with pytest.raises(LabilisError, match="no density"):
        with_aside(bare, view, "cabinet")


def test_an_open_skin_has_no_weight(stand: tuple[Project, ShapeView]) -> None:
    project, view = stand
    lid = np.arange(len(view.ghost_triangles)) != 0
    cut = dataclasses.replace(
        view, ghost_triangles=view.ghost_triangles[lid], ghost_of=view.ghost_of[lid]
    )
    with pytest.raises(LabilisError, match="skin is open"):
        with_aside(project, cut, "cabinet")
