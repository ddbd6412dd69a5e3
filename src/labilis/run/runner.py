"""The runner calls the rooms in order and keeps what it made, so that a second run does only what changed."""
from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Callable
from typing import Any

import numpy as np

from labilis.judge.findings import MeshFindings, ModesFindings, SectionFindings, StrengthFindings
from labilis.judge.kinds import kind_of_mode
from labilis.mechanics.material import isotropic, von_mises
from labilis.mesh import Mesh, available_memory, estimate, measure_quality, mesh_body, proposed_size
from labilis.model import LabilisError, Material, Project
from labilis.run.keys import StageKeys, active_piece, stage_keys
from labilis.run.plan import Plan, Progress, ProgressCall, Snapshot
from labilis.run.resolve import Tied, make_tied, match_region
from labilis.run.strength_stage import SolvedCase, strength_stage
from labilis.shape import BodyShape, build_body, read_step, scan_sections
from labilis.solve.factor import Factor, NotPositive, factor
from labilis.solve.modes import count_below, find_modes
from labilis.solve.system import System

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
        body = self._timed("shape", lambda: self._body(snapshot, keys))
        give(keys.shape, body.view)
        if plan.upto == "shape":
            return self._finish(started, results)
        progress(Progress(0.08, "Meshing"))
        mesh, findings = self._timed("mesh", lambda: self._mesh(project, body, keys))
        give(keys.mesh, findings)
        if plan.upto == "mesh":
            return self._finish(started, results)
        cases = plan.cases or tuple(case.name for case in project.cases)
        if not cases:
            raise LabilisError("There is no load case yet.", "loads", "Pick a face and push on it.", "no-load")
        system, tied, stiffness = self._system(project, body, mesh, keys, progress)
        for number, case in enumerate(cases):
            case_keys = stage_keys(project, case)
            share = number / len(cases)

            def case_progress(fraction: float, text: str, share: float = share, case: str = case) -> None:
                progress(Progress(0.35 + 0.65 * (share + fraction / len(cases)), f"{text}, case {case}"))

            case_progress(0.02, "Solving")
            strength, solved = self._strength(project, case, body, mesh, system, tied, stiffness, case_keys)
            give(case_keys.strength, strength)
            give(case_keys.sections, self._sections(body, strength, case_keys))
            if plan.upto == "modes":
                case_progress(0.25, "Finding modes")
                give(case_keys.modes, self._timed("modes", lambda: self._modes(
                    project, case, body, mesh, system, solved, stiffness, strength, case_progress)))  # noqa: B023
        return self._finish(started, results)

    # --- stages ---------------------------------------------------------------------------------------------------
    def _body(self, snapshot: Snapshot, keys: StageKeys) -> BodyShape:
        piece = active_piece(snapshot.project)

        def read() -> BodyShape:
            geometry = next(item for item in snapshot.project.geometry if item.file == piece.geometry)
            if geometry.sha256 not in snapshot.files:
                raise LabilisError(f"The bytes of '{geometry.file}' are missing.", "part", "Import the file again.",
                                   "missing-file")
            bodies, _ = read_step(snapshot.files[geometry.sha256], geometry.file)
            if piece.body > len(bodies):
                raise LabilisError(f"'{geometry.file}' has {len(bodies)} bodies, not {piece.body}.",
                                   f"pieces/{piece.name}", "Choose another body.", "no-body")
            return build_body(bodies[piece.body - 1][1])

        return self._keep(keys.shape, read)

    def _mesh(self, project: Project, body: BodyShape, keys: StageKeys) -> tuple[Mesh, MeshFindings]:
        def make() -> tuple[Mesh, MeshFindings]:
            plan, view = project.mesh, body.view
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
            mesh = mesh_body(body, size, plan.order, zones)
            quality = measure_quality(mesh, view.thickness)
            return mesh, MeshFindings(mesh.nodes, mesh.elements, mesh.triangles, mesh.triangle_face, quality.shape,
                                      quality.histogram, quality.mean_edge, view.thickness, quality.volume,
                                      mesh.straightened, size)

        return self._keep(keys.mesh, make)

    def _system(self, project: Project, body: BodyShape, mesh: Mesh, keys: StageKeys,
                progress: ProgressCall) -> tuple[System, Tied, Factor]:
        material = self._material(project)
        key = "system" + keys.mesh + repr((project.supports, project.hubs, project.regions, material.youngs_modulus,
                                                material.poisson_ratio, project.parameters))

        def make() -> tuple[System, Tied, Factor]:
            tied = make_tied(project, body.view, mesh)
            elasticity = isotropic(project.value(material.youngs_modulus or "", "stress"),
                                   project.value(material.poisson_ratio or "", "number"))
            system = System(mesh.nodes, mesh.elements, elasticity, tied.ties)
            progress(Progress(0.15, "Assembling"))
            matrix = self._timed("assemble", lambda: system.reduced_stiffness)
            progress(Progress(0.25, "Factorising"))
            try:
                return system, tied, self._timed("factorise", lambda: factor(matrix, groups=tied.ties.groups))
            except NotPositive as error:
                raise LabilisError("The stiffness is singular: something is not connected or not held.", "supports",
                                   "Check the supports and the mesh.", "singular") from error
            except MemoryError as error:
                raise LabilisError("There is not enough memory to solve this mesh.", "mesh", "Mesh coarser.",
                                   "memory") from error

        return self._keep(key, make)

    def _strength(self, project: Project, case: str, body: BodyShape, mesh: Mesh, system: System, tied: Tied,
                  stiffness: Factor, keys: StageKeys) -> tuple[StrengthFindings, SolvedCase]:
        material = self._material(project)
        limit = None if material.yield_strength is None else project.value(material.yield_strength, "stress")
        return self._keep("solved" + keys.strength, lambda: self._timed("strength", lambda: strength_stage(
            project, case, body.view, mesh, system, tied, stiffness, limit)))

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

    def _modes(self, project: Project, case: str, body: BodyShape, mesh: Mesh, system: System, solved: SolvedCase,
               stiffness: Factor, strength: StrengthFindings,
               case_progress: Callable[[float, str], None]) -> ModesFindings:
        criteria = project.criteria
        required = project.value(criteria.required_factor, "number")
        growing = system.stress(solved.growing.u)
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
            base = (base + system.geometric(system.stress(solved.held.u), solved.held.internal)).tocsr()
            if solved.following["held"]:
                load_part, rest = system.following(solved.following["held"])
                base, unsymmetric = (base + load_part).tocsr(), max(unsymmetric, rest)
            try:
                base_factor = factor(base, like=stiffness)
            except NotPositive:
                empty = np.zeros(0)
                return ModesFindings(case, empty, np.zeros((0, len(mesh.nodes), 3)), empty, np.zeros((0, 3)), -1, np.inf,
                                     force, True, np.zeros(0, dtype="U16"), float("nan"), unsymmetric)
        weight = system.geometry.weight
        typical = float(np.sqrt((von_mises(growing) ** 2 * weight).sum() / weight.sum()))
        modulus = project.value(self._material(project).youngs_modulus or "", "stress")
        limit = MOST_STRESS * modulus / typical if typical > 0 else np.inf
        both = criteria.sign == "both"
        solution = find_modes(base, base_factor, k_g, criteria.modes, both, limit,
                              progress=lambda done: case_progress(0.3 + 0.5 * done, "Finding modes"))
        second = self._second_opinion(system, solved, base, base_factor, limit) if criteria.second_opinion else float("nan")
        case_progress(0.9, "Recovering shapes")
        shapes = np.zeros((len(solution.factors), len(mesh.nodes), 3))
        for index in range(len(solution.factors)):
            shape = system.ties.expand(solution.vectors[:, index]).reshape(-1, 3)
            size = np.linalg.norm(shape, axis=1)
            largest = int(size.argmax())
            sign = np.sign(shape[largest][np.abs(shape[largest]).argmax()])
            shapes[index] = sign * shape / size[largest]
        below = -1
        positive = solution.factors[solution.factors > 0]
        if len(positive) and positive.max() < required:
            below = count_below(base, k_g, required)
        checks = np.array([[check.sigma, check.counted, check.found] for check in solution.checks]).reshape(-1, 3)
        kinds = np.array([kind_of_mode(mesh.nodes, shape, body.view.long_axis) for shape in shapes], dtype="U16")
        return ModesFindings(case, solution.factors, shapes, solution.residuals, checks, below, limit, force, False, kinds, second,
                             unsymmetric)

    @staticmethod
    def _second_opinion(system: System, solved: SolvedCase, base: Any, base_factor: Factor, limit: float) -> float:
        """First positive factor with the full derivative of the tangent along the linear path; nan when there is none."""
        full = system.path_derivative(solved.growing.q, solved.growing.internal)
        found = find_modes(base, base_factor, full, 1, largest=limit, count=False)
        return float(found.factors[0]) if len(found.factors) else float("nan")

    # --- helpers --------------------------------------------------------------------------------------------------
    @staticmethod
    def _material(project: Project) -> Material:
        piece = active_piece(project)
        where = f"pieces/{piece.name}"
        if piece.material is None:
            raise LabilisError(f"Piece '{piece.name}' has no material.", where, "Choose one at the Part station.",
                               "no-material")
        material: Material = project.named("materials", piece.material)
        for field, words in (("youngs_modulus", "Young's modulus"), ("poisson_ratio", "Poisson ratio")):
            if getattr(material, field) is None:
                raise LabilisError(f"Material '{material.name}' has no {words}.", f"materials/{material.name}/{field}",
                                   "This run needs it.", "material-incomplete")
        return material

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
