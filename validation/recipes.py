"""Short ways to write recipes and statements in the cases."""

from __future__ import annotations

from typing import Any


def mm(value: float) -> str:
    """A length."""
    return f"{float(value)!r} mm"


def flat(x: float, y: float, thickness: float) -> dict[str, Any]:
    """Rectangular plate from the origin: side.1 along x at y = 0, side.2 at x, side.3 at y,
    side.4 at x = 0."""
    return {
        "kind": "plate",
        "thickness": mm(thickness),
        "outline": [{"x": mm(a), "y": mm(b)} for a, b in ((0, 0), (x, 0), (x, y), (0, y))],
    }


def shell(
    name: str,
    recipe: dict[str, Any],
    at: tuple[float, float, float] = (0, 0, 0),
    turns: tuple[tuple[str, float], ...] = (),
    mesh_as: str = "shell",
    **more: Any,
) -> dict[str, Any]:
    """A piece of steel."""
    return {
        "name": name,
        "recipe": recipe,
        "material": "steel",
        "mesh_as": mesh_as,
        "place": {
            "at": [mm(c) for c in at],
            "turns": [{"about": axis, "angle": f"{float(angle)!r} deg"} for axis, angle in turns],
        },
        **more,
    }


def region(name: str, *names: str) -> dict[str, Any]:
    """A region by names."""
    return {"name": name, "names": list(names)}


def hold(on: str, *held: str, **axes: Any) -> dict[str, Any]:
    """A support; `axes` as keyword when not global."""
    return {"name": f"{on} {' '.join(held)}", "on": on, "held": list(held), **axes}


def case_of(*loads: dict[str, Any]) -> dict[str, Any]:
    """Loads and the one case that holds them all."""
    return {
        "loads": list(loads),
        "cases": [{"name": "load", "loads": [{"load": load["name"]} for load in loads]}],
    }


def line(on: str, x: float = 0.0, y: float = 0.0, z: float = 0.0, **more: Any) -> dict[str, Any]:
    """A force per length, N/mm."""
    return {
        "kind": "line",
        "name": f"line {on}",
        "on": on,
        "components": [f"{float(c)!r} N/mm" for c in (x, y, z)],
        **more,
    }


def force(on: str, x: float = 0.0, y: float = 0.0, z: float = 0.0, **more: Any) -> dict[str, Any]:
    """A force, N."""
    return {
        "kind": "force",
        "name": f"force {on}",
        "on": on,
        "components": [f"{float(c)!r} N" for c in (x, y, z)],
        **more,
    }
