"""Lines that yield: exact tangents, limit states in closed form, and hinges that stay free."""

from __future__ import annotations

import numpy as np
import pytest

from labilis.mechanics.cross_section import CrossSection
from labilis.mechanics.line_block import LineBlock
from labilis.mechanics.plastic import Memory, YieldLaw
from labilis.mechanics.shell import exponential
from tests.mechanics.test_line_path import CHANNEL, NU, E, block, section

FY = 235.0
HARD = YieldLaw(E, NU, np.array([0.0, 0.01, 0.05]), np.array([FY, 300.0, 400.0]))
IDEAL = YieldLaw(E, NU, np.zeros(1), np.array([FY]))
BAR = section("flat", width=50.0, thickness=30.0)


def answer(
    lines: LineBlock, motion: np.ndarray, rotation: np.ndarray, memory: Memory
) -> tuple[np.ndarray, np.ndarray]:
    _, force, tangent, _ = next(iter(lines.deformed(motion, rotation, True, memory)))
    assert tangent is not None
    return force, tangent


def bent(seed: int, far: float = 0.02) -> tuple[np.ndarray, np.ndarray]:
    random = np.random.default_rng(seed)
    motion, rotation = np.zeros((12, 3)), np.tile(np.eye(3), (12, 1, 1))
    motion[:4] = 20 * far * random.normal(size=(4, 3))
    motion[8:, 0] = 1e-3 * far * random.normal(size=4)
    rotation[4:8] = exponential(far * random.normal(size=(4, 3)))
    return motion, rotation


@pytest.mark.parametrize("hinged", [(), (5,), (3, 4), (10, 11)])
@pytest.mark.parametrize(
    "seed", [0, *(pytest.param(seed, marks=pytest.mark.full) for seed in (1, 2))]
)
def test_the_tangent_is_the_slope_of_the_forces(seed: int, hinged: tuple[int, ...]) -> None:
    lines = block(hinged)
    memory = lines.remember(HARD)
    answer(lines, *bent(seed + 50, 0.01), memory)
    memory.accept()
    motion, rotation = bent(seed)
    force, tangent = answer(lines, motion, rotation, memory)
    assert (memory.trial_p.reshape(2, -1).max(axis=1) > 1e-3).all()
    assert np.abs(tangent - np.swapaxes(tangent, 1, 2)).max() < 1e-9 * np.abs(tangent).max()
    for element, column in ((e, c) for e in range(2) for c in (*range(12), 12, 15)):
        node, axis = lines.members[element, column // 3], column % 3
        # a fibre that yields between the sides of one step does not between those of all
        off = min(
            np.abs(
                _slope(lines, memory, (motion, rotation), element, column, step)
                - tangent[element][:, column]
                - _half_turn(force[element].ravel(), node, column, axis)
            ).max()
            for step in (1e-6, 1e-7, 1e-8)
        )
        assert off < 1e-4 * np.abs(tangent[element][:, column]).max()


def _half_turn(force: np.ndarray, node: int, column: int, axis: int) -> np.ndarray:
    """What the slope of moments along φ in exp(φ) R has beside the second derivative."""
    found = np.zeros(18)
    if 4 <= node < 8:
        rows = slice(3, 6) if column < 6 else slice(9, 12)
        found[rows] = 0.5 * np.cross(np.eye(3)[axis], force[rows])
    return found


def _slope(
    lines: LineBlock,
    memory: Memory,
    state: tuple[np.ndarray, np.ndarray],
    element: int,
    column: int,
    step: float,
) -> np.ndarray:
    node, axis = lines.members[element, column // 3], column % 3
    step = step if column < 12 else 1e-3 * step
    sides = []
    for sign in (1.0, -1.0):
        place, turn = state[0].copy(), state[1].copy()
        if 4 <= node < 8:
            turn[node] = exponential(sign * step * np.eye(3)[axis]) @ turn[node]
        else:
            place[node, axis] += sign * step
        sides.append(answer(lines, place, turn, memory)[0][element].ravel())
    return np.asarray((sides[0] - sides[1]) / (2 * step))


@pytest.mark.parametrize("hinged", [(4, 5), (10,), (0, 5)])
def test_what_hinges_carries_nothing_when_the_rest_yields(hinged: tuple[int, ...]) -> None:
    lines = block(hinged)
    memory = lines.remember(HARD)
    motion, rotation = bent(1)
    answer(lines, motion, rotation, memory)
    assert memory.trial_p.max() > 1e-3
    from labilis.mechanics import line_path

    found: list[np.ndarray] = []
    inner = lines._fibres.kept
    for element in range(2):
        kept = inner[element]
        assert np.linalg.matrix_rank(kept / np.abs(kept).max()) == 6 - len(hinged)
    ends, moved = lines.nodes[lines.elements], motion[lines.elements]
    state = line_path.line_state(
        lines._forms,
        ends[:, 1] + moved[:, 1] - ends[:, 0] - moved[:, 0],
        rotation[lines.turn_of[lines.elements]],
        motion[lines.warp_of][:, :, 0],
        False,
        np.zeros(2),
        lambda d, c, force: (
            np.arange(2),
            found.append(force) or _yielded(lines, d, c, memory),  # type: ignore[func-returns-value]
        ),
    ).state
    length = lines.geometry.length
    first = -state[:, :6].copy()
    first[:, 4] += length * state[:, 2]
    first[:, 5] -= length * state[:, 1]
    both = np.concatenate([first, state[:, :6]], axis=1)
    assert np.abs(both[:, list(hinged)]).max() < 1e-6 * np.abs(both).max()


def _yielded(lines: LineBlock, d: np.ndarray, c: np.ndarray, memory: Memory):  # type: ignore[no-untyped-def]
    from labilis.mechanics.line_plastic import fibre_state

    return fibre_state(lines._fibres, d, c, memory, np.arange(len(d)))


def straight(made: CrossSection, length: float = 2.0, number: int = 1) -> LineBlock:
    """Along x, the section's axes y and z."""
    nodes = np.zeros((number + 1, 3))
    nodes[:, 0] = np.linspace(0, length, number + 1)
    own = np.arange(number)
    return LineBlock(
        nodes,
        np.stack([own, own + 1], axis=1),
        np.arange(number + 1) + number + 1,
        2 * (number + 1) + np.stack([own, own + 1], axis=1),
        np.tile(np.eye(3), (number, 1, 1)),
        made,
        np.zeros((number, 12), dtype=bool),
        E,
        NU,
    )


def resultants(lines: LineBlock, stretch: float, turn: tuple[float, float]) -> np.ndarray:
    """N, My, Mz of an element that is stretched and bent evenly, by small and smaller turns of both
    ends with opposite sign."""
    memory = lines.remember(IDEAL)
    motion, rotation = np.zeros((6, 3)), np.tile(np.eye(3), (6, 1, 1))
    length = lines.nodes[1, 0]
    for part in np.linspace(0.1, 1.0, 10):
        motion[1, 0] = part * stretch * length
        for end, sign in ((2, -1.0), (3, 1.0)):
            half = 0.5 * length * sign * part
            rotation[end] = exponential(np.array([[0.0, turn[0] * half, turn[1] * half]]))[0]
        force, _ = answer(lines, motion, rotation, memory)
        memory.accept()
    return np.array([force[0, 2, 0], force[0, 3, 1], force[0, 3, 2]])


@pytest.mark.parametrize("pull", [0.0, 0.2, 0.5, 0.8])
@pytest.mark.parametrize("about", [0, 1])
def test_a_bar_carries_what_its_full_plastic_state_does(pull: float, about: int) -> None:
    """M = M_pl (1 - (N / N_pl)²) of a rectangle; the stretch that leaves this N at a large
    curvature puts the neutral axis at n h / 2 off the middle."""
    h = (30.0, 50.0)[1 - about] if about else 50.0
    h = 50.0 if about == 0 else 30.0
    curvature = 80 * FY / E / (h / 2)
    turn = (curvature, 0.0) if about == 0 else (0.0, curvature)
    normal, *moments = resultants(straight(BAR), pull * curvature * h / 2, turn)
    wide = 1500.0 / h
    full = FY * wide * h**2 / 4
    share = normal / (FY * 1500.0)
    assert share == pytest.approx(pull, abs=0.06)  # half a row of fibres each way
    assert moments[about] == pytest.approx(full * (1 - share**2), abs=0.01 * full)
    assert abs(moments[1 - about]) < 0.02 * full


def test_its_moment_falls_short_by_what_stays_elastic() -> None:
    """M = M_pl (1 - (κ_y / κ)² / 3) of a rectangle (Timoshenko 1956)."""
    for times in (1.2, 2.0, 5.0):
        _, moment, _ = resultants(straight(BAR), 0.0, (times * FY / E / 25.0, 0.0))
        full = FY * 30.0 * 50.0**2 / 4
        assert moment == pytest.approx(full * (1 - 1 / times**2 / 3), rel=0.006)


def test_fibres_have_the_moments_of_the_section() -> None:
    for made in (BAR, CHANNEL, section("round tube", diameter=60.0, thickness=2.0)):
        y, z, omega, area = made.fibres.T
        assert area.sum() == pytest.approx(made.area, rel=1e-9)
        for first in (y, z, omega):
            assert abs(area @ first) < 1e-6 * area @ np.abs(first)
        assert 0.98 * made.i_y < area @ z**2 <= made.i_y * (1 + 1e-9)
        assert 0.98 * made.i_z < area @ y**2 <= made.i_z * (1 + 1e-9)
        if made is CHANNEL:  # of a tube of many sides it is what its sides make of it
            assert 0.95 * made.warping < area @ omega**2 <= made.warping * (1 + 1e-9)
        rows = straight(made)._fibres.rows
        gram = (rows * area[:, None]).T @ rows
        assert np.diag(gram)[:3] == pytest.approx([made.area, made.i_y, made.i_z], rel=1e-9)
        assert np.abs(gram[:3, :3] - np.diag(np.diag(gram)[:3])).max() < 1e-9 * made.i_y
