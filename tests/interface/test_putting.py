"""Pieces put on faces in the window."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PyQt6.QtCore import Qt

from tests.edit.test_placing import NEW, base
from tests.frames import STEEL, portal
from tests.interface.conftest import DEMO, Hand


def entry(menu: Any, *words: str) -> Any:
    """An action of a menu, or of one inside it."""
    for word in words[:-1]:
        menu = next(
            action.menu() for action in menu.actions() if action.menu() and word in action.text()
        )
    return next(action for action in menu.actions() if words[-1] in action.text())


def start(hand: Hand, tmp_path: Path, mesh_as: str = "shell") -> int:
    """A plate and a post beside it; the plate's face."""
    post = {"name": "post", "recipe": NEW["strut"], "material": STEEL["name"], "mesh_as": mesh_as}
    post["place"] = {"at": ["500 mm", "0 mm", "0 mm"], "turns": []}
    path = tmp_path / "pieces.json"
    pieces = [base((("x", 20.0),), mesh_as), post]
    path.write_text(json.dumps({"name": "pieces", "materials": [STEEL], "pieces": pieces}))
    hand.load(path)
    view = hand.session.current("shape")
    return int(
        next(row for row, name in enumerate(view.faces.name) if name in ("base/face", "base/top"))
    )


@pytest.mark.parametrize("mesh_as", ["shell", "solid"])
def test_a_new_piece_and_one_that_is_there_stand_on_a_face(
    hand: Hand, tmp_path: Path, mesh_as: str
) -> None:
    face = start(hand, tmp_path, mesh_as)
    stage, session = hand.window.stage, hand.session
    assert stage.pointing.footing() is None  # nothing is picked
    stage.select((("face", face),))
    where = stage.pointing.footing()
    assert where is not None
    stage.fill_menus()
    assert not stage.bar_buttons["Put"].isHidden()
    entry(stage.put_menu, "a new piece", "strut of a section", "square tube").trigger()
    hand.wait_idle()
    made = session.project.pieces[-1]
    assert made.name.startswith("strut") and made.material == STEEL["name"]
    view = session.current("shape")
    row = next(row for row, name in enumerate(view.edges.name) if f"{made.name}/start" in str(name))
    assert (view.edges.centroid[row] - where[0]) @ where[1] == pytest.approx(0.0, abs=2e-4)
    assert (
        session.document.undo_words.startswith(made.name) if hasattr(session, "document") else True
    )
    # the post, from where it stood
    face = next(
        row for row, name in enumerate(view.faces.name) if name in ("base/face", "base/top")
    )
    stage.select((("face", face),))
    stage.fill_menus()
    texts = [action.text() for action in stage.put_menu.actions()]
    assert not any(text.startswith("base") for text in texts)  # not on itself
    before = session.project
    entry(stage.put_menu, "post, from where it is").trigger()
    hand.wait_idle()
    assert session.project.named("pieces", "post").place != before.named("pieces", "post").place
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    hand.wait_idle()
    assert session.project == before


def test_on_an_edge_a_plate_stands_and_nothing_else(hand: Hand, tmp_path: Path) -> None:
    start(hand, tmp_path)
    stage = hand.window.stage
    view = hand.session.current("shape")
    edge = next(row for row, name in enumerate(view.edges.name) if "base/side" in str(name))
    stage.select((("edge", edge),))
    stage.fill_menus()
    assert stage.pointing.footing() is None
    assert [action.text() for action in stage.put_menu.actions()] == [
        "a plate along it",
        "copies along it, its length apart",
    ]
    before = hand.session.project
    hand.window.put_picked("new:plate")
    assert hand.session.project == before and "one plane face" in hand.window.banner_text.text()
    hand.window.put_picked("corner:")
    assert hand.session.project == before and "right angle" in hand.window.banner_text.text()
    entry(stage.put_menu, "a plate along it").trigger()
    hand.wait_idle()
    made = hand.session.project.pieces[-1]
    assert made.name == "plate" and made.material == STEEL["name"]
    assert f"{view.edges.length[edge]:g} mm × 120 mm" in hand.text("Part")
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    hand.wait_idle()
    assert hand.session.project == before


def test_a_sheet_is_stood_on_from_the_side_that_is_seen(hand: Hand, tmp_path: Path) -> None:
    face = start(hand, tmp_path)
    stage = hand.window.stage
    stage.select((("face", face),))
    normal = hand.session.current("shape").faces.direction[face]
    seen = []
    for sign in (1.0, -1.0):
        camera = stage.plotter.camera
        focal = np.array(camera.focal_point)
        camera.position = tuple(focal + sign * 500.0 * normal)
        where = stage.pointing.footing()
        assert where is not None
        seen.append(float(where[1] @ normal))
    assert seen == pytest.approx([1.0, -1.0])


def test_a_strut_between_two_picked_ends(hand: Hand, tmp_path: Path) -> None:
    path = tmp_path / "portal.json"
    path.write_text(json.dumps(portal()))
    hand.load(path)
    stage, session = hand.window.stage, hand.session
    view = session.current("shape")
    ends = [
        next(row for row, name in enumerate(view.edges.name) if wanted in str(name).split("|"))
        for wanted in ("left post/start", "right post/end")
    ]
    stage.select(tuple(("edge", row) for row in ends))
    stage.fill_menus()
    entry(stage.put_menu, "a strut from the first to the second", "round tube").trigger()
    hand.wait_idle()
    made = session.project.pieces[-1]
    assert made.mesh_as == "line"  # as all struts here are
    length = float(made.recipe.length.removesuffix(" mm"))  # type: ignore[union-attr]
    assert length == pytest.approx(float(np.hypot(1600, 1200)), abs=1e-3)
    hand.run()
    assert session.current("modes") is not None
    assert str(made.name) in [str(name) for name in session.current("strength").line_names]

    def foot() -> list[float]:
        view = session.current("shape")
        row = next(k for k, words in enumerate(view.edges.name) if f"{made.name}/start" in words)
        return [float(value) for value in view.edges.centroid[row]]

    # it stands on the piece where it begins, and goes with it
    assert made.place.on is not None and made.place.on.piece == "left post"
    before, x = foot(), session.project.named("pieces", "left post").place.at[0]
    moved = session.project.value(x, "length") + 70.0
    session.set_value(("pieces", 0, "place", "at", 0), f"{moved:g} mm", "moved")
    hand.wait_idle()
    assert foot() == pytest.approx([before[0] + 70.0, *before[1:]], abs=1e-3)


def test_what_was_put_on_a_face_goes_with_it_until_it_is_let_go(hand: Hand, tmp_path: Path) -> None:
    face = start(hand, tmp_path, "solid")
    stage, session = hand.window.stage, hand.session
    stage.select((("face", face),))
    stage.fill_menus()
    up = float(stage.pointing.footing()[1][2])
    entry(stage.put_menu, "a new piece", "strut of a section", "square tube").trigger()
    hand.wait_idle()
    row, name = len(session.project.pieces) - 1, session.project.pieces[-1].name
    assert "With its start on the top of base, from there x" in hand.text("Part")

    def foot() -> float:
        view = session.current("shape")
        mine = next(
            edge for edge, words in enumerate(view.edges.name) if f"{name}/start" in str(words)
        )
        return float(view.edges.centroid[mine][2])

    before, stated = foot(), session.project.named("pieces", "base").recipe
    thick = session.project.number(stated, "thickness")
    hand.type_value("Part", stated.thickness, "44 mm")
    hand.wait_idle()
    assert foot() == pytest.approx(before + up * (44.0 - thick) / 2, abs=1e-3)
    hand.choose("Part", ("pieces", row, "place", "on"), "on nothing", "base")
    hand.wait_idle()
    kept = foot()
    hand.type_value("Part", "44 mm", "10 mm")
    hand.wait_idle()
    assert foot() == pytest.approx(kept, abs=1e-3)
    hand.choose("Part", ("pieces", row, "place", "on"), "on post", "stand")
    hand.wait_idle()
    assert "With its start on the start of post" in hand.text("Part")
    assert foot() == pytest.approx(kept, abs=1e-3)


def test_copies_by_what_is_picked(hand: Hand, tmp_path: Path) -> None:
    """Mirrored in a plane face, along an edge, round a tube: one pick and one choice each; the
    copies stand where the picked thing says."""
    post = {
        "name": "post",
        "recipe": {
            "kind": "strut",
            "length": "90 mm",
            "section": {"shape": "round tube", "diameter": "20 mm", "thickness": "2 mm"},
        },
        "material": STEEL["name"],
        "mesh_as": "solid",
        "place": {"at": ["50 mm", "30 mm", "0 mm"]},
    }
    lug = {
        "name": "lug",
        "recipe": {"kind": "block", "width": "8 mm", "height": "6 mm", "depth": "12 mm"},
        "material": STEEL["name"],
        "place": {"at": ["64 mm", "30 mm", "40 mm"]},
    }
    path = tmp_path / "pieces.json"
    path.write_text(json.dumps({"name": "p", "materials": [STEEL], "pieces": [post, lug]}))
    hand.load(path)
    stage, session = hand.window.stage, hand.session

    def pick(of: str, wanted: Any) -> str:
        view = session.current("shape")
        table = {"face": view.faces, "edge": view.edges}[of]
        row = next(row for row in range(len(table.kind)) if wanted(table, row))
        stage.select(((of, row),))
        stage.fill_menus()
        return next(
            action.text()
            for action in stage.put_menu.actions()
            if action.text().startswith("copies")
        )

    def places(name: str) -> list[tuple[float, ...]]:
        view = session.current("shape")
        found = []
        for number, body in enumerate(view.bodies):
            if session.project.piece_of(str(body)) == name:
                rows = view.faces.body == number
                middle = np.average(
                    view.faces.centroid[rows], axis=0, weights=view.faces.area[rows]
                )
                found.append(tuple(round(float(value), 3) + 0.0 for value in middle))
        return sorted(found)

    words = pick("face", lambda t, row: t.kind[row] == "cylinder" and t.radius[row] == 10.0)
    assert words == "copies in a ring round it"
    entry(stage.put_menu, words, "of lug").trigger()
    hand.wait_idle()
    assert places("lug") == sorted(
        [(64.0, 30.0, 46.0), (50.0, 44.0, 46.0), (36.0, 30.0, 46.0), (50.0, 16.0, 46.0)]
    )
    assert "4 in a ring about z through (50 mm, 30 mm, 0 mm)" in hand.text("Part")
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    hand.wait_idle()
    words = pick("face", lambda t, row: t.kind[row] == "plane" and t.direction[row, 0] > 0.9)
    assert words == "copies mirrored in it"
    entry(stage.put_menu, words, "of post").trigger()
    hand.wait_idle()
    assert places("post") == [(50.0, 30.0, 45.0), (86.0, 30.0, 45.0)]  # in x = 68
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    hand.wait_idle()
    words = pick("edge", lambda t, row: t.kind[row] == "line" and abs(t.length[row] - 12) < 0.1)
    assert words == "copies along it, its length apart"
    entry(stage.put_menu, words, "of lug").trigger()
    hand.wait_idle()
    one, two = places("lug")
    assert two[2] - one[2] == pytest.approx(12.0) and one[:2] == two[:2]
    stage.select(())
    before = session.project
    hand.window.put_picked("repeat:lug")
    assert session.project == before


def test_nothing_is_put_where_there_is_nothing_to_put(hand: Hand) -> None:
    """A bore of an imported part: no recipe could be repeated round it, so that Put is not there
    with an empty menu."""
    hand.load(DEMO)
    stage = hand.window.stage
    view = hand.session.current("shape")
    bore = next(row for row in range(len(view.faces)) if view.faces.inner[row])
    stage.select((("face", bore),))
    stage.fill_menus()
    assert stage.pointing.copies() is not None
    assert stage.bar_buttons["Put"].isHidden() and not stage.put_menu.actions()
