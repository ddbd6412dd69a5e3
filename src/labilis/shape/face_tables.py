"""Plain arrays that describe a body's faces, edges and triangulation. All lengths in mm."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class FaceTable:
    """One row per face.

    kind (n,) text: plane, cylinder, cone, sphere, torus, other; area (n,) mm²; centroid (n, 3) mm;
    direction (n, 3): outward normal of a plane, axis of a body of revolution, else zeros;
    origin (n, 3) mm: a point on that axis or plane; radius (n,) mm, nan where there is none (the
    larger one of a torus); second (n,): small radius of a torus, half angle of a cone in rad, else
    nan; inner (n,): True for bores; name (n,): names that recipes gave, several joined by '|', ''
    for imported ones; body (n,): number in `ShapeView.bodies`; thickness (n,) mm of a sheet at its
    centroid, 0 for the skin of a solid; slope (n, 3): how it changes, mm per mm."""

    kind: NDArray[np.str_]
    area: Floats
    centroid: Floats
    direction: Floats
    origin: Floats
    radius: Floats
    second: Floats
    inner: NDArray[np.bool_]
    name: NDArray[np.str_]
    body: Ints
    thickness: Floats
    slope: Floats

    def __len__(self) -> int:
        return len(self.kind)


@dataclass(frozen=True)
class EdgeTable:
    """One row per edge, seams and points left out.

    kind (n,) text: line, circle, other, point (an end of a line piece, without length); length (n,)
    mm; centroid (n, 3) mm; direction (n, 3): run of a line, axis of a circle; radius (n,) mm or
    nan; faces (n, 2): two faces beside it (-1 where there is only one); name (n,) as for faces.
    """

    kind: NDArray[np.str_]
    length: Floats
    centroid: Floats
    direction: Floats
    radius: Floats
    faces: Ints
    name: NDArray[np.str_]

    def __len__(self) -> int:
        return len(self.kind)


@dataclass(frozen=True)
class Tessellation:
    """Triangles of a body: points (n, 3) mm, triangles (m, 3) turned outward, face (m,) the face
    each lies on.

    Edges as polylines: edge_points (k, 3), edge_offsets (n_edges + 1,).
    """

    points: Floats
    triangles: Ints
    face: Ints
    edge_points: Floats
    edge_offsets: Ints

    def edge(self, index: int) -> Floats:
        """Polyline (k, 3) of an edge."""
        return self.edge_points[self.edge_offsets[index] : self.edge_offsets[index + 1]]


@dataclass(frozen=True)
class Whole:
    """Faces and edges as they were before scribes divided them: faces, edges; face_of (n_faces,)
    and edge_of (n_edges,): the row that each present face or edge is part of, -1 for edges that
    were scribed."""

    faces: FaceTable
    edges: EdgeTable
    face_of: Ints
    edge_of: Ints


@dataclass(frozen=True)
class Ancestry:
    """Faces and edges of imported solids that are sheets now: the solids' faces and edges one after
    the other, and what they have become. skin (k, 3): face of a solid, sheet that stands for it,
    and 1 where both look the same way, else -1; rim (k, 2): face of a solid through its thickness,
    edge of a sheet; ridge (k, 2): edge of a solid, edge of a sheet."""

    faces: FaceTable
    edges: EdgeTable
    skin: Ints
    rim: Ints
    ridge: Ints


@dataclass(frozen=True)
class ShapeView:
    """Everything the window and the judge need of a body.

    volume mm³; centroid (3,) mm; long_axis (3,) unit vector of the longest direction; extents (3,
    2): least and greatest coordinate in x, y, z, mm; thickness mm: twice volume over area, the wall
    of a thin body, or the mean one of sheets; bodies (b,): names of the pieces' bodies;
    ghost_points (k, 3) mm, ghost_triangles (m, 3): pieces set aside, to be looked at only; ghost_of
    (m,): row in ghost_names (g,), the piece each triangle belongs to ('' for the shape that a line
    stands for);
    whole: what there was before scribes divided it, None without scribes; ancestry: the imported
    solids that sheets were made from; volumes (b,) mm³: of each body; of sheets that of the solid
    they stand for, where there is one.
    """

    faces: FaceTable
    edges: EdgeTable
    tessellation: Tessellation
    volume: float
    centroid: Floats
    long_axis: Floats
    extents: Floats
    thickness: float
    bodies: NDArray[np.str_]
    ghost_points: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    ghost_triangles: Ints = field(default_factory=lambda: np.zeros((0, 3), dtype=np.int64))
    ghost_of: Ints = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    ghost_names: NDArray[np.str_] = field(default_factory=lambda: np.zeros(0, dtype="U1"))
    whole: Whole | None = None
    ancestry: Ancestry | None = None
    volumes: Floats = field(default_factory=lambda: np.zeros(0))

    @property
    def sheet(self) -> NDArray[np.bool_]:
        """(n_faces,): which faces are sheets."""
        return np.asarray(self.faces.thickness > 0)

    @property
    def turns(self) -> bool:
        """Whether anything has turns of its own to be held: sheets and lines."""
        return bool(self.sheet.any() or (self.edges.kind == "point").any())

    def body_of(self, of: str, index: int) -> int:
        """Number of the body that a face or an edge belongs to; of an edge between bodies the
        first."""
        if of == "face":
            return int(self.faces.body[index])
        face = int(self.edges.faces[index, 0])
        if face >= 0:
            return int(self.faces.body[face])
        return int(np.flatnonzero(self.bodies == str(self.edges.name[index]).split("/")[0])[0])

    @property
    def size(self) -> float:
        """Diagonal of the bounding box, mm."""
        return float(np.linalg.norm(self.extents[:, 1] - self.extents[:, 0]))

    @property
    def length(self) -> float:
        """Extent along the longest direction, mm."""
        lower, upper = self.reach
        return upper - lower

    @property
    def reach(self) -> tuple[float, float]:
        """Least and greatest coordinate along the longest direction, mm."""
        along = (
            np.concatenate([self.tessellation.points, self.tessellation.edge_points])
            @ self.long_axis
        )
        return float(along.min()), float(along.max())
