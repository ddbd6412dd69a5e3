"""The load-deflection curve with the traces that were kept to compare it with."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from labilis.judge.path_axes import POINT, path_axes
from labilis.model import shown
from labilis.results.findings import TraceFindings
from labilis.ui.drawer.curve import TraceCurve
from labilis.ui.drawer.tables import note_below


class TracePage(QWidget):
    """Curve, and beside it what is compared."""

    def __init__(self) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 8, 2)
        layout.setSpacing(2)
        self.curve = TraceCurve()
        layout.addWidget(self.curve, 1)
        row = QHBoxLayout()
        row.setContentsMargins(10, 0, 0, 0)
        self.over = QComboBox()
        self.over.setAccessibleName("What the factor is drawn over")
        self.over.setToolTip(
            "The mode's point, the largest motion, any region or hub of the project, and how far a "
            "hub turns"
        )
        self.over.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.over.activated.connect(self._choose)
        row.addWidget(self.over)
        self.note = note_below("")
        row.addWidget(self.note, 1)
        self.keep = QPushButton("keep to compare")
        self.keep.setToolTip("This curve stays, grey, beside those that follow")
        self.clear = QPushButton("forget the kept")
        for button, call in ((self.keep, self._keep), (self.clear, self._clear)):
            button.setObjectName("tool")
            button.clicked.connect(call)
            row.addWidget(button)
        layout.addLayout(row)
        self._case = ""
        self.show_trace(None)

    def show_trace(self, trace: TraceFindings | None, stale: bool = False) -> None:
        """Show a trace beside the kept ones."""
        self._offer([] if trace is None else path_axes(trace))
        self.curve.show_trace(trace, stale)
        kept = [name for name, _ in self.curve.kept]
        self.keep.setEnabled(
            trace is not None
            and trace.done
            and not stale
            and not any(known is trace for _, known in self.curve.kept)
        )
        self.clear.setVisible(bool(kept))
        self.note.setText(self._words(trace) if kept and trace is not None else "")

    def _offer(self, axes: list[str]) -> None:
        """Axes to choose from; what was chosen stays where it is among them."""
        words = [shown.axis(axis)[0] for axis in axes]
        if words != [self.over.itemText(k) for k in range(self.over.count())]:
            self.over.clear()
            for name, axis in zip(words, axes):
                self.over.addItem(name, axis)
        self.over.setVisible(bool(axes))
        self.over.setCurrentIndex(
            max(axes.index(self.curve.axis if self.curve.axis in axes else POINT), 0)
            if axes
            else -1
        )

    def _choose(self) -> None:
        self.curve.axis = str(self.over.currentData())
        self.curve.update()

    def _keep(self) -> None:
        trace = self.curve.trace
        if trace is not None:
            self.curve.kept.append(("ABCDEFGH"[len(self.curve.kept) % 8], trace))
            self.show_trace(trace, self.curve.stale)

    def _clear(self) -> None:
        self.curve.kept.clear()
        self.show_trace(self.curve.trace, self.curve.stale)

    def _words(self, trace: TraceFindings) -> str:
        """What changed against the kept traces."""
        found = []
        for name, other in self.curve.kept:
            if other is not trace:
                change = 100 * (trace.verified / other.verified - 1)
                found.append(
                    f"{name}: {_title(other)}, verified {other.verified:.4g} (now {change:+.1f} %)"
                )
        return "; ".join(found)


def _title(trace: TraceFindings) -> str:
    shape = (
        f"mode {trace.mode}, {shown.length(abs(trace.amplitude), 3)}" if trace.mode else "as drawn"
    )
    return f"{trace.case}: {shape}{'' if trace.yielding else ', elastic'}"
