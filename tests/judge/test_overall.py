"""What an imperfect part carries without a trace, and the gate that stands on it."""

from __future__ import annotations

import dataclasses
from typing import Any

import numpy as np
import pytest

from labilis.judge.gates import _capacity
from labilis.judge.ladder import rungs
from labilis.judge.overall import overall_checks, plate_reduction, thin_curved_share
from labilis.results.findings import TraceFindings
from tests.judge.test_columns import TUBE, column, strut
from tests.judge.test_mistakes import ALL, STEEL
from tests.run.test_measure import meshed

FLAT = {"shape": "flat", "width": "12 mm", "thickness": "8 mm"}
PIN, SLIDE = ["x", "y", "z", "turn_z"], ["x", "y", "turn_z"]


def gate(case: Any) -> Any:
    return next(item for item in case.verdict.gates if item.name == "capacity")


@pytest.mark.parametrize(
    ("slenderness", "expected"), [(0.3, 1.0), (0.7, 1.0), (1.0, 0.7276), (2.0, 0.3701)]
)
def test_the_plate_curve(slenderness: float, expected: float) -> None:
    """EN 1993-1-5, (B.1) by hand: φ = (1 + 0.34 (λ̄ - 0.7) + λ̄) / 2, ρ = 1 / (φ + √(φ² - λ̄))."""
    assert plate_reduction(slenderness) == pytest.approx(expected, abs=2e-4)


@pytest.mark.parametrize("length", [150.0, 400.0, 900.0])
def test_of_a_column_it_is_the_code_s_own_check(length: float) -> None:
    """One even stress and one mode: 6.3.4 is 6.3.1 with curve c."""
    case, _ = column(
        strut("bar", length, section=FLAT),
        held={"foot": PIN, "head": SLIDE},
        criteria={"modes": 2, "required_factor": "1"},
    )
    checks, _ = overall_checks(case.facts)
    ec3 = next(item for item in case.hand_checks() if item.form.key == "ec3")
    assert (
        checks[0].factor == pytest.approx(ec3.factor, rel=5e-3)
        and checks[0].curve == "column curve c"
    )
    ultimate = 235 * 96 / 10e3
    assert checks[0].factor < min(case.facts.modes.positive[0], ultimate)
    assert checks[0].slenderness == pytest.approx(
        np.sqrt(ultimate / case.facts.modes.positive[0]), rel=1e-3
    )
    enough = checks[0].factor >= 1.0
    assert gate(case).state == ("passes" if enough else "open")
    if case.facts.modes.positive[0] > 1:
        assert case.verdict.meets is (True if enough else None)
    told = next(rung for rung in rungs(case.facts, "10 kN") if "overall check" in rung.title)
    assert told.factor == checks[0].factor


@pytest.mark.parametrize(("stated", "state"), [(None, "open"), ("0.7", "passes"), ("1.4", "open")])
def test_what_is_asked_may_be_stated(stated: str | None, state: str) -> None:
    """A bar that meets 1.1 as an ideal part and carries 0.8 as a real one meets nothing by
    default."""
    criteria = {"modes": 2, "required_factor": "1", **({"capacity": stated} if stated else {})}
    case, _ = column(
        strut("bar", 280, section=FLAT), held={"foot": PIN, "head": SLIDE}, criteria=criteria
    )
    assert case.facts.modes.positive[0] > 1.0 > overall_checks(case.facts)[0][0].factor > 0.75
    assert gate(case).state == state and case.verdict.meets is (True if state == "passes" else None)
    assert case.facts.capacity_required == (1.0 if stated is None else float(stated))
    assert "Trace the part" in gate(case).reason or state == "passes"


def test_half_of_the_required_factor_is_asked_by_default() -> None:
    case, _ = column(
        strut("bar", 280, section=FLAT),
        held={"foot": PIN, "head": SLIDE},
        criteria={"modes": 2, "required_factor": "3"},
    )
    assert case.facts.capacity_required == 1.5


@pytest.mark.parametrize(("load", "state"), [("-1 kN", "passes"), ("-22 kN", "open")])
def test_curved_walls_count_with_the_least_that_tests_gave(load: str, state: str) -> None:
    """A thin tube in compression carries a fraction of its ideal load: what is far above does not
    matter, what is near only a trace can tell."""
    thin = {"shape": "round tube", "diameter": "200 mm", "thickness": "0.5 mm"}
    push = [{"kind": "force", "name": "push", "on": "head", "components": ["0 N", "0 N", load]}]
    case, _ = column(
        strut("tube", 150, section=thin, mesh_as="shell"),
        held={"foot": ALL},
        loads=push,
        criteria={"modes": 1, "required_factor": "1", "mesh_error": False},
        mesh={"size": "12 mm"},
    )
    (check, beyond), _ = overall_checks(case.facts)
    assert (
        "beyond the modes found" in beyond.curve and beyond.factor == check.factor
    )  # the only one that was looked for
    assert str(case.facts.kinds[0]) in ("local wall", "plate") and "curved wall" in check.curve
    assert check.factor < 0.14 * case.facts.modes.positive[0] and case.facts.modes.positive[0] > 1
    assert gate(case).state == state and (state == "passes" or case.verdict.meets is not True)


def test_a_curved_wall_that_was_not_looked_for_counts_as_well() -> None:
    """A tube whose first mode is its bow, found alone: its wall may buckle just above, at a
    seventh of that."""
    thin = {"shape": "round tube", "diameter": "200 mm", "thickness": "0.5 mm"}
    case, _ = column(
        strut("tube", 150, section=thin, mesh_as="shell"),
        held={"foot": ALL},
        mesh={"size": "12 mm"},
        loads=[
            {"kind": "force", "name": "push", "on": "head", "components": ["0 N", "0 N", "-22 kN"]}
        ],
        criteria={"modes": 1, "required_factor": "1", "mesh_error": False},
    )
    bow = dataclasses.replace(
        case.facts, modes=dataclasses.replace(case.facts.modes, kinds=np.array(["member sway"]))
    )
    checks, _ = overall_checks(bow)
    assert checks[0].curve == "column curve c" and checks[0].factor > 1.0 > checks[1].factor
    assert _capacity(bow, ()).state == "open"
    flat, _ = column(
        strut("bar", 280, section=FLAT),
        held={"foot": PIN, "head": SLIDE},
        criteria={"modes": 1, "required_factor": "1"},
    )
    assert len(overall_checks(flat.facts)[0]) == 1


@pytest.mark.parametrize(
    ("kind", "curve"),
    [
        ("member bow", "column curve c"),
        ("member sway", "column curve c"),
        ("torsion", "column curve d"),
        ("plate", "column curve a"),
        ("stiffener", "column curve c"),
        ("local wall", "plate curve B.1"),
        ("what is not known", "column curve d"),
    ],
)
def test_every_kind_of_mode_has_its_curve(kind: str, curve: str) -> None:
    """EN 1993-1-1, 6.3.2.2 and 6.3.4 for members, EN 1993-1-5, 4.5.3 and (B.1) for walls; what
    is not known takes the lowest."""
    case, _ = column(
        strut("bar", 280, section=FLAT),
        held={"foot": PIN, "head": SLIDE},
        criteria={"modes": 1, "required_factor": "1"},
    )
    checks, _ = overall_checks(
        dataclasses.replace(
            case.facts,
            modes=dataclasses.replace(
                case.facts.modes, kinds=np.array([kind]), distorted=np.ones(1)
            ),
        )
    )
    assert [check.curve for check in checks] == [curve]


@pytest.mark.parametrize(
    ("kind", "own"), [("plate", "column curve a"), ("local wall", "plate curve B.1")]
)
@pytest.mark.parametrize("share", [0.16, 0.29, 0.31, 0.9])
def test_a_wall_that_hardly_distorts_its_section_counts_as_a_member(
    kind: str, own: str, share: float
) -> None:
    """Which of the two such a mode is called hangs on the mesh; the lower curve counts then."""
    case, _ = column(
        strut("bar", 280, section=FLAT),
        held={"foot": PIN, "head": SLIDE},
        criteria={"modes": 1, "required_factor": "1"},
    )
    modes = dataclasses.replace(
        case.facts.modes, kinds=np.array([kind]), distorted=np.array([share])
    )
    (check,), _ = overall_checks(dataclasses.replace(case.facts, modes=modes))
    assert check.curve == ("column curve c" if share < 0.3 else own)


ROUND, PLATE = (
    "round tube",
    {
        "kind": "plate",
        "thickness": "2 mm",
        "outline": [
            {"x": f"{x} mm", "y": f"{y} mm"} for x, y in ((0, 0), (90, 10), (80, 40), (0, 50))
        ],
    },
)


@pytest.mark.parametrize(
    ("recipe", "mesh_as", "share"),
    [
        (
            {
                "kind": "strut",
                "length": "90 mm",
                "section": {"shape": ROUND, "diameter": "30 mm", "thickness": "1 mm"},
            },
            "shell",
            1.0,
        ),
        (
            {
                "kind": "strut",
                "length": "90 mm",
                "section": {"shape": ROUND, "diameter": "30 mm", "thickness": "1 mm"},
            },
            "solid",
            0.98,
        ),
        (
            {
                "kind": "strut",
                "length": "90 mm",
                "section": {"shape": ROUND, "diameter": "30 mm", "thickness": "2 mm"},
            },
            "shell",
            0.0,
        ),
        (
            {
                "kind": "strut",
                "length": "90 mm",
                "section": {"shape": "round", "diameter": "30 mm"},
            },
            "solid",
            0.0,
        ),
        (PLATE, "shell", 0.0),
        (PLATE, "solid", 0.0),
    ],
)
def test_what_counts_as_a_thin_curved_wall(
    recipe: dict[str, Any], mesh_as: str, share: float
) -> None:
    """Radius over ten times the wall: 14.5 is, 7 is not, and nor is what is solid or flat."""
    _, mesh = meshed(recipe, mesh_as, "8 mm")
    assert thin_curved_share(mesh) == pytest.approx(share, abs=0.02)


def test_a_piece_without_yield_strength_leaves_the_check_open() -> None:
    """Its stress is in no factor at first yield, so that what the others give says nothing of
    it."""
    soft = {name: value for name, value in STEEL.items() if name != "yield_strength"} | {
        "name": "soft"
    }
    up = {**strut("up", 140, 140, section=FLAT), "material": "soft"}
    case, _ = column(
        strut("low", 140, section=FLAT),
        up,
        held={"foot": PIN, "head": SLIDE},
        materials=[STEEL, soft],
        criteria={"modes": 1, "required_factor": "1", "left_out": {"strength": "known from tests"}},
    )
    assert (
        gate(case).state == "open"
        and "up has no yield strength" in gate(case).reason
        and case.verdict.meets is None
    )


def test_held_loads_have_no_curve() -> None:
    held = [
        {"kind": "force", "name": "push", "on": "head", "components": ["0 N", "0 N", "-1 kN"]},
        {"kind": "weight", "name": "own", "growth": "held"},
    ]
    case, _ = column(
        strut("mast", 900, section=TUBE),
        held={"foot": ALL},
        loads=held,
        criteria={"modes": 1, "required_factor": "1"},
    )
    assert (
        overall_checks(case.facts)[0] == ()
        and gate(case).state == "open"
        and "held" in gate(case).reason
    )


def test_a_trace_is_taken_before_the_curve() -> None:
    """It verifies what the curve does not, and takes back what the curve gives."""
    case, _ = column(
        strut("bar", 280, section=FLAT),
        held={"foot": PIN, "head": SLIDE},
        criteria={"modes": 2, "required_factor": "1"},
    )

    class Trace:
        verified_by, end_words = TraceFindings.verified_by, TraceFindings.end_words
        done, yielding, plastic, loss_words, amplitude, mode, reason = (
            True,
            False,
            np.zeros(1),
            "",
            0.1,
            1,
            "it fell",
        )
        first_yield, about_at, loss, bifurcation, elastic_yield = (float("nan"),) * 5

        def __init__(self, verified: float, limit: float) -> None:
            self.verified, self.limit = verified, limit

    for verified, limit, state in (
        (1.2, float("nan"), "passes"),
        (0.9, 0.9, "fails"),
        (0.9, float("nan"), "open"),
    ):
        traced = dataclasses.replace(case.facts, trace=Trace(verified, limit))  # type: ignore[arg-type]
        assert _capacity(traced, ()).state == state
    for error, state in ((0.1, "passes"), (0.2, "open"), (float("nan"), "passes")):
        count = len(case.facts.modes.factors)
        modes = dataclasses.replace(case.facts.modes, mesh_error=np.full(count, error))
        traced = dataclasses.replace(case.facts, modes=modes, trace=Trace(1.2, float("nan")))  # type: ignore[arg-type]
        found = _capacity(traced, ())
        assert found.state == state and (state == "passes" or "Mesh finer" in found.reason)


@pytest.mark.parametrize(
    ("limit", "first_yield", "verified", "words"),
    [
        (2.7, np.nan, 2.7, "10 % under mode 1"),
        (np.nan, 1.5, 1.5, "50 % under mode 1"),
        (3.3, np.nan, 3.3, "10 % above mode 1"),
        (np.nan, np.nan, 0.12, "mode 1 lies at 3"),
    ],
)
def test_a_path_that_ended_early_has_lost_nothing_yet(
    limit: float, first_yield: float, verified: float, words: str
) -> None:
    from types import SimpleNamespace

    trace = SimpleNamespace(
        limit=limit,
        first_yield=first_yield,
        verified=verified,
        ideal=3.0,
        loss=1.0 - verified / 3.0,
        bifurcation=float("nan"),
        elastic_yield=float("nan"),
    )
    assert TraceFindings.loss_words.fget(trace) == words  # type: ignore[attr-defined]


def test_what_it_stands_on_counts_at_its_low_end() -> None:
    """The check knows no better than its mesh: neither when the sections yield, nor the modes."""
    from labilis.judge.evidence.overall import overall
    from labilis.judge.overall import least_overall

    case, _ = column(
        strut("bar", 150, section=FLAT),
        held={"foot": PIN, "head": SLIDE},
        criteria={"modes": 2, "required_factor": "1", "capacity": "1"},
    )

    def at(off: float, of_modes: float = 0.0) -> Any:
        count = len(case.facts.modes.factors)
        modes = dataclasses.replace(
            case.facts.modes, section_error=off, mesh_error=np.full(count, of_modes)
        )
        return dataclasses.replace(case.facts, modes=modes)

    whole = least_overall(at(float("nan")), low=True)
    assert whole == least_overall(case.facts)
    low = least_overall(at(0.3), low=True)
    assert whole is not None and low is not None and low.factor < whole.factor
    assert low.factor / low.reduction == pytest.approx(0.7 * whole.factor / whole.reduction)
    soft = least_overall(at(0.0, 0.5), low=True)
    assert soft is not None and soft.slenderness == pytest.approx(whole.slenderness * 2**0.5)
    assert least_overall(at(0.3, 0.5)) == whole  # told as it was found
    sure, unsure, hollow = (overall(at(off)) for off in (0.01, 0.6, 1.5))
    assert sure is not None and unsure is not None and hollow is not None
    assert (sure.state, unsure.state, hollow.state) == ("good", "caution", "caution")
    assert "± 60 %" in unsure.text and sure.figure == unsure.figure
    for off, of_modes, state in (
        (0.01, 0.01, "passes"),
        (0.6, 0.0, "open"),
        (0.0, 0.95, "open"),
        (1.5, 0.0, "open"),
    ):
        found = _capacity(at(off, of_modes), ())
        assert found.state == state, (off, of_modes)
        assert state == "passes" or ("as low as" in found.reason and "Trace" in found.reason)
