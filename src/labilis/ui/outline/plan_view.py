"""An outline in plan, to scale: corners and openings that can be taken and moved, with lengths."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QFont,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QWidget

from labilis.app.outlining import Part
from labilis.model import shown
from labilis.ui.theme import PAPER

if TYPE_CHECKING:
    from labilis.edit.outlines import Outline
    from labilis.run.outlines import Drawn

_REACH = 9.0  # pixels around a corner, a middle or a side that are still it
_MARGIN = 74.0  # pixels round the outline, for its dimensions
_STEP = 7.0  # pixels that a step of a drag takes at least
_MOVED = 3.0  # pixels after which a press is a drag


class PlanView(QWidget):
    """Draws one outline. Says what was picked, dragged (in mm) or asked for; changes nothing."""

    picked = pyqtSignal(object)  # a Part or None
    dragged = pyqtSignal(object, float, float)  # while the button is down
    dropped = pyqtSignal(object, float, float)  # when it is let go
    split = pyqtSignal(int, float, float)  # a side, where
    removed = pyqtSignal(object)
    asked = pyqtSignal(object)  # the part whose dimension was clicked, to be typed

    def __init__(self) -> None:
        super().__init__()
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Outline in plan")
        self.setMinimumSize(300, 240)
        self.drawn: Drawn | None = None
        self.outline: Outline | None = None
        self.selected: Part | None = None
        self.wrong = False
        self._scale, self._middle = 1.0, (0.0, 0.0)
        self._press: tuple[QPointF, Part | None] | None = None
        self._dragging = False
        self._guides: list[tuple[str, float]] = []
        self._own_view = False
        self._dimensions: list[tuple[QRectF, Part]] = []  # where they are drawn

    def show_outline(self, outline: Outline, drawn: Drawn, wrong: bool = False) -> None:
        """Draw this; `wrong` where no piece can be made of it."""
        self.outline, self.drawn, self.wrong = outline, drawn, wrong
        if not self._own_view and self._press is None:
            self.fit()
        self.update()

    def fit(self) -> None:
        """All of it in view."""
        if self.drawn is None:
            return
        low, high = self.drawn.extents
        wide, tall = max(float(high[0] - low[0]), 1e-6), max(float(high[1] - low[1]), 1e-6)
        self._scale = max(
            min((self.width() - 2 * _MARGIN) / wide, (self.height() - 2 * _MARGIN) / tall), 1e-6
        )
        self._middle = (float(low[0] + high[0]) / 2, float(low[1] + high[1]) / 2)
        self._own_view = False
        self.update()

    # --- places
    # ----------------------------------------------------------------------------------------------
    def at(self, x: float, y: float) -> QPointF:
        """Pixel of a point in mm."""
        return QPointF(
            self.width() / 2 + (x - self._middle[0]) * self._scale,
            self.height() / 2 - (y - self._middle[1]) * self._scale,
        )

    def point(self, pixel: QPointF) -> tuple[float, float]:
        """Point in mm of a pixel."""
        return (
            self._middle[0] + (pixel.x() - self.width() / 2) / self._scale,
            self._middle[1] - (pixel.y() - self.height() / 2) / self._scale,
        )

    def part_at(self, pixel: QPointF) -> Part | None:
        """What lies there: a corner or the middle of an opening before a side."""
        if self.drawn is None or self.outline is None:
            return None
        found: list[tuple[float, Part]] = []
        for kind, points in (("corner", self.drawn.corners), ("opening", self.drawn.centres)):
            for number, (x, y) in enumerate(points):
                there = self.at(float(x), float(y))
                found.append((_between(there, pixel), Part(kind, number)))
        if found and min(found, key=lambda item: item[0])[0] <= _REACH:
            return min(found, key=lambda item: item[0])[1]
        sides = [
            (_to_line(pixel, *self._ends(number)), Part("side", number))
            for number in range(self.outline.sides)
        ]
        if sides and min(sides, key=lambda item: item[0])[0] <= _REACH:
            return min(sides, key=lambda item: item[0])[1]
        for number, loop in enumerate(self.drawn.loops[1:] if self.outline.opens else ()):
            if _polygon(self, loop).containsPoint(pixel, Qt.FillRule.OddEvenFill):
                return Part("opening", number)
        return None

    def dimension_at(self, pixel: QPointF) -> Part | None:
        """What the dimension that is written there is of."""
        return next((part for box, part in self._dimensions if box.contains(pixel)), None)

    def _ends(self, side: int) -> tuple[QPointF, QPointF]:
        assert self.drawn is not None
        corners = self.drawn.corners
        first, last = corners[side], corners[(side + 1) % len(corners)]
        return self.at(float(first[0]), float(first[1])), self.at(float(last[0]), float(last[1]))

    def snapped(self, part: Part, pixel: QPointF) -> tuple[float, float]:
        """Where a drag takes a corner or a middle to: level with another one that is near, else a
        round number of the unit that is shown."""
        assert self.drawn is not None
        self._guides = []
        unit = shown.per("length")
        step = _round_step(_STEP / self._scale / unit) * unit
        result = []
        drawn = (("corner", self.drawn.corners), ("opening", self.drawn.centres))
        for axis, value in enumerate(self.point(pixel)):
            others = [
                float(points[number][axis])
                for kind, points in drawn
                for number in range(len(points))
                if Part(kind, number) != part
            ]
            near = min(others, key=lambda other: abs(other - value), default=math.inf)
            if abs(near - value) * self._scale <= _STEP:
                self._guides.append(("xy"[axis], near))
                result.append(near)
            else:
                result.append(round(value / step) * step)
        return result[0], result[1]

    # --- the hand
    # ----------------------------------------------------------------------------------------------
    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.setFocus()
        dimension = self.dimension_at(event.position())
        part = dimension or self.part_at(event.position())
        self._press, self._dragging = (event.position(), part), False
        self.selected = part
        self.picked.emit(part)
        self.update()
        if dimension is not None:
            self._press = None
            self.asked.emit(dimension)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._press is None:
            part = self.part_at(event.position())
            takes = part is not None and part.kind != "side"
            self.setCursor(
                Qt.CursorShape.IBeamCursor
                if self.dimension_at(event.position()) is not None
                else Qt.CursorShape.SizeAllCursor
                if takes
                else Qt.CursorShape.PointingHandCursor
                if part is not None
                else Qt.CursorShape.ArrowCursor
            )
            return
        start, part = self._press
        if not self._dragging and _between(start, event.position()) <= _MOVED:
            return
        self._dragging = True
        if part is None or part.kind == "side":
            step = event.position() - start
            self._middle = (
                self._middle[0] - step.x() / self._scale,
                self._middle[1] + step.y() / self._scale,
            )
            self._press, self._own_view = (event.position(), part), True
            self.update()
            return
        self.dragged.emit(part, *self.snapped(part, event.position()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        press, self._press = self._press, None
        dragging, self._dragging = self._dragging, False
        if press is not None and dragging and press[1] is not None and press[1].kind != "side":
            place = self.snapped(press[1], event.position())
            self._guides = []
            self.dropped.emit(press[1], *place)
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        part = self.part_at(event.position())
        if part is not None and part.kind == "side":
            x, y = self.snapped(Part("", -1), event.position())
            self._guides = []
            self.split.emit(part.number, x, y)
        elif part is None:
            self.fit()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        x, y = self.point(event.position())
        self._scale *= 1.2 ** (event.angleDelta().y() / 120.0)
        now = self.point(event.position())
        self._middle = (self._middle[0] + x - now[0], self._middle[1] + y - now[1])
        self._own_view = True
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key = event.key()
        if key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self.selected is not None:
            self.removed.emit(self.selected)
        elif key == Qt.Key.Key_F:
            self.fit()
        elif key in _ARROWS and self.drawn is not None and self.selected is not None:
            self._nudge(*_ARROWS[Qt.Key(key)])
        else:
            super().keyPressEvent(event)

    def _nudge(self, right: int, up: int) -> None:
        """Move what is picked by one step of the keyboard."""
        part = self.selected
        assert part is not None and self.drawn is not None
        points = {"corner": self.drawn.corners, "opening": self.drawn.centres}.get(part.kind)
        if points is None:
            return
        unit = shown.per("length")
        step = _round_step(_STEP / self._scale / unit) * unit
        x, y = points[part.number]
        self.dropped.emit(part, float(x) + right * step, float(y) + up * step)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        if not self._own_view and self._press is None:
            self.fit()
        super().resizeEvent(event)

    # --- drawing
    # ----------------------------------------------------------------------------------------------
    def paintEvent(self, _event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(PAPER.ground))
        if self.drawn is None or self.outline is None:
            return
        font = QFont(self.font())
        font.setPixelSize(11)
        painter.setFont(font)
        self._dimensions = []
        self._paint_axes(painter)
        self._paint_shape(painter)
        self._paint_whole(painter)
        self._paint_sides(painter)
        self._paint_openings(painter)
        self._paint_corners(painter)
        painter.setPen(QPen(QColor(PAPER.caution), 1, Qt.PenStyle.DashLine))
        for axis, value in self._guides:
            if axis == "x":
                x = self.at(value, 0).x()
                painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
            else:
                y = self.at(0, value).y()
                painter.drawLine(QPointF(0, y), QPointF(self.width(), y))

    def _paint_axes(self, painter: QPainter) -> None:
        painter.setPen(QPen(QColor(PAPER.line), 1))
        zero = self.at(0, 0)
        painter.drawLine(QPointF(zero.x(), 0), QPointF(zero.x(), self.height()))
        painter.drawLine(QPointF(0, zero.y()), QPointF(self.width(), zero.y()))
        painter.setPen(QColor(PAPER.quiet))
        painter.drawText(QPointF(self.width() - 14, zero.y() - 4), "x")
        painter.drawText(QPointF(zero.x() + 5, 14), "y")

    def _paint_shape(self, painter: QPainter) -> None:
        assert self.drawn is not None
        path = QPainterPath()
        path.setFillRule(Qt.FillRule.OddEvenFill)
        for loop in self.drawn.loops:
            path.addPolygon(_polygon(self, loop))
            path.closeSubpath()
        painter.setPen(QPen(QColor(PAPER.bad if self.wrong else PAPER.ink), 1.6))
        painter.setBrush(QColor(PAPER.bad_pale if self.wrong else PAPER.steel))
        painter.drawPath(path)
        if len(self.drawn.middle):
            painter.setPen(QPen(QColor(PAPER.quiet), 1, Qt.PenStyle.DashDotLine))
            painter.drawPolyline(_polygon(self, self.drawn.middle))

    def _paint_whole(self, painter: QPainter) -> None:
        """Width below, height to the left."""
        assert self.drawn is not None
        low, high = self.drawn.extents
        a, b = self.at(float(low[0]), float(low[1])), self.at(float(high[0]), float(high[1]))
        painter.setPen(QPen(QColor(PAPER.quiet), 1))
        y, x = a.y() + 46, a.x() - 46
        for near, far, text, turn in (
            (QPointF(a.x(), y), QPointF(b.x(), y), shown.length(float(high[0] - low[0])), False),
            (QPointF(x, a.y()), QPointF(x, b.y()), shown.length(float(high[1] - low[1])), True),
        ):
            painter.drawLine(near, far)
            tick = QPointF(4, 0) if turn else QPointF(0, 4)
            for end in (near, far):
                painter.drawLine(end - tick, end + tick)
            self._word(painter, text, (near + far) / 2, PAPER.quiet, turn)

    def _paint_sides(self, painter: QPainter) -> None:
        assert self.drawn is not None and self.outline is not None
        inside = 1.0 if _turns_left(self.drawn.corners) else -1.0
        for number in range(self.outline.sides):
            first, last = self._ends(number)
            mine = self.selected == Part("side", number)
            if mine:
                painter.setPen(QPen(QColor(PAPER.accent), 4))
                painter.drawLine(first, last)
            long = _between(first, last)
            corners = self.drawn.corners
            a, b = corners[number], corners[(number + 1) % len(corners)]
            words = shown.length(float(math.hypot(*(b - a))))
            if long < 8.0 * len(words) and not mine:
                continue
            step = (last - first) / max(long, 1e-9)
            outward = QPointF(-step.y(), step.x()) * 15 * inside
            bowed = self.outline.corners[number].bow.strip() not in ("", "0")
            if not self.outline.closed:
                outward *= 1.6
            self._word(
                painter,
                words + (" across" if bowed else ""),
                (first + last) / 2 + outward,
                PAPER.accent if mine else PAPER.ink,
                abs(step.y()) > 0.8,
                Part("side", number),
            )

    def _paint_openings(self, painter: QPainter) -> None:
        assert self.drawn is not None and self.outline is not None
        for number, (item, (x, y)) in enumerate(zip(self.outline.openings, self.drawn.centres)):
            there = self.at(float(x), float(y))
            mine = self.selected == Part("opening", number)
            painter.setPen(QPen(QColor(PAPER.accent if mine else PAPER.quiet), 2 if mine else 1))
            for step in (QPointF(5, 0), QPointF(0, 5)):
                painter.drawLine(there - step, there + step)
            loop = self.drawn.loops[number + 1] if number + 1 < len(self.drawn.loops) else None
            below = (
                there.y() + 16
                if loop is None
                else max(self.at(0, float(row[1])).y() for row in loop) + 12
            )
            words = f"Ø {item.diameter}" + ("" if item.length is None else f", {item.length} slot")
            colour = PAPER.accent if mine else PAPER.ink
            part = Part("opening", number)
            self._word(painter, words, QPointF(there.x(), below), colour, part=part)

    def _paint_corners(self, painter: QPainter) -> None:
        assert self.drawn is not None
        for number, (x, y) in enumerate(self.drawn.corners):
            mine = self.selected == Part("corner", number)
            painter.setPen(QPen(QColor(PAPER.accent), 1.5))
            painter.setBrush(QColor(PAPER.accent if mine else PAPER.card))
            there = self.at(float(x), float(y))
            size = 5.0 if mine else 4.0
            painter.drawRect(QRectF(there.x() - size, there.y() - size, 2 * size, 2 * size))
            if mine:
                words = f"{shown.length(float(x))}, {shown.length(float(y))}"
                self._word(painter, words, there + QPointF(0, -18), PAPER.accent)

    def _word(
        self,
        painter: QPainter,
        text: str,
        middle: QPointF,
        colour: str,
        upright: bool = False,
        part: Part | None = None,
    ) -> None:
        """Words about a place, on a ground of their own; with a part they are its dimension, which
        a click opens for typing."""
        metrics = painter.fontMetrics()
        wide, tall = metrics.horizontalAdvance(text) + 6, metrics.height()
        painter.save()
        painter.translate(middle)
        if upright:
            painter.rotate(-90)
        box = QRectF(-wide / 2, -tall / 2, wide, tall)
        if part is not None:
            lying = box if not upright else QRectF(box.y(), box.x(), tall, wide)
            self._dimensions.append((lying.translated(middle), part))
        ground = QColor(PAPER.ground)
        ground.setAlpha(220)
        painter.fillRect(box, ground)
        painter.setPen(QColor(colour))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
        painter.restore()


_ARROWS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, 1),
    Qt.Key.Key_Down: (0, -1),
}


def _round_step(value: float) -> float:
    """1, 2 or 5 times a power of ten, not under `value`."""
    power = 10.0 ** math.floor(math.log10(max(value, 1e-12)))
    return next(step * power for step in (1.0, 2.0, 5.0, 10.0) if step * power >= value * 0.999)


def _between(a: QPointF, b: QPointF) -> float:
    return math.hypot(a.x() - b.x(), a.y() - b.y())


def _to_line(point: QPointF, first: QPointF, last: QPointF) -> float:
    step = last - first
    size = step.x() ** 2 + step.y() ** 2
    along = 0.0
    if size > 0:
        away = point - first
        along = min(max((away.x() * step.x() + away.y() * step.y()) / size, 0.0), 1.0)
    return _between(point, first + step * along)


def _polygon(view: PlanView, points: object) -> QPolygonF:
    return QPolygonF([view.at(float(x), float(y)) for x, y in points])  # type: ignore[attr-defined]


def _turns_left(corners: object) -> bool:
    """Whether corners (n, 2) run counter-clockwise about what they enclose."""
    points = [(float(x), float(y)) for x, y in corners]  # type: ignore[attr-defined]
    area = sum(
        a[0] * b[1] - b[0] * a[1] for a, b in zip(points, [*points[1:], points[0]], strict=True)
    )
    return area > 0
