"""Trials of a plan and designs of a part as they are shown: best first with what holds each back,
and beside each other with what differs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from labilis.model import Project, TrialPlan
from labilis.results.findings import TrialFindings
from labilis.run.comparing import Beside, compared, finest_size, side_by_side, worst_headline
from labilis.run.report import ProjectReport
from labilis.run.trials import best_of, front_of, keeps, ordered, response_text
from labilis.run.trials.levers import stepped


@dataclass(frozen=True)
class RankedTrial:
    """One trial. held: what held it back, '' where it keeps to every limit; changed: the parameter
    in which it differs from the present design and by how many per cent, ('', 0) of the present
    one; figures: what the plan asks for, in words."""

    trial: TrialFindings
    held: str
    changed: tuple[str, float]
    figures: tuple[str, ...]


@dataclass(frozen=True)
class Ranked:
    """Trials of a plan, best first. best: the one that is, None where none keeps to the limits;
    why: in words."""

    plan: TrialPlan
    rows: tuple[RankedTrial, ...]
    best: TrialFindings | None
    why: str

    def front(self, places: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
        """Places (less is better, more is better) that no other beats, rising."""
        return front_of(places)


def ranked(project: Project, plan: TrialPlan, trials: Sequence[TrialFindings]) -> Ranked:
    """Trials of a plan as they are shown."""
    # how far each lies from the present design is asked where one is changed at a time only
    alone = plan.how == "one by one"
    rows = tuple(
        RankedTrial(
            trial,
            keeps(project, plan, trial),
            stepped(project, trial) if alone else ("", 0.0),
            tuple(
                response_text(name, trial.response(name, of), trial.error_of(name))
                for name, of in plan.shown
            ),
        )
        for trial in ordered(project, plan, trials)
    )
    return Ranked(plan, rows, *best_of(project, plan, trials))


@dataclass(frozen=True)
class DesignsBeside:
    """Designs side by side, the first against the others. rows: what differs and what was found;
    figures: of each design by response, None of those not run; reports: of each that was run;
    said: sentences on what makes them hard to compare, and on those not run."""

    names: tuple[str, ...]
    rows: tuple[Beside, ...]
    figures: tuple[Mapping[str, Any] | None, ...]
    reports: dict[str, ProjectReport]
    said: str

    def figure(self, row: Beside, design: int) -> float | None:
        """The figure of a row in its kernel unit, None for a row in words or a design not run."""
        found = self.figures[design]
        return None if found is None or not row.response else found["responses"][row.response]

    @property
    def finest(self) -> float | None:
        """The shortest element size (mm) where their meshes differ, else None."""
        return finest_size(list(self.reports.values()))


Known = tuple[Project, dict[str, Any] | None, ProjectReport | None]


def designs_beside(names: Sequence[str], known: Sequence[Known]) -> DesignsBeside:
    """Designs side by side by what is known of each: its statements, figures and report."""
    figures = tuple(found for _, found, _ in known)
    rows = side_by_side(
        [design for design, _, _ in known],
        list(figures),
        ["" if report is None else worst_headline(report) for _, _, report in known],
    )
    first, _, report = known[0]
    said = [
        f"{name}: {flag}"
        for name, (design, _, other) in zip(names[1:], known[1:])
        if report is not None and other is not None
        for flag in compared([first, design], [report, other])
    ]
    waiting = [name for name, found in zip(names, figures) if found is None]
    if waiting and len(names) > 1:
        said.append(f"{', '.join(waiting)}: not run yet. Choose it at the top and run it.")
    return DesignsBeside(
        tuple(names),
        tuple(rows),
        figures,
        {name: of for name, (_, _, of) in zip(names, known) if of is not None},
        " ".join(said),
    )
