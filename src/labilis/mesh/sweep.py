"""Solids that are one outline moved along a straight line: plates, folded sheets, struts and tubes.
Their end face is meshed with quadrilaterals, which are swept to hexahedra of twenty nodes; its
triangles become wedges of fifteen."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from labilis.mesh.extrusion import CLOSE, Sweep
from labilis.mesh.mesh import QUAD_CUTS, Cells, Floats, Ints, Mesh
from labilis.mesh.sheets import mesh_sheets
from labilis.shape import BodyShape
from labilis.shape.face_tables import EdgeTable, FaceTable

_FLAT = 0.1  # sine of the angle in a corner under which it is none
_SLENDER, _FEW = (
    3.0,
    0.1,
)  # widths of a narrow outline to a side, where more than this share of its elements are triangles


def sweep_body(body: BodyShape, sweep: Sweep, size: float, coarser: float = 1.0) -> Mesh:
    """Hexahedra and wedges of about `size` mm, as many layers along the sweep as that asks for."""
    flat, mids, sides, straightened = _cap(body, sweep, size, coarser)
    layers = max(1, int(np.ceil(np.linalg.norm(sweep.along) / size - 0.1)))
    corner = len(flat.nodes)  # every other level has corners only
    step = sweep.along / (2 * layers)
    levels = [
        np.concatenate([flat.nodes, mids]) + k * step if k % 2 == 0 else flat.nodes + k * step
        for k in range(2 * layers + 1)
    ]
    starts = np.cumsum([0] + [len(places) for places in levels])
    cells, surface = [], _Skin([], [], [], [])
    for cell in flat.cells:
        turned = cell.elements[:, ::-1]  # counter-clockwise seen along the sweep
        ring = corner + sides.of(turned, np.roll(turned, -1, axis=1))
        parts = []
        for k in range(layers):
            low, between, high = starts[2 * k], starts[2 * k + 1], starts[2 * k + 2]
            parts.append(
                np.concatenate(
                    [turned + low, turned + high, ring + low, ring + high, turned + between], axis=1
                )
            )
        elements = np.concatenate(parts)
        cells.append(Cells(elements, np.zeros(len(elements), dtype=np.int64)))
        surface.add(
            np.concatenate([turned[:, ::-1], np.roll(ring[:, ::-1], -1, axis=1)], axis=1),
            sweep.caps[0],
        )
        surface.add(np.concatenate([turned, ring], axis=1) + starts[-2], sweep.caps[1])
    border, owner = _border(flat, sides)
    ring = corner + sides.of(border[:, 0], border[:, 1])
    _add_sides(surface, sweep, border, owner, ring, starts)
    triangles, triangle_face, quads, quad_face, of_quad = surface.joined()
    segments, segment_edge = _segments(body, sweep, border, owner, ring, starts, flat.nodes)
    return Mesh(
        np.concatenate(levels),
        tuple(cells),
        triangles,
        triangle_face,
        segments,
        segment_edge,
        straightened * layers,
        quads=quads,
        quad_face=quad_face,
        of_quad=of_quad,
    )


def _add_sides(
    surface: _Skin, sweep: Sweep, border: Ints, owner: Ints, ring: Ints, starts: Ints
) -> None:
    """Rectangles of the faces along the sweep;
    ring: mid-sides of the border; starts (2 layers + 2,): first node of each level."""
    layers = (len(starts) - 2) // 2
    side_of = {int(edge): int(side) for (edge, _), side in zip(sweep.edges, sweep.sides)}
    for edge in np.unique(owner):
        rows = owner == edge
        a, b, m = border[rows, 0], border[rows, 1], ring[rows]
        for k in range(layers):
            low, between, high = starts[2 * k], starts[2 * k + 1], starts[2 * k + 2]
            surface.add(
                np.stack(
                    [
                        a + low,
                        b + low,
                        b + high,
                        a + high,
                        m + low,
                        b + between,
                        m + high,
                        a + between,
                    ],
                    axis=1,
                ),
                side_of[int(edge)],
            )


class _Sides:
    """Sides of a flat mesh by their two nodes."""

    def __init__(self, cells: tuple[Cells, ...], count: int) -> None:
        pairs = np.concatenate(
            [
                np.stack([cell.elements, np.roll(cell.elements, -1, axis=1)], axis=2).reshape(-1, 2)
                for cell in cells
            ]
        )
        self._count = count
        packed = np.sort(pairs, axis=1) @ np.array([count, 1])
        self.packed, self.uses = np.unique(packed, return_counts=True)
        self.pairs = np.stack([self.packed // count, self.packed % count], axis=1)

    def of(self, a: Ints, b: Ints) -> Ints:
        """Number of the side between nodes a and b."""
        return np.asarray(
            np.searchsorted(self.packed, np.minimum(a, b) * self._count + np.maximum(a, b))
        )


def _triangles(flat: Mesh) -> float:
    """Share of a flat mesh's elements that are triangles."""
    counts = {cell.elements.shape[1]: len(cell.elements) for cell in flat.cells}
    return counts.get(3, 0) / max(sum(counts.values()), 1)


def _cap(
    body: BodyShape, sweep: Sweep, size: float, coarser: float
) -> tuple[Mesh, Floats, _Sides, int]:
    """(flat mesh of the first cap, whose segments belong to edges of the body; middles of its
    sides, on the true edges; its sides; number of cells whose sides had to be made straight
    again)."""
    one, edges = sweep.caps[0], sweep.edges[:, 0]
    faces = FaceTable(
        **{name: getattr(body.faces, name)[[one]] for name in FaceTable.__dataclass_fields__}
    )
    table = EdgeTable(
        **{name: getattr(body.edges, name)[edges] for name in EdgeTable.__dataclass_fields__}
    )
    table = replace(table, faces=np.tile([0, -1], (len(edges), 1)))
    sheet = BodyShape(
        body.face_handles[one],
        (body.face_handles[one],),
        tuple(body.edge_handles[int(edge)] for edge in edges),
        replace(faces, thickness=np.ones(1)),
        table,
    )
    wall = (
        2.0 * float(faces.area[0]) / float(table.length.sum())
    )  # mean width of the face: of a thin ring its wall
    flat = mesh_sheets(sheet, size, wall=wall, coarser=coarser)
    if (
        size > coarser * _SLENDER * wall and _triangles(flat) > _FEW
    ):  # long thin wedges are too stiff in bending
        flat = mesh_sheets(sheet, coarser * _SLENDER * wall, wall=wall, coarser=coarser)
    flat = replace(flat, segment_edge=edges[flat.segment_edge])
    along = -body.faces.direction[one]
    sides, mids = _sides(body, flat)
    flat = _split(flat, mids, sides, along)
    sides, mids = _sides(body, flat)
    return flat, mids, sides, _straighten(flat, mids, sides, along)


def _sides(body: BodyShape, flat: Mesh) -> tuple[_Sides, Floats]:
    """(sides of a flat mesh, their middles on the true edges)."""
    sides = _Sides(flat.cells, len(flat.nodes))
    mids = flat.nodes[sides.pairs].mean(axis=1)
    for edge in np.unique(flat.segment_edge):
        if str(body.edges.kind[edge]) != "line":
            rows = sides.of(*flat.segments[flat.segment_edge == edge].T)
            mids[rows] = body.project_to_edge(int(edge), mids[rows])
    return sides, mids


def _corner_turns(flat: Mesh, mids: Floats, sides: _Sides, cell: Cells, along: Floats) -> Floats:
    """(m, k): sine between the two curved sides at each corner, taken in the order of
    `cell.elements` turned round; near 0 or negative where the cell is inside out."""
    turned = cell.elements[:, ::-1]
    p, after = flat.nodes[turned], np.roll(turned, -1, axis=1)
    m = mids[sides.of(turned, after)]
    ahead = 4 * m - 3 * p - flat.nodes[after]  # slopes of the parabolas at the corner
    back = 4 * np.roll(m, 1, axis=1) - 3 * p - np.roll(p, 1, axis=1)
    return np.asarray(
        np.cross(ahead, back)
        @ along
        / (np.linalg.norm(ahead, axis=2) * np.linalg.norm(back, axis=2))
    )


def _split(flat: Mesh, mids: Floats, sides: _Sides, along: Floats) -> Mesh:
    """Quadrilaterals that have two sides on one smooth curve cut in two at the corner between
    them, which would be no corner."""
    cells, extra = [], []
    for cell in flat.cells:
        if cell.elements.shape[1] != 4:
            cells.append(cell)
            continue
        turns = _corner_turns(flat, mids, sides, cell, along)
        worst, bad = turns.argmin(axis=1), turns.min(axis=1) < _FLAT
        turned = cell.elements[bad, ::-1]
        a, b, c, d = (turned[np.arange(len(turned)), (worst[bad] + k) % 4] for k in range(4))
        extra.append(
            np.concatenate([np.stack([a, b, c], axis=1), np.stack([a, c, d], axis=1)])[:, ::-1]
        )
        cells.append(
            Cells(
                cell.elements[~bad],
                cell.body[~bad],
                cell.thickness[~bad] if cell.thickness is not None else None,
            )
        )
    new = np.concatenate([np.zeros((0, 3), dtype=np.int64), *extra])
    triangles = np.concatenate(
        [new, *(cell.elements for cell in cells if cell.elements.shape[1] == 3)]
    )
    kept = [cell for cell in cells if cell.elements.shape[1] == 4 and len(cell.elements)]
    if len(triangles):
        kept.append(
            Cells(triangles, np.zeros(len(triangles), dtype=np.int64), np.ones(len(triangles)))
        )
    return replace(flat, cells=tuple(kept))


def _straighten(flat: Mesh, mids: Floats, sides: _Sides, along: Floats) -> int:
    """Curved sides made straight again, in place, where they would turn a corner of a cell
    inside out; number of such cells."""
    straight, found = flat.nodes[sides.pairs].mean(axis=1), set()
    for _ in range(5):
        bad: list[Ints] = []
        for kind, cell in enumerate(flat.cells):
            ring = sides.of(cell.elements, np.roll(cell.elements, -1, axis=1))
            rows = np.flatnonzero(_corner_turns(flat, mids, sides, cell, along).min(axis=1) < _FLAT)
            curved = np.abs(mids[ring] - straight[ring]).max(axis=(1, 2)) > 0
            rows = rows[curved[rows]]
            bad.append(ring[rows].ravel())
            found |= {(kind, int(row)) for row in rows}
        back_again = np.concatenate(bad)
        if len(back_again) == 0:
            break
        mids[back_again] = straight[back_again]
    return len(found)


def _border(flat: Mesh, sides: _Sides) -> tuple[Ints, Ints]:
    """(sides (s, 2) of one element only, in the sense that has the inside on the left seen along
    the sweep; the edge each lies on)."""
    pairs = np.concatenate(
        [
            np.stack([turned, np.roll(turned, -1, axis=1)], axis=2).reshape(-1, 2)
            for turned in (cell.elements[:, ::-1] for cell in flat.cells)
        ]
    )
    number = sides.of(pairs[:, 0], pairs[:, 1])
    once = sides.uses[number] == 1
    edge_of = np.full(len(sides.packed), -1, dtype=np.int64)
    edge_of[sides.of(flat.segments[:, 0], flat.segments[:, 1])] = flat.segment_edge
    return pairs[once], edge_of[number[once]]


@dataclass
class _Skin:
    """Surface cells as they are found: triangles (k, 6) and quadrilaterals (k, 8) with the face
    of each."""

    triangles: list[Ints]
    triangle_face: list[Ints]
    quads: list[Ints]
    quad_face: list[Ints]

    def add(self, cells: Ints, face: int) -> None:
        """Cells of six or eight nodes, turned outward."""
        six = cells.shape[1] == 6
        (self.triangles if six else self.quads).append(cells)
        (self.triangle_face if six else self.quad_face).append(
            np.full(len(cells), face, dtype=np.int64)
        )

    def joined(self) -> tuple[Ints, Ints, Ints, Ints, Ints]:
        """Triangles with those that the quadrilaterals are cut into, their faces, the
        quadrilaterals, theirs, and which triangle is cut from which (-1: from none)."""
        quads, quad_face = np.concatenate(self.quads), np.concatenate(self.quad_face)
        whole = np.concatenate([np.zeros((0, 6), dtype=np.int64), *self.triangles])
        cut = np.full((6 * len(quads), 6), -1, dtype=np.int64)
        cut[:, :3] = quads[:, QUAD_CUTS].reshape(-1, 3)
        return (
            np.concatenate([whole, cut]),
            np.concatenate([*self.triangle_face, np.repeat(quad_face, 6)]),
            quads,
            quad_face,
            np.concatenate(
                [np.full(len(whole), -1, dtype=np.int64), np.repeat(np.arange(len(quads)), 6)]
            ),
        )


def _segments(
    body: BodyShape, sweep: Sweep, border: Ints, owner: Ints, ring: Ints, starts: Ints, flat: Floats
) -> tuple[Ints, Ints]:
    """Segments (s, 3) along the edges of both caps and those between them, and the edge of each."""
    twin = {int(a): int(b) for a, b in sweep.edges}
    rows = [np.column_stack([border, ring]), np.column_stack([border, ring]) + starts[-2]]
    edges = [owner, np.array([twin[int(edge)] for edge in owner], dtype=np.int64)]
    length = float(np.linalg.norm(sweep.along))
    in_caps = set(sweep.edges.ravel().tolist())
    for edge in range(len(body.edges)):
        if edge in in_caps:
            continue
        foot = body.edges.centroid[edge] - 0.5 * sweep.along
        away = np.linalg.norm(flat - foot, axis=1)
        node = int(np.argmin(away))
        if abs(body.edges.length[edge] / length - 1) < 1e-6 and away[node] < CLOSE * body.reach:
            up = np.arange(0, len(starts) - 2, 2)
            rows.append(np.column_stack([starts[up], starts[up + 2], starts[up + 1]]) + node)
            edges.append(np.full(len(up), edge, dtype=np.int64))
    return np.concatenate(rows), np.concatenate(edges)
