"""Remedies for what goes unstable first: which piece thicker, and where to hold the part, each with what it is expected to give."""
from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.optimize import brentq

from labilis.judge.findings import ModesFindings
from labilis.judge.numbers import place_text
from labilis.model import LabilisError, Project
from labilis.run.keys import stage_keys
from labilis.run.masses import mass_of
from labilis.run.report import CaseReport, ProjectReport
from labilis.run.settling import settled
from labilis.shape import ShapeView

# mm: thicknesses in which sheet and plate are ordinarily sold, of EN 10131 and EN 10029
GAUGES = (0.5, 0.6, 0.7, 0.8, 0.9, 1.0, 1.2, 1.25, 1.5, 1.75, 2.0, 2.5, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0, 12.0, 15.0, 20.0, 25.0, 30.0)
_MOST = 2.1  # times the thickness: beyond, a power law of the lever is a guess
_LEAST_SHARE = 0.02  # of a mode's energy: a piece that stores less tells nothing of its lever on other modes
_FEWEST = 3  # modes that a hold is reckoned with


@dataclass(frozen=True)
class Remedy:
    """words: what to do; factor: the first factor of the case before; expected: after it, the least of all modes that are known; mass: kg
    that it adds, nan where a density is missing; path, value: the statement to change, () where none can be changed by itself."""

    words: str
    case: str
    factor: float
    expected: float
    mass: float
    path: tuple[str | int, ...] = ()
    value: str = ""

    @property
    def gain(self) -> float:
        """Factor gained."""
        return self.expected - self.factor


def worst_case(report: ProjectReport) -> CaseReport | None:
    """The case whose first factor is furthest under what its driver asks for, or nearest above."""
    known = [case for case in report.cases if case.facts.modes is not None and len(case.facts.modes.positive)]

    def ratio(case: CaseReport) -> float:
        modes = case.facts.modes
        assert modes is not None
        return float(min(factor / case.facts.required_of(driver) for factor, driver in zip(modes.factors, modes.drivers) if factor > 0))
    return min(known, key=ratio, default=None)


def advise(project: Project, report: ProjectReport, results: Mapping[str, Any]) -> list[Remedy]:
    """Remedies for the worst case: thicker pieces by factor gained per mass, then holds. Empty before there are modes."""
    case = worst_case(report)
    if case is None or case.facts.modes is None:
        return []
    view: ShapeView | None = results.get(stage_keys(settled(project, results), case.facts.case).shape)
    found = [] if view is None else [remedy for wall in walls_of(project) for remedy in _thicker(project, case, wall, view)]
    best: dict[tuple[str | int, ...], Remedy] = {}
    for remedy in found:  # of each piece the gauge that gains most per mass
        known = best.get(remedy.path)
        if known is None or _per_mass(remedy) > _per_mass(known):
            best[remedy.path] = remedy
    return sorted(best.values(), key=_per_mass, reverse=True) + _holds(case)


@dataclass(frozen=True)
class Wall:
    """Pieces whose thickness is stated at one place: title in words, path of the statement, names of the pieces."""

    title: str
    path: tuple[str | int, ...]
    pieces: tuple[str, ...]


def walls_of(project: Project) -> tuple[Wall, ...]:
    """Thicknesses of shells that can be changed: a parameter where it is the thickness as it stands, since places may hang on it as
    well, with all the pieces that have it; else the statement of the piece."""
    found: dict[tuple[str | int, ...], Wall] = {}
    for index, piece in enumerate(project.pieces):
        text = getattr(piece.recipe, "thickness", None)
        if piece.set_aside or piece.mesh_as != "shell" or text is None or getattr(piece.recipe, "web", None) is not None:
            continue
        path: tuple[str | int, ...] = ("parameters", text) if text in project.parameters else ("pieces", index, "recipe", "thickness")
        known = found.get(path)
        pieces = (*(known.pieces if known is not None else ()), piece.name)
        found[path] = Wall(" and ".join(pieces), path, pieces)
    return tuple(found.values())


def _per_mass(remedy: Remedy) -> float:
    return remedy.gain / remedy.mass if remedy.mass > 0 else remedy.gain


def thickness_of(project: Project, wall: Wall) -> float:
    """Thickness of a wall, mm."""
    return project.value(str(project.named("pieces", wall.pieces[0]).recipe.thickness), "length")


def powers_of(modes: ModesFindings, wall: Wall) -> np.ndarray:
    """(k,) levers of a wall on every mode."""
    columns = [int(column) for name in wall.pieces for column in np.flatnonzero(modes.pieces == name)]
    return np.sum([levers_of(modes, column) for column in columns], axis=0) if columns else np.zeros(len(modes.factors))


def _thicker(project: Project, case: CaseReport, wall: Wall, view: ShapeView) -> list[Remedy]:
    """The next two gauges of a wall."""
    modes = case.facts.modes
    assert modes is not None
    if not len(modes.levers):
        return []
    thickness, levers = thickness_of(project, wall), powers_of(modes, wall)
    mass = 1000.0 * mass_of(project, view, wall.pieces)
    positive = modes.factors > 0
    before = float(modes.positive[0])
    found = []
    for gauge in [size for size in GAUGES if thickness * 1.02 < size <= _MOST * thickness][:2]:
        after = float((modes.factors[positive] * (gauge / thickness) ** levers[positive]).min())
        if after > before * 1.001:
            found.append(Remedy(f"{wall.title} {gauge:g} mm thick instead of {thickness:g} mm", case.facts.case, before, after,
                                mass * (gauge / thickness - 1.0), wall.path, f"{gauge:g} mm"))
    return found


def levers_of(modes: ModesFindings, column: int) -> np.ndarray:
    """(k,) levers of a piece on every mode: found for the first ones; of the others by the share of the energy that they store in it, as
    the first ones' levers stand to theirs."""
    known = len(modes.piece_levers)
    levers = np.zeros(len(modes.factors))
    levers[:known] = modes.piece_levers[:, column]
    share = float(modes.shares[:known, column].sum())
    if share > _LEAST_SHARE * known:
        levers[known:] = modes.shares[known:, column] * float(levers[:known].sum()) / share
    return levers


def _holds(case: CaseReport) -> list[Remedy]:
    """A hold where the first mode moves most, along its motion: by the modes that are there, which overrates it."""
    modes, mesh = case.facts.modes, case.facts.mesh
    if modes is None or mesh is None or len(modes.holds) != len(modes.factors):
        return []
    rows = [row for row in np.argsort(modes.factors) if modes.factors[row] > 0 and modes.holds[row] > 0]
    if len(rows) < _FEWEST:
        return []
    shape = modes.shapes[rows[0]]
    node = int(np.linalg.norm(shape, axis=1).argmax())
    along = shape[node] / np.linalg.norm(shape[node])
    expected = held_rigidly(modes, [int(row) for row in rows], node, along)
    place = place_text(mesh.nodes[node])
    way = ", ".join(f"{c:.2g}" for c in np.round(along, 2) + 0.0)
    before = float(modes.positive[0])
    return [] if expected <= before * 1.001 else [Remedy(
        f"held at ({place}) mm along ({way}); a spring there gives {modes.holds[rows[0]]:.3g} per N/mm at first", case.facts.case, before,
        expected, 0.0)]


def held_rigidly(modes: ModesFindings, rows: list[int], node: int, along: np.ndarray) -> float:
    """First factor with a node held along a direction, by Rayleigh and Ritz over the modes `rows`: 1/k + Σ w_i / (λ_i - λ) = 0 with
    w_i the gain per stiffness of each mode there, 1/k nought. Modes that are left out could give way, so that it is at most this."""
    factors = np.array([float(modes.factors[row]) for row in rows])
    weights = np.array([float(modes.holds[row]) * float(modes.shapes[row][node] @ along) ** 2 for row in rows])
    moving = weights > 1e-9 * weights.max()
    still = factors[~moving].min() if (~moving).any() else math.inf
    factors, weights = factors[moving], weights[moving]
    if len(factors) < 2 or factors[1] - factors[0] < 1e-9 * factors[0]:
        return float(min(factors[0] if len(factors) > 1 else math.inf, still))
    gap = factors[1] - factors[0]
    root = brentq(lambda value: float((weights / (factors - value)).sum()), factors[0] + 1e-9 * gap, factors[1] - 1e-9 * gap)
    return float(min(root, still))


def tried(project: Project, remedy: Remedy) -> Project:
    """The design with a remedy. Raises LabilisError for one that no single statement makes."""
    if not remedy.path:
        raise LabilisError("A hold is stated by hand.", "supports", "Mark a line or a circle on the face there, and hold it.", "by-hand")
    return project.with_value(remedy.path, remedy.value)
