"""How well the mid-surface of an imported thin solid stands for it."""

from __future__ import annotations

from labilis.judge.evidence.base import CaseFacts, Evidence, State

# a wall that ends at another spans from that one's face, and as shells from its middle: the factor
# of a plate goes with the square of its width, so that shells lie up to t/b low. Shells against
# solids of 60 parts of the corpus: up to 9 % low below 12.5, 2.2 % above
_NARROW = 12.5


def midsurface(facts: CaseFacts) -> Evidence | None:
    """Volume of the sheets against the solid's, for imported pieces meshed as shells."""
    if facts.mesh is None or not any(
        piece.recipe is None and piece.mesh_as == "shell" for piece in facts.project.active_pieces
    ):
        return None
    off = 100 * facts.mesh.deviation
    state: State = "good" if abs(off) < 3 else "caution" if abs(off) < 10 else "bad"
    word = "more" if off > 0 else "less"
    return Evidence(
        "mid-surface",
        f"{off:+.2g}",
        "% volume",
        state,
        f"The mid-surface of the imported solid holds {abs(off):.2g} % {word} material than the "
        "solid."
        + (
            ""
            if state == "good"
            else " Look at its corners and thick places, or mesh it as a solid."
        ),
        "part",
    )


def narrow_walls(facts: CaseFacts) -> Evidence | None:
    """How much of a wall's width lies within the walls that it joins, for imported pieces meshed
    as shells."""
    if facts.mesh is None or not facts.mesh.narrow:
        return None
    wide = facts.mesh.narrow
    low = 100 * ((1 - 0.5 / wide) ** -2 - 1) if wide > 0.5 else 100.0
    text = (
        f"The narrowest wall at a joint is {wide:.3g} times as wide as the wall that it meets "
        "is thick."
    )
    if wide >= _NARROW:
        return Evidence("narrow walls", f"{wide:.3g}", "thicknesses", "good", text, "part")
    return Evidence(
        "narrow walls",
        f"{low:.2g}",
        "% too low at most",
        "caution",
        f"{text} Shells count it from the middle of that wall and not from its face, so that a "
        "factor of this wall can lie "
        f"up to {low:.2g} % too low. Mesh the piece as a solid, or run the cross-check, to know.",
        "mesh",
    )
