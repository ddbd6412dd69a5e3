"""The report's pages to look at, asked for now and then whether they are done."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from labilis.app.printing import Printing
from labilis.model import LabilisError

if TYPE_CHECKING:
    from labilis.report.job import ReportQuery

_LOOK = 60  # ms between looks for pages that are done


class Printer(QObject):
    """Has pages made. `ready` carries their place."""

    ready = pyqtSignal(object)
    failed = pyqtSignal(LabilisError)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._printing = Printing()
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK)
        self._timer.timeout.connect(self._poll)

    @property
    def busy(self) -> bool:
        """Whether pages are being made."""
        return self._printing.busy

    def ask(self, query: ReportQuery) -> None:
        """Make these pages, after those that are being made."""
        self._printing.ask(query)
        self._timer.start()

    def _poll(self) -> None:
        found = self._printing.poll()
        if found is None:
            return
        self._timer.stop()
        if isinstance(found, LabilisError):
            self.failed.emit(found)
        else:
            self.ready.emit(found)

    def close(self) -> None:
        """End the process."""
        self._timer.stop()
        self._printing.close()
