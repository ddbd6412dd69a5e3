"""Scribes: lines, circles and washer patches marked on faces, so that they can be supported, loaded, meshed and measured."""
from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from labilis.model.regions import Pick
from labilis.model.statements import Statement, Text3


class _Scribe(Statement):
    name: str = Field(min_length=1)
    face: str = Field(default="", description="face by the name its recipe gave, such as plate/top")
    pick: Pick | None = Field(default=None, description="face of an imported part by its looks")

    @model_validator(mode="after")
    def _one_face(self) -> _Scribe:
        if bool(self.face) == (self.pick is not None):
            raise ValueError("a scribe is on a face that is either named or picked")
        if self.face and (self.face.count("/") != 1 or self.face.startswith("/") or self.face.endswith("/")):
            raise ValueError(f"'{self.face}' is not a name such as plate/top")
        if self.pick is not None and self.pick.of != "face":
            raise ValueError("a scribe is on a face, not on an edge")
        if any(mark in self.name for mark in "/|+"):
            raise ValueError(f"'{self.name}' cannot be a scribe's name: leave out / | +")
        return self


class ScribeLine(_Scribe):
    """A line across a whole face: lengthwise or crosswise through its middle, moved aside by an offset, or through two points.
    It becomes the edge `<name>/line`."""

    kind: Literal["line"] = "line"
    run: Literal["lengthwise", "crosswise"] = "lengthwise"
    offset: str = Field(default="0 mm", description="from the middle of the face, length")
    between: tuple[Text3, Text3] | None = Field(default=None, description="two points that it runs through, lengths, in place of run "
                                                "and offset")

    def quantities(self) -> list[tuple[str, str]]:
        """(text, kind) of each number."""
        return [(text, "length") for text in (self.offset, *(c for point in self.between or () for c in point))]


class ScribeCircle(_Scribe):
    """A circle, or a washer where `hole` is given. It becomes the edges `<name>/outer` (and `<name>/inner`) and the face
    `<name>/patch` between them."""

    kind: Literal["circle"] = "circle"
    at: Text3 | None = Field(default=None, description="centre, lengths; the middle of the face when none is given")
    diameter: str = Field(description="length")
    hole: str | None = Field(default=None, description="inner diameter of a washer, length")

    def quantities(self) -> list[tuple[str, str]]:
        """(text, kind) of each number."""
        return [(text, "length") for text in (self.diameter, *([self.hole] if self.hole else []), *(self.at or ()))]


Scribe = Annotated[ScribeLine | ScribeCircle, Field(discriminator="kind")]
