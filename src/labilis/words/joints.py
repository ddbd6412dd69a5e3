"""Sentences of the Mesh station about joints: which bodies hang together, how, and a way to let
go of each."""

from __future__ import annotations

from collections.abc import Mapping
from typing import get_args

from labilis.judge.spans import Sentence, Span, blocked_span, name_span, value_span
from labilis.model import BoltGrade, Project
from labilis.results.findings import MeshFindings

_CHOICES = {
    "faces": (
        ("the pieces are only bolted", "apart"),
        ("faces that touch are joined besides", "bonded"),
    ),
    "turning": (("free to turn about it", "free"), ("held from turning by friction", "held")),
}
_MOST = 6  # joints listed one by one


def fastener_sentences(project: Project, lost: Mapping[str, str]) -> list[Sentence]:
    """One sentence per bolt, then one per seam; `lost`: what regions have lost, in words."""
    found: list[Sentence] = []
    for index, bolt in enumerate(project.bolts):
        path = ("bolts", index)
        grades = tuple((f"grade {grade}", grade) for grade in get_args(BoltGrade))
        spans = [
            name_span(bolt.name, path),
            Span(": a bolt of "),
            value_span(bolt.diameter, (*path, "diameter"), "length"),
            Span(", "),
            Span(f"grade {bolt.grade}", (*path, "grade"), choices=grades),
            Span(f", through {', '.join(bolt.through)}; "),
        ]
        for field in ("faces", "turning"):
            now = next(words for words, value in _CHOICES[field] if value == getattr(bolt, field))
            spans += [Span(now, (*path, field), choices=_CHOICES[field]), Span(", ")]
        spans += [
            Span("from the nearest edge "),
            value_span(bolt.edge or "not given", (*path, "edge"), "length"),
            Span("."),
        ]
        missing = [name for name in bolt.through if name in lost]
        found.append((*spans, *(blocked_span(name, lost[name]) for name in missing)))
    for index, seam in enumerate(project.seams):
        found.append(
            (
                name_span(seam.name, ("seams", index)),
                Span(f": {seam.along} is welded to "),
                Span(seam.to, strong=True),
                Span(" along its edges; the faces beside them only touch."),
                *((blocked_span(seam.along, lost[seam.along]),) if seam.along in lost else ()),
            )
        )
    return found


def joint_sentences(project: Project, mesh: MeshFindings | None) -> list[Sentence]:
    """One sentence per pair of pieces with bonded or shared nodes, the weakest first, and one
    per released joint."""
    found = [_released(project, pair) for pair in project.released]
    if mesh is None:
        return found
    joints: dict[tuple[str, str, str], list[int]] = {}
    owners = [project.piece_of(str(body)) for body in mesh.bodies]
    for pairs, how in ((mesh.bonded, "bonded"), (mesh.fused, "shared")):
        for one, two, count in pairs:
            joints.setdefault((owners[one], owners[two], how), []).append(int(count))
    rows = sorted((min(counts), pair, counts) for pair, counts in joints.items())
    for least, (one, two, how), counts in rows[:_MOST]:
        nodes = f"{least:,} {how} node{'s' if least > 1 else ''}"
        at_least = "" if max(counts) == least else "at least "
        amount = (
            f"by {nodes}"
            if len(counts) == 1
            else f"in {len(counts)} places, each by {at_least}{nodes}"
        )
        now = [list(item) for item in project.released]
        joined = Span(
            "joined", ("released",), choices=(("joined", now), ("released", [*now, [one, two]]))
        )
        if one == two:
            found.append(
                (Span("Bodies of "), Span(one, strong=True), Span(f" are joined {amount}."))
            )
            continue
        found.append(
            (
                Span(one, strong=True),
                Span(" and "),
                Span(two, strong=True),
                Span(" are "),
                joined,
                Span(f" {amount}."),
            )
        )
    if len(rows) > _MOST:
        found.append(
            (
                Span(
                    f"{len(rows) - _MOST} more pairs, each by at least {rows[_MOST][0]:,} nodes.",
                    tone="quiet",
                ),
            )
        )
    return found


def _released(project: Project, pair: tuple[str, str]) -> Sentence:
    others = [list(item) for item in project.released if item != pair]
    return (
        Span(pair[0], strong=True),
        Span(" and "),
        Span(pair[1], strong=True),
        Span(" may touch but are "),
        Span(
            "not joined",
            ("released",),
            choices=(("joined", others), ("not joined", [list(item) for item in project.released])),
        ),
        Span("."),
    )
