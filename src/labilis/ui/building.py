"""Making pieces from recipes in the window: what is on offer, with sizes to begin with."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import QInputDialog, QMenu, QWidget

from labilis.edit.placing import placed_on, strut_between
from labilis.model import (
    Block,
    CaseLoad,
    Corner,
    FoldedSheet,
    ForceLoad,
    Hub,
    LabilisError,
    LoadCase,
    Material,
    MoveLoad,
    Opening,
    Piece,
    Place,
    Plate,
    Project,
    Recipe,
    Rib,
    Section,
    Strut,
    TemperatureLoad,
    WeightLoad,
    shown,
)
from labilis.model.recipes import SECTION_SIZES
from labilis.run.picking import ShapeView, section_middle
from labilis.run.set_aside import mass_of_aside
from labilis.store.grades import write_grades
from labilis.ui.actions import with_load, with_region

if TYPE_CHECKING:
    from labilis.app import Session

_SIZES = {
    "width": "40 mm",
    "height": "40 mm",
    "diameter": "40 mm",
    "thickness": "2 mm",
    "web": "2 mm",
    "gap": "8 mm",
    "flange": "15 mm",
}
_SOLID_ONLY = ("round", "square", "outline")


def _rectangle(x: str, y: str) -> tuple[Corner, ...]:
    return tuple(Corner(x=a, y=b) for a, b in (("0 mm", "0 mm"), (x, "0 mm"), (x, y), ("0 mm", y)))


def _strut(shape: str) -> Recipe:
    sizes = {name: _SIZES[name] for name in SECTION_SIZES[shape]}
    if shape == "rectangular tube":
        sizes["height"] = "60 mm"
    return Strut(section=Section(shape=shape, **sizes), length="500 mm")  # type: ignore[arg-type]


RECIPES: dict[str, Callable[[], Recipe]] = {
    "plate": lambda: Plate(outline=_rectangle("200 mm", "120 mm"), thickness="3 mm"),
    "plate with a hole": lambda: Plate(
        outline=_rectangle("200 mm", "120 mm"),
        thickness="3 mm",
        openings=(Opening(x="100 mm", y="60 mm", diameter="30 mm"),),
    ),
    "folded angle": lambda: FoldedSheet(
        profile=(("40 mm", "0 mm"), ("0 mm", "0 mm"), ("0 mm", "40 mm")),
        thickness="2 mm",
        bend="2 mm",
        length="500 mm",
    ),
    "folded channel": lambda: FoldedSheet(
        profile=(("30 mm", "0 mm"), ("0 mm", "0 mm"), ("0 mm", "60 mm"), ("30 mm", "60 mm")),
        thickness="2 mm",
        bend="2 mm",
        length="500 mm",
    ),
    "rib": lambda: Rib(width="60 mm", height="60 mm", thickness="3 mm"),
    "block": lambda: Block(width="60 mm", height="40 mm", depth="20 mm"),
    **{
        f"strut, {shape}": lambda shape=shape: _strut(shape)
        for shape in SECTION_SIZES
        if SECTION_SIZES[shape]
    },
    "strut, drawn section": lambda: Strut(
        section=Section(shape="outline", outline=_rectangle("40 mm", "20 mm")), length="500 mm"
    ),
}


_STRUT = "strut, "
FROM_DXF, STRUT_FROM_DXF = "plate of a DXF outline…", "strut of a DXF outline as its section…"
FROM_TABLE = "loads and cases of a table (CSV)…"


def new_piece(project: Project, key: str, material: str, at: tuple[float, float, float]) -> Piece:
    """A piece of a recipe on offer, standing at a place (mm) clear of the others; shells unless
    it is not thin."""
    recipe = RECIPES[key]()
    base = key.split(",")[0].split(" ")[0]
    solid = isinstance(recipe, Block) or (
        isinstance(recipe, Strut) and recipe.section.shape in _SOLID_ONLY
    )
    place = Place(at=tuple(f"{round(c, 3):g} mm" for c in at))  # type: ignore[arg-type]
    taken, name, count = {piece.name for piece in project.pieces}, base, 1
    while name in taken:
        count += 1
        name = f"{base}-{count}"
    return Piece(
        name=name,
        recipe=recipe,
        material=material,
        mesh_as="solid" if solid else "shell",
        place=place,
    )


def with_piece(project: Project, key: str, steel: Material, beside: float) -> tuple[Project, str]:
    """(statements, name) with a new piece of a recipe; `beside`: where along x there is room,
    mm."""
    if not project.materials:
        project = project.changed(materials=[steel])
    piece = new_piece(project, key, project.materials[0].name, (beside, 0.0, 0.0))
    changed = project.with_item("pieces", piece)
    return (
        changed if changed.cases else changed.changed(cases=[LoadCase(name="service")])
    ), piece.name


def with_piece_on(
    project: Project, key: str, point: Sequence[float], normal: Sequence[float]
) -> tuple[Project, str]:
    """(statements, name) with a new piece of a recipe that stands on a plane; of the first
    material there is."""
    piece = new_piece(project, key, project.materials[0].name, (0.0, 0.0, 0.0))
    place = placed_on(project, piece, point, normal, section_middle(project, piece))
    return project.with_item("pieces", piece.model_copy(update={"place": place})), piece.name


def with_strut_between(
    project: Project, key: str, start: Sequence[float], end: Sequence[float]
) -> tuple[Project, str]:
    """(statements, name) with a new strut of a section from one point to another; a line where
    all struts there are are lines."""
    piece = new_piece(project, key, project.materials[0].name, (0.0, 0.0, 0.0))
    struts = [known for known in project.pieces if isinstance(known.recipe, Strut)]
    if struts and all(known.mesh_as == "line" for known in struts):
        piece = piece.model_copy(update={"mesh_as": "line"})
    made = strut_between(project, piece, start, end, section_middle(project, piece))
    return project.with_item("pieces", made), made.name


def with_weight(project: Project) -> tuple[Project, str]:
    """(statements, name) with the weight of all pieces as a held load in every case."""
    name = project.free_name("loads", "own weight")
    project = project.with_item("loads", WeightLoad(name=name, growth="held"))
    cases = [
        case.model_copy(update={"loads": (*case.loads, CaseLoad(load=name))})
        for case in project.cases or (LoadCase(name="service"),)
    ]
    return project.changed(cases=cases), name


def with_temperature(project: Project) -> tuple[Project, str]:
    """(statements, name) with a change of temperature of all pieces."""
    name = project.free_name("loads", "warming")
    return with_load(project, TemperatureLoad(name=name, change="20 K")), name


def with_move(project: Project, support: str) -> tuple[Project, str]:
    """(statements, name) with a displacement of a support along the first direction that it
    holds."""
    name = project.free_name("loads", f"{support} moved")
    held = project.named("supports", support).held
    along = next((axis for axis in range(3) if "xyz"[axis] in held), 0)
    step = tuple("0.1 mm" if axis == along else "0 mm" for axis in range(3))
    return with_load(project, MoveLoad(name=name, support=support, components=step)), name  # type: ignore[arg-type]


def with_aside(project: Project, view: ShapeView, piece: str) -> tuple[Project, str]:
    """(statements, name) with the weight of a piece set aside: a force at its centre of gravity,
    shared out over the faces it touches. Raises LabilisError when it touches nothing."""
    found = mass_of_aside(project, view, piece)
    if found is None or len(found.faces) == 0:
        raise LabilisError(
            f"'{piece}' touches no face of the part.",
            f"pieces/{piece}",
            "Move it onto the part, or load a face by hand.",
            "aside",
        )
    faces = tuple(("face", int(face)) for face in found.faces)
    # it stands on what is there now: a further copy need not be under it
    project, region = with_region(project, view, faces, copies=False)
    at = tuple(shown.stated(c, "length", 6) for c in found.centre)
    hub = Hub(
        name=project.free_name("hubs", f"{piece} centre"),
        region=region.name,
        kind="spread",
        at=at,  # type: ignore[arg-type]
    )
    name = project.free_name("loads", f"weight of {piece}")
    newtons = 9810.0 * found.mass if np.isfinite(found.mass) else 100.0  # t times mm/s²
    force = ForceLoad(
        name=name, on=hub.name, components=("0 N", "0 N", f"-{shown.stated(newtons, 'force', 4)}")
    )
    return with_load(project.with_item("hubs", hub), force), name


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
        lambda: (path := ask_file("export")) and write_grades(session.own_grades, Path(path)),
    )
    menu.popup(QCursor.pos())
    return menu


def _keep_in_new(parent: QWidget, session: Session, name: str) -> None:
    folder, sure = QInputDialog.getText(parent, "Keep a grade", "Folder, such as sheet/galvanised")
    if sure:
        session.keep_material(name, folder.strip().strip("/"))


def fill_struts(menu: QMenu, take: Callable[[str], None]) -> None:
    """The struts into a menu, by their sections."""
    for key in RECIPES:
        if key.startswith(_STRUT):
            action = menu.addAction(key.removeprefix(_STRUT))
            assert action is not None
            action.triggered.connect(lambda _=False, key=key: take(key))


def fill_recipes(menu: QMenu, take: Callable[[str], None]) -> None:
    """The recipes into a menu; struts in one of their own."""
    for key in RECIPES:
        if not key.startswith(_STRUT):
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
