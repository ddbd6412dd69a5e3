"""Supports, hubs, springs and bonds turned into ties and springs on a mesh."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from labilis.analysis.bolting import find_bolts, make_bolts
from labilis.analysis.regions import (
    Floats,
    Ints,
    local_frame,
    match_region,
    region_cylinder,
    region_nodes,
    unit,
)
from labilis.analysis.unknowns import Numbering, make_numbering
from labilis.analysis.wall_edges import End, end_turns, find_ends
from labilis.analysis.warping import find_warping
from labilis.mechanics import loads as load_forms
from labilis.mechanics.blocks import SpringBlock
from labilis.mechanics.bolt_block import BoltBlock
from labilis.mechanics.bonds import bond_follows, spread_follow
from labilis.mechanics.ties import (
    Follow,
    HeldNodes,
    StiffHub,
    TieConflict,
    Ties,
    free_motions,
    make_ties,
)
from labilis.mesh import QUAD_CUTS, Bonds, Mesh
from labilis.model import (
    CylindricalAxes,
    GlobalAxes,
    Hub,
    LabilisError,
    LocalAxes,
    Project,
    Region,
    Spring,
    Support,
    SymmetryAxes,
    shown,
)
from labilis.shape import ShapeView

_MOTION_ROWS = {"x": 0, "y": 1, "z": 2, "turn_x": 3, "turn_y": 4, "turn_z": 5}


@dataclass(frozen=True)
class Tied:
    """Ties of a mesh with what is needed to name things: held by support number; hubs are the stiff
    ones, in the order of `hub_names`; springs to ground."""

    ties: Ties
    held: tuple[HeldNodes, ...]
    hubs: tuple[StiffHub, ...]
    hub_names: tuple[str, ...]
    numbering: Numbering
    springs: tuple[SpringBlock | BoltBlock, ...]
    # which statement each of the springs that are no bolts is of
    spring_names: tuple[str, ...] = ()
    # motions of warping nodes that are none, or that a support or the piece's statement holds
    idle: tuple[HeldNodes, ...] = ()
    bonds: Bonds | None = None

    @property
    def bolts(self) -> tuple[BoltBlock, ...]:
        """Those of the springs that are bolts, the last ones."""
        return tuple(spring for spring in self.springs if isinstance(spring, BoltBlock))


def _across(axes: SymmetryAxes, flipped: bool) -> tuple[Floats, Floats]:
    """(directions, axes of turning) held at a plane of symmetry; of antisymmetry when flipped."""
    normal = "xyz".index(axes.normal)
    square, along = np.eye(3)[[normal]], np.delete(np.eye(3), normal, axis=0)
    return (along, square) if flipped else (square, along)


def _directions(
    support: Support, region: Region, view: ShapeView, mesh: Mesh, flipped: bool = False
) -> list[tuple[Ints, Floats]]:
    """Node sets with held directions (k, r, 3)."""
    where = f"supports/{support.name}"
    nodes = region_nodes(region, view, mesh)
    axes = support.axes
    if isinstance(axes, SymmetryAxes):
        return [_in_plane(support, axes, region, view, mesh, nodes, flipped)]
    if isinstance(axes, GlobalAxes | LocalAxes):
        frame = np.eye(3) if isinstance(axes, GlobalAxes) else local_frame(axes, where)
        rows = frame[
            [_MOTION_ROWS[motion] for motion in support.held if not motion.startswith("turn")]
        ]
        return [(nodes, np.broadcast_to(rows, (len(nodes), *rows.shape)))] if len(rows) else []
    if isinstance(axes, CylindricalAxes):
        return [(nodes, _round_an_axis(support, axes, region, view, mesh.nodes[nodes]))]
    match = match_region(region, view)
    ends = find_ends(match, view, mesh)
    if len(np.setdiff1d(match.edges, match.ends[:, 0])):
        raise LabilisError(
            "An edge has no normal of its own.", where, "Hold x, y or z instead.", "no-normal"
        )
    result = [_across_end(end) for end in ends]
    for face in match.faces:
        members = mesh.region_nodes(np.array([face]), np.zeros(0, dtype=np.int64))
        total = np.zeros((len(mesh.nodes), 3))
        for cells in mesh.skin(np.array([face])):
            _, normal = load_forms.face_weights(
                mesh.nodes, cells if cells.shape[1] == 8 else cells[:, :3]
            )
            flat = np.repeat(normal.sum(axis=1)[:, None], cells.shape[1], axis=1).reshape(-1, 3)
            np.add.at(total, cells.ravel(), flat)
        lengths = np.linalg.norm(total[members], axis=1)
        result.append((members, (total[members] / lengths[:, None])[:, None, :]))
    return result


def _in_plane(
    support: Support,
    axes: SymmetryAxes,
    region: Region,
    view: ShapeView,
    mesh: Mesh,
    nodes: Ints,
    flipped: bool,
) -> tuple[Ints, Floats]:
    """What a plane of symmetry, or of antisymmetry when flipped, holds of its nodes."""
    rows = _across(axes, flipped)[0]
    off = np.ptp(mesh.nodes[nodes, "xyz".index(axes.normal)])
    if off > 1e-6 * view.size:
        raise LabilisError(
            f"Region '{region.name}' does not lie in one plane square to {axes.normal}: it "
            f"spans {shown.length(off, 3)}.",
            f"supports/{support.name}",
            "Pick the faces and edges of the cut only.",
            "not-a-plane",
        )
    return nodes, np.broadcast_to(rows, (len(nodes), *rows.shape))


def _round_an_axis(
    support: Support, axes: CylindricalAxes, region: Region, view: ShapeView, places: Floats
) -> Floats:
    """Directions (k, r, 3) that a cylindrical support holds at places (k, 3) mm."""
    where = f"supports/{support.name}"
    if axes.origin is not None and axes.axis is not None:
        origin, axis = (
            np.array(axes.origin, dtype=float),
            unit(np.array(axes.axis, dtype=float), where),
        )
    else:
        cylinder = region_cylinder(region, view)
        if cylinder is None:
            raise LabilisError(
                f"Region '{region.name}' has no bore or round face to take the axis from.",
                where,
                "Give the axis, or pick a bore.",
                "no-axis",
            )
        origin, axis = cylinder
    arms = places - origin
    radial = arms - (arms @ axis)[:, None] * axis
    distance = np.linalg.norm(radial, axis=1)
    if (distance < 1e-9 * view.size).any():
        raise LabilisError(
            "A node lies on the axis of the cylindrical support.",
            where,
            "Use global axes there.",
            "no-axis",
        )
    radial = radial / distance[:, None]
    named = {
        "radial": radial,
        "tangential": np.cross(axis, radial),
        "axial": np.broadcast_to(axis, radial.shape),
    }
    return np.stack([named[motion] for motion in support.held], axis=1)


def _across_end(end: End) -> tuple[Ints, Floats]:
    """(nodes of an edge that stands for a face, the face's normal at each (k, 1, 3))."""
    nodes, inverse = np.unique(end.segments, return_inverse=True)
    normal = np.zeros((len(nodes), 3))
    np.add.at(normal, inverse.ravel(), np.repeat(end.outward, 2, axis=0))
    return nodes, (normal / np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-300))[
        :, None, :
    ]


def _held_turns(
    support: Support, nodes: Ints, numbering: Numbering, flipped: bool = False
) -> list[HeldNodes]:
    """Turns that a support holds on a region of shells."""
    if isinstance(support.axes, SymmetryAxes):
        own = numbering.turn_of[nodes]
        return (
            [_turns(own[own >= 0], _across(support.axes, flipped)[1])] if (own >= 0).any() else []
        )
    words = [motion for motion in support.held if motion.startswith("turn")]
    if not words:
        return []
    where = f"supports/{support.name}"
    turns = numbering.turn_of[nodes]
    if (turns < 0).any() and {"x", "y", "z"} <= set(support.held):
        turns = turns[turns >= 0]  # a solid's face held in all three directions cannot turn anyhow
    if (turns < 0).any():
        raise LabilisError(
            "A solid's face has no turns of its own to be held.",
            where,
            "Hold its motions, or tie it to a hub.",
            "solid-turn",
        )
    frame = local_frame(support.axes, where) if isinstance(support.axes, LocalAxes) else np.eye(3)
    return (
        []
        if len(turns) == 0
        else [_turns(turns, frame[[_MOTION_ROWS[word] - 3 for word in words]])]
    )


def _turns(turns: Ints, rows: Floats) -> HeldNodes:
    return HeldNodes(turns, np.broadcast_to(rows, (len(turns), *rows.shape)), -1, True)


def _region_weights(region: Region, view: ShapeView, mesh: Mesh) -> Floats:
    """(n,): area (mm²) or length (mm) that each node stands for in a region. Curved sides count
    in full."""
    match = match_region(region, view)
    weights = np.zeros(len(mesh.nodes))
    if len(match.faces):
        for cells in mesh.skin(match.faces):
            if cells.shape[1] == 8:  # its corners would weigh less than nothing
                cells = cells[:, QUAD_CUTS].reshape(-1, 3)
            np.add.at(weights, cells.ravel(), load_forms.face_weights(mesh.nodes, cells)[0].ravel())
    ends = find_ends(match, view, mesh)
    for end in ends:
        np.add.at(weights, end.segments.ravel(), end.weights(mesh.nodes).ravel())
    if not len(match.faces) and not ends:
        segments = mesh.edge_segments(match.edges)
        np.add.at(weights, segments.ravel(), load_forms.edge_weights(mesh.nodes, segments).ravel())
    return weights


def hub_centre(hub: Hub, project: Project, view: ShapeView, mesh: Mesh) -> Floats:
    """Place of a hub: as stated, or the centre of its region weighted by area or length, mm."""
    if hub.at is not None:
        return np.array(project.numbers(hub, "at", f"hubs/{hub.name}/at"))
    weights = _region_weights(project.named("regions", hub.region), view, mesh)
    return np.asarray(weights @ mesh.nodes / weights.sum())


def make_springs(
    project: Project, view: ShapeView, mesh: Mesh, numbering: Numbering
) -> list[tuple[str, SpringBlock]]:
    """Springs of all statements with their names, on nodes and on hubs, where one is of motions
    and one of turns."""
    found: list[tuple[str, SpringBlock]] = []
    for spring in project.springs:
        values = {
            motion: project.value(text, kind, f"springs/{spring.name}/{motion}")
            for motion, text, kind in spring.values()
        }
        negative = [motion for motion, value in values.items() if value < 0]
        if negative:
            raise LabilisError(
                "A spring's stiffness is below zero.",
                f"springs/{spring.name}/{negative[0]}",
                "Give a positive value.",
                "spring",
            )
        linear = np.diag([values.get(axis, 0.0) for axis in "xyz"])
        turning = np.diag([values.get(f"turn_{axis}", 0.0) for axis in "xyz"])
        if spring.on in numbering.hubs:
            if "normal" in values or spring.per == "area":
                raise LabilisError(
                    "A hub takes springs along x, y, z and about them.",
                    f"springs/{spring.name}",
                    "Put a foundation on a face.",
                    "spring",
                )
            for node, matrix in zip(numbering.hubs[spring.on], (linear, turning)):
                if matrix.any():
                    found.append((spring.name, SpringBlock(np.array([[node]]), matrix[None])))
            continue
        found.append((spring.name, _spread_spring(project, spring, values, linear, view, mesh)))
    return found


def _spread_spring(
    project: Project,
    spring: Spring,
    values: dict[str, float],
    linear: Floats,
    view: ShapeView,
    mesh: Mesh,
) -> SpringBlock:
    """A spring shared by the nodes of a region."""
    where = f"springs/{spring.name}"
    if any(motion.startswith("turn") for motion in values):
        raise LabilisError(
            "A turning spring needs a hub.",
            where,
            "Tie the region to a hub and put the spring there.",
            "spring",
        )
    region = project.named("regions", spring.on)
    match = match_region(region, view)
    if (spring.per == "area" or "normal" in values) and not len(match.faces):
        raise LabilisError(
            "A foundation needs a face; this region is an edge.",
            where,
            "Pick a face.",
            "edge-for-face",
        )
    weights = _region_weights(region, view, mesh)
    nodes = np.flatnonzero(weights > 0)
    share = weights[nodes] if spring.per == "area" else weights[nodes] / weights.sum()
    matrices = share[:, None, None] * linear
    if "normal" in values:
        normal = np.zeros((len(mesh.nodes), 3))
        for cells in mesh.skin(match.faces):
            np.add.at(
                normal, cells.ravel(), load_forms.face_weights(mesh.nodes, cells)[1].reshape(-1, 3)
            )
        n = normal[nodes] / np.linalg.norm(normal[nodes], axis=1, keepdims=True)
        matrices = (
            matrices + values["normal"] * share[:, None, None] * n[:, :, None] * n[:, None, :]
        )
    return SpringBlock(nodes[:, None], matrices)


def make_tied(
    project: Project,
    view: ShapeView,
    mesh: Mesh,
    bonds: Bonds | None = None,
    flipped: frozenset[str] = frozenset(),
) -> Tied:
    """Ties of all supports, hubs and bonds; supports named in `flipped`, planes of symmetry, are
    taken as planes of antisymmetry. Raises LabilisError for conflicts and for motions left free,
    named in words."""
    bolted = find_bolts(project, view, mesh, bonds)
    warping = find_warping(project, view, mesh, flipped)
    numbering = make_numbering(
        mesh,
        [
            *((hub.name, hub_centre(hub, project, view, mesh)) for hub in project.hubs),
            *(hub for bolt in bolted for hub in bolt.hubs),
        ],
        warping.nodes,
        warping.of,
    )
    idle = warping.idle(numbering.total)
    held, hub_rows = _held_by_supports(project, view, mesh, numbering, flipped)
    stated = make_springs(project, view, mesh, numbering)
    springs = tuple(spring for _, spring in stated)
    if not project.supports and not springs:
        raise LabilisError(
            "The part has no support: it can move freely in all six ways.",
            "supports",
            "Pick a face and hold it.",
            "no-support",
        )
    hubs, names, follows = _hubs_on_regions(project, view, mesh, numbering, hub_rows)
    if bonds is not None:
        follows += _bonded(mesh, bonds, numbering)
    rims, rim_names, bolts = make_bolts(project, bolted, numbering)
    hubs, names = hubs + rims, names + rim_names
    if flipped:
        held += _neutral(mesh, held, hubs, follows, numbering, springs)
    try:
        ties = make_ties(numbering.places, [*held, *idle], hubs, follows, numbering.place_of)
    except TieConflict as conflict:
        which = " and ".join(
            "'" + names[number].replace("\n", " at ") + "'" for number in conflict.hubs
        )
        raise LabilisError(
            f"Hub {which} and another tie both claim {len(conflict.nodes)} nodes ({conflict}).",
            "supports",
            "Let each face belong to one hub or one support only.",
            "tie-conflict",
        ) from conflict
    tied = Tied(ties, tuple(held), tuple(hubs), tuple(names), numbering, (*springs, *bolts))
    tied = replace(
        tied, idle=tuple(idle), bonds=bonds, spring_names=tuple(name for name, _ in stated)
    )
    _check_free(mesh, tied)
    return tied


def _held_by_supports(
    project: Project,
    view: ShapeView,
    mesh: Mesh,
    numbering: Numbering,
    flipped: frozenset[str],
) -> tuple[list[HeldNodes], dict[str, list[tuple[Floats, int]]]]:
    """What supports hold of nodes, and of each hub: rows (r, 6) with the number of the support."""
    spread = {hub.name for hub in project.hubs if hub.kind == "spread"}
    held: list[HeldNodes] = []
    hub_rows: dict[str, list[tuple[Floats, int]]] = {hub.name: [] for hub in project.hubs}
    for number, support in enumerate(project.supports):
        if support.on in spread:
            raise LabilisError(
                f"Support '{support.name}' holds a spread hub, which leaves its region flexible.",
                f"supports/{support.name}",
                "Hold the region itself, or make the hub stiff.",
                "spread-held",
            )
        if support.on in hub_rows:
            frame = (
                local_frame(support.axes, f"supports/{support.name}")
                if isinstance(support.axes, LocalAxes)
                else np.eye(3)
            )
            six = np.asarray(np.kron(np.eye(2), frame), dtype=np.float64)
            hub_rows[support.on].append(
                (six[[_MOTION_ROWS[motion] for motion in support.held]], number)
            )
            continue
        region = project.named("regions", support.on)
        turned_over = support.name in flipped
        slides = [
            HeldNodes(nodes, directions, number)
            for nodes, directions in _directions(support, region, view, mesh, turned_over)
        ]
        held += slides
        if not isinstance(support.axes, SymmetryAxes):
            held += end_turns(
                find_ends(match_region(region, view), view, mesh), slides, numbering, number
            )
        held += [
            replace(item, owner=number)
            for item in _held_turns(
                support, region_nodes(region, view, mesh), numbering, turned_over
            )
        ]
    return held, hub_rows


def _hubs_on_regions(
    project: Project,
    view: ShapeView,
    mesh: Mesh,
    numbering: Numbering,
    hub_rows: Mapping[str, list[tuple[Floats, int]]],
) -> tuple[list[StiffHub], list[str], list[Follow]]:
    """Stiff hubs with their names, and the bonds of spread ones."""
    hubs: list[StiffHub] = []
    names: list[str] = []
    follows: list[Follow] = []
    for hub in project.hubs:
        region = project.named("regions", hub.region)
        nodes = region_nodes(region, view, mesh)
        place, turn = numbering.hubs[hub.name]
        if hub.kind == "spread":
            weights = _region_weights(region, view, mesh)[nodes]
            try:
                follows += spread_follow(numbering.places, nodes, weights, place, turn)
            except ValueError as error:
                raise LabilisError(
                    f"The region of spread hub '{hub.name}' is a straight line: its turn cannot be "
                    "told.",
                    f"hubs/{hub.name}",
                    "Make the hub stiff, or add a face to its region.",
                    "spread-line",
                ) from error
            continue
        turns = numbering.turn_of[nodes]
        rows = hub_rows[hub.name]
        names.append(hub.name)
        hubs.append(
            StiffHub(
                np.append(nodes, place),
                numbering.places[place],
                np.concatenate([np.zeros((0, 6)), *(part for part, _ in rows)]),
                tuple(owner for part, owner in rows for _ in range(len(part))),
                np.append(turns[turns >= 0], turn),
            )
        )
    return hubs, names, follows


def _neutral(
    mesh: Mesh,
    held: list[HeldNodes],
    hubs: list[StiffHub],
    follows: list[Follow],
    numbering: Numbering,
    springs: tuple[SpringBlock | BoltBlock, ...],
) -> list[HeldNodes]:
    """One node held against slides of the whole part that antisymmetry leaves free: a slide costs
    nothing and gains nothing, so that this changes no factor. A free turn is left: it can be an
    instability."""
    blank = make_ties(numbering.places, [], place_of=numbering.place_of)
    free = find_free(mesh.nodes, Tied(blank, tuple(held), tuple(hubs), (), numbering, springs))
    if len(free) == 0 or np.abs(free[:, 3:]).max() > 1e-9 * np.abs(free).max():
        return []
    taken = np.concatenate(
        [
            *(item.nodes for item in held),
            *(item.nodes for item in hubs),
            *(item.nodes for item in follows),
        ]
    )
    loose = np.setdiff1d(np.arange(len(mesh.nodes)), taken)
    if len(loose) == 0:
        return []
    directions = np.linalg.qr(free[:, :3].T)[0].T
    return [HeldNodes(loose[:1], directions[None], -1)]


def ties_about(tied: Tied, now: Floats) -> Ties:
    """The same ties about the present places (total, 3) of all nodes: hubs where they are now,
    bonded nodes at the end of their present arms, spread hubs by the present fit."""
    hubs = [
        replace(hub, centre=now[tied.numbering.hubs[name][0]])
        for name, hub in zip(tied.hub_names, tied.hubs)
    ]
    return make_ties(
        now,
        (*tied.held, *tied.idle),
        hubs,
        [follow.about(now) for follow in tied.ties.follows],
        tied.numbering.place_of,
    )


def _bonded(mesh: Mesh, bonds: Bonds, numbering: Numbering) -> list[Follow]:
    """Ties of bonded nodes: triangles with and without mid-sides are told apart."""
    nodes = numbering.places
    found = []
    for joint in bonds.joints:
        found += spread_follow(
            nodes,
            joint.carriers,
            np.ones(len(joint.carriers)),
            joint.node,
            int(numbering.turn_of[joint.node]),
        )
    if len(bonds.nodes) == 0:
        return found
    triangles = mesh.triangles[bonds.triangle]
    curved = (
        triangles.min(axis=1) >= 0
        if triangles.shape[1] == 6
        else np.zeros(len(triangles), dtype=bool)
    )
    for rows, width in ((curved, 6), (~curved, 3)):
        if rows.any():
            found += bond_follows(
                nodes,
                bonds.nodes[rows],
                triangles[rows, :width],
                bonds.weights[rows],
                numbering.turn_of,
            )
    return found


def find_free(places: Floats, tied: Tied, inside: NDArray[np.bool_] | None = None) -> Floats:
    """Rigid motions (k, 6) of `places` that no support, hub or spring holds; `inside` (total,)
    limits what holds to those nodes."""
    turns = tied.numbering.is_turn
    held = list(tied.held)
    for spring in tied.springs:
        if isinstance(spring, BoltBlock):  # it holds pieces to each other, not to the ground
            continue
        values, vectors = np.linalg.eigh(spring.matrices)
        for k in range(3):
            stiff = values[:, k] > 1e-12 * max(float(np.abs(values).max()), 1e-300)
            if stiff.any():
                held.append(
                    HeldNodes(
                        spring.members[stiff, 0],
                        vectors[stiff, None, :, k],
                        -1,
                        bool(turns[spring.members[0, 0]]),
                    )
                )
    hubs = list(tied.hubs)
    if inside is not None:
        held = [
            HeldNodes(
                item.nodes[inside[item.nodes]],
                item.directions[inside[item.nodes]],
                item.owner,
                item.turns,
            )
            for item in held
        ]
        hubs = [hub for hub in hubs if inside[hub.nodes].any()]
    return free_motions(places, held, hubs, tied.numbering.places)


def _check_free(mesh: Mesh, tied: Tied) -> None:
    """Refuse a part that can move as a whole, the motion named."""
    free = find_free(mesh.nodes, tied)
    if len(free):
        error = LabilisError(
            f"The part can still move freely: {describe_motions(free, mesh.nodes.mean(axis=0))}.",
            "supports",
            "Hold that motion; the stage shows it.",
            "free-motion",
        )
        error.motion = free  # type: ignore[attr-defined]
        raise error


def describe_motions(free: Floats, centre: Floats) -> str:
    """Free rigid motions (k, 6) about `centre` (3,) in words, plain ones first: 'slides along x,
    turns about z'."""
    scale = np.array([1.0, 1.0, 1.0, *(3 * [1.0 / max(float(np.abs(free[:, 3:]).max()), 1e-12)])])
    basis, _ = np.linalg.qr((free * scale).T)
    words: list[str] = []
    taken = np.zeros((6, 0))
    for axis in range(6):
        unit = np.zeros(6)
        unit[axis] = 1.0
        if np.linalg.norm(unit - basis @ (basis.T @ unit)) < 1e-4:
            words.append(
                f"slides along {'xyz'[axis]}" if axis < 3 else f"turns about {'xyz'[axis - 3]}"
            )
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
        words.append(
            f"turns about {_direction(axis)} through {shown.place([float(c) for c in through])}"
        )
    return ", ".join(words)


def _direction(vector: Floats) -> str:
    """'x' for a direction along an axis, else its components."""
    unit = np.round(vector / np.linalg.norm(vector), 3) + 0.0
    along = np.flatnonzero(np.abs(unit) > 0.999)
    return "xyz"[int(along[0])] if len(along) else "(" + ", ".join(f"{c:g}" for c in unit) + ")"
