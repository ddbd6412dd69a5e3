"""What a report tells of the station Improve: the trials of each plan, and designs side by side."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from labilis.edit.variants import design_names, design_of
from labilis.model import Project, TrialPlan, named
from labilis.report.blocks import Table, Words, plain
from labilis.results.findings import TrialFindings
from labilis.run.comparing import side_by_side, worst_headline
from labilis.run.report import ProjectReport
from labilis.run.trials import (
    best_of,
    figures_of_trial,
    found_of,
    keeps,
    ordered,
    response_text,
    trial_key,
)
from labilis.words.plan import plan_sentence

_MOST = 40  # trials of a plan that stand on the pages


@dataclass(frozen=True)
class Design:
    """A design: its name and statements; figures as `figures_of` gives them, None where it was
    not run; its verdict, '' without one."""

    name: str
    project: Project
    figures: Mapping[str, Any] | None = None
    verdict: str = ""


@dataclass(frozen=True)
class Improved:
    """What was tried: the project with its plans, trials by key, and its designs, the one that
    the report is of first."""

    project: Project
    trials: Mapping[str, TrialFindings]
    designs: tuple[Design, ...] = ()


def improved_of(
    project: Project,
    trials: Mapping[str, TrialFindings],
    report: ProjectReport,
    figures: Mapping[str, Any],
) -> Improved:
    """Of a project that was run as it stands: its other designs by the trials that they came
    from."""
    designs = [
        Design(
            project.design,
            design_of(project, project.design),
            figures,
            worst_headline(report) if report.cases else "",
        )
    ]
    for name in design_names(project)[1:]:
        design = design_of(project, name)
        designs.append(Design(name, design, figures_of_trial(trials.get(trial_key(design, {})))))
    return Improved(project, trials, tuple(designs))


def improve_blocks(improved: Improved | None) -> list[Words | Table]:
    """Each plan that was run in words and as a table, best first; then the designs."""
    if improved is None:
        return []
    found: list[Words | Table] = []
    for index, plan in enumerate(improved.project.plans):
        trials = found_of(improved.project, plan, improved.trials)
        if trials:
            found += _plan(improved.project, index, plan, trials)
    if len(improved.designs) > 1:
        found += _designs(improved.designs)
    return found


def _plan(
    project: Project, index: int, plan: TrialPlan, trials: Sequence[TrialFindings]
) -> list[Words | Table]:
    rows = ordered(project, plan, trials)
    best, why = best_of(project, plan, trials)
    at = (
        ""
        if best is None
        else ", ".join(f"{name} {text}" for name, text in zip(best.parameters, best.texts)) + ": "
    )
    cells = []
    for trial in rows[:_MOST]:
        texts = dict(zip(trial.parameters.tolist(), trial.texts.tolist()))
        cells.append(
            (
                *(texts.get(vary.parameter, "") for vary in plan.vary),
                *(
                    response_text(name, trial.response(name, of), trial.error_of(name))
                    for name, of in plan.shown
                ),
                keeps(project, plan, trial) or "–",
            )
        )
    heads = (
        *(vary.words for vary in plan.vary),
        *(named(*one) for one in plan.shown),
        "held back by",
    )
    more = f", the first {_MOST} of {len(rows)}" if len(rows) > _MOST else ""
    return [
        Words(plain(plan_sentence(project, index))),
        Words(f"{at}{why}", "good" if best is not None else ""),
        Table(
            f"Trials of {plan.name}, best first{more}",
            heads,
            tuple(cells),
            (*range(len(plan.vary)), len(heads) - 1),
        ),
    ]


def _designs(designs: Sequence[Design]) -> list[Words | Table]:
    rows = side_by_side(
        [design.project for design in designs],
        [design.figures for design in designs],
        [design.verdict for design in designs],
    )
    return [
        Table(
            "Designs side by side",
            ("", f"{designs[0].name} (this report)", *(design.name for design in designs[1:])),
            tuple((row.title, *row.texts) for row in rows),
            (0,),
        )
    ]
