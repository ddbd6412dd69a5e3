"""Sentences about recipes: what a piece is, its sizes live in the text."""
from __future__ import annotations

from labilis.judge.spans import Path, Sentence, Span, value_span
from labilis.model import (
    Block,
    FoldedSheet,
    LabilisError,
    LineCopies,
    MirrorCopy,
    Piece,
    Plate,
    Project,
    Rib,
    RingCopies,
    Strut,
)

_SIZE_WORDS = {"width": "wide", "height": "high", "diameter": "diameter", "thickness": "wall", "web": "web", "gap": "gap",
               "flange": "flange", "radius": "inside radius"}


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
        if not any(name in text for name in self.project.parameters):
            return text
        try:
            return f"{text} ({self.project.value(text, 'length'):.4g} mm)"
        except LabilisError:
            return text


def recipe_spans(project: Project, piece: Piece, path: Path) -> list[Span]:
    """Sizes of a piece's recipe; `path` leads to the piece."""
    write = _Writer(project)
    recipe, here = piece.recipe, (*path, "recipe")
    if isinstance(recipe, Plate):
        holes = len(recipe.openings)
        return [Span("flat plate, "), write.length(recipe.thickness, (*here, "thickness")), Span(" thick"),
                Span(f", {len(recipe.outline)} corners" + (f", {holes} opening{'s' if holes > 1 else ''}" if holes else ""))]
    if isinstance(recipe, FoldedSheet):
        folds = len(recipe.profile) - 2
        return [Span("sheet, "), write.length(recipe.thickness, (*here, "thickness")),
                Span(f" thick, {folds} fold{'s' if folds != 1 else ''} of "), write.length(recipe.bend, (*here, "bend")),
                Span(" inside radius, "), write.length(recipe.length, (*here, "length")), Span(" long")]
    if isinstance(recipe, Strut):
        spans = [Span(f"{recipe.section.shape}, ")]
        for name, word in _SIZE_WORDS.items():
            text = getattr(recipe.section, name)
            if text is not None:
                spans += [write.length(text, (*here, "section", name)), Span(f" {word}, ")]
        return [*spans, write.length(recipe.length, (*here, "length")), Span(" long")]
    if isinstance(recipe, Rib):
        return [Span("rib, "), write.length(recipe.width, (*here, "width")), Span(" × "),
                write.length(recipe.height, (*here, "height")), Span(", "),
                write.length(recipe.thickness, (*here, "thickness")), Span(" thick")]
    assert isinstance(recipe, Block)
    return [Span("block, "), write.length(recipe.width, (*here, "width")), Span(" × "),
                write.length(recipe.height, (*here, "height")), Span(" × "),
            write.length(recipe.depth, (*here, "depth"))]


def place_sentence(project: Project, piece: Piece, path: Path) -> Sentence:
    """Where a recipe stands and how it is repeated."""
    write = _Writer(project)
    at = piece.place.at
    spans = [Span("At ")]
    for axis, name in enumerate("xyz"):
        spans += [Span(f"{', ' if axis else ''}{name} "), write.length(at[axis], (*path, "place", "at", axis))]
    for number, turn in enumerate(piece.place.turns):
        angle = value_span(turn.angle, (*path, "place", "turns", number, "angle"), "angle")
        spans += [Span(", turned "), angle, Span(f" about {turn.about}")]
    for number, copy in enumerate(piece.copies):
        where = (*path, "copies", number)
        if isinstance(copy, MirrorCopy):
            spans += [Span(f", mirrored across {copy.across} at "), write.length(copy.at, (*where, "at"))]
        elif isinstance(copy, LineCopies):
            spans += [Span(", "), value_span(str(copy.count), (*where, "count"), "count"), Span(" in a line, step ")]
            for axis in range(3):
                spans += [Span(", " if axis else "("), write.length(copy.step[axis], (*where, "step", axis))]
            spans.append(Span(")"))
        elif isinstance(copy, RingCopies):
            spans += [Span(", "), value_span(str(copy.count), (*where, "count"), "count"), Span(f" in a ring about {copy.about}")]
    return (*spans, Span("."))
