"""Line elements as a block of a system."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from labilis.mechanics import line, line_path, line_plastic
from labilis.mechanics.blocks import ENERGY_PARTS, Slices
from labilis.mechanics.cross_section import CrossSection
from labilis.mechanics.plastic import Memory, YieldLaw

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
# of a section's reach: √(E Cw / GJ) of square tubes and bars lies under 0.07, of flats, angles and
# rectangular tubes from 0.14 on, of channels and I sections above 2
_FADES = 0.1
_NEARLY = 0.99  # of yield: elements beyond are looked at by their fibres


@dataclass(frozen=True)
class LineBlock:
    """Line elements of one section. nodes (n, 3) mm, at the centroids; elements (m, 2) places;
    turn_of (n,): the turn node of each place; warp_of (m, 2): the warping node of each end; frames
    (m, 3, 3): rows along the element and along the section's principal axes; section; released (m,
    12), see `line.line_geometry`; modulus MPa, ratio, density t/mm³. A state is the forces and
    moments on the second end in local axes, then what warping puts on twist and rate of twist of
    both ends: (m, 10)."""

    nodes: Floats
    elements: Ints
    turn_of: Ints
    warp_of: Ints
    frames: Floats
    section: CrossSection
    released: NDArray[np.bool_]
    modulus: float
    ratio: float
    density: float = 0.0

    @cached_property
    def members(self) -> Ints:
        """Place and turn of each end, then their warping (m, 6)."""
        own = np.stack([self.elements, self.turn_of[self.elements]], axis=2).reshape(
            len(self.elements), -1
        )
        return np.concatenate([own, self.warp_of], axis=1)

    @cached_property
    def geometry(self) -> line.LineGeometry:
        """Fields at the points."""
        return line.line_geometry(
            self.nodes[self.elements],
            self.frames,
            line.section_stiffness(self.section, self.modulus, self.ratio),
            self.released,
            self._warping,
        )

    @property
    def _warping(self) -> line.Warping:
        shear = self.modulus / (2 * (1 + self.ratio))
        return line.Warping(
            shear * self.section.torsion,
            self.modulus * self.section.warping if self._warps else 0.0,
            self.section.shear_centre,
        )

    @cached_property
    def _warps(self) -> bool:
        """Whether its section warps as a member does: held warping of tubes and of round and square
        bars fades within a small part of the section itself (Saint-Venant), and of a tube of
        many sides it is nothing but what its own mesh makes of it."""
        shear = self.modulus / (2 * (1 + self.ratio))
        layer = np.sqrt(self.modulus * self.section.warping / (shear * self.section.torsion))
        reach = float(np.linalg.norm(self.section.points, axis=1).max())
        return bool(layer > _FADES * reach)

    @property
    def _all(self) -> slice:
        return slice(0, len(self.elements))

    def stiffness(self) -> Slices:
        """K_0."""
        yield self._all, line.stiffness(self.geometry)

    def linear(self, local: Floats) -> Floats:
        """The state (m, 10)."""
        g, motion = self.geometry, local.reshape(len(local), -1)
        moved = np.einsum("mij,mj->mi", g.relative, motion)
        twisted = np.einsum("mij,mjk,mk->mi", g.twisting, g.ends, motion)
        return np.concatenate([np.einsum("mij,mj->mi", g.stiff, moved), twisted], axis=1)

    def geometric(self, state: Floats) -> Slices:
        """K_G."""
        yield self._all, line.geometric(self.geometry, state[:, :6])

    def path_derivative(self, local: Floats) -> Slices:
        """Derivative of the tangent along the linear path."""
        yield self._all, line.path_derivative(self.geometry, local.reshape(len(local), -1))

    def forces(self, state: Floats) -> Floats:
        """Nodal forces, moments and bimoments (m, 6, 3)."""
        found = np.einsum("mji,mj->mi", self.geometry.relative, state[:, :6]) + np.einsum(
            "mji,mj->mi", self.geometry.ends, state[:, 6:]
        )
        return np.asarray(found.reshape(len(state), 6, 3))

    def second_state(self, local: Floats) -> Floats:
        """End forces of `line.second_state`, none from warping."""
        found = line.second_state(self.geometry, local.reshape(len(local), -1))
        return np.concatenate([found, np.zeros((len(found), 4))], axis=1)

    def remember(self, law: YieldLaw) -> Memory:
        """Memory of a yielding material at the fibres of five sections of each element."""
        return line_plastic.blank_fibres(law, len(self.elements), len(self.section.fibres))

    @cached_property
    def _fibres(self) -> line_plastic.FibreForms:
        fibres = self.section.fibres if self._warps else self.section.fibres * [1, 1, 0, 1]
        return line_plastic.fibre_forms(
            self.geometry, self._forms.ends, fibres, self.modulus, self.released
        )

    @cached_property
    def _forms(self) -> line_path.LineForms:
        """What large motions need, made once."""
        return line_path.line_forms(self.geometry, self.frames)

    def deformed(
        self,
        motion: Floats,
        rotation: Floats,
        tangent: bool,
        memory: Memory | None = None,
        free: Floats | None = None,
    ) -> Iterator[tuple[slice, Floats, Floats | None, Floats]]:
        """At motions (n, 3) and rotations (n, 3, 3) of all nodes, of a warping node the rate of
        twist first: (rows, forces (m, 6, 3), tangent or None, largest combined stress (m,) at an
        end)."""
        # places themselves, far from the origin, would round the chord's direction away
        ends, moved = self.nodes[self.elements], motion[self.elements]
        yielded: list[tuple[Ints, Floats]] = []

        def yielding(d: Floats, c: Floats, force: Floats) -> tuple[Ints, line_plastic.Yielded]:
            assert memory is not None
            twisted = np.einsum("mij,mjk,mk->mi", g.twisting, self._forms.ends, c)
            peak = self._peak(np.concatenate([force, twisted], axis=1))
            memory.demand[:] = peak / memory.law.stress[0]
            # those that have yielded, and those with residual stresses
            touched: NDArray[np.bool_] = (memory.plastic != 0.0).any(axis=(1, 2, 3))
            rows = np.flatnonzero(touched | (memory.demand > _NEARLY))
            fresh = rows[~touched[rows]]
            still = np.setdiff1d(np.arange(len(peak)), rows)
            memory.trial_plastic[still], memory.trial_p[still] = memory.plastic[still], 0.0
            outermost = memory.demand[fresh].copy()
            found = line_plastic.fibre_state(self._fibres, d[rows], c[rows], memory, rows)
            memory.demand[fresh] = np.maximum(memory.demand[fresh], outermost)
            yielded.append((rows, found.stress))
            return rows, found

        g = self.geometry
        found = line_path.line_state(
            self._forms,
            (ends[:, 1] - ends[:, 0]) + (moved[:, 1] - moved[:, 0]),
            rotation[self.turn_of[self.elements]],
            motion[self.warp_of][:, :, 0],
            tangent,
            np.zeros(len(self.elements)) if free is None else free,
            None if memory is None else yielding,
        )
        peak = self._peak(found.state)
        for rows, stress in yielded:
            peak[rows] = stress
        if memory is not None:
            areas = (self.section.shear_y, self.section.shear_z)
            memory.shear = line_plastic.shear_use(
                memory.law, found.state[:, :6], found.rate, areas, self.section.twist_arm
            )
        yield self._all, found.force, found.tangent, peak

    def _peak(self, state: Floats) -> Floats:
        """Largest combined stress (m,) MPa at an end."""
        direct, bent = self.end_stress(state)
        return np.asarray(np.abs(direct[..., None] + bent).max(axis=(1, 2)))

    def turned_over(self, motion: Floats, rotation: Floats) -> bool:
        """Lines have no inside."""
        return False

    def work(self, state: Floats, local: Floats) -> float:
        """∫ state · strain(local) dx, N mm."""
        return float((self.forces(state) * local).sum())

    def thermal(self, growth: Floats) -> Floats:
        """The state (m, 10) that would undo a free growth (m,)."""
        found = np.zeros((len(self.elements), 10))
        found[:, 0] = self.modulus * self.section.area * growth
        return found

    def energy(self, local: Floats) -> Floats:
        """Strain energy (m, 5, c) by ENERGY_PARTS of motions (m, 6, 3, c): membrane is the
        direct part."""
        g, motion = self.geometry, local.reshape(len(local), local.shape[1] * 3, -1)
        strain = np.einsum("mgij,mjc->mgic", g.strain, motion, optimize=True)
        stress = np.einsum("ij,mgjc->mgic", g.section[:6, :6], strain)
        density = 0.5 * np.einsum("mg,mgic->mic", g.weight, strain * stress)
        parts = np.zeros((len(local), len(ENERGY_PARTS), density.shape[-1]))
        for number, rows in ((1, [0]), (2, [4, 5]), (4, [1, 2])):
            parts[:, number] = density[:, rows].sum(axis=1)
        # twist is all the rest: the fields in between are cubic, what is stored is exact
        moved = np.einsum("mij,mjc->mic", g.relative, motion)
        ends = np.einsum("mij,mjc->mic", g.ends, motion)
        whole = 0.5 * np.einsum("mic,mij,mjc->mc", moved, g.stiff, moved, optimize=True)
        whole += 0.5 * np.einsum("mic,mij,mjc->mc", ends, g.twisting, ends, optimize=True)
        parts[:, 3] = whole - parts.sum(axis=1)
        return parts

    def body_force(self, acceleration: Floats) -> Floats:
        """Forces (m, 6, 3) N of the mass under an acceleration (3,) mm/s², half at each end."""
        found = np.zeros((len(self.elements), 6, 3))
        found[:, [0, 2]] = 0.5 * self.density * self.volume[:, None, None] * acceleration
        return found

    @property
    def volume(self) -> Floats:
        """(m,) mm³."""
        return np.asarray(self.section.area * self.geometry.length)

    def _end_resultants(self, state: Floats) -> Floats:
        """(m, 2, 6) at both ends."""
        state = state[:, :6]
        first = state.copy()
        first[:, 4] -= self.geometry.length * state[:, 2]
        first[:, 5] += self.geometry.length * state[:, 1]
        return np.stack([first, state], axis=1)

    def end_forces(self, state: Floats) -> Floats:
        """N, Vy, Vz, T, My, Mz and the bimoment B (m, 2, 7) at both ends, N, N mm and N mm², in the
        element's axes: N draws, My and Mz put tension on the side of positive z and of negative y,
        T is about the shear centre."""
        found = np.zeros((len(state), 2, 7))
        found[:, :, :6] = self._end_resultants(state)
        found[:, :, 3] += np.stack([-state[:, 6], state[:, 8]], axis=1)
        y, z = self.section.shear_centre
        found[:, :, 3] += z * found[:, :, 1] - y * found[:, :, 2]
        if self._warps:
            found[:, :, 6] = np.stack([-state[:, 7], state[:, 9]], axis=1)
        return found

    def end_stress(self, state: Floats) -> tuple[Floats, Floats]:
        """(direct stress (m, 2) at both ends, what bending and warping add (m, 2, p) at the points
        of the section), MPa."""
        s = self.section
        ends = self._end_resultants(state)
        bent = (
            ends[..., 4, None] / s.i_y * s.points[:, 1]
            - ends[..., 5, None] / s.i_z * s.points[:, 0]
        )
        if self._warps:
            bimoment = np.stack([-state[:, 7], state[:, 9]], axis=1)
            bent = bent + bimoment[..., None] / s.warping * s.omega
        return np.asarray(ends[..., 0] / s.area), np.asarray(bent)

    @property
    def dyads(self) -> Floats:
        """A unit stress along each element in global axes (m, 6)."""
        along = self.frames[:, 0]
        return np.stack(
            [
                along[:, i] * along[:, j]
                for i, j in ((0, 0), (1, 1), (2, 2), (0, 1), (1, 2), (2, 0))
            ],
            axis=1,
        )

    def corner_stress(self, state: Floats) -> tuple[Ints, Floats]:
        """(ends (m, 2), stress (3, m, 2, 6) along the element in global axes: largest combined,
        direct, smallest combined)."""
        direct, bent = self.end_stress(state)
        sizes = np.stack([direct + bent.max(axis=-1), direct, direct + bent.min(axis=-1)])
        return self.elements, np.asarray(sizes[..., None] * self.dyads[:, None])

    def mean_stress(self, state: Floats) -> Floats:
        """Direct stress (m, 6) MPa in global axes."""
        return np.asarray((state[:, 0] / self.section.area)[:, None] * self.dyads)
