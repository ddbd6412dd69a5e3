"""Marks for the present statements: where supports, loads and hubs are drawn."""
from __future__ import annotations

import numpy as np

from labilis.judge.numbers import force_text
from labilis.model import ForceLoad, LabilisError, NormalAxes, PressureLoad, Project, Region, Support
from labilis.run.picking import ShapeView, find_region
from labilis.ui.stage.glyphs import HubMark, LoadMark, SupportMark


def _place(region: Region) -> np.ndarray:
    weights = np.array([pick.size for pick in region.picks])
    return np.asarray(weights @ np.array([pick.position for pick in region.picks]) / weights.sum())


def _held(support: Support, region: Region, on_hub: bool) -> tuple[bool, ...]:
    held = set(support.held)
    if isinstance(support.axes, NormalAxes):  # the axis that the face looks along most
        facing = int(np.argmax(np.abs(region.picks[0].direction or (1.0, 0.0, 0.0))))
        return tuple(axis == facing for axis in range(6))
    order = ("radial", "tangential", "axial") if "radial" in held or "axial" in held or "tangential" in held else ("x", "y", "z")
    first = tuple(name in held for name in order)
    turns = tuple(f"turn_{axis}" in held for axis in "xyz") if on_hub else (False, False, False)
    return first + turns


def marks_of(project: Project, view: ShapeView, case: str) -> tuple[list[SupportMark], list[LoadMark], list[HubMark]]:
    """Marks of all supports and hubs, and of the loads of one case."""
    hubs = {hub.name for hub in project.hubs}
    supports = []
    for item in project.supports:
        region = project.target_region(item.on)
        supports.append(SupportMark(_place(region), _held(item, region, item.on in hubs), item.name))
    in_case = {entry.load for found in project.cases if found.name == case for entry in found.loads}
    loads = []
    for load in project.loads:
        if load.name not in in_case:
            continue
        region = project.target_region(load.on)
        try:
            mark = _load_mark(project, load, region, view)
        except LabilisError:
            continue
        if mark is not None:
            loads.append(mark)
    rings = []
    for hub in project.hubs:
        region = project.named("regions", hub.region)
        match = find_region(region, view)
        edges = [view.tessellation.edge(index) for index in range(len(view.edges))
                 if np.isin(view.edges.faces[index], match.faces).any()] or [np.array([pick.position for pick in region.picks])]
        rim = np.concatenate(edges)
        rings.append(HubMark(_place(region), rim[::max(1, len(rim) // 16)]))
    return supports, loads, rings


def _load_mark(project: Project, load: ForceLoad | PressureLoad, region: Region, view: ShapeView) -> LoadMark | None:
    place = _place(region)
    held = load.growth == "held"
    if isinstance(load, ForceLoad) and load.components is not None:
        force = np.array([project.value(text, "force") for text in load.components])
        size = float(np.linalg.norm(force))
        if size == 0:
            return None
        return LoadMark(place, force / size, force_text(size) + (" held" if held else ""), held)
    match = find_region(region, view)
    if len(match.faces) == 0:
        return None
    face = int(match.faces[0])
    normal = view.faces.direction[face]
    if str(view.faces.kind[face]) != "plane":
        near = view.tessellation.points[view.tessellation.triangles[view.tessellation.face == face][0]]
        normal = np.cross(near[1] - near[0], near[2] - near[0])
        normal = normal / max(float(np.linalg.norm(normal)), 1e-12)
        place = near.mean(axis=0)
    if isinstance(load, PressureLoad):
        value, tag = project.value(load.pressure, "stress"), f"{project.value(load.pressure, 'stress'):.4g} MPa"
    else:
        value = project.value(load.normal or "", "force")
        tag = force_text(value)
    if value == 0:
        return None
    return LoadMark(place, -np.sign(value) * normal, tag + (" held" if held else ""), held)
