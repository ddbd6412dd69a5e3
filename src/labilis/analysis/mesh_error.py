"""How far factors can be off for their mesh: the same case once more on another one, a coarser one
where there is any, the one before where a run makes meshes finer and finer."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from typing import NamedTuple

import numpy as np
from scipy.spatial import cKDTree

from labilis.analysis.case_loads import LoadScene
from labilis.analysis.constraints import Tied
from labilis.analysis.mesh_stage import mesh_stage
from labilis.analysis.modes_stage import buckling_problem
from labilis.analysis.strength_stage import strength_stage
from labilis.analysis.system_stage import system_stage
from labilis.model import Project
from labilis.results.findings import MeshFindings, ModesFindings, StrengthFindings
from labilis.shape import PartShape
from labilis.solve.factor import Factor
from labilis.solve.modes import find_modes

TRIED = (1.5, 2.5)  # times the sides of elements, until a mesh differs enough
FINER = (
    (50_000, 0.6),
    (np.inf, 0.75),
    # up to so many unknowns: times the sides where no coarser mesh differs, which costs 2.8, 1.8
    # times
)
# errors of factors fall with the square of the sides once a wave has its elements, but no faster
# than the sides themselves where an edge is held without its turn along itself (Reissner's layer
# there is as wide as the wall is thick) or an edge's support ends: the lowest order holds for all.
# Where the square is true the error is told up to two and a half times too large
_ORDER = 1.0
_LEAST_APART = 0.12  # of the sides: meshes that differ less say nothing
# unknowns of the other mesh over those of the own one: sides 0.6 times as long make 2.8 times as
# many
_MOST_TIMES = 3.5
_MOST = 3  # factors that are followed
_APART = 0.2  # of the sides, that a mesh made before must be coarser to be taken as the other one


class Yields(NamedTuple):
    """Of first yield and of that of sections: their factors, or how far these can be off."""

    first: float
    sections: float


_UNKNOWN = Yields(float("nan"), float("nan"))


class Before(NamedTuple):
    """A coarser mesh of the same part that a run made before, the modes of its cases, and when they
    yield."""

    mesh: MeshFindings
    modes: Mapping[str, ModesFindings]
    yields: Mapping[str, Yields]


class MeshErrors(NamedTuple):
    """Relative errors of the factors (k,), and of those of yielding; nan where they are not
    known."""

    factors: np.ndarray
    yields: Yields


class OtherMesh:
    """Another mesh of a part, made when it is first asked for, with what is solved on it. It is
    only there to tell errors: whatever it ends in, the run itself stands."""

    def __init__(
        self, project: Project, part: PartShape, own: MeshFindings, before: Before | None = None
    ) -> None:
        self.project, self.part, self.own, self.before = project, part, own, before

    @cached_property
    def _made(self) -> tuple[MeshFindings, LoadScene, Tied, Factor]:
        for sides in (*TRIED, next(sides for most, sides in FINER if self.own.unknowns <= most)):
            mesh, bonds, findings = mesh_stage(self.project, self.part, sides)
            ratio = self._sides(findings)
            # a part drawn with slivers can come out far finer where larger elements do not fit: no
            # mesh to compare with, and a long run
            if (
                abs(ratio - 1.0) >= _LEAST_APART
                and findings.unknowns < _MOST_TIMES * self.own.unknowns
            ):
                return findings, *system_stage(self.project, self.part, mesh, bonds)
        raise ValueError("no mesh differs enough")

    def errors(
        self, case: str, modes: ModesFindings, yields: Yields, limits: dict[str, float | None]
    ) -> MeshErrors:
        """Errors of the modes of a case and of the factors at which it yields; nan where no other
        mesh can be made or solved.

        Of the modes the larger of two figures: by Richardson's rule with errors in proportion to
        the sides, and by the jumps of stress of the mode's own shape (`solve.recovery`). Two
        factors of two meshes may lie near each other by chance where both are coarse; the jumps
        know nothing of what the mesh does to the stress before buckling. Modes beyond those that
        are followed have at least the error of these. First yield by Richardson's rule alone."""
        compared, yielding = self._compared(case, modes, yields, limits)
        known = compared[np.isfinite(compared)]
        if len(known) == 0:
            return MeshErrors(compared, yielding)
        compared[~np.isfinite(compared) & (modes.factors > 0)] = known.max()
        if len(modes.recovered) == len(compared):
            compared = np.maximum(compared, modes.recovered)
        return MeshErrors(compared, yielding)

    def _compared(
        self, case: str, modes: ModesFindings, yields: Yields, limits: dict[str, float | None]
    ) -> MeshErrors:
        """From two meshes, of the first few positive factors."""
        nothing = MeshErrors(np.full(len(modes.factors), np.nan), _UNKNOWN)
        count = min(len(modes.positive), _MOST)
        if count == 0:
            alone = _UNKNOWN if modes.held_unstable else self._alone(case, yields, limits)
            return nothing._replace(yields=alone)
        earlier = None if self.before is None else self.before.modes.get(case)
        if self.before is not None and earlier is not None and len(earlier.positive) >= count:
            ratios = sides_between(self.own, modes.energy, self.before.mesh)
            if all(
                ratios[_row(modes, factor)] >= 1.0 + _APART for factor in modes.positive[:count]
            ):
                return MeshErrors(
                    errors_between(modes, earlier.positive[:count], ratios),
                    _yield_errors(yields, self.before.yields.get(case, _UNKNOWN), ratios),
                )
        try:
            findings, scene, tied, stiffness = self._made
            strength, solved = strength_stage(scene, case, tied, stiffness, limits)
            problem = buckling_problem(scene.system, solved, stiffness)
            if problem.base_factor is None:
                return nothing
            other = find_modes(
                problem.base,
                problem.base_factor,
                problem.geometric,
                count,
                largest=problem.limit,
                count=False,
            ).factors
            ratios = sides_between(self.own, modes.energy, findings)
        except Exception:
            return nothing
        return MeshErrors(
            errors_between(modes, other, ratios),
            _yield_errors(yields, yields_of(strength), ratios),
        )

    def _alone(self, case: str, yields: Yields, limits: dict[str, float | None]) -> Yields:
        """Errors of yielding where nothing buckles: of a part that is pulled it is all there is.
        The meshes are compared by their counts, as there is no mode to say where they count."""
        if not np.isfinite(yields.first):
            return _UNKNOWN
        try:
            findings, scene, tied, stiffness = self._made
            other = strength_stage(scene, case, tied, stiffness, limits)[0]
        except Exception:
            return _UNKNOWN
        return _yield_errors(yields, yields_of(other), np.array([self._sides(findings)]))

    def _sides(self, other: MeshFindings) -> float:
        """Sides of another mesh over those of the own one, by their unknowns."""
        times = self.own.unknowns / max(other.unknowns, 1)
        return float(times ** (1.0 / dimensions(self.own)))


def yields_of(strength: StrengthFindings) -> Yields:
    """Its factors."""
    return Yields(strength.strength_factor, strength.sections_yield)


def _yield_errors(own: Yields, other: Yields, ratios: np.ndarray) -> Yields:
    """Of both factors."""
    return Yields(*(_yield_error(one, two, ratios) for one, two in zip(own, other)))


def _yield_error(own: float, other: float, ratios: np.ndarray) -> float:
    """Relative error of a factor of first yield, from that of a mesh whose sides are `ratios` times
    as long where modes have their energy: the least apart counts, as nobody knows where it yields
    there. Errors of stress fall with the sides, as those of factors do at the least."""
    if not (np.isfinite(own) and np.isfinite(other) and own > 0):
        return float("nan")
    apart = max(float(np.abs(ratios**_ORDER - 1.0).min(initial=np.inf)), _LEAST_APART)
    return abs(other / own - 1.0) / apart


def errors_between(modes: ModesFindings, others: np.ndarray, ratios: np.ndarray) -> np.ndarray:
    """(k,) errors of modes, from the first positive factors, rising, of a mesh whose sides are
    `ratios` (k,) times as long."""
    found = np.full(len(modes.factors), np.nan)
    for own, other in zip(modes.positive, others):
        row = _row(modes, own)
        apart = max(abs(float(ratios[row]) ** _ORDER - 1.0), _LEAST_APART)
        found[row] = abs(other / own - 1.0) / apart
    return found


def _row(modes: ModesFindings, factor: float) -> int:
    return int(np.flatnonzero(modes.factors == factor)[0])


def sides_between(own: MeshFindings, energy: np.ndarray, other: MeshFindings) -> np.ndarray:
    """(k,) sides of another mesh over those of the own one, of each mode where it has its energy:
    energy (k, m) per volume of the own elements. Meshes that are held fine round holes differ where
    they count, however little their counts of unknowns do."""
    places, sides = _elements(own)
    there, theirs = _elements(other)
    _, nearest = cKDTree(there).query(places)
    weight = energy * sides ** dimensions(own)
    return np.asarray((weight @ theirs[nearest]) / np.maximum(weight @ sides, 1e-300))


def _elements(mesh: MeshFindings) -> tuple[np.ndarray, np.ndarray]:
    """(middles (m, 3), mean distance of its nodes from there (m,)) of all elements."""
    element = np.repeat(np.arange(len(mesh.sizes)), mesh.sizes)
    points, count = mesh.nodes[mesh.connectivity], np.maximum(mesh.sizes, 1)
    middle = (
        np.stack([np.bincount(element, points[:, axis], len(count)) for axis in range(3)], axis=1)
        / count[:, None]
    )
    away = np.linalg.norm(points - middle[element], axis=1)
    return middle, np.bincount(element, away, len(count)) / count


def dimensions(mesh: MeshFindings) -> float:
    """Ways in which a mesh becomes finer: along lines, over walls, or through a thick solid."""
    if len(mesh.triangles) == 0:
        return 1.0
    thick = mesh.has_solids and mesh.thickness > 1.5 * mesh.mean_edge
    return 3.0 if thick else 2.0
