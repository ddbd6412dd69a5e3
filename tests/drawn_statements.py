"""A square tube on a drilled plate, with supports, springs, hubs and loads of all kinds drawn at
random."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from tests.drawn_recipes import flat_plate, mm
from tests.judge.test_mistakes import STEEL

Rng = np.random.Generator


def drawn(seed: int, mesh_as: str = "shell") -> dict[str, Any]:
    """Of a seed always the same."""
    rng = np.random.default_rng(seed)
    a, b, t = rng.uniform(80, 200), rng.uniform(40, 90), rng.uniform(1.5, 4)
    loads = _loads(rng, a, b, mesh_as)
    factors = rng.uniform(0.6, 1.4, len(loads))
    return {
        "materials": [STEEL | {"expansion": "12e-6/K", "density": "7850 kg/m^3"}],
        "pieces": _pieces(rng, a, b, t, mesh_as),
        "regions": [
            *({"name": f"s{k}", "names": [f"plate/side.{k}"]} for k in (1, 2, 3, 4)),
            {"name": "bore", "names": ["plate/hole.1"]},
            {"name": "top", "names": ["post/end"]},
            {"name": "skin", "names": ["plate/face" if mesh_as == "shell" else "plate/bottom"]},
        ],
        "hubs": [{"kind": "stiff", "name": "cap", "region": "top"}],
        "supports": _supports(rng, mesh_as),
        "springs": _springs(rng),
        "loads": loads,
        "cases": [
            {
                "name": "one",
                "loads": [
                    {"load": load["name"], "factor": f"{factor:.3g}"}
                    for load, factor in zip(loads, factors)
                ],
            }
        ],
        "criteria": {"modes": 4, "required_factor": "1"},
        "mesh": {"size": "12 mm" if mesh_as == "shell" else "10 mm"},
    }


def _pieces(rng: Rng, a: float, b: float, t: float, mesh_as: str) -> list[dict[str, Any]]:
    corners = [(0.0, 0.0), (a, 0.0), (a, b), (0.0, b)]
    plate = flat_plate("plate", corners, t, mesh_as=mesh_as)
    plate["recipe"]["openings"] = [{"x": mm(0.4 * a), "y": mm(b / 2), "diameter": mm(0.3 * b)}]
    section = {"shape": "square tube", "width": mm(0.5 * b), "thickness": mm(max(0.6 * t, 1.2))}
    post = {
        "name": "post",
        "material": "steel",
        "mesh_as": mesh_as,
        "recipe": {"kind": "strut", "length": mm(rng.uniform(60, 150)), "section": section},
        "place": {"at": [mm(0.8 * a), mm(b / 2), mm(t / 2)]},
    }
    return [plate, post]


def _supports(rng: Rng, mesh_as: str) -> list[dict[str, Any]]:
    turns = ["turn_x", "turn_y", "turn_z"] if mesh_as == "shell" else []
    found: list[dict[str, Any]] = [{"name": "left", "on": "s4", "held": ["x", "y", "z", *turns]}]
    if rng.random() < 0.5:
        held = ["axial", *(["tangential"] if rng.random() < 0.5 else [])]
        found.append({"name": "bore", "on": "bore", "axes": {"kind": "cylindrical"}, "held": held})
    return found


def _springs(rng: Rng) -> list[dict[str, Any]]:
    along = [f"{value:.4g} N/mm" for value in rng.uniform(50, 5000, 2)]
    each: list[dict[str, Any]] = [
        {"name": "sp", "on": "s2", "x": along[0], "z": along[1]},
        {
            "name": "bed",
            "on": "skin",
            "per": "area",
            "normal": f"{rng.uniform(0.001, 0.1):.4g} N/mm^3",
        },
        {"name": "turn", "on": "cap", "turn_y": f"{rng.uniform(1e4, 1e6):.4g} N*mm/rad"},
    ]
    return [spring for spring in each if rng.random() < 0.4]


def _loads(rng: Rng, a: float, b: float, mesh_as: str) -> list[dict[str, Any]]:
    push = 200 * rng.uniform(-1, 1, 3) - [0, 0, 900]
    leaning = {"angle": f"{rng.uniform(0.2, 2):.3g} deg", "toward": "x"}
    lever = [mm(rng.uniform(-4, 4)), mm(rng.uniform(-4, 4)), "0 mm"]
    force = {"kind": "force", "name": "push", "on": "cap", "components": _three(push, "N")}
    force |= {"tilt": leaning} if rng.random() < 0.4 else {}
    force |= {"offset": lever} if rng.random() < 0.4 else {}
    turn, rail = 4000 * rng.uniform(-1, 1, 3), rng.uniform(-1, 1, 3)
    others: list[dict[str, Any]] = [
        {"kind": "moment", "name": "twist", "on": "cap", "components": _three(turn, "N*mm")},
        {
            "kind": "pressure",
            "name": "water",
            "on": "skin",
            "pressure": f"{rng.uniform(0.002, 0.02):.3g} MPa",
            "direction": "following" if rng.random() < 0.5 else "fixed",
        },
        {"kind": "line", "name": "rail", "on": "s3", "components": _three(rail, "N/mm")},
        {"kind": "temperature", "name": "warm", "change": f"{rng.uniform(-30, 30):.3g} K"},
        {"kind": "weight", "name": "weight", "growth": "held"},
        {
            "kind": "move",
            "name": "settle",
            "support": "left",
            "components": ["0 mm", "0 mm", mm(rng.uniform(-0.2, 0.2))],
            "growth": "held",
        },
    ]
    kept = [load for load in others if rng.random() < 0.45]
    return [force, *(load for load in kept if mesh_as == "shell" or load["kind"] != "line")]


def _three(values: Sequence[float], unit: str) -> list[str]:
    return [f"{value:.4g} {unit}" for value in values]
