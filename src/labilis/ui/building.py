"""Making pieces from recipes in the window: what is on offer, with sizes to begin with."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import QInputDialog, QMenu, QWidget

from labilis.app.building import recipes, strut_of
from labilis.model import Project

if TYPE_CHECKING:
    from labilis.app import Session

FROM_DXF, STRUT_FROM_DXF = "plate of a DXF outline…", "strut of a DXF outline as its section…"
FROM_TABLE = "loads and cases of a table (CSV)…"


def offer_loads(parent: QWidget, project: Project, take: Callable[[str, str], None]) -> QMenu:
    """Menu of loads that need nothing picked: (kind, support)."""
    menu = QMenu(parent)
    rows = [("own weight, held", "weight", ""), ("change of temperature", "temperature", "")]
    rows += [
        (f"weight of {piece.name}, set aside", "aside", piece.name)
        for piece in project.pieces
        if piece.set_aside
    ]
    rows += [
        (f"displacement of {support.name}", "move", support.name) for support in project.supports
    ]
    rows += [(FROM_TABLE, FROM_TABLE, "")]
    for words, kind, support in rows:
        action = menu.addAction(words)
        assert action is not None
        action.triggered.connect(lambda _=False, kind=kind, support=support: take(kind, support))
    menu.popup(QCursor.pos())
    return menu


def offer_grades(
    parent: QWidget,
    session: Session,
    ask_file: Callable[[str], str],
    guard: Callable[[Callable[[], Any]], None],
) -> QMenu:
    """Menu of what can be done with materials: copy, keep in a folder, import, export."""
    menu = QMenu(parent)

    def add(words: str, call: Callable[[], object], to: QMenu = menu) -> None:
        action = to.addAction(words)
        assert action is not None
        action.triggered.connect(lambda _=False: guard(call))

    folders = sorted({item.folder for item in session.own_grades if item.folder} | {""})
    for material in session.project.materials:
        name = material.name
        add(f"Copy {name}, to change it", lambda name=name: session.copy_material(name))
        keep = QMenu(f"Keep {name} among own grades", menu)
        for folder in folders:
            add(
                f"in {folder}" if folder else "outside folders",
                lambda name=name, folder=folder: session.keep_material(name, folder),
                keep,
            )
        add("in a new folder…", lambda name=name: _keep_in_new(parent, session, name), keep)
        menu.addMenu(keep)
    menu.addSeparator()
    add(
        "Import grades…", lambda: (path := ask_file("import")) and session.import_grades(Path(path))
    )
    add(
        "Export own grades…",
        lambda: (path := ask_file("export")) and session.export_grades(Path(path)),
    )
    menu.popup(QCursor.pos())
    return menu


def _keep_in_new(parent: QWidget, session: Session, name: str) -> None:
    folder, sure = QInputDialog.getText(parent, "Keep a grade", "Folder, such as sheet/galvanised")
    if sure:
        session.keep_material(name, folder.strip().strip("/"))


def fill_struts(menu: QMenu, take: Callable[[str], None]) -> None:
    """The struts into a menu, by their sections."""
    for section in recipes().struts:
        action = menu.addAction(section)
        assert action is not None
        action.triggered.connect(lambda _=False, name=section: take(strut_of(name)))


def fill_recipes(menu: QMenu, take: Callable[[str], None]) -> None:
    """The recipes into a menu; struts in one of their own."""
    for key in recipes().others:
        menu.addAction(key).triggered.connect(lambda _=False, key=key: take(key))  # type: ignore[union-attr]
    struts = menu.addMenu("strut of a section")
    assert struts is not None
    fill_struts(struts, take)


def offer_recipes(parent: QWidget, take: Callable[[str], None]) -> QMenu:
    """Menu of recipes at the pointer; struts in a menu of their own."""
    menu = QMenu(parent)
    fill_recipes(menu, take)
    for key in (FROM_DXF, STRUT_FROM_DXF):
        menu.addAction(key).triggered.connect(lambda _=False, key=key: take(key))  # type: ignore[union-attr]
    menu.popup(QCursor.pos())
    return menu
