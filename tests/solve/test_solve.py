"""Factorisation back ends, block Lanczos, pivot counts."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import linalg, sparse

from labilis.solve import factor as factor_module
from labilis.solve import mkl
from labilis.solve.factor import NotPositive, SuperLuFactor, factor
from labilis.solve.lanczos import block_lanczos
from labilis.solve.mkl import library
from labilis.solve.modes import count_below, find_modes, first_factor

RNG = np.random.default_rng(11)


def pencil(
    n: int, repeated: bool = False
) -> tuple[sparse.csr_matrix, sparse.csr_matrix, np.ndarray]:
    """Sparse-like K, K_G with known factors, both signs."""
    q = np.linalg.qr(RNG.standard_normal((n, n)))[0]
    mu = np.concatenate([1.0 / np.linspace(1, 60, n // 2), -1.0 / np.linspace(1.5, 40, n - n // 2)])
    if repeated:
        mu[1] = mu[0]
    root = q @ np.diag(np.sqrt(np.linspace(1, 50, n))) @ q.T
    k = root @ root
    k_g = -root @ (q @ np.diag(mu) @ q.T) @ root
    return sparse.csr_matrix(np.triu(k)), sparse.csr_matrix(np.triu(k_g)), 1.0 / mu


@pytest.mark.parametrize("make", [factor, SuperLuFactor])
def test_factor_solves_and_counts(make: object) -> None:
    a = RNG.standard_normal((40, 40))
    spd = a @ a.T + 40 * np.eye(40)
    b = RNG.standard_normal((40, 3))
    solver = make(sparse.csr_matrix(np.triu(spd)), True)  # type: ignore[operator]
    assert np.allclose(solver.solve(b), np.linalg.solve(spd, b))
    assert np.allclose(solver.solve(b[:, 0]), np.linalg.solve(spd, b[:, 0]))
    shifted = spd - 60 * np.eye(40)
    indefinite = make(sparse.csr_matrix(np.triu(shifted)), False)  # type: ignore[operator]
    assert indefinite.negative_pivots == (np.linalg.eigvalsh(shifted) < 0).sum()
    with pytest.raises(NotPositive):
        make(sparse.csr_matrix(np.triu(shifted)), True)  # type: ignore[operator]


def test_two_factors_share_one_analysis() -> None:
    if library() is None:
        pytest.skip("no MKL here")
    a = RNG.standard_normal((40, 40))
    spd, b = a @ a.T + 40 * np.eye(40), RNG.standard_normal((40, 2))
    first = factor(sparse.csr_matrix(np.triu(spd)))
    for shift in (60.0, 90.0):  # the place of one that was given back is used again
        other = factor(
            sparse.csr_matrix(np.triu(spd - shift * np.eye(40))), positive=False, like=first
        )
        assert other.analysis_s == 0.0  # type: ignore[attr-defined]
        assert other.negative_pivots == (np.linalg.eigvalsh(spd) < shift).sum()
        assert np.allclose(other.solve(b), np.linalg.solve(spd - shift * np.eye(40), b))
        assert np.allclose(first.solve(b), np.linalg.solve(spd, b))
        other.free()
    one, two = (
        factor(sparse.csr_matrix(np.triu(spd * scale)), like=first) for scale in (2.0, 3.0)
    )  # no room for the last
    first.free()
    assert np.allclose(one.solve(b), np.linalg.solve(2 * spd, b)) and np.allclose(
        two.solve(b), np.linalg.solve(3 * spd, b)
    )


def test_a_small_pivot_that_is_no_zero_does_not_spoil_the_solution() -> None:
    a = np.array(
        [[1e-16, 1.0, 0.0], [1.0, 1e-16, 0.0], [0.0, 0.0, 2.0]]
    )  # fine with rows exchanged
    found = factor(sparse.csr_matrix(np.triu(a)), positive=False)
    assert np.allclose(found.solve(np.array([1.0, 2.0, 4.0])), [2.0, 1.0, 2.0], atol=1e-6)
    if library() is not None:  # the other factor of the analysis pivots in its own way
        easy = np.array([[3.0, 1.0, 0.0], [1.0, 2.0, 0.0], [0.0, 0.0, 2.0]])
        other = factor(sparse.csr_matrix(np.triu(easy)), positive=False, like=found)
        back = factor(sparse.csr_matrix(np.triu(easy)), positive=True)
        again = factor(sparse.csr_matrix(np.triu(a)), positive=False, like=back)
        for solver, matrix in ((found, a), (other, easy), (back, easy), (again, a)):
            assert np.allclose(
                matrix @ solver.solve(np.array([1.0, 2.0, 4.0])), [1.0, 2.0, 4.0], atol=1e-6
            )


@pytest.mark.parametrize("with_mkl", [True, False])
def test_products(with_mkl: bool, monkeypatch: pytest.MonkeyPatch) -> None:
    if not with_mkl:
        monkeypatch.setattr(mkl, "library", lambda: None)
    a, b = RNG.standard_normal((30, 12)), RNG.standard_normal((12, 5))
    for left in (
        a,
        np.asfortranarray(a),
        np.asfortranarray(RNG.standard_normal((30, 20)))[:, :12],
        RNG.standard_normal((60, 12))[::2],
    ):
        for right in (b, np.asfortranarray(b), b[:, :1]):
            assert np.allclose(mkl.product(left, right), left @ right)
            z = RNG.standard_normal((30, right.shape[1]))
            assert np.allclose(mkl.take_away(z.copy(), left, right), z - left @ right)
            assert np.allclose(mkl.product(right.T, left.T), (left @ right).T)
    whole = sparse.random(50, 50, 0.2, random_state=3)
    whole = sparse.csr_matrix(whole + whole.T)
    x = RNG.standard_normal((50, 4))
    times = mkl.Symmetric(sparse.csr_matrix(sparse.triu(whole)))
    assert np.allclose(times(x), whole @ x) and np.allclose(times(np.asfortranarray(x)), whole @ x)


def test_a_factor_repeated_more_often_than_a_block_is_wide() -> None:
    n = 500
    k = sparse.csr_matrix(sparse.eye(n))
    mu = np.concatenate(
        [np.full(9, 0.5), 1 / np.linspace(3, 60, n - 9)]
    )  # eight legs alike, and one more
    found = find_modes(k, factor(k), sparse.csr_matrix(sparse.diags(-mu)), 10)
    assert np.allclose(found.factors, [2.0] * 9 + [3.0]) and all(
        check.holds for check in found.checks
    )


def test_super_lu_takes_over_without_mkl(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(factor_module, "library", lambda: None)
    assert "SuperLU" in factor_module.back_end()
    assert isinstance(factor(sparse.csr_matrix(np.eye(3))), SuperLuFactor)


@pytest.mark.parametrize("both", [False, True])
@pytest.mark.parametrize("repeated", [False, True])
def test_lanczos_finds_the_known_spectrum(both: bool, repeated: bool) -> None:
    k, k_g, factors = pencil(500, repeated)
    kf, gf = (m + sparse.triu(m, 1).T for m in (k, k_g))
    solver = factor(k)
    found = block_lanczos(
        lambda x: -(gf @ x), solver.solve, lambda x: kf @ x, 500, 9, both, block=4
    )
    mu = 1.0 / factors
    expected = mu[np.argsort(-np.abs(mu) if both else -mu)][:9]
    assert np.allclose(found.values, expected, rtol=1e-8)
    x = found.vectors
    assert np.allclose(x.T @ (kf @ x), np.eye(9), atol=1e-8)
    left = solver.solve(-(gf @ x)) - x * found.values
    energy = np.sqrt(np.einsum("ij,ij->j", left, kf @ left)) / np.abs(found.values)
    assert energy.max() < 1e-6


def test_lanczos_restarts_and_still_finds_many() -> None:
    k, k_g, factors = pencil(600)
    kf, gf = (m + sparse.triu(m, 1).T for m in (k, k_g))
    solver = factor(k)
    found = block_lanczos(
        lambda x: -(gf @ x), solver.solve, lambda x: kf @ x, 600, 40, False, block=2
    )
    assert np.allclose(np.sort(1 / found.values), np.sort(factors[factors > 0])[:40], rtol=1e-7)


def test_low_rank_geometric_stiffness() -> None:
    k = sparse.csr_matrix(np.diag(np.linspace(1, 2, 500)))
    v = RNG.standard_normal((500, 3))
    k_g = sparse.csr_matrix(np.triu(-v @ v.T))
    found = find_modes(k, factor(k), k_g, 8)
    expected = linalg.eigh(v @ v.T, k.toarray(), eigvals_only=True)[-3:]
    assert len(found.factors) >= 3
    assert np.allclose(np.sort(found.factors)[:3], np.sort(1 / expected), rtol=1e-8)


def test_modes_and_completeness() -> None:
    k, k_g, factors = pencil(500)
    found = find_modes(k, factor(k), k_g, 6)
    positive = np.sort(factors[factors > 0])
    assert np.allclose(found.factors, positive[:6], rtol=1e-8)
    check = found.checks[0]
    assert check.holds
    assert check.counted == (positive < check.sigma).sum()
    assert count_below(k, k_g, 20.0) == (positive < 20.0).sum()


def test_modes_of_both_signs_come_by_size() -> None:
    k, k_g, factors = pencil(120)
    found = find_modes(k, factor(k), k_g, 6, both=True)
    assert np.allclose(np.abs(found.factors), np.sort(np.abs(factors))[:6], rtol=1e-9)
    assert (found.factors < 0).any()
    assert all(check.holds for check in found.checks)


def test_no_positive_factor_is_an_answer() -> None:
    k = sparse.csr_matrix(np.eye(30))
    found = find_modes(
        k, factor(k), sparse.csr_matrix(np.eye(30)), 3
    )  # K + lambda K_G only gets stiffer
    assert len(found.factors) == 0


def test_factors_beyond_the_limit_are_left_out() -> None:
    k, k_g, factors = pencil(100)
    found = find_modes(k, factor(k), k_g, 20, largest=5.0)
    assert np.allclose(found.factors, np.sort(factors[(factors > 0) & (factors < 5)]))


def test_ordering_by_groups_gives_the_same_answers() -> None:
    """A grid of nodes with three unknowns each, some nodes with fewer."""
    if library() is None:
        pytest.skip("no MKL here")
    n = 40
    line = sparse.diags([-1.0, 2.1, -1.0], [-1, 0, 1], shape=(n, n))
    grid = sparse.kron(line, sparse.eye(n)) + sparse.kron(sparse.eye(n), line)
    block = np.array([[2.0, 0.3, 0.1], [0.3, 1.5, 0.2], [0.1, 0.2, 1.8]])
    whole = sparse.csr_matrix(sparse.kron(grid, block))
    keep = np.setdiff1d(np.arange(whole.shape[0]), [0, 4, 5, 300])
    matrix = whole[keep][:, keep]
    _, groups = np.unique(keep // 3, return_inverse=True)
    upper = sparse.csr_matrix(sparse.triu(matrix))
    ordering = factor_module.group_ordering(upper, groups)
    assert np.array_equal(np.sort(ordering), np.arange(len(keep)))
    grouped = factor_module.PardisoFactor(upper, True, ordering)
    plain = factor_module.PardisoFactor(upper, True)
    assert grouped.entries < 1.3 * plain.entries
    b = RNG.standard_normal(len(keep))
    assert np.allclose(grouped.solve(b), plain.solve(b))


@pytest.mark.parametrize("near", ["itself", "others", "nothing", "nearly"])
def test_the_first_factor_is_found_from_whatever_it_is_said_to_lie_near(near: str) -> None:
    """Modes that mislead cost time and nothing else: the pivots say that one lies below."""
    k, k_g, factors = pencil(600)
    known = find_modes(k, factor(k), k_g, 24)
    start = {
        "itself": known.vectors[:, :3],
        "others": known.vectors[:, 5:9],
        "nothing": known.vectors[:, :0],
        "nearly": known.vectors[:, :3] + 0.05 * known.vectors[:, 20:23],
    }[near]
    found = first_factor(k, factor(k), k_g, np.inf, start)
    assert found == pytest.approx(factors[factors > 0].min(), rel=1e-6)


def test_no_first_factor_up_to_the_limit_is_told_as_none() -> None:
    k, k_g, factors = pencil(500)
    vectors, least = find_modes(k, factor(k), k_g, 4).vectors, factors[factors > 0].min()
    assert np.isnan(first_factor(k, factor(k), k_g, 0.9 * least, vectors))
    squeezed = sparse.csr_matrix(np.triu(np.eye(500)))  # K + lambda K_G only gets stiffer
    assert np.isnan(first_factor(k, factor(k), squeezed, 1e6, vectors))
    assert first_factor(k, factor(k), k_g, np.inf, vectors[:, 1:]) == pytest.approx(least, rel=1e-6)


@pytest.mark.skipif(library() is None, reason="only MKL tells what it will need")
def test_factors_that_would_not_fit_are_refused_before_they_are_made(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """What is told after looking at the pattern is never less than what is taken then; a system
    without that much free memory says so and goes on."""
    n = 3000
    rows = sparse.random(n, n, 2e-3, random_state=5, format="csr")
    k = sparse.csr_matrix(sparse.triu(rows @ rows.T + sparse.identity(n)))
    k.sort_indices()
    made = factor(k)
    told, taken = made._analysis.memory, made.memory  # type: ignore[attr-defined]
    assert taken <= told <= taken + 2**25
    monkeypatch.setattr(factor_module, "available_memory", lambda: told - 1)
    for like in (None, made):  # a further one of the same pattern takes as much once more
        with pytest.raises(MemoryError, match=r"the factors need .* GiB"):
            factor(k, like=like)
    monkeypatch.setattr(factor_module, "available_memory", lambda: told + 1)
    b = np.ones(n)
    assert np.allclose(factor(k).solve(b), made.solve(b))


@settings(max_examples=12, deadline=None)
@given(
    seed=st.integers(0, 10_000),
    wanted=st.integers(1, 12),
    crowd=st.integers(0, 9),
    apart=st.sampled_from([0.0, 1e-9, 1e-5, 1e-3, 0.02]),
    few=st.booleans(),
    stiff=st.floats(0, 6),
)
def test_factors_of_any_spectrum_come_with_their_proof(
    seed: int, wanted: int, crowd: int, apart: float, few: bool, stiff: float
) -> None:
    """Crowded, repeated, few or many positive ones, K of any condition: those that are there, the
    smallest first, none missing."""
    random, n = np.random.default_rng(seed), 450
    own = np.concatenate(
        [2.0 * (1 + apart * np.arange(crowd)), 2.0 + 40 * np.abs(random.standard_normal(n))]
    )[:n]
    sign = np.where(random.uniform(size=n) < (0.9 if few else 0.5), -1, 1)
    sign[:crowd] = 1
    factors, scale = own * sign, 10.0 ** random.uniform(0, stiff, n)
    turn, _ = np.linalg.qr(random.standard_normal((40, 40)))
    mix = sparse.block_diag([turn] * (n // 40) + [np.eye(n % 40)], format="csr")
    k = sparse.csr_matrix(sparse.triu(mix @ sparse.diags(scale) @ mix.T))
    k_g = sparse.csr_matrix(sparse.triu(mix @ sparse.diags(-scale / factors) @ mix.T))
    found = find_modes(k, factor(k), k_g, wanted)
    positive = np.sort(factors[factors > 0])[:wanted]
    assert len(found.factors) == len(positive)
    assert found.factors == pytest.approx(positive, rel=1e-7)
    assert all(check.holds for check in found.checks)
    for check in found.checks:
        assert check.counted == (np.sort(factors[factors > 0]) < check.sigma).sum()


def test_a_factor_repeated_far_more_often_than_a_block_is_wide_is_proved() -> None:
    """Twenty alike walls: vectors of one Krylov space have four of them in common."""
    n = 600
    k = sparse.csr_matrix(sparse.eye(n))
    mu = np.concatenate([[0.5], np.full(20, 0.2), 1 / np.linspace(7, 90, n - 21)])
    found = find_modes(k, factor(k), sparse.csr_matrix(sparse.diags(-mu)), 4)
    assert found.factors == pytest.approx([2.0, 5.0, 5.0, 5.0])
    assert [(check.counted, check.found) for check in found.checks] == [(21, 21)]
