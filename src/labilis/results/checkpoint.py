"""What is kept of a trace after every converged step, so that it can be gone on with later."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class PathState:
    """All that is needed to go on from a converged point: motion (n, 3), rotation (n, 3, 3), moved
    as in the tracer; value: factor; step: length of the next one, along the `arc` or as a factor;
    before: the last step in reduced unknowns, empty at the start; slopes and `scale` that steer the
    steps; length: of the path so far; past: over the limit; negative pivots and largest plastic
    strain;
    plastic, p: memory of the material, flat; factors (s,) so far; cut_backs; bend (q,), bend_value:
    how the last step and its change of the factor differ from what the tangent said of them, empty
    where it was not asked; bend_step: that change."""

    motion: Floats
    rotation: Floats
    moved: float
    value: float
    step: float
    arc: bool
    before: Floats
    first_slope: float
    last_slope: float
    past: bool
    scale: float
    negative: int
    strain: float
    plastic: Floats
    p: Floats
    factors: Floats
    cut_backs: int
    length: float
    bend: Floats
    bend_value: float
    bend_step: float


@dataclass(frozen=True)
class TraceCheckpoint:
    """case; state: where the path stands; largest, probe (s,) mm; iterations, negative (s,); ratios
    (s,): stress over yield strength; beyond (s,): what the material's law does not take, beside
    what it may reach; peaks (s,) MPa; strains (s,); forces (s,) N: of the points so
    far; frames (s, n, 3) mm: their motions; places (p,), probes (s, p, 4), stress (s, m), plastic
    (s, m): as in TraceFindings, of every point."""

    case: str
    state: PathState
    largest: Floats
    probe: Floats
    iterations: Ints
    negative: Ints
    ratios: Floats
    beyond: Floats
    peaks: Floats
    strains: Floats
    forces: Floats
    frames: NDArray[np.float32]
    places: NDArray[np.str_]
    probes: Floats
    stress: NDArray[np.float32]
    plastic: NDArray[np.float32]

    @property
    def steps(self) -> int:
        """Steps done."""
        return len(self.largest) - 1
