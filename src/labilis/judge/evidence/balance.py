"""Reactions equal the loads."""

import numpy as np

from labilis.judge.evidence.base import CaseFacts, Evidence


def balance(facts: CaseFacts) -> Evidence | None:
    """Largest missing force or moment, relative to the load (moments over the part's size)."""
    strength = facts.strength
    if strength is None or facts.mesh is None:
        return None
    lever = float(np.linalg.norm(np.ptp(facts.mesh.nodes, axis=0)))
    each = np.concatenate([strength.reaction, strength.spring_reaction])
    total = strength.applied.sum(axis=0) + each.sum(axis=(0, 1))
    sizes = np.abs(strength.applied).sum(axis=0)
    # loads that balance each other have no sum: their own sizes and what the supports push back
    # with count as well
    pushed = [
        float(np.linalg.norm(each[:, :, part], axis=2).sum()) if each.size else 0.0
        for part in (slice(0, 3), slice(3, 6))
    ]
    scale = max(
        float(np.linalg.norm(sizes[:3])),
        float(np.linalg.norm(sizes[3:])) / lever,
        float(strength.load_sizes.sum()),
        pushed[0],
        pushed[1] / lever,
        float(strength.moment_sizes.sum()) / lever,
        1e-300,
    )
    missing = (
        max(float(np.linalg.norm(total[:3])), float(np.linalg.norm(total[3:])) / lever) / scale
    )
    state = "good" if missing < 1e-6 else "caution" if missing < 1e-3 else "bad"
    text = (
        "Reactions equal the loads."
        if state == "good"
        else "Reactions do not equal the loads: the solution is not to be trusted."
    )
    return Evidence("balance", f"{100 * missing:.1e}", "% of the load", state, text, "strength")  # type: ignore[arg-type]
