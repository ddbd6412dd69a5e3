"""Ladders of several designs on one scale: what is the same rung is joined by a line, which
rises where a design gained."""

from __future__ import annotations

import itertools

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from labilis.judge.ladder import Rung
from labilis.ui.copying import Rows, can_be_taken, full_text
from labilis.ui.ladder.layout import Scale, kept_apart, scale_for
from labilis.ui.theme import PAPER

_SCALE, _ROW = 32.0, 15.0
_KINDS = ("service", "required", "yield", "mode", "verified")  # hand checks would crowd it


class LaddersBeside(QWidget):
    """Shows (name, rungs) of each design, the first as what the others are held against."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("side")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setMinimumWidth(260)
        self.setAccessibleName("Ladders of the designs")
        self.ladders: list[tuple[str, tuple[Rung, ...]]] = []
        can_be_taken(self, self.rows)

    def rows(self) -> Rows:
        """Every factor of every design."""
        return [
            ["design", "what", "factor"],
            *(
                [name, words.partition(" ")[2], full_text(rung.factor)]
                for number, (name, _) in enumerate(self.ladders)
                for words, rung in self.labels(number)
            ),
        ]

    def show_ladders(self, ladders: list[tuple[str, tuple[Rung, ...]]]) -> None:
        """Show these instead."""
        self.ladders = [
            (name, tuple(rung for rung in rungs if rung.kind in _KINDS and rung.factor > 0))
            for name, rungs in ladders
        ]
        self.setAccessibleDescription(
            "; ".join(
                f"{name}: " + ", ".join(label for label, _ in self.labels(number))
                for number, (name, _) in enumerate(self.ladders)
            )
        )
        self.update()

    def labels(self, number: int) -> list[tuple[str, Rung]]:
        """What stands beside each rung of a ladder: its factor, and its change against the same
        rung of the first."""
        first = {key_of(rung): rung for rung in self.ladders[0][1]}
        found = []
        for rung in self.ladders[number][1]:
            word = {
                "service": "service load",
                "required": "required",
                "yield": "first yield",
                "verified": "verified",
            }.get(rung.kind, f"mode {rung.mode + 1}")
            base = first.get(key_of(rung))
            known = number > 0 and base is not None and base.factor != rung.factor
            change = (
                f" {100 * (rung.factor / base.factor - 1):+.0f} %"
                if known and base is not None
                else ""
            )
            found.append((f"{rung.factor:.4g} {word}{change}", rung))
        return found

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(PAPER.card))
        font = QFont(self.font())
        font.setPixelSize(11)
        painter.setFont(font)
        every = tuple(rung for _, rungs in self.ladders for rung in rungs)
        if len(self.ladders) < 2 or not every:
            return
        top, bottom = 24.0, self.height() - 10.0
        scale = scale_for(every, top, bottom)
        wide = (self.width() - _SCALE) / len(self.ladders)
        self._ticks(painter, scale, bottom)
        self._joints(
            painter,
            [
                (_SCALE + number * wide, {key_of(rung): rung for rung in rungs})
                for number, (_, rungs) in enumerate(self.ladders)
            ],
            scale,
        )
        for number, (name, rungs) in enumerate(self.ladders):
            x = _SCALE + number * wide
            painter.setPen(QPen(QColor(PAPER.ink), 1.6))
            painter.drawLine(QPointF(x, top), QPointF(x, bottom))
            font.setBold(True)
            painter.setFont(font)
            painter.drawText(
                QRectF(x + 2, 2, wide - 6, 18),
                Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter,
                painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(wide - 8)),
            )
            font.setBold(False)
            painter.setFont(font)
            labelled = sorted(self.labels(number), key=lambda item: -item[1].factor)
            room = max(1, int((bottom - top) / _ROW))
            kept = _most_telling(labelled, room)
            centres = kept_apart(
                [scale.y(rung.factor) for _, rung in kept], [_ROW] * len(kept), top, bottom
            )
            for rung in rungs:
                y = scale.y(rung.factor)
                painter.setPen(QPen(QColor(_colour(rung)), 2.0))
                painter.drawLine(QPointF(x - 4, y), QPointF(x + 6, y))
            for (words, rung), centre in zip(kept, centres):
                self._label(painter, words, rung, scale.y(rung.factor), x, centre, wide)

    @staticmethod
    def _ticks(painter: QPainter, scale: Scale, bottom: float) -> None:
        """Factors along the left border."""
        painter.setPen(QColor(PAPER.quiet))
        lowest = bottom + 20.0
        for tick in scale.ticks():
            y = scale.y(tick)
            if lowest - y >= 12.0:
                painter.drawText(
                    QRectF(0, y - 8, _SCALE - 8, 16),
                    Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                    f"{tick:g}",
                )
                lowest = y

    @staticmethod
    def _label(
        painter: QPainter,
        words: str,
        rung: Rung,
        y: float,
        x: float,
        centre: float,
        wide: float,
    ) -> None:
        """Words of a rung at y of the ladder at x, moved to `centre` clear of others."""
        painter.setPen(QPen(QColor(PAPER.line), 1.0))
        painter.drawLine(QPointF(x + 6, y), QPointF(x + 14, centre))
        painter.setPen(QColor(_colour(rung)))
        box = QRectF(x + 17, centre - _ROW / 2, wide - 20, _ROW)
        words = painter.fontMetrics().elidedText(
            words, Qt.TextElideMode.ElideRight, int(box.width())
        )
        painter.fillRect(
            QRectF(
                box.left() - 2,
                box.top() + 1,
                painter.fontMetrics().horizontalAdvance(words) + 4,
                _ROW - 2,
            ),
            QColor(PAPER.card),
        )
        painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, words)

    @staticmethod
    def _joints(
        painter: QPainter, ladders: list[tuple[float, dict[tuple[str, int], Rung]]], scale: Scale
    ) -> None:
        """Lines from each rung to the same one of the next ladder, under everything else."""
        for (left, one), (right, other) in itertools.pairwise(ladders):
            for key, rung in one.items():
                if key in other and rung.kind != "service":
                    painter.setPen(QPen(QColor(_colour(other[key])), 1.0, Qt.PenStyle.DotLine))
                    painter.drawLine(
                        QPointF(left + 6, scale.y(rung.factor)),
                        QPointF(right - 4, scale.y(other[key].factor)),
                    )


def key_of(rung: Rung) -> tuple[str, int]:
    """What makes a rung of one ladder the same as one of another."""
    return rung.kind, rung.mode


def _most_telling(labelled: list[tuple[str, Rung]], room: int) -> list[tuple[str, Rung]]:
    """As many as have room, higher modes left out first, in the order of their factors."""
    if len(labelled) <= room:
        return labelled
    order = sorted(
        range(len(labelled)), key=lambda k: (labelled[k][1].kind == "mode", labelled[k][1].mode)
    )
    return [labelled[k] for k in sorted(order[:room])]


def _colour(rung: Rung) -> str:
    return {
        "service": PAPER.ink,
        "required": PAPER.bad,
        "yield": PAPER.caution,
        "verified": PAPER.bad if rung.meets is False else PAPER.good,
    }.get(rung.kind, PAPER.bad if rung.meets is False else PAPER.accent)
