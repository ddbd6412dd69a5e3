"""What can be said about picked faces and edges: each returns new statements and the words for
the journal."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from labilis.edit.new_loads import told_in, with_load
from labilis.model import (
    CylindricalAxes,
    ForceLoad,
    GlobalAxes,
    Hub,
    LabilisError,
    LineLoad,
    LocalAxes,
    MeshZone,
    MomentLoad,
    NormalAxes,
    PressureLoad,
    Project,
    Region,
    Spring,
    Support,
    SymmetryAxes,
)
from labilis.run.picking import ShapeView, describe_edge, describe_face, make_pick
from labilis.run.selections import on_all_copies

Selection = tuple[tuple[str, int], ...]


@dataclass(frozen=True)
class Offer:
    """Something that fits a selection: a key, words for the menu."""

    key: str
    words: str


def _owner(project: Project, view: ShapeView, item: tuple[str, int]) -> str:
    """Piece that a picked face or edge belongs to."""
    body = str(view.bodies[view.body_of(*item)])
    return next(
        (piece.name for piece in project.active_pieces if body in piece.instances),
        next((piece.name for piece in project.active_pieces), ""),
    )


def names_of(view: ShapeView, selection: Selection, copies: bool = True) -> tuple[str, ...]:
    """Names that mean just what is picked, or nothing when something has no name of its own. What
    is picked on all `copies` of a piece has one name, which further copies then have as well;
    holes and sides stay one by one, because one that is added later need not be meant."""
    found: list[str] = []
    for of, index in selection:
        table = view.faces if of == "face" else view.edges
        chosen = {number for kind, number in selection if kind == of}
        for name in str(table.name[index]).split("|"):
            rows = {row for row, words in enumerate(table.name) if name in str(words).split("|")}
            if name and rows <= chosen and not name.endswith(".side") and "+" not in name:
                found.append((copies and on_all_copies(table, name, chosen)) or name)
                break
        else:
            return ()
    return tuple(dict.fromkeys(found))


def on_sheet(view: ShapeView, selection: Selection) -> bool:
    """Whether everything picked belongs to sheets or lines, whose nodes can be held against
    turning."""
    faces = [index if of == "face" else int(view.edges.faces[index, 0]) for of, index in selection]
    return all(face < 0 or bool(view.sheet[face]) for face in faces)


def is_bore(view: ShapeView, selection: Selection) -> bool:
    """Whether one round face is picked."""
    return (
        len(selection) == 1
        and selection[0][0] == "face"
        and str(view.faces.kind[selection[0][1]]) == "cylinder"
    )


def hold_offers(view: ShapeView, selection: Selection) -> list[Offer]:
    """Ways to hold what is picked."""
    offers = [Offer("fixed", "Fixed")]
    if on_sheet(view, selection):
        offers.append(Offer("hinged", "Held, free to turn"))
    if is_bore(view, selection):
        offers += [
            Offer("pin", "On a pin: turns about its axis"),
            Offer("pin-slide", "On a pin: turns, and slides along the part"),
            Offer("cylinder", "Bore held point by point: radial and axial"),
        ]
    faces = [index for of, index in selection if of == "face"]
    if faces and all(str(view.faces.kind[index]) == "plane" for index in faces):
        offers.append(Offer("normal", "Slides on the face"))
    offers += [
        Offer(f"symmetry {axis}", f"Plane of symmetry square to {axis}")
        for axis in _planes_of(view, selection)
    ]
    offers += [
        Offer("x", "Only x held"),
        Offer("y", "Only y held"),
        Offer("z", "Only z held"),
        Offer("springs", "Springs along x, y, z"),
    ]
    return offers + ([Offer("foundation", "Elastic foundation")] if faces else [])


def push_offers(view: ShapeView, selection: Selection) -> list[Offer]:
    """Ways to load what is picked."""
    offers = [Offer("force", "Force by components")]
    if selection[0][0] == "face":
        offers += [Offer("normal", "Force square to the face"), Offer("pressure", "Pressure")]
    elif all(view.edges.length[index] > 0 for _, index in selection):
        offers.append(Offer("line", "Force per length"))
    return [
        *offers,
        Offer("moment", "Moment, on a stiff hub"),
        Offer("hub force", "Force on a stiff hub"),
        Offer("spread force", "Force on a spread hub"),
    ]


def _planes_of(view: ShapeView, selection: Selection) -> str:
    """Axes to which the plane is square that holds all that is picked: 'y', or 'xy' for an edge
    along z; '' when there is none."""
    points = np.concatenate(
        [
            view.tessellation.points[
                view.tessellation.triangles[view.tessellation.face == index].ravel()
            ]
            if of == "face"
            else view.tessellation.edge(index)
            for of, index in selection
        ]
    )
    flat = np.flatnonzero(np.ptp(points, axis=0) < 1e-6 * view.size)
    return "".join("xyz"[axis] for axis in flat)


def with_region(
    project: Project, view: ShapeView, selection: Selection, copies: bool = True
) -> tuple[Project, Region]:
    """Statements with a region for the selection; the same picks are not named twice. `copies`:
    what is picked on all copies of a piece means further ones as well."""
    of, index = selection[0]
    named = names_of(view, selection, copies)
    if named:
        for region in project.regions:
            if region.names == named and not region.picks:
                return project, region
        base = named[0].replace("/", " ")
        region = Region(name=project.free_name("regions", base), names=named)
        return project.with_item("regions", region), region
    picks = tuple(make_pick(view, of, index) for of, index in selection)
    for region in project.regions:
        if region.picks == picks:
            return project, region
    words = (describe_face if of == "face" else describe_edge)(view, index)[0]
    base = words.split(" (")[0].split(",")[0].replace(" mm", "")
    region = Region(
        name=project.free_name("regions", base),
        piece=_owner(project, view, selection[0]),
        picks=picks,
    )
    return project.with_item("regions", region), region


def given(project: Project, view: ShapeView, selection: Selection, name: str) -> Project:
    """Statements in which the region `name` is what is picked."""
    named = names_of(view, selection)
    picks = () if named else tuple(make_pick(view, of, index) for of, index in selection)
    region = Region(
        name=name,
        names=named,
        picks=picks,
        piece=_owner(project, view, selection[0]) if picks else "",
    )
    return project.with_item("regions", region)


def with_hub(project: Project, region: Region, kind: str = "stiff") -> tuple[Project, Hub]:
    """Statements with a hub on a region; one that is there already stays as it is."""
    for hub in project.hubs:
        if hub.region == region.name:
            return project, hub
    hub = Hub(name=project.free_name("hubs", f"{region.name} hub"), region=region.name, kind=kind)  # type: ignore[arg-type]
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
    return LocalAxes(x_axis=_three(slide), xy_plane=_three(side)), "z", "x"


def _three(vector: np.ndarray) -> tuple[float, float, float]:
    x, y, z = (float(c) for c in vector)
    return x, y, z


def hold(
    project: Project, view: ShapeView, selection: Selection, way: str
) -> tuple[Project, str, str]:
    """(statements, words, name of the support) with the selection held in one of the ways of
    `hold_offers`."""
    project, region = with_region(project, view, selection)
    if way in ("springs", "foundation"):
        name = project.free_name("springs", f"{region.name} {way}")
        spring = (
            Spring(name=name, on=region.name, per="area", normal="1 N/mm^3")
            if way == "foundation"
            else Spring(name=name, on=region.name, x="100 N/mm", y="100 N/mm", z="100 N/mm")
        )
        return project.with_item("springs", spring), f"{name} added", name
    name = project.free_name("supports", f"{region.name} held")
    if way in ("pin", "pin-slide"):
        project, hub = with_hub(project, region)
        axes, pin, along = _pin_axes(view, selection[0][1])
        free = {f"turn_{pin}", along} if way == "pin-slide" else {f"turn_{pin}"}
        held = tuple(
            motion for motion in ("x", "y", "z", "turn_x", "turn_y", "turn_z") if motion not in free
        )
        support = Support(name=name, on=hub.name, axes=axes, held=held)
    elif way == "cylinder":
        support = Support(
            name=name, on=region.name, axes=CylindricalAxes(), held=("radial", "axial")
        )
    elif way == "normal":
        support = Support(name=name, on=region.name, axes=NormalAxes(), held=("normal",))
    elif way.startswith("symmetry"):
        normal = SymmetryAxes(normal=way[-1])  # type: ignore[arg-type]
        support = Support(name=name, on=region.name, axes=normal, held=("symmetry",))
    else:
        hubs = [hub.name for hub in project.hubs if hub.region == region.name]
        if hubs:
            held = ("x", "y", "z", "turn_x", "turn_y", "turn_z") if way == "fixed" else (way,)
            support = Support(name=name, on=hubs[0], held=held)
        else:
            everything = (
                ("x", "y", "z", "turn_x", "turn_y", "turn_z")
                if on_sheet(view, selection)
                else ("x", "y", "z")
            )
            held = {"fixed": everything, "hinged": ("x", "y", "z")}.get(way, (way,))
            support = Support(name=name, on=region.name, held=held)
    return project.with_item("supports", support), f"{region.name} held: {way}", name


def push(
    project: Project, view: ShapeView, selection: Selection, way: str, case: str = ""
) -> tuple[Project, str, str]:
    """(statements, words, name of the load) with a load in one of the ways of `push_offers` on the
    selection, acting in a case, the first one where none is named. Raises LabilisError for one
    that it does not take."""
    if way not in {offer.key for offer in push_offers(view, selection)}:
        raise LabilisError(
            "A pressure acts on faces."
            if way == "pressure"
            else "What is picked does not take this load.",
            "loads",
            "Pick faces." if way == "pressure" else "Choose one that is offered.",
            "load-place",
        )
    project, region = with_region(project, view, selection)
    if way in ("moment", "hub force", "spread force"):
        project, _ = with_hub(project, region, "spread" if way == "spread force" else "stiff")
    hub = next((hub.name for hub in project.hubs if hub.region == region.name), None)
    name = project.free_name(
        "loads", f"push on {region.name}" if way != "pressure" else f"pressure on {region.name}"
    )
    if way == "pressure":
        load: ForceLoad | PressureLoad | LineLoad | MomentLoad = PressureLoad(
            name=name, on=region.name, pressure="0.1 MPa"
        )
    elif way == "line":
        load = LineLoad(name=name, on=region.name, components=("0 N/mm", "0 N/mm", "-1 N/mm"))
    elif way == "moment":
        load = MomentLoad(name=name, on=hub or region.name, components=("0 N*m", "0 N*m", "1 N*m"))
    elif way == "normal":
        load = ForceLoad(name=name, on=region.name, normal="1 kN")
    else:
        along = view.long_axis
        axis = int(np.argmax(np.abs(along)))
        centre = float(
            np.mean(
                [
                    (view.faces if of == "face" else view.edges).centroid[index][axis]
                    for of, index in selection
                ]
            )
        )
        inward = "-1 kN" if centre > float(view.centroid[axis]) else "1 kN"
        components = tuple(inward if index == axis else "0 N" for index in range(3))
        load = ForceLoad(name=name, on=hub or region.name, components=components)  # type: ignore[arg-type]
    made = with_load(project, load, case)
    return made, f"{name} added{told_in(made, name)}", name


def refine(
    project: Project, view: ShapeView, selection: Selection, size: str
) -> tuple[Project, str, str]:
    """(statements, words, region) with a mesh zone on the selection."""
    project, region = with_region(project, view, selection)
    zones = [zone for zone in project.mesh.zones if zone.region != region.name] + [
        MeshZone(region=region.name, size=size)
    ]
    plan = project.mesh.model_copy(update={"zones": tuple(zones)})
    return project.changed(mesh=plan), f"zone on {region.name}", region.name
