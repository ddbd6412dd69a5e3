"""How well shaped the elements are."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from labilis.mesh.mesh import TET_SIDES, Cells, Floats, Ints, Mesh


@dataclass(frozen=True)
class MeshQuality:
    """Figures of a mesh.

    shape (m,): 1 for an equal-sided tetrahedron or triangle and for a square, 0 for a flat one
    (tetrahedra: 72 √3 V over the cubed root mean square edge; shells: least sine of a corner over
    that of the ideal one); histogram (10,): elements per tenth of `shape`; worst (20 at most,):
    element numbers; mean_edge mm; volume mm³; across: elements through the thickness, thickness
    over mean edge.
    """

    shape: Floats
    histogram: Ints
    worst: Ints
    mean_edge: float
    volume: float
    across: float


def measure_quality(mesh: Mesh, thickness: float) -> MeshQuality:
    """Quality of the straight-sided elements; `thickness` mm is the body's wall
    (`ShapeView.thickness`)."""
    shapes, edges, volume = [], [], 0.0
    for cell in mesh.cells:
        form = (
            _lines
            if cell.line
            else _shells
            if cell.shell
            else _swept
            if cell.elements.shape[1] in (15, 20)
            else _solids
        )
        shape, length, amount = form(mesh.nodes, cell)
        shapes.append(shape)
        edges.append(length.ravel())
        volume += amount
    whole, mean_edge = np.concatenate(shapes), float(np.concatenate(edges).mean())
    histogram = np.histogram(whole, bins=10, range=(0.0, 1.0))[0]
    return MeshQuality(
        whole, histogram, np.argsort(whole)[:20], mean_edge, volume, float(thickness / mean_edge)
    )


def _solids(nodes: Floats, cell: Cells) -> tuple[Floats, Floats, float]:
    corner = nodes[cell.elements[:, :4]]
    edges = np.linalg.norm(corner[:, TET_SIDES[:, 0]] - corner[:, TET_SIDES[:, 1]], axis=2)
    volume = (
        np.einsum(
            "ij,ij->i",
            np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]),
            corner[:, 3] - corner[:, 0],
        )
        / 6.0
    )
    return (
        72.0 * np.sqrt(3.0) * volume / np.sum(edges**2, axis=1) ** 1.5,
        edges,
        float(volume.sum()),
    )


def _swept(nodes: Floats, cell: Cells) -> tuple[Floats, Floats, float]:
    """Hexahedra and wedges: the least sine of a corner of a cap, over that of the ideal one;
    layers are parallel."""
    n = 4 if cell.elements.shape[1] == 20 else 3
    low, high = nodes[cell.elements[:, :n]], nodes[cell.elements[:, n : 2 * n]]
    height = np.linalg.norm(high - low, axis=2).mean(axis=1)
    shape, edges, volume = _shells(nodes, Cells(cell.elements[:, :n], cell.body, height))
    return shape, np.concatenate([edges, height[:, None]], axis=1), volume


def _lines(nodes: Floats, cell: Cells) -> tuple[Floats, Floats, float]:
    """A line has no shape to be bad, and its volume is its section's affair."""
    ends = nodes[cell.elements]
    return np.ones(len(ends)), np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1), 0.0


def _shells(nodes: Floats, cell: Cells) -> tuple[Floats, Floats, float]:
    p = nodes[cell.elements]
    ahead, back = np.roll(p, -1, axis=1) - p, np.roll(p, 1, axis=1) - p
    edges = np.linalg.norm(ahead, axis=2)
    crossed = np.cross(ahead, back)
    normal = crossed.sum(axis=1)
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-300)
    sine = np.einsum("mkx,mx->mk", crossed, normal) / np.maximum(
        edges * np.roll(edges, 1, axis=1), 1e-300
    )
    ideal = 1.0 if cell.elements.shape[1] == 4 else np.sqrt(0.75)
    centre = p.mean(axis=1, keepdims=True)
    area = 0.5 * np.linalg.norm(np.cross(p - centre, np.roll(p, -1, axis=1) - centre), axis=2).sum(
        axis=1
    )
    assert cell.thickness is not None
    return np.minimum(sine.min(axis=1) / ideal, 1.0), edges, float((area * cell.thickness).sum())


def mean_wall(corners: Floats, about: Floats) -> float:
    """Twice the volume over the skin of a solid, mm: triangles (k, 3, 3) of its surface, turned
    outward; about: any point."""
    cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    volume = float(((corners.mean(axis=1) - about) * cross).sum()) / 6.0
    return 2.0 * abs(volume) / max(0.5 * float(np.linalg.norm(cross, axis=1).sum()), 1e-300)
