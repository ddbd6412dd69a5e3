"""Files of which a part did not come out."""

from labilis.judge.evidence.base import CaseFacts, Evidence


def read_whole(facts: CaseFacts) -> Evidence | None:
    """Whether all that imported files speak of is there."""
    mesh = facts.mesh
    if mesh is None:
        return None
    if len(mesh.missing):
        return Evidence(
            "files read whole",
            str(len(mesh.missing)),
            "files not whole",
            "caution",
            f"{mesh.missing[0]} What is missing bears nothing and is not seen. Export the file "
            "again.",
            "part",
        )
    if all(piece.geometry is None for piece in facts.project.active_pieces):
        return None
    return Evidence(
        "files read whole", "0", "files not whole", "good", "All of the files came out.", "part"
    )
