"""A station's card: number, title, mark, sentences, tools."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from labilis.app.typed import now_at, pair_at, triple_at, typed, varied_at
from labilis.judge.spans import Sentence, Span, subject_of
from labilis.model import LabilisError, Project, shown
from labilis.model.statements import MOTIONS, TURNS
from labilis.model.units import KINDS
from labilis.ui.plain_text import Label, polish_again
from labilis.ui.sheet.sentence import MotionEditor, SentenceLabel, ValueEditor, choose
from labilis.ui.theme import PAPER

if TYPE_CHECKING:
    from labilis.app import Session

MARKS = {
    "empty": "not stated yet",
    "ready": "ready",
    "stale": "out of date",
    "blocked": "blocked",
    "fails": "does not meet",
}


class Mark(QWidget):
    """Ring on the sheet's line: empty, filled with a tick, hatched, or crossed. Never told by
    colour alone."""

    def __init__(self, first: bool, last: bool) -> None:
        super().__init__()
        self.setFixedWidth(28)
        self.state = "empty"
        self._first, self._last = first, last

    def show_state(self, state: str) -> None:
        """Set one of MARKS."""
        self.state = state
        self.setToolTip(MARKS[state])
        self.setAccessibleName(MARKS[state])
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        x, y, r = 16.0, 20.0, 6.5
        painter.setPen(QPen(QColor(PAPER.line), 2))
        painter.drawLine(
            QPointF(x, y if self._first else 0), QPointF(x, y if self._last else self.height())
        )
        colour = QColor(
            {
                "ready": PAPER.accent,
                "stale": PAPER.caution,
                "blocked": PAPER.bad,
                "fails": PAPER.bad,
            }.get(self.state, PAPER.quiet)
        )
        painter.setPen(QPen(colour, 1.4))
        painter.setBrush(QColor(PAPER.ground))
        circle = QRectF(x - r, y - r, 2 * r, 2 * r)
        if self.state in ("ready", "blocked", "fails"):
            painter.setBrush(colour)
        painter.drawEllipse(circle)
        if self.state == "stale":
            painter.setBrush(QBrush(colour, Qt.BrushStyle.BDiagPattern))
            painter.drawEllipse(circle)
        painter.setPen(QPen(QColor(PAPER.card), 1.8))
        if self.state == "ready":
            painter.drawPolyline(
                QPolygonF(
                    [QPointF(x - 3, y + 0.3), QPointF(x - 0.8, y + 2.6), QPointF(x + 3.2, y - 2.4)]
                )
            )
        elif self.state in ("blocked", "fails"):
            painter.drawLine(QPointF(x - 2.6, y - 2.6), QPointF(x + 2.6, y + 2.6))
            painter.drawLine(QPointF(x - 2.6, y + 2.6), QPointF(x + 2.6, y - 2.6))


_TOOL_ROOM = 236  # pixels for a row of buttons


class Card(QFrame):
    """One station. Subclass-free: the sheet fills it by `show_sentences` and `add_tool`."""

    opened = pyqtSignal()
    outline_wanted = pyqtSignal(str)  # of a piece, by its name
    plan_grew = pyqtSignal()  # a value was put into a trial plan

    def __init__(self, session: Session, number: int, title: str) -> None:
        super().__init__()
        self.setObjectName("card")
        self.session, self.title = session, title
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(12, 7, 10, 8)
        self._layout.setSpacing(3)
        self.head = QPushButton(f"{number} {title}")
        self.head.setStyleSheet(
            "QPushButton { text-align: left; border: none; background: transparent; padding: 0; "
            "font-weight: 600; font-size: 14px; } QPushButton:focus { text-decoration: underline; }"
        )
        self.head.setAccessibleName(f"Station {number}, {title}")
        self.head.clicked.connect(self.opened)
        self._layout.addWidget(self.head)
        self._sentences = QWidget()
        self._body = QVBoxLayout(self._sentences)
        self._body.setContentsMargins(0, 0, 0, 0)
        self._body.setSpacing(3)
        self._layout.addWidget(self._sentences)
        self._more = note_label("")
        self._layout.addWidget(self._more)
        self._closed_lines = 1
        self._tools = QWidget()
        self._tool_rows = QVBoxLayout(self._tools)
        self._tool_rows.setContentsMargins(0, 5, 0, 1)
        self._tool_rows.setSpacing(6)
        self._arranged: list[tuple[int, str]] = []
        self._layout.addWidget(self._tools)
        self.tools: dict[str, QPushButton] = {}
        self.sentences: list[SentenceLabel] = []
        self._shown: tuple[list[Sentence], list[tuple[str, str] | None]] | None = None
        # what a detail is about, by its number, where details are folded
        self._heads: dict[int, tuple[str, str]] = {}
        self._unfolded: set[tuple[str, str]] = set()
        self._about: set[tuple[str, str]] = set()
        self.editor: ValueEditor | MotionEditor | None = None
        self.is_open = False
        self.set_open(False)

    def add_tool(self, name: str, call: Any, tip: str = "") -> QPushButton:
        """A button of the open station."""
        button = QPushButton(name, self._tools)
        button.setObjectName("tool")
        button.setToolTip(tip)
        button.clicked.connect(lambda _=False: call())
        self.tools[name] = button
        self.arrange_tools()
        return button

    def arrange_tools(self) -> None:
        """Put the buttons that are offered now into rows, without gaps for the others."""
        # a button that was not laid out yet counts as hidden too, but nobody said so
        offered = [
            button
            for button in self.tools.values()
            if not (
                button.isHidden()
                and button.testAttribute(Qt.WidgetAttribute.WA_WState_ExplicitShowHide)
            )
        ]
        arranged = [(id(button), button.text()) for button in offered]
        if arranged == self._arranged:
            return
        self._arranged = arranged
        while (row := self._tool_rows.takeAt(0)) is not None:
            inside = row.layout()
            while inside is not None and inside.takeAt(0) is not None:
                pass
        room = 0
        for button in offered:
            needed = button.sizeHint().width() + 6
            if needed > room:  # the next row
                line, room = QHBoxLayout(), _TOOL_ROOM
                line.setSpacing(6)
                line.addStretch(1)
                self._tool_rows.addLayout(line)
            room -= needed
            line.insertWidget(line.count() - 1, button)

    def set_open(self, is_open: bool) -> None:
        """Open the station or shrink it to its sentence."""
        self.is_open = is_open
        self.setProperty("open", "true" if is_open else "false")
        polish_again(self)
        self._tools.setVisible(is_open and bool(self.tools))
        if not is_open:
            self.close_editor()
        with self._held():
            self._show_lines()
        self._more.setVisible(not is_open and bool(self._more.text()))

    def show_sentences(self, sentences: list[Sentence]) -> None:
        """Put these sentences on the card; what one is about can be taken away at its end.
        Sentences that stand there already stay."""
        drops = [_removable(self.session.project, sentence) for sentence in sentences]
        if (sentences, drops) == self._shown:
            return
        self._shown = (list(sentences), drops)
        self._heads = _heads(sentences)
        self._unfold_what_is_new({found for found in map(subject_of, sentences) if found})
        typing = self.editor if isinstance(self.editor, ValueEditor) else None
        if self.editor is not None:
            self.close_editor()
        with self._held():
            self._write(sentences, drops)
        if typing is not None:
            self._resume(typing)

    def _unfold_what_is_new(self, about: set[tuple[str, str]]) -> None:
        """What was just made is told in full, as it is changed next; what has another name now
        stays as it was."""
        new, gone = about - self._about, self._about - about
        if self._about and len(new) == 1 and (not gone or gone <= self._unfolded):
            self._unfolded |= new
        self._about = about

    @contextmanager
    def _held(self) -> Iterator[None]:
        """While many sentences come, go or hide: each would have the heights of all the others
        found anew."""
        self._sentences.hide()
        try:
            yield
        finally:
            self._sentences.show()

    def _write(self, sentences: list[Sentence], drops: list[tuple[str, str] | None]) -> None:
        while self._body.count():
            item = self._body.takeAt(0)
            if item is not None and (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        self.sentences = []
        stated = sum(drop is not None for drop in drops)
        self._closed_lines = 2 if stated > 1 else 1
        hidden = stated - self._closed_lines
        self._more.setText(f"and {hidden} more" if hidden > 0 else "")
        self._more.setVisible(not self.is_open and hidden > 0)
        for number, (sentence, drop) in enumerate(zip(sentences, drops)):
            label = SentenceLabel(
                sentence, f"Remove {drop[1]}" if drop else "", self._fold_mark(number)
            )
            label.folded.connect(lambda sentence=sentence: self._fold(subject_of(sentence)))
            label.chosen.connect(lambda span, label=label: self.edit(span, label))
            if drop:
                label.removed.connect(lambda drop=drop: self.session.remove(drop[0], drop[1]))
            self._body.addWidget(label)
            self.sentences.append(label)
        self._show_lines()

    def _show_lines(self) -> None:
        """Which sentences are seen: the first ones of a closed station, all of an open one but
        details that are folded away."""
        first = [number for number in range(len(self.sentences)) if number not in self._heads]
        for number, label in enumerate(self.sentences):
            head = self._heads.get(number)
            label.setVisible(
                number in first[: self._closed_lines]
                if not self.is_open
                else head is None or head in self._unfolded
            )

    def _fold_mark(self, number: int) -> str:
        assert self._shown is not None
        subject = subject_of(self._shown[0][number])
        if subject is None or number in self._heads or subject not in self._heads.values():
            return ""
        return "▾" if subject in self._unfolded else "▸"

    def _fold(self, subject: tuple[str, str] | None) -> None:
        """Show the details of something, or hide them again."""
        if subject is None or self._shown is None:
            return
        self._unfolded ^= {subject}
        self.close_editor()
        with self._held():
            self._write(*self._shown)

    def _resume(self, typing: ValueEditor) -> None:
        """Open the editor again that was open before the sentences were written anew, with what
        had been typed."""
        for label in self.sentences:
            for span in label.sentence:
                if span.path == typing.span.path and span.kind == typing.span.kind and self.is_open:
                    self.edit(span, label)
                    if (
                        isinstance(self.editor, ValueEditor)
                        and self.editor.line.text() != typing.line.text()
                    ):
                        self.editor.line.setText(typing.line.text())
                    return

    def edit(self, span: Span, label: SentenceLabel) -> None:
        """Open the editor for a value, right under its sentence."""
        self.close_editor()
        label.show()  # a detail that is folded away
        if not self.is_open:
            self.opened.emit()
        path = span.path or ()
        if span.kind == "outline":
            self.outline_wanted.emit(self.session.project.pieces[int(path[1])].name)
            return
        title = f"{self.title}: {span.text} changed"
        if span.choices:
            choose(self, span, lambda value: self._choose(path, value, title))
            return
        motions = span.kind == "motions"
        editor = self._motion_editor(path) if motions else self._value_editor(span, path)
        self.editor = editor
        editor.closed.connect(self.close_editor)
        self._body.insertWidget(self._body.indexOf(label) + 1, editor)
        editor.show()
        if isinstance(editor, ValueEditor):
            editor.passed_on.connect(lambda step: self._pass_on(span, step))
            editor.line.setFocus()

    def _pass_on(self, span: Span, step: int) -> None:
        """Open the next value that is typed, or the one before, of those in sight."""
        typed = [one for one in self._typed() if one[1].isVisibleTo(self)]
        places = [(other.path, other.kind) for other, _ in typed]
        if (span.path, span.kind) in places:
            there = places.index((span.path, span.kind)) + step
            if 0 <= there < len(typed):
                self.edit(*typed[there])

    def _typed(self) -> list[tuple[Span, SentenceLabel]]:
        """The values that are typed, in the order in which they are read."""
        return [
            (span, label)
            for label in self.sentences
            for span in label.sentence
            if span.path and not span.choices and not span.act
            if span.kind not in ("outline", "motions")
        ]

    def _motion_editor(self, path: tuple[str | int, ...]) -> MotionEditor:
        """Ticks for the motions that the support at a path holds."""
        support = self.session.project.supports[int(path[1])]
        hubs = {hub.name for hub in self.session.project.hubs}
        shells = any(piece.mesh_as != "solid" for piece in self.session.project.active_pieces)
        turns = TURNS[support.axes.kind] if support.on in hubs or shells else ()
        return MotionEditor(
            MOTIONS[support.axes.kind] + turns,
            support.held,
            lambda held: self.session.set_value(path, list(held), f"{support.name}: motions held"),
        )

    def _value_editor(self, span: Span, path: tuple[str | int, ...]) -> ValueEditor:
        """A line for the value of a span, with what may be typed there."""
        now = now_at(self.session.project, path, span.text, span.kind)
        variable = path[0] == "parameters" or (
            span.kind in KINDS and path[0] != "plans" and path[2:3] != ("side",)
        )
        vary = (lambda: self._vary(path, now)) if variable else None
        hint = self._hint(span, path)
        return ValueEditor(span, now, hint, lambda text: self._set_text(span, path, text), vary)

    def _hint(self, span: Span, path: tuple[str | int, ...]) -> str:
        """What may be typed for a span."""
        hint = {"text": "a name", "count": "a whole number"}.get(span.kind) or (
            f"{KINDS[span.kind][2]}, such as {shown.typed(KINDS[span.kind][1], span.kind)}, or "
            "an expression"
            if span.kind in KINDS
            else "a quantity with its unit"
        )
        if span.kind in KINDS and len(triple_at(self.session.project, path)) == 3:
            hint += "; or all three, with commas"
        if pair_at(self.session.project, path):
            hint += f"; or both coordinates: 2, {shown.typed('3 mm', 'length')}"
        return hint

    def _vary(self, path: tuple[str | int, ...], shown: str) -> None:
        """The value as a parameter in the first plan, whose sentence is then open."""
        made, name = varied_at(self.session.project, path, shown)
        self.session.edit(made, f"{name} varied")
        self.plan_grew.emit()

    def _set_text(self, span: Span, path: tuple[str | int, ...], text: str) -> None:
        path, value = typed(self.session.project, path, span.kind, text)
        self.session.set_value(
            path, value, f"{path[-1] if isinstance(path[-1], str) else path[-2]} set to {text}"
        )

    def _choose(self, path: tuple[str | int, ...], value: Any, title: str) -> None:
        """Take what was chosen; the first quantity that came with it is open for typing."""
        before = {span.path for span, _ in self._typed()}
        self._try(path, value, title)
        self.type_first(lambda span: span.path not in before)

    def type_first(self, wanted: Callable[[Span], bool]) -> None:
        """Open the first quantity that is wanted, where there is one; one that is nought is left
        for one that is not."""
        found = [one for one in self._typed() if one[0].kind in KINDS and wanted(one[0])]
        found = [one for one in found if not one[0].text.startswith("0 ")] or found
        if found and self.is_open:
            self.edit(*found[0])

    def _try(self, path: tuple[str | int, ...], value: Any, title: str) -> None:
        try:
            self.session.set_value(path, value, title)
        except LabilisError as error:
            self.session.problem.emit(error)

    def close_editor(self) -> None:
        """Put the editor away."""
        if self.editor is not None:
            self.editor.hide()
            self.editor.deleteLater()
            self.editor = None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if not self.is_open:
            self.opened.emit()
        super().mousePressEvent(event)


_FEW = 2  # details that are shown as they are


def _heads(sentences: list[Sentence]) -> dict[int, tuple[str, str]]:
    """For each sentence that is a detail what it is about, where there are more than a few."""
    found: dict[int, tuple[str, str]] = {}
    about: tuple[str, str] | None = None
    for number, sentence in enumerate(sentences):
        if any(span.detail for span in sentence):
            if about is not None:
                found[number] = about
        else:
            about = subject_of(sentence)
    return found if len(found) > _FEW else {}


def _removable(project: Project, sentence: Sentence) -> tuple[str, str] | None:
    """(list, name) of what a sentence is about, where it can be taken away: of pieces and cases
    one stays."""
    subject = subject_of(sentence)
    if (
        subject is None
        or subject[0] == "materials"
        or (subject[0] in ("pieces", "cases") and len(getattr(project, subject[0])) < 2)
    ):
        return None
    return subject


def note_label(text: str) -> Label:
    """A quiet line under a card."""
    label = Label(text)
    label.setObjectName("note")
    label.setWordWrap(True)
    return label
