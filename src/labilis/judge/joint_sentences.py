"""Sentences of the Mesh station about joints: which bodies hang together, how, and a way to let go of each."""
from __future__ import annotations

from labilis.judge.findings import MeshFindings
from labilis.judge.spans import Sentence, Span
from labilis.model import Project

_MOST = 6  # joints listed one by one


def joint_sentences(project: Project, mesh: MeshFindings | None) -> list[Sentence]:
    """One sentence per joint between solids or of bonded nodes, the weakest first, and one per released joint."""
    found = [_released(project, pair) for pair in project.released]
    if mesh is None:
        return found
    joints = [(int(count), str(mesh.bodies[one]), str(mesh.bodies[two]), how) for pairs, how in (
        (mesh.bonded, "bonded"), (mesh.fused, "shared")) for one, two, count in pairs]
    joints.sort()
    for count, one, two, how in joints[:_MOST]:
        pair = _names(project, one, two)
        nodes = f"{count:,} {how} node{'s' if count > 1 else ''}"
        spans = [Span(one, strong=True), Span(" and "), Span(two, strong=True), Span(" are ")]
        if pair is None or pair in project.released:
            spans.append(Span("joined"))
        else:
            now = [list(item) for item in project.released]
            spans.append(Span("joined", ("released",), choices=(("joined", now), ("released", [*now, list(pair)]))))
        found.append((*spans, Span(f" by {nodes}."),))
    if len(joints) > _MOST:
        rest = joints[_MOST:]
        found.append((Span(f"{len(rest)} more joints, each by at least {rest[0][0]:,} nodes.", tone="quiet"),))
    return found


def _names(project: Project, one: str, two: str) -> tuple[str, str] | None:
    """What the statements call two bodies, lower first; patches of an imported sheet go by their piece's name."""
    known = {name for piece in project.pieces for name in (piece.name, *piece.instances)}
    names = [name if name in known else name.rsplit(".", 1)[0] for name in (one, two)]
    return (names[0], names[1]) if set(names) <= known and names[0] != names[1] else None


def _released(project: Project, pair: tuple[str, str]) -> Sentence:
    others = [list(item) for item in project.released if item != pair]
    return (Span(pair[0], strong=True), Span(" and "), Span(pair[1], strong=True), Span(" may touch but are "),
            Span("not joined", ("released",), choices=(("joined", others), ("not joined", [list(item) for item in project.released]))),
            Span("."))
