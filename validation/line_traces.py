"""Large deflection of lines, through the same path as a user's trace."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from validation.case import Case
from validation.recipes import case_of, force, hold, mm, region, shell
from validation.traces import EI, STEEL, L, T, W, beam_frame

FLAT = {"shape": "flat", "width": mm(W), "thickness": mm(T)}
FIXED = hold("foot", "x", "y", "z", "turn_x", "turn_y", "turn_z")
FAR = {"deflection": "1e6 mm", "beyond_yield": 1e9, "steps": 200}


def strut(
    name: str,
    length: float,
    section: dict[str, Any],
    at: tuple[float, float, float] = (0, 0, 0),
    turns: tuple[tuple[str, float], ...] = (),
) -> dict[str, Any]:
    recipe = {"kind": "strut", "length": mm(length), "section": section}
    return shell(name, recipe, at, turns, mesh_as="line")


def cantilever(loads: dict[str, Any], size: float, **trace: Any) -> dict[str, Any]:
    """A strip along z, thin along y, clamped at its foot."""
    return {
        "materials": [STEEL],
        "pieces": [strut("strip", L, FLAT)],
        "regions": [region("foot", "strip/start"), region("head", "strip/end")],
        "supports": [FIXED],
        **loads,
        "mesh": {"size": mm(size)},
        "criteria": {"modes": 1},
        "trace": {"mode": 0, "target": "1", **FAR, **trace},
    }


def head(motion: Callable[[np.ndarray], float]) -> Callable[[Any], float]:
    """A figure of the motion of the free end (3,) over L, at the end of the trace."""

    def figure(report: Any) -> float:
        facts = report.cases[0].facts
        end = facts.mesh.nodes[:, 2] > L - 1e-6
        return motion(facts.trace.motions[-1][end][0] / L)

    return figure


def row(
    name: str,
    note: str,
    statements: dict[str, Any],
    reference: Any,
    source: str,
    within: float,
    figure: Callable[[Any], float],
) -> Case:
    return Case(
        f"trace: {name}, line",
        note,
        None,
        None,
        statements,
        reference,
        source,
        within,
        figure,
        table="Trace",
        upto="trace",
        quick=True,
    )


def sideways(motion: np.ndarray) -> float:
    return float(np.hypot(motion[0], motion[1]))


def shorter(motion: np.ndarray) -> float:
    return float(-motion[2])


def end_force(load: float, deflection: float, shortening: float) -> list[Case]:
    """Cantilever strip under an end force that keeps its direction, ten elements."""
    source = "Bisshopp and Drucker 1945, elliptic integrals"
    statements = cantilever(case_of(force("head", y=load * EI / L**2)), 50)
    name = f"cantilever, P L²/EI = {load:g}"
    return [
        row(f"{name}, {word}", "over the length", statements, value, source, 0.001, head(figure))
        for word, value, figure in (
            ("deflection", deflection, sideways),
            ("shortening", shortening, shorter),
        )
    ]


def roll_up() -> Case:
    """An end moment of 2 π E I / L rolls the strip into a full circle."""
    moment = [f"{2 * np.pi * EI / L!r} N*mm", "0 N*mm", "0 N*mm"]
    statements = cantilever(
        {
            "loads": [{"kind": "moment", "name": "m", "on": "head", "components": moment}],
            "cases": [{"name": "load", "loads": [{"load": "m"}]}],
        },
        20,
    )
    return row(
        "strip rolled into a full circle by an end moment",
        "shortening over the length",
        statements,
        1.0,
        "M = 2 π E I / L",
        0.001,
        head(shorter),
    )


def elastica(turn: float) -> list[Case]:
    """A nearly perfect cantilever far past buckling, as in `traces.elastica`."""
    from scipy.special import ellipe, ellipk

    k = float(np.sin(np.radians(turn) / 2))
    first, second = float(ellipk(k * k)), float(ellipe(k * k))
    load = (2 * first / np.pi) ** 2 * np.pi**2 * EI / (4 * L**2)
    statements = cantilever(case_of(force("head", z=-load)), 25, mode=1, amplitude="0.001 mm")
    source = "elastica by elliptic integrals; Timoshenko and Gere 1961, art. 2.7"
    name = f"nearly perfect cantilever past buckling, {turn:g}°"
    return [
        row(f"{name}, {word}", "over the length", statements, value, source, 0.001, head(figure))
        for word, value, figure in (
            ("deflection", 2 * k / first, sideways),
            ("shortening", 2 - 2 * second / first, shorter),
        )
    ]


def lee_frame() -> Case:
    """Hinged right-angle frame, as in `traces.lee_frame`."""
    leg, near, modulus = 1200.0, 240.0, 70608.0
    section = {"shape": "flat", "width": "20 mm", "thickness": "30 mm"}
    statements = {
        "materials": [
            {"name": "steel", "youngs_modulus": f"{modulus!r} MPa", "poisson_ratio": "0"}
        ],
        "pieces": [
            strut("column", leg, section),
            strut("near", near, section, (0, 0, leg), (("y", 90.0),)),
            strut("far", leg - near, section, (near, 0, leg), (("y", 90.0),)),
        ],
        "regions": [
            region("foot", "column/start"),
            region("end", "far/end"),
            region("load", "near/end"),
        ],
        "supports": [
            hold("foot", "x", "y", "z", "turn_x", "turn_z"),
            hold("end", "x", "y", "z", "turn_x", "turn_z"),
        ],
        **case_of(force("load", z=-1000.0)),
        "mesh": {"size": "100 mm"},
        "criteria": {"modes": 1},
        "trace": {"mode": 0, "target": "40", **FAR},
    }
    return row(
        "hinged right-angle frame",
        "limit load, kN",
        statements,
        beam_frame,
        "frame of Lee, Manuel and Rossow 1968 by corotational beams (18.55 is handed down, 1.9 % "
        "above)",
        0.01,
        lambda report: report.cases[0].facts.trace.limit,
    )


def toggle_limit(span: float, rise: float, stiff: float) -> float:
    """Limit load (N) of two hinged bars of E A = `stiff` N, each over `span` and up by `rise` mm:
    the largest of 2 E A (l0 - l) / l0 · h / l over the height h that is left."""
    rest = np.hypot(span, rise)
    h = np.linspace(0, rise, 200_001)
    now = np.hypot(span, h)
    return float((2 * stiff * (rest - now) / rest * h / now).max())


def toggle() -> Case:
    """Two hinged bars that snap through: nothing bends, hinges turn by finite angles."""
    span, rise = 400.0, 60.0
    length, angle = float(np.hypot(span, rise)), float(np.degrees(np.arctan2(rise, span)))
    section = {"shape": "round", "diameter": "8 mm"}
    free = {"motions": ["strong", "weak"]}
    bars = [
        {
            **strut("left", length, section, (-span, 0, 0), (("y", 90.0 - angle),)),
            "releases": [{"end": "start", **free}],
        },
        {
            **strut("right", length, section, (0, 0, rise), (("y", 90.0 + angle),)),
            "releases": [{"end": "start", **free}],
        },
    ]
    clamped = ("x", "y", "z", "turn_x", "turn_y", "turn_z")
    statements = {
        "materials": [STEEL],
        "pieces": bars,
        "regions": [
            region("foot", "left/start"),
            region("end", "right/end"),
            region("top", "left/end"),
        ],
        "supports": [
            hold("foot", *clamped),
            hold("end", "x", "y", "z", "turn_x", "turn_z"),
            hold("top", "y", "turn_x"),
        ],
        **case_of(force("top", z=-1000.0)),
        "mesh": {"size": "100 mm"},
        "criteria": {"modes": 1},
        "trace": {"mode": 0, "target": "1000", "longest": "2", **FAR},
    }
    area = np.pi * 16.0
    return row(
        "two hinged bars snap through",
        "limit load, kN",
        statements,
        toggle_limit(span, rise, 210e3 * area) / 1000.0,
        "2 E A (l0 - l) / l0 · h / l",
        0.005,
        lambda report: report.cases[0].facts.trace.limit,
    )


CASES = [
    *end_force(2, 0.4935, 0.1606),
    *end_force(10, 0.8106, 0.5550),
    roll_up(),
    *elastica(60.0),
    *elastica(120.0),
    lee_frame(),
    toggle(),
]
