"""First-order tetrahedra are far too stiff in bending."""

from labilis.judge.evidence.base import CaseFacts, Evidence


def element_order(facts: CaseFacts) -> Evidence | None:
    """Bad for first order whatever the mesh: the error is not known from the run itself."""
    if facts.mesh is None:
        return None
    if facts.mesh.order == 1:
        return Evidence(
            "element order",
            "1",
            "order",
            "bad",
            "First-order elements are a draft: they are too stiff in bending, so every factor is "
            "too high, "
            "often several times. Mesh with second order before you believe a number.",
            "mesh",
        )
    if len(facts.mesh.lines) == facts.mesh.count:
        return Evidence(
            "element order",
            "3",
            "order",
            "caution",
            "Lines with cubic bending: they know the member as a whole, not its walls, its corners "
            "or its joints. "
            "Check a thin-walled one as shells.",
            "part",
        )
    if not facts.mesh.has_solids:
        four = int((facts.mesh.sizes == 4).sum())
        return Evidence(
            "element order",
            f"{100 * four / facts.mesh.count:.0f}",
            "% quadrilaterals",
            "good",
            "Shells with quadrilaterals leading, free of locking in bending.",
            "mesh",
        )
    return Evidence("element order", "2", "order", "good", "Second-order elements.", "mesh")
