"""A rib along the compression of a plate that bulges, through its crest: stated, to be tried by
a run of its own."""

from __future__ import annotations

import numpy as np

from labilis.edit.placing import place_of
from labilis.model import Piece, Plate, Project, shown
from labilis.model.recipes import Corner, Place, Turn
from labilis.model.standing import frame_of
from labilis.results.findings import Floats, MeshFindings
from labilis.results.stress_measures import along
from labilis.run.report import CaseReport

_KINDS = ("plate", "local wall")
# times the thickness: an outstand up to 14 ε yields before it buckles (EN 1993-1-1, table 5.2,
# class 3), ε 0.81 for S355 and 1 for S235
_HIGH = 11.0
_LEAST = 4.0  # times its height that a rib is long: a shorter one is a lug


def rib_of(project: Project, case: CaseReport) -> tuple[Piece, str, float] | None:
    """(the rib as a piece, what it is in words, its volume in mm³) for the first mode of a case;
    None where no plate of a recipe bulges under compression."""
    modes, strength, mesh = case.facts.modes, case.facts.strength, case.facts.mesh
    if modes is None or strength is None or mesh is None or not len(modes.positive):
        return None
    first = modes.first
    piece = next(
        (item for item in project.active_pieces if item.name == modes.drivers[first]), None
    )
    if (
        piece is None
        or case.facts.kinds[first] not in _KINDS
        or piece.mesh_as != "shell"
        or piece.count > 1
        or not isinstance(piece.recipe, Plate)
    ):
        return None
    turn, at = _frame(project, piece)
    crest = _crest(mesh, piece.name, modes.shapes[first])
    stress = strength.stress[crest]
    squeeze = [float(along(stress, turn[:, k])) for k in range(2)]
    axis = int(np.argmin(squeeze))
    if squeeze[axis] >= 0:
        return None
    place = turn.T @ (mesh.nodes[crest] - at)
    span = _span(project, piece.recipe, axis, place)
    thickness = project.number(piece.recipe, "thickness")
    height = float(f"{_HIGH * thickness:.2g}")
    if span is None or span[1] - span[0] < _LEAST * height:
        return None
    start = np.zeros(3)
    start[axis], start[1 - axis] = span[0], place[1 - axis]
    long = span[1] - span[0]
    made = _rib(project, piece, axis, at + turn @ start, long, height)
    x, y = (shown.length(float(value)) for value in place[:2])
    words = (
        f"a rib on {piece.name} along its {'xy'[axis]}, {shown.length(height)} high, as thick as "
        f"the plate and {shown.length(long)} "
        f"long, through x {x}, y {y} of the plate"
    )
    return made, words, long * height * thickness


def _rib(
    project: Project, piece: Piece, axis: int, corner: Floats, long: float, height: float
) -> Piece:
    recipe = piece.recipe
    assert isinstance(recipe, Plate)

    def mm(value: float) -> str:
        return f"{float(f'{value:.9g}')!r} mm"

    outline = tuple(
        Corner(x=mm(x), y=mm(y))
        for x, y in ((0.0, 0.0), (long, 0.0), (long, height), (0.0, height))
    )
    turns = (
        Turn(about="x", angle="90 deg"),
        *((Turn(about="z", angle="90 deg"),) if axis else ()),
        *(piece.place if piece.place.on is None else place_of(*_frame(project, piece))).turns,
    )
    return Piece(
        name=project.free_name("pieces", "rib"),
        recipe=Plate(outline=outline, thickness=recipe.thickness),
        material=piece.material,
        mesh_as="shell",
        place=Place(turns=turns, at=tuple(mm(value) for value in corner)),  # type: ignore[arg-type]
    )


def _frame(project: Project, piece: Piece) -> tuple[Floats, Floats]:
    """(directions of a piece's own x, y, z as columns, where its origin lies in mm)."""
    frame = frame_of(project, piece)
    return np.array(frame.turn), np.array(frame.at)


def _crest(mesh: MeshFindings, piece: str, shape: Floats) -> int:
    """The node of a piece that a mode moves most."""
    number = int(np.flatnonzero(mesh.bodies == piece)[0])
    mine = np.unique(mesh.connectivity[np.repeat(mesh.body == number, mesh.sizes)])
    return int(mine[np.linalg.norm(shape[mine], axis=1).argmax()])


def _span(project: Project, recipe: Plate, axis: int, place: Floats) -> tuple[float, float] | None:
    """Where a line through a place, along x or y of a plate, runs in its metal, mm; None where it
    meets none. Corners count as sharp, and of a slot the circle round it."""
    across = 1 - axis
    corners = np.array(
        [(project.number(corner, "x"), project.number(corner, "y")) for corner in recipe.outline]
    )
    crossed = []
    for one, two in zip(corners, np.roll(corners, -1, axis=0)):
        if (one[across] > place[across]) != (two[across] > place[across]):
            share = (place[across] - one[across]) / (two[across] - one[across])
            crossed.append(float(one[axis] + share * (two[axis] - one[axis])))
    crossed.sort()
    runs = list(zip(crossed[::2], crossed[1::2]))
    for opening in recipe.openings:
        middle = np.array([project.number(opening, "x"), project.number(opening, "y")])
        reach = 0.5 * (
            project.number(opening, "diameter") + (project.number_if(opening, "length") or 0.0)
        )
        if (half := reach**2 - (middle[across] - place[across]) ** 2) > 0:
            low, high = middle[axis] - half**0.5, middle[axis] + half**0.5
            runs = [
                (a, b)
                for start, end in runs
                for a, b in ((start, min(end, low)), (max(start, high), end))
                if b > a
            ]
    holding = [run for run in runs if run[0] - 1e-6 <= place[axis] <= run[1] + 1e-6]
    return holding[0] if holding else None
