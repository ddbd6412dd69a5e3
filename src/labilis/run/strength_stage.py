"""The strength stage of a run: loads on, solution, figures by name."""
from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from labilis.judge.findings import StrengthFindings
from labilis.judge.stress import first_yield
from labilis.mesh import Mesh
from labilis.model import LabilisError, Project
from labilis.run.resolve import CaseForces, Tied, load_forces
from labilis.shape import ShapeView
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


def _resultant(places: Floats, forces: Floats) -> Floats:
    """Force and moment (6,) about the origin of nodal forces (k, 3) at places (k, 3)."""
    return np.concatenate([forces.sum(axis=0), np.cross(places, forces).sum(axis=0)])


def _swallowed(forces: CaseForces, tied: Tied) -> float:
    """Share of a load that acts straight on held motions."""
    nodal = forces.nodal.reshape(-1, 3)
    total = float(np.linalg.norm(nodal, axis=1).sum()) + float(np.linalg.norm(forces.hub[:, :3], axis=1).sum())
    if total == 0.0:
        return 0.0
    ties = tied.ties
    gone = float(np.linalg.norm(np.einsum("kij,kj->ki", ties.held_projectors, nodal[ties.held_nodes]), axis=1).sum())
    for number, (hub, basis) in enumerate(zip(tied.hubs, ties.hub_bases)):
        on_hub = forces.hub[number].copy()
        on_hub[:3] += nodal[hub.nodes].sum(axis=0)
        if np.linalg.norm(on_hub[:3]) > 0:
            slides = np.linalg.qr(basis[:3])[0] if basis.shape[1] else np.zeros((3, 0))
            slides = slides[:, np.abs(basis[:3].T @ slides).sum(axis=0) > 1e-9] if basis.shape[1] else slides
            gone += float(np.linalg.norm(on_hub[:3] - slides @ (slides.T @ on_hub[:3])))
    return gone / total


def _reactions(tied: Tied, mesh: Mesh, solution: LinearSolution, hub_loads: Floats, count: int) -> Floats:
    """Force and moment about the origin (count, 6) that each support puts on the part."""
    result = np.zeros((count, 6))
    internal = solution.internal.reshape(-1, 3)
    nodes = np.concatenate([np.repeat(item.nodes, item.directions.shape[1]) for item in tied.held]
                           or [np.zeros(0, np.int64)])
    vectors = np.concatenate([item.directions.reshape(-1, 3) for item in tied.held] or [np.zeros((0, 3))])
    owners = np.concatenate([np.full(item.directions.shape[0] * item.directions.shape[1], item.owner)
                             for item in tied.held] or [np.zeros(0, np.int64)])
    unique, inverse = np.unique(nodes, return_inverse=True)
    first = np.full(len(unique), -1)
    first[inverse] = owners
    shared = np.zeros(len(unique), dtype=bool)
    shared[inverse[owners != first[inverse]]] = True
    for owner in np.unique(owners):
        alone = unique[(first == owner) & ~shared]
        result[owner] += _resultant(mesh.nodes[alone], internal[alone])
    for place in np.flatnonzero(shared):
        rows = np.flatnonzero(inverse == place)
        shares = np.linalg.pinv(vectors[rows].T) @ internal[unique[place]]
        for row, share in zip(rows, shares):
            result[owners[row]] += _resultant(mesh.nodes[[unique[place]]], (share * vectors[row])[None])
    for number, hub in enumerate(tied.hubs):
        arms = mesh.nodes[hub.nodes] - hub.centre
        six = _resultant(arms, internal[hub.nodes]) - hub_loads[number]
        if len(hub.held):
            shares = np.linalg.pinv(hub.held.T) @ six
            for row, owner, share in zip(hub.held, hub.owners, shares):
                six_row = share * row
                result[owner] += np.concatenate([six_row[:3], six_row[3:] + np.cross(hub.centre, six_row[:3])])
    return result


def _grips(tied: Tied, mesh: Mesh, count: int, axis: Floats) -> tuple[Floats, Floats, Floats, Floats]:
    """For each support: what it holds of rigid motion about its centre (6, 6), centre, radius, reach along the axis."""
    grips, centres, radii, reach = np.zeros((count, 6, 6)), np.zeros((count, 3)), np.zeros(count), np.zeros((count, 2))
    for owner in range(count):
        items = [item for item in tied.held if item.owner == owner]
        hubs = [hub for hub in tied.hubs if owner in hub.owners]
        nodes = np.unique(np.concatenate([item.nodes for item in items] + [hub.nodes for hub in hubs]))
        places = mesh.nodes[nodes]
        centre = hubs[0].centre if hubs else 0.5 * (places.min(axis=0) + places.max(axis=0))
        radius = max(float(np.linalg.norm(places - centre, axis=1).max()), 1e-9)
        rows = [np.zeros((0, 6))]
        for item in items:
            vectors = item.directions.reshape(-1, 3)
            arms = np.repeat(mesh.nodes[item.nodes] - centre, item.directions.shape[1], axis=0)
            rows.append(np.concatenate([vectors, np.cross(arms, vectors) / radius], axis=1))
        for hub in hubs:
            mine = hub.held[[i for i, who in enumerate(hub.owners) if who == owner]]
            rows.append(mine * np.array([1, 1, 1, 1, 1, 1.0]))
        stacked = np.concatenate(rows)
        along = places @ axis
        grips[owner], centres[owner], radii[owner] = stacked.T @ stacked, centre, radius
        reach[owner] = along.min(), along.max()
    return grips, centres, radii, reach


def strength_stage(project: Project, case_name: str, view: ShapeView, mesh: Mesh, system: System, tied: Tied,
                   factor: Factor, yield_strength: float | None) -> tuple[StrengthFindings, SolvedCase]:
    """Solve one load case and gather its figures."""
    case = project.case(case_name)
    if not case.loads:
        raise LabilisError(f"Load case '{case_name}' has no load.", f"cases/{case_name}", "Pick a face and push on it.",
                           "no-load")
    parts: dict[str, list[CaseForces]] = {"growing": [], "held": []}
    swallowed, stations, names, sizes = [], [], [], []
    for entry in case.loads:
        load = project.named("loads", entry.load)
        forces = load_forces(project, entry.load, project.value(entry.factor, "number"), view, mesh)
        parts[load.growth].append(forces)
        names.append(entry.load)
        sizes.append((float(np.linalg.norm(forces.nodal.reshape(-1, 3), axis=1).sum()
                            + np.linalg.norm(forces.hub[:, :3], axis=1).sum()), load.growth))
        swallowed.append(_swallowed(forces, tied))
        weight = np.linalg.norm(forces.nodal.reshape(-1, 3), axis=1)
        along = mesh.nodes @ view.long_axis
        if weight.sum() > 0:
            stations.append(float(weight @ along / weight.sum()))
        else:
            busy = int(np.argmax(np.linalg.norm(forces.hub, axis=1))) if len(forces.hub) else -1
            stations.append(float(tied.hubs[busy].centre @ view.long_axis) if busy >= 0 else float(along.mean()))
    solutions, applied, reactions, axial = [], [], [], []
    above = (mesh.nodes @ view.long_axis) > 0.5 * float((mesh.nodes @ view.long_axis).max()
                                                        + (mesh.nodes @ view.long_axis).min())
    for growth in ("growing", "held"):
        nodal = sum((forces.nodal for forces in parts[growth]), np.zeros(3 * len(mesh.nodes)))
        hub = sum((forces.hub for forces in parts[growth]), np.zeros((len(tied.hubs), 6)))
        extra = sum((tied.ties.hub_forces(number, hub[number]) for number in range(len(tied.hubs))),
                    np.zeros(tied.ties.size))
        solution = solve_linear(system, factor, nodal, extra)
        on_hubs = np.zeros(6)
        for item, six in zip(tied.hubs, hub):
            on_hubs += np.concatenate([six[:3], six[3:] + np.cross(item.centre, six[:3])])
        solutions.append(solution)
        applied.append(_resultant(mesh.nodes, nodal.reshape(-1, 3)) + on_hubs)
        reactions.append(_reactions(tied, mesh, solution, hub, len(project.supports)))
        axial.append(-float((solution.internal + nodal).reshape(-1, 3)[above].sum(axis=0) @ view.long_axis))
    if not np.any(applied[0]) and not parts["growing"]:
        raise LabilisError(f"Every load of case '{case_name}' is held; none grows.", f"cases/{case_name}",
                           "Let one load grow: its factor is what is looked for.", "no-growing")
    if not np.any(solutions[0].u) and not np.any(solutions[0].internal):
        raise LabilisError(f"The loads of case '{case_name}' are zero.", f"cases/{case_name}", "Give a force.", "no-load")
    stresses = [system.stress(solution.u) for solution in solutions]
    at_nodes = [system.nodal_stress(stress) for stress in stresses]
    factor_yield, node = first_yield(at_nodes[0], at_nodes[1], yield_strength)
    grips, centres, radii, reach = _grips(tied, mesh, len(project.supports), view.long_axis)
    findings = StrengthFindings(
        case_name, solutions[0].u.reshape(-1, 3), solutions[1].u.reshape(-1, 3), at_nodes[0], at_nodes[1],
        np.array(applied), np.array([support.name for support in project.supports]),
        np.stack(reactions, axis=1), np.array(names), np.array(swallowed), grips, centres, radii, reach,
        np.array(stations), np.array(axial), max(solution.residual for solution in solutions), factor_yield, node,
        _compression_share(system, stresses[0]), sum(size for size, growth in sizes if growth == "growing"))
    following = {growth: [part.following for part in parts[growth] if part.following is not None] for growth in parts}
    return findings, SolvedCase(solutions[0], solutions[1], following)


def _compression_share(system: System, stress: Floats) -> float:
    """Share of the volume whose largest principal stress in size is a compression."""
    weight = system.geometry.weight
    mean = np.einsum("mgs,mg->ms", stress, weight) / weight.sum(axis=1)[:, None]
    xx, yy, zz, xy, yz, zx = mean.T
    principal = np.linalg.eigvalsh(np.stack([np.stack([xx, xy, zx], -1), np.stack([xy, yy, yz], -1),
                                             np.stack([zx, yz, zz], -1)], -2))
    volume = weight.sum(axis=1)
    return float(volume[-principal[:, 0] > principal[:, 2]].sum() / volume.sum())
