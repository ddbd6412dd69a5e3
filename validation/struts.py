"""Struts: Euler's four cases, a middle support, held and growing parts, element order, twisting."""

from __future__ import annotations

from typing import Any

import numpy as np

from labilis.shape import ShapeView
from validation.case import Case, edges_where, faces_at
from validation.parts import fused, marked_box

E, NU = 210e3, 0.3
LENGTH, WIDTH, DEPTH = (
    600.0,
    12.0,
    8.0,
)  # slender enough that shear costs under 0.2 % even for two half waves
INERTIA = WIDTH * DEPTH**3 / 12
TIMOSHENKO = "Timoshenko and Gere 1961, ch. 2"
STRUT_MESH = {"size": "9 mm"}


def euler(k: float, length: float = LENGTH) -> float:
    """Euler's load, kN."""
    return float(np.pi**2 * E * INERTIA / (k * length) ** 2) / 1000


def strut() -> Any:
    return marked_box([0, LENGTH], [0, WIDTH], [0, DEPTH])


def ends(view: ShapeView) -> dict[str, list[tuple[str, int]]]:
    return {"low": faces_at(view, 0, 0.0), "high": faces_at(view, 0, LENGTH)}


FIXED = ["x", "y", "z", "turn_x", "turn_y", "turn_z"]
PIN = ["x", "y", "z", "turn_x", "turn_z"]  # turns about y, the axis of the smaller second moment


def model(low: list[str], high: list[str], **more: Any) -> dict[str, Any]:
    """A strut pushed with 1 kN, its end faces rigid: supports by held motions, x of the high end
    always free."""
    supports = [{"name": "low", "on": "low hub", "held": low}]
    kept = [motion for motion in high if motion != "x"]
    if kept:
        supports.append({"name": "high", "on": "high hub", "held": kept})
    return {
        "hubs": [{"name": "low hub", "region": "low"}, {"name": "high hub", "region": "high"}],
        "supports": supports,
        "loads": [
            {
                "kind": "force",
                "name": "push",
                "on": "high hub",
                "components": ["-1 kN", "0 N", "0 N"],
            }
        ],
        "cases": [{"name": "push", "loads": [{"load": "push"}]}],
        "mesh": STRUT_MESH,
        "criteria": {"modes": 3},
        **more,
    }


def four_ends() -> list[Case]:
    rows = []
    for name, low, high, k in (
        ("fixed-free", FIXED, [], 2.0),
        ("pinned-pinned", PIN, PIN, 1.0),
        ("fixed-pinned", FIXED, PIN, 0.699156),
        ("fixed-fixed", FIXED, FIXED, 0.5),
    ):
        rows.append(
            Case(
                f"strut, {name}, solid",
                "end faces rigid",
                strut,
                ends,
                model(low, high),
                euler(k),
                f"π² E I / (K L)², K = {k:.4g}; {TIMOSHENKO}",
                0.005,
                quick=name in ("fixed-free", "fixed-fixed"),
            )
        )
    return rows


def middle() -> Case:
    def part() -> Any:
        return marked_box([0, LENGTH / 2, LENGTH], [0, WIDTH], [0, DEPTH])

    def regions(view: ShapeView) -> dict[str, list[tuple[str, int]]]:
        return {**ends(view), "middle": edges_where(view, 1, x=LENGTH / 2, z=0.0)}

    stated = model(PIN, PIN)
    stated["supports"] = [*stated["supports"], {"name": "middle", "on": "middle", "held": ["z"]}]
    return Case(
        "strut pinned at both ends and at mid height",
        "edge at mid height held sideways, on one side only",
        part,
        regions,
        stated,
        euler(1.0, LENGTH / 2),
        f"4 π² E I / L²; {TIMOSHENKO}",
        0.005,
        quick=True,
    )


def held_and_growing() -> Case:
    held = 0.4 * euler(1.0)
    stated = model(PIN, PIN)
    stated["loads"] = [
        *stated["loads"],
        {
            "kind": "force",
            "name": "dead",
            "on": "high hub",
            "growth": "held",
            "components": [f"{-held} kN", "0 N", "0 N"],
        },
    ]
    stated["cases"] = [{"name": "push", "loads": [{"load": "push"}, {"load": "dead"}]}]
    return Case(
        "held part P0 and growing part P1",
        "P0 is 0.4 of Euler's load; total load compared",
        strut,
        ends,
        stated,
        euler(1.0),
        "λ P1 + P0 = P_cr",
        0.005,
        lambda report: float(report.cases[0].facts.modes.positive[0]) + held,
        True,
    )


def orders() -> list[Case]:
    def draft(report: Any) -> float:
        first = float(report.cases[0].facts.modes.positive[0])
        flagged = any(
            item.name == "element order" and item.state == "bad"
            for item in report.cases[0].evidence
        )
        return 1.0 if flagged and first > 1.5 * euler(2.0) else 0.0

    return [
        Case(
            "first-order tetrahedra on a clamped-free bar",
            "far too high (over 1.5 times) and flagged: 1 is yes",
            strut,
            ends,
            model(FIXED, [], mesh={"size": "9 mm", "order": 1}),
            1.0,
            "shown to be high and flagged",
            0.0,
            draft,
            True,
        )
    ]


def cruciform() -> Case:
    arm, thickness, length = 30.0, 2.0, 900.0
    shear = E / (2 * (1 + NU))
    torsion = (
        4
        * (arm + thickness / 2)
        * thickness**3
        / 3
        * (1 - 0.21 * thickness / (2 * arm + thickness))
    )
    polar = 2 * ((2 * arm + thickness) ** 3 * thickness + (2 * arm + thickness) * thickness**3) / 12
    area = 2 * (2 * arm + thickness) * thickness - thickness**2
    warping = 4 * arm**3 * thickness**3 / 36
    # rigid ends keep the section from warping: half the length counts for the warping part
    reference = (
        (area / polar) * (shear * torsion + np.pi**2 * E * warping / (length / 2) ** 2) / 1000
    )

    def part() -> Any:
        half = thickness / 2
        wide = arm + half
        return fused(
            marked_box([0, length], [-wide, wide], [-half, half]),
            marked_box([0, length], [-half, half], [-wide, wide]),
        )

    def regions(view: ShapeView) -> dict[str, list[tuple[str, int]]]:
        return {"low": faces_at(view, 0, 0.0), "high": faces_at(view, 0, length)}

    stated = model(FIXED, FIXED, mesh={"size": "7 mm"})
    return Case(
        "cruciform strut, twisting",
        "ends rigid, so held against warping",
        part,
        regions,
        stated,
        float(reference),
        "Wagner 1929: (A / I_p) (G J + π² E C_w / (L/2)²)",
        0.02,
    )


CASES = [*four_ends(), middle(), held_and_growing(), *orders(), cruciform()]
