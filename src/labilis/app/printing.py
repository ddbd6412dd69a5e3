"""Pages of a report, made in a process of their own, so that neither a window nor a run waits for
them."""

from __future__ import annotations

from pathlib import Path

from labilis.model import LabilisError
from labilis.report.job import ReportQuery
from labilis.run.worker import Worker


class Printing:
    """Makes pages one after the other; of those that were asked for meanwhile the last."""

    def __init__(self) -> None:
        self._worker = Worker()
        self._next: ReportQuery | None = None
        self._found: list[Path] = []

    @property
    def busy(self) -> bool:
        """Whether pages are being made."""
        return self._worker.busy

    def ask(self, query: ReportQuery) -> None:
        """Make these pages, after those that are being made."""
        if self._worker.busy:
            self._next = query
            return
        self._found = []
        self._worker.ask(query)

    def poll(self) -> Path | LabilisError | None:
        """Where the pages are that are done, or why they could not be made; None while they are
        being made. Pages that others were asked for after are old already."""
        for event in self._worker.poll():
            if event.kind == "found":
                self._found = event.content[1]
            elif event.kind in ("done", "error", "died"):
                following, self._next = self._next, None
                if following is not None:
                    self.ask(following)
                    return None
                if event.kind == "done":
                    return self._found[0]
                if event.kind == "error":
                    error: LabilisError = event.content[0]
                    return error
                return LabilisError(event.content, "report", "Ask for the page again.", "died")
        return None

    def close(self) -> None:
        """End the process."""
        self._next = None
        self._worker.close()
