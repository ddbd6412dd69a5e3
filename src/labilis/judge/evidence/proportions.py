"""Slips of units: a thickness ten times off, a radius for a diameter, a size in metres."""

from labilis.judge.evidence.base import CaseFacts, Evidence
from labilis.model import shown

_SLIM, _STOUT = 200.0, 3.0  # width over thickness of walls: people make them between these
_LONG = 5000.0  # length over thickness
_LARGEST, _SMALLEST = 30_000.0, 2.0  # mm


def proportions(facts: CaseFacts) -> Evidence | None:
    """Walls over their thickness, and sizes out of the ordinary, of every member."""
    members = facts.members
    if members is None or len(members.names) == 0:
        return None
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
