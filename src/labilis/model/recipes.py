"""Recipes: pieces that Labilis builds itself from numbers. Every number is a text with a unit or an
expression.

Each recipe stands in its own axes: plates, ribs and blocks lie in x and y, folded sheets and struts
run along z. `Place` turns and moves it, `Copies` repeat it.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from labilis.model.quantities import Angle, Length, Number, PieceName
from labilis.model.statements import Lengths, Statement

Axis = Literal["x", "y", "z"]


class Corner(Statement):
    """Corner of an outline; `radius` rounds it; `bow` bends the side to the next corner to an arc:
    its height over half of its chord, 1 for a half circle, above nought where it turns
    counter-clockwise."""

    x: Length
    y: Length
    radius: Length = "0 mm"
    bow: Number = "0"


def _enclosing(outline: tuple[Corner, ...]) -> tuple[Corner, ...]:
    """Two straight sides between two corners enclose nothing."""
    if len(outline) == 2 and all(corner.bow.strip() == "0" for corner in outline):
        raise ValueError("an outline of two corners needs a side that is bowed")
    return outline


class Opening(Statement):
    """A round hole, or a slot when `length` (between the centres of its ends) is given, turned
    by `angle` from x."""

    x: Length
    y: Length
    diameter: Length
    length: Length | None = None
    angle: Angle = "0 deg"


class Plate(Statement):
    """Flat plate: outline in x and y round the middle of its thickness, which lies at z = 0."""

    kind: Literal["plate"] = "plate"
    outline: tuple[Corner, ...] = Field(min_length=2)
    thickness: Length
    openings: tuple[Opening, ...] = ()

    @field_validator("outline")
    @classmethod
    def _encloses(cls, outline: tuple[Corner, ...]) -> tuple[Corner, ...]:
        return _enclosing(outline)


class FoldedSheet(Statement):
    """Sheet folded along z: `profile` is its mid-line in x and y with sharp corners, bent with
    the inside radius `bend`."""

    kind: Literal["folded sheet"] = "folded sheet"
    profile: tuple[tuple[Length, Length], ...] = Field(min_length=2)
    thickness: Length
    bend: Length = "0 mm"
    length: Length


SECTION_SIZES: dict[str, tuple[str, ...]] = {
    "flat": ("width", "thickness"),
    "round": ("diameter",),
    "square": ("width",),
    "round tube": ("diameter", "thickness"),
    "square tube": ("width", "thickness"),
    "rectangular tube": ("width", "height", "thickness"),
    "angle": ("width", "height", "thickness"),
    "double angle": ("width", "height", "thickness", "gap"),
    "channel": ("width", "height", "thickness"),
    "I": ("width", "height", "thickness", "web"),
    "T": ("width", "height", "thickness", "web"),
    "hat": ("width", "height", "flange", "thickness"),
    "polygon": (),
    "outline": (),
}
_MAY = {
    "square tube": ("radius",),
    "rectangular tube": ("radius",),
    "angle": ("radius",),
    "channel": ("radius",),
    "hat": ("radius",),
}


class Section(Statement):
    """Cross-section of a strut: its shape and sizes. `width` is along x, `height` along y; `radius`
    is the inside radius of its corners, `web` the thickness of a web that differs from `thickness`.
    A polygon has `corners`, an outline of lines and arcs `outline` and `openings`."""

    shape: Literal[
        "flat",
        "round",
        "square",
        "round tube",
        "square tube",
        "rectangular tube",
        "angle",
        "double angle",
        "channel",
        "I",
        "T",
        "hat",
        "polygon",
        "outline",
    ]
    width: Length | None = None
    height: Length | None = None
    diameter: Length | None = None
    thickness: Length | None = None
    web: Length | None = None
    gap: Length | None = None
    flange: Length | None = None
    radius: Length | None = None
    corners: tuple[tuple[Length, Length], ...] = ()
    outline: tuple[Corner, ...] = ()
    openings: tuple[Opening, ...] = ()

    @model_validator(mode="after")
    def _sizes(self) -> Section:
        _enclosing(self.outline)
        needed, may = SECTION_SIZES[self.shape], _MAY.get(self.shape, ())
        for name in ("width", "height", "diameter", "thickness", "web", "gap", "flange", "radius"):
            given = getattr(self, name) is not None
            if name in needed and not given:
                raise ValueError(f"a section '{self.shape}' needs its {name}")
            if given and name not in needed + may:
                raise ValueError(f"a section '{self.shape}' has no {name}")
        if (self.shape == "polygon") != bool(self.corners):
            raise ValueError("corners belong to a polygon, and a polygon needs them")
        if (self.shape == "outline") != (len(self.outline) > 1) or (
            self.openings and self.shape != "outline"
        ):
            raise ValueError(
                "outline and openings belong to a section 'outline', which needs two corners and "
                "more"
            )
        return self


class Strut(Statement):
    """Straight strut of a section along z from 0 to `length`."""

    kind: Literal["strut"] = "strut"
    section: Section
    length: Length


class Rib(Statement):
    """Flat rib in x and y: a triangle or trapezoid with its right angle at the origin, `width`
    along x, `height` along y, `top` the width left at the far end, `curve` the sagitta of a hollow
    long edge; its middle lies at z = 0."""

    kind: Literal["rib"] = "rib"
    width: Length
    height: Length
    top: Length = "0 mm"
    curve: Length = "0 mm"
    thickness: Length


class Pocket(Statement):
    """Rectangular pocket from the top of a block: centre, size and depth, with rounded corners."""

    x: Length
    y: Length
    width: Length
    height: Length
    depth: Length
    radius: Length = "0 mm"


class Block(Statement):
    """Solid block centred on x and y from z = 0 to `depth`, with pockets from the top and bores
    right through."""

    kind: Literal["block"] = "block"
    width: Length
    height: Length
    depth: Length
    pockets: tuple[Pocket, ...] = ()
    bores: tuple[Opening, ...] = ()


class Turn(Statement):
    """Turn about an axis through the origin, one after the other."""

    about: Axis
    angle: Angle


End = Literal["itself", "end", "top", "bottom"]


class Stand(Statement):
    """What a recipe stands on: another recipe, in whose own axes its place is stated, from there
    itself, from the end of a strut, or from the top or bottom of a plate; `by`: what of its own
    comes to its place."""

    piece: PieceName
    end: End = "itself"
    by: End = "itself"


class Place(Statement):
    """Where a recipe stands: turned, then moved, in the part's axes or in those of what it stands
    on."""

    turns: tuple[Turn, ...] = ()
    at: Lengths = ("0 mm", "0 mm", "0 mm")
    on: Stand | None = None


class LineCopies(Statement):
    """`count` in all, each moved by `step` from the one before."""

    kind: Literal["line"] = "line"
    count: int = Field(ge=1, le=500)
    step: Lengths


class RingCopies(Statement):
    """`count` in all round an axis through `centre`, evenly over `angle`."""

    kind: Literal["ring"] = "ring"
    count: int = Field(ge=1, le=500)
    about: Axis = "z"
    centre: Lengths = ("0 mm", "0 mm", "0 mm")
    angle: Angle = "360 deg"


class MirrorCopy(Statement):
    """The piece and its mirror image in the plane square to `across` at `at`."""

    kind: Literal["mirror"] = "mirror"
    across: Axis
    at: Length = "0 mm"


class Cut(Statement):
    """A round hole, or slot, cut through a placed piece along an axis of the project: `x`, `y`,
    `z` is a point on its axis."""

    along: Axis
    x: Length = "0 mm"
    y: Length = "0 mm"
    z: Length = "0 mm"
    diameter: Length


Recipe = Annotated[Plate | FoldedSheet | Strut | Rib | Block, Field(discriminator="kind")]
Copies = Annotated[LineCopies | RingCopies | MirrorCopy, Field(discriminator="kind")]
_ENDS: dict[str, tuple[End, ...]] = {
    "strut": ("itself", "end"),
    "plate": ("itself", "top", "bottom"),
}


def ends_of(recipe: Recipe) -> tuple[End, ...]:
    """What of a recipe others can stand on, and what of it can stand on others."""
    return _ENDS.get(recipe.kind, ("itself",))
