"""What numbers mean: Euler's numbers, ends, verdicts, kinds of modes, evidence, ladder,
sentences."""

import dataclasses
import math
from itertools import pairwise
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from labilis.analysis.mode_kinds import kind_of_mode
from labilis.judge.convergence import extrapolated
from labilis.judge.evidence import REGISTRY, CaseFacts, collect
from labilis.judge.figures import critical_text, force_text
from labilis.judge.hand import euler_check
from labilis.judge.hand.euler import FOUR_CASES, critical_load
from labilis.judge.ladder import Rung, rungs
from labilis.judge.verdict import overall, verdict_of_case
from labilis.model import CylindricalAxes, EulerChoice, LabilisError, NormalAxes, Project, Support
from labilis.results.findings import (
    ConvergenceFindings,
    MeshFindings,
    ModesFindings,
    SectionFindings,
    StrengthFindings,
)
from labilis.results.stress_measures import first_yield
from labilis.ui.ladder.layout import kept_apart, scale_for
from labilis.words.part import part_sentences
from labilis.words.stations import (
    convergence_words,
    held_words,
    load_sentences,
    modes_sentences,
    strength_sentences,
    support_sentences,
)
from tests.parts import bar_step, cantilever

EMPTY = np.zeros(0)


def modes(*factors: float, **change: Any) -> ModesFindings:
    count = len(factors)
    made = ModesFindings(
        case="service",
        factors=np.array(factors),
        shapes=np.zeros((count, 4, 3)),
        residuals=np.full(count, 1e-9),
        checks=np.array([[50.0, count, count]]),
        below_required=-1,
        limit=np.inf,
        growing_force=1000.0,
        held_unstable=False,
        kinds=np.array(["member bow"] * count, dtype="U16"),
        second_opinion=math.nan,
        unsymmetric=0.0,
        pieces=np.array(["strut"]),
        shares=np.ones((count, 1)),
        parts=np.tile([1.0, 0, 0, 0, 0], (count, 1)),
        energy=np.ones((count, 1)),
        levers=np.zeros((0, 0)),
        piece_levers=np.zeros((0, 1)),
        antisymmetric=math.nan,
        mesh_error=np.zeros(count),
    )
    return dataclasses.replace(made, **change)


def strength(**change: Any) -> StrengthFindings:
    """A strut along x from 0 to 300 mm: fixed at 0, pushed with 1 kN at 300."""
    applied = np.zeros((2, 6))
    applied[0, 0] = -1000
    reaction = np.zeros((1, 2, 6))
    reaction[0, 0, 0] = 1000
    grips = np.eye(6)[None] * 10
    made = StrengthFindings(
        case="service",
        displacement_growing=np.zeros((4, 3)),
        displacement_held=np.zeros((4, 3)),
        stress_growing=np.tile([-100.0, 0, 0, 0, 0, 0], (4, 1)),
        stress_held=np.zeros((4, 6)),
        applied=applied,
        supports=np.array(["foot"]),
        reaction=reaction,
        loads=np.array(["push"]),
        swallowed=np.array([0.0]),
        grips=grips,
        centres=np.zeros((1, 3)),
        radii=np.array([5.0]),
        reach=np.zeros((1, 2)),
        load_station=np.array([300.0]),
        axial=np.array([1000.0, 0.0]),
        residual=1e-12,
        yield_factor=2.35,
        yield_node=0,
        compression_share=0.99,
        growing_size=1000.0,
        layers=np.zeros((0, 4)),
        yield_body="strut",
        load_sizes=np.array([1000.0]),
    )
    return dataclasses.replace(made, **change)


def mesh(order: int = 2) -> MeshFindings:
    nodes = np.array([[0.0, 0, 0], [300, 0, 0], [0, 10, 0], [0, 0, 5]])
    elements = np.zeros((1, 4 if order == 1 else 10), dtype=int)
    return MeshFindings(
        nodes=nodes,
        connectivity=elements.ravel(),
        sizes=np.array([elements.shape[1]]),
        shells=np.array([False]),
        body=np.array([0]),
        bodies=np.array(["strut"]),
        triangles=np.zeros((0, 3), int),
        triangle_face=EMPTY,
        shape=np.array([0.5]),
        histogram=np.zeros(10, int),
        mean_edge=5.0,
        thickness=4.0,
        volume=1e4,
        straightened=0,
        size=5.0,
        unknowns=12,
        bonded=np.zeros((0, 3), int),
        sheet_faces=EMPTY,
        deviation=0.0,
        missed=np.zeros((0, 2), int),
        quads=np.zeros((0, 8), int),
        of_quad=EMPTY,
    )


SECTIONS = SectionFindings(
    axis=np.array([1.0, 0, 0]),
    station=np.array([100.0, 200.0]),
    area=np.array([50.0, 50.0]),
    i_min=np.array([104.17, 104.17]),
    i_max=np.array([416.7, 416.7]),
    weak=np.tile([0.0, 0, 1], (2, 1)),
    strong=np.tile([0.0, 1, 0], (2, 1)),
)


def facts(**change: Any) -> CaseFacts:
    made = CaseFacts(Project(), "service", mesh(), strength(), modes(4.0, 9.0), None, 3.0, 235.0)
    return dataclasses.replace(made, **change)


def said(name: str, **change: Any) -> Any:
    return next((item for item in collect(facts(**change)) if item.name == name), None)


# --- Euler
# --------------------------------------------------------------------------------------------------
@pytest.mark.parametrize(
    ("modulus", "inertia", "k", "length", "load"),
    [
        (210e3, 1.0e6, 1.0, 3000.0, 230_290.0),  # π² · 210e9 · 1e-6 / 9 = 230.29 kN
        (
            200e3,
            4.91e6,
            2.0,
            2500.0,
            387_674.0,
        ),  # a 100 mm round of steel, 2.5 m, fixed at its foot
    ],
)
def test_worked_critical_loads(
    modulus: float, inertia: float, k: float, length: float, load: float
) -> None:
    assert critical_load(modulus, inertia, k, length) == pytest.approx(load, rel=1e-4)


def test_the_four_cases_stand_as_sixteen_to_one() -> None:
    loads = {case.name: critical_load(1, 1, case.k, 1) for case in FOUR_CASES}
    assert loads["fixed-fixed"] / loads["fixed-free"] == pytest.approx(16)
    assert loads["fixed-pinned"] / loads["pinned-pinned"] == pytest.approx(2.0457, rel=1e-3)
    x = np.pi / 0.6992  # the fixed-pinned strut obeys tan x = x
    assert np.tan(x) == pytest.approx(x, rel=2e-3)


def euler(
    found: StrengthFindings,
    choice: EulerChoice | None = None,
    first: float | None = None,
    length: float | None = None,
) -> Any:
    return euler_check(found, SECTIONS, (0.0, 300.0), 210e3, first, choice or EulerChoice(), length)


def held(*rows: int) -> np.ndarray:
    grip = np.zeros((6, 6))
    grip[rows, rows] = 10.0
    return grip


@pytest.mark.parametrize(
    ("low", "high", "ends", "k"),
    [
        (held(0, 1, 2, 3, 4, 5), None, "fixed-free", 2.0),
        (held(0, 1, 2), held(1, 2), "pinned-pinned", 1.0),
        (held(0, 1, 2, 3, 4, 5), held(1, 2), "fixed-pinned", 0.6992),
        (held(0, 1, 2, 3, 4, 5), held(1, 2, 3, 4, 5), "fixed-fixed", 0.5),
        (held(0, 1, 2, 3, 4, 5), held(3, 4, 5), "fixed-guided", 1.0),
        (held(0, 1, 2), held(3, 4, 5), "pinned-guided", 2.0),
    ],
)
def test_ends_are_read_from_what_is_held(
    low: np.ndarray, high: np.ndarray | None, ends: str, k: float
) -> None:
    grips = np.stack([low] if high is None else [low, high])
    count = len(grips)
    centres = np.array([[0.0, 0, 0], [300, 0, 0]])[:count]
    check = euler(
        strength(
            supports=np.array(["a", "b"])[:count],
            grips=grips,
            centres=centres,
            radii=np.full(count, 5.0),
            reach=np.array([[0.0, 1], [299, 300]])[:count],
            reaction=np.zeros((count, 2, 6)),
        )
    )
    assert check.governing.ends.name == ends
    assert check.governing.factor == pytest.approx(
        np.pi**2 * 210e3 * 104.17 / (k * 300) ** 2 / 1000, rel=1e-6
    )


def test_each_plane_has_ends_of_its_own() -> None:
    """A pin along y: free to turn in the x-z plane only, so the strong plane is clamped and the
    weak one pinned."""
    pin = held(0, 1, 2, 3, 5)
    check = euler(
        strength(
            supports=np.array(["a", "b"]),
            grips=np.stack([pin, pin]),
            centres=np.array([[0.0, 0, 0], [300, 0, 0]]),
            radii=np.array([5.0, 5]),
            reach=np.array([[0.0, 1], [299, 300]]),
            reaction=np.zeros((2, 2, 6)),
        )
    )
    assert {plane.axis: plane.ends.name for plane in check.planes} == {
        "weak": "pinned-pinned",
        "strong": "fixed-fixed",
    }
    assert check.governing.axis == "weak"


def test_choices_override_and_the_difference_is_named() -> None:
    check = euler(strength(), EulerChoice(ends="pinned-pinned"), first=2.0, length=200.0)
    assert check.length == 200
    expected = np.pi**2 * 210e3 * 104.17 / 200**2 / 1000
    assert check.difference == pytest.approx(100 * (2.0 / expected - 1))
    assert any("below Euler" in remark for remark in check.remarks)
    assert [row[0] for row in check.table] == [case.name for case in FOUR_CASES]
    assert check.slenderness == pytest.approx(200 / np.sqrt(104.17 / 50))


def test_held_compression_is_taken_off() -> None:
    check = euler(strength(axial=np.array([1000.0, 400.0])))
    assert check.governing.factor == pytest.approx((check.governing.critical_load - 400) / 1000)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"axial": np.array([-1000.0, 0.0])}, "does not push"),
        ({"centres": np.array([[150.0, 0, 0]])}, "between the ends"),
        ({"reach": np.array([[0.0, 250.0]])}, "along its length"),
        ({"grips": held(0)[None]}, "not among Euler's cases"),
    ],
)
def test_what_is_no_strut_is_not_judged(change: dict, words: str) -> None:
    with pytest.raises(LabilisError, match=words) as caught:
        euler(strength(**change))
    assert caught.value.code == "no-euler"


# --- yield, verdict, kinds
# --------------------------------------------------------------------------------------------------
@given(st.floats(-200, 200), st.floats(1, 200), st.floats(210, 400))
def test_first_yield_meets_the_strength(kept: float, growing: float, limit: float) -> None:
    pull = np.array([[1.0, 0, 0, 0.3, 0, 0]])
    factor, node = first_yield(growing * pull, kept * pull, limit)
    if node < 0:
        return
    size = math.sqrt(1 + 3 * 0.09)
    reached = abs(kept + factor * growing) * size
    assert reached == pytest.approx(limit, rel=1e-6) if abs(kept) * size < limit else factor == 0


def test_without_strength_or_stress_nothing_yields() -> None:
    assert first_yield(np.ones((2, 6)), np.zeros((2, 6)), None) == (math.inf, -1)
    assert first_yield(np.zeros((2, 6)), np.zeros((2, 6)), 235.0) == (math.inf, -1)


@pytest.mark.parametrize(
    ("change", "meets", "words"),
    [
        ({}, True, "Meets 3"),
        ({"modes": modes(2.0)}, False, "Does not meet 3"),
        ({"modes": None}, None, "No verdict yet"),
        ({"modes": modes()}, True, "Cannot go unstable"),
        ({"modes": modes(-4.0)}, True, "Cannot go unstable"),
        ({"modes": modes(-2.0)}, None, "not stated right"),
        ({"mesh": mesh(1)}, None, "draft"),
        ({"modes": modes(4.0, checks=np.array([[5.0, 2, 1]]))}, None, "missing"),
        ({"modes": modes(held_unstable=True)}, False, "Does not meet"),
    ],
)
def test_verdicts(change: dict, meets: bool | None, words: str) -> None:
    verdict = verdict_of_case(facts(**change), collect(facts(**change)))
    assert verdict.meets is meets
    assert words in verdict.headline


def test_the_worst_case_decides() -> None:
    good, bad, open_ = (
        verdict_of_case(facts(**change), collect(facts(**change)))
        for change in ({}, {"modes": modes(1.0)}, {"modes": None})
    )
    assert overall([good, good]) is True
    assert overall([good, open_]) is None
    assert overall([good, bad, open_]) is False
    assert overall([]) is None


def tube_nodes() -> np.ndarray:
    x, y, z = np.meshgrid(
        np.linspace(0, 300, 61), np.linspace(-10, 10, 5), np.linspace(-5, 5, 3), indexing="ij"
    )
    return np.stack([x.ravel(), y.ravel(), z.ravel()], axis=1)


def test_kinds_of_made_up_shapes() -> None:
    nodes = tube_nodes()
    x, y, z = nodes.T
    zero, axis = np.zeros_like(x), np.array([1.0, 0, 0])
    bow = np.sin(np.pi * x / 300)
    slope = np.pi / 300 * np.cos(np.pi * x / 300)
    sway = 1 - np.cos(np.pi * x / 600)
    wall = np.cos(np.pi * y / 10) * np.sin(8 * np.pi * x / 300)
    for kind, least, most, motion in (
        ("member bow", 0.0, 0.03, [-z * slope, zero, bow]),
        ("member sway", 0.0, 0.03, [zero, zero, sway]),
        ("torsion", 0.0, 0.1, [zero, -z * bow, y * bow]),
        ("plate", 0.9, 1.0, [zero, zero, wall]),
        ("plate", 0.15, 0.3, [-z * slope, zero, bow + 0.25 * wall]),
    ):
        found, distorted = kind_of_mode(nodes, np.stack(motion, 1), axis)
        assert found == kind and least <= distorted <= most, (kind, distorted)


# --- evidence: each fires and stays quiet
# --------------------------------------------------------------------------------------------------
@pytest.mark.parametrize(
    ("name", "wrong", "state"),
    [
        ("balance", {"strength": strength(reaction=np.zeros((1, 2, 6)))}, "bad"),
        ("held loaded direction", {"strength": strength(swallowed=np.array([0.6]))}, "bad"),
        ("element order", {"mesh": mesh(1)}, "bad"),
        ("completeness", {"modes": modes(4.0, checks=np.array([[5.0, 2, 1]]))}, "bad"),
        ("yield before buckling", {"strength": strength(yield_factor=1.1)}, "caution"),
        ("held loads", {"modes": modes(held_unstable=True)}, "bad"),
        ("deflection before buckling", {"modes": modes(4.0, second_opinion=3.0)}, "caution"),
        ("negative factors", {"modes": modes(4.0, -2.0)}, "caution"),
        ("modes under the required factor", {"modes": modes(1.0, 2.0)}, "caution"),
        ("hand check", {"euler": "A support stands between the ends."}, "not judged"),
    ],
)
def test_evidence_fires(name: str, wrong: dict, state: str) -> None:
    found = said(name, **wrong)
    assert found is not None
    assert found.state == state
    quiet = said(name, strength=strength(yield_factor=9.0))
    assert quiet is None or quiet.state == "good"


def test_every_piece_of_evidence_is_silent_about_what_was_not_run() -> None:
    nothing = CaseFacts(Project(), "service")
    assert collect(nothing) == ()
    assert len(REGISTRY) == len(set(REGISTRY))


def test_the_worst_evidence_comes_first() -> None:
    states = [item.state for item in collect(facts(mesh=mesh(1), modes=modes(1.0, 2.0)))]
    assert states == sorted(states, key=["bad", "caution", "not judged", "good"].index)


# --- ladder and sentences
# --------------------------------------------------------------------------------------------------
def test_rungs_hold_everything_known() -> None:
    check = euler(strength(), first=4.0)
    found = rungs(facts(modes=modes(4.0, 2.0, -5.0), euler=check), "1 kN")
    assert [rung.factor for rung in found] == sorted((rung.factor for rung in found), reverse=True)
    assert {rung.kind for rung in found} == {
        "service",
        "required",
        "yield",
        "hand",
        "mode",
        "negative",
    }
    assert {rung.mode: rung.meets for rung in found if rung.kind == "mode"} == {0: True, 1: False}


@given(st.lists(st.floats(0.01, 500), min_size=1, max_size=14))
def test_labels_never_overlap_and_stay_inside(factors: list[float]) -> None:
    found = tuple(Rung("mode", factor, "x") for factor in sorted(factors, reverse=True))
    scale = scale_for((*found, Rung("required", 3.0, "r")), 50.0, 700.0)
    wanted = [scale.y(rung.factor) for rung in found]
    assert wanted == sorted(wanted)
    heights = [40.0] * len(found)
    centres = kept_apart(wanted, heights, 50.0, 700.0)
    for one, two in pairwise(centres):
        assert two - one >= 40.0 - 1e-6
    assert centres[0] >= 70.0 - 1e-6
    assert centres[-1] <= 680.0 + 1e-6


def test_a_single_label_stands_at_its_factor() -> None:
    assert kept_apart([300.0], [20.0], 0.0, 600.0) == [300.0]
    scale = scale_for((Rung("mode", 2.0, "x"), Rung("required", 3.0, "r")), 0.0, 600.0)
    assert scale.y(scale.low) == 600.0
    assert all(scale.low * 0.99 <= tick <= scale.high * 1.01 for tick in scale.ticks())


def test_sentences_say_what_is_stated() -> None:
    project = cantilever(bar_step())

    def text(sentences: list) -> str:
        return " ".join(span.text for sentence in sentences for span in sentence)

    assert "foot fixed : fixed" in text(support_sentences(project)).replace("  ", " ")
    assert "-1 kN" in text(load_sentences(project))
    assert "needed" in text(
        part_sentences(
            project.with_value(("materials", 0, "youngs_modulus"), None), (240, 16, 4), 15360.0
        )
    )
    assert "Find" in text(modes_sentences(project, None, "part"))
    assert "Nothing holds the part" in text(support_sentences(Project()))


@pytest.mark.parametrize(
    ("support", "on_hub", "words"),
    [
        (Support(name="s", on="r", held=("x", "y", "z")), False, "fixed"),
        (Support(name="s", on="r", held=("z",)), False, "slide along x and y"),
        (Support(name="s", on="h", held=("x", "y", "z")), True, "turn about x and y and z"),
        (Support(name="s", on="r", axes=NormalAxes(), held=("normal",)), False, "slide along it"),
        (
            Support(name="s", on="r", axes=CylindricalAxes(), held=("radial", "axial")),
            False,
            "pinned",
        ),
    ],
)
def test_held_motions_in_words(support: Support, on_hub: bool, words: str) -> None:
    assert words in held_words(support, on_hub)


def test_forces_have_fitting_units() -> None:
    assert [force_text(value) for value in (12.3456, 2255.4, -4.2e6, math.inf)] == [
        "12.35 N",
        "2.255 kN",
        "-4.2 MN",
        "–",
    ]
    assert critical_text(2.0, 0.0) == "–"
    assert critical_text(2.0, 1500.0) == "3 kN"


def test_extrapolation_finds_limit_order_and_doubt() -> None:
    sizes = np.array([8.0, 4.0, 2.0, 1.0])
    limit, band, order = extrapolated(sizes, 3.0 + 0.01 * sizes**2)
    assert limit == pytest.approx(3.0) and order == pytest.approx(2.0)
    assert band == pytest.approx(1.25 * 0.01)
    limit, band, order = extrapolated(sizes, np.array([3.0, 3.2, 3.0, 3.3]))
    assert (limit, band) == (3.3, pytest.approx(0.3)) and math.isnan(order)
    assert extrapolated(sizes[:1], np.array([2.0]))[:2] == (2.0, 0.0)
    found = ConvergenceFindings(
        case="c",
        sizes=sizes,
        elements=np.arange(4),
        unknowns=np.arange(4),
        factors=3.0 + 0.01 * sizes**2,
        limit=3.0,
        band=0.0125,
        order=2.0,
        done=True,
    )
    assert "go to 3" in convergence_words(found)
    assert "agree" in convergence_words(dataclasses.replace(found, band=1e-4))
    assert "do not close in" in convergence_words(dataclasses.replace(found, order=math.nan))


def test_reactions_are_written_out() -> None:
    words = ["".join(span.text for span in sentence) for sentence in strength_sentences(facts())]
    assert "Reaction of foot: x 1 kN." in words
    many = np.zeros((6, 2, 6))
    many[:, 0, 2] = [500.0, 0.0, 250.0, 1.0, 2.0, 3.0]
    several = strength_sentences(
        facts(
            strength=strength(
                reaction=many,
                supports=np.array(list("abcdef")),
                grips=np.zeros((6, 6, 6)),
                centres=np.zeros((6, 3)),
                radii=np.zeros(6),
                reach=np.zeros((6, 2)),
            )
        )
    )
    words = ["".join(span.text for span in sentence) for sentence in several]
    assert (
        "b carries no force." in words
        and "2 more supports." in words
        and "Reaction of c: z 250 N." in words
    )


def test_a_gate_is_left_out_only_with_a_reason() -> None:
    from labilis.judge.gates import Gate
    from labilis.model import Criteria

    assert Criteria(
        left_out={"strength": "  ", "computed right": "none given", "capacity": " a mock-up "}
    ).left_out == {"capacity": "a mock-up"}
    gates = (
        Gate("strength", "open", "it yields", "strength"),
        Gate("capacity", "passes", "", ""),
        Gate("stated right", "void", "", "", "seen and agreed"),
    )
    spans: Any = modes_sentences(Project(), None, "part", gates)
    words = " ".join("".join(span.text for span in sentence) for sentence in spans)
    assert "The gate strength is open. To leave it out give a reason: none given." in words
    assert (
        "The gate stated right is left out: seen and agreed." in words and "capacity" not in words
    )


@pytest.mark.parametrize(
    ("value", "words"),
    [
        (999.9, "999.9 N"),
        (999.99, "1 kN"),
        (-999.99, "-1 kN"),
        (1e6 - 1, "1 MN"),
        (0.0, "0 N"),
        (12345.6, "12.35 kN"),
        (float("nan"), "–"),
    ],
)
def test_a_force_has_the_unit_that_fits_what_is_shown(value: float, words: str) -> None:
    assert force_text(value) == words
