"""Elimination of supports and hubs."""

import numpy as np
import pytest
from scipy import sparse

from labilis.mechanics.assembly import assemble, full, make_pattern, times
from labilis.mechanics.ties import (
    HeldNodes,
    StiffHub,
    TieConflict,
    free_motions,
    make_ties,
    null_space,
)
from labilis.solve.modes import find_modes

PLACES = np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1], [2, 1, 0], [1, 2, 1]])
RNG = np.random.default_rng(5)


def symmetric(n: int) -> np.ndarray:
    a = RNG.standard_normal((n, n))
    return a @ a.T + n * np.eye(n)


def dense_t(ties: object) -> np.ndarray:
    return np.stack([ties.expand(row) for row in np.eye(ties.size)], axis=1)  # type: ignore[attr-defined]


def example() -> tuple:
    skew = np.array([1.0, 1.0, 0.5]) / 1.5
    held = [
        HeldNodes(np.array([0]), np.eye(3)[None], 0),
        HeldNodes(np.array([1]), skew[None, None], 1),
    ]
    hub = StiffHub(np.array([3, 4]), np.array([1.0, 0.5, 0.5]), np.eye(6)[[2, 3]], (2, 2))
    return held, hub, make_ties(PLACES, held, [hub])


def test_held_and_tied_motions() -> None:
    held, _, ties = example()
    u = ties.expand(RNG.standard_normal(ties.size)).reshape(-1, 3)
    assert np.allclose(u[0], 0)
    assert u[1] @ held[1].directions[0, 0] == pytest.approx(0, abs=1e-14)
    apart = PLACES[4] - PLACES[3]
    assert (u[4] - u[3]) @ apart == pytest.approx(0, abs=1e-13)  # rigid: no stretch to first order
    assert (
        ties.size == 2 * 3 + 2 + 4
    )  # two free nodes, one held in one direction, a hub held in two of six


def test_reduction_equals_the_dense_product() -> None:
    _, _, ties = example()
    k = symmetric(18)
    t = dense_t(ties)
    reduced = full(ties.reduce_matrix(sparse.csr_matrix(np.triu(k)))).toarray()
    assert np.allclose(reduced, t.T @ k @ t, atol=1e-11)
    f = RNG.standard_normal(18)
    assert np.allclose(ties.reduce_vector(f), t.T @ f)


def test_symmetric_product_from_the_upper_triangle() -> None:
    k = symmetric(12)
    x = RNG.standard_normal((12, 3))
    assert np.allclose(times(sparse.csr_matrix(np.triu(k)), x), k @ x)


def test_assembly_equals_a_plain_sum() -> None:
    elements = np.array([[0, 2, 1, 3], [5, 1, 2, 4], [3, 0, 5, 2]])
    blocks = np.stack([symmetric(12) for _ in elements])
    expected = np.zeros((18, 18))
    for element, block in zip(elements, blocks):
        dofs = (3 * element[:, None] + np.arange(3)).ravel()
        expected[np.ix_(dofs, dofs)] += block
    pattern = make_pattern(6, elements)
    assert np.allclose(
        full(
            assemble(pattern, [(0, slice(0, 2), blocks[:2]), (0, slice(2, 3), blocks[2:])])
        ).toarray(),
        expected,
    )
    scalar = np.stack([symmetric(4) for _ in elements])
    wide = np.einsum("mab,ij->maibj", scalar, np.eye(3)).reshape(3, 12, 12)
    assert np.allclose(
        assemble(pattern, [(0, slice(0, 3), scalar)]).toarray(),
        assemble(pattern, [(0, slice(0, 3), wide)]).toarray(),
    )


def test_null_space_keeps_axes_when_held_along_axes() -> None:
    free, held = null_space(np.array([[0.0, 1.0, 0.0]]))
    assert np.allclose(free, np.eye(3)[:, [0, 2]])
    assert held.shape == (3, 1)


def test_conflicts_are_named() -> None:
    hub = StiffHub(np.array([0, 1]), np.zeros(3))
    with pytest.raises(TieConflict) as caught:
        make_ties(PLACES, [HeldNodes(np.array([1]), np.eye(3)[None], 0)], [hub])
    assert list(caught.value.nodes) == [1]
    with pytest.raises(TieConflict, match="two hubs"):
        make_ties(PLACES, [], [hub, StiffHub(np.array([1, 2]), np.zeros(3))])


@pytest.mark.parametrize(
    ("rows", "count"), [(np.eye(3), 3), (np.eye(3)[:1], 5), (np.eye(3)[:0], 6)]
)
def test_free_motions_of_one_held_node(rows: np.ndarray, count: int) -> None:
    held = [HeldNodes(np.array([0]), rows[None], 0)] if len(rows) else []
    assert len(free_motions(PLACES, held, [])) == count


def test_free_motions_leave_held_points_where_they_are() -> None:
    held = [HeldNodes(np.array([0, 1]), np.broadcast_to(np.eye(3), (2, 3, 3)), 0)]
    free = free_motions(PLACES, held, [])
    assert len(free) == 1  # the turn about the line through both nodes
    centre = PLACES.mean(axis=0)
    for node in (0, 1):
        assert np.allclose(free[0, :3] + np.cross(free[0, 3:], PLACES[node] - centre), 0, atol=1e-9)


def test_a_hub_held_in_all_ways_leaves_nothing_free() -> None:
    hub = StiffHub(np.array([0, 1, 2]), PLACES[:3].mean(axis=0), np.eye(6), (0,) * 6)
    assert len(free_motions(PLACES, [], [hub])) == 0


def test_rigid_arm_on_a_torsion_spring() -> None:
    """Arm of length a on a spring k, force at its tip: factor k / (P a) (Timoshenko and Gere
    1961, article 2.1)."""
    arm, spring, push = 250.0, 4.0e5, 1000.0
    places = np.array([[0.0, 0, 0], [0, 0, arm]])
    hub = StiffHub(np.array([0, 1]), places[0], np.eye(6)[[0, 1, 2, 4, 5]], (0,) * 5)
    ties = make_ties(places, [], [hub])
    force = np.zeros(6)
    force[5] = -push
    k = sparse.csr_matrix(np.array([[spring]]))
    k_g = ties.geometric(-force)  # internal = K u - f, and nothing else holds the arm
    found = find_modes(k, None, k_g, 1)  # type: ignore[arg-type]
    assert found.factors[0] == pytest.approx(spring / (push * arm), rel=1e-12)


def test_geometric_stiffness_is_the_second_derivative_of_the_work() -> None:
    places = RNG.standard_normal((5, 3))
    hub = StiffHub(np.arange(5), np.array([0.1, -0.2, 0.3]))
    ties = make_ties(places, [], [hub])
    forces = RNG.standard_normal((5, 3))

    def turn(theta: np.ndarray) -> np.ndarray:
        angle = float(np.linalg.norm(theta))
        if angle == 0:
            return np.eye(3)
        n = theta / angle
        c = np.array([[0, -n[2], n[1]], [n[2], 0, -n[0]], [-n[1], n[0], 0]])
        return np.eye(3) + np.sin(angle) * c + (1 - np.cos(angle)) * c @ c

    def work(theta: np.ndarray) -> float:
        arms = places - hub.centre
        return float((forces * (arms @ turn(theta).T - arms)).sum())

    step, numeric = 1e-4, np.zeros((3, 3))
    unit = step * np.eye(3)
    for i in range(3):
        for j in range(3):
            numeric[i, j] = (
                work(unit[i] + unit[j])
                - work(unit[i] - unit[j])
                - work(unit[j] - unit[i])
                + work(-unit[i] - unit[j])
            ) / (4 * step**2)
    found = full(ties.geometric(forces.ravel())).toarray()[3:, 3:]
    assert np.allclose(found, numeric, atol=1e-6 * np.abs(numeric).max())


def test_turning_hubs_against_differences() -> None:
    """T(λ)ᵀ K T(λ) with the hub's arms turned by λ times its motion, derived at λ = 0."""
    _, _, ties = example()
    k = symmetric(18)
    q = 0.1 * RNG.standard_normal(ties.size)
    upper = sparse.csr_matrix(np.triu(k))
    found = full(ties.reduce_turning(upper, q)).toarray()

    def reduced(scale: float) -> np.ndarray:
        t = dense_t(ties)
        hub, where, basis = ties.hubs[0], ties.hub_slices[0], ties.hub_bases[0]
        arms = PLACES[hub.nodes] - hub.centre
        turned = arms + scale * np.cross(basis[3:] @ q[where], arms)
        block = (
            np.concatenate(
                [
                    np.concatenate(
                        [np.eye(3), -np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])], axis=1
                    )
                    for x, y, z in turned
                ]
            )
            @ basis
        )
        rows = (3 * hub.nodes[:, None] + np.arange(3)).ravel()
        t[np.ix_(rows, np.arange(where.start, where.stop))] = block
        return t.T @ k @ t

    numeric = (reduced(1e-4) - reduced(-1e-4)) / 2e-4
    assert np.abs(found - numeric).max() < 1e-7 * np.abs(numeric).max()
