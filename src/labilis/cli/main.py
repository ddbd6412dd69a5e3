"""Commands. Exit status: 0 meets what is asked for, 1 does not, 2 the model is wrong or a run
failed, 3 no verdict yet."""

from __future__ import annotations

import json
import os
import re
import signal
import socket
import sys
import traceback
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import typer

from labilis import __version__
from labilis.cli.exporting import add_commands as add_export_command
from labilis.cli.improve import add_commands
from labilis.cli.reporting import add_commands as add_report_commands
from labilis.cli.writing import tell_json
from labilis.model import LabilisError, Project, shown

app = typer.Typer(
    add_completion=False,
    no_args_is_help=False,
    pretty_exceptions_enable=False,
    help="Checks thin parts against buckling: factors, modes, hand checks and a verdict with its "
    "evidence.",
)


def main() -> None:
    """Entry point. What a command does is done in a child of this process, so that a library that
    crashes ends in a sentence as well: every exit that is not a verdict is 2."""
    if not hasattr(os, "fork") or _opens_a_window(sys.argv[1:]):
        sys.exit(run_command())
    sys.stdout.flush()
    child = os.fork()
    if child == 0:
        status = 2
        try:
            status = run_command()
            sys.stdout.flush()
        except BrokenPipeError:
            pass
        finally:
            os._exit(status)
    while True:
        try:
            _, status = os.waitpid(child, 0)
            break
        except KeyboardInterrupt:  # the child was told as well
            continue
    if os.WIFSIGNALED(status):
        name = signal.Signals(os.WTERMSIG(status)).name
        typer.echo(
            f"labilis: The run ended without an answer ({name}). Nothing was written. Try a "
            "coarser mesh if memory is short; mesh "
            "thin pieces as shells.",
            err=True,
        )
        sys.exit(2)
    sys.exit(os.WEXITSTATUS(status))


def _opens_a_window(words: list[str]) -> bool:
    """Whether a command line is for the window, which is a process of its own anyhow."""
    return not words or words[0] in ("open", "demo")


def run_command() -> int:
    """Exit status of the command on the command line; every error becomes one clear message and
    2."""
    try:
        sys.argv[1:] = _units_asked(sys.argv[1:])
        app()
    except SystemExit as ended:
        return ended.code if isinstance(ended.code, int) else 0 if ended.code is None else 2
    except LabilisError as error:
        typer.echo(f"labilis: {error}", err=True)
    except BrokenPipeError:
        pass
    except KeyboardInterrupt:
        typer.echo("labilis: Stopped.", err=True)
    except MemoryError:
        typer.echo("labilis: There is not enough memory for this run. Mesh coarser.", err=True)
    except Exception as error:
        typer.echo(
            f"labilis: The program failed inside ({type(error).__name__}: {error}). This is a "
            "defect of the program, not of the "
            "model; what follows helps to mend it.",
            err=True,
        )
        traceback.print_exc()
    return 2


def _units_asked(words: list[str]) -> list[str]:
    """The command line without `--units NAME`, which every command takes at any place: figures are
    shown in that set, whatever a project states."""
    from labilis.model import shown

    rest = list(words)
    for place, word in enumerate(words):
        if word == "--":
            break
        name, equals, value = word.partition("=")
        if name != "--units":
            continue
        value = value if equals else words[place + 1] if place + 1 < len(words) else ""
        known = next((one for one in shown.NAMES if one == value), None)
        if known is None:
            raise LabilisError(
                f"'{value}' is no set of units.",
                "--units",
                f"There are {', '.join(shown.NAMES)}.",
                "units",
            )
        shown.ask(known)
        rest[place : place + (1 if equals else 2)] = []
        break
    return rest


def has_display() -> bool:
    """Whether a window can be opened: a display is named and, when it is a local one, somebody
    serves it."""
    if os.environ.get("WAYLAND_DISPLAY"):
        return True
    name = os.environ.get("DISPLAY", "")
    local = re.fullmatch(r"(?:unix)?:(\d+)(?:\.\d+)?", name)
    if local is None:
        return bool(name)
    with socket.socket(socket.AF_UNIX) as probe:
        for address in (f"/tmp/.X11-unix/X{local.group(1)}", f"\0/tmp/.X11-unix/X{local.group(1)}"):
            try:
                probe.connect(address)
                return True
            except OSError:
                continue
    return False


def _open_window(path: Path | None = None) -> None:
    if not has_display():
        raise LabilisError(
            "There is no display to open a window on.",
            remedy="Use `labilis check MODEL` instead.",
            code="no-display",
        )
    from labilis.ui.app import run_window

    raise typer.Exit(run_window(path))


@app.callback(invoke_without_command=True)
def start(
    context: typer.Context,
    version: Annotated[bool, typer.Option("--version", help="Show the version and leave.")] = False,
) -> None:
    """Open the window when no command is given."""
    if version:
        typer.echo(f"labilis {__version__}")
        raise typer.Exit()
    if context.invoked_subcommand is None:
        _open_window()


@app.command("open")
def open_file(
    file: Annotated[
        Path | None, typer.Argument(help="A .labilis project, a JSON model or a STEP file.")
    ] = None,
) -> None:
    """Open a file in the window, or an empty one."""
    if file is not None and not file.is_file():
        raise LabilisError("There is no such file.", str(file), "Check the name.", "no-file")
    _open_window(file)


@app.command()
def demo(
    name: Annotated[str, typer.Argument(help="Which demo; see --list.")] = "panel-prop",
    list_: Annotated[bool, typer.Option("--list", help="List the demos.")] = False,
) -> None:
    """Open a demo; without a display run it and print the verdict."""
    from labilis.app.demos import demo_model, demo_names

    if list_:
        for known in demo_names():
            typer.echo(known)
        return
    if name not in demo_names():
        raise LabilisError(
            f"There is no demo called '{name}'.",
            remedy=f"There are: {', '.join(demo_names())}.",
            code="no-demo",
        )
    model = demo_model(name)
    if has_display():
        _open_window(model)
    _check(model, None, None, None, None)


@app.command()
def check(
    model: Annotated[Path, typer.Argument(help="A JSON model or a .labilis project.")],
    case: Annotated[str | None, typer.Option(help="Only this load case.")] = None,
    modes: Annotated[
        int | None, typer.Option(min=1, max=200, help="How many modes to find.")
    ] = None,
    out: Annotated[Path | None, typer.Option(help="Folder for VTU and CSV files.")] = None,
    trace: Annotated[
        bool, typer.Option("--trace", help="Also follow the imperfect part to its limit.")
    ] = False,
    cross_: Annotated[
        bool, typer.Option("--cross", help="Also compare with the same part meshed the other way.")
    ] = False,
    json_: Annotated[
        Path | None, typer.Option("--json", help="File for the results; - for standard output.")
    ] = None,
) -> None:
    """Run a model to its verdict."""
    _check(model, case, modes, out, json_, trace, crossed=cross_)


@app.command()
def begin(
    files: Annotated[list[Path], typer.Argument(help="STEP or STL files.")],
    out: Annotated[
        Path, typer.Option("--out", help="Where to write the model (.json or .labilis).")
    ],
) -> None:
    """Make a model of the bodies of files: each with the way of meshing that fits it, and why."""
    import hashlib

    from labilis.run import Snapshot
    from labilis.run.importing import add_file, new_project, told
    from labilis.run.picking import list_bodies
    from labilis.store import ProjectFile, write_model
    from labilis.store.json_form import project_files

    project, kept = None, {}
    for file in files:
        if not file.is_file():
            raise LabilisError("There is no such file.", str(file), "Check the name.", "no-file")
        data = file.read_bytes()
        sha = hashlib.sha256(data).hexdigest()
        bodies = list_bodies(data, file.name)
        project = (
            new_project(bodies, file.name, sha, file.stem)
            if project is None
            else add_file(project, bodies, file.name, sha)
        )
        kept[sha] = data
        for line in told(bodies):
            typer.echo(line)
    assert project is not None
    if out.suffix.lower() == ".json":
        write_model(Snapshot(project, kept), out)
    else:
        ProjectFile.create(out, project, project_files(project, kept)).close()
    typer.echo(out)


@app.command()
def materials(
    import_: Annotated[
        Path | None,
        typer.Option("--import", help="Take grades of a JSON or CSV file into your own."),
    ] = None,
    export: Annotated[
        Path | None, typer.Option(help="Write your own grades to a JSON file.")
    ] = None,
) -> None:
    """List the grades of the library and your own, with their values and sources."""
    from rich.console import Console
    from rich.table import Table

    from labilis.model import GRADES
    from labilis.store.grades import import_grades, read_grades, write_grades

    if import_ is not None:
        import_grades(import_)
    if export is not None:
        typer.echo(write_grades(read_grades(), export))
        return
    table = Table("grade", "E", "ν", "density", "yield", "source", box=None)
    for own in read_grades():
        item = own.material
        table.add_row(
            f"{item.name} ({own.folder or 'own'})",
            item.youngs_modulus,
            item.poisson_ratio,
            item.density,
            item.yield_strength,
            item.source,
        )
    for item in GRADES:
        table.add_row(
            item.name,
            item.youngs_modulus,
            item.poisson_ratio,
            item.density,
            item.yield_strength,
            item.source,
        )
    Console(highlight=False, width=150).print(table)


@app.command()
def converge(
    model: Annotated[Path, typer.Argument(help="A JSON model or a .labilis project.")],
    case: Annotated[
        str | None, typer.Option(help="This load case; the first when none is named.")
    ] = None,
    meshes: Annotated[int, typer.Option(min=3, max=8, help="How many meshes.")] = 4,
    json_: Annotated[
        Path | None, typer.Option("--json", help="File for the results; - for standard output.")
    ] = None,
) -> None:
    """The first factor over several meshes, and the value they go to."""
    from labilis.cli.output import convergence_json, print_convergence
    from labilis.run import Plan, Runner, settled, stage_keys
    from labilis.store import load_model

    snapshot = load_model(model)
    chosen = () if case is None else (snapshot.project.case(case).name,)
    with _progress() as show:
        results = Runner().run(snapshot, Plan("converge", chosen, meshes), show)
    found = results[
        stage_keys(
            settled(snapshot.project, results), case or snapshot.project.cases[0].name
        ).converge
    ]
    if not tell_json(convergence_json(found), json_):
        print_convergence(found)


@app.command()
def cross(
    model: Annotated[Path, typer.Argument(help="A JSON model or a .labilis project.")],
    case: Annotated[
        str | None, typer.Option(help="This load case; the first when none is named.")
    ] = None,
    json_: Annotated[
        Path | None, typer.Option("--json", help="File for the results; - for standard output.")
    ] = None,
) -> None:
    """The first factors of the same part meshed the other way: shells as solids, thin solids as
    shells (status 3 if they are apart)."""
    from labilis.cli.output import cross_json
    from labilis.judge.evidence.cross_check import MOST, apart

    found, _ = _study(model, case, "cross", json_, cross_json)
    raise typer.Exit(0 if abs(apart(found)) <= MOST else 3)


@app.command()
def contact(
    model: Annotated[Path, typer.Argument(help="A JSON model or a .labilis project.")],
    case: Annotated[
        str | None, typer.Option(help="This load case; the first when none is named.")
    ] = None,
    json_: Annotated[
        Path | None, typer.Option("--json", help="File for the results; - for standard output.")
    ] = None,
) -> None:
    """The first factor with faces that touch at bolts and seams bonded, and apart (status 3 if
    only bonded ones meet what is required)."""
    from labilis.cli.output import contact_json
    from labilis.judge.evidence.contact import decided

    found, project = _study(model, case, "contact", json_, contact_json)
    raise typer.Exit(0 if decided(found, project) is None else 3)


def _study(
    model: Path,
    case: str | None,
    kind: str,
    json_: Path | None,
    as_json: Callable[[Any], dict[str, Any]],
) -> tuple[Any, Any]:
    """(the study of a case, the project), printed or written."""
    from labilis.cli.output import print_study
    from labilis.run import Plan, Runner, settled, stage_keys
    from labilis.store import load_model

    snapshot = load_model(model)
    name = snapshot.project.case(case).name if case is not None else ""
    with _progress() as show:
        results = Runner().run(snapshot, Plan(kind, (name,) if name else ()), show)  # type: ignore[arg-type]
    project = settled(snapshot.project, results)
    found = results[getattr(stage_keys(project, name or project.cases[0].name), kind)]
    if not tell_json(as_json(found), json_):
        print_study(found)
    return found, project


@app.command()
def screen(
    model: Annotated[Path, typer.Argument(help="A JSON model or a .labilis project.")],
    case: Annotated[str | None, typer.Option(help="Only this load case.")] = None,
    json_: Annotated[
        Path | None, typer.Option("--json", help="File for the results; - for standard output.")
    ] = None,
) -> None:
    """Which pieces are slender and in compression, from a linear run and formulas, before any
    buckling run."""
    from labilis.cli.output import as_json, print_screening
    from labilis.run import Plan, Runner, judge_project
    from labilis.store import load_model

    snapshot = load_model(model)
    chosen = () if case is None else (snapshot.project.case(case).name,)
    runner = Runner()
    with _progress() as show:
        results = runner.run(snapshot, Plan("strength", chosen), show)
    report = judge_project(snapshot.project, results, chosen)
    if not tell_json(as_json(report, runner.timing), json_):
        print_screening(snapshot.project, report)


@app.command("trace")
def trace_model(
    model: Annotated[Path, typer.Argument(help="A JSON model or a .labilis project.")],
    case: Annotated[str | None, typer.Option(help="Only this load case.")] = None,
    mode: Annotated[
        int | None, typer.Option(min=0, help="Mode whose shape is the imperfection; 0 for none.")
    ] = None,
    amplitude: Annotated[str | None, typer.Option(help="Its amplitude, such as '0.5 mm'.")] = None,
    steps: Annotated[int | None, typer.Option(min=2, max=500, help="Steps at most.")] = None,
    modes_at: Annotated[
        str | None, typer.Option(help="Factor at which modes about the loaded state are found.")
    ] = None,
    checkpoint: Annotated[
        Path | None,
        typer.Option(
            help="File for where the trace stands after each step; it goes on "
            "from there when the file is there and fits."
        ),
    ] = None,
    out: Annotated[Path | None, typer.Option(help="Folder for VTU and CSV files.")] = None,
    json_: Annotated[
        Path | None, typer.Option("--json", help="File for the results; - for standard output.")
    ] = None,
) -> None:
    """Follow the imperfect part along its load-deflection path."""
    change = {
        key: value
        for key, value in (
            ("mode", mode),
            ("amplitude", amplitude),
            ("steps", steps),
            ("modes_at", modes_at),
        )
        if value is not None
    }
    _check(model, case, None, out, json_, True, change, checkpoint)


def _check(
    model: Path,
    case: str | None,
    modes: int | None,
    out: Path | None,
    json_file: Path | None,
    trace: bool = False,
    trace_plan: dict[str, Any] | None = None,
    checkpoint: Path | None = None,
    crossed: bool = False,
) -> None:
    from labilis.cli.output import as_json, print_report
    from labilis.run import Plan, Runner, judge_project
    from labilis.store import load_model
    from labilis.store.export import write_results

    snapshot = load_model(model)
    project = snapshot.project
    if modes is not None:
        project = project.changed(criteria=project.criteria.model_copy(update={"modes": modes}))
    if trace_plan:
        project = project.changed(trace={**project.trace.model_dump(), **trace_plan})
    chosen = () if case is None else (project.case(case).name,)
    snapshot = type(snapshot)(project, snapshot.files)
    runner = Runner()
    resume, keep = None, lambda _key, _result: None
    if checkpoint is not None:
        from labilis.store.checkpoints import CheckpointFile

        kept = CheckpointFile(checkpoint)
        resume, keep = kept.fitting(project, chosen), kept.keep
        if resume is not None:
            typer.echo(f"Going on from step {resume.steps} of {checkpoint}.", err=True)
    with _progress() as show:
        results = runner.run(
            snapshot, Plan("trace" if trace else "modes", chosen, resume=resume), show, keep
        )
        for name in (chosen or tuple(item.name for item in project.cases)) if crossed else ():
            try:
                results.update(runner.again(snapshot, Plan("cross", (name,)), show))
            except LabilisError as error:  # the verdict stands without it
                typer.echo(f"No cross-check of case {name}: {error}", err=True)
    report = judge_project(project, results, chosen)
    if not tell_json(as_json(report, runner.timing), json_file):
        print_report(project, report, runner.timing)
    if out is not None:
        for found in report.cases:
            write_results(found, out)
    raise typer.Exit({True: 0, False: 1, None: 3}[report.meets])


class _progress:
    """A progress bar on a terminal, nothing when piped."""

    def __enter__(self) -> Any:
        if not sys.stderr.isatty():
            return lambda _: None
        from rich.console import Console
        from rich.progress import BarColumn, Progress, TextColumn, TimeElapsedColumn

        self._bar = Progress(
            TextColumn("{task.description}"),
            BarColumn(),
            TimeElapsedColumn(),
            console=Console(stderr=True),
            transient=True,
        )
        self._bar.start()
        task = self._bar.add_task("Starting", total=1.0)
        return lambda step: self._bar.update(task, completed=step.fraction, description=step.text)

    def __exit__(self, *_: object) -> None:
        if hasattr(self, "_bar"):
            self._bar.stop()


add_commands(app)
add_report_commands(app)
add_export_command(app)


@app.command()
def schema() -> None:
    """Print the JSON Schema of the model format."""
    from labilis.model.project import json_schema

    typer.echo(json.dumps(json_schema(), indent=2))


@app.command("export-model")
def export_model(
    project: Annotated[Path, typer.Argument(help="A .labilis project.")],
    model: Annotated[Path, typer.Argument(help="The JSON file to write; geometry goes beside it.")],
) -> None:
    """Write a project's statements as JSON, with its STEP files beside it."""
    from labilis.store import load_model, write_model

    for path in write_model(load_model(project), model):
        typer.echo(path)


@app.command("import-model")
def import_model(
    model: Annotated[Path, typer.Argument(help="A JSON model.")],
    project: Annotated[Path, typer.Argument(help="The .labilis file to write.")],
) -> None:
    """Make a project file from a JSON model."""
    from labilis.store import ProjectFile, load_model
    from labilis.store.json_form import project_files

    if project.exists():
        raise LabilisError(
            "That file exists already.", str(project), "Choose another name.", "exists"
        )
    snapshot = load_model(model)
    ProjectFile.create(
        project, snapshot.project, project_files(snapshot.project, snapshot.files)
    ).close()
    typer.echo(project)


@app.command()
def outline(
    drawing: Annotated[
        Path,
        typer.Argument(
            help="A DXF file: one closed outline of lines and arcs, round holes and slots in it."
        ),
    ],
    out: Annotated[
        Path,
        typer.Option(
            "--out", help="The model to write (.json); one that exists gets a further piece."
        ),
    ],
    thickness: Annotated[
        str, typer.Option(help="Makes a plate of this thickness, such as '3 mm'.")
    ] = "",
    length: Annotated[
        str, typer.Option(help="Makes a strut of this length with the outline as its section.")
    ] = "",
) -> None:
    """Make a plate, or a strut, of a DXF outline, in a new model or as a further piece of one."""
    from labilis.model import Project
    from labilis.run import Snapshot
    from labilis.run.importing import with_outline
    from labilis.store import load_model, write_model

    try:
        data = drawing.read_bytes()
    except OSError as error:
        raise LabilisError(
            f"'{drawing}' cannot be read ({error.strerror}).",
            str(drawing),
            "Name a DXF file.",
            "file",
        ) from error
    snapshot = load_model(out) if out.exists() else Snapshot(Project(name=drawing.stem), {})
    project, name, words = with_outline(snapshot.project, data, drawing.name, thickness, length)
    write_model(Snapshot(project, snapshot.files), out)
    typer.echo(f"{name}: {words}")


@app.command()
def loads(
    model: Annotated[Path, typer.Argument(help="A JSON model or a .labilis project.")],
    table: Annotated[
        Path,
        typer.Argument(
            help="CSV: a row for each load (case, on, load, factor, x, y, z, Fx, Fy, Fz, Mx, My, "
            "Mz, "
            "pressure; units in the heads), or a row for each case with factors of loads."
        ),
    ],
    out: Annotated[
        Path, typer.Option("--out", help="Where to write the model with them (.json or .labilis).")
    ],
) -> None:
    """Take loads and cases from a table; those of a name that is there are replaced."""
    from labilis.run import Snapshot
    from labilis.store import load_model, write_model
    from labilis.store.load_table import with_load_table

    snapshot = load_model(model)
    project, words = with_load_table(snapshot.project, table)
    write_model(Snapshot(project, snapshot.files), out)
    typer.echo(words)


@app.command()
def revise(
    model: Annotated[
        Path, typer.Argument(help="A JSON model or a .labilis project with imported parts.")
    ],
    file: Annotated[Path, typer.Argument(help="The revised STEP or STL file.")],
    out: Annotated[
        Path, typer.Option("--out", help="Where to write the revised model (.json or .labilis).")
    ],
    instead_of: Annotated[
        str | None, typer.Option(help="File it replaces; needed when the model has several.")
    ] = None,
) -> None:
    """Read a revised file into a model: supports, loads and zones find their faces again; those
    that cannot are listed (status 2)."""
    from labilis.run import Plan, Runner, Snapshot, stage_keys
    from labilis.run.picking import list_bodies
    from labilis.run.revision import lost_regions
    from labilis.run.revision import revise as revised
    from labilis.store import ProjectFile, load_model, write_model
    from labilis.store.json_form import project_files

    snapshot = load_model(model)
    known = [item.file for item in snapshot.project.geometry]
    if instead_of is None and len(known) != 1:
        raise LabilisError(
            f"The model has {len(known)} files.",
            "part",
            "Name the one to replace with --instead-of.",
            "which-file",
        )
    if not file.is_file():
        raise LabilisError("There is no such file.", str(file), "Check the name.", "no-file")
    data = file.read_bytes()
    project, files, followed = revised(
        snapshot.project,
        snapshot.files,
        instead_of or known[0],
        file.name,
        data,
        list_bodies(data, file.name),
    )
    lost = lost_regions(
        project,
        Runner().run(Snapshot(project, files), Plan("shape"))[stage_keys(project, "").shape],
    )
    if out.suffix.lower() == ".json":
        write_model(Snapshot(project, files), out)
    else:
        ProjectFile.create(out, project, project_files(project, files)).close()
    _tell_followed(project, followed, lost)
    raise typer.Exit(2 if lost else 0)


def _tell_followed(project: Project, followed: Any, lost: dict[str, str]) -> None:
    from labilis.run.revision import blocked

    for pick in followed:
        if pick.state != "stayed":
            typer.echo(
                f"{pick.state}: {pick.words} of region '{pick.region}'"
                + (f", by {shown.length(pick.moved)}" if pick.moved else "")
            )
    for item in blocked(project, lost):
        typer.echo(
            f"blocked: {item.kind} '{item.name}', whose region '{item.region}' lost {item.lost}"
        )
    for name in sorted(set(lost) - {item.region for item in blocked(project, lost)}):
        typer.echo(f"lost: region '{name}', which nothing uses: {lost[name]}")
    if not lost:
        typer.echo("Every region found its faces again.")


@app.command("install-desktop")
def install_desktop(
    remove: Annotated[
        bool, typer.Option("--remove", help="Take away what was installed before.")
    ] = False,
) -> None:
    """Put the program into your desktop's menu, with its icons and the type of project files; no
    need to be root."""
    from labilis.store import desktop

    for path in desktop.remove() if remove else desktop.install():
        typer.echo(f"{'removed' if remove else 'wrote'} {path}")


@app.command()
def doctor() -> None:
    """Say what is installed, which solver is used, whether a window can be opened, and what is
    missing."""
    from labilis.cli.doctor import examine

    raise typer.Exit(0 if examine(typer.echo) else 2)
