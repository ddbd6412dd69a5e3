"""How far factors can be off for their mesh: the same case once more on another one, a coarser one where there is any."""
from __future__ import annotations

from functools import cached_property

import numpy as np

from labilis.judge.findings import MeshFindings, ModesFindings
from labilis.model import Project
from labilis.run.forces import LoadScene
from labilis.run.mesh_stage import mesh_stage
from labilis.run.modes_stage import buckling_problem
from labilis.run.resolve import Tied
from labilis.run.strength_stage import strength_stage
from labilis.run.system_stage import system_stage
from labilis.shape import PartShape
from labilis.solve.factor import Factor
from labilis.solve.modes import find_modes

TRIED = (1.5, 2.5, 0.6)  # times the sides of elements, until a mesh differs enough
_ORDER = 2.0  # errors of factors fall at least with the square of the sides once a wave has its elements
_LEAST_APART = 0.25  # of the squares of sides: meshes that differ less say nothing
_MOST = 3  # factors that are followed


class OtherMesh:
    """Another mesh of a part, made when it is first asked for, with what is solved on it. It is only there to tell errors: whatever it
    ends in, the run itself stands."""

    def __init__(self, project: Project, part: PartShape, own: MeshFindings) -> None:
        self.project, self.part, self.own = project, part, own

    @cached_property
    def _made(self) -> tuple[float, LoadScene, Tied, Factor]:
        """(its sides over the own mesh's, by the counts of unknowns, and what is solved on it)."""
        for sides in TRIED:
            mesh, bonds, findings = mesh_stage(self.project, self.part, sides)
            ratio = (self.own.unknowns / max(findings.unknowns, 1)) ** (1.0 / _dimensions(self.own))
            if abs(ratio**_ORDER - 1.0) >= _LEAST_APART:
                return ratio, *system_stage(self.project, self.part, mesh, bonds)
        raise ValueError("no mesh differs enough")

    def errors(self, case: str, modes: ModesFindings, limits: dict[str, float | None]) -> np.ndarray:
        """(k,) relative: by Richardson's rule with errors in the square of the sides; nan where no other mesh can be made or solved."""
        found = np.full(len(modes.factors), np.nan)
        count = min(len(modes.positive), _MOST)
        if count == 0:
            return found
        try:
            ratio, scene, tied, stiffness = self._made
            _, solved = strength_stage(scene, case, tied, stiffness, limits)
            problem = buckling_problem(scene.system, solved, stiffness)
            if problem.base_factor is None:
                return found
            other = find_modes(problem.base, problem.base_factor, problem.geometric, count, largest=problem.limit, count=False).factors
        except Exception:
            return found
        return errors_between(modes, other, ratio)


def errors_between(modes: ModesFindings, others: np.ndarray, ratio: float) -> np.ndarray:
    """(k,) errors of modes, from the first positive factors, rising, of a mesh whose sides are `ratio` times as long."""
    found = np.full(len(modes.factors), np.nan)
    for own, other in zip(modes.positive, others):
        found[modes.factors == own] = abs(other / own - 1.0) / abs(ratio**_ORDER - 1.0)
    return found


def _dimensions(mesh: MeshFindings) -> float:
    """Ways in which a mesh becomes finer: along lines, over walls, or through a thick solid."""
    if len(mesh.triangles) == 0:
        return 1.0
    thick = mesh.has_solids and mesh.thickness > 1.5 * mesh.mean_edge
    return 3.0 if thick else 2.0
