"""Bolts: a spring of six motions between two rigid bores, at the plane where their pieces meet.

The bores' hubs stand at one place of the bolt, the planes beside it at arms r from there. The
relative motion of a plane is d = u_b - u_a + (θ_b - θ_a) × r and θ_b - θ_a; at large motions it is
taken in the frame that turns with the first bore, so that a bolt that moves as a rigid body has no
force.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from labilis.mechanics import shell
from labilis.mechanics.blocks import ENERGY_PARTS, Slices, WithoutSubstance
from labilis.mechanics.plastic import Memory
from labilis.mechanics.ties import cross_matrix

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class BoltBlock(WithoutSubstance):
    """members (m, 4): place and turn of one bore's hub, then of the other's; matrices (m, 6, 6):
    stiffness of place and turn at the plane, N/mm and N mm/rad; arms (m, 3) mm: from the hubs'
    place to the plane; name, of: what it stands for, kept for whoever made it."""

    members: Ints
    matrices: Floats
    arms: Floats
    name: str = ""
    of: Any = None

    @cached_property
    def relative(self) -> Floats:
        """(m, 6, 12): relative motion at the plane from the members' motions."""
        return _relative(self.arms, self.arms)

    def stiffness(self) -> Slices:
        """Bᵀ K B."""
        yield (
            slice(0, len(self.members)),
            np.swapaxes(self.relative, 1, 2) @ self.matrices @ self.relative,
        )

    def linear(self, local: Floats) -> Floats:
        """(m, 2, 3): force N and moment N mm at the plane that act on the second bore against
        the motion."""
        flat = local.reshape(len(self.members), 12, 1)
        return np.asarray((self.matrices @ (self.relative @ flat))[..., 0].reshape(-1, 2, 3))

    def forces(self, state: Floats) -> Floats:
        """(m, 4, 3) of force and moment at the plane."""
        return np.asarray(
            (np.swapaxes(self.relative, 1, 2) @ state.reshape(-1, 6, 1)).reshape(-1, 4, 3)
        )

    def second_state(self, local: Floats) -> Floats:
        """Nothing of second order."""
        return np.zeros((len(self.members), 2, 3))

    def deformed(
        self,
        motion: Floats,
        rotation: Floats,
        tangent: bool,
        memory: Memory | None = None,
        free: Floats | None = None,
    ) -> Iterator[tuple[slice, Floats, Floats | None, Floats]]:
        """At large motions (n, 3) and rotations (n, 3, 3), in the frame of the first bore. In the
        tangent what goes with force times relative motion is left out: it is to the rest as that
        motion to the part."""
        count = len(self.members)
        frame, other = rotation[self.members[:, 1]], rotation[self.members[:, 3]]
        one, two = (np.einsum("mij,mj->mi", turned, self.arms) for turned in (frame, other))
        step = motion[self.members[:, 2]] - motion[self.members[:, 0]] + two - one
        back = np.swapaxes(frame, 1, 2)
        turn = shell.logarithm(back @ other)
        inside = np.concatenate([np.einsum("mij,mj->mi", back, step), turn], axis=1)
        pushed = np.einsum("mij,mj->mi", self.matrices, inside)
        force, moment = (
            np.einsum("mij,mj->mi", frame, part) for part in (pushed[:, :3], pushed[:, 3:])
        )
        nodal = np.stack(
            [-force, -np.cross(one + step, force) - moment, force, np.cross(two, force) + moment],
            axis=1,
        )
        matrix = None
        if tangent:
            big = np.zeros((count, 6, 6))
            big[:, :3, :3], big[:, 3:, 3:] = frame, frame
            now = _relative(one + step, two)
            matrix = np.swapaxes(now, 1, 2) @ (big @ self.matrices @ np.swapaxes(big, 1, 2)) @ now
        yield slice(0, count), nodal, matrix, np.zeros(count)

    def work(self, state: Floats, local: Floats) -> float:
        """Force times relative motion, N mm."""
        flat = self.relative @ local.reshape(len(self.members), 12, 1)
        return float((state.reshape(-1, 6) * flat[..., 0]).sum())

    def thermal(self, growth: Floats) -> Floats:
        """Bolts grow as what they hold."""
        return np.zeros((len(self.members), 2, 3))

    def energy(self, local: Floats) -> Floats:
        """(m, 5, c), all of it counted as bulk."""
        count = len(self.members)
        inside = self.relative @ local.reshape(count, 12, -1)
        parts = np.zeros((count, len(ENERGY_PARTS), inside.shape[-1]))
        parts[:, 0] = 0.5 * np.einsum("mic,mij,mjc->mc", inside, self.matrices, inside)
        return parts


def _relative(one: Floats, two: Floats) -> Floats:
    """(m, 6, 12): motion of the second side, at arm `two` (m, 3) from its hub, against the
    first, at arm `one`."""
    found = np.zeros((len(one), 6, 12))
    found[:, :3, 0:3], found[:, :3, 6:9] = -np.eye(3), np.eye(3)
    found[:, :3, 3:6], found[:, :3, 9:12] = cross_matrix(one), -cross_matrix(two)
    found[:, 3:, 3:6], found[:, 3:, 9:12] = -np.eye(3), np.eye(3)
    return found
