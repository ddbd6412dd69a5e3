"""Slips of units: a thickness ten times off, a radius for a diameter, a size in metres."""

from labilis.judge.evidence.base import CaseFacts, Evidence
from labilis.model import Piece, Project, Strut, shown

_SLIM, _STOUT = 200.0, 3.0  # width over thickness of walls: people make them between these
_LONG = 5000.0  # length over thickness
_LARGEST, _SMALLEST = 30_000.0, 2.0  # mm
_STUB = 0.04  # of its section: no strut is shorter


def proportions(facts: CaseFacts) -> Evidence | None:
    """Walls over their thickness, and sizes out of the ordinary, of every member."""
    members = facts.members
    if members is None or len(members.names) == 0:
        return None
    for piece in facts.project.active_pieces:
        if (stub := _stub(facts.project, piece)) is not None:
            return stub
    slimmest = 0.0
    for k, (name, piece) in enumerate(zip(members.names, members.pieces)):
        shell = facts.project.named("pieces", str(piece)).mesh_as == "shell"
        length, thickness = (
            float(members.length[k]),
            float(members.wall_thickness[k] or members.thickness[k]),
        )
        width = float(members.wall_width[k]) or float(members.radius[k])
        slim = width / thickness
        slimmest = max(slimmest, slim)
        if slim > _SLIM or length > _LONG * thickness:
            return Evidence(
                "proportions",
                f"{max(slim, 1):.0f}",
                "width over thickness",
                "caution",
                f"'{name}' is {shown.length(thickness, 3)} thick at {shown.length(width)} of width "
                f"and {shown.length(length)} of "
                "length, thinner than such parts are made. Check the thickness: a slip of ten is "
                "common.",
                "part",
            )
        if shell and 0 < slim < _STOUT:
            return Evidence(
                "proportions",
                f"{slim:.2g}",
                "width over thickness",
                "caution",
                f"'{name}' is {shown.length(thickness, 3)} thick at {shown.length(width)} of "
                "width: no sheet, and no shell. "
                "Check the thickness, or mesh it as a solid.",
                "part",
            )
        if not _SMALLEST < length < _LARGEST:
            return Evidence(
                "proportions",
                f"{shown.value(length, 'length'):.3g}",
                f"{shown.unit('length')} long",
                "caution",
                f"'{name}' is {shown.length(length)} long: check the unit of its sizes.",
                "part",
            )
    return Evidence(
        "proportions",
        f"{slimmest:.0f}",
        "width over thickness",
        "good",
        "Thicknesses, widths and lengths are in ordinary proportion.",
        "part",
    )


def _stub(project: Project, piece: Piece) -> Evidence | None:
    """A strut that is hardly longer than a foil is thick: metres typed for millimetres. Spacers and
    washers that are made as one are a twentieth of their diameter and more (ISO 7089: 0.08 to
    0.16)."""
    recipe = piece.recipe
    if not isinstance(recipe, Strut):
        return None
    sizes = [
        project.number(recipe.section, name)
        for name in ("width", "height", "diameter")
        if getattr(recipe.section, name) is not None
    ]
    length = project.number(recipe, "length")
    if not sizes or length >= _STUB * max(sizes):
        return None
    return Evidence(
        "proportions",
        f"{shown.value(length, 'length'):.3g}",
        f"{shown.unit('length')} long",
        "caution",
        f"'{piece.name}' is a strut {shown.length(length)} long and {shown.length(max(sizes))} "
        "across: check the unit of its length.",
        "part",
    )
