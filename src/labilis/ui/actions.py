"""What can be said about picked faces and edges: each returns new statements and the words for the journal."""
from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from labilis.model import (
    CaseLoad,
    CylindricalAxes,
    ForceLoad,
    GlobalAxes,
    Hub,
    LoadCase,
    LocalAxes,
    MeshZone,
    NormalAxes,
    PressureLoad,
    Project,
    Region,
    Support,
)
from labilis.run.picking import ShapeView, describe_edge, describe_face, make_pick

Selection = tuple[tuple[str, int], ...]


@dataclass(frozen=True)
class Offer:
    """Something that fits a selection: a key, words for the menu."""

    key: str
    words: str


def _active(project: Project) -> str:
    return next((piece.name for piece in project.pieces if not piece.set_aside), "")


def is_bore(view: ShapeView, selection: Selection) -> bool:
    """Whether one round face is picked."""
    return len(selection) == 1 and selection[0][0] == "face" and str(view.faces.kind[selection[0][1]]) == "cylinder"


def hold_offers(view: ShapeView, selection: Selection) -> list[Offer]:
    """Ways to hold what is picked."""
    offers = [Offer("fixed", "Fixed")]
    if is_bore(view, selection):
        offers += [Offer("pin", "On a pin: turns about its axis"),
                   Offer("pin-slide", "On a pin: turns, and slides along the part"),
                   Offer("cylinder", "Bore held point by point: radial and axial")]
    faces = [index for of, index in selection if of == "face"]
    if faces and all(str(view.faces.kind[index]) == "plane" for index in faces):
        offers.append(Offer("normal", "Slides on the face"))
    return offers + [Offer("x", "Only x held"), Offer("y", "Only y held"), Offer("z", "Only z held")]


def with_region(project: Project, view: ShapeView, selection: Selection) -> tuple[Project, Region]:
    """Statements with a region for the selection; the same picks are not named twice."""
    picks = tuple(make_pick(view, of, index) for of, index in selection)
    for region in project.regions:
        if region.picks == picks:
            return project, region
    of, index = selection[0]
    words = (describe_face if of == "face" else describe_edge)(view, index)[0]
    base = words.split(" (")[0].split(",")[0].replace(" mm", "")
    region = Region(name=project.free_name("regions", base), piece=_active(project), picks=picks)
    return project.with_item("regions", region), region


def with_hub(project: Project, region: Region) -> tuple[Project, Hub]:
    """Statements with a stiff hub on a region."""
    for hub in project.hubs:
        if hub.region == region.name:
            return project, hub
    hub = Hub(name=project.free_name("hubs", f"{region.name} hub"), region=region.name)
    return project.with_item("hubs", hub), hub


def _pin_axes(view: ShapeView, face: int) -> tuple[GlobalAxes | LocalAxes, str, str]:
    """(axes, letter of the pin's axis, letter nearest the part's long direction)."""
    axis, along = view.faces.direction[face], view.long_axis
    pin = int(np.argmax(np.abs(axis)))
    long = int(np.argmax(np.abs(along) - (np.arange(3) == pin)))
    if abs(axis[pin]) > 1 - 1e-9 and abs(along[long]) > 1 - 1e-6:
        return GlobalAxes(), "xyz"[pin], "xyz"[long]
    slide = along - (along @ axis) * axis
    slide = slide / np.linalg.norm(slide)
    side = np.cross(axis, slide)
    return LocalAxes(x_axis=tuple(float(c) for c in slide), xy_plane=tuple(float(c) for c in side)), "z", "x"


def hold(project: Project, view: ShapeView, selection: Selection, way: str) -> tuple[Project, str, str]:
    """(statements, words, name of the support) with the selection held in one of the ways of `hold_offers`."""
    project, region = with_region(project, view, selection)
    name = project.free_name("supports", f"{region.name} held")
    if way in ("pin", "pin-slide"):
        project, hub = with_hub(project, region)
        axes, pin, along = _pin_axes(view, selection[0][1])
        free = {f"turn_{pin}", along} if way == "pin-slide" else {f"turn_{pin}"}
        held = tuple(motion for motion in ("x", "y", "z", "turn_x", "turn_y", "turn_z") if motion not in free)
        support = Support(name=name, on=hub.name, axes=axes, held=held)
    elif way == "cylinder":
        support = Support(name=name, on=region.name, axes=CylindricalAxes(), held=("radial", "axial"))
    elif way == "normal":
        support = Support(name=name, on=region.name, axes=NormalAxes(), held=("normal",))
    else:
        hubs = [hub.name for hub in project.hubs if hub.region == region.name]
        if hubs:
            held = ("x", "y", "z", "turn_x", "turn_y", "turn_z") if way == "fixed" else (way,)
            support = Support(name=name, on=hubs[0], held=held)
        else:
            support = Support(name=name, on=region.name, held=("x", "y", "z") if way == "fixed" else (way,))
    return project.with_item("supports", support), f"{region.name} held: {way}", name


def push(project: Project, view: ShapeView, selection: Selection, way: str) -> tuple[Project, str, str]:
    """(statements, words, name of the load) with a force ('force', 'normal') or 'pressure' on the selection."""
    project, region = with_region(project, view, selection)
    hub = next((hub.name for hub in project.hubs if hub.region == region.name), None)
    name = project.free_name("loads", f"push on {region.name}" if way != "pressure" else f"pressure on {region.name}")
    if way == "pressure":
        load: ForceLoad | PressureLoad = PressureLoad(name=name, on=region.name, pressure="0.1 MPa")
    elif way == "normal":
        load = ForceLoad(name=name, on=region.name, normal="1 kN")
    else:
        along = view.long_axis
        axis = int(np.argmax(np.abs(along)))
        centre = float(np.mean([pick.position[axis] for pick in region.picks]))
        inward = "-1 kN" if centre > float(view.centroid[axis]) else "1 kN"
        components = tuple(inward if index == axis else "0 N" for index in range(3))
        load = ForceLoad(name=name, on=hub or region.name, components=components)  # type: ignore[arg-type]
    project = project.with_item("loads", load)
    cases = list(project.cases) or [LoadCase(name="service")]
    cases[0] = cases[0].model_copy(update={"loads": (*cases[0].loads, CaseLoad(load=name))})
    return project.changed(cases=cases), f"{name} added", name


def refine(project: Project, view: ShapeView, selection: Selection, size: str) -> tuple[Project, str, str]:
    """(statements, words, region) with a mesh zone on the selection."""
    project, region = with_region(project, view, selection)
    zones = [zone for zone in project.mesh.zones if zone.region != region.name] + [MeshZone(region=region.name, size=size)]
    plan = project.mesh.model_copy(update={"zones": tuple(zones)})
    return project.changed(mesh=plan), f"zone on {region.name}", region.name
