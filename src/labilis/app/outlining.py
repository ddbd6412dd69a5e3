"""An outline changed as it is drawn: corners and openings moved, added and removed, with what comes
of it in mm."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from labilis.edit import outlines
from labilis.edit.outlines import Outline, outline_of, with_outline
from labilis.model import LabilisError, Opening, Piece, Project, shown
from labilis.run.outlines import Drawn, drawn, points_stated

_SAME = 1e-6  # of the size: a corner that is the mirror image of another
# shares of an outline's width and height where a new opening is tried, one after the other
_PLACES = [
    (0.5, 0.5),
    *((u, v) for v in (0.5, 0.25, 0.75) for u in (0.25, 0.75, 0.12, 0.88, 0.37, 0.63)),
]


@dataclass(frozen=True)
class Part:
    """A part of an outline: kind is corner, side or opening."""

    kind: str
    number: int


@dataclass(frozen=True)
class Outlining:
    """The outline of one piece of a project. Every change gives other statements and raises
    LabilisError where no piece can be made of it. both: whether a corner or an opening takes its
    mirror image left or right along with it."""

    project: Project
    name: str
    both: bool = False

    @property
    def piece(self) -> Piece | None:
        """The piece, None where there is none of that name, or it has no outline."""
        found = [piece for piece in self.project.pieces if piece.name == self.name]
        return found[0] if found and outline_of(found[0]) is not None else None

    @property
    def stated(self) -> Outline:
        """What is stated."""
        assert self.piece is not None
        found = outline_of(self.piece)
        assert found is not None
        return found

    def counts(self) -> dict[str, int]:
        """How many there are of each kind of part."""
        stated = self.stated
        return {
            "corner": len(stated.corners),
            "side": stated.sides,
            "opening": len(stated.openings),
        }

    def drawn(self) -> Drawn:
        """The outline as it is made. Raises LabilisError where it cannot be made."""
        return drawn(self.project, self.project.named("pieces", self.name))

    def bare(self) -> Drawn:
        """Straight lines through the corners, of which no piece can be made."""
        corners, centres = points_stated(self.project, self.stated)
        return Drawn((corners,), corners[:0], corners, centres)

    def texts(self, part: Part | None) -> dict[str, str]:
        """What can be typed of a part, by the name of its field."""
        if part is None:
            return {}
        stated = self.stated
        if part.kind == "corner":
            corner = stated.corners[part.number]
            texts = {"x": corner.x, "y": corner.y}
            return texts | ({"radius": corner.radius} if stated.rounded else {})
        if part.kind == "side":
            bow = stated.corners[part.number].bow
            return {"side": self._side_text(part.number)} | ({"bow": bow} if stated.rounded else {})
        item = stated.openings[part.number]
        texts = {"x": item.x, "y": item.y, "diameter": item.diameter, "length": item.length or ""}
        return texts | ({} if item.length is None else {"angle": item.angle})

    def _side_text(self, side: int) -> str:
        corners = points_stated(self.project, self.stated)[0]
        step = corners[(side + 1) % len(corners)] - corners[side]
        return shown.stated(float(math.hypot(*step)), "length", 6)

    # --- changes
    # ----------------------------------------------------------------------------------------------
    def _with(self, outline: Outline) -> Project:
        """The statements with another outline, of which a piece can be made."""
        project = self.put(outline)
        drawn(project, project.named("pieces", self.name))
        return project

    def put(self, outline: Outline) -> Project:
        """The statements with another outline, whether a piece can be made of it or not."""
        return with_outline(self.project, self.name, outline)

    def typed(self, part: Part, field: str, text: str) -> tuple[Project, str]:
        """(statements, words) with a text in a field of a part."""
        number, stated = part.number, self.stated
        if part.kind == "corner":
            made, words = outlines.corner_set(stated, number, field, text), f"{field} {text}"
        elif part.kind == "opening":
            value = None if field == "length" and not text else text
            made = outlines.opening_set(stated, number, field, value)
            words = f"{field} {text or 'none'}"
        elif field == "bow":
            made, words = outlines.corner_set(stated, number, "bow", text), f"bow {text}"
        else:
            made, words = self._side_of_length(number, text), f"{text} long"
        return self._with(made), f"{part.kind} {number + 1}: {words}"

    def _side_of_length(self, side: int, text: str) -> Outline:
        """The corner at the end of a side moved along it, so that it has a length."""
        wanted = self.project.value(text, "length")
        corners = points_stated(self.project, self.stated)[0]
        last = (side + 1) % len(corners)
        step = corners[last] - corners[side]
        now = float(math.hypot(*step))
        if wanted <= 0 or now == 0:
            raise LabilisError(
                "A side is longer than nothing.", "outline", "Give a positive length.", "outline"
            )
        goal = corners[side] + step * (wanted / now)
        return self.moved_outline(Part("corner", last), float(goal[0]), float(goal[1]))

    def moved(self, part: Part, x: float, y: float) -> Project:
        """The statements with a corner or an opening elsewhere (mm)."""
        return self._with(self.moved_outline(part, x, y))

    def moved_outline(self, part: Part, x: float, y: float) -> Outline:
        """The outline with a corner or an opening elsewhere, and with its mirror image when both
        halves are alike. Raises LabilisError for a coordinate that is an expression."""
        outline, number = self.stated, part.number
        corners, centres = points_stated(self.project, outline)
        points = corners if part.kind == "corner" else centres
        goals = {number: (x, y)}
        if self.both:
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
            for axis, value, now in zip("xy", goal, points[index]):
                outline = self._with_coordinate(
                    outline, Part(part.kind, index), axis, value, float(now)
                )
        return outline

    def _with_coordinate(
        self, outline: Outline, part: Part, axis: str, value: float, now: float
    ) -> Outline:
        if abs(value - now) < 1e-9:
            return outline
        item = (outline.corners if part.kind == "corner" else outline.openings)[part.number]
        text = getattr(item, axis)
        if not outlines.is_plain(self.project, text):
            raise LabilisError(
                f"{axis} is '{text}', which the hand does not move.",
                "outline",
                "Change it in its field.",
                "outline",
            )
        setter = outlines.corner_set if part.kind == "corner" else outlines.opening_set
        return setter(outline, part.number, axis, _text(value))

    def with_arcs(self) -> Project:
        """A section of corners as one that can have radii, bowed sides and openings."""
        return outlines.as_outline(self.project, self.name)

    def split(self, side: int, x: float, y: float) -> Project:
        """A corner in a side, at a place (mm)."""
        return self._with(outlines.corner_added(self.stated, side, (_text(x), _text(y))))

    def removed(self, part: Part) -> Project:
        """Without a corner or an opening."""
        change = outlines.corner_removed if part.kind == "corner" else outlines.opening_removed
        return self._with(change(self.stated, part.number))

    def corner_added(self, part: Part | None) -> tuple[Project, str, Part]:
        """(statements, words, the new corner): in the middle of a side or of the longest one; at
        an end of an open outline a further run."""
        corners = points_stated(self.project, self.stated)[0]
        ends = () if self.stated.closed else (0, len(corners) - 1)
        if part is not None and part.kind == "corner" and part.number in ends:
            return self._lengthened(first=part.number == 0)
        following = corners[[*range(1, len(corners)), 0]]
        longest = ((following - corners) ** 2).sum(axis=1)[: self.stated.sides].argmax()
        side = part.number if part is not None and part.kind == "side" else int(longest)
        x, y = ((corners[side] + following[side]) / 2).tolist()
        return self.split(side, x, y), f"a corner in side {side + 1}", Part("corner", side + 1)

    def _lengthened(self, first: bool) -> tuple[Project, str, Part]:
        """A further run at an end of an open outline, square to the one there and half as long, to
        the side on which there is room."""
        corners = points_stated(self.project, self.stated)[0]
        end, before = (corners[0], corners[1]) if first else (corners[-1], corners[-2])
        step = (end - before) / 2

        def tries() -> Iterator[Callable[[], Project]]:
            for turn in (1.0, -1.0):
                at = _text(float(end[0] - turn * step[1])), _text(float(end[1] + turn * step[0]))
                yield lambda at=at: self._with(  # type: ignore[misc]
                    outlines.corner_at_end(self.stated, at, first)
                )

        made = _first_of(tries())
        words = f"a run at its {'beginning' if first else 'end'}"
        return made, words, Part("corner", 0 if first else len(corners))

    def opening_added(self, slot: bool) -> tuple[Project, str, Part]:
        """(statements, words, the new hole or slot): in the middle, else at the first of some
        places that is free."""
        corners = points_stated(self.project, self.stated)[0]
        low, high = corners.min(axis=0), corners.max(axis=0)
        diameter = float(f"{float(min(high - low)) / 6:.1g}")
        length, number = _text(2 * diameter) if slot else None, len(self.stated.openings)

        def tries() -> Iterator[Callable[[], Project]]:
            for share in _PLACES:
                x, y = (_text(float(c)) for c in low + (high - low) * share)
                opening = Opening(x=x, y=y, diameter=_text(diameter), length=length)
                yield lambda opening=opening: self._with(  # type: ignore[misc]
                    outlines.opening_added(self.stated, opening)
                )

        words = f"{'slot' if slot else 'hole'} {number + 1}"
        return _first_of(tries()), words, Part("opening", number)


def _first_of(tries: Iterator[Callable[[], Project]]) -> Project:
    """What the first call gives that can be made. Raises the LabilisError of the last."""
    last: LabilisError | None = None
    for call in tries:
        try:
            return call()
        except LabilisError as error:
            last = error
    assert last is not None
    raise last


def _text(value: float) -> str:
    return shown.stated(value, "length", 6)
