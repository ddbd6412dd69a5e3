"""What a model cut at planes of symmetry hides: modes that move the two halves against each
other."""

from __future__ import annotations

import itertools
from collections.abc import Callable

import numpy as np

from labilis.analysis.case_loads import LoadScene
from labilis.analysis.constraints import Tied
from labilis.analysis.strength_stage import SolvedCase
from labilis.model import LabilisError, Project, SymmetryAxes
from labilis.solve.factor import NotPositive, factor
from labilis.solve.modes import find_modes
from labilis.solve.system import System

Retie = Callable[[frozenset[str]], Tied]


def symmetry_planes(project: Project) -> list[str]:
    """Names of the supports that are planes of symmetry."""
    return [support.name for support in project.supports if isinstance(support.axes, SymmetryAxes)]


def antisymmetric_factor(scene: LoadScene, solved: SolvedCase, retie: Retie, limit: float) -> float:
    """Least positive factor of the modes that are antisymmetric to at least one plane, under the
    same symmetric stresses: nan without planes, infinite when there is none, 0 when the whole part
    could move freely that way."""
    names = symmetry_planes(scene.project)
    if not names:
        return float("nan")
    best = float("inf")
    for count in range(1, len(names) + 1):
        for chosen in itertools.combinations(names, count):
            best = min(best, _first(scene, solved, retie, frozenset(chosen), limit))
    return best


def _first(
    scene: LoadScene, solved: SolvedCase, retie: Retie, flipped: frozenset[str], limit: float
) -> float:
    try:
        tied = retie(flipped)
    except LabilisError as error:
        if error.code == "free-motion":
            return 0.0
        raise
    system = System(scene.system.nodes, scene.system.blocks, tied.ties)
    base = system.reduced_stiffness
    if np.any(solved.held.u):
        held = system.geometric(solved.held_states, solved.held.internal)
        base = system.plus(base, held)
        if solved.following["held"]:
            base = system.plus(base, system.following(solved.following["held"])[0])
    k_g = system.geometric(solved.growing_states, solved.growing.internal)
    if solved.following["growing"]:
        k_g = system.plus(k_g, system.following(solved.following["growing"])[0])
    try:
        base_factor = factor(base, groups=tied.ties.groups)
    except NotPositive:
        return 0.0
    found = find_modes(base, base_factor, k_g, 1, largest=limit, count=False)
    return float(found.factors[0]) if len(found.factors) else float("inf")
