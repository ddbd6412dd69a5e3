"""The runner calls the rooms in order and keeps what it made, so that a second run does only what changed."""
from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import replace
from typing import Any

from labilis.judge.findings import MeshFindings, ModesFindings, SectionFindings, StrengthFindings, TraceFindings
from labilis.mesh import (
    Bonds,
    Mesh,
)
from labilis.model import LabilisError, Project
from labilis.run.assembled import material_of
from labilis.run.checkpoint import TraceCheckpoint
from labilis.run.forces import LoadScene
from labilis.run.keys import StageKeys, check_active, stage_keys
from labilis.run.members_stage import members_stage
from labilis.run.mesh_error import OtherMesh
from labilis.run.mesh_stage import mesh_stage
from labilis.run.modes_stage import modes_stage
from labilis.run.plan import Plan, Progress, ProgressCall, Snapshot
from labilis.run.resolve import Tied, make_tied
from labilis.run.strength_stage import SolvedCase, strength_stage
from labilis.run.studies import amplitude_study, convergence_study, cross_check, tilt_study
from labilis.run.system_stage import system_stage
from labilis.run.trace_stage import trace_stage
from labilis.shape import BodyShape, PartShape, build_part, scan_sections
from labilis.solve.factor import Factor

_MOST_KEPT = 20  # bodies, meshes, solutions of late statements
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
        cases = plan.cases or tuple(case.name for case in project.cases)
        if not cases:
            raise LabilisError("There is no load case yet.", "loads", "Pick a face and push on it.", "no-load")
        if plan.upto == "converge":  # nothing of another mesh is worth keeping
            convergence_study(snapshot, plan, part, lambda other, its: Runner().run(other, its), progress, give)
            return self._finish(started, results)
        if plan.upto == "cross":
            cross_check(snapshot, plan, part, self.again, lambda other, its: Runner().run(other, its), progress, give)
            return self._finish(started, results)
        if plan.upto in ("amplitude", "tilt"):
            study = amplitude_study if plan.upto == "amplitude" else tilt_study
            study(snapshot, plan, self.again, progress, give)
            return self._finish(started, results)
        scene, tied, stiffness = self._system(project, part, mesh, bonds, keys, progress)

        def retie(flipped: frozenset[str]) -> Tied:
            return make_tied(project, part.view, mesh, bonds, flipped)
        other = OtherMesh(project, part, findings)
        for number, case in enumerate(cases):
            case_keys = stage_keys(project, case)
            share = number / len(cases)

            def case_progress(fraction: float, text: str, share: float = share, case: str = case) -> None:
                progress(Progress(0.35 + 0.65 * (share + fraction / len(cases)), f"{text}, case {case}"))

            case_progress(0.02, "Solving")
            strength, solved = self._strength(scene, case, tied, stiffness, case_keys)
            give(case_keys.strength, strength)
            give(case_keys.members, self._keep("members" + case_keys.members, lambda: self._timed("members", lambda: members_stage(
                scene, part, solved))))  # noqa: B023
            if part.lone is not None:
                give(case_keys.sections, self._sections(part.lone, strength, case_keys))
            if plan.upto in ("modes", "trace"):
                case_progress(0.25, "Finding modes")
                modes = self._timed("modes", lambda: modes_stage(
                    scene, case, solved, stiffness, strength, retie, case_progress))  # noqa: B023
                if project.criteria.mesh_error and findings.order == 2:
                    case_progress(0.95, "Checking the mesh with another one")
                    errors = self._timed("mesh error", lambda: other.errors(case, modes, yields_of(project)))  # noqa: B023
                    modes = replace(modes, mesh_error=errors)
                give(case_keys.modes, modes)
            if plan.upto == "trace":
                give(case_keys.trace, self._timed("trace", lambda: self._trace(
                    scene, case, part, bonds, results[case_keys.modes], case_keys, case_progress, found, plan.resume)))  # noqa: B023
        return self._finish(started, results)

    def again(self, snapshot: Snapshot, plan: Plan, progress: ProgressCall = lambda _: None) -> dict[str, Any]:
        """A further run, or one of a study, with what is kept here, its time not counted twice."""
        timing = self.timing
        try:
            return self.run(snapshot, plan, progress)
        finally:
            self.timing = timing

    # --- stages ---------------------------------------------------------------------------------------------------
    def _part(self, snapshot: Snapshot, keys: StageKeys) -> PartShape:
        check_active(snapshot.project)
        return self._keep(keys.shape, lambda: build_part(snapshot.project, snapshot.files))

    def _mesh(self, project: Project, part: PartShape, keys: StageKeys) -> tuple[Mesh, Bonds, MeshFindings]:
        return self._keep(keys.mesh, lambda: mesh_stage(project, part))

    def _system(self, project: Project, part: PartShape, mesh: Mesh, bonds: Bonds, keys: StageKeys,
                progress: ProgressCall) -> tuple[LoadScene, Tied, Factor]:
        key = "system" + keys.system

        words = {"assemble": Progress(0.15, "Assembling"), "factorise": Progress(0.25, "Factorising")}

        def timed(name: str, call: Callable[[], Any]) -> Any:
            progress(words[name])
            return self._timed(name, call)
        scene, tied, stiffness = self._keep(key, lambda: system_stage(project, part, mesh, bonds, timed))
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

    @staticmethod
    def _trace(scene: LoadScene, case: str, part: PartShape, bonds: Bonds, modes: ModesFindings, keys: StageKeys,
               case_progress: Callable[[float, str], None], found: Found, resume: TraceCheckpoint | None) -> TraceFindings:
        def tell(so_far: TraceFindings, checkpoint: TraceCheckpoint) -> None:
            share = min(float(so_far.factors.max()) / max(so_far.ideal, 1e-300), 1.0) if so_far.ideal > 0 else 0.5
            case_progress(min(0.9 + 0.09 * share, 0.99), f"Tracing: step {len(so_far.factors) - 1}, factor {so_far.factors[-1]:.4g}, "
                          f"{so_far.iterations[-1]} iterations")
            found(keys.path, checkpoint)
            found(keys.trace, so_far)
        return trace_stage(scene.project, case, part, scene.mesh, bonds, modes, yields_of(scene.project), tell,
                           resume if resume is not None and resume.case == case else None)

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
