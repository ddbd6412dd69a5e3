"""What yields on its way: struts between Euler's and the squash load, plates and tubes after
buckling, and what snaps through."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq, minimize_scalar

from validation.case import Case
from validation.recipes import case_of, flat, force, hold, mm, region, shell

Floats = NDArray[np.float64]
E, FY = 210e3, 235.0
WIDTH, DEPTH, LENGTH = 10.0, 6.0, 163.0  # a strut of slenderness 1 in Euler's measure
STEEL = {
    "name": "steel",
    "youngs_modulus": "210 GPa",
    "poisson_ratio": "0.3",
    "yield_strength": "235 MPa",
}


def moment_curve(axial: float, curvature: Floats, fibres: int = 400) -> Floats:
    """Moments (k,) N mm of the rectangular section, elastic and then perfectly plastic, at
    curvatures (k,) under an axial compression."""
    z = (np.arange(fibres) + 0.5) / fibres * DEPTH - DEPTH / 2
    area = WIDTH * DEPTH / fibres

    def stress(middle: float, bent: float) -> Floats:
        return np.clip(E * (middle + bent * z), -FY, FY)

    found = []
    for bent in curvature:
        reach = FY / E + abs(bent) * DEPTH
        middle = brentq(
            lambda m, bent=bent: float(stress(m, bent).sum() * area) - axial, -2 * reach, 2 * reach
        )
        found.append(float((stress(middle, bent) * z).sum() * area))
    return np.array(found)


@lru_cache
def column(bow: float) -> float:
    """Largest load (N) of a pinned strut with half a sine of bow, by integrating its deflected
    shape from mid length (von Kármán 1910): for each motion of mid length the load at which the end
    comes to lie on the axis."""
    steps = 120
    h = 0.5 * LENGTH / steps
    euler = np.pi**2 * E * WIDTH * DEPTH**3 / 12 / LENGTH**2

    def end(load: float, middle: float) -> float:
        curvatures = np.linspace(0.0, 12 * FY / E / DEPTH, 240)
        moments = moment_curve(load, curvatures)
        y, slope = middle, 0.0
        for k in range(steps):
            x = (k + 0.5) * h
            bent = float(np.interp(load * max(y + 0.5 * h * slope, 0.0), moments, curvatures))
            if load * y > moments[-1]:
                return -1.0  # the section cannot carry it: the shape falls below the axis
            own = bow * (np.pi / LENGTH) ** 2 * np.cos(np.pi * x / LENGTH)
            new = slope - h * (bent + own)
            y += 0.5 * h * (slope + new)
            slope = new
        return y

    def carried(middle: float) -> float:
        low, high = 1e-3 * euler, min(euler, FY * WIDTH * DEPTH) * (1 - 1e-6)
        return (
            -1.0
            if end(low, middle) < 0
            else float(brentq(lambda load: end(load, middle), low, high, xtol=1e-2))
            if (end(high, middle) < 0)
            else high
        )

    best = minimize_scalar(
        lambda middle: -carried(middle),
        bounds=(2 * bow, 12 * bow),
        method="bounded",
        options={"xatol": 0.02 * bow},
    )
    return -float(best.fun)


def strut(mesh_as: str) -> Case:
    bow = LENGTH / 1000
    base: dict[str, Any] = {
        "materials": [STEEL],
        "mesh": {"size": "3 mm" if mesh_as == "solid" else "4 mm"},
        "criteria": {"modes": 1},
        "trace": {
            "mode": 1,
            "amplitude": mm(bow),
            "target": "1e6",
            "deflection": "40 mm",
            "steps": 60,
        },
    }
    if mesh_as == "line":
        sizes = {"width": mm(WIDTH), "thickness": mm(DEPTH)}
        recipe = {"kind": "strut", "length": mm(LENGTH), "section": {"shape": "flat", **sizes}}
        model = {
            **base,
            "pieces": [shell("strut", recipe, mesh_as="line")],
            "regions": [region("foot", "strut/start"), region("head", "strut/end")],
            "supports": [hold("foot", "x", "y", "z", "turn_z"), hold("head", "x", "y", "turn_z")],
            **case_of(force("head", z=-1000.0)),
            "mesh": {"size": "16 mm"},
        }
    elif mesh_as == "shell":
        model = {
            **base,
            "pieces": [shell("strut", flat(LENGTH, WIDTH, DEPTH))],
            "regions": [region("foot", "strut/side.4"), region("head", "strut/side.2")],
            "supports": [hold("foot", "x", "y", "z"), hold("head", "y", "z")],
            **case_of(force("head", x=-1000.0)),
        }
    else:
        model = {
            **base,
            "pieces": [shell("strut", flat(LENGTH, WIDTH, DEPTH), mesh_as="solid")],
            "regions": [region("foot", "strut/side.4"), region("head", "strut/side.2")],
            "hubs": [{"name": "low", "region": "foot"}, {"name": "high", "region": "head"}],
            "supports": [
                hold("low", "x", "y", "z", "turn_x", "turn_z"),
                hold("high", "y", "z", "turn_x", "turn_z"),
            ],
            **case_of({**force("high", x=-1000.0), "name": "push"}),
        }
    return Case(
        f"trace: elastic-plastic strut with a bow of L/1000, {mesh_as}",
        "limit load, N",
        None,
        None,
        model,
        lambda: column(bow),
        "integration of the deflected shape after von Kármán 1910",
        0.03,
        lambda report: 1000.0 * float(report.cases[0].facts.trace.limit),
        table="Trace",
        upto="trace",
        quick=mesh_as != "solid",
    )


def plate() -> Case:
    """End stiffness of a square plate after it has buckled over that before, its loaded edges
    straight, the others free to wave."""
    b, t = 200.0, 1.0
    strain = 4 * np.pi**2 / (12 * (1 - 0.3**2)) * (t / b) ** 2
    model = {
        "materials": [{**STEEL, "yield_strength": None}],
        "pieces": [shell("plate", flat(b, b, t))],
        "regions": [
            region("left", "plate/side.4"),
            region("right", "plate/side.2"),
            region("low", "plate/side.1"),
            region("high", "plate/side.3"),
            region("corner", "plate/side.1"),
        ],
        "supports": [
            hold("left", "x", "z", "turn_x"),
            {**hold("right", "x", "z", "turn_x"), "name": "pushed"},
            hold("low", "z", "turn_y"),
            hold("high", "z", "turn_y"),
        ],
        "springs": [{"name": "soft", "on": "low", "y": "1e-3 N/mm"}],
        "loads": [
            {
                "kind": "move",
                "name": "squeeze",
                "support": "pushed",
                "components": [mm(-strain * b), "0 mm", "0 mm"],
            }
        ],
        "cases": [{"name": "load", "loads": [{"load": "squeeze"}]}],
        "mesh": {"size": "20 mm"},
        "criteria": {"modes": 1},
        "trace": {
            "mode": 1,
            "amplitude": "0.01 mm",
            "target": "1.5",
            "deflection": "1 m",
            "steps": 60,
        },
    }
    return Case(
        "trace: square plate after buckling, loaded edges straight, the others free to wave",
        "end stiffness over that before",
        None,
        None,
        model,
        0.408,
        "Hemp 1945; Coan 1951",
        0.05,
        _softening,
        table="Trace",
        upto="trace",
        quick=True,
    )


def _softening(report: Any) -> float:
    trace = report.cases[0].facts.trace
    force = np.interp([0.2, 0.5, 1.15, 1.45], trace.factors, trace.force)
    return float((force[3] - force[2]) / (force[1] - force[0]))


CASES = [strut("line"), strut("shell"), strut("solid"), plate()]
