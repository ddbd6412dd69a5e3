"""Regions: named sets of faces and edges that supports, loads and mesh zones refer to.

A pick remembers what a face or an edge looked like (kind, place, size), not its number in the file,
so that it is found again when the file is read anew.
"""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from labilis.model.quantities import FaceName, PieceName

Vector = tuple[float, float, float]
# numbered faces of struts, those of openings after those of the outline; all round, so that rounded
# corners are in
OF_SECTIONS = ("wall", "skin")


class Pick(BaseModel):
    """What one face or edge looked like when it was picked. Lengths in mm, areas in mm²."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    of: Literal["face", "edge"]
    kind: str = Field(
        description="plane, cylinder, cone, sphere, torus, other; for edges line, circle, other"
    )
    position: Vector = Field(description="centroid, mm")
    size: float = Field(gt=0, description="area of a face in mm², length of an edge in mm")
    radius: float | None = Field(
        default=None, description="radius of a cylinder, sphere or circle, mm"
    )
    direction: Vector | None = Field(
        default=None, description="normal of a plane, axis of a cylinder, run of a line"
    )
    gone: bool = Field(default=False, description="a revised file has nothing that stands for it")


class Region(BaseModel):
    """A named set of faces or of edges. What a recipe built is named (`leg.2/foot`); what was
    imported is found by its looks.

    A name without the number of a copy, `leg/foot`, means all copies."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str = Field(min_length=1)
    piece: PieceName = Field(default="", description="imported piece that the picks are on")
    picks: tuple[Pick, ...] = ()
    names: tuple[FaceName, ...] = Field(
        default=(), description="faces and edges of recipes by name"
    )

    @model_validator(mode="after")
    def _some(self) -> Region:
        if not self.picks and not self.names:
            raise ValueError("a region needs something picked or named")
        if self.picks and not self.piece:
            raise ValueError("picks need the piece they are on")
        for name in self.names:
            if name.count("/") != 1 or name.startswith("/") or name.endswith("/"):
                raise ValueError(f"'{name}' is not a name such as plate/top")
        return self

    @property
    def of(self) -> str:
        """'face' or 'edge'; a region that mixes them, or has names only, counts as faces."""
        return "edge" if self.picks and all(pick.of == "edge" for pick in self.picks) else "face"
