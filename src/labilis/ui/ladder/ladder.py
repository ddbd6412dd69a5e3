"""The widget: verdict in words, scale, rungs with small pictures; click or arrow keys choose a
rung."""

from __future__ import annotations

import math
from collections.abc import Callable

from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QFont,
    QFontMetricsF,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
)
from PyQt6.QtWidgets import QMenu, QToolTip, QWidget

from labilis.judge.ladder import Rung
from labilis.judge.verdict import Verdict
from labilis.ui.copying import Rows, copy_menu, full_text, show_menu
from labilis.ui.ladder.layout import kept_apart, kept_apart_about, scale_for
from labilis.ui.theme import PAPER

_AXIS_X, _LABEL_X = 44.0, 74.0
_PICTURE = 36.0
_DOTS = 96  # an inch on paper


class Ladder(QWidget):
    """Shows a verdict and rungs; `rung_chosen` carries the Rung."""

    rung_chosen = pyqtSignal(object)
    apply_wanted = pyqtSignal(
        float
    )  # a factor that the growing loads are to act with in a case of its own

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("side")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(244)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Factor ladder")
        self.rungs: tuple[Rung, ...] = ()
        self.verdict = Verdict(None, "No verdict yet", "Choose what to begin with.")
        self.stale = ""
        self.pictures: dict[int, QPixmap] = {}
        self.chosen = -1
        self._places: list[tuple[QRectF, int]] = []

    def show_case(
        self,
        verdict: Verdict,
        rungs: tuple[Rung, ...],
        pictures: dict[int, QPixmap],
        stale: str = "",
    ) -> None:
        """Show a case; `stale` says why it is out of date, '' when it is not."""
        self.verdict, self.rungs, self.pictures, self.stale = verdict, rungs, pictures, stale
        self.chosen = min(self.chosen, len(rungs) - 1)
        self.setAccessibleDescription(
            f"{verdict.headline}: {verdict.detail}. "
            + "; ".join(f"{rung.title}, {rung.note}" for rung in rungs)
        )
        self.update()

    def choose_mode(self, mode: int) -> None:
        """Mark the rung of a mode without telling."""
        self.chosen = next(
            (index for index, rung in enumerate(self.rungs) if rung.mode == mode), -1
        )
        self.update()

    # --- painting
    # ----------------------------------------------------------------------------------------------
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(PAPER.card))
        painter.setPen(QColor(PAPER.line))
        painter.drawLine(0, 0, 0, self.height())
        top = self._head(painter)
        self._places = []
        if not self.rungs:
            return
        positive = [(index, rung) for index, rung in enumerate(self.rungs) if rung.factor > 0]
        negative = [(index, rung) for index, rung in enumerate(self.rungs) if rung.factor <= 0]
        foot = 14.0 + 40.0 * len(negative) + (18.0 if negative else 0.0)
        bottom = self.height() - foot
        scale = scale_for(self.rungs, top + 10, bottom - 12)
        required = next((rung.factor for rung in self.rungs if rung.kind == "required"), 0.0)
        if required:
            y = scale.y(required)
            painter.fillRect(
                QRectF(_AXIS_X, y, self.width() - _AXIS_X, bottom - y), QColor(PAPER.bad_pale)
            )
        painter.setPen(QPen(QColor(PAPER.ink), 1.6))
        painter.drawLine(QPointF(_AXIS_X, top), QPointF(_AXIS_X, bottom))
        painter.setFont(_font(11))
        for tick in scale.ticks():
            y = scale.y(tick)
            painter.setPen(QPen(QColor(PAPER.quiet), 1))
            painter.drawLine(QPointF(_AXIS_X - 5, y), QPointF(_AXIS_X, y))
            painter.drawText(
                QRectF(0, y - 8, _AXIS_X - 9, 16),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                f"{tick:g}",
            )
        if required:
            y = scale.y(required)
            painter.setPen(QPen(QColor(PAPER.bad), 3))
            painter.drawLine(QPointF(_AXIS_X - 6, y), QPointF(self.width(), y))
        self._labels(painter, positive, scale.y, top, bottom)
        if negative:
            self._negative(painter, negative, bottom)

    def _head(self, painter: QPainter) -> float:
        verdict = self.verdict
        colour = {
            True: PAPER.good,
            False: PAPER.bad,
            None: PAPER.caution if verdict.factor is not None else PAPER.ink,
        }[verdict.meets]
        mark = {True: "✓ ", False: "✕ ", None: ""}[verdict.meets]
        if self.stale:
            colour = PAPER.quiet
        painter.setPen(QColor(colour))
        painter.setFont(_font(16, bold=True))
        width = self.width() - 26.0
        box = painter.boundingRect(
            QRectF(14, 12, width, 60), Qt.TextFlag.TextWordWrap, mark + verdict.headline
        )
        painter.drawText(box, Qt.TextFlag.TextWordWrap, mark + verdict.headline)
        painter.setPen(QColor(PAPER.quiet))
        painter.setFont(_font(12))
        below = QRectF(14, box.bottom() + 3, width, 80)
        detail = painter.boundingRect(below, Qt.TextFlag.TextWordWrap, verdict.detail)
        painter.drawText(detail, Qt.TextFlag.TextWordWrap, verdict.detail)
        end = detail.bottom()
        if self.stale:
            painter.setPen(QColor(PAPER.caution))
            painter.setFont(_font(12, bold=True))
            text = f"▨ Out of date: {self.stale}"
            box = painter.boundingRect(
                QRectF(14, end + 4, width, 60), Qt.TextFlag.TextWordWrap, text
            )
            painter.drawText(box, Qt.TextFlag.TextWordWrap, text)
            end = box.bottom()
        return end + 10

    def _colour(self, rung: Rung) -> QColor:
        if self.stale:
            return QColor(PAPER.quiet)
        return QColor(
            {
                "service": PAPER.ink,
                "required": PAPER.bad,
                "yield": PAPER.caution,
                "hand": PAPER.quiet,
                "mode": PAPER.bad if rung.meets is False else PAPER.accent,
                "negative": PAPER.quiet,
                "verified": PAPER.bad if rung.meets is False else PAPER.good,
            }[rung.kind]
        )

    def _labels(
        self,
        painter: QPainter,
        rungs: list[tuple[int, Rung]],
        y_of: Callable[[float], float],
        top: float,
        bottom: float,
    ) -> None:
        tall = self._heights(rungs, bottom - top)
        # the required factor's name stands on its bar, without a leader
        wanted = [y_of(rung.factor) - (11 if rung.kind == "required" else 0) for _, rung in rungs]
        bar = next((k for k, (_, rung) in enumerate(rungs) if rung.kind == "required"), None)
        centres = (
            kept_apart(wanted, tall, top, bottom)
            if bar is None
            else kept_apart_about(wanted, tall, top, bottom, bar + 1, y_of(rungs[bar][1].factor))
        )
        for (index, rung), y, centre, height in zip(rungs, wanted, centres, tall):
            colour = self._colour(rung)
            painter.setPen(
                QPen(
                    colour,
                    1.5,
                    Qt.PenStyle.DashLine if rung.kind == "hand" else Qt.PenStyle.SolidLine,
                )
            )
            title_y = centre - height / 2 + 10
            if rung.kind == "required":
                box = QRectF(_AXIS_X + 6, centre - 9, self.width() - _AXIS_X - 12, 18)
                painter.setFont(_font(12, bold=True))
                flags = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
                painter.drawText(box, flags, rung.title)
                self._places.append(
                    (QRectF(_LABEL_X, centre - 9, self.width() - _LABEL_X, 18), index)
                )
                continue
            self._leader(painter, y, title_y)
            place = QRectF(_LABEL_X - 3, centre - height / 2, self.width() - _LABEL_X - 1, height)
            self._label(painter, index, rung, place, colour)
            self._places.append((place, index))

    def _heights(self, rungs: list[tuple[int, Rung]], room: float) -> list[float]:
        """What each label takes, px, shrunk to the room there is."""
        notes = [rung.note for _, rung in rungs]
        metrics = QFontMetricsF(_font(11))
        tall = []
        for (_, rung), note in zip(rungs, notes):
            lines = 0 if not note else min(2, self._lines(metrics, note, rung))
            tall.append(18.0 + 13.0 * lines + 3.0)
        if sum(tall) > room:  # too many: drop the notes of all but the first modes
            tall = [
                18.0 if rung.kind == "mode" and rung.mode > 1 else h
                for h, (_, rung) in zip(tall, rungs)
            ]
        plain = sum(tall)
        shrink = min(1.0, room / plain) if plain else 1.0
        tall = [h * shrink for h in tall]
        return tall

    def _leader(self, painter: QPainter, y: float, title_y: float) -> None:
        """From the place of a factor on the axis to its label."""
        painter.drawPolyline(
            QPolygonF(
                [
                    QPointF(_AXIS_X, y),
                    QPointF(_AXIS_X + 10, y),
                    QPointF(_LABEL_X - 12, title_y),
                    QPointF(_LABEL_X - 5, title_y),
                ]
            )
        )

    def _label(
        self, painter: QPainter, index: int, rung: Rung, place: QRectF, colour: QColor
    ) -> None:
        """Title, note and picture of a rung in its place."""
        height, centre = place.height(), place.center().y()
        title_y = place.top() + 10
        picture = self.pictures.get(rung.mode)
        right = self.width() - (_PICTURE + 10 if picture is not None and height >= 30 else 6)
        if index == self.chosen:
            painter.setPen(QPen(QColor(PAPER.ink if self.hasFocus() else PAPER.line), 1.2))
            painter.setBrush(QColor(PAPER.card))
            painter.drawRoundedRect(place.adjusted(-1, 0, -2, -1), 4, 4)
            painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(colour)
        painter.setFont(_font(12, bold=True))
        painter.drawText(
            QRectF(_LABEL_X, title_y - 9, right - _LABEL_X, 18),
            Qt.AlignmentFlag.AlignVCenter,
            rung.title,
        )
        if height > 25 and rung.note:
            painter.setPen(QColor(PAPER.quiet))
            painter.setFont(_font(11))
            painter.drawText(
                QRectF(_LABEL_X, title_y + 8, right - _LABEL_X, height - 19),
                Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignTop,
                rung.note,
            )
        if picture is not None and height >= 30:
            side = min(_PICTURE, height - 4)
            box = QRectF(self.width() - side - 6, centre - side / 2, side, side)
            painter.setPen(QPen(QColor(PAPER.line), 1))
            painter.setBrush(QColor(PAPER.ground))
            painter.drawRoundedRect(box, 3, 3)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPixmap(box.adjusted(1, 1, -1, -1), picture, QRectF(picture.rect()))

    def _lines(self, metrics: QFontMetricsF, note: str, rung: Rung) -> int:
        width = self.width() - _LABEL_X - (_PICTURE + 10 if rung.mode in self.pictures else 6)
        return int(
            round(
                metrics.boundingRect(
                    QRectF(0, 0, width, 200), int(Qt.TextFlag.TextWordWrap), note
                ).height()
                / max(metrics.lineSpacing(), 1.0)
            )
        )

    def _negative(self, painter: QPainter, rungs: list[tuple[int, Rung]], bottom: float) -> None:
        painter.setPen(QPen(QColor(PAPER.ink), 1.6))
        for shift in (3, 8):
            painter.drawLine(
                QPointF(_AXIS_X - 7, bottom + shift + 4), QPointF(_AXIS_X + 7, bottom + shift - 2)
            )
        y = bottom + 22
        painter.drawLine(QPointF(_AXIS_X, bottom + 10), QPointF(_AXIS_X, y + 40 * len(rungs) - 12))
        for index, rung in rungs:
            painter.setPen(QPen(self._colour(rung), 1.5))
            painter.drawLine(QPointF(_AXIS_X, y + 6), QPointF(_LABEL_X - 5, y + 6))
            painter.setFont(_font(12, bold=True))
            painter.drawText(
                QRectF(_LABEL_X, y - 3, self.width() - _LABEL_X, 18),
                Qt.AlignmentFlag.AlignVCenter,
                rung.title,
            )
            painter.setFont(_font(11))
            painter.drawText(
                QRectF(_LABEL_X, y + 14, self.width() - _LABEL_X, 16),
                Qt.AlignmentFlag.AlignVCenter,
                rung.note,
            )
            self._places.append((QRectF(_LABEL_X - 3, y - 4, self.width() - _LABEL_X, 36), index))
            y += 40

    # --- choosing
    # ----------------------------------------------------------------------------------------------
    def rung_at(self, point: QPointF) -> int:
        """Number of the rung under a point, or -1."""
        return next((index for place, index in self._places if place.contains(point)), -1)

    def rows(self) -> Rows:
        """The verdict and all rungs, factors with all of their digits."""
        return [
            ["factor", "what", "note"],
            *([full_text(rung.factor), rung.title, rung.note] for rung in self.rungs),
            ["", self.verdict.headline, self.verdict.detail],
        ]

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is None:
            return
        index = self.rung_at(QPointF(event.pos()))
        show_menu(self.menu_at(index), self, event.pos())

    def menu_at(self, index: int) -> QMenu:
        """What can be done with a rung, -1 for none: taken along, or applied."""
        factor = self.rungs[index].factor if index >= 0 else math.nan
        menu = copy_menu(self, self.rows, full_text(factor) if index >= 0 else "", drawing=self)
        if math.isfinite(factor) and factor > 0:
            action = menu.addAction(f"a case with {factor:.4g} × the growing loads")
            assert action is not None
            action.triggered.connect(lambda _=False: self.apply_wanted.emit(factor))
        return menu

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        index = self.rung_at(event.position())
        if index >= 0:
            self._choose(index)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        over = self.rung_at(event.position()) >= 0
        self.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()), 0)
        if step and self.rungs:
            self._choose(min(max(self.chosen + step, 0), len(self.rungs) - 1))
        else:
            super().keyPressEvent(event)

    def _choose(self, index: int) -> None:
        self.chosen = index
        self.update()
        self.rung_chosen.emit(self.rungs[index])

    def event(self, event: QEvent) -> bool:  # type: ignore[override]
        if isinstance(event, QHelpEvent):
            index = self.rung_at(QPointF(event.pos()))
            if index >= 0:
                QToolTip.showText(event.globalPos(), self.rungs[index].story, self)
            else:
                QToolTip.hideText()
            return True
        return super().event(event)


def _font(size: int, bold: bool = False) -> QFont:
    font = QFont()
    font.setPixelSize(size)
    font.setBold(bold)
    return font
