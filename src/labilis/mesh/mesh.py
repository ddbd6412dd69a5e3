"""The mesh as plain arrays."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class Cells:
    """Like elements: elements (m, k) node numbers; body (m,): the body each belongs to; thickness
    (m,) mm of shells, None for solids."""

    elements: Ints
    body: Ints
    thickness: Floats | None = None

    @property
    def shell(self) -> bool:
        """Shells of three or four nodes."""
        return self.thickness is not None

    @property
    def line(self) -> bool:
        """Line elements of two nodes."""
        return self.elements.shape[1] == 2


@dataclass(frozen=True)
class Mesh:
    """Elements of one or several bodies.

    nodes (n, 3) mm; cells: blocks of like elements; tetrahedra have corners, then mid-sides of
    corner pairs 01 12 02 03 13 23; triangles (k, 3) or (k, 6) of solids' surfaces, turned outward,
    and of shells (quadrilaterals cut in two): corners, then mid-sides 01 12 20 (-1 where a triangle
    has none); triangle_face (k,) the CAD face each lies on; segments (s, 2) or (s, 3) along
    CAD edges: ends, then mid-side; segment_edge (s,); quads (q, 8): sides of hexahedra and wedges
    on the surface, corners, then mid-sides, outward; quad_face (q,); of_quad (k,): the
    quadrilateral a triangle is cut from, -1 for none; straightened: number of elements whose curved
    sides had to be made straight again to keep a positive volume; told: what was done another way
    than asked."""

    nodes: Floats
    cells: tuple[Cells, ...]
    triangles: Ints
    triangle_face: Ints
    segments: Ints
    segment_edge: Ints
    straightened: int = 0
    quads: Ints = field(default_factory=lambda: np.zeros((0, 8), dtype=np.int64))
    quad_face: Ints = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    of_quad: Ints | None = None
    told: tuple[str, ...] = ()

    @property
    def elements(self) -> Ints:
        """Elements of a mesh that has one kind only."""
        if len(self.cells) != 1:
            raise ValueError("this mesh mixes elements")
        return self.cells[0].elements

    @property
    def count(self) -> int:
        """Number of elements."""
        return sum(len(cell.elements) for cell in self.cells)

    @property
    def order(self) -> int:
        """1 if there are solids of four nodes, otherwise 2."""
        return (
            1 if any(not cell.shell and cell.elements.shape[1] == 4 for cell in self.cells) else 2
        )

    @cached_property
    def turning_nodes(self) -> Ints:
        """Nodes with six motions, of shells and lines, sorted."""
        parts = [cell.elements.ravel() for cell in self.cells if cell.shell or cell.line]
        return np.unique(np.concatenate(parts)) if parts else np.zeros(0, dtype=np.int64)

    @cached_property
    def turn_of(self) -> Ints:
        """(n,): number of the node that is a shell's or line's node's turn (after all nodes), -1
        for nodes of solids only."""
        turns = np.full(len(self.nodes), -1, dtype=np.int64)
        turns[self.turning_nodes] = len(self.nodes) + np.arange(len(self.turning_nodes))
        return turns

    def skin(self, faces: Ints) -> list[Ints]:
        """Surface cells of these CAD faces, by kind: triangles (k, 3) or (k, 6), quadrilaterals
        (k, 8); none that is cut from another."""
        chosen = np.isin(self.triangle_face, faces)
        if self.of_quad is not None:
            chosen &= self.of_quad < 0
        triangles, quads = (
            _plain(self.triangles[chosen]),
            self.quads[np.isin(self.quad_face, faces)],
        )
        return [cells for cells in (triangles, quads) if len(cells)]

    def edge_segments(self, edges: Ints) -> Ints:
        """Segments of these CAD edges, (k, 2) or (k, 3)."""
        return _plain(self.segments[np.isin(self.segment_edge, edges)])

    def region_nodes(self, faces: Ints, edges: Ints) -> Ints:
        """Numbers of the nodes on these CAD faces and edges, sorted."""
        on_faces, on_edges = (
            self.triangles[np.isin(self.triangle_face, faces)].ravel(),
            self.edge_segments(edges).ravel(),
        )
        return np.unique(np.concatenate([on_faces[on_faces >= 0], on_edges]))


def _plain(cells: Ints) -> Ints:
    """Triangles or segments without the columns of mid-sides when one of them has none."""
    if cells.shape[1] in (6, 3) and len(cells) and cells.min() < 0:
        return cells[:, : cells.shape[1] // 2 if cells.shape[1] == 6 else 2]
    return cells


# mid-side node -> its two corners, in the order of the element's nodes 4 to 9
TET_SIDES = np.array([[0, 1], [1, 2], [0, 2], [0, 3], [1, 3], [2, 3]])
TRIANGLE_SIDES = np.array([[0, 1], [1, 2], [2, 0]])
# a quadrilateral of eight nodes (corners, then mid-sides 01 12 23 30) as six triangles
QUAD_CUTS = np.array([[0, 4, 7], [4, 1, 5], [5, 2, 6], [6, 3, 7], [4, 5, 6], [4, 6, 7]])


def packed(triangles: Ints, stride: int) -> Ints:
    """(k,) one number for each triangle (k, 3) of node numbers under `stride`, whichever corner
    comes first."""
    low = np.sort(triangles, axis=1).astype(np.int64)
    return np.asarray((low[:, 0] * stride + low[:, 1]) * stride + low[:, 2])
