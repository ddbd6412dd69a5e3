"""What a load-deflection curve may be drawn over: the mode's point, the largest motion, regions
and hubs."""

from __future__ import annotations

import numpy as np

from labilis.results.findings import Floats, TraceFindings

POINT, LARGEST = "motion of the mode's point, mm", "largest motion, mm"
_COLUMNS = ("x", "y", "z")


def path_axes(trace: TraceFindings) -> list[str]:
    """Names of all of them; of a place only the directions in which it moves at all."""
    found = [POINT, LARGEST]
    for row, place in enumerate(trace.places):
        moves = trace.probes[:, row]
        most = np.abs(moves[:, :3]).max(axis=0, initial=0.0)
        found += [
            f"{place}, {axis}, mm"
            for axis, size in zip(_COLUMNS, most)
            if size > 1e-6 * most.max() > 0
        ]
        if np.isfinite(moves[:, 3]).all() and len(moves) and moves[:, 3].max() > 1e-9:
            found.append(f"turn of {place}, °")
    return found


def along(trace: TraceFindings, axis: str) -> Floats | None:
    """Values (s,) of an axis, None where the trace does not have it."""
    if axis == POINT:
        return trace.probe
    if axis == LARGEST:
        return trace.largest
    for row, place in enumerate(trace.places):
        if axis == f"turn of {place}, °":
            return np.asarray(trace.probes[:, row, 3])
        for column, name in enumerate(_COLUMNS):
            if axis == f"{place}, {name}, mm":
                return np.asarray(trace.probes[:, row, column])
    return None
