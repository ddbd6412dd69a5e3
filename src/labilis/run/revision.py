"""A revised file read into a project: statements stay, faces are found again, and what could not
be found is listed."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from labilis.model import Geometry, LabilisError, Project
from labilis.run.rematch import Followed, follow_picks
from labilis.shape import ShapeView, find_region
from labilis.shape.proposal import BodyInfo


@dataclass(frozen=True)
class Blocked:
    """A support, spring, load, hub or zone whose region lost faces: kind, its name, the region,
    what was lost in words."""

    kind: str
    name: str
    region: str
    lost: str


def revise(
    project: Project,
    files: Mapping[str, bytes],
    old: str,
    new: str,
    data: bytes,
    bodies: Sequence[BodyInfo],
) -> tuple[Project, dict[str, bytes], list[Followed]]:
    """(statements, files, what became of each pick) with the file `old` replaced by `new`, whose
    bytes and bodies are given. A piece takes the body of its own name, or the one with its number.

    Raises LabilisError when a piece finds no body or `old` is not part of the project.
    """
    if old not in {item.file for item in project.geometry}:
        known = ", ".join(item.file for item in project.geometry) or "none"
        raise LabilisError(
            f"The project has no file '{old}'.", "part", f"It has: {known}.", "no-file"
        )
    names = {body.name: body.number for body in reversed(bodies)}
    pieces = []
    for piece in project.pieces:
        if piece.geometry == old:
            number = names.get(piece.name, piece.body)
            if number > len(bodies):
                raise LabilisError(
                    f"'{new}' has {len(bodies)} bod{'y' if len(bodies) == 1 else 'ies'}: none for "
                    f"piece '{piece.name}'.",
                    f"pieces/{piece.name}",
                    "Remove the piece first, or export all bodies.",
                    "no-body",
                )
            piece = piece.model_copy(update={"geometry": new, "body": number})
        pieces.append(piece)
    sha = hashlib.sha256(data).hexdigest()
    geometry = [
        Geometry(file=new, sha256=sha) if item.file == old else item for item in project.geometry
    ]
    new_files = {**files, sha: data}
    mine = {piece.name for piece in pieces if piece.geometry == new}
    revised, followed = follow_picks(
        project, project.changed(pieces=pieces, geometry=geometry), files, new_files, mine
    )
    return revised, new_files, followed


def lost_regions(project: Project, view: ShapeView) -> dict[str, str]:
    """What regions have lost in this shape, in words, by region; those that found everything are
    left out."""
    found = {region.name: find_region(region, view).lost for region in project.regions}
    return {name: "; ".join(lost) for name, lost in found.items() if lost}


def blocked(project: Project, lost: Mapping[str, str]) -> list[Blocked]:
    """Everything that stands on lost regions."""
    hubs = {hub.name: hub.region for hub in project.hubs}
    found = [
        Blocked("hub", hub.name, hub.region, lost[hub.region])
        for hub in project.hubs
        if hub.region in lost
    ]
    for kind, items in (
        ("support", project.supports),
        ("spring", project.springs),
        ("load", project.loads),
    ):
        for item in items:
            on = getattr(item, "on", "")
            region = hubs.get(on, on)
            if region in lost:
                found.append(Blocked(kind, item.name, region, lost[region]))
    found += [
        Blocked("bolt", bolt.name, region, lost[region])
        for bolt in project.bolts
        for region in bolt.through
        if region in lost
    ]
    found += [
        Blocked("seam", seam.name, seam.along, lost[seam.along])
        for seam in project.seams
        if seam.along in lost
    ]
    return found + [
        Blocked("zone", zone.region, zone.region, lost[zone.region])
        for zone in project.mesh.zones
        if zone.region in lost
    ]
