"""A plan under way in the background of the window: a thread that waits for the processes, and a
queue of what they found."""

from __future__ import annotations

import queue
import threading
from collections.abc import Iterator, Mapping
from typing import Any

from labilis.model import LabilisError, TrialPlan
from labilis.results.findings import TrialFindings
from labilis.run.plan import Snapshot
from labilis.run.trials.running import run_plan

Event = tuple[str, Any]  # ("found", (key, trial)), ("done", None), ("error", LabilisError)


class TrialsJob:
    """Begins with being made; `poll` for events, `stop` it."""

    def __init__(
        self, snapshot: Snapshot, plan: TrialPlan, known: Mapping[str, TrialFindings], workers: int
    ) -> None:
        self.plan = plan
        self._events: queue.SimpleQueue[Event] = queue.SimpleQueue()
        self._stopped = threading.Event()
        self._thread = threading.Thread(
            target=self._run,
            args=(snapshot, plan, dict(known), workers),
            daemon=True,
            name="labilis-trials",
        )
        self._thread.start()

    def _run(
        self, snapshot: Snapshot, plan: TrialPlan, known: dict[str, TrialFindings], workers: int
    ) -> None:
        try:
            for _ in run_plan(
                snapshot,
                plan,
                known,
                lambda key, trial: self._events.put(("found", (key, trial))),
                workers,
                self._stopped.is_set,
            ):
                pass
            self._events.put(("done", None))
        except LabilisError as error:
            self._events.put(("error", error))
        except Exception as error:
            self._events.put(
                (
                    "error",
                    LabilisError(
                        f"The trials failed inside the program ({type(error).__name__}: {error}).",
                        "plans",
                        "Nothing is lost: what was found stays.",
                        "internal",
                    ),
                )
            )

    def poll(self) -> Iterator[Event]:
        """Events that have come in."""
        while True:
            try:
                yield self._events.get_nowait()
            except queue.Empty:
                return

    def stop(self) -> None:
        """Ends it; trials that are under way are given up."""
        self._stopped.set()

    def wait(self, seconds: float) -> bool:
        """Whether it has come to its end within so long."""
        self._thread.join(seconds)
        return not self._thread.is_alive()
