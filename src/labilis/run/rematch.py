"""Faces and edges of a part followed into a revised file, all at once: each new one stands for one
old one at most.

What is exactly where it was stays; what is left and has the same looks goes with the movement that
most of its kind share, as holes go with the end of a part that grew; the rest is matched by place
and size (an assignment), and what then finds nothing is gone."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from scipy.optimize import linear_sum_assignment

from labilis.model import LabilisError, Pick, Piece, Project, Region, shown
from labilis.shape import ShapeView, build_part
from labilis.shape.face_tables import EdgeTable, FaceTable, Floats, Ints
from labilis.shape.regions import closest_row, pick_of_edge, pick_of_face

_SAME = 1e-4  # relative: sizes that count as the same
_STILL = 1e-5  # of the part's size: places that count as the same
_FAR = 0.12  # cost from which an old face and a new one have nothing to do with each other
_MOVED, _ALONE = (
    0.1,
    0.9,
)  # prices of having moved, with others and alone, against 1 for having gone
_DOUBTFUL = 0.04  # cost from which a match wants to be looked at
_CHANGED = 1e-3  # relative change of size that is told


@dataclass(frozen=True)
class Followed:
    """What became of one pick of a region: state 'stayed', 'moved', 'changed', 'doubtful' or
    'gone'; moved mm; words for it."""

    region: str
    state: str
    moved: float
    words: str


@dataclass(frozen=True)
class _Match:
    """For each old row the new one, -1 for none, and how badly it fits, 0 for exactly."""

    row: Ints
    cost: Floats


class _Revision:
    """A piece before and after, meshed one way; faces or edges are matched when they are first
    asked for."""

    def __init__(self, old: ShapeView, new: ShapeView) -> None:
        self.old, self.new, self.scale = old, new, max(old.size, new.size)
        self._matches: dict[str, _Match] = {}

    def tables(self, of: str) -> tuple[FaceTable | EdgeTable, FaceTable | EdgeTable]:
        return (
            (self.old.faces, self.new.faces) if of == "face" else (self.old.edges, self.new.edges)
        )

    def match(self, of: str) -> _Match:
        if of not in self._matches:
            self._matches[of] = match_rows(*self.tables(of), self.scale)
        return self._matches[of]


def follow_picks(
    project: Project,
    revised: Project,
    old_files: Mapping[str, bytes],
    files: Mapping[str, bytes],
    pieces: set[str],
) -> tuple[Project, list[Followed]]:
    """(the revised project with the picks on `pieces` renewed, what became of each pick); files
    before and after. Picks that find nothing are marked as gone and block what stands on them. Of
    what scribes have divided only whole faces are followed; the rest is looked for by place as at
    any other time."""
    regions: list[Region] = []
    found: list[Followed] = []
    known: dict[str, list[_Revision]] = {}
    for region in revised.regions:
        if region.piece not in pieces or not region.picks:
            regions.append(region)
            continue
        if region.piece not in known:
            known[region.piece] = _revisions(project, revised, old_files, files, region.piece)
        picks = []
        for pick in region.picks:
            new, what = _followed(pick, region.name, known[region.piece], bool(project.scribes))
            picks.append(new)
            found += [what] if what is not None else []
        regions.append(region.model_copy(update={"picks": tuple(picks)}))
    return revised.changed(regions=regions), found


def _revisions(
    project: Project,
    revised: Project,
    old_files: Mapping[str, bytes],
    files: Mapping[str, bytes],
    name: str,
) -> list[_Revision]:
    """The piece by itself as it is meshed and as a solid: picks were made on either."""
    piece: Piece = project.named("pieces", name)
    found = []
    for way in dict.fromkeys((piece.mesh_as, "solid")):
        try:
            found.append(
                _Revision(_alone(project, old_files, name, way), _alone(revised, files, name, way))
            )
        except LabilisError:  # there is no such form of it
            continue
    return found


def _alone(project: Project, files: Mapping[str, bytes], name: str, way: str) -> ShapeView:
    alone = project.named("pieces", name).model_copy(update={"mesh_as": way, "set_aside": False})
    return build_part(
        Project(
            parameters=project.parameters,
            geometry=project.geometry,
            materials=project.materials,
            pieces=(alone,),
        ),
        dict(files),
    ).view


def _followed(
    pick: Pick, region: str, revisions: list[_Revision], scribed: bool
) -> tuple[Pick, Followed | None]:
    """(the pick renewed, what became of it); None for one that is left to be looked for by
    place."""
    rows = [
        closest_row(pick, revision.tables(pick.of)[0], revision.old.size) for revision in revisions
    ]
    best = min(range(len(rows)), key=lambda number: rows[number][1], default=-1)
    words = f"{pick.kind} {pick.of} near {shown.place(pick.position)}"
    if pick.gone or best < 0 or (scribed and rows[best][1] > _SAME):
        return pick, None
    revision, (row, _) = revisions[best], rows[best]
    table, other = revision.tables(pick.of)
    match = revision.match(pick.of)
    if row < 0 or match.row[row] < 0:
        return pick.model_copy(update={"gone": True}), Followed(region, "gone", 0.0, words)
    target, cost = int(match.row[row]), float(match.cost[row])
    moved = float(np.linalg.norm(other.centroid[target] - table.centroid[row]))
    if np.isinf(cost) or (
        cost > _DOUBTFUL and _rivals(table, other, row, cost, revision.scale) > 1
    ):  # it has to be picked anew
        return pick.model_copy(update={"gone": True}), Followed(region, "doubtful", moved, words)
    renewed = (
        pick_of_face(revision.new.faces, target)
        if pick.of == "face"
        else pick_of_edge(revision.new.edges, target)
    )
    grown = abs(float(_sizes(other)[target] / _sizes(table)[row]) - 1.0) > _CHANGED
    state = "changed" if grown else "moved" if moved >= _STILL * revision.old.size else "stayed"
    return renewed, Followed(region, state, moved, words)


def _rivals(
    old: FaceTable | EdgeTable, new: FaceTable | EdgeTable, row: int, cost: float, scale: float
) -> int:
    """How many new rows fit an old one about as well as the one it was given."""
    rest = _costs(old, new, np.array([row]), np.arange(len(new)), scale)
    return int((rest < 2.0 * cost).sum())


def match_rows(old: FaceTable | EdgeTable, new: FaceTable | EdgeTable, scale: float) -> _Match:
    """Which new row each old one has become."""
    row, cost = np.full(len(old), -1, dtype=np.int64), np.full(len(old), np.inf)
    like = _alike(old, new)
    pairs = np.argwhere(like)
    if len(pairs):
        step = new.centroid[pairs[:, 1]] - old.centroid[pairs[:, 0]]
        still = np.linalg.norm(step, axis=1) < _STILL * scale
        # how many pairs share a movement: each old row counts once in it, as all rows of a pattern
        # do when it moves
        _, group, votes = np.unique(
            np.round(step / (10 * _STILL * scale)), axis=0, return_inverse=True, return_counts=True
        )
        shared = votes[group.ravel()]
        moved = np.where(shared > 1, _MOVED + 1.0 / shared.astype(float) ** 2, _ALONE)
        price = np.where(still, 0.0, moved + 0.01 * np.linalg.norm(step, axis=1) / scale)
        table = np.full((len(old), len(new) + len(old)), 1e3)
        table[pairs[:, 0], pairs[:, 1]] = price
        table[np.arange(len(old)), len(new) + np.arange(len(old))] = 1.0  # nothing stands for it
        stays = np.zeros(len(old), dtype=bool)
        stays[pairs[still, 0]] = True
        chosen = [
            (int(i), int(j))
            for i, j in zip(*linear_sum_assignment(table))
            if j < len(new) and table[i, j] < 1.0
        ]
        number = {(int(i), int(j)): int(which) for (i, j), which in zip(pairs, group.ravel())}
        together = Counter(number[pair] for pair in chosen)
        looks = like.argmax(axis=1)
        # not to be guessed: those that moved while others stand where some of them were, and one
        # that alone of its looks has moved so
        guessed = {
            (number[i, j], int(looks[i]))
            for i, j in chosen
            if table[i, j] > 0.0
            and (stays[i] or (together[number[i, j]] == 1 and like[i].sum() > 1))
        }
        for i, j in chosen:
            row[i], cost[i] = j, np.inf if (number[i, j], int(looks[i])) in guessed else 0.0
    left_old, left_new = np.flatnonzero(row < 0), np.setdiff1d(np.arange(len(new)), row)
    if len(left_old) and len(left_new):
        rest = _costs(old, new, left_old, left_new, scale)
        a, b = linear_sum_assignment(np.minimum(rest, 1e3))
        for i, j in zip(a, b):
            if rest[i, j] < _FAR:
                row[left_old[i]], cost[left_old[i]] = left_new[j], rest[i, j]
    return _Match(row, cost)


def _sizes(table: FaceTable | EdgeTable) -> Floats:
    return table.area if isinstance(table, FaceTable) else table.length


def _alike(old: FaceTable | EdgeTable, new: FaceTable | EdgeTable) -> np.ndarray:
    """(o, n): same kind, size, radius and direction."""
    size, other = _sizes(old), _sizes(new)
    same = old.kind[:, None] == new.kind[None, :]
    same &= np.abs(size[:, None] - other[None, :]) <= _SAME * np.maximum(size[:, None], 1e-9)
    radius, radius_new = np.nan_to_num(old.radius, nan=-1.0), np.nan_to_num(new.radius, nan=-1.0)
    same &= np.abs(radius[:, None] - radius_new[None, :]) <= _SAME * np.maximum(
        np.abs(radius[:, None]), 1e-9
    )
    across = old.direction @ new.direction.T
    none = (
        ~np.any(old.direction, axis=1, keepdims=True)
        & ~np.any(new.direction, axis=1, keepdims=True).T
    )
    plane = (old.kind == "plane")[:, None]
    return np.asarray(same & (none | (np.where(plane, across, np.abs(across)) > 0.999)))


def _costs(
    old: FaceTable | EdgeTable, new: FaceTable | EdgeTable, rows: Ints, columns: Ints, scale: float
) -> Floats:
    """(o, n) how badly each pair fits: place against the part's size, size and radius against
    themselves."""
    size, other = _sizes(old)[rows], _sizes(new)[columns]
    cost = np.linalg.norm(old.centroid[rows][:, None] - new.centroid[columns][None], axis=2) / scale
    cost += 0.2 * np.abs(
        np.log(np.maximum(size, 1e-12)[:, None] / np.maximum(other, 1e-12)[None, :])
    )
    with np.errstate(invalid="ignore"):
        radius = np.abs(np.log(old.radius[rows][:, None] / new.radius[columns][None, :]))
    cost += 0.5 * np.nan_to_num(radius, nan=0.0)
    across = old.direction[rows] @ new.direction[columns].T
    plane = (old.kind[rows] == "plane")[:, None]
    cost += 0.5 * (
        1.0
        - np.where(
            np.any(old.direction[rows], axis=1, keepdims=True),
            np.where(plane, across, np.abs(across)),
            1.0,
        )
    )
    return np.where(old.kind[rows][:, None] == new.kind[columns][None, :], cost, np.inf)
