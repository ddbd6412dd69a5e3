"""Pieces of recipes to begin with, put where there is room, on a plane or between two points."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np

from labilis.edit.placing import Vector, placed_on, plate_along, rib_into, strut_between
from labilis.model import (
    Block,
    Corner,
    FoldedSheet,
    LoadCase,
    Material,
    Opening,
    Piece,
    Place,
    Plate,
    Project,
    Recipe,
    Rib,
    Section,
    Strut,
)
from labilis.model.recipes import SECTION_SIZES

# where the middle of a piece's section lies, mm in its own axes x and y: it is measured, not stated
MiddleOf = Callable[[Project, Piece], tuple[float, float]]
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
        f"strut, {shape}": partial(_strut, shape) for shape in SECTION_SIZES if SECTION_SIZES[shape]
    },
    "strut, drawn section": lambda: Strut(
        section=Section(shape="outline", outline=_rectangle("40 mm", "20 mm")), length="500 mm"
    ),
}


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
    project: Project,
    key: str,
    point: Vector,
    normal: Vector,
    middle_of: MiddleOf,
) -> tuple[Project, str]:
    """(statements, name) with a new piece of a recipe that stands on a plane; of the first
    material there is."""
    piece = new_piece(project, key, project.materials[0].name, (0.0, 0.0, 0.0))
    place = placed_on(project, piece, point, normal, middle_of(project, piece))
    return project.with_item("pieces", piece.model_copy(update={"place": place})), piece.name


def with_strut_between(
    project: Project,
    key: str,
    start: Vector,
    end: Vector,
    middle_of: MiddleOf,
) -> tuple[Project, str]:
    """(statements, name) with a new strut of a section from one point to another; a line where
    all struts there are are lines."""
    piece = new_piece(project, key, project.materials[0].name, (0.0, 0.0, 0.0))
    struts = [known for known in project.pieces if isinstance(known.recipe, Strut)]
    if struts and all(known.mesh_as == "line" for known in struts):
        piece = piece.model_copy(update={"mesh_as": "line"})
    made = strut_between(project, piece, start, end, middle_of(project, piece))
    return project.with_item("pieces", made), made.name


def with_plate_along(
    project: Project,
    owner: str,
    start: Vector,
    end: Vector,
    normal: Vector,
    inset: Vector,
) -> tuple[Project, str]:
    """(statements, name) with a new plate along a straight edge of a piece, of its material and
    meshed as it is."""
    made = plate_along(project, _like(project, owner, "plate"), start, end, normal, inset)
    return project.with_item("pieces", made), made.name


def with_rib_into(
    project: Project,
    owner: str,
    point: Vector,
    ways: np.ndarray,
    reaches: Vector,
) -> tuple[Project, str]:
    """(statements, name) with a new rib in the corner of two faces, the first of them of a piece
    whose material it has."""
    made = rib_into(_like(project, owner, "rib"), point, ways, reaches)
    return project.with_item("pieces", made), made.name


def _like(project: Project, owner: str, key: str) -> Piece:
    """A new piece of the material of another one and meshed as it is, lines apart."""
    known = project.named("pieces", owner)
    piece = new_piece(project, key, known.material or project.materials[0].name, (0.0, 0.0, 0.0))
    return piece.model_copy(update={"mesh_as": "solid" if known.mesh_as == "solid" else "shell"})
