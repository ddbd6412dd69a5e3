"""What large deflection changes: displacement beside the linear one, and whether pieces keep
their length on the traced path."""

import numpy as np

from labilis.judge.evidence.base import CaseFacts, Evidence
from labilis.model import shown

_NEAR, _FAR = 0.1, 0.5  # of the linear displacement
_STRAIN = 5e-3  # growth of the sides that stress alone hardly gives


def linear_or_not(facts: CaseFacts) -> Evidence | None:
    """Displacement under the service load on the trace against the linear one."""
    trace, strength = facts.trace, facts.strength
    if (
        trace is None
        or strength is None
        or not trace.done
        or trace.factors.max() < 1.0
        or strength.max_displacement <= 0
    ):
        return None
    peak = int(trace.factors.argmax())
    large = float(np.interp(1.0, trace.factors[: peak + 1], trace.largest[: peak + 1]))
    ratio = large / strength.max_displacement
    off = abs(ratio - 1.0)
    state = "good" if off < _NEAR else "caution" if off < _FAR else "bad"
    text = (
        f"Under the service load the trace moves {shown.length(large, 3)}, the linear run "
        f"{shown.length(strength.max_displacement, 3)}. "
    )
    text += (
        "Linear displacements can be used."
        if state == "good"
        else "Read displacements from the trace, its starting shape included."
    )
    return Evidence(
        "large against linear",
        f"{ratio:.3g}",
        "times the linear displacement",
        state,  # type: ignore[arg-type]
        text,
        "trace",
    )


def kept_length(facts: CaseFacts) -> Evidence | None:
    """Growth of the elements' sides at the end of a trace: strain, as nothing else may lengthen
    a slender piece."""
    trace, mesh = facts.trace, facts.mesh
    if (
        trace is None
        or mesh is None
        or not trace.done
        or len(trace.motions) == 0
        or trace.motions.shape[1] != len(mesh.nodes)
    ):
        return None
    sides = np.concatenate([mesh.triangles[:, pair] for pair in ([0, 1], [1, 2], [2, 0])])
    if len(sides) == 0:
        return None
    before, after = (
        np.linalg.norm(np.diff(places[sides], axis=1)[:, 0], axis=1)
        for places in (mesh.nodes, mesh.nodes + trace.motions[-1])
    )
    grown = float(np.quantile(np.abs(after / np.maximum(before, 1e-300) - 1.0), 0.95))
    allowed = max(_STRAIN, 2.0 * float(trace.plastic[-1]))
    if grown < allowed:
        return Evidence(
            "length on the trace",
            f"{100 * grown:.2g}",
            "% of length",
            "good",
            f"Pieces keep their length on the trace within {100 * grown:.2g} %, which stress "
            "explains.",
            "trace",
        )
    return Evidence(
        "length on the trace",
        f"{100 * grown:.2g}",
        "% of length",
        "caution",
        f"Lengths change by {100 * grown:.2g} % on the trace: strains are no longer small.",
        "trace",
    )
