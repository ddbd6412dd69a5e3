"""The runner calls the rooms in order and keeps what it made, so that a second run does only what changed."""
from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from labilis.judge.convergence import extrapolated
from labilis.judge.findings import ConvergenceFindings, MeshFindings, ModesFindings, SectionFindings, StrengthFindings, TraceFindings
from labilis.judge.kinds import kind_of_mode
from labilis.mechanics.blocks import ENERGY_PARTS, ShellBlock, SolidBlock, typical_stress
from labilis.mesh import (
    Bonds,
    Mesh,
    available_memory,
    estimate,
    find_bonds,
    measure_quality,
    mesh_part,
    proposed_size,
)
from labilis.model import LabilisError, Project
from labilis.run.assembled import check_connected, make_blocks, material_of
from labilis.run.forces import LoadScene
from labilis.run.keys import StageKeys, check_active, stage_keys
from labilis.run.plan import Plan, Progress, ProgressCall, Snapshot
from labilis.run.regions import match_region
from labilis.run.resolve import Tied, make_tied
from labilis.run.strength_stage import SolvedCase, strength_stage
from labilis.run.trace_stage import trace_stage
from labilis.shape import BodyShape, PartShape, build_part, scan_sections
from labilis.solve.factor import Factor, NotPositive, factor
from labilis.solve.levers import thickness_levers
from labilis.solve.modes import ModesSolution, NotConverged, count_below, find_modes
from labilis.solve.system import System

_RATIO = 1.26  # of element sizes from mesh to mesh of a convergence study: each has twice the elements of a solid
_LEVERS = 3  # modes whose sensitivity to thickness is found
_MOST_KEPT = 20  # bodies, meshes, solutions of late statements
MOST_STRESS = 0.1  # of Young's modulus: an elastic factor beyond it means nothing
Found = Callable[[str, Any], None]


class Runner:
    """Runs plans in this process. Keeps bodies, meshes and factors of the last few statements in memory."""

    def __init__(self) -> None:
        self._kept: OrderedDict[str, Any] = OrderedDict()
        self.timing: dict[str, float] = {}

    def run(self, snapshot: Snapshot, plan: Plan, progress: ProgressCall = lambda _: None,
            found: Found = lambda _key, _result: None) -> dict[str, Any]:
        """Results by key. `found` is told each result as soon as it stands.

        Raises LabilisError for anything in the statements that stops the run.
        """
        started = time.perf_counter()
        self.timing = {}
        results: dict[str, Any] = {}

        def give(key: str, result: Any) -> None:
            results[key] = result
            found(key, result)

        project = snapshot.project
        progress(Progress(0.02, "Reading the part"))
        keys = stage_keys(project)
        part = self._timed("shape", lambda: self._part(snapshot, keys))
        give(keys.shape, part.view)
        if plan.upto == "shape":
            return self._finish(started, results)
        progress(Progress(0.08, "Meshing"))
        mesh, bonds, findings = self._timed("mesh", lambda: self._mesh(project, part, keys))
        give(keys.mesh, findings)
        if plan.upto == "mesh":
            return self._finish(started, results)
        if plan.upto == "converge":
            self._converge(snapshot, plan, part, mesh, progress, give)
            return self._finish(started, results)
        cases = plan.cases or tuple(case.name for case in project.cases)
        if not cases:
            raise LabilisError("There is no load case yet.", "loads", "Pick a face and push on it.", "no-load")
        scene, tied, stiffness = self._system(project, part, mesh, bonds, keys, progress)
        for number, case in enumerate(cases):
            case_keys = stage_keys(project, case)
            share = number / len(cases)

            def case_progress(fraction: float, text: str, share: float = share, case: str = case) -> None:
                progress(Progress(0.35 + 0.65 * (share + fraction / len(cases)), f"{text}, case {case}"))

            case_progress(0.02, "Solving")
            strength, solved = self._strength(scene, case, tied, stiffness, case_keys)
            give(case_keys.strength, strength)
            if part.lone is not None:
                give(case_keys.sections, self._sections(part.lone, strength, case_keys))
            if plan.upto in ("modes", "trace"):
                case_progress(0.25, "Finding modes")
                give(case_keys.modes, self._timed("modes", lambda: self._modes(
                    scene, case, solved, stiffness, strength, case_progress)))  # noqa: B023
            if plan.upto == "trace":
                give(case_keys.trace, self._timed("trace", lambda: self._trace(
                    scene, case, part, bonds, results[case_keys.modes], case_keys, case_progress, found)))  # noqa: B023
        return self._finish(started, results)

    # --- stages ---------------------------------------------------------------------------------------------------
    def _part(self, snapshot: Snapshot, keys: StageKeys) -> PartShape:
        check_active(snapshot.project)
        return self._keep(keys.shape, lambda: build_part(snapshot.project, snapshot.files))

    def _mesh(self, project: Project, part: PartShape, keys: StageKeys) -> tuple[Mesh, Bonds, MeshFindings]:
        def make() -> tuple[Mesh, Bonds, MeshFindings]:
            plan, view = project.mesh, part.view
            size = proposed_size(view) if plan.size is None else project.value(plan.size, "length", "mesh/size")
            check_size(view, size, plan.order)
            zones = []
            for zone in plan.zones:
                match = match_region(project.named("regions", zone.region), view)
                zones.append((match.faces, match.edges, min(project.value(zone.size, "length"), size)))
            for _, _, zone_size in zones:
                if zone_size < size / 50:
                    raise LabilisError("A zone is more than fifty times finer than the rest.", "mesh/zones",
                                       "Give it a larger size.", "zone-size")
            mesh = mesh_part(part, size, plan.order, zones)
            bonds = find_bonds(mesh, _released(project, part))
            return mesh, bonds, _mesh_findings(part, mesh, bonds, size)

        return self._keep(keys.mesh, make)

    def _system(self, project: Project, part: PartShape, mesh: Mesh, bonds: Bonds, keys: StageKeys,
                progress: ProgressCall) -> tuple[LoadScene, Tied, Factor]:
        key = "system" + keys.system

        def make() -> tuple[LoadScene, Tied, Factor]:
            tied = make_tied(project, part.view, mesh, bonds)
            check_connected(part, mesh, tied)
            blocks, bodies = make_blocks(project, part, mesh, tied.numbering)
            system = System(mesh.nodes, (*blocks, *tied.springs), tied.ties)
            scene = LoadScene(project, part.view, mesh, tied.numbering, system, bodies, part.pieces, tied.held, tied.hubs)
            progress(Progress(0.15, "Assembling"))
            matrix = self._timed("assemble", lambda: system.reduced_stiffness)
            progress(Progress(0.25, "Factorising"))
            try:
                return scene, tied, self._timed("factorise", lambda: factor(matrix, groups=tied.ties.groups))
            except NotPositive as error:
                raise LabilisError("The stiffness is singular: something is not connected or not held.", "supports",
                                   "Check the supports and the mesh.", "singular") from error
            except MemoryError as error:
                raise LabilisError("There is not enough memory to solve this mesh.", "mesh", "Mesh coarser.",
                                   "memory") from error

        scene, tied, stiffness = self._keep(key, make)
        return replace(scene, project=project), tied, stiffness

    def _strength(self, scene: LoadScene, case: str, tied: Tied, stiffness: Factor,
                  keys: StageKeys) -> tuple[StrengthFindings, SolvedCase]:
        limits = yields_of(scene.project)
        return self._keep("solved" + keys.strength, lambda: self._timed("strength", lambda: strength_stage(
            scene, case, tied, stiffness, limits)))

    def _sections(self, body: BodyShape, strength: StrengthFindings, keys: StageKeys) -> SectionFindings:
        def scan() -> SectionFindings:
            view = body.view
            along = view.tessellation.points @ view.long_axis
            low, high = float(along.min()), float(along.max())
            clear_low, clear_high = low + 0.02 * (high - low), high - 0.02 * (high - low)
            for lower, upper in strength.reach:  # stay clear of the ends that are held: bores would count as sections
                if upper < low + (high - low) / 2:
                    clear_low = max(clear_low, upper + 0.05 * (high - low))
                elif lower > low + (high - low) / 2:
                    clear_high = min(clear_high, lower - 0.05 * (high - low))
            if clear_high <= clear_low:
                clear_low, clear_high = low, high
            found = scan_sections(body, view.long_axis, clear_low, clear_high)
            return SectionFindings(found.axis, found.station, found.area, found.i_min, found.i_max, found.weak, found.strong)

        return self._keep(keys.sections, lambda: self._timed("sections", scan))

    def _modes(self, scene: LoadScene, case: str, solved: SolvedCase, stiffness: Factor, strength: StrengthFindings,
               case_progress: Callable[[float, str], None]) -> ModesFindings:
        project, mesh, system = scene.project, scene.mesh, scene.system
        criteria = project.criteria
        required = project.value(criteria.required_factor, "number")
        growing = solved.growing_states
        k_g = system.geometric(growing, solved.growing.internal)
        unsymmetric = 0.0
        if solved.following["growing"]:
            load_part, unsymmetric = system.following(solved.following["growing"])
            k_g = (k_g + load_part).tocsr()
        base, base_factor = system.reduced_stiffness, stiffness
        force = float(np.linalg.norm(strength.applied[0, :3]))
        if force < 1e-3 * strength.growing_size:  # loads that balance each other have no resultant to name
            force = 0.0
        if np.any(solved.held.u):
            base = (base + system.geometric(solved.held_states, solved.held.internal)).tocsr()
            if solved.following["held"]:
                load_part, rest = system.following(solved.following["held"])
                base, unsymmetric = (base + load_part).tocsr(), max(unsymmetric, rest)
            try:
                base_factor = factor(base, like=stiffness)
            except NotPositive:
                empty = np.zeros(0)
                return ModesFindings(case, empty, np.zeros((0, len(mesh.nodes), 3)), empty, np.zeros((0, 3)), -1, np.inf,
                                     force, True, np.zeros(0, dtype="U16"), float("nan"), unsymmetric,
                                     np.array(list(dict.fromkeys(scene.pieces))), np.zeros((0, 1)), np.zeros((0, 5)), np.zeros((0, 0)),
                                     np.zeros((0, 0)), np.zeros((0, 1)))
        typical = typical_stress(system.blocks, growing)
        modulus = min(block.modulus for block in system.blocks if isinstance(block, SolidBlock | ShellBlock))
        limit = MOST_STRESS * modulus / typical if typical > 0 else np.inf
        both = criteria.sign == "both"
        try:
            solution = find_modes(base, base_factor, k_g, criteria.modes, both, limit,
                                  progress=lambda done: case_progress(0.3 + 0.5 * done, "Finding modes"))
        except NotConverged as error:
            raise LabilisError(f"The modes did not converge: {error}.", f"cases/{case}", "Ask for more modes, or mesh finer where the "
                               "part bulges.", "not-converged") from error
        second = self._second_opinion(system, solved, base, base_factor, limit) if criteria.second_opinion else float("nan")
        case_progress(0.9, "Recovering shapes")
        shapes = np.zeros((len(solution.factors), len(mesh.nodes), 3))
        for index in range(len(solution.factors)):
            shape = system.places(system.ties.expand(solution.vectors[:, index]))
            size = np.linalg.norm(shape, axis=1)
            largest = int(size.argmax())
            sign = np.sign(shape[largest][np.abs(shape[largest]).argmax()])
            shapes[index] = sign * shape / size[largest]
        below = -1
        positive = solution.factors[solution.factors > 0]
        if len(positive) and positive.max() < required:
            below = count_below(base, k_g, required)
        checks = np.array([[check.sigma, check.counted, check.found] for check in solution.checks]).reshape(-1, 3)
        pieces, shares, parts, energy = _energies(scene, system.ties.expand(solution.vectors))
        kinds = np.array([_kind(scene, shape, density) for shape, density in zip(shapes, energy)], dtype="U16")
        return ModesFindings(case, solution.factors, shapes, solution.residuals, checks, below, limit, force, False, kinds, second,
                             unsymmetric, pieces, shares, parts, energy, *self._levers(scene, solved, stiffness, solution))

    def _converge(self, snapshot: Snapshot, plan: Plan, part: PartShape, mesh: Mesh, progress: ProgressCall, give: Found) -> None:
        """First factor with meshes of falling size, the present one the third: what stands so far is given after each."""
        project = snapshot.project
        size = proposed_size(part.view) if project.mesh.size is None else project.value(project.mesh.size, "length")
        case = (plan.cases or tuple(item.name for item in project.cases))[0]
        key = stage_keys(project, case).converge
        rows: list[tuple[float, int, int, float]] = []
        for number in range(plan.meshes):
            present = size * _RATIO ** (2 - number)
            progress(Progress(number / plan.meshes, f"Mesh {number + 1} of {plan.meshes}, {present:.3g} mm"))
            plan_of = project.mesh.model_copy(update={"size": f"{present!r} mm"})
            changed = project.changed(mesh=plan_of, criteria={**project.criteria.model_dump(), "modes": 1, "second_opinion": False})
            other = Runner()  # nothing of another mesh is worth keeping
            found = other.run(Snapshot(changed, snapshot.files), Plan("modes", (case,)))
            keys = stage_keys(changed, case)
            modes, findings = found[keys.modes], found[keys.mesh]
            if len(modes.positive) == 0:
                raise LabilisError("There is no positive factor to follow over meshes.", f"cases/{case}", "This load cannot make the part "
                                   "unstable.", "converge")
            rows.append((present, findings.count, findings.unknowns, float(modes.positive[0])))
            sizes, elements, unknowns, factors = (np.array(column) for column in zip(*rows))
            give(key, ConvergenceFindings(case, sizes, elements, unknowns, factors, *extrapolated(sizes, factors),
                                          number == plan.meshes - 1))

    @staticmethod
    def _trace(scene: LoadScene, case: str, part: PartShape, bonds: Bonds, modes: ModesFindings, keys: StageKeys,
               case_progress: Callable[[float, str], None], found: Found) -> TraceFindings:
        def tell(so_far: TraceFindings) -> None:
            share = min(float(so_far.factors.max()) / max(so_far.ideal, 1e-300), 1.0) if so_far.ideal > 0 else 0.5
            case_progress(min(0.9 + 0.09 * share, 0.99), f"Tracing: step {len(so_far.factors) - 1}, factor {so_far.factors[-1]:.4g}, "
                          f"{so_far.iterations[-1]} iterations")
            found(keys.trace, so_far)
        return trace_stage(scene.project, case, part, scene.mesh, bonds, modes, yields_of(scene.project), tell)

    @staticmethod
    def _levers(scene: LoadScene, solved: SolvedCase, stiffness: Factor, solution: ModesSolution) -> tuple[Any, Any]:
        """Levers of the first factors by element and by piece; empty without shells."""
        pieces = list(dict.fromkeys(scene.pieces))
        if not any(isinstance(block, ShellBlock) for block in scene.system.blocks):
            return np.zeros((0, 0)), np.zeros((0, len(pieces)))
        count = min(len(solution.factors), _LEVERS)
        bodies = np.concatenate(scene.block_bodies)
        by_element = thickness_levers(scene.system, stiffness, solution.factors[:count], solution.vectors[:, :count], solved.growing,
                                      solved.held)[:, :len(bodies)]
        owner = np.array([pieces.index(scene.pieces[body]) for body in bodies])
        by_piece = np.zeros((count, len(pieces)))
        for mode, row in enumerate(by_element):
            by_piece[mode] = np.bincount(owner, weights=row, minlength=len(pieces))
        return by_element, by_piece

    @staticmethod
    def _second_opinion(system: System, solved: SolvedCase, base: Any, base_factor: Factor, limit: float) -> float:
        """First positive factor with the full derivative of the tangent along the linear path; nan when there is none."""
        full = system.path_derivative(solved.growing.q, solved.growing.internal)
        found = find_modes(base, base_factor, full, 1, largest=limit, count=False)
        return float(found.factors[0]) if len(found.factors) else float("nan")

    # --- helpers --------------------------------------------------------------------------------------------------
    def _keep(self, key: str, make: Callable[[], Any]) -> Any:
        if key in self._kept:
            self._kept.move_to_end(key)
            return self._kept[key]
        if key.startswith("system"):
            for old in [name for name in self._kept if name.startswith("system")][:-1]:
                del self._kept[old]  # factors are large: keep one older set at most
        made = make()
        self._kept[key] = made
        while len(self._kept) > _MOST_KEPT:
            self._kept.popitem(last=False)
        return made

    def _timed(self, name: str, call: Callable[[], Any]) -> Any:
        started = time.perf_counter()
        try:
            return call()
        finally:
            self.timing[name] = self.timing.get(name, 0.0) + time.perf_counter() - started

    def _finish(self, started: float, results: dict[str, Any]) -> dict[str, Any]:
        self.timing["total"] = time.perf_counter() - started
        return results


def yields_of(project: Project) -> dict[str, float | None]:
    """Yield strength (MPa) of every piece that carries load, None where its material has none."""
    found: dict[str, float | None] = {}
    for piece in project.active_pieces:
        material = material_of(project, piece.name)
        found[piece.name] = None if material.yield_strength is None else project.value(material.yield_strength, "stress")
    return found


def _mesh_findings(part: PartShape, mesh: Mesh, bonds: Bonds, size: float) -> MeshFindings:
    """The mesh as plain figures."""
    quality = measure_quality(mesh, part.view.thickness)
    pairs, counts = np.unique(np.sort(bonds.bodies, axis=1), axis=0, return_counts=True) if len(bonds.nodes) else (
        np.zeros((0, 2), dtype=np.int64), np.zeros(0, dtype=np.int64))
    return MeshFindings(
        mesh.nodes, np.concatenate([cell.elements.ravel() for cell in mesh.cells]),
        np.concatenate([np.full(len(cell.elements), cell.elements.shape[1]) for cell in mesh.cells]),
        np.concatenate([np.full(len(cell.elements), cell.shell) for cell in mesh.cells]),
        np.concatenate([cell.body for cell in mesh.cells]), np.array(part.bodies), mesh.triangles, mesh.triangle_face, quality.shape,
        quality.histogram, quality.mean_edge, part.view.thickness, quality.volume, mesh.straightened, size,
        3 * (len(mesh.nodes) + len(mesh.shell_nodes)), np.concatenate([pairs, counts[:, None]], axis=1),
        np.flatnonzero(part.view.sheet), part.deviation)


def _released(project: Project, part: PartShape) -> frozenset[tuple[int, int]]:
    """Pairs of bodies whose joint is released."""
    found = set()
    for one, two in project.released:
        for i, a in enumerate(part.bodies):
            for j, b in enumerate(part.bodies):
                if {part.pieces[i], part.pieces[j]} == {one, two} or {a, b} == {one, two}:
                    found.add((min(i, j), max(i, j)))
    return frozenset(found)


def _energies(scene: LoadScene, vectors: Any) -> tuple[Any, Any, Any, Any]:
    """(pieces, shares, parts, energy density) of modes given in all unknowns (u, k); see ModesFindings."""
    pieces = list(dict.fromkeys(scene.pieces))
    bodies = np.concatenate(scene.block_bodies)
    owner = np.array([pieces.index(scene.pieces[body]) for body in bodies])
    volume = np.concatenate([block.volume for block in scene.system.blocks])[:len(owner)]
    count = vectors.shape[1]
    shares, parts, density = np.zeros((count, len(pieces))), np.zeros((count, len(ENERGY_PARTS))), np.zeros((count, len(owner)))
    if count:
        everything = scene.system.energy(vectors)[:len(owner)]
    for mode in range(count):
        energy = everything[:, :, mode]
        parts[mode] = energy.sum(axis=0) / max(float(energy.sum()), 1e-300)
        bending = energy[:, [0, 2, 3]].sum(axis=1)
        shares[mode] = np.bincount(owner, weights=bending, minlength=len(pieces)) / max(float(bending.sum()), 1e-300)
        per_volume = energy.sum(axis=1) / volume
        density[mode] = per_volume / max(float(per_volume.max()), 1e-300)
    return np.array(pieces), shares, parts, density


def _kind(scene: LoadScene, shape: Any, density: Any) -> str:
    """Kind of a mode, judged on the body that stores most of its energy, along that body's own length."""
    bodies = np.concatenate(scene.block_bodies)
    volume = np.concatenate([block.volume for block in scene.system.blocks])[:len(bodies)]
    stored = np.bincount(bodies, weights=density * volume)
    leader = int(stored.argmax())
    if len(stored) == 1:
        return kind_of_mode(scene.mesh.nodes, shape, scene.view.long_axis)
    nodes = np.unique(np.concatenate([cell.elements[cell.body == leader].ravel() for cell in scene.mesh.cells]))
    places = scene.mesh.nodes[nodes]
    axis = np.linalg.svd(places - places.mean(axis=0), full_matrices=False)[2][0]
    return kind_of_mode(places, shape[nodes], axis)


def check_size(view: Any, size: float, order: int) -> None:
    """Refuse an element size larger than the part, or one whose run would not fit into memory."""
    largest = float((view.extents[:, 1] - view.extents[:, 0]).max())
    if size > largest:
        raise LabilisError(f"An element size of {size:.4g} mm is larger than the part ({largest:.4g} mm).", "mesh/size",
                           f"Try {proposed_size(view):.3g} mm.", "size-too-large")
    cost = estimate(view, size, order)
    memory = available_memory()
    if cost.memory > 0.9 * memory:
        raise LabilisError(f"A size of {size:.4g} mm gives about {cost.unknowns:,} unknowns, which need about "
                           f"{cost.memory / 2**30:.0f} GiB; {memory / 2**30:.0f} GiB are free.", "mesh/size",
                           f"Try {proposed_size(view):.3g} mm, or a finer zone only where the part bends.", "size-too-small")
