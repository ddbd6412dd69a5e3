"""Joints between bodies: what carries them, over what reach and gap, and what is near without
being joined."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from labilis.judge.evidence.base import CaseFacts, Evidence
from labilis.model import shown
from labilis.results.findings import MeshFindings

_FEW = 3  # nodes: fewer are a point or a slip of a millimetre
# of a joint's length: nodes of a solid that spread no further across it are a row, about which it
# turns freely
_LINE = 0.02


def joints(facts: CaseFacts) -> Evidence | None:
    """Joints that hang on a point or act as a hinge, were not made, stand off or are only near;
    else how they are made."""
    mesh = facts.mesh
    if mesh is None or len(mesh.bonded) + len(mesh.missed) + len(mesh.fused) + len(mesh.near) == 0:
        return None
    if len(mesh.missed):
        return Evidence(
            "joints",
            str(len(mesh.missed)),
            "joints not made",
            "caution",
            f"{_both(mesh, mesh.missed[0])} touch where their nodes are joined to others already: "
            "they hold "
            "together through those only.",
            "part",
        )
    made = np.concatenate([mesh.bonded, mesh.fused])
    turning = (
        mesh.joint_turns if len(mesh.joint_turns) == len(made) else np.zeros(len(made), dtype=bool)
    )
    # two nodes that turn as well are an edge
    weak = made[made[:, 2] < np.where(turning, _FEW - 1, _FEW)]
    if len(weak):
        count = weak[0][2]
        nodes = f"{count} node{'s' if count > 1 else ''}"
        return Evidence(
            "joints",
            str(len(weak)),
            "weak joints",
            "bad",
            f"{_both(mesh, weak[0])} hang together by {nodes} only. Check that they touch along an "
            "edge or a face.",
            "part",
        )
    hinges = made[hinged(mesh)] if len(mesh.joint_reach) == len(made) else made[:0]
    if len(hinges):
        return Evidence(
            "joints",
            str(len(hinges)),
            "hinges",
            "bad",
            f"{_both(mesh, hinges[0])} are joined along one row of nodes, about which they turn "
            "freely. Make the mesh finer "
            "there, or let them touch over a face.",
            "mesh",
        )
    return _near(mesh) if len(mesh.near) else _made(mesh, made)


def _both(mesh: MeshFindings, pair: NDArray[np.int64]) -> str:
    return f"'{mesh.bodies[pair[0]]}' and '{mesh.bodies[pair[1]]}'"


def _near(mesh: MeshFindings) -> Evidence:
    least = int(mesh.near_gap.argmin())
    gap = float(mesh.near_gap[least])
    return Evidence(
        "joints",
        str(len(mesh.near)),
        "pairs only near",
        "caution",
        f"{_both(mesh, mesh.near[least])} come as near as "
        f"{shown.length(gap, 2)} and are not joined. If a weld "
        "closes that gap, state the weld gap in the Mesh station."
        if gap >= 0
        else f"{_both(mesh, mesh.near[least])} reach {shown.length(-gap, 2)} into each other "
        "and are not joined. Move one until they touch along an edge or a face.",
        "mesh",
    )


def hinged(mesh: MeshFindings) -> NDArray[np.bool_]:
    """Which joints, bonded ones first, are rows of nodes that carry no turns: (p + f,)."""
    along, across = mesh.joint_reach.T
    return np.asarray(~mesh.joint_turns & (across < _LINE * np.maximum(along, 1e-9)))


def _made(mesh: MeshFindings, made: NDArray[np.int64]) -> Evidence:
    count = str(len(made))
    if len(mesh.bonded) == 0:
        return Evidence(
            "joints",
            count,
            "joints in one mesh",
            "good",
            f"{len(made)} joints are part of one mesh, each with at least {int(made[:, 2].min())} "
            "nodes in common.",
            "part",
        )
    rest = f", and {len(mesh.fused)} are part of one mesh" if len(mesh.fused) else ""
    area = (
        f" over {shown.area(mesh.joint_area.min(), 3)} or more"
        if len(mesh.joint_area) and np.isfinite(mesh.joint_area).all()
        else ""
    )
    text = (
        f"{len(mesh.bonded)} joints are bonded{area}, each by at least "
        f"{int(mesh.bonded[:, 2].min())} nodes{rest}."
    )
    wide = float(mesh.joint_gap.max()) if len(mesh.joint_gap) else 0.0
    if wide > 0.01:
        widest = mesh.bonded[int(mesh.joint_gap.argmax())]
        return Evidence(
            "joints",
            count,
            "joints across a gap",
            "caution",
            f"{_both(mesh, widest)} stand {shown.length(wide, 2)} apart and are taken as welded "
            f"together. {text}",
            "mesh",
        )
    return Evidence("joints", count, "joints" if rest else "bonded joints", "good", text, "part")
