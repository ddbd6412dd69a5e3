"""The strength stage of a run: loads on, solution, figures by name."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from labilis.analysis.case_loads import CaseForces, LoadScene, load_forces
from labilis.analysis.constraints import Tied
from labilis.analysis.line_results import line_peaks, line_results, line_yield
from labilis.analysis.stress_peaks import find_peaks, near_joints, spared
from labilis.mechanics.blocks import SpringBlock
from labilis.mechanics.bricks import HEX_SIDES, WEDGE_SIDES
from labilis.mesh import Mesh
from labilis.mesh.mesh import TET_SIDES
from labilis.model import LabilisError, Project
from labilis.results.findings import StrengthFindings
from labilis.results.stress_measures import first_yield, von_mises
from labilis.solve.factor import Factor
from labilis.solve.strength import LinearSolution, solve_linear
from labilis.solve.system import System

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class SolvedCase:
    """Solutions in full precision, kept in the worker for the modes stage."""

    growing: LinearSolution
    held: LinearSolution
    following: dict[str, list[tuple[Ints, float]]]
    growing_states: list[Floats]
    held_states: list[Floats]


_NOTHING = 1e-9  # of a load: less of it left for free motions is none


_SIDES = {10: TET_SIDES, 15: WEDGE_SIDES, 20: HEX_SIDES}  # of solids of second order


class _Lumped:
    """Forces at nodes of mid-sides given to the corners beside them, half each: what an even load
    puts on the corners of second-order faces is nought or the other way (-1/12 of it for eight
    nodes), so that sizes of forces node by node would come to 1.7 times the load, and to three
    times a weight."""

    def __init__(self, mesh: Mesh) -> None:
        parts = [
            np.stack(
                [
                    cell.elements[:, len(cell.elements[0]) - len(sides) :].ravel(),
                    cell.elements[:, sides[:, 0]].ravel(),
                    cell.elements[:, sides[:, 1]].ravel(),
                ]
            )
            for cell in mesh.cells
            if not cell.shell and not cell.line and len(cell.elements)
            if (sides := _SIDES.get(cell.elements.shape[1])) is not None
        ]
        joined = np.concatenate([np.zeros((3, 0), dtype=np.int64), *parts], axis=1)
        self.mids, rows = np.unique(joined[0], return_index=True)
        self.ends = joined[1:, rows]

    def __call__(self, nodal: Floats) -> Floats:
        """(n, 3) of (n, 3)."""
        found = nodal.copy()
        found[self.mids] = 0.0
        for ends in self.ends:
            np.add.at(found, ends, 0.5 * nodal[self.mids])
        return found


def _swallowed(forces: CaseForces, tied: Tied, lumped: _Lumped) -> float:
    """Share of a load that acts straight on held motions."""
    # what is left of it for the motions that are free: a moment on a held turn, or a force on a
    # held motion, leaves nothing
    left = tied.ties.reduce_vector(forces.nodal)
    if (
        forces.given is None
        and np.any(forces.nodal)
        and np.abs(left).max(initial=0.0) < _NOTHING * np.abs(forces.nodal).max()
    ):
        return 1.0
    places = tied.numbering.is_place
    nodal = lumped(tied.ties.handed_on(forces.nodal).reshape(-1, 3))
    total = float(np.linalg.norm(nodal[places], axis=1).sum())
    if total == 0.0:
        return 0.0
    ties = tied.ties
    plain = places[ties.held_nodes]
    gone = float(
        np.linalg.norm(
            np.einsum("kij,kj->ki", ties.held_projectors[plain], nodal[ties.held_nodes[plain]]),
            axis=1,
        ).sum()
    )
    for hub, basis in zip(tied.hubs, ties.hub_bases):
        on_hub = nodal[hub.nodes].sum(axis=0)
        if np.linalg.norm(on_hub) > 0:
            slides = np.linalg.qr(basis[:3])[0] if basis.shape[1] else np.zeros((3, 0))
            slides = (
                slides[:, np.abs(basis[:3].T @ slides).sum(axis=0) > 1e-9]
                if basis.shape[1]
                else slides
            )
            gone += float(np.linalg.norm(on_hub - slides @ (slides.T @ on_hub)))
    return gone / total


def _of_springs(project: Project, tied: Tied, solution: LinearSolution) -> Floats:
    """Force and moment about the origin (t, 6) that each spring to ground puts on the part."""
    names = [spring.name for spring in project.springs]
    result, u = np.zeros((len(names), 6)), solution.u.reshape(-1, 3)
    for name, spring in zip(tied.spring_names, tied.springs):
        assert isinstance(spring, SpringBlock)
        forces = spring.linear(u[spring.members])
        result[names.index(name)] -= tied.numbering.resultant(spring.members[:, 0], forces[:, 0])
    return result


def _reactions(tied: Tied, solution: LinearSolution, count: int) -> Floats:
    """Force and moment about the origin (count, 6) that each support puts on the part."""
    result = np.zeros((count, 6))
    numbering = tied.numbering
    internal = tied.ties.handed_on(solution.internal).reshape(-1, 3)
    nodes = np.concatenate(
        [np.repeat(item.nodes, item.directions.shape[1]) for item in tied.held]
        or [np.zeros(0, np.int64)]
    )
    vectors = np.concatenate(
        [item.directions.reshape(-1, 3) for item in tied.held] or [np.zeros((0, 3))]
    )
    owners = np.concatenate(
        [
            np.full(item.directions.shape[0] * item.directions.shape[1], item.owner)
            for item in tied.held
        ]
        or [np.zeros(0, np.int64)]
    )
    unique, inverse = np.unique(nodes, return_inverse=True)
    first = np.full(len(unique), -1)
    first[inverse] = owners
    shared = np.zeros(len(unique), dtype=bool)
    shared[inverse[owners != first[inverse]]] = True
    for owner in np.unique(owners):
        alone = unique[(first == owner) & ~shared]
        result[owner] += numbering.resultant(alone, internal[alone])
    for place in np.flatnonzero(shared):
        rows = np.flatnonzero(inverse == place)
        shares = np.linalg.pinv(vectors[rows].T) @ internal[unique[place]]
        for row, share in zip(rows, shares):
            result[owners[row]] += numbering.resultant(
                unique[[place]], (share * vectors[row])[None]
            )
    for hub in tied.hubs:
        members = np.concatenate([hub.nodes, hub.turns])
        six = numbering.resultant(members, internal[members])
        six[3:] -= np.cross(hub.centre, six[:3])
        if len(hub.held):
            shares = np.linalg.pinv(hub.held.T) @ six
            for row, owner, share in zip(hub.held, hub.owners, shares):
                six_row = share * row
                result[owner] += np.concatenate(
                    [six_row[:3], six_row[3:] + np.cross(hub.centre, six_row[:3])]
                )
    return result


def _grips(tied: Tied, count: int, axis: Floats) -> tuple[Floats, Floats, Floats, Floats]:
    """For each support: what it holds of rigid motion about its centre (6, 6), centre, radius,
    reach along the axis."""
    grips, centres, radii, reach = (
        np.zeros((count, 6, 6)),
        np.zeros((count, 3)),
        np.zeros(count),
        np.zeros((count, 2)),
    )
    for owner in range(count):
        items = [item for item in tied.held if item.owner == owner]
        hubs = [hub for hub in tied.hubs if owner in hub.owners]
        nodes = np.unique(
            np.concatenate(
                [tied.numbering.place_of[item.nodes] for item in items]
                + [hub.nodes for hub in hubs]
            )
        )
        places = tied.numbering.places[nodes]
        along = places @ axis
        centre = hubs[0].centre if hubs else 0.5 * (places.min(axis=0) + places.max(axis=0))
        if not hubs:  # the middle of the box round a face that lies askew lies beside the face
            centre = centre + (0.5 * (along.min() + along.max()) - centre @ axis) * axis
        radius = max(float(np.linalg.norm(places - centre, axis=1).max()), 1e-9)
        rows = [np.zeros((0, 6))]
        for item in items:
            vectors = item.directions.reshape(-1, 3)
            if item.turns:
                rows.append(np.concatenate([0 * vectors, vectors], axis=1))
                continue
            arms = np.repeat(
                tied.numbering.places[item.nodes] - centre, item.directions.shape[1], axis=0
            )
            rows.append(np.concatenate([vectors, np.cross(arms, vectors) / radius], axis=1))
        for hub in hubs:
            mine = hub.held[[i for i, who in enumerate(hub.owners) if who == owner]]
            rows.append(mine * np.array([1, 1, 1, 1, 1, 1.0]))
        stacked = np.concatenate(rows)
        grips[owner], centres[owner], radii[owner] = stacked.T @ stacked, centre, radius
        reach[owner] = along.min(), along.max()
    return grips, centres, radii, reach


@dataclass
class _Acting:
    """Loads of a case, growing and held each by themselves, and of each load in its order: name,
    size N with its growth, moment Nmm, share that supports swallow, station mm along the part."""

    parts: dict[str, list[CaseForces]] = field(default_factory=lambda: {"growing": [], "held": []})
    names: list[str] = field(default_factory=list)
    sizes: list[tuple[float, str]] = field(default_factory=list)
    moments: list[float] = field(default_factory=list)
    swallowed: list[float] = field(default_factory=list)
    stations: list[float] = field(default_factory=list)


@dataclass
class _Answer:
    """What the part answers, first to the growing, then to the held loads: motions; resultants of
    the loads; reactions of each support; compression N along the part's long axis."""

    solutions: list[LinearSolution] = field(default_factory=list)
    applied: list[Floats] = field(default_factory=list)
    reactions: list[Floats] = field(default_factory=list)
    sprung: list[Floats] = field(default_factory=list)
    axial: list[float] = field(default_factory=list)


@dataclass(frozen=True, kw_only=True)
class _Stressed:
    """Stress states of the blocks; nodal stress MPa under growing and held loads; von Mises of
    each side; factor, node and body of first yield anywhere, and within walls away from peaks;
    factor of the sections, away from joints as well."""

    states: list[list[Floats]]
    stress: list[Floats]
    layers: Floats
    yield_factor: float
    yield_node: int
    yield_body: str
    wall_factor: float
    wall_node: int
    section_factor: float
    peak: str


def _acting(scene: LoadScene, case_name: str, tied: Tied) -> _Acting:
    project, acting, lumped = scene.project, _Acting(), _Lumped(scene.mesh)
    numbering, places = tied.numbering, tied.numbering.is_place
    along = numbering.places @ scene.view.long_axis
    for name, amount in project.case_loads(case_name):
        load = project.named("loads", name)
        forces = load_forces(scene, name, amount)
        acting.parts[load.growth].append(forces)
        acting.names.append(name)
        weight = np.linalg.norm(lumped(forces.nodal.reshape(-1, 3)), axis=1)
        acting.sizes.append((float(weight[places].sum()), load.growth))
        acting.moments.append(float(weight[~places].sum()))
        # a part that cannot grow is pressed by what holds it: of warmth nothing is lost in a
        # support
        acting.swallowed.append(
            0.0 if load.kind == "temperature" else _swallowed(forces, tied, lumped)
        )
        acting.stations.append(
            float(weight @ along / weight.sum()) if weight.sum() > 0 else float(along.mean())
        )
    return acting


def _answer(scene: LoadScene, tied: Tied, factor: Factor, acting: _Acting) -> _Answer:
    project, system, parts = scene.project, scene.system, acting.parts
    numbering, places, axis = tied.numbering, tied.numbering.is_place, scene.view.long_axis
    along, answer = numbering.places @ axis, _Answer()
    everyone = np.arange(numbering.total)
    above = places & (along > 0.5 * float(along.max() + along.min()))
    for growth in ("growing", "held"):
        nodal = sum((forces.nodal for forces in parts[growth]), np.zeros(3 * numbering.total))
        moves = [forces.given for forces in parts[growth] if forces.given is not None]
        given = tied.ties.carried(np.sum(moves, axis=0)) if moves else None
        solution = solve_linear(system, factor, nodal, np.zeros(tied.ties.size), given)
        answer.solutions.append(solution)
        nodal = sum(
            (forces.nodal for forces in parts[growth] if forces.growth is None),
            np.zeros(3 * numbering.total),
        )
        answer.applied.append(numbering.resultant(everyone, nodal.reshape(-1, 3)))
        answer.reactions.append(_reactions(tied, solution, len(project.supports)))
        answer.sprung.append(_of_springs(project, tied, solution))
        answer.axial.append(
            -float((solution.internal + nodal).reshape(-1, 3)[above].sum(axis=0) @ axis)
        )
    return answer


def _refuse_nothing(case_name: str, acting: _Acting, answer: _Answer) -> None:
    """Raises LabilisError for a case in which nothing grows, or nothing acts."""
    if not np.any(answer.applied[0]) and not acting.parts["growing"]:
        raise LabilisError(
            f"Every load of case '{case_name}' is held; none grows.",
            f"cases/{case_name}",
            "Let one load grow: its factor is what is looked for.",
            "no-growing",
        )
    if not np.any(answer.solutions[0].u) and not np.any(answer.solutions[0].internal):
        raise LabilisError(
            f"The loads of case '{case_name}' are zero.",
            f"cases/{case_name}",
            "Give a force.",
            "no-load",
        )


def _stressed(
    scene: LoadScene,
    tied: Tied,
    acting: _Acting,
    solutions: list[LinearSolution],
    yields: dict[str, float | None],
) -> _Stressed:
    mesh, system = scene.mesh, scene.system
    offsets = [_thermal_states(scene, acting.parts[growth]) for growth in ("growing", "held")]
    states = [
        _less(system.stress(solution.u), offset) for solution, offset in zip(solutions, offsets)
    ]
    stress, layers = _service_side(
        [system.nodal_stress(state) for state in states], any(cell.shell for cell in mesh.cells)
    )
    on_lines, peaks = line_peaks(scene, states)
    for kept, at_peaks in zip(stress, peaks):
        kept[on_lines] = at_peaks
    layers[:, on_lines] = von_mises(peaks.sum(axis=0))
    near, sources = find_peaks(scene.project, scene.view, mesh, tied)
    lines = line_yield(scene, states, yields)
    nowhere = np.full(len(mesh.nodes), -1)
    factor_yield, node, body = min(_first_yield(scene, stress, yields, nowhere), lines)
    wall_factor, wall_node, _ = min(_first_yield(scene, stress, yields, near), lines)
    beside = np.where(near_joints(mesh, tied.bonds) & (near < 0), len(sources), near)
    # of a piece with hardly a node away from peaks and joints all count, peaks as well
    sections = max(min(_first_yield(scene, stress, yields, beside), lines)[0], wall_factor)
    peak = (
        sources[near[node]] if node >= 0 and near[node] >= 0 and wall_factor > factor_yield else ""
    )
    return _Stressed(
        states=states,
        stress=stress,
        layers=layers,
        yield_factor=factor_yield,
        yield_node=node,
        yield_body=body,
        wall_factor=wall_factor,
        wall_node=wall_node,
        section_factor=sections,
        peak=peak,
    )


def strength_stage(
    scene: LoadScene, case_name: str, tied: Tied, factor: Factor, yields: dict[str, float | None]
) -> tuple[StrengthFindings, SolvedCase]:
    """Solve one load case and gather its figures. `yields`: yield strength (MPa) of each piece."""
    project, view, system = scene.project, scene.view, scene.system
    if not project.case_loads(case_name):
        raise LabilisError(
            f"Load case '{case_name}' has no load.",
            f"cases/{case_name}",
            "Pick a face and push on it.",
            "no-load",
        )
    acting = _acting(scene, case_name, tied)
    answer = _answer(scene, tied, factor, acting)
    solutions = answer.solutions
    _refuse_nothing(case_name, acting, answer)
    stressed = _stressed(scene, tied, acting, solutions, yields)
    states = stressed.states
    grips, centres, radii, reach = _grips(tied, len(project.supports), view.long_axis)
    findings = StrengthFindings(
        case=case_name,
        displacement_growing=system.places(solutions[0].u),
        displacement_held=system.places(solutions[1].u),
        stress_growing=stressed.stress[0],
        stress_held=stressed.stress[1],
        applied=np.array(answer.applied),
        supports=np.array([support.name for support in project.supports]),
        reaction=np.stack(answer.reactions, axis=1),
        springs=np.array([spring.name for spring in project.springs], dtype=str),
        spring_reaction=np.stack(answer.sprung, axis=1),
        loads=np.array(acting.names),
        swallowed=np.array(acting.swallowed),
        grips=grips,
        centres=centres,
        radii=radii,
        reach=reach,
        load_station=np.array(acting.stations),
        axial=np.array(answer.axial),
        residual=max(solution.residual for solution in solutions),
        yield_factor=stressed.yield_factor,
        yield_node=stressed.yield_node,
        compression_share=_compression_share(system, states[0]),
        growing_size=sum(size for size, growth in acting.sizes if growth == "growing"),
        layers=stressed.layers,
        yield_body=stressed.yield_body,
        load_sizes=np.array([size for size, _ in acting.sizes]),
        moment_sizes=np.array(acting.moments),
        peak=stressed.peak,
        wall_factor=stressed.wall_factor,
        wall_node=stressed.wall_node,
        section_factor=stressed.section_factor,
        **_bolts(scene, tied, states),
        **line_results(scene, states),
    )
    following = {
        growth: [surface for part in acting.parts[growth] for surface in part.following]
        for growth in acting.parts
    }
    return findings, SolvedCase(solutions[0], solutions[1], following, states[0], states[1])


def _bolts(scene: LoadScene, tied: Tied, states: list[list[Floats]]) -> dict[str, Any]:
    """What each plane of each bolt carries under the growing and the held loads."""
    bolts = tied.bolts
    if not bolts:
        return {}
    growing, held = (
        np.concatenate([state.reshape(-1, 6) for state in part[-len(bolts) :]]) for part in states
    )
    bores = [bolt.of for bolt in bolts]
    return {
        "bolts": np.array([bolt.name for bolt in bolts]),
        "bolt_pieces": np.array([[scene.pieces[bore.body] for bore in pair] for pair in bores]),
        "bolt_depths": np.array([[bore.depth for bore in pair] for pair in bores]),
        "bolt_bores": np.array([[2 * bore.radius for bore in pair] for pair in bores]),
        "bolt_axes": np.array([pair[0].axis for pair in bores]),
        "bolt_growing": growing,
        "bolt_held": held,
    }


def _thermal_states(scene: LoadScene, parts: list[CaseForces]) -> list[Floats] | None:
    """Stresses that undo the free thermal growth of all loads, by block."""
    grown = [part.growth for part in parts if part.growth is not None]
    if not grown:
        return None
    return [
        block.thermal(np.sum([growth[k] for growth in grown], axis=0))
        for k, block in enumerate(scene.system.blocks)
    ]


def _less(states: list[Floats], offset: list[Floats] | None) -> list[Floats]:
    return states if offset is None else [state - part for state, part in zip(states, offset)]


def _service_side(stress: list[Floats], shells: bool) -> tuple[list[Floats], Floats]:
    """Stress (n, 6) of the growing and the held loads at the side of each node where their sum is
    largest, and the von Mises stress of the sum at top, middle and bottom (3, n), empty without
    shells."""
    if not shells:
        return [layers[0] for layers in stress], np.zeros((0, stress[0].shape[1]))
    sizes = von_mises(stress[0] + stress[1])
    side = sizes.argmax(axis=0)
    everyone = np.arange(stress[0].shape[1])
    return [layers[side, everyone] for layers in stress], sizes


def _first_yield(
    scene: LoadScene, stress: list[Floats], yields: dict[str, float | None], near: Ints
) -> tuple[float, int, str]:
    """(least factor, node, body) at which a node of some piece that is at no peak (`near` -1)
    reaches its own yield strength; of lines see `line_yield`."""
    best: tuple[float, int, str] = (float("inf"), -1, "")
    bodies = [body for cell in scene.mesh.cells for body in np.unique(cell.body)]
    for piece in dict.fromkeys(scene.pieces):
        mine = [body for body in np.unique(bodies) if scene.pieces[body] == piece]
        nodes = np.unique(
            np.concatenate(
                [
                    cell.elements[np.isin(cell.body, mine)].ravel()
                    for cell in scene.mesh.cells
                    if not cell.line
                ]
                or [np.zeros(0, dtype=np.int64)]
            )
        )
        if not len(nodes):
            continue
        nodes = spared(near, nodes)
        factor, row = first_yield(stress[0][nodes], stress[1][nodes], yields.get(piece))
        if factor < best[0]:
            best = factor, int(nodes[row]), piece
    return best


def _compression_share(system: System, states: list[Floats]) -> float:
    """Share of the volume whose largest principal stress in size is a compression; membrane
    stress of shells."""
    mean = np.concatenate([block.mean_stress(state) for block, state in zip(system.blocks, states)])
    volume = np.concatenate([block.volume for block in system.blocks])
    xx, yy, zz, xy, yz, zx = mean.T
    principal = np.linalg.eigvalsh(
        np.stack(
            [np.stack([xx, xy, zx], -1), np.stack([xy, yy, yz], -1), np.stack([zx, yz, zz], -1)], -2
        )
    )
    # the zero principal stress of a sheet must not count as a pull
    return float(
        volume[-principal[:, 0] > np.maximum(principal[:, 2], 0.0) * (1 + 1e-9)].sum()
        / volume.sum()
    )
