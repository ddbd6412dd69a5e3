"""Lines know a member as a whole: its walls may buckle before it, and nothing of that is in the
modes."""

from __future__ import annotations

import math

from labilis.judge.evidence.base import CaseFacts, Evidence
from labilis.judge.plausible import is_thin


def walls_of_lines(facts: CaseFacts) -> Evidence | None:
    """Factor at which the slimmest wall of any line buckles about (by its width, its edges and the
    largest compression of its member, as in screening), against the required one."""
    lines = {piece.name for piece in facts.project.active_pieces if piece.mesh_as == "line"}
    members = facts.members
    if not lines or members is None or facts.modes is None:
        return None
    rows = {row.name: row for row in facts.screened if row.piece in lines}
    unknown = [
        str(name)
        for k, name in enumerate(members.names)
        if str(members.pieces[k]) in lines
        and members.wall_width[k] == 0
        and members.radius[k] == 0
        and is_thin(members, k)
        and members.peak[k] > 0
    ]
    if unknown:
        return Evidence(
            "walls of lines",
            "not known",
            "",
            "bad",
            f"'{unknown[0]}' is thin and a line: its walls are not in the model, and of a drawn "
            "section nothing tells how wide they are. Mesh it as shells or a solid.",
            "part",
        )
    finite = [row for row in rows.values() if math.isfinite(row.wall)]
    if not finite:
        return None
    worst = min(finite, key=lambda row: row.wall / facts.required_of(row.piece))
    needed, figure = facts.required_of(worst.piece), f"{worst.wall:.3g}"
    if worst.wall < needed:
        return Evidence(
            "walls of lines",
            figure,
            "× the load",
            "bad",
            f"A wall of '{worst.name}' buckles at about {figure} × the load, under the required "
            f"{needed:.4g}, and a line does not know it. Mesh it as shells.",
            "part",
        )
    return Evidence(
        "walls of lines",
        figure,
        "× the load",
        "good",
        f"The slimmest wall of a line, of '{worst.name}', buckles at about {figure} × the load, "
        f"beyond the required {needed:.4g}.",
        "part",
    )
