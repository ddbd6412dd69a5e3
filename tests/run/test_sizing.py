"""Size it: against every point of a grid, with what cannot be run left out."""

from __future__ import annotations

import itertools
import json
import math
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from labilis.model import LabilisError, load_project
from labilis.run import Snapshot, sizing
from labilis.run.advice import walls_of
from labilis.run.sizing import best_step, size_it
from labilis.store import load_model
from tests.cli.test_improve_cli import inside
from tests.judge.test_mistakes import STEEL, force, strip
from tests.shape.test_recipes import strut

DEMOS = Path(__file__).parents[2] / "src/labilis/demos"
GAUGES = (1.0, 1.5, 2.0, 3.0)


def plate(name: str, x: float, thickness: str) -> dict[str, Any]:
    """100 x 20 mm, beginning at x."""
    return {
        "name": name,
        "material": "steel",
        "mesh_as": "shell",
        "recipe": {
            "kind": "plate",
            "thickness": thickness,
            "outline": [
                {"x": f"{x + a} mm", "y": f"{b} mm"}
                for a, b in ((0, 0), (100, 0), (100, 20), (0, 20))
            ],
        },
    }


def two(low: str = "1 mm", high: str = "1 mm", **criteria: Any) -> dict[str, Any]:
    """A strip of two thicknesses, clamped at its foot."""
    return strip(
        force("-20 N"),
        pieces=[plate("low", 0, low), plate("high", 100, high)],
        mesh={"size": "20 mm"},
        regions=[
            {"name": "foot", "names": ["low/side.4"]},
            {"name": "head", "names": ["high/side.2"]},
        ],
        criteria={"modes": 2, "required_factor": "8", **criteria},
        parameters={"t": "1 mm"},
    )


@pytest.mark.full
def test_nothing_lighter_of_the_grid_keeps_what_is_asked_for() -> None:
    snapshot = Snapshot(load_project(two()))
    walls = walls_of(snapshot.project)
    assert [wall.pieces for wall in walls] == [("low",), ("high",)]
    steps = size_it(snapshot, gauges=GAUGES)
    best = best_step(steps)
    assert best is not None and len(steps) <= 10
    assert len({step.thicknesses for step in steps}) == len(steps)  # nothing twice
    runner = sizing.Runner()
    masses = []
    for here in itertools.product(GAUGES, GAUGES):
        design = sizing._with(snapshot.project, walls, here)
        step = sizing._run(runner, Snapshot(design), walls, here).step
        masses += [step.mass] if step.keeps else []
    assert best.mass == pytest.approx(min(masses), rel=1e-9)
    assert best.thicknesses[0] >= best.thicknesses[1]  # the clamped half bends most
    assert best.mass == pytest.approx(100 * 20 * sum(best.thicknesses) * 7.85e-6, rel=1e-9)


def test_one_piece_is_sized_alone_and_the_mesh_error_counts() -> None:
    snapshot = Snapshot(load_project(two("3 mm", "1 mm")))
    steps = size_it(snapshot, ("high",), gauges=GAUGES)
    best = best_step(steps)
    assert best is not None and all(len(step.thicknesses) == 1 for step in steps)
    assert best.figures["responses"]["mass"] == pytest.approx(
        best.mass / 1000, rel=1e-9
    )  # as a trial tells it
    assert best.ratio >= 1.0 and best.project.pieces[0].recipe.thickness == "3 mm"  # type: ignore[union-attr]


def test_a_design_that_cannot_be_run_is_left_out(monkeypatch: pytest.MonkeyPatch) -> None:
    whole = sizing._run

    def run(runner: Any, snapshot: Any, walls: Any, here: Any) -> Any:
        if here[1] == 1.5:
            raise LabilisError("It does not touch.", "pieces/high", "Move it.", "not-connected")
        return whole(runner, snapshot, walls, here)

    monkeypatch.setattr(sizing, "_run", run)
    steps = size_it(Snapshot(load_project(two())), gauges=GAUGES)
    best = best_step(steps)
    assert best is not None and best.thicknesses[1] != 1.5
    assert not [step for step in steps if step.reason and step.keeps]


@pytest.mark.parametrize(
    ("pieces", "words"), [(("no such",), "no piece called"), (("low", "block"), "cannot be sized")]
)
def test_what_cannot_be_sized_is_named(pieces: tuple[str, ...], words: str) -> None:
    model = two()
    model["pieces"].append(
        {
            "name": "block",
            "material": "steel",
            "mesh_as": "solid",
            "set_aside": True,
            "recipe": {"kind": "block", "width": "5 mm", "height": "5 mm", "depth": "5 mm"},
        }
    )
    with pytest.raises(LabilisError, match=words):
        size_it(Snapshot(load_project(model)), pieces)
    with pytest.raises(LabilisError, match="no density"):
        size_it(Snapshot(load_project({**two(), "materials": [{**STEEL, "density": None}]})))


def test_nothing_reaches_too_much_and_the_command_says_so(tmp_path: Path) -> None:
    path = tmp_path / "two.json"
    path.write_text(json.dumps(two(required_factor="5000")), encoding="utf-8")
    ran = inside("size", path, "--gauges", "1,2")
    assert ran.returncode == 1 and "None of" in ran.stdout
    path.write_text(json.dumps(two()), encoding="utf-8")
    ran = inside("size", path, "--gauges", "1,1.5,2,3", "--json", "-")
    found = json.loads(ran.stdout)
    assert (
        ran.returncode == 0
        and found["best"]["thicknesses_mm"].keys() == {"low", "high"}
        and found["pieces"] == ["low", "high"]
    )
    assert inside("size", path, "--gauges", "thin").returncode == 2


def test_pieces_that_share_a_parameter_are_sized_together_and_places_follow() -> None:
    """The parameter is set, so that what else hangs on it keeps its place."""
    model = two("t", "t")
    snapshot = Snapshot(load_project(model))
    assert [(wall.path, wall.pieces) for wall in walls_of(snapshot.project)] == [
        (("parameters", "t"), ("low", "high"))
    ]
    best = best_step(size_it(snapshot, gauges=GAUGES))
    assert (
        best is not None
        and best.project.parameters["t"] == f"{best.thicknesses[0]:g} mm"
        and len(best.thicknesses) == 1
    )


@pytest.mark.full
@pytest.mark.timeout(1500)
def test_the_cabinet_stand_is_sized_lighter_than_any_point_of_a_grid() -> None:
    """Legs and rails over five gauges: at most 15 runs against 25, and nothing of the grid that
    keeps is lighter."""
    snapshot = load_model(DEMOS / "cabinet-stand/cabinet-stand.json")
    gauges, walls = (1.0, 1.2, 1.5, 2.0, 2.5), walls_of(snapshot.project)
    steps = size_it(snapshot, gauges=gauges)
    best = best_step(steps)
    assert best is not None and len(steps) <= 15
    known = {step.thicknesses: step for step in steps}
    runner, masses = sizing.Runner(), []
    for here in itertools.product(gauges, gauges):
        step = known.get(here)
        if step is None:
            design = sizing._with(snapshot.project, walls, here)
            step = sizing._run(runner, Snapshot(design, snapshot.files), walls, here).step
        masses += [step.mass] if step.keeps else []
    assert best.mass <= min(masses) * (1 + 1e-9)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (
            {"loads": [force("-20 N"), {**force("-300 N"), "name": "stays", "growth": "held"}]},
            "held loads",
        ),
        (
            {"criteria": {"modes": 2, "required_factor": "8", "mesh_error": False}},
            "mesh is not known",
        ),
        ({"materials": [{**STEEL, "yield_strength": None}]}, "no yield strength"),
    ],
)
def test_what_says_nothing_of_the_part_keeps_nothing(change: dict[str, Any], words: str) -> None:
    """Each of these had no demand, or one that was taken as met."""
    model = two("2 mm", "2 mm")
    model |= change
    model["cases"] = [{"name": "one", "loads": [{"load": load["name"]} for load in model["loads"]]}]
    (step,) = size_it(Snapshot(load_project(model)), runs=1, gauges=(2.0,))
    assert not step.keeps and words in step.reason


def test_a_factor_that_can_be_off_by_all_of_itself_keeps_nothing(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(sizing, "mesh_errors", lambda modes: [2.0] * len(modes.factors))
    (step,) = size_it(Snapshot(load_project(two("3 mm", "3 mm"))), runs=1, gauges=(3.0,))
    assert not step.keeps and step.ratio < 1e-6


def test_a_case_that_only_pulls_is_asked_for_its_yield() -> None:
    """It cannot go unstable, and is no less a case."""
    model = two("2 mm", "2 mm")
    model["loads"] = [force("-20 N"), {**force("30 kN"), "name": "pull"}]
    model["cases"] = [
        {"name": "one", "loads": [{"load": "push"}]},
        {"name": "two", "loads": [{"load": "pull"}]},
    ]
    (step,) = size_it(Snapshot(load_project(model)), runs=1, gauges=(2.0,))
    assert not step.keeps and 0.1 < step.ratio < 0.4  # 750 MPa in a section of 40 mm², against 235


def test_the_program_about_a_design_goes_with_the_powers() -> None:
    """One wall of 1 mm at an eighth of what is asked for, the factor with the cube of its
    thickness: 2 mm."""
    step = sizing.Step((1.0,), 1.0, 0.125, load_project(two()))
    model = sizing._Model(step, [sizing._Demand(math.log(0.125), (3.0,))], np.array([0.8]))
    sizes = np.array([0.5, 1.0, 1.9, 2.0])
    assert sizing._lightest(sizes, model, {(1.0,)}, math.inf) == (2.0,)
    assert (
        sizing._lightest(sizes, model, {(1.0,)}, 1.7) is None
    )  # 0.2 kg of the rest and 1.6 of the wall
    assert sizing._lightest(sizes, model, {(1.0,), (2.0,)}, math.inf) is None


def test_a_section_with_a_web_of_its_own_is_no_wall_of_one_thickness() -> None:
    model = two()
    model["pieces"].append(
        {
            **strut("I", width=30, height=40, thickness=2, web=3),
            "name": "beam",
            "material": "steel",
            "mesh_as": "shell",
        }
    )
    assert [wall.pieces for wall in walls_of(load_project(model))] == [("low",), ("high",)]
