"""A run in a process of its own, forked from one that has all packages loaded, so that the window
stays usable and a stop takes effect at once.

The process is kept warm between runs: reading OpenCASCADE takes a second. Stopping ends it,
whatever library call it is in, and the next run starts a new one. Its death is an event like any
other.
"""

from __future__ import annotations

import multiprocessing
import time
import traceback
from collections.abc import Iterator
from dataclasses import dataclass
from multiprocessing.connection import Connection
from typing import Any, Literal, Protocol

from labilis.model import LabilisError
from labilis.run.plan import Plan, Progress, Snapshot
from labilis.run.revision import revise
from labilis.run.runner import Runner
from labilis.run.sizing import size_it
from labilis.shape.proposal import list_bodies
from labilis.shape.step import warm_up


@dataclass(frozen=True)
class BodyQuery:
    """Ask what bodies a STEP file holds; answered as found ('bodies', [BodyInfo]). With a project,
    whose files are in it, and the file `old` that it is to replace there: answered as found
    ('bodies', [statements, files, what became of each pick])."""

    data: bytes
    file: str
    project: Snapshot | None = None
    old: str = ""

    def answer(self) -> list[Any]:
        """What was asked for. Raises LabilisError."""
        bodies = list_bodies(self.data, self.file)
        if self.project is None:
            return bodies
        return [
            *revise(
                self.project.project, self.project.files, self.old, self.file, self.data, bodies
            )
        ]


class Query(Protocol):
    """Anything that is asked once and answered as found ('bodies', [...])."""

    def answer(self) -> list[Any]:
        """What was asked for. Raises LabilisError."""


@dataclass(frozen=True)
class SizeQuery:
    """Ask for the gauges of least mass that keep what is asked for; answered by found ('step',
    Step) after each run."""

    project: Snapshot
    runs: int = 15


@dataclass(frozen=True)
class WorkerEvent:
    """kind: progress (a Progress), found ((key, result)), done (timing in s by part), error (a
    LabilisError), stopped, died (a sentence)."""

    kind: Literal["progress", "found", "done", "error", "stopped", "died"]
    content: Any = None


_LOOK = 0.02  # s between looks of a run that is held


def _no_memory() -> LabilisError:
    return LabilisError(
        "There is not enough memory for this run.", "mesh", "Mesh coarser.", "memory"
    )


def _serve(pipe: Connection, going: Any) -> None:
    """Body of the worker process: take plans until the pipe closes. While `going` is nought it
    waits before it tells of progress: never in the middle of a message, which the window would wait
    for."""
    runner = Runner()

    def tell(progress: Progress) -> None:
        while not going.value:
            time.sleep(_LOOK)
        pipe.send(("progress", progress))

    warm_up()
    while True:
        try:
            job = pipe.recv()
        except EOFError:
            return
        try:
            if hasattr(job, "answer"):
                pipe.send(("found", ("bodies", job.answer())))
                pipe.send(("done", {"total": 0.0}))
                continue
            if isinstance(job, SizeQuery):
                size_it(
                    job.project,
                    (),
                    job.runs,
                    progress=tell,
                    found=lambda step: pipe.send(("found", ("step", step))),
                )
                pipe.send(("done", {"total": 0.0}))
                continue
            snapshot, plan = job
            runner.run(
                snapshot, plan, tell, lambda key, result: pipe.send(("found", (key, result)))
            )
            pipe.send(("done", dict(runner.timing)))
        except LabilisError as error:
            pipe.send(("error", (error, getattr(error, "motion", None))))
        except MemoryError:
            pipe.send(("error", (_no_memory(), None)))
        except (BrokenPipeError, OSError):
            return
        except (
            Exception
        ) as error:  # a defect in the program: say so, with what is needed to mend it
            text = traceback.format_exc()
            problem = LabilisError(
                f"The run failed inside the program ({type(error).__name__}: {error}).",
                "run",
                "Nothing is lost. The journal has the details.",
                "internal",
            )
            pipe.send(("error", (problem, text)))


class Worker:
    """Handle on the process. `submit` a plan, `poll` for events, `stop` it."""

    def __init__(self) -> None:
        self._process: Any = None
        self._pipe: Connection | None = None
        self._going: Any = None
        self.busy = False

    def warm(self) -> None:
        """Start the process before it is needed."""
        if self._process is not None and self._process.is_alive():
            return
        context = multiprocessing.get_context("forkserver")
        context.set_forkserver_preload(["labilis.run.preload"])
        here, there = context.Pipe()
        # a bare byte in shared memory: an event or a lock would wait for a process that was killed
        # while it slept on it
        self._going = context.RawValue("b", 1)
        self._process = context.Process(
            target=_serve, args=(there, self._going), daemon=True, name="labilis-run"
        )
        self._process.start()
        there.close()
        self._pipe = here

    def submit(self, snapshot: Snapshot, plan: Plan) -> None:
        """Begin a plan. Raises RuntimeError while one is running."""
        self.pause(False)
        self._send((snapshot, plan))

    def ask(self, query: Query | SizeQuery) -> None:
        """Ask what a STEP file holds, for gauges, or for a report."""
        self.pause(False)
        self._send(query)

    def _send(self, job: object) -> None:
        if self.busy:
            raise RuntimeError("a run is on")
        self.warm()
        assert self._pipe is not None
        try:
            self._pipe.send(job)
        except (BrokenPipeError, OSError):
            self._discard()
            self.warm()
            assert self._pipe is not None
            self._pipe.send(job)
        self.busy = True

    def poll(self, timeout: float = 0.0) -> Iterator[WorkerEvent]:
        """Events that have come in; waits up to `timeout` seconds for the first."""
        while self.busy and self._pipe is not None:
            try:
                if not self._pipe.poll(timeout):
                    if self._process.is_alive():
                        return
                    raise EOFError
                kind, content = self._pipe.recv()
            except (EOFError, OSError):
                code = self._process.exitcode if self._process is not None else None
                self._discard()
                yield WorkerEvent(
                    "died",
                    f"The run ended without an answer (exit {code}). Nothing stated or found is "
                    "lost; "
                    "run it again, with a coarser mesh if memory was short.",
                )
                return
            timeout = 0.0
            if kind in ("done", "error"):
                self.busy = False
            yield WorkerEvent(kind, content)

    @property
    def process_id(self) -> int | None:
        """Of the running process."""
        return self._process.pid if self._process is not None else None

    def pause(self, paused: bool) -> None:
        """Hold the run at its next report of progress (a trace after its step), or let it go on."""
        if self._going is not None:
            self._going.value = 0 if paused else 1

    def stop(self) -> WorkerEvent:
        """End the run at once."""
        self._discard()
        return WorkerEvent("stopped")

    def _discard(self) -> None:
        self.busy = False
        if self._process is not None:
            self._process.terminate()
            self._process.join(0.5)
            if self._process.is_alive():
                self._process.kill()
                self._process.join(0.5)
        if self._pipe is not None:
            self._pipe.close()
        self._process = self._pipe = self._going = None

    close = _discard
