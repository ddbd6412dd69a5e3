"""The pages of a report in a window of their own, as they will be printed."""
from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtPdfWidgets import QPdfView
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from labilis.ui.plain import Label


class Preview(QWidget):
    """Shows a PDF; a newer one takes its place, at the page that was looked at."""

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("The report's pages")
        self.setAccessibleName("Pages of the report")
        self.setObjectName("ground")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.document = QPdfDocument(self)
        self.view = QPdfView(self)
        self.view.setDocument(self.document)
        self.view.setPageMode(QPdfView.PageMode.MultiPage)
        self.view.setZoomMode(QPdfView.ZoomMode.FitToWidth)
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

    def mark_old(self) -> None:
        """Say that something was stated or found since."""
        if self._words:
            self.count.setText(f"{self._words}. Out of date: something was changed since; look at its pages again.")

    def sizeHint(self) -> QSize:
        return QSize(780, 960)

    def show_pages(self, path: Path, title: str) -> None:
        """Load the pages of a file and come to the front."""
        at = self.view.verticalScrollBar()
        place = at.value() if at is not None else 0
        self.document.close()
        self.document.load(str(path))
        pages = self.document.pageCount()
        self._words = f"{title}, {pages} page{'s' if pages != 1 else ''}"
        self.count.setText(self._words)
        self.show()
        self.raise_()
        if at is not None:
            at.setValue(min(place, at.maximum()))
