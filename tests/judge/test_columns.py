"""Columns and lines told apart from what their formulas know: own weight, several lines in one
column, factors repeated many times."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import sparse

from labilis.judge.hand.column import column_factor
from labilis.model import load_project
from labilis.run import Plan, Runner, Snapshot, judge_project, stage_keys
from labilis.solve.factor import factor
from labilis.solve.modes import find_modes
from tests.judge.test_mistakes import ALL, STEEL

I_BEAM = {"shape": "I", "width": "60 mm", "height": "104 mm", "thickness": "4 mm", "web": "4 mm"}
TUBE = {"shape": "round tube", "diameter": "60 mm", "thickness": "3 mm"}
E_TUBE = 210e3 * np.pi / 64 * (60**4 - 54**4)
PIN, SLIDE = ["x", "y", "z", "turn_z"], ["x", "y", "turn_z"]


def strut(
    name: str,
    length: float,
    z: float = 0.0,
    section: dict[str, str] = I_BEAM,
    mesh_as: str = "line",
) -> dict[str, Any]:
    return {
        "name": name,
        "material": "steel",
        "mesh_as": mesh_as,
        "recipe": {"kind": "strut", "length": f"{length} mm", "section": section},
        "place": {"at": ["0 mm", "0 mm", f"{z} mm"]},
    }


def column(
    *pieces: dict[str, Any],
    held: dict[str, list[str]],
    loads: list[dict[str, Any]] | None = None,
    **more: Any,
) -> Any:
    """(case report, results' keys) of struts on one another along z; held: motions by region."""
    first, last = pieces[0]["name"], pieces[-1]["name"]
    loads = loads or [
        {"kind": "force", "name": "push", "on": "head", "components": ["0 N", "0 N", "-10 kN"]}
    ]
    project = load_project(
        {
            "materials": [STEEL],
            "pieces": list(pieces),
            "criteria": {"required_factor": "1"},
            "regions": [
                {"name": "foot", "names": [f"{first}/start"]},
                {"name": "head", "names": [f"{last}/end"]},
                {"name": "joint", "names": [f"{last}/start"]},
            ],
            "supports": [
                {"name": name, "on": name, "held": motions} for name, motions in held.items()
            ],
            "loads": loads,
            "cases": [{"name": "one", "loads": [{"load": load["name"]} for load in loads]}],
            **more,
        }
    )
    results = Runner().run(Snapshot(project), Plan("modes"))
    return judge_project(project, results).cases[0], results[stage_keys(project, "one").members]


# --- own weight
# --------------------------------------------------------------------------------------------------
@pytest.mark.parametrize(
    ("ends", "growing", "expected"),
    [
        (("fixed", "free"), (1.0, 0.0), 7.837),
        (("free", "fixed"), (0.0, 1.0), 7.837),  # Greenhill 1881
        (("pinned", "pinned"), (1.0, 0.0), 18.57),
        (("pinned", "pinned"), (1.0, 1.0), np.pi**2),  # Timoshenko and Gere 1961, ch. 2
        (("fixed", "pinned"), (1.0, 1.0), np.pi**2 / 0.699156**2),
        (("fixed", "guided"), (1.0, 1.0), np.pi**2),
        (("pinned", "guided"), (1.0, 1.0), np.pi**2 / 4),
        (("fixed", "free"), (0.0, 0.0), np.inf),
        (("pinned", "pinned"), (-1.0, -1.0), np.inf),
    ],
)
def test_columns_of_the_books(
    ends: tuple[str, str], growing: tuple[float, float], expected: float
) -> None:
    assert column_factor(1.0, 1.0, ends, growing) == pytest.approx(expected, rel=3e-4)
    assert column_factor(210e3 * 50.0, 300.0, ends, growing) == pytest.approx(
        expected * 210e3 * 50.0 / 300.0**2, rel=3e-4
    )


@given(st.floats(0.0, 0.95))
@settings(max_examples=10, deadline=None)
def test_what_is_held_takes_its_share(share: float) -> None:
    """A held even compression leaves the rest of Euler's load."""
    assert column_factor(
        1.0, 1.0, ("pinned", "pinned"), (1.0, 1.0), (share * np.pi**2,) * 2
    ) == pytest.approx((1 - share) * np.pi**2, rel=1e-5)


def test_what_is_held_may_buckle_by_itself() -> None:
    assert column_factor(1.0, 1.0, ("fixed", "free"), (1.0, 1.0), (8.0, 0.0)) == 0.0


@pytest.mark.parametrize(
    ("held", "constant", "mesh_as"),
    [
        ({"foot": ALL}, 7.837, "line"),
        pytest.param({"foot": ALL}, 7.837, "shell", marks=pytest.mark.full),
        ({"foot": PIN, "head": SLIDE}, 18.57, "line"),
        ({"foot": ALL, "head": SLIDE}, 52.50, "line"),
    ],
)
def test_a_mast_under_its_own_weight_has_one_euler_factor(
    held: dict[str, list[str]], constant: float, mesh_as: str
) -> None:
    """Greenhill 1881; Timoshenko and Gere 1961, ch. 2: q l at the limit over E I / l²."""
    length = 30e3 if mesh_as == "line" else 3e3
    weight = 537.2123 * length * 7850e-9 * 9.81
    case, members = column(
        strut("mast", length, section=TUBE, mesh_as=mesh_as),
        held=held,
        loads=[{"kind": "weight", "name": "push"}],
        mesh={"size": "25 mm"} if mesh_as == "shell" else {},
    )
    expected = constant * E_TUBE / length**2 / weight
    assert members.axial_ends[0, 0] == pytest.approx([weight, 0.0], rel=0.02, abs=0.01 * weight)
    assert case.facts.modes.positive[0] == pytest.approx(
        expected, rel=0.01 + case.facts.modes.first_error
    )
    assert case.euler.governing.factor == pytest.approx(expected, rel=0.02) and case.euler.uneven
    euler = next(item for item in case.hand_checks() if item.form.key == "euler")
    assert euler.factor == pytest.approx(case.euler.governing.factor, rel=1e-6)
    assert "compression changes along" in " ".join(case.euler.remarks)


def test_an_even_compression_is_eulers_own() -> None:
    case, members = column(strut("mast", 3e3, section=TUBE), held={"foot": ALL})
    assert not case.euler.uneven and members.axial_ends[0, 0] == pytest.approx(
        [10e3, 10e3], rel=1e-3
    )


# --- several lines in one column
# --------------------------------------------------------------------------------------------------
@pytest.mark.parametrize(("held", "length"), [({}, 2000.0), ({"joint": ["x", "y"]}, 1200.0)])
def test_lines_end_to_end_are_one_member_unless_their_joint_is_held(
    held: dict[str, list[str]], length: float
) -> None:
    case, members = column(
        strut("low", 1200), strut("up", 800, 1200), held={"foot": PIN, "head": SLIDE, **held}
    )
    assert members.length == pytest.approx([2000.0, 2000.0] if not held else [1200.0, 800.0])
    checks = [
        item
        for name in ("low", "up")
        for item in case.hand_checks(name)
        if item.form.key == "euler"
    ]
    assert min(item.factor for item in checks) == pytest.approx(
        np.pi**2 * 210e3 * members.i_min[0] / length**2 / 10e3, rel=1e-6
    )
    if not held:
        assert all(abs(item.difference) < 1.0 for item in checks)


def test_lines_at_an_angle_or_released_are_members_by_themselves() -> None:
    bent = strut("up", 800, 1200)
    bent["place"]["turns"] = [{"about": "x", "angle": "20 deg"}]
    _, members = column(strut("low", 1200), bent, held={"foot": ALL})
    assert sorted(members.length.tolist()) == pytest.approx([800.0, 1200.0])
    hinged = {**strut("up", 800, 1200), "releases": [{"end": "start", "motions": ["weak"]}]}
    _, members = column(strut("low", 1200), hinged, held={"foot": ALL, "head": ["x", "y"]})
    assert sorted(members.length.tolist()) == pytest.approx([800.0, 1200.0])


# --- factors repeated many times
# --------------------------------------------------------------------------------------------------
@pytest.mark.parametrize(
    "pieces",
    [[strut("low", 2000)], [strut("low", 1000), strut("up", 1000, 1000)]],
    ids=["one line", "two lines"],
)
@pytest.mark.parametrize(
    ("required", "meets"), [("1", True), ("7", True), ("8", False), ("25", False)]
)
def test_a_line_that_twists_has_a_verdict(
    pieces: list[dict[str, Any]], required: str, meets: bool
) -> None:
    """With warping every factor of twisting is one by itself, through a joint as along one line:
    the count is complete."""
    case, _ = column(
        *pieces, held={"foot": PIN, "head": SLIDE}, criteria={"required_factor": required}
    )
    assert case.verdict.meets is meets
    told = next(item for item in case.evidence if item.name == "completeness")
    assert (
        told.state == "good"
        and "there may be more" not in told.text
        and len(np.unique(case.facts.modes.factors.round(6))) == 6
    )


def test_a_crowd_under_what_is_needed_leaves_the_count_open() -> None:
    """Factors 2, then 5 sixty times over, more than is looked for: below 5 it is complete, at 6
    nobody knows."""
    k, n = sparse.eye(600, format="csr"), 600
    values = np.concatenate([[1 / 2.0], np.full(60, 1 / 5.0), 1 / np.linspace(7, 90, n - 61)])
    k_g = sparse.csr_matrix(sparse.diags(-values))
    for needed, holds in ((4.0, True), (6.0, False)):
        found = find_modes(k, factor(k), k_g, 4, needed=needed)
        assert (
            found.factors[:2] == pytest.approx([2.0, 5.0])
            and all(check.holds for check in found.checks) is holds
        )
    assert found.checks[0].counted > found.checks[0].found


def test_moments_that_balance_each_other_raise_no_alarm() -> None:
    """A beam under equal moments at its ends pushes on no support."""
    moments = [
        {
            "kind": "moment",
            "name": name,
            "on": on,
            "components": [f"{sign}1 kN*m", "0 N*mm", "0 N*mm"],
        }
        for name, on, sign in (("one", "foot", ""), ("two", "head", "-"))
    ]
    case, _ = column(strut("beam", 2000), held={"foot": PIN, "head": SLIDE}, loads=moments)
    assert (
        next(item for item in case.evidence if item.name == "balance").state == "good"
        and case.verdict.meets is True
    )


# --- slips
# --------------------------------------------------------------------------------------------------
@pytest.mark.parametrize(
    ("change", "said", "station"),
    [
        ({"length": "1 m"}, "a length is halved or doubled", "part"),
        ({"ends": "fixed-free"}, "the ends are pinned-pinned", "supports"),
        ({"ends": "fixed-fixed"}, "the ends are pinned-pinned", "supports"),
        ({}, "", "modes"),
    ],
)
def test_the_slip_that_explains_a_ratio_is_named(
    change: dict[str, str], said: str, station: str
) -> None:
    case, _ = column(strut("bar", 2000), held={"foot": PIN, "head": SLIDE}, euler=change)
    told = next(item for item in case.evidence if item.name == "hand check")
    assert (
        any(said in words for words, _ in told.causes) if said else not told.causes
    ) and told.station in (station, "supports")
    assert all(
        where in ("part", "supports", "loads") and words.startswith("That is the ratio when")
        for words, where in told.causes
    )
    assert (told.state == "good") is (not said)


@pytest.mark.parametrize(
    ("ratio", "words"),
    [(4.44822, "pounds"), (1 / 9.80665, "kilograms"), (1e-3, "GPa"), (15.7, "radius"), (1.29, "")],
)
def test_ratios_of_units_and_sizes(ratio: float, words: str) -> None:
    from labilis.judge.slips import slips_of

    case, _ = column(strut("bar", 2000), held={"foot": PIN, "head": SLIDE})
    found = " ".join(
        slip.words for slip in slips_of(case.euler, ratio * case.euler.governing.factor)
    )
    assert words in found if words else found == ""
