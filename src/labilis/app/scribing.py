"""Scribing on a picked face: what is on offer, and the statements that come of it."""

from __future__ import annotations

import numpy as np

from labilis.app.picked import Offer, Selection, names_of
from labilis.model import LabilisError, Project, Scribe, ScribeCircle, ScribeLine, shown
from labilis.run.picking import ShapeView, make_pick


def scribe_offers(view: ShapeView, selection: Selection) -> list[Offer]:
    """Ways to scribe what is picked: one face, or the edge of a hole."""
    if len(selection) != 1:
        return []
    of, index = selection[0]
    if of == "edge":
        return [Offer("washer", "Washer patch round it")] if _host(view, index) is not None else []
    offers = [Offer("circle", "Circle in the middle")]
    if str(view.faces.kind[index]) in ("plane", "cylinder"):
        offers = [
            Offer("lengthwise", "Line along the middle"),
            Offer("crosswise", "Line across the middle"),
            *offers,
        ]
    return offers


def _host(view: ShapeView, edge: int) -> int | None:
    """The flat face that a circular edge lies in, or None."""
    if str(view.edges.kind[edge]) != "circle":
        return None
    flat = [
        int(face)
        for face in view.edges.faces[edge]
        if face >= 0 and str(view.faces.kind[face]) == "plane"
    ]
    return flat[0] if flat else None


def scribe(
    project: Project, view: ShapeView, selection: Selection, way: str
) -> tuple[Project, str, str]:
    """(statements, words, name of the scribe) with a line, circle or washer on what is picked.
    Raises LabilisError for what does not take it."""
    if way not in {offer.key for offer in scribe_offers(view, selection)}:
        raise LabilisError(
            {
                "washer": "A washer goes round the edge of a hole in a flat face.",
                "circle": "A circle is scribed on one face.",
            }.get(way, "A line is scribed on one face, flat or round."),
            "scribes",
            "Pick another place.",
            "scribe-place",
        )
    of, index = selection[0]
    face = index if of == "face" else _host(view, index)
    assert face is not None
    named = names_of(view, (("face", face),))
    host = {"face": named[0]} if named else {"pick": make_pick(view, "face", face)}
    name = project.free_name("scribes", {"lengthwise": "line", "crosswise": "line"}.get(way, way))
    while name in {body for piece in project.pieces for body in (piece.name, *piece.instances)}:
        name += " scribe"
    made: Scribe
    if way in ("lengthwise", "crosswise"):
        made = ScribeLine(name=name, run=way, **host)  # type: ignore[arg-type]
    elif way == "washer":
        radius = float(view.edges.radius[index])
        x, y, z = (shown.stated(float(c), "length", 6) for c in view.edges.centroid[index])
        made = ScribeCircle(
            name=name, diameter=shown.stated(4 * radius, "length", 4), at=(x, y, z), **host
        )  # type: ignore[arg-type]
    else:
        across = float(np.sqrt(view.faces.area[face]))
        made = ScribeCircle(name=name, diameter=shown.stated(0.4 * across, "length", 2), **host)  # type: ignore[arg-type]
    return project.with_item("scribes", made), f"{name} scribed", name
