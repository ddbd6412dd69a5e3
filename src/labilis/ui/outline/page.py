"""The page on which an outline is edited: the plan, what is picked of it, and why a change was not
kept."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from labilis.app.outlining import Outlining, Part
from labilis.model import LabilisError, Piece, Project
from labilis.ui.outline.plan_view import PlanView
from labilis.ui.plain_text import Label, polish_again
from labilis.ui.theme import PAPER

if TYPE_CHECKING:
    from labilis.app import Session

_FIELDS, _SAID = 66, 34  # pixels: two rows of fields, two lines of words
_IN_A_ROW = 3  # texts side by side, at 960 pixels as well
_WORDS = {
    "x": "x",
    "y": "y",
    "radius": "radius",
    "bow": "bow",
    "diameter": "diameter",
    "length": "slot length",
    "angle": "slot angle",
    "side": "length",
}


class OutlinePage(QFrame):
    """Edits the outline of one piece of the session; every change is one step of its history."""

    done = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("ground")
        self.session, self.piece_name = session, ""
        self.view = PlanView()
        self.view.picked.connect(lambda _: self._show_fields())
        self.view.dragged.connect(self._dragged)
        self.view.dropped.connect(self._dropped)
        self.view.split.connect(self._split)
        self.view.removed.connect(self._remove)
        self.view.asked.connect(self._type_dimension)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 8, 14, 8)
        layout.setSpacing(6)
        head = QHBoxLayout()
        self.title = Label("")
        self.title.setObjectName("title")
        head.addWidget(self.title)
        head.addStretch(1)
        self.mirror = QCheckBox("both halves alike")
        self.mirror.setToolTip(
            "A corner or an opening takes its mirror image left or right along with it"
        )
        head.addWidget(self.mirror)
        self.buttons: dict[str, QPushButton] = {}
        for name, call in (
            ("arcs and openings", self.allow_arcs),
            ("+ corner", self.add_corner),
            ("+ hole", lambda: self.add_opening(False)),
            ("+ slot", lambda: self.add_opening(True)),
            ("done", self.done.emit),
        ):
            button = QPushButton(name)
            button.clicked.connect(lambda _=False, call=call: call())
            self.buttons[name] = button
            head.addWidget(button)
        layout.addLayout(head)
        layout.addWidget(self.view, 1)
        foot = QHBoxLayout()
        self._fields = QWidget()
        # as tall when nothing is picked: the plan must not move under the pointer at a pick
        self._fields.setFixedHeight(_FIELDS)
        self._grid = QGridLayout(self._fields)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(8)
        foot.addWidget(self._fields)
        foot.addStretch(1)
        layout.addLayout(foot)
        self.said = Label("")
        self.said.setWordWrap(True)
        self.said.setFixedHeight(_SAID)
        self.said.setAlignment(Qt.AlignmentFlag.AlignTop)
        layout.addWidget(self.said)
        self.lines: dict[str, QLineEdit] = {}
        session.statements_changed.connect(self.refresh)

    # --- what is shown
    # ----------------------------------------------------------------------------------------------
    def edit_piece(self, name: str) -> None:
        """Show the outline of a piece."""
        self.piece_name = name
        self.view.selected = None
        self._say("")
        self.refresh()
        self.view.fit()
        self.view.setFocus()

    @property
    def outlining(self) -> Outlining:
        """The outline as it is stated now, and its changes."""
        return Outlining(self.session.project, self.piece_name, self.mirror.isChecked())

    @property
    def piece(self) -> Piece | None:
        """The piece whose outline it is, None once there is none of that name or kind."""
        return self.outlining.piece

    def refresh(self) -> None:
        """Show what is stated now; the page goes when its piece has."""
        if not self.piece_name:
            return
        piece = self.piece
        if piece is None:
            self.piece_name = ""
            self.done.emit()
            return
        self.title.setText(f"Outline of {piece.name}, in its own x and y")
        outlining = self.outlining
        outline = outlining.stated
        self.buttons["arcs and openings"].setVisible(outline.closed and not outline.rounded)
        self.buttons["+ hole"].setVisible(outline.opens)
        self.buttons["+ slot"].setVisible(outline.opens)
        selected = self.view.selected
        if selected is not None and selected.number >= outlining.counts()[selected.kind]:
            self.view.selected = None
        self._show(outlining)  # stated so elsewhere: shown as far as it can be
        self._show_fields()

    def _show(self, outlining: Outlining) -> bool:
        """The plan of an outline, as far as one can be made of it; whether a piece can be."""
        try:
            self.view.show_outline(outlining.stated, outlining.drawn())
        except LabilisError as error:
            self.view.show_outline(outlining.stated, outlining.bare(), True)
            self._say(f"{error.what} {error.remedy}", "bad")
            return False
        return True

    def _say(self, text: str, tone: str = "quiet") -> None:
        self.said.setText(
            text
            or "Drag corners and openings; click a dimension to type it; double-click a side for a "
            "corner; Delete takes away; "
            "arrow keys move; the wheel magnifies."
        )
        self.said.setStyleSheet(f"color: {PAPER.tone(tone)}; font-size: 12px;")

    # --- the texts of what is picked
    # ----------------------------------------------------------------------------------------------
    def _show_fields(self) -> None:
        if self.piece is None:
            return
        while (item := self._grid.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        self.lines = {}
        part = self.view.selected
        if part is None:
            return
        words = {
            "corner": f"Corner {part.number + 1}",
            "side": f"Side {part.number + 1}",
            "opening": f"Opening {part.number + 1}",
        }[part.kind]
        title = Label(words)
        title.setObjectName("title")
        self._grid.addWidget(title, 0, 0)
        texts = self.outlining.texts(part)
        for place, (field, text) in enumerate(texts.items()):
            row, column = place // _IN_A_ROW, 1 + 2 * (place % _IN_A_ROW)
            self._grid.addWidget(Label(_WORDS[field]), row, column, Qt.AlignmentFlag.AlignRight)
            line = QLineEdit(text)
            line.setFixedWidth(88)
            line.setAccessibleName(f"{words}, {_WORDS[field]}")
            if field == "length":
                line.setPlaceholderText("round")
            line.editingFinished.connect(lambda field=field, line=line: self._typed(field, line))
            self._grid.addWidget(line, row, column + 1)
            self.lines[field] = line
        if part.kind != "side":
            button = QPushButton("remove")
            button.clicked.connect(lambda _=False: self._remove(part))
            self._grid.addWidget(button, 0, 1 + 2 * min(len(texts), _IN_A_ROW))
        self._grid.setRowStretch(2, 1)

    def _type_dimension(self, part: Part) -> None:
        """Have the dimension typed that was clicked on the plan."""
        line = self.lines.get("side" if part.kind == "side" else "diameter")
        if line is not None:
            line.show()  # it was made at this very press
            line.setFocus()
            line.selectAll()

    def _typed(self, field: str, line: QLineEdit) -> None:
        part, text = self.view.selected, line.text().strip()
        outlining = self.outlining
        if part is None or self.piece is None or outlining.texts(part).get(field) == text:
            return
        kept = self._try(lambda: outlining.typed(part, field, text))
        if not kept:
            line.setProperty("wrong", "true")
            polish_again(line)

    # --- changes
    # ----------------------------------------------------------------------------------------------
    def _try(self, change: Callable[[], tuple[Project, str]]) -> bool:
        """Keep changed statements (with their words) if a piece can be made of them; else say
        why."""
        try:
            project, words = change()
        except LabilisError as error:
            self._say(f"Not kept: {error.what} {error.remedy}", "bad")
            return False
        self._say("")
        self.session.edit(project, f"{self.piece_name}, {words}")
        return True

    def _add(self, change: Callable[[], tuple[Project, str, Part]]) -> None:
        """Keep something new, which is then picked."""

        def add() -> tuple[Project, str]:
            project, words, self.view.selected = change()
            return project, words

        if not self._try(add):
            self.view.selected = None

    def _dragged(self, part: Part, x: float, y: float) -> None:
        """What it would come to, while it is dragged."""
        if self.piece is None:
            return
        outlining = self.outlining
        try:
            project = outlining.put(outlining.moved_outline(part, x, y))
        except LabilisError as error:
            self._say(f"{error.what} {error.remedy}", "bad")
            return
        if self._show(replace(outlining, project=project)):
            self._say("")

    def _dropped(self, part: Part, x: float, y: float) -> None:
        if self.piece is None:
            return
        words = f"{part.kind} {part.number + 1} moved"
        if not self._try(lambda: (self.outlining.moved(part, x, y), words)):
            said = self.said.text()
            self.refresh()
            self._say(said, "bad")

    def _split(self, side: int, x: float, y: float) -> None:
        self._add(
            lambda: (
                self.outlining.split(side, x, y),
                f"a corner in side {side + 1}",
                Part("corner", side + 1),
            )
        )

    def allow_arcs(self) -> None:
        """A section of corners as one that can have radii, bowed sides and openings."""
        try:
            project = self.outlining.with_arcs()
        except LabilisError as error:
            self._say(f"{error.what} {error.remedy}", "bad")
            return
        self.session.edit(project, f"{self.piece_name}: arcs and openings")

    def add_corner(self) -> None:
        """A corner in the middle of the picked side, or of the longest one; at a picked end of an
        open outline a further run."""
        part = self.view.selected
        self._add(lambda: self.outlining.corner_added(part))

    def add_opening(self, slot: bool) -> None:
        """A hole or a slot where there is room for it."""
        self._add(lambda: self.outlining.opening_added(slot))

    def _remove(self, part: Part) -> None:
        if self.piece is None or part.kind == "side":
            return
        self.view.selected = None
        self._try(lambda: (self.outlining.removed(part), f"{part.kind} {part.number + 1} removed"))
