"""The slice's promises about factors, on STEP parts through the whole run, like a user's file."""

import numpy as np
import pytest

from labilis.mechanics.blocks import SolidBlock
from labilis.mechanics.ties import HeldNodes, make_ties
from labilis.mesh import mesh_body
from labilis.model import Criteria, ForceLoad, PressureLoad
from labilis.solve.factor import factor
from labilis.solve.modes import find_modes
from labilis.solve.strength import solve_linear
from labilis.solve.system import System
from tests.mechanics.test_elements import rotation
from tests.parts import (
    bar_step,
    body_of,
    bored_step,
    cantilever,
    evidence,
    face_towards,
    first_factor,
    pinned,
    run,
)


def euler(e: float, i: float, k: float, length: float) -> float:
    return float(np.pi**2 * e * i / (k * length) ** 2)


@pytest.mark.parametrize(("length", "width", "thickness"), [(240.0, 16.0, 4.0), (400.0, 12.0, 5.0)])
@pytest.mark.full
def test_fixed_free_bar(length: float, width: float, thickness: float) -> None:
    data = bar_step(length, width, thickness)
    report = run(cantilever(data), data)
    expected = euler(210e3, width * thickness**3 / 12, 2, length) / 1000
    assert report.cases[0].facts.modes.positive[0] == pytest.approx(expected, rel=0.01)
    check = report.cases[0].euler
    assert check.governing.ends.name == "fixed-free"
    assert check.governing.factor == pytest.approx(expected, rel=1e-3)
    assert evidence(report, "hand check").state == "good"


def test_pinned_pinned_bar_by_bores() -> None:
    length, width, height = 320.0, 18.0, 8.0
    data = bored_step(length, width, height)
    report = run(pinned(data, size="6 mm"), data)
    expected = euler(210e3, width * height**3 / 12, 1, length) / 1000
    assert report.cases[0].facts.modes.positive[0] == pytest.approx(expected, rel=0.01)
    check = report.cases[0].euler
    assert check.governing.ends.name == "pinned-pinned"
    assert check.length == pytest.approx(length, rel=1e-4)
    assert {plane.ends.name for plane in check.planes} == {"pinned-pinned", "fixed-fixed"}


def test_first_order_is_far_too_high_and_says_so() -> None:
    data = bar_step()
    second = first_factor(cantilever(data, size="6 mm"), data)
    report = run(cantilever(data, size="6 mm", order=1), data)
    first = float(report.cases[0].facts.modes.positive[0])
    assert first > 2 * second
    order = evidence(report, "element order")
    assert order.state == "bad"
    assert "too high" in order.text
    assert report.cases[0].verdict.meets is not True


@pytest.mark.full
def test_turning_the_load_round_gives_the_negative_factor() -> None:
    data = bar_step()
    both = Criteria(modes=4, sign="both")
    pushed = run(cantilever(data, "-1 kN", criteria=both), data).cases[0].facts.modes.factors
    report = run(cantilever(data, "1 kN", criteria=both), data)
    pulled = report.cases[0].facts.modes.factors
    assert pulled[0] == pytest.approx(-pushed[0], rel=1e-6)
    said = evidence(report, "negative factors")
    assert said.state == "caution"
    assert "reverse" in said.text


@pytest.mark.full
def test_pulling_has_no_positive_factor_in_words() -> None:
    data = bar_step()
    report = run(cantilever(data, "1 kN"), data)
    assert len(report.cases[0].facts.modes.positive) == 0
    assert report.cases[0].verdict.meets is True
    assert "cannot go unstable" in report.cases[0].verdict.headline.lower()
    assert "compression" in evidence(report, "compression").text


@pytest.mark.full
def test_doubling_the_load_halves_the_factor() -> None:
    data = bar_step()
    once = run(cantilever(data, "-1 kN"), data).cases[0].facts.modes.factors
    twice = run(cantilever(data, "-2 kN"), data).cases[0].facts.modes.factors
    assert np.allclose(once, 2 * twice, rtol=1e-7)


def test_factors_do_not_change_when_the_part_is_turned_in_space() -> None:
    data = bar_step()
    body = body_of(data)
    mesh = mesh_body(body, 7.0)
    foot = mesh.region_nodes(np.array([face_towards(body, (-1, 0, 0))]), np.array([], dtype=int))
    head = mesh.region_nodes(np.array([face_towards(body, (1, 0, 0))]), np.array([], dtype=int))
    found = []
    for turn in (np.eye(3), rotation(np.array([1.0, -2, 0.5]), 1.1)):
        places = mesh.nodes @ turn.T
        ties = make_ties(places, [HeldNodes(foot, np.broadcast_to(turn.T, (len(foot), 3, 3)), 0)])
        system = System(places, (SolidBlock(places, mesh.elements, 210e3, 0.3),), ties)
        force = np.zeros_like(places)
        force[head] = turn @ np.array([-1000.0 / len(head), 0, 0])
        solver = factor(system.reduced_stiffness)
        answer = solve_linear(system, solver, force.ravel(), np.zeros(ties.size))
        k_g = system.geometric(system.stress(answer.u), answer.internal)
        found.append(find_modes(system.reduced_stiffness, solver, k_g, 5).factors)
    assert np.allclose(found[0], found[1], rtol=1e-6)


@pytest.mark.full
def test_mode_residuals_in_the_energy_norm() -> None:
    data = bar_step()
    modes = run(cantilever(data, criteria=Criteria(modes=8)), data).cases[0].facts.modes
    assert modes.residuals.max() < 1e-6
    assert modes.complete
    assert len(modes.factors) == 8


@pytest.mark.full
def test_held_and_growing_parts_add_up_to_the_critical_load() -> None:
    """lambda = (P_cr - P_held) / P_growing."""
    data = bar_step()
    critical = 1000 * first_factor(cantilever(data), data)
    project = cantilever(data)
    project = project.with_item(
        "loads",
        ForceLoad(name="weight", on="head", components=("-200 N", "0 N", "0 N"), growth="held"),
    )
    case = project.cases[0]
    project = project.changed(
        cases=[case.model_copy(update={"loads": (*case.loads, type(case.loads[0])(load="weight"))})]
    )
    report = run(project, data)
    assert report.cases[0].facts.modes.positive[0] == pytest.approx(
        (critical - 200) / 1000, rel=1e-4
    )
    check = report.cases[0].euler
    assert check.held == pytest.approx(200, rel=1e-6)


def test_unstable_under_the_held_load_alone_is_said() -> None:
    data = bar_step()
    project = cantilever(data)
    heavy = ForceLoad(name="weight", on="head", components=("-9 kN", "0 N", "0 N"), growth="held")
    case = project.cases[0]
    project = project.with_item("loads", heavy).changed(
        cases=[case.model_copy(update={"loads": (*case.loads, type(case.loads[0])(load="weight"))})]
    )
    report = run(project, data)
    assert report.cases[0].facts.modes.held_unstable
    assert report.meets is False


def test_a_load_on_a_held_direction_is_flagged_with_its_share() -> None:
    data = bar_step()
    project = cantilever(data)
    project = project.with_item(
        "supports",
        project.supports[0].model_copy(
            update={"name": "head held", "on": "head", "held": ("x", "y")}
        ),
    )
    report = run(project, data)
    said = evidence(report, "held loaded direction")
    assert said.state == "bad"
    assert said.figure == "100"


@pytest.mark.full
def test_pressure_equals_a_force_square_to_the_face() -> None:
    data = bar_step()
    project = cantilever(data)
    area = 16.0 * 4.0
    pressed = project.changed(
        loads=[PressureLoad(name="push", on="head", pressure=f"{1000 / area} MPa")]
    )
    square = project.changed(loads=[ForceLoad(name="push", on="head", normal="1 kN")])
    reference = first_factor(project, data)
    assert first_factor(pressed, data) == pytest.approx(reference, rel=1e-7)
    assert first_factor(square, data) == pytest.approx(reference, rel=1e-7)


def test_more_modes_under_the_required_factor_than_asked_for() -> None:
    data = bar_step()
    report = run(cantilever(data, criteria=Criteria(modes=1, required_factor="40")), data)
    facts = report.cases[0].facts
    assert facts.modes.below_required > 1
    assert "Only 1 were asked for" in evidence(report, "modes under the required factor").text


def test_yield_factor_of_plain_compression() -> None:
    data = bar_step()
    project = cantilever(data)
    strength = run(project, data, "strength").cases[0].facts.strength
    middle = np.abs(strength.stress_growing[:, 0])
    assert np.median(middle) == pytest.approx(1000 / 64, rel=0.02)
    assert 0.5 * 235 / (1000 / 64) < strength.yield_factor <= 235 / (1000 / 64)
    assert strength.reaction[0, 0, :3] == pytest.approx([1000, 0, 0], abs=1e-4)


@pytest.mark.full
def test_second_opinion_agrees_on_a_straight_strut() -> None:
    data = bar_step()
    report = run(cantilever(data, criteria=Criteria(modes=2, second_opinion=True)), data)
    said = evidence(report, "deflection before buckling")
    assert said.state == "good"
    assert abs(float(said.figure)) < 0.5
    data = bored_step()
    report = run(pinned(data, size="8 mm", criteria=Criteria(modes=2, second_opinion=True)), data)
    assert evidence(report, "deflection before buckling").state == "good"
    assert evidence(run(cantilever(bar_step()), bar_step()), "deflection before buckling") is None


def test_second_opinion_fires_where_the_part_bends_first() -> None:
    """A bar bent about its strong axis tips sideways at a load under which it has turned by a
    quarter of a radian."""
    data = bar_step(240.0, 15.0, 5.0)
    project = cantilever(data, size="8 mm", criteria=Criteria(modes=2, second_opinion=True))
    project = project.with_value(("loads", 0, "components"), ["0 N", "-1 kN", "0 N"])
    report = run(project, data)
    said = evidence(report, "deflection before buckling")
    assert said.state == "caution"
    assert abs(float(said.figure)) > 5
    assert "large-deflection" in said.text


def test_following_pressure_on_a_free_end_is_not_symmetric_and_says_so() -> None:
    data = bar_step()
    project = cantilever(data)
    area = 16.0 * 4.0
    pressed = project.changed(
        loads=[
            PressureLoad(
                name="push", on="head", pressure=f"{1000 / area} MPa", direction="following"
            )
        ]
    )
    said = evidence(run(pressed, data), "following pressure")
    assert said.state == "caution"
    assert "free border" in said.text
    assert evidence(run(project, data), "following pressure") is None
