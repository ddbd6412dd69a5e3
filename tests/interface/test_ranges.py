"""Where the colours of the stage end can be typed."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt

from labilis.results.stress_measures import von_mises
from tests.interface.conftest import Hand

DEMO = Path(__file__).parents[2] / "src/labilis/demos/panel-prop/panel-prop.json"


def typed(hand: Hand, end: object, text: str) -> None:
    line = end
    line.setFocus()  # type: ignore[attr-defined]
    line.selectAll()  # type: ignore[attr-defined]
    if text:
        hand.qtbot.keyClicks(line, text)
    else:
        hand.qtbot.keyClick(line, Qt.Key.Key_Delete)
    hand.qtbot.keyClick(line, Qt.Key.Key_Return)
    hand.qtbot.wait(40)


def limits(hand: Hand) -> tuple[float, float]:
    return tuple(hand.window.stage.scene.actors["field"].mapper.scalar_range)  # type: ignore[union-attr]


def test_the_ends_of_the_colours_are_typed_kept_and_given_back(hand: Hand) -> None:
    hand.load(DEMO)
    hand.run()
    stage, strip = hand.window.stage, hand.window.stage.playback
    stage.show_view("Stress")
    hand.qtbot.wait(40)
    most = float(von_mises(hand.session.current("strength").stress).max())
    assert limits(hand) == pytest.approx((0.0, most))
    before = np.array(stage.field.values)
    typed(hand, strip.high, "20")
    assert limits(hand) == pytest.approx((0.0, 20.0)) and strip.high.text() == "20"
    assert strip.high.font().bold() and not strip.low.font().bold()
    assert np.array_equal(stage.field.values, before)  # colours, not values
    typed(hand, strip.low, "5.5")
    assert limits(hand) == pytest.approx((5.5, 20.0))
    # another view has its own, and this one comes back as it was left
    stage.show_view("Mode", 0)
    hand.qtbot.wait(40)
    assert limits(hand) == pytest.approx((0.0, 1.0)) and not strip.high.font().bold()
    stage.show_view("Stress")
    hand.qtbot.wait(40)
    assert limits(hand) == pytest.approx((5.5, 20.0))
    # in other units the figures would mean something else
    hand.session.show_in("in-lbf-psi")
    hand.qtbot.wait(60)
    assert limits(hand)[1] == pytest.approx(most / 0.006894757293168361)
    hand.session.show_in("mm-N-MPa")
    hand.qtbot.wait(60)
    assert limits(hand) == pytest.approx((5.5, 20.0))
    typed(hand, strip.low, "30")  # not under the other end: as the values have it
    assert limits(hand) == pytest.approx((0.0, most))
    typed(hand, strip.low, "")
    typed(hand, strip.high, "")
    assert limits(hand) == pytest.approx((0.0, most)) and not strip.high.font().bold()


def test_what_is_no_number_changes_nothing(hand: Hand) -> None:
    hand.load(DEMO)
    hand.run()
    stage, strip = hand.window.stage, hand.window.stage.playback
    stage.show_view("Stress")
    hand.qtbot.wait(40)
    before, said = limits(hand), strip.high.text()
    for text in ("abc", "1 2", "nan", "inf"):
        typed(hand, strip.high, text)
        assert limits(hand) == pytest.approx(before) and strip.high.text() == said
        assert hand.window.focusWidget() is not strip.high
