"""Statements about regions turned into node sets, ties and nodal forces on a mesh."""
from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from labilis.mechanics import loads as load_forms
from labilis.mechanics.ties import HeldNodes, StiffHub, TieConflict, Ties, free_motions, make_ties
from labilis.mesh import Mesh
from labilis.model import (
    CylindricalAxes,
    ForceLoad,
    GlobalAxes,
    Hub,
    LabilisError,
    LocalAxes,
    PressureLoad,
    Project,
    Region,
    Support,
)
from labilis.shape import RegionMatch, ShapeView, find_region

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
_MOTION_ROWS = {"x": 0, "y": 1, "z": 2, "turn_x": 3, "turn_y": 4, "turn_z": 5}


@dataclass(frozen=True)
class Tied:
    """Ties of a mesh with what is needed to name things: held by support number, hubs by hub number."""

    ties: Ties
    held: tuple[HeldNodes, ...]
    hubs: tuple[StiffHub, ...]


@dataclass(frozen=True)
class CaseForces:
    """Forces of one load: nodal (3n,) N; hub (h, 6) N and N mm at hub centres; following: surface triangles with the
    pressure in MPa that stays square to them, or None."""

    nodal: Floats
    hub: Floats
    following: tuple[Ints, float] | None = None


def match_region(region: Region, view: ShapeView) -> RegionMatch:
    """Faces and edges of a region; raises LabilisError when a pick has been lost."""
    match = find_region(region, view)
    if match.lost:
        raise LabilisError(f"Region '{region.name}' lost {len(match.lost)} of {len(region.picks)}: {'; '.join(match.lost)}.",
                           f"regions/{region.name}", "Pick it again on the part.", "lost-region")
    return match


def _region_nodes(region: Region, view: ShapeView, mesh: Mesh) -> Ints:
    match = match_region(region, view)
    nodes = mesh.region_nodes(match.faces, match.edges)
    if len(nodes) == 0:
        raise LabilisError(f"Region '{region.name}' has no nodes in this mesh.", f"regions/{region.name}",
                           "Mesh finer, or pick it again.", "empty-region")
    return nodes


def _unit(vector: Floats, where: str) -> Floats:
    length = float(np.linalg.norm(vector))
    if length < 1e-12:
        raise LabilisError("A direction has no length.", where, "Give another direction.", "direction")
    return vector / length


def local_frame(axes: LocalAxes, where: str) -> Floats:
    """Rows x, y, z of local axes."""
    x = _unit(np.array(axes.x_axis, dtype=float), where)
    z = _unit(np.cross(x, np.array(axes.xy_plane, dtype=float)), where)
    return np.stack([x, np.cross(z, x), z])


def region_cylinder(region: Region, view: ShapeView) -> tuple[Floats, Floats] | None:
    """(point, direction) of the first bore, round or circle of a region."""
    match = find_region(region, view)
    for face in match.faces:
        if view.faces.kind[face] in ("cylinder", "cone"):
            return view.faces.origin[face], view.faces.direction[face]
    for edge in match.edges:
        if view.edges.kind[edge] == "circle":
            return view.edges.centroid[edge], view.edges.direction[edge]
    return None


def _directions(support: Support, region: Region, view: ShapeView, mesh: Mesh) -> list[tuple[Ints, Floats]]:
    """Node sets with held directions (k, r, 3)."""
    where = f"supports/{support.name}"
    nodes = _region_nodes(region, view, mesh)
    axes = support.axes
    if isinstance(axes, GlobalAxes | LocalAxes):
        frame = np.eye(3) if isinstance(axes, GlobalAxes) else local_frame(axes, where)
        rows = frame[[_MOTION_ROWS[motion] for motion in support.held]]
        return [(nodes, np.broadcast_to(rows, (len(nodes), *rows.shape)))]
    if isinstance(axes, CylindricalAxes):
        if axes.origin is not None and axes.axis is not None:
            origin, axis = np.array(axes.origin, dtype=float), _unit(np.array(axes.axis, dtype=float), where)
        else:
            cylinder = region_cylinder(region, view)
            if cylinder is None:
                raise LabilisError(f"Region '{region.name}' has no bore or round face to take the axis from.", where,
                                   "Give the axis, or pick a bore.", "no-axis")
            origin, axis = cylinder
        arms = mesh.nodes[nodes] - origin
        radial = arms - (arms @ axis)[:, None] * axis
        distance = np.linalg.norm(radial, axis=1)
        if (distance < 1e-9 * view.size).any():
            raise LabilisError("A node lies on the axis of the cylindrical support.", where, "Use global axes there.",
                               "no-axis")
        radial = radial / distance[:, None]
        named = {"radial": radial, "tangential": np.cross(axis, radial), "axial": np.broadcast_to(axis, radial.shape)}
        return [(nodes, np.stack([named[motion] for motion in support.held], axis=1))]
    match = match_region(region, view)
    if len(match.edges):
        raise LabilisError("An edge has no normal of its own.", where, "Hold x, y or z instead.", "no-normal")
    result = []
    for face in match.faces:
        triangles = mesh.face_triangles(np.array([face]))
        _, normal = load_forms.face_weights(mesh.nodes, triangles[:, :3])
        members = np.unique(triangles)
        total = np.zeros((len(mesh.nodes), 3))
        flat = np.repeat(normal.sum(axis=1)[:, None], triangles.shape[1], axis=1).reshape(-1, 3)
        np.add.at(total, triangles.ravel(), flat)
        lengths = np.linalg.norm(total[members], axis=1)
        result.append((members, (total[members] / lengths[:, None])[:, None, :]))
    return result


def hub_centre(hub: Hub, project: Project, view: ShapeView, mesh: Mesh) -> Floats:
    """Centre of the hub's region, weighted by area or length, mm. Curved sides count in full."""
    match = match_region(project.named("regions", hub.region), view)
    weights = np.zeros(len(mesh.nodes))
    if len(match.faces):
        triangles = mesh.face_triangles(match.faces)
        np.add.at(weights, triangles.ravel(), load_forms.face_weights(mesh.nodes, triangles)[0].ravel())
    else:
        segments = mesh.edge_segments(match.edges)
        np.add.at(weights, segments.ravel(), load_forms.edge_weights(mesh.nodes, segments).ravel())
    return np.asarray(weights @ mesh.nodes / weights.sum())


def make_tied(project: Project, view: ShapeView, mesh: Mesh) -> Tied:
    """Ties of all supports and hubs. Raises LabilisError for conflicts and for motions left free, named in words."""
    held: list[HeldNodes] = []
    hub_rows: dict[str, list[tuple[Floats, int]]] = {hub.name: [] for hub in project.hubs}
    for number, support in enumerate(project.supports):
        if support.on in hub_rows:
            frame = local_frame(support.axes, f"supports/{support.name}") if isinstance(support.axes, LocalAxes) else np.eye(3)
            six = np.kron(np.eye(2), frame)
            hub_rows[support.on].append((six[[_MOTION_ROWS[motion] for motion in support.held]], number))
        else:
            for nodes, directions in _directions(support, project.named("regions", support.on), view, mesh):
                held.append(HeldNodes(nodes, directions, number))
    hubs = []
    for hub in project.hubs:
        nodes = _region_nodes(project.named("regions", hub.region), view, mesh)
        rows = hub_rows[hub.name]
        hubs.append(StiffHub(nodes, hub_centre(hub, project, view, mesh),
                             np.concatenate([np.zeros((0, 6)), *(part for part, _ in rows)]),
                             tuple(owner for part, owner in rows for _ in range(len(part)))))
    if not project.supports:
        raise LabilisError("The part has no support: it can move freely in all six ways.", "supports",
                           "Pick a face and hold it.", "no-support")
    try:
        ties = make_ties(mesh.nodes, held, hubs)
    except TieConflict as conflict:
        names = " and ".join(f"'{project.hubs[number].name}'" for number in conflict.hubs)
        raise LabilisError(f"Hub {names} and another tie both claim {len(conflict.nodes)} nodes ({conflict}).", "supports",
                           "Let each face belong to one hub or one support only.", "tie-conflict") from conflict
    free = free_motions(mesh.nodes, held, hubs)
    if len(free):
        error = LabilisError(f"The part can still move freely: {describe_motions(free, mesh.nodes.mean(axis=0))}.", "supports",
                             "Hold that motion; the stage shows it.", "free-motion")
        error.motion = free  # type: ignore[attr-defined]
        raise error
    return Tied(ties, tuple(held), tuple(hubs))


def describe_motions(free: Floats, centre: Floats) -> str:
    """Free rigid motions (k, 6) about `centre` (3,) in words, plain ones first: 'slides along x, turns about z'."""
    scale = np.array([1.0, 1.0, 1.0, *(3 * [1.0 / max(float(np.abs(free[:, 3:]).max()), 1e-12)])])
    basis, _ = np.linalg.qr((free * scale).T)
    words: list[str] = []
    taken = np.zeros((6, 0))
    for axis in range(6):
        unit = np.zeros(6)
        unit[axis] = 1.0
        if np.linalg.norm(unit - basis @ (basis.T @ unit)) < 1e-4:
            words.append(f"slides along {'xyz'[axis]}" if axis < 3 else f"turns about {'xyz'[axis - 3]}")
            taken = np.concatenate([taken, unit[:, None]], axis=1)
    rest = basis - taken @ (taken.T @ basis)
    vectors, sizes, _ = np.linalg.svd(rest, full_matrices=False)
    for motion in vectors[:, sizes > 1e-3].T / scale:
        slide, turn = motion[:3], motion[3:]
        if np.linalg.norm(turn) < 1e-9:
            words.append(f"slides along {_direction(slide)}")
            continue
        axis = turn / np.linalg.norm(turn)
        through = centre + np.cross(turn, slide) / float(turn @ turn)
        words.append(f"turns about {_direction(axis)} through ({', '.join(f'{c:.4g}' for c in np.round(through, 3) + 0.0)}) mm")
    return ", ".join(words)


def _direction(vector: Floats) -> str:
    """'x' for a direction along an axis, else its components."""
    unit = np.round(vector / np.linalg.norm(vector), 3) + 0.0
    along = np.flatnonzero(np.abs(unit) > 0.999)
    return "xyz"[int(along[0])] if len(along) else "(" + ", ".join(f"{c:g}" for c in unit) + ")"


def load_forces(project: Project, name: str, factor: float, view: ShapeView, mesh: Mesh) -> CaseForces:
    """Forces of one load times a factor on nodes and hubs."""
    load = project.named("loads", name)
    where = f"loads/{name}"
    hub_names = [hub.name for hub in project.hubs]
    hub_part = np.zeros((len(hub_names), 6))
    nodal = np.zeros((len(mesh.nodes), 3))
    if load.on in hub_names:
        if not isinstance(load, ForceLoad) or load.components is None:
            raise LabilisError("A hub takes a force by components.", where, "Give the force in x, y, z.", "hub-load")
        hub_part[hub_names.index(load.on), :3] = [factor * project.value(text, "force", where) for text in load.components]
        return CaseForces(nodal.ravel(), hub_part)
    match = match_region(project.named("regions", load.on), view)
    if isinstance(load, PressureLoad) or (isinstance(load, ForceLoad) and load.normal is not None):
        if len(match.faces) == 0:
            raise LabilisError("Pressure and forces along the normal need a face; this region is an edge.", where,
                               "Pick a face, or give the force by components.", "edge-for-face")
        triangles = mesh.face_triangles(match.faces)
        if isinstance(load, PressureLoad):
            value = project.value(load.pressure, "stress", where)
        else:
            total = project.value(load.normal or "", "force", where)
            area = float(load_forms.face_weights(mesh.nodes, triangles)[0].sum())
            value = total * (len(match.faces) if load.share == "each" else 1) / area
        follows = isinstance(load, PressureLoad) and load.direction == "following"
        return CaseForces(factor * load_forms.pressure(mesh.nodes, triangles, value).ravel(), hub_part,
                          (triangles, factor * value) if follows else None)
    force = factor * np.array([project.value(text, "force", where) for text in load.components or ()])
    parts = [match.faces] if load.share == "total" else [np.array([face]) for face in match.faces]
    for faces in parts:
        if len(faces):
            triangles = mesh.face_triangles(faces)
            weights, _ = load_forms.face_weights(mesh.nodes, triangles)
            nodal += load_forms.traction(mesh.nodes, weights, triangles, force)
    if len(match.faces) == 0:
        edge_parts = [match.edges] if load.share == "total" else [np.array([edge]) for edge in match.edges]
        for edges in edge_parts:
            segments = mesh.edge_segments(edges)
            nodal += load_forms.traction(mesh.nodes, load_forms.edge_weights(mesh.nodes, segments), segments, force)
    return CaseForces(nodal.ravel(), hub_part)
