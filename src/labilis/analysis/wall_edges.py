"""Faces through the thickness of a wall that is meshed as shells: they are edges of sheets, with
the width and the normal of the face."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from labilis.analysis.regions import Floats, Ints
from labilis.analysis.unknowns import Numbering
from labilis.mechanics import loads as load_forms
from labilis.mechanics.ties import HeldNodes
from labilis.mesh import Mesh
from labilis.shape import RegionMatch, ShapeView

# how much of a direction must be held for the turn that moves the thickness along it to be held
_HELD = 0.999


@dataclass(frozen=True)
class End:
    """An edge of a sheet that stands for a face of the solid: its row; segments (s, 2) of the mesh;
    width mm, the thickness of the wall;
    face: row of that face among the solids' own; along (s, 3) and outward (s, 3): unit vectors
        along it and out of the face."""

    edge: int
    segments: Ints
    width: float
    face: int
    along: Floats
    outward: Floats

    def weights(self, nodes: Floats) -> Floats:
        """∫N dA (s, 2) mm² of its segments."""
        return self.width * load_forms.edge_weights(nodes, self.segments)


def find_ends(match: RegionMatch, view: ShapeView, mesh: Mesh) -> list[End]:
    """Ends of a region; the same edge once for each face that it stands for."""
    found = []
    for edge, face in match.ends:
        segments = mesh.edge_segments(np.array([edge]))[:, :2]
        if len(segments) == 0:
            continue
        step = mesh.nodes[segments[:, 1]] - mesh.nodes[segments[:, 0]]
        along = step / np.maximum(np.linalg.norm(step, axis=1, keepdims=True), 1e-300)
        middle = mesh.nodes[segments].mean(axis=1)
        found.append(
            End(
                int(edge),
                segments,
                edge_width(view, int(edge)),
                int(face),
                along,
                _outward(view, int(face), middle),
            )
        )
    return found


def edge_width(view: ShapeView, edge: int) -> float:
    """Thickness (mm) of the thickest sheet at an edge, at the edge's middle."""
    faces = view.edges.faces[edge]
    faces = faces[faces >= 0]
    away = view.edges.centroid[edge] - view.faces.centroid[faces]
    return float((view.faces.thickness[faces] + (away * view.faces.slope[faces]).sum(axis=1)).max())


def _outward(view: ShapeView, face: int, places: Floats) -> Floats:
    """Outward normals (k, 3) of a solid's face at places on it; of free-form faces none
    (noughts)."""
    assert view.ancestry is not None
    table = view.ancestry.faces
    kind = str(table.kind[face])
    if kind == "plane":
        return np.broadcast_to(table.direction[face], places.shape)
    if kind in ("cylinder", "cone"):
        away = places - table.origin[face]
        radial = away - (away @ table.direction[face])[:, None] * table.direction[face]
        sign = -1.0 if table.inner[face] else 1.0
        return np.asarray(
            sign * radial / np.maximum(np.linalg.norm(radial, axis=1, keepdims=True), 1e-300)
        )
    return np.zeros_like(places)


def end_turns(
    ends: list[End], held: list[HeldNodes], numbering: Numbering, owner: int
) -> list[HeldNodes]:
    """Turns that a support holds because it holds a face through the thickness: a turn about the
    edge moves that face's points along its normal, a turn about the normal moves them along the
    edge. `held`: the slides held at the nodes."""
    directions: dict[int, list[Floats]] = {}
    for item in held:
        if not item.turns:
            for node, rows in zip(item.nodes, item.directions):
                directions.setdefault(int(node), []).append(rows)
    spans = {
        node: np.linalg.svd(np.concatenate(rows), full_matrices=False)
        for node, rows in directions.items()
    }
    turns: dict[int, list[Floats]] = {}
    for end in ends:
        for segment, along, outward in zip(end.segments, end.along, end.outward):
            for node in segment:
                turn = int(numbering.turn_of[node])
                if turn < 0 or int(node) not in spans:
                    continue
                _, sizes, basis = spans[int(node)]
                basis = basis[sizes > 1e-9]
                for moved, about in ((outward, along), (along, outward)):
                    if np.linalg.norm(basis @ moved) > _HELD:
                        turns.setdefault(turn, []).append(about)
    result = []
    for turn, axes in turns.items():
        _, sizes, basis = np.linalg.svd(np.array(axes), full_matrices=False)
        result.append(
            HeldNodes(np.array([turn]), basis[sizes > 0.05 * sizes[0]][None], owner, True)
        )
    return _gathered(result)


def _gathered(items: list[HeldNodes]) -> list[HeldNodes]:
    """Single nodes with equally many directions in one."""
    found = []
    for count in {item.directions.shape[1] for item in items}:
        alike = [item for item in items if item.directions.shape[1] == count]
        found.append(
            HeldNodes(
                np.concatenate([item.nodes for item in alike]),
                np.concatenate([item.directions for item in alike]),
                alike[0].owner,
                True,
            )
        )
    return found
