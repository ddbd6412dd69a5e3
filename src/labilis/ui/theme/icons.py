"""Icons drawn by us as line SVGs in one weight, 20 × 20."""

from __future__ import annotations

from PyQt6.QtCore import QByteArray, QRectF, Qt
from PyQt6.QtGui import QIcon, QPainter, QPixmap
from PyQt6.QtSvg import QSvgRenderer

from labilis.ui.theme.palette import PAPER

_LINES = {
    "play": '<path d="M6 4 L16 10 L6 16 Z"/>',
    "pause": '<path d="M6 4 V16 M14 4 V16"/>',
    "undo": '<path d="M5 9 C8 5 15 6 15 12 C15 15 12 16 10 16 M5 9 V4 M5 9 H10"/>',
    "redo": '<path d="M15 9 C12 5 5 6 5 12 C5 15 8 16 10 16 M15 9 V4 M15 9 H10"/>',
    "open": '<path d="M3 6 H8 L10 8 H17 V16 H3 Z"/>',
    "save": '<path d="M10 3 V12 M6 9 L10 13 L14 9 M4 16 H16"/>',
    "new": '<path d="M5 3 H12 L15 6 V17 H5 Z M10 8 V14 M7 11 H13"/>',
    "hold": '<path d="M4 12 H16 M5 16 L8 12 M9 16 L12 12 M13 16 L16 12 M10 4 V12"/>',
    "push": '<path d="M10 3 V15 M6 11 L10 15 L14 11 M4 17 H16"/>',
    "join": '<path d="M2 8 H13 V11 H2 Z M7 11 H18 V14 H7 Z M10 4 V18"/>',
    "zone": '<path d="M3 3 H17 V17 H3 Z M3 10 H17 M10 3 V17 M10 6.5 H17 M13.5 3 V10"/>',
    "scribe": '<path d="M12 3 L16 7 L8 15 L4 16 L5 12 Z M11 17 H13 M15 17 H17"/>',
    "put": '<path d="M2 16 H18 M7 16 V9 H13 V16 M10 2 V6 M8 4 L10 6 L12 4"/>',
    "give": '<path d="M4 10 H14 M10 6 L14 10 L10 14 M17 4 V16"/>',
    "more": '<path d="M3 3 H10 V10 H3 Z M13 6 H17 V10 M17 13 V17 H10 M6 13 V17 H7"/>',
    "close": '<path d="M5 5 L15 15 M15 5 L5 15"/>',
    "fold": '<path d="M5 12 L10 7 L15 12"/>',
    "unfold": '<path d="M5 8 L10 13 L15 8"/>',
}


def icon(name: str, colour: str = "", size: int = 20) -> QIcon:
    """Icon by name in a colour, the ink without one."""
    colour = colour or PAPER.ink
    svg = (
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 20 20" fill="none" '
        f'stroke="{colour}" '
        f'stroke-width="1.5" stroke-linecap="round" stroke-linejoin="round">{_LINES[name]}</svg>'
    )
    picture = QPixmap(2 * size, 2 * size)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    QSvgRenderer(QByteArray(svg.encode())).render(painter, QRectF(0, 0, 2 * size, 2 * size))
    painter.end()
    picture.setDevicePixelRatio(2.0)
    return QIcon(picture)
