"""Commands of the report: make one, and check one."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Literal

import typer

from labilis.cli.writing import tell_json
from labilis.model import LabilisError


def add_commands(app: typer.Typer) -> None:
    """Puts the commands of this file on the command line."""
    app.command()(report)
    app.command()(verify)


def report(
    model: Annotated[Path, typer.Argument(help="A JSON model or a .labilis project.")],
    to: Annotated[
        list[Path],
        typer.Option(
            "--to", help="File to write: .pdf, .html or .docx; may be given several times."
        ),
    ],
    form: Annotated[
        Literal["long", "short"] | None,
        typer.Option(
            help="Long, or short: about two pages. As stated in the model when not given."
        ),
    ] = None,
    trace: Annotated[
        bool, typer.Option("--trace", help="Trace the imperfect part of each case as well.")
    ] = False,
    pictures: Annotated[bool, typer.Option(help="With pictures of the part.")] = True,
    keep: Annotated[
        Path | None, typer.Option(help="File with the trials of a JSON model, which go into it.")
    ] = None,
) -> None:
    """Run a model and write its report (status as of `check`)."""
    from labilis.cli.improve import kept_trials
    from labilis.report import content_of, write_report
    from labilis.report.improving import improved_of
    from labilis.report.pictures import draw
    from labilis.report.write import FORMS
    from labilis.run import Plan, Runner, judge_project
    from labilis.run.trials import figures_of
    from labilis.store import load_model

    for path in to:
        if path.suffix.lower() not in FORMS:
            raise LabilisError(
                f"A report is written as {', '.join(FORMS)}, not as '{path.suffix}'.",
                "--to",
                "Give the file one of these endings.",
                "report-form",
            )
    snapshot = load_model(model)
    project = snapshot.project
    if form is not None:
        project = project.changed(report={**project.report.model_dump(), "form": form})
    results = Runner().run(
        type(snapshot)(project, snapshot.files), Plan("trace" if trace else "modes")
    )
    found = judge_project(project, results)
    known, _, close = kept_trials(model, keep)
    close()
    tried = improved_of(project, known, found, figures_of(project, found, results))
    content = content_of(
        project, found, results, draw if pictures else None, snapshot.files, improved=tried
    )
    for path in to:
        write_report(content, path)
        typer.echo(f"{path}: {content.head.verdict}")
    raise typer.Exit({True: 0, False: 1, None: 3}[found.meets])


def verify(
    report: Annotated[
        Path, typer.Argument(help="A report that `labilis report` wrote: .pdf or .html.")
    ],
    model: Annotated[
        Path | None, typer.Option(help="Also say what differs in the statements of this model.")
    ] = None,
    json_: Annotated[
        Path | None, typer.Option("--json", help="File for the results; - for standard output.")
    ] = None,
) -> None:
    """Run what a report carries again, and say figure by figure whether it still holds (status 0
    if all of it does, else 1)."""
    from labilis.report import check_report
    from labilis.store import load_model

    found = check_report(report, None if model is None else load_model(model).project.to_json())
    data = {
        "holds": found.holds,
        "made_with": found.carried.version,
        "carried_is_whole": found.carried.whole,
        "changed_on_the_pages": list(found.changed),
        "statements_that_differ": found.differs,
        "figures": [
            {
                "name": row.name,
                "report": row.said,
                "now": row.found,
                "within": row.within,
                "holds": row.holds,
            }
            for row in found.rows
        ],
    }
    if not tell_json(data, json_):
        for line in found.lines():
            typer.echo(line)
    raise typer.Exit(0 if found.holds else 1)
