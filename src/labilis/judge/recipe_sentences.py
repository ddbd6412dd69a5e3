"""Sentences about recipes: what a piece is, its sizes live in the text."""
from __future__ import annotations

from labilis.judge.spans import Path, Sentence, Span, value_span
from labilis.model import (
    Block,
    FoldedSheet,
    LineCopies,
    MirrorCopy,
    Piece,
    Plate,
    Rib,
    RingCopies,
    Strut,
)

_COUNTS = {2: "Two", 3: "Three", 4: "Four", 5: "Five", 6: "Six", 7: "Seven", 8: "Eight"}
_SIZE_WORDS = {"width": "wide", "height": "high", "diameter": "diameter", "thickness": "wall", "web": "web", "gap": "gap",
               "flange": "flange", "radius": "inside radius"}


def count_words(piece: Piece) -> str:
    """'Four ' before a repeated piece, '' before a single one."""
    return "" if piece.count == 1 else _COUNTS.get(piece.count, str(piece.count)) + " "


def _length(text: str, path: Path) -> Span:
    return value_span(text, path, "length")


def recipe_spans(piece: Piece, path: Path) -> list[Span]:
    """Sizes of a piece's recipe; `path` leads to the piece."""
    recipe, here = piece.recipe, (*path, "recipe")
    if isinstance(recipe, Plate):
        holes = len(recipe.openings)
        return [Span("flat plate, "), _length(recipe.thickness, (*here, "thickness")), Span(" thick"),
                Span(f", {len(recipe.outline)} corners" + (f", {holes} opening{'s' if holes > 1 else ''}" if holes else ""))]
    if isinstance(recipe, FoldedSheet):
        folds = len(recipe.profile) - 2
        return [Span("sheet, "), _length(recipe.thickness, (*here, "thickness")),
                Span(f" thick, {folds} fold{'s' if folds != 1 else ''} of "), _length(recipe.bend, (*here, "bend")),
                Span(" inside radius, "), _length(recipe.length, (*here, "length")), Span(" long")]
    if isinstance(recipe, Strut):
        spans = [Span(f"{recipe.section.shape}, ")]
        for name, word in _SIZE_WORDS.items():
            text = getattr(recipe.section, name)
            if text is not None:
                spans += [_length(text, (*here, "section", name)), Span(f" {word}, ")]
        return [*spans, _length(recipe.length, (*here, "length")), Span(" long")]
    if isinstance(recipe, Rib):
        return [Span("rib, "), _length(recipe.width, (*here, "width")), Span(" × "), _length(recipe.height, (*here, "height")), Span(", "),
                _length(recipe.thickness, (*here, "thickness")), Span(" thick")]
    assert isinstance(recipe, Block)
    return [Span("block, "), _length(recipe.width, (*here, "width")), Span(" × "), _length(recipe.height, (*here, "height")), Span(" × "),
            _length(recipe.depth, (*here, "depth"))]


def place_sentence(piece: Piece, path: Path) -> Sentence:
    """Where a recipe stands and how it is repeated."""
    at = piece.place.at
    spans = [Span("At ")]
    for axis, name in enumerate("xyz"):
        spans += [Span(f"{', ' if axis else ''}{name} "), _length(at[axis], (*path, "place", "at", axis))]
    for number, turn in enumerate(piece.place.turns):
        angle = value_span(turn.angle, (*path, "place", "turns", number, "angle"), "angle")
        spans += [Span(", turned "), angle, Span(f" about {turn.about}")]
    for number, copy in enumerate(piece.copies):
        where = (*path, "copies", number)
        if isinstance(copy, MirrorCopy):
            spans += [Span(f", mirrored across {copy.across} at "), _length(copy.at, (*where, "at"))]
        elif isinstance(copy, LineCopies):
            spans += [Span(", "), value_span(str(copy.count), (*where, "count"), "count"), Span(" in a line, step ")]
            for axis in range(3):
                spans += [Span(", " if axis else "("), _length(copy.step[axis], (*where, "step", axis))]
            spans.append(Span(")"))
        elif isinstance(copy, RingCopies):
            spans += [Span(", "), value_span(str(copy.count), (*where, "count"), "count"), Span(f" in a ring about {copy.about}")]
    return (*spans, Span("."))
