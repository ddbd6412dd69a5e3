"""The runner calls the rooms in order and keeps what it made, so that a second run does only
what changed."""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Callable
from contextlib import nullcontext
from dataclasses import replace
from functools import partial
from typing import Any, NamedTuple

from labilis.analysis.case_loads import LoadScene
from labilis.analysis.constraints import Tied, make_tied
from labilis.analysis.materials import material_of
from labilis.analysis.members_stage import members_stage
from labilis.analysis.mesh_error import Before, OtherMesh, Yields, dimensions
from labilis.analysis.mesh_error import yields_of as yields_at
from labilis.analysis.mesh_stage import mesh_stage
from labilis.analysis.modes_stage import modes_stage
from labilis.analysis.strength_stage import SolvedCase, strength_stage
from labilis.analysis.system_stage import system_stage
from labilis.analysis.trace_stage import trace_stage
from labilis.mesh import (
    Bonds,
    Mesh,
)
from labilis.model import LabilisError, Project, shown
from labilis.results.checkpoint import TraceCheckpoint
from labilis.results.findings import (
    MeshFindings,
    ModesFindings,
    SectionFindings,
    StrengthFindings,
    TraceFindings,
)
from labilis.run.keys import StageKeys, check_active, stage_keys
from labilis.run.plan import Plan, Progress, ProgressCall, Snapshot
from labilis.run.settling import Settling, wants_settling, with_fineness
from labilis.run.studies import (
    amplitude_study,
    contact_study,
    convergence_study,
    cross_check,
    tilt_study,
)
from labilis.shape import BodyShape, PartShape, build_part, scan_sections
from labilis.shape.step import damaged
from labilis.solve.factor import Factor

_MOST_KEPT, _OF_CASE = (
    20,
    3,
)  # bodies, meshes, solutions of late statements; more of them for each load case
Found = Callable[[str, Any], None]


class _Meshed(NamedTuple):
    """A mesh and what stands on it for all cases."""

    part: PartShape
    findings: MeshFindings
    scene: LoadScene
    tied: Tied
    stiffness: Factor
    other: OtherMesh
    retie: Callable[[frozenset[str]], Tied]
    bonds: Bonds


def _cases_of(plan: Plan, project: Project) -> tuple[str, ...]:
    """Cases that are asked for, all when none is named."""
    cases = plan.cases or tuple(case.name for case in project.cases)
    if not cases:
        raise LabilisError(
            "There is no load case yet.", "loads", "Pick a face and push on it.", "no-load"
        )
    return cases


class Runner:
    """Runs plans in this process. Keeps bodies, meshes and factors of the last few statements in
    memory."""

    def __init__(self) -> None:
        self._kept: OrderedDict[str, Any] = OrderedDict()
        self._most = _MOST_KEPT
        self.timing: dict[str, float] = {}

    def run(
        self,
        snapshot: Snapshot,
        plan: Plan,
        progress: ProgressCall = lambda _: None,
        found: Found = lambda _key, _result: None,
    ) -> dict[str, Any]:
        """Results by key. `found` is told each result as soon as it stands.

        Raises LabilisError for anything in the statements that stops the run.
        """
        # of a file, measuring and meshing find what reading did not; of recipes it is a defect
        with damaged("pieces") if snapshot.files else nullcontext():
            return self._run(snapshot, plan, progress, found)

    def _run(
        self, snapshot: Snapshot, plan: Plan, progress: ProgressCall, found: Found
    ) -> dict[str, Any]:
        shown.use(snapshot.project.units)
        started = time.perf_counter()
        self.timing = {}
        results: dict[str, Any] = {}

        def give(key: str, result: Any) -> None:
            if results.get(key) is not result:
                results[key] = result
                found(key, result)

        self._most = max(self._most, _MOST_KEPT + _OF_CASE * len(snapshot.project.cases))
        made: dict[str, ModesFindings] = {}
        before: Before | None = None
        if plan.upto not in ("shape", "mesh", "strength") and wants_settling(snapshot.project):
            snapshot, progress, before = self._settle(snapshot, plan, progress, give, made)
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
        cases = _cases_of(plan, project)
        if self._study(snapshot, plan, part, progress, give):
            return self._finish(started, results)
        on = self._meshed(project, part, mesh, bonds, findings, keys, progress, before)
        for number, case in enumerate(cases):
            case_keys = stage_keys(project, case)

            def case_progress(
                fraction: float, text: str, number: int = number, case: str = case
            ) -> None:
                progress(
                    Progress(0.35 + 0.65 * (number + fraction) / len(cases), f"{text}, case {case}")
                )

            self._case(
                on, case, case_keys, plan.upto in ("modes", "trace"), case_progress, give, made
            )
            if plan.upto == "trace":
                modes = results[case_keys.modes]
                tell = partial(self._trace, on.scene, case, part, bonds, modes, case_keys)
                trace = partial(tell, case_progress, found, plan.resume)
                give(case_keys.trace, self._timed("trace", trace))
        return self._finish(started, results)

    def _study(
        self, snapshot: Snapshot, plan: Plan, part: PartShape, progress: ProgressCall, give: Found
    ) -> bool:
        """Whether the plan is a study, which is done then."""

        def anew(
            other: Snapshot, its: Plan
        ) -> dict[str, Any]:  # nothing of another mesh is worth keeping
            return Runner().run(other, its)

        if plan.upto == "converge":
            convergence_study(snapshot, plan, part, anew, progress, give)
        elif plan.upto == "cross":
            cross_check(snapshot, plan, part, self.again, anew, progress, give)
        elif plan.upto in (
            studies := {"amplitude": amplitude_study, "tilt": tilt_study, "contact": contact_study}
        ):
            studies[plan.upto](snapshot, plan, self.again, progress, give)
        else:
            return False
        return True

    def _settle(
        self,
        snapshot: Snapshot,
        plan: Plan,
        progress: ProgressCall,
        give: Found,
        made: dict[str, ModesFindings],
    ) -> tuple[Snapshot, ProgressCall, Before | None]:
        """Modes of all cases on finer and finer meshes until their errors are small: the statements
        with the fineness that came of it, the progress of what is left to do, and the mesh before
        that one, by which its errors are told in this run and in every later one. Modes of the
        last mesh are `made`; those of the first are given as they are found."""
        project, done = snapshot.project, 0.0
        key = stage_keys(project).settled
        if not key:
            return snapshot, progress, None
        progress(Progress(0.01, "Reading the part"))
        if key not in self._kept:
            settling, fineness, tried = Settling(project), 1.0, 1.0
            before: Before | None = None
            coarser: list[Before | None] = []
            while fineness:
                ahead = done + 0.5 * (1.0 - done)

                def of_round(
                    step: Progress,
                    done: float = done,
                    ahead: float = ahead,
                    fineness: float = fineness,
                ) -> None:
                    finer = "" if fineness == 1.0 else f", mesh made {fineness:g} times finer"
                    progress(Progress(done + step.fraction * (ahead - done), step.text + finer))

                made.clear()
                tried = fineness
                coarser.append(before)
                try:
                    fineness, before = self._round(
                        snapshot, plan, settling, fineness, of_round, give, made, before
                    )
                except Exception:
                    # whatever a mesh that nobody asked for ends in, what was found on the one
                    # before stands
                    if not settling.rounds:
                        raise
                    break
                done = ahead
            if settling.rounds[-1][0] != tried:
                made.clear()  # of a mesh that was not taken
            came = settling.findings()
            last = coarser[len(settling.rounds) - 1]
            self._keep(key, lambda: (came, last))
        found, before = self._keep(key, lambda: None)
        give(key, found)
        return (
            replace(snapshot, project=with_fineness(project, found.fineness)),
            lambda step: progress(Progress(done + step.fraction * (1.0 - done), step.text)),
            before,
        )

    def _round(
        self,
        snapshot: Snapshot,
        plan: Plan,
        settling: Settling,
        fineness: float,
        progress: ProgressCall,
        give: Found,
        made: dict[str, ModesFindings],
        before: Before | None,
    ) -> tuple[float, Before]:
        """Modes of all cases on one mesh, their errors by the one `before`; the fineness of the
        next one, 0 for none, and this one."""
        project = with_fineness(snapshot.project, fineness)
        keys = stage_keys(project)
        part = self._timed("shape", lambda: self._part(snapshot, keys))
        first = fineness == 1.0
        if first:
            give(keys.shape, part.view)
        progress(Progress(0.08, "Meshing"))
        mesh, bonds, findings = self._timed("mesh", lambda: self._mesh(project, part, keys))
        if first:
            give(keys.mesh, findings)
        on = self._meshed(project, part, mesh, bonds, findings, keys, progress, before)
        names = [case.name for case in project.cases]
        yields: dict[str, Yields] = {}

        def keep(key: str, result: Any) -> None:
            if isinstance(result, StrengthFindings):
                yields[result.case] = yields_at(result)
            if first:
                give(key, result)

        for number, case in enumerate(names):

            def case_progress(
                fraction: float, text: str, number: int = number, case: str = case
            ) -> None:
                progress(
                    Progress(0.35 + 0.65 * (number + fraction) / len(names), f"{text}, case {case}")
                )

            try:
                self._case(
                    on,
                    case,
                    stage_keys(project, case),
                    True,
                    case_progress,
                    keep,
                    made,
                )
            except LabilisError:
                if not plan.cases or case in plan.cases:
                    raise
        modes = list(made.values())
        return settling.add(fineness, findings, modes, dimensions(findings)) or 0.0, Before(
            findings, {one.case: one for one in modes}, yields
        )

    def _meshed(
        self,
        project: Project,
        part: PartShape,
        mesh: Mesh,
        bonds: Bonds,
        findings: MeshFindings,
        keys: StageKeys,
        progress: ProgressCall,
        before: Before | None = None,
    ) -> _Meshed:
        return _Meshed(
            part,
            findings,
            *self._system(project, part, mesh, bonds, keys, progress),
            OtherMesh(project, part, findings, before),
            lambda flipped: make_tied(project, part.view, mesh, bonds, flipped),
            bonds,
        )

    def _case(
        self,
        on: _Meshed,
        case: str,
        keys: StageKeys,
        modes_too: bool,
        progress: Callable[[float, str], None],
        give: Found,
        made: dict[str, ModesFindings],
    ) -> None:
        """Strength of a case, and its modes with their mesh errors unless they are `made`
        already."""
        project = on.scene.project
        if not keys.modes:  # results of one case could then be taken for those of another
            raise LabilisError(
                "A quantity of this case, its supports or its materials has no value.",
                f"cases/{case}",
                "Correct the quantity that the model is refused for when it is opened.",
                "no-value",
            )
        progress(0.02, "Solving")
        strength, solved = self._strength(on.scene, case, on.tied, on.stiffness, keys)
        give(keys.strength, strength)
        give(
            keys.members,
            self._keep(
                "members" + keys.members,
                lambda: self._timed(
                    "members", lambda: members_stage(on.scene, on.part, on.bonds, solved)
                ),
            ),
        )
        if on.part.lone is not None:
            give(keys.sections, self._sections(on.part.lone, strength, keys))
        if not modes_too:
            return
        if keys.modes not in made:
            progress(0.25, "Finding modes")
            modes = self._timed(
                "modes",
                lambda: modes_stage(
                    on.scene, case, solved, on.stiffness, strength, on.retie, progress
                ),
            )
            if project.criteria.mesh_error and on.findings.order == 2:
                progress(0.95, "Checking the mesh with another one")
                yields = yields_at(strength)
                errors = self._timed(
                    "mesh error", lambda: on.other.errors(case, modes, yields, yields_of(project))
                )
                modes = replace(
                    modes,
                    mesh_error=errors.factors,
                    yield_error=errors.yields.first,
                    section_error=errors.yields.sections,
                )
            made[keys.modes] = modes
        give(keys.modes, made[keys.modes])

    def again(
        self, snapshot: Snapshot, plan: Plan, progress: ProgressCall = lambda _: None
    ) -> dict[str, Any]:
        """A further run, or one of a study, with what is kept here, its time not counted twice."""
        timing = self.timing
        try:
            return self.run(snapshot, plan, progress)
        finally:
            self.timing = timing

    # --- stages
    # ----------------------------------------------------------------------------------------------
    def _part(self, snapshot: Snapshot, keys: StageKeys) -> PartShape:
        check_active(snapshot.project)
        return self._keep(keys.shape, lambda: build_part(snapshot.project, snapshot.files))

    def _mesh(
        self, project: Project, part: PartShape, keys: StageKeys
    ) -> tuple[Mesh, Bonds, MeshFindings]:
        return self._keep(keys.mesh, lambda: mesh_stage(project, part))

    def _system(
        self,
        project: Project,
        part: PartShape,
        mesh: Mesh,
        bonds: Bonds,
        keys: StageKeys,
        progress: ProgressCall,
    ) -> tuple[LoadScene, Tied, Factor]:
        key = "system" + keys.system

        words = {
            "assemble": Progress(0.15, "Assembling"),
            "factorise": Progress(0.25, "Factorising"),
        }

        def timed(name: str, call: Callable[[], Any]) -> Any:
            progress(words[name])
            return self._timed(name, call)

        scene, tied, stiffness = self._keep(
            key, lambda: system_stage(project, part, mesh, bonds, timed)
        )
        return replace(scene, project=project), tied, stiffness

    def _strength(
        self, scene: LoadScene, case: str, tied: Tied, stiffness: Factor, keys: StageKeys
    ) -> tuple[StrengthFindings, SolvedCase]:
        limits = yields_of(scene.project)
        return self._keep(
            "solved" + keys.strength,
            lambda: self._timed(
                "strength", lambda: strength_stage(scene, case, tied, stiffness, limits)
            ),
        )

    def _sections(
        self, body: BodyShape, strength: StrengthFindings, keys: StageKeys
    ) -> SectionFindings:
        def scan() -> SectionFindings:
            view = body.view
            along = view.tessellation.points @ view.long_axis
            low, high = float(along.min()), float(along.max())
            clear_low, clear_high = low + 0.02 * (high - low), high - 0.02 * (high - low)
            for (
                lower,
                upper,
            ) in (
                strength.reach
            ):  # stay clear of the ends that are held: bores would count as sections
                if upper < low + (high - low) / 2:
                    clear_low = max(clear_low, upper + 0.05 * (high - low))
                elif lower > low + (high - low) / 2:
                    clear_high = min(clear_high, lower - 0.05 * (high - low))
            if clear_high <= clear_low:
                clear_low, clear_high = low, high
            found = scan_sections(body, view.long_axis, clear_low, clear_high)
            return SectionFindings(
                axis=found.axis,
                station=found.station,
                area=found.area,
                i_min=found.i_min,
                i_max=found.i_max,
                weak=found.weak,
                strong=found.strong,
            )

        return self._keep(keys.sections, lambda: self._timed("sections", scan))

    @staticmethod
    def _trace(
        scene: LoadScene,
        case: str,
        part: PartShape,
        bonds: Bonds,
        modes: ModesFindings,
        keys: StageKeys,
        case_progress: Callable[[float, str], None],
        found: Found,
        resume: TraceCheckpoint | None,
    ) -> TraceFindings:
        def tell(so_far: TraceFindings, checkpoint: TraceCheckpoint) -> None:
            share = (
                min(float(so_far.factors.max()) / max(so_far.ideal, 1e-300), 1.0)
                if so_far.ideal > 0
                else 0.5
            )
            case_progress(
                min(0.9 + 0.09 * share, 0.99),
                f"Tracing: step {len(so_far.factors) - 1}, factor {so_far.factors[-1]:.4g}, "
                f"{so_far.iterations[-1]} iterations",
            )
            found(keys.path, checkpoint)
            found(keys.trace, so_far)

        return trace_stage(
            scene.project,
            case,
            part,
            scene.mesh,
            bonds,
            modes,
            yields_of(scene.project),
            tell,
            resume if resume is not None and resume.case == case else None,
        )

    # --- helpers
    # ----------------------------------------------------------------------------------------------
    def _keep(self, key: str, make: Callable[[], Any]) -> Any:
        if key in self._kept:
            self._kept.move_to_end(key)
            return self._kept[key]
        if key.startswith("system"):
            for old in [name for name in self._kept if name.startswith("system")][:-1]:
                del self._kept[old]  # factors are large: keep one older set at most
        made = make()
        self._kept[key] = made
        while len(self._kept) > self._most:
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
        found[piece.name] = project.number_if(material, "yield_strength")
    return found
