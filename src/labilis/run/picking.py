"""What the window and the command line may ask about a body's faces and edges."""

from __future__ import annotations

import numpy as np

from labilis.analysis.regions import circle_centre
from labilis.model import Pick, Piece, Project, Region, Strut, shown
from labilis.shape import (
    RegionMatch,
    ShapeView,
    find_region,
    list_bodies,
    pick_of_edge,
    pick_of_face,
)
from labilis.shape.proposal import BodyInfo
from labilis.shape.recipes.paths import section_of
from labilis.shape.recipes.sections import second_moments

__all__ = [
    "BodyInfo",
    "RegionMatch",
    "ShapeView",
    "circle_centre",
    "describe_edge",
    "describe_face",
    "find_region",
    "list_bodies",
    "make_pick",
    "pick_of_edge",
    "pick_of_face",
    "region_size",
]


def _round(radius: float) -> str:
    """'Ø 8 (R 4) mm'."""
    return (
        f"Ø {shown.value(2 * radius, 'length'):.4g} (R {shown.value(radius, 'length'):.4g}) "
        f"{shown.unit('length')}"
    )


def section_middle(project: Project, piece: Piece) -> tuple[float, float]:
    """Centroid (mm) of a strut's section in its own x and y, on which a line of it stands; the
    origin of any other piece."""
    if not isinstance(piece.recipe, Strut):
        return 0.0, 0.0
    where = f"pieces/{piece.name}/recipe"
    shape = section_of(piece.recipe, lambda text, kind: project.value(text, kind, where), where)
    x, y = second_moments(shape)[1]
    return float(x), float(y)


def footing(
    view: ShapeView, face: int, toward: tuple[float, float, float]
) -> tuple[np.ndarray, np.ndarray] | None:
    """(point, normal (3,)) of the skin of a plane face where another piece can stand, None for any
    other face: of a sheet the side that looks along `toward`, half its thickness off."""
    if str(view.faces.kind[face]) != "plane":
        return None
    normal = np.array(view.faces.direction[face], dtype=float)
    if view.sheet[face] and normal @ np.array(toward) < 0:
        normal = -normal
    lift = 0.5 * float(view.faces.thickness[face]) if view.sheet[face] else 0.0
    return np.array(view.faces.centroid[face], dtype=float) + lift * normal, normal


def describe_face(view: ShapeView, index: int) -> tuple[str, str]:
    """(name, size) of a face in words: ('bore Ø 8 (R 4) mm', '125.7 mm²')."""
    faces = view.faces
    kind, radius = str(faces.kind[index]), float(faces.radius[index])
    size = shown.area(float(faces.area[index]))
    if kind == "cylinder":
        word = "bore" if faces.inner[index] else "round"
        return f"{word} {_round(radius)}", size
    if kind == "plane":
        normal = faces.direction[index]
        axis = int(np.argmax(np.abs(normal)))
        facing = (
            f", facing {'+' if normal[axis] > 0 else '−'}{'xyz'[axis]}"
            if abs(normal[axis]) > 0.999
            else ""
        )
        return f"flat face{facing}", size
    names = {
        "cone": "cone",
        "sphere": f"ball Ø {shown.length(2 * radius)}",
        "torus": "torus",
        "other": "free-form face",
    }
    return names[kind], size


def describe_edge(view: ShapeView, index: int) -> tuple[str, str]:
    """(name, size) of an edge in words."""
    kind, radius = str(view.edges.kind[index]), float(view.edges.radius[index])
    if kind == "point":
        return "end of a line", "a point"
    size = f"{shown.length(float(view.edges.length[index]))} long"
    if kind == "circle":
        return f"edge {_round(radius)}", size
    return ("straight edge" if kind == "line" else "curved edge"), size


def make_pick(view: ShapeView, of: str, index: int) -> Pick:
    """Pick of a face or an edge by its number."""
    return pick_of_face(view.faces, index) if of == "face" else pick_of_edge(view.edges, index)


def region_size(region: Region) -> str:
    """'2 faces, 251 mm²' as it was when picked."""
    count = len(region.picks)
    total = sum(pick.size for pick in region.picks)
    noun = "face" if region.of == "face" else "edge"
    return (
        f"{count} {noun}{'s' if count > 1 else ''}, "
        f"{shown.area(total) if region.of == 'face' else shown.length(total)}"
    )
