"""Swept solids: hexahedra and wedges that fill the solid exactly, with true faces, edges and
loads."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from labilis.mechanics import loads
from labilis.mechanics.blocks import SolidBlock
from labilis.mesh import Mesh, estimate, find_sweep, measure_quality, mesh_part
from labilis.model import load_project
from labilis.shape import PartShape, build_part
from tests.shape.test_scribes import PLATE

HOLED = {
    **PLATE,
    "openings": [
        {"x": "60 mm", "y": "50 mm", "diameter": "30 mm"},
        {"x": "150 mm", "y": "60 mm", "diameter": "12 mm", "length": "20 mm"},
    ],
}
FOLDED = {
    "kind": "folded sheet",
    "profile": [["30 mm", "0 mm"], ["0 mm", "0 mm"], ["0 mm", "60 mm"], ["30 mm", "60 mm"]],
    "thickness": "2 mm",
    "bend": "3 mm",
    "length": "100 mm",
}


def strut(shape: str, **sizes: str) -> dict[str, Any]:
    return {"kind": "strut", "length": "100 mm", "section": {"shape": shape, **sizes}}


PARTS = {
    "plate": PLATE,
    "holed plate": HOLED,
    "folded channel": FOLDED,
    "round": strut("round", diameter="30 mm"),
    "round tube": strut("round tube", diameter="40 mm", thickness="2 mm"),
    "square tube": strut("square tube", width="40 mm", thickness="2 mm"),
    "angle": strut("angle", width="40 mm", height="40 mm", thickness="3 mm"),
    "I": strut("I", width="40 mm", height="60 mm", thickness="3 mm", web="2 mm"),
}


def swept(recipe: dict[str, Any], size: float = 10.0) -> tuple[PartShape, Mesh]:
    project = load_project({"pieces": [{"name": "part", "mesh_as": "solid", "recipe": recipe}]})
    part = build_part(project, {})
    return part, mesh_part(part, size)


@pytest.mark.parametrize("name", list(PARTS))
def test_volume_skin_and_edges_are_the_solids_own(name: str) -> None:
    part, mesh = swept(PARTS[name])
    assert {cell.elements.shape[1] for cell in mesh.cells} <= {15, 20}
    volume = sum(
        SolidBlock(mesh.nodes, cell.elements, 1.0, 0.3).volume.sum() for cell in mesh.cells
    )
    assert volume == pytest.approx(part.view.volume, rel=5e-4)  # parabolas for arcs of 30°
    total = np.zeros(3)
    for face in range(len(part.view.faces)):
        skin = [loads.face_weights(mesh.nodes, cells) for cells in mesh.skin(np.array([face]))]
        assert sum(weights.sum() for weights, _ in skin) == pytest.approx(
            part.view.faces.area[face], rel=5e-4
        )
        normal = sum(normals.sum(axis=(0, 1)) for _, normals in skin)
        total += normal
        if part.view.faces.kind[face] == "plane":
            assert normal @ part.view.faces.direction[face] == pytest.approx(
                part.view.faces.area[face], rel=5e-4
            )
    assert np.abs(total).max() < 1e-9 * part.view.faces.area.sum(), "the skin is closed"
    for edge in range(len(part.view.edges)):
        length = loads.edge_weights(mesh.nodes, mesh.edge_segments(np.array([edge]))).sum()
        assert length == pytest.approx(part.view.edges.length[edge], rel=5e-4)
    assert measure_quality(mesh, part.view.thickness).shape.min() > 0.2
    assert len(np.unique(np.concatenate([cell.elements.ravel() for cell in mesh.cells]))) == len(
        mesh.nodes
    )


def test_every_inner_side_is_shared_by_two() -> None:
    _, mesh = swept(HOLED, 15.0)
    hexes = next(cell.elements for cell in mesh.cells if cell.elements.shape[1] == 20)
    sides = [
        hexes[:, corner]
        for corner in (
            [0, 1, 2, 3],
            [4, 5, 6, 7],
            [0, 1, 5, 4],
            [1, 2, 6, 5],
            [2, 3, 7, 6],
            [3, 0, 4, 7],
        )
    ]
    wedges = [cell.elements for cell in mesh.cells if cell.elements.shape[1] == 15]
    sides += [w[:, corner] for w in wedges for corner in ([0, 1, 4, 3], [1, 2, 5, 4], [2, 0, 3, 5])]
    _, count = np.unique(np.sort(np.concatenate(sides), axis=1), axis=0, return_counts=True)
    assert set(count) == {1, 2} and int((count == 1).sum()) == len(mesh.quads)


@pytest.mark.parametrize("size", [4.0, 8.0, 15.0])
@pytest.mark.parametrize("name", ["holed plate", "folded channel", "square tube", "round"])
def test_the_cost_is_known_before(name: str, size: float) -> None:
    part, mesh = swept(PARTS[name], size)
    guess = estimate(part.view, size, 2)
    assert 0.5 < guess.elements / mesh.count < 2.0
    assert 0.5 < guess.nodes / len(mesh.nodes) < 2.0


def test_what_is_no_sweep_is_filled_with_tetrahedra() -> None:
    drilled = {
        "kind": "block",
        "width": "60 mm",
        "height": "40 mm",
        "depth": "20 mm",
        "pockets": [
            {
                "x": "0 mm",
                "y": "0 mm",
                "width": "20 mm",
                "height": "20 mm",
                "depth": "8 mm",
                "radius": "2 mm",
            }
        ],
    }
    part, mesh = swept(drilled)
    assert find_sweep(part.solids[0]) is None
    assert [cell.elements.shape[1] for cell in mesh.cells] == [10]


def test_a_box_is_swept_through_its_least_thickness() -> None:
    part, _ = swept(PLATE)
    sweep = find_sweep(part.solids[0])
    assert sweep is not None and np.linalg.norm(sweep.along) == pytest.approx(3.0)
