"""What a designer may mean by a pick beyond the one face or edge under the pointer: all that are
alike, the same on every copy of a piece, a whole loop, what runs on without a corner."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from labilis.model import Project, shown
from labilis.run.picking import describe_face, find_region
from labilis.shape import ShapeView
from labilis.shape.face_tables import EdgeTable, FaceTable
from labilis.shape.regions import rows_named

Selection = tuple[tuple[str, int], ...]  # ("face" or "edge", number), all of one kind
Set = tuple[str, str, Iterable[int]]  # words, "face" or "edge", numbers
# of a size or a radius: far above rounding in STEP files (1e-7), far under a tolerance
_ALIKE = 1e-4
_SMOOTH = np.cos(np.radians(1.0))  # tangent surfaces in STEP files are so to 0.01 to 0.1 degrees
_POSITION = 1e-5  # of the part's size: ends that are one point


@dataclass(frozen=True)
class Wider:
    """A wider selection: the words that offer it, and what it is."""

    words: str
    selection: Selection


def wider(view: ShapeView, selection: Selection) -> list[Wider]:
    """What can be picked beside `selection`, the narrowest first; nothing that is picked already
    and no set twice."""
    if not selection:
        return []
    of = selection[0][0]
    picked = [index for _, index in selection]
    sets = _edge_sets(view, picked) if of == "edge" else _face_sets(view, picked)
    found, seen = [], {(of, frozenset(picked))}
    for words, kind, members in (
        *_named_sets(view, of, picked),
        *((words, of, members) for words, members in sets),
        *_across(view, of, picked),
    ):
        total = frozenset(map(int, members))
        if not total:
            continue
        if kind == of:
            total |= set(picked)
        if (kind, total) in seen:
            continue
        seen.add((kind, total))
        found.append(Wider(words, tuple((kind, index) for index in sorted(total))))
    return found


def named_parts(view: ShapeView, project: Project) -> dict[str, Selection]:
    """What can be picked by its name: regions of the project as far as they are found, and all
    that recipes named, faces and edges apart."""
    found: dict[str, Selection] = {}
    for region in project.regions:
        match = find_region(region, view)
        for of, indices in (("face", match.faces), ("edge", match.edges)):
            if len(indices):
                found[f"region {region.name}"] = tuple((of, int(index)) for index in indices)
    for of, table in (("face", view.faces), ("edge", view.edges)):
        exact = {name for text in table.name for name in str(text).split("|") if "/" in name}
        for name in sorted({wanted for one in exact for wanted in _less_narrow(one)}):
            if rows := rows_named(table, name):
                found[name if name not in found else f"{name} ({of}s)"] = tuple(
                    (of, row) for row in rows
                )
    return found


def on_all_copies(table: FaceTable | EdgeTable, name: str, chosen: set[int]) -> str:
    """'leg/start' of 'leg.2/start' when all that it means is chosen, on more than one copy; else
    ''."""
    piece, _, word = name.partition("/")
    wanted = f"{re.sub(r'[.][0-9]+$', '', piece)}/{word}"
    if not word or wanted == name:
        return ""
    rows = set(rows_named(table, wanted))
    return wanted if rows <= chosen and len(rows) > len(rows_named(table, name)) else ""


def size_words(view: ShapeView, selection: Selection) -> str:
    """'12 edges, 430 mm in all' of what is picked, '' for one alone."""
    if len(selection) < 2:
        return ""
    rows = [index for _, index in selection]
    if selection[0][0] == "face":
        return f"{len(rows)} faces, {shown.area(float(view.faces.area[rows].sum()))} in all"
    if (view.edges.kind[rows] == "point").any():
        return f"{len(rows)} ends of lines, points"
    return f"{len(rows)} edges, {shown.length(float(view.edges.length[rows].sum()))} in all"


# --- by name
# --------------------------------------------------------------------------------------------------
def _named_sets(view: ShapeView, of: str, picked: list[int]) -> Iterator[Set]:
    """What recipes named alike: the end of this piece, and the same on all of its copies."""
    table = view.faces if of == "face" else view.edges
    names = [str(table.name[index]).split("|") for index in picked]
    common = {name for name in set(names[0]).intersection(*names[1:]) if "/" in name}
    for name in sorted(common):
        for wanted in _less_narrow(name):
            rows = rows_named(table, wanted)
            copies = len({view.body_of(of, row) for row in rows})
            yield f"all of {wanted}" + (f" on {copies} pieces" if copies > 1 else ""), of, rows


def _less_narrow(name: str) -> list[str]:
    """'leg.1/run.2', 'leg.1/run', 'leg/run.2', 'leg/run': the name of a face or edge, and those
    that mean it together with others. A number that belongs to the name of a piece may go as well;
    then nothing is named so."""
    piece, word = name.split("/", 1)
    pieces = dict.fromkeys((piece, re.sub(r"\.\d+$", "", piece)))
    words = dict.fromkeys((word, re.sub(r"\.\d+(?=$|\.side$)", "", word)))
    return [f"{one}/{other}" for one in pieces for other in words]


# --- edges
# --------------------------------------------------------------------------------------------------
def _edge_sets(view: ShapeView, picked: list[int]) -> Iterator[tuple[str, Iterable[int]]]:
    edges = view.edges
    if (edges.kind[picked] == "point").any():
        yield "all ends of lines", np.flatnonzero(edges.kind == "point")
        return
    ends = _ends(view)
    yield "what runs on without a corner", _chain(view, ends, picked)
    if len(picked) == 1:
        for face in edges.faces[picked[0]]:
            if face >= 0:
                loop = _loop(view, ends, picked[0], int(face))
                yield f"the loop round the {describe_face(view, int(face))[0]}", loop
    yield "all alike", _alike(edges, picked, ("length", "radius"))


def _ends(view: ShapeView) -> np.ndarray:
    """(n_edges, 2): numbers of the points where edges begin and end; the same number is the same
    point."""
    tessellation = view.tessellation
    first = tessellation.edge_offsets[:-1]
    last = tessellation.edge_offsets[1:] - 1
    points = tessellation.edge_points[np.stack([first, last], axis=1).ravel()]
    if len(points) == 0:
        return np.zeros((0, 2), dtype=np.int64)
    near = cKDTree(points).query_ball_point(points, _POSITION * max(view.size, 1e-9))
    return np.array([min(found) for found in near]).reshape(-1, 2)


def _chain(view: ShapeView, ends: np.ndarray, picked: list[int]) -> set[int]:
    """Edges that go on from the picked ones in the same direction, one after the other. Where more
    than one would, none does: it is for the engineer to say which."""
    found, waiting = set(picked), list(picked)
    while waiting:
        edge = waiting.pop()
        for side in (0, 1):
            going = _leaving(view, edge, side)
            on = [
                other
                for other in np.flatnonzero((ends == ends[edge, side]).any(axis=1)).tolist()
                if other != edge
                and any(
                    ends[other, begin] == ends[edge, side]
                    and -float(_leaving(view, other, begin) @ going) > _SMOOTH
                    for begin in (0, 1)
                )
            ]
            if len(on) == 1 and on[0] not in found:
                found.add(on[0])
                waiting.append(on[0])
    return found


def _leaving(view: ShapeView, edge: int, side: int) -> np.ndarray:
    """Unit direction in which an edge comes to its beginning (side 0) or end (side 1)."""
    line = view.tessellation.edge(edge)
    if len(line) < 2 or view.edges.kind[edge] == "point":
        return np.zeros(3)
    here, before = (line[0], line[1]) if side == 0 else (line[-1], line[-2])
    if view.edges.kind[edge] == "circle":  # the chord of a polyline is half a step off
        axis, centre = view.edges.direction[edge], _circle_middle(view, edge)
        along = np.cross(axis, here - centre)
        along *= np.sign(along @ (here - before)) or 1.0
        return along / max(float(np.linalg.norm(along)), 1e-12)
    step = here - before
    return step / max(float(np.linalg.norm(step)), 1e-12)


def _circle_middle(view: ShapeView, edge: int) -> np.ndarray:
    """Middle of a round edge, from three of its points."""
    line = view.tessellation.edge(edge)
    closed = np.allclose(line[0], line[-1], atol=_POSITION * max(view.size, 1e-9))
    a, b = line[0], line[len(line) // 3 if closed else len(line) // 2]
    c = line[2 * len(line) // 3 if closed else -1]
    u, v = b - a, c - a
    normal = np.cross(u, v)
    size = float(normal @ normal)
    if size < 1e-18:
        return view.edges.centroid[edge]
    return a + (np.cross(normal, u) * (v @ v) + np.cross(v, normal) * (u @ u)) / (2 * size)


def _loop(view: ShapeView, ends: np.ndarray, edge: int, face: int) -> set[int]:
    """Edges of a face that hang together with one of them: its outline, or an opening in it."""
    rows = np.flatnonzero((view.edges.faces == face).any(axis=1))
    found, points = {edge}, set(ends[edge].tolist())
    while True:
        more = [
            row for row in rows.tolist() if row not in found and points & set(ends[row].tolist())
        ]
        if not more:
            return found
        for row in more:
            found.add(row)
            points |= set(ends[row].tolist())


def _alike(table: FaceTable | EdgeTable, picked: list[int], sizes: Sequence[str]) -> np.ndarray:
    """Rows of the kind and the sizes of one that is picked; a bore is no pin."""
    same = np.zeros(len(table), dtype=bool)
    for row in picked:
        alike = table.kind == table.kind[row]
        for name in sizes:
            alike &= _near(getattr(table, name), getattr(table, name)[row])
        if isinstance(table, FaceTable):
            alike &= table.inner == table.inner[row]
        same |= alike
    return np.flatnonzero(same)


def _near(values: np.ndarray, value: float) -> np.ndarray:
    """Whether values are `value`, or all nan together with it."""
    if np.isnan(value):
        return np.isnan(values)
    return np.abs(values - value) <= _ALIKE * abs(value)


# --- faces
# --------------------------------------------------------------------------------------------------
def _face_sets(view: ShapeView, picked: list[int]) -> Iterator[tuple[str, Iterable[int]]]:
    faces = view.faces
    yield "in one plane with it", _flush(view, picked)
    yield "what runs on without a corner", _smooth(view, picked)
    yield "all alike", _alike(faces, picked, ("area", "radius", "second"))
    bodies = sorted({int(faces.body[row]) for row in picked})
    if len(bodies) == 1 and len(view.bodies) > 1:
        yield (
            f"all faces of {view.bodies[bodies[0]]}",
            np.flatnonzero(np.isin(faces.body, bodies)),
        )
    yield "all faces", range(len(faces))


def _flush(view: ShapeView, picked: list[int]) -> set[int]:
    """Flat faces in the planes of the picked ones, looking the same way."""
    faces, found = view.faces, set(picked)
    for row in picked:
        if faces.kind[row] != "plane":
            continue
        normal = faces.direction[row]
        away = np.abs((faces.centroid - faces.centroid[row]) @ normal)
        alike = (faces.kind == "plane") & (faces.direction @ normal > _SMOOTH)
        found |= set(np.flatnonzero(alike & (away < _POSITION * view.size)).tolist())
    return found


def _smooth(view: ShapeView, picked: list[int]) -> set[int]:
    """Faces that go on from the picked ones over edges without a corner."""
    pairs = view.edges.faces
    found, waiting = set(picked), list(picked)
    while waiting:
        face = waiting.pop()
        for edge in np.flatnonzero((pairs == face).any(axis=1)):
            other = int(pairs[edge].sum() - face)
            if (pairs[edge] < 0).any() or other in found:
                continue
            line = view.tessellation.edge(int(edge))
            middle = line[len(line) // 2] if len(line) > 2 else line.mean(axis=0)
            if float(_normal(view, face, middle) @ _normal(view, other, middle)) > _SMOOTH:
                found.add(other)
                waiting.append(other)
    return found


def _normal(view: ShapeView, face: int, point: np.ndarray) -> np.ndarray:
    """Outward unit normal of a face near a point on it: in closed form for planes, cylinders and
    balls, else that of the nearest triangle."""
    faces = view.faces
    tessellation = view.tessellation
    rows = np.flatnonzero(tessellation.face == face)
    corners = tessellation.points[tessellation.triangles[rows]]
    near = int(np.argmin(np.linalg.norm(corners.mean(axis=1) - point, axis=1)))
    flat = np.cross(corners[near, 1] - corners[near, 0], corners[near, 2] - corners[near, 0])
    flat = flat / max(float(np.linalg.norm(flat)), 1e-12)
    kind = faces.kind[face]
    if kind == "plane":
        exact = faces.direction[face]
    elif kind in ("cylinder", "sphere"):
        exact = point - faces.origin[face]
        if kind == "cylinder":
            exact = exact - (exact @ faces.direction[face]) * faces.direction[face]
        exact = exact / max(float(np.linalg.norm(exact)), 1e-12)
    else:
        return flat
    return exact * (np.sign(exact @ flat) or 1.0)


# --- from edges to faces and back
# --------------------------------------------------------------------------------------------------
def _across(view: ShapeView, of: str, picked: list[int]) -> Iterator[Set]:
    """A bore by its rim, and the edges of a face."""
    if of == "face":
        beside = np.flatnonzero(np.isin(view.edges.faces, picked).any(axis=1))
        yield "its edges" if len(picked) == 1 else "their edges", "edge", beside
        return
    faces = {int(face) for row in picked for face in view.edges.faces[row] if face >= 0}
    for face in sorted(faces):
        yield f"the {describe_face(view, face)[0]} beside it", "face", [face]
