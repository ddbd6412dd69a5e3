"""The two-bar frame on which Koiter's theory was first tested: it falls after buckling when its
corner turns to one side."""

from __future__ import annotations

from typing import Any

import numpy as np

from validation.case import Case
from validation.recipes import case_of, flat, hold, line, mm, region, shell

L, W, T = 400.0, 20.0, 2.0
STEEL = {
    "name": "steel",
    "youngs_modulus": "210 GPa",
    "poisson_ratio": "0",
    "yield_strength": "2000 MPa",
}
EI = 210e3 * W * T**3 / 12
CRITICAL = 13.89 * EI / L**2  # N; root of the frame's equation (Koiter 1967)


def frame(**more: Any) -> dict[str, Any]:
    """Two equal strips at a right angle, hinged at their far ends, the corner pressed down along
    the upright one (Roorda 1965)."""
    column, beam = (
        shell("column", flat(L, W, T), (0, 0, 0), (("y", -90.0),)),
        shell("beam", flat(L, W, T), (0, 0, L)),
    )
    return {
        "materials": [STEEL],
        "pieces": [column, beam],
        "regions": [
            region("foot", "column/side.4"),
            region("far", "beam/side.2"),
            region("corner", "beam/side.4"),
        ],
        "supports": [hold("foot", "x", "y", "z"), hold("far", "x", "y", "z")],
        "mesh": {"size": mm(10)},
        **case_of(line("corner", z=-1.0)),
        **more,
    }


def fall_per_turn(report: Any) -> float:
    """Relative fall of the load per radian by which the corner turns, just after buckling."""
    facts = report.cases[0].facts
    nodes, shape = facts.mesh.nodes, facts.modes.shapes[0]
    near = np.flatnonzero(
        (np.abs(nodes[:, 2] - L) < 1e-6)
        & (nodes[:, 0] < 0.1 * L + 1e-6)
        & (np.abs(nodes[:, 1]) < 1e-6)
    )
    # of the beam at the corner, per mm of the shape
    slope = np.polyfit(nodes[near, 0], shape[near, 2], 3)[-2]
    return float(abs(facts.modes.skew[0] / slope))


_MODEL = frame(criteria={"modes": 2})
CASES = [
    Case(
        "two-bar frame: critical load",
        "N per mm of width",
        None,
        None,
        _MODEL,
        CRITICAL / W,
        "Koiter 1967, 13.89 EI/L²",
        0.01,
        quick=True,
    ),
    Case(
        "two-bar frame: fall per radian of its corner",
        "relative to the critical load",
        None,
        None,
        _MODEL,
        0.3805,
        "Koiter 1967",
        0.03,
        fall_per_turn,
    ),
]
