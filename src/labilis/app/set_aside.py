"""What a piece set aside does to the part all the same: its weight as a load."""

from __future__ import annotations

import numpy as np

from labilis.app.picked import with_region
from labilis.edit.new_loads import with_load_in_all
from labilis.model import ForceLoad, Hub, LabilisError, Project, WeightLoad, shown
from labilis.run.picking import ShapeView
from labilis.run.set_aside import AsideMass, mass_of_aside


def with_aside(project: Project, view: ShapeView, piece: str) -> tuple[Project, str]:
    """(statements, name) with the weight of a piece set aside: a force at its centre of gravity,
    shared out over the faces it touches, in every case. It falls the way a stated weight does, else
    against z. Raises LabilisError when it touches nothing or what it weighs is not known."""
    found = _weighed(project, view, piece)
    faces = tuple(("face", int(face)) for face in found.faces)
    # it stands on what is there now: a further copy need not be under it
    project, region = with_region(project, view, faces, copies=False)
    at = tuple(shown.stated(c, "length", 6) for c in found.centre)
    hub = Hub(
        name=project.free_name("hubs", f"{piece} centre"),
        region=region.name,
        kind="spread",
        at=at,  # type: ignore[arg-type]
    )
    name = project.free_name("loads", f"weight of {piece}")
    push = (found.mass * g for g in _gravity(project))  # t times mm/s²
    force = ForceLoad(
        name=name,
        on=hub.name,
        components=tuple(shown.stated(one, "force", 4) for one in push),  # type: ignore[arg-type]
    )
    return with_load_in_all(project.with_item("hubs", hub), force), name


_G, _NEAR = 9810.0, 0.03  # mm/s²; what a weight may be off it and be gravity, no shock or sway


def _gravity(project: Project) -> list[float]:
    """The acceleration (3,) mm/s² of the first weight that is gravity, else against z."""
    for load in project.loads:
        if isinstance(load, WeightLoad):
            stated = project.numbers(load, "acceleration")
            if abs(float(np.linalg.norm(stated)) / _G - 1.0) < _NEAR:
                return stated
    return [0.0, 0.0, -_G]


def _weighed(project: Project, view: ShapeView, piece: str) -> AsideMass:
    """Mass of a piece and what it touches. Raises LabilisError where either is not there."""
    found = mass_of_aside(project, view, piece)
    where = f"pieces/{piece}"
    if found is None or len(found.faces) == 0:
        raise LabilisError(
            f"'{piece}' touches no face of the part.",
            where,
            "Move it onto the part, or load a face by hand.",
            "aside",
        )
    if np.isfinite(found.mass):
        return found
    if not found.closed:
        why, remedy = "its skin is open", "Load the faces that it stands on by hand."
    else:
        why = "its material has no density"
        remedy = "Give it one, or load the faces that it stands on by hand."
    raise LabilisError(f"What '{piece}' weighs is not known: {why}.", where, remedy, "aside")
