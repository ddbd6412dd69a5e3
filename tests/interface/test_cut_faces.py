"""What a plane cuts through is drawn: areas against closed forms, values inside of solids."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from labilis.model import Project, load_project
from labilis.run import Plan, Runner, Snapshot, stage_keys
from labilis.ui.stage import cut_faces
from labilis.ui.stage.cut_faces import SolidInside, caps
from labilis.ui.stage.cutting import Cut
from labilis.ui.stage.scene import _closed_parts, body_surface
from tests.frames import STEEL
from tests.interface.conftest import DEMO, Hand


def strut(name: str, section: dict[str, Any], mesh_as: str, **place: Any) -> dict[str, Any]:
    return {
        "name": name,
        "material": STEEL["name"],
        "mesh_as": mesh_as,
        "recipe": {"kind": "strut", "length": "200 mm", "section": section},
        "place": place,
    }


TUBE = {"shape": "rectangular tube", "width": "40 mm", "height": "60 mm", "thickness": "4 mm"}
PIPE = {"shape": "round tube", "diameter": "50 mm", "thickness": "5 mm"}
TILTED = {"turns": [{"about": "x", "angle": "30 deg"}], "at": ["5 mm", "0 mm", "0 mm"]}


def found(project: Project, upto: str) -> Any:
    results = Runner().run(Snapshot(project), Plan(upto))  # type: ignore[arg-type]
    return results[getattr(stage_keys(project), upto)]


def cap_area(project: Project, cut: Cut) -> float:
    view = found(project, "shape")
    surface = body_surface(view)
    part = _closed_parts(view, np.asarray(surface.cell_data["face"]))
    return float(caps(surface, part, cut).area)


@pytest.mark.parametrize("mesh_as", ["solid", "shell"])
@pytest.mark.parametrize(
    ("section", "area", "within"),
    [(TUBE, 40 * 60 - 32 * 52, 0.06), (PIPE, np.pi * (25**2 - 20**2), 0.02)],
)
@pytest.mark.parametrize("place", [{}, TILTED])
def test_the_area_of_a_cut(
    section: dict[str, Any], area: float, within: float, place: Any, mesh_as: str
) -> None:
    """Square to z and through what is tilted: nothing of the hole is filled. Sheets overlap in the
    corners of a tube."""
    project = load_project(
        {"materials": [STEEL], "pieces": [strut("s", section, mesh_as, **place)]}
    )
    cut = Cut((0.0, 0.0, 93.0), (0.0, 0.0, -1.0))
    wanted = area / (np.cos(np.radians(30)) if place else 1.0)
    assert cap_area(project, cut) == pytest.approx(
        wanted, rel=within if mesh_as == "shell" else 0.02
    )


def test_bodies_that_touch_and_lie_within_each_other_are_all_filled() -> None:
    project = load_project(
        {
            "materials": [STEEL],
            "pieces": [
                strut("tube", TUBE, "solid"),
                strut("core", {"shape": "square", "width": "20 mm"}, "solid"),
                strut(
                    "beside",
                    {"shape": "square", "width": "30 mm"},
                    "solid",
                    at=["35 mm"] + ["0 mm"] * 2,
                ),
            ],
        }
    )
    area = 40 * 60 - 32 * 52 + 20 * 20 + 30 * 30
    assert cap_area(project, Cut((0.0, 0.0, 71.0), (0.0, 0.0, 1.0))) == pytest.approx(
        area, rel=1e-6
    )
    assert cap_area(project, Cut((0.0, 0.0, 210.0), (0.0, 0.0, 1.0))) == 0.0


@pytest.mark.parametrize(("gap", "most"), [(5.0, 1), (0.0, 8)])
def test_many_bodies_are_cut_in_a_few_passes(
    gap: float, most: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Apart all at once; touching ones in turns, so that each keeps its own face."""
    square, tube = {"shape": "square", "width": "20 mm"}, TUBE | {"height": "40 mm"}
    pieces = [
        strut(
            f"{i} {j}",
            tube if (i + j) % 2 else square,
            "solid",
            at=[f"{(40 + gap) * i} mm", f"{(40 + gap) * j} mm", "0 mm"],
        )
        for i in range(4)
        for j in range(3)
    ]
    passes: list[int] = []
    cap = cut_faces._cap
    monkeypatch.setattr(
        cut_faces, "_cap", lambda *given: (passes.append(len(given[1])), cap(*given))[1]
    )
    project = load_project({"materials": [STEEL], "pieces": pieces})
    area = 6 * 20**2 + 6 * (40**2 - 32**2)
    assert cap_area(project, Cut((0.0, 0.0, 50.0), (0.0, 0.0, 1.0))) == pytest.approx(area)
    assert len(passes) <= most and (gap > 0 or len(passes) > 1)


@pytest.mark.parametrize("solids", ["swept", "tetrahedra"])
@pytest.mark.parametrize("order", [1, 2])
def test_values_inside_of_a_solid(solids: str, order: int) -> None:
    """A linear field is cut as it is, moved or not, whatever the elements are."""
    project = load_project(
        {
            "materials": [STEEL],
            "pieces": [strut("s", TUBE, "solid")],
            "mesh": {"size": "12 mm", "order": order, "solids": solids},
        }
    )
    mesh = found(project, "mesh")
    x, y, z = mesh.nodes.T
    inside = SolidInside(mesh)
    area = 40 * 60 - 32 * 52
    cut = inside.cut(Cut((0.0, 0.0, 77.0), (0.0, 0.0, -1.0)), None, x + 2 * y - z)
    assert cut.area == pytest.approx(area, rel=1e-3)
    px, py, pz = np.asarray(cut.points).T
    assert np.asarray(cut.point_data["value"]) == pytest.approx(px + 2 * py - pz, abs=1e-3)
    motion = np.stack([0 * x, 0.5 * x, 10 + 0 * x], axis=1)
    moved = inside.cut(Cut((0.0, 0.0, 77.0), (0.0, 0.0, -1.0)), motion, x + 2 * y - z)
    px, py, pz = np.asarray(moved.points).T
    assert np.asarray(moved.point_data["value"]) == pytest.approx(
        px + 2 * (py - 0.5 * px) - (pz - 10), abs=1e-3
    )


def test_a_mesh_of_sheets_has_no_inside() -> None:
    project = load_project({"materials": [STEEL], "pieces": [strut("s", TUBE, "shell")]})
    inside = SolidInside(found(project, "mesh"))
    assert inside.cut(Cut((0.0, 0.0, 50.0), (0.0, 0.0, 1.0)), None, None).n_points == 0


def test_what_is_cut_through_hides_what_lies_behind(hand: Hand, tmp_path: Path) -> None:
    """On the stage: the cut face is there in every view, follows the plane and the motion, is no
    face to be picked, and is measured by the nodes inside."""
    hand.load(DEMO)
    stage, cut = hand.window.stage, hand.window.stage.cut
    stage.look("z")
    hand.qtbot.wait(400)
    view = hand.session.current("shape")
    middle = view.extents.mean(axis=1)
    cut.choose(2)
    camera = stage.plotter.camera
    if camera.position[2] < camera.focal_point[2]:  # what lies before the plane goes
        cut.turn()
    hand.qtbot.wait(60)
    assert "cut body" in stage.scene.actors
    where = hand.pixel(middle)
    x, y = where.x(), stage.plotter.height() - where.y()
    assert stage.pick_at(x, y) is None  # the skin under it is not seen
    cut.slider.setValue(92)
    low = stage.scene.actors["cut body"].bounds[4]
    cut.slider.setValue(100)
    assert stage.scene.actors["cut body"].bounds[4] > low
    hand.run()
    stage.show_view("Stress")
    hand.qtbot.wait(100)
    assert "cut field" in stage.scene.actors and "cut body" not in stage.scene.actors
    mesh = hand.session.current("mesh")
    where = hand.pixel(middle)  # the drawer has opened
    x, y = where.x(), stage.plotter.height() - where.y()
    node = stage.spot_at(x, y)
    moved = mesh.nodes[node] + stage.scene.scale * stage.field.motion[node]
    nodes = stage.scene._inside.nodes
    drawn = mesh.nodes[nodes] + stage.scene.scale * stage.field.motion[nodes]
    nearest = np.linalg.norm((drawn - middle)[:, :2], axis=1).min()
    assert np.linalg.norm((moved - middle)[:2]) < nearest + 1.0
    flat = np.asarray(stage.scene.actors["cut field"].mapper.dataset.points)
    assert np.ptp(flat[:, 2]) < 1e-6
    stage.show_view("Mesh")
    hand.qtbot.wait(60)
    assert "cut mesh" in stage.scene.actors
    cut.choose(None)
    assert not [name for name in stage.scene.actors if name.startswith("cut ")]
    stage.show_view("Shape")
    hand.qtbot.wait(60)
    where = hand.pixel(middle)
    assert stage.pick_at(where.x(), stage.plotter.height() - where.y()) is not None
