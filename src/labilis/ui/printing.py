"""The report's pages to look at, made in a process of their own, so that neither the window nor
a run waits for them."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from labilis.model import LabilisError
from labilis.report.job import ReportQuery
from labilis.run.worker import Worker

_LOOK = 60  # ms between looks for pages that are done


class Printer(QObject):
    """Makes pages one after the other; of those that were asked for meanwhile the last. `ready`
    carries their place."""

    ready = pyqtSignal(object)
    failed = pyqtSignal(LabilisError)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._worker = Worker()
        self._next: ReportQuery | None = None
        self._found: list[object] = []
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK)
        self._timer.timeout.connect(self._poll)

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
        self._timer.start()

    def _poll(self) -> None:
        for event in self._worker.poll():
            if event.kind == "found":
                self._found = event.content[1]
            elif event.kind in ("done", "error", "died"):
                self._timer.stop()
                following, self._next = self._next, None
                if following is not None:  # what is done is old already
                    self.ask(following)
                elif event.kind == "done":
                    self.ready.emit(self._found[0])
                else:
                    self.failed.emit(
                        event.content[0]
                        if event.kind == "error"
                        else LabilisError(
                            event.content, "report", "Ask for the page again.", "died"
                        )
                    )
                return

    def close(self) -> None:
        """End the process."""
        self._timer.stop()
        self._next = None
        self._worker.close()
