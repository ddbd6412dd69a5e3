"""Outlines as they are drawn: the corners and openings of a plate, of a folded profile, or of a
strut's section, changed one by one. Pure functions from a project to a project; what is typed stays
a text, so that expressions live on."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from labilis.edit.renumbering import identity, inserted, renumbered, without
from labilis.model import (
    Corner,
    FoldedSheet,
    LabilisError,
    Opening,
    Piece,
    Plate,
    Project,
    Strut,
)

Point = tuple[str, str]
_PLAIN = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?\s*([A-Za-z]*)")


@dataclass(frozen=True)
class Outline:
    """What is drawn of a recipe. `closed`: the last corner is joined to the first; `rounded`: its
    corners have radii of their own and its sides may be bowed; `opens`: it may have openings.
    `came`, `opened`: the number that each corner and each opening had when the outline was read
    from its piece, -1 for new ones."""

    corners: tuple[Corner, ...]
    openings: tuple[Opening, ...] = ()
    closed: bool = True
    rounded: bool = True
    opens: bool = True
    came: tuple[int, ...] = ()
    opened: tuple[int, ...] = ()

    def __post_init__(self) -> None:
        if not self.came and not self.opened:
            object.__setattr__(self, "came", identity(len(self.corners)))
            object.__setattr__(self, "opened", identity(len(self.openings)))

    @property
    def sides(self) -> int:
        """How many sides there are."""
        return len(self.corners) if self.closed else len(self.corners) - 1


def outline_of(piece: Piece) -> Outline | None:
    """What is drawn of a piece, None for a piece without an outline of its own."""
    recipe = piece.recipe
    if isinstance(recipe, Plate):
        return Outline(recipe.outline, recipe.openings)
    if isinstance(recipe, FoldedSheet):
        corners = tuple(Corner(x=x, y=y) for x, y in recipe.profile)
        return Outline(corners, closed=False, rounded=False, opens=False)
    if isinstance(recipe, Strut) and recipe.section.shape == "polygon":
        corners = tuple(Corner(x=x, y=y) for x, y in recipe.section.corners)
        return Outline(corners, rounded=False, opens=False)
    if isinstance(recipe, Strut) and recipe.section.shape == "outline":
        return Outline(recipe.section.outline, recipe.section.openings)
    return None


def with_outline(project: Project, name: str, outline: Outline) -> Project:
    """The project with a piece of another outline, whatever is numbered along it followed. Raises
    LabilisError where the statement does not allow it, or where a region stands on what would be
    gone; what was typed of corners that stay is as it was."""
    old = outline_of(project.named("pieces", name))
    assert old is not None
    changed = _put_in(project, name, outline)
    return renumbered(project, changed, name, old, outline)


def _put_in(project: Project, name: str, outline: Outline) -> Project:
    index = next(k for k, piece in enumerate(project.pieces) if piece.name == name)
    recipe, here = project.pieces[index].recipe, ("pieces", index, "recipe")
    points = [[corner.x, corner.y] for corner in outline.corners]
    openings = [item.model_dump() for item in outline.openings]
    corners = [corner.model_dump() for corner in outline.corners]
    if isinstance(recipe, Plate):
        changed = {**recipe.model_dump(), "outline": corners, "openings": openings}
    elif isinstance(recipe, FoldedSheet):
        changed = {**recipe.model_dump(), "profile": points}
    else:
        assert isinstance(recipe, Strut)
        section: dict[str, Any] = recipe.section.model_dump()
        if section["shape"] == "polygon":
            section["corners"] = points
        else:
            section |= {"outline": corners, "openings": openings}
        changed = {**recipe.model_dump(), "section": section}
    return project.with_value(here, changed)


def as_outline(project: Project, name: str) -> Project:
    """A section of corners alone made one of lines, arcs and openings, so that it can be rounded
    and opened."""
    piece = project.named("pieces", name)
    assert isinstance(piece.recipe, Strut)
    index = project.pieces.index(piece)
    corners = [{"x": x, "y": y} for x, y in piece.recipe.section.corners]
    return project.with_value(
        ("pieces", index, "recipe", "section"), {"shape": "outline", "outline": corners}
    )


# --- changes of an outline
# --------------------------------------------------------------------------------------------------
def moved_corner(outline: Outline, number: int, to: Point) -> Outline:
    """A corner at other coordinates."""
    return _with_corner(outline, number, lambda corner: _changed(corner, x=to[0], y=to[1]))


def corner_set(outline: Outline, number: int, field: str, text: str) -> Outline:
    """One text of a corner: x, y, radius or bow."""
    return _with_corner(outline, number, lambda corner: _changed(corner, **{field: text}))


def corner_added(outline: Outline, side: int, at: Point) -> Outline:
    """A further corner in a side; a bowed side becomes two straight ones."""
    corners = list(outline.corners)
    corners[side] = _changed(corners[side], bow="0")
    corners.insert(side + 1, Corner(x=at[0], y=at[1]))
    return replace(outline, corners=tuple(corners), came=inserted(outline.came, side + 1))


def corner_at_end(outline: Outline, at: Point, first: bool = False) -> Outline:
    """A further corner at the end of an open outline, or before its first."""
    corner = (Corner(x=at[0], y=at[1]),)
    corners = (*corner, *outline.corners) if first else (*outline.corners, *corner)
    came = inserted(outline.came, 0 if first else len(outline.came))
    return replace(outline, corners=corners, came=came)


def corner_removed(outline: Outline, number: int) -> Outline:
    """One corner less. Raises LabilisError where too few would be left."""
    least = 3 if outline.closed else 2
    if len(outline.corners) <= least:
        raise LabilisError(
            f"An outline has {least} corners at least.", "outline", "Move the corner.", "outline"
        )
    corners = list(outline.corners)
    del corners[number]
    return replace(outline, corners=tuple(corners), came=without(outline.came, number))


def opening_added(outline: Outline, opening: Opening) -> Outline:
    """One opening more."""
    return replace(outline, openings=(*outline.openings, opening), opened=(*outline.opened, -1))


def opening_set(outline: Outline, number: int, field: str, text: str | None) -> Outline:
    """One text of an opening; a length of None makes a slot round."""
    openings = list(outline.openings)
    openings[number] = _changed(openings[number], **{field: text})
    return replace(outline, openings=tuple(openings))


def opening_removed(outline: Outline, number: int) -> Outline:
    """One opening less."""
    openings = list(outline.openings)
    del openings[number]
    return replace(outline, openings=tuple(openings), opened=without(outline.opened, number))


def is_plain(project: Project, text: str) -> bool:
    """Whether a text is a number with its unit, which a drag may overwrite, and no expression."""
    found = _PLAIN.fullmatch(text.strip())
    return found is not None and found.group(1) not in project.parameters


def _with_corner(outline: Outline, number: int, change: Callable[[Corner], Corner]) -> Outline:
    corners = list(outline.corners)
    corners[number] = change(corners[number])
    return replace(outline, corners=tuple(corners))


def _changed(item: Any, **fields: Any) -> Any:
    return type(item).model_validate({**item.model_dump(), **fields})
