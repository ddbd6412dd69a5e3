"""Tetrahedra: tangent against differences, geometric stiffness, rigid motions, patch test."""

import numpy as np
import pytest

from labilis.mechanics import bricks, loads, solid, tetrahedra
from labilis.mechanics.assembly import assemble, full, make_pattern
from labilis.mechanics.material import isotropic
from labilis.mechanics.solid_families import FAMILIES, family
from labilis.results.stress_measures import von_mises

D = isotropic(210e3, 0.3)
CORNERS = np.array([[0.0, 0, 0], [2.1, 0.2, 0.1], [0.3, 1.8, -0.2], [0.4, 0.3, 1.6]])


def element(n_nodes: int, curved: bool = True) -> np.ndarray:
    """One distorted element; mid-sides off the straight line when curved."""
    if n_nodes == 4:
        return CORNERS
    if n_nodes > 10:
        nodes, sides = (
            (bricks.WEDGE_NODES, bricks.WEDGE_SIDES)
            if n_nodes == 15
            else (bricks.HEX_NODES, bricks.HEX_SIDES)
        )
        count = n_nodes - len(sides)
        corners = nodes[:count] + 0.12 * np.random.default_rng(4).standard_normal((count, 3))
        mids = corners[sides].mean(axis=1)
        bend = 0.04 * np.random.default_rng(3).standard_normal(mids.shape) if curved else 0.0
        return np.concatenate([corners, mids + bend])
    mids = CORNERS[tetrahedra.SIDES].mean(axis=1)
    bend = 0.06 * np.random.default_rng(3).standard_normal(mids.shape) if curved else 0.0
    return np.concatenate([CORNERS, mids + bend])


def parts(n_nodes: int) -> tuple[np.ndarray, np.ndarray]:
    nodes = element(n_nodes)
    g = solid.geometry(nodes, np.arange(n_nodes)[None])
    return g.gradient, g.weight


@pytest.mark.parametrize("n_nodes", sorted(FAMILIES))
def test_tangent_is_the_derivative_of_the_residual(n_nodes: int) -> None:
    gradient, weight = parts(n_nodes)
    rng = np.random.default_rng(1)
    u = 0.2 * rng.standard_normal((1, n_nodes, 3))
    s0 = 50 * rng.standard_normal((1, gradient.shape[1], 6))
    _, tangent = solid.residual_and_tangent(gradient, weight, u, D, s0)
    step, numeric = 1e-6, np.zeros((3 * n_nodes, 3 * n_nodes))
    for column in range(3 * n_nodes):
        shift = np.zeros(3 * n_nodes)
        shift[column] = step
        shift = shift.reshape(1, n_nodes, 3)
        plus, _ = solid.residual_and_tangent(gradient, weight, u + shift, D, s0)
        minus, _ = solid.residual_and_tangent(gradient, weight, u - shift, D, s0)
        numeric[:, column] = (plus - minus)[0] / (2 * step)
    assert np.abs(tangent[0] - numeric).max() < 1e-6 * np.abs(numeric).max()


@pytest.mark.parametrize("n_nodes", sorted(FAMILIES))
def test_geometric_stiffness_against_the_stressed_undeformed_residual(n_nodes: int) -> None:
    gradient, weight = parts(n_nodes)
    stress = 100 * np.random.default_rng(2).standard_normal((1, gradient.shape[1], 6))
    k_g = solid.on_each_axis(solid.geometric_block(gradient, weight, stress))[0]
    step, numeric = 1e-5, np.zeros_like(k_g)
    for column in range(3 * n_nodes):
        shift = np.zeros(3 * n_nodes)
        shift[column] = step
        shift = shift.reshape(1, n_nodes, 3)
        none = np.zeros(
            (6, 6)
        )  # the material's own answer out of the way: what is left is the stress part
        plus, _ = solid.residual_and_tangent(gradient, weight, shift, none, stress)
        minus, _ = solid.residual_and_tangent(gradient, weight, -shift, none, stress)
        numeric[:, column] = (plus - minus)[0] / (2 * step)
    assert np.abs(k_g - numeric).max() < 1e-6 * np.abs(numeric).max()


@pytest.mark.parametrize("n_nodes", sorted(FAMILIES))
def test_stiffness_is_the_tangent_at_rest(n_nodes: int) -> None:
    gradient, weight = parts(n_nodes)
    _, tangent = solid.residual_and_tangent(gradient, weight, np.zeros((1, n_nodes, 3)), D)
    assert np.allclose(solid.stiffness(gradient, weight, D), tangent, rtol=1e-13, atol=1e-9)


@pytest.mark.parametrize("n_nodes", sorted(FAMILIES))
def test_six_motions_without_energy_and_no_more(n_nodes: int) -> None:
    gradient, weight = parts(n_nodes)
    values = np.linalg.eigvalsh(solid.stiffness(gradient, weight, D)[0])
    assert (np.abs(values) < 1e-9 * values[-1]).sum() == 6


def test_two_hexahedra_hold_each_other() -> None:
    first = bricks.HEX_NODES
    places = np.concatenate([first, first + np.array([2.0, 0, 0])])
    unique, inverse = np.unique(places.round(9), axis=0, return_inverse=True)
    elements = inverse.reshape(2, 20)
    rng = np.random.default_rng(6)
    g = solid.geometry(unique + 0.03 * rng.standard_normal(unique.shape), elements)
    k = full(
        assemble(
            make_pattern(len(unique), elements),
            [(0, slice(0, 2), solid.stiffness(g.gradient, g.weight, D))],
        )
    ).toarray()
    values = np.linalg.eigvalsh(k)
    assert (np.abs(values) < 1e-9 * values[-1]).sum() == 6


def rotation(axis: np.ndarray, angle: float) -> np.ndarray:
    axis = axis / np.linalg.norm(axis)
    cross = np.array([[0, -axis[2], axis[1]], [axis[2], 0, -axis[0]], [-axis[1], axis[0], 0]])
    return np.eye(3) + np.sin(angle) * cross + (1 - np.cos(angle)) * cross @ cross


@pytest.mark.parametrize("n_nodes", sorted(FAMILIES))
def test_a_large_rigid_turn_gives_no_strain(n_nodes: int) -> None:
    gradient, weight = parts(n_nodes)
    nodes = element(n_nodes)
    u = (nodes @ rotation(np.array([1.0, 2, -1]), 1.9).T + np.array([3.0, -1, 2]) - nodes)[None]
    strain = solid.green_strain(solid.deformation_gradient(gradient, u))
    residual, _ = solid.residual_and_tangent(gradient, weight, u, D)
    assert np.abs(strain).max() < 1e-13
    assert np.abs(residual).max() < 1e-7


@pytest.mark.parametrize("n_nodes", sorted(FAMILIES))
def test_constant_strain_is_exact(n_nodes: int) -> None:
    gradient, _ = parts(n_nodes)
    nodes = element(n_nodes, curved=True)
    h = 1e-3 * np.array([[1.0, 0.4, -0.2], [0.1, -0.5, 0.3], [0.6, 0.2, 0.8]])
    stress = solid.linear_stress(gradient, (nodes @ h.T)[None], D)
    strain = np.array(
        [h[0, 0], h[1, 1], h[2, 2], h[0, 1] + h[1, 0], h[1, 2] + h[2, 1], h[2, 0] + h[0, 2]]
    )
    assert np.allclose(stress, strain @ D, rtol=1e-11)


@pytest.mark.parametrize(
    ("n_nodes", "nodes", "shape", "gradient", "volume"),
    [
        (15, bricks.WEDGE_NODES, bricks.wedge_shape, bricks.wedge_gradient, 1.0),
        (20, bricks.HEX_NODES, bricks.hex_shape, bricks.hex_gradient, 8.0),
    ],
)
def test_bricks_interpolate(
    n_nodes: int, nodes: np.ndarray, shape, gradient, volume: float
) -> None:  # type: ignore[no-untyped-def]
    assert np.allclose(shape(nodes), np.eye(n_nodes), atol=1e-13)
    rng = np.random.default_rng(8)
    points = rng.uniform(0.1, 0.4, (5, 3))
    for axis in range(3):
        step = np.zeros(3)
        step[axis] = 1e-6
        numeric = (shape(points + step) - shape(points - step)) / 2e-6
        assert np.allclose(gradient(points)[..., axis], numeric, atol=1e-8)
    quadratic = np.concatenate(
        [nodes, nodes**2, nodes * np.roll(nodes, 1, axis=1)], axis=1
    )  # complete to second order
    expected = np.concatenate([points, points**2, points * np.roll(points, 1, axis=1)], axis=1)
    assert np.allclose(shape(points) @ quadratic, expected)
    kind = family(n_nodes)
    assert kind.weights.sum() == pytest.approx(volume)
    linear = nodes @ np.array([1.0, -2.0, 0.5]) + 3.0
    assert np.allclose(kind.extrapolation @ (kind.values @ linear), linear)


def test_shape_functions_sum_to_one_and_extrapolation_is_linear() -> None:
    points, weights = tetrahedra.quadrature(10)
    assert np.allclose(tetrahedra.shape(10, points).sum(axis=1), 1)
    assert weights.sum() == pytest.approx(1 / 6)
    linear = points @ np.array([1.0, -2.0, 3.0, 0.5])
    nodal = tetrahedra.extrapolation(10) @ linear
    assert np.allclose(nodal[:4], [1.0, -2.0, 3.0, 0.5])
    assert nodal[4] == pytest.approx(-0.5)


def test_inside_out_element_is_refused() -> None:
    with pytest.raises(ValueError, match="inside out"):
        solid.geometry(CORNERS, np.array([[1, 0, 2, 3]]))


def test_von_mises_of_known_states() -> None:
    assert von_mises(np.array([100.0, 0, 0, 0, 0, 0])) == pytest.approx(100)
    assert von_mises(np.array([0, 0, 0, 50.0, 0, 0])) == pytest.approx(50 * np.sqrt(3))
    assert von_mises(np.array([7.0, 7, 7, 0, 0, 0])) == pytest.approx(0, abs=1e-12)


def test_elasticity_refuses_an_incompressible_material() -> None:
    with pytest.raises(ValueError, match="Poisson"):
        isotropic(210e3, 0.5)


@pytest.mark.parametrize("n_nodes", [3, 6])
def test_pressure_and_traction_on_a_flat_triangle(n_nodes: int) -> None:
    corners = np.array([[0.0, 0, 0], [4, 0, 0], [0, 3, 0]])
    nodes = (
        corners
        if n_nodes == 3
        else np.concatenate([corners, corners[[[0, 1], [1, 2], [2, 0]]].mean(axis=1)])
    )
    triangle = np.arange(n_nodes)[None]
    pressed = loads.pressure(nodes, triangle, 2.0)
    assert np.allclose(pressed.sum(axis=0), [0, 0, -12.0])
    weights, _ = loads.face_weights(nodes, triangle)
    spread = loads.traction(nodes, weights, triangle, np.array([5.0, -1, 2]))
    assert np.allclose(spread.sum(axis=0), [5, -1, 2])
    if n_nodes == 6:  # a constant traction on a straight six-node triangle rests on its mid-sides
        assert np.allclose(weights[0, :3], 0, atol=1e-12)
        assert np.allclose(weights[0, 3:], 2.0)


def test_line_load_rests_on_a_segment_like_simpson() -> None:
    nodes = np.array([[0.0, 0, 0], [6, 0, 0], [3, 0, 0]])
    assert np.allclose(loads.edge_weights(nodes, np.array([[0, 1, 2]])), [[1, 1, 4]])


@pytest.mark.parametrize("n_nodes", sorted(FAMILIES))
def test_path_derivative_against_differences_of_the_tangent(n_nodes: int) -> None:
    gradient, weight = parts(n_nodes)
    u = 1e-2 * np.random.default_rng(9).standard_normal((1, n_nodes, 3))
    step = 1e-3
    plus = solid.residual_and_tangent(gradient, weight, step * u, D)[1]
    minus = solid.residual_and_tangent(gradient, weight, -step * u, D)[1]
    numeric = (plus - minus) / (2 * step)
    assert (
        np.abs(solid.path_derivative(gradient, weight, u, D) - numeric).max()
        < 1e-6 * np.abs(numeric).max()
    )


@pytest.mark.parametrize("n_nodes", [3, 6])
def test_following_pressure_against_differences(n_nodes: int) -> None:
    corners = np.array([[0.0, 0, 0], [4, 0.5, 0.2], [0.3, 3, -0.1]])
    nodes = (
        corners
        if n_nodes == 3
        else np.concatenate([corners, corners[[[0, 1], [1, 2], [2, 0]]].mean(axis=1) + 0.1])
    )
    triangle = np.arange(n_nodes)[None]
    found = loads.following_stiffness(nodes, triangle, 2.0)[0]
    numeric = np.zeros_like(found)
    for column in range(3 * n_nodes):
        step = np.zeros(3 * n_nodes)
        step[column] = 1e-6
        step = step.reshape(-1, 3)
        numeric[:, column] = (
            -(
                loads.pressure(nodes + step, triangle, 2.0)
                - loads.pressure(nodes - step, triangle, 2.0)
            ).ravel()
            / 2e-6
        )
    assert np.abs(found - numeric).max() < 1e-6 * np.abs(numeric).max()


def test_a_thin_hexahedron_bends_freely_and_none_of_its_motions_is_free() -> None:
    """A slender bent bar of a few hexahedra, 36 % too stiff with a rule of degree 5; 2 x 2 x 2
    points leave motions without energy."""
    from validation.corpus.one import run_part

    coarse, exact = (run_part("curved strap", 7, 0, way)["factor"] for way in ("solid", "shell"))
    assert coarse == pytest.approx(exact, rel=0.05)
    values = np.linalg.eigvalsh(solid.stiffness(*parts(20), D)[0])
    assert values[6] > 1e-4 * values[-1]
