"""What is drawn of the trials of a plan: the objective over a parameter, a map over two, mass
against factor. Without Qt's widgets."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from labilis.model import RESPONSE_KINDS, TrialPlan, Vary, is_choice
from labilis.ui.drawer.chart import Line, Panel
from labilis.ui.theme import PAPER

if TYPE_CHECKING:
    from labilis.app.trial_table import Ranked, RankedTrial
    from labilis.results.findings import TrialFindings

_MOST_LINES = 5


def _colours() -> tuple[str, ...]:
    """Of lines beside each other."""
    return PAPER.accent, PAPER.caution, PAPER.bad, PAPER.ink, PAPER.quiet


EACH = "each alone"
KEPT, HELD, FRONT = "keeps to the limits", "does not", "nothing beats"


def plots_of(plan: TrialPlan) -> tuple[str, ...]:
    """Names of what can be drawn of a plan, the first is shown unless another is chosen."""
    names = [vary.words for vary in plan.vary]
    if plan.how == "one by one":
        return (EACH,)
    over = f"{plan.objective_words} over {names[0]}"
    if len(names) < 2:
        return (over, "mass and first factor")
    across = f"map of {names[0]} and {names[1]}"
    first = (over, across) if plan.how == "grid" and len(names) == 2 else (across, over)
    return (*first, "mass and first factor")


def panel_of(name: str, ranked: Ranked) -> Panel | None:
    """The panel of one of these names; None where there is nothing to draw."""
    if name.startswith("map of "):
        return _map(ranked)
    if name == "mass and first factor":
        return _front(ranked)
    if name == EACH:
        return _each(ranked)
    return _lines(ranked)


def place_of(name: str, plan: TrialPlan, row: RankedTrial) -> tuple[float, float]:
    """Where a trial stands in the panel of a name."""
    trial = row.trial
    if name.startswith("map of "):
        return _along(plan.vary[0], trial), _along(plan.vary[1], trial)
    if name == "mass and first factor":
        return _shown(trial, "mass"), _shown(trial, "first factor")
    if name == EACH:
        return row.changed[1], _shown(trial, plan.objective, plan.of)
    return _along(plan.vary[0], trial), _shown(trial, plan.objective, plan.of)


def _each(ranked: Ranked) -> Panel | None:
    """The objective over the change of each parameter."""
    plan = ranked.plan
    lines: dict[str, list[tuple[float, float]]] = {vary.parameter: [] for vary in plan.vary}
    for row in ranked.rows:
        (name, step), value = row.changed, _shown(row.trial, plan.objective, plan.of)
        for other, points in lines.items():
            if math.isfinite(value) and name in ("", other):
                points.append((step, value))
    drawn = [(name, points) for name, points in lines.items() if len(points) > 1]
    drawn.sort(key=lambda item: min(y for _, y in item[1]) - max(y for _, y in item[1]))
    return (
        Panel(
            "change, %",
            _with_unit(plan),
            tuple(
                Line(name, tuple(sorted(points)), colour)
                for (name, points), colour in zip(drawn, _colours())
            ),
        )
        if drawn
        else None
    )


def _along(vary: Vary, trial: TrialFindings) -> float:
    """Where a trial stands along a parameter; along a choice its place in the list, from 1."""
    row = trial.parameters.tolist().index(vary.parameter)
    if is_choice(vary.parameter):
        text = str(trial.texts[row])
        return 1.0 + vary.values.index(text) if text in vary.values else math.nan
    return float(trial.numbers[row])


def _shown(trial: TrialFindings, response: str, of: str = "") -> float:
    return trial.response(response, of) * RESPONSE_KINDS[response][2]


def _with_unit(plan: TrialPlan) -> str:
    unit = RESPONSE_KINDS[plan.objective][1]
    return f"{plan.objective_words}, {unit}" if unit else plan.objective_words


def _axis(ranked: Ranked, vary: Vary) -> str:
    """A parameter with its unit; lengths are drawn in mm. A choice with what its places stand
    for."""
    name = vary.parameter
    if is_choice(name):
        return f"{vary.words}: " + ", ".join(
            f"{place} {text[:24]}" for place, text in enumerate(vary.values, 1)
        )
    unit = next(
        (
            text.split()[-1]
            for row in ranked.rows
            for other, text in zip(row.trial.parameters, row.trial.texts)
            if other == name and " " in text and text.split()[-1].isalpha()
        ),
        "",
    )
    return f"{name}, mm" if unit in ("mm", "cm", "m", "in") else name


def _lines(ranked: Ranked) -> Panel | None:
    """The objective over the first parameter, a line for each value of the second of a grid."""
    plan, lines = ranked.plan, dict[str, list[tuple[float, float]]]()
    names = [vary.parameter for vary in plan.vary]
    for trial in (row.trial for row in ranked.rows):
        texts = dict(zip(trial.parameters.tolist(), trial.texts.tolist()))
        x, y = _along(plan.vary[0], trial), _shown(trial, plan.objective, plan.of)
        if math.isfinite(x) and math.isfinite(y):
            lines.setdefault(
                texts[names[1]] if plan.how == "grid" and len(names) > 1 else "", []
            ).append((x, y))
    if not lines:
        return None
    drawn = sorted(lines.items(), key=lambda item: -max(y for _, y in item[1]))[:_MOST_LINES]
    by = f", by {plan.vary[1].words}" if len(drawn) > 1 else ""
    dots = (
        "filled" if len(names) > 1 and plan.how != "grid" else ""
    )  # points of several parameters make no line
    return Panel(
        _axis(ranked, plan.vary[0]),
        _with_unit(plan) + by,
        tuple(
            Line(name or plan.objective_words, tuple(sorted(points)), colour, dots=dots)  # type: ignore[arg-type]
            for (name, points), colour in zip(drawn, _colours())
        ),
    )


def _map(ranked: Ranked) -> Panel | None:
    """Both parameters, the objective's value beside each point, and whether it keeps to the
    limits."""
    plan = ranked.plan
    groups: dict[str, list[tuple[tuple[float, float], str]]] = {KEPT: [], HELD: []}
    for row in ranked.rows:
        value = _shown(row.trial, plan.objective, plan.of)
        words = f"{value:.4g}" if math.isfinite(value) else "–"
        groups[HELD if row.held else KEPT].append((place_of("map of ", plan, row), words))
    if not ranked.rows:
        return None
    return Panel(
        _axis(ranked, plan.vary[0]),
        _axis(ranked, plan.vary[1]),
        tuple(
            Line(
                title,
                tuple(place for place, _ in points),
                colour,
                dots=dots,  # type: ignore[arg-type]
                labels=tuple(words for _, words in points),
            )
            for (title, points), colour, dots in zip(
                groups.items(), (PAPER.accent, PAPER.quiet), ("filled", "ringed")
            )
            if points
        ),
    )


def _front(ranked: Ranked) -> Panel | None:
    """First factor against mass, and the line of those that no other beats in both."""
    known = [(place_of("mass and first factor", ranked.plan, row), row.held) for row in ranked.rows]
    known = [(place, held) for place, held in known if all(map(math.isfinite, place))]
    if not known:
        return None
    front = ranked.front([place for place, held in known if not held])
    lines = [Line(FRONT, tuple(front), PAPER.caution, dashed=True)] if len(front) > 1 else []
    for title, colour, dots, wanted in (
        (KEPT, PAPER.accent, "filled", True),
        (HELD, PAPER.quiet, "ringed", False),
    ):
        points = tuple(place for place, held in known if bool(held) is not wanted)
        lines += [Line(title, points, colour, dots=dots)] if points else []  # type: ignore[arg-type]
    return Panel("mass, kg", "first factor", tuple(lines))
