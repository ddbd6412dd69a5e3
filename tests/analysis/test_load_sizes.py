"""How large a load is does not hang on the elements that it acts on."""

from __future__ import annotations

from typing import Any

import pytest

from labilis.model import load_project
from labilis.run import Plan, Runner, Snapshot, judge_project
from tests.analysis.test_peaks import plate
from tests.judge.test_mistakes import ALL, STEEL

CORNERS = ((0.0, 0.0), (90.0, 0.0), (90.0, 50.0), (0.0, 50.0))
BORE = [{"x": "60 mm", "y": "25 mm", "diameter": "14 mm"}]
DRILLED = (90 * 50 - 49 * 3.14159265) * 4


def block() -> dict[str, Any]:
    """90 x 50 x 4 mm with a pocket, so that nothing sweeps it: tetrahedra."""
    pocket = {"x": "9 mm", "y": "0 mm", "width": "20 mm", "height": "20 mm", "depth": "2 mm"}
    sizes = {"width": "90 mm", "height": "50 mm", "depth": "4 mm"}
    return {
        "name": "plate",
        "material": "steel",
        "mesh_as": "solid",
        "recipe": {"kind": "block", **sizes, "pockets": [pocket]},
    }


def case_of(piece: dict[str, Any], order: int) -> Any:
    model = {
        "materials": [STEEL | {"density": "7850 kg/m^3"}],
        "pieces": [piece],
        "regions": [
            {"name": "foot", "names": ["plate/side.4"]},
            {"name": "long", "names": ["plate/side.1", "plate/side.3"]},
        ],
        "supports": [
            {"name": "foot", "on": "foot", "held": ALL if piece["mesh_as"] == "shell" else ALL[:3]}
        ],
        "loads": [
            {
                "kind": "force",
                "name": "push",
                "on": "long",
                "share": "each",
                "components": ["3 N", "-4 N", "0 N"],
            },
            {"kind": "weight", "name": "weight"},
        ],
        "cases": [{"name": "one", "loads": [{"load": "push"}, {"load": "weight"}]}],
        "criteria": {"required_factor": "1", "modes": 1},
        "mesh": {"size": "9 mm", "order": order},
    }
    project = load_project(model)
    return judge_project(project, Runner().run(Snapshot(project), Plan("strength"))).cases[0]


@pytest.mark.parametrize(
    ("piece", "order", "nodes", "volume"),
    [
        (plate(CORNERS, "solid", BORE), 2, {15, 20}, DRILLED),
        (plate(CORNERS, "shell", BORE), 2, {3, 4}, DRILLED),
        (block(), 2, {10}, 90 * 50 * 4 - 20 * 20 * 2),
        (block(), 1, {4}, 90 * 50 * 4 - 20 * 20 * 2),
    ],
    ids=["bricks", "shells", "tetrahedra", "first order"],
)
def test_a_load_is_as_large_as_it_is(
    piece: dict[str, Any], order: int, nodes: set[int], volume: float
) -> None:
    case = case_of(piece, order)
    strength = case.facts.strength
    assert set(case.facts.mesh.sizes) <= nodes
    push, weight = strength.load_sizes
    assert push == pytest.approx(2 * 5.0, rel=1e-9)
    assert weight == pytest.approx(7850e-12 * volume * 9810, rel=2e-2)
    (said,) = (item for item in case.evidence if item.name == "total or each")
    assert said.figure == "2" and "each of 2 faces" in said.text
