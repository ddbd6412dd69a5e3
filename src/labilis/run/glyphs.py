"""Marks for the present statements: where supports, loads and hubs are drawn."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from labilis.judge.figures import force_text
from labilis.model import (
    ForceLoad,
    LabilisError,
    LineLoad,
    MomentLoad,
    MoveLoad,
    NormalAxes,
    PressureLoad,
    Project,
    Region,
    Support,
    SymmetryAxes,
    TemperatureLoad,
    WeightLoad,
    shown,
)
from labilis.results.findings import StrengthFindings
from labilis.run.picking import ShapeView, find_region


@dataclass(frozen=True)
class SupportMark:
    """place (3,) mm; held: six flags x y z and turns; name."""

    place: np.ndarray
    held: tuple[bool, ...]
    name: str


@dataclass(frozen=True)
class LoadMark:
    """Arrow ending at place (3,) along direction (3,), with a tag; reaction: what a support
    pushes back, in its own colour."""

    place: np.ndarray
    direction: np.ndarray
    tag: str
    held: bool
    reaction: bool = False


@dataclass(frozen=True)
class HubMark:
    """Ring at centre (3,) with spokes to rim points (k, 3)."""

    centre: np.ndarray
    rim: np.ndarray


@dataclass(frozen=True)
class JointMark:
    """Bolts: a crossed circle at each of the places (k, 3); a seam: a hatched bead along them."""

    places: np.ndarray
    seam: bool = False


@dataclass(frozen=True)
class Marks:
    """All that is marked on the part; loads: those of one case, and reactions."""

    supports: Sequence[SupportMark] = ()
    loads: Sequence[LoadMark] = ()
    hubs: Sequence[HubMark] = ()
    joints: Sequence[JointMark] = ()


def _place(region: Region, view: ShapeView) -> np.ndarray:
    """Centre of a region as it is found in the part, or as it was when it was picked."""
    match = find_region(region, view)
    weights = np.concatenate(
        [view.faces.area[match.faces], np.maximum(view.edges.length[match.edges], 1e-9)]
    )
    places = np.concatenate([view.faces.centroid[match.faces], view.edges.centroid[match.edges]])
    if len(weights) == 0:
        weights = np.array([pick.size for pick in region.picks] or [1.0])
        places = (
            np.array([pick.position for pick in region.picks])
            if region.picks
            else view.centroid[None]
        )
    return np.asarray(weights @ places / weights.sum())


def _spots(region: Region, view: ShapeView) -> list[np.ndarray]:
    """Where marks stand: one for each body that the region lies on, so that four feet show four
    grounds."""
    match = find_region(region, view)
    rows = [
        (int(view.faces.body[face]), float(view.faces.area[face]), view.faces.centroid[face])
        for face in match.faces
    ]
    rows += [
        (
            view.body_of("edge", int(edge)),
            max(float(view.edges.length[edge]), 1e-9),
            view.edges.centroid[edge],
        )
        for edge in match.edges
    ]
    bodies = sorted({row[0] for row in rows})
    if len(bodies) < 2:
        return [_place(region, view)]
    return [
        np.asarray(
            sum(size * place for body, size, place in rows if body == number)
            / sum(size for body, size, _ in rows if body == number)
        )
        for number in bodies
    ]


def _held(support: Support, region: Region, view: ShapeView, turns: bool) -> tuple[bool, ...]:
    held = set(support.held)
    if isinstance(support.axes, SymmetryAxes):
        normal = "xyz".index(support.axes.normal)
        return tuple(
            (axis == normal) if axis < 3 else (turns and axis - 3 != normal) for axis in range(6)
        )
    if isinstance(support.axes, NormalAxes):  # the axis that the face looks along most
        faces = find_region(region, view).faces
        facing = int(np.argmax(np.abs(view.faces.direction[faces[0]]))) if len(faces) else 0
        return tuple(axis == facing for axis in range(6))
    order = (
        ("radial", "tangential", "axial")
        if "radial" in held or "axial" in held or "tangential" in held
        else ("x", "y", "z")
    )
    first = tuple(name in held for name in order)
    return first + (
        tuple(f"turn_{axis}" in held for axis in "xyz") if turns else (False, False, False)
    )


def marks_of(project: Project, view: ShapeView, case: str) -> Marks:
    """Marks of all supports, hubs and joints, and of the loads of one case."""
    hubs = {hub.name for hub in project.hubs}
    supports = []
    for item in project.supports:
        region = project.target_region(item.on)
        held = _held(item, region, view, item.on in hubs or view.turns)
        supports += [
            SupportMark(spot, held, item.name)
            for spot in ([_place(region, view)] if item.on in hubs else _spots(region, view))
        ]
    known = case in {found.name for found in project.cases}
    in_case = {name for name, _ in project.case_loads(case)} if known else set()
    loads = []
    for load in project.loads:
        if load.name not in in_case:
            continue
        try:
            if isinstance(load, TemperatureLoad | MoveLoad):
                continue
            mark = (
                _weight_mark(project, load, view)
                if isinstance(load, WeightLoad)
                else _load_mark(project, load, project.target_region(load.on), view)
            )
        except LabilisError:
            continue
        if mark is not None:
            loads.append(mark)
    rings, joints = list[HubMark](), list[JointMark]()
    for hub in project.hubs:
        region = project.named("regions", hub.region)
        match = find_region(region, view)
        edges = (
            [
                view.tessellation.edge(index)
                for index in range(len(view.edges))
                if np.isin(view.edges.faces[index], match.faces).any()
            ]
            or [view.tessellation.edge(int(e)) for e in match.edges]
            or [_place(region, view)[None]]
        )
        rim = np.concatenate(edges)
        centre = _place(region, view) if hub.at is None else np.array(project.numbers(hub, "at"))
        rings.append(HubMark(centre, rim[:: max(1, len(rim) // 16)]))
    for bolt in project.bolts:
        joints.append(
            JointMark(
                np.array([_place(project.named("regions", name), view) for name in bolt.through])
            )
        )
    for seam in project.seams:
        joints += [
            JointMark(view.tessellation.edge(int(edge)), True)
            for edge in find_region(project.named("regions", seam.along), view).edges
        ]
    return Marks(supports, loads, rings, joints)


def reaction_marks(project: Project, view: ShapeView, strength: StrengthFindings) -> list[LoadMark]:
    """Reactions of the service load as arrows at their supports and springs; those that are
    nothing beside the largest are left out."""
    forces = np.array([row[:3] for _, row in strength.holding]).reshape(-1, 3)
    sizes = np.linalg.norm(forces, axis=1)
    supports = {item.name: item.on for item in project.supports}
    springs = {item.name: item.on for item in project.springs}
    on = [supports.get(str(name)) for name in strength.supports]
    on += [springs.get(str(name)) for name in strength.springs]
    found = []
    for target, force, size in zip(on, forces, sizes):
        if target is not None and size > 1e-3 * max(float(sizes.max()), 1e-300):
            found.append(
                LoadMark(
                    _place(project.target_region(target), view),
                    force / size,
                    force_text(float(size)),
                    False,
                    True,
                )
            )
    return found


def _weight_mark(project: Project, load: WeightLoad, view: ShapeView) -> LoadMark | None:
    """Self-weight is drawn at the part's centre."""
    acceleration = np.array(project.numbers(load, "acceleration"))
    size = float(np.linalg.norm(acceleration))
    held = load.growth == "held"
    return (
        None
        if size == 0
        else LoadMark(
            view.centroid, acceleration / size, "weight" + (" held" if held else ""), held
        )
    )


def _load_mark(
    project: Project,
    load: ForceLoad | PressureLoad | LineLoad | MomentLoad,
    region: Region,
    view: ShapeView,
) -> LoadMark | None:
    hub = next((hub for hub in project.hubs if hub.name == load.on and hub.at is not None), None)
    place = _place(region, view) if hub is None else np.array(project.numbers(hub, "at"))
    held = load.growth == "held"
    if isinstance(load, ForceLoad | LineLoad | MomentLoad) and load.components is not None:
        force = np.array(project.numbers(load, "components"))
        size = float(np.linalg.norm(force))
        if size == 0:
            return None
        tag = shown.text(
            size, {"force": "force", "line": "line force", "moment": "moment"}[load.kind]
        )
        return LoadMark(place, force / size, tag + (" held" if held else ""), held)
    match = find_region(region, view)
    if len(match.faces) == 0:
        return None
    face = int(match.faces[0])
    normal = view.faces.direction[face]
    if str(view.faces.kind[face]) != "plane":
        near = view.tessellation.points[
            view.tessellation.triangles[view.tessellation.face == face][0]
        ]
        normal = np.cross(near[1] - near[0], near[2] - near[0])
        normal = normal / max(float(np.linalg.norm(normal)), 1e-12)
        place = near.mean(axis=0)
    if isinstance(load, PressureLoad):
        value, tag = (
            project.number(load, "pressure"),
            shown.stress(project.number(load, "pressure")),
        )
    else:
        value = project.number(load, "normal")
        tag = force_text(value)
    if value == 0:
        return None
    return LoadMark(place, -np.sign(value) * normal, tag + (" held" if held else ""), held)
