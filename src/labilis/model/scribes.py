"""Scribes: lines, circles and washer patches marked on faces, so that they can be supported,
loaded, meshed and measured."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from labilis.model.quantities import FaceName, Length
from labilis.model.regions import Pick
from labilis.model.statements import Lengths, Statement


class _Scribe(Statement):
    name: str = Field(min_length=1)
    face: FaceName = Field(
        default="", description="face by the name its recipe gave, such as plate/top"
    )
    pick: Pick | None = Field(default=None, description="face of an imported part by its looks")

    @model_validator(mode="after")
    def _one_face(self) -> _Scribe:
        if bool(self.face) == (self.pick is not None):
            raise ValueError("a scribe is on a face that is either named or picked")
        if self.face and (
            self.face.count("/") != 1 or self.face.startswith("/") or self.face.endswith("/")
        ):
            raise ValueError(f"'{self.face}' is not a name such as plate/top")
        if self.pick is not None and self.pick.of != "face":
            raise ValueError("a scribe is on a face, not on an edge")
        if any(mark in self.name for mark in "/|+"):
            raise ValueError(f"'{self.name}' cannot be a scribe's name: leave out / | +")
        return self


class ScribeLine(_Scribe):
    """A line across a whole face: lengthwise or crosswise through its middle, moved aside by an
    offset, or through two points. It becomes the edge `<name>/line`."""

    kind: Literal["line"] = "line"
    run: Literal["lengthwise", "crosswise"] = "lengthwise"
    offset: Length = Field(default="0 mm", description="from the middle of the face, length")
    between: tuple[Lengths, Lengths] | None = Field(
        default=None,
        description="two points that it runs through, lengths, in place of run and offset",
    )


class ScribeCircle(_Scribe):
    """A circle, or a washer where `hole` is given. It becomes the edges `<name>/outer` (and
    `<name>/inner`) and the face `<name>/patch` between them."""

    kind: Literal["circle"] = "circle"
    at: Lengths | None = Field(
        default=None, description="centre, lengths; the middle of the face when none is given"
    )
    diameter: Length = Field(description="length")
    hole: Length | None = Field(default=None, description="inner diameter of a washer, length")


Scribe = Annotated[ScribeLine | ScribeCircle, Field(discriminator="kind")]
