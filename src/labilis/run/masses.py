"""What a part weighs."""

from __future__ import annotations

import math
from collections.abc import Container

from labilis.model import Project
from labilis.shape import ShapeView


def mass_of(project: Project, view: ShapeView, pieces: Container[str] | None = None) -> float:
    """Mass (t) of some pieces, or of all that carry load; nan where a density is not stated."""
    total = 0.0
    for body, volume in zip(view.bodies, view.volumes):
        piece = project.named("pieces", project.piece_of(str(body)))
        if pieces is None or piece.name in pieces:
            density = project.named("materials", piece.material).density if piece.material else None
            total += (
                math.nan if density is None else float(volume) * project.value(density, "density")
            )
    return total
