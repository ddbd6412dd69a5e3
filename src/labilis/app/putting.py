"""Pieces put by what is picked: each way returns new statements, the words for the journal, and the
name of what is new and has sizes to be typed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from labilis.app.pointing import Pointing
from labilis.edit.new_pieces import (
    with_piece_on,
    with_plate_along,
    with_rib_into,
    with_strut_between,
)
from labilis.edit.placing import put_on
from labilis.edit.repeating import repeated
from labilis.edit.standing import stands_on
from labilis.model import LabilisError, Project
from labilis.run.picking import section_middle


@dataclass(frozen=True)
class Put:
    """What came of it. project: the new statements; words: what was done; made: the new piece whose
    sizes may be typed, '' where none is; own: whether it wrote quantities by itself, which are then
    told in the units that are shown."""

    project: Project
    words: str
    made: str = ""
    own: bool = True


def put(pointing: Pointing, key: str) -> Put:
    """A new piece of a recipe ('new:' and its name), or one that is there ('move:' and its name),
    stands on the plane face that is picked; a new strut ('between:' and its section) runs between
    the two places that are; a plate stands along the edge ('along:'), a rib in the corner of two
    faces ('corner:'); a piece is repeated by the edge, axis or plane that is picked ('repeat:' and
    its name). Raises LabilisError where something else is picked."""
    way, _, name = key.partition(":")
    ways = {"new": _new, "move": _moved, "between": _between, "repeat": _repeated}
    ways |= {"along": _along, "corner": _corner}
    return ways[way](pointing, name)


def _between(pointing: Pointing, section: str) -> Put:
    ends = pointing.two_places()
    if ends is None:
        raise LabilisError("A strut runs between two places.", "part", "Pick two.", "between")
    changed, made = with_strut_between(pointing.project, section, *ends, section_middle)
    changed = stands_on(changed, made, pointing.owner, ends[0])
    # its length is that between the places: nothing to type
    return Put(changed, f"{made} from one place to another")


def _repeated(pointing: Pointing, name: str) -> Put:
    found = pointing.copies()
    if found is None:
        raise LabilisError(
            "A piece is repeated along a straight edge, round an axis along x, y or z, or "
            "mirrored in a plane square to one.",
            "part",
            "Pick such an edge or face, and only that one.",
            "repeat",
        )
    words, copies = found
    return Put(repeated(pointing.project, name, copies), f"{name} {words}", own=False)


def _along(pointing: Pointing, _: str) -> Put:
    foot = pointing.edge_footing()
    if foot is None:
        raise LabilisError(
            "A plate is put along one straight edge of a plane face.",
            "part",
            "Pick such an edge, and only that one.",
            "edge",
        )
    owner, inside = pointing.owner, [0.0, 0.0, 0.0] if foot.sheet else foot.inside
    changed, made = with_plate_along(
        pointing.project, owner, foot.start, foot.end, foot.normal, inside
    )
    return Put(stands_on(changed, made, owner, foot.start), f"{made} put along an edge", made)


def _corner(pointing: Pointing, _: str) -> Put:
    corner = pointing.inner_corner()
    if corner is None:
        raise LabilisError(
            "A rib is put into the corner of two plane faces that meet at a right angle.",
            "part",
            "Pick two such faces; where a bend lies between them, place the rib by numbers.",
            "corner",
        )
    owner = pointing.owner
    changed, made = with_rib_into(
        pointing.project, owner, corner.point, corner.ways, corner.reaches
    )
    return Put(stands_on(changed, made, owner, corner.point), f"{made} put into a corner", made)


def _new(pointing: Pointing, recipe: str) -> Put:
    where = _face(pointing)
    changed, made = with_piece_on(pointing.project, recipe, *where, section_middle)
    changed = stands_on(changed, made, pointing.owner, where[0])
    return Put(changed, f"{made} put on a face", made)


def _moved(pointing: Pointing, name: str) -> Put:
    where, project = _face(pointing), pointing.project
    middle = section_middle(project, project.named("pieces", name))
    changed = stands_on(put_on(project, name, *where, middle), name, pointing.owner, where[0])
    return Put(changed, f"{name} put on a face", own=False)


def _face(pointing: Pointing) -> tuple[np.ndarray, np.ndarray]:
    """(point, normal) of the plane face that is picked. Raises LabilisError for anything else."""
    where = pointing.footing()
    if where is None:
        raise LabilisError(
            "A piece is put on one plane face.",
            "part",
            "Pick a plane face, and only that one.",
            "face",
        )
    return where
