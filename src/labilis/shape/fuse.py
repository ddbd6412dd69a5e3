"""Solids that touch made into one shape with common faces, so that one mesh can fill them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from labilis.shape.face_tables import EdgeTable, FaceTable, Ints
from labilis.shape.recipes.named_body import images, parts
from labilis.shape.step import solids_of, volume_of
from labilis.shape.topology import BodyShape, edge_row, face_row, make_table, shape_key

_NEAR = 1e-6  # of the part's size: boxes this near may touch


@dataclass(frozen=True)
class FusedSolids:
    """body: all faces and edges once, also those inside; face_of (k, 3): fused face, solid and the
    face of it that it is a part of (a face that two solids share is listed for both); edge_of (k,
    3): the same for edges; beside (k, 3): edge and two of the faces round it, lower first."""

    body: BodyShape
    face_of: Ints
    edge_of: Ints
    beside: Ints


def touching(solids: Sequence[BodyShape]) -> list[list[int]]:
    """Groups of solids (their numbers) whose boxes meet, two or more each."""
    boxes = [solid.view.extents for solid in solids]
    group = list(range(len(solids)))
    for one in range(len(solids)):
        for two in range(one):
            reach = _NEAR * max(solids[one].reach, solids[two].reach)
            gap = np.maximum(boxes[one][:, 0], boxes[two][:, 0]) - np.minimum(
                boxes[one][:, 1], boxes[two][:, 1]
            )
            if gap.max() <= reach:
                old, new = group[one], group[two]
                group = [new if item == old else item for item in group]
    groups = [
        [number for number in range(len(solids)) if group[number] == root]
        for root in sorted(set(group))
    ]
    return [members for members in groups if len(members) > 1]


def fused_groups(solids: Sequence[BodyShape]) -> list[tuple[list[int], FusedSolids]]:
    """Solids that have faces in common, put together: numbers and what they make. Where all of them
    cannot be put together at once, those that can be by pairs are, so that one bad joint does not
    spoil the others."""
    whole = fuse_solids(solids)
    if whole is not None:
        return [(list(range(len(solids))), whole)]
    if len(solids) == 2:
        return []
    group = list(range(len(solids)))
    for one in range(len(solids)):
        for two in range(one):
            if (
                group[one] != group[two]
                and len(touching([solids[two], solids[one]]))
                and fuse_solids([solids[two], solids[one]]) is not None
            ):
                group = [group[two] if item == group[one] else item for item in group]
    found = []
    for root in sorted(set(group)):
        members = [number for number in range(len(solids)) if group[number] == root]
        one_of = (
            fuse_solids([solids[number] for number in members])
            if 1 < len(members) < len(solids)
            else None
        )
        if one_of is not None:
            found.append((members, one_of))
    return found


def fuse_solids(solids: Sequence[BodyShape]) -> FusedSolids | None:
    """One shape of solids that touch, or None where they have no common face or cannot be put
    together so that each stays what it was."""
    from OCP.BOPAlgo import BOPAlgo_Builder

    builder = BOPAlgo_Builder()
    for solid in solids:
        builder.AddArgument(solid.solid)
    builder.Perform()
    if builder.HasErrors():
        return None
    shape = builder.Shape()
    after = solids_of(shape)
    volumes = sorted(volume_of(solid) for solid in after)
    before = sorted(solid.view.volume for solid in solids)
    if len(after) != len(solids) or not np.allclose(volumes, before, rtol=1e-6):
        return None
    handles = parts(shape, "face")
    number = {shape_key(face): row for row, face in enumerate(handles)}
    face_of = [
        (number.get(shape_key(face), -1), which, row)
        for face, which, row in images(
            builder,
            [
                (face, which, row)
                for which, solid in enumerate(solids)
                for row, face in enumerate(solid.face_handles)
            ],
        )
    ]
    if min(item[0] for item in face_of) < 0 or len({item[0] for item in face_of}) == len(face_of):
        return None
    edges, rows, beside = _edges(handles)
    place = {shape_key(edge): row for row, edge in enumerate(edges)}
    edge_of = [
        (place[shape_key(edge)], which, row)
        for edge, which, row in images(
            builder,
            [
                (edge, which, row)
                for which, solid in enumerate(solids)
                for row, edge in enumerate(solid.edge_handles)
            ],
        )
        if shape_key(edge) in place
    ]
    body = BodyShape(
        shape,
        tuple(handles),
        tuple(edges),
        make_table(FaceTable, [face_row(face) for face in handles]),
        make_table(EdgeTable, rows),
    )
    return FusedSolids(
        body, np.array(face_of), np.array(edge_of).reshape(-1, 3), np.array(beside).reshape(-1, 3)
    )


def _edges(
    faces: Sequence[Any],
) -> tuple[list[Any], list[dict[str, Any]], list[tuple[int, int, int]]]:
    """Edges between two or more faces: handles, rows, and every pair of faces at each."""
    from OCP.BRep import BRep_Tool

    handle: dict[int, Any] = {}
    around: dict[int, list[int]] = {}
    for number, face in enumerate(faces):
        for edge in parts(face, "edge"):
            handle.setdefault(shape_key(edge), edge)
            around.setdefault(shape_key(edge), []).append(number)
    keys = [
        key
        for key, edge in handle.items()
        if len(set(around[key])) > 1 and not BRep_Tool.Degenerated_s(edge)
    ]
    rows = [{**edge_row(handle[key]), "faces": sorted(set(around[key]))[:2]} for key in keys]
    beside = [
        (place, one, two)
        for place, key in enumerate(keys)
        for one in sorted(set(around[key]))
        for two in sorted(set(around[key]))
        if one < two
    ]
    return [handle[key] for key in keys], rows, beside
