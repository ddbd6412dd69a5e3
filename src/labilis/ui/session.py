"""The one holder of state: statements, their file, results, the run that is on. Everything else
in the window listens."""

from __future__ import annotations

import hashlib
import os
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from labilis.edit.removing import without
from labilis.edit.retyping import retyped
from labilis.edit.variants import design_names, design_of, free_name, keep_variant, switch_design
from labilis.judge.evidence import CaseFacts
from labilis.judge.findings import TrialFindings
from labilis.judge.plan_sentences import count_of
from labilis.model import (
    LabilisError,
    Picture,
    Project,
    StoredFile,
    TrialPlan,
    grade,
    shown,
    statements_of,
)
from labilis.model.renaming import renamed, renamed_parameter
from labilis.report.images import check_picture
from labilis.report.improving import Design, Improved
from labilis.report.job import CheckQuery, ReportQuery
from labilis.report.verify import Checking
from labilis.report.write import FORMS
from labilis.run import Plan, Snapshot, Worker, judge_project, settled, stage_keys
from labilis.run.advice import Remedy, advise, tried, walls_of
from labilis.run.checkpoint import TraceCheckpoint
from labilis.run.comparing import worst_headline
from labilis.run.importing import STEEL, add_file, new_project, told
from labilis.run.kept import KeptResults
from labilis.run.plan import Progress, Stage
from labilis.run.report import CaseReport, ProjectReport
from labilis.run.revision import lost_regions
from labilis.run.sizing import Step, best_step, words_of
from labilis.run.trials import (
    TrialsJob,
    best_of,
    figures_of,
    figures_of_trial,
    found_of,
    points_of,
    project_at,
    trial_key,
    trial_of,
)
from labilis.run.worker import BodyQuery, Query, SizeQuery
from labilis.store import ProjectFile, load_model
from labilis.store.export import PartQuery, ResultsQuery
from labilis.store.grades import OwnGrade, import_grades, keep_grade, read_grades
from labilis.store.holders import hold, holder_of, let_go
from labilis.store.json_form import project_files
from labilis.store.preferences import prefer_units, preferred_units
from labilis.store.recent import remember
from labilis.store.state import state_folder

_STAGE_NAMES = {
    "shape": "the part",
    "mesh": "the mesh",
    "strength": "strength",
    "modes": "modes",
    "trace": "the trace",
    "converge": "the convergence study",
    "amplitude": "the study of amplitudes",
    "tilt": "the study of tilts",
    "cross": "the cross-check",
    "contact": "the study of faces that touch",
    "report": "the report",
    "part": "the export",
    "verify": "the check of the report",
}
_KEEP_EVERY = 15.0  # s between writing where a trace stands


def recovery_folder() -> Path:
    """Where unsaved work is kept."""
    folder = state_folder() / "unsaved"
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise LabilisError(
            f"Unsaved work cannot be kept: there is no folder for it ({error.strerror}).",
            str(folder),
            "Save the project under a name.",
            "disk",
        ) from error
    return folder


def _is_unsaved(path: Path) -> bool:
    try:
        return path.parent == recovery_folder()
    except LabilisError:
        return False


def recoverable() -> list[Path]:
    """Unsaved work of windows that are gone, newest first."""
    found = []
    try:
        waiting = list(recovery_folder().glob("*.labilis"))
    except LabilisError:
        return []
    for path in waiting:
        try:
            process = int(path.stem.split("-")[0])
            os.kill(process, 0)
        except (ValueError, ProcessLookupError):
            found.append(path)
        except PermissionError:
            continue
    return sorted(found, key=lambda path: -path.stat().st_mtime)


class Session(QObject):
    """State of one window. Every change of statements goes through `edit`."""

    statements_changed = pyqtSignal()
    results_changed = pyqtSignal()
    run_changed = pyqtSignal()
    problem = pyqtSignal(object)  # a LabilisError
    free_motion = pyqtSignal(object)  # rigid motions (k, 6) that nothing holds
    journal_grew = pyqtSignal(str)
    case_changed = pyqtSignal()
    file_changed = pyqtSignal()
    trials_changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.project = Project(units=preferred_units())
        self.files: dict[str, bytes] = {}
        self.results = KeptResults()
        self.report: ProjectReport = judge_project(self.project, {})
        self.file: ProjectFile | None = None
        self.saved_path: Path | None = None
        self.case_name = ""
        self.running: Plan | None = None
        self.progress = Progress(0.0, "")
        self.run_started = 0.0
        self.last_error: LabilisError | None = None
        self.journal: list[str] = []
        self.last_modes: dict[
            str, CaseReport
        ] = {}  # newest finished report of each case, shown as out of date
        self.last_edit = ""
        self.own_grades: list[OwnGrade] = []
        try:
            self.own_grades = read_grades()
        except LabilisError as error:  # a spoilt file of grades must not keep the window shut
            self.journal.append(str(error))
        self._bodies: Callable[[list[Any]], None] | None = None
        self._found_bodies: list[Any] = []
        self._shape_wanted = False
        self._unsaved_number = 0
        self.paused, self._paused_at, self._kept_at = False, 0.0, 0.0
        self._latest: tuple[str, TraceCheckpoint | None] = ("", None)
        self._holding: Path | None = None
        self.trials: dict[str, TrialFindings] = {}
        self._job: TrialsJob | None = None
        self._modes_wanted = False
        self._promised: dict[str, Remedy] = {}  # by the statements that it made
        self._trials_done = 0
        self.sized: list[Step] = []
        self._sizing: Project | None = None
        self.worker = Worker()
        self._timer = QTimer(self)
        self._timer.setInterval(25)
        self._timer.timeout.connect(self._poll)

    # --- projects
    # ----------------------------------------------------------------------------------------------
    def new(self, project: Project, files: dict[str, bytes], title: str) -> None:
        """Begin with these statements, in a recovery file until they are saved under a name."""
        self._leave()
        self._unsaved_number += 1
        try:
            path = (
                recovery_folder()
                / f"{os.getpid()}-{self._unsaved_number}-{int(time.time())}.labilis"
            )
            self.file = ProjectFile.create(path, project, project_files(project, files))
        except LabilisError as error:  # no place for recovery must not stop the work
            self.file = None
            self.problem.emit(error)
        self._enter(project, files, None)
        self.note(title)

    def open(self, path: Path) -> None:
        """Open a project file or read a JSON model. Raises LabilisError; the present project
        stays then."""
        if path.suffix.lower() == ".json":
            snapshot = load_model(path)
            self.new(snapshot.project, snapshot.files, f"Read {path.name}")
            return
        other = holder_of(path)
        opened = ProjectFile.open(path, read_only=other is not None)
        try:
            project, files = opened.project, opened.files()
        except LabilisError:
            opened.close()
            raise
        self._leave()
        self.file = opened
        recovered = _is_unsaved(path)
        self._enter(project, files, None if recovered else path)
        if other is not None:
            self.problem.emit(
                LabilisError(
                    f"{path.name} is open in another window (process {other}); here it is for "
                    "reading only.",
                    "",
                    "Save it under another name to change it here.",
                    "read-only",
                )
            )
        elif opened.read_only:
            self.note(
                f"{path.name} is open for reading only; save it under another name to keep changes"
            )
        else:
            self._holding = hold(path)
        self.note(f"Opened {path.name}")

    def import_step(self, path: Path) -> None:
        """Read a STEP file in the worker and make a project of its bodies."""
        data = _bytes_of(path)

        def make(bodies: list[Any]) -> None:
            sha = hashlib.sha256(data).hexdigest()
            project = new_project(bodies, path.name, sha, path.stem).changed(
                units=preferred_units()
            )
            self.new(
                project,
                {sha: data},
                f"Read {path.name}: {len(bodies)} "
                f"{'bodies' if len(bodies) > 1 else 'body'}, in {bodies[0].unit}; {STEEL.name} "
                "assumed",
            )
            for line in told(bodies):
                self.note(line)

        self._ask_bodies(data, path.name, make)

    def add_file(self, path: Path) -> None:
        """Bring the bodies of a further file into the project."""
        data = _bytes_of(path)

        def take(bodies: list[Any]) -> None:
            sha = hashlib.sha256(data).hexdigest()
            try:
                project = add_file(self.project, bodies, path.name, sha)
                self.files = {**self.files, sha: data}
                if self.file is not None:
                    self.file.add_file(sha, path.name, data)
                self.edit(
                    project,
                    f"{path.name} added: {len(bodies)} {'bodies' if len(bodies) > 1 else 'body'}",
                )
            except LabilisError as error:
                self.problem.emit(error)
                return
            for line in told(bodies):
                self.note(line)

        self._ask_bodies(data, path.name, take)

    def revise(self, path: Path, old: str = "") -> None:
        """Read a revised file in place of `old`, or of the only file there is; regions then find
        their faces again."""
        data = _bytes_of(path)
        known = [item.file for item in self.project.geometry]
        old = old or (path.name if path.name in known else known[0] if len(known) == 1 else "")
        if not old:
            raise LabilisError(
                "The project has " + ("several files." if known else "no imported file."),
                "part",
                "Name the revised file like the one it replaces."
                if known
                else "Open a STEP file first.",
                "which-file",
            )

        asked = self.project

        def take(answer: list[Any]) -> None:
            project, files, followed = answer
            try:
                if self.project != asked:
                    raise LabilisError(
                        "The project was changed while the file was read.",
                        "part",
                        "Read the revised file again.",
                        "changed",
                    )
                self.files = files
                if self.file is not None:
                    self.file.add_file(hashlib.sha256(data).hexdigest(), path.name, data)
                self.edit(project, f"{path.name} read in place of {old}")
            except LabilisError as error:
                self.problem.emit(error)
                return
            for pick in followed:
                if pick.state != "stayed":
                    by = f", by {shown.length(pick.moved)}" if pick.moved else ""
                    self.note(f"{pick.state}: {pick.words} of region '{pick.region}'{by}")

        self._ask_bodies(data, path.name, take, Snapshot(asked, self.files), old)

    def copy_material(self, name: str) -> None:
        """A copy of a material under another name, which the pieces take that had it; its values
        may then be changed."""
        base = self.project.named("materials", name)
        copy = base.model_copy(
            update={
                "name": self.project.free_name("materials", f"{name} copy"),
                "source": f"copied from {name}",
            }
        )
        project = self.project.with_item("materials", copy)
        for index, piece in enumerate(project.pieces):
            if piece.material == name:
                project = project.with_value(("pieces", index, "material"), copy.name)
        self.edit(project.without_item("materials", name), f"{name} copied")

    def keep_material(self, name: str, folder: str) -> None:
        """Keep a material of the project among the user's own grades."""
        keep_grade(self.project.named("materials", name), folder)
        self.own_grades = read_grades()
        self.note(f"{name} kept among the own grades" + (f", in {folder}" if folder else ""))
        self.statements_changed.emit()

    def import_grades(self, path: Path) -> None:
        """Take grades of a file over into the own ones."""
        names = import_grades(path)
        self.own_grades = read_grades()
        self.note(f"{len(names)} grades from {path.name}: {', '.join(names)}")
        self.statements_changed.emit()

    @property
    def lost(self) -> dict[str, str]:
        """What regions have lost in the present shape, by region."""
        view = self.current("shape")
        return {} if view is None else lost_regions(self.project, view)

    def _ask_bodies(
        self,
        data: bytes,
        name: str,
        take: Callable[[list[Any]], None],
        project: Snapshot | None = None,
        old: str = "",
    ) -> None:
        self._must_be_idle()
        self._bodies = take
        self._begin(Plan("shape"), BodyQuery(data, name, project, old))

    def save(self, path: Path | None = None) -> None:
        """Keep the project under a name. With a name already, everything is in the file at once;
        this folds the log in."""
        if path is None and self.saved_path is not None and self.file is not None:
            if self.file.read_only:
                raise LabilisError(
                    "The file is open for reading only.",
                    str(self.saved_path),
                    "Save it under another name.",
                    "read-only",
                )
            if self.file.project != self.project:
                self.file.commit(self.project, "save")
            self.note(f"Saved {self.saved_path.name}")
            return
        if path is None:
            raise LabilisError(
                "The project has no name yet.", "", "Save it under a name.", "no-name"
            )
        if self.file is None:
            self.file = ProjectFile.create(
                path, self.project, project_files(self.project, self.files)
            )
            for key, result in (*self.results.items(), *self.trials.items()):
                self.file.put_result(key, result)
        else:
            copy = self.file.save_as(path)
            old, old_saved = self.file, self.saved_path
            self.file = copy
            old.close()
            if old_saved is None:
                _remove(old.path)
        if self.file.project != self.project:
            self.file.commit(self.project, "save")
        let_go(self._holding)
        self.saved_path, self._holding = path, hold(path)
        remember(path)
        self.note(f"Saved {path.name}")
        self.file_changed.emit()

    def close(self) -> None:
        """End the run's process and let go of the file; unsaved work with content stays
        recoverable."""
        self._timer.stop()
        self.worker.close()
        self._leave()

    def _leave(self) -> None:
        if self.worker.busy or self._job is not None:
            self.stop()
        let_go(self._holding)
        self._holding = None
        if self.file is not None:
            path, empty = self.file.path, self.saved_path is None and not self.project.pieces
            self.file.close()
            if empty:
                _remove(path)
        self.file = None

    def _enter(self, project: Project, files: dict[str, bytes], saved: Path | None) -> None:
        self.project, self.files, self.saved_path = project, files, saved
        if saved is not None:
            remember(saved)
        self.results = KeptResults(self.file.results() if self.file is not None else {})
        self.trials = self.file.trials() if self.file is not None else {}
        self.last_modes, self.last_error, self.last_edit = {}, None, ""
        self.case_name = project.cases[0].name if project.cases else ""
        self._judge()
        self.file_changed.emit()
        self.statements_changed.emit()
        self._read_shape()

    # --- statements
    # ----------------------------------------------------------------------------------------------
    def edit(self, project: Project, title: str) -> None:
        """Take new statements. What cannot be written to disk is kept here and said."""
        if project == self.project:
            return
        shown.use(project.units)
        self.project = project
        self.last_error = None
        self.last_edit = title
        if self.file is not None:
            try:
                self.file.commit(project, title)
            except LabilisError as error:
                self.problem.emit(error)
        if project.cases and self.case_name not in {case.name for case in project.cases}:
            self.case_name = project.cases[0].name
        self.note(title)
        self._judge()
        self.statements_changed.emit()
        self._read_shape()

    def make(self, project: Project, title: str) -> None:
        """Take statements with something new in them that the window wrote by itself, in the units
        that are shown. What was typed, or comes from elsewhere, goes through `edit` as it is."""
        self.edit(retyped(self.project, project), title)

    def remove(self, field: str, name: str) -> None:
        """Take something stated away, with all that cannot be without it, which is told."""
        try:
            project, told = without(self.project, field, name)
        except LabilisError as error:
            self.problem.emit(error)
            return
        self.edit(
            project,
            f"Removed {name}"
            + (
                f", with {', '.join(told[:6])}{' and more' if len(told) > 6 else ''}"
                if told
                else ""
            ),
        )

    def set_value(self, path: tuple[str | int, ...], value: Any, title: str) -> None:
        """Change one value by its path. Raises LabilisError and changes nothing when it does not
        fit."""
        own = next((item.material for item in self.own_grades if item.material.name == value), None)
        ordered = own or grade(value) if path[-1] == "material" and isinstance(value, str) else None
        if ordered is not None and ordered.name not in {
            item.name for item in self.project.materials
        }:
            project = self.project.with_item("materials", ordered).with_value(path, value)
            used = {piece.material for piece in project.pieces}
            kept = [item for item in project.materials if item.name in used]
            self.edit(project.changed(materials=kept), title)
            return
        if path[0] == "parameters" and path[2:] == ("name",):
            self.edit(renamed_parameter(self.project, str(path[1]), value), title)
            return
        named = len(path) == 3 and path[2] == "name"
        self.edit(
            renamed(self.project, str(path[0]), int(path[1]), value)
            if named
            else self.project.with_value(path, value),
            title,
        )

    def show_in(self, units: shown.UnitsName) -> None:
        """Show all figures in these units, and those of new projects."""
        prefer_units(units)
        shown.ask(None)  # what the command line asked for was for what was said until now
        if units != self.project.units:
            self.edit(self.project.changed(units=units), f"figures in {units}")

    def undo(self) -> None:
        """One step back."""
        self._step("undo", "Undone")

    def redo(self) -> None:
        """One step forward."""
        self._step("redo", "Redone")

    def _step(self, way: str, word: str) -> None:
        if self.file is None:
            return
        before, after = self.file.history()
        titles = before[-1:] if way == "undo" else after[:1]
        project = getattr(self.file, way)()
        if project is None:
            self.note("Nothing to undo" if way == "undo" else "Nothing to redo")
            return
        self.project = project
        self.last_edit = f"{word}: {titles[0]}" if titles else word
        if project.cases and self.case_name not in {case.name for case in project.cases}:
            self.case_name = project.cases[0].name
        self.note(self.last_edit)
        self._judge()
        self.statements_changed.emit()
        self._read_shape()

    def choose_case(self, name: str) -> None:
        """Show another load case."""
        if name and name != self.case_name:
            self.case_name = name
            self.case_changed.emit()
            self.results_changed.emit()

    # --- results
    # ----------------------------------------------------------------------------------------------
    def current(self, stage: Stage) -> Any:
        """Result of a stage that fits the present statements, or None."""
        return self.results.get(getattr(stage_keys(self.settled, self.case_name or None), stage))

    @property
    def settled(self) -> Project:
        """The statements with the mesh that a run found for them."""
        return settled(self.project, self.results)

    @property
    def case_report(self) -> CaseReport | None:
        """Report of the case that is shown."""
        return self.report.case(self.case_name)

    def report_without_case(self) -> CaseFacts:
        """Facts about the mesh alone, while there is no load case."""
        return CaseFacts(self.project, "", mesh=self.current("mesh"))

    @property
    def out_of_date(self) -> CaseReport | None:
        """The last finished report of this case, when the statements have changed since."""
        report = self.case_report
        if report is not None and report.facts.modes is not None:
            return None
        return self.last_modes.get(self.case_name)

    def stale_cases(self) -> int:
        """Load cases without modes that fit."""
        return sum(1 for case in self.report.cases if case.facts.modes is None)

    def _judge(self) -> None:
        self.report = judge_project(self.project, self.results)
        for case in self.report.cases:
            if case.facts.modes is not None:
                self.last_modes[case.facts.case] = case

    # --- runs
    # ----------------------------------------------------------------------------------------------
    def run(self, upto: Stage, anew: bool = False) -> None:
        """Start a run in the worker; a trace goes on from where it was left off, unless it is to
        begin `anew`."""
        if self.worker.busy:
            return
        resume = self.checkpoint if upto == "trace" and not anew else None
        of_one = upto in ("trace", "converge", "amplitude", "tilt", "cross", "contact")
        self._begin(Plan(upto, (self.case_name,) if of_one else (), resume=resume), None)

    @property
    def checkpoint(self) -> TraceCheckpoint | None:
        """Where the trace of the present case was left off, None where it was not begun or has
        come to its end."""
        found = self.current("path")
        trace = self.current("trace")
        return None if trace is not None and trace.done else found

    def pause(self, paused: bool) -> None:
        """Hold the run still, or let it go on."""
        if self.running is None or paused == self.paused:
            return
        self.worker.pause(paused)
        now = time.monotonic()
        if not paused:
            self.run_started += now - self._paused_at
        self.paused, self._paused_at = paused, now
        self.note("Paused" if paused else "Going on")
        self.run_changed.emit()

    # --- trials and designs
    # ----------------------------------------------------------------------------------------------
    def run_trials(self, name: str) -> None:
        """Run a trial plan, as many side by side as there are cores; what was found before is
        not run again."""
        self._must_be_idle()
        plan = self.project.named("plans", name)
        points_of(self.project, plan)  # what does not fit is said before anything begins
        self.running, self.run_started, self.last_error = Plan("trials"), time.monotonic(), None
        self.progress = Progress(0.0, f"Trials of '{name}'")
        self._trials_done = 0
        self._job = TrialsJob(
            Snapshot(self.project, self.files), plan, self.trials, os.cpu_count() or 1
        )
        self._timer.start()
        self.run_changed.emit()

    def trials_of(self, plan: TrialPlan) -> list[TrialFindings]:
        """Trials of a plan that fit the present statements."""
        return found_of(self.project, plan, self.trials)

    def _poll_trials(self, job: TrialsJob) -> None:
        for kind, content in job.poll():
            if kind == "found":
                self._keep_trial(*content)
                self._trials_done += 1
                total = max(count_of(job.plan), self._trials_done)
                self.progress = Progress(
                    len(self.trials_of(job.plan)) / total,
                    f"Trials of '{job.plan.name}': {self._trials_done} done",
                )
                self.trials_changed.emit()
                self.run_changed.emit()
                continue
            self._job = None
            if kind == "error":
                self.last_error = content
                self.problem.emit(content)
            else:
                _, why = best_of(self.project, job.plan, self.trials_of(job.plan))
                self.note(f"Trials of '{job.plan.name}' done, {self._trials_done} run. {why}")
            self._finish()
            self.trials_changed.emit()

    def _keep_trial(self, key: str, trial: TrialFindings) -> None:
        self.trials[key] = trial
        if self.file is not None:
            try:
                self.file.put_result(key, trial)
            except LabilisError as error:
                self.problem.emit(error)

    def size_it(self) -> None:
        """The gauges of least mass that keep what is asked for, in the worker; each run stays as
        a trial, the best becomes a design."""
        self._must_be_idle()
        self.sized, self._sizing = [], self.project
        self._bodies = self._sized_done
        self._begin(
            Plan("size"),
            SizeQuery(Snapshot(design_of(self.project, self.project.design), self.files)),
        )

    def write_report(self, path: Path) -> None:
        """Write the report of what is stated and found, in the worker; the journal tells."""
        self._must_be_idle()
        if path.suffix.lower() not in FORMS:
            raise LabilisError(
                f"A report is written as {', '.join(FORMS)}, not as '{path.suffix}'.",
                str(path),
                "Give the file one of these endings.",
                "report-form",
            )
        query = self.report_query(path)
        self._bodies = lambda found: self.note(f"Report written: {found[0]}")
        self._begin(Plan("report"), query)

    def report_query(self, path: Path, looked_at: bool = False) -> ReportQuery:
        """What makes the report of what is stated and found; `looked_at`: as pages for the
        window. Raises LabilisError without modes."""
        if not any(case.facts.modes is not None for case in self.report.cases):
            raise LabilisError(
                "There is nothing to report yet.", "report", "Find modes first.", "no-results"
            )
        project = design_of(self.project, self.project.design)
        return ReportQuery(
            Snapshot(project, self.files), self._own_results(), path, self._improved(), looked_at
        )

    def _own_results(self) -> dict[str, Any]:
        """Results of the present statements."""
        wanted = {
            key
            for case in self.project.cases
            for key in vars(stage_keys(self.settled, case.name)).values()
            if key
        }
        wanted |= {stage_keys(self.project).settled}
        return {key: result for key, result in self.results.items() if key in wanted}

    def export_results(self, folder: Path) -> None:
        """Write what was found of every case into a folder, in the worker; the journal tells.
        Raises LabilisError."""
        self._must_be_idle()
        if not any(case.facts.mesh is not None for case in self.report.cases):
            raise LabilisError(
                "There is nothing to export yet.", "results", "Run first.", "no-results"
            )
        self._bodies = lambda found: self.note(f"{len(found)} files written into {folder}")
        self._begin(
            Plan("part"),
            ResultsQuery(design_of(self.project, self.project.design), self._own_results(), folder),
        )

    def keep_picture(self, data: bytes, caption: str) -> None:
        """Keep a picture (PNG) for the report, at the section of the part until another is
        chosen. Raises LabilisError."""
        report = self.project.report
        picture = Picture(caption=caption, **self._stored(data, "picture 1.png").model_dump())
        report = report.model_copy(update={"pictures": (*report.pictures, picture)})
        self.edit(self.project.changed(report=report), f"{picture.file} for the report")

    def keep_logo(self, path: Path) -> None:
        """Take a picture (PNG) as the logo of the report. Raises LabilisError."""
        logo = self._stored(_bytes_of(path), path.name)
        self.edit(
            self.project.changed(report=self.project.report.model_copy(update={"logo": logo})),
            f"logo {logo.file}",
        )

    def _stored(self, data: bytes, name: str) -> StoredFile:
        """A picture whose bytes are kept from now on, under a name that no other file of any
        design has."""
        check_picture(data, name)
        sha = hashlib.sha256(data).hexdigest()
        known = {
            item.file: item.sha256
            for stated in (self.project, *map(statements_of, self.project.variants))
            for item in stated.stored_files
        }
        stem, number = Path(name).stem.removesuffix(" 1"), 1
        while known.get(name, sha) != sha:
            number += 1
            name = f"{stem} {number}.png"
        self.files = {**self.files, sha: data}
        if self.file is not None:
            self.file.add_file(sha, name, data)
        return StoredFile(file=name, sha256=sha)

    def check_report(self, path: Path, then: Callable[[Checking], None]) -> None:
        """Run what a report carries again, in the worker, beside what is stated here; every line of
        it goes into the journal. Raises LabilisError."""
        self._must_be_idle()
        model = (
            design_of(self.project, self.project.design).to_json() if self.project.pieces else None
        )

        def take(found: list[Any]) -> None:
            self.note(f"{path.name}, made with Labilis {found[0].carried.version}:")
            for line in found[0].lines():
                self.note(line)
            then(found[0])

        self._bodies = take
        self._begin(Plan("verify"), CheckQuery(path, model))

    def _improved(self) -> Improved:
        """What was tried, for the report: trials that fit a plan, and every design by what is
        known of it, the shown one first."""
        designs = []
        for name in design_names(self.project) if self.project.variants else ():
            design, figures, report = self.figures_of_design(name)
            designs.append(
                Design(name, design, figures, "" if report is None else worst_headline(report))
            )
        return Improved(self.project, self.trials, tuple(designs))

    def export_part(self, path: Path) -> None:
        """Write the part as a STEP file, in the worker; the journal tells. Raises LabilisError."""
        self._must_be_idle()
        if path.suffix.lower() not in (".step", ".stp"):
            path = path.with_name(path.name + ".step")
        self._bodies = lambda found: self.note(f"Part written: {found[0]}")
        self._begin(Plan("part"), PartQuery(Snapshot(self.project, self.files), path))

    def _step_found(self, step: Step) -> None:
        self.sized.append(step)
        said = (
            step.reason
            or f"{shown.mass(step.mass / 1000.0)}, {step.ratio:.3g} of what is asked for"
        )
        self.note(
            f"Sizing, run {len(self.sized)}: "
            f"{', '.join(shown.length(t) for t in step.thicknesses)}: {said}"
        )
        if step.figures:
            self._keep_trial(trial_key(step.project, {}), trial_of(step.project, {}, step.figures))
        self.trials_changed.emit()

    def _sized_done(self, _bodies: list[Any]) -> None:
        """Keeps the lightest that was found as a design and shows it, unless the statements were
        changed meanwhile."""
        best = best_step(self.sized)
        self.note(self.sizing_words)
        if best is not None and self._sizing is self.project:
            name = free_name(self.project, "sized")
            self.edit(keep_variant(self.project, name, best.project), f"design '{name}' kept")
            self.choose_design(name)
        self.trials_changed.emit()

    @property
    def sizing_words(self) -> str:
        """What sizing came to, '' before it and for statements that it was not about."""
        if not self.sized or self._sizing is None:
            return ""
        about = {
            trial_key(project, {})
            for project in (self._sizing, *(step.project for step in self.sized))
        }
        return (
            words_of(walls_of(self.sized[0].project), self.sized)
            if trial_key(self.project, {}) in about
            else ""
        )

    def choose_design(self, name: str) -> None:
        """Show another design; the present one waits under its name."""
        if name != self.project.design:
            self.edit(switch_design(self.project, name), f"design '{name}' shown")

    def keep_design(self, name: str, point: dict[str, str] | None = None) -> None:
        """Keep a copy of the present design, with parameters set if some are given, as a further
        one."""
        alone = design_of(self.project, self.project.design)
        if point:
            alone = project_at(alone, point)
        self.edit(keep_variant(self.project, name, alone), f"design '{name}' kept")

    @property
    def advice(self) -> list[Remedy]:
        """Remedies for the worst case of the present design."""
        return advise(self.project, self.report, self.results, self.trials)

    def try_advice(self, remedy: Remedy) -> None:
        """Keep the design with a remedy as a further one, show it and run it; what was expected
        stands beside what is found."""
        present = design_of(self.project, self.project.design)
        design = retyped(present, tried(present, remedy))
        name = free_name(self.project, remedy.words.partition(" instead")[0].partition(",")[0])
        self.edit(keep_variant(self.project, name, design), f"design '{name}' kept")
        self._promised[trial_key(design, {})] = remedy
        self.choose_design(name)
        if self.running is None:
            self.run("modes")
        else:
            self._modes_wanted = True

    @property
    def promise(self) -> Remedy | None:
        """The advice that the present statements came from; none once they were changed."""
        return self._promised.get(trial_key(self.project, {})) if self._promised else None

    def report_of_design(self, name: str) -> ProjectReport | None:
        """The report of a design of which all cases have their modes, None before it was run."""
        report = judge_project(design_of(self.project, name), self.results)
        return (
            report
            if report.cases and all(case.facts.modes is not None for case in report.cases)
            else None
        )

    def figures_of_design(
        self, name: str
    ) -> tuple[Project, dict[str, Any] | None, ProjectReport | None]:
        """(statements, figures, report) of a design by what is known of it: its own run, or the
        trial that it came from."""
        design = design_of(self.project, name)
        report = self.report_of_design(name)
        if report is not None:
            return design, figures_of(design, report, self.results), report
        return design, figures_of_trial(self.trials.get(trial_key(design, {}))), None

    def _must_be_idle(self) -> None:
        """Raises LabilisError while anything runs."""
        if self.running is not None or self.worker.busy:
            raise LabilisError("A run is on.", "run", "Stop it first.", "busy")

    def _begin(self, plan: Plan, query: Query | SizeQuery | None) -> None:
        if query is None:
            self._bodies = None
        self._found_bodies = []
        self.running, self.run_started, self.last_error = plan, time.monotonic(), None
        self.progress, self.paused = Progress(0.0, "Starting"), False
        if query is not None:
            self.worker.ask(query)
        else:
            self.worker.submit(Snapshot(self.settled, self.files), plan)
        self._timer.start()
        self.run_changed.emit()

    def _read_shape(self) -> None:
        """Read the part's shape if it is not known yet; when a run is on, after it."""
        ready = len(self.project.active_pieces) > 0 and self.current("shape") is None
        self._shape_wanted = ready and self.running is not None
        if ready and self.running is None:
            self.run("shape")

    def stop(self) -> None:
        """Stop the run at once."""
        if self.running is None:
            return
        if self._job is not None:
            self._job.stop()
            self._poll_trials(self._job)
            self._job = None
            self._finish()
            self.note("Trials stopped; what was found stays, and the plan goes on from there")
            return
        self.worker.stop()
        self._bodies = None  # what a stopped reading was for must not be done by the next run
        self._keep_checkpoint(force=True)
        self._finish()
        self.note("Stopped; what was found before stays")
        self.worker.warm()

    def _finish(self) -> None:
        self._timer.stop()
        self.running, self.paused = None, False
        self.run_changed.emit()
        if self._modes_wanted and not self.worker.busy:
            self._modes_wanted = False
            self.run("modes")
        elif self._shape_wanted and not self.worker.busy:
            self._read_shape()

    def _poll(self) -> None:
        if self._job is not None:
            self._poll_trials(self._job)
            return
        for event in self.worker.poll():
            if event.kind == "progress":
                self.progress = event.content
                self.run_changed.emit()
            elif event.kind == "found":
                self._take(*event.content)
            elif event.kind == "done":
                plan, call = self.running, self._bodies
                self._finish()
                if call is not None:
                    self._bodies = None
                    call(self._found_bodies)
                    return
                if plan is not None and plan.upto != "shape":
                    parts = ", ".join(
                        f"{name} {value:.2f} s"
                        for name, value in event.content.items()
                        if name != "total"
                    )
                    self.note(
                        f"Ran {_STAGE_NAMES[plan.upto]} in {event.content['total']:.1f} s ({parts})"
                    )
            elif event.kind == "error":
                self._stopped_by(*event.content)
            elif event.kind == "died":
                self._bodies = None
                self._keep_checkpoint(force=True)
                self._finish()
                self.last_error = LabilisError(event.content, "run", code="died")
                self.note(event.content)
                self.problem.emit(self.last_error)
                self.worker.warm()

    def _take(self, key: str, result: Any) -> None:
        if key == "bodies":
            self._found_bodies = result
        elif key == "step":
            self._step_found(result)
        else:
            self._found(key, result)

    def _stopped_by(self, error: LabilisError, detail: Any) -> None:
        self._bodies = None
        self._finish()
        self.last_error = error
        self.note(str(error) + (f"\n{detail}" if isinstance(detail, str) else ""))
        self.problem.emit(error)
        if error.code in ("free-motion", "mechanism") and detail is not None:
            self.free_motion.emit(detail)
        self.statements_changed.emit()

    def _keep_checkpoint(self, force: bool = False) -> None:
        """Write where the trace stands to the file, now and then."""
        key, found = self._latest
        if (
            found is None
            or self.file is None
            or (not force and time.monotonic() - self._kept_at < _KEEP_EVERY)
        ):
            return
        self._kept_at, self._latest = time.monotonic(), ("", None)
        try:
            self.file.put_result(key, found)
        except LabilisError as error:
            self.problem.emit(error)

    def _found(self, key: str, result: Any) -> None:
        if isinstance(result, TraceCheckpoint):
            self.results[key], self._latest = result, (key, result)
            self._keep_checkpoint()
            return
        known = key in self.results
        self.results[key] = result
        finished = getattr(result, "done", True)  # a trace comes step by step; only its end is kept
        if self.file is not None and finished and (not known or hasattr(result, "done")):
            try:
                self.file.put_result(key, result)
            except LabilisError as error:
                self.problem.emit(error)
        self._judge()
        self.results_changed.emit()

    def note(self, text: str) -> None:
        """A line for the journal."""
        line = f"{time.strftime('%H:%M:%S')}  {text}"
        self.journal.append(line)
        self.journal_grew.emit(line)


def _remove(path: Path) -> None:
    for suffix in ("", "-wal", "-shm"):
        Path(str(path) + suffix).unlink(missing_ok=True)


def _bytes_of(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise LabilisError(
            f"The file cannot be read ({error.strerror}).", str(path), "Check the name.", "no-file"
        ) from error
