"""What runs: one job at a time, each with what is to be done with its answer. What is asked for
meanwhile waits its turn."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from enum import Enum
from typing import Any, Protocol

from labilis.app.events import Event
from labilis.model import LabilisError
from labilis.run import Plan, Worker
from labilis.run.plan import Progress

STAGE_WORDS = {
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
    "trials": "trials",
    "size": "sizing",
    "report": "the report",
    "part": "the export",
    "verify": "the check of the report",
}


class JobState(Enum):
    """Where a job stands. The last four are ends."""

    WAITING = "waiting"
    RUNNING = "running"
    PAUSED = "paused"
    STOPPED = "stopped"
    FAILED = "failed"
    DIED = "died"
    DONE = "done"


class Engine(Protocol):
    """What does the work of a job that has begun: the worker's process, or trials side by side."""

    def poll(self) -> Iterable[tuple[str, Any]]:
        """(kind, content) of what came in: progress, found, done, error, died."""

    def stop(self) -> None:
        """End it at once."""


def _always() -> bool:
    return True


def _nothing(*_: Any) -> None:
    return None


@dataclass(eq=False)
class Job:
    """One thing to run. `begin` starts the work when its turn has come, with what is stated then;
    `needed` is asked before that; `found` takes (key, result) as they come, `done` the timing (s by
    part) at the end, `ended` is called at every end; `by_itself`: nobody asked for it."""

    plan: Plan
    begin: Callable[[], Engine]
    found: Callable[[str, Any], None] = _nothing
    done: Callable[[dict[str, float]], None] = _nothing
    ended: Callable[[], None] = _nothing
    needed: Callable[[], bool] = _always
    by_itself: bool = False
    state: JobState = JobState.WAITING
    progress: Progress = field(default_factory=lambda: Progress(0.0, "Starting"))
    begun: float = 0.0  # s of the monotonic clock, pauses taken off
    held: float = 0.0  # s, when it was paused
    engine: Engine | None = None

    def is_like(self, other: Job) -> bool:
        """Whether both are for the same thing."""
        return (self.plan.upto, self.plan.cases) == (other.plan.upto, other.plan.cases)

    @property
    def words(self) -> str:
        """What it is, as a part of a sentence."""
        return STAGE_WORDS[self.plan.upto]


class WorkerEngine:
    """The worker's process as the engine of a job that has been handed to it."""

    def __init__(self, worker: Worker) -> None:
        self._worker = worker

    def poll(self) -> Iterable[tuple[str, Any]]:
        """What came in."""
        return ((event.kind, event.content) for event in self._worker.poll())

    def stop(self) -> None:
        """End the process, whatever it is in."""
        self._worker.stop()


class Runs:
    """The job that is on and those that wait. `poll` moves everything: a window calls it from a
    timer, a test in a loop."""

    def __init__(self) -> None:
        self.changed = Event()
        self.failed = Event()  # (job, LabilisError, detail or None)
        self.died = Event()  # (job, sentence)
        self.worker = Worker()
        self.current: Job | None = None
        self.waiting: list[Job] = []

    @property
    def busy(self) -> bool:
        """Whether anything is on."""
        return self.current is not None or self.worker.busy

    def ask(self, job: Job) -> None:
        """Begin a job, or have it wait behind what is on. Of two that wait for the same thing one
        is enough. Raises LabilisError of its beginning."""
        if not self.busy:
            self._begin(job)
            return
        if not any(job.is_like(other) for other in self.waiting):
            self.waiting.append(job)
            self.changed.emit()

    def must_be_idle(self) -> None:
        """Raises LabilisError while anything runs."""
        if self.busy:
            raise LabilisError("A run is on.", "run", "Stop it first.", "busy")

    def pause(self, paused: bool) -> bool:
        """Hold the job still, or let it go on; whether that changed anything."""
        job = self.current
        if job is None or paused == (job.state is JobState.PAUSED):
            return False
        self.worker.pause(paused)
        now = time.monotonic()
        if not paused:
            job.begun += now - job.held
        job.held = now
        job.state = JobState.PAUSED if paused else JobState.RUNNING
        self.changed.emit()
        return True

    def stop(self) -> Job | None:
        """End what is on at once and forget what waits; the job that was ended."""
        self.waiting.clear()
        job = self.current
        if job is None:
            return None
        if job.engine is not None:
            job.engine.stop()
        for kind, content in tuple(job.engine.poll()) if job.engine is not None else ():
            if kind == "found":  # found before the end, and kept
                job.found(*content)
        self._end(job, JobState.STOPPED)
        return job

    def close(self) -> None:
        """End everything, the worker's process too."""
        self.stop()
        self.worker.close()

    def poll(self) -> None:
        """Take what has come in, and begin what waits when its turn has come."""
        job = self.current
        if job is None:
            self._next()
            return
        assert job.engine is not None
        for kind, content in job.engine.poll():
            if job is not self.current:
                return  # a listener stopped it
            self._take(job, kind, content)

    def _take(self, job: Job, kind: str, content: Any) -> None:
        if kind == "progress":
            job.progress = content
            self.changed.emit()
        elif kind == "found":
            job.found(*content)
        elif kind == "done":
            self._end(job, JobState.DONE, lambda: job.done(content or {}))
        elif kind == "error":
            error, detail = content if isinstance(content, tuple) else (content, None)
            self._end(job, JobState.FAILED, lambda: self.failed.emit(job, error, detail))
        elif kind == "died":
            self._end(job, JobState.DIED, lambda: self.died.emit(job, content))
            self.worker.warm()

    def _begin(self, job: Job) -> None:
        job.begun = time.monotonic()
        job.engine = job.begin()
        job.state = JobState.RUNNING
        self.current = job
        self.changed.emit()

    def _end(self, job: Job, state: JobState, then: Callable[[], None] = _nothing) -> None:
        job.state, self.current = state, None
        job.ended()
        then()
        self._next()
        self.changed.emit()

    def _next(self) -> None:
        """Begin the first that waits and is needed still. One that cannot begin says why."""
        while self.waiting and not self.busy:
            job = self.waiting.pop(0)
            if not job.needed():
                continue
            try:
                self._begin(job)
            except LabilisError as error:
                job.state = JobState.FAILED
                self.failed.emit(job, error, None)
