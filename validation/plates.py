"""Thin plates in compression as solids, their edges held at mid thickness."""

from __future__ import annotations

from typing import Any

import numpy as np

from labilis.shape import ShapeView
from validation.case import Case, edges_where, faces_at
from validation.parts import marked_box

E, NU = 210e3, 0.3
BREADTH, THICKNESS = 200.0, 2.0
BRYAN = "Bryan 1891; Timoshenko and Gere 1961, art. 9.2"


def stress(k: float) -> float:
    """k π² E / (12 (1 - ν²)) (t/b)², MPa."""
    return float(k * np.pi**2 * E / (12 * (1 - NU**2)) * (THICKNESS / BREADTH) ** 2)


def plate(length: float) -> Any:
    """Plate marked at mid thickness and along its middle lines."""
    return marked_box(
        [0, length / 2, length], [0, BREADTH / 2, BREADTH], [0, THICKNESS / 2, THICKNESS]
    )


def case(
    ratio: float, k: float, source: str, within: float, free_edge: bool = False, quick: bool = False
) -> Case:
    """Plate of length ratio × breadth, pressed on its ends; all edges simply supported, or one
    long edge free."""
    length = ratio * BREADTH

    def regions(view: ShapeView) -> dict[str, list[tuple[str, int]]]:
        # in-plane motion is held at three upright edges on supported sides, where the plate cannot
        # tilt: nothing is clamped
        half = THICKNESS / 2
        held = (
            edges_where(view, 1, x=0.0, z=half)
            + edges_where(view, 1, x=length, z=half)
            + edges_where(view, 0, y=0.0, z=half)
        )
        if not free_edge:
            held += edges_where(view, 0, y=BREADTH, z=half)
        return {
            "edges": held,
            "across": edges_where(view, 2, x=length / 2, y=0.0),
            "along": edges_where(view, 2, x=0.0, y=BREADTH / 2)
            + edges_where(view, 2, x=length, y=BREADTH / 2),
            "ends": faces_at(view, 0, 0.0) + faces_at(view, 0, length),
        }

    supports = [
        {"name": "edges", "on": "edges", "held": ["z"]},
        {"name": "across", "on": "across", "held": ["x"]},
        {"name": "along", "on": "along", "held": ["y"]},
    ]
    model = {
        "supports": supports,
        "loads": [{"kind": "pressure", "name": "squeeze", "on": "ends", "pressure": "1 MPa"}],
        "cases": [{"name": "squeeze", "loads": [{"load": "squeeze"}]}],
        "mesh": {"size": "12 mm" if not free_edge else "16 mm"},
        "criteria": {"modes": 2},
    }
    name = (
        f"plate a/b = {ratio:g}, one long edge free"
        if free_edge
        else f"simply supported plate, a/b = {ratio:g}"
    )
    return Case(
        f"{name}, solid",
        "stress compared; edges held at mid thickness",
        lambda: plate(length),
        regions,
        model,
        stress(k),
        f"k = {k:.4g}; {source}",
        within,
        quick=quick,
    )


def free_edge_k(ratio: float) -> float:
    """k of a plate with its ends and one long edge simply supported, the other long edge free
    (exact series, one half wave).

    Root of t β² tanh... the classical transcendental equation (Timoshenko and Gere 1961, art. 9.4):
    with m = π/a, α² = m² + m sqrt(σt/D), β² = m sqrt(σt/D) - m²: β (α² - ν m²)² tanh(α b) = α (β² +
    ν m²)² tan(β b)."""
    from scipy.optimize import brentq

    m = np.pi / (ratio * BREADTH)

    def residual(k: float) -> float:
        root = np.sqrt(k) * np.pi / BREADTH
        alpha, beta = np.sqrt(m**2 + m * root), np.sqrt(max(m * root - m**2, 1e-30))
        return float(
            beta * (alpha**2 - NU * m**2) ** 2 * np.tanh(alpha * BREADTH) * np.cos(beta * BREADTH)
            - alpha * (beta**2 + NU * m**2) ** 2 * np.sin(beta * BREADTH)
        )

    grid = np.linspace((1 / ratio) ** 2 * 1.001 + 1e-6, 3.0, 4000)
    values = [residual(k) for k in grid]
    first = next(i for i in range(len(grid) - 1) if values[i] * values[i + 1] < 0)
    return float(brentq(residual, grid[first], grid[first + 1]))


CASES = [
    case(1.0, 4.0, BRYAN, 0.01),
    case(1.5, 4.340, BRYAN, 0.01),
    case(2.0, 4.0, BRYAN, 0.01),
    case(
        5.0,
        free_edge_k(5.0),
        "series for one half wave; Timoshenko and Gere 1961, art. 9.4",
        0.015,
        free_edge=True,
    ),
]
