"""First factors beyond what members and walls allow keep the verdict open; right models of many
kinds do not."""

from __future__ import annotations

import dataclasses
import math
import sys
from typing import Any

import numpy as np
import pytest

from labilis.judge.evidence.plausible import held_along, plausible
from labilis.judge.plausible import plausible_range
from labilis.judge.verdict import verdict_of_case
from labilis.model import load_project
from labilis.run import Plan, Runner, Snapshot, judge_project
from tests.analysis.test_warping import PUSH, bar, model
from tests.judge.test_mistakes import ALL

FLAT = {"shape": "flat", "width": "30 mm", "thickness": "8 mm"}
TUBE = {"shape": "round tube", "diameter": "40 mm", "thickness": "1 mm"}
CLAMPED = [("foot", ALL)]


def judged(stated: dict[str, Any]) -> Any:
    project = load_project(stated)
    return judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0]


def said(case: Any) -> Any:
    return next((item for item in case.evidence if item.name == "plausible factor"), None)


@pytest.mark.parametrize("mesh_as", ["line", "shell"])
@pytest.mark.parametrize(
    ("supports", "k"), [(CLAMPED, 2.0), ([("foot", ALL), ("head", ALL[:2] + ALL[3:])], 0.5)]
)
def test_the_ends_of_the_range_are_euler_s_cases(mesh_as: str, supports: Any, k: float) -> None:
    case = judged(model(bar("bar", 500, FLAT) | {"mesh_as": mesh_as}, supports=supports))
    allowed = plausible_range(case.facts.project, case.facts.members)
    euler = math.pi**2 * 210e3 * 30 * 8**3 / 12 / (k * 500) ** 2 / 1e3
    assert (allowed.low if k == 2.0 else allowed.high) == pytest.approx(euler, rel=0.02)
    assert said(case).state == "good" and allowed.holds(float(case.facts.modes.positive[0]))


@pytest.mark.full
def test_walls_by_hand() -> None:
    """A thin tube under compression, and a wide plate along its length: what a ring, a free and
    a clamped wall bear."""
    tube = judged(
        model(
            bar("bar", 120, TUBE) | {"mesh_as": "shell"},
            supports=[("foot", ALL), ("head", ALL[:2] + ALL[3:])],
        )
    )
    members, project = tube.facts.members, tube.facts.project
    area, slim = float(members.area[0]), 19.5
    stress = max(float(members.peak[0]), float(members.axial[0, 0]) / area)
    ring = 210e3 * 0.25 / (0.91 * slim**2) / stress
    euler = math.pi**2 * 210e3 * float(members.i_min[0]) / (2 * 120) ** 2 / (stress * area)
    assert ring < 0.5 * euler
    assert plausible_range(project, members).low == pytest.approx(
        ring, rel=0.02
    )  # its thickness is twice the volume over the skin
    plate = judged(
        model(
            bar("bar", 400, {"shape": "flat", "width": "200 mm", "thickness": "2 mm"})
            | {"mesh_as": "shell"},
            supports=[("foot", ALL), ("head", ALL[:2] + ALL[3:])],
        )
    )
    allowed = plausible_range(plate.facts.project, plate.facts.members)
    assert allowed.low <= float(plate.facts.modes.positive[0]) <= allowed.high * 1.1


@pytest.mark.parametrize("times", [0.05, 40.0])
def test_what_cannot_be_does_not_pass(times: float) -> None:
    """The same evidence of a model whose joints or supports are another part's."""
    case = judged(
        model(
            bar("bar", 500, FLAT),
            supports=CLAMPED,
            criteria={"required_factor": "0.1", "modes": 3, "capacity": "0.01"},
        )
    )
    assert case.verdict.meets is True
    modes = dataclasses.replace(case.facts.modes, factors=times * case.facts.modes.factors)
    facts = dataclasses.replace(case.facts, modes=modes)
    found = plausible(facts)
    assert (
        found.state == "bad"
        and ("softer" if times < 1 else "stiffer") in found.text
        and "'bar'" in found.text
    )
    verdict = verdict_of_case(facts, (found,))
    assert (
        verdict.meets is not True
        and next(gate for gate in verdict.gates if gate.name == "computed right").state == "open"
    )


def test_a_strut_that_a_support_holds_along_its_length_is_told() -> None:
    """Pushed along with both long edges held across: it buckles far above what two firm ends
    allow."""
    plate = {
        "name": "bar",
        "material": "steel",
        "mesh_as": "shell",
        "recipe": {
            "kind": "plate",
            "thickness": "2 mm",
            "outline": [
                {"x": f"{x} mm", "y": f"{y} mm"} for x, y in ((0, 0), (600, 0), (600, 30), (0, 30))
            ],
        },
    }
    along = {**PUSH, "components": ["-1 kN", "0 N", "0 N"]}
    stated = model(plate, supports=[("foot", ALL), ("low", ["z"]), ("high", ["z"])], loads=[along])
    stated["regions"] = [
        {"name": name, "names": [f"bar/side.{k}"]}
        for name, k in (("low", 1), ("head", 2), ("high", 3), ("foot", 4))
    ]
    stated["criteria"] = {"required_factor": "0.1", "modes": 3, "capacity": "0.01"}
    case = judged(stated)
    doubt = next(item for item in case.evidence if item.name == "held along its length")
    assert (
        doubt.state == "caution" and "'low 1' and 1 more hold 'bar' along its length" in doubt.text
    )
    assert (
        case.verdict.meets is None
        and next(gate for gate in case.verdict.gates if gate.name == "stated right").doubt
        == doubt.name
    )
    meant = judged(
        {
            **stated,
            "criteria": {
                **stated["criteria"],
                "meant": {doubt.name: "glued into a groove on both sides"},
            },
        }
    )
    assert meant.verdict.meets is True
    stated["supports"] = stated["supports"][:1]
    assert said(judged(stated)).state == "good" and "held along its length" not in {
        item.name for item in judged(stated).evidence
    }


def wide(
    length: float, width: float, thickness: float, turns: list[str], **fields: Any
) -> dict[str, Any]:
    """A plate that is pushed along x with all of its sides held, as the textbooks have it."""
    plate = {
        "name": "p",
        "material": "steel",
        "mesh_as": "shell",
        "recipe": {
            "kind": "plate",
            "thickness": f"{thickness} mm",
            "outline": [
                {"x": f"{x} mm", "y": f"{y} mm"}
                for x, y in ((0, 0), (length, 0), (length, width), (0, width))
            ],
        },
    }
    held = [
        ("e1", ["y", "z", *turns]),
        ("e2", ["z", *turns]),
        ("e3", ["z", *turns]),
        ("e4", ["x", "z", *turns]),
    ]
    line = {
        "kind": "line",
        "name": "push",
        "on": "e2",
        "components": ["-10 N/mm", "0 N/mm", "0 N/mm"],
    }
    stated = model(plate, supports=held, loads=[line], **fields)
    stated["regions"] = [{"name": f"e{k}", "names": [f"p/side.{k}"]} for k in (1, 2, 3, 4)]
    stated["cases"] = [{"name": "one", "loads": [{"load": "push"}]}]
    return stated


# k of Timoshenko and Gere 1961, sections 9.2 and 9.4 (all sides clamped), for length over width
@pytest.mark.parametrize(
    ("ratio", "turns", "k"),
    [
        (1.0, [], 4.0),
        (1.0, ["turn_x", "turn_y", "turn_z"], 10.07),
        (2.0, [], 4.0),
        (3.0, ["turn_x", "turn_y", "turn_z"], 7.37),
        (4.0, [], 4.0),
    ],
)
def test_a_plate_that_is_held_all_round_has_a_verdict(
    ratio: float, turns: list[str], k: float
) -> None:
    """It lay far over what a column between firm ends bears, and got none: whatever was right of
    it was called not computed well."""
    case = judged(
        wide(
            150 * ratio,
            150,
            1.5,
            turns,
            criteria={"required_factor": "0.5", "modes": 2, "capacity": "0.01"},
        )
    )
    stress = k * math.pi**2 * 210e3 / (12 * 0.91) * (1.5 / 150) ** 2
    first = float(case.facts.modes.positive[0])
    assert first == pytest.approx(stress * 1.5 / 10, rel=0.01)
    assert said(case).state == "good" and case.verdict.meets is True, case.verdict
    allowed = plausible_range(case.facts.project, case.facts.members, True)
    assert first <= 1.05 * allowed.high and not allowed.holds(3 * allowed.high)


def test_a_strut_with_braces_is_doubted_once_and_its_walls_still_bound_it() -> None:
    """Held across at third points it goes nine times later than pinned: a reason in writing is
    enough."""
    tube = bar("bar", 3000, {"shape": "square tube", "width": "40 mm", "thickness": "2 mm"}) | {
        "mesh_as": "shell"
    }
    stated = model(
        tube,
        supports=[
            ("foot", ["x", "y", "z"]),
            ("head", ["x", "y"]),
            ("one", ["x", "y"]),
            ("two", ["x", "y"]),
        ],
    )
    stated["scribes"] = [
        {
            "kind": "line",
            "name": f"{name}-{wall}",
            "face": f"bar/wall.{wall}",
            "run": "crosswise",
            "offset": offset,
        }
        for name, offset in (("one", "-500 mm"), ("two", "500 mm"))
        for wall in range(1, 5)
    ]
    stated["regions"] += [
        {"name": name, "names": [f"{name}-{wall}/line" for wall in range(1, 5)]}
        for name in ("one", "two")
    ]
    stated["criteria"] = {
        "required_factor": "0.5",
        "modes": 2,
        "capacity": "0.01",
        "meant": {"held along its length": "braces"},
    }
    case = judged(stated)
    second = (40**4 - 36**4) / 12
    pinned = math.pi**2 * 210e3 * second / 1000**2 / 1e3
    assert case.facts.modes.positive[0] == pytest.approx(pinned, rel=0.15)
    assert said(case).state == "good" and case.verdict.meets is True
    assert (
        case.facts.modes.positive[0]
        > 1.8 * plausible_range(case.facts.project, case.facts.members).ends
    )
    far = dataclasses.replace(case.facts.modes, factors=30.0 * case.facts.modes.factors)
    assert plausible(dataclasses.replace(case.facts, modes=far)).state == "bad"


def test_a_bar_that_is_held_by_its_side_instead_of_its_foot_does_not_pass() -> None:
    """A wrong pick of one face: the side takes the load at once, nothing is compressed evenly,
    the factor is hundreds of times off."""
    stated = model(
        bar("bar", 300, {"shape": "flat", "width": "20 mm", "thickness": "5 mm"})
        | {"mesh_as": "solid"},
        supports=[],
    )
    stated["regions"].append({"name": "side", "names": ["bar/skin.1"]})
    stated["supports"] = [{"name": "foot", "on": "side", "held": ["x", "y", "z"]}]
    stated["mesh"] = {"size": "5 mm"}
    case = judged(stated)
    assert case.facts.modes.positive[0] > 100 and case.verdict.meets is None
    assert (
        next(gate for gate in case.verdict.gates if gate.name == "stated right").doubt
        == "held along its length"
    )


@pytest.mark.parametrize("sign", [1, -1])
def test_supports_are_told_apart_whichever_way_the_axis_runs(sign: int) -> None:
    """Of a part that is not about the origin, as its supports are measured along an axis or
    against it."""
    case = judged(wide(300, 100, 2, []))
    reach = case.facts.strength.reach if sign == 1 else -case.facts.strength.reach[:, ::-1]
    strength = dataclasses.replace(case.facts.strength, reach=np.ascontiguousarray(reach))
    assert held_along(dataclasses.replace(case.facts, strength=strength)) == ["e1 0", "e3 2"]


def test_a_strip_on_a_bed_of_springs_is_not_doubted() -> None:
    """A bar on an elastic foundation goes in several waves (Timoshenko and Gere 1961, 2.10), far
    above firm ends, as is stated."""
    stated = wide(
        1000, 30, 6, [], criteria={"required_factor": "0.5", "modes": 2, "capacity": "0.01"}
    )
    stated["regions"].append({"name": "face", "names": ["p/face"]})
    stated["supports"] = [
        {"name": "on e4", "on": "e4", "held": ["x", "y", "z"]},
        {"name": "on e2", "on": "e2", "held": ["y", "z"]},
    ]
    stated["springs"] = [{"name": "bed", "on": "face", "per": "area", "z": "0.01 N/mm^3"}]
    case = judged(stated)
    least = (
        min(
            (n * math.pi / 1000) ** 2 * 210e3 * 540 + 0.3 / (n * math.pi / 1000) ** 2
            for n in range(1, 15)
        )
        / 300
    )
    assert case.facts.modes.positive[0] == pytest.approx(least, rel=2e-3)
    assert case.verdict.meets is True and "held along its length" not in {
        item.name for item in case.evidence
    }


def test_a_sheet_that_is_warmed_between_firm_edges_has_a_verdict() -> None:
    """What holds it presses it: no load that goes straight into a support. Two equal pressures,
    k = 2 (Timoshenko and Gere 1961)."""
    stated = wide(
        150, 150, 1.5, [], criteria={"required_factor": "0.05", "modes": 2, "capacity": "0.01"}
    )
    stated["materials"][0]["expansion"] = "12e-6/K"
    stated["loads"] = [{"kind": "temperature", "name": "push", "change": "20 K"}]
    stated["supports"] = [
        {"name": f"s{k}", "on": f"e{k}", "held": ["y" if k in (1, 3) else "x", "z"]}
        for k in (1, 2, 3, 4)
    ]
    case = judged(stated)
    stress = 210e3 * 12e-6 * 20 / 0.7
    assert case.facts.modes.positive[0] == pytest.approx(
        2 * math.pi**2 * 210e3 / (12 * 0.91) * (1.5 / 150) ** 2 / stress, rel=0.01
    )
    assert case.verdict.meets is True, case.verdict


def test_what_stands_on_springs_or_bends_is_not_called_soft() -> None:
    """A clamped tip on a soft turning spring, and a deep strap bent on edge, go early and are
    right."""
    springs = [{"name": "base", "on": "base", "turn_x": "1 N*m/rad", "turn_y": "1 N*m/rad"}]
    soft = model(
        bar("bar", 500, FLAT),
        supports=[("base", ["x", "y", "z", "turn_z"])],
        hubs=[{"name": "base", "region": "foot"}],
        springs=springs,
    )
    case = judged(soft)
    assert (
        case.facts.modes.positive[0]
        < 0.1 * plausible_range(load_project({**soft, "springs": []}), case.facts.members).low
    )
    assert said(case).state == "good"
    deep = {"shape": "flat", "width": "60 mm", "thickness": "2 mm"}
    down = {**PUSH, "components": ["-20 N", "0 N", "0 N"]}
    bent = judged(
        model(bar("bar", 800, deep) | {"mesh_as": "shell"}, supports=CLAMPED, loads=[down])
    )
    assert np.isfinite(bent.facts.modes.positive[0]) and said(bent).state == "good"


def test_among_several_pieces_the_later_of_column_and_wall_counts() -> None:
    """A web held along its length by flanges does not bow by itself: as one of two pieces its
    wall is what has to go."""
    wide = {"shape": "flat", "width": "80 mm", "thickness": "2 mm"}
    case = judged(
        model(
            bar("bar", 600, wide) | {"mesh_as": "shell"},
            supports=[("foot", ALL), ("head", ALL[:2] + ALL[3:])],
        )
    )
    one, project = case.facts.members, case.facts.project
    two = dataclasses.replace(
        one,
        **{
            field.name: np.repeat(getattr(one, field.name), 2, axis=0)
            for field in dataclasses.fields(one)
        },
    )
    alone, beside = plausible_range(project, one), plausible_range(project, two)
    wall = (
        6.97
        * math.pi**2
        * 210e3
        / (12 * 0.91)
        * (float(one.wall_thickness[0]) / float(one.wall_width[0])) ** 2
    )
    assert (
        beside.high == pytest.approx(wall * float(one.area[0]) / float(one.axial[0, 0]))
        and beside.high > 3 * alone.high
    )
    assert beside.low == alone.low and beside.beyond[0] < alone.beyond[0]
    # thin, and nothing known of its walls: they may go at any load
    bare = dataclasses.replace(one, wall_width=np.zeros(1), thickness=np.full(1, 0.1))
    assert plausible_range(project, bare).low == 0.0


@pytest.mark.parametrize(("first", "word"), [(1.2, "in"), (2.256, "near"), (0.9, "near")])
def test_a_factor_beside_the_range_is_not_told_to_be_in_it(
    first: float, word: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    from types import SimpleNamespace

    from labilis.judge.plausible import Range

    monkeypatch.setattr(
        sys.modules["labilis.judge.evidence.plausible"],
        "plausible_range",
        lambda *_: Range(1.0, "a", 1.83, "a", (0.7, 1.8)),
    )
    facts = SimpleNamespace(
        project=None,
        modes=SimpleNamespace(positive=[first]),
        members=SimpleNamespace(names=["a"]),
        strength=None,
        mesh=None,
    )
    found = plausible(facts)  # type: ignore[arg-type]
    assert found is not None and found.state == "good" and found.unit == f"{word} 1 to 1.83"
    assert ("1.8 times the largest" in found.text) is (word == "near")
