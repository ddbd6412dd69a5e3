"""Loads mirrored in a plane of symmetry of a part find the same modes and the same first yield:
no sign of an offset, a moment or a section's own axes may get lost."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from labilis.model import load_project
from labilis.run import Plan, Runner, Snapshot, stage_keys
from tests.judge.test_mistakes import STEEL

SECTIONS = {
    "channel": {"width": "40 mm", "height": "80 mm", "thickness": "4 mm"},
    "I": {"width": "60 mm", "height": "90 mm", "thickness": "6 mm", "web": "4 mm"},
    "T": {"width": "60 mm", "height": "70 mm", "thickness": "6 mm", "web": "5 mm"},
    "rectangular tube": {"width": "40 mm", "height": "60 mm", "thickness": "3 mm"},
}
ALL = ["x", "y", "z", "turn_x", "turn_y", "turn_z"]


def found(shape: str, mesh_as: str, force: Any, moment: Any, offset: Any) -> tuple[Any, float]:
    """Factors of both signs, and that of first yield."""
    strut = {"kind": "strut", "length": "900 mm", "section": {"shape": shape, **SECTIONS[shape]}}
    project = load_project(
        {
            "materials": [STEEL],
            "pieces": [{"name": "s", "material": "steel", "mesh_as": mesh_as, "recipe": strut}],
            "regions": [{"name": end, "names": [f"s/{end}"]} for end in ("start", "end")],
            "hubs": [{"kind": "stiff", "name": "cap", "region": "end"}],
            "supports": [{"name": "foot", "on": "start", "held": ALL}],
            "loads": [
                {
                    "kind": "force",
                    "name": "f",
                    "on": "cap",
                    "components": [f"{value!r} N" for value in force.tolist()],
                    "offset": [f"{value!r} mm" for value in offset.tolist()],
                },
                {
                    "kind": "moment",
                    "name": "m",
                    "on": "cap",
                    "components": [f"{value!r} N*mm" for value in moment.tolist()],
                },
            ],
            "cases": [{"name": "one", "loads": [{"load": "f"}, {"load": "m"}]}],
            "criteria": {"modes": 4, "sign": "both", "required_factor": "1", "mesh_error": False},
            "mesh": {"size": "25 mm"},
        }
    )
    results = Runner().run(Snapshot(project), Plan("modes"))
    keys = stage_keys(project, "one")
    return np.sort(results[keys.modes].factors), results[keys.strength].strength_factor


@pytest.mark.parametrize(
    ("shape", "axis"), [("channel", 1), ("I", 0), ("I", 1), ("T", 0), ("rectangular tube", 1)]
)
@pytest.mark.parametrize(("mesh_as", "within"), [("line", 2e-4), ("shell", 1e-6)])
def test_mirrored_loads(shape: str, axis: int, mesh_as: str, within: float) -> None:
    """Lines to what meshing a section leaves of its symmetry; a moment is turned about what it is
    not mirrored in."""
    rng = np.random.default_rng(axis + len(shape))
    force = np.array([*(300 * rng.uniform(-1, 1, 2)), -3000 * rng.uniform(0.3, 1)])
    moment, offset = 2e4 * rng.uniform(-1, 1, 3), rng.uniform(-15, 15, 3) * [1, 1, 0]
    sign = np.ones(3)
    sign[axis] = -1
    factors, yields = found(shape, mesh_as, force, moment, offset)
    others, same = found(shape, mesh_as, sign * force, -sign * moment, sign * offset)
    assert others == pytest.approx(factors, rel=within)
    assert same == pytest.approx(yields, rel=within)
    if mesh_as == "line":  # a moment that is mirrored as an arrow is another load
        wrong, _ = found(shape, mesh_as, sign * force, sign * moment, offset)
        assert len(wrong) != len(factors) or not np.allclose(wrong, factors, rtol=1e-3)
