"""What a part of the corpus is, and how it becomes a user's model."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np

Rng = np.random.Generator
End = Literal["fixed", "guided", "pinned", "free"]


@dataclass
class Part:
    """bodies: names and solids of the file; axis: direction of the push, from the foot to the head;
    foot, head: rows of the joined face table that are held and pushed, None for the plane faces at
    either end; end: what the head's hub may do; load: 'push' along the axis through the head's hub,
    'pressure' on the faces that `head` chooses; thin: whether shells can stand for it;
    unit: of the STEP file; place: (turn in degrees about (1, 2, 3), shift mm) given to the whole;
    line: a strut section as recipe sizes with the length, where a line can stand for it."""

    bodies: list[tuple[str, Any]]
    axis: tuple[float, float, float] = (0.0, 0.0, 1.0)
    foot: Callable[[Any], Any] | None = None
    head: Callable[[Any], Any] | None = None
    end: End = "guided"
    load: Literal["push", "pressure"] = "push"
    thin: bool = True
    unit: str = "MM"
    place: tuple[float, tuple[float, float, float]] | None = None
    line: tuple[dict[str, Any], float] | None = None
    notes: dict[str, float] = field(default_factory=dict)


FAMILIES: dict[str, Callable[[Rng], Part]] = {}


def family(draw: Callable[[Rng], Part]) -> Callable[[Rng], Part]:
    """Register a family under the name of its function."""
    FAMILIES[draw.__name__.replace("_", " ")] = draw
    return draw


def between(rng: Rng, low: float, high: float, step: float = 0.5) -> float:
    """A size between two others, rounded to a step as sizes on drawings are."""
    return float(round(rng.uniform(low, high) / step) * step)


def any_end(rng: Rng) -> End:
    """How the head is held, at random."""
    return ("guided", "pinned", "free")[int(rng.integers(3))]  # type: ignore[return-value]


def end_rows(faces: Any, axis: np.ndarray, side: float, reach: float = 0.05) -> np.ndarray:
    """Rows of plane faces that look along side · axis at that end of the part."""
    facing = (faces.kind == "plane") & (faces.direction @ (side * axis) > 0.6)
    along = side * (faces.centroid @ axis)
    span = np.ptp(faces.centroid @ axis)
    if not facing.any():
        raise ValueError("the part has no plane end")
    return np.flatnonzero(facing & (along > along[facing].max() - reach * span))
