"""The page on which an outline is edited: the plan, what is picked of it, and why a change was not
kept."""

from __future__ import annotations

import math
from collections.abc import Callable
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

from labilis.edit import outlines
from labilis.edit.outlines import Outline, outline_of, with_outline
from labilis.model import LabilisError, Opening, Piece, Project, shown
from labilis.run.outlines import Drawn, drawn, points_stated
from labilis.ui.outline.plan_view import Part, PlanView
from labilis.ui.plain_text import Label, polish_again
from labilis.ui.theme import PAPER

if TYPE_CHECKING:
    from labilis.app import Session

_FIELDS, _SAID = 66, 34  # pixels: two rows of fields, two lines of words
_IN_A_ROW = 3  # texts side by side, at 960 pixels as well
_SAME = 1e-6  # of the size: a corner that is the mirror image of another
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
    def piece(self) -> Piece | None:
        """The piece whose outline it is, None once there is none of that name or kind."""
        found = [piece for piece in self.session.project.pieces if piece.name == self.piece_name]
        return found[0] if found and outline_of(found[0]) is not None else None

    @property
    def outline(self) -> Outline:
        """What is stated."""
        assert self.piece is not None
        found = outline_of(self.piece)
        assert found is not None
        return found

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
        outline = self.outline
        self.buttons["arcs and openings"].setVisible(outline.closed and not outline.rounded)
        self.buttons["+ hole"].setVisible(outline.opens)
        self.buttons["+ slot"].setVisible(outline.opens)
        selected = self.view.selected
        count = {
            "corner": len(outline.corners),
            "side": outline.sides,
            "opening": len(outline.openings),
        }
        if selected is not None and selected.number >= count[selected.kind]:
            self.view.selected = None
        try:
            self.view.show_outline(outline, drawn(self.session.project, piece))
        except LabilisError as error:  # stated so elsewhere: shown as far as it can be
            self._show_bare(self.session.project, outline)
            self._say(f"{error.what} {error.remedy}", "bad")
        self._show_fields()

    def _show_bare(self, project: Project, outline: Outline) -> None:
        """Straight lines through the corners, of which no piece can be made."""
        corners, centres = points_stated(project, outline)
        self.view.show_outline(outline, Drawn((corners,), corners[:0], corners, centres), True)

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
    def _texts(self) -> dict[str, str]:
        part, outline = self.view.selected, self.outline
        if part is None:
            return {}
        if part.kind == "corner":
            corner = outline.corners[part.number]
            texts = {"x": corner.x, "y": corner.y}
            return texts | ({"radius": corner.radius} if outline.rounded else {})
        if part.kind == "side":
            texts = {"side": self._side_text(part.number)}
            bow = outline.corners[part.number].bow
            return texts | ({"bow": bow} if outline.rounded else {})
        item = outline.openings[part.number]
        texts = {"x": item.x, "y": item.y, "diameter": item.diameter, "length": item.length or ""}
        return texts | ({} if item.length is None else {"angle": item.angle})

    def _side_text(self, side: int) -> str:
        corners = points_stated(self.session.project, self.outline)[0]
        step = corners[(side + 1) % len(corners)] - corners[side]
        return shown.stated(float(math.hypot(*step)), "length", 6)

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
        texts = self._texts()
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
        if part is None or self.piece is None or self._texts().get(field) == text:
            return
        if part.kind == "corner":
            kept = self._try(
                lambda: outlines.corner_set(self.outline, part.number, field, text),
                f"corner {part.number + 1}: {field} {text}",
            )
        elif part.kind == "opening":
            value = None if field == "length" and not text else text
            kept = self._try(
                lambda: outlines.opening_set(self.outline, part.number, field, value),
                f"opening {part.number + 1}: {field} {text or 'none'}",
            )
        elif field == "bow":
            kept = self._try(
                lambda: outlines.corner_set(self.outline, part.number, "bow", text),
                f"side {part.number + 1}: bow {text}",
            )
        else:
            kept = self._try(
                lambda: self._side_of_length(part.number, text),
                f"side {part.number + 1}: {text} long",
            )
        if not kept:
            line.setProperty("wrong", "true")
            polish_again(line)

    def _side_of_length(self, side: int, text: str) -> Outline:
        """The corner at the end of a side moved along it, so that it has a length."""
        outline, project = self.outline, self.session.project
        wanted = project.value(text, "length")
        corners = points_stated(project, outline)[0]
        last = (side + 1) % len(corners)
        step = corners[last] - corners[side]
        now = float(math.hypot(*step))
        if wanted <= 0 or now == 0:
            raise LabilisError(
                "A side is longer than nothing.", "outline", "Give a positive length.", "outline"
            )
        goal = corners[side] + step * (wanted / now)
        return self._moved("corner", last, float(goal[0]), float(goal[1]), outline)

    # --- changes
    # ----------------------------------------------------------------------------------------------
    def _try(self, change: Callable[[], Outline], title: str) -> bool:
        """Keep a changed outline if a piece can be made of it; else say why."""
        assert self.piece is not None
        try:
            project = with_outline(self.session.project, self.piece_name, change())
            drawn(project, project.named("pieces", self.piece_name))
        except LabilisError as error:
            self._say(f"Not kept: {error.what} {error.remedy}", "bad")
            return False
        self._say("")
        self.session.edit(project, f"{self.piece_name}, {title}")
        return True

    def _moved(
        self, kind: str, number: int, x: float, y: float, outline: Outline | None = None
    ) -> Outline:
        """The outline with a corner or an opening elsewhere, and with its mirror image when both
        halves are alike. Raises LabilisError for a coordinate that is an expression."""
        outline = self.outline if outline is None else outline
        corners, centres = points_stated(self.session.project, outline)
        points = corners if kind == "corner" else centres
        goals = {number: (x, y)}
        if self.mirror.isChecked():
            middle = float(corners[:, 0].min() + corners[:, 0].max())
            size = float(abs(corners).max()) or 1.0
            for other, (px, py) in enumerate(points):
                at_mirror = (
                    abs(px + points[number][0] - middle) <= _SAME * size
                    and abs(py - points[number][1]) <= _SAME * size
                )
                if other != number and at_mirror:
                    goals[other] = (middle - x, y)
        for index, goal in goals.items():
            for axis, value in zip("xy", goal):
                outline = self._with_coordinate(outline, kind, index, axis, value, points[index])
        return outline

    def _with_coordinate(
        self, outline: Outline, kind: str, number: int, axis: str, value: float, now: object
    ) -> Outline:
        item = (outline.corners if kind == "corner" else outline.openings)[number]
        text, before = getattr(item, axis), float(now["xy".index(axis)])  # type: ignore[index]
        if abs(value - before) < 1e-9:
            return outline
        if not outlines.is_plain(self.session.project, text):
            raise LabilisError(
                f"{axis} is '{text}', which the hand does not move.",
                "outline",
                "Change it in its field.",
                "outline",
            )
        words = shown.stated(value, "length", 6)
        setter = outlines.corner_set if kind == "corner" else outlines.opening_set
        return setter(outline, number, axis, words)

    def _dragged(self, part: Part, x: float, y: float) -> None:
        """What it would come to, while it is dragged."""
        if self.piece is None:
            return
        try:
            outline = self._moved(part.kind, part.number, x, y)
            project = with_outline(self.session.project, self.piece_name, outline)
        except LabilisError as error:
            self._say(f"{error.what} {error.remedy}", "bad")
            return
        try:
            self.view.show_outline(
                outline, drawn(project, project.named("pieces", self.piece_name))
            )
            self._say("")
        except LabilisError as error:
            self._show_bare(project, outline)
            self._say(f"{error.what} {error.remedy}", "bad")

    def _dropped(self, part: Part, x: float, y: float) -> None:
        if self.piece is None:
            return
        kept = self._try(
            lambda: self._moved(part.kind, part.number, x, y),
            f"{part.kind} {part.number + 1} moved",
        )
        if not kept:
            said = self.said.text()
            self.refresh()
            self._say(said, "bad")

    def _text(self, value: float) -> str:
        return shown.stated(value, "length", 6)

    def _split(self, side: int, x: float, y: float) -> None:
        self.view.selected = Part("corner", side + 1)
        if not self._try(
            lambda: outlines.corner_added(self.outline, side, (self._text(x), self._text(y))),
            f"a corner in side {side + 1}",
        ):
            self.view.selected = None

    def allow_arcs(self) -> None:
        """A section of corners as one that can have radii, bowed sides and openings."""
        try:
            project = outlines.as_outline(self.session.project, self.piece_name)
        except LabilisError as error:
            self._say(f"{error.what} {error.remedy}", "bad")
            return
        self.session.edit(project, f"{self.piece_name}: arcs and openings")

    def add_corner(self) -> None:
        """A corner in the middle of the picked side, or of the longest one; at a picked end of an
        open outline a further run."""
        corners = points_stated(self.session.project, self.outline)[0]
        part = self.view.selected
        ends = () if self.outline.closed else (0, len(corners) - 1)
        if part is not None and part.kind == "corner" and part.number in ends:
            self._lengthen(first=part.number == 0)
            return
        following = corners[[*range(1, len(corners)), 0]]
        longest = ((following - corners) ** 2).sum(axis=1)[: self.outline.sides].argmax()
        side = part.number if part is not None and part.kind == "side" else int(longest)
        middle = (corners[side] + following[side]) / 2
        self._split(side, float(middle[0]), float(middle[1]))

    def _lengthen(self, first: bool) -> None:
        """A further run at an end of an open outline, square to the one there and half as long, to
        the side on which there is room."""
        corners = points_stated(self.session.project, self.outline)[0]
        end, before = (corners[0], corners[1]) if first else (corners[-1], corners[-2])
        step = (end - before) / 2
        self.view.selected = Part("corner", 0 if first else len(corners))
        for turn in (1.0, -1.0):
            x, y = float(end[0] - turn * step[1]), float(end[1] + turn * step[0])
            at = (self._text(x), self._text(y))
            if self._try(
                lambda at=at: outlines.corner_at_end(self.outline, at, first),  # type: ignore[misc]
                f"a run at its {'beginning' if first else 'end'}",
            ):
                return
        self.view.selected = None

    def add_opening(self, slot: bool) -> None:
        """A hole or a slot where there is room for it: in the middle, else at the first of some
        places that is free."""
        corners = points_stated(self.session.project, self.outline)[0]
        low, high = corners.min(axis=0), corners.max(axis=0)
        size = float(min(high - low))
        diameter = float(f"{size / 6:.1g}")
        number = len(self.outline.openings)
        self.view.selected = Part("opening", number)
        for u, v in _PLACES:
            x, y = (float(c) for c in low + (high - low) * (u, v))
            opening = Opening(
                x=self._text(x),
                y=self._text(y),
                diameter=self._text(diameter),
                length=self._text(2 * diameter) if slot else None,
            )
            if self._try(
                lambda opening=opening: outlines.opening_added(self.outline, opening),  # type: ignore[misc]
                f"{'slot' if slot else 'hole'} {number + 1}",
            ):
                return
        self.view.selected = None

    def _remove(self, part: Part) -> None:
        if self.piece is None or part.kind == "side":
            return
        change = outlines.corner_removed if part.kind == "corner" else outlines.opening_removed
        self.view.selected = None
        self._try(
            lambda: change(self.outline, part.number), f"{part.kind} {part.number + 1} removed"
        )


_PLACES = [
    (0.5, 0.5),
    *((u, v) for v in (0.5, 0.25, 0.75) for u in (0.25, 0.75, 0.12, 0.88, 0.37, 0.63)),
]
