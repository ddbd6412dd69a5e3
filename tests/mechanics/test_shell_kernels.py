"""The compiled shells against the same formulation in NumPy, on drawn elements."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from labilis.mechanics import shell
from tests.mechanics import shell_by_forms


def drawn(n: int, seed: int, warp: float, count: int = 5) -> tuple[shell.ShellGeometry, np.ndarray]:
    """Irregular, warped elements with tilted directors, and their stiffness."""
    random = np.random.default_rng(seed)
    flat = np.array([[0.0, 0, 0], [10, 1, 0], [11, 8, 0], [-1, 7, 0]])[:n]
    nodes = flat + random.uniform(-1, 1, (count, n, 3)) * np.array([1.5, 1.5, warp])
    nodes = nodes.reshape(-1, 3) + np.array([900.0, -300, 50])
    elements = random.permutation(count * n).reshape(count, n)
    nodes[elements.ravel()] = nodes.copy()
    tilt = shell.exponential(0.1 * random.standard_normal((count, n, 3)))
    triads = shell.flat_triads(nodes[elements]) @ np.swapaxes(tilt, -1, -2)
    thickness, offset = random.uniform(0.3, 3, count), random.uniform(-1, 1, count)
    geometry = shell.shell_geometry(nodes, elements, thickness, offset, triads)
    return geometry, shell.section_stiffness(70e3, 0.33, thickness, offset)


def near(found: np.ndarray, expected: np.ndarray, scale: float | None = None) -> bool:
    largest = np.abs(expected).max() if scale is None else scale
    return bool(np.abs(found - expected).max() <= 1e-11 * largest)


@pytest.mark.parametrize("n", [3, 4])
@given(
    seed=st.integers(0, 10_000),
    warp=st.floats(0, 3),
    motion=st.floats(1e-6, 3),
    turn=st.floats(1e-6, 2.5),
)
def test_strains_forces_and_tangents(
    n: int, seed: int, warp: float, motion: float, turn: float
) -> None:
    geometry, c = drawn(n, seed, warp)
    random = np.random.default_rng(seed + 1)
    u = motion * random.standard_normal((*geometry.elements.shape, 3))
    r = shell.exponential(turn * random.standard_normal((*geometry.elements.shape, 3)))
    initial = 50 * random.standard_normal((*geometry.area.shape, 9))
    strain, force, tangent = shell_by_forms.forces_and_tangent(geometry, c, u, r, initial)
    state = shell.shell_state(geometry, c, u, r, initial)
    # the NumPy forms subtract products of lengths in mm: what is left of their digits
    assert near(state.strain, strain, max(float(np.abs(strain).max()), 1.0))
    f, k, resultant = shell.forces_and_tangent(geometry, c, u, r, True, initial)
    assert k is not None and near(f, force, max(np.abs(force).max(), np.abs(c).max()))
    assert near(k, tangent)
    assert np.array_equal(resultant, state.resultant)
    alone, none, _ = shell.forces_and_tangent(geometry, c, u, r, False, initial)
    assert none is None and near(alone, f)


@pytest.mark.parametrize("n", [3, 4])
@given(seed=st.integers(0, 10_000), warp=st.floats(0, 3))
def test_at_rest(n: int, seed: int, warp: float) -> None:
    geometry, c = drawn(n, seed, warp)
    zero = np.zeros((*geometry.elements.shape, 3))
    still = np.zeros((*geometry.area.shape, 9))
    state = 50 * np.random.default_rng(seed + 2).standard_normal(still.shape)
    assert near(
        shell.at_rest(geometry, c)[1],
        shell_by_forms.forces_and_tangent(geometry, c, zero, None, still)[2],
    )
    _, force, k_g = shell_by_forms.forces_and_tangent(geometry, c, zero, None, state, False)
    found = shell.at_rest(geometry, c, state)
    assert near(found[0], force) and near(found[1], k_g)
    assert near(shell.at_rest(geometry, c, state, with_tangent=False)[0], force)


@pytest.mark.parametrize("n", [3, 4])
def test_a_section_that_yields_is_taken_point_by_point(n: int) -> None:
    """Section tangents that differ between the points of one element, with coupling."""
    geometry, c = drawn(n, 7, 1.0)
    random, points = np.random.default_rng(8), geometry.area.shape[1]
    u = 0.01 * random.standard_normal((*geometry.elements.shape, 3))
    law = np.repeat(c[:, None], points, axis=1)
    mixed = random.standard_normal((len(c), points, 6, 6))
    law[:, :, :6, :6] += 1e3 * (mixed + np.swapaxes(mixed, 2, 3))
    r = shell.exponential(0.02 * random.standard_normal((*geometry.elements.shape, 3)))

    def yielding(strain: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        return np.einsum("mgjk,mgk->mgj", law, strain), law

    def force(step: np.ndarray) -> np.ndarray:
        return shell.forces_and_tangent(geometry, c, u + step, r, False, law=yielding)[0]

    k = shell.forces_and_tangent(geometry, c, u, r, law=yielding)[1]
    assert k is not None
    way = random.standard_normal(u.shape)
    slope = (force(1e-6 * way) - force(-1e-6 * way)) / 2e-6
    motion = np.concatenate([way, 0 * way], axis=2).reshape(len(u), -1)
    assert near(np.einsum("mij,mj->mi", k, motion), slope, 1e4 * np.abs(slope).max())


@pytest.mark.parametrize("n", [3, 4])
@settings(max_examples=30)  # five columns and two ways each
@given(seed=st.integers(0, 10_000), warp=st.floats(0, 3))
def test_linear_strains_of_one_motion_and_of_many(n: int, seed: int, warp: float) -> None:
    """Against the derivative of the NumPy strains at rest, which are of second degree in motions
    but for the turns of directors: differences of small steps."""
    geometry, c = drawn(n, seed, warp)
    motions = np.random.default_rng(seed + 3).standard_normal((*geometry.elements.shape, 6, 5))
    motions[:, :, 3:] *= 0.1
    still = np.zeros((*geometry.area.shape, 9))
    found = shell.linear_strain(geometry, motions.reshape(len(motions), -1, 5))
    step = 1e-4
    for column in range(5):
        u, turn = step * motions[:, :, :3, column], step * motions[:, :, 3:, column]
        plus, minus = (
            shell_by_forms.forces_and_tangent(
                geometry, c, way * u, shell.exponential(way * turn), still
            )[0]
            for way in (1, -1)
        )
        assert np.abs(found[..., column] - (plus - minus) / (2 * step)).max() < 1e-6 * max(
            np.abs(found[..., column]).max(), 1.0
        )
        alone = shell.linear_strain(geometry, motions[..., column].reshape(len(motions), -1, 1))
        assert near(alone[..., 0], found[..., column], 1.0)
