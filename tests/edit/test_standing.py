"""Pieces that stand on others: frames, what moves with what, and what is kept when it is let go."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from labilis.app.session import Session
from labilis.edit.placing import place_of, put_on
from labilis.edit.removing import without
from labilis.edit.standing import related, stands_on
from labilis.model import LabilisError, Project, Stand, load_project
from labilis.model.renaming import renamed
from labilis.model.standing import frame_of
from labilis.run import stage_keys
from labilis.shape.part import build_part
from tests.frames import STEEL

POST = {
    "kind": "strut",
    "length": "tall",
    "section": {"shape": "square tube", "width": "40 mm", "thickness": "2 mm"},
}
CAP = {
    "kind": "plate",
    "thickness": "lid",
    "outline": [
        {"x": f"{x} mm", "y": f"{y} mm"} for x, y in ((-40, -30), (40, -30), (40, 30), (-40, 30))
    ],
}


def stand(**more: Any) -> Project:
    """A post and a cap that is not on it yet."""
    piece = {"material": STEEL["name"], "mesh_as": "shell"}
    return load_project(
        {
            "parameters": {"tall": "300 mm", "lid": "6 mm"},
            "materials": [STEEL],
            "pieces": [
                {"name": "post", "recipe": POST, **piece, **more},
                {"name": "cap", "recipe": CAP, **piece},
                {"name": "top", "recipe": POST, **piece},
            ],
        }
    )


def where(project: Project, name: str) -> tuple[np.ndarray, np.ndarray]:
    frame = frame_of(project, project.named("pieces", name))
    return np.array(frame.turn), np.array(frame.at)


TURNED = {
    "turns": [{"about": "x", "angle": "30 deg"}, {"about": "z", "angle": "-70 deg"}],
    "at": ["100 mm", "-20 mm", "50 mm"],
}


def put(project: Project) -> Project:
    """The cap on the end of the post, and another post on the cap."""
    turn, at = where(project, "post")
    end = at + turn[:, 2] * 300
    project = stands_on(put_on(project, "cap", end, turn[:, 2]), "cap", "post", tuple(end))
    over = end + turn[:, 2] * 6
    return stands_on(put_on(project, "top", over, turn[:, 2]), "top", "cap", tuple(over))


@pytest.mark.parametrize("place", [{}, TURNED])
def test_what_stands_on_a_face_goes_with_it(place: dict[str, Any]) -> None:
    project = put(stand(place=place))
    on = project.named("pieces", "cap").place.on
    assert (on.piece, on.end, on.by) == ("post", "end", "bottom")
    assert project.named("pieces", "top").place.on.end == "top"
    higher = project.changed(parameters={"tall": "500 mm", "lid": "10 mm"})
    turn, at = where(higher, "post")
    for name, height in (("cap", 505.0), ("top", 510.0)):
        assert where(higher, name)[1] == pytest.approx(at + turn[:, 2] * height, abs=1e-3)
        assert where(higher, name)[0][:, 2] == pytest.approx(turn[:, 2], abs=1e-7)
    # and the part hangs together, as it did
    for stated in (project, higher):
        view = build_part(stated, {}).view
        assert view.extents is not None and len(view.bodies) == 3
    moved = higher.with_value(("pieces", 0, "place", "at", 0), "1000 mm")
    assert where(moved, "top")[1][0] - where(higher, "top")[1][0] == pytest.approx(1000 - at[0])


def test_the_shape_is_where_the_frame_says() -> None:
    project = put(stand(place=TURNED))
    alone = related(related(project, "top", None), "cap", None)
    assert alone.named("pieces", "top").place.on is None
    for one in (project, alone):
        view = build_part(one, {}).view
        assert view.extents == pytest.approx(build_part(project, {}).view.extents, abs=1e-3)


ANGLES = st.lists(st.tuples(st.sampled_from("xyz"), st.floats(-180, 180)), min_size=0, max_size=4)


@given(ANGLES, ANGLES, st.lists(st.floats(-500, 500), min_size=6, max_size=6))
@settings(max_examples=60, deadline=None)
def test_frames_are_those_of_turns_one_after_the_other(one: Any, two: Any, at: list[float]) -> None:
    def place(turns: Any, at: list[float]) -> dict[str, Any]:
        return {
            "turns": [{"about": axis, "angle": f"{angle!r} deg"} for axis, angle in turns],
            "at": [f"{value!r} mm" for value in at],
        }

    project = stand(place=place(one, at[:3]))
    cap = {**place(two, at[3:]), "on": {"piece": "post", "end": "end", "by": "top"}}
    project = project.with_value(("pieces", 1, "place"), cap)

    def matrix(turns: Any) -> np.ndarray:
        found = np.eye(3)
        for axis, angle in turns:
            found = Rotation.from_euler(axis, angle, degrees=True).as_matrix() @ found
        return found

    base, own = matrix(one), matrix(two)
    turn, origin = where(project, "cap")
    assert turn == pytest.approx(base @ own, abs=1e-9)
    there = base @ (np.array(at[3:]) + [0, 0, 300] - own[:, 2] * 3) + at[:3]
    assert origin == pytest.approx(there, abs=1e-6)
    again = matrix(
        [(turn.about, float(turn.angle.split()[0])) for turn in place_of(turn, origin).turns]
    )
    assert again == pytest.approx(turn, abs=1e-6)
    # stated otherwise it is where it was
    for other in (Stand(piece="post"), Stand(piece="post", end="end", by="bottom"), None):
        turned, moved = where(related(project, "cap", other), "cap")
        assert turned == pytest.approx(turn, abs=1e-6) and moved == pytest.approx(origin, abs=2e-3)


def test_what_is_taken_away_leaves_what_stood_on_it_where_it_was() -> None:
    project = put(stand(place=TURNED))
    before = where(project, "cap"), where(project, "top")
    less, gone = without(project, "pieces", "post")
    assert gone == () and less.named("pieces", "cap").place.on is None
    for name, (turn, at) in zip(("cap", "top"), before):
        assert where(less, name)[0] == pytest.approx(turn, abs=1e-6)
        assert where(less, name)[1] == pytest.approx(at, abs=1e-3)
    assert less.named("pieces", "top").place.on.piece == "cap"


def test_what_stands_on_a_piece_set_aside_is_not_shown_where_it_was() -> None:
    """The post carries no load and is in no mesh; what it does moves the cap all the same."""
    project = put(stand())
    ghost = project.with_value(("pieces", 0, "set_aside"), True)
    higher = ghost.changed(parameters={"tall": "500 mm", "lid": "6 mm"})
    assert stage_keys(ghost).mesh != stage_keys(higher).mesh
    assert stage_keys(ghost).shape != stage_keys(higher).shape
    tops = [build_part(one, {}).view.extents[2, 1] for one in (ghost, higher)]
    assert tops[1] - tops[0] == pytest.approx(200.0 + 200.0)  # the upper post is as tall
    # a name is no place, and what says nothing of it no other key
    other = renamed(ghost, "pieces", 0, "mast")
    assert where(other, "cap")[1] == pytest.approx(where(ghost, "cap")[1])


def test_a_new_name_is_followed() -> None:
    project = renamed(put(stand()), "pieces", 0, "mast")
    assert project.named("pieces", "cap").place.on.piece == "mast"


def test_nothing_stands_on_itself_or_on_what_has_no_such_end() -> None:
    project = put(stand())
    for row, on in ((0, {"piece": "top"}), (0, {"piece": "post"}), (1, {"piece": "nobody"})):
        with pytest.raises(LabilisError):
            project.with_value(("pieces", row, "place", "on"), on)
    for row, leaf, end in ((1, "end", "top"), (1, "by", "end"), (2, "end", "end")):
        with pytest.raises(LabilisError, match=f"has no {end}"):
            project.with_value(("pieces", row, "place", "on", leaf), end)
    assert stands_on(project, "post", "top", (0.0, 0.0, 0.0)) == project


def test_the_session_states_it_from_somewhere_else_without_moving_it() -> None:
    session = Session()
    session.edit(put(stand(place=TURNED)), "made")
    before = where(session.project, "top")
    for path, value in (
        (("on", "end"), "itself"),
        (("on", "by"), "end"),
        (("on",), {"piece": "post"}),
        (("on",), None),
    ):
        session.set_value(("pieces", 2, "place", *path), value, "said otherwise")
        assert where(session.project, "top")[1] == pytest.approx(before[1], abs=2e-3)
    with pytest.raises(LabilisError, match="stands on 'post' itself"):
        session.set_value(("pieces", 0, "place", "on"), {"piece": "cap"}, "round")
    session.close()
