"""Lengths of the sides of simple outlines, typed where a piece is told: width and height of a
rectangle, runs of a folded sheet that go along x or y. Other outlines are drawn in plan."""

from __future__ import annotations

from dataclasses import replace

from labilis.edit.outlines import is_plain, outline_of, with_outline
from labilis.model import Corner, FoldedSheet, LabilisError, Piece, Plate, Project, shown

_ALIKE = 1e-9  # mm


def side_texts(project: Project, piece: Piece) -> tuple[str, ...]:
    """Length of each side that can be typed, as text: (width, height) of a rectangle, each run of
    a folded profile; none where sides are slanted, bowed, or cannot be evaluated."""
    outline = outline_of(piece)
    if outline is None or not isinstance(piece.recipe, Plate | FoldedSheet):
        return ()
    try:
        if isinstance(piece.recipe, Plate):
            spans = _rectangle(project, outline.corners)
            pairs = [] if spans is None else list(spans)
        else:
            runs = [_run(project, outline.corners, number) for number in range(outline.sides)]
            pairs = [] if None in runs else [run[1:] for run in runs if run]
        found = tuple(_between(project, *pair) for pair in pairs)
        return found if all(found) else ()
    except LabilisError:
        return ()


def with_side(project: Project, name: str, number: int, text: str) -> Project:
    """The project with one of the lengths of `side_texts` of a piece. A rectangle keeps its lower
    left corner, or its middle where that lies at nought; a folded sheet keeps the rest of its
    profile, the first run its inner end. Raises LabilisError for what is no length above nought."""
    value = project.value(text, "length", f"pieces/{name}")
    if value <= 0:
        raise LabilisError(
            f"A side cannot be {shown.length(value)} long.",
            f"pieces/{name}",
            "Give it a length above nought.",
            "side",
        )
    piece = project.named("pieces", name)
    outline = outline_of(piece)
    assert outline is not None
    if isinstance(piece.recipe, Plate):
        corners = _stretched(project, outline.corners, number, text)
    else:
        corners = _moved_on(project, outline.corners, number, text)
    return with_outline(project, name, replace(outline, corners=corners))


def _rectangle(
    project: Project, corners: tuple[Corner, ...]
) -> tuple[tuple[str, str], tuple[str, str]] | None:
    """(low, high) texts along x and along y of four corners with straight sides along x and y."""
    if len(corners) != 4 or any(corner.bow.strip() != "0" for corner in corners):
        return None
    found = []
    for axis in ("x", "y"):
        texts = {getattr(corner, axis) for corner in corners}
        if len(texts) != 2:
            return None
        found.append(tuple(sorted(texts, key=lambda text: project.value(text, "length"))))
    pairs = [(corner.x, corner.y) for corner in corners]
    turns = [(pairs[k][0] == pairs[k - 1][0]) != (pairs[k][1] == pairs[k - 1][1]) for k in range(4)]
    return (found[0], found[1]) if all(turns) and len(set(pairs)) == 4 else None  # type: ignore[return-value]


def _run(project: Project, corners: tuple[Corner, ...], number: int) -> tuple[str, str, str] | None:
    """(axis, text at its start, text at its end) of a side along x or y, None of a slanted one."""
    one, two = corners[number], corners[number + 1]
    level = [_alike(project, getattr(one, axis), getattr(two, axis)) for axis in ("x", "y")]
    if level[0] == level[1]:
        return None
    axis = "y" if level[0] else "x"
    return axis, getattr(one, axis), getattr(two, axis)


def _alike(project: Project, one: str, two: str) -> bool:
    return abs(project.value(one, "length") - project.value(two, "length")) < _ALIKE


def _nought(project: Project, text: str) -> bool:
    return is_plain(project, text) and abs(project.value(text, "length")) < _ALIKE


def _between(project: Project, one: str, two: str) -> str:
    """The distance between two texts: the other one where one is nought, else what it comes to."""
    for text, other in ((one, two), (two, one)):
        if _nought(project, text) and not other.lstrip().startswith("-"):
            return other
    if _mirrored(project, one, two):
        for text in (one, two):
            if text.endswith(_HALF) and not text.lstrip().startswith("-"):
                return text[1 : -len(_HALF)]
    if not (is_plain(project, one) and is_plain(project, two)):
        return ""  # what is typed here would take the place of an expression that is not seen
    return shown.stated(
        abs(project.value(two, "length") - project.value(one, "length")), "length", 6
    )


_HALF = ")/2"


def _mirrored(project: Project, one: str, two: str) -> bool:
    a, b = project.value(one, "length"), project.value(two, "length")
    return abs(a + b) < _ALIKE < abs(a)


def _stretched(
    project: Project, corners: tuple[Corner, ...], number: int, text: str
) -> tuple[Corner, ...]:
    spans = _rectangle(project, corners)
    if spans is None:
        raise _drawn()
    axis, (low, high) = ("x", "y")[number], spans[number]
    if _mirrored(project, low, high):
        new = {low: f"-({text})/2", high: f"({text})/2"}
        if is_plain(project, text):
            half = 0.5 * project.value(text, "length")
            new = {low: shown.stated(-half, "length", 9), high: shown.stated(half, "length", 9)}
    else:
        new = {low: low, high: _onward(project, low, text, 1.0)}
    return tuple(corner.model_copy(update={axis: new[getattr(corner, axis)]}) for corner in corners)


def _moved_on(
    project: Project, corners: tuple[Corner, ...], number: int, text: str
) -> tuple[Corner, ...]:
    run = _run(project, corners, number)
    if run is None:
        raise _drawn()
    axis, start, end = run
    fixed, mover = (end, start) if number == 0 else (start, end)
    moves = (0,) if number == 0 else tuple(range(number + 1, len(corners)))
    sign = 1.0 if project.value(mover, "length") > project.value(fixed, "length") else -1.0
    # what moves along with the end of the run stays level with it
    shift = sign * project.value(text, "length") - (
        project.value(mover, "length") - project.value(fixed, "length")
    )
    made = list(corners)
    for k in moves:
        old = getattr(corners[k], axis)
        if _alike(project, old, mover):
            new = _onward(project, fixed, text, sign)
        elif is_plain(project, old):
            new = shown.stated(project.value(old, "length") + shift, "length", 9)
        else:
            new = f"{old} + {shown.stated(shift, 'length', 9)}"
        made[k] = corners[k].model_copy(update={axis: new})
    return tuple(made)


def _onward(project: Project, fixed: str, text: str, sign: float) -> str:
    """`text` on from a fixed text, as the plainest text that says so."""
    if _nought(project, fixed):
        return text if sign > 0 else f"-{text}" if is_plain(project, text) else f"-({text})"
    if is_plain(project, fixed) and is_plain(project, text):
        both = project.value(fixed, "length") + sign * project.value(text, "length")
        return shown.stated(both, "length", 9)
    return f"{fixed} {'+' if sign > 0 else '-'} ({text})"


def _drawn() -> LabilisError:
    return LabilisError(
        "This outline has slanted or bowed sides.", remedy="Change it in plan.", code="side"
    )
