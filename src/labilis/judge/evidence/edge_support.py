"""An edge picked where a face was meant: on a solid a held edge is a hinge, or a knife that cuts
in."""

from labilis.judge.evidence.base import CaseFacts, Evidence
from labilis.model import Project


def on_solid_edges(project: Project, name: str) -> bool:
    """Whether a region lies on edges of pieces meshed as solids."""
    region = next((item for item in project.regions if item.name == name), None)
    if region is None:
        return False
    solid = {
        word
        for piece in project.active_pieces
        if piece.mesh_as == "solid"
        for word in (piece.name, *piece.instances)
    }
    picked = any(pick.of == "edge" for pick in region.picks) and region.piece in solid
    return picked or any("+" in word and word.split("/")[0] in solid for word in region.names)


def edge_support(facts: CaseFacts) -> Evidence | None:
    """Supports and loads on edges of solids."""
    project = facts.project
    in_case = (
        {name for name, _ in project.case_loads(facts.case)}
        if any(case.name == facts.case for case in project.cases)
        else set()
    )
    held = [support.name for support in project.supports if on_solid_edges(project, support.on)]
    loaded = [
        load.name
        for load in project.loads
        if load.name in in_case and on_solid_edges(project, getattr(load, "on", ""))
    ]
    if not project.supports or facts.strength is None:
        return None
    if not held and not loaded:
        return Evidence(
            "edges for faces",
            "0",
            "edges of solids",
            "good",
            "Supports and loads stand on faces.",
            "supports",
        )
    what = f"Support '{held[0]}' holds" if held else f"Load '{loaded[0]}' acts on"
    return Evidence(
        "edges for faces",
        str(len(held) + len(loaded)),
        "edges of solids",
        "caution",
        f"{what} an edge of a solid: a held edge is a hinge and stresses along it grow with every "
        "finer mesh. Pick the face if "
        "the face was meant.",
        "supports" if held else "loads",
    )
