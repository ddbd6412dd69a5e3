"""Southwell's line: motion over load against motion is straight while a slender part bows, and
its slope gives the critical load."""

from __future__ import annotations

import numpy as np

from labilis.results.findings import TraceFindings

_LEAST, _POINTS = 0.3, 3  # share of the limit from which points count, and how few make a line


def southwell(trace: TraceFindings) -> float:
    """Critical factor that the rising part of a path implies (Southwell 1932): δ/λ = δ/λcr +
    δ0/λcr. nan when the path does not bow: fewer than three points, a slope that is not positive,
    or points off their line by more than 5 %."""
    top = int(np.argmax(trace.factors))
    stop = top + 1
    if np.isfinite(trace.first_yield):  # beyond it the part is softer than elastic
        stop = min(stop, int(np.searchsorted(trace.factors[: top + 1], trace.first_yield)) + 1)
    factors, motion = trace.factors[:stop], trace.probe[:stop]
    good = (factors > _LEAST * trace.factors[top]) & (motion > 0)
    if good.sum() < _POINTS:
        return float("nan")
    x, y = motion[good], motion[good] / factors[good]
    slope, start = np.polyfit(x, y, 1)
    off = np.abs(slope * x + start - y) / y
    return float(1.0 / slope) if slope > 0 and off.max() < 0.05 else float("nan")
