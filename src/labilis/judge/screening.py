"""Screening before any buckling run: which pieces are slender and in compression, with rough
factors from formulas.

Members are taken as pinned at both ends over their whole length, walls as long plates in even
compression; both from the section and the mean axial force of the linear run. This says where to
look, not what the part carries.
"""

from __future__ import annotations

import math
from collections import Counter
from dataclasses import dataclass, replace

from labilis.judge.figures import force_text
from labilis.judge.hand.cylinder import knock_down
from labilis.judge.hand.plate import COEFFICIENTS, plate_stress
from labilis.model import LabilisError, Project
from labilis.results.findings import MemberFindings

_EDGES = {"one supported, one free": "one edge free", "both supported": "both edges held"}
_MARGIN = 5.0  # times the required factor: rough factors beyond it need no second look
# of the yield strength, or of the largest compression anywhere: stress not worth a thought
_LITTLE = 0.02


@dataclass(frozen=True)
class Screened:
    """One piece. compression N (negative: tension), growing and held together; slenderness L / i;
    ratio: width over thickness of its slimmest wall (radius over thickness of a round tube), 0
    without; member, wall: rough factors on the growing load, infinite without compression; closer:
    look closer; reason: one sentence; alike: copies of the piece, of which this is the worst."""

    name: str
    piece: str
    compression: float
    slenderness: float
    ratio: float
    member: float
    wall: float
    closer: bool
    reason: str
    alike: int = 1


def screen(project: Project, members: MemberFindings, required: float) -> tuple[Screened, ...]:
    """The worst copy of every piece, the most doubtful first."""
    largest = float(members.peak.max(initial=0.0))
    found = sorted(
        (_one(project, members, k, required, largest) for k in range(len(members.names))),
        key=lambda item: (min(item.member, item.wall), item.name),
    )
    alike = Counter(str(piece) for piece in members.pieces)
    first: dict[str, Screened] = {}
    for item in found:
        first.setdefault(item.piece, replace(item, alike=alike[item.piece]))
    return tuple(first.values())


HOW = (
    "Rough factors: members pinned over their whole length, walls as long plates in even "
    "compression, from the mean force and the "
    "largest compression of the linear run."
)
HEADS = ("", "piece", "compression", "L/i", "b/t", "member", "walls", "why")


def screened_cells(item: Screened) -> tuple[tuple[str, float | None], ...]:
    """What stands under `HEADS` of a piece: (words, the figure in full where it is one, forces
    in N)."""

    def rough(value: float) -> tuple[str, float | None]:
        return f"{value:.3g}" if value < 1e3 else "> 1000" if math.isfinite(
            value
        ) else "–", value if math.isfinite(value) else None

    push = (
        force_text(item.compression)
        if item.compression >= 0
        else f"{force_text(-item.compression)} pull"
    )
    name = item.name + (f" (worst of {item.alike})" if item.alike > 1 else "")
    return (
        ("▬ look closer" if item.closer else "✓ leave it", None),
        (name, None),
        (push, item.compression),
        (f"{item.slenderness:.0f}", item.slenderness),
        (f"{item.ratio:.0f}", item.ratio) if item.ratio else ("–", None),
        rough(item.member),
        rough(item.wall),
        (item.reason, None),
    )


def elastic_of(project: Project, piece: str) -> tuple[float, float]:
    """(Young's modulus MPa, Poisson's ratio) of a piece. Raises LabilisError without a material."""
    material = project.named("materials", project.named("pieces", piece).material or "")
    return project.number(material, "youngs_modulus"), project.number(material, "poisson_ratio")


def _one(
    project: Project, members: MemberFindings, k: int, required: float, largest: float
) -> Screened:
    name, piece = str(members.names[k]), str(members.pieces[k])
    e, ratio = elastic_of(project, piece)
    growing, held = (float(value) for value in members.axial[k])
    slenderness = float(members.length[k] / math.sqrt(members.i_min[k] / members.area[k]))
    euler = math.pi**2 * e * float(members.i_min[k]) / float(members.length[k]) ** 2
    member = max((euler - held) / growing, 0.0) if growing > 0 else math.inf
    stress = max(growing / float(members.area[k]), float(members.peak[k]))
    # what is held takes its part of the wall away; what draws it gives nothing that is sure
    pressed = max(held, 0.0) / float(members.area[k])
    wall, slim, words = math.inf, 0.0, ""
    if members.radius[k] > 0:
        thickness = float(members.thickness[k])
        slim = float(members.radius[k]) / thickness
        critical = (
            knock_down(slim)
            * e
            * thickness
            / (float(members.radius[k]) * math.sqrt(3 * (1 - ratio**2)))
        )
        wall = max(critical - pressed, 0.0) / max(stress, 1e-300)
        words = f"radius {slim:.0f} t"
    elif members.wall_width[k] > 0:
        edges = str(members.wall_edges[k]) or "one supported, one free"
        slim = float(members.wall_width[k] / members.wall_thickness[k])
        critical = plate_stress(e, ratio, 1.0, slim, COEFFICIENTS[edges])
        wall = max(critical - pressed, 0.0) / max(stress, 1e-300)
        words = f"wall {slim:.0f} t wide, {_EDGES.get(edges, edges)}"
    if stress < _LITTLE * largest or stress <= 0:
        return Screened(
            name,
            piece,
            growing + held,
            slenderness,
            slim,
            member,
            math.inf,
            False,
            "hardly loaded" if growing >= 0 else "in tension",
        )
    least = min(member, wall)
    if least >= _MARGIN * required:
        why = (
            "in tension"
            if growing <= 0 and members.peak[k] < _LITTLE * largest
            else (f"rough factor {least:.3g}, far above the required {required:.4g}")
        )
        return Screened(name, piece, growing + held, slenderness, slim, member, wall, False, why)
    why = (
        f"slender in compression, L / i = {slenderness:.0f}: bows at about {member:.3g} if pinned"
        if member <= wall
        else f"{words}: buckles at about {wall:.3g}"
    )
    return Screened(name, piece, growing + held, slenderness, slim, member, wall, True, why)


def screened_or_none(
    project: Project, members: MemberFindings | None, required: float
) -> tuple[Screened, ...]:
    """Screening where there is what it needs, else nothing."""
    if members is None:
        return ()
    try:
        return screen(project, members, required)
    except LabilisError:
        return ()
