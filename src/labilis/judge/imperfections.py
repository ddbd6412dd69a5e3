"""Amplitudes of starting shapes that standards recommend, by the kind of mode."""

from __future__ import annotations

import numpy as np

from labilis.judge.evidence.base import CaseFacts
from labilis.judge.evidence.half_waves import waves_of
from labilis.model import shown

# bow over length for elastic analysis by column curve, EN 1993-1-1, table 5.1
BOWS = {"a0": 350, "a": 300, "b": 250, "c": 200, "d": 150}


def recommended(facts: CaseFacts, mode: int) -> list[tuple[str, str]]:
    """(reason, amplitude such as '1.2 mm') for a mode numbered from 0; nothing without shapes."""
    if facts.modes is None or facts.mesh is None or mode >= len(facts.modes.factors):
        return []
    shape, kind = facts.modes.shapes[mode], facts.kinds[mode]
    moving = np.linalg.norm(shape, axis=1) > 0.1
    if not moving.any():  # lines that only twist: the codes know bows of them only
        return []
    length = float(np.ptp(facts.mesh.nodes[moving], axis=0).max())

    def row(reason: str, size: float) -> tuple[str, str]:
        return f"{reason}: {shown.length(size, 3)}", shown.stated(size, "length", 3)

    if kind == "member bow":
        return [
            row(f"bow, curve {curve}: L/{over} (EN 1993-1-1, table 5.1)", length / over)
            for curve, over in BOWS.items()
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
