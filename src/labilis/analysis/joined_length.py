"""Over how much of its length a member is joined to others."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from labilis.mesh import Bonds, Mesh
from labilis.shape.members import Member

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
_MOST = 12  # stretches between the ends that are looked at
# of the length at either end: what is joined there are the member's ends
_END = 0.2


def uses_of(mesh: Mesh) -> Ints:
    """(k, 2): nodes and the bodies that have them, each pair once."""
    pairs = [
        np.stack([cell.elements.ravel(), np.repeat(cell.body, cell.elements.shape[1])], axis=1)
        for cell in mesh.cells
    ]
    return np.unique(np.concatenate([np.zeros((0, 2), dtype=np.int64), *pairs]), axis=0)


def joined_length(mesh: Mesh, bonds: Bonds, uses: Ints, member: Member) -> float:
    """Part (0 to 1) of a member's length between its ends along which it is joined to others: by
    nodes that both have, or by bonds. `uses`: of `uses_of`. A rail that meets a leg in some places
    is joined there only; a rib on its plate all along. Stretches are as long as an element or more,
    so that a coarse mesh tells the same."""
    own = np.isin(uses[:, 1], member.bodies)
    mine = np.unique(uses[own, 0])
    if len(mine) == 0:
        return 0.0
    inside = np.isin(bonds.bodies, member.bodies)
    tied, carrying = inside[:, 0] & ~inside[:, 1], inside[:, 1] & ~inside[:, 0]
    joints = np.concatenate(
        [
            np.intersect1d(mine, uses[~own, 0]),
            bonds.nodes[tied],
            mesh.triangles[bonds.triangle[carrying]].ravel(),
        ]
    )
    reach = mesh.nodes[mine] @ member.axis
    low, length = float(reach.min()), max(float(np.ptp(reach)), 1e-12)
    sides = [
        np.ptp(mesh.nodes[cell.elements[np.isin(cell.body, member.bodies)]] @ member.axis, axis=1)
        for cell in mesh.cells
    ]
    side = max(float(np.median(np.concatenate(sides))), 1e-12)
    stretches = int(np.clip((1 - 2 * _END) * length / side, 2, _MOST))
    place = ((mesh.nodes[joints] @ member.axis - low) / length - _END) / (1 - 2 * _END)
    joined = np.unique((place[(place > 0) & (place < 1)] * stretches).astype(int))
    return len(joined) / stretches
