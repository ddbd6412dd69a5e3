"""The pages of a report in a window of their own, as they will be printed; a click on a figure
leads to where it comes from."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize, QSizeF, Qt, pyqtSignal
from PyQt6.QtGui import QGuiApplication, QKeySequence, QMouseEvent, QShortcut
from PyQt6.QtPdf import QPdfDocument, QPdfLinkModel
from PyQt6.QtPdfWidgets import QPdfView
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from labilis.ui.plain_text import Label

if TYPE_CHECKING:
    from labilis.report.blocks import Source


class Pages(QPdfView):
    """All pages, one below the other, as wide as the window. `wanted` carries where a figure
    that was clicked comes from."""

    wanted = pyqtSignal(object)  # a Source

    def __init__(
        self, document: QPdfDocument, parent: QWidget, source_of: Callable[[str], Source | None]
    ) -> None:
        super().__init__(parent)
        self._source_of = source_of
        self.setDocument(document)
        self.setPageMode(QPdfView.PageMode.MultiPage)
        self.setZoomMode(QPdfView.ZoomMode.FitToWidth)
        self._document, self._links = document, QPdfLinkModel(self)
        self._links.setDocument(document)
        viewport = self.viewport()
        assert viewport is not None
        viewport.setMouseTracking(True)

    def page_rects(self) -> list[QRectF]:
        """Where each page lies in the viewport, as the view lays them out: margins, then page
        after page with a space between."""
        viewport, across, down = (
            self.viewport(),
            self.horizontalScrollBar(),
            self.verticalScrollBar(),
        )
        screen = QGuiApplication.primaryScreen()
        assert (
            viewport is not None and across is not None and down is not None and screen is not None
        )
        margins, found = self.documentMargins(), []
        dots = screen.logicalDotsPerInch() / 72.0
        wide, y = viewport.width() - margins.left() - margins.right(), float(margins.top())
        for page in range(self._document.pageCount()):
            size = (self._document.pagePointSize(page) * dots).toSize()
            whole = QSizeF((QSizeF(size) * (wide / max(size.width(), 1))).toSize())
            found.append(
                QRectF(
                    margins.left() - across.value(), y - down.value(), whole.width(), whole.height()
                )
            )
            y += whole.height() + self.pageSpacing()
        return found

    def source_at(self, place: QPointF) -> Source | None:
        """Where what stands at a place of the viewport comes from."""
        for page, rect in enumerate(self.page_rects()):
            if rect.contains(place):
                self._links.setPage(page)
                scale = self._document.pagePointSize(page).width() / max(rect.width(), 1.0)
                return self._source_of(
                    self._links.linkAt((place - rect.topLeft()) * scale).url().toString()
                )
        return None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        super().mouseMoveEvent(event)
        viewport = self.viewport()
        if event is not None and viewport is not None:
            viewport.setCursor(
                Qt.CursorShape.PointingHandCursor
                if self.source_at(event.position())
                else Qt.CursorShape.ArrowCursor
            )

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        super().mouseReleaseEvent(event)
        source = (
            None
            if event is None or event.button() != Qt.MouseButton.LeftButton
            else self.source_at(event.position())
        )
        if source is not None:
            self.wanted.emit(source)


class Preview(QWidget):
    """Shows a PDF; a newer one takes its place, at the page that was looked at. `source_of` tells
    what a link of it leads to."""

    def __init__(self, source_of: Callable[[str], Source | None]) -> None:
        super().__init__()
        self.setWindowTitle("The report's pages")
        self.setAccessibleName("Pages of the report")
        self.setObjectName("ground")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.document = QPdfDocument(self)
        self.view = Pages(self.document, self, source_of)
        self.count, self._words = Label(""), ""
        row = QHBoxLayout()
        row.addWidget(self.count)
        row.addStretch(1)
        close = QPushButton("Close")
        close.clicked.connect(self.close)
        row.addWidget(close)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 8)
        layout.addLayout(row)
        layout.addWidget(self.view, 1)
        QShortcut(QKeySequence("Esc"), self).activated.connect(self.close)

    def mark_old(self, why: str = "they are being made anew") -> None:
        """Say that something was stated or found since, and what becomes of it."""
        if self._words:
            self.count.setText(f"{self._words}. Out of date: {why}.")

    def sizeHint(self) -> QSize:
        return QSize(780, 960)

    def show_pages(self, path: Path, title: str) -> None:
        """Load the pages of a file."""
        at = self.view.verticalScrollBar()
        place = at.value() if at is not None else 0
        self.document.close()
        self.document.load(str(path))
        pages = self.document.pageCount()
        self._words = f"{title}, {pages} page{'s' if pages != 1 else ''}"
        self.count.setText(f"{self._words}. A click on a figure shows where it comes from.")
        if at is not None:
            at.setValue(min(place, at.maximum()))
