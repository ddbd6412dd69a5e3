"""Sheets that meet in one point: harmless where walls close a corner between them, told where
they hang on it."""

from __future__ import annotations

from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from labilis.analysis.joints import _closed_at
from labilis.model import load_project
from labilis.run import Plan, Runner, Snapshot, stage_keys
from tests.frames import STEEL


def sheet(
    name: str,
    outline: list[tuple[float, float]],
    at: tuple[float, float, float] = (0.0, 0.0, 0.0),
    turns: tuple[tuple[str, float], ...] = (),
    **more: Any,
) -> dict[str, Any]:
    return {
        "name": name,
        "material": STEEL["name"],
        "mesh_as": "shell",
        "place": {
            "at": [f"{c} mm" for c in at],
            "turns": [{"about": axis, "angle": f"{angle} deg"} for axis, angle in turns],
        },
        "recipe": {
            "kind": "plate",
            "thickness": "2 mm",
            "outline": [{"x": f"{x} mm", "y": f"{y} mm"} for x, y in outline],
        },
        **more,
    }


RING = [{"kind": "ring", "count": 4, "about": "z"}]
UP = (("x", 90.0),)


def pairs(*pieces: dict[str, Any], size: str = "20 mm") -> dict[tuple[str, str], int]:
    """Nodes in common by the names of bodies."""
    project = load_project({"materials": [STEEL], "pieces": list(pieces), "mesh": {"size": size}})
    mesh = Runner().run(Snapshot(project), Plan("mesh"))[stage_keys(project).mesh]
    names = [str(name) for name in mesh.bodies]
    return {
        (names[one], names[two]): int(count)
        for one, two, count in np.concatenate([mesh.fused, mesh.bonded])
    }


@pytest.mark.parametrize("slope", [45.0, 60.0, 75.0])
@pytest.mark.parametrize("size", ["20 mm", "9 mm"])
def test_a_funnel_under_a_box(slope: float, size: str) -> None:
    """Each wall of the one meets two of the other in a corner only, where all edges are joined."""
    rise = 100.0 / np.cos(np.radians(slope))
    funnel = sheet(
        "funnel",
        [(-150, 0), (150, 0), (50, rise), (-50, rise)],
        (0, -150, 0),
        (("x", -slope),),
        copies=RING,
    )
    box = sheet("box", [(-150, 0), (150, 0), (150, 90), (-150, 90)], (0, -150, 0), UP, copies=RING)
    found = pairs(funnel, box, size=size)
    assert len(found) == 4 + 4 + 4 and min(found.values()) > 3
    # a funnel that stands by itself has no such corners, nor has a box
    assert len(pairs(funnel)) == len(pairs(box)) == 4


def test_walls_that_lean_apart_hang_on_a_point() -> None:
    """Two walls on a floor meet in its corner; one of them leans, so that the edge between them
    is open."""
    floor = sheet("floor", [(0, 0), (200, 0), (200, 160), (0, 160)])
    one = sheet("one", [(0, 0), (200, 0), (200, 100), (0, 100)], turns=UP)
    upright = sheet(
        "two", [(0, 0), (160, 0), (160, 100), (0, 100)], turns=(("x", 90.0), ("z", 90.0))
    )
    leaning = sheet(
        "two", [(0, 0), (160, 0), (160, 100), (25, 100)], turns=(("x", 90.0), ("z", 90.0))
    )
    assert pairs(floor, one, upright)["one", "two"] > 3
    assert pairs(floor, one, leaning)["one", "two"] == 1


def test_a_tip_on_a_wall_hangs_on_a_point() -> None:
    wall = sheet("wall", [(-100, -100), (100, -100), (100, 100), (-100, 100)])
    tip = sheet("tip", [(0, 0), (40, 80), (-40, 80)], turns=UP)
    assert pairs(wall, tip) == {("wall", "tip"): 1}


def test_the_sides_of_a_pyramid_are_joined_along_their_edges() -> None:
    """Those that face each other meet in the tip, which the others close."""
    found = pairs(sheet("side", [(0, 0), (40, 80), (-40, 80)], turns=(("x", 60.0),), copies=RING))
    assert len(found) == 4 and min(found.values()) > 3


def test_the_middle_of_a_wall_is_no_closed_corner() -> None:
    """The tip of three sides stands on the middle node of nine of a wall: their edges are joined to
    each other, the wall has none there and hangs on the node."""
    row = np.array([[0, 1, 4, 3], [1, 2, 5, 4], [3, 4, 7, 6], [4, 5, 8, 7]])
    sides = np.array([[4, 9, 10], [4, 10, 11], [4, 11, 9]])
    mesh: Any = SimpleNamespace(
        cells=(
            SimpleNamespace(shell=True, elements=row, body=np.zeros(4, dtype=int)),
            SimpleNamespace(shell=True, elements=sides, body=np.array([1, 2, 3])),
        )
    )
    asked = {(body, 4) for body in range(4)}
    assert _closed_at(mesh, asked) == {(1, 4), (2, 4), (3, 4)}
    # one side less, and both of its neighbours have an open edge
    mesh.cells[1].elements, mesh.cells[1].body = sides[:2], np.array([1, 2])
    assert _closed_at(mesh, asked - {(3, 4)}) == set()
