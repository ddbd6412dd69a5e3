"""Outlines changed as they are drawn, without a window: lengths that come out, mirror images, what
is refused, and that nothing but what was meant moves."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from labilis.app.outlining import Outlining, Part
from labilis.edit.outlines import outline_of
from labilis.model import LabilisError, Project, load_project
from labilis.run.outlines import points_stated
from tests.frames import STEEL

HOUSE = ((0, 0), (90, 0), (90, 50), (45, 80), (0, 50))


def plate(corners: Any = HOUSE, holes: Any = (), **parameters: str) -> Project:
    text = lambda value: value if isinstance(value, str) else f"{value} mm"
    recipe = {
        "kind": "plate",
        "thickness": "3 mm",
        "outline": [{"x": text(x), "y": text(y)} for x, y in corners],
        "openings": [
            {"x": text(x), "y": text(y), "diameter": f"{diameter} mm"} for x, y, diameter in holes
        ],
    }
    piece = {"name": "tab", "material": STEEL["name"], "recipe": recipe}
    return load_project({"materials": [STEEL], "pieces": [piece], "parameters": parameters})


def folded(*profile: tuple[float, float]) -> Project:
    recipe = {
        "kind": "folded sheet",
        "thickness": "2 mm",
        "bend": "2 mm",
        "length": "100 mm",
        "profile": [[f"{x} mm", f"{y} mm"] for x, y in profile],
    }
    piece = {"name": "tab", "material": STEEL["name"], "recipe": recipe}
    return load_project({"materials": [STEEL], "pieces": [piece]})


def corners(project: Project) -> np.ndarray:
    found = outline_of(project.pieces[0])
    assert found is not None
    return points_stated(project, found)[0]


@given(st.integers(0, 4), st.floats(12.0, 48.0))
@settings(max_examples=30, deadline=None)
def test_a_side_becomes_as_long_as_it_is_typed(side: int, length: float) -> None:
    project = plate()
    before = corners(project)
    made, words = Outlining(project, "tab").typed(Part("side", side), "side", f"{length:.6g} mm")
    after, last = corners(made), (side + 1) % 5
    step = after[last] - after[side]
    assert math.hypot(*step) == pytest.approx(float(f"{length:.6g}"), abs=2e-4)
    old = before[last] - before[side]
    assert abs(step[0] * old[1] - step[1] * old[0]) < 1e-3 * math.hypot(*old) * length
    rest = [k for k in range(5) if k != last]
    np.testing.assert_array_equal(after[rest], before[rest])
    assert words.startswith(f"side {side + 1}: ")


def test_both_halves_move_alike_and_one_half_alone_without() -> None:
    project = plate(holes=((20, 25, 8), (70, 25, 8)))
    both, one = Outlining(project, "tab", True), Outlining(project, "tab")
    moved = corners(both.moved(Part("corner", 2), 80.0, 44.0))
    np.testing.assert_allclose(moved[[2, 4]], [[80, 44], [10, 44]], atol=1e-9)
    np.testing.assert_array_equal(corners(one.moved(Part("corner", 2), 80.0, 44.0))[4], [0, 50])
    # an opening takes its mirror image along; the ridge in the middle is its own
    found = outline_of(both.moved(Part("opening", 0), 25.0, 20.0).pieces[0])
    assert found is not None and [item.x for item in found.openings] == ["25 mm", "65 mm"]
    assert [item.y for item in found.openings] == ["20 mm", "20 mm"]
    np.testing.assert_allclose(corners(both.moved(Part("corner", 3), 50.0, 70.0))[3], [50, 70])


def test_what_an_expression_says_is_not_moved_by_hand() -> None:
    project = plate(((0, 0), ("wide", 0), ("wide", 50), (0, 50)), wide="90 mm")
    outlining = Outlining(project, "tab")
    with pytest.raises(LabilisError, match="'wide', which the hand does not move"):
        outlining.moved(Part("corner", 1), 80.0, 5.0)
    # along y only, the expression stays
    made = outlining.moved(Part("corner", 1), 90.0, 5.0)
    found = outline_of(made.pieces[0])
    assert found is not None and (found.corners[1].x, found.corners[1].y) == ("wide", "5 mm")


def test_a_new_hole_goes_where_there_is_room_and_says_so_where_there_is_none() -> None:
    made, words, part = Outlining(plate(holes=((45, 40, 20),)), "tab").opening_added(False)
    found = outline_of(made.pieces[0])
    assert found is not None and (words, part) == ("hole 2", Part("opening", 1))
    (x, y), diameter = (
        points_stated(made, found)[1][1],
        made.value(found.openings[1].diameter, "length"),
    )
    assert math.hypot(x - 45, y - 40) > 10 + diameter / 2  # clear of the one that is there
    slotted = Outlining(plate(), "tab").opening_added(True)[0]
    slot = outline_of(slotted.pieces[0])
    assert slot is not None and slot.openings[0].length is not None
    full = plate(((0, 0), (60, 0), (60, 60), (0, 60)), holes=((30, 30, 56),))
    with pytest.raises(LabilisError):
        Outlining(full, "tab").opening_added(False)


def test_a_run_is_added_at_the_end_that_is_picked_and_else_in_the_longest_side() -> None:
    project = folded((0, 30), (0, 0), (60, 0))
    made, words, part = Outlining(project, "tab").corner_added(Part("corner", 0))
    after = corners(made)
    assert (part, words) == (Part("corner", 0), "a run at its beginning") and len(after) == 4
    np.testing.assert_array_equal(after[1:], [[0, 30], [0, 0], [60, 0]])
    new, old = after[0] - after[1], after[1] - after[2]
    assert abs(new @ old) < 1e-9 and np.linalg.norm(new) == pytest.approx(15.0)
    made, words, part = Outlining(project, "tab").corner_added(Part("corner", 2))
    assert part == Part("corner", 3) and words == "a run at its end"
    np.testing.assert_allclose(np.linalg.norm(corners(made)[3] - [60, 0]), 30.0)
    made, words, part = Outlining(plate(), "tab").corner_added(None)
    assert part == Part("corner", 1) and words == "a corner in side 1"
    np.testing.assert_allclose(corners(made)[1], [45, 0])


def test_what_cannot_be_made_is_not_kept() -> None:
    outlining = Outlining(plate(), "tab")
    for call in (
        lambda: outlining.moved(Part("corner", 1), -20.0, 60.0),  # crosses itself
        lambda: outlining.typed(Part("side", 0), "side", "-5 mm"),
        lambda: outlining.typed(Part("corner", 0), "x", "5 kg"),
        lambda: Outlining(plate(((0, 0), (9, 0), (0, 9))), "tab").removed(Part("corner", 1)),
    ):
        with pytest.raises(LabilisError):
            call()
    # but it can be looked at while it is dragged
    put = outlining.put(outlining.moved_outline(Part("corner", 1), -20.0, 60.0))
    assert len(Outlining(put, "tab").bare().corners) == 5
    assert Outlining(plate(), "nobody").piece is None


def test_a_run_goes_to_the_side_on_which_there_is_room() -> None:
    """Of a narrow trough each end turns outward: inward it would meet the other wall."""
    outlining = Outlining(folded((0, 30), (0, 0), (10, 0), (10, 30)), "tab")
    first = corners(outlining.corner_added(Part("corner", 0))[0])
    last = corners(outlining.corner_added(Part("corner", 3))[0])
    np.testing.assert_allclose(first[0], [-15, 30])
    np.testing.assert_allclose(last[-1], [25, 30])
