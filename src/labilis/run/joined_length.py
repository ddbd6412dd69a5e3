"""Over how much of its length a member is joined to others."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from labilis.mesh import Bonds, Mesh
from labilis.shape.members import Member

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
_BINS = 20
# of the length at either end: what is joined there are the member's ends
_END = 0.2


def joints_of(mesh: Mesh, bonds: Bonds) -> tuple[Ints, Ints]:
    """(nodes (k,), body (k,)) of every node that a body has in common with others, bonded ones
    and those that they are bonded to included; once for each body that has it."""
    nodes = np.concatenate(
        [np.zeros(0, dtype=np.int64), *(cell.elements.ravel() for cell in mesh.cells)]
    )
    body = np.concatenate(
        [
            np.zeros(0, dtype=np.int64),
            *(np.repeat(cell.body, cell.elements.shape[1]) for cell in mesh.cells),
        ]
    )
    pairs = np.unique(np.stack([nodes, body], axis=1), axis=0)
    uses = np.bincount(pairs[:, 0], minlength=len(mesh.nodes))
    shared = pairs[uses[pairs[:, 0]] > 1]
    carriers = mesh.triangles[bonds.triangle]
    return (
        np.concatenate([shared[:, 0], bonds.nodes, carriers.ravel()]),
        np.concatenate(
            [shared[:, 1], bonds.bodies[:, 0], np.repeat(bonds.bodies[:, 1], carriers.shape[1])]
        ),
    )


def joined_length(mesh: Mesh, joints: tuple[Ints, Ints], member: Member) -> float:
    """Part (0 to 1) of a member's length between its ends along which it is joined to others. A
    rail that meets a leg in some places is joined there only; a rib on its plate all along."""
    nodes, body = joints
    mine = np.concatenate(
        [
            np.zeros(0, dtype=np.int64),
            *(cell.elements[np.isin(cell.body, member.bodies)].ravel() for cell in mesh.cells),
        ]
    )
    if len(mine) == 0:
        return 0.0
    reach = mesh.nodes[np.unique(mine)] @ member.axis
    low, high = float(reach.min()), float(reach.max())
    at = mesh.nodes[nodes[np.isin(body, member.bodies)]] @ member.axis
    place = (at - low) / max(high - low, 1e-12)
    place = place[(place > _END) & (place < 1 - _END)]
    bins = np.unique((place * _BINS).astype(int))
    return float(len(bins)) / (_BINS * (1 - 2 * _END))
