"""Line elements along struts, joined where struts touch; and the surface nodes that carry an end
of a line."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np

from labilis.mesh.mesh import Cells, Floats, Ints, Mesh
from labilis.mesh.nearest_point import closest_weights
from labilis.shape.strut_axes import LineSet, LineShape

LEAST = 8  # elements of a strut: a full wave of four
_TOUCH = 1e-6  # of the whole size: how near ends must be to be one point


@dataclass(frozen=True)
class LineJoint:
    """An end of a line on a surface: its node, the surface nodes (k,) that carry it, and both
    bodies."""

    node: int
    carriers: Ints
    bodies: tuple[int, int]


def mesh_lines(
    lines: LineSet,
    size: float,
    apart: frozenset[tuple[int, int]] = frozenset(),
    coarser: float = 1.0,
) -> Mesh:
    """Elements of about `size` mm, at least eight to a strut, by so much `coarser`; struts that
    touch share a node unless the pair is `apart`."""
    items = lines.lines
    ends = np.array([place for line in items for place in (line.start, line.end)])
    reach = _TOUCH * max(float(np.linalg.norm(np.ptp(ends, axis=0))), 1.0) + 1e-9
    nodes: list[Floats] = []
    users: list[list[int]] = []

    def number_of(place: Floats, body: int) -> int:
        for known, (other, who) in enumerate(zip(nodes, users)):
            if np.linalg.norm(other - place) < reach and not any(
                (min(body, b), max(body, b)) in apart for b in who
            ):
                who.append(body)
                return known
        nodes.append(place)
        users.append([body])
        return len(nodes) - 1

    cells: list[Ints] = []
    bodies: list[Ints] = []
    segments: list[Ints] = []
    owner: list[Ints] = []
    for number, line in enumerate(items):
        along = line.end - line.start
        length = float(np.linalg.norm(along))
        count = max(int(np.ceil(length / size - 0.1)), max(int(LEAST / coarser), 2))
        shares = _shares(line, ends, reach, count)
        named = np.array([number_of(line.start + share * along, line.body) for share in shares])
        cells.append(np.stack([named[:-1], named[1:]], axis=1))
        bodies.append(np.full(len(named) - 1, line.body))
        segments += [cells[-1], named[[[0, 0]]], named[[[-1, -1]]]]
        owner += [
            np.full(len(named) - 1, 3 * number),
            np.array([3 * number + 1]),
            np.array([3 * number + 2]),
        ]
    return Mesh(
        np.array(nodes),
        (Cells(np.concatenate(cells).astype(np.int64), np.concatenate(bodies)),),
        np.zeros((0, 3), dtype=np.int64),
        np.zeros(0, dtype=np.int64),
        np.concatenate(segments).astype(np.int64),
        np.concatenate(owner).astype(np.int64),
    )


def _shares(line: LineShape, ends: Floats, reach: float, count: int) -> Floats:
    """Where the nodes of a strut of about `count` elements stand, from 0 to 1; the ends (k, 3) of
    struts that stand on it within `reach` mm are among them."""
    along = line.end - line.start
    length = float(np.linalg.norm(along))
    stops = {0.0, 1.0}
    for place in ends:
        share = float((place - line.start) @ along) / length**2
        if (
            reach / length < share < 1 - reach / length
            and np.linalg.norm(line.start + share * along - place) < reach
        ):
            stops.add(round(share, 12))
    runs = [
        np.linspace(a, b, max(1, round(count * (b - a))) + 1)[:-1]
        for a, b in itertools.pairwise(sorted(stops))
    ]
    return np.concatenate([*runs, [1.0]])


def line_joints(
    mesh: Mesh,
    lines: LineSet | None,
    body: dict[int, Ints],
    thickness: dict[int, float],
    apart: frozenset[tuple[int, int]],
) -> tuple[LineJoint, ...]:
    """Ends of lines that stand on a surface of another body: within half its wall of it. The
    section's footprint there carries the end."""
    if lines is None:
        return ()
    surface = (
        np.unique(mesh.triangles[mesh.triangles >= 0])
        if len(mesh.triangles)
        else np.zeros(0, dtype=np.int64)
    )
    found = []
    for cell in mesh.cells:
        if not cell.line:
            continue
        for line in lines.lines:
            foot = max(
                float(np.linalg.norm(path, axis=1).max()) for part in line.outlines for path in part
            )
            mine = cell.elements[cell.body == line.body]
            for node in (int(mine[0, 0]), int(mine[-1, 1])):
                for other, members in body.items():
                    if (
                        other == line.body
                        or (min(other, line.body), max(other, line.body)) in apart
                    ):
                        continue
                    near = np.intersect1d(members, surface)
                    away = np.linalg.norm(mesh.nodes[near] - mesh.nodes[node], axis=1)
                    triangles = mesh.triangles[np.isin(mesh.triangles[:, :3], near).all(axis=1), :3]
                    if (
                        len(near) < 3
                        or len(triangles) == 0
                        or _gap(mesh.nodes, triangles, mesh.nodes[node])
                        > (0.5 * thickness[other] * 1.05 + 1e-5 * foot + 1e-6)
                    ):
                        continue
                    carriers = near[away <= max(foot, 1.05 * float(np.sort(away)[2]))]
                    found.append(LineJoint(node, carriers, (line.body, other)))
                    break
    return tuple(found)


def _gap(nodes: Floats, triangles: Ints, place: Floats) -> float:
    """Distance of a point from the nearest of some triangles, mm."""
    corners = nodes[triangles]
    weights = closest_weights(np.repeat(place[None], len(triangles), axis=0), corners)
    return float(np.linalg.norm(np.einsum("kc,kcx->kx", weights, corners) - place, axis=1).min())
