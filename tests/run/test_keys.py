"""Whatever is stated and means something to a number changes a key: no result of other
statements is ever shown as current."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from labilis.model import load_project
from labilis.run import stage_keys
from labilis.store import load_model

EXAMPLES = Path(__file__).parents[2] / "examples"
# of classes that no piece has, and what is only said
SILENT = re.compile(
    r"name|scenario|criteria\.(member|stiffener|closed|required)_factor|criteria\.capacity|criteria\.(left_out|meant).*"
    r"|euler\..*|report.*|units|checks.*|plans\..*|design|variants\..*|.*\.source|bolts\.\d+\.(edge|grade)|seams\.\d+\.name"
)
EVERYTHING: dict[str, Any] = {
    "materials": [
        {
            "name": "steel",
            "youngs_modulus": "210 GPa",
            "poisson_ratio": "0.3",
            "density": "7850 kg/m^3",
            "yield_strength": "235 MPa",
            "expansion": "1.2e-5 /K",
            "hardening": [["0", "235 MPa"], ["0.1", "300 MPa"]],
        }
    ],
    "pieces": [
        {
            "name": "strip",
            "material": "steel",
            "mesh_as": "shell",
            "recipe": {
                "kind": "plate",
                "thickness": "2 mm",
                "outline": [
                    {"x": f"{x} mm", "y": f"{y} mm"}
                    for x, y in ((0, 0), (200, 0), (200, 20), (0, 20))
                ],
            },
        }
    ],
    "regions": [
        {"name": "foot", "names": ["strip/side.4"]},
        {"name": "head", "names": ["strip/side.2"]},
        {"name": "top", "names": ["strip/front"]},
    ],
    "hubs": [{"name": "ram", "region": "head", "at": ["201 mm", "10 mm", "0 mm"]}],
    "supports": [
        {
            "name": "foot",
            "on": "foot",
            "held": ["x", "y", "z", "turn_x"],
            "axes": {"kind": "local", "x_axis": [1, 0, 0], "xy_plane": [0, 1, 0]},
        }
    ],
    "bolts": [
        {
            "name": "M8",
            "through": ["foot", "head"],
            "diameter": "8 mm",
            "grade": "8.8",
            "faces": "apart",
            "turning": "free",
            "edge": "20 mm",
        }
    ],
    "seams": [{"name": "weld", "along": "foot", "to": "strip"}],
    "springs": [{"name": "soft", "on": "ram", "z": "5 N/mm"}],
    "loads": [
        {
            "kind": "force",
            "name": "a",
            "on": "ram",
            "components": ["-100 N", "1 N", "2 N"],
            "offset": ["0 mm", "1 mm", "2 mm"],
            "tilt": {"angle": "1 deg", "toward": "y"},
        },
        {
            "kind": "pressure",
            "name": "b",
            "on": "top",
            "pressure": "0.01 MPa",
            "direction": "fixed",
        },
        {"kind": "moment", "name": "c", "on": "ram", "components": ["1 N*m", "2 N*m", "3 N*m"]},
        {"kind": "weight", "name": "d", "acceleration": ["0 m/s^2", "1 m/s^2", "-9.81 m/s^2"]},
        {"kind": "temperature", "name": "e", "change": "20 K"},
        {
            "kind": "move",
            "name": "f",
            "support": "foot",
            "components": ["0.1 mm", "0.2 mm", "0.3 mm"],
        },
    ],
    "cases": [{"name": "one", "loads": [{"load": name, "factor": "1.5"} for name in "abcdef"]}],
    "mesh": {"size": "5 mm", "weld_gap": "0.5 mm", "zones": [{"region": "foot", "size": "2 mm"}]},
    "criteria": {"modes": 3, "second_opinion": True, "mesh_error": False},
    "trace": {
        "mode": 1,
        "amplitude": "0.2 mm",
        "target": "3",
        "steps": 30,
        "deflection": "20 mm",
        "modes_at": "1.5",
        "seeds": [{"mode": 2, "amplitude": "0.1 mm"}],
    },
}
OTHER = {
    "x": "y",
    "y": "z",
    "z": "x",
    "fixed": "following",
    "growing": "held",
    "total": "each",
    "stiff": "spread",
    "shell": "solid",
    "positive": "both",
    "+": "-",
    "swept": "tetrahedra",
    "apart": "bonded",
    "free": "held",
}


def leaves(value: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[tuple[Any, ...], Any]]:
    if isinstance(value, dict | list | tuple):
        for key, inner in value.items() if isinstance(value, dict) else enumerate(value):
            yield from leaves(inner, (*path, key))
    else:
        yield path, value


def another(value: Any) -> Any:
    """A near value of the same kind, or the same where there is none."""
    if isinstance(value, bool):
        return not value
    if isinstance(value, int):
        return value + 1
    if isinstance(value, float):
        return 1.1 * value + 0.01
    found = re.fullmatch(r"(-?[\d.]+(?:e-?\d+)?)(.*)", value or "")
    return f"{1.1 * float(found[1]) + 0.013:.6g}{found[2]}" if found else OTHER.get(value, value)


def with_leaf(stated: Any, path: tuple[Any, ...], value: Any) -> Any:
    copy = json.loads(json.dumps(stated))
    inner = copy
    for key in path[:-1]:
        inner = inner[key]
    inner[path[-1]] = value
    return copy


@pytest.mark.parametrize("name", ["everything", "sensor-bracket", "panel-prop"])
def test_every_leaf_changes_a_key_or_says_nothing(name: str) -> None:
    project = (
        load_project(EVERYTHING)
        if name == "everything"
        else load_model(EXAMPLES / f"{name}.json").project
    )
    stated = project.model_dump(mode="json")
    keys = {case.name: stage_keys(project, case.name) for case in project.cases}
    assert all(vars(found)["trace"] for found in keys.values())
    tried = 0
    for path, value in leaves(stated):
        if (new := another(value)) == value:
            continue
        try:
            changed = load_project(with_leaf(stated, path, new))
            after = {case.name: stage_keys(changed, case.name) for case in changed.cases}
        except Exception:  # it no longer fits the rest
            continue
        tried += 1
        if after == keys:
            where = ".".join(str(key) for key in path)
            assert SILENT.fullmatch(where) or (
                where == "mesh.within" and project.mesh.size is not None
            ), path
    assert tried > 30
