"""Amplitudes of starting shapes that standards recommend, by the kind of mode."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from labilis.judge.evidence.base import CaseFacts
from labilis.judge.evidence.half_waves import waves_of
from labilis.model import shown
from labilis.results.findings import MeshFindings

# bow over length by column curve, EN 1993-1-1, table 5.1: for elastic and for plastic analysis
BOWS = {
    "elastic": {"a0": 350, "a": 300, "b": 250, "c": 200, "d": 150},
    "yielding": {"a0": 300, "a": 250, "b": 200, "c": 150, "d": 100},
}


def recommended(facts: CaseFacts, mode: int) -> list[tuple[str, str]]:
    """(reason, amplitude such as '1.2 mm') for a mode numbered from 0; nothing without shapes."""
    if facts.modes is None or facts.mesh is None or mode >= len(facts.modes.factors):
        return []
    shape, kind = facts.modes.shapes[mode], facts.kinds[mode]
    moving = np.linalg.norm(shape, axis=1) > 0.1
    if not moving.any():  # lines that only twist: the codes know bows of them only
        return []
    length = _extent(facts.mesh, moving)

    def row(reason: str, size: float) -> tuple[str, str]:
        return f"{reason}: {shown.length(size, 3)}", shown.stated(size, "length", 3)

    if kind == "member bow":
        material = facts.project.trace.material
        words = "plastic analysis" if material == "yielding" else "elastic analysis"
        return [
            row(f"bow, curve {curve}: L/{over} (EN 1993-1-1, table 5.1, {words})", length / over)
            for curve, over in BOWS[material].items()
        ]
    if kind == "member sway":
        return [row("sway 1/200 of the height (EN 1993-1-1, 5.3.2)", length / 200)]
    if len(facts.mesh.triangles) == 0:
        return []
    wave = waves_of(facts.mesh, facts.modes)[mode][0]
    words = {"torsion": "twist, taken as a wall", "stiffener": "stiffener's bow"}.get(kind, "wall")
    over = 400 if kind == "stiffener" else 200
    return [
        row(
            f"{words}: 1/{over} of the half wave of {shown.length(wave, 3)} (EN 1993-1-5, table "
            "C.2)",
            wave / over,
        )
    ]


def _extent(mesh: MeshFindings, moving: NDArray[np.bool_]) -> float:
    """Largest extent (mm) of the elements with a node that moves: a coarse mesh makes no member
    shorter."""
    element = np.repeat(np.arange(len(mesh.sizes)), mesh.sizes)
    there = np.zeros(len(mesh.sizes), dtype=bool)
    there[element[moving[mesh.connectivity]]] = True
    return float(np.ptp(mesh.nodes[mesh.connectivity[there[element]]], axis=0).max())
