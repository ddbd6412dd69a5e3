"""The mesh as plain arrays."""
from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class Mesh:
    """Tetrahedra of one body.

    nodes (n, 3) mm; elements (m, 4) or (m, 10): corners, then mid-sides of corner pairs 01 12 02 03 13 23;
    triangles (k, 3) or (k, 6) on the surface, turned outward: corners, then mid-sides 01 12 20; triangle_face (k,) the
    CAD face each lies on; segments (s, 2) or (s, 3) along CAD edges: ends, then mid-side; segment_edge (s,);
    straightened: number of elements whose curved sides had to be made straight again to keep a positive volume.
    """

    nodes: Floats
    elements: Ints
    triangles: Ints
    triangle_face: Ints
    segments: Ints
    segment_edge: Ints
    straightened: int = 0

    @property
    def order(self) -> int:
        """1 for straight-sided elements of four nodes, 2 for ten nodes."""
        return 1 if self.elements.shape[1] == 4 else 2

    def face_triangles(self, faces: Ints) -> Ints:
        """Surface triangles of these CAD faces, (k, 3) or (k, 6)."""
        return self.triangles[np.isin(self.triangle_face, faces)]

    def edge_segments(self, edges: Ints) -> Ints:
        """Segments of these CAD edges, (k, 2) or (k, 3)."""
        return self.segments[np.isin(self.segment_edge, edges)]

    def region_nodes(self, faces: Ints, edges: Ints) -> Ints:
        """Numbers of the nodes on these CAD faces and edges, sorted."""
        return np.unique(np.concatenate([self.face_triangles(faces).ravel(), self.edge_segments(edges).ravel()]))


# mid-side node -> its two corners, in the order of the element's nodes 4 to 9
TET_SIDES = np.array([[0, 1], [1, 2], [0, 2], [0, 3], [1, 3], [2, 3]])
TRIANGLE_SIDES = np.array([[0, 1], [1, 2], [2, 0]])
