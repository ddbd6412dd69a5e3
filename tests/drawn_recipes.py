"""Failing parts from recipes with sizes drawn at random: struts, folded sheet, plates in
compression, a ribbed plate."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from tests.judge.test_mistakes import ALL, STEEL

Rng = np.random.Generator


def mm(value: float) -> str:
    return f"{value:.6g} mm"


def drawn(rng: Rng, low: float, high: float, step: float = 0.5) -> float:
    return float(step * np.round(rng.uniform(low, high) / step))


def column(recipe: dict[str, Any], length: float, name: str = "leg") -> dict[str, Any]:
    """A shell along z, clamped at its start, pushed at its end through a stiff hub."""
    return {
        "materials": [STEEL],
        "pieces": [
            {
                "name": name,
                "material": "steel",
                "mesh_as": "shell",
                "recipe": {**recipe, "length": mm(length)},
            }
        ],
        "regions": [
            {"name": "foot", "names": [f"{name}/start"]},
            {"name": "head", "names": [f"{name}/end"]},
        ],
        "hubs": [{"name": "cap", "region": "head", "kind": "stiff"}],
        "supports": [{"name": "foot", "on": "foot", "held": ALL}],
        "loads": [
            {"kind": "force", "name": "push", "on": "cap", "components": ["0 N", "0 N", "-1 kN"]}
        ],
        "cases": [{"name": "one", "loads": [{"load": "push"}]}],
        "criteria": {"modes": 4, "required_factor": "1"},
    }


def square_tube(rng: Rng) -> dict[str, Any]:
    return column(
        {
            "kind": "strut",
            "section": {
                "shape": "square tube",
                "width": mm(drawn(rng, 30, 60)),
                "thickness": mm(drawn(rng, 1, 2.5)),
            },
        },
        drawn(rng, 500, 1200, 10),
    )


def round_tube(rng: Rng) -> dict[str, Any]:
    return column(
        {
            "kind": "strut",
            "section": {
                "shape": "round tube",
                "diameter": mm(drawn(rng, 30, 60)),
                "thickness": mm(drawn(rng, 1.5, 3)),
            },
        },
        drawn(rng, 600, 1200, 10),
    )


def angle(rng: Rng) -> dict[str, Any]:
    width = drawn(rng, 30, 60)
    return column(
        {
            "kind": "strut",
            "section": {
                "shape": "angle",
                "width": mm(width),
                "height": mm(drawn(rng, width, 1.5 * width)),
                "thickness": mm(drawn(rng, 1.5, 4)),
            },
        },
        drawn(rng, 400, 900, 10),
    )


def hat(rng: Rng) -> dict[str, Any]:
    return column(
        {
            "kind": "strut",
            "section": {
                "shape": "hat",
                "width": mm(drawn(rng, 40, 70)),
                "height": mm(drawn(rng, 20, 40)),
                "flange": mm(drawn(rng, 12, 20)),
                "thickness": mm(drawn(rng, 1, 2)),
            },
        },
        drawn(rng, 300, 800, 10),
    )


def folded_channel(rng: Rng) -> dict[str, Any]:
    web, flange = drawn(rng, 60, 120), drawn(rng, 25, 45)
    profile = [[mm(x), mm(y)] for x, y in ((flange, 0), (0, 0), (0, web), (flange, web))]
    t = drawn(rng, 1, 2)
    return column(
        {"kind": "folded sheet", "profile": profile, "thickness": mm(t), "bend": mm(1.5 * t)},
        drawn(rng, 300, 900, 10),
    )


def flat_plate(
    name: str, corners: list[tuple[float, float]], thickness: float, **more: Any
) -> dict[str, Any]:
    return {
        "name": name,
        "material": "steel",
        "mesh_as": "shell",
        "recipe": {
            "kind": "plate",
            "thickness": mm(thickness),
            "outline": [{"x": mm(x), "y": mm(y)} for x, y in corners],
        },
        **more,
    }


def pressed_plate(rng: Rng, **more: Any) -> dict[str, Any]:
    """Held sideways round its edges, pushed along its length."""
    a, b = drawn(rng, 150, 400, 5), drawn(rng, 80, 150, 5)
    plate = flat_plate("wall", [(0, 0), (a, 0), (a, b), (0, b)], drawn(rng, 0.8, 3, 0.1))
    return {
        "materials": [STEEL],
        "pieces": [plate],
        "regions": [{"name": f"side {k}", "names": [f"wall/side.{k}"]} for k in range(1, 5)],
        "supports": [
            {"name": "end", "on": "side 4", "held": ["x", "z"]},
            {"name": "long", "on": "side 1", "held": ["y", "z"]},
            {"name": "other", "on": "side 3", "held": ["z"]},
            {"name": "head", "on": "side 2", "held": ["z"]},
        ],
        "loads": [
            {"kind": "force", "name": "push", "on": "side 2", "components": ["-2 kN", "0 N", "0 N"]}
        ],
        "cases": [{"name": "one", "loads": [{"load": "push"}]}],
        "criteria": {"modes": 4, "required_factor": "1"},
        **more,
    }


def ribbed_cantilever(rng: Rng) -> dict[str, Any]:
    """A plate out from a wall with a rib under it, loaded down at its end: the rib's free edge
    is pressed."""
    a, b, h = drawn(rng, 150, 260, 5), drawn(rng, 50, 90, 5), drawn(rng, 40, 70, 5)
    plate = flat_plate("shelf", [(0, 0), (a, 0), (a, b), (0, b)], drawn(rng, 2, 4))
    rib = flat_plate(
        "rib",
        [(0, 0), (a, 0), (0, -h)],
        drawn(rng, 0.6, 1.2, 0.1),
        place={"at": ["0 mm", mm(b / 2), "0 mm"], "turns": [{"about": "x", "angle": "90 deg"}]},
    )
    return {
        "materials": [STEEL],
        "pieces": [plate, rib],
        "regions": [
            {"name": "root", "names": ["shelf/side.4", "rib/side.3"]},
            {"name": "tip", "names": ["shelf/side.2"]},
        ],
        "supports": [{"name": "root", "on": "root", "held": ALL}],
        "loads": [
            {"kind": "force", "name": "down", "on": "tip", "components": ["0 N", "0 N", "-500 N"]}
        ],
        "cases": [{"name": "one", "loads": [{"load": "down"}]}],
        "criteria": {"modes": 4, "required_factor": "1"},
    }


def sheared_web(rng: Rng) -> dict[str, Any]:
    """A plate clamped along one edge and pulled sideways along the opposite one."""
    a, b = drawn(rng, 150, 300, 5), drawn(rng, 150, 250, 5)
    plate = flat_plate("web", [(0, 0), (a, 0), (a, b), (0, b)], drawn(rng, 0.8, 2, 0.1))
    return {
        "materials": [STEEL],
        "pieces": [plate],
        "regions": [{"name": f"side {k}", "names": [f"web/side.{k}"]} for k in range(1, 5)],
        "supports": [
            {"name": "low", "on": "side 1", "held": ALL},
            *[{"name": f"edge {k}", "on": f"side {k}", "held": ["z"]} for k in (2, 3, 4)],
        ],
        "loads": [
            {"kind": "force", "name": "along", "on": "side 3", "components": ["3 kN", "0 N", "0 N"]}
        ],
        "cases": [{"name": "one", "loads": [{"load": "along"}]}],
        "criteria": {"modes": 4, "required_factor": "1"},
    }


KINDS: dict[str, Callable[[Rng], dict[str, Any]]] = {
    "square tube": square_tube,
    "round tube": round_tube,
    "angle": angle,
    "hat": hat,
    "folded channel": folded_channel,
    "pressed plate": pressed_plate,
    "ribbed cantilever": ribbed_cantilever,
    "sheared web": sheared_web,
}
