"""The modes stage of a run: factors, shapes, and what is known of each mode."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy import sparse

from labilis.analysis.case_loads import Floats, LoadScene
from labilis.analysis.elements import element_order
from labilis.analysis.mode_kinds import is_one_wall, kind_of_line, kind_of_mode
from labilis.analysis.strength_stage import SolvedCase
from labilis.analysis.symmetry import Retie, antisymmetric_factor
from labilis.mechanics.blocks import ENERGY_PARTS, ShellBlock, SolidBlock, typical_stress
from labilis.mechanics.line_block import LineBlock
from labilis.model import LabilisError, Project
from labilis.results.findings import ModesFindings, StrengthFindings
from labilis.solve.factor import Factor, NotPositive, factor
from labilis.solve.levers import levers_of
from labilis.solve.mkl import Symmetric
from labilis.solve.modes import ModesSolution, NotConverged, count_below, find_modes, first_factor
from labilis.solve.stress_recovery import recovered_errors
from labilis.solve.system import System
from labilis.solve.weaker_side import buckling_sides

_TWIST = ENERGY_PARTS.index("twist")
_LEVERS = 3  # modes whose sensitivity to thickness is found
MOST_STRESS = 0.1  # of Young's modulus: an elastic factor beyond it means nothing


@dataclass(frozen=True)
class BucklingProblem:
    """(base + λ geometric) φ = 0 in reduced unknowns: base with the held loads and its factor, None
    when the part is unstable under those;
    limit: λ beyond which an answer means nothing; unsymmetric: see `ModesFindings`."""

    base: sparse.csr_matrix
    base_factor: Factor | None
    geometric: sparse.csr_matrix
    limit: float
    unsymmetric: float


def buckling_problem(system: System, solved: SolvedCase, stiffness: Factor) -> BucklingProblem:
    """The eigenvalue problem of a solved load case."""
    geometric = system.geometric(solved.growing_states, solved.growing.internal)
    unsymmetric = 0.0
    if solved.following["growing"]:
        load_part, unsymmetric = system.following(solved.following["growing"])
        geometric = system.plus(geometric, load_part)
    base, base_factor = system.reduced_stiffness, stiffness
    typical = typical_stress(system.blocks, solved.growing_states)
    modulus = min(
        block.modulus
        for block in system.blocks
        if isinstance(block, SolidBlock | ShellBlock | LineBlock)
    )
    limit = MOST_STRESS * modulus / typical if typical > 0 else np.inf
    if np.any(solved.held.u):
        held = system.geometric(solved.held_states, solved.held.internal)
        base = system.plus(base, held)
        if solved.following["held"]:
            load_part, rest = system.following(solved.following["held"])
            base, unsymmetric = system.plus(base, load_part), max(unsymmetric, rest)
        try:
            base_factor = factor(base, like=stiffness)
        except NotPositive:
            return BucklingProblem(base, None, geometric, limit, unsymmetric)
    return BucklingProblem(base, base_factor, geometric, limit, unsymmetric)


def modes_stage(
    scene: LoadScene,
    case: str,
    solved: SolvedCase,
    stiffness: Factor,
    strength: StrengthFindings,
    retie: Retie,
    case_progress: Callable[[float, str], None],
) -> ModesFindings:
    """Factors and shapes of one load case; `retie`: ties with planes of symmetry flipped.

    Raises LabilisError when the factors crowd so much that none converges.
    """
    project, nodes, system = scene.project, len(scene.mesh.nodes), scene.system
    force = _resultant(strength)
    problem = buckling_problem(system, solved, stiffness)
    if problem.base_factor is None:
        return _unstable_when_held(scene, case, force, problem.unsymmetric)
    solution, second, together = _solved(scene, case, solved, stiffness, problem, case_progress)
    case_progress(0.9, "Recovering shapes")
    drawn = _drawn(system, nodes, solved, solution, problem.geometric)
    below, checks = _proofs(solution, problem, _highest_required(project))
    motions = system.ties.expand(solution.vectors)
    pieces, shares, parts, energy = _energies(scene, motions)
    kinds, distorted = _kinds(scene, drawn.shapes, energy, parts)
    # from the blocks' order to the mesh's
    order = np.argsort(element_order(project, scene.pieces, scene.mesh))
    levers, piece_levers, skin = _levers(scene, solved, stiffness, solution)
    return ModesFindings(
        case=case,
        factors=solution.factors,
        shapes=drawn.shapes,
        residuals=solution.residuals,
        checks=checks,
        below_required=below,
        limit=problem.limit,
        growing_force=force,
        held_unstable=False,
        kinds=kinds,
        distorted=distorted,
        second_opinion=second,
        unsymmetric=problem.unsymmetric,
        pieces=pieces,
        shares=shares,
        parts=parts,
        energy=energy[:, order],
        levers=levers[:, order] if levers.size else levers,
        piece_levers=piece_levers,
        antisymmetric=antisymmetric_factor(scene, solved, retie, problem.limit),
        pull=drawn.pull,
        skew=drawn.skew,
        holds=drawn.holds,
        together=together,
        recovered=recovered_errors(system, motions) * _left_by_held(system, problem, solution),
        skin=skin,
        twists=drawn.twists,
        widest=drawn.widest,
    )


def _left_by_held(system: System, problem: BucklingProblem, solution: ModesSolution) -> Floats:
    """(k,) strain energy of each mode over what of it the held loads leave for the growing ones,
    λ = φᵀ (K + G_h) φ / (-φᵀ G φ): an error of the energy counts so many times in the factor. One
    where the held loads stiffen the part, and none could be told of their own error."""
    vectors = solution.vectors
    energy, left = (
        np.einsum("uk,uk->k", vectors, Symmetric(matrix)(vectors))
        for matrix in (system.reduced_stiffness, problem.base)
    )
    return np.asarray(np.maximum(energy / np.maximum(left, 1e-300), 1.0))


def _resultant(strength: StrengthFindings) -> float:
    """Size (N) of the growing loads; loads that balance each other have none to name."""
    force = float(np.linalg.norm(strength.applied[0, :3]))
    return 0.0 if force < 1e-3 * strength.growing_size else force


def _solved(
    scene: LoadScene,
    case: str,
    solved: SolvedCase,
    stiffness: Factor,
    problem: BucklingProblem,
    case_progress: Callable[[float, str], None],
) -> tuple[ModesSolution, float, float]:
    """Modes, the second opinion on the first factor, and the factor of all loads together; nan for
    what was not asked for."""
    project, system = scene.project, scene.system
    criteria, required = project.criteria, _highest_required(project)
    base, k_g, limit = problem.base, problem.geometric, problem.limit
    assert problem.base_factor is not None
    base_factor = problem.base_factor
    try:
        solution = find_modes(
            base,
            base_factor,
            k_g,
            criteria.modes,
            criteria.sign == "both",
            limit,
            progress=lambda done: case_progress(0.3 + 0.5 * done, "Finding modes"),
            needed=required,
        )
        second = (
            _second_opinion(system, solved, base, base_factor, limit, solution.vectors)
            if criteria.second_opinion
            else float("nan")
        )
        together = (
            _together(system, solved, stiffness, k_g, limit, solution.vectors)
            if np.any(solved.held.u)
            else float("nan")
        )
    except NotConverged as error:
        raise LabilisError(
            f"The modes did not converge: {error}.",
            f"cases/{case}",
            "Ask for more modes, or mesh finer where the part bulges.",
            "not-converged",
        ) from error
    return solution, second, together


def _highest_required(project: Project) -> float:
    return max(project.required_of(piece.name) for piece in project.active_pieces)


def _unstable_when_held(
    scene: LoadScene, case: str, force: float, unsymmetric: float
) -> ModesFindings:
    """No factor: the held loads alone make the part unstable."""
    empty = np.zeros(0)
    return ModesFindings(
        case=case,
        factors=empty,
        shapes=np.zeros((0, len(scene.mesh.nodes), 3)),
        residuals=empty,
        checks=np.zeros((0, 3)),
        below_required=-1,
        limit=np.inf,
        growing_force=force,
        held_unstable=True,
        kinds=np.zeros(0, dtype="U16"),
        second_opinion=float("nan"),
        unsymmetric=unsymmetric,
        pieces=np.array(list(dict.fromkeys(scene.pieces))),
        shares=np.zeros((0, 1)),
        parts=np.zeros((0, 5)),
        energy=np.zeros((0, 0)),
        levers=np.zeros((0, 0)),
        piece_levers=np.zeros((0, 1)),
        antisymmetric=float("nan"),
    )


@dataclass(frozen=True, kw_only=True)
class _Drawn:
    """Modes at nodes (k, n, 3), largest movement one; with it the sides (k,) that buckle first,
    their slopes, and how much a spring at the place that moves most would raise each factor; twists
    and widest as in `ModesFindings`."""

    shapes: Floats
    pull: Floats
    skew: Floats
    holds: Floats
    twists: Floats
    widest: Floats


def _drawn(
    system: System, nodes: int, solved: SolvedCase, solution: ModesSolution, k_g: sparse.csr_matrix
) -> _Drawn:
    """Modes as they are drawn; zero where nothing of them moves a node."""
    lines = [block for block in system.blocks if isinstance(block, LineBlock)]
    twists = np.zeros((len(solution.factors), sum(len(block.elements) for block in lines)))
    widest = np.ones(len(solution.factors))
    shapes = np.zeros((len(solution.factors), nodes, 3))
    holds, geometric = np.zeros(len(solution.factors)), Symmetric(k_g)
    pull, skew = buckling_sides(
        system, solved.growing, solved.held, solution.factors, solution.vectors
    )
    for index in range(len(solution.factors)):
        motion = system.ties.expand(solution.vectors[:, index])
        shape = system.places(motion)
        twist, furthest = _twisted(lines, motion.reshape(-1, 3))
        size = np.linalg.norm(shape, axis=1)
        largest = int(size.argmax())
        sign = np.sign(shape[largest][np.abs(shape[largest]).argmax()])
        turned = float(np.abs(solution.vectors[:, index]).max())
        # a line that twists about its shear centre moves no node, but for what its section's own
        # mesh puts that centre off; what moves less than a thousandth of the section does is that
        if size[largest] > max(1e-7 * turned, 1e-3 * furthest):
            shapes[index] = sign * shape / size[largest]
            # λ = φᵀ (K + k b bᵀ) φ / (-φᵀ K_G φ): a spring k along b raises it by (bᵀ φ)² / (-φᵀ
            # K_G φ) per k
            work = -float(
                solution.vectors[:, index] @ geometric(solution.vectors[:, index][:, None])[:, 0]
            )
            holds[index] = size[largest] ** 2 / work if abs(work) > 1e-300 else 0.0
            pull[index] *= sign * size[largest]
            skew[index] *= sign / size[largest]
            twists[index] = sign * twist / size[largest]
            widest[index] = max(furthest / size[largest], 1.0)
        elif furthest > 0:
            twists[index] = twist * np.sign(twist[np.abs(twist).argmax()]) / furthest
    return _Drawn(shapes=shapes, pull=pull, skew=skew, holds=holds, twists=twists, widest=widest)


def _twisted(lines: list[LineBlock], motion: Floats) -> tuple[Floats, float]:
    """(turn (l,) of each element of lines about its own axis, largest motion of a point of their
    sections at an end) in motions (n, 3) of places and turns."""
    twists, furthest = [np.zeros(0)], 0.0
    for block in lines:
        turns = motion[block.turn_of[block.elements]]
        twists.append(np.einsum("mi,mi->m", turns.mean(axis=1), block.frames[:, 0]))
        arms = np.einsum("pk,mki->mpi", block.section.points, block.frames[:, 1:])
        points = motion[block.elements][:, :, None] + np.cross(turns[:, :, None], arms[:, None])
        furthest = max(furthest, float(np.linalg.norm(points, axis=3).max()))
    return np.concatenate(twists), furthest


def _proofs(
    solution: ModesSolution, problem: BucklingProblem, required: float
) -> tuple[int, Floats]:
    """How many factors lie under the required one where not all were found (-1 where they were),
    and counts by pivots (c, 3): up to this factor, counted, found."""
    base, k_g, limit = problem.base, problem.geometric, problem.limit
    below = -1
    positive = solution.factors[solution.factors > 0]
    if len(positive) and positive.max() < required:
        below = count_below(base, k_g, required, problem.base_factor)
    checks = np.array(
        [[check.sigma, check.counted, check.found] for check in solution.checks]
    ).reshape(-1, 3)
    if not len(positive):  # that there is none has to be proved as well
        none = [0.0, 0.0, 0.0]
        if np.isfinite(limit):
            none = [limit, count_below(base, k_g, limit, problem.base_factor), 0]
        checks = np.concatenate([checks, [none]])
    return below, checks


def _levers(
    scene: LoadScene, solved: SolvedCase, stiffness: Factor, solution: ModesSolution
) -> tuple[Any, Any, Any]:
    """Levers of the first factors by element and by piece, empty without shells, and of the
    skin, empty without solids."""
    pieces = list(dict.fromkeys(scene.pieces))
    kinds = {type(block) for block in scene.system.blocks}
    nothing = np.zeros((0, 0)), np.zeros((0, len(pieces)))
    if not kinds & {ShellBlock, SolidBlock}:
        return *nothing, np.zeros((0, 0))
    count = min(len(solution.factors), _LEVERS)
    levers = levers_of(
        scene.system,
        stiffness,
        solution.factors[:count],
        solution.vectors[:, :count],
        solved.growing,
        solved.held,
    )
    skin = levers.skin if SolidBlock in kinds else np.zeros((0, 0))
    if ShellBlock not in kinds:
        return *nothing, skin
    bodies = np.concatenate(scene.block_bodies)
    by_element = levers.thickness[:, : len(bodies)]
    owner = np.array([pieces.index(scene.pieces[body]) for body in bodies])
    by_piece = np.zeros((count, len(pieces)))
    for mode, row in enumerate(by_element):
        by_piece[mode] = np.bincount(owner, weights=row, minlength=len(pieces))
    return by_element, by_piece, skin


def _second_opinion(
    system: System, solved: SolvedCase, base: Any, base_factor: Factor, limit: float, near: Any
) -> float:
    """First positive factor with the full derivative of the tangent along the linear path; nan
    when there is none. `near` (size, m): modes without it."""
    full = system.path_derivative(solved.growing.q, solved.growing.internal)
    return first_factor(base, base_factor, full, limit, near)


def _together(
    system: System, solved: SolvedCase, stiffness: Factor, growing: Any, limit: float, near: Any
) -> float:
    """First positive factor of the held and the growing loads as one, from the unloaded part;
    nan when there is none. `near` (size, m): modes of the growing loads beside the held ones."""
    held = system.geometric(solved.held_states, solved.held.internal)
    everything = system.plus(growing, held)
    if solved.following["held"]:
        everything = system.plus(everything, system.following(solved.following["held"])[0])
    return first_factor(system.reduced_stiffness, stiffness, everything, limit, near)


def _energies(scene: LoadScene, vectors: Any) -> tuple[Any, Any, Any, Any]:
    """(pieces, shares, parts, energy density) of modes given in all unknowns (u, k); see
    ModesFindings."""
    pieces = list(dict.fromkeys(scene.pieces))
    bodies = np.concatenate(scene.block_bodies)
    owner = np.array([pieces.index(scene.pieces[body]) for body in bodies])
    volume = np.concatenate([block.volume for block in scene.system.blocks])[: len(owner)]
    count = vectors.shape[1]
    shares, parts, density = (
        np.zeros((count, len(pieces))),
        np.zeros((count, len(ENERGY_PARTS))),
        np.zeros((count, len(owner))),
    )
    if count:
        everything = scene.system.energy(vectors)[: len(owner)]
    for mode in range(count):
        energy = everything[:, :, mode]
        parts[mode] = energy.sum(axis=0) / max(float(energy.sum()), 1e-300)
        bending = energy[:, [0, 2, 3]].sum(axis=1)
        shares[mode] = np.bincount(owner, weights=bending, minlength=len(pieces)) / max(
            float(bending.sum()), 1e-300
        )
        per_volume = energy.sum(axis=1) / volume
        density[mode] = per_volume / max(float(per_volume.max()), 1e-300)
    return np.array(pieces), shares, parts, density


def _kinds(scene: LoadScene, shapes: Any, energy: Any, parts: Any) -> tuple[Any, Floats]:
    """(kind (k,), share of the motion that distorts the section (k,)) of each mode."""
    found = [
        _kind(scene, shape, density, float(part[_TWIST]))
        for shape, density, part in zip(shapes, energy, parts)
    ]
    return (
        np.array([kind for kind, _ in found], dtype="U16"),
        np.array([share for _, share in found], dtype=np.float64),
    )


def _kind(scene: LoadScene, shape: Any, density: Any, twist: float) -> tuple[str, float]:
    """(kind of a mode, share of its motion that distorts the section), judged on the body that
    stores most of its energy, along that body's own length; `twist`: share of the energy."""
    bodies = np.concatenate(scene.block_bodies)
    volume = np.concatenate([block.volume for block in scene.system.blocks])[: len(bodies)]
    stored = np.bincount(bodies, weights=density * volume)
    leader = int(stored.argmax())
    line = next(
        (cell for cell in scene.mesh.cells if cell.line and (cell.body == leader).any()), None
    )
    if line is not None:
        nodes = np.unique(line.elements[line.body == leader])
        run = np.ptp(scene.mesh.nodes[nodes], axis=0)
        along = run / np.linalg.norm(run)
        return kind_of_line(scene.mesh.nodes[nodes], shape[nodes], along, twist), 0.0
    if len(stored) == 1:
        kind, distorted = kind_of_mode(scene.mesh.nodes, shape, scene.view.long_axis)
        return _walls(scene, leader, kind), distorted
    nodes = np.unique(
        np.concatenate([cell.elements[cell.body == leader].ravel() for cell in scene.mesh.cells])
    )
    places = scene.mesh.nodes[nodes]
    axis = np.linalg.svd(places - places.mean(axis=0), full_matrices=False)[2][0]
    kind, distorted = kind_of_mode(places, shape[nodes], axis)
    return _walls(scene, leader, kind), distorted


def _walls(scene: LoadScene, body: int, kind: str) -> str:
    """'local wall' for a plate mode of a body that has several walls."""
    faces = scene.view.faces
    mine, flat = faces.body == body, faces.kind == "plane"
    if kind == "plate" and not is_one_wall(
        faces.direction[mine & flat], faces.area[mine & flat], faces.area[mine & ~flat]
    ):
        return "local wall"
    return kind
