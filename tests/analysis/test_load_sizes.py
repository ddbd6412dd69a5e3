"""How large a load is does not hang on the elements that it acts on."""

from __future__ import annotations

from typing import Any

import pytest

from labilis.model import load_project
from labilis.report.blocks import plain
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.run.glyphs import reaction_marks
from labilis.shape import build_part
from labilis.words.stations import strength_sentences
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


def model_of(piece: dict[str, Any], order: int) -> dict[str, Any]:
    return {
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


def case_of(piece: dict[str, Any], order: int) -> Any:
    project = load_project(model_of(piece, order))
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


@pytest.mark.parametrize("mesh_as", ["shell", "solid"])
@pytest.mark.parametrize("kind", ["total", "bed", "hub"])
def test_springs_push_back_as_supports_do(mesh_as: str, kind: str) -> None:
    """What springs to ground carry counts among the reactions: without it no part that stands on
    some was in balance, and no verdict was given. A cantilever whose end stands on a spring: the
    spring takes k / (k + 3 E I / L³) of the end's force."""
    data = model_of(plate(CORNERS, mesh_as), 2)
    data["loads"] = [
        {"kind": "force", "name": "push", "on": "end", "components": ["-9 N", "0 N", "-30 N"]}
    ]
    data["cases"] = [{"name": "one", "loads": [{"load": "push"}]}]
    face = "plate/bottom" if mesh_as == "solid" else "plate/face"
    data["regions"] += [
        {"name": "end", "names": ["plate/side.2"]},
        {"name": "skin", "names": [face]},
    ]
    data["hubs"] = [{"kind": "stiff", "name": "cap", "region": "end"}] if kind == "hub" else []
    spring = {
        "total": {"on": "end", "z": "150 N/mm"},
        "bed": {"on": "skin", "per": "area", "normal": "0.05 N/mm^3"},
        "hub": {"on": "cap", "x": "5 N/mm", "z": "150 N/mm", "turn_y": "40 N*m/rad"},
    }[kind]
    if kind == "hub":
        data["loads"][0]["on"] = "cap"
    data["springs"] = [{"name": "foot", **spring}]  # the name of the support as well
    project = load_project(data)
    case = judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0]
    strength = case.facts.strength
    (balance,) = (item for item in case.evidence if item.name == "balance")
    assert balance.state == "good"
    assert next(gate for gate in case.verdict.gates if gate.name == "stated right").state != "void"
    total = strength.applied.sum(axis=0) + sum(row for _, row in strength.holding)
    assert abs(total[:3]).max() < 1e-8 and abs(total[3:]).max() < 1e-6
    carried = strength.spring_reaction[0].sum(axis=0)[2]
    assert 0 < carried < 30.0
    if kind == "total":
        beam = 3 * 210e3 * (50 * 4**3 / 12) / 90**3
        # between a beam and a strip that cannot curve across
        assert 30 * 150 / (150 + beam / 0.91) < carried < 30 * 150 / (150 + beam)
    said = [plain(line) for line in strength_sentences(case.facts)]
    assert sum(line.startswith("Reaction of foot: ") for line in said) == 2
    marks = reaction_marks(project, build_part(project, {}).view, strength)
    assert len(marks) == 2
