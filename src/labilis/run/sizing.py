"""Size it: the gauges of some pieces with the least mass at which every mode of every case reaches
what it must.

About the present thicknesses every factor goes with a product of powers, λ_i Π (t_p / t_p0)^l_ip, l
the levers; its logarithm is linear in the choice of gauges, so that the lightest choice is a small
integer program (Haftka and Gürdal 1992, on approximations in reciprocal and logarithmic variables).
The part is run there, and the program is set up anew with what was found, until it knows of nothing
lighter that has not been run."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from scipy.optimize import Bounds, LinearConstraint, milp

from labilis.judge.gates import soundness
from labilis.judge.overall import mesh_errors
from labilis.model import LabilisError, Project, shown
from labilis.run.advice import GAUGES, Wall, powers_of, thickness_of, walls_of
from labilis.run.keys import stage_keys
from labilis.run.masses import mass_of
from labilis.run.plan import Plan, Progress, ProgressCall, Snapshot
from labilis.run.report import CaseReport, judge_project
from labilis.run.runner import Runner
from labilis.run.settling import settled
from labilis.run.trials.running import figures_of

_NOTHING = 1e-9  # of a factor that can be off by all of itself
_REACH = 2.0  # times thicker or thinner that one step goes: beyond, the powers are a guess


@dataclass(frozen=True)
class Step:
    """One run: thicknesses mm by wall (`walls_of`); mass kg; ratio: the least factor, less its mesh
    error, over what its driver asks for, of modes and of first yield; project: the design; reason:
    why it could not be run or says nothing, in words; figures: what a trial tells of it
    (`figures_of`)."""

    thicknesses: tuple[float, ...]
    mass: float
    ratio: float
    project: Project
    reason: str = ""
    figures: dict[str, Any] = field(default_factory=dict)

    @property
    def keeps(self) -> bool:
        """Whether every requirement is kept."""
        return self.ratio >= 1.0


@dataclass(frozen=True)
class _Demand:
    """ln of what is there over what must be, and the power with which each thickness raises it."""

    margin: float
    powers: tuple[float, ...]


@dataclass(frozen=True, eq=False)
class _Model:
    """A step with what is asked for about it and the mass of each sized piece, kg."""

    step: Step
    demands: list[_Demand]
    weights: np.ndarray


def size_it(
    snapshot: Snapshot,
    pieces: Sequence[str] = (),
    runs: int = 15,
    gauges: Sequence[float] = GAUGES,
    progress: ProgressCall = lambda _: None,
    found: Callable[[Step], None] = lambda _: None,
) -> list[Step]:
    """Steps in the order they were run; the best is the lightest that keeps every requirement
    (`best_step`). Pieces: all shells of recipes with one thickness when none is named; those that
    share a parameter go together. Raises LabilisError where nothing can be sized."""
    project = snapshot.project
    walls = _walls_to_size(project, pieces)
    sizes = np.array(sorted(gauges))
    start = tuple(_gauge(sizes, thickness_of(project, wall)) for wall in walls)
    steps: list[Step] = []
    tried: set[tuple[float, ...]] = set()
    runner = Runner()
    models: list[_Model] = []
    here: tuple[float, ...] | None = start
    while here is not None and len(steps) < runs:
        words = ", ".join(f"{wall.title} {shown.length(t)}" for wall, t in zip(walls, here))
        progress(Progress(len(steps) / runs, f"Run {len(steps) + 1}: {words}"))
        design = _with(project, walls, here)
        try:
            model = _run(runner, Snapshot(design, snapshot.files), walls, here)
        except (
            LabilisError
        ) as error:  # a design that cannot be run is none; the project itself must be
            if here == start:
                raise
            steps.append(Step(here, math.inf, 0.0, design, f"{error.what} {error.remedy}".strip()))
        else:
            steps.append(model.step)
            models.append(model)
        tried.add(here)
        found(steps[-1])
        here = _next(sizes, models, tried)
    return steps


def _walls_to_size(project: Project, pieces: Sequence[str]) -> tuple[Wall, ...]:
    """Walls of the named pieces, all that can be sized without a name."""
    walls = walls_of(project)
    for name in pieces:
        if not any(name in wall.pieces for wall in walls):
            if not any(piece.name == name for piece in project.pieces):
                raise LabilisError(
                    f"There is no piece called '{name}'.",
                    "pieces",
                    "The project has: " + ", ".join(piece.name for piece in project.pieces) + ".",
                    "missing-name",
                )
            raise LabilisError(
                f"'{name}' cannot be sized: it is no shell of a recipe with one thickness.",
                f"pieces/{name}",
                "Leave it out.",
                "nothing-to-size",
            )
    chosen = tuple(wall for wall in walls if not pieces or set(pieces) & set(wall.pieces))
    if not chosen:
        raise LabilisError(
            "No piece can be sized: only shells of recipes with one thickness can.",
            "pieces",
            "Mesh recipes as shells.",
            "nothing-to-size",
        )
    return chosen


def _next(
    sizes: np.ndarray, models: list[_Model], tried: set[tuple[float, ...]]
) -> tuple[float, ...] | None:
    """Where to run next: the lightest that the program about the best design knows of, then what
    those about the others know."""
    best = best_step([model.step for model in models])
    least = math.inf if best is None else best.mass
    last = [models[-1]] if best is None else [model for model in models if model.step is best]
    others = sorted(
        (model for model in models if model not in last),
        key=lambda model: abs(math.log(max(model.step.ratio, 1e-12))),
    )
    for model in (*last, *others):
        if (point := _lightest(sizes, model, tried, least)) is not None:
            return point
    return None


def words_of(walls: Sequence[Wall], steps: Sequence[Step]) -> str:
    """What sizing came to, in a sentence."""
    best = best_step(steps)
    if best is None:
        why = f": {steps[-1].reason}" if steps and steps[-1].reason else ""
        return f"None of {len(steps)} runs keeps to what is asked for{why}."
    return (
        f"Lightest of {len(steps)} runs: "
        + ", ".join(f"{wall.title} {shown.length(t)}" for wall, t in zip(walls, best.thicknesses))
        + f"; {shown.mass(best.mass / 1000.0)}, {best.ratio:.3g} of what is asked for with its "
        "mesh error."
    )


def best_step(steps: Sequence[Step]) -> Step | None:
    """The lightest that keeps every requirement."""
    return min((step for step in steps if step.keeps), key=lambda step: step.mass, default=None)


def _gauge(sizes: np.ndarray, thickness: float) -> float:
    """The next gauge that is not thinner."""
    above = sizes[sizes >= thickness * (1 - 1e-9)]
    return float(above[0] if len(above) else sizes[-1])


def _with(project: Project, walls: Sequence[Wall], thicknesses: Sequence[float]) -> Project:
    for wall, thickness in zip(walls, thicknesses):
        project = project.with_value(wall.path, f"{thickness:g} mm")
    return project


def _run(
    runner: Runner, snapshot: Snapshot, walls: Sequence[Wall], here: tuple[float, ...]
) -> _Model:
    """What was found at these thicknesses."""
    results = runner.run(snapshot, Plan("modes"))
    project = settled(snapshot.project, results)
    report = judge_project(snapshot.project, results)
    view = results[stage_keys(project).shape]
    demands: list[_Demand] = []
    for case in report.cases:
        modes = case.facts.modes
        if modes is not None and len(
            modes.positive
        ):  # `_not_sound` tells those without that are not to be trusted
            powers, errors = (
                np.array([powers_of(modes, wall) for wall in walls]),
                mesh_errors(modes),
            )
            for row in np.flatnonzero(modes.factors > 0):
                asked = case.facts.required_for(int(row))
                demands.append(
                    _Demand(
                        math.log(
                            float(modes.factors[row]) * max(1.0 - errors[row], _NOTHING) / asked
                        ),
                        tuple(powers[:, row].tolist()),
                    )
                )
        strength = case.facts.strength
        if strength is not None and math.isfinite(
            strength.strength_factor
        ):  # stress goes with 1/t or faster
            demands.append(
                _Demand(
                    math.log(max(float(strength.strength_factor), _NOTHING)),
                    tuple(1.0 for _ in walls),
                )
            )
    mass = 1000.0 * mass_of(project, view)
    if not math.isfinite(mass):
        raise LabilisError(
            "A material has no density, so that there is no mass to be least.",
            "materials",
            "State its density.",
            "density",
        )
    weights = np.array([1000.0 * mass_of(project, view, wall.pieces) for wall in walls])
    worst = math.exp(min((demand.margin for demand in demands), default=math.inf))
    why = next((why for case in report.cases for why in _not_sound(case)), "")
    figures = figures_of(project, report, results)
    return _Model(
        Step(here, mass, 0.0 if why else worst, snapshot.project, why, figures), demands, weights
    )


def _not_sound(case: CaseReport) -> tuple[str, ...]:
    """Why a case says nothing of what the part can do, however large its factors."""
    modes = case.facts.modes
    if modes is None:
        return (f"{case.facts.case} was not run",)
    why = list(soundness(case.facts, case.evidence))
    if len(modes.positive) and math.isnan(modes.first_error):
        why.append("how far the first factor can be off for its mesh is not known")
    if case.facts.without_yield and "strength" not in case.facts.project.criteria.left_out:
        why.append(f"the material of {case.facts.without_yield[0]} has no yield strength")
    return tuple(why)


def _lightest(
    sizes: np.ndarray, model: _Model, tried: set[tuple[float, ...]], least: float
) -> tuple[float, ...] | None:
    """The lightest choice of gauges within reach that should keep every demand, is lighter than the
    best and was not tried; the one that comes nearest to keeping them where none does and nothing
    keeps them yet."""
    here, mass, weights, demands = (
        model.step.thicknesses,
        model.step.mass,
        model.weights,
        model.demands,
    )
    options = [
        [size for size in sizes if t / _REACH * (1 - 1e-9) <= size <= t * _REACH * (1 + 1e-9)]
        for t in here
    ]
    columns = [(piece, float(size)) for piece, choice in enumerate(options) for size in choice]
    cost = np.array([weights[piece] * size / here[piece] for piece, size in columns])
    fixed = mass - float(weights.sum())
    one = np.array(
        [[1.0 if piece == row else 0.0 for piece, _ in columns] for row in range(len(here))]
    )
    rows = [LinearConstraint(one, 1.0, 1.0)]
    if demands:
        grown = np.array(
            [
                [demand.powers[piece] * math.log(size / here[piece]) for piece, size in columns]
                for demand in demands
            ]
        )
        rows.append(
            LinearConstraint(grown, np.array([-demand.margin for demand in demands]), np.inf)
        )
    if math.isfinite(least):
        rows.append(LinearConstraint(cost[None], -np.inf, least - fixed - 1e-9 * max(least, 1e-9)))
    for point in tried:
        rows.append(
            LinearConstraint(
                np.array([[1.0 if point[piece] == size else 0.0 for piece, size in columns]]),
                -np.inf,
                len(here) - 1,
            )
        )
    answer = milp(cost, constraints=rows, integrality=np.ones(len(columns)), bounds=Bounds(0, 1))
    if answer.x is not None:
        return tuple(size for (_, size), chosen in zip(columns, answer.x) if chosen > 0.5)
    if math.isfinite(least):
        return None
    # nothing within reach keeps all: the step that raises the worst most
    thicker = tuple(max(choice) for choice in options)
    return thicker if thicker not in tried else None
