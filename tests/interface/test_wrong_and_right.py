"""The wrong models and the right ones beside them, each opened and run in one window as a user
does it; and doubts settled by a reason."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import Qt

from tests.interface.conftest import Hand
from tests.judge.test_wrong_and_right import PAIRS, TRACED, written

SHARES = 3  # of the pairs: tests of half a minute each


def judged(hand: Hand, path: Path, trace: bool) -> str:
    """What stands at the head of the ladder."""
    hand.load(path)
    hand.run()
    if trace:
        hand.click(hand.card("Trace").tools["run the trace"])
        hand.wait_idle()
    verdict = hand.window.ladder.verdict
    return f"{verdict.headline}: {verdict.detail}"


@pytest.mark.parametrize(
    "share", [0, *(pytest.param(share, marks=pytest.mark.full) for share in range(1, SHARES))]
)
@pytest.mark.full
def test_a_wrong_model_does_not_pass_in_the_window_and_the_right_one_does(
    hand: Hand, tmp_path: Path, share: int
) -> None:
    said: dict[str, tuple[str, bool | None]] = {}
    for number, mistake in list(enumerate(PAIRS))[share::SHARES]:
        wrong, right, reason = PAIRS[mistake]
        first = judged(hand, written(tmp_path, wrong, f"wrong {number}"), mistake in TRACED)
        told = (
            first
            + " ".join(hand.session.journal)
            + " ".join(item.text for case in hand.session.report.cases for item in case.evidence)
        )
        assert hand.window.ladder.verdict.meets is not True and reason in told, (mistake, told)
        second = str(right)
        if second not in said:
            said[second] = (
                judged(hand, written(tmp_path, right, f"right {number}"), mistake in TRACED),
                hand.window.ladder.verdict.meets,
            )
        assert said[second][1] is True and said[second][0].startswith(
            ("Meets", "Cannot go unstable")
        ), (mistake, said[second])


def test_a_doubt_is_settled_by_writing_why_it_is_meant(hand: Hand, tmp_path: Path) -> None:
    assert judged(hand, written(tmp_path, PAIRS["3 an edge for a face"][0]), False).startswith(
        "No verdict: the model is not stated right"
    )
    text = hand.text("Modes")
    assert "Edges for faces: it is doubted that this is meant" in text
    card = hand.card("Modes")
    label, span = next(
        (label, span)
        for label in card.sentences
        for span in label.sentence
        if span.path == ("criteria", "meant", "edges for faces")
    )
    label.linkActivated.emit(str(label.sentence.index(span)))
    card.editor.line.setText("")
    hand.qtbot.keyClicks(card.editor.line, "it lies on a knife edge")
    hand.click(card.editor.ok)
    hand.wait_idle()
    assert hand.window.ladder.verdict.meets is True  # no new run is needed for it
    assert "it is meant so, because: it lies on a knife edge" in hand.text("Modes")
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    hand.wait_idle()
    assert hand.window.ladder.verdict.meets is None
