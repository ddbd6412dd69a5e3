"""What is picked on the part: its names and sizes, what can be done with it, and where other pieces
can stand by it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from labilis.app.joining import join_offers
from labilis.app.picked import Offer, Selection, hold_offers, push_offers
from labilis.app.scribing import scribe_offers
from labilis.edit.placing import movable
from labilis.model import Copies, Project
from labilis.run.picking import (
    EdgeFooting,
    InnerCorner,
    ShapeView,
    copies_by,
    describe_edge,
    describe_face,
    edge_footing,
    footing,
    inner_corner,
)
from labilis.run.selections import Wider, size_words, wider

if TYPE_CHECKING:
    from labilis.results.findings import MeshFindings


@dataclass(frozen=True)
class PutOffers:
    """What can be put by what is picked. face, along, corner, between: whether a piece can stand on
    the face, a plate along the edge, a rib in the corner, a strut between the places; copies: words
    for the copies that it gives a piece, '' for none; names: pieces that can be moved or copied;
    own: the piece that is picked."""

    face: bool
    along: bool
    corner: bool
    between: bool
    copies: str
    names: tuple[str, ...]
    own: str

    @property
    def any(self) -> bool:
        """Whether anything can be put."""
        return self.face or self.along or self.between or bool(self.copies)


@dataclass(frozen=True)
class Pointing:
    """Faces or edges picked on a part. toward: the way (3,) from the part to whoever looks at it,
    which tells the sides of a sheet apart."""

    project: Project
    view: ShapeView
    selection: Selection
    toward: tuple[float, float, float] = (0.0, 0.0, 1.0)

    # --- names, sizes, offers
    # ----------------------------------------------------------------------------------------------
    def told(self) -> tuple[str, str]:
        """(name, size) in words: of one face or edge its own, of several how many there are."""
        if len(self.selection) > 1:
            name, size = size_words(self.view, self.selection).split(", ", 1)
            return name, size
        return described(self.view, self.selection[0])

    def measured(self) -> list[str]:
        """Lines about it."""
        from labilis.run.measure import measured  # brings the mesher along

        return measured(self.view, self.selection)

    def moved(self, mesh: MeshFindings, motion: np.ndarray) -> list[str]:
        """Lines about how it moves by a motion (n_nodes, 3) mm of a mesh."""
        from labilis.run.measure import measured_moved

        return measured_moved(self.view, self.selection, mesh, motion)

    def wider(self) -> list[Wider]:
        """What can be picked beside it."""
        return wider(self.view, self.selection)

    def offers(self) -> dict[str, list[Offer]]:
        """What fits it, by what is done: hold, push, join, scribe."""
        ways = {"hold": hold_offers, "push": push_offers}
        ways |= {"join": join_offers, "scribe": scribe_offers}
        return {
            name: call(self.view, self.selection) if self.selection else []
            for name, call in ways.items()
        }

    def put_offers(self) -> PutOffers:
        """What can be put by it."""
        names = tuple(movable(self.project))
        copies = self.copies() if names else None
        return PutOffers(
            face=self.footing() is not None,
            along=self.edge_footing() is not None,
            corner=self.inner_corner() is not None,
            between=self.two_places() is not None,
            copies="" if copies is None else copies[0],
            names=names,
            own=self.owner if self.selection else "",
        )

    # --- where other pieces can stand
    # ----------------------------------------------------------------------------------------------
    def _alone(self, of: str) -> int | None:
        """The one face or edge that is picked, None where something else is."""
        if len(self.selection) != 1 or self.selection[0][0] != of:
            return None
        return self.selection[0][1]

    def footing(self) -> tuple[np.ndarray, np.ndarray] | None:
        """(point, normal (3,)) of the skin of the plane face that is picked, on the side that is
        seen; None where something else is picked."""
        face = self._alone("face")
        return None if face is None else footing(self.view, face, self.toward)

    def edge_footing(self) -> EdgeFooting | None:
        """Where a plate can stand along the one straight edge that is picked, None where something
        else is."""
        edge = self._alone("edge")
        return None if edge is None else edge_footing(self.view, edge, self.toward)

    def copies(self) -> tuple[str, Copies] | None:
        """(words, copies) that the one face or edge that is picked gives a piece, if any."""
        return copies_by(self.view, *self.selection[0]) if len(self.selection) == 1 else None

    def inner_corner(self) -> InnerCorner | None:
        """The corner of the two plane faces that are picked, None where something else is."""
        if [of for of, _ in self.selection] != ["face", "face"]:
            return None
        (_, one), (_, two) = self.selection
        return inner_corner(self.view, one, two, self.toward)

    @property
    def owner(self) -> str:
        """The piece of the first face or edge that is picked."""
        body = self.view.body_of(*self.selection[0])
        return self.project.piece_of(str(self.view.bodies[body]))

    @property
    def owners(self) -> set[str]:
        """The pieces of all that is picked."""
        bodies = {self.view.body_of(*item) for item in self.selection}
        return {self.project.piece_of(str(self.view.bodies[body])) for body in bodies}

    def two_places(self) -> tuple[np.ndarray, np.ndarray] | None:
        """Middles (3,) of the two faces, edges or ends that are picked, in their order; None for
        any other number."""
        if len(self.selection) != 2:
            return None
        first, second = (
            (self.view.faces if of == "face" else self.view.edges).centroid[row]
            for of, row in self.selection
        )
        return first, second


def described(view: ShapeView, item: tuple[str, int]) -> tuple[str, str]:
    """(name, size) of a face or an edge in words."""
    return (describe_face if item[0] == "face" else describe_edge)(view, item[1])
