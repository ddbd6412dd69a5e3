"""Levers of thickness and of a hold against closed forms, for single, repeated and interacting
modes, growing and held loads."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from validation.case import Case
from validation.recipes import case_of, flat, force, hold, mm, region, shell
from validation.sheets import STRIP, B, L, S, W, euler, plate

FOOT = ("x", "y", "z", "turn_y")


def _lever(row: int) -> Callable[[Any], float]:
    """Lever of all pieces together on a mode."""
    return lambda report: float(report.cases[0].facts.modes.piece_levers[row].sum())


def _hold(report: Any) -> float:
    """Factor gained per N/mm of a spring where the first mode moves most."""
    modes = report.cases[0].facts.modes
    return float(modes.holds[0])


def _strip(
    name: str,
    supports: list[dict[str, Any]],
    loads: dict[str, Any],
    reference: float,
    source: str,
    figure: Callable[[Any], float],
) -> Case:
    model = {
        "pieces": [shell("strip", flat(L, W, S))],
        "regions": STRIP,
        "supports": supports,
        **loads,
        "mesh": {"size": "6 mm"},
        "criteria": {"modes": 1},
    }
    return Case(
        f"lever: {name}",
        "d ln λ / d ln t" if figure is not _hold else "factor per N/mm",
        None,
        None,
        model,
        reference,
        source,
        0.01,
        figure,
        quick=name == "strut fixed-free",
        table="Levers",
    )


def _tube(row: int) -> Case:
    """A square tube, pinned all round at one end and clamped at the other: both bending modes
    have one factor."""
    b, t, length = 40.0, 2.0, 900.0
    recipe = {
        "kind": "strut",
        "length": mm(length),
        "section": {"shape": "square tube", "width": mm(b + t), "thickness": mm(t)},
    }
    model = {
        "pieces": [shell("tube", recipe)],
        "regions": [region("foot", "tube/start"), region("head", "tube/end")],
        "hubs": [{"name": "cap", "region": "head", "kind": "stiff"}],
        "supports": [hold("foot", "x", "y", "z", "turn_x", "turn_y", "turn_z")],
        **case_of(force("cap", z=-1.0)),
        "mesh": {"size": "10 mm"},
        "criteria": {"modes": 2},
    }
    walls, bending = 2 * b**3 * t / 3, b * t**3 / 6
    return Case(
        f"lever: square tube, mode {row + 1} of two alike",
        "d ln λ / d ln t",
        None,
        None,
        model,
        (walls + 3 * bending) / (walls + bending),
        "I = 2 b³ t / 3 + b t³ / 6 of its mid-line",
        0.01,
        _lever(row),
        table="Levers",
    )


def _plate() -> Case:
    case = plate(1.0, 3.0, "D = E t³ / 12 (1 - ν²); Bryan 1891", 0.01, "supported", B / 16)
    return Case(
        "lever: simply supported plate, a/b = 1",
        "d ln λ / d ln t at a given force per length",
        None,
        None,
        case.model,
        3.0,
        case.source,
        0.01,
        _lever(0),
        table="Levers",
    )


def _cases() -> list[Case]:
    held = 0.4 * euler(1.0)
    pinned = [hold("foot", "x", "y", "z"), hold("head", "z")]
    two = case_of(
        force("head", x=-1.0), {**force("head", x=-held), "name": "held", "growth": "held"}
    )
    return [
        _strip(
            "strut fixed-free",
            [hold("foot", *FOOT)],
            case_of(force("head", x=-1.0)),
            3.0,
            "E I as t³; Euler 1744",
            _lever(0),
        ),
        _strip(
            "strut with a held and a growing push",
            pinned,
            two,
            3.0 * euler(1.0) / (euler(1.0) - held),
            "3 P_cr / (P_cr - P_0)",
            _lever(0),
        ),
        _plate(),
        _tube(0),
        _tube(1),
        _strip(
            "hold at the head of a strut fixed-free",
            [hold("foot", *FOOT)],
            case_of(force("head", x=-1.0)),
            8 * L / np.pi**2,
            "φ(L)² / ∫ φ'² of 1 - cos (π x / 2 L): 8 L / π²",
            _hold,
        ),
        _strip(
            "hold at the head of a strut that stands under a held push",
            [hold("foot", *FOOT)],
            case_of(
                force("head", x=-1.0),
                {**force("head", x=-0.5 * euler(2.0)), "name": "held", "growth": "held"},
            ),
            8 * L / np.pi**2,
            "the same mode: 8 L / π²",
            _hold,
        ),
    ]


CASES = _cases()
