"""Tᵀ K T in one pattern, against dense products: ties of all kinds, drawn at random."""

import numpy as np
import pytest
from scipy import sparse

from labilis.mechanics.assembly import added, assemble, full, make_pattern
from labilis.mechanics.bonds import bond_follows, spread_follow
from labilis.mechanics.reduction import Reduction
from labilis.mechanics.ties import Follow, HeldNodes, StiffHub, Ties, make_ties

COUNT = 20  # places; as many turns; the last two nodes have no element
KINDS = ["nothing", "held", "hub", "shell", "solid", "spread", "one after another", "on a hub"]


def draw_places(rng: np.random.Generator) -> np.ndarray:
    return np.concatenate(2 * [rng.standard_normal((COUNT, 3))])


def draw_elements(rng: np.random.Generator) -> list[np.ndarray]:
    """Triangles and quadrilaterals with places and turns, and some of places only."""
    nodes = COUNT - 2
    shells = [np.array([rng.permutation(nodes)[:n] for _ in range(8)]) for n in (3, 4)]
    return [
        *(np.concatenate([part, part + COUNT], axis=1) for part in shells),
        np.array([rng.permutation(nodes)[:4] for _ in range(8)]),
    ]


def ties_of(kind: str, places: np.ndarray) -> Ties:
    turn_of = COUNT + np.arange(COUNT)
    held = [HeldNodes(np.array([0, 1]), np.eye(3)[None, [0, 2]].repeat(2, axis=0), 0)]
    hubs: list[StiffHub] = []
    follows: list[Follow] = []
    weights = np.array([[0.4, 0.35, 0.25]])
    on = np.array([[2, 3, 4]])
    if kind == "held":
        held.append(HeldNodes(np.array([5]), np.array([[[0.6, 0.8, 0.0]]]), 1))
    if kind in ("hub", "on a hub"):
        nodes = np.array([4, 6, 7, COUNT - 1])
        hubs = [StiffHub(nodes, places[COUNT - 1], np.eye(6)[[1]], (2,), turn_of[nodes])]
    if kind in ("shell", "one after another", "on a hub"):
        follows = bond_follows(places, np.array([8]), on, weights, turn_of)
    if kind == "solid":
        blank = np.full(COUNT, -1)
        follows = bond_follows(places, np.array([8]), on, weights, blank)
    if kind == "one after another":
        follows += bond_follows(places, np.array([9]), np.array([[8, 2, 10]]), weights, turn_of)
    if kind == "spread":
        region = np.array([2, 3, 4, 11, 12])
        follows = spread_follow(places, region, np.ones(5), COUNT - 1, 2 * COUNT - 1)
    return make_ties(places, held, hubs, follows)


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("seed", range(3))
def test_reduction_is_the_dense_product(kind: str, seed: int) -> None:
    rng = np.random.default_rng([seed, KINDS.index(kind)])
    places, elements = draw_places(rng), draw_elements(rng)
    pattern = make_pattern(2 * COUNT, *elements)
    reduction = Reduction(pattern, ties_of(kind, places))
    patterns = []
    for _ in range(2):  # at rest, and with all ties moved
        ties = ties_of(kind, places)
        assert reduction.fits(ties)
        parts = []
        for number, block in enumerate(elements):
            some = rng.standard_normal((len(block), 3 * block.shape[1], 3 * block.shape[1]))
            parts.append((number, slice(None), some + np.swapaxes(some, 1, 2)))
        upper = assemble(pattern, parts)
        internal = rng.standard_normal(6 * COUNT)
        t = ties.matrix.toarray()
        expected = t.T @ full(upper).toarray() @ t
        found = reduction.matrix(upper, ties)
        assert np.allclose(full(found).toarray(), expected, atol=1e-11)
        patterns.append((found.indptr, found.indices))
        expected += full(ties.geometric(internal)).toarray()
        bent = reduction.matrix(upper, ties, internal)
        assert np.allclose(full(bent).toarray(), expected, atol=1e-11)
        if kind != "spread":  # its arm couples nodes that no element does
            patterns.append((bent.indptr, bent.indices))
        places = draw_places(rng)
    for starts, columns in patterns[1:]:
        assert np.array_equal(starts, patterns[0][0])
        assert np.array_equal(columns, patterns[0][1])


def test_a_node_without_an_element_couples_nothing() -> None:
    """A spread hub that nothing else holds: its region of hundreds must not become one block."""
    rng = np.random.default_rng(3)
    pattern = make_pattern(2 * COUNT, *draw_elements(rng))
    places = draw_places(rng)
    ties = ties_of("spread", places)
    plain = Reduction(pattern, ties_of("nothing", places))
    apart = plain._column.size - 3 * 4 * 2 + 2 * 6  # the hub's own rows, never coupled
    assert Reduction(pattern, ties)._column.size <= apart


def test_other_ties_and_other_matrices_are_refused() -> None:
    rng = np.random.default_rng(4)
    pattern, places = make_pattern(2 * COUNT, *draw_elements(rng)), draw_places(rng)
    reduction = Reduction(pattern, ties_of("hub", places))
    assert not reduction.fits(ties_of("shell", places))
    with pytest.raises(ValueError, match="another pattern"):
        reduction.matrix(sparse.eye(6 * COUNT, format="csr"), ties_of("hub", places))


def test_sums_keep_the_pattern_and_change_nothing() -> None:
    rng = np.random.default_rng(5)
    pattern, ties = make_pattern(2 * COUNT, *draw_elements(rng)), ties_of("hub", draw_places(rng))
    reduction, size = Reduction(pattern, ties), ties.size
    whole = sparse.csr_matrix(
        (rng.standard_normal(pattern.indices.size), pattern.indices, pattern.indptr)
    )
    one = reduction.matrix(whole, ties)
    before = one.data.copy()
    gone = added(one, one, -1.0)
    assert gone.nnz == one.nnz and not gone.data.any()
    few = sparse.csr_matrix(([2.0], ([0], [0])), shape=(size, size))
    more = reduction.plus(one, few)
    assert more.nnz == one.nnz and more[0, 0] == one[0, 0] + 2.0
    empty = np.flatnonzero(one.toarray()[0] == 0.0)
    beside = sparse.csr_matrix(([3.0], ([0], [empty[-1]])), shape=(size, size))
    wider = reduction.plus(one, beside)
    assert wider.nnz == one.nnz + 1 and wider[0, empty[-1]] == 3.0
    assert np.array_equal(one.data, before)
