"""A rib through what bulges: where it is put, that it joins, and what it gives, however the
plate is turned and cut out."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from labilis.model import Project, load_project
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.run.advice import Remedy, tried
from labilis.run.ribs import _span
from tests.drawn_recipes import KINDS, column
from tests.run.test_advice import advised, first_factor
from tests.shape.test_directions import turned

PAPER = {
    "mesh": {"size": "15 mm"},
    "criteria": {"modes": 2, "required_factor": "1e6", "mesh_error": False},
}


def rib(project: Project) -> Remedy | None:
    return next((item for item in advised(project) if item.adds is not None), None)


def plate(openings: Any = (), turns: Any = (), **more: Any) -> dict[str, Any]:
    """A clamped plate of 300 x 120 pressed along its length: its sides move nowhere but along."""
    outline = [
        {"x": f"{x} mm", "y": f"{y} mm"} for x, y in ((0, 0), (300, 0), (300, 120), (0, 120))
    ]
    piece = {
        "name": "wall",
        "material": "steel",
        "mesh_as": "shell",
        "place": {
            "at": ["40 mm", "-30 mm", "7 mm"],
            "turns": [{"about": about, "angle": f"{angle} deg"} for about, angle in turns],
        },
        "recipe": {
            "kind": "plate",
            "thickness": "1.5 mm",
            "outline": outline,
            "openings": list(openings),
        },
    }
    frame = turned(list(turns))
    axes = {"kind": "local", "x_axis": frame[:, 0].tolist(), "xy_plane": frame[:, 1].tolist()}
    model = KINDS["pressed plate"](np.random.default_rng(1))
    force = frame @ np.array([-2000.0, 0.0, 0.0])
    return {
        **model,
        "pieces": [piece],
        "supports": [{**support, "axes": axes} for support in model["supports"]],
        "loads": [
            {**model["loads"][0], "components": [f"{value!r} N" for value in force.tolist()]}
        ],
        **PAPER,
        **more,
    }


@pytest.mark.parametrize(
    "turns", [(), (("x", 90.0),), (("y", 33.0), ("z", -70.0))], ids=["flat", "upright", "askew"]
)
@pytest.mark.full
def test_it_stands_along_the_compression_through_the_crest_and_helps(turns: Any) -> None:
    """Bulges of a half wave across become two: about four times as much, k = 4 on half of the
    width (Bryan 1891), less what clamps hold."""
    project = load_project(plate(turns=turns))
    remedy = rib(project)
    assert (
        remedy is not None
        and "a rib on wall along its x, 16 mm high" in remedy.words
        and "300 mm long" in remedy.words
    )
    assert remedy.mass == pytest.approx(300 * 16 * 1.5 * 7.85e-6, rel=1e-6) and np.isnan(
        remedy.expected
    )
    assert "found by trying it" in remedy.sentence
    design = tried(project, remedy)
    results = Runner().run(Snapshot(design), Plan("modes"))
    report = judge_project(design, results)
    assert (
        report.mesh is not None and len(report.mesh.fused) == 1
    )  # its foot and the plate have nodes in common
    factor = float(report.cases[0].facts.modes.positive[0])  # type: ignore[union-attr]
    assert 3.0 < factor / remedy.factor < 4.8
    # upwards, square to the plate
    top = np.array(
        [design.numbers(piece.place, "at") for piece in design.pieces if piece.name == "rib"]
    )[0]
    frame, at = turned(list(turns)), np.array([40.0, -30.0, 7.0])
    assert (frame.T @ (top - at))[2] == pytest.approx(0.0, abs=1e-6) and 30 < (
        frame.T @ (top - at)
    )[1] < 90


def test_pressed_across_it_stands_across() -> None:
    model = plate()
    model["supports"] = [
        {"name": f"s{k}", "on": f"side {k}", "held": held}
        for k, held in ((1, ["y", "z"]), (2, ["z"]), (3, ["z"]), (4, ["x", "z"]))
    ]
    model["loads"] = [
        {"kind": "force", "name": "push", "on": "side 3", "components": ["0 N", "-4 kN", "0 N"]}
    ]
    remedy = rib(load_project(model))
    assert remedy is not None and "along its y" in remedy.words and "120 mm long" in remedy.words


def test_what_has_no_plate_that_bulges_gets_none() -> None:
    tube = (
        column(
            {
                "kind": "strut",
                "section": {"shape": "square tube", "width": "40 mm", "thickness": "2 mm"},
            },
            900.0,
        )
        | PAPER
    )
    assert rib(load_project(tube)) is None
    pulled = plate()
    pulled["loads"][0]["components"] = ["2 kN", "0 N", "0 N"]
    assert rib(load_project(pulled)) is None


@pytest.mark.parametrize(
    ("openings", "outline", "at", "along", "run"),
    [
        ((), ((0, 0), (300, 0), (300, 120), (0, 120)), (150, 60), 0, (0, 300)),
        (
            ((100, 60, 40, None),),
            ((0, 0), (300, 0), (300, 120), (0, 120)),
            (150, 60),
            0,
            (120, 300),
        ),
        (((100, 60, 40, None),), ((0, 0), (300, 0), (300, 120), (0, 120)), (100, 60), 0, None),
        (((100, 60, 40, 60),), ((0, 0), (300, 0), (300, 120), (0, 120)), (160, 60), 0, (150, 300)),
        ((), ((0, 0), (200, 0), (200, 50), (100, 50), (100, 150), (0, 150)), (50, 40), 1, (0, 150)),
        ((), ((0, 0), (200, 0), (200, 50), (100, 50), (100, 150), (0, 150)), (150, 40), 1, (0, 50)),
        ((), ((0, 0), (60, 90), (120, 0)), (60, 30), 0, (20, 100)),
        ((), ((0, 0), (60, 90), (120, 0)), (10, 80), 0, None),
    ],
)
def test_it_runs_in_the_metal_and_ends_at_openings(
    openings: Any, outline: Any, at: tuple[float, float], along: int, run: Any
) -> None:
    project = load_project(
        plate(
            [
                {
                    "x": f"{x} mm",
                    "y": f"{y} mm",
                    "diameter": f"{d} mm",
                    **({"length": f"{long} mm"} if long else {}),
                }
                for x, y, d, long in openings
            ]
        )
    )
    recipe = (
        load_project(plate())
        .pieces[0]
        .recipe.model_copy(
            update={  # type: ignore[union-attr]
                "openings": project.pieces[0].recipe.openings,  # type: ignore[union-attr]
                "outline": tuple(
                    project.pieces[0]
                    .recipe.outline[0]
                    .model_copy(update={"x": f"{x} mm", "y": f"{y} mm"})  # type: ignore[union-attr]
                    for x, y in outline
                ),
            }
        )
    )
    found = _span(project, recipe, along, np.array([*at, 0.0]))  # type: ignore[arg-type]
    assert found == (None if run is None else pytest.approx(run))


def test_a_second_rib_takes_another_name_and_the_first_factor_rises_again() -> None:
    project = load_project(plate())
    one = rib(project)
    assert one is not None
    project = tried(project, one)
    two = rib(project)
    assert two is not None and two.adds is not None and two.adds.name == "rib 2"
    assert first_factor(tried(project, two), two.case) > 1.1 * two.factor
