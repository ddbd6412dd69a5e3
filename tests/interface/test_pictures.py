"""Small pictures of modes, and how sharp the stage is drawn."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PyQt6.QtGui import QImage

from labilis.run import Plan, Runner, judge_project, stage_keys
from labilis.store import load_model
from labilis.ui.stage import pictures
from labilis.ui.stage.sharpness import SAMPLES, Sharpness
from tests.frames import portal
from tests.interface.conftest import DEMO, Hand


def pixels(image: QImage) -> np.ndarray:
    whole = image.convertToFormat(QImage.Format.Format_RGB32)
    data = whole.constBits()
    assert data is not None
    data.setsize(whole.sizeInBytes())
    return np.frombuffer(bytes(data), np.uint8).reshape(whole.height(), whole.width(), 4)[..., :3]


@pytest.mark.parametrize("order", [(0, 1), (1, 0)])
def test_the_nearer_covers_the_farther(qapp: Any, order: tuple[int, int]) -> None:
    """Two samples at one place: the value of the nearer one is seen, whichever comes first."""
    wide = pictures._SIDE * pictures._FINE
    both = np.array([[40.5, 40.5, 1.0, 0.0, 1.0], [40.5, 40.5, 9.0, 1.0, 1.0]])
    seen = pixels(pictures._image(both[list(order)], wide))
    alone = pixels(pictures._image(both[1:], wide))
    assert np.array_equal(seen, alone)
    assert not np.array_equal(alone, pixels(pictures._image(both[:1], wide)))


def test_up_is_up_and_right_is_right(qapp: Any) -> None:
    wide = pictures._SIDE * pictures._FINE
    seen = pixels(pictures._image(np.array([[wide - 5.0, wide - 9.0, 0.0, 1.0, 1.0]]), wide))
    ground = seen[-1, 0]
    rows, columns = np.nonzero((seen != ground).any(axis=2))
    assert rows.max() < 10
    assert columns.min() > pictures._SIDE - 10


@pytest.mark.parametrize("as_", ["line", "shell"])
@pytest.mark.full
def test_every_mode_has_a_picture_of_its_own(qapp: Any, tmp_path: Path, as_: str) -> None:
    """A portal of lines, and the demo of shells: each picture is filled along its longer extent and
    no two are alike."""
    path = DEMO
    if as_ == "line":
        path = tmp_path / "portal.json"
        path.write_text(json.dumps(portal(criteria={"modes": 4})), encoding="utf-8")
    snapshot = load_model(path)
    results = Runner().run(snapshot, Plan("modes"))
    facts = judge_project(snapshot.project, results).cases[0].facts
    view = results[stage_keys(snapshot.project, "").shape]
    drawn = list(pictures.draw_modes(view, facts.mesh, facts.modes))
    assert len(drawn) == len(facts.modes.factors) > 2
    seen = [pixels(picture.toImage()) for picture in drawn]
    for image in seen:
        rows, columns = np.nonzero((image != image[0, 0]).any(axis=2))
        longest = max(np.ptp(rows), np.ptp(columns)) / pictures._SIDE
        assert 0.8 < longest < 1.0
    assert len({image.tobytes() for image in seen}) == len(seen)


def test_what_stands_is_drawn_standing(qapp: Any, tmp_path: Path) -> None:
    """A portal wider than high: its posts stand, its feet are below its beam and do not move."""
    path = tmp_path / "portal.json"
    path.write_text(json.dumps(portal()), encoding="utf-8")
    snapshot = load_model(path)
    results = Runner().run(snapshot, Plan("modes"))
    facts = judge_project(snapshot.project, results).cases[0].facts
    view = results[stage_keys(snapshot.project, "").shape]
    drawn = list(pictures.draw_modes(view, facts.mesh, facts.modes))
    ground = pixels(drawn[0].toImage())[0, 0].astype(int)
    for picture in drawn:
        seen = pixels(picture.toImage()).astype(int)
        away = np.abs(seen - ground).sum(axis=2)
        rows = np.flatnonzero((away > 40).any(axis=1))
        middle = (rows[0] + rows[-1]) // 2
        dark = [float(away[half].max()) for half in (slice(0, middle), slice(middle, None))]
        assert dark[0] > dark[1], "what moves most is the darkest, and it is above"


class _View:
    """A view whose frames take so long."""

    def __init__(self, seconds: float) -> None:
        self.seconds, self.samples, self.camera, self.calls = seconds, SAMPLES, 0, {}

    def AddObserver(self, event: str, call: Any) -> None:
        self.calls[event] = call

    def GetMultiSamples(self) -> int:
        return self.samples

    def SetMultiSamples(self, samples: int) -> None:
        self.samples = samples

    def update(self) -> None:
        self.frame()

    def frame(self) -> int:
        import time

        self.calls["StartEvent"]()
        if self.samples:
            time.sleep(self.seconds)
        self.calls["EndEvent"]()
        return self.samples


@pytest.mark.parametrize(("seconds", "moving"), [(0.0, SAMPLES), (0.08, 0)])
def test_a_slow_view_is_drawn_sharp_at_rest_only(qtbot: Any, seconds: float, moving: int) -> None:
    view = _View(seconds)
    sharpness = Sharpness(view, view, lambda: view.camera)
    assert view.frame() == SAMPLES
    assert view.frame() == SAMPLES  # nothing has changed since
    view.camera = 1
    assert view.frame() == moving
    assert view.frame() == moving
    sharpness.changed()
    assert view.frame() == moving
    qtbot.wait(500)
    assert view.samples == SAMPLES
    view.camera = 2
    with sharpness.kept():
        assert view.frame() == SAMPLES
    sharpness.stop()


def test_a_saved_picture_is_sharp(hand: Hand) -> None:
    hand.load(DEMO)
    stage = hand.window.stage
    stage.sharpness._slow = True
    hand.qtbot.waitUntil(lambda: stage.plotter.render_window.GetMultiSamples() == SAMPLES)
    stage.look("x")
    hand.qtbot.wait(30)
    assert stage.plotter.render_window.GetMultiSamples() == 0
    data, _ = stage.picture()
    assert data.startswith(b"\x89PNG")
    assert stage.plotter.render_window.GetMultiSamples() == SAMPLES


@pytest.mark.full
def test_what_a_run_finds_comes_into_view_unless_another_was_chosen(hand: Hand) -> None:
    hand.load(DEMO)
    stage = hand.window.stage
    hand.window.run("strength")
    hand.wait_idle()
    assert stage.view_name == "Stress"
    hand.click(stage.chips["Shape"])
    hand.run()
    assert stage.view_name == "Mode"
    assert stage.mode == 0
    hand.type_value("Part", "1 kN", "1.5 kN")
    hand.click(hand.window.run_button)
    hand.click(stage.chips["Shape"])  # while it runs
    hand.wait_idle()
    assert hand.session.current("modes") is not None
    assert stage.view_name == "Shape"
    hand.type_value("Part", "1.5 kN", "2 kN")
    hand.click(stage.chips["Shape"])
    stage.select((("face", 0),))
    hand.run()
    assert stage.view_name == "Shape", "something is picked there"
