"""The mistakes that people make, one wrong project each, run like any other; the right one
beside it stays quiet."""

from __future__ import annotations

import ast
import dataclasses
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from labilis.judge.evidence import Evidence, as_asked, collect
from labilis.judge.evidence.base import CaseFacts
from labilis.judge.evidence.material_figures import material_figures
from labilis.judge.evidence.mesh_error import mesh_error
from labilis.judge.figures import force_text
from labilis.judge.gates import COMPUTED, STATED
from labilis.judge.verdict import verdict_of_case
from labilis.model import GRADES, LabilisError, load_project
from labilis.results.findings import MeshFindings, TraceFindings
from labilis.run import Plan, Runner, Snapshot, judge_project

STEEL = {
    "name": "steel",
    "youngs_modulus": "210 GPa",
    "poisson_ratio": "0.3",
    "density": "7850 kg/m^3",
    "yield_strength": "235 MPa",
}
ALL = ["x", "y", "z", "turn_x", "turn_y", "turn_z"]


def flat(thickness: str = "4 mm", mesh_as: str = "shell", **more: Any) -> dict[str, Any]:
    """A strip along x, 200 × 20 mm."""
    return {
        "name": "strip",
        "material": "steel",
        "mesh_as": mesh_as,
        "recipe": {
            "kind": "plate",
            "thickness": thickness,
            "outline": [
                {"x": f"{x} mm", "y": f"{y} mm"} for x, y in ((0, 0), (200, 0), (200, 20), (0, 20))
            ],
        },
        **more,
    }


def force(x: str = "-100 N", y: str = "0 N", z: str = "0 N", **more: Any) -> dict[str, Any]:
    return {"kind": "force", "name": "push", "on": "head", "components": [x, y, z], **more}


def strip(*loads: dict[str, Any], **change: Any) -> dict[str, Any]:
    """Right in every way unless changed: fixed at one end, pushed along its length at the other."""
    loads = loads or (force(),)
    return {
        "materials": [STEEL],
        "pieces": [flat()],
        "regions": [
            {"name": "foot", "names": ["strip/side.4"]},
            {"name": "head", "names": ["strip/side.2"]},
        ],
        "supports": [{"name": "foot", "on": "foot", "held": ALL}],
        "loads": list(loads),
        "cases": [{"name": "one", "loads": [{"load": load["name"]} for load in loads]}],
        "mesh": {"size": "5 mm"},
        "criteria": {"modes": 2, "required_factor": "1"},
        **change,
    }


def said(name: str, model: dict[str, Any], upto: str = "modes") -> Evidence | None:
    project = load_project(model)
    case = judge_project(project, Runner().run(Snapshot(project), Plan(upto))).cases[0]  # type: ignore[arg-type]
    return next((item for item in collect(case.facts) if item.name == name), None)


def solid(edge_held: bool = False, **change: Any) -> dict[str, Any]:
    """The strip as a solid; with its foot on an edge its head has to be held as well."""
    supports = [{"name": "foot", "on": "foot", "held": ["x", "y", "z"]}]
    supports += [{"name": "head", "on": "head", "held": ["z"]}] if edge_held else []
    return strip(pieces=[flat(mesh_as="solid")], supports=supports, **change)


WRONG: dict[str, tuple[str, dict[str, Any], str]] = {
    "1 first-order solids": ("element order", solid(mesh={"size": "6 mm", "order": 1}), "bad"),
    "2 a support swallows the load": (
        "held loaded direction",
        strip(
            supports=[
                {"name": "foot", "on": "foot", "held": ALL},
                {"name": "head", "on": "head", "held": ["x"]},
            ]
        ),
        "bad",
    ),
    "3 an edge for a face": (
        "edges for faces",
        solid(
            regions=[
                {"name": "foot", "names": ["strip/side.4+bottom"]},
                {"name": "head", "names": ["strip/side.2"]},
            ],
            edge_held=True,
        ),
        "caution",
    ),
    "4 force on each instead of the total": (
        "total or each",
        strip(
            force(share="each"),
            regions=[
                {"name": "foot", "names": ["strip/side.4"]},
                {"name": "head", "names": ["strip/side.2", "strip/side.1"]},
            ],
        ),
        "caution",
    ),
    "6 a preload read as part of the factor": (
        "held part",
        strip(force("-100 N"), {**force("-50 N", growth="held"), "name": "stays"}),
        "caution",
    ),
    "7 negative factors": (
        "negative factors",
        strip(force("100 N"), criteria={"modes": 2, "sign": "both"}),
        "caution",
    ),
    "8 several modes under the required factor": (
        "modes under the required factor",
        strip(criteria={"modes": 3, "required_factor": "400"}),
        "caution",
    ),
    "10 the ideal factor read as capacity": ("ideal factor as capacity", strip(), "not judged"),
    "13 a thickness ten times too small": (
        "proportions",
        strip(pieces=[flat("0.04 mm")], mesh={"size": "10 mm"}),
        "caution",
    ),
    "13 a thickness ten times too large": (
        "proportions",
        strip(pieces=[flat("14 mm")], mesh={"size": "10 mm"}),
        "caution",
    ),
    "14 the effective length of another case": (
        "effective length",
        strip(euler={"ends": "fixed-fixed"}),
        "caution",
    ),
    "15 too few elements": (
        "elements per half wave",
        strip(mesh={"size": "100 mm"}, criteria={"modes": 4}),
        "caution",
    ),
    "17 large turns under linear theory": ("stretch", strip(force("-1 N", z="300 N")), "bad"),
    "18 yield long before buckling": (
        "yield before buckling",
        strip(force("-100 N", z="40 N")),
        "caution",
    ),
}


@pytest.mark.parametrize("mistake", sorted(WRONG))
def test_a_mistake_is_caught(mistake: str) -> None:
    name, model, state = WRONG[mistake]
    found = said(name, model)
    assert found is not None, mistake
    assert found.state == state or (found.state == "bad" and state == "caution"), found.text


QUIET = (
    "element order",
    "held loaded direction",
    "total or each",
    "completeness",
    "proportions",
    "effective length",
    "stretch",
    "elements per half wave",
    "yield before buckling",
    "balance",
    "compression",
    "free rigid motion",
    "edges for faces",
)


def test_the_right_project_stays_quiet() -> None:
    """Nothing but what has not been looked at yet: no trace was run."""
    project = load_project(strip())
    case = judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0]
    states = {item.name: item.state for item in collect(case.facts)}
    assert {name: states.get(name) for name in QUIET} == dict.fromkeys(QUIET, "good")
    assert {name for name, state in states.items() if state != "good"} == {
        "ideal factor as capacity"
    }


def test_12_a_centred_load_is_told_from_one_out_of_true() -> None:
    short = {"criteria": {"modes": 1, "required_factor": "1"}, "mesh": {"size": "20 mm"}}
    perfect = said(
        "centred load", strip(trace={"mode": 0, "target": "1", "steps": 4}, **short), "trace"
    )
    assert perfect is not None and perfect.state == "caution"
    past = said(
        "centred load",
        strip(force("-20 kN"), trace={"mode": 0, "target": "1", "steps": 12}, **short),
        "trace",
    )
    assert past is not None and past.state == "bad"
    assert (
        said("centred load", strip(trace={"target": "1", "steps": 4}, **short), "trace").state
        == "good"
    )  # type: ignore[union-attr]
    little = said(
        "centred load",
        strip(trace={"target": "1", "steps": 4, "amplitude": "0.001 mm"}, **short),
        "trace",
    )
    assert little is not None and little.state == "caution"


def test_16_no_compression_is_an_answer() -> None:
    project = load_project(strip(force("100 N")))
    case = judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0]
    assert case.verdict.meets is True and case.verdict.headline == "Cannot go unstable"
    assert next(item for item in case.evidence if item.name == "compression").state == "good"


def test_19_pieces_that_are_not_connected_are_named() -> None:
    other = {**flat(), "name": "loose", "place": {"at": ["0 mm", "0 mm", "30 mm"]}}
    with pytest.raises(LabilisError, match="'loose' is not connected"):
        said("joints", strip(pieces=[flat(), other]))


def test_9_and_20_a_mode_has_neither_millimetres_nor_stress() -> None:
    """What leaves the program of a mode is a shape whose largest motion is 1, and nothing of
    stress."""
    project = load_project(strip())
    modes = (
        judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0].facts.modes
    )
    assert modes is not None
    assert np.linalg.norm(modes.shapes, axis=2).max(axis=1) == pytest.approx(
        np.ones(len(modes.factors))
    )
    assert not [name for name in vars(modes) if "stress" in name]


# --- gates: a wrong model does not pass
# --------------------------------------------------------------------------------------------------
def verdict(model: dict[str, Any], upto: str = "modes") -> Any:
    project = load_project(model)
    return judge_project(project, Runner().run(Snapshot(project), Plan(upto))).cases[0].verdict  # type: ignore[arg-type]


def test_the_right_strip_meets() -> None:
    found = verdict(strip())
    assert found.meets is True and [gate.state for gate in found.gates] == ["passes"] * 4
    assert "±" in found.detail


def test_a_load_that_a_support_swallows_is_no_verdict() -> None:
    found = verdict(
        strip(
            supports=[
                {"name": "foot", "on": "foot", "held": ALL},
                {"name": "head", "on": "head", "held": ["x"]},
            ]
        )
    )
    assert (
        found.meets is None
        and found.gates[0].state == "void"
        and "goes straight into a support" in found.detail
    )


def test_yield_under_the_service_load_keeps_the_verdict_open_until_a_reason_is_given() -> None:
    strong = strip(force("-100 N", z="80 N"))
    found = verdict(strong)
    assert (
        found.meets is None
        and next(gate for gate in found.gates if gate.name == "strength").state == "open"
    )
    reason: dict[str, Any] = {
        "modes": 2,
        "required_factor": "1",
        "left_out": {"strength": "the peak at the clamp is a matter of the drawing"},
    }
    told = verdict({**strong, "criteria": reason})
    # the overall check stands on first yield as well
    assert told.meets is None and [
        gate.name for gate in told.gates if gate.state == "open" and not gate.left_out
    ] == ["capacity"]
    reason["left_out"]["capacity"] = "the mock-up carried twice the load"
    told = verdict({**strong, "criteria": reason})
    assert (
        told.meets is True and "the peak at the clamp" in told.detail and "mock-up" in told.detail
    )


def names_of_evidence() -> set[str]:
    """All names that evidence is made with."""
    calls = [
        node
        for path in Path(as_asked.__file__).parent.glob("*.py")
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8")))
        if isinstance(node, ast.Call) and getattr(node.func, "id", "") == "Evidence" and node.args
    ]
    return {call.args[0].value for call in calls if isinstance(call.args[0], ast.Constant)}


@pytest.mark.parametrize(
    ("name", "gate", "state"),
    [
        *((name, 0, state) for name, state in STATED.items()),
        *((name, 1, state) for name, state in COMPUTED.items()),
    ],
)
def test_each_of_these_keeps_the_verdict_from_being_said(
    strip_facts: Any, name: str, gate: int, state: str
) -> None:
    """Evidence of that name exists, and its ✗ closes its gate."""
    wrong = Evidence(name, "", "", "bad", "it is wrong", "mesh")
    found = verdict_of_case(strip_facts, (wrong,))
    assert (
        found.meets is None and found.gates[gate].state == state and "it is wrong" in found.detail
    )
    assert name in names_of_evidence()


@pytest.fixture(scope="module")
def strip_facts() -> Any:
    project = load_project(strip())
    return judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0].facts


def test_yield_that_is_not_known_keeps_the_verdict_open(strip_facts: Any) -> None:
    bare = {key: value for key, value in STEEL.items() if key != "yield_strength"}
    found = verdict(strip(materials=[bare]))
    assert found.meets is None and "no yield strength" in found.detail
    lost = dataclasses.replace(
        strip_facts, strength=dataclasses.replace(strip_facts.strength, yield_factor=float("nan"))
    )
    assert verdict_of_case(lost, ()).gates[2].state == "void"


def test_every_mode_is_held_against_what_its_driver_needs_with_its_error(strip_facts: Any) -> None:
    """The second factor within its error of the required one keeps the verdict open as the first
    does."""
    modes = strip_facts.modes
    first, second = (float(factor) for factor in modes.positive[:2])
    for errors, meets in (
        ([0.0, 0.0], True),
        ([0.0, 1.01 * (1 - 1 / second)], None),
        ([1.01 * (1 - 1 / first), 0.0], None),
    ):
        changed = dataclasses.replace(
            strip_facts, modes=dataclasses.replace(modes, mesh_error=np.array(errors))
        )
        assert verdict_of_case(changed, ()).meets is meets
    unproved = dataclasses.replace(
        strip_facts, modes=dataclasses.replace(modes, checks=np.zeros((0, 3)))
    )
    assert verdict_of_case(unproved, ()).gates[1].state == "void"


def test_a_mode_that_may_come_first_is_named_in_the_first_one_s_error(strip_facts: Any) -> None:
    """The second factor is known so badly that it may lie under the first, which is known well."""
    modes = strip_facts.modes
    first, second = (float(factor) for factor in modes.positive[:2])
    ratio = second / first
    for error, told in ((0.5 * (ratio - 1), 0.01), (2 * ratio, 1 - ratio / (1 + 2 * ratio))):
        changed = dataclasses.replace(modes, mesh_error=np.array([0.01, error]))
        said = mesh_error(dataclasses.replace(strip_facts, modes=changed))
        assert said is not None and changed.first_error == pytest.approx(told)
        assert ("Mode 2" in said.text) == (told > 0.01)
        assert said.state == ("good" if told == 0.01 else "bad")


def test_of_pieces_that_bend_alike_the_stricter_class_decides_the_verdict(strip_facts: Any) -> None:
    """A brace that bends as much as the strip asks for more: whichever of them is first by a
    hundredth, it does not pass."""
    modes, project = strip_facts.modes, strip_facts.project
    brace = project.pieces[0].model_copy(update={"name": "brace", "acts_as": "member"})
    first = float(modes.positive[0])
    asked = project.criteria.model_copy(
        update={"required_factor": f"{0.5 * first!r}", "member_factor": f"{1.5 * first!r}"}
    )
    both = project.model_copy(update={"pieces": (project.pieces[0], brace), "criteria": asked})
    for share, meets in ((0.501, False), (0.49, False), (0.6, True)):
        shares = np.column_stack(
            [np.full(len(modes.factors), share), np.full(len(modes.factors), 1.0 - share)]
        )
        shared = dataclasses.replace(
            modes, pieces=np.array(["strip", "brace"]), shares=shares, piece_levers=np.zeros((0, 2))
        )
        facts = dataclasses.replace(strip_facts, project=both, modes=shared, required=0.5 * first)
        assert facts.meets(0) is meets and facts.required_for(0) == pytest.approx(
            (0.5 if meets else 1.5) * first
        )
        if not meets:
            assert verdict_of_case(facts, ()).meets is False
    near = dataclasses.replace(
        modes,
        pieces=np.array(["strip", "brace"]),
        piece_levers=np.zeros((0, 2)),
        shares=np.full((len(modes.factors), 2), 0.5),
        mesh_error=np.full(len(modes.factors), 0.05),
    )
    close = both.model_copy(
        update={"criteria": asked.model_copy(update={"member_factor": f"{0.98 * first!r}"})}
    )
    facts = dataclasses.replace(strip_facts, project=close, modes=near, required=0.5 * first)
    assert verdict_of_case(facts, ()).meets is None  # met, but for the mesh error


class Traced(SimpleNamespace):
    """A trace of which only its ends are told."""

    verified_by = TraceFindings.verified_by
    end_words = TraceFindings.end_words


def test_a_trace_that_ended_early_is_not_a_fall(strip_facts: Any) -> None:
    def after(**ends: Any) -> Any:
        trace = Traced(
            done=True,
            yielding=False,
            first_yield=float("nan"),
            bifurcation=float("nan"),
            elastic_yield=float("nan"),
            **ends,
        )
        return verdict_of_case(dataclasses.replace(strip_facts, trace=trace), ())

    assert after(verified=0.4, limit=float("nan")).meets is None
    assert after(verified=0.4, limit=0.4).meets is False
    assert after(verified=1.6, limit=float("nan")).meets is True


@pytest.mark.parametrize(("state", "doubt"), [("caution", "centred load"), ("bad", "")])
def test_a_trace_of_a_perfect_part_says_nothing_of_an_imperfect_one(
    strip_facts: Any, state: Any, doubt: str
) -> None:
    """A doubt can be settled by a reason; a trace that went past a bifurcation cannot."""
    trace = Traced(
        done=True,
        yielding=False,
        first_yield=float("nan"),
        bifurcation=float("nan"),
        elastic_yield=float("nan"),
        verified=1e4,
        limit=float("nan"),
    )
    strict = strip_facts.project.changed(
        criteria={"modes": 2, "required_factor": "1", "capacity": "5000"}
    )
    facts = dataclasses.replace(strip_facts, trace=trace, project=strict)
    assert verdict_of_case(facts, ()).gates[3].state == "passes"
    gate = verdict_of_case(
        facts, (Evidence("centred load", "", "", state, "it is wrong", "trace"),)
    ).gates[3]
    assert (
        gate.state == "open" and gate.doubt == doubt and ("say why" in gate.reason) is bool(doubt)
    )
    fallen = dataclasses.replace(
        facts, trace=Traced(**{**vars(trace), "verified": 0.4, "limit": 0.4})
    )
    doubted = (Evidence("centred load", "", "", state, "it is wrong", "trace"),)
    assert (
        verdict_of_case(fallen, doubted).gates[3].state == "fails"
    )  # what even a perfect part does not carry
    settled = strict.changed(
        criteria={**strict.criteria.model_dump(), "meant": {"centred load": "a shape with its bow"}}
    )
    gate = verdict_of_case(
        dataclasses.replace(facts, project=settled),
        (Evidence("centred load", "", "", state, "", "trace"),),
    ).gates[3]
    assert gate.state == ("passes" if state == "caution" else "open")


def test_a_factor_within_its_mesh_error_of_what_is_required_stays_open() -> None:
    coarse = strip(mesh={"size": "20 mm"}, pieces=[flat(mesh_as="solid")])
    project = load_project(coarse)
    case = judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0]
    first, error = float(case.facts.modes.positive[0]), case.facts.modes.first_error
    assert error > 1e-4
    between = first * (1 - 0.5 * error)
    close = verdict({**coarse, "criteria": {"modes": 2, "required_factor": f"{between!r}"}})
    assert close.meets is None and "mesh error" in close.detail
    assert (
        verdict(
            {**coarse, "criteria": {"modes": 2, "required_factor": f"{first * (1 - 2 * error)!r}"}}
        ).meets
        is True
    )


@pytest.mark.parametrize(
    "spoil",
    [
        {"factors": np.array([np.nan, 9.0])},
        {"shapes": np.zeros((0, 3, 3))},
        {"residuals": np.zeros(0)},
    ],
)
def test_results_that_are_not_whole_are_void(strip_facts: Any, spoil: dict[str, Any]) -> None:
    assert verdict_of_case(strip_facts, collect(strip_facts)).meets is True
    spoilt = dataclasses.replace(strip_facts, modes=dataclasses.replace(strip_facts.modes, **spoil))
    found = verdict_of_case(spoilt, ())
    assert found.meets is not True
    assert found.gates[1].state == "void"


def test_loads_that_balance_each_other_raise_no_alarm() -> None:
    pair = strip(
        force("-100 N"),
        {**force("100 N"), "name": "back", "on": "foot"},
        supports=[
            {"name": "foot", "on": "foot", "held": ["y", "z", "turn_x", "turn_y", "turn_z"]},
            {"name": "head", "on": "head", "held": ["x"]},
        ],
    )
    project = load_project(pair)
    case = judge_project(project, Runner().run(Snapshot(project), Plan("strength"))).cases[0]
    assert next(item for item in case.evidence if item.name == "balance").state == "good"


def test_a_tilt_toward_another_axis_is_another_result() -> None:
    from labilis.run import stage_keys

    one, two = (
        load_project(strip(force(tilt={"angle": "1 deg", "toward": axis}))) for axis in ("y", "z")
    )
    assert stage_keys(one).strength != stage_keys(two).strength


@pytest.mark.parametrize("free", [False, True])
def test_a_moment_on_a_held_turn_is_no_verdict(free: bool) -> None:
    """A hub that may not turn takes the moment itself; free to turn it passes it on."""
    held = ["x", "y", "turn_x", "turn_z"] + ([] if free else ["z", "turn_y"])
    model = strip(
        {"kind": "moment", "name": "twist", "on": "ram", "components": ["0 N*m", "1 N*m", "0 N*m"]},
        hubs=[{"name": "ram", "region": "head"}],
        supports=[
            {"name": "foot", "on": "foot", "held": ALL},
            {"name": "guide", "on": "ram", "held": held},
        ],
    )
    found = verdict(model)
    assert (found.gates[0].state == "void") is not free
    assert found.meets is not True or free


def test_what_the_supports_push_against_each_other_raises_no_alarm() -> None:
    """Warmed between two held ends: the reactions are all there is, and they balance."""
    warm = strip(
        {"kind": "temperature", "name": "warm", "change": "20 K"},
        materials=[{**STEEL, "expansion": "1.2e-5 /K"}],
        supports=[
            {"name": "foot", "on": "foot", "held": ALL},
            {"name": "head", "on": "head", "held": ALL},
        ],
    )
    project = load_project(warm)
    case = judge_project(project, Runner().run(Snapshot(project), Plan("strength"))).cases[0]
    assert next(item for item in case.evidence if item.name == "balance").state == "good"


@pytest.mark.parametrize(("weld", "joined"), [(None, False), ("2 mm", True), ("0.1 mm", False)])
def test_a_stated_weld_gap_closes_what_would_only_be_near(weld: str | None, joined: bool) -> None:
    """A rib of 2 mm whose end stands 1.5 mm off a plate of 2 mm: by default half of the wall
    counts as welded."""
    rib = {
        "name": "rib",
        "material": "steel",
        "mesh_as": "shell",
        "place": {"at": ["0 mm", "10 mm", "2.5 mm"], "turns": [{"about": "x", "angle": "90 deg"}]},
        "recipe": {
            "kind": "plate",
            "thickness": "2 mm",
            "outline": [
                {"x": f"{x} mm", "y": f"{y} mm"} for x, y in ((0, 0), (200, 0), (200, 30), (0, 30))
            ],
        },
    }
    project = load_project(
        strip(
            pieces=[flat("2 mm"), rib],
            mesh={"size": "5 mm", **({"weld_gap": weld} if weld else {})},
        )
    )
    found = next(
        item
        for item in Runner().run(Snapshot(project), Plan("mesh")).values()
        if isinstance(item, MeshFindings)
    )
    assert (len(found.bonded) == 1) is joined and len(found.fused) == 0
    assert (found.joint_gap if joined else found.near_gap) == pytest.approx([1.5], abs=0.05)


def test_the_total_beside_a_held_load_is_the_sum_of_both() -> None:
    model = strip(force("-100 N"), {**force("-50 N", growth="held"), "name": "stays"})
    project = load_project(model)
    case = judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0]
    first = float(case.facts.modes.positive[0])
    item = next(item for item in case.evidence if item.name == "held part")
    assert f"{force_text(100 * first + 50)} in all" in item.text


def test_the_stretch_of_a_linear_turn_by_hand(strip_facts: Any) -> None:
    """A linear turn by θ lengthens everything across its axis by θ² / 2: 0.5 % and 5.7° at a
    tenth of a radian."""
    from labilis.judge.evidence.stretch import stretch

    turned = 0.1 * np.cross([0.0, 0.0, 1.0], strip_facts.mesh.nodes)
    strength = dataclasses.replace(
        strip_facts.strength, displacement_growing=turned, displacement_held=0.0 * turned
    )
    found = stretch(dataclasses.replace(strip_facts, strength=strength))
    assert (
        found is not None
        and found.figure == "0.5"
        and "5.7°" in found.text
        and "0.5 %" in found.text
    )


@pytest.mark.parametrize("grade", GRADES, ids=lambda item: item.name)
def test_a_material_of_the_library_is_not_doubted_and_each_slip_of_ten_is(grade: Any) -> None:
    """A modulus, density or strength ten times off, or in another unit: of whatever metal, and
    called what you will."""

    def found(**change: str) -> Any:
        stated = {**grade.model_dump(exclude_none=True), "name": "batch 7", **change}
        project = load_project(strip(materials=[stated], pieces=[flat(material="batch 7")]))
        return material_figures(CaseFacts(project, "push"))

    assert found().state == "good"
    for field in ("youngs_modulus", "density", "yield_strength"):
        for times in ("10", "0.1", "1000", "0.001"):
            if field == "yield_strength" and times in ("10", "0.1"):
                continue  # there are steels of 23 and of 2,350 MPa
            said = found(**{field: f"({getattr(grade, field)}) * {times}"})
            assert said.state == "caution", (field, times)
            assert "batch 7" in said.text
    assert found(poisson_ratio="0.03").state == "caution"
    assert (
        material_figures(
            CaseFacts(
                load_project(
                    strip(
                        materials=[{**STEEL, "name": "spare", "density": "1 kg/m^3"}, STEEL],
                    )
                ),
                "push",
            )
        ).state
        == "good"
    ), "what no piece is made of"


@pytest.mark.parametrize(
    ("name", "modulus", "density", "strength", "state"),
    [
        ("oak", "11 GPa", "700 kg/m^3", "40 MPa", "good"),
        ("PA 6", "2.7 GPa", "1140 kg/m^3", "80 MPa", "good"),
        ("carbon laminate", "140 GPa", "1580 kg/m^3", "1500 MPa", "good"),
        ("brass", "97 GPa", "8470 kg/m^3", "200 MPa", "good"),
        ("grey iron", "110 GPa", "7200 kg/m^3", "150 MPa", "good"),
        ("nickel alloy", "205 GPa", "8190 kg/m^3", "1030 MPa", "good"),
        ("soft stuff", "50 MPa", "1100 kg/m^3", "1 MPa", "caution"),
        ("hard stuff", "1400 GPa", "3500 kg/m^3", "1 GPa", "caution"),
        ("steel 50", "21 GPa", None, "235 MPa", "caution"),
        ("Stahl S355", "400 GPa", None, "355 MPa", "caution"),
        ("thing", "3 GPa", None, "300 MPa", "caution"),
    ],
)
def test_other_materials_by_what_they_are(
    name: str, modulus: str, density: str | None, strength: str, state: str
) -> None:
    stated = {
        "name": name,
        "youngs_modulus": modulus,
        "poisson_ratio": "0.3",
        "yield_strength": strength,
        **({} if density is None else {"density": density}),
    }
    project = load_project(strip(materials=[stated], pieces=[flat(material=name)]))
    assert material_figures(CaseFacts(project, "push")).state == state


@pytest.mark.parametrize(
    ("name", "strength", "state"),
    [
        ("structural steel S235", "235 MPa", "good"),
        ("structural steel S235", "2350 MPa", "caution"),
        ("S 235 JR, certificate 17", "300 MPa", "good"),
        ("S235JR, certificate 17", "340 MPa", "good"),
        ("S235JR, certificate 17", "480 MPa", "caution"),
        ("s355mc", "355 MPa", "good"),
        ("S2350", "2350 MPa", "good"),  # whatever that is, it is not S235
        ("DC01 sheet", "270 MPa", "good"),
        ("sheet EN AW-6082", "250 MPa", "good"),
        ("EN AW 6082 T651", "700 MPa", "caution"),
        ("1.4301 CP500", "500 MPa", "good"),
    ],
)
def test_a_grade_in_the_name_tells_the_strength(name: str, strength: str, state: str) -> None:
    aluminium = "6082" in name
    stated = {
        "name": name,
        "youngs_modulus": "70 GPa" if aluminium else "210 GPa",
        "poisson_ratio": "0.3",
        "density": "2700 kg/m^3" if aluminium else "7850 kg/m^3",
        "yield_strength": strength,
    }
    project = load_project(strip(materials=[stated], pieces=[flat(material=name)]))
    found = material_figures(CaseFacts(project, "push"))
    assert found is not None and found.state == state


@pytest.mark.parametrize(
    ("length", "state"),
    [("1200 mm", "good"), ("1.2 mm", "caution"), ("1.2 m", "good"), ("2.5 mm", "good")],
)
def test_a_strut_in_metres_for_millimetres(strip_facts: Any, length: str, state: str) -> None:
    """A washer of the same tube is none."""
    from labilis.judge.evidence.proportions import _stub, proportions

    piece = {
        "name": "prop",
        "material": STEEL["name"],
        "recipe": {
            "kind": "strut",
            "length": length,
            "section": {"shape": "round tube", "diameter": "48.3 mm", "thickness": "2.6 mm"},
        },
    }
    project = load_project({"materials": [STEEL], "pieces": [piece]})
    found = _stub(project, project.pieces[0])
    assert ("good" if found is None else found.state) == state
    if found is not None:
        assert "1.2 mm long and 48.3 mm across" in found.text
        assert proportions(dataclasses.replace(strip_facts, project=project)) == found


@pytest.mark.parametrize(
    ("factor", "off", "state"),
    [
        (1.05, float("nan"), "passes"),
        (1.05, 0.04, "passes"),
        (1.05, 0.06, "open"),
        (0.99, 0.01, "open"),
        (3.0, 0.6, "passes"),
        (3.0, 0.7, "open"),
    ],
)
def test_strength_passes_with_the_mesh_error_of_first_yield_only(
    strip_facts: Any, factor: float, off: float, state: str
) -> None:
    from labilis.judge.gates import _strength

    facts = dataclasses.replace(
        strip_facts,
        strength=dataclasses.replace(
            strip_facts.strength, yield_factor=factor, wall_factor=float("nan")
        ),
        modes=dataclasses.replace(strip_facts.modes, yield_error=off),
    )
    gate = _strength(facts)
    assert gate.state == state
    assert ("±" in gate.reason) == (state == "open" and factor >= 1.0)
    # a trace that yields and reaches the load has followed it
    trace: Any = SimpleNamespace(done=True, yielding=True, verified=1.2)
    assert _strength(dataclasses.replace(facts, trace=trace)).state == "passes"
