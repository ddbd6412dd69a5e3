"""Blocks: like elements of one material, each answering the same few questions, so that a system
can mix them.

A block's elements stand on nodes of three unknowns. A shell's node counts twice, as its place and
as its turn, so that solids, shells and springs share one pattern. `local` are values (m, k, 3) of
the block's nodes.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray

from labilis.mechanics import shell, solid
from labilis.mechanics.material import isotropic
from labilis.mechanics.parallel import on_cores
from labilis.mechanics.plastic import LAYERS, Memory, YieldLaw, blank, in_space, layered
from labilis.mechanics.solid_families import family
from labilis.results.stress_measures import von_mises

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Slices = Iterator[tuple[slice, Floats]]
SHELL_CHUNK = 256  # whose tangents (1.2 MB) stay near the processor until they are added
Result = TypeVar("Result")
ENERGY_PARTS = ("bulk", "membrane", "bending", "twist", "shear")


class StiffBlock(Protocol):
    """What a system asks of its elements. `members` (m, k): the nodes, turns counted; `state`:
    what `linear` gave."""

    @property
    def members(self) -> Ints: ...
    def stiffness(self) -> Slices: ...
    def linear(self, local: Floats) -> Floats: ...
    def geometric(self, state: Floats) -> Slices: ...
    def path_derivative(self, local: Floats) -> Slices: ...
    def energy(self, local: Floats) -> Floats: ...
    def forces(self, state: Floats) -> Floats: ...
    def thermal(self, growth: Floats) -> Floats: ...
    def second_state(self, local: Floats) -> Floats: ...
    def work(self, state: Floats, local: Floats) -> float: ...
    def remember(self, law: YieldLaw) -> Memory | None: ...
    def deformed(
        self,
        motion: Floats,
        rotation: Floats,
        tangent: bool,
        memory: Memory | None = None,
        free: Floats | None = None,
    ) -> Iterator[tuple[slice, Floats, Floats | None, Floats]]: ...
    def turned_over(self, motion: Floats, rotation: Floats) -> bool: ...
    def body_force(self, acceleration: Floats) -> Floats: ...
    @property
    def volume(self) -> Floats: ...
    def corner_stress(self, state: Floats) -> tuple[Ints, Floats]: ...
    def mean_stress(self, state: Floats) -> Floats: ...


class ElementBlock(StiffBlock, Protocol):
    """A block of a material, and not of springs."""

    @property
    def modulus(self) -> float: ...


@dataclass(frozen=True)
class SolidBlock:
    """Solid elements. nodes (n, 3) mm; members (m, 4, 10, 15 or 20); modulus MPa, ratio, density
    t/mm³."""

    nodes: Floats
    members: Ints
    modulus: float
    ratio: float
    density: float = 0.0

    @cached_property
    def geometry(self) -> solid.SolidGeometry:
        """Gradients at the quadrature points."""
        return solid.geometry(self.nodes, self.members)

    @cached_property
    def elasticity(self) -> Floats:
        """(6, 6) MPa."""
        return isotropic(self.modulus, self.ratio)

    def stiffness(self) -> Slices:
        """K_0, some elements at a time."""
        g = self.geometry
        for rows in solid.chunks(len(self.members)):
            yield rows, solid.stiffness(g.gradient[rows], g.weight[rows], self.elasticity)

    def linear(self, local: Floats) -> Floats:
        """Stress (m, g, 6) MPa of the linear solution."""
        g = self.geometry
        return np.concatenate(
            [
                solid.linear_stress(g.gradient[rows], local[rows], self.elasticity)
                for rows in solid.chunks(len(self.members))
            ]
        )

    def geometric(self, state: Floats) -> Slices:
        """K_G, alike on x, y and z."""
        g = self.geometry
        for rows in solid.chunks(len(self.members)):
            yield rows, solid.geometric_block(g.gradient[rows], g.weight[rows], state[rows])

    def path_derivative(self, local: Floats) -> Slices:
        """Derivative of the tangent along the linear path."""
        g = self.geometry
        for rows in solid.chunks(len(self.members)):
            yield (
                rows,
                solid.path_derivative(
                    g.gradient[rows], g.weight[rows], local[rows], self.elasticity
                ),
            )

    def forces(self, state: Floats) -> Floats:
        """Nodal forces (m, k, 3) N that balance stresses (m, g, 6): ∫ Bᵀ S dV at rest."""
        g = self.geometry
        weighted = solid.stress_tensor(state) * g.weight[..., None, None]
        return np.asarray(np.einsum("mgnx,mgxy->mny", g.gradient, weighted, optimize=True))

    def second_state(self, local: Floats) -> Floats:
        """Stress (m, g, 6) of the second derivative of the strain along a motion (m, k, 3),
        (∇u)ᵀ∇u."""
        h = np.swapaxes(local, 1, 2)[:, None] @ self.geometry.gradient
        product = np.swapaxes(h, -1, -2) @ h
        strain = np.stack(
            [
                product[..., i, j] * (1.0 if i == j else 2.0)
                for i, j in ((0, 0), (1, 1), (2, 2), (0, 1), (1, 2), (2, 0))
            ],
            axis=-1,
        )
        return strain @ self.elasticity

    def remember(self, law: YieldLaw) -> Memory:
        """Memory of a yielding material at the quadrature points."""
        return blank(law, *self.geometry.weight.shape, 6)

    def deformed(
        self,
        motion: Floats,
        rotation: Floats,
        tangent: bool,
        memory: Memory | None = None,
        free: Floats | None = None,
    ) -> Iterator[tuple[slice, Floats, Floats | None, Floats]]:
        """Some elements at a time at large motions (n, 3): (rows, forces (m, k, 3), tangent or
        None, largest von Mises stress (m,)); with a `memory` the material yields; `free` (m,) is
        the strain to which heat alone would bring them."""
        g = self.geometry
        local = motion[self.members]

        def one(rows: slice) -> tuple[slice, Floats, Floats | None, Floats]:
            f = solid.deformation_gradient(g.gradient[rows], local[rows])
            strain = solid.green_strain(f)
            if free is not None:
                strain[..., :3] -= free[rows, None, None]
            moduli: Floats | None = self.elasticity
            if memory is None:
                stress = strain @ self.elasticity
            else:
                stress, moduli = in_space(strain, self.elasticity, memory, rows, tangent)
            b = solid.strain_matrix(g.gradient[rows], f)
            m, points, _, columns = b.shape
            weighted = (stress * g.weight[rows][..., None]).reshape(m, 1, points * 6)
            force = (weighted @ b.reshape(m, points * 6, columns)).reshape(local[rows].shape)
            matrix = None
            if tangent and moduli is not None:
                matrix = solid.material_part(b, g.weight[rows], moduli) + solid.on_each_axis(
                    solid.geometric_block(g.gradient[rows], g.weight[rows], stress)
                )
            return rows, force, matrix, von_mises(stress).max(axis=1)

        yield from on_cores(one, solid.chunks(len(self.members)))

    def turned_over(self, motion: Floats, rotation: Floats) -> bool:
        """Whether an element is inside out somewhere, at motions (n, 3)."""
        return any(
            (
                np.linalg.det(
                    solid.deformation_gradient(
                        self.geometry.gradient[rows], motion[self.members[rows]]
                    )
                )
                <= 0
            ).any()
            for rows in solid.chunks(len(self.members))
        )

    def work(self, state: Floats, local: Floats) -> float:
        """∫ state · strain(local) dV, N mm."""
        return float((self.forces(state) * local).sum())

    def thermal(self, growth: Floats) -> Floats:
        """Stress (m, g, 6) MPa that would undo a free growth (m,), the expansion times the
        change of temperature."""
        strain = np.zeros((*self.geometry.weight.shape, 6))
        strain[..., :3] = growth[:, None, None]
        return strain @ self.elasticity

    def energy(self, local: Floats) -> Floats:
        """Strain energy (m, 5, c) by ENERGY_PARTS of motions (m, k, 3, c); a solid's is not
        split."""
        compliance = np.linalg.inv(self.elasticity)
        parts = np.zeros((len(self.members), len(ENERGY_PARTS), local.shape[-1]))
        for column in range(local.shape[-1]):
            stress = self.linear(local[..., column])
            parts[:, 0, column] = 0.5 * (
                ((stress @ compliance) * stress).sum(axis=2) * self.geometry.weight
            ).sum(axis=1)
        return parts

    def body_force(self, acceleration: Floats) -> Floats:
        """Forces (m, k, 3) N of the mass under an acceleration (3,) mm/s²."""
        amount = self.geometry.weight @ family(self.members.shape[1]).values
        return self.density * amount[:, :, None] * acceleration

    @property
    def volume(self) -> Floats:
        """(m,) mm³."""
        return np.asarray(self.geometry.weight.sum(axis=1))

    def corner_stress(self, state: Floats) -> tuple[Ints, Floats]:
        """(nodes (m, k), stress (1, m, k, 6) there, extrapolated inside each element)."""
        carried = np.einsum(
            "ng,mgs->mns", family(self.members.shape[1]).extrapolation, state, optimize=True
        )
        return self.members, carried[None]

    def mean_stress(self, state: Floats) -> Floats:
        """Mean over the volume (m, 6) MPa."""
        weight = self.geometry.weight
        return np.asarray(np.einsum("mgs,mg->ms", state, weight) / weight.sum(axis=1)[:, None])


@dataclass(frozen=True)
class ShellBlock:
    """Shells of three or four nodes. nodes (n, 3) mm; elements (m, 3 or 4) places; turn_of (n,):
    the turn node of each place; thickness, offset (m,) mm; triads (m, k, 3, 3); modulus MPa, ratio,
    density t/mm³."""

    nodes: Floats
    elements: Ints
    turn_of: Ints
    thickness: Floats
    triads: Floats
    modulus: float
    ratio: float
    density: float = 0.0
    offset: Floats | float = 0.0

    @cached_property
    def members(self) -> Ints:
        """Place and turn of each node in turn (m, 2k)."""
        return np.stack([self.elements, self.turn_of[self.elements]], axis=2).reshape(
            len(self.elements), -1
        )

    @cached_property
    def geometry(self) -> shell.ShellGeometry:
        """Triads, areas, changes of basis."""
        return shell.shell_geometry(
            self.nodes, self.elements, self.thickness, self.offset, self.triads
        )

    @cached_property
    def section(self) -> Floats:
        """C (m, 9, 9)."""
        of = self.geometry
        return shell.section_stiffness(self.modulus, self.ratio, of.thickness, of.offset, of.shear)

    def _chunks(self) -> list[slice]:
        count = len(self.elements)
        return [
            slice(start, min(start + SHELL_CHUNK, count)) for start in range(0, count, SHELL_CHUNK)
        ]

    def _each(self, one: Callable[[slice, shell.ShellGeometry], Result]) -> Iterator[Result]:
        """`one` of some elements at a time, on all cores."""
        yield from on_cores(lambda cut: one(*cut), self._parts)

    @cached_property
    def _parts(self) -> list[tuple[slice, shell.ShellGeometry]]:
        return [(rows, shell.part_of(self.geometry, rows)) for rows in self._chunks()]

    def stiffness(self) -> Slices:
        """K_0, some elements at a time."""
        section = self.section
        yield from self._each(lambda rows, part: (rows, shell.at_rest(part, section[rows])[1]))

    def linear_strain(self, local: Floats) -> Floats:
        """Strains (m, g, 9, c) of small motions (m, 2k, 3, c), c of them at once."""

        u = np.ascontiguousarray(local).reshape(len(self.elements), -1, local.shape[-1])
        return np.concatenate(
            list(self._each(lambda rows, part: shell.linear_strain(part, u[rows])))
        )

    def linear(self, local: Floats) -> Floats:
        """Resultants (m, g, 9) of the linear solution, N/mm and N."""
        return self.linear_strain(local[..., None])[..., 0] @ self.section

    def geometric(self, state: Floats) -> Slices:
        """K_G."""
        section = self.section
        yield from self._each(
            lambda rows, part: (rows, shell.at_rest(part, section[rows], state[rows])[1])
        )

    def path_derivative(self, local: Floats) -> Slices:
        """Derivative of the tangent along the linear path, by central differences of the exact
        tangent."""
        turns = local[:, 1::2]
        step = 1e-4 / max(
            float(np.abs(turns).max()),
            float(np.abs(local[:, ::2]).max()) / float(np.abs(self.nodes).max() + 1.0),
            1e-300,
        )

        def one(rows: slice, part: shell.ShellGeometry) -> tuple[slice, Floats]:
            sides = [
                shell.residual_and_tangent(
                    part,
                    self.section[rows],
                    sign * step * local[rows, ::2],
                    shell.exponential(sign * step * turns[rows]),
                )[1]
                for sign in (1.0, -1.0)
            ]
            return rows, (sides[0] - sides[1]) / (2 * step)

        yield from self._each(one)

    def forces(self, state: Floats) -> Floats:
        """Nodal forces N and moments N mm (m, 2k, 3) that balance resultants (m, g, 9)."""
        section = self.section

        def one(rows: slice, part: shell.ShellGeometry) -> Floats:
            return shell.at_rest(part, section[rows], state[rows], with_tangent=False)[0]

        return np.concatenate(list(self._each(one))).reshape(*self.members.shape, 3)

    def thermal(self, growth: Floats) -> Floats:
        """Resultants (m, g, 9) that would undo a free growth (m,) in the plane."""
        strain = np.zeros((*self.geometry.area.shape, 9))
        strain[..., :2] = growth[:, None, None]
        return np.asarray(np.einsum("mjk,mgk->mgj", self.section, strain))

    def second_state(self, local: Floats) -> Floats:
        """Resultants (m, g, 9) of `second_strain`."""
        return np.asarray(np.einsum("mjk,mgk->mgj", self.section, self.second_strain(local)))

    def remember(self, law: YieldLaw) -> Memory:
        """Memory of a yielding material at five layers of the quadrature points."""
        return blank(law, *self.geometry.area.shape, len(LAYERS), 3)

    def deformed(
        self,
        motion: Floats,
        rotation: Floats,
        tangent: bool,
        memory: Memory | None = None,
        free: Floats | None = None,
    ) -> Iterator[tuple[slice, Floats, Floats | None, Floats]]:
        """Some elements at a time at large motions (n, 3) and rotations (n, 3, 3) of all nodes:
        (rows, forces (m, 2k, 3), tangent or None, largest von Mises stress (m,) at top and bottom,
        of all layers where a `memory` lets the material yield); `free` as in solids."""
        turned = rotation[self.turn_of[self.elements]]
        local, section = motion[self.elements], self.section

        def one(
            rows: slice, part: shell.ShellGeometry
        ) -> tuple[slice, Floats, Floats | None, Floats]:
            peaks: list[Floats] = []

            def law(strain: Floats) -> tuple[Floats, Floats | None]:
                assert memory is not None
                resultant, moduli, worst = layered(
                    strain, section[rows], part.thickness, part.offset, memory, rows, tangent
                )
                peaks.append(worst)
                return resultant, moduli

            force, matrix, state = shell.forces_and_tangent(
                part,
                section[rows],
                local[rows],
                turned[rows],
                tangent,
                law=None if memory is None else law,
                free=None if free is None else free[rows],
            )
            if memory is None:
                top, _, bottom = shell.surface_stress(state, part.thickness, part.offset)
                peaks.append(
                    np.maximum(
                        *(
                            np.sqrt(
                                s[..., 0] ** 2
                                - s[..., 0] * s[..., 1]
                                + s[..., 1] ** 2
                                + 3 * s[..., 2] ** 2
                            )
                            for s in (top, bottom)
                        )
                    ).max(axis=1)
                )
            return rows, force.reshape(len(force), -1, 3), matrix, peaks[0]

        yield from self._each(one)

    def turned_over(self, motion: Floats, rotation: Floats) -> bool:
        """Whether an element looks against its own directors somewhere, at motions (n, 3) and
        rotations (n, 3, 3)."""
        forms = self.geometry.forms
        places = self.nodes[self.elements] + motion[self.elements]
        directors = np.einsum(
            "mnij,mnj->mni", rotation[self.turn_of[self.elements]], self.geometry.triads[:, :, 2]
        )
        sides = np.einsum("gna,mnx->mgax", forms.slopes, places, optimize=True)
        across = np.cross(sides[:, :, 0], sides[:, :, 1])
        return bool(
            (np.einsum("mgx,gn,mnx->mg", across, forms.values, directors, optimize=True) <= 0).any()
        )

    def work(self, state: Floats, local: Floats) -> float:
        """∫ state · strain(local) dA, N mm."""
        return float((self.forces(state) * local).sum())

    def second_strain(self, local: Floats) -> Floats:
        """Second derivative (m, g, 9) of the strains at rest along a motion (m, 2k, 3): their part
        of second order, twice."""

        u = np.ascontiguousarray(local).reshape(*self.elements.shape, 6)
        return np.concatenate(
            list(self._each(lambda rows, part: shell.second_strain(part, u[rows])))
        )

    @cached_property
    def section_slope(self) -> Floats:
        """dC/dt (m, 9, 9), the offset kept."""
        t, e = self.geometry.thickness, self.geometry.offset
        unit = shell.section_stiffness(self.modulus, self.ratio, np.ones_like(t), np.zeros_like(t))
        slope = unit.copy()
        slope[:, 3:6, 3:6] = (3 * t**2 + 12 * e**2)[:, None, None] * unit[:, 3:6, 3:6]
        slope[:, 0:3, 3:6] = slope[:, 3:6, 0:3] = e[:, None, None] * unit[:, 0:3, 0:3]
        share = self.geometry.shear  # of t³/(t² + α h²)
        slope[:, 6:8, 6:8] *= (share * (3 - 2 * share))[:, None, None]
        return slope

    def energy(self, local: Floats) -> Floats:
        """Strain energy (m, 5, c) by ENERGY_PARTS of motions (m, 2k, 3, c); twist is the part of
        κ12 in the element's own axes, which follow its first side."""
        strain, c = self.linear_strain(local), self.section
        parts = np.zeros((len(self.elements), len(ENERGY_PARTS), local.shape[-1]))
        for number, rows in ((1, [0, 1, 2]), (2, [3, 4]), (3, [5]), (4, [6, 7, 8])):
            part = strain[:, :, rows]
            force = c[:, None, rows][:, :, :, rows] @ part
            parts[:, number] = 0.5 * (
                (part * force).sum(axis=2) * self.geometry.area[..., None]
            ).sum(axis=1)
        return parts

    def body_force(self, acceleration: Floats) -> Floats:
        """Forces (m, 2k, 3) N of the mass under an acceleration (3,) mm/s²; none on turns."""
        amount = (self.geometry.area @ self.geometry.forms.values) * self.geometry.thickness[
            :, None
        ]
        force = np.zeros((*self.members.shape, 3))
        force[:, ::2] = self.density * amount[:, :, None] * acceleration
        return force

    @property
    def volume(self) -> Floats:
        """(m,) mm³."""
        return np.asarray(self.geometry.area.sum(axis=1) * self.geometry.thickness)

    @cached_property
    def _axes(self) -> Floats:
        """Local axes (m, 3, 3) as rows, at the middle of each element, as `shell_geometry` chose
        them."""
        places = self.nodes[self.elements]
        flat = shell.flat_triads(places)[:, 0]
        t1 = self.triads[:, 0, 0]
        t1 = t1 - np.einsum("ki,ki->k", t1, flat[:, 2])[:, None] * flat[:, 2]
        t1 /= np.linalg.norm(t1, axis=1, keepdims=True)
        return np.stack([t1, np.cross(flat[:, 2], t1), flat[:, 2]], axis=1)

    def _global(self, plane: Floats) -> Floats:
        """Plane stresses (m, ..., 3) in local axes as (m, ..., 6) in global ones."""
        xx, yy, xy = np.moveaxis(plane, -1, 0)
        one, two = self._axes[:, 0], self._axes[:, 1]
        for _ in range(plane.ndim - 2):
            one, two = one[:, None], two[:, None]
        result = np.empty((*plane.shape[:-1], 6))
        for k, (i, j) in enumerate(((0, 0), (1, 1), (2, 2), (0, 1), (1, 2), (2, 0))):
            result[..., k] = (
                xx * one[..., i] * one[..., j]
                + yy * two[..., i] * two[..., j]
                + xy * (one[..., i] * two[..., j] + two[..., i] * one[..., j])
            )
        return result

    def corner_stress(self, state: Floats) -> tuple[Ints, Floats]:
        """(nodes (m, k), stress (3, m, k, 6) there in global axes at top, middle and bottom)."""
        layers = shell.surface_stress(state, self.geometry.thickness, self.geometry.offset)
        values = self.geometry.forms.values
        carry = (
            np.linalg.pinv(values)
            if values.shape[0] == values.shape[1]
            else np.full(values.T.shape, 1 / len(values))
        )
        return self.elements, np.stack(
            [self._global(np.einsum("ng,mgs->mns", carry, layer)) for layer in layers]
        )

    def mean_stress(self, state: Floats) -> Floats:
        """Membrane stress (m, 6) MPa in global axes, mean over the element."""
        membrane = shell.surface_stress(state, self.geometry.thickness, self.geometry.offset)[1]
        return self._global(
            np.einsum("mgs,mg->ms", membrane, self.geometry.area)
            / self.geometry.area.sum(axis=1)[:, None]
        )


class WithoutSubstance:
    """What springs and bolts have in common: no mass, no volume, no stress, no yield, nothing
    that depends on their force."""

    members: Ints

    def geometric(self, state: Floats) -> Slices:
        """None: their ends lie at one place."""
        return iter(())

    def path_derivative(self, local: Floats) -> Slices:
        """None either."""
        return iter(())

    def remember(self, law: YieldLaw) -> None:
        """They do not yield."""

    def turned_over(self, motion: Floats, rotation: Floats) -> bool:
        """They have no inside."""
        return False

    def body_force(self, acceleration: Floats) -> Floats:
        """No mass."""
        return np.zeros((*self.members.shape, 3))

    @property
    def volume(self) -> Floats:
        """(m,) of nothing."""
        return np.zeros(len(self.members))

    def corner_stress(self, state: Floats) -> tuple[Ints, Floats]:
        """No stress."""
        return np.zeros((0, 1), dtype=np.int64), np.zeros((1, 0, 1, 6))

    def mean_stress(self, state: Floats) -> Floats:
        """No stress."""
        return np.zeros((len(self.members), 6))


@dataclass(frozen=True)
class SpringBlock(WithoutSubstance):
    """Springs to ground: members (m, 1) nodes or turns, matrices (m, 3, 3) N/mm or N mm/rad."""

    members: Ints
    matrices: Floats

    def stiffness(self) -> Slices:
        """The matrices."""
        yield slice(0, len(self.members)), self.matrices

    def linear(self, local: Floats) -> Floats:
        """Forces (m, 1, 3) of the springs."""
        return np.asarray(np.einsum("mij,mkj->mki", self.matrices, local))

    def forces(self, state: Floats) -> Floats:
        """The springs' forces are their state."""
        return state

    def second_state(self, local: Floats) -> Floats:
        """A spring in fixed directions has nothing of second order."""
        return 0.0 * local

    def deformed(
        self,
        motion: Floats,
        rotation: Floats,
        tangent: bool,
        memory: Memory | None = None,
        free: Floats | None = None,
    ) -> Iterator[tuple[slice, Floats, Floats | None, Floats]]:
        """Springs stay linear in motions and in rotation vectors."""
        everything = slice(0, len(self.members))
        vector = motion[self.members] + shell.logarithm(rotation[self.members])
        yield (
            everything,
            self.linear(vector),
            self.matrices if tangent else None,
            np.zeros(len(self.members)),
        )

    def work(self, state: Floats, local: Floats) -> float:
        """Force times motion, N mm."""
        return float((state * local).sum())

    def thermal(self, growth: Floats) -> Floats:
        """Springs do not grow."""
        return np.zeros((*self.members.shape, 3))

    def energy(self, local: Floats) -> Floats:
        """(m, 5, c), all of it counted as bulk."""
        parts = np.zeros((len(self.members), len(ENERGY_PARTS), local.shape[-1]))
        parts[:, 0] = 0.5 * np.einsum("mkic,mij,mkjc->mc", local, self.matrices, local)
        return parts


def typical_stress(blocks: tuple[StiffBlock, ...], states: list[Floats]) -> float:
    """Root mean square of the von Mises stress over the volume, MPa."""
    total = sum(
        float((von_mises(block.mean_stress(state)) ** 2 * block.volume).sum())
        for block, state in zip(blocks, states)
    )
    volume = sum(float(block.volume.sum()) for block in blocks)
    return float(np.sqrt(total / volume)) if volume else 0.0
