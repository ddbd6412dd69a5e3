"""Outlines changed corner by corner: texts stay texts, nothing is drawn that cannot be made."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from labilis.edit.outlines import (
    Outline,
    as_outline,
    corner_added,
    corner_at_end,
    corner_removed,
    corner_set,
    is_plain,
    moved_corner,
    opening_added,
    opening_removed,
    opening_set,
    outline_of,
    with_outline,
)
from labilis.model import (
    Corner,
    LabilisError,
    Opening,
    Project,
    Region,
    TrialPlan,
    Vary,
    load_project,
)
from labilis.run import Plan, Runner, Snapshot, stage_keys
from labilis.run.outlines import drawn
from labilis.shape import find_region
from tests.parts import STEEL

CORNERS = [("0 mm", "0 mm"), ("arm", "0 mm"), ("arm", "60 mm"), ("0 mm", "6 cm")]


def project(recipe: dict[str, Any], **parameters: str) -> Project:
    return load_project(
        {
            "labilis": 2,
            "materials": [STEEL.model_dump()],
            "parameters": {"arm": "220 mm", **parameters},
            "pieces": [
                {"name": "other", "recipe": RIB, "material": "steel"},
                {"name": "sheet", "recipe": recipe, "material": "steel", "mesh_as": "shell"},
            ],
        }
    )


RIB = {"kind": "rib", "width": "20 mm", "height": "20 mm", "thickness": "2 mm"}
RECIPES: dict[str, dict[str, Any]] = {
    "plate": {
        "kind": "plate",
        "outline": [{"x": x, "y": y, "radius": "5 mm"} for x, y in CORNERS],
        "thickness": "3 mm",
        "openings": [{"x": "arm - 40 mm", "y": "30 mm", "diameter": "16 mm"}],
    },
    "folded sheet": {
        "kind": "folded sheet",
        "profile": [list(point) for point in CORNERS[:3]],
        "thickness": "2 mm",
        "bend": "3 mm",
        "length": "300 mm",
    },
    "polygon": {
        "kind": "strut",
        "section": {"shape": "polygon", "corners": [list(point) for point in CORNERS]},
        "length": "900 mm",
    },
    "outline": {
        "kind": "strut",
        "section": {"shape": "outline", "outline": [{"x": x, "y": y} for x, y in CORNERS]},
        "length": "900 mm",
    },
}


def of(stated: Project) -> Outline:
    found = outline_of(stated.named("pieces", "sheet"))
    assert found is not None
    return found


@pytest.mark.parametrize("kind", RECIPES)
def test_what_is_written_back_is_what_was_read(kind: str) -> None:
    stated = project(RECIPES[kind])
    assert with_outline(stated, "sheet", of(stated)) == stated
    moved = with_outline(stated, "sheet", moved_corner(of(stated), 2, ("arm", "61 mm")))
    assert [(c.x, c.y) for c in of(moved).corners[:3]] == [*CORNERS[:2], ("arm", "61 mm")]
    assert moved.pieces[0] == stated.pieces[0] and moved.parameters == stated.parameters
    other = moved.changed(parameters={"arm": "250 mm"})
    assert drawn(other, other.named("pieces", "sheet")).corners[2] == pytest.approx([250, 61])


@pytest.mark.parametrize("kind", RECIPES)
def test_what_is_drawn_is_what_is_made(kind: str) -> None:
    """Area in plan times its depth is the volume of the solid; 12 chords an arc lose under 1 %."""
    stated = project(RECIPES[kind]).changed(pieces=project(RECIPES[kind]).pieces[1:])
    stated = stated.with_value(("pieces", 0, "mesh_as"), "solid")
    found = Runner().run(Snapshot(stated), Plan("shape"))
    volume = found[stage_keys(stated).shape].volume
    plan = drawn(stated, stated.pieces[0])
    x, y = plan.loops[0].T
    area = abs(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1))) / 2
    for loop in plan.loops[1:]:
        u, v = loop.T
        area -= abs(np.sum(u * np.roll(v, -1) - v * np.roll(u, -1))) / 2
    depth = {"plate": 3.0, "folded sheet": 300.0}.get(kind, 900.0)
    assert area * depth == pytest.approx(volume, rel=0.01)
    if kind == "folded sheet":
        assert plan.middle[0] == pytest.approx([0, 0]) and plan.middle[-1] == pytest.approx(
            [220, 60]
        )


def test_corners_come_and_go_in_their_order() -> None:
    outline = of(project(RECIPES["plate"]))
    grown = corner_added(outline, 3, ("-10 mm", "30 mm"))  # in the side that closes it
    assert [c.x for c in grown.corners] == ["0 mm", "arm", "arm", "0 mm", "-10 mm"]
    assert corner_removed(grown, 4) == outline
    grown = corner_added(outline, 0, ("50 mm", "-5 mm"))
    assert [c.y for c in grown.corners][:3] == ["0 mm", "-5 mm", "0 mm"]
    assert grown.corners[1].radius == "0 mm" and grown.corners[2].radius == "5 mm"
    three = corner_removed(outline, 0)
    with pytest.raises(LabilisError, match="3 corners at least"):
        corner_removed(three, 1)


def test_a_bowed_side_that_is_divided_is_straight() -> None:
    corners = (Corner(x="0 mm", y="0 mm", bow="1"), Corner(x="10 mm", y="0 mm"))
    outline = Outline((*corners, Corner(x="5 mm", y="20 mm", bow="0.2")))
    grown = corner_added(outline, 0, ("5 mm", "-5 mm"))
    assert [corner.bow for corner in grown.corners] == ["0", "0", "0", "0.2"]


def test_a_profile_grows_at_both_ends_and_keeps_two() -> None:
    outline = of(project(RECIPES["folded sheet"]))
    assert outline.sides == 2 and not outline.closed
    longer = corner_at_end(corner_at_end(outline, ("0 mm", "80 mm")), ("0 mm", "-9 mm"), first=True)
    assert [c.y for c in longer.corners] == ["-9 mm", "0 mm", "0 mm", "60 mm", "80 mm"]
    two = corner_removed(outline, 1)
    with pytest.raises(LabilisError, match="2 corners at least"):
        corner_removed(two, 0)


def test_openings_are_set_one_text_at_a_time() -> None:
    stated = project(RECIPES["plate"])
    outline = opening_added(of(stated), Opening(x="50 mm", y="30 mm", diameter="8 mm"))
    slot = opening_set(outline, 1, "length", "20 mm")
    slot = opening_set(slot, 1, "angle", "30 deg")
    plan = drawn(with_outline(stated, "sheet", slot), with_outline(stated, "sheet", slot).pieces[1])
    reach = plan.loops[2][:, 0].max() - plan.loops[2][:, 0].min()
    assert reach == pytest.approx(20 * math.cos(math.radians(30)) + 8, rel=0.01)
    assert opening_set(slot, 1, "length", None).openings[1].length is None
    assert opening_removed(slot, 1) == of(stated)
    assert slot.openings[0].x == "arm - 40 mm"


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda o: moved_corner(o, 3, ("110 mm", "-40 mm")), "crosses itself"),
        (lambda o: corner_set(o, 0, "radius", "58 mm"), "radius of 58 mm does not fit"),
        (lambda o: opening_set(o, 0, "x", "5 mm"), "reaches outside"),
        (lambda o: opening_set(o, 0, "diameter", "90 mm"), "reaches outside"),
        (lambda o: moved_corner(o, 1, ("0 mm", "0 mm")), "coincide"),
        (lambda o: corner_set(o, 0, "x", "12 kg"), "is a mass"),
        (lambda o: opening_set(o, 0, "diameter", "0 mm"), "not above zero|is 0 mm"),
    ],
)
def test_what_cannot_be_made_says_why(change: Any, words: str) -> None:
    stated = project(RECIPES["plate"])
    with pytest.raises(LabilisError, match=words):
        changed = with_outline(stated, "sheet", change(of(stated)))
        drawn(changed, changed.named("pieces", "sheet"))


def test_a_polygon_becomes_an_outline_of_the_same_shape() -> None:
    stated = project(RECIPES["polygon"])
    made = as_outline(stated, "sheet")
    assert [(c.x, c.y) for c in of(made).corners] == CORNERS and of(made).rounded
    before, after = (drawn(p, p.named("pieces", "sheet")).loops[0] for p in (stated, made))
    assert np.allclose(sorted(before.tolist()), sorted(after.tolist()))


@pytest.mark.parametrize(
    ("text", "plain"),
    [
        ("12 mm", True),
        (" -0.5 in ", True),
        ("1e2 mm", True),
        ("7", True),
        ("arm", False),
        ("arm - 40 mm", False),
        ("2 mm + 3 mm", False),
        ("2 * 3 mm", False),
        ("3 arm", False),
        ("(4 mm)", False),
    ],
)
def test_a_drag_overwrites_numbers_only(text: str, plain: bool) -> None:
    assert is_plain(project(RECIPES["plate"]), text) is plain


@given(
    st.lists(st.tuples(st.integers(0, 6), st.integers(-30, 250), st.integers(-30, 90)), max_size=6)
)
def test_any_order_of_changes_is_made_or_refused_and_never_lost(
    steps: list[tuple[int, int, int]],
) -> None:
    stated = PLATE
    for number, x, y in steps:
        outline = of(stated)
        at = (f"{x} mm", f"{y} mm")
        try:
            changed = (
                corner_added(outline, number % outline.sides, at)
                if number % 2
                else moved_corner(outline, number % len(outline.corners), at)
            )
            made = with_outline(stated, "sheet", changed)
            plan = drawn(made, made.named("pieces", "sheet"))
        except LabilisError as error:
            assert error.what and error.remedy
            continue
        assert plan.corners[-1].shape == (2,) and len(plan.corners) == len(changed.corners)
        assert load_project(made.model_dump(mode="json")) == made
        stated = made


PLATE = project(RECIPES["plate"])


# --- what stands on numbered sides, corners, holes, runs and bends
# --------------------------------------------------------------------------------------------------
OPENINGS = "pieces/plate/recipe/openings"
OUTLINE = ("pieces", 0, "recipe", "outline")
SQUARE = [(0, 0), (100, 0), (100, 80), (0, 80)]


def plate_with_regions(mesh_as: str = "shell") -> Project:
    """A plate with a region on each side, each rounded corner and each hole."""
    words = [f"side.{k}" for k in (1, 2, 3, 4)] + [f"corner.{k}" for k in (1, 2, 3, 4)]
    words += ["hole.1", "hole.2", "hole.3"]
    return load_project(
        {
            "labilis": 2,
            "materials": [STEEL.model_dump()],
            "pieces": [
                {
                    "name": "plate",
                    "recipe": {
                        "kind": "plate",
                        "outline": [
                            {"x": f"{x} mm", "y": f"{y} mm", "radius": "6 mm"} for x, y in SQUARE
                        ],
                        "thickness": "2 mm",
                        "openings": [
                            {"x": f"{x} mm", "y": "40 mm", "diameter": "10 mm"}
                            for x in (20, 50, 80)
                        ],
                    },
                    "material": "steel",
                    "mesh_as": mesh_as,
                }
            ],
            "regions": [{"name": word, "names": [f"plate/{word}"]} for word in words],
        }
    )


def places(stated: Project) -> dict[str, np.ndarray]:
    """Middle of what each region means, by the weight of its lengths or areas."""
    found = Runner().run(Snapshot(stated), Plan("shape"))
    view = found[stage_keys(stated).shape]
    middles = {}
    for region in stated.regions:
        match = find_region(region, view)
        assert not match.lost, (region.name, region.names)
        faces = len(match.faces) > 0
        table, rows = (view.faces, match.faces) if faces else (view.edges, match.edges)
        weight = table.area[rows] if faces else table.length[rows]
        middles[region.name] = weight @ table.centroid[rows] / weight.sum()
    return middles


def changed(stated: Project, change: Any) -> Project:
    outline = outline_of(stated.pieces[0])
    assert outline is not None
    return with_outline(stated, stated.pieces[0].name, change(outline))


@pytest.mark.parametrize("mesh_as", ["shell", "solid"])
@pytest.mark.parametrize("side", [0, 1, 2, 3])
def test_a_corner_in_a_side_moves_no_region_to_another_one(mesh_as: str, side: int) -> None:
    stated = plate_with_regions(mesh_as)
    a, b = np.array(SQUARE[side]), np.array(SQUARE[(side + 1) % 4])
    middle = (a + b) / 2
    grown = changed(stated, lambda o: corner_added(o, side, (f"{middle[0]} mm", f"{middle[1]} mm")))
    before, after = places(stated), places(grown)
    assert before.keys() == after.keys()
    for name in before:
        assert np.allclose(before[name], after[name], atol=1e-6), name
    assert len(grown.named("regions", f"side.{side + 1}").names) == 2


@pytest.mark.parametrize("corner", [0, 1, 2, 3, 4])
def test_a_corner_taken_away_again_gives_back_what_was(corner: int) -> None:
    """Whatever side it was put in; a region on a rounded corner that goes keeps it from going."""
    stated = plate_with_regions()
    stated = stated.changed(regions=[r for r in stated.regions if "hole" not in r.name])
    stated = stated.with_value(("pieces", 0, "recipe", "openings"), [])
    grown = changed(stated, lambda o: corner_added(o, 2, ("50 mm", "80 mm")))
    if corner != 3:
        with pytest.raises(LabilisError, match="stands on plate/corner"):
            changed(grown, lambda o: corner_removed(o, corner))
        free = grown.changed(regions=[r for r in grown.regions if "corner" not in r.name])
        for number in range(5):
            free = free.with_value((*OUTLINE, number, "radius"), "0 mm")
        shrunk = changed(free, lambda o: corner_removed(o, corner))
        before, after = places(free), places(shrunk)
        beside = {f"side.{k}" for k in range(1, 5)} - {
            name
            for name in before
            if name.startswith("side") and np.allclose(before[name], after[name], atol=1e-6)
        }
        assert 1 <= len(beside) <= 2 and before.keys() == after.keys()
        return
    again = changed(grown, lambda o: corner_removed(o, 3))
    assert again == stated


def test_holes_keep_their_regions_and_one_in_use_stays() -> None:
    stated = plate_with_regions()
    with pytest.raises(LabilisError, match=r"hole\.2, which would be gone"):
        changed(stated, lambda o: opening_removed(o, 1))
    free = stated.changed(regions=[r for r in stated.regions if r.name != "hole.2"])
    fewer = changed(free, lambda o: opening_removed(o, 1))
    before, after = places(free), places(fewer)
    assert all(np.allclose(before[name], after[name], atol=1e-6) for name in before)
    assert fewer.named("regions", "hole.3").names == ("plate/hole.2",)


def test_a_fold_keeps_runs_and_bends_when_a_corner_becomes_one() -> None:
    """A corner in a straight run is no bend until it is moved; those behind it then count on."""
    stated = load_project(
        {
            "labilis": 2,
            "materials": [STEEL.model_dump()],
            "pieces": [
                {
                    "name": "fold",
                    "recipe": {
                        "kind": "folded sheet",
                        "profile": [[f"{x} mm", f"{y} mm"] for x, y in SQUARE],
                        "thickness": "2 mm",
                        "bend": "3 mm",
                        "length": "200 mm",
                    },
                    "material": "steel",
                    "mesh_as": "shell",
                }
            ],
            "regions": [
                {"name": word, "names": [f"fold/{word}"]}
                for word in ("run.1", "run.2", "run.3", "bend.1", "bend.2", "edge.first")
            ],
        }
    )
    before = places(stated)
    divided = changed(stated, lambda o: corner_added(o, 0, ("50 mm", "0 mm")))
    after = places(divided)
    assert all(np.allclose(before[name], after[name], atol=1e-6) for name in before)
    bent = changed(divided, lambda o: moved_corner(o, 1, ("50 mm", "-20 mm")))
    after = places(bent)
    for name in ("run.2", "run.3", "bend.2", "edge.first"):
        assert np.allclose(before[name], after[name], atol=1.0), name
    assert bent.named("regions", "bend.2").names == ("fold/bend.3",)
    free = stated.changed(regions=[r for r in stated.regions if r.name == "edge.first"])
    for change in (  # another edge would be the first one
        lambda o: corner_removed(o, 0),
        lambda o: corner_at_end(o, ("0 mm", "-20 mm"), first=True),
    ):
        with pytest.raises(LabilisError, match=r"edge\.first, which would be another one"):
            changed(free, change)
    at_the_other_end = changed(free, lambda o: corner_at_end(o, ("0 mm", "50 mm")))
    assert np.allclose(places(at_the_other_end)["edge.first"], before["edge.first"])
    with pytest.raises(LabilisError, match=r"run\.1, which would be gone"):
        changed(stated, lambda o: corner_removed(o, 0))
    with pytest.raises(LabilisError, match=r"run\.3, which would be gone"):
        changed(stated, lambda o: corner_removed(o, 3))
    shorter = changed(
        stated.changed(regions=[r for r in stated.regions if r.name in ("run.1", "run.2")]),
        lambda o: corner_removed(o, 3),
    )
    assert shorter.named("regions", "run.2").names == ("fold/run.2",)


def section_with_regions(turned: bool, words: list[str]) -> Project:
    """A bar of a drawn section, drawn one way round or the other."""
    corners = [{"x": f"{x} mm", "y": f"{y} mm", "radius": "6 mm"} for x, y in SQUARE]
    hole = {"x": "30 mm", "y": "40 mm", "diameter": "10 mm"}
    section = {
        "shape": "outline",
        "outline": corners[::-1] if turned else corners,
        "openings": [hole],
    }
    recipe = {"kind": "strut", "length": "50 mm", "section": section}
    return load_project(
        {
            "materials": [STEEL.model_dump()],
            "pieces": [{"name": "bar", "recipe": recipe, "material": "steel", "mesh_as": "solid"}],
            "regions": [{"name": word, "names": [f"bar/{word}"]} for word in words],
        }
    )


@pytest.mark.parametrize("turned", [False, True])
@pytest.mark.parametrize("side", [0, 1, 2, 3])
def test_a_corner_in_a_section_moves_no_region_to_another_skin(side: int, turned: bool) -> None:
    words = [f"{word}.{number}" for word in ("skin", "corner") for number in range(1, 5)]
    stated = section_with_regions(turned, words)
    around = SQUARE[::-1] if turned else SQUARE
    middle = (np.array(around[side]) + np.array(around[(side + 1) % 4])) / 2
    grown = changed(stated, lambda o: corner_added(o, side, (f"{middle[0]} mm", f"{middle[1]} mm")))
    before, after = places(stated), places(grown)
    for name in words:
        assert np.allclose(before[name], after[name], atol=1e-6), name
    on_a_hole = section_with_regions(turned, ["skin.5"])
    assert changed(on_a_hole, lambda o: moved_corner(o, 0, ("-1 mm", "0 mm"))).regions
    with pytest.raises(LabilisError, match=r"skin\.5, which would be another one"):
        changed(on_a_hole, lambda o: corner_added(o, 0, ("50 mm", "-5 mm")))


def test_a_plan_goes_on_varying_what_it_varied() -> None:
    stated = plate_with_regions().changed(
        plans=[
            TrialPlan(
                name="p",
                vary=(
                    Vary(
                        parameter="pieces/plate/recipe/openings/2/diameter", values=("8 mm", "9 mm")
                    ),
                ),
            )
        ],
        regions=[],
    )
    fewer = changed(stated, lambda o: opening_removed(o, 0))
    assert fewer.plans[0].vary[0].parameter == f"{OPENINGS}/1/diameter"
    with pytest.raises(LabilisError, match="would be gone"):
        changed(stated, lambda o: opening_removed(o, 2))


def test_what_stands_on_another_piece_stays_as_it_is() -> None:
    stated = plate_with_regions()
    second = stated.pieces[0].model_copy(update={"name": "plate-2"})
    stated = stated.changed(
        pieces=[*stated.pieces, second],
        regions=[
            Region(name="near", names=("plate/side.3",)),
            Region(name="far", names=("plate-2/side.3", "plate-2/hole.2")),
        ],
    )
    grown = changed(stated, lambda o: corner_added(o, 0, ("50 mm", "-5 mm")))
    assert grown.named("regions", "near").names == ("plate/side.4",)
    assert grown.named("regions", "far") == stated.named("regions", "far")
    copied = stated.with_value(
        ("pieces", 0, "copies"), [{"kind": "mirror", "across": "x", "at": "200 mm"}]
    ).changed(regions=[Region(name="one", names=("plate.2/side.3",))])
    grown = changed(copied, lambda o: corner_added(o, 0, ("50 mm", "-5 mm")))
    assert grown.named("regions", "one").names == ("plate.2/side.4",)


@pytest.mark.parametrize("mesh_as", ["shell", "solid"])
def test_a_side_that_its_corners_eat_up_gives_its_name_to_no_other(mesh_as: str) -> None:
    """A plate whose ends become round as a radius grows: its upper side stays side.3, and what
    stood on an end that is gone is lost and told, not found on another side."""
    stated = plate_with_regions(mesh_as).changed(parameters={"r": "10 mm"})
    for number in range(4):
        stated = stated.with_value((*OUTLINE, number, "radius"), "r")
    before = places(stated)
    assert before["side.3"][1] == pytest.approx(80) and before["side.2"][0] == pytest.approx(100)
    round_ends = stated.changed(parameters={"r": "40 mm"})
    found = Runner().run(Snapshot(round_ends), Plan("shape"))
    view = found[stage_keys(round_ends).shape]
    lost = {r.name for r in round_ends.regions if find_region(r, view).lost}
    assert lost == {"side.2", "side.4"}
    kept = round_ends.changed(regions=[r for r in round_ends.regions if r.name not in lost])
    after = places(kept)
    assert after["side.3"][1] == pytest.approx(80) and after["side.1"][1] == pytest.approx(0)
    assert after["corner.2"][0] > 50 > after["corner.4"][0]


def test_a_corner_that_lies_straight_on_gives_its_bend_s_name_to_no_other() -> None:
    def profile(kink: str) -> Project:
        points = [("0", "0"), ("50", kink), ("100", "0"), ("100", "80")]
        return load_project(
            {
                "labilis": 2,
                "materials": [STEEL.model_dump()],
                "pieces": [
                    {
                        "name": "fold",
                        "recipe": {
                            "kind": "folded sheet",
                            "profile": [[f"{x} mm", f"{y} mm"] for x, y in points],
                            "thickness": "2 mm",
                            "bend": "3 mm",
                            "length": "200 mm",
                        },
                        "material": "steel",
                        "mesh_as": "shell",
                    }
                ],
                "regions": [{"name": "knee", "names": ["fold/bend.2"]}],
            }
        )

    straight, kinked = places(profile("0")), places(profile("6"))
    assert np.allclose(straight["knee"], kinked["knee"], atol=1.0)
    assert straight["knee"][0] > 95
