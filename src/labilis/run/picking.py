"""What the window and the command line may ask about a body's faces and edges."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from labilis.analysis.regions import circle_centre
from labilis.edit.repeating import along_edge, in_mirror, round_axis
from labilis.model import Pick, Piece, Project, Region, Strut, shown
from labilis.model.recipes import Copies
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
    "copies_by",
    "describe_edge",
    "describe_face",
    "edge_footing",
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


@dataclass(frozen=True)
class EdgeFooting:
    """Where a plate can stand along a straight edge: start, end (3,) mm of the edge; normal (3,) of
    the face it stands on; inside (3,): the way from the edge into that face; sheet: whether that is
    a mid-surface, whose edge it can share."""

    start: np.ndarray
    end: np.ndarray
    normal: np.ndarray
    inside: np.ndarray
    sheet: bool


def copies_by(view: ShapeView, of: str, row: int) -> tuple[str, Copies] | None:
    """(words, copies) that a picked face or edge gives a piece: along a straight edge, round a
    cylinder or circle whose axis runs along x, y or z, mirrored in a plane square to one. None of
    anything else."""
    if of == "edge" and str(view.edges.kind[row]) == "line":
        step = view.edges.length[row] * view.edges.direction[row]
        return "along it, its length apart", along_edge([float(value) for value in step])
    found: Copies | None = None
    if of == "edge" and str(view.edges.kind[row]) == "circle":
        words = "in a ring round it"
        found = round_axis(_floats(circle_centre(view, row)), _floats(view.edges.direction[row]))
    elif of == "face" and str(view.faces.kind[row]) in ("cylinder", "cone", "torus"):
        words = "in a ring round it"
        found = round_axis(_floats(view.faces.origin[row]), _floats(view.faces.direction[row]))
    elif of == "face" and str(view.faces.kind[row]) == "plane":
        words = "mirrored in it"
        found = in_mirror(_floats(view.faces.centroid[row]), _floats(view.faces.direction[row]))
    return None if found is None else (words, found)


def _floats(vector: np.ndarray) -> list[float]:
    return [float(value) for value in vector]


def edge_footing(
    view: ShapeView, edge: int, toward: tuple[float, float, float]
) -> EdgeFooting | None:
    """Where a plate can stand along a straight edge of a plane face, of two faces the one that
    looks along `toward`; of a sheet its side that does. None for any other edge."""
    if str(view.edges.kind[edge]) != "line":
        return None
    seen = np.array(toward, dtype=float)
    beside = [int(face) for face in view.edges.faces[edge] if face >= 0]
    plane = [face for face in beside if str(view.faces.kind[face]) == "plane"]
    if not plane:
        return None
    face = max(plane, key=lambda row: float(view.faces.direction[row] @ seen))
    normal = np.array(view.faces.direction[face], dtype=float)
    if view.sheet[face] and normal @ seen < 0:
        normal = -normal
    along = np.array(view.edges.direction[edge], dtype=float)
    middle = np.array(view.edges.centroid[edge], dtype=float)
    inside = np.cross(normal, along)
    if inside @ (view.faces.centroid[face] - middle) < 0:
        inside, along = -inside, -along
    half = 0.5 * float(view.edges.length[edge]) * along
    return EdgeFooting(middle - half, middle + half, normal, inside, bool(view.sheet[face]))


@dataclass(frozen=True)
class InnerCorner:
    """Where a rib can stand between two faces that are square to each other: point (3,) mm on the
    line where they meet; ways (2, 3): along the first face and along the second, away from it;
    reaches (2,) mm: how far the faces go that way."""

    point: np.ndarray
    ways: np.ndarray
    reaches: np.ndarray


_SQUARE = 0.02  # cosine under which two faces are square to each other


def inner_corner(
    view: ShapeView, one: int, two: int, toward: tuple[float, float, float]
) -> InnerCorner | None:
    """The corner of two plane faces that are square to each other and reach the line where their
    planes meet; None of any others. Outside of solids; on sheets it lies on their mid-surfaces, and
    where one goes on behind the other, on the side that looks along `toward`."""
    faces, pair = view.faces, (one, two)
    normals = np.array(faces.direction[list(pair)], dtype=float)
    if any(str(faces.kind[face]) != "plane" for face in pair) or (
        abs(float(normals[0] @ normals[1])) > _SQUARE
    ):
        return None
    points = [
        view.tessellation.points[
            np.unique(view.tessellation.triangles[view.tessellation.face == face])
        ]
        for face in pair
    ]
    line = np.cross(normals[0], normals[1])
    line /= np.linalg.norm(line)
    levels = [float(normals[k] @ faces.centroid[face]) for k, face in enumerate(pair)]
    origin = np.linalg.solve(np.array([*normals, line]), np.array([*levels, 0.0]))
    # a bend or a gap lies between faces that do not come as near as walls are thick
    near = max(float(faces.thickness[list(pair)].max()), 1e-3 * view.size)
    ways, reaches = np.empty((2, 3)), np.empty(2)
    for k in range(2):
        way = normals[1 - k]
        across = (points[k] - origin) @ way
        if view.sheet[pair[1 - k]]:
            both = float(across.max()) > near and float(across.min()) < -near
            flip = way @ np.array(toward) < 0 if both else across.max() < -across.min()
            way, across = (-way, -across) if flip else (way, across)
        if float(across.min()) > near or float(across.max()) <= near:
            return None
        ways[k], reaches[k] = way, float(across.max())
    low = max(float((found @ line).min()) for found in points)
    high = min(float((found @ line).max()) for found in points)
    if high - low < near:
        return None
    point = origin + (0.5 * (low + high) - float(origin @ line)) * line
    return InnerCorner(point, ways, reaches)


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
