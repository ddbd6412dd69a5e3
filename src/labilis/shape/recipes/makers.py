"""The recipes. A new one is a function here (or a file of its own) and one line in MAKERS."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from labilis.model import (
    Block,
    FoldedSheet,
    LabilisError,
    Plate,
    Recipe,
    Rib,
    Strut,
)
from labilis.model.recipes import Pocket
from labilis.shape.profile import (
    Run,
    area_of,
    inside,
    points_of,
    rounded_path,
)
from labilis.shape.recipes.named_body import (
    Made,
    Sheet,
    edge_of,
    face_of,
    images,
    name_edges,
    parts,
    prism,
    swept,
    turned_to_right,
)
from labilis.shape.recipes.paths import (
    Read,
    fits,
    folded_paths,
    opening_path,
    outline_path,
    outward,
    positive,
    section_of,
)


def _flat_piece(
    outline: list[Run],
    openings: list[list[Run]],
    thickness: float,
    names: list[str],
    where: str,
    opening_word: str = "hole",
) -> Made:
    """A flat piece of an outline with openings, round z = 0."""
    positive(thickness, "thickness", f"{where}/thickness")
    fits(outline, openings, where, "plate")
    ordered = outline if area_of(outline) > 0 else None
    paths = outward([outline, *openings])
    words = [
        names if ordered is not None else names[::-1],
        *([f"{opening_word}.{number}"] * len(path) for number, path in enumerate(openings, 1)),
    ]
    solid, faces = swept(paths, -thickness / 2, thickness / 2, words, ("bottom", "top"), where)
    middle = face_of(paths, 0.0, where)
    return Made(solid, faces, [Sheet(middle, thickness, "face")], name_edges(middle, paths, words))


def make_plate(recipe: Plate, read: Read, where: str) -> Made:
    """Names: top, bottom (solid) or face (sheet); side.1, side.2, ... from the first corner to
    the second and on; hole.1, ..."""
    outline = outline_path(recipe.outline, read, f"{where}/outline")
    # by the corner, whether other sides have any length left or not: a radius that grows until a
    # side is gone must not give its name to another one
    names = [f"{'corner' if run.rounding else 'side'}.{run.number + 1}" for run in outline]
    openings = [
        opening_path(item, read, f"{where}/openings/{number}")
        for number, item in enumerate(recipe.openings)
    ]
    return _flat_piece(outline, openings, read(recipe.thickness, "length"), names, where)


def make_rib(recipe: Rib, read: Read, where: str) -> Made:
    """Names: foot (along x), back (along y), top, slope; faces top side is called front, the
    other rear."""
    w = positive(read(recipe.width, "length"), "width", f"{where}/width")
    h = positive(read(recipe.height, "length"), "height", f"{where}/height")
    top, curve = read(recipe.top, "length"), read(recipe.curve, "length")
    if top < 0 or top > w:
        raise LabilisError(
            "The top of a rib is between nothing and its width.",
            f"{where}/top",
            "Correct it.",
            "recipe",
        )
    upper = np.array([top, h])
    lower = np.array([w, 0.0])
    chord = upper - lower
    inward = np.array([-chord[1], chord[0]]) / np.linalg.norm(chord)
    through = None if curve == 0 else 0.5 * (upper + lower) + curve * inward
    runs = [Run(np.zeros(2), lower), Run(lower, upper, through)]
    names = ["foot", "slope"]
    if top > 0:
        runs.append(Run(upper, np.array([0.0, h])))
        names.append("top")
    runs.append(Run(np.array([0.0, h]), np.zeros(2)))
    names.append("back")
    made = _flat_piece(runs, [], read(recipe.thickness, "length"), names, where)
    made.solid_names = [
        (face, {"top": "front", "bottom": "rear"}.get(name, name) if number < 2 else name)
        for number, (face, name) in enumerate(made.solid_names)
    ]
    return made


def _sheets(
    walls: list[tuple[tuple[Run, ...], float, list[str]]], length: float, made: Made
) -> None:
    """Walls swept along z as sheets, their ends and free edges named."""
    for runs, thickness, names in walls:
        for run, name in zip(runs, names):
            base = edge_of(run)
            maker = prism(base, 0.0, 0.0, length)
            face = turned_to_right(parts(maker.Shape(), "face")[0], run)
            made.sheets.append(Sheet(face, thickness, name))
            edges = parts(face, "edge")
            first, last = maker.FirstShape(), maker.LastShape()
            for edge in edges:
                made.sheet_edges.append(
                    (
                        edge,
                        "start"
                        if edge.IsSame(first)
                        else "end"
                        if edge.IsSame(last)
                        else f"{name}.side",
                    )
                )


def make_folded(recipe: FoldedSheet, read: Read, where: str) -> Made:
    """Names: run.1, bend.1, run.2, ...; start and end of its length; edge.first and edge.last
    along it."""
    t = positive(read(recipe.thickness, "length"), "thickness", f"{where}/thickness")
    length = positive(read(recipe.length, "length"), "length", f"{where}/length")
    middle, band = folded_paths(recipe, read, where)
    # by the corner: one that lies straight on has no bend, and gives its name to no other
    names = [f"bend.{run.number}" if run.bent else f"run.{run.number + 1}" for run in middle]
    n = len(middle)
    words = [
        *(f"{name}/left" for name in names),
        "edge.last",
        *(f"{name}/right" for name in reversed(names)),
        "edge.first",
    ]
    words = [word.replace("/", ".") for word in words]
    made = Made(
        *swept(
            outward([band]),
            0.0,
            length,
            [words if area_of(band) > 0 else words[::-1]],
            ("start", "end"),
            where,
        )
    )
    _sheets([(tuple(middle), t, names)], length, made)
    _name_sides(made, middle, n)
    return made


def _name_sides(made: Made, middle: list[Run], n: int) -> None:
    """The two free edges along a folded sheet get names of their own."""
    from labilis.shape.recipes.named_body import middle_of

    for number, (edge, name) in enumerate(made.sheet_edges):
        x, y, _ = middle_of(edge)
        for point, word in ((middle[0].start, "edge.first"), (middle[n - 1].end, "edge.last")):
            if name.endswith(".side") and np.hypot(x - point[0], y - point[1]) < 1e-6:
                made.sheet_edges[number] = (edge, word)


def _numbered(word: str, run: Run) -> str:
    """The name of what a run of a section becomes: by its corner, whether others are there or
    not, so that a radius that comes or goes gives its name to no other."""
    return f"{'corner' if run.rounding else word}.{run.number + 1}"


def make_strut(recipe: Strut, read: Read, where: str) -> Made:
    """Names: start, end; wall, wall.1, ... (sheet), skin.1, ... (solid) by the corners of the
    section's outline, with corner.1, ... for those that are rounded."""
    from OCP.BRep import BRep_Builder
    from OCP.TopoDS import TopoDS_Compound

    length = positive(read(recipe.length, "length"), "length", f"{where}/length")
    shape = section_of(recipe, read, where)
    made = Made()
    solids = []
    for outline in shape.outlines:
        paths = outward([list(path) for path in outline])
        words = [[_numbered("skin", run) for run in path] for path in paths]
        solid, names = swept(paths, 0.0, length, words, ("start", "end"), where)
        solids.append(solid)
        made.solid_names += names
    if len(solids) == 1:
        made.solid = solids[0]
    else:
        made.solid, builder = TopoDS_Compound(), BRep_Builder()
        builder.MakeCompound(made.solid)
        for solid in solids:
            builder.Add(made.solid, solid)
    walls = []
    for wall in shape.walls:
        called = [
            wall.name if len(wall.runs) == 1 else _numbered(wall.name, run) for run in wall.runs
        ]
        walls.append((wall.runs, wall.thickness, called))
    _sheets(walls, length, made)
    return made


def _pocket(
    pocket: Pocket, number: int, d: float, border: Any, read: Read, place: str
) -> tuple[Any, Any]:
    """What a pocket takes from a block of depth d mm, and the names of its faces."""
    x, y = read(pocket.x, "length"), read(pocket.y, "length")
    pw, ph = read(pocket.width, "length") / 2, read(pocket.height, "length") / 2
    depth, r = (
        positive(read(pocket.depth, "length"), "depth", f"{place}/depth"),
        read(pocket.radius, "length"),
    )
    if depth >= d:
        raise LabilisError(
            "The pocket goes through the block.",
            f"{place}/depth",
            "Make it shallower, or use a bore.",
            "pocket",
        )
    hollow = rounded_path(
        [(x - pw, y - ph, r), (x + pw, y - ph, r), (x + pw, y + ph, r), (x - pw, y + ph, r)],
        True,
        place,
    )
    if not inside(points_of(hollow), border).all():
        raise LabilisError(
            "The pocket reaches outside the block.",
            place,
            "Move it or make it smaller.",
            "pocket",
        )
    tool, tool_names = swept(
        [hollow],
        d - depth,
        d + 1.0,
        [[f"pocket.{number}"] * len(hollow)],
        (f"pocket.{number}", ""),
        place,
    )
    return tool, tool_names


def make_block(recipe: Block, read: Read, where: str) -> Made:
    """Names: top, bottom, side.1 to side.4, bore.1, ..., pocket.1, ... A block has no
    mid-surface."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut

    w = positive(read(recipe.width, "length"), "width", f"{where}/width")
    h = positive(read(recipe.height, "length"), "height", f"{where}/height")
    d = positive(read(recipe.depth, "length"), "depth", f"{where}/depth")
    outline = rounded_path(
        [(-w / 2, -h / 2, 0.0), (w / 2, -h / 2, 0.0), (w / 2, h / 2, 0.0), (-w / 2, h / 2, 0.0)],
        True,
        where,
    )
    border = points_of(outline)
    bores = [
        opening_path(item, read, f"{where}/bores/{number}")
        for number, item in enumerate(recipe.bores)
    ]
    for number, path in enumerate(bores):
        if not inside(points_of(path), border).all():
            raise LabilisError(
                f"Bore {number + 1} reaches outside the block.",
                f"{where}/bores/{number}",
                "Move it.",
                "opening",
            )
    paths = outward([outline, *bores])
    words = [
        [f"side.{k}" for k in range(1, 5)],
        *([f"bore.{number}"] * len(path) for number, path in enumerate(bores, 1)),
    ]
    solid, names = swept(paths, 0.0, d, words, ("bottom", "top"), where)
    for number, pocket in enumerate(recipe.pockets, 1):
        place = f"{where}/pockets/{number - 1}"
        tool, tool_names = _pocket(pocket, number, d, border, read, place)
        cut = BRepAlgoAPI_Cut(solid, tool)
        names = images(cut, names) + images(cut, tool_names)
        solid = cut.Shape()
    return Made(solid, [(face, name) for face, name in names if name])


MAKERS: dict[str, Callable[[Any, Read, str], Made]] = {
    "plate": make_plate,
    "folded sheet": make_folded,
    "strut": make_strut,
    "rib": make_rib,
    "block": make_block,
}


def make_recipe(recipe: Recipe, read: Read, where: str) -> Made:
    """Solid and sheets of a recipe in its own axes."""
    return MAKERS[recipe.kind](recipe, read, where)
