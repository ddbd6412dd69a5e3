"""From where the stage and the small pictures look at a part."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    from labilis.run.picking import ShapeView


VIEWS = {"x": (1, 0, 0), "y": (0, -1, 0), "z": (0, 0, 1), "i": (0.55, -0.75, 0.5)}
_CORNER_OF_TALL = (0.9, -0.8, 0.35)  # less from above, of what is longest along z
_TALL = 0.9  # cosine between the longest direction and z


def toward_eye(way: str, view: ShapeView) -> NDArray[np.float64]:
    """Direction (3,) of length one from a part to where it is looked at from: along x, y, z, or
    from a corner (i)."""
    tall = way == "i" and abs(view.long_axis[2]) > _TALL
    direction = np.array(_CORNER_OF_TALL if tall else VIEWS[way], dtype=np.float64)
    return np.asarray(direction / np.linalg.norm(direction))
