"""How far factors can be off for their mesh: the same case once more on a coarser one."""
from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from labilis.judge.findings import MeshFindings, ModesFindings
from labilis.mesh import Bonds, Mesh
from labilis.model import LabilisError, Project
from labilis.run.assembled import make_blocks
from labilis.run.forces import LoadScene
from labilis.run.mesh_stage import mesh_stage
from labilis.run.modes_stage import modes_stage
from labilis.run.resolve import Tied, make_tied
from labilis.run.strength_stage import strength_stage
from labilis.shape import PartShape
from labilis.solve.factor import Factor, NotPositive, factor
from labilis.solve.system import System

COARSER = 1.5  # times the sides of elements
_ORDER = 2.0  # errors of factors fall at least with the square of the sides once a wave has its elements
_LEAST_RATIO = 1.12  # of sides: meshes that differ less say nothing
_MOST = 3  # factors that are followed


class CoarserMesh:
    """A coarser mesh of a part, made when it is first asked for, with what is solved on it."""

    def __init__(self, project: Project, part: PartShape) -> None:
        self.project, self.part = project, part
        self._made: tuple[Mesh, Bonds, MeshFindings, LoadScene, Tied, Factor] | None = None

    def _make(self) -> tuple[Mesh, Bonds, MeshFindings, LoadScene, Tied, Factor]:
        if self._made is None:
            mesh, bonds, findings = mesh_stage(self.project, self.part, COARSER)
            tied = make_tied(self.project, self.part.view, mesh, bonds)
            blocks, bodies = make_blocks(self.project, self.part, mesh, tied.numbering)
            system = System(mesh.nodes, (*blocks, *tied.springs), tied.ties)
            scene = LoadScene(self.project, self.part.view, mesh, tied.numbering, system, bodies, self.part.pieces, tied.held, tied.hubs)
            self._made = mesh, bonds, findings, scene, tied, factor(system.reduced_stiffness, groups=tied.ties.groups)
        return self._made

    def errors(self, case: str, fine: MeshFindings, modes: ModesFindings, limits: dict[str, float | None],
               progress: Callable[[float, str], None]) -> np.ndarray:
        """(k,) relative: by Richardson's rule with errors in the square of the sides, the ratio of sides from the counts of unknowns; nan
        where the coarser mesh cannot be made or does not differ."""
        found = np.full(len(modes.factors), np.nan)
        count = min(len(modes.positive), _MOST)
        if count == 0:
            return found
        try:
            progress(0.95, "Checking the mesh with a coarser one")
            mesh, bonds, coarse, scene, tied, stiffness = self._make()
            strength, solved = strength_stage(scene, case, tied, stiffness, limits)
            asked = self.project.changed(criteria={**self.project.criteria.model_dump(), "modes": count, "second_opinion": False})
            other = modes_stage(replace(scene, project=asked), case, solved, stiffness, strength,
                                lambda flipped: make_tied(self.project, self.part.view, mesh, bonds, flipped), lambda _, __: None)
        except (LabilisError, NotPositive, MemoryError):
            return found
        ratio = (fine.unknowns / max(coarse.unknowns, 1)) ** (1.0 / _dimensions(fine))
        if ratio < _LEAST_RATIO:
            return found
        both = min(count, len(other.positive))
        steps = np.abs(other.positive[:both] / modes.positive[:both] - 1.0) / (ratio**_ORDER - 1.0)
        for factor_value, step in zip(modes.positive[:both], steps):
            found[modes.factors == factor_value] = step
        return found


def _dimensions(mesh: MeshFindings) -> float:
    """Ways in which a mesh becomes finer: along lines, over walls, or through a thick solid."""
    if len(mesh.triangles) == 0:
        return 1.0
    thick = mesh.has_solids and mesh.thickness > 1.5 * mesh.mean_edge
    return 3.0 if thick else 2.0
