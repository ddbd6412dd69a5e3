"""Levers of parameters: how much a response changes when one of them is a little larger, from
trials on both sides of the present design.

The lever of a parameter p on a response λ is d ln λ / d ln p, by central differences; what both
one-sided differences lie apart says how
far it can be off: curvature, meshes that change with the size, and modes that change places."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from labilis.model import Project, TrialPlan, shown
from labilis.results.findings import TrialFindings
from labilis.run.trials.points import STEP, Point, kernel_number, points_of, range_of


@dataclass(frozen=True)
class Lever:
    """parameter; response: lever on the objective, off: how far it can be off; mass: lever on the
    mass; value: the present value, number and unit; ranged: whether a per cent is of the range and
    not of the value, which is nought."""

    parameter: str
    response: float
    off: float
    mass: float
    value: str
    ranged: bool = False

    @property
    def known(self) -> bool:
        """Whether its sign is certain."""
        return abs(self.response) > self.off


def levers_found(project: Project, plan: TrialPlan, trials: Sequence[TrialFindings]) -> list[Lever]:
    """Levers on the objective of the parameters of which both sides and the middle are known,
    the largest first."""
    by_point = {
        frozenset(zip(trial.parameters.tolist(), trial.texts.tolist())): trial
        for trial in trials
        if not trial.reason
    }

    def at(point: Point) -> TrialFindings | None:
        return by_point.get(frozenset(point.items()))

    here, *rows = points_of(project, plan)
    middle, found = at(here), []
    if middle is None:
        return []
    for vary, low, high in zip(plan.vary, rows[::2], rows[1::2]):
        one, two = at(low), at(high)
        if one is None or two is None:
            continue
        place = middle.parameters.tolist().index(vary.parameter)
        ranged = middle.numbers[place] == 0.0
        scale = range_of(project, vary) if ranged else abs(float(middle.numbers[place]))
        steps = [
            float(trial.numbers[place] - middle.numbers[place]) / scale for trial in (one, two)
        ]
        if not ranged:  # along ln p a power is a line; a parameter about nought has no logarithm
            steps = [
                math.log1p(step) if middle.numbers[place] > 0 else -math.log1p(-step)
                for step in steps
            ]
        up, off = _slope(
            [trial.response(plan.objective, plan.of) for trial in (one, middle, two)], steps
        )
        mass, _ = _slope([trial.response("mass") for trial in (one, middle, two)], steps)
        if math.isfinite(up):
            found.append(Lever(vary.parameter, up, off, mass, here[vary.parameter], bool(ranged)))
    return sorted(found, key=lambda lever: -abs(lever.response))


def _slope(values: Sequence[float], steps: Sequence[float]) -> tuple[float, float]:
    """(d ln of the middle value per step, how far apart both sides lie, halved); nan where one
    is not a positive number."""
    if not all(math.isfinite(value) and value > 0 for value in values):
        return math.nan, math.nan
    before, here, after = (math.log(value) for value in values)
    down, up = (before - here) / steps[0], (after - here) / steps[1]
    return 0.5 * (down + up), 0.5 * abs(up - down)


def stepped(project: Project, trial: TrialFindings) -> tuple[str, float]:
    """(the parameter in which a trial differs from the present design, by how many per cent of its
    value, or of its range where that is nought); ('', 0) of the present one."""
    for name, number in zip(trial.parameters.tolist(), trial.numbers.tolist()):
        here = kernel_number(project, project.parameters[name])
        if abs(step := number - here) > 1e-9 * max(abs(here), 1e-300):
            return name, 100.0 * step / abs(here) if here else math.copysign(100.0 * STEP, step)
    return "", 0.0


def lever_words(
    plan: TrialPlan, levers: Sequence[Lever], trials: Sequence[TrialFindings] = ()
) -> str:
    """'Each 1 % larger changes the first factor by: t +2.93 %, mass +0.9 %; ...', with why
    trials of them are not to be trusted."""

    def said(lever: Lever) -> str:
        off = f" ± {lever.off:.1g}" if lever.off >= 0.005 else ""
        mass = (
            f", mass {lever.mass:+.2g} %"
            if math.isfinite(lever.mass) and abs(lever.mass) >= 5e-4
            else ""
        )
        return (
            f"{lever.parameter}{' (of its range)' if lever.ranged else ''} "
            f"{lever.response:+.3g}{off} %{mass}"
        )

    if not levers:
        return (
            "How the present design stands between its neighbours is not known: not all trials "
            "gave an answer."
        )
    unsound = next(
        (shown.restated(trial.unsound) for trial in trials if trial.unsound and not trial.reason),
        "",
    )
    doubt = f" Not to be trusted as it stands: {unsound}." if unsound else ""
    return (
        f"Each 1 % larger changes the {plan.objective_words} by: "
        + "; ".join(map(said, levers))
        + f".{doubt}"
    )
