"""The first check in six steps: a strip under the stage that opens one station after the other."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton

from labilis.app import Session
from labilis.ui.plain_text import Label


@dataclass(frozen=True)
class Step:
    """The station that it opens ('' for the page of evidence), what it says, what `next` is called
    there, and whether it waits for modes."""

    station: str
    words: Callable[[Session], str]
    forward: str = "Next"
    runs: bool = False


def _verdict(session: Session) -> str:
    report = session.case_report
    if report is None or report.facts.modes is None:
        return "The modes are not there yet: run them, or go one step back."
    return (
        f"{report.verdict.headline}: {report.verdict.detail}. The ladder on the right has all "
        "factors on one scale, the required one as a bar. Click a mode to see how the part bulges."
    )


def _evidence(session: Session) -> str:
    report = session.case_report
    against = 0 if report is None else sum(item.state == "bad" for item in report.evidence)
    said = f"{against} of it speaks against" if against else "nothing of it speaks against"
    return (
        f"Evidence tells how far the number can be believed: {said} it. A factor is of an ideal "
        "part; the station Trace follows an imperfect one at large deflection."
    )


STEPS = (
    Step(
        "Part",
        lambda _: (
            "The sheet on the left states a check from top to bottom. Every coloured word "
            "can be clicked and changed: the material, a size, how the part is meshed."
        ),
    ),
    Step(
        "Supports",
        lambda _: (
            "A support is a place and what is held there, on the stage a hatched ground with "
            "a tick for x, y, z and the three turns, long when held. Pick a face to add one."
        ),
    ),
    Step(
        "Loads",
        lambda _: (
            "Growing loads are multiplied until the part goes unstable, held ones stay as "
            "they are. The factor that is looked for is that of the growing ones."
        ),
    ),
    Step(
        "Mesh",
        lambda _: (
            "Nothing has to be set for the mesh: the run makes it finer until the factors "
            "that count are known well enough, and says how far they can be off."
        ),
        "Run it",
        True,
    ),
    Step("Modes", _verdict),
    Step("", _evidence, "Done"),
)


class Tour(QFrame):
    """Leads through the steps; `show_station` opens a station, `show_evidence` the page of the
    drawer, `run` finds the modes. It can be left at any point."""

    def __init__(
        self,
        session: Session,
        show_station: Callable[[str], object],
        show_evidence: Callable[[], object],
        run: Callable[[], object],
    ) -> None:
        super().__init__()
        self.setObjectName("float")
        self._session, self._run = session, run
        self._show_station, self._show_evidence = show_station, show_evidence
        self.step = -1
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 8, 10, 8)
        self.count = Label("")
        self.count.setObjectName("title")
        self.words = Label("")
        self.words.setWordWrap(True)
        self.back, self.forward, self.leave = (
            QPushButton(words) for words in ("Back", "Next", "Leave")
        )
        self.back.clicked.connect(lambda: self.go(self.step - 1))
        self.forward.clicked.connect(self._forward)
        self.leave.clicked.connect(lambda: self.go(-1))
        row.addWidget(self.count)
        row.addWidget(self.words, 1)
        for button in (self.back, self.forward, self.leave):
            row.addWidget(button)
        session.statements_changed.connect(self._tell)
        session.results_changed.connect(self._tell)
        session.case_changed.connect(self._tell)
        self.go(-1)

    def go(self, step: int) -> None:
        """To a step from 0; out of them the tour is over."""
        self.step = step if 0 <= step < len(STEPS) else -1
        self.setVisible(self.step >= 0)
        if self.step < 0:
            return
        if station := STEPS[self.step].station:
            self._show_station(station)
        else:
            self._show_evidence()
        self._tell()

    def _tell(self) -> None:
        if self.step < 0:
            return
        step = STEPS[self.step]
        self.count.setText(f"{self.step + 1} of {len(STEPS)}")
        self.words.setText(step.words(self._session))
        self.back.setEnabled(self.step > 0)
        self.forward.setText("Next" if step.runs and self._found else step.forward)

    @property
    def _found(self) -> bool:
        return self._session.current("modes") is not None

    def _forward(self) -> None:
        if STEPS[self.step].runs and not self._found:
            self._run()
        self.go(self.step + 1)
