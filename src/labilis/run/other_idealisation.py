"""The same part meshed the other way: what are shells or lines now as solids or shells, thin
solids as shells."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import cache
from typing import Literal, NamedTuple

import numpy as np

from labilis.mesh.estimate import estimate, planned_sizes
from labilis.model import LabilisError, Pick, Piece, Project, Region
from labilis.shape import (
    PartShape,
    build_part,
    find_region,
    list_bodies,
    pick_of_edge,
    pick_of_face,
)
from labilis.shape.face_tables import Ancestry, Ints, ShapeView
from labilis.shape.proposal import BodyInfo
from labilis.shape.recipes.makers import make_recipe
from labilis.shape.regions import closest_row

Way = Literal["solid", "shell", "line"]
_WORDS = {"solid": "solid", "shell": "shells", "line": "a line"}
_MOST_UNKNOWNS = 400_000  # some two minutes
_STRAIGHT = 1e-6  # of the part's size that the edges of one hinge may lie beside one line


class OtherWay(NamedTuple):
    """The project as it is meshed the other way, and in words how it was meshed and how it is:
    'shells' and 'solids', or piece by piece where they differ."""

    project: Project
    before: str
    after: str


def other_way(project: Project, files: Mapping[str, bytes], part: PartShape) -> OtherWay:
    """Every piece that can be meshed another way is; regions keep their places. `part` is the part
    as it stands.

    Raises LabilisError when nothing can, and for supports that mean another thing then.
    """

    @cache
    def known(file: str) -> list[BodyInfo]:
        return list_bodies(
            files[next(item.sha256 for item in project.geometry if item.file == file)], file
        )

    ways = {
        piece.name: way
        for piece in project.active_pieces
        if (way := _way(project, piece, known)) is not None
    }
    if not ways:
        raise LabilisError(
            "No piece can be meshed another way.",
            "pieces",
            "A cross-check is for thin parts: compare meshes instead (`labilis converge`).",
            "one-way",
        )
    pieces = [
        piece.model_copy(
            update={
                "mesh_as": ways.get(piece.name, piece.mesh_as),
                "releases": () if ways.get(piece.name) else piece.releases,
                "warping": "found" if ways.get(piece.name) else piece.warping,
            }
        )
        for piece in project.pieces
    ]
    _refuse_released(project, ways)
    regions = [_moved(region, part.view) for region in project.regions]
    # sizes stated for one way do not fit the other: it has its own default mesh
    plan = project.mesh.model_copy(update={"size": None, "fineness": None, "zones": ()})
    changed = project.changed(pieces=pieces, regions=regions, mesh=plan)
    view = build_part(changed, dict(files)).view
    size, solids = planned_sizes(view, None)
    cost = estimate(view, size, changed.mesh.order, changed.mesh.solids == "swept", solids)
    if cost.unknowns > _MOST_UNKNOWNS:
        raise LabilisError(
            f"Meshed the other way the part would have about {cost.unknowns:,} unknowns.",
            "mesh",
            "Compare the pieces that "
            "matter by themselves, or meshes of different sizes (`labilis converge`).",
            "one-way",
        )
    changed = _with_turns(changed, part.view, view)
    return OtherWay(
        changed,
        _words({name: project.named("pieces", name).mesh_as for name in ways}),
        _words(ways),
    )


def _refuse_released(project: Project, ways: Mapping[str, Way]) -> None:
    """Raises LabilisError where ends are released, which only a line has."""
    released = [
        piece.name for piece in project.active_pieces if piece.name in ways and piece.releases
    ]
    if released:
        raise LabilisError(
            f"'{released[0]}' has released ends, which only a line has.",
            f"pieces/{released[0]}/releases",
            "Compare the strut with rigid ends.",
            "one-way",
        )


def _words(ways: Mapping[str, Way]) -> str:
    kinds = sorted(set(ways.values()))
    if len(kinds) == 1:
        many, one = {
            "solid": ("solids", "a solid"),
            "shell": ("shells", "shells"),
            "line": ("lines", "a line"),
        }[kinds[0]]
        return many if len(ways) > 1 else one
    return ", ".join(f"{name} {_WORDS[way]}" for name, way in ways.items())


def _way(project: Project, piece: Piece, known: Callable[[str], list[BodyInfo]]) -> Way | None:
    """Another way to mesh a piece; None where there is none, as for thick pieces and surfaces."""
    if piece.mesh_as == "line":
        return "shell"
    if piece.recipe is not None:
        if piece.mesh_as == "shell":
            return "solid"
        return (
            "shell"
            if make_recipe(piece.recipe, project.value, f"pieces/{piece.name}/recipe").sheets
            else None
        )
    body = known(piece.geometry or "")[piece.body - 1]
    if piece.mesh_as == "shell":
        return "solid" if body.volume > 0 else None
    return "shell" if "shell" in (body.mesh_as, body.other) else None


# --- regions
# --------------------------------------------------------------------------------------------------
def _moved(region: Region, view: ShapeView) -> Region:
    """A region picked on the sheets of a solid, picked on the solid itself; any other as it is."""
    old = view.ancestry
    if old is None or not region.picks:
        return region
    picks: list[Pick] = []
    for pick in region.picks:
        row, cost = closest_row(pick, view.faces if pick.of == "face" else view.edges, view.size)
        _, there = closest_row(pick, old.faces if pick.of == "face" else old.edges, view.size)
        new = [] if row < 0 or there <= cost else _on_solid(old, pick.of, row)
        picks += new or [pick]
    return region.model_copy(update={"picks": tuple(dict.fromkeys(picks))})


def _on_solid(old: Ancestry, of: str, row: int) -> list[Pick]:
    """What of a solid a sheet or its edge stands for: the side that the sheet's normal looks out
    of, so that a pressure keeps its sense; the face that an edge ends at, or else the edge that it
    runs along."""
    if of == "face":
        return [
            pick_of_face(old.faces, int(face))
            for face in old.skin[(old.skin[:, 1] == row) & (old.skin[:, 2] > 0), 0]
        ]
    faces = old.rim[old.rim[:, 1] == row, 0]
    if len(faces):
        return [pick_of_face(old.faces, int(face)) for face in faces]
    return [pick_of_edge(old.edges, int(edge)) for edge in old.ridge[old.ridge[:, 1] == row, 0]]


# --- supports
# --------------------------------------------------------------------------------------------------
def _with_turns(project: Project, before: ShapeView, after: ShapeView) -> Project:
    """Supports that say the same the other way: a face of a solid held in place is clamped, and so
    has the edge of a sheet in its stead to be.

    Raises LabilisError for a straight edge of sheets held without its turns, a hinge, that a solid
    has nothing for, and for a face held in some directions only.
    """
    hubs = {hub.name for hub in project.hubs}
    supports = []
    for support in project.supports:
        free = [turn for turn in ("turn_x", "turn_y", "turn_z") if turn not in support.held]
        region = None if support.on in hubs or not free else project.named("regions", support.on)
        if region is not None and _hinge_in_stead(region, before, after):
            raise LabilisError(
                f"Support '{support.name}' is a hinge along an edge of sheets, and would clamp a "
                "face of a solid.",
                f"supports/{support.name}",
                "Hold its turns as well, or hold a hub on its region.",
                "one-way",
            )
        if region is not None and _hinge_in_stead(region, after, before):
            if not {"x", "y", "z"} <= set(support.held):
                raise LabilisError(
                    f"Support '{support.name}' holds a face of a solid in some directions only, "
                    "which the edge of a sheet "
                    "cannot be.",
                    f"supports/{support.name}",
                    "Hold it in x, y and z, or hold a hub on its region.",
                    "one-way",
                )
            support = support.model_copy(update={"held": (*support.held, *free)})
        supports.append(support)
    return project.changed(supports=supports)


def _hinge_in_stead(region: Region, own: ShapeView, other: ShapeView) -> bool:
    """Whether a region is a straight edge of sheets in one part and faces in the other."""
    found = find_region(region, own)
    hinge = np.setdiff1d(found.edges, found.ends[:, 0])
    return bool(len(hinge) and _one_line(own, hinge) and len(find_region(region, other).faces))


def _one_line(view: ShapeView, edges: Ints) -> bool:
    """Whether edges lie on one straight line."""
    if (view.edges.kind[edges] != "line").any():
        return False
    run = view.edges.direction[edges[0]]
    away = view.edges.centroid[edges] - view.edges.centroid[edges[0]]
    across = away - (away @ run)[:, None] * run
    return bool(
        (np.abs(view.edges.direction[edges] @ run) > 1 - _STRAIGHT).all()
        and np.linalg.norm(across, axis=1).max() < _STRAIGHT * view.size + 1e-9
    )
