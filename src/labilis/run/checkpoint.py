"""What is kept of a trace after every converged step, so that it can be gone on with later."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from labilis.solve.trace import PathState

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class TraceCheckpoint:
    """case; state: where the path stands; largest, probe (s,) mm; iterations, negative (s,); ratios
    (s,): stress over yield strength; peaks (s,) MPa; strains (s,); forces (s,) N: of the points so
    far; frames (s, n, 3) mm: their motions; places (p,), probes (s, p, 4), stress (s, m), plastic
    (s, m): as in TraceFindings, of every point."""

    case: str
    state: PathState
    largest: Floats
    probe: Floats
    iterations: Ints
    negative: Ints
    ratios: Floats
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
