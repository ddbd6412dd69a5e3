"""Parts of which theory says what buckles and how: the driver and the kind of the first mode."""

from __future__ import annotations

from typing import Any

import pytest

from labilis.model import load_project
from labilis.run import Plan, Runner, Snapshot, judge_project
from validation.recipes import case_of, flat, force, hold, mm, region, shell

SIX = ("x", "y", "z", "turn_x", "turn_y", "turn_z")
STEEL = {"name": "steel", "youngs_modulus": "210 GPa", "poisson_ratio": "0.3"}


def strut(
    shape: str,
    length: float,
    mesh_as: str = "shell",
    name: str = "a",
    at: tuple[float, float, float] = (0, 0, 0),
    **sizes: float,
) -> Any:
    section = {"shape": shape, **{word: mm(value) for word, value in sizes.items()}}
    return shell(
        name, {"kind": "strut", "length": mm(length), "section": section}, at, mesh_as=mesh_as
    )


def column(piece: dict[str, Any], head: tuple[str, ...] = (), size: float = 8.0) -> dict[str, Any]:
    """Foot fixed, head free but for the motions held, pushed down."""
    supports = [hold("foot", *(SIX if piece["mesh_as"] != "solid" else SIX[:3]))] + (
        [hold("head", *head)] if head else []
    )
    return {
        "pieces": [piece],
        "regions": [region("foot", "a/start"), region("head", "a/end")],
        "supports": supports,
        **case_of(force("head", z=-1000.0)),
        "mesh": {"size": mm(size)},
    }


def pinned(piece: dict[str, Any], size: float = 8.0) -> dict[str, Any]:
    model = column(piece, ("x", "y", "turn_z"), size)
    model["supports"][0] = hold("foot", "x", "y", "z", "turn_z")
    return model


def pressed_plate(long: float, wide: float, thick: float) -> dict[str, Any]:
    sides = [
        region(name, f"a/side.{number}")
        for name, number in (("low", 1), ("right", 2), ("top", 3), ("left", 4))
    ]
    return {
        "pieces": [shell("a", flat(long, wide, thick))],
        "regions": sides,
        "supports": [
            *(hold(side, "z") for side in ("low", "right", "top", "left")),
            hold("left", "x", "turn_x"),
            hold("low", "y"),
        ],
        **case_of(force("right", x=-1000.0)),
        "mesh": {"size": mm(wide / 8)},
    }


def ribbed() -> dict[str, Any]:
    """A stout base with a high thin rib pressed along its upper border."""
    rib = shell(
        "rib",
        {
            "kind": "rib",
            "width": "150 mm",
            "height": "80 mm",
            "top": "149 mm",
            "thickness": "0.8 mm",
        },
        (0, 30, 3),
        (("x", 90.0),),
    )
    return {
        "pieces": [shell("a", flat(150, 60, 6)), rib],
        "regions": [region("foot", "a/face"), region("head", "rib/top")],
        "supports": [hold("foot", *SIX)],
        **case_of(force("head", z=-1000.0)),
        "mesh": {"size": "8 mm"},
    }


def gate(thin: float, thick: float) -> dict[str, Any]:
    """Two legs under a stiff beam: the thinner one gives way."""
    legs = [
        strut("flat", 300, name=name, at=(x, 0, 0), width=20, thickness=t)
        for name, x, t in (("a", 0, thick), ("weak", 200, thin))
    ]
    beam = shell("beam", flat(240, 40, 10), (-20, -20, 305))
    return {
        "pieces": [*legs, beam],
        "regions": [region("feet", "a/start", "weak/start"), region("top", "beam/face")],
        "supports": [hold("feet", *SIX), hold("top", "x", "y", "turn_x", "turn_y")],
        **case_of(force("top", z=-1000.0)),
        "mesh": {"size": "10 mm"},
    }


PARTS: dict[str, tuple[dict[str, Any], str, str]] = {
    "flat cantilever": (column(strut("flat", 300, width=30, thickness=3)), "a", "member sway"),
    "flat strut between pins": (
        pinned(strut("flat", 300, width=30, thickness=3)),
        "a",
        "member bow",
    ),
    "channel between pins, slender": (
        pinned(strut("channel", 1500, width=30, height=60, thickness=3), 12.0),
        "a",
        "member bow",
    ),
    "solid round cantilever": (
        column(strut("round", 300, "solid", diameter=12), size=6.0),
        "a",
        "member sway",
    ),
    "line between pins": (
        pinned(strut("square tube", 900, "line", width=30, thickness=2), 50.0),
        "a",
        "member bow",
    ),
    "wide plate held all round": (pressed_plate(200, 150, 2), "a", "plate"),
    "long plate held all round": (pressed_plate(400, 100, 1.5), "a", "plate"),
    "square tube with thin walls": (
        column(strut("square tube", 200, width=80, thickness=1), ("x", "y")),
        "a",
        "local wall",
    ),
    "rectangular tube with thin walls": (
        column(strut("rectangular tube", 240, width=50, height=100, thickness=1), ("x", "y")),
        "a",
        "local wall",
    ),
    "round tube with a thin wall": (
        column(strut("round tube", 120, diameter=100, thickness=0.4), ("x", "y"), 6.0),
        "a",
        "local wall",
    ),
    "hat with thin walls": (
        column(strut("hat", 150, width=80, height=50, flange=25, thickness=0.8), ("x", "y")),
        "a",
        "local wall",
    ),
    "angle with equal legs, stocky": (
        pinned(strut("angle", 500, width=50, height=50, thickness=1.5), 10.0),
        "a",
        "torsion",
    ),
    "rib pressed along its border": (ribbed(), "rib", "stiffener"),
    "gate with one thin leg": (gate(2.0, 6.0), "weak", "member bow"),
    "gate with the other thin leg": (gate(6.0, 2.0), "a", "member bow"),
}


@pytest.mark.parametrize("name", list(PARTS))
def test_driver_and_kind_are_what_theory_says(name: str) -> None:
    model, driver, kind = PARTS[name]
    project = load_project({"materials": [STEEL], "criteria": {"modes": 1}, **model})
    facts = judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0].facts
    assert facts.modes is not None and len(facts.modes.positive)
    assert (facts.modes.drivers[0], facts.kinds[0]) == (driver, kind)
