"""Joints between bodies that touch without common edges: how many nodes carry them."""
import numpy as np

from labilis.judge.evidence.base import CaseFacts, Evidence


def joints(facts: CaseFacts) -> Evidence | None:
    """Bonded pairs; a joint of one or two nodes is a hinge or a slip of a millimetre."""
    mesh = facts.mesh
    if mesh is None or len(mesh.bonded) + len(mesh.missed) + len(mesh.fused) == 0:
        return None
    if len(mesh.missed):
        one, two = mesh.missed[0]
        return Evidence("joints", str(len(mesh.missed)), "joints not made", "caution",
                        f"'{mesh.bodies[one]}' and '{mesh.bodies[two]}' touch where their nodes are joined to others already: they hold "
                        "together through those only.", "part")
    made = np.concatenate([mesh.bonded, mesh.fused])
    weak = made[made[:, 2] < 3]
    if len(weak):
        one, two, count = weak[0]
        nodes = f"{count} node{'s' if count > 1 else ''}"
        return Evidence("joints", str(len(weak)), "weak joints", "bad",
                        f"'{mesh.bodies[one]}' and '{mesh.bodies[two]}' hang together by {nodes} only. Check that "
                        "they touch along an edge or a face.", "part")
    if len(mesh.bonded) == 0:
        return Evidence("joints", str(len(made)), "joints in one mesh", "good",
                        f"{len(made)} joints are part of one mesh, each with at least {int(made[:, 2].min())} nodes in common.", "part")
    rest = f", and {len(mesh.fused)} are part of one mesh" if len(mesh.fused) else ""
    return Evidence("joints", str(len(made)), "joints" if rest else "bonded joints", "good",
                    f"{len(mesh.bonded)} joints are bonded, each by at least {int(mesh.bonded[:, 2].min())} nodes{rest}.", "part")
