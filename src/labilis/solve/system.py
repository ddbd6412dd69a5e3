"""One mesh with its material and ties, ready for strength and modes: matrices assembled on demand."""
from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import scipy.sparse.linalg  # noqa: F401  (makes sparse.linalg known)
from numpy.typing import NDArray
from scipy import sparse

from labilis.mechanics import assembly, loads, solid
from labilis.mechanics.families import family
from labilis.mechanics.ties import Ties

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class System:
    """nodes (n, 3) mm; elements (m, 4, 10, 15 or 20); elasticity (6, 6) MPa; ties."""

    nodes: Floats
    elements: Ints
    elasticity: Floats
    ties: Ties

    @cached_property
    def geometry(self) -> solid.SolidGeometry:
        """Gradients at the quadrature points."""
        return solid.geometry(self.nodes, self.elements)

    @cached_property
    def pattern(self) -> assembly.Pattern:
        """Places of the element matrices in the global one."""
        return assembly.make_pattern(len(self.nodes), self.elements)

    @cached_property
    def stiffness(self) -> sparse.csr_matrix:
        """K_0 of the whole mesh (3n square, upper triangle), N/mm."""
        g = self.geometry
        return assembly.assemble(self.pattern, (
            (rows, solid.stiffness(g.gradient[rows], g.weight[rows], self.elasticity))
            for rows in solid.chunks(len(self.elements))))

    @cached_property
    def reduced_stiffness(self) -> sparse.csr_matrix:
        """Tᵀ K_0 T, upper triangle."""
        return self.ties.reduce_matrix(self.stiffness)

    def element_values(self, u: Floats) -> Floats:
        """Displacements (m, k, 3) of the elements' nodes from u (3n,)."""
        return u.reshape(-1, 3)[self.elements]

    def stress(self, u: Floats) -> Floats:
        """Stress (m, g, 6) MPa of the linear solution u (3n,) mm."""
        g, local = self.geometry, self.element_values(u)
        return np.concatenate([solid.linear_stress(g.gradient[rows], local[rows], self.elasticity)
                               for rows in solid.chunks(len(self.elements))])

    def _geometric_parts(self, stress: Floats) -> Iterator[tuple[slice, Floats]]:
        g = self.geometry
        for rows in solid.chunks(len(self.elements)):
            yield rows, solid.geometric_block(g.gradient[rows], g.weight[rows], stress[rows])

    def geometric(self, stress: Floats, internal: Floats) -> sparse.csr_matrix:
        """Tᵀ K_G T with the hubs' own part, upper triangle; `internal` (3n,) is K u - f of the same linear solution."""
        k_g = assembly.assemble_scalar(self.pattern, self._geometric_parts(stress))
        reduced = self.ties.reduce_matrix(k_g)
        return sparse.csr_matrix(reduced + self.ties.hub_geometric(internal)) if self.ties.hubs else reduced

    def following(self, surfaces: Sequence[tuple[Ints, float]]) -> tuple[sparse.csr_matrix, float]:
        """Load stiffness of following pressures on surface triangles: (upper triangle of its symmetric part in reduced
        unknowns, size of what is not symmetric relative to it)."""
        size = 3 * len(self.nodes)
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
        """Derivative (upper triangle) of the reduced tangent along the straight path of the linear solution q (reduced):
        K_G and what the deflection before buckling changes, in elements and in turning hubs."""
        u = self.ties.expand(q)
        g, local = self.geometry, self.element_values(u)
        full = assembly.assemble(self.pattern, (
            (rows, solid.path_derivative(g.gradient[rows], g.weight[rows], local[rows], self.elasticity))
            for rows in solid.chunks(len(self.elements))))
        reduced = self.ties.reduce_matrix(full)
        if not self.ties.hubs:
            return reduced
        return sparse.csr_matrix(reduced + self.ties.reduce_turning(self.stiffness, q) + self.ties.hub_geometric(internal))

    def nodal_stress(self, stress: Floats) -> Floats:
        """Stress (n, 6) MPa at nodes: extrapolated inside each element, averaged between elements by volume."""
        carried = np.einsum("ng,mgs->mns", family(self.elements.shape[1]).extrapolation, stress, optimize=True)
        volume = self.geometry.weight.sum(axis=1)
        weight = np.repeat(volume[:, None], self.elements.shape[1], axis=1).ravel()
        where = self.elements.ravel()
        total = np.maximum(np.bincount(where, weights=weight, minlength=len(self.nodes)), 1e-300)
        return np.stack([np.bincount(where, weights=weight * carried[..., k].ravel(), minlength=len(self.nodes)) / total
                         for k in range(6)], axis=1)
