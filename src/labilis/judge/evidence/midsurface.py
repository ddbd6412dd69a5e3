"""How well the mid-surface of an imported thin solid stands for it."""
from labilis.judge.evidence.base import CaseFacts, Evidence


def midsurface(facts: CaseFacts) -> Evidence | None:
    """Volume of the sheets against the solid's, for imported pieces meshed as shells."""
    if facts.mesh is None or not any(piece.recipe is None and piece.mesh_as == "shell" for piece in facts.project.active_pieces):
        return None
    off = 100 * facts.mesh.deviation
    state = "good" if abs(off) < 3 else "caution" if abs(off) < 10 else "bad"
    word = "more" if off > 0 else "less"
    return Evidence("mid-surface", f"{off:+.2g}", "% volume", state,
                    f"The mid-surface of the imported solid holds {abs(off):.2g} % {word} material than the solid."
                    + ("" if state == "good" else " Look at its corners and thick places, or mesh it as a solid."), "part")
