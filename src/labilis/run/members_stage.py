"""What every piece carries as a member, from a strength run."""
from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from labilis.judge.findings import MemberFindings
from labilis.run.forces import LoadScene
from labilis.run.strength_stage import SolvedCase
from labilis.shape import PartShape

Floats = NDArray[np.float64]
_MIDDLE = 0.3  # of the length either side of the middle: ends spread what goes in there
_QUANTILE = 0.99  # of a piece's volume that lies under the compression named as its largest: corners are left out


def members_stage(scene: LoadScene, part: PartShape, solved: SolvedCase) -> MemberFindings:
    """Sections, walls and mean axial forces of all members of a part."""
    blocks = scene.system.blocks[:len(scene.block_bodies)]
    bodies = np.concatenate(scene.block_bodies)
    volume = np.concatenate([block.volume for block in blocks])
    stress = [np.concatenate([block.mean_stress(state) for block, state in zip(blocks, states)])
              for states in (solved.growing_states, solved.held_states)]
    middle = np.concatenate([scene.numbering.places[block.members].mean(axis=1) for block in blocks])
    rows = []
    for member in part.members:
        mine = np.isin(bodies, member.bodies)
        axis = member.axis
        inner = mine & (np.abs(middle @ axis - 0.5 * (middle[mine] @ axis).min() - 0.5 * (middle[mine] @ axis).max())
                        < _MIDDLE * member.length) if mine.any() else mine
        inner = inner if inner.any() else mine
        axial = [-float((_along(sigma[inner], axis) * volume[inner]).sum() / volume[inner].sum()) * member.mean_area for sigma in stress]
        peak = _peak(stress[0][mine], volume[mine])
        wall = member.wall
        rows.append((member.name, member.piece, axis, (member.length, member.area, member.i_min, member.i_max, member.fibre,
                                                       member.thickness, 0.0 if wall is None else wall.width,
                                                       0.0 if wall is None else wall.thickness, member.radius),
                     "" if wall is None else wall.edges, (*axial, peak)))
    sizes = np.array([row[3] for row in rows]).reshape(-1, 9)
    loads = np.array([row[5] for row in rows]).reshape(-1, 3)
    return MemberFindings(np.array([row[0] for row in rows], dtype=np.str_), np.array([row[1] for row in rows], dtype=np.str_),
                          np.array([row[2] for row in rows]).reshape(-1, 3), *sizes.T, np.array([row[4] for row in rows], dtype=np.str_),
                          loads[:, :2], loads[:, 2])


def _along(stress: Floats, axis: Floats) -> Floats:
    """Stress (m,) along a direction."""
    xx, yy, zz, xy, yz, zx = stress.T
    x, y, z = axis
    return np.asarray(xx * x * x + yy * y * y + zz * z * z + 2 * (xy * x * y + yz * y * z + zx * z * x))


def _peak(stress: Floats, volume: Floats) -> float:
    """Largest compression (MPa, positive) but for the last hundredth of the volume."""
    if len(stress) == 0:
        return 0.0
    xx, yy, zz, xy, yz, zx = stress.T
    least = np.linalg.eigvalsh(np.stack([np.stack([xx, xy, zx], -1), np.stack([xy, yy, yz], -1), np.stack([zx, yz, zz], -1)], -2))[:, 0]
    order = np.argsort(-least)
    reached = np.cumsum(volume[order]) / volume.sum()
    return max(-float(least[order][min(np.searchsorted(reached, _QUANTILE), len(order) - 1)]), 0.0)
