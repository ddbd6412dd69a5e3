"""Sheets drawn with their thickness look as the solids that they stand for."""

from __future__ import annotations

import hashlib
from typing import Any

import numpy as np
import pytest

from labilis.edit.new_pieces import RECIPES, with_piece
from labilis.model import GRADES, Project, load_project
from labilis.run import Plan, Runner, Snapshot, stage_keys
from labilis.ui.stage.scene import body_surface, edge_lines
from labilis.ui.stage.thick_sheets import thick_sheets
from tests.parts import to_step
from validation.corpus import drawing

SHEETS = [key for key in RECIPES if key.split(",")[0] in ("plate", "plate with a hole", "rib")]
FOLDED = [key for key in RECIPES if key.startswith("folded")]


def view_of(key: str, mesh_as: str, turn: str = "0 deg") -> Any:
    project, name = with_piece(Project(name="Gauge frame"), key, GRADES[0], 120.0)
    piece = project.named("pieces", name)
    place = {**piece.place.model_dump(), "turns": [{"about": "y", "angle": turn}]}
    piece = piece.model_copy(update={"mesh_as": mesh_as})
    project = project.changed(pieces=[{**piece.model_dump(), "place": place}])
    found = Runner().run(Snapshot(project, {}), Plan("shape"))
    return found[stage_keys(project, "").shape]


def volume(points: np.ndarray, triangles: np.ndarray) -> float:
    a, b, c = (points[triangles[:, k]] for k in range(3))
    return float(np.einsum("ni,ni->", a, np.cross(b, c)) / 6)


@pytest.mark.parametrize("turn", ["0 deg", "37 deg"])
@pytest.mark.parametrize("key", [*SHEETS, *FOLDED])
def test_a_sheet_fills_the_place_of_its_solid(key: str, turn: str) -> None:
    """Extents and volume of the drawn sheet are those of the same recipe as a solid; its skins
    look outward."""
    sheet, solid = view_of(key, "shell", turn), view_of(key, "solid", turn)
    points, triangles, face = thick_sheets(sheet).surface()
    for bound in (np.min, np.max):
        there = bound(solid.tessellation.points, axis=0)
        assert bound(points, axis=0) == pytest.approx(there, abs=0.02)
    assert volume(points, triangles) == pytest.approx(solid.volume, rel=0.005)
    assert set(face.tolist()) == set(range(len(sheet.faces)))


@pytest.mark.parametrize("key", [*SHEETS, *FOLDED])
def test_edges_lie_on_the_skins(key: str) -> None:
    """What is drawn of the edges of a sheet is not hidden inside it: it lies half a thickness from
    them."""
    view = view_of(key, "shell")
    thickness = float(view.faces.thickness[0])
    lines = np.asarray(edge_lines(view).points)
    assert len(lines) >= 2 * len(view.tessellation.edge_points)
    middle = view.tessellation.edge_points
    nearest = np.sqrt(((lines[:, None] - middle[None]) ** 2).sum(axis=2).min(axis=1))
    assert nearest == pytest.approx(thickness / 2, abs=0.02)


def test_a_solid_is_drawn_as_it_is() -> None:
    view = view_of("block", "solid")
    surface = body_surface(view)
    assert len(surface.regular_faces) == len(view.tessellation.triangles)
    assert np.array_equal(surface.cell_data["face"], view.tessellation.face)


def test_a_tapered_wall_is_drawn_tapered() -> None:
    """A wedge, 3 mm at one end and 5 at the other, as a shell: drawn as thick as it is cut."""
    wedge = to_step(drawing.extrude([(0, -1.5), (200, -2.5), (200, 2.5), (0, 1.5)], 60.0))
    sha = hashlib.sha256(wedge).hexdigest()
    project = load_project(
        {
            "geometry": [{"file": "w.step", "sha256": sha}],
            "pieces": [{"name": "w", "geometry": "w.step", "mesh_as": "shell"}],
        }
    )
    found = Runner().run(Snapshot(project, {sha: wedge}), Plan("shape"))
    points, triangles, _ = thick_sheets(found[stage_keys(project, "").shape]).surface()
    for x, thick in ((0.0, 3.0), (200.0, 5.0)):
        there = points[np.abs(points[:, 0] - x) < 0.2]
        assert np.ptp(there[:, 1]) == pytest.approx(thick, abs=0.05)
    assert volume(points, triangles) == pytest.approx(4.0 * 200 * 60, rel=0.01)
