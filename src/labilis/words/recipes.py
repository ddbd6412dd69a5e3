"""Sentences about recipes: what a piece is, its sizes live in the text."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import Any

from labilis.edit.sides import side_texts
from labilis.judge.spans import Path, Sentence, Span, value_span
from labilis.model import (
    Block,
    FoldedSheet,
    LabilisError,
    LineCopies,
    MirrorCopy,
    Opening,
    Piece,
    Plate,
    Pocket,
    Project,
    Rib,
    RingCopies,
    Section,
    Statement,
    Strut,
    shown,
)
from labilis.model.expressions import names_in
from labilis.model.recipes import ends_of
from labilis.model.standard_sections import standard_of, standard_sections
from labilis.results.memo import once_for

_SIZE_WORDS = {
    "width": "wide",
    "height": "high",
    "diameter": "diameter",
    "thickness": "wall",
    "web": "web",
    "gap": "gap",
    "flange": "flange",
    "radius": "inside radius",
}


def count_words(piece: Piece) -> str:
    """'4 × ' before a repeated piece, '' before a single one."""
    return "" if piece.count == 1 else f"{piece.count} × "


class _Writer:
    """Writes values of one project: an expression is followed by what it comes to."""

    def __init__(self, project: Project) -> None:
        self.project = project

    def length(self, text: str, path: Path) -> Span:
        """A length that can be edited."""
        return value_span(self._shown(text), path, "length")

    def _shown(self, text: str) -> str:
        if text == "0 mm":  # where nothing was typed
            return shown.typed(text, "length")
        if not names_in(text) & self.project.parameters.keys():
            return text
        try:
            return f"{text} ({shown.length(self.project.value(text, 'length'))})"
        except LabilisError:
            return text


def recipe_spans(project: Project, piece: Piece, path: Path) -> list[Span]:
    """Sizes of a piece's recipe; `path` leads to the piece."""
    write = _Writer(project)
    recipe, here = piece.recipe, (*path, "recipe")
    if isinstance(recipe, Plate):
        holes = len(recipe.openings)
        return [
            Span("flat plate, "),
            *_side_spans(write, piece, path, " × "),
            write.length(recipe.thickness, (*here, "thickness")),
            Span(" thick"),
            Span(", "),
            Span(
                f"{len(recipe.outline)} corners"
                + (f", {holes} opening{'s' if holes > 1 else ''}" if holes else ""),
                (*here, "outline"),
                "outline",
            ),
        ]
    if isinstance(recipe, FoldedSheet):
        folds = len(recipe.profile) - 2
        return [
            Span("sheet, "),
            write.length(recipe.thickness, (*here, "thickness")),
            Span(" thick, "),
            *_side_spans(write, piece, path, " + "),
            Span(f"{folds} fold{'s' if folds != 1 else ''}", (*here, "profile"), "outline"),
            Span(" of "),
            write.length(recipe.bend, (*here, "bend")),
            Span(" inside radius, "),
            write.length(recipe.length, (*here, "length")),
            Span(" long"),
        ]
    if isinstance(recipe, Strut):
        return _strut_spans(write, recipe, here)
    if isinstance(recipe, Rib):
        return [
            Span("rib, "),
            write.length(recipe.width, (*here, "width")),
            Span(" × "),
            write.length(recipe.height, (*here, "height")),
            Span(", "),
            write.length(recipe.top, (*here, "top")),
            Span(" wide at its end, long edge hollowed by "),
            write.length(recipe.curve, (*here, "curve")),
            Span(", "),
            write.length(recipe.thickness, (*here, "thickness")),
            Span(" thick"),
        ]
    assert isinstance(recipe, Block)
    return [
        Span("block, "),
        write.length(recipe.width, (*here, "width")),
        Span(" × "),
        write.length(recipe.height, (*here, "height")),
        Span(" × "),
        write.length(recipe.depth, (*here, "depth")),
        *_pocket_spans(write, recipe, here),
    ]


def _side_spans(write: _Writer, piece: Piece, path: Path, between: str) -> list[Span]:
    """'200 mm × 120 mm, ': the sides that can be typed here."""
    texts = side_texts(write.project, piece)
    spans: list[Span] = []
    for number, text in enumerate(texts):
        spans += [write.length(text, (*path, "side", number)), Span(between)]
    return [*spans[:-1], Span(", ")] if spans else []


def _strut_spans(write: _Writer, recipe: Strut, here: Path) -> list[Span]:
    drawn = {"polygon": "corners", "outline": "outline"}.get(recipe.section.shape, "")
    words, place = _section_words(recipe.section), (*here, "section")
    offered = _standard_choices(recipe.section.shape)
    if drawn:
        spans = [Span(words, (*place, drawn), "outline")]
    elif offered:
        known = standard_of(write.project, recipe.section)
        spans = [
            Span(
                words if known is None else f"{words} {known.words}",
                place,
                choices=offered,
            )
        ]
    else:
        spans = [Span(words)]
    spans.append(Span(", "))
    for name, word in _SIZE_WORDS.items():
        text = getattr(recipe.section, name)
        if text is not None:
            spans += [write.length(text, (*here, "section", name)), Span(f" {word}, ")]
    return [*spans, write.length(recipe.length, (*here, "length")), Span(" long")]


@lru_cache
def _standard_choices(shape: str) -> tuple[tuple[str, Any], ...]:
    return tuple((item.words, item.section.model_dump()) for item in standard_sections(shape))


def _pocket_spans(write: _Writer, block: Block, here: Path) -> list[Span]:
    """Pockets and bores of a block, each size live, with one more or none on offer."""
    spans: list[Span] = []
    for number, pocket in enumerate(block.pockets):
        where = (*here, "pockets", number)
        spans += [Span(f", pocket {number + 1}: ")]
        for words, field in (
            ("", "width"),
            (" × ", "height"),
            (", deep ", "depth"),
            (", at x ", "x"),
            (", y ", "y"),
            (", corners of radius ", "radius"),
        ):
            spans += [Span(words), write.length(getattr(pocket, field), (*where, field))]
    for number, bore in enumerate(block.bores):
        where = (*here, "bores", number)
        spans.append(Span(f", bore {number + 1}: Ø "))
        spans.append(write.length(bore.diameter, (*where, "diameter")))
        for words, field in ((", at x ", "x"), (", y ", "y")):
            spans += [Span(words), write.length(getattr(bore, field), (*where, field))]
    pocket, bore = _next_pocket(write.project, block)
    for word, stated, new in (("pocket", block.pockets, pocket), ("bore", block.bores, bore)):
        choices = [(f"one {word} more, in the middle", _plain((*stated, new)))]
        if stated:
            choices.append((f"without {word} {len(stated)}", _plain(stated[:-1])))
        place = (*here, f"{word}s")
        spans += [Span(" "), Span(f"{word}s…", place, choices=tuple(choices), act=True)]
    return spans


def _next_pocket(project: Project, block: Block) -> tuple[Pocket, Opening]:
    """A pocket and a bore to begin with, in the middle of a block."""
    try:
        sizes = [project.number(block, name) for name in ("width", "height", "depth")]
    except LabilisError:  # an expression that means nothing now
        sizes = [40.0, 40.0, 10.0]
    width, height, depth, diameter = (
        shown.stated(max(size, 1e-3), "length", 3)
        for size in (*(size / 2 for size in sizes), min(sizes[:2]) / 4)
    )
    return (
        Pocket(x="0 mm", y="0 mm", width=width, height=height, depth=depth),
        Opening(x="0 mm", y="0 mm", diameter=diameter),
    )


def _plain(items: Sequence[Statement]) -> list[dict[str, Any]]:
    return [item.model_dump() for item in items]


def _section_words(section: Section) -> str:
    """'angle', 'section of 5 corners', 'section of an outline of 4 sides with 2 openings'."""
    if section.shape == "polygon":
        return f"section of {len(section.corners)} corners"
    if section.shape != "outline":
        return section.shape
    holes = len(section.openings)
    return f"section of an outline of {len(section.outline)} sides" + (
        f" with {holes} opening{'s' if holes > 1 else ''}" if holes else ""
    )


def _joined(values: list[Span]) -> list[Span]:
    """Values with commas between them."""
    return [span for value in values for span in (value, Span(", "))][:-1]


def place_sentence(project: Project, piece: Piece, path: Path) -> Sentence:
    """Where a recipe stands and how it is repeated."""
    write = _Writer(project)
    at = piece.place.at
    spans = _standing_spans(project, piece, (*path, "place", "on"))
    for axis, name in enumerate("xyz"):
        spans += [
            Span(f"{', ' if axis else ''}{name} "),
            write.length(at[axis], (*path, "place", "at", axis)),
        ]
    for number, turn in enumerate(piece.place.turns):
        angle = value_span(turn.angle, (*path, "place", "turns", number, "angle"), "angle")
        spans += [Span(", turned "), angle, Span(f" about {turn.about}")]
    for number, copy in enumerate(piece.copies):
        where = (*path, "copies", number)
        if isinstance(copy, MirrorCopy):
            spans += [
                Span(f", mirrored across {copy.across} at "),
                write.length(copy.at, (*where, "at")),
            ]
        elif isinstance(copy, LineCopies):
            spans += [
                Span(", "),
                value_span(str(copy.count), (*where, "count"), "count"),
                Span(" in a line, step ("),
                *_joined(
                    [write.length(copy.step[axis], (*where, "step", axis)) for axis in range(3)]
                ),
                Span(")"),
            ]
        elif isinstance(copy, RingCopies):
            spans += [
                Span(", "),
                value_span(str(copy.count), (*where, "count"), "count"),
                Span(f" in a ring about {copy.about} through ("),
                *_joined(
                    [write.length(copy.centre[axis], (*where, "centre", axis)) for axis in range(3)]
                ),
                Span("), over "),
                value_span(copy.angle, (*where, "angle"), "angle"),
            ]
    for number, cut in enumerate(piece.cuts):
        where = (*path, "cuts", number)
        spans += [
            Span(", cut along "),
            Span(
                cut.along,
                (*where, "along"),
                choices=tuple((f"along {axis}", axis) for axis in "xyz"),
            ),
            Span(" Ø "),
            write.length(cut.diameter, (*where, "diameter")),
        ]
        spans += [
            span
            for axis in "xyz"
            if axis != cut.along
            for span in (Span(f" {axis} "), write.length(getattr(cut, axis), (*where, axis)))
        ]
    return (*spans, *_more(project, piece, path), Span("."))


def _in_line(axis: str) -> dict[str, Any]:
    """Two in a line along an axis, to begin with."""
    steps = [shown.typed("100 mm" if axis == other else "0 mm", "length") for other in "xyz"]
    return {"kind": "line", "count": 2, "step": steps}


@once_for
def _ways_repeated(project: Project) -> list[tuple[str, list[dict[str, Any]]]]:
    """(piece, its copies) of each way in which pieces are repeated, the first piece of each."""
    found: dict[Any, tuple[str, list[dict[str, Any]]]] = {}
    for piece in project.pieces:
        if piece.copies and piece.copies not in found:
            found[piece.copies] = piece.name, [item.model_dump() for item in piece.copies]
    return list(found.values())


def _repeat_choices(
    project: Project, piece: Piece, copies: list[dict[str, Any]]
) -> list[tuple[str, Any]]:
    """(words, copies) of the ways to repeat a piece further, or just as another one is."""
    far = shown.typed("100 mm", "length")
    found: list[tuple[str, Any]] = [
        (f"mirrored across {axis}", [*copies, {"kind": "mirror", "across": axis, "at": far}])
        for axis in "xyz"
    ]
    found += [(f"two in a line along {axis}", [*copies, _in_line(axis)]) for axis in "xyz"]
    found += [
        (f"two by two along {one} and {two}", [*copies, _in_line(one), _in_line(two)])
        for one, two in ("xy", "xz", "yz")
    ]
    found += [
        (f"four in a ring about {axis}", [*copies, {"kind": "ring", "count": 4, "about": axis}])
        for axis in "xyz"
    ]
    found += [
        (f"as {name} is", stated)
        for name, stated in _ways_repeated(project)
        if name != piece.name and stated != copies
    ]
    return found


def _ends(piece: Piece) -> tuple[tuple[str, str], ...]:
    """(words, end) of what others can stand on, and of what of it can stand on others."""
    first = "start" if isinstance(piece.recipe, Strut) else "place"
    first = "middle" if isinstance(piece.recipe, Plate) else first
    ends = () if piece.recipe is None else ends_of(piece.recipe)
    return tuple((first if end == "itself" else end, end) for end in ends)


def _stands(project: Project, piece: Piece) -> list[tuple[str, Any]]:
    """On what else a piece can stand; where it is does not change with it."""
    return [
        (f"on {other.name}", {"piece": other.name})
        for other in project.pieces
        if other.recipe is not None and other is not piece
    ]


def _standing_spans(project: Project, piece: Piece, path: Path) -> list[Span]:
    """'At ' or 'With its bottom on the end of leg, at ', as far as it can be chosen."""
    on = piece.place.on
    if on is None:
        return [Span("At ", detail=True)]
    owner = project.named("pieces", on.piece)
    own, there = _ends(piece), _ends(owner)
    words_own, words_there = ({end: text for text, end in ends} for ends in (own, there))
    return [
        Span("With its ", detail=True),
        Span(words_own[on.by], (*path, "by"), choices=own),
        Span(" on the "),
        Span(words_there[on.end], (*path, "end"), choices=there),
        Span(" of "),
        Span(
            on.piece,
            path,
            choices=(*_stands(project, piece), ("on nothing: where it is", None)),
        ),
        Span(", from there "),
    ]


def _divided(piece: Piece) -> list[tuple[str, Any]]:
    """Where a strut can be divided into two, as shares of its length; its place is a parameter
    from then on."""
    shares = ((0.5, "in its middle"), (1 / 3, "at a third"), (2 / 3, "at two thirds"))
    return [(words, share) for share, words in shares] if isinstance(piece.recipe, Strut) else []


def _more(project: Project, piece: Piece, path: Path) -> list[Span]:
    """What else can be done with a recipe in its place: turn it, repeat it, drill it; and each
    undone."""
    turns, copies, cuts = (
        [item.model_dump() for item in items]
        for items in (piece.place.turns, piece.copies, piece.cuts)
    )
    turn = [
        (f"turned 90° about {axis}", [*turns, {"about": axis, "angle": "90 deg"}]) for axis in "xyz"
    ]
    repeat = _repeat_choices(project, piece, copies)
    drill = [
        (
            f"a hole along {axis}",
            [*cuts, {"along": axis, "diameter": shown.typed("6 mm", "length")}],
        )
        for axis in "xyz"
    ]
    found = [Span("; ")]
    if piece.place.on is None and (stands := _stands(project, piece)):
        found.append(Span("stand", (*path, "place", "on"), choices=tuple(stands), act=True))
    for words, key, choices, stated in (
        ("turn", ("place", "turns"), turn, turns),
        ("repeat", ("copies",), repeat, copies),
        ("drill", ("cuts",), drill, cuts),
        ("divide", ("divide",), _divided(piece), []),
    ):
        if not choices:
            continue
        if stated:
            choices.append((f"undo the last: {words}", stated[:-1]))
        found += [
            Span(", " if len(found) > 1 else ""),
            Span(words, (*path, *key), choices=tuple(choices), act=True),
        ]
    return found


def openings_sentence(project: Project, piece: Piece, path: Path) -> Sentence | None:
    """Openings of a plate, None for anything else."""
    if not isinstance(piece.recipe, Plate):
        return None
    write, here = _Writer(project), (*path, "recipe", "openings")
    spans: list[Span] = []
    stated = [item.model_dump() for item in piece.recipe.openings]
    for number, opening in enumerate(piece.recipe.openings):
        spans += [
            Span("Ø " if not spans else ", Ø "),
            write.length(opening.diameter, (*here, number, "diameter")),
        ]
        if opening.length is not None:
            spans += [
                Span(" slot, "),
                write.length(opening.length, (*here, number, "length")),
                Span(" longer"),
            ]
        for axis, text in (("x", opening.x), ("y", opening.y)):
            spans += [
                Span(" at x " if axis == "x" else ", y "),
                write.length(text, (*here, number, axis)),
            ]
    new = {
        "x": shown.typed("20 mm", "length"),
        "y": shown.typed("20 mm", "length"),
        # most holes of a plate are for the same bolt
        "diameter": stated[-1]["diameter"] if stated else shown.typed("10 mm", "length"),
    }
    choices = [
        ("a round one", [*stated, new]),
        ("a slot", [*stated, {**new, "length": shown.typed("20 mm", "length")}]),
    ]
    if stated:
        choices.append(("not the last one", stated[:-1]))
    more = Span("more" if spans else "none", here, choices=tuple(choices), act=bool(spans))
    return (Span("Openings: ", detail=True), *spans, Span("; " if spans else ""), more, Span("."))
