"""Materials of pieces, with what every run needs of them."""

from __future__ import annotations

from labilis.model import LabilisError, Material, Project


def material_of(project: Project, piece_name: str) -> Material:
    """Material of a piece. Raises LabilisError when it, or a number that every run needs, is
    missing."""
    piece = project.named("pieces", piece_name)
    if piece.material is None:
        raise LabilisError(
            f"Piece '{piece.name}' has no material.",
            f"pieces/{piece.name}",
            "Choose one at the Part station.",
            "no-material",
        )
    material: Material = project.named("materials", piece.material)
    for field, words in (("youngs_modulus", "Young's modulus"), ("poisson_ratio", "Poisson ratio")):
        if getattr(material, field) is None:
            raise LabilisError(
                f"Material '{material.name}' has no {words}.",
                f"materials/{material.name}/{field}",
                "This run needs it.",
                "material-incomplete",
            )
    return material
