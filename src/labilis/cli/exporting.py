"""The command that writes what a run found, or the part itself, in open formats."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any, Literal

import typer

from labilis.model import LabilisError

What = Literal["results", "part", "shape", "pictures"]
_ENDINGS = {"part": (".step", ".stp"), "shape": (".stl",)}


def add_commands(app: typer.Typer) -> None:
    """Puts the command of this file on the command line."""
    app.command()(export)


def export(
    model: Annotated[Path, typer.Argument(help="A JSON model or a .labilis project.")],
    what: Annotated[
        What,
        typer.Option(
            help="results: VTU, PVD and CSV in a folder; part: STEP of the part as it is stated; "
            "shape: "
            "STL of the deformed surface; pictures: PNG of part, mesh, stress and modes in a "
            "folder."
        ),
    ],
    to: Annotated[Path, typer.Option("--to", help="File, or folder, to write.")],
    case: Annotated[
        str | None,
        typer.Option(help="Only this load case; of a shape the first when none is named."),
    ] = None,
    mode: Annotated[
        int,
        typer.Option(min=0, help="Of a shape: this mode, from 1; 0 for the part under its loads."),
    ] = 0,
    trace: Annotated[
        bool,
        typer.Option("--trace", help="Trace the imperfect part as well; a shape is where it ends."),
    ] = False,
    scale: Annotated[
        float | None,
        typer.Option(help="Of a shape: times its true movement; of a mode the largest, mm."),
    ] = None,
    width: Annotated[
        int, typer.Option(min=200, max=8000, help="Of pictures, pixels at most.")
    ] = 1500,
) -> None:
    """Write results, the part, a deformed shape or pictures in open formats."""
    from labilis.run import Plan, Runner, judge_project
    from labilis.store import load_model
    from labilis.store.export import shape_moved, write_part, write_results, write_stl

    _check_ending(what, to)
    snapshot = load_model(model)
    if what == "part":
        write_part(snapshot.project, snapshot.files, to)
        typer.echo(to)
        return
    chosen = () if case is None else (snapshot.project.case(case).name,)
    results = Runner().run(snapshot, Plan("trace" if trace else "modes", chosen))
    report = judge_project(snapshot.project, results, chosen)
    if not report.cases:
        raise LabilisError("There is no load case.", "cases", "State one.", "no-case")
    if what == "shape":
        first = report.cases[0]
        write_stl(first, shape_moved(first, mode, trace, scale), to)
        typer.echo(to)
    elif what == "results":
        for found in report.cases:
            for path in write_results(found, to):
                typer.echo(path)
    else:
        for path in _pictures(snapshot.project, report, results, to, width):
            typer.echo(path)


def _check_ending(what: What, to: Path) -> None:
    """Raises LabilisError where a file of this kind cannot have this name."""
    endings = _ENDINGS.get(what)
    if endings is not None and to.suffix.lower() not in endings:
        raise LabilisError(
            f"A {what} is written as {endings[0]}, not as '{to.suffix}'.",
            "--to",
            "Give the file that ending.",
            "ending",
        )


def _pictures(project: Any, report: Any, results: Any, folder: Path, width: int) -> list[Path]:
    """Part, mesh, and of each case its stress, modes and where its trace ends."""
    from labilis.report.pictures import draw
    from labilis.store.export import case_stem, told_of_disk

    wanted = [
        ("part", report.cases[0].facts.case, 0, "part"),
        ("mesh", report.cases[0].facts.case, 0, "mesh"),
    ]
    for case in report.cases:
        stem = case_stem(case)
        wanted += (
            [("stress", case.facts.case, 0, f"{stem}-stress")]
            if case.facts.strength is not None
            else []
        )
        count = 0 if case.facts.modes is None else len(case.facts.modes.factors)
        wanted += [
            ("mode", case.facts.case, number, f"{stem}-mode-{number + 1}")
            for number in range(count)
        ]
        wanted += (
            [("trace", case.facts.case, 0, f"{stem}-trace")]
            if case.facts.trace is not None and len(case.facts.trace.motions)
            else []
        )
    written = []
    with told_of_disk(folder):
        folder.mkdir(parents=True, exist_ok=True)
        for kind, case, number, name in wanted:
            path = folder / f"{name}.png"
            path.write_bytes(draw(kind, project, report, results, case, number, width))
            written.append(path)
    return written
