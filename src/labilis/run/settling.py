"""A mesh without a stated size is made finer until its error is small: rounds of modes runs, and
the mesh that came of them."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Mapping, Sequence
from typing import Any

from labilis.judge.evidence.base import NEARLY
from labilis.model import Project
from labilis.results.findings import MeshFindings, ModesFindings, SettledFindings
from labilis.run.keys import stage_keys

_ROUNDS = 3  # meshes after the proposed one
_AIM = 0.8  # of the limit: what the next mesh is to have, so that one is enough
_LEAST, _LARGEST = 1.2, 2.5  # times finer, from round to round
# unknowns of a mesh that is made without being asked for, of shells and of solids, whose factors
# are several times as costly: some ten seconds here
_MOST_SHELLS, _MOST_SOLIDS = 100_000, 60_000


def wants_settling(project: Project) -> bool:
    """Whether the run may choose the fineness: nothing is stated of it, and errors are told."""
    plan = project.mesh
    return (
        plan.size is None
        and plan.fineness is None
        and plan.order == 2
        and project.criteria.mesh_error
        and len(project.cases) > 0
    )


def with_fineness(project: Project, fineness: float) -> Project:
    """The project with the fineness stated; itself for 1."""
    if fineness == 1.0:
        return project
    return project.changed(mesh=project.mesh.model_copy(update={"fineness": repr(fineness)}))


_known: deque[tuple[Project, float, Project]] = deque(maxlen=8)


def settled(project: Project, results: Mapping[str, Any]) -> Project:
    """The project with the fineness that a run found for it, whose keys its results have; itself
    where none was found."""
    if project.mesh.size is not None or project.mesh.fineness is not None:
        return project
    found = results.get(stage_keys(project).settled)
    if found is None or found.fineness == 1.0:
        return project
    for stated, fineness, known in tuple(_known):
        if stated is project and fineness == found.fineness:
            return known
    fine = with_fineness(project, found.fineness)
    _known.append((project, found.fineness, fine))
    return fine


def error_that_counts(project: Project, modes: Sequence[ModesFindings]) -> tuple[float, float]:
    """(largest mesh error, the factor it belongs to) of all cases' first factors and of those that
    lie within it of what is required; (nan, nan) where none is known."""
    errors = [(float("nan"), float("nan"))]
    names = {piece.name for piece in project.pieces}
    for found in modes:
        first = float(found.positive[0]) if len(found.positive) else math.nan
        for number, (factor, error) in enumerate(zip(found.factors, found.mesh_error)):
            required = max(
                project.required_of(name) if name in names else math.inf
                for name in found.bending(number, NEARLY)
            )
            if factor == first:
                errors.append((found.first_error, first))
            elif 0 < factor * (1.0 - error) < required:
                errors.append((float(error), float(factor)))
    return max(errors, key=lambda item: -1.0 if math.isnan(item[0]) else item[0])


def next_fineness(
    fineness: float,
    error: float,
    limit: float,
    unknowns: int,
    dimensions: float,
    most: int = _MOST_SHELLS,
) -> float | None:
    """Fineness whose error is to be under the limit, for errors in the square of the sides, with
    `most` unknowns; None where the mesh does or nothing finer can be had."""
    if not error > limit:
        return None
    finer = min(max(math.sqrt(error / (_AIM * limit)), _LEAST), _LARGEST)
    possible = (most / max(unknowns, 1)) ** (1.0 / dimensions)
    finer = min(finer, possible)
    return None if finer < _LEAST else round(fineness * finer, 2)


class Settling:
    """Rounds so far: `add` takes one and tells the fineness of the next, None at the end."""

    def __init__(self, project: Project) -> None:
        self.project, self.limit = project, project.number(project.mesh, "within")
        self.rounds: list[tuple[float, float, float, float, float]] = []

    def add(
        self, fineness: float, mesh: MeshFindings, modes: Sequence[ModesFindings], dimensions: float
    ) -> float | None:
        """A mesh and the modes of all cases on it."""
        error, factor = error_that_counts(self.project, modes)
        if self.rounds and math.isnan(error):  # what is not known is no better than what was
            return None
        self.rounds.append((fineness, mesh.size, float(mesh.unknowns), factor, error))
        if len(self.rounds) > _ROUNDS:
            return None
        most = _MOST_SOLIDS if mesh.has_solids else _MOST_SHELLS
        return next_fineness(fineness, error, self.limit, mesh.unknowns, dimensions, most)

    def findings(self) -> SettledFindings:
        """What came of it: the last mesh."""
        return SettledFindings.of(self.limit, self.rounds)
