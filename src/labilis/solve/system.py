"""A mesh of any mix of elements with its materials and ties, ready for strength and modes: matrices
assembled on demand.

Unknowns come node by node, three each: first the places of all nodes, then the turns of those nodes
that have six motions."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import scipy.sparse.linalg  # noqa: F401  (makes sparse.linalg known)
from numpy.typing import NDArray
from scipy import sparse

from labilis.mechanics import assembly, loads
from labilis.mechanics.blocks import StiffBlock
from labilis.mechanics.reduction import Reduction
from labilis.mechanics.ties import Ties

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
States = list[Floats]


@dataclass(frozen=True)
class System:
    """nodes (n, 3) mm; blocks of elements; ties of all nodes, turns counted."""

    nodes: Floats
    blocks: tuple[StiffBlock, ...]
    ties: Ties

    @cached_property
    def pattern(self) -> assembly.Pattern:
        """Places of the element matrices in the global one."""
        return assembly.make_pattern(self.ties.n_nodes, *(block.members for block in self.blocks))

    @cached_property
    def stiffness(self) -> sparse.csr_matrix:
        """K_0 of the whole mesh (upper triangle), N/mm, N, N mm."""
        return assembly.assemble(
            self.pattern,
            (
                (number, rows, part)
                for number, block in enumerate(self.blocks)
                for rows, part in block.stiffness()
            ),
        )

    @cached_property
    def reduced_stiffness(self) -> sparse.csr_matrix:
        """Tᵀ K_0 T, upper triangle."""
        return self.reduction.matrix(self.stiffness, self.ties)

    @cached_property
    def reduction(self) -> Reduction:
        """Makes Tᵀ K T of matrices of the pattern."""
        return Reduction(self.pattern, self.ties)

    def plus(self, one: sparse.csr_matrix, other: sparse.csr_matrix) -> sparse.csr_matrix:
        """Sum of two upper triangles in reduced unknowns, the first of which was made here."""
        return self.reduction.plus(one, other)

    def local(self, u: Floats) -> list[Floats]:
        """Values (m, k, 3) of each block's nodes from u."""
        return [u.reshape(-1, 3)[block.members] for block in self.blocks]

    def places(self, u: Floats) -> Floats:
        """Displacements (n, 3) of the nodes from u, without turns."""
        return u[: 3 * len(self.nodes)].reshape(-1, 3)

    def stress(self, u: Floats) -> States:
        """State of each block in the linear solution u: stresses (m, g, 6) MPa of solids,
        resultants (m, g, 9) of shells."""
        return [block.linear(local) for block, local in zip(self.blocks, self.local(u))]

    def geometric(self, states: States, internal: Floats) -> sparse.csr_matrix:
        """Tᵀ K_G T with the ties' own part, upper triangle; `internal` is K u - f of the same
        linear solution."""
        k_g = assembly.assemble(
            self.pattern,
            (
                (number, rows, part)
                for number, (block, state) in enumerate(zip(self.blocks, states))
                for rows, part in block.geometric(state)
            ),
        )
        return self.reduction.matrix(k_g, self.ties, internal)

    def following(self, surfaces: Sequence[tuple[Ints, float]]) -> tuple[sparse.csr_matrix, float]:
        """Load stiffness of following pressures on surface triangles: (upper triangle of its
        symmetric part in reduced unknowns, size of what is not symmetric relative to it)."""
        size = 3 * self.ties.n_nodes
        whole = sparse.csr_matrix((size, size))
        for triangles, value in surfaces:
            blocks = loads.following_stiffness(self.nodes, triangles, value)
            dofs = (3 * triangles[:, :, None] + np.arange(3)).reshape(len(triangles), -1)
            rows = np.repeat(dofs, dofs.shape[1], axis=1).ravel()
            columns = np.tile(dofs, (1, dofs.shape[1])).ravel()
            whole = whole + sparse.csr_matrix((blocks.ravel(), (rows, columns)), shape=(size, size))
        even, odd = 0.5 * (whole + whole.T), 0.5 * (whole - whole.T)
        # what the supports hold is not there to be unsymmetric: judge on what the ties leave
        t = self.ties.matrix
        scale = sparse.linalg.norm(t.T @ even @ t)
        rest = float(sparse.linalg.norm(t.T @ odd @ t) / scale) if scale else 0.0
        return self.ties.reduce_matrix(sparse.csr_matrix(sparse.triu(even))), rest

    def path_derivative(self, q: Floats, internal: Floats) -> sparse.csr_matrix:
        """Derivative (upper triangle) of the reduced tangent along the straight path of the linear
        solution q (reduced): K_G and what the deflection before buckling changes, in elements and
        in turning hubs."""
        local = self.local(self.ties.expand(q))
        full = assembly.assemble(
            self.pattern,
            (
                (number, rows, part)
                for number, (block, values) in enumerate(zip(self.blocks, local))
                for rows, part in block.path_derivative(values)
            ),
        )
        reduced = self.reduction.matrix(full, self.ties, internal)
        if self.ties.hubs or self.ties.follows:
            turning = self.ties.reduce_turning(self.stiffness, q)
            reduced = self.reduction.plus(reduced, turning)
        return reduced

    def nodal_stress(self, states: States) -> Floats:
        """Stress (3, n, 6) MPa at the nodes, top, middle and bottom (alike in solids): extrapolated
        inside each element, averaged between elements by volume."""
        sums = np.zeros((3, len(self.nodes), 6))
        total = np.zeros(len(self.nodes))
        for block, state in zip(self.blocks, states):
            where, layers = block.corner_stress(state)
            weight = np.repeat(block.volume[: len(where), None], where.shape[1], axis=1).ravel()
            total += np.bincount(where.ravel(), weights=weight, minlength=len(total))
            for layer in range(3):
                values = layers[min(layer, len(layers) - 1)].reshape(-1, 6)
                for k in range(6):
                    sums[layer, :, k] += np.bincount(
                        where.ravel(), weights=weight * values[:, k], minlength=len(total)
                    )
        return sums / np.maximum(total, 1e-300)[None, :, None]

    def energy(self, u: Floats) -> Floats:
        """Strain energy (m, 5, c) of every element by `blocks.ENERGY_PARTS`, block after block,
        of motions u (3n, c)."""
        values = u.reshape(-1, 3, u.shape[-1])
        return np.concatenate([block.energy(values[block.members]) for block in self.blocks])

    def forces(self, states: States) -> Floats:
        """Nodal forces (3n,) that balance the states of all blocks, turns counted."""
        result = np.zeros((self.ties.n_nodes, 3))
        for block, state in zip(self.blocks, states):
            assembly.add_forces(block.members, block.forces(state), result)
        return result.ravel()

    def body_force(
        self, acceleration: Floats, members: Sequence[NDArray[np.bool_]] | None = None
    ) -> Floats:
        """Nodal forces (3n,) N of the mass under an acceleration (3,) mm/s², turns counted;
        `members` picks elements of each block."""
        result = np.zeros((self.ties.n_nodes, 3))
        for number, block in enumerate(self.blocks):
            force = block.body_force(acceleration)
            if members is not None and number < len(members):
                force = force * members[number][:, None, None]
            assembly.add_forces(block.members, force, result)
        return result.ravel()
