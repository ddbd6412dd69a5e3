"""First factors beyond what members and walls allow keep the verdict open; right models of many kinds do not."""
from __future__ import annotations

import dataclasses
import math
import sys
from typing import Any

import numpy as np
import pytest

from labilis.judge.evidence.plausible import plausible
from labilis.judge.plausible import plausible_range
from labilis.judge.verdict import verdict_of_case
from labilis.model import load_project
from labilis.run import Plan, Runner, Snapshot, judge_project
from tests.unit.test_mistakes import ALL
from tests.unit.test_warping import PUSH, bar, model

FLAT = {"shape": "flat", "width": "30 mm", "thickness": "8 mm"}
TUBE = {"shape": "round tube", "diameter": "40 mm", "thickness": "1 mm"}
CLAMPED = [("foot", ALL)]


def judged(stated: dict[str, Any]) -> Any:
    project = load_project(stated)
    return judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0]


def said(case: Any) -> Any:
    return next((item for item in case.evidence if item.name == "plausible factor"), None)


@pytest.mark.parametrize("mesh_as", ["line", "shell"])
@pytest.mark.parametrize(("supports", "k"), [(CLAMPED, 2.0), ([("foot", ALL), ("head", ALL[:2] + ALL[3:])], 0.5)])
def test_the_ends_of_the_range_are_euler_s_cases(mesh_as: str, supports: Any, k: float) -> None:
    case = judged(model(bar("bar", 500, FLAT) | {"mesh_as": mesh_as}, supports=supports))
    allowed = plausible_range(case.facts.project, case.facts.members)
    euler = math.pi**2 * 210e3 * 30 * 8**3 / 12 / (k * 500) ** 2 / 1e3
    assert (allowed.low if k == 2.0 else allowed.high) == pytest.approx(euler, rel=0.02)
    assert said(case).state == "good" and allowed.holds(float(case.facts.modes.positive[0]))


def test_walls_by_hand() -> None:
    """A thin tube under compression, and a wide plate along its length: what a ring, a free and a clamped wall bear."""
    tube = judged(model(bar("bar", 120, TUBE) | {"mesh_as": "shell"}, supports=[("foot", ALL), ("head", ALL[:2] + ALL[3:])]))
    members, project = tube.facts.members, tube.facts.project
    area, slim = float(members.area[0]), 19.5
    stress = max(float(members.peak[0]), float(members.axial[0, 0]) / area)
    ring = 210e3 * 0.25 / (0.91 * slim**2) / stress
    euler = math.pi**2 * 210e3 * float(members.i_min[0]) / (2 * 120) ** 2 / (stress * area)
    assert ring < 0.5 * euler
    assert plausible_range(project, members).low == pytest.approx(ring, rel=0.02)  # its thickness is twice the volume over the skin
    plate = judged(model(bar("bar", 400, {"shape": "flat", "width": "200 mm", "thickness": "2 mm"}) | {"mesh_as": "shell"},
                         supports=[("foot", ALL), ("head", ALL[:2] + ALL[3:])]))
    allowed = plausible_range(plate.facts.project, plate.facts.members)
    assert allowed.low <= float(plate.facts.modes.positive[0]) <= allowed.high * 1.1


@pytest.mark.parametrize("times", [0.05, 40.0])
def test_what_cannot_be_does_not_pass(times: float) -> None:
    """The same evidence of a model whose joints or supports are another part's."""
    case = judged(model(bar("bar", 500, FLAT), supports=CLAMPED, criteria={"required_factor": "0.1", "modes": 3, "capacity": "0.01"}))
    assert case.verdict.meets is True
    modes = dataclasses.replace(case.facts.modes, factors=times * case.facts.modes.factors)
    facts = dataclasses.replace(case.facts, modes=modes)
    found = plausible(facts)
    assert found.state == "bad" and ("softer" if times < 1 else "stiffer") in found.text and "'bar'" in found.text
    verdict = verdict_of_case(facts, (found,))
    assert verdict.meets is not True and next(gate for gate in verdict.gates if gate.name == "computed right").state == "open"


def test_a_strut_that_a_support_holds_along_its_length_is_told() -> None:
    """Pushed along with both long edges held across: it buckles far above what two firm ends allow."""
    plate = {"name": "bar", "material": "steel", "mesh_as": "shell", "recipe": {"kind": "plate", "thickness": "2 mm", "outline": [
        {"x": f"{x} mm", "y": f"{y} mm"} for x, y in ((0, 0), (600, 0), (600, 30), (0, 30))]}}
    along = {**PUSH, "components": ["-1 kN", "0 N", "0 N"]}
    stated = model(plate, supports=[("foot", ALL), ("low", ["z"]), ("high", ["z"])], loads=[along])
    stated["regions"] = [{"name": name, "names": [f"bar/side.{k}"]} for name, k in (("low", 1), ("head", 2), ("high", 3), ("foot", 4))]
    case = judged(stated)
    assert said(case).state == "bad" and "stiffer" in said(case).text
    stated["supports"] = stated["supports"][:1]
    assert said(judged(stated)).state == "good"


def test_what_stands_on_springs_or_bends_is_not_called_soft() -> None:
    """A clamped tip on a soft turning spring, and a deep strap bent on edge, go early and are right."""
    springs = [{"name": "base", "on": "base", "turn_x": "1 N*m/rad", "turn_y": "1 N*m/rad"}]
    soft = model(bar("bar", 500, FLAT), supports=[("base", ["x", "y", "z", "turn_z"])], hubs=[{"name": "base", "region": "foot"}],
                 springs=springs)
    case = judged(soft)
    assert case.facts.modes.positive[0] < 0.1 * plausible_range(load_project({**soft, "springs": []}), case.facts.members).low
    assert said(case).state == "good"
    deep = {"shape": "flat", "width": "60 mm", "thickness": "2 mm"}
    down = {**PUSH, "components": ["-20 N", "0 N", "0 N"]}
    bent = judged(model(bar("bar", 800, deep) | {"mesh_as": "shell"}, supports=CLAMPED, loads=[down]))
    assert np.isfinite(bent.facts.modes.positive[0]) and said(bent).state == "good"


def test_among_several_pieces_the_later_of_column_and_wall_counts() -> None:
    """A web held along its length by flanges does not bow by itself: as one of two pieces its wall is what has to go."""
    wide = {"shape": "flat", "width": "80 mm", "thickness": "2 mm"}
    case = judged(model(bar("bar", 600, wide) | {"mesh_as": "shell"}, supports=[("foot", ALL), ("head", ALL[:2] + ALL[3:])]))
    one, project = case.facts.members, case.facts.project
    two = dataclasses.replace(one, **{field.name: np.repeat(getattr(one, field.name), 2, axis=0) for field in dataclasses.fields(one)})
    alone, beside = plausible_range(project, one), plausible_range(project, two)
    wall = 6.97 * math.pi**2 * 210e3 / (12 * 0.91) * (float(one.wall_thickness[0]) / float(one.wall_width[0])) ** 2
    assert beside.high == pytest.approx(wall * float(one.area[0]) / float(one.axial[0, 0])) and beside.high > 3 * alone.high
    assert beside.low == alone.low and beside.beyond[0] < alone.beyond[0]
    # thin, and nothing known of its walls: they may go at any load
    bare = dataclasses.replace(one, wall_width=np.zeros(1), thickness=np.full(1, 0.1))
    assert plausible_range(project, bare).low == 0.0


@pytest.mark.parametrize(("first", "word"), [(1.2, "in"), (2.256, "near"), (0.9, "near")])
def test_a_factor_beside_the_range_is_not_told_to_be_in_it(first: float, word: str, monkeypatch: pytest.MonkeyPatch) -> None:
    from types import SimpleNamespace

    from labilis.judge.plausible import Range

    monkeypatch.setattr(sys.modules["labilis.judge.evidence.plausible"], "plausible_range",
                        lambda *_: Range(1.0, "a", 1.83, "a", (0.7, 1.8)))
    facts = SimpleNamespace(project=None, modes=SimpleNamespace(positive=[first]), members=SimpleNamespace(names=["a"]))
    found = plausible(facts)  # type: ignore[arg-type]
    assert found is not None and found.state == "good" and found.unit == f"{word} 1 to 1.83"
    assert ("1.8 times the largest" in found.text) is (word == "near")
