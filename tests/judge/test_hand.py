"""Hand checks against printed figures, members as they are measured, screening, and required
factors by class."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest

from labilis.judge.hand import FORMS, aisc, as4100, cylinder, ec3, secant
from labilis.judge.hand.form import checked
from labilis.judge.verdict import verdict_of_case
from labilis.model import LabilisError, load_project
from labilis.model.project import SYMBOL_KINDS, SYMBOL_WORDS
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.shape import build_part

STEEL = {
    "name": "steel",
    "youngs_modulus": "210 GPa",
    "poisson_ratio": "0.3",
    "density": "7850 kg/m^3",
    "yield_strength": "235 MPa",
}
COLUMN = {"E": 210e3, "fy": 235.0, "A": 1000.0, "I": 400e3, "L": 2000.0, "K": 1.0, "c": 25.0}


@pytest.mark.parametrize(
    ("slenderness", "printed"),
    [
        (0.5, (0.9513, 0.9243, 0.8842, 0.8430, 0.7793)),
        (1.0, (0.7253, 0.6656, 0.5970, 0.5399, 0.4671)),
        (2.0, (0.2323, 0.2229, 0.2095, 0.1962, 0.1766)),
    ],
)
def test_column_curves_of_en_1993(slenderness: float, printed: tuple[float, ...]) -> None:
    """Reduction factors as tabulated for curves a0 to d (ECCS 1978 and after)."""
    assert [round(ec3.reduction(slenderness, curve), 4) for curve in ec3.IMPERFECTION] == list(
        printed
    )


@pytest.mark.parametrize(
    ("ratio", "printed"),
    [(50, 37.5), (60, 34.6), (80, 28.2), (100, 21.7), (120, 15.7), (200, 5.65)],
)
def test_column_curve_of_aisc(ratio: float, printed: float) -> None:
    """Available critical stress φFcr in ksi for Fy = 50 ksi, AISC Steel Construction Manual,
    table 4-22 (4-14 since the 15th edition)."""
    found = 0.9 * aisc.critical_stress(50.0, math.pi**2 * 29000 / ratio**2)
    assert found == pytest.approx(printed, abs=0.05 if printed > 10 else 0.005)


@pytest.mark.parametrize(
    ("modified", "constant", "printed"),
    [(50, 0.0, 0.861), (100, 0.0, 0.541), (100, -1.0, 0.661), (100, 1.0, 0.435)],
)
def test_column_curves_of_as_4100(modified: float, constant: float, printed: float) -> None:
    """Slenderness reduction factors of AS 4100:1998, table 6.3.3(3)."""
    assert round(as4100.reduction(modified, constant), 3) == printed


def test_secant_formula_of_a_wide_flange_column() -> None:
    """Gere and Goodno, Mechanics of Materials, ch. 11: W 14 × 82, 25 ft, 1.5 in off its axis, 42
    ksi: 20.1 ksi under 360 kips; yields at 716 kips, 1.99 times as much."""
    values = {
        "E": 30000.0,
        "fy": 42.0,
        "A": 24.1,
        "I": 24.1 * 6.05**2,
        "L": 300.0,
        "K": 1.0,
        "c": 24.1 * 6.05**2 / 123.0,
        "e": 1.5,
    }
    load = checked(FORMS["secant"], values).load
    assert round(load) == 716 and round(load / 360, 2) == 1.99
    assert round(secant.largest_stress(360.0, values), 1) == 20.1
    assert secant.largest_stress(load, values) == pytest.approx(42.0, rel=1e-9)
    assert checked(FORMS["secant"], {**values, "e": 1e-9}).load == pytest.approx(
        42.0 * 24.1, rel=1e-3
    )  # stocky and centred: squash load


def test_euler_of_an_aluminium_bar() -> None:
    """Beer and Johnston, Mechanics of Materials, sample problem 10.1: 20 in, fixed at one end,
    0.567 by 1.620 in, E = 10 100 ksi: 12.5 kips in the plane where the other end is free; sample
    problem 10.2: I = 8.00 in⁴, 8 ft, E = 29 000 ksi, fixed at its foot: 62.1 kips."""
    values = {"E": 10100.0, "A": 0.567 * 1.620, "I": 0.567 * 1.620**3 / 12, "L": 20.0, "K": 2.0}
    assert round(checked(FORMS["euler"], values).load, 1) == 12.5
    assert (
        round(
            checked(FORMS["euler"], {"E": 29000.0, "A": 3.54, "I": 8.00, "L": 96.0, "K": 2.0}).load,
            1,
        )
        == 62.1
    )


def test_johnson_meets_euler_at_half_the_yield_strength() -> None:
    border = math.sqrt(2 * math.pi**2 * 210e3 / 235)
    length = border * math.sqrt(400e3 / 1000)
    for share, expected in ((1.0, 117.5), (0.5, 235 * (1 - 0.125)), (2.0, 117.5 / 4)):
        found = checked(FORMS["johnson"], {**COLUMN, "L": share * length})
        assert found.load / 1000 == pytest.approx(expected, rel=1e-6)


def test_perry_is_the_root_of_its_equation_and_goes_to_its_limits() -> None:
    values = {**COLUMN, "e0": 2.0}
    found = checked(FORMS["perry"], values)
    stress, euler = found.load / 1000, math.pi**2 * 210e3 * 400e3 / 2000**2 / 1000
    eta = 2.0 * 25 / (400e3 / 1000)
    assert (235 - stress) * (euler - stress) == pytest.approx(eta * euler * stress, rel=1e-9)
    assert checked(FORMS["perry"], {**COLUMN, "e0": 0.0}).load == pytest.approx(
        1000 * min(235, euler), rel=1e-9
    )
    assert found.load < checked(FORMS["secant"], {**COLUMN, "e": 1e-6}).load


def test_plates_and_cylinders() -> None:
    """Bryan's k = 4: 76 MPa at b/t = 100 in steel (Timoshenko and Gere 1961); knock-down of NASA
    SP-8007 at R/t = 100 and 500."""
    plate = {"E": 210e3, "ν": 0.3, "t": 1.0, "b": 100.0, "A": 100.0, "edges": "both supported"}
    assert checked(FORMS["plate"], plate).load / 100 == pytest.approx(75.9, abs=0.05)
    free = checked(FORMS["plate"], {**plate, "edges": "one supported, one free"}).load / 100
    assert free == pytest.approx(75.92 * 0.425 / 4, rel=1e-3)
    assert (round(cylinder.knock_down(100), 3), round(cylinder.knock_down(500), 3)) == (
        0.581,
        0.322,
    )
    tube = checked(FORMS["cylinder"], {"E": 210e3, "ν": 0.3, "t": 1.0, "R": 100.0, "A": 628.3})
    assert tube.load / 628.3 == pytest.approx(0.581 * 0.605 * 2100, rel=2e-3)


@pytest.mark.parametrize(("ratio", "printed"), [(50, 18.35), (100, 12.98)])
def test_johnsons_parabola_as_it_was_printed(ratio: float, printed: float) -> None:
    """Allowable stresses in ksi for Fy = 36 ksi, AISC Manual of Steel Construction, 9th ed. (1989),
    table C-36: Johnson's parabola over the safety factor 5/3 + 3/8 r - r³/8, r = (K l / r) / Cc; Cc
    = 126.1."""
    found = checked(
        FORMS["johnson"],
        {"E": 29000.0, "fy": 36.0, "A": 1.0, "I": 1.0, "L": float(ratio), "K": 1.0},
    )
    border = next(value for name, value, _ in found.steps if name == "border")
    assert round(border, 1) == 126.1
    share = ratio / border
    assert round(found.load / (5 / 3 + 3 / 8 * share - share**3 / 8), 2) == printed


@pytest.mark.parametrize(
    ("slenderness", "alpha", "printed"),
    [(1.0, 0.34, 0.5970), (1.5, 0.49, 0.3145), (0.8, 0.21, 0.7957)],
)
def test_perrys_formula_with_printed_imperfections(
    slenderness: float, alpha: float, printed: float
) -> None:
    """η = α (λ - 0.2) makes it the European column curves b, c and a (ECCS 1978, EN 1993-1-1,
    figure 6.4 and its tables)."""
    euler = 235.0 / slenderness**2
    length = math.pi * math.sqrt(210e3 / euler) * 20.0  # radius of gyration 20 mm
    values = {
        "E": 210e3,
        "fy": 235.0,
        "A": 1000.0,
        "I": 400e3,
        "L": length,
        "K": 1.0,
        "c": 40.0,
        "e0": alpha * (slenderness - 0.2) * 10.0,
    }
    assert round(checked(FORMS["perry"], values).load / 235e3, 4) == printed


def test_printed_figures_of_plates_and_cylinders() -> None:
    """190 000 (t / b)² N/mm² (EN 1993-1-5, A.1(2), E = 210 GPa); 0.904 E (t / b)² for ν = 0.3
    (Gerard and Becker 1957, NACA TN 3781); 0.605 E t / R (Timoshenko and Gere 1961, art. 11.1; EN
    1993-1-6, D.1.2.1)."""
    plate = {"E": 210e3, "ν": 0.3, "t": 1.0, "b": 50.0, "A": 50.0, "edges": "both supported"}
    unit = checked(FORMS["plate"], plate).load / 50 / 4 * 50**2
    assert round(unit, -3) == 190_000 and round(unit / 210e3, 3) == 0.904
    clamped = checked(FORMS["plate"], {**plate, "edges": "both clamped"}).load / 50
    assert round(clamped / (unit / 50**2), 2) == 6.97
    tube = checked(FORMS["cylinder"], {"E": 210e3, "ν": 0.3, "t": 2.0, "R": 100.0, "A": 1.0})
    assert (
        round(next(value for name, value, _ in tube.steps if name == "σcr") / (210e3 * 2 / 100), 3)
        == 0.605
    )


def test_missing_and_wrong_numbers_are_named() -> None:
    with pytest.raises(LabilisError, match=r"Yield strength \(fy\) is not known"):
        checked(FORMS["johnson"], {key: value for key, value in COLUMN.items() if key != "fy"})
    with pytest.raises(LabilisError, match=r"must be above 0"):
        checked(FORMS["euler"], {**COLUMN, "L": 0.0})
    with pytest.raises(LabilisError, match="is none of"):
        checked(FORMS["ec3"], {**COLUMN, "Ncr": 1e5, "γM1": 1.0, "curve": "z"})


def test_symbols_have_one_kind_everywhere() -> None:
    for form in FORMS.values():
        for symbol in form.symbols:
            assert (symbol.name in SYMBOL_WORDS) == bool(symbol.choices)
            assert symbol.choices or SYMBOL_KINDS[symbol.name] == symbol.kind


# --- members and screening
# --------------------------------------------------------------------------------------------------
def strut(
    name: str,
    section: dict[str, str],
    length: float,
    at: float = 0.0,
    mesh_as: str = "shell",
    **more: Any,
) -> dict[str, Any]:
    return {
        "name": name,
        "material": "steel",
        "mesh_as": mesh_as,
        "place": {"at": [f"{at} mm", "0 mm", "0 mm"]},
        "recipe": {"kind": "strut", "length": f"{length} mm", "section": section},
        **more,
    }


def report_of(pieces: list[dict[str, Any]], upto: str = "strength", **more: Any) -> Any:
    """Struts side by side, each fixed at its foot and pushed (or pulled) with 1 kN at its head."""
    names = [piece["name"] for piece in pieces]
    pull = more.pop("pull", ())
    model = {
        "materials": [STEEL],
        "pieces": pieces,
        "regions": [
            *({"name": f"{name} foot", "names": [f"{name}/start"]} for name in names),
            *({"name": f"{name} head", "names": [f"{name}/end"]} for name in names),
        ],
        "supports": [
            {
                "name": name,
                "on": f"{name} foot",
                "held": ["x", "y", "z", "turn_x", "turn_y", "turn_z"],
            }
            for name in names
        ],
        "loads": [
            {
                "kind": "force",
                "name": name,
                "on": f"{name} head",
                "components": ["0 N", "0 N", "1 kN" if name in pull else "-1 kN"],
            }
            for name in names
        ],
        "cases": [{"name": "push", "loads": [{"load": name} for name in names]}],
        **more,
    }
    project = load_project(model)
    return judge_project(project, Runner().run(Snapshot(project), Plan(upto))).cases[0]  # type: ignore[arg-type]


ANGLE = {
    "shape": "angle",
    "width": "60 mm",
    "height": "60 mm",
    "thickness": "1 mm",
    "radius": "2 mm",
}
TUBE = {"shape": "square tube", "width": "40 mm", "thickness": "3 mm"}
ROUND = {"shape": "round tube", "diameter": "60 mm", "thickness": "0.5 mm"}
CHANNEL = {"shape": "channel", "width": "40 mm", "height": "80 mm", "thickness": "2 mm"}


@pytest.mark.parametrize(
    ("section", "edges", "width", "radius"),
    [
        (ANGLE, "one supported, one free", 57.0, 0.0),
        (TUBE, "both supported", 37.0, 0.0),
        (ROUND, "", 0.0, 29.75),
        (CHANNEL, "one supported, one free", 39.0, 0.0),
        (
            {
                "shape": "I",
                "width": "60 mm",
                "height": "100 mm",
                "thickness": "3 mm",
                "web": "2 mm",
            },
            "both supported",
            97.0,
            0.0,
        ),
    ],
)
def test_walls_of_sections(
    section: dict[str, str], edges: str, width: float, radius: float
) -> None:
    member = build_part(
        load_project({"materials": [STEEL], "pieces": [strut("strut", section, 500.0)]}), {}
    ).members[0]
    assert member.radius == pytest.approx(radius)
    assert (member.wall is None) == (edges == "")
    if member.wall is not None:
        assert (member.wall.edges, member.wall.width) == (edges, pytest.approx(width))


def test_members_know_their_sections_and_forces() -> None:
    case = report_of(
        [strut("tube", TUBE, 500.0), strut("round", ROUND, 500.0, 200.0)], pull=("round",)
    )
    found = case.facts.members
    assert list(found.names) == ["tube", "round"]
    assert found.area == pytest.approx([4 * 37 * 3, math.pi * (30**2 - 29.5**2)], rel=1e-3)
    assert found.i_min[0] == pytest.approx((40**4 - 34**4) / 12, rel=1e-6)
    assert found.fibre[0] == pytest.approx(20.0, rel=1e-6)
    assert found.axial[:, 0] == pytest.approx([1000, -1000], rel=0.02)


def test_screening_tells_the_doubtful_from_the_sound() -> None:
    pieces = [
        strut("long", TUBE, 3000.0),
        strut("stout", TUBE, 300.0, 200.0),
        strut("angle", ANGLE, 400.0, 400.0),
        strut("tie", TUBE, 3000.0, 600.0),
    ]
    case = report_of(
        [{**piece, "mesh_as": "line"} for piece in pieces],
        pull=("tie",),
        criteria={"required_factor": "5"},
    )
    found = {item.name: item for item in case.facts.screened}
    euler = math.pi**2 * 210e3 * (40**4 - 34**4) / 12 / 3000**2
    assert found["long"].member == pytest.approx(euler / 1000, rel=0.01)
    assert {name for name, item in found.items() if item.closer} == {"long", "angle"}
    assert "one edge free" in found["angle"].reason
    assert found["tie"].compression == pytest.approx(-1000, rel=0.02)
    assert not found["tie"].closer and "tension" in found["tie"].reason
    assert case.facts.screened[0].name in ("long", "angle")


def test_hand_checks_of_a_piece_take_the_models_numbers_and_typed_ones() -> None:
    inertia = 30 * 4**3 / 12
    flat = strut(
        "strut", {"shape": "flat", "width": "30 mm", "thickness": "4 mm"}, 400.0, mesh_as="line"
    )
    case = report_of(
        [flat],
        "modes",
        checks=[{"kind": "perry", "member": "strut", "values": {"e0": "4 mm"}, "on_ladder": True}],
    )
    found = {item.form.key: item for item in case.hand_checks()}
    euler = math.pi**2 * 210e3 * inertia / (4 * 400**2)
    assert found["euler"].factor == pytest.approx(euler / 1000, rel=1e-3)  # fixed-free was found
    assert abs(found["euler"].difference) < 0.5 and found["euler"].reasons == ()
    perry = found["perry"]
    assert next(item for item in perry.taken if item.symbol.name == "e0").typed and perry.on_ladder
    slender = math.sqrt(120 * 235 / (1000 * case.facts.modes.positive[0]))
    assert found["ec3"].outcome.load == pytest.approx(
        ec3.reduction(slender, "c") * 120 * 235, rel=1e-6
    )
    assert found["cylinder"].outcome is None and "R" in found["cylinder"].problem
    from labilis.judge.ladder import rungs

    assert any(rung.title.endswith("Perry") for rung in rungs(case.facts, "1 kN"))


def test_reasons_when_the_model_is_far_off() -> None:
    flat = strut(
        "strut", {"shape": "flat", "width": "30 mm", "thickness": "4 mm"}, 400.0, mesh_as="line"
    )
    case = report_of(
        [flat], "modes", checks=[{"kind": "euler", "member": "strut", "values": {"K": "1"}}]
    )
    euler = next(item for item in case.hand_checks() if item.form.key == "euler")
    assert euler.difference == pytest.approx(-75, abs=1) and "Ends that give" in euler.reasons[0]


# --- required factors by class
# --------------------------------------------------------------------------------------------------
def test_each_mode_is_judged_by_its_drivers_class() -> None:
    pieces = [
        {
            **strut("rib", {"shape": "flat", "width": "30 mm", "thickness": "4 mm"}, 300.0),
            "mesh_as": "line",
            "acts_as": "stiffener",
        },
        {
            **strut("post", {"shape": "flat", "width": "30 mm", "thickness": "6 mm"}, 300.0, 100.0),
            "mesh_as": "line",
            "acts_as": "member",
        },
    ]
    case = report_of(pieces, "modes", criteria={"stiffener_factor": "0.5"})
    drivers = case.facts.modes.drivers
    assert drivers[0] == "rib" and "post" in drivers
    assert case.facts.meets(0) is True and case.facts.meets(drivers.index("post")) is False
    verdict = verdict_of_case(case.facts, case.evidence)
    assert (
        verdict.meets is False
        and verdict.headline == "Does not meet 15"
        and "post" in verdict.detail
    )


def test_of_a_closed_section_the_trace_decides() -> None:
    tube = {
        **strut("tube", {"shape": "square tube", "width": "30 mm", "thickness": "2 mm"}, 300.0),
        "acts_as": "closed section",
    }
    case = report_of([tube], "modes", mesh={"size": "10 mm"}, criteria={"modes": 1})
    verdict = verdict_of_case(case.facts, case.evidence)
    assert verdict.meets is None and verdict.headline == "No verdict: the trace decides"
    assert case.facts.meets(0) is None
    traced = report_of(
        [tube], "trace", mesh={"size": "10 mm"}, criteria={"modes": 1}, trace={"target": "4"}
    )
    assert verdict_of_case(traced.facts, traced.evidence).meets is True
    assert np.isclose(
        verdict_of_case(traced.facts, traced.evidence).factor, traced.facts.trace.verified
    )


def test_a_check_is_told_as_a_calculation_that_can_be_reckoned_again() -> None:
    """Every number that went in, with where it is from; a typed one beside the model's; the
    formula of Euler gives what is told."""
    from labilis.judge.hand.sheet import calculation
    from tests.judge.test_mistakes import strip

    project = load_project(
        strip(checks=[{"kind": "euler", "member": "strip", "values": {"L": "250 mm"}}])
    )
    case = judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0]
    item = next(item for item in case.hand_checks("strip") if item.form.key == "euler")
    rows = calculation(item, "one")
    table = {row[0].split(",")[0]: row for row in rows}
    assert (
        rows[0][0] == f"{item.form.title}, strip, case one"
        and table["formula"][1] == item.form.formula
    )
    assert (
        table["L"][1:] == ["250 mm", "typed; the model has 200 mm"]
        and table["E"][2] == "of the model"
    )

    def value(name: str, kind: str) -> float:
        return project.value(table[name][1].replace("²", "^2").replace("⁴", "^4"), kind)

    load = (
        math.pi**2
        * value("E", "stress")
        * value("I", "second moment")
        / (float(table["K"][1]) * 250.0) ** 2
    )
    assert project.value(table["gives"][1], "force") == pytest.approx(load, rel=2e-3)
    assert float(table["factor"][1]) == pytest.approx(load / 100.0, rel=2e-3)
    assert table["source"][1] == item.form.source and len({len(row) for row in rows}) == 1


def test_a_value_that_nobody_said_is_told_as_usual() -> None:
    """Of a frame's piece the ends are not known: K = 1 stands there, and it says that it is no
    finding."""
    from labilis.judge.hand.sheet import calculation
    from tests.judge.test_mistakes import force, strip
    from tests.run.test_sizing import plate

    frame = strip(
        force("-20 N"),
        pieces=[plate("low", 0, "2 mm"), plate("high", 100, "2 mm")],
        mesh={"size": "20 mm"},
        regions=[
            {"name": "foot", "names": ["low/side.4"]},
            {"name": "head", "names": ["high/side.2"]},
        ],
        checks=[{"kind": "perry", "member": "low", "values": {"K": "2"}}],
    )
    alone = strip(mesh={"size": "20 mm"})
    for model, member, key, said in (
        (alone, "strip", "euler", "of the model"),
        (frame, "high", "euler", "usual, not found"),
        (frame, "low", "perry", "typed; usual is 1"),
    ):
        project = load_project(model)
        case = judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0]
        item = next(item for item in case.hand_checks(member) if item.form.key == key)
        row = next(row for row in calculation(item, "one") if row[0].startswith("K,"))
        assert row[2] == said
        assert next(taken.assumed for taken in item.taken if taken.symbol.name == "K") is (
            said == "usual, not found"
        )
        assert all(taken.usual for taken in item.taken if taken.symbol.name in ("e0", "curve"))


@pytest.mark.parametrize("mesh_as", ["line", "shell"])
def test_two_alike_legs_carry_alike(mesh_as: str) -> None:
    """Which of both drives the sway is a matter of rounding: the other took its critical load
    from the next mode."""
    section = {"shape": "square tube", "width": "40 mm", "thickness": "2 mm"}
    far, top = (
        (600, 500) if mesh_as == "line" else (560, 480)
    )  # as sheets the beam goes from wall to wall

    def strut(
        name: str, length: float, at: tuple[float, float, float], turns: list[dict[str, str]]
    ) -> dict[str, Any]:
        return {
            "name": name,
            "material": "steel",
            "mesh_as": mesh_as,
            "recipe": {"kind": "strut", "section": section, "length": f"{length} mm"},
            "place": {"at": [f"{x} mm" for x in at], "turns": turns},
        }

    beam = strut("beam", far, ((600 - far) / 2, 0, top), [{"about": "y", "angle": "90 deg"}])
    project = load_project(
        {
            "materials": [STEEL],
            "pieces": [
                strut("left", 500, (0, 0, 0), []),
                strut("right", 500, (600, 0, 0), []),
                beam,
            ],
            "regions": [
                {"name": "feet", "names": ["left/start", "right/start"]},
                {"name": "heads", "names": ["left/end", "right/end"]},
            ],
            "supports": [
                {
                    "name": "feet",
                    "on": "feet",
                    "held": ["x", "y", "z", "turn_x", "turn_y", "turn_z"],
                }
            ],
            "loads": [
                {
                    "kind": "force",
                    "name": "p",
                    "on": "heads",
                    "components": ["0 N", "0 N", "-2000 N"],
                }
            ],
            "cases": [{"name": "one", "loads": [{"load": "p"}]}],
            "mesh": {"size": "20 mm"},
            "criteria": {"modes": 3, "required_factor": "1", "mesh_error": False},
        }
    )
    case = judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0]
    for key in ("ec3", "aisc", "as4100"):
        one, two = (
            next(item.factor for item in case.hand_checks(leg) if item.form.key == key)
            for leg in ("left", "right")
        )
        assert one == pytest.approx(two, rel=0.01), key


def test_of_two_pieces_that_bend_alike_the_stricter_class_is_asked_for() -> None:
    """The one that is the driver by a share of 0.51 asked for less than the other: which is
    which hangs on the mesh."""
    from labilis.results.findings import ModesFindings
    from labilis.run.report import required_factor
    from tests.judge.test_mistakes import force, strip
    from tests.run.test_advice import nothing
    from tests.run.test_sizing import plate

    pieces = [
        {**plate("low", 0, "2 mm"), "acts_as": "machine part"},
        {**plate("high", 100, "2 mm"), "acts_as": "stiffener"},
    ]
    project = load_project(
        strip(
            force("-20 N"),
            pieces=pieces,
            mesh={"size": "20 mm"},
            regions=[
                {"name": "foot", "names": ["low/side.4"]},
                {"name": "head", "names": ["high/side.2"]},
            ],
            criteria={"modes": 1, "required_factor": "3", "stiffener_factor": "1.5"},
        )
    )
    assert project.required_of("low") != project.required_of("high")
    strict, mild = sorted(("low", "high"), key=project.required_of, reverse=True)
    for share, asked in ((0.52, strict), (0.505, strict), (0.6, mild)):
        modes = ModesFindings(
            **nothing()
            | {
                "factors": np.array([2.0]),
                "pieces": np.array([mild, strict]),
                "shares": np.array([[share, 1.0 - share]]),
            }
        )
        assert modes.drivers == [mild] and required_factor(project, modes) == project.required_of(
            asked
        ), share
        assert modes.bending(0, 0.5) == [mild, strict] and modes.bending(0, 1.0) == [mild]
