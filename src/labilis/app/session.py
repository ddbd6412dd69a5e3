"""One project under work: what is stated, what was found of it, and what runs."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from typing import Any

from labilis.app.building import Building
from labilis.app.document import Document
from labilis.app.drilling import with_places
from labilis.app.events import Event
from labilis.app.improving import Improving
from labilis.app.outputs import Outputs
from labilis.app.reading import Reading
from labilis.app.runs import Job, JobState, Runs, WorkerEngine
from labilis.judge.evidence import CaseFacts
from labilis.model import LabilisError, Project, shown
from labilis.results.checkpoint import TraceCheckpoint
from labilis.results.findings import TrialFindings
from labilis.run import Plan, Snapshot, Worker, judge_project, settled, stage_keys
from labilis.run.environment import mesh_cost, mesh_size
from labilis.run.glyphs import Marks, marks_of, reaction_marks
from labilis.run.plan import Progress, Stage
from labilis.run.report import CaseReport, ProjectReport
from labilis.run.results_cache import KeptResults
from labilis.run.revision import lost_regions
from labilis.run.selections import Selection, named_parts
from labilis.run.worker import Query, SizeQuery

_KEEP_EVERY = 15.0  # s between writing where a trace stands
_OF_ONE_CASE = ("trace", "converge", "amplitude", "tilt", "cross", "contact")


class Session(Document):
    """One project with its results and runs. `building` makes pieces and loads, `reading` brings
    files in, `improving` tries other designs, `outputs` writes reports and files."""

    def __init__(self) -> None:
        super().__init__()
        self.results_changed, self.case_changed = Event(), Event()
        self.free_motion = Event()  # rigid motions (k, 6) that nothing holds
        self.results = KeptResults()
        self.trials: dict[str, TrialFindings] = {}
        self.report: ProjectReport = judge_project(self.project, {})
        self.last_modes: dict[str, CaseReport] = {}  # newest finished report of each case
        self.case_name = ""
        self.last_error: LabilisError | None = None
        self.runs = Runs()
        self.runs.failed.connect(self._run_failed)
        self.runs.died.connect(self._run_died)
        self.reading, self.improving, self.outputs = Reading(self), Improving(self), Outputs(self)
        self.building = Building(self)
        self._kept_at = 0.0
        self._latest: tuple[str, TraceCheckpoint | None] = ("", None)

    def close(self) -> None:
        """End the run's process and let go of the file; unsaved work with content stays
        recoverable."""
        self.runs.close()
        self._keep_checkpoint(force=True)
        self._leave()

    def _leave(self) -> None:
        self.stop()
        super()._leave()

    def _entered(self) -> None:
        self.results = KeptResults(self.file.results() if self.file is not None else {})
        self.trials = self.file.trials() if self.file is not None else {}
        self.last_modes = {}
        self.case_name = ""

    def _restated(self) -> None:
        self.last_error = None
        cases = [case.name for case in self.project.cases]
        if cases and self.case_name not in cases:
            self.case_name = cases[0]
        self._judge()

    def _told(self) -> None:
        self._read_shape()

    def _all_found(self) -> dict[str, Any]:
        return {**dict(self.results.items()), **self.trials}

    # --- results
    # ----------------------------------------------------------------------------------------------
    def choose_case(self, name: str) -> None:
        """Show another load case."""
        if name and name != self.case_name:
            self.case_name = name
            self.case_changed.emit()
            self.results_changed.emit()

    def set_value(self, path: tuple[str | int, ...], value: Any, title: str) -> None:
        """As of the document; a new hole through a piece goes where it meets one of its walls."""
        view = self.current("shape")
        drills = path[0] == "pieces" and path[2:] == ("cuts",) and isinstance(value, list | tuple)
        if drills and view is not None:
            value = with_places(self.project, view, int(path[1]), list(value))
        super().set_value(path, value, title)

    def current(self, stage: Stage) -> Any:
        """Result of a stage that fits the present statements, or None."""
        return self.results.get(getattr(stage_keys(self.settled, self.case_name or None), stage))

    @property
    def settled(self) -> Project:
        """The statements with the mesh that a run found for them."""
        return settled(self.project, self.results)

    @property
    def lost(self) -> dict[str, str]:
        """What regions have lost in the present shape, by region."""
        view = self.current("shape")
        return {} if view is None else lost_regions(self.project, view)

    @property
    def element_size(self) -> float | None:
        """Element size (mm) of the mesh plan, None before the part is read."""
        view = self.current("shape")
        return None if view is None else mesh_size(self.settled, view)

    @property
    def finer_size(self) -> str:
        """Half the element size of the mesh plan, as it is stated."""
        return shown.stated((self.element_size or 0.0) / 2, "length", 3)

    @property
    def mesh_cost(self) -> str:
        """What the mesh of the plan will cost, in words; '' before the part is read."""
        view = self.current("shape")
        return "" if view is None else mesh_cost(self.settled, view)

    def marks(self, reactions: bool = False) -> Marks:
        """Marks of the supports, hubs and joints, and of the loads of the present case on the
        part as it is read; with the reactions that were found. None where nothing is read."""
        view, strength = self.current("shape"), self.current("strength")
        if view is None:
            return Marks()
        marks = marks_of(self.project, view, self.case_name)
        if reactions and strength is not None:
            back = reaction_marks(self.project, view, strength)
            marks = replace(marks, loads=[*marks.loads, *back])
        return marks

    @property
    def named_parts(self) -> dict[str, Selection]:
        """What can be picked by its name: regions, and what the recipes named."""
        view = self.current("shape")
        return {} if view is None else named_parts(view, self.project)

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

    def own_results(self) -> dict[str, Any]:
        """Results of the present statements, by key."""
        wanted = {
            key
            for case in self.project.cases
            for key in vars(stage_keys(self.settled, case.name)).values()
            if key
        }
        wanted |= {stage_keys(self.project).settled}
        return {key: result for key, result in self.results.items() if key in wanted}

    def _judge(self) -> None:
        self.report = judge_project(self.project, self.results)
        for case in self.report.cases:
            if case.facts.modes is not None:
                self.last_modes[case.facts.case] = case

    # --- runs
    # ----------------------------------------------------------------------------------------------
    @property
    def run_changed(self) -> Event:
        """What runs, how far it is, or what waits has changed."""
        return self.runs.changed

    @property
    def running(self) -> Plan | None:
        """What is on."""
        return None if self.runs.current is None else self.runs.current.plan

    @property
    def idle(self) -> bool:
        """Whether nothing is on and nothing waits."""
        return not self.runs.busy and not self.runs.waiting

    @property
    def at_work(self) -> bool:
        """Whether something is on that somebody asked for. The reading of a part that could be run
        is none: what is asked for meanwhile waits behind it."""
        on = self.runs.current
        return on is not None and (
            not on.by_itself
            or not self.project.cases
            or not all(job.by_itself for job in self.runs.waiting)
        )

    @property
    def progress(self) -> Progress:
        """How far what is on has come."""
        return Progress(0.0, "") if self.runs.current is None else self.runs.current.progress

    @property
    def paused(self) -> bool:
        """Whether what is on is held still."""
        return self.runs.current is not None and self.runs.current.state is JobState.PAUSED

    @property
    def run_started(self) -> float:
        """When what is on began (s, monotonic; pauses taken off)."""
        return 0.0 if self.runs.current is None else self.runs.current.begun

    @property
    def worker(self) -> Worker:
        """The process that runs things."""
        return self.runs.worker

    def run(self, upto: Stage, anew: bool = False) -> None:
        """Start a run in the worker, behind what is on; a trace goes on from where it was left
        off, unless it is to begin `anew`."""
        plan = Plan(upto, (self.case_name,) if upto in _OF_ONE_CASE else ())

        def done(timing: dict[str, float]) -> None:
            if upto == "shape":
                return
            parts = ", ".join(f"{k} {value:.2f} s" for k, value in timing.items() if k != "total")
            self.note(f"Ran {job.words} in {timing['total']:.1f} s ({parts})")

        job = Job(
            plan,
            lambda: self._submit(plan, anew),
            self._found,
            done,
            needed=lambda: self._needs(plan),
            by_itself=upto == "shape",
        )
        self._ask(job)

    def _needs(self, plan: Plan) -> bool:
        """Whether what waited for its turn is still to be found. A case that has another name by
        now, or is gone, is told and left."""
        if plan.upto == "shape":
            return len(self.project.active_pieces) > 0 and self.current("shape") is None
        here = {case.name for case in self.project.cases}
        if gone := [case for case in plan.cases if case not in here]:
            self.note(
                f"Not run: there is no case '{gone[0]}' any more. Ask again for the one meant."
            )
            return False
        return plan.upto != "modes" or self.stale_cases() > 0

    def _submit(self, plan: Plan, anew: bool) -> WorkerEngine:
        """Begin a run of what is stated now: what it waited for may have changed everything, and
        where a trace was left off holds for the statements that it was of."""
        if plan.upto == "trace" and not anew:
            plan = replace(plan, resume=self._left_off(plan.cases[0]))
        self.worker.submit(Snapshot(self.settled, self.files), plan)
        return WorkerEngine(self.worker)

    def ask(
        self,
        stage: Stage,
        query: Callable[[], Query | SizeQuery],
        take: Callable[[list[Any]], None],
        found: Callable[[str, Any], None] | None = None,
    ) -> None:
        """Ask the worker once; `take` gets the answer. Raises LabilisError while anything runs."""
        self.runs.must_be_idle()
        answers: list[Any] = []

        def begin() -> WorkerEngine:
            self.worker.ask(query())
            return WorkerEngine(self.worker)

        def keep(key: str, result: Any) -> None:
            if key == "bodies":
                answers[:] = result
            elif found is not None:
                found(key, result)

        self._ask(Job(Plan(stage), begin, keep, lambda _: take(answers)))

    def _ask(self, job: Job) -> None:
        on = self.runs.current
        if on is None:
            self.last_error = None
        elif not job.by_itself:
            self.note(f"Waiting behind {on.words}: {job.words}")
        self.runs.ask(job)

    @property
    def checkpoint(self) -> TraceCheckpoint | None:
        """Where the trace of the present case was left off, None where it was not begun or has
        come to its end."""
        return self._left_off(self.case_name)

    def _left_off(self, case: str) -> TraceCheckpoint | None:
        keys = stage_keys(self.settled, case or None)
        trace = self.results.get(keys.trace)
        return None if trace is not None and trace.done else self.results.get(keys.path)

    def pause(self, paused: bool) -> None:
        """Hold the run still, or let it go on."""
        if self.runs.pause(paused):
            self.note("Paused" if paused else "Going on")

    def stop(self) -> None:
        """Stop what is on at once, and forget what waits."""
        job = self.runs.stop()
        if job is None:
            return
        self.worker.warm()
        self._keep_checkpoint(force=True)
        if job.plan.upto == "trials":
            self.note("Trials stopped; what was found stays, and the plan goes on from there")
        else:
            self.note("Stopped; what was found before stays")

    def poll(self) -> None:
        """Take what has come in from what runs."""
        self.runs.poll()

    def wait(self, seconds: float) -> bool:
        """Poll until nothing is on any more; whether it came to that within so long."""
        until = time.monotonic() + seconds
        while not self.idle:
            if time.monotonic() > until:
                return False
            self.poll()
            time.sleep(0.01)
        return True

    def _read_shape(self) -> None:
        """Read the part's shape if it is not known yet; when a run is on, after it."""
        if self._needs(Plan("shape")):
            self.run("shape")

    def _run_died(self, job: Job, sentence: str) -> None:
        self._keep_checkpoint(force=True)
        self.last_error = LabilisError(sentence, "run", "Run it again.", "died")
        self.note(sentence)
        self.problem.emit(self.last_error)

    def _run_failed(self, job: Job, error: LabilisError, detail: Any) -> None:
        self.last_error = error
        self.note(str(error) + (f"\n{detail}" if isinstance(detail, str) else ""))
        self.problem.emit(error)
        if error.code in ("free-motion", "mechanism") and detail is not None:
            self.free_motion.emit(detail)
        self.statements_changed.emit()

    def keep_found(self, key: str, result: Any) -> None:
        """Keep something found in the project file; what cannot be kept there is said."""
        if self.file is not None:
            try:
                self.file.put_result(key, result)
            except LabilisError as error:
                self.problem.emit(error)

    def _keep_checkpoint(self, force: bool = False) -> None:
        """Write where the trace stands to the file, now and then."""
        key, found = self._latest
        if found is None or (not force and time.monotonic() - self._kept_at < _KEEP_EVERY):
            return
        self._kept_at, self._latest = time.monotonic(), ("", None)
        self.keep_found(key, found)

    def _found(self, key: str, result: Any) -> None:
        if isinstance(result, TraceCheckpoint):
            self.results[key], self._latest = result, (key, result)
            self._keep_checkpoint()
            return
        known = key in self.results
        self.results[key] = result
        finished = getattr(result, "done", True)  # a trace comes step by step; only its end is kept
        if finished and (not known or hasattr(result, "done")):
            self.keep_found(key, result)
        self._judge()
        self.results_changed.emit()
