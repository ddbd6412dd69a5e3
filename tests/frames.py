"""Frames of lines for tests."""

from __future__ import annotations

from typing import Any

STEEL = {
    "name": "structural steel S235",
    "youngs_modulus": "210 GPa",
    "poisson_ratio": "0.3",
    "density": "7850 kg/m^3",
    "yield_strength": "235 MPa",
    "source": "EN 1993-1-1, table 3.1",
}
TUBE = {
    "shape": "rectangular tube",
    "width": "40 mm",
    "height": "60 mm",
    "thickness": "3 mm",
}


def strut(
    name: str,
    length: float,
    at: tuple[float, float, float] = (0, 0, 0),
    turns: tuple[tuple[str, float], ...] = (),
    section: dict[str, Any] | None = None,
) -> dict[str, Any]:
    recipe = {"kind": "strut", "length": f"{length} mm", "section": section or TUBE}
    return {
        "name": name,
        "recipe": recipe,
        "material": STEEL["name"],
        "mesh_as": "line",
        "place": {
            "at": [f"{c} mm" for c in at],
            "turns": [{"about": axis, "angle": f"{angle} deg"} for axis, angle in turns],
        },
    }


def force(on: str, x: float = 0.0, y: float = 0.0, z: float = 0.0) -> dict[str, Any]:
    return {
        "kind": "force",
        "name": f"push {on}",
        "on": on,
        "components": [f"{c} N" for c in (x, y, z)],
    }


def portal(**more: Any) -> dict[str, Any]:
    """Two posts and a beam, clamped at their feet, pushed at a corner."""
    return {
        "name": "Gauge portal",
        "scenario": "Vellmark tide station",
        "materials": [STEEL],
        "pieces": [
            strut("left post", 1200),
            strut("right post", 1200, (1600, 0, 0)),
            strut("beam", 1600, (0, 0, 1200), (("y", 90.0),)),
        ],
        "regions": [
            {"name": "feet", "names": ["left post/start", "right post/start"]},
            {"name": "corner", "names": ["beam/start"]},
        ],
        "supports": [
            {"name": "feet", "on": "feet", "held": ["x", "y", "z", "turn_x", "turn_y", "turn_z"]}
        ],
        "loads": [
            force("corner", 400.0, 100.0, -6000.0),
            {"kind": "weight", "name": "own weight", "growth": "held"},
        ],
        "cases": [{"name": "storm", "loads": [{"load": "push corner"}, {"load": "own weight"}]}],
        "criteria": {"modes": 2},
        **more,
    }
