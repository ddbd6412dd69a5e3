"""What is shown, taken along in full: tables, curves and rungs to the clipboard (tab separated
and HTML) or to a CSV file."""

from __future__ import annotations

import html
import math
from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import QMarginsF, QMimeData, QPoint, QSizeF, Qt
from PyQt6.QtGui import QPageSize, QPaintDevice, QPainter, QPdfWriter, QPixmap
from PyQt6.QtSvg import QSvgGenerator
from PyQt6.QtWidgets import QApplication, QFileDialog, QMenu, QTableWidget, QWidget

from labilis.app.tables import write_table
from labilis.model import LabilisError, shown

FULL = Qt.ItemDataRole.UserRole + 40  # a cell's number with all of its digits
Rows = list[list[str]]
_DOTS = 96  # to the inch: one dot of a drawing is one of its pixels


def full_text(value: float) -> str:
    """All digits of a number; nothing for what is none."""
    return repr(float(value)) if math.isfinite(value) else ""


def table_rows(table: QTableWidget) -> Rows:
    """Head and cells of a table, numbers with all of their digits."""
    columns = range(table.columnCount())
    heads = [_head(table, column) for column in columns]
    return [
        heads,
        *([_cell(table, row, column) for column in columns] for row in range(table.rowCount())),
    ]


def _head(table: QTableWidget, column: int) -> str:
    """What stands above a column, with the unit of its full figures."""
    head = table.horizontalHeaderItem(column)
    return "" if head is None else str(head.data(FULL) or head.text())


def full_head(table: QTableWidget, column: int, kind: str) -> None:
    """Have the full figures of a column copied with the unit of a kind of quantity, the one that
    is shown."""
    head = table.horizontalHeaderItem(column)
    if head is not None and (symbol := shown.unit(kind)):
        head.setData(FULL, f"{head.text()}, {symbol}")


def _cell(table: QTableWidget, row: int, column: int) -> str:
    item = table.item(row, column)
    if item is None:
        return ""
    full = item.data(FULL)
    return str(
        full
        if full is not None
        else item.text() or item.data(Qt.ItemDataRole.AccessibleTextRole) or ""
    )


def copy_rows(rows: Rows) -> None:
    """To the clipboard, as tab separated text and as a table."""
    data = QMimeData()
    data.setText(
        "\n".join(
            "\t".join(cell.replace("\t", " ").replace("\n", " ") for cell in row) for row in rows
        )
    )
    cells = "".join(
        "<tr>" + "".join(f"<{tag}>{html.escape(cell)}</{tag}>" for cell in row) + "</tr>"
        for row, tag in zip(rows, ["th", *["td"] * (len(rows) - 1)])
    )
    data.setHtml(f"<table>{cells}</table>")
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    clipboard.setMimeData(data)


def save_rows(parent: QWidget, rows: Rows) -> None:
    """To a CSV file that is asked for. Raises LabilisError where it cannot be written."""
    name, _ = QFileDialog.getSaveFileName(parent, "Save as CSV", "table.csv", "CSV (*.csv)")
    if not name:
        return
    write_table(Path(name), rows)


def save_drawing(drawing: QWidget, path: Path) -> None:
    """Write what a widget draws as a picture (.png, three dots for one), or as lines and text
    (.svg, or .pdf as a page). Raises LabilisError where it cannot be written."""
    ending = path.suffix.lower()
    done = False
    if ending == ".pdf":
        writer = QPdfWriter(str(path))
        writer.setResolution(_DOTS)
        writer.setPageSize(
            QPageSize(QSizeF(drawing.size()) * 25.4 / _DOTS, QPageSize.Unit.Millimeter)
        )
        writer.setPageMargins(QMarginsF())
        done = _rendered(drawing, writer)
    elif ending == ".svg":
        generator = QSvgGenerator()
        generator.setFileName(str(path))
        generator.setSize(drawing.size())
        generator.setViewBox(drawing.rect())
        generator.setResolution(_DOTS)
        generator.setTitle(drawing.accessibleName())
        done = _rendered(drawing, generator)
    elif ending == ".png":
        picture = QPixmap(drawing.size() * 3)
        picture.setDevicePixelRatio(3.0)
        drawing.render(picture)
        done = picture.save(str(path))
    if not done:
        raise LabilisError(
            f"'{path.name}' could not be written.",
            str(path.parent),
            "Choose a folder you may write to, and a name that ends in .png, .svg or .pdf.",
            "drawing-save",
        )


def _rendered(drawing: QWidget, onto: QPaintDevice) -> bool:
    painter = QPainter(onto)
    done = painter.isActive()
    if done:
        drawing.render(painter)
        painter.end()
    return done


def ask_drawing(drawing: QWidget, name: str) -> None:
    """Ask for a file and write what a widget draws. Raises LabilisError."""
    file, _ = QFileDialog.getSaveFileName(
        drawing,
        f"Save the {name[:1].lower()}{name[1:]}",
        f"{name}.png",
        "Picture (*.png);;Drawing (*.svg);;Page (*.pdf)",
    )
    if file:
        save_drawing(drawing, Path(file))


def can_be_taken(drawing: QWidget, rows: Callable[[], Rows]) -> None:
    """Give a widget that draws figures the menu to take them along, as figures and as a picture."""
    drawing.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)

    def offer(place: QPoint) -> None:
        if len(rows()) > 1:
            show_menu(copy_menu(drawing, rows, drawing=drawing), drawing, place)

    drawing.customContextMenuRequested.connect(offer)


def copy_menu(
    parent: QWidget, rows: Callable[[], Rows], cell: str = "", drawing: QWidget | None = None
) -> QMenu:
    """What can be taken along: one number, all of it, a file, and what is drawn of it as a
    picture."""
    menu = QMenu(parent)
    if cell:
        menu.addAction(f"copy {cell}").triggered.connect(lambda _=False: copy_text(cell))  # type: ignore[union-attr]
    menu.addAction("copy all of it").triggered.connect(lambda _=False: copy_rows(rows()))  # type: ignore[union-attr]
    menu.addAction("save as CSV…").triggered.connect(lambda _=False: save_rows(parent, rows()))  # type: ignore[union-attr]
    if drawing is not None:
        name = drawing.accessibleName() or "drawing"
        menu.addAction("save as picture…").triggered.connect(  # type: ignore[union-attr]
            lambda _=False: ask_drawing(drawing, name)
        )
    return menu


def show_menu(menu: QMenu, widget: QWidget, place: QPoint) -> None:
    """At a place of a widget; it goes when it is closed."""
    menu.aboutToHide.connect(menu.deleteLater)
    menu.popup(widget.mapToGlobal(place))


def copy_text(text: str) -> None:
    """To the clipboard."""
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    clipboard.setText(text)


def curve_rows(curves: Sequence[tuple[str, str, str, Sequence[tuple[float, float]]]]) -> Rows:
    """Points of curves (name, under, beside, points), one below the other."""
    rows = [["curve", "along", "value along", "of", "value"]]
    return rows + [
        [name, under, full_text(x), beside, full_text(y)]
        for name, under, beside, points in curves
        for x, y in points
        if math.isfinite(x) and math.isfinite(y)
    ]
