"""What the mesher did in another way than asked."""

from labilis.judge.evidence.base import CaseFacts, Evidence
from labilis.model import shown


def mesh_as_asked(facts: CaseFacts) -> Evidence | None:
    """Solids filled, swept or joined in a way that was not asked for."""
    if facts.mesh is None or len(facts.mesh.told) == 0:
        return None
    told = [shown.restated(str(text)) for text in facts.mesh.told]
    return Evidence(
        "mesh as asked", str(len(told)), "done another way", "caution", " ".join(told), "mesh"
    )
