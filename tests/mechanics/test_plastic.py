"""Yielding: the return to the yield surface, its tangent, layers of shells, and what a trace
makes of it."""

from __future__ import annotations

import numpy as np
import pytest

from labilis.analysis import trace_stage
from labilis.mechanics import plastic
from labilis.mechanics.blocks import ShellBlock, SolidBlock
from labilis.mechanics.material import isotropic
from labilis.mechanics.plastic_kernels import return_fibres, return_layers
from labilis.mechanics.shell import smooth_triads
from labilis.model import LabilisError
from labilis.results.stress_measures import von_mises
from labilis.solve.trace import TraceControl
from tests.analysis.test_trace import PINNED, STRIP, traced
from validation.recipes import case_of, force, hold

LAW = plastic.YieldLaw(210e3, 0.3, np.array([0.0, 0.01, 0.05]), np.array([235.0, 300.0, 320.0]))
FLAT = plastic.YieldLaw(210e3, 0.3, np.zeros(1), np.array([235.0]))


def return_in_plane(
    law: plastic.YieldLaw, strain: np.ndarray, before: np.ndarray, p: np.ndarray
) -> tuple[np.ndarray, ...]:
    """Plane stress: one layer in the middle of shells of thickness one, a point each."""
    count = len(strain)
    whole = np.concatenate([strain, np.zeros((count, 6))], axis=1)[:, None]
    resultant, section, _, after, grown, demand = return_layers(
        law.modulus,
        law.ratio,
        law.curve,
        np.zeros(1),
        np.ones(1),
        whole,
        np.zeros((count, 9, 9)),
        np.ones(count),
        np.zeros(count),
        before[:, None, None],
        p[:, None, None],
        True,
    )
    return resultant[:, 0, :3], section[:, 0, :3, :3], after[:, 0, 0], grown[:, 0, 0], demand


@pytest.mark.parametrize("law", [LAW, FLAT])
@pytest.mark.parametrize("plane", [True, False])
def test_return_lands_on_the_yield_surface_with_a_consistent_tangent(
    law: plastic.YieldLaw, plane: bool
) -> None:
    rng = np.random.default_rng(0)
    size = 3 if plane else 6
    strain, before, p = (
        rng.normal(size=(80, size)) * 3e-3,
        rng.normal(size=(80, size)) * 1e-3,
        np.abs(rng.normal(size=80)) * 1e-2,
    )
    if not plane:
        before[:, :3] -= before[:, :3].mean(axis=1, keepdims=True)
    elastic = isotropic(210e3, 0.3)

    def stress(at: np.ndarray, tangent: bool = False) -> tuple:
        if plane:
            return return_in_plane(law, at, before, p)
        return plastic.return_in_space(law, elastic, at, before, p, tangent)

    found, tangent, _, after, demand = stress(strain, True)
    yielded = demand > 1
    assert yielded.mean() > 0.8
    whole = (
        np.concatenate([found[:, :2], np.zeros((80, 1)), found[:, 2:3], np.zeros((80, 2))], axis=1)
        if plane
        else found
    )
    assert von_mises(whole)[yielded] == pytest.approx(law.strength(after)[0][yielded], rel=1e-9)
    assert (after[yielded] > p[yielded]).all() and (after[~yielded] == p[~yielded]).all()
    step = 1e-8
    numeric = np.stack(
        [
            (stress(strain + step * axis)[0] - stress(strain - step * axis)[0]) / (2 * step)
            for axis in np.eye(size)
        ],
        axis=2,
    )
    assert np.median(np.abs(numeric - tangent).max(axis=(1, 2))) < 1e-6 * 210e3
    assert np.abs(numeric - tangent).max() < 1e-4 * 210e3


def test_a_bar_in_tension_follows_its_curve() -> None:
    """One-dimensional: stress against total strain is the curve of the material, and unloading
    is elastic."""
    elastic = isotropic(210e3, 0.3)
    compliance = np.linalg.inv(elastic)
    before, p = np.zeros((1, 6)), np.zeros(1)
    strain = np.zeros((1, 6))
    for target in (100.0, 250.0, 300.0, 310.0):
        for _ in range(40):  # drive xx until the stress is there, the other stresses stay zero
            stress, tangent, after, grown, _ = plastic.return_in_space(
                LAW, elastic, strain, before, p, True
            )
            wanted = np.array([target, 0, 0, 0, 0, 0])
            assert tangent is not None
            strain = strain + np.linalg.solve(tangent[0], wanted - stress[0])
        before, p = after, grown
        expected = float(np.interp(target, LAW.stress, LAW.strain)) if target > 235 else 0.0
        assert p[0] == pytest.approx(expected, abs=1e-8)
        assert strain[0, 0] == pytest.approx(target / 210e3 + expected, rel=1e-6)
    back, _, _, same, _ = plastic.return_in_space(
        LAW, elastic, strain - compliance @ np.array([200.0, 0, 0, 0, 0, 0]), before, p, False
    )
    assert back[0, 0] == pytest.approx(110.0) and same[0] == p[0]


@pytest.mark.parametrize("kind", ["shell", "solid"])
def test_forces_of_yielding_elements_are_derived_exactly(kind: str) -> None:
    rng = np.random.default_rng(3)
    if kind == "shell":
        nodes = np.array([[0.0, 0, 0], [10, 0, 0.5], [11, 9, 0], [0, 10, 0.3]])
        elements = np.array([[0, 1, 2, 3]])
        block: ShellBlock | SolidBlock = ShellBlock(
            nodes,
            elements,
            4 + np.arange(4),
            np.array([1.5]),
            smooth_triads(nodes[elements], elements),
            210e3,
            0.3,
        )
    else:
        corners = np.array([[0.0, 0, 0], [10, 0, 0], [0, 9, 0], [1, 1, 8]])
        nodes = np.concatenate(
            [
                corners,
                [
                    (corners[a] + corners[b]) / 2
                    for a, b in ((0, 1), (1, 2), (0, 2), (0, 3), (1, 3), (2, 3))
                ],
            ]
        )
        block = SolidBlock(nodes, np.arange(10)[None], 210e3, 0.3)
    count = int(block.members.max()) + 1
    memory = block.remember(LAW)
    motion = rng.normal(size=(count, 3)) * 0.05
    if kind == "shell":
        motion[4:] = 0.0
    still = np.broadcast_to(np.eye(3), (count, 3, 3)).copy()

    def forces(at: np.ndarray, tangent: bool = False) -> tuple[np.ndarray, np.ndarray | None]:
        _, force, matrix, _ = next(iter(block.deformed(at, still, tangent, memory)))
        return force[0], None if matrix is None else matrix[0]

    _, matrix = forces(motion, True)
    assert memory.largest.max() > 1e-4
    assert matrix is not None
    places = np.arange(count) if kind == "solid" else np.arange(4)
    for node in places[:3]:
        for axis in range(3):
            step = np.zeros_like(motion)
            step[node, axis] = 1e-6
            numeric = (forces(motion + step)[0] - forces(motion - step)[0]) / 2e-6
            column = 3 * int(np.flatnonzero(block.members[0] == node)[0]) + axis
            assert np.abs(numeric.ravel() - matrix[:, column]).max() < 2e-4 * np.abs(matrix).max()


def test_a_tie_yields_at_its_yield_force_and_hardens() -> None:
    """Pulled straight: first yield at A fy; with hardening the trace goes on to the plastic
    strain allowed."""
    pull = {
        **STRIP,
        "supports": [hold("foot", "x", "y", "z", "turn_x", "turn_y", "turn_z")],
        **case_of(force("head", x=1000.0)),
    }
    steel = {
        "name": "steel",
        "youngs_modulus": "210 GPa",
        "poisson_ratio": "0",
        "yield_strength": "235 MPa",
        "hardening": [["2 %", "300 MPa"]],
    }
    trace = traced(
        {**pull, "materials": [steel]}, mode=0, target="20", plastic_strain="1 %", deflection="1 m"
    ).facts.trace
    assert trace.first_yield == pytest.approx(235 * 40 / 1000, rel=0.02)
    assert trace.reason.startswith("the plastic strain allowed")
    # the last point lies beyond what is allowed: what is verified does not
    assert trace.plastic[-1] > 0.01 and trace.verified < trace.factors.max()
    assert trace.verified == pytest.approx((235 + 65 * 0.01 / 0.02) * 40 / 1000, rel=0.03)
    before, last = trace.plastic[-2:]
    share = (0.01 - before) / (last - before)
    between = trace.factors[-2] + share * (trace.factors[-1] - trace.factors[-2])
    assert trace.verified == pytest.approx(between, rel=1e-9)
    expected = (235 + 65 * trace.plastic[-1] / 0.02) * 40 / 1000
    assert trace.factors[-1] == pytest.approx(
        expected, rel=0.03
    )  # Green's strain and the second Piola stress differ by the strain


def test_results_do_not_depend_on_the_step(monkeypatch: pytest.MonkeyPatch) -> None:
    limits, lengths = [], []
    for share in (1.0, 0.3):

        def control(share: float = share, **given: float) -> TraceControl:
            return TraceControl(
                **{**given, "first": share * given["first"], "largest": share * given["largest"]}
            )  # type: ignore[arg-type]

        monkeypatch.setattr(trace_stage, "TraceControl", control)
        trace = traced(PINNED, amplitude="0.3 mm", steps=120, target="12").facts.trace
        limits.append(trace.limit)
        lengths.append(len(trace.factors))
    assert lengths[1] > lengths[0]
    assert limits[0] == pytest.approx(limits[1], rel=5e-3)


def test_a_curve_that_does_not_rise_is_refused() -> None:
    steel = {
        "name": "steel",
        "youngs_modulus": "210 GPa",
        "poisson_ratio": "0.3",
        "yield_strength": "235 MPa",
        "hardening": [["1 %", "200 MPa"]],
    }
    with pytest.raises(LabilisError, match="does not rise"):
        traced({**PINNED, "materials": [steel]})


@pytest.mark.parametrize("seed", range(4))
def test_fibres_against_the_law_written_out(seed: int) -> None:
    """Sections whose fibres have yielded before, on a curve of three pieces: stress by bisection of
    σ = E (ε - εp - Δ) and |σ| = strength(p + Δ), resultants by their sums."""
    rng = np.random.default_rng(seed)
    law = plastic.YieldLaw(210e3, 0.3, LAW.strain, LAW.stress, 100.0)
    m, g, f = 3, 5, 40
    areas, rows = rng.uniform(1, 3, f), rng.uniform(-20, 20, (f, 4))
    rows[:, 0] = 1.0
    elastic = rng.uniform(1e6, 1e8, 3)
    strain, warped = rng.uniform(-1, 1, (m, g, 3)) * 1e-3, 1e-4 * rng.uniform(-1, 1, (m, g))
    before, p = rng.uniform(-0.02, 0.02, (m, g, f)), rng.uniform(0, 0.06, (m, g, f))
    resultant, bimoment, stress, slope, grown, demand, fibre = return_fibres(
        law.modulus, law.curve, areas, rows, elastic, strain, warped, before, p
    )
    whole = np.concatenate([strain, warped[..., None]], axis=2) @ rows.T
    assert fibre == pytest.approx(whole, rel=1e-12)
    trial = law.modulus * (whole - before)
    assert demand == pytest.approx(np.abs(trial) / law.strength(p)[0], rel=1e-12)
    assert (demand > 1).any() and (demand < 1).any()
    low, high = np.zeros_like(p), np.abs(trial) / law.modulus
    for _ in range(80):
        middle = 0.5 * (low + high)
        over = np.abs(trial) - law.modulus * middle > law.strength(p + middle)[0]
        low, high = np.where(over, middle, low), np.where(over, high, middle)
    step = np.where(demand > 1, low, 0.0)
    assert grown == pytest.approx(p + step, rel=1e-9, abs=1e-15)
    carried = np.sign(trial) * (np.abs(trial) - law.modulus * step)
    assert stress == pytest.approx(carried, rel=1e-9)
    hard = law.strength(p + step)[1]
    assert slope == pytest.approx(np.where(demand > 1, hard / (law.modulus + hard), 1.0), rel=1e-9)
    lost = areas * (law.modulus * whole - carried)
    assert resultant == pytest.approx(
        elastic * strain - lost @ rows[:, :3], rel=1e-9, abs=1e-9 * np.abs(lost).max()
    )
    assert bimoment == pytest.approx(-lost @ rows[:, 3], rel=1e-9)
