"""Loads turned into forces and moments on nodes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from labilis.analysis.regions import match_region
from labilis.analysis.unknowns import Numbering
from labilis.analysis.wall_edges import End, find_ends
from labilis.mechanics import loads as load_forms
from labilis.mechanics.ties import HeldNodes, StiffHub
from labilis.mesh import Mesh
from labilis.model import (
    ForceLoad,
    LabilisError,
    LineLoad,
    MomentLoad,
    MoveLoad,
    PressureLoad,
    Project,
    Statement,
    TemperatureLoad,
    WeightLoad,
)
from labilis.shape import RegionMatch, ShapeView
from labilis.solve.system import System

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class CaseForces:
    """Forces of one load: nodal (3 total,) N, N mm on turns; following: surface triangles with the
    pressure in MPa that stays square to them, or None; given (3 total,): prescribed motions, or
    None; growth (elements of each block,): free thermal growth that is already in `nodal` and has
    to be taken off the stresses, or None."""

    nodal: Floats
    following: tuple[tuple[Ints, float], ...] = ()
    given: Floats | None = None
    growth: tuple[Floats, ...] | None = None


@dataclass(frozen=True)
class LoadScene:
    """What loads act on."""

    project: Project
    view: ShapeView
    mesh: Mesh
    numbering: Numbering
    system: System
    block_bodies: tuple[Ints, ...]
    pieces: tuple[str, ...]
    held: tuple[HeldNodes, ...]
    hubs: tuple[StiffHub, ...]


def load_forces(scene: LoadScene, name: str, factor: float) -> CaseForces:
    """Forces of one load times a factor. Raises LabilisError for a load that does not fit what
    it acts on."""
    load = scene.project.named("loads", name)
    where = f"loads/{name}"
    if isinstance(load, WeightLoad):
        return _weight(scene, load, factor, where)
    if isinstance(load, TemperatureLoad):
        return _temperature(scene, load, factor, where)
    if isinstance(load, MoveLoad):
        return _moved(scene, load, factor, where)
    if load.on in scene.numbering.hubs:
        return _on_hub(scene, load, factor, where)
    if isinstance(load, MomentLoad):
        return _edge_moment(scene, load, factor, where)
    return _on_region(scene, load, factor, where)


def _spread(scene: LoadScene, nodal: Floats) -> Floats:
    """Forces (n, 3) on places as the vector of all unknowns."""
    return np.concatenate([nodal, np.zeros((scene.numbering.total - len(nodal), 3))]).ravel()


def _numbers(scene: LoadScene, load: Statement, field: str, factor: float, where: str) -> Floats:
    return factor * np.array(scene.project.numbers(load, field, where))


def _weight(scene: LoadScene, load: WeightLoad, factor: float, where: str) -> CaseForces:
    acceleration = _numbers(scene, load, "acceleration", factor, where)
    wanted = load.pieces or tuple(dict.fromkeys(scene.pieces))
    for piece in scene.project.active_pieces:
        material = next(
            (item for item in scene.project.materials if item.name == piece.material), None
        )
        if piece.name in wanted and (material is None or material.density is None):
            raise LabilisError(
                f"The material of '{piece.name}' has no density, which its weight needs.",
                where,
                "Give the material a density.",
                "material-incomplete",
            )
    heavy = np.array([piece in wanted for piece in scene.pieces])
    return CaseForces(
        scene.system.body_force(acceleration, [heavy[bodies] for bodies in scene.block_bodies])
    )


def _temperature(scene: LoadScene, load: TemperatureLoad, factor: float, where: str) -> CaseForces:
    change = factor * scene.project.number(load, "change", where)
    rates = {}
    for piece in scene.project.active_pieces:
        material = next(
            (item for item in scene.project.materials if item.name == piece.material), None
        )
        if load.pieces and piece.name not in load.pieces:
            rates[piece.name] = 0.0
        elif material is None or material.expansion is None:
            raise LabilisError(
                f"The material of '{piece.name}' has no thermal expansion.",
                where,
                "Give the material one.",
                "material-incomplete",
            )
        else:
            rates[piece.name] = scene.project.number(material, "expansion")
    rate = np.array([rates[piece] for piece in scene.pieces])
    growth = tuple(change * rate[bodies] for bodies in scene.block_bodies)
    blocks = scene.system.blocks
    growth += tuple(np.zeros(len(block.members)) for block in blocks[len(growth) :])
    return CaseForces(
        scene.system.forces([block.thermal(free) for block, free in zip(blocks, growth)]),
        growth=growth,
    )


def _moved(scene: LoadScene, load: MoveLoad, factor: float, where: str) -> CaseForces:
    """The held directions of a support moved; a stiff hub carries its region along."""
    number = [support.name for support in scene.project.supports].index(load.support)
    step = _numbers(scene, load, "components", factor, where)
    given = np.zeros((scene.numbering.total, 3))
    for item in scene.held:
        if item.owner == number and not item.turns:
            amounts = np.einsum("kri,i->kr", item.directions, step)
            given[item.nodes] += np.einsum("kri,kr->ki", item.directions, amounts)
    for hub in scene.hubs:
        rows = hub.held[[k for k, owner in enumerate(hub.owners) if owner == number]]
        if len(rows):
            given[hub.nodes] += np.linalg.pinv(rows[:, :3]) @ (rows[:, :3] @ step)
    if not np.any(given):
        raise LabilisError(
            f"Support '{load.support}' holds no direction that this displacement has.",
            where,
            "Hold that direction, or move along a held one.",
            "move",
        )
    return CaseForces(np.zeros(3 * scene.numbering.total), given=given.ravel())


def _on_hub(
    scene: LoadScene,
    load: ForceLoad | PressureLoad | LineLoad | MomentLoad,
    factor: float,
    where: str,
) -> CaseForces:
    place, turn = scene.numbering.hubs[load.on]
    nodal = np.zeros((scene.numbering.total, 3))
    if isinstance(load, MomentLoad):
        nodal[turn] = _numbers(scene, load, "components", factor, where)
    elif isinstance(load, ForceLoad) and load.components is not None:
        nodal[place] = _force(scene, load, factor, where)
        if load.offset is not None:
            nodal[turn] = np.cross(_numbers(scene, load, "offset", 1.0, where), nodal[place])
    else:
        raise LabilisError(
            "A hub takes a force by components or a moment.",
            where,
            "Give the force in x, y, z.",
            "hub-load",
        )
    return CaseForces(nodal.ravel())


def _force(scene: LoadScene, load: ForceLoad, factor: float, where: str) -> Floats:
    """Components (3,) N of a force, tilted if it leans."""
    force = _numbers(scene, load, "components", factor, where)
    size = float(np.linalg.norm(force))
    if load.tilt is None or size == 0.0:
        return force
    angle = scene.project.number(load.tilt, "angle", where)
    axis = np.eye(3)["xyz".index(load.tilt.toward)]
    aside = axis - (axis @ force) * force / size**2
    if np.linalg.norm(aside) < 1e-9:
        raise LabilisError(
            f"The force already runs along {load.tilt.toward}: it cannot lean toward it.",
            where,
            "Choose an axis across it.",
            "tilt",
        )
    return np.cos(angle) * force + np.sin(angle) * size * aside / np.linalg.norm(aside)


def _edge_moment(scene: LoadScene, load: MomentLoad, factor: float, where: str) -> CaseForces:
    match = match_region(scene.project.named("regions", load.on), scene.view)
    segments = scene.mesh.edge_segments(match.edges)
    turns = scene.numbering.turn_of
    if len(segments) == 0 or turns[segments[:, :2]].min() < 0:
        raise LabilisError(
            "A moment acts on a hub, or along an edge of shells.",
            where,
            "Tie the region to a hub and load the hub.",
            "moment",
        )
    weights = load_forms.edge_weights(scene.mesh.nodes, segments[:, :2])
    nodal = np.zeros((scene.numbering.total, 3))
    total = _numbers(scene, load, "components", factor, where)
    np.add.at(
        nodal, turns[segments[:, :2]].ravel(), (weights / weights.sum()).ravel()[:, None] * total
    )
    return CaseForces(nodal.ravel())


def _on_region(
    scene: LoadScene, load: ForceLoad | PressureLoad | LineLoad, factor: float, where: str
) -> CaseForces:
    match = match_region(scene.project.named("regions", load.on), scene.view)
    ends = find_ends(match, scene.view, scene.mesh)
    if isinstance(load, LineLoad):
        return _along_edges(scene, load, match, factor, where)
    if isinstance(load, PressureLoad) or load.normal is not None:
        return _square(scene, load, match, ends, factor, where)
    force = _force(scene, load, factor, where)
    if load.offset is not None:
        raise LabilisError(
            "A force with an offset needs a hub to act beside.",
            where,
            "Tie the region to a hub and load the hub.",
            "offset",
        )
    nodal = np.zeros((len(scene.mesh.nodes), 3))
    if len(match.faces) == 0 and not ends:
        for edges in (
            [match.edges] if load.share == "total" else [np.array([edge]) for edge in match.edges]
        ):
            segments = scene.mesh.edge_segments(edges)
            nodal += load_forms.traction(
                scene.mesh.nodes,
                load_forms.edge_weights(scene.mesh.nodes, segments),
                segments,
                force,
            )
        return CaseForces(_spread(scene, nodal))
    areas = _areas(scene, match, ends)
    for group in _groups(match, ends, load.share):
        whole = sum(float(share.sum()) for key in group for _, share in areas[key])
        for key in group:
            for cells, share in areas[key]:
                nodal += load_forms.traction(
                    scene.mesh.nodes, share, cells, force * float(share.sum()) / whole
                )
    return CaseForces(_spread(scene, nodal))


def _areas(
    scene: LoadScene, match: RegionMatch, ends: list[End]
) -> dict[tuple[str, int], list[tuple[Ints, Floats]]]:
    """(cells, ∫N dA) of every face and every end of a region."""
    nodes = scene.mesh.nodes
    found = {
        ("face", int(face)): [
            (cells, load_forms.face_weights(nodes, cells)[0])
            for cells in scene.mesh.skin(np.array([face]))
        ]
        for face in match.faces
    }
    return {
        **found,
        **{
            ("end", number): [(end.segments, end.weights(nodes))] for number, end in enumerate(ends)
        },
    }


def _groups(match: RegionMatch, ends: list[End], share: str) -> list[list[tuple[str, int]]]:
    """Faces and ends that share a force: all of them, or each by itself; ends of one face of the
    solid belong together."""
    faces = [("face", int(face)) for face in match.faces]
    if share == "total":
        return [faces + [("end", number) for number in range(len(ends))]]
    own = sorted({end.face for end in ends})
    return [[face] for face in faces] + [
        [("end", number) for number, end in enumerate(ends) if end.face == face] for face in own
    ]


def _square(
    scene: LoadScene,
    load: ForceLoad | PressureLoad,
    match: RegionMatch,
    ends: list[End],
    factor: float,
    where: str,
) -> CaseForces:
    """Pressure, or a force along the normal; a side of a sheet that was picked from behind is
    pushed the other way."""
    mesh = scene.mesh
    if len(match.faces) == 0 and not ends:
        raise LabilisError(
            "Pressure and forces along the normal need a face; this region is an edge.",
            where,
            "Pick a face, or give the force by components.",
            "edge-for-face",
        )
    skin = [
        (cells, -1.0 if face in match.against else 1.0)
        for face in match.faces
        for cells in mesh.skin(np.array([face]))
    ]
    if isinstance(load, PressureLoad):
        value = scene.project.number(load, "pressure", where)
    else:
        total = scene.project.number(load, "normal", where)
        area = sum(
            float(share.sum())
            for parts in _areas(scene, match, ends).values()
            for _, share in parts
        )
        value = total * (len(_groups(match, ends, "each")) if load.share == "each" else 1) / area
    follows = isinstance(load, PressureLoad) and load.direction == "following"
    if follows and ends:
        raise LabilisError(
            "A pressure that follows needs the side of a wall; this face goes through the "
            "thickness.",
            where,
            "Take it as fixed in direction, or leave that face out.",
            "end-follows",
        )
    pushed = sum(
        (load_forms.pressure(mesh.nodes, cells, side * value) for cells, side in skin),
        np.zeros_like(mesh.nodes),
    )
    for end in ends:
        np.add.at(
            pushed,
            end.segments,
            -value * end.weights(mesh.nodes)[:, :, None] * end.outward[:, None, :],
        )
    return CaseForces(
        _spread(scene, factor * pushed),
        tuple((cells, factor * side * value) for cells, side in skin) if follows else (),
    )


def _along_edges(
    scene: LoadScene, load: LineLoad, match: RegionMatch, factor: float, where: str
) -> CaseForces:
    """A force per length."""
    mesh = scene.mesh
    edges = np.setdiff1d(match.edges, match.ends[:, 0])
    if len(edges) == 0:
        raise LabilisError(
            "A force per length needs an edge; this region is a face.",
            where,
            "Pick its edge, or use a force or a pressure.",
            "face-for-edge",
        )
    segments = mesh.edge_segments(edges)
    if (scene.view.edges.kind[edges] == "point").any():
        raise LabilisError(
            "A force per length needs an edge; the end of a line is a point.",
            where,
            "Use a force.",
            "face-for-edge",
        )
    weights = load_forms.edge_weights(mesh.nodes, segments)
    per_length = _numbers(scene, load, "components", factor, where)
    return CaseForces(
        _spread(
            scene, load_forms.traction(mesh.nodes, weights, segments, per_length * weights.sum())
        )
    )
