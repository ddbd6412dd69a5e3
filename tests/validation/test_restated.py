"""The same model said another way: theory knows what becomes of its results."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from labilis.app.demos import demo_model, start_model
from labilis.model import Project, load_project
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.store import load_model
from tests import drawn_recipes, drawn_statements
from tests.frames import portal
from validation.restated import (
    differences,
    doubled,
    larger,
    shuffled,
    split,
    summary,
    totals,
    turned,
)


def drawn(kind: str, seed: int, **more: Any) -> Project:
    return load_project(drawn_recipes.KINDS[kind](np.random.default_rng(seed)) | more)


WEB = drawn("sheared web", 11, mesh={"size": "20 mm"})
RIBBED = drawn("ribbed cantilever", 7, mesh={"size": "10 mm"})
FRAME = load_project(portal())
# what is said of sizes, weights and materials may change, and the verdict with it
_OF_SIZE = ("proportions", "weight", "material figures", "stated right", "/meets")


@pytest.mark.parametrize("project", [WEB, FRAME], ids=["shells", "lines"])
@pytest.mark.parametrize("size", [0.01, 100.0])
def test_a_part_of_another_size_has_the_same_factors(project: Project, size: float) -> None:
    """All lengths times s, all forces times s²: nothing without a unit changes. The mesh of a
    line's section is made anew, which leaves a hundred thousandth."""
    first, other = (summary(one, {}) for one in (project, larger(project, size, size**2)))
    changed = differences(first, other, 1e-4)
    assert [line for line in changed if not any(word in line for word in _OF_SIZE)] == []
    assert first["cases"]


@pytest.mark.parametrize(
    "project",
    [
        RIBBED,
        FRAME,
        pytest.param(load_model(start_model("stand")).project, marks=pytest.mark.full),
        pytest.param(load_model(demo_model("antenna-mast")).project, marks=pytest.mark.full),
    ],
    ids=["joined", "lines", "copies", "hub and weight"],
)
def test_a_part_that_is_turned_has_the_same_results(project: Project) -> None:
    """x to y, y to z, z to x, loads, supports, copies and all: nothing changes, verdict and
    evidence included."""
    first, other = (summary(one, {}) for one in (project, turned(project)))
    assert first["cases"] and differences(first, other, 1e-3) == []


@pytest.mark.parametrize("project", [RIBBED, FRAME], ids=["joined", "lines"])
def test_the_order_of_statements_says_nothing(project: Project) -> None:
    """Pieces, regions, supports, loads, cases and what they are made of, in another order."""
    first, other = (summary(one, {}) for one in (project, shuffled(project, 5)))
    assert first["cases"] and differences(first, other, 1e-6) == []


@pytest.mark.parametrize("project", [WEB, FRAME], ids=["shells", "lines"])
def test_a_part_beside_another_is_what_it_is_alone(project: Project) -> None:
    """The whole once more five metres away: every factor is there twice, what yields first and how
    well both are known stay."""
    project = project.changed(mesh=project.mesh.model_copy(update={"size": "25 mm"}))
    first, other = (summary(one, {}) for one in (project, doubled(project, 5000.0)))
    for name, row in first["cases"].items():
        found = other["cases"][name]
        once, twice = (sorted(f for f in one["factors"] if f > 0) for one in (row, found))
        assert len(twice) >= len(once) > 0
        assert twice == pytest.approx(sorted([*once, *once])[: len(twice)], rel=1e-5)
        assert found["yield"] == pytest.approx(row["yield"], rel=1e-6)
        assert found["error"] == pytest.approx(row["error"], rel=1e-3)
        assert found["gates"] == row["gates"]


@pytest.mark.parametrize("project", [WEB, RIBBED, FRAME], ids=["shells", "joined", "lines"])
def test_what_is_held_counts_as_much_as_what_grows(project: Project) -> None:
    """λ₀ = a + (1 - a) λ, for a part that is held and one that pulls the other way."""
    whole = totals(summary(project, {}), 0.0)
    for held in (0.3, -0.5):
        found = totals(summary(split(project, held), {}), held)
        for case, factors in whole.items():
            count = min(len(factors), len(found[case]), 2)
            assert count and found[case][:count] == pytest.approx(factors[:count], rel=1e-7)


@pytest.mark.parametrize(
    "seed", [1, 2, *(pytest.param(seed, marks=pytest.mark.full) for seed in range(3, 15))]
)
def test_whatever_is_stated_is_turned_and_held_as_well(seed: int) -> None:
    """Springs, beds, hubs, tilts, offsets, moments, pressures that follow, temperature, weight and
    supports that move: a part in balance, the same when it is turned, and with a quarter held."""
    project = load_project(drawn_statements.drawn(seed))
    first = summary(project, {})
    (row,) = first["cases"].values()
    assert row["evidence"]["balance"] == "good", project.springs
    assert differences(first, summary(turned(project), {}), 1e-3) == []
    (whole,) = totals(first, 0.0).values()
    (found,) = totals(summary(split(project, 0.25), {}), 0.25).values()
    count = min(len(whole), len(found), 2)
    assert found[:count] == pytest.approx(whole[:count], rel=1e-6)


@pytest.mark.parametrize("held", [0.3, 0.7, -1.0])
def test_near_what_held_loads_bear_a_mesh_error_counts_for_more(held: float) -> None:
    """The jumps of stress tell an error of λ₀: of λ = (λ₀ - a) / (1 - a) it is λ₀ / (λ₀ - a) times
    as large, and never told smaller."""

    def modes(project: Project) -> Any:
        found = Runner().run(Snapshot(project), Plan("modes"))
        return judge_project(project, found).cases[0].facts.modes

    whole, left = modes(RIBBED), modes(split(RIBBED, held))
    times = np.maximum(whole.factors / (whole.factors - held), 1.0)
    assert left.recovered == pytest.approx(whole.recovered * times, rel=1e-6)
    assert (left.mesh_error >= left.recovered).all()


def test_what_differs_is_told_and_nothing_else() -> None:
    """A number beside none is a difference, and so is one beside an infinite one."""
    nan, inf = float("nan"), float("inf")
    for a, b in ((nan, 5.0), (inf, 5.0), (1.0, 1.1), (inf, -inf)):
        assert len(differences({"a": a}, {"a": b})) == 1, (a, b)
    for a, b in ((nan, nan), (inf, inf), (1.0, 1.0 + 1e-9)):
        assert differences({"a": a}, {"a": b}) == [], (a, b)
