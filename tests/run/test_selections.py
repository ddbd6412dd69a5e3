"""What else a pick may mean: named alike, alike in size, in a loop, going on without a corner."""

from __future__ import annotations

import hashlib
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from labilis.app.demos import demo_model
from labilis.app.picked import names_of
from labilis.model import load_project
from labilis.run import Plan, Runner, Snapshot, stage_keys
from labilis.run.selections import Wider, _chain, _ends, _smooth, named_parts, size_words, wider
from labilis.shape import ShapeView
from labilis.store import load_model
from tests.parts import STEEL, bored_step, start


def view_of(snapshot: Snapshot) -> ShapeView:
    found = Runner().run(snapshot, Plan("shape"))
    view = found[stage_keys(snapshot.project).shape]
    assert isinstance(view, ShapeView)
    return view


def recipes(*pieces: dict[str, Any], mesh_as: str = "solid") -> ShapeView:
    stated = [{"material": "steel", "mesh_as": mesh_as, **piece} for piece in pieces]
    return view_of(
        Snapshot(load_project({"labilis": 2, "materials": [STEEL.model_dump()], "pieces": stated}))
    )


@pytest.fixture(scope="module")
def stand() -> ShapeView:
    return view_of(load_model(demo_model("cabinet-stand")))


def offer(view: ShapeView, words: str, *picked: tuple[str, int]) -> Wider:
    found = [item for item in wider(view, picked) if words in item.words]
    assert found, (words, [item.words for item in wider(view, picked)])
    return found[0]


def slotted(turn: str = "0 deg") -> dict[str, Any]:
    """A plate with a slot and two round holes of one size and one of another."""
    return {
        "name": "plate",
        "recipe": {
            "kind": "plate",
            "outline": rectangle(120, 50),
            "thickness": "3 mm",
            "openings": [
                {"x": "20 mm", "y": "12 mm", "diameter": "8 mm"},
                {"x": "20 mm", "y": "38 mm", "diameter": "8 mm"},
                {"x": "100 mm", "y": "25 mm", "diameter": "14 mm"},
                {
                    "x": "60 mm",
                    "y": "25 mm",
                    "diameter": "10 mm",
                    "length": "20 mm",
                    "angle": "20 deg",
                },
            ],
        },
        "place": {"turns": [{"about": "x", "angle": turn}, {"about": "z", "angle": turn}]},
    }


def rectangle(width: float, height: float) -> list[dict[str, str]]:
    corners = ((0, 0), (width, 0), (width, height), (0, height))
    return [{"x": f"{x} mm", "y": f"{y} mm"} for x, y in corners]


def edge_at(view: ShapeView, kind: str, radius: float) -> int:
    return int(
        np.flatnonzero((view.edges.kind == kind) & (np.abs(view.edges.radius - radius) < 1e-6))[0]
    )


def test_the_feet_of_a_stand_are_one_pick_and_one_choice(stand: ShapeView) -> None:
    first = next(k for k, name in enumerate(stand.edges.name) if name == "leg.3/start")
    feet = offer(stand, "on 4 pieces", ("edge", first))
    names = [str(stand.edges.name[row]) for _, row in feet.selection]
    assert len(feet.selection) == 12 and {name.split(".")[0] for name in names} == {"leg"}
    assert {name.split("/")[1] for name in names} == {"start"}
    lengths = stand.edges.length[[row for _, row in feet.selection]]
    assert size_words(stand, feet.selection) == f"12 edges, {lengths.sum():.4g} mm in all"
    one = offer(stand, "all of leg.3/start", ("edge", first))
    assert len(one.selection) == 3 and set(one.selection) < set(feet.selection)


def test_names_are_told_as_a_statement_would_take_them(stand: ShapeView) -> None:
    project = load_model(demo_model("cabinet-stand")).project
    named = named_parts(stand, project)
    assert len(named["leg/start"]) == 12 and len(named["leg.2/start"]) == 3
    assert len(named["leg/run"]) == 8 and len(named["leg/run.2"]) == 4
    for region in project.regions:
        assert named[f"region {region.name}"]
    for name, picks in named.items():
        assert len({of for of, _ in picks}) == 1 and len(set(picks)) == len(picks), name


@pytest.mark.parametrize("turn", ["0 deg", "37 deg"])
def test_a_slot_and_its_round_holes(turn: str) -> None:
    view = recipes(slotted(turn))
    faces, edges = view.faces, view.edges
    end = edge_at(view, "circle", 5.0)
    rows = sorted(_chain(view, _ends(view), [end]))  # offered as what the recipe named
    assert [("edge", row) for row in rows] in [
        sorted(item.selection) for item in wider(view, (("edge", end),))
    ]
    assert sorted(edges.kind[rows]) == ["circle", "circle", "line", "line"]
    assert edges.length[rows].sum() == pytest.approx(2 * 20 + 10 * np.pi, rel=1e-6)
    wall = int(np.flatnonzero((faces.kind == "cylinder") & (np.abs(faces.radius - 5) < 1e-6))[0])
    round_it = [row for _, row in offer(view, "hole.4", ("face", wall)).selection]
    assert sorted(round_it) == sorted(_smooth(view, [wall]))
    assert faces.area[round_it].sum() == pytest.approx(3 * (2 * 20 + 10 * np.pi), rel=1e-6)
    bore = int(np.flatnonzero((faces.kind == "cylinder") & (np.abs(faces.radius - 4) < 1e-6))[0])
    alike = [row for _, row in offer(view, "all alike", ("face", bore)).selection]
    assert (np.abs(faces.radius[alike] - 4) < 1e-6).all()
    assert faces.area[alike].sum() == pytest.approx(2 * 8 * np.pi * 3, rel=1e-6)
    rim = edge_at(view, "circle", 7.0)
    by_its_rim = offer(view, "bore Ø 14 (R 7) mm beside", ("edge", rim)).selection
    assert by_its_rim[0][0] == "face" and abs(faces.radius[by_its_rim[0][1]] - 7) < 1e-6


@pytest.mark.parametrize("turn", ["0 deg", "-63 deg"])
def test_loops_are_the_outline_or_an_opening(turn: str) -> None:
    view = recipes(slotted(turn))
    edges = view.edges
    offered = {
        round(float(edges.length[[index for _, index in item.selection]].sum()), 3)
        for row in range(len(edges))
        for item in wider(view, (("edge", row),))
        if item.selection[0][0] == "edge" and ("loop" in item.words or "hole" in item.words)
    }
    # the outline, the slot, round each of the four sides, round the flat walls of the slot
    for length in (340, 40 + 10 * np.pi, 246, 106, 46):
        assert round(length, 3) in offered, (length, offered)


def test_an_edge_of_one_is_not_the_corner_of_another() -> None:
    """A square plate: nothing goes on without a corner, all sides are alike, thickness is not."""
    view = recipes(
        {
            "name": "plate",
            "recipe": {
                "kind": "plate",
                "outline": rectangle(40, 40),
                "thickness": "2 mm",
            },
        }
    )
    side = int(np.argmax(view.edges.length))
    words = [item.words for item in wider(view, (("edge", side),))]
    assert not any("without a corner" in text for text in words)
    alike = offer(view, "all alike", ("edge", side)).selection
    assert len(alike) == 8 and np.allclose(view.edges.length[[row for _, row in alike]], 40)
    top = int(np.argmax(view.faces.area))
    assert not any("one plane" in item.words for item in wider(view, (("face", top),)))


def test_a_bore_is_not_alike_a_pin_and_flush_faces_look_one_way() -> None:
    block = {"kind": "block", "width": "30 mm", "height": "20 mm", "depth": "10 mm"}
    view = recipes(
        {"name": "a", "recipe": block},
        {"name": "b", "recipe": block, "place": {"at": ["60 mm", "0 mm", "0 mm"]}},
        {"name": "c", "recipe": block, "place": {"at": ["120 mm", "0 mm", "10 mm"]}},
    )
    up = np.flatnonzero(view.faces.direction @ np.array([0, 0, 1.0]) > 0.99)
    level = view.faces.centroid[up, 2]
    lower = up[np.isclose(level, level.min())]
    flush = [row for _, row in offer(view, "one plane", ("face", int(lower[0]))).selection]
    assert sorted(flush) == sorted(lower.tolist()) and len(flush) == 2
    of_one = [row for _, row in offer(view, "all faces of a", ("face", int(lower[0]))).selection]
    assert len(of_one) == 6


@given(st.integers(0, 10**6))
def test_offers_hold_what_is_picked_and_nothing_twice(seed: int) -> None:
    view = OFFERED
    rng = np.random.default_rng(seed)
    of = ["face", "edge"][rng.integers(2)]
    table = view.faces if of == "face" else view.edges
    picked = tuple(
        (of, int(row)) for row in rng.choice(len(table), rng.integers(1, 4), replace=False)
    )
    offers = wider(view, picked)
    sets = [item.selection for item in offers]
    assert len(set(sets)) == len(sets) and tuple(sorted(picked)) not in sets
    for item in offers:
        kinds = {kind for kind, _ in item.selection}
        assert len(kinds) == 1 and len(set(item.selection)) == len(item.selection)
        if kinds == {of}:
            assert set(picked) < set(item.selection)
        for kind, row in item.selection:
            assert 0 <= row < len(view.faces if kind == "face" else view.edges)


OFFERED = recipes(slotted("11 deg"))


def test_an_imported_part_has_no_names_and_all_the_rest() -> None:
    data = bored_step()
    view = view_of(Snapshot(start(data), {hashlib.sha256(data).hexdigest(): data}))
    assert named_parts(view, start(data)) == {}
    assert wider(view, ()) == []
    for row in range(len(view.faces)):
        words = [item.words for item in wider(view, (("face", row),))]
        assert "all faces" in words and "its edges" in words


def test_a_bore_is_not_alike_the_pin_in_it() -> None:
    block = {"kind": "block", "width": "30 mm", "height": "30 mm", "depth": "20 mm"}
    pin = {"kind": "strut", "section": {"shape": "round", "diameter": "10 mm"}, "length": "20 mm"}
    bores = [{"x": "0 mm", "y": "0 mm", "diameter": "10 mm"}]
    view = recipes(
        {"name": "eye", "recipe": {**block, "bores": bores}},
        {"name": "pin", "recipe": pin, "place": {"at": ["80 mm", "0 mm", "0 mm"]}},
    )
    round_ones = np.flatnonzero(view.faces.kind == "cylinder")
    bore = int(round_ones[view.faces.inner[round_ones]][0])
    alike = {bore}
    for item in wider(view, (("face", bore),)):
        if item.words == "all alike":
            alike = {row for _, row in item.selection}
    assert view.faces.inner[sorted(alike)].all()
    assert not view.faces.inner[round_ones].all()


def test_where_two_edges_go_on_nobody_is_guessed() -> None:
    lines = [
        np.array(points, dtype=float)
        for points in (
            [[0, 0, 0], [1, 0, 0]],
            [[1, 0, 0], [2, 0, 0]],
            [[3, 0.01, 0], [1, 0, 0]],  # as good as straight on too, and the other way round
            [[0, 0, 0], [-1, 0, 0]],
        )
    ]
    view: Any = SimpleNamespace(
        edges=SimpleNamespace(kind=np.array(["line"] * 4)),
        tessellation=SimpleNamespace(edge=lambda k: lines[k]),
    )
    ends = np.array([[0, 1], [1, 2], [3, 1], [0, 4]])
    assert _chain(view, ends, [0]) == {0, 3}


def test_what_is_picked_on_one_copy_is_stated_for_that_one(stand: ShapeView) -> None:
    """And on some of them for those; only on all of them for all that there may be."""
    ends: dict[str, list[int]] = {}
    for row, text in enumerate(stand.edges.name):
        if str(text).endswith("/start") and str(text).startswith("leg."):
            ends.setdefault(str(text), []).append(row)
    assert len(ends) == 4

    def named(*legs: str) -> tuple[str, ...]:
        return names_of(stand, tuple(("edge", row) for leg in legs for row in ends[leg]))

    assert named("leg.2/start") == ("leg.2/start",)
    assert named("leg.4/start", "leg.1/start") == ("leg.4/start", "leg.1/start")
    assert named(*sorted(ends)) == ("leg/start",)
    everything = tuple(("edge", row) for rows in ends.values() for row in rows)
    assert names_of(stand, everything, copies=False) == tuple(ends)
    assert names_of(stand, everything[:-1]) == ()  # a part of an end has no name of its own
