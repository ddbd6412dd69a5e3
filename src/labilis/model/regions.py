"""Regions: named sets of faces and edges that supports, loads and mesh zones refer to.

A pick remembers what a face or an edge looked like (kind, place, size), not its number in the file, so that it is found
again when the file is read anew.
"""
from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

Vector = tuple[float, float, float]


class Pick(BaseModel):
    """What one face or edge looked like when it was picked. Lengths in mm, areas in mm²."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    of: Literal["face", "edge"]
    kind: str = Field(description="plane, cylinder, cone, sphere, torus, other; for edges line, circle, other")
    position: Vector = Field(description="centroid, mm")
    size: float = Field(gt=0, description="area of a face in mm², length of an edge in mm")
    radius: float | None = Field(default=None, description="radius of a cylinder, sphere or circle, mm")
    direction: Vector | None = Field(default=None, description="normal of a plane, axis of a cylinder, run of a line")


class Region(BaseModel):
    """A named set of faces or of edges of one piece."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str = Field(min_length=1)
    piece: str
    picks: tuple[Pick, ...] = Field(min_length=1)

    @property
    def of(self) -> str:
        """'face' or 'edge'; a region that mixes them counts as faces."""
        return "face" if any(pick.of == "face" for pick in self.picks) else "edge"
