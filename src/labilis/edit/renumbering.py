"""What is numbered along an outline keeps its meaning when corners and openings come and go: sides,
corners, holes, runs and bends that regions, scribes and plans name."""

from __future__ import annotations

import itertools
import re
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from labilis.model import LabilisError, Piece, Project
from labilis.model.project import load_project, put_at
from labilis.model.quantities import Names
from labilis.model.recipes import FoldedSheet, Strut
from labilis.model.regions import OF_SECTIONS
from labilis.model.trials import is_choice

if TYPE_CHECKING:
    from labilis.edit.outlines import Outline

Numbers = Mapping[int, Sequence[int]]  # old number from 1 on -> new ones; no entry: it is gone


def renumbered(before: Project, after: Project, name: str, old: Outline, new: Outline) -> Project:
    """`after`, a project with another outline of the piece `name`, with everything that names a
    numbered part of it. `new.came` and `new.opened` say what each corner and opening was in `old`.
    Raises LabilisError where something stands on what is gone, or on what cannot be followed."""
    if new.came == identity(len(old.corners)) and new.opened == identity(len(old.openings)):
        return after
    maps = _maps(before.named("pieces", name), old, new)
    ends = _other_ends(old, new)
    changed = len(old.corners) != len(new.corners) or len(old.openings) != len(new.openings)

    def names_of(text: str, where: str) -> list[str]:
        piece, word = text.split("/", 1)
        if re.sub(r"\.\d+$", "", piece) != name and piece != name:
            return [text]
        if word.split(".side")[0] in ends:
            raise _stands_on(text, where, "would be another one")
        pieces = [_follow(part, maps, changed, text, where) for part in word.split("+")]
        return [f"{piece}/{'+'.join(parts)}" for parts in itertools.product(*pieces)]

    data = after.model_dump()
    for number, region in enumerate(after.regions):
        told = [item for text in region.names for item in names_of(text, f"region '{region.name}'")]
        data["regions"][number]["names"] = list(dict.fromkeys(told))
    for leaf in after.names():
        if (
            not isinstance(leaf.mark, Names)
            or leaf.mark.form != "face"
            or leaf.path[0] == "regions"
        ):
            continue
        told = names_of(leaf.text, str(leaf.path[0])) if "/" in leaf.text else [leaf.text]
        if len(told) > 1:
            raise _stands_on(leaf.text, f"something of {leaf.path[0]}", "is divided")
        data = put_at(data, leaf.path, told[0])
    for plan in data["plans"]:
        for vary in plan["vary"]:
            vary["parameter"] = _place(vary["parameter"], name, new, f"plan '{plan['name']}'")
    return load_project(data)


def _follow(
    word: str, maps: Mapping[str, Numbers], changed: bool, text: str, where: str
) -> list[str]:
    """What a word such as 'side.3' or 'bend.1.side' is called now."""
    found = re.fullmatch(r"([a-z]+)\.(\d+)(.*)", word)
    if found is None:
        return [word]
    kind, number, rest = found.group(1), int(found.group(2)), found.group(3)
    if kind in OF_SECTIONS and changed and number not in maps.get(kind, ()):
        raise _stands_on(text, where, "would be another one")
    if kind not in maps:
        return [word]
    now = maps[kind].get(number, ())
    if not now:
        raise _stands_on(text, where, "would be gone")
    return [f"{kind}.{value}{rest}" for value in now]


def _stands_on(text: str, where: str, what: str) -> LabilisError:
    return LabilisError(
        f"{where} stands on {text}, which {what}.",
        "outline",
        "Put it on something else first, or take it away.",
        "outline",
    )


def _maps(piece: Piece, old: Outline, new: Outline) -> dict[str, Numbers]:
    sides = _sides(old, new)
    corners = {was + 1: [now + 1] for now, was in enumerate(new.came) if was >= 0}
    maps: dict[str, Numbers] = {
        "hole": {was + 1: [now + 1] for now, was in enumerate(new.opened) if was >= 0}
    }
    if isinstance(piece.recipe, Strut):  # the numbers of openings come after those of all sides
        gone: dict[int, Sequence[int]] = {
            number + 1: () for number in range(old.sides) if number + 1 not in sides
        }
        return maps | {"skin": {**gone, **sides}, "corner": corners}
    if not isinstance(piece.recipe, FoldedSheet):
        return maps | {"side": sides, "corner": corners}
    # a bend has the number of its corner, counted from the first one that can have one
    bends = {
        was: [now]
        for now, was in enumerate(new.came)
        if 0 < was < len(old.corners) - 1 and 0 < now < len(new.corners) - 1
    }
    return maps | {"run": sides, "bend": bends}


def _sides(old: Outline, new: Outline) -> Numbers:
    """New sides (from 1 on) that each old one has become: its halves when it was divided, the one
    that it was joined to when the corner between them went."""
    found: dict[int, list[int]] = {}
    count = len(new.corners)
    for side in range(new.sides):
        back = range(count) if new.closed else range(side + 1)
        was = next((new.came[side - k] for k in back if new.came[side - k] >= 0), -1)
        found.setdefault(was, []).append(side + 1)
    told: dict[int, list[int]] = {}
    for number in range(old.sides):
        back = range(len(old.corners)) if old.closed else range(number + 1)
        start = next((k for k in ((number - b) % len(old.corners) for b in back) if k in found), -1)
        if start >= 0 and (start == number or number not in new.came):
            told[number + 1] = found[start]
    return told


def _other_ends(old: Outline, new: Outline) -> set[str]:
    """Free edges of a folded sheet that would not be those any more that they were: they are named
    by the end of the profile, whatever corner that is."""
    if old.closed:
        return set()
    first, last = new.came[0] == 0, new.came[-1] == len(old.corners) - 1
    return {name for name, same in (("edge.first", first), ("edge.last", last)) if not same}


def _place(text: str, name: str, new: Outline, where: str) -> str:
    """A place of the statements that a plan varies, after the corners and openings before it have
    changed."""
    parts = text.split("/")
    if not is_choice(text) or parts[:3] != ["pieces", name, "recipe"]:
        return text
    came = {
        **dict.fromkeys(("outline", "profile", "corners"), new.came),
        "openings": new.opened,
    }
    for index, part in enumerate(parts[:-1]):
        if part in came and parts[index + 1].isdigit():
            was = int(parts[index + 1])
            if was not in came[part]:
                raise _stands_on(text, where, "would be gone")
            parts[index + 1] = str(came[part].index(was))
    return "/".join(parts)


def identity(count: int) -> tuple[int, ...]:
    """Every one as it was."""
    return tuple(range(count))


def without(came: Sequence[int], number: int) -> tuple[int, ...]:
    """One of them gone."""
    return (*came[:number], *came[number + 1 :])


def inserted(came: Sequence[int], number: int) -> tuple[int, ...]:
    """A new one at a place."""
    return (*came[:number], -1, *came[number:])
