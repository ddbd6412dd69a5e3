"""Bodies that are one body in several places, as an assembly names a part several times: what is
made of the first serves the others."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray


def move_between(one: Any, other: Any) -> Any | None:
    """The TopLoc_Location that moves a shape onto another one that is the same shape elsewhere,
    None where they are not the same."""
    if not one.IsPartner(other) or one.Orientation() != other.Orientation():
        return None
    return other.Location().Multiplied(one.Location().Inverted())


def matrix_of(move: Any) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(rotation (3, 3), shift (3,) mm) of a TopLoc_Location."""
    of = move.Transformation()
    values = np.array([[of.Value(row, column) for column in range(1, 5)] for row in range(1, 4)])
    return values[:, :3], values[:, 3]
