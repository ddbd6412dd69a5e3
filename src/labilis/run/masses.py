"""What a part weighs."""
from __future__ import annotations

from labilis.model import Project
from labilis.shape import ShapeView


def mass_of(project: Project, view: ShapeView) -> float:
    """Mass (t) of all pieces that carry load; nan where a density is not stated."""
    total = 0.0
    for body, volume in zip(view.bodies, view.volumes):
        piece = project.named("pieces", project.piece_of(str(body)))
        material = project.named("materials", piece.material) if piece.material else None
        if material is None or material.density is None:
            return float("nan")
        total += float(volume) * project.value(material.density, "density")
    return total
