"""Commands of the station Improve: trial plans, and designs side by side."""

from __future__ import annotations

import csv
import math
import os
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import typer

from labilis.cli.writing import tell_json
from labilis.model import LabilisError, Project, shown
from labilis.model.trials import TrialPlan

_SCHEDULER = typer.Option(
    help="Address of a Dask scheduler, such as tcp://10.0.0.5:8786, on whose workers they run."
)


def add_commands(app: typer.Typer) -> None:
    """Puts the commands of this file on the command line."""
    app.command()(trials)
    app.command()(compare)
    app.command()(advise)
    app.command()(size)


def trials(
    model: Annotated[
        Path, typer.Argument(help="A JSON model or a .labilis project with a trial plan.")
    ],
    plan: Annotated[
        str | None, typer.Argument(help="Which plan; the first when none is named.")
    ] = None,
    workers: Annotated[
        int | None,
        typer.Option(
            min=1, max=64, help="Trials that run side by side; all cores when none is stated."
        ),
    ] = None,
    scheduler: Annotated[str | None, _SCHEDULER] = None,
    keep: Annotated[
        Path | None,
        typer.Option(help="File in which trials of a JSON model are kept, to go on from."),
    ] = None,
    csv_: Annotated[Path | None, typer.Option("--csv", help="File for the table.")] = None,
    json_: Annotated[
        Path | None, typer.Option("--json", help="File for the results; - for standard output.")
    ] = None,
    variant: Annotated[
        str | None,
        typer.Option(help="Keep the best trial as a design of this name (.labilis only)."),
    ] = None,
) -> None:
    """Run a trial plan; what was found before is not run again (status 1 if no trial keeps to
    the limits)."""
    from labilis.run.trials import best_of, keeps, levers_found, ordered, run_plan
    from labilis.store import load_model

    snapshot = load_model(model)
    chosen = _plan_of(project := snapshot.project, plan)
    _check_variant(model, variant)
    known, give, close = kept_trials(model, keep)
    found: list[Any] = []
    running = run_plan(
        snapshot, chosen, known, give, workers or os.cpu_count() or 1, scheduler=scheduler
    )
    try:
        for trial in running:
            found.append(trial)
            if str(json_) != "-":
                typer.echo(_line(len(found), trial, chosen.objective), err=True)
    finally:
        close()
    rows, (best, why) = ordered(project, chosen, found), best_of(project, chosen, found)
    held = [keeps(project, chosen, trial) for trial in rows]
    levers = levers_found(project, chosen, found) if chosen.how == "one by one" else []
    data = _plan_json(chosen, rows, held, best, why, levers)
    if not tell_json(data, json_):
        _print_table(chosen, rows, held)
        typer.echo(_best_words(best) + why)
    if csv_ is not None:
        _write_csv(csv_, rows, held)
    _keep_trial(model, variant, project, best)
    raise typer.Exit(0 if best is not None or levers else 1)


def _plan_json(
    plan: Any, rows: Any, held: list[str], best: Any, why: str, levers: Any
) -> dict[str, Any]:
    data: dict[str, Any] = {
        "plan": plan.name,
        "trials": [_as_json(trial, why_not) for trial, why_not in zip(rows, held)],
        "best": None if best is None else dict(zip(best.parameters.tolist(), best.texts.tolist())),
        "why": why,
    }
    if levers:
        data["levers"] = [_lever_json(lever) for lever in levers]
    return data


def _plan_of(project: Project, plan: str | None) -> TrialPlan:
    """The plan of this name, the first when none is named."""
    if not project.plans:
        raise LabilisError(
            "The model has no trial plan.",
            "plans",
            "State one: see `plans` in docs/model-format.md.",
            "no-plan",
        )
    return project.plans[0] if plan is None else project.named("plans", plan)


def _lever_json(lever: Any) -> dict[str, Any]:
    return {
        "parameter": lever.parameter,
        "value": lever.value,
        "lever": lever.response,
        "off": lever.off,
        "mass": lever.mass if math.isfinite(lever.mass) else None,
        "of_its_range": lever.ranged,
    }


def _keep_trial(model: Path, variant: str | None, project: Project, best: Any) -> None:
    from labilis.run.trials import project_at

    if variant is None or best is None:
        return
    point = {str(name): str(text) for name, text in zip(best.parameters, best.texts)}
    _keep_design(model, variant, project_at(project, point))


def _best_words(best: Any) -> str:
    if best is None:
        return ""
    at = ", ".join(f"{name} {text}" for name, text in zip(best.parameters, best.texts))
    return f"Best: {at}. "


def kept_trials(
    model: Path, keep: Path | None
) -> tuple[dict[str, Any], Callable[[str, Any], None], Callable[[], None]]:
    """(trials that are known, how to keep one, how to end): in the project file itself, or in
    the file that was named."""
    from labilis.store import ProjectFile
    from labilis.store.kept_trials import keep_trial, read_trials

    if model.suffix.lower() != ".json":
        opened = ProjectFile.open(model)
        known = opened.trials()
        return (
            known,
            opened.put_result if not opened.read_only else lambda _key, _trial: None,
            opened.close,
        )
    if keep is None:
        return {}, lambda _key, _trial: None, lambda: None
    return dict(read_trials(keep)), lambda key, trial: keep_trial(keep, key, trial), lambda: None


def _check_variant(model: Path, name: str | None) -> None:
    """Raises LabilisError, before anything is run, where a design of this name cannot be kept."""
    from labilis.edit.variants import keep_variant
    from labilis.store import load_model

    if name is None:
        return
    if model.suffix.lower() == ".json":
        raise LabilisError(
            "A design is kept in a project file.",
            "--variant",
            "Make one with `labilis import-model`.",
            "variant",
        )
    keep_variant(load_model(model).project, name)


def _keep_design(model: Path, name: str, design: Any) -> None:
    from labilis.edit.variants import keep_variant
    from labilis.store import ProjectFile

    opened = ProjectFile.open(model)
    try:
        opened.commit(keep_variant(opened.project, name, design), f"design '{name}' kept")
    finally:
        opened.close()


def _line(number: int, trial: Any, objective: str) -> str:
    from labilis.run.trials import response_text

    at = ", ".join(f"{name} {text}" for name, text in zip(trial.parameters, trial.texts))
    value, error = trial.response(objective), trial.error_of(objective)
    said = trial.reason or f"{objective} {response_text(objective, value, error)}"
    return f"{number:4d}  {at}: {said} ({trial.seconds:.1f} s)"


def _as_json(trial: Any, held_back: str) -> dict[str, Any]:
    from labilis.model import RESPONSE_KINDS, RESPONSES

    def number(value: float) -> float | None:
        return value if math.isfinite(value) else None

    units = {name: RESPONSE_KINDS[name][1:] for name in RESPONSES}
    return {
        "parameters": dict(zip(trial.parameters.tolist(), trial.texts.tolist())),
        "responses": {
            name + (f", {unit}" if unit else ""): number(trial.response(name) * scale)
            for name, (unit, scale) in units.items()
        },
        "first_factors": {
            owner: number(value) for owner, value in zip(trial.whose.tolist(), trial.least.tolist())
        },
        "mesh_error": number(trial.mesh_error),
        "meets": {1: True, 0: False}.get(trial.meets),
        "driver": trial.driver,
        "kind": trial.kind,
        "keeps_to_limits": not held_back,
        "held_back": held_back,
    }


def _print_table(plan: Any, rows: list[Any], held: list[str]) -> None:
    from rich.console import Console
    from rich.table import Table

    from labilis.model import named
    from labilis.run.trials import response_text

    shown = plan.shown
    table = Table(box=None, padding=(0, 2, 0, 0))
    for head in (
        "",
        *(vary.words for vary in plan.vary),
        *(named(*one) for one in shown),
        "driver",
        "held back by",
    ):
        table.add_column(
            head, justify="left" if head in ("driver", "held back by") else "right", overflow="fold"
        )
    for number, (trial, why) in enumerate(zip(rows, held), 1):
        texts = dict(zip(trial.parameters.tolist(), trial.texts.tolist()))
        table.add_row(
            str(number),
            *(texts.get(vary.parameter, "") for vary in plan.vary),
            *(
                response_text(name, trial.response(name, of), trial.error_of(name))
                for name, of in shown
            ),
            trial.driver,
            why,
        )
    Console(width=None if os.isatty(1) else 160, highlight=False, markup=False).print(table)


def _write_csv(path: Path, rows: list[Any], held: list[str]) -> None:
    from labilis.model import RESPONSE_KINDS, RESPONSES
    from labilis.store.export import plain_cell, told_of_disk

    def number(value: float) -> str:
        return "" if math.isnan(value) else f"{value:.9g}"

    with told_of_disk(path), open(path, "w", newline="", encoding="utf-8") as target:
        out = csv.writer(target)
        names = rows[0].parameters.tolist() if rows else []
        heads = [
            f"{name}, {RESPONSE_KINDS[name][1]}" if RESPONSE_KINDS[name][1] else name
            for name in RESPONSES
        ]
        last = ("mesh error of the first factor, %", "driver", "kind", "held back by")
        out.writerow([plain_cell(cell) for cell in (*names, *heads, *last)])
        for trial, why in zip(rows, held):
            out.writerow(
                [
                    plain_cell(cell)
                    for cell in (
                        *trial.texts.tolist(),
                        *(
                            number(trial.response(name) * RESPONSE_KINDS[name][2])
                            for name in RESPONSES
                        ),
                        number(100 * trial.mesh_error),
                        trial.driver,
                        trial.kind,
                        why,
                    )
                ]
            )


def compare(
    model: Annotated[
        Path, typer.Argument(help="A JSON model or a .labilis project with several designs.")
    ],
    one: Annotated[
        str,
        typer.Argument(
            help="A design; the present one is called 'first design' unless it was renamed."
        ),
    ],
    other: Annotated[str, typer.Argument(help="Another design.")],
    json_: Annotated[
        Path | None, typer.Option("--json", help="File for the results; - for standard output.")
    ] = None,
) -> None:
    """Two designs side by side: what differs in what is stated, and what was found of each
    (status as of `check` on the second)."""
    from labilis.edit.variants import design_of, differences
    from labilis.run import Plan, Runner, Snapshot, judge_project
    from labilis.run.comparing import compared
    from labilis.run.trials.running import figures_of
    from labilis.store import load_model

    snapshot = load_model(model)
    designs = [design_of(snapshot.project, name) for name in (one, other)]
    runner, reports, figures = Runner(), [], []
    for design in designs:
        results = runner.run(Snapshot(design, snapshot.files), Plan("modes"))
        reports.append(judge_project(design, results))
        figures.append(figures_of(design, reports[-1], results))
    stated = differences(*designs)
    flags = compared(designs, reports)
    names = (one, other)
    if not tell_json(_compared_json(names, stated, figures, reports, flags), json_):
        _print_compared(names, stated, figures, reports)
        for flag in flags:
            typer.echo(f"▬ {flag}")
    raise typer.Exit({True: 0, False: 1, None: 3}[reports[1].meets])


def _print_compared(
    names: tuple[str, str],
    stated: list[tuple[str, str, str]],
    figures: list[dict[str, Any]],
    reports: list[Any],
) -> None:
    from rich.console import Console
    from rich.table import Table

    from labilis.model import RESPONSES
    from labilis.run.trials import error_in, response_text

    table = Table(box=None, padding=(0, 2, 0, 0))
    for head in ("", *names, "change"):
        table.add_column(head, justify="left" if not head else "right", overflow="fold")
    for where, here, there in stated:
        table.add_row(where, here or "–", there or "–", "")
    for name in RESPONSES:
        a, b = (float(found["responses"][name]) for found in figures)
        change = (
            f"{100 * (b / a - 1):+.1f} %" if math.isfinite(a) and math.isfinite(b) and a else ""
        )
        table.add_row(
            name,
            *(
                response_text(name, value, error_in(found, name))
                for value, found in zip((a, b), figures)
            ),
            change,
        )
    table.add_row(
        "driver and kind", *(f"{found['driver']}, {found['kind']}" for found in figures), ""
    )
    for case in reports[0].cases:
        two = reports[1].case(case.facts.case)
        table.add_row(
            f"verdict, {case.facts.case}",
            case.verdict.headline,
            "–" if two is None else two.verdict.headline,
            "",
        )
    Console(width=None if os.isatty(1) else 160, highlight=False, markup=False).print(table)


def _compared_json(
    names: tuple[str, str],
    stated: list[tuple[str, str, str]],
    figures: list[dict[str, Any]],
    reports: list[Any],
    flags: list[str],
) -> dict[str, Any]:
    from labilis.model import RESPONSE_KINDS

    def number(name: str, value: float) -> float | None:
        return value * RESPONSE_KINDS[name][2] if math.isfinite(value) else None

    return {
        "designs": [
            {
                "name": name,
                "meets": report.meets,
                "mesh_error": found["mesh_error"] if math.isfinite(found["mesh_error"]) else None,
                "driver": found["driver"],
                "kind": found["kind"],
                "responses": {
                    key: number(key, float(value)) for key, value in found["responses"].items()
                },
                "verdicts": {case.facts.case: case.verdict.headline for case in report.cases},
            }
            for name, found, report in zip(names, figures, reports)
        ],
        "differences": [
            {"where": where, names[0]: here, names[1]: there} for where, here, there in stated
        ],
        "flags": flags,
    }


def advise(
    model: Annotated[Path, typer.Argument(help="A JSON model or a .labilis project.")],
    try_: Annotated[
        int | None,
        typer.Option("--try", min=1, help="Also run the project with the remedy of this number."),
    ] = None,
    keep: Annotated[
        Path | None,
        typer.Option(help="File with trials of a JSON model, for the levers of its parameters."),
    ] = None,
    json_: Annotated[
        Path | None, typer.Option("--json", help="File for the results; - for standard output.")
    ] = None,
) -> None:
    """What would raise the factor of the worst case most for its mass, and what each is expected
    to give."""
    from labilis.run import Plan, Runner, judge_project
    from labilis.run.advice import advise as remedies_of
    from labilis.store import load_model

    snapshot = load_model(model)
    runner = Runner()
    results = runner.run(snapshot, Plan("modes"))
    known, _, close = kept_trials(model, keep)
    close()
    found = remedies_of(snapshot.project, judge_project(snapshot.project, results), results, known)
    rows = [
        {
            "remedy": item.words,
            "case": item.case,
            "factor": item.factor,
            "expected": item.expected if math.isfinite(item.expected) else None,
            "mass_kg": item.mass if math.isfinite(item.mass) else None,
            "harms": item.harms,
            "found": None,
        }
        for item in found
    ]
    if try_ is not None:
        rows[try_ - 1]["found"] = _found_with(snapshot, runner, found, try_)
    if tell_json(rows, json_):
        return
    if not found:
        typer.echo(
            "Nothing that is known here would raise the factor: only shells of recipes can be made "
            "thicker by themselves."
        )
    for number, (item, row) in enumerate(zip(found, rows), 1):
        said = f"; found {row['found']:.4g}" if row["found"] is not None else ""
        typer.echo(f"{number}  {item.sentence.removesuffix('.')} ({item.case}){said}")


def _found_with(snapshot: Any, runner: Any, found: Any, number: int) -> float | None:
    """The first factor of the project with the remedy of this number; None if nothing buckles."""
    from labilis.run import Plan, judge_project
    from labilis.run.advice import tried

    if number > len(found):
        raise LabilisError(
            f"There are {len(found)} remedies.", "--try", "Name one of them.", "remedy"
        )
    item = found[number - 1]
    design = tried(snapshot.project, item)
    after = judge_project(
        design, runner.run(type(snapshot)(design, snapshot.files), Plan("modes"))
    ).case(item.case)
    modes = None if after is None else after.facts.modes
    return float(modes.positive[0]) if modes is not None and len(modes.positive) else None


def size(
    model: Annotated[Path, typer.Argument(help="A JSON model or a .labilis project.")],
    pieces: Annotated[
        list[str] | None, typer.Argument(help="Pieces to size; all that can be when none is named.")
    ] = None,
    runs: Annotated[int, typer.Option(min=1, max=200, help="At most so many runs.")] = 15,
    gauges: Annotated[
        str | None, typer.Option(help="Thicknesses to choose from, in mm, such as '1,1.5,2'.")
    ] = None,
    variant: Annotated[
        str | None,
        typer.Option(help="Keep the lightest that meets as a design of this name (.labilis only)."),
    ] = None,
    json_: Annotated[
        Path | None, typer.Option("--json", help="File for the results; - for standard output.")
    ] = None,
) -> None:
    """The gauges with the least mass at which every mode reaches what it must, and first yield
    the service load (status 1 if none does)."""
    from labilis.run.advice import GAUGES, walls_of
    from labilis.run.sizing import best_step, size_it, words_of
    from labilis.store import load_model

    try:
        chosen = GAUGES if gauges is None else tuple(float(text) for text in gauges.split(","))
    except ValueError as error:
        raise LabilisError(
            f"'{gauges}' are no thicknesses.",
            "--gauges",
            "Numbers in mm with commas between them, such as 1,1.5,2.",
            "gauges",
        ) from error
    _check_variant(model, variant)
    snapshot = load_model(model)
    count = [0]

    def tell(step: Any) -> None:
        count[0] += 1
        said = (
            step.reason
            or f"{shown.mass(step.mass / 1000.0)}, {step.ratio:.3g} of what is asked for"
        )
        typer.echo(
            f"{count[0]:3d}  {', '.join(shown.length(t) for t in step.thicknesses)}: {said}",
            err=True,
        )

    steps = size_it(snapshot, tuple(pieces or ()), runs, chosen, found=tell)
    best = best_step(steps)
    walls = [
        wall for wall in walls_of(snapshot.project) if not pieces or set(pieces) & set(wall.pieces)
    ]
    names = tuple(wall.title for wall in walls)
    data = _sized_json(names, steps, best)
    if not tell_json(data, json_):
        typer.echo(words_of(walls, steps))
    if variant is not None and best is not None:
        _keep_design(model, variant, best.project)
    raise typer.Exit(0 if best is not None else 1)


def _sized_json(names: tuple[str, ...], steps: Any, best: Any) -> dict[str, Any]:
    return {
        "pieces": list(names),
        "steps": [
            {
                "thicknesses_mm": list(step.thicknesses),
                "mass_kg": step.mass if math.isfinite(step.mass) else None,
                "ratio": step.ratio,
                "keeps": step.keeps,
            }
            for step in steps
        ],
        "best": None
        if best is None
        else {"thicknesses_mm": dict(zip(names, best.thicknesses)), "mass_kg": best.mass},
    }
