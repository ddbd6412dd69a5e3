"""Sentences of the Mesh station about joints: which bodies hang together, how, and a way to let go of each."""
from __future__ import annotations

from labilis.judge.findings import MeshFindings
from labilis.judge.spans import Sentence, Span
from labilis.model import Project

_MOST = 6  # joints listed one by one


def joint_sentences(project: Project, mesh: MeshFindings | None) -> list[Sentence]:
    """One sentence per pair of pieces with bonded or shared nodes, the weakest first, and one per released joint."""
    found = [_released(project, pair) for pair in project.released]
    if mesh is None:
        return found
    joints: dict[tuple[str, str, str], list[int]] = {}
    for pairs, how in ((mesh.bonded, "bonded"), (mesh.fused, "shared")):
        for one, two, count in pairs:
            a, b = (_piece(project, str(mesh.bodies[number])) for number in (one, two))
            joints.setdefault((a, b, how), []).append(int(count))
    rows = sorted((min(counts), pair, counts) for pair, counts in joints.items())
    for least, (one, two, how), counts in rows[:_MOST]:
        nodes = f"{least:,} {how} node{'s' if least > 1 else ''}"
        at_least = "" if max(counts) == least else "at least "
        amount = f"by {nodes}" if len(counts) == 1 else f"in {len(counts)} places, each by {at_least}{nodes}"
        now = [list(item) for item in project.released]
        joined = Span("joined", ("released",), choices=(("joined", now), ("released", [*now, [one, two]])))
        if one == two:
            found.append((Span("Bodies of "), Span(one, strong=True), Span(f" are joined {amount}.")))
            continue
        found.append((Span(one, strong=True), Span(" and "), Span(two, strong=True), Span(" are "), joined, Span(f" {amount}.")))
    if len(rows) > _MOST:
        found.append((Span(f"{len(rows) - _MOST} more pairs, each by at least {rows[_MOST][0]:,} nodes.", tone="quiet"),))
    return found


def _piece(project: Project, body: str) -> str:
    """Piece that a body belongs to: copies and patches of an imported sheet are numbered after its name."""
    known = {piece.name for piece in project.pieces}
    return body if body in known else body.rsplit(".", 1)[0]


def _released(project: Project, pair: tuple[str, str]) -> Sentence:
    others = [list(item) for item in project.released if item != pair]
    return (Span(pair[0], strong=True), Span(" and "), Span(pair[1], strong=True), Span(" may touch but are "),
            Span("not joined", ("released",), choices=(("joined", others), ("not joined", [list(item) for item in project.released]))),
            Span("."))
