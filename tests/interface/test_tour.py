"""The first check in six steps, by what a new user sees."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPushButton

from labilis.ui.tour import STEPS
from tests.interface.conftest import DEMO, Hand


def press(hand: Hand, words: str) -> None:
    """The one visible button that says these words."""
    found = [
        button
        for button in hand.window.findChildren(QPushButton)
        if button.isVisible() and words in (button.text(), button.accessibleName().split(":")[0])
    ]
    assert len(found) == 1, [button.text() for button in found]
    hand.click(found[0])


def test_from_an_empty_window_to_a_verdict(hand: Hand) -> None:
    """Nothing but the buttons of the tour is pressed."""
    tour, window = hand.window.tour, hand.window
    assert not tour.isVisible()
    press(hand, "First check in six steps")
    hand.wait_idle()
    stations = []
    for number in range(3):
        assert tour.count.text() == f"{number + 1} of 6"
        stations.append(window.sheet.open_name)
        press(hand, "Next")
    assert stations == ["Part", "Supports", "Loads"]
    assert window.sheet.open_name == "Mesh"
    press(hand, "Back")
    assert window.sheet.open_name == "Loads"
    press(hand, "Next")
    press(hand, "Run it")
    hand.wait_idle()
    assert window.sheet.open_name == "Modes"
    verdict = hand.session.case_report.verdict
    assert verdict.headline in tour.words.text()
    assert verdict.detail in tour.words.text()
    assert window.stage.view_name == "Mode"
    press(hand, "Back")
    press(hand, "Next")  # nothing is run again
    assert hand.session.running is None
    press(hand, "Next")
    assert window.drawer.tabs["Evidence"].isChecked()
    bad = sum(item.state == "bad" for item in hand.session.case_report.evidence)
    assert (f"{bad} of it speaks against" if bad else "nothing of it") in tour.words.text()
    press(hand, "Done")
    assert not tour.isVisible()


@pytest.mark.parametrize("way", ["Leave", "Esc"])
def test_it_can_be_left_at_any_point(hand: Hand, way: str) -> None:
    hand.window.first_check()
    hand.wait_idle()
    for step in range(len(STEPS)):
        hand.window.tour.go(step)
        statements = hand.session.project
        if way == "Leave":
            press(hand, "Leave")
        else:
            hand.key(Qt.Key.Key_Escape)
        assert not hand.window.tour.isVisible()
        assert hand.session.project is statements


def test_what_it_says_is_of_the_project_that_is_open(hand: Hand) -> None:
    """Of one without modes it claims nothing; words follow when another is opened and changed."""
    hand.window.first_check()
    hand.wait_idle()
    hand.window.tour.go(4)
    assert "not there yet" in hand.window.tour.words.text()
    hand.load(DEMO)
    hand.run()
    assert hand.session.case_report.verdict.headline in hand.window.tour.words.text()
    hand.type_value("Part", "1 kN", "1.1 kN")
    assert "not there yet" in hand.window.tour.words.text()
