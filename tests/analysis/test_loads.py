"""The same load stated another way: square to what is picked, by components, in all or on each;
and what a region's edges are near."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
import pytest

from labilis.mesh.tetrahedra import _distance_to_polyline
from labilis.model import LabilisError, load_project
from labilis.run import Plan, Runner, Snapshot, stage_keys
from tests.judge.test_mistakes import force, solid, strip


def applied(load: dict[str, Any], model: Any = strip) -> np.ndarray:
    project = load_project(model(loads=[load]))
    return np.asarray(
        Runner().run(Snapshot(project), Plan("strength"))[stage_keys(project).strength].applied[0]
    )


def test_a_force_square_to_an_end_is_the_one_along_the_part() -> None:
    """Positive pushes into the part."""
    whole = {"kind": "force", "name": "push", "on": "head"}
    square = applied({**whole, "normal": "100 N"}, solid)
    plain = applied({**whole, "components": ["-100 N", "0 N", "0 N"]}, solid)
    assert square == pytest.approx(plain, abs=1e-6) and abs(square[0] + 100) < 1e-6
    assert applied({**whole, "normal": "-100 N"}, solid)[0] == pytest.approx(100)


def test_a_pressure_is_its_force_over_the_area() -> None:
    """20 x 4 mm of a solid strip."""
    by_area = applied(
        {"kind": "pressure", "name": "push", "on": "head", "pressure": "2 MPa"}, solid
    )
    assert by_area[:3] == pytest.approx([-160, 0, 0], abs=1e-6)


def test_a_force_square_to_an_edge_inside_is_refused() -> None:
    """The edge of a solid looks nowhere."""
    model = solid(loads=[{"kind": "force", "name": "push", "on": "rim", "normal": "1 N"}])
    name = str(model["pieces"][0]["name"])
    model["regions"] = [*model["regions"], {"name": "rim", "names": [f"{name}/side.2+top"]}]
    with pytest.raises(LabilisError):
        applied({"kind": "force", "name": "push", "on": "rim", "normal": "1 N"}, lambda **_: model)


def test_each_doubles_what_lies_on_two() -> None:
    two = strip(force("-10 N"))
    two["regions"] = [*two["regions"], {"name": "both", "names": ["strip/side.2", "strip/side.1"]}]
    total, each = (
        applied(
            {
                "kind": "force",
                "name": "push",
                "on": "both",
                "components": ["0 N", "0 N", "-10 N"],
                "share": share,
            },
            lambda loads: {**two, "loads": loads},
        )
        for share in ("total", "each")
    )
    assert total[2] == pytest.approx(-10) and each[2] == pytest.approx(-20)


@pytest.mark.parametrize("seed", range(4))
def test_the_distance_to_a_polyline_by_looking_everywhere(seed: int) -> None:
    rng = np.random.default_rng(seed)
    line, points = rng.normal(size=(5, 3)) * [40, 10, 3], rng.normal(size=(30, 3)) * 30
    share = np.linspace(0, 1, 4001)[:, None]
    dense = np.concatenate([a + share * (b - a) for a, b in pairwise(line)])
    nearest = np.linalg.norm(points[:, None] - dense[None], axis=2).min(axis=1)
    assert _distance_to_polyline(line, points) == pytest.approx(nearest, abs=1e-3)
