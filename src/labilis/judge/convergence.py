"""What several meshes say together: the value they go to and how sure it is."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def extrapolated(sizes: Floats, values: Floats) -> tuple[float, float, float]:
    """(limit, half width of its band, order) of values found with falling element sizes in a
    constant ratio.

    Richardson's extrapolation with the observed order `p = ln((f1 - f2)/(f2 - f3)) / ln r` from the
    last three, kept between 0.5 and 4 (Roache 1994; the band is 1.25 times the last step to the
    limit). Values that do not close in give the last one and the whole spread of the last three,
    order nan.
    """
    if len(values) < 3:
        spread = float(np.ptp(values)) if len(values) else float("nan")
        return (float(values[-1]) if len(values) else float("nan")), spread, float("nan")
    f1, f2, f3 = (float(v) for v in values[-3:])
    ratio = float(sizes[-2] / sizes[-1])
    first, second = f1 - f2, f2 - f3
    if abs(second) < 1e-9 * abs(f3):
        return f3, abs(first) * 1e-3, float("nan")
    if first * second <= 0 or abs(second) >= abs(first):
        return f3, max(f1, f2, f3) - min(f1, f2, f3), float("nan")
    order = min(max(math.log(first / second) / math.log(ratio), 0.5), 4.0)
    limit = f3 - second / (ratio**order - 1.0)
    return limit, 1.25 * abs(f3 - limit), order
