"""The longest direction of a part, also where its second moments know none: a square, a disc, a
cube."""

from __future__ import annotations

import numpy as np
from scipy.spatial import ConvexHull, QhullError

from labilis.shape.face_tables import Floats, Ints

# of the largest second moment, by which others count as large: below it the principal axes are a
# matter of rounding
_ALIKE = 1e-3
_TIE = 2e-3  # of a reach, within which others are as long: arcs come as chords


def longest_direction(second: Floats, points: Floats) -> Floats:
    """(3,) unit vector of second moments (3, 3) of a part about its middle (∫ x xᵀ) and points (n,
    3) of its border: the principal axis of the largest; where several are alike the direction
    square to a side in which it reaches furthest, of such ones the nearest to x, y, z in that
    order. Its largest component is positive."""
    values, vectors = np.linalg.eigh(second)
    alike = vectors[:, values > (1.0 - _ALIKE) * values[-1]]
    found = vectors[:, -1] if alike.shape[1] == 1 else _square_to_a_side(alike, points)
    return found * (1.0 if found[np.argmax(np.abs(found))] > 0 else -1.0)


def longest_of_lines(points: Floats, offsets: Ints) -> Floats:
    """The same of polylines alone: points (n, 3), offsets (k + 1,). Of a stub that is wider than
    long it is along it, where its skin would say across."""
    inner = np.ones(max(len(points) - 1, 0), dtype=bool)
    inner[offsets[1:-1] - 1] = False
    one, two = points[:-1][inner], points[1:][inner]
    length = np.linalg.norm(two - one, axis=1)
    middle = 0.5 * (one + two)
    off = middle - length @ middle / length.sum()
    second = np.einsum("k,ki,kj->ij", length, off, off)
    second += np.einsum("k,ki,kj->ij", length / 12.0, two - one, two - one)
    return longest_direction(second, points)


def _square_to_a_side(alike: Floats, points: Floats) -> Floats:
    flat = points @ alike
    try:
        normals = ConvexHull(flat).equations[:, :-1]
    except (QhullError, ValueError):  # nothing between them
        return np.asarray(alike[:, -1])
    reach = np.ptp(flat @ normals.T, axis=0)
    near = normals[reach > (1.0 - _TIE) * reach.max()] @ alike.T
    towards = np.round(np.abs(near), 9)
    return np.asarray(near[np.lexsort((towards[:, 2], towards[:, 1], towards[:, 0]))[-1]])
