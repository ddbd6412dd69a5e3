"""Thin STEP solids to shells: volume, thickness, and factors against the recipe they came from."""
import hashlib
from typing import Any

import numpy as np
import pytest

from labilis.model import LabilisError, Region, load_project
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.run.picking import make_pick
from labilis.shape import PartShape, build_part
from tests.parts import to_step
from tests.unit.test_recipes import part, strut
from validation.members import TEE
from validation.recipes import case_of, flat, force, hold, mm, region, shell

FOLD = {"kind": "folded sheet", "profile": [("40 mm", "0 mm"), ("0 mm", "0 mm"), ("0 mm", "40 mm")], "thickness": "2 mm", "bend": "4 mm",
        "length": "240 mm"}
STEEL = {"name": "steel", "youngs_modulus": "210 GPa", "poisson_ratio": "0.3"}


def step_of(*pieces: dict[str, Any]) -> bytes:
    """Recipes as one fused solid in a STEP file."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Fuse

    solids = [solid.solid for solid in part(*[{**piece, "mesh_as": "solid"} for piece in pieces]).solids]
    return to_step(solids[0] if len(solids) == 1 else BRepAlgoAPI_Fuse(*solids).Shape())


def imported(data: bytes, mesh_as: str = "shell", **more: Any) -> dict[str, Any]:
    return {"labilis": 1, "materials": [STEEL], "geometry": [{"file": "a.step", "sha256": hashlib.sha256(data).hexdigest()}],
            "pieces": [{"name": "sheet", "geometry": "a.step", "material": "steel", "mesh_as": mesh_as}], **more}


def shells_of(*pieces: dict[str, Any]) -> PartShape:
    data = step_of(*pieces)
    return build_part(load_project(imported(data)), {hashlib.sha256(data).hexdigest(): data})


@pytest.mark.parametrize(("pieces", "thickness", "bodies"), [
    ([shell("a", FOLD)], [2.0], 1),
    ([shell("a", {**flat(200, 100, 3), "openings": [{"x": "50 mm", "y": "50 mm", "diameter": "30 mm"}]})], [3.0], 1),
    ([strut("square tube", width=40, thickness=2, radius=2)], [2.0], 1),
    ([strut("square tube", width=40, thickness=2)], [2.0], 4),
    ([strut("round tube", diameter=40, thickness=2)], [2.0], 1),
    ([strut("angle", width=40, height=40, thickness=2)], [2.0], 2),
    (TEE, [1.5, 2.0], 2)], ids=["folded", "plate", "tube with bends", "sharp tube", "round tube", "sharp angle", "T bracket"])
def test_midsurfaces_keep_thickness_and_volume(pieces: list[dict], thickness: list[float], bodies: int) -> None:
    found = shells_of(*pieces)
    assert np.allclose(np.unique(np.round(found.view.faces.thickness, 6)), thickness)
    assert len(found.bodies) == bodies
    assert abs(found.deviation) < 1e-6
    exact = part(*[{**piece, "mesh_as": "solid"} for piece in pieces]).view.volume
    assert found.view.volume == pytest.approx(exact, rel=1e-6)


@pytest.mark.parametrize("piece", [strut("round", diameter=20), shell("b", {
    "kind": "block", "width": "40 mm", "height": "40 mm", "depth": "30 mm"}, mesh_as="solid")])
def test_a_solid_that_is_not_thin_is_refused(piece: dict) -> None:
    with pytest.raises(LabilisError) as caught:
        shells_of(piece)
    assert caught.value.code == "not-thin"
    assert "% of its volume" in caught.value.what


def test_factors_of_the_imported_sheet_equal_the_recipe() -> None:
    data = step_of(shell("a", FOLD))
    sha = hashlib.sha256(data).hexdigest()
    view = build_part(load_project(imported(data)), {sha: data}).view

    def ends(z: float) -> Region:
        rows = [row for row in range(len(view.edges)) if abs(view.edges.centroid[row][2] - z) < 1e-6]
        return Region(name=f"at {z:g}", piece="sheet", picks=tuple(make_pick(view, "edge", row) for row in rows))
    regions = [ends(0.0).model_dump(), ends(240.0).model_dump()]
    statements = {"supports": [hold("at 0", "x", "y", "z")], **case_of(force("at 240", z=-1.0)), "mesh": {"size": mm(8)},
                  "criteria": {"modes": 3}}
    one = load_project(imported(data, regions=regions, **statements))
    report = judge_project(one, Runner().run(Snapshot(one, {sha: data}), Plan("modes")))
    recipe = load_project({"labilis": 1, "materials": [STEEL], "pieces": [shell("a", FOLD)],
                           "regions": [region("at 0", "a/start"), region("at 240", "a/end")], **statements})
    same = judge_project(recipe, Runner().run(Snapshot(recipe), Plan("modes")))
    assert report.cases[0].facts.modes.positive == pytest.approx(same.cases[0].facts.modes.positive, rel=0.01)
    assert next(item for item in report.cases[0].evidence if item.name == "mid-surface").state == "good"
