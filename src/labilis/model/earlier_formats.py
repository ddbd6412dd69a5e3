"""What is read from statements of an earlier format, so that their names keep their meaning.

Format 1 numbered walls and skins of struts by what there was, rounded corners among them; from
format 2 on they have the numbers of their corners, and rounded corners have a name of their own.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING

from labilis.model.errors import LabilisError
from labilis.model.quantities import Names
from labilis.model.recipes import Section, Strut

if TYPE_CHECKING:
    from labilis.model.project import Piece, Project

Numbered = list[tuple[str, int]]  # "side" or "corner", with its number from 1 on
_CORNERS_OF = {"rectangular tube": 4, "square tube": 4, "angle": 3, "channel": 4, "hat": 6}


def respelt_from_first(project: Project) -> Iterator[tuple[tuple[str | int, ...], str]]:
    """(path, new text) of every name of a strut's wall or skin that format 1 numbered otherwise.
    What cannot be followed gets a name that nothing has, so that it is told as lost."""
    maps = {
        piece.name: _new_names(project, piece)
        for piece in project.pieces
        if isinstance(piece.recipe, Strut)
    }
    for leaf in project.names():
        if not isinstance(leaf.mark, Names) or leaf.mark.form != "face" or "/" not in leaf.text:
            continue
        piece, word = leaf.text.split("/", 1)
        names = maps.get(piece) or maps.get(re.sub(r"(\.\d+)+$", "", piece))
        if not names:
            continue
        parts = [_new(part, names) for part in word.split("+")]
        if (text := f"{piece}/{'+'.join(parts)}") != leaf.text:
            yield leaf.path, text


def _new(word: str, names: dict[str, list[str]]) -> str:
    found = re.fullmatch(r"(wall|skin)\.(\d+)(.*)", word)
    if found is None or found.group(1) not in names:
        return word
    number, known = int(found.group(2)), names[found.group(1)]
    return (known[number - 1] if number <= len(known) else f"{found.group(1)}.gone") + found[3]


def _new_names(project: Project, piece: Piece) -> dict[str, list[str]]:
    """New names of 'wall.1', ... and 'skin.1', ... of a strut; nothing where they are as they
    were."""
    assert isinstance(piece.recipe, Strut)
    section = piece.recipe.section
    try:
        if section.shape in ("polygon", "outline"):
            return {"skin": _named("skin", _drawn(project, section))}
        rounded = section.radius is not None and project.value(section.radius, "length") > 0
    except LabilisError:  # where it has no value the part cannot be made either
        return {}
    if not rounded or section.shape not in _CORNERS_OF:
        return {}
    n = _CORNERS_OF[section.shape]
    if section.shape.endswith("tube"):
        path = _path(n, range(n), closed=True)
        skin = path + [(kind, 2 * n + 1 - number) for kind, number in reversed(path)]
    else:
        path = _path(n, range(1, n - 1), closed=False)
        back = [
            (kind, 2 * n - number if kind == "side" else 2 * n + 1 - number)
            for kind, number in reversed(path)
        ]
        skin = [*path, ("side", n), *back, ("side", 2 * n)]
    return {"wall": _named("wall", path), "skin": _named("skin", skin)}


def _path(n: int, rounded: Sequence[int], closed: bool) -> Numbered:
    """Corners and sides in the order in which format 1 counted them."""
    found: Numbered = []
    for number in range(n):
        found += [("corner", number + 1)] if number in rounded else []
        found += [("side", number + 1)] if closed or number < n - 1 else []
    return found


def _drawn(project: Project, section: Section) -> Numbered:
    """Those of a section that is drawn: format 1 counted counter-clockwise, openings after it."""
    if section.shape == "polygon":
        points = [[project.value(text, "length") for text in corner] for corner in section.corners]
        rounded: list[int] = []
    else:
        points = [
            [project.value(corner.x, "length"), project.value(corner.y, "length")]
            for corner in section.outline
        ]
        rounded = [
            number
            for number, corner in enumerate(section.outline)
            if project.value(corner.radius, "length") > 0
        ]
    path = _path(len(points), rounded, closed=True)
    following = [*points[1:], points[0]]
    if sum(a[0] * b[1] - b[0] * a[1] for a, b in zip(points, following)) < 0:
        path.reverse()
    count = len(points)
    for opening in section.openings:
        runs = 2 if opening.length is None else 4
        # they were counted the other way round
        path += [("side", count + runs - k) for k in range(runs)]
        count += runs
    return path


def _named(word: str, path: Numbered) -> list[str]:
    return [f"{word if kind == 'side' else kind}.{number}" for kind, number in path]
