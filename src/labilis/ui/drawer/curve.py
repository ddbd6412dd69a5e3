"""The load-deflection curve, drawn as it grows: factor over the motion of the probe, limit,
first yield and the ideal factor marked."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from labilis.judge.path_axes import POINT, along
from labilis.model import shown
from labilis.results.findings import TraceFindings
from labilis.ui.copying import Rows, can_be_taken, curve_rows
from labilis.ui.drawer.chart import between
from labilis.ui.theme import PAPER

_LEFT, _RIGHT, _TOP, _BOTTOM = 52, 150, 10, 30


class TraceCurve(QWidget):
    """One curve; `show_trace(None)` says what to do to get one."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Load-deflection curve")
        self.trace: TraceFindings | None = None
        self.stale = False
        self.kept: list[tuple[str, TraceFindings]] = []
        self.axis = POINT
        can_be_taken(self, self.rows)

    def rows(self) -> Rows:
        """All points of the curve and of those kept beside it."""
        curves = [] if self.trace is None else [("trace", self.trace)]
        found = []
        for name, trace in [
            *curves,
            *((name, trace) for name, trace in self.kept if trace is not self.trace),
        ]:
            values = along(trace, self.axis)
            own, title = (trace.probe, POINT) if values is None else (values, self.axis)
            words, times = shown.axis(title)
            found.append(
                (
                    name,
                    words,
                    "load factor",
                    [(float(x) * times, float(y)) for x, y in zip(own, trace.factors)],
                )
            )
        return curve_rows(found)

    def show_trace(self, trace: TraceFindings | None, stale: bool = False) -> None:
        """Draw a trace."""
        self.trace, self.stale = trace, stale
        self.setToolTip(
            "" if trace is None else f"{len(trace.factors) - 1} steps, {trace.cut_backs} cut back"
        )
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        trace = self.trace
        if trace is None or len(trace.factors) < 2:
            self._nothing(painter)
            return
        marks = [
            (value, words, colour)
            for value, words, colour in (
                (trace.ideal, "mode 1, ideal", PAPER.quiet),
                (trace.first_yield, "first yield", PAPER.caution),
                (trace.limit, "limit", PAPER.bad),
            )
            if math.isfinite(value) and value > 0
        ]
        high = (
            1.08 * max(float(trace.factors.max()), *(value for value, _, _ in marks))
            if marks
            else 1.08 * float(trace.factors.max())
        )
        found = along(trace, self.axis)
        own, title = (trace.probe, POINT) if found is None else (found, self.axis)
        words, times = shown.axis(title)
        others = [
            (name, other, values)
            for name, other in self.kept
            if other is not trace and (values := along(other, title)) is not None
        ]
        high = max([high, *(1.08 * float(other.factors.max()) for _, other, _ in others)])
        ends = [
            float(value)
            for values in (own, *(values for _, _, values in others))
            for value in (values.min(), values.max())
        ]
        low, wide = 1.05 * min(0.0, *ends), 1.05 * max(0.0, *ends)
        wide = wide if wide - low > 0 else 1e-9
        area = QRectF(_LEFT, _TOP, self.width() - _LEFT - _RIGHT, self.height() - _TOP - _BOTTOM)

        def at(motion: float, factor: float) -> QPointF:
            return QPointF(
                area.left() + area.width() * (motion - low) / (wide - low),
                area.bottom() - area.height() * factor / high,
            )

        self._axes(painter, area, at, (low, wide), high, words, times)
        self._marks(painter, area, lambda factor: at(low, factor).y(), marks)
        self._others(painter, at, others)
        own_colour = QColor(PAPER.quiet if self.stale else PAPER.accent)
        painter.setPen(QPen(own_colour, 2))
        points = [at(float(motion), float(factor)) for motion, factor in zip(own, trace.factors)]
        painter.drawPolyline(QPolygonF(points))
        painter.setBrush(own_colour)
        painter.setPen(Qt.PenStyle.NoPen)
        for point in points:
            painter.drawEllipse(point, 2.6, 2.6)

    def _nothing(self, painter: QPainter) -> None:
        painter.setPen(QColor(PAPER.quiet))
        painter.drawText(
            self.rect(),
            Qt.AlignmentFlag.AlignCenter,
            "No trace yet. It follows the imperfect part at large deflection: run it at the "
            "Trace station.",
        )

    def _marks(
        self,
        painter: QPainter,
        area: QRectF,
        y_of: Callable[[float], float],
        marks: list[tuple[float, str, str]],
    ) -> None:
        """Dashed lines at telling factors, their names beside, clear of each other."""
        placed: list[float] = []
        for value, words, colour in sorted(marks, reverse=True):
            y = y_of(value)
            painter.setPen(QPen(QColor(colour), 1.2, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            label = max(y - 8, placed[-1] + 15 if placed else y - 8)
            placed.append(label)
            painter.setPen(QColor(colour))
            painter.drawText(
                QRectF(area.right() + 6, label, _RIGHT - 8, 16),
                Qt.AlignmentFlag.AlignVCenter,
                f"{value:.4g} {words}",
            )

    def _others(
        self,
        painter: QPainter,
        at: Callable[[float, float], QPointF],
        others: Sequence[tuple[str, TraceFindings, Iterable[float]]],
    ) -> None:
        """Traces kept for comparison, in grey."""
        for number, (name, other, values) in enumerate(others):
            painter.setPen(
                QPen(
                    QColor(PAPER.quiet),
                    1.4,
                    (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine)[number % 3],
                )
            )
            line = [
                at(float(motion), float(factor)) for motion, factor in zip(values, other.factors)
            ]
            painter.drawPolyline(QPolygonF(line))
            painter.setPen(QColor(PAPER.quiet))
            painter.drawText(line[-1] + QPointF(5, 5), name)

    def _axes(
        self,
        painter: QPainter,
        area: QRectF,
        at: object,
        wide: tuple[float, float],
        high: float,
        title: str,
        times: float,
    ) -> None:
        painter.setPen(QPen(QColor(PAPER.line), 1))
        for value in between(0.0, high):
            y = at(wide[0], value).y()  # type: ignore[operator]
            painter.setPen(QPen(QColor(PAPER.line), 1))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            painter.setPen(QColor(PAPER.quiet))
            painter.drawText(
                QRectF(0, y - 8, _LEFT - 6, 16),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                f"{value:.3g}",
            )
        for value in between(wide[0] * times, wide[1] * times, most=6):
            x = at(value / times, 0.0).x()  # type: ignore[operator]
            painter.drawText(
                QRectF(x - 30, area.bottom() + 2, 60, 14),
                Qt.AlignmentFlag.AlignCenter,
                f"{value:.3g}",
            )
        painter.drawText(
            QRectF(area.right() + 6, area.bottom() - 2, _RIGHT - 8, 30),
            Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap,
            title,
        )
        painter.save()
        painter.translate(9, area.center().y())
        painter.rotate(-90)
        painter.drawText(QRectF(-50, -8, 100, 16), Qt.AlignmentFlag.AlignCenter, "load factor")
        painter.restore()
