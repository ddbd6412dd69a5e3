"""Finding picked faces and edges again by kind, place and size, whatever number the file gives them."""
from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np

from labilis.model import Pick, Region
from labilis.shape.tables import EdgeTable, FaceTable, Ints, ShapeView


@dataclass(frozen=True)
class RegionMatch:
    """Faces and edges of a region found in a body, and picks that could not be found (as sentences)."""

    faces: Ints
    edges: Ints
    lost: tuple[str, ...]


def _vector(row: np.ndarray) -> tuple[float, float, float] | None:
    return tuple(round(float(c), 9) for c in row) if np.any(row) else None  # type: ignore[return-value]


def _pick(table: FaceTable | EdgeTable, index: int, of: str, size: float) -> Pick:
    radius = float(table.radius[index])
    return Pick(of=of, kind=str(table.kind[index]), position=tuple(round(float(c), 6) for c in table.centroid[index]),
                size=round(size, 6), radius=None if np.isnan(radius) else round(radius, 6),
                direction=_vector(table.direction[index]))


def pick_of_face(faces: FaceTable, index: int) -> Pick:
    """What a face looks like, to be found by later."""
    return _pick(faces, index, "face", float(faces.area[index]))


def pick_of_edge(edges: EdgeTable, index: int) -> Pick:
    """What an edge looks like, to be found by later."""
    return _pick(edges, index, "edge", float(edges.length[index]))


def closest_row(pick: Pick, table: FaceTable | EdgeTable, scale: float) -> tuple[int, float]:
    """(row that fits best, or -1; how badly, 0 for exactly). Place counts against the body's size, size and radius relative to
    themselves."""
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


def _rows(pick: Pick, view: ShapeView) -> list[int]:
    """Rows of a pick: one, or all parts of a face or an edge that scribes have divided since."""
    table = view.faces if pick.of == "face" else view.edges
    row, cost = closest_row(pick, table, view.size)
    if view.whole is not None:
        whole, cost_of_whole = closest_row(pick, view.whole.faces if pick.of == "face" else view.whole.edges, view.size)
        if whole >= 0 and cost_of_whole < cost:
            return [int(part) for part in np.flatnonzero((view.whole.face_of if pick.of == "face" else view.whole.edge_of) == whole)]
    return [row] if row >= 0 else []


def rows_named(table: FaceTable | EdgeTable, wanted: str) -> list[int]:
    """Rows of a name: 'leg/foot' means 'leg.1/foot', 'leg.2/foot', ...; 'tube/wall' means 'tube/wall.1', ..."""
    piece, word = wanted.split("/")
    rule = re.compile(rf"{re.escape(piece)}(\.\d+)*/{re.escape(word)}(\.\d+)*")
    return [row for row, names in enumerate(table.name) if names and any(rule.fullmatch(name) for name in str(names).split("|"))]


def find_region(region: Region, view: ShapeView) -> RegionMatch:
    """Faces and edges of a region in a part; two picks never share one face. A name is looked for among the faces first."""
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
    for pick in region.picks:
        rows = _rows(pick, view)
        if not rows or set(rows) & set(found[pick.of]):
            unit = "mm²" if pick.of == "face" else "mm"
            place = ", ".join(f"{c:.4g}" for c in pick.position)
            lost.append(f"{pick.kind} {pick.of} of {pick.size:.4g} {unit} near ({place}) mm")
        else:
            found[pick.of] += rows
    return RegionMatch(np.array(sorted(found["face"]), dtype=np.int64), np.array(sorted(found["edge"]), dtype=np.int64),
                       tuple(lost))
