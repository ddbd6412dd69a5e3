"""What the mesher did in another way than asked."""
from labilis.judge.evidence.base import CaseFacts, Evidence


def mesh_as_asked(facts: CaseFacts) -> Evidence | None:
    """Solids filled, swept or joined in a way that was not asked for."""
    if facts.mesh is None or len(facts.mesh.told) == 0:
        return None
    return Evidence("mesh as asked", str(len(facts.mesh.told)), "done another way", "caution", " ".join(map(str, facts.mesh.told)), "mesh")
