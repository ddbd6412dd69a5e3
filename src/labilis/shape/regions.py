"""Finding picked faces and edges again by kind, place and size, whatever number the file gives
them."""

from __future__ import annotations

import re
from collections import deque
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np

from labilis.model import Pick, Region, shown
from labilis.model.regions import OF_SECTIONS
from labilis.shape.face_tables import Ancestry, EdgeTable, FaceTable, Ints, ShapeView


@dataclass(frozen=True)
class RegionMatch:
    """Faces and edges of a region found in a body, and picks that could not be found (as
    sentences). against (a,): those of the faces that are sheets picked on the solid's side that
    their normal points away from; ends (e, 2): those of the edges that stand for a face through the
    thickness of a solid, and the row of that face among the solids' own."""

    faces: Ints
    edges: Ints
    lost: tuple[str, ...]
    against: Ints = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    ends: Ints = field(default_factory=lambda: np.zeros((0, 2), dtype=np.int64))


def _vector(row: np.ndarray) -> tuple[float, float, float] | None:
    return tuple(round(float(c), 9) for c in row) if np.any(row) else None  # type: ignore[return-value]


def _pick(
    table: FaceTable | EdgeTable, index: int, of: Literal["face", "edge"], size: float
) -> Pick:
    radius = float(table.radius[index])
    x, y, z = (round(float(c), 6) for c in table.centroid[index])
    return Pick(
        of=of,
        kind=str(table.kind[index]),
        position=(x, y, z),
        size=round(size, 6),
        radius=None if np.isnan(radius) else round(radius, 6),
        direction=_vector(table.direction[index]),
    )


def pick_of_face(faces: FaceTable, index: int) -> Pick:
    """What a face looks like, to be found by later."""
    return _pick(faces, index, "face", float(faces.area[index]))


def pick_of_edge(edges: EdgeTable, index: int) -> Pick:
    """What an edge looks like, to be found by later."""
    return _pick(edges, index, "edge", float(edges.length[index]))


def closest_row(pick: Pick, table: FaceTable | EdgeTable, scale: float) -> tuple[int, float]:
    """(row that fits best, or -1; how badly, 0 for exactly). Place counts against the body's size,
    size and radius relative to themselves."""
    sizes = table.area if isinstance(table, FaceTable) else table.length
    same = table.kind == pick.kind
    if not same.any():
        return -1, np.inf
    distance = np.linalg.norm(table.centroid - np.array(pick.position), axis=1) / scale
    cost = distance + 0.2 * np.abs(np.log(np.maximum(sizes, 1e-12) / pick.size))
    if pick.radius is not None:
        with np.errstate(invalid="ignore", divide="ignore"):
            cost = cost + np.nan_to_num(0.5 * np.abs(np.log(table.radius / pick.radius)), nan=1.0)
    if pick.direction is not None:
        aligned = table.direction @ np.array(pick.direction)
        cost = cost + 0.5 * (1 - (aligned if pick.kind == "plane" else np.abs(aligned)))
    cost = np.where(same, cost, np.inf)
    best = int(np.argmin(cost))
    return (best, float(cost[best])) if cost[best] < 0.12 else (-1, np.inf)


@dataclass(frozen=True)
class _Found:
    """What a pick is now: rows of faces and edges, those of the faces that were picked from
    behind, those edges that stand for a face."""

    faces: list[int] = field(default_factory=list)
    edges: list[int] = field(default_factory=list)
    against: list[int] = field(default_factory=list)
    ends: list[tuple[int, int]] = field(default_factory=list)


def _now(pick: Pick, view: ShapeView) -> _Found:
    """A face or an edge; all parts of one that scribes have divided since; sheets and their edges
    for one of a solid that they were made from."""
    row, cost = closest_row(pick, view.faces if pick.of == "face" else view.edges, view.size)
    rows = [row] if row >= 0 else []
    if view.whole is not None:
        whole, cost_of_whole = closest_row(
            pick, view.whole.faces if pick.of == "face" else view.whole.edges, view.size
        )
        if whole >= 0 and cost_of_whole < cost:
            rows = np.flatnonzero(
                (view.whole.face_of if pick.of == "face" else view.whole.edge_of) == whole
            ).tolist()
            cost = cost_of_whole
    old = view.ancestry
    if old is not None:
        mine, cost_there = closest_row(
            pick, old.faces if pick.of == "face" else old.edges, view.size
        )
        if mine >= 0 and cost_there < cost:
            return _become(old, pick.of, mine)
    return _Found(faces=rows) if pick.of == "face" else _Found(edges=rows)


def _become(old: Ancestry, of: str, row: int) -> _Found:
    """What a face or an edge of a solid has become among the sheets."""
    if of == "edge":
        return _Found(edges=[int(edge) for edge in old.ridge[old.ridge[:, 0] == row, 1]])
    skin = old.skin[old.skin[:, 0] == row]
    rim = old.rim[old.rim[:, 0] == row, 1]
    return _Found(
        [int(face) for face in skin[:, 1]],
        [int(edge) for edge in rim],
        [int(face) for face in skin[skin[:, 2] < 0, 1]],
        [(int(edge), row) for edge in rim],
    )


def _named_of(table: FaceTable | EdgeTable) -> dict[str, list[tuple[str, int]]]:
    """(word, row) of all names by their piece, those of copies by the piece as well: found once
    for a table, whose array of names never changes."""
    for names, known in tuple(_named):
        if names is table.name:
            return known
    fresh: dict[str, list[tuple[str, int]]] = {}
    for row, names in enumerate(table.name.tolist()):
        for name in names.split("|") if names else ():
            owner, slash, word = name.partition("/")
            while slash:
                fresh.setdefault(owner, []).append((word, row))
                owner, dot, copy = owner.rpartition(".")
                if not dot or not copy.isdecimal():
                    break
    _named.append((table.name, fresh))
    return fresh


# of the last tables: faces and edges of a few parts
_named: deque[tuple[Any, dict[str, list[tuple[str, int]]]]] = deque(maxlen=8)


def rows_named(table: FaceTable | EdgeTable, wanted: str) -> list[int]:
    """Rows of a name: 'leg/foot' means 'leg.1/foot', 'leg.2/foot', ...; 'tube/wall' means
    'tube/wall.1', ... and the rounded corners between them."""
    piece, word = wanted.split("/")

    def rows(words: str) -> list[int]:
        rule = re.compile(rf"{words}(\.\d+)*")
        return sorted({row for word, row in named if rule.fullmatch(word)})

    named = _named_of(table).get(piece, ())

    found = rows(re.escape(word))
    return rows(f"({word}|corner)") if found and word in OF_SECTIONS else found


def find_region(region: Region, view: ShapeView) -> RegionMatch:
    """Faces and edges of a region in a part; two picks never share one face. A name is looked
    for among the faces first."""
    found: dict[str, list[int]] = {"face": [], "edge": []}
    lost = []
    for name in region.names:
        rows = rows_named(view.faces, name)
        if rows:
            found["face"] += [row for row in rows if row not in found["face"]]
            continue
        rows = rows_named(view.edges, name)
        found["edge"] += [row for row in rows if row not in found["edge"]]
        if not rows:
            lost.append(f"'{name}'")
    against: list[int] = []
    ends: list[tuple[int, int]] = []
    for pick in region.picks:
        now = _Found() if pick.gone else _now(pick, view)
        fresh = (
            [row for row in now.faces if row not in found["face"]],
            [row for row in now.edges if row not in found["edge"]],
        )
        if not fresh[0] and not fresh[1]:
            size = shown.area(pick.size) if pick.of == "face" else shown.length(pick.size)
            lost.append(f"{pick.kind} {pick.of} of {size} near {shown.place(pick.position)}")
            continue
        found["face"] += fresh[0]
        found["edge"] += fresh[1]
        against += now.against
        ends += now.ends
    return RegionMatch(
        np.array(sorted(found["face"]), dtype=np.int64),
        np.array(sorted(found["edge"]), dtype=np.int64),
        tuple(lost),
        np.array(sorted(set(against)), dtype=np.int64),
        np.array(sorted(set(ends)), dtype=np.int64).reshape(-1, 2),
    )
