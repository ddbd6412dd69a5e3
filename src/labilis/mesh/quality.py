"""How well shaped the elements are."""
from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from labilis.mesh.mesh import TET_SIDES, Floats, Ints, Mesh


@dataclass(frozen=True)
class MeshQuality:
    """Figures of a mesh.

    shape (m,): 1 for an equal-sided tetrahedron, 0 for a flat one (72 √3 V over the cubed root mean square edge);
    histogram (10,): elements per tenth of `shape`; worst (20 at most,): element numbers; mean_edge mm; volume mm³;
    across: elements through the thickness, thickness over mean edge.
    """

    shape: Floats
    histogram: Ints
    worst: Ints
    mean_edge: float
    volume: float
    across: float


def measure_quality(mesh: Mesh, thickness: float) -> MeshQuality:
    """Quality of the straight-sided elements; `thickness` mm is the body's wall (`ShapeView.thickness`)."""
    corner = mesh.nodes[mesh.elements[:, :4]]
    edges = np.linalg.norm(corner[:, TET_SIDES[:, 0]] - corner[:, TET_SIDES[:, 1]], axis=2)
    volume = np.einsum("ij,ij->i", np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]),
                       corner[:, 3] - corner[:, 0]) / 6.0
    shape = 72.0 * np.sqrt(3.0) * volume / np.sum(edges**2, axis=1) ** 1.5
    histogram = np.histogram(shape, bins=10, range=(0.0, 1.0))[0]
    return MeshQuality(shape, histogram, np.argsort(shape)[:20], float(edges.mean()), float(volume.sum()),
                       float(thickness / edges.mean()))
