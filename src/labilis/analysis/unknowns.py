"""Numbers of all nodes that carry unknowns: places of the mesh, turns of its shell nodes, two
for every hub, and the warping of lines."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from labilis.mesh import Mesh

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class Numbering:
    """nodes: places of the mesh; turn_of (nodes,): a node's turn or -1; hubs: by name, (place,
    turn) of its point; places (total, 3) mm of all; place_of (total,): the node whose place each
    has. The last `warps` of them have the rate of twist of a line as their first motion and no
    others; warp_of: for each kind of cells of the mesh, those of the ends of its elements (m, 2),
    of lines only."""

    nodes: int
    turn_of: Ints
    hubs: dict[str, tuple[int, int]]
    places: Floats
    place_of: Ints
    warps: int = 0
    warp_of: tuple[Ints, ...] = ()

    @property
    def total(self) -> int:
        """All of them."""
        return len(self.places)

    @property
    def is_turn(self) -> NDArray[np.bool_]:
        """(total,): which are turns."""
        return np.asarray(
            (self.place_of != np.arange(self.total))
            & (np.arange(self.total) < self.total - self.warps)
        )

    @property
    def rates(self) -> Ints:
        """(w,): those whose first motion is a rate of twist."""
        return np.arange(self.total - self.warps, self.total)

    @property
    def is_place(self) -> NDArray[np.bool_]:
        """(total,): which are places, whose motions are displacements."""
        return np.asarray(self.place_of == np.arange(self.total))

    def resultant(self, nodes: Ints, values: Floats) -> Floats:
        """Force and moment (6,) about the origin of forces, or moments on turns, (k, 3) at nodes
        (k,)."""
        turn, place = self.is_turn[nodes], self.is_place[nodes]
        force = values[place]
        return np.concatenate(
            [
                force.sum(axis=0),
                np.cross(self.places[nodes[place]], force).sum(axis=0) + values[turn].sum(axis=0),
            ]
        )


def make_numbering(
    mesh: Mesh,
    hubs: Sequence[tuple[str, Floats]],
    warps: Ints | None = None,
    warp_of: Sequence[Ints] = (),
) -> Numbering:
    """Numbering of a mesh, of hubs (name, centre), and of warping at nodes `warps` (w,),
    numbered from nought in `warp_of`."""
    warps = np.zeros(0, dtype=np.int64) if warps is None else warps
    n, shells = len(mesh.nodes), mesh.turning_nodes
    start = n + len(shells)
    centres = np.array([centre for _, centre in hubs]).reshape(-1, 3)
    points = start + 2 * np.arange(len(hubs))
    place_of = np.concatenate([np.arange(n), shells, np.repeat(points, 2), warps]).astype(np.int64)
    last = start + 2 * len(hubs)
    return Numbering(
        n,
        mesh.turn_of,
        {name: (int(p), int(p) + 1) for (name, _), p in zip(hubs, points)},
        np.concatenate(
            [mesh.nodes, mesh.nodes[shells], np.repeat(centres, 2, axis=0), mesh.nodes[warps]]
        ),
        place_of,
        len(warps),
        tuple(last + numbers for numbers in warp_of),
    )
