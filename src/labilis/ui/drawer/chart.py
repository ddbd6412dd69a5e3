"""Lines over an axis, one panel beside the other, as studies draw them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from labilis.model import shown
from labilis.ui.copying import Rows, can_be_taken, curve_rows
from labilis.ui.theme import PAPER

_NEAR = 12.0  # pixels, across and down together, of a click from a point
_LEFT, _RIGHT, _TOP, _BOTTOM = 54, 14, 22, 34


@dataclass(frozen=True)
class Line:
    """name for the key above; points (x, y), those that are not finite left out; colour; dashed;
    band: height above and below it, drawn pale; dots: points without a line between them, filled or
    only ringed; labels: a word beside each of them."""

    name: str
    points: tuple[tuple[float, float], ...]
    colour: str
    dashed: bool = False
    band: float = 0.0
    dots: Literal["", "filled", "ringed"] = ""
    labels: tuple[str, ...] = ()


@dataclass(frozen=True)
class Panel:
    """under: what runs along the axis, with its unit; beside: what rises, with its unit or none;
    lines."""

    under: str
    beside: str
    lines: tuple[Line, ...]


def between(low: float, high: float, most: int = 5) -> list[float]:
    """Round values within low to high."""
    if not (math.isfinite(low) and math.isfinite(high) and high > low):
        return [low] if math.isfinite(low) else []
    rough = (high - low) / most
    power = 10.0 ** math.floor(math.log10(rough))
    step = next(power * k for k in (1, 2, 5, 10) if power * k >= rough * (1 - 1e-9))
    first = math.ceil(low / step - 1e-9)
    found = [step * k for k in range(first, int(math.floor(high / step + 1e-9)) + 1)]
    return found if len(found) > 1 or most > 20 else between(low, high, 2 * most)


def _in_units(panel: Panel) -> Panel:
    """A panel whose axes end with metric units, in the units that are shown."""
    (under, wide), (beside, high) = shown.axis(panel.under), shown.axis(panel.beside)
    if wide == high == 1.0:
        return panel
    return Panel(
        under,
        beside,
        tuple(
            replace(
                line,
                points=tuple((wide * x, high * y) for x, y in line.points),
                band=high * line.band,
            )
            for line in panel.lines
        ),
    )


class Chart(QWidget):
    """Panels side by side; nothing is drawn while there are none. `point_chosen` carries x and y
    of a point that was clicked."""

    point_chosen = pyqtSignal(float, float)

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        can_be_taken(self, self.rows)
        self.panels: tuple[Panel, ...] = ()
        self._stated: tuple[Panel, ...] = ()
        self.dashes = ""
        self.spots: list[tuple[QPointF, float, float]] = []  # where each point is drawn

    def show_panels(self, panels: Sequence[Panel], dashes: str = "") -> None:
        """Draw these; panels without a point are left out. `dashes` says what whole and dashed
        lines are."""
        self.dashes = dashes
        self._stated = tuple(
            panel for panel in panels if any(_finite(line) for line in panel.lines)
        )
        self.panels = tuple(_in_units(panel) for panel in self._stated)
        self.setAccessibleDescription(
            "; ".join(
                f"{line.name} over {panel.under}: "
                + ", ".join(f"{y:.4g} at {x:.3g}" for x, y in _finite(line))
                for panel in self.panels
                for line in panel.lines
            )
        )
        self.setVisible(bool(self.panels))
        self.update()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(_font())
        self._key(painter)
        width = self.width() / max(len(self.panels), 1)
        # each point as it was given: it is what the click on it tells, whatever units are shown
        self.spots = [
            (place, x, y)
            for number, (panel, stated) in enumerate(zip(self.panels, self._stated))
            for place, (x, y) in zip(
                _draw(painter, panel, QRectF(number * width, 0, width, self.height())),
                _points(stated),
            )
        ]

    def rows(self) -> Rows:
        """All points of all curves."""
        return curve_rows(
            [
                (line.name, panel.under, panel.beside, line.points)
                for panel in self.panels
                for line in panel.lines
            ]
        )

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not self.spots or event.button() != Qt.MouseButton.LeftButton:
            return
        there = event.position()
        spot, x, y = min(self.spots, key=lambda item: (item[0] - there).manhattanLength())
        if (spot - there).manhattanLength() <= _NEAR:
            self.point_chosen.emit(x, y)

    def _key(self, painter: QPainter) -> None:
        """Each name once, above all panels; lines of one name differ by their dashes, which
        `dashes` explains."""
        place, lines = (
            float(_LEFT),
            {line.name: line for panel in reversed(self.panels) for line in reversed(panel.lines)},
        )
        names = sum(painter.fontMetrics().horizontalAdvance(name) for name in (*lines, self.dashes))
        if (
            place + names + 32 * len(lines) > self.width()
        ):  # too many for their usual room: from the border, closer together
            place = 6.0
        dash = min(max((self.width() - place - names) / max(len(lines), 1) - 12.0, 6.0), 20.0)
        for name, line in reversed(lines.items()):
            painter.setPen(
                QPen(
                    QColor(line.colour),
                    1.8,
                    Qt.PenStyle.DashLine if line.dashed else Qt.PenStyle.SolidLine,
                )
            )
            if line.dots:
                painter.setBrush(
                    QColor(line.colour) if line.dots == "filled" else Qt.BrushStyle.NoBrush
                )
                painter.drawEllipse(QPointF(place + dash / 2 - 2, 11), 4.0, 4.0)
                painter.setBrush(Qt.BrushStyle.NoBrush)
            else:
                painter.drawLine(QPointF(place, 11), QPointF(place + dash - 4, 11))
            painter.drawText(QPointF(place + dash, 15), name)
            place += dash + (12 if dash > 10 else 6) + painter.fontMetrics().horizontalAdvance(name)
        painter.setPen(QColor(PAPER.quiet))
        painter.drawText(QPointF(place, 15), self.dashes)


def _font() -> QFont:
    font = QFont()
    font.setPixelSize(11)
    return font


def _finite(line: Line) -> list[tuple[float, float]]:
    return [(x, y) for x, y in line.points if math.isfinite(x) and math.isfinite(y)]


def _range(values: list[float]) -> tuple[float, float]:
    low, high = min(values), max(values)
    margin = 0.08 * (high - low) or 0.02 * abs(high) or 1.0
    return low - margin, high + margin


def _points(panel: Panel) -> list[tuple[float, float]]:
    return [point for line in panel.lines for point in _finite(line)]


def _draw(painter: QPainter, panel: Panel, box: QRectF) -> list[QPointF]:
    """Where its points are drawn."""
    points = _points(panel)
    wide = _range([x for x, _ in points])
    tall = _range(
        [y + side * line.band for line in panel.lines for _, y in _finite(line) for side in (-1, 1)]
    )
    area = box.adjusted(_LEFT, _TOP, -_RIGHT, -_BOTTOM)
    if area.width() < 40 or area.height() < 20:
        return []

    def at(x: float, y: float) -> QPointF:
        return QPointF(
            area.left() + area.width() * (x - wide[0]) / (wide[1] - wide[0]),
            area.bottom() - area.height() * (y - tall[0]) / (tall[1] - tall[0]),
        )

    _grid(painter, panel, box, area, at, wide, tall)
    taken: list[QRectF] = []
    for line in panel.lines:
        colour, run = QColor(line.colour), [at(*point) for point in _finite(line)]
        if not run:
            continue
        if line.band:
            pale = QColor(line.colour)
            pale.setAlpha(40)
            y = _finite(line)[0][1]
            painter.fillRect(QRectF(at(wide[0], y + line.band), at(wide[1], y - line.band)), pale)
        painter.setPen(
            QPen(colour, 1.8, Qt.PenStyle.DashLine if line.dashed else Qt.PenStyle.SolidLine)
        )
        if line.dots:
            _dots(painter, line, run, area.right() + _RIGHT, taken)
            continue
        painter.drawPolyline(QPolygonF(run))
        if not line.band:
            painter.setBrush(colour)
            painter.setPen(Qt.PenStyle.NoPen)
            for point in run:
                painter.drawEllipse(point, 2.6, 2.6)
            painter.setBrush(Qt.BrushStyle.NoBrush)
    return [at(x, y) for x, y in points]


def _dots(
    painter: QPainter, line: Line, run: list[QPointF], border: float, taken: list[QRectF]
) -> None:
    """Points of a line with their words, which stay within the border; a word that would lie on
    what is there is left out."""
    painter.setBrush(QColor(line.colour) if line.dots == "filled" else Qt.BrushStyle.NoBrush)
    for point in run:
        painter.drawEllipse(point, 4.0, 4.0)
        taken.append(QRectF(point.x() - 4, point.y() - 4, 8, 8))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QColor(PAPER.ink if line.dots == "filled" else PAPER.quiet))
    for point, words in zip(run, line.labels):
        width = painter.fontMetrics().horizontalAdvance(words) + 2.0
        left = point.x() + 6 if point.x() + 6 + width <= border else point.x() - 6 - width
        room = QRectF(left, point.y() - 7, width, 13)
        if not any(room.intersects(other) for other in taken):
            painter.drawText(
                room, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, words
            )
            taken.append(room)


def _grid(
    painter: QPainter,
    panel: Panel,
    box: QRectF,
    area: QRectF,
    at: object,
    wide: tuple[float, float],
    tall: tuple[float, float],
) -> None:
    for value in between(*tall, most=4):
        y = at(wide[0], value).y()  # type: ignore[operator]
        painter.setPen(QPen(QColor(PAPER.line), 1))
        painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
        painter.setPen(QColor(PAPER.quiet))
        painter.drawText(
            QRectF(box.left() + 14, y - 8, _LEFT - 20, 16),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            f"{value:.4g}",
        )
    painter.setPen(QColor(PAPER.quiet))
    for value in between(*wide, most=6):
        x, words = at(value, tall[0]).x(), f"{0.0 if abs(value) < 1e-12 else value:.4g}"  # type: ignore[operator]
        painter.drawText(
            QRectF(x - 30, area.bottom() + 2, 60, 14), Qt.AlignmentFlag.AlignCenter, words
        )
    painter.drawText(
        QRectF(area.left(), area.bottom() + 16, area.width(), 16),
        Qt.AlignmentFlag.AlignCenter,
        panel.under,
    )
    painter.save()
    painter.translate(box.left() + 9, area.center().y())
    painter.rotate(-90)
    painter.drawText(QRectF(-60, -8, 120, 16), Qt.AlignmentFlag.AlignCenter, panel.beside)
    painter.restore()
