"""Which sheets and edges of sheets stand for which faces and edges of the solid that they were made
from.

Regions are picked on the engineer's solid, whatever it is meshed with: a side of a wall is its
sheet, a face through the thickness (an end, the wall of a bore) is an edge of the sheet.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from labilis.shape.face_tables import Ancestry, EdgeTable, FaceTable, Floats
from labilis.shape.midsurface import spots
from labilis.shape.rays import Rays
from labilis.shape.topology import BodyShape, surface_near

# of the thickness: how near the edge of a sheet lies to the face of the solid that it ends at
_ON = 0.06
_SIDE = 0.2  # of the thickness: how far a side may be from half of it
_RIDGE = 0.8  # thicknesses from an edge of the solid to the edge of a sheet that stands for it
_MOST = 0.5  # share of the looks that must agree


def find_ancestry(sheets: BodyShape, sources: Sequence[tuple[BodyShape, int]]) -> Ancestry | None:
    """What solids (shape, number of its body) have become among all sheets of a part; None
    without solids."""
    if not sources:
        return None
    skin, rim, ridge = [], [], []
    faces = edges = 0
    for solid, body in sources:
        mine = np.flatnonzero(sheets.faces.body == body)
        thin = float(sheets.faces.thickness[mine].min()) if len(mine) else 1.0
        rays = Rays.through(solid.tessellate(max(0.02 * thin, 1e-5 * solid.reach), 0.15))
        skin += [(faces + a, b, side) for a, b, side in _skins(sheets, mine, rays)]
        around = np.flatnonzero(np.isin(sheets.edges.faces, mine).any(axis=1))
        lines = [_along(sheets.edge_handles[edge]) for edge in around]
        thick = [
            float(
                max(sheets.faces.thickness[face] for face in sheets.edges.faces[edge] if face >= 0)
            )
            for edge in around
        ]
        for edge, line, wall in zip(around, lines, thick):
            away = rays.near_faces(line, len(solid.faces)).max(axis=0)
            rim += [(faces + int(face), int(edge)) for face in np.flatnonzero(away < _ON * wall)]
        for number, handle in enumerate(solid.edge_handles):
            path = _along(handle, 65)
            away = [float(_distance(line, path).max()) / wall for line, wall in zip(lines, thick)]
            ridge += [
                (edges + number, int(around[k])) for k in np.flatnonzero(np.array(away) < _RIDGE)
            ]
        faces, edges = faces + len(solid.faces), edges + len(solid.edges)
    return Ancestry(
        _stacked(FaceTable, [solid.faces for solid, _ in sources]),
        _edges([solid for solid, _ in sources]),
        _rows(skin, 3),
        _rows(rim, 2),
        _rows(ridge, 2),
    )


def _rows(items: list[Any], width: int) -> Any:
    return np.array(items, dtype=np.int64).reshape(-1, width)


def _stacked(kind: Any, tables: Sequence[Any]) -> Any:
    return kind(
        **{
            name: np.concatenate([getattr(table, name) for table in tables])
            for name in kind.__dataclass_fields__
        }
    )


def _edges(solids: Sequence[BodyShape]) -> EdgeTable:
    starts = np.cumsum([0] + [len(solid.faces) for solid in solids])
    columns = {
        name: np.concatenate([getattr(solid.edges, name) for solid in solids])
        for name in EdgeTable.__dataclass_fields__
        if name != "faces"
    }
    return EdgeTable(
        **columns,
        faces=np.concatenate([solid.edges.faces + start for solid, start in zip(solids, starts)]),
    )


def _skins(sheets: BodyShape, mine: Any, rays: Rays) -> list[tuple[int, int, int]]:
    """(face of the solid, sheet, side) for every sheet and each face that most of it lies half a
    thickness from."""
    found = []
    for face in mine:
        places = spots(sheets.face_handles[face])
        if len(places) == 0:
            continue
        normals = np.array(
            [surface_near(sheets.face_handles[face], tuple(place))[1] for place in places]
        )
        half = 0.5 * (
            sheets.faces.thickness[face]
            + (places - sheets.faces.centroid[face]) @ sheets.faces.slope[face]
        )
        for side in (1, -1):
            distance, hit, _ = rays.faces_hit(places, side * normals)
            good = (hit >= 0) & (np.abs(distance - half) < 2 * _SIDE * half)
            for other in np.unique(hit[good]):
                opposite = float((hit[good] == other).sum()) / len(places)
                if opposite > 0.05:
                    found.append((int(other), int(face), side, opposite))
    return [
        (other, face, side)
        for other, face, side, share in found
        if share > _MOST
        or share == max(item[3] for item in found if item[0] == other and item[2] == side)
    ]


def _along(edge: Any, count: int = 7) -> Floats:
    """Points (count, 3) along an edge, its very ends left out: there it meets other faces as
    well."""
    from OCP.BRepAdaptor import BRepAdaptor_Curve

    curve = BRepAdaptor_Curve(edge)
    first, last = curve.FirstParameter(), curve.LastParameter()
    margin = 0.02 * (last - first) if count < 10 else 0.0
    places = [curve.Value(float(t)) for t in np.linspace(first + margin, last - margin, count)]
    return np.array([(p.X(), p.Y(), p.Z()) for p in places])


def _distance(points: Floats, path: Floats) -> Floats:
    """Distance (k,) of points from a polyline."""
    start, step = path[:-1], np.diff(path, axis=0)
    length2 = np.maximum((step * step).sum(axis=1), 1e-300)
    t = np.clip(((points[:, None] - start) * step).sum(axis=2) / length2, 0.0, 1.0)
    return np.asarray(
        np.linalg.norm(points[:, None] - start - t[..., None] * step, axis=2).min(axis=1)
    )
