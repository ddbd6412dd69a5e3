"""A plane that cuts off what lies before it."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from labilis.ui.stage.cutting import Cut
from tests.interface.conftest import DEMO, Hand

coordinate = st.floats(-100, 100, allow_nan=False)
point = st.tuples(coordinate, coordinate, coordinate)


@given(st.lists(st.tuples(point, point), min_size=1, max_size=6), point, st.sampled_from([0, 1, 2]))
def test_lines_are_shortened_to_what_stays(
    lines: list[tuple[tuple[float, ...], ...]], origin: tuple[float, ...], axis: int
) -> None:
    """What is left of a line lies on it and on the side that stays; a line that is gone has no
    point there."""
    normal = [0.0, 0.0, 0.0]
    normal[axis] = -1.0
    cut = Cut(origin, tuple(normal))  # type: ignore[arg-type]
    start, end = np.array(lines, dtype=float).transpose(1, 0, 2)
    first, last, left = cut.shortened(start, end)
    for k, there in enumerate(left):
        assert there == bool(cut.keeps(np.stack([start[k], end[k]])).any())
        if there:
            length = np.linalg.norm(end[k] - start[k])
            for place in (first[k], last[k]):
                assert (place - origin)[axis] * -1.0 >= -1e-9 * (1 + abs(place[axis]))
                on_it = np.linalg.norm(place - start[k]) + np.linalg.norm(place - end[k])
                assert on_it == pytest.approx(length, rel=1e-9, abs=1e-6)


def two_plates(folder: Path) -> Path:
    """One plate behind the other, seen along y."""
    corners = [("0 mm", "0 mm"), ("100 mm", "0 mm"), ("100 mm", "80 mm"), ("0 mm", "80 mm")]
    outline = [{"x": x, "y": y} for x, y in corners]
    pieces = [
        {
            "name": name,
            "mesh_as": "shell",
            "recipe": {"kind": "plate", "thickness": "2 mm", "outline": outline},
            "place": {"at": ["0 mm", at, "0 mm"], "turns": [{"about": "x", "angle": "90 deg"}]},
        }
        for name, at in (("front", "0 mm"), ("behind", "60 mm"))
    ]
    path = folder / "plates.json"
    path.write_text(json.dumps({"name": "Gauge plates", "pieces": pieces}), encoding="utf-8")
    return path


@pytest.mark.parametrize("way", ["menu", "command"])
def test_what_lies_behind_the_cut_is_seen_and_picked(hand: Hand, tmp_path: Path, way: str) -> None:
    hand.load(two_plates(tmp_path))
    window, stage, cut = hand.window, hand.window.stage, hand.window.stage.cut
    stage.look("y")
    hand.qtbot.wait(400)
    view = hand.session.current("shape")
    where = hand.pixel((50.0, 30.0, 40.0))
    x, y = where.x(), stage.plotter.height() - where.y()

    def piece() -> str:
        hand.qtbot.wait(60)
        picked = stage.pick_at(x, y)
        return "" if picked is None else str(view.bodies[view.faces.body[picked[1]]])

    whole = piece()
    assert whole in ("front", "behind")
    assert not cut.isVisible()
    if way == "menu":
        hand.menu(cut.button.menu(), "Across y")
    else:
        next(c for c in window.commands if c.words == "Cut across y").call()
    assert cut.isVisible()
    assert "cut at y = " in cut.place.text()
    assert "mm" in cut.place.text()
    one = piece()
    hand.click(cut.other)
    other = piece()
    assert {one, other} == {"front", "behind"}
    assert len(stage._in_line(x, y)) == 1
    cut.slider.setValue(0)
    hidden = piece()
    hand.click(cut.other)
    assert {hidden, piece()} == {"", whole}
    hand.session.show_in("in-lbf-psi")
    cut.slider.setValue(30)
    assert " in" in cut.place.text()
    if way == "menu":
        hand.menu(cut.button.menu(), "Nothing cut off")
    else:
        next(c for c in window.commands if c.words == "Nothing cut off").call()
    assert piece() == whole
    assert not cut.isVisible()


def test_what_is_cut_off_is_not_measured_and_pictures_say_that_it_is(hand: Hand) -> None:
    """No value is told of a node that is not seen; of cases side by side nothing is cut off; the
    plane goes with its part, and what is said of a mode with the mode."""
    hand.load(DEMO)
    hand.run()
    stage, cut = hand.window.stage, hand.window.stage.cut
    stage.show_view("Stress")
    hand.qtbot.wait(80)
    mesh = hand.session.current("mesh")
    node = int(mesh.nodes[:, 0].argmax())
    where = hand.pixel(
        stage.scene.field.points[list(stage.scene.field.point_data["node"]).index(node)]
    )
    x, y = where.x(), stage.plotter.height() - where.y()
    assert mesh.nodes[stage.spot_at(x, y)][0] > 0.9 * mesh.nodes[:, 0].max()
    assert "cut at" not in " ".join(stage.story())
    cut.choose(0)
    spot = stage.spot_at(x, y)
    assert spot < 0 or mesh.nodes[spot][0] < 0.6 * mesh.nodes[:, 0].max()
    assert cut.place.text() in " ".join(stage.story())
    stage.compare(((hand.session.case_name, 0), (hand.session.case_name, 1)))
    stage.show_view("Mode")
    hand.qtbot.wait(80)
    assert not cut.isVisible()
    assert not cut.button.isEnabled()
    assert "cut at" not in " ".join(stage.story())
    stage.compare(())
    stage.show_view("Mode", 0)
    hand.qtbot.wait(80)
    assert cut.isVisible()
    assert "mode 1" in " ".join(stage.story())
    stage.show_view("Shape")
    assert "mode 1" not in " ".join(stage.story())
    hand.load(DEMO.parents[1] / "sensor-bracket/sensor-bracket.json")
    assert cut.axis is None
    assert not cut.isVisible()
