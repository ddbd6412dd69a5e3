"""What a mode is: the member as a whole bowing, swaying or twisting, or its walls bending.

Method: the part is sliced along its longest direction; in each slice the rigid motion that fits
best is taken off. What is left is distortion of the section. Under 15 % of the motion (root mean
square) the mode is a member mode, named by what the rigid part does; above it the section changes
shape: a plate mode, of a part that is one flat wall; where flat walls stand at angles, or the wall
is a tube's, it is a mode of local walls.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
_SLICES = 16  # at most
_DISTORTED = 0.15  # of the motion, from which a section changes shape


def kind_of_mode(nodes: Floats, shape: Floats, axis: Floats) -> tuple[str, float]:
    """('member bow', 'member sway', 'torsion' or 'plate', share of the motion that distorts the
    section, root mean square) for a mode shape (n, 3) on nodes (n, 3)."""
    along = nodes @ axis
    slices = int(
        np.clip(len(nodes) // 14, 3, _SLICES)
    )  # of a coarse mesh fewer, so that each has nodes enough
    edges = np.linspace(along.min(), along.max() + 1e-9, slices + 1)
    bins = np.clip(np.digitize(along, edges) - 1, 0, slices - 1)
    distortion = total = twisting = 0.0
    means = np.full((slices, 3), np.nan)
    for index in range(slices):
        members = bins == index
        if members.sum() < 7:
            continue
        arms = nodes[members] - nodes[members].mean(axis=0)
        motion = shape[members]
        x, y, z = arms.T
        zero, one = np.zeros_like(x), np.ones_like(x)
        basis = np.stack(
            [
                np.stack([one, zero, zero, zero, z, -y], 1),
                np.stack([zero, one, zero, -z, zero, x], 1),
                np.stack([zero, zero, one, y, -x, zero], 1),
            ],
            axis=1,
        ).reshape(-1, 6)
        fit, *_ = np.linalg.lstsq(basis, motion.ravel(), rcond=None)
        left = motion.ravel() - basis @ fit
        turn = np.cross(np.broadcast_to((fit[3:] @ axis) * axis, arms.shape), arms)
        distortion += float(left @ left)
        twisting += float((turn**2).sum())
        total += float((motion**2).sum())
        means[index] = fit[:3] - (fit[:3] @ axis) * axis
    distorted = float(np.sqrt(distortion / total)) if total > 0.0 else 1.0
    if distorted > _DISTORTED:
        return "plate", distorted
    if twisting > 0.5 * total:
        return "torsion", distorted
    return _bow_or_sway(np.linalg.norm(means[np.isfinite(means[:, 0])], axis=1)), distorted


def is_one_wall(direction: Floats, area: Floats, curved: Floats) -> bool:
    """Whether the faces of a body make one flat wall: direction (n, 3) of its plane faces, their
    area (n,), and the area (m,) of its curved ones. Two skins of a plate look the same way but for
    the sign; a wall counts from a seventh of the area on."""
    if float(curved.sum()) > 0.5 * float(curved.sum() + area.sum()):
        return False
    ways: list[list[Any]] = []
    for vector, size in zip(direction, area):
        for way in ways:
            if abs(float(way[0] @ vector)) > 0.9:
                way[1] += float(size)
                break
        else:
            ways.append([vector, float(size)])
    return sum(size > area.sum() / 7 for _, size in ways) < 2


def kind_of_line(nodes: Floats, shape: Floats, axis: Floats, twist: float) -> str:
    """'member bow', 'member sway' or 'torsion' for nodes (n, 3) along a line; `twist` is the
    share of the energy that is torsion."""
    if twist > 0.5:
        return "torsion"
    order = np.argsort(nodes @ axis)
    return _bow_or_sway(np.linalg.norm(shape - (shape @ axis)[:, None] * axis, axis=1)[order])


def _bow_or_sway(size: Floats) -> str:
    return "member sway" if max(size[0], size[-1]) > 0.9 * size.max() else "member bow"
