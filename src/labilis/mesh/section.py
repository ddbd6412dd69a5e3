"""Triangles over the section of a strut."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

import numpy as np

from labilis.mesh.mesh import Floats, Ints
from labilis.mesh.planar import mesh_loops

_ACROSS = 3.0  # elements across the mean wall
_MOST = 6000  # elements, about


def _even(step: float, at: Floats) -> Floats:
    return np.full(len(at), step)


def mesh_section(outlines: Sequence[Sequence[Floats]]) -> tuple[Floats, Ints]:
    """(points (n, 2) mm, triangles (m, 3)) over parts, each given by its closed paths, the outer
    one first and counter-clockwise or not."""
    points, triangles, total = [], [], 0
    for paths in outlines:
        turned = [
            path if (_area(path) > 0) == (number == 0) else path[::-1]
            for number, path in enumerate(paths)
        ]
        area = sum(_area(path) for path in turned)
        around = sum(
            float(np.linalg.norm(np.roll(path, -1, axis=0) - path, axis=1).sum()) for path in turned
        )
        step = max(2.0 * area / around / _ACROSS, float(np.sqrt(area / _MOST)))
        places, quads, rest = mesh_loops(
            [_divided(path, step) for path in turned], partial(_even, step)
        )
        points.append(places)
        triangles += [quads[:, [0, 1, 2]] + total, quads[:, [0, 2, 3]] + total, rest + total]
        total += len(places)
    return np.concatenate(points), np.concatenate(triangles).astype(np.int64)


def _area(path: Floats) -> float:
    after = np.roll(path, -1, axis=0)
    return float(0.5 * (path[:, 0] * after[:, 1] - path[:, 1] * after[:, 0]).sum())


def _divided(path: Floats, step: float) -> Floats:
    """A closed path with its long sides divided."""
    parts = []
    for start, end in zip(path, np.roll(path, -1, axis=0)):
        count = max(1, int(np.ceil(np.linalg.norm(end - start) / step - 0.1)))
        parts.append(start + (end - start) * (np.arange(count) / count)[:, None])
    return np.concatenate(parts)
