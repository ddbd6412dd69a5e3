"""Studies: the same case run several times with one thing changed, the rows given as they are done."""
from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from labilis.judge.convergence import extrapolated
from labilis.judge.findings import ConvergenceFindings, StudyFindings
from labilis.judge.stress import von_mises
from labilis.mesh import proposed_size
from labilis.model import ForceLoad, LabilisError, Project
from labilis.run.keys import stage_keys
from labilis.run.plan import Plan, Progress, ProgressCall, Snapshot
from labilis.shape import PartShape

Found = Callable[[str, Any], None]
Run = Callable[[Snapshot, Plan], dict[str, Any]]
_RATIO = 1.26  # of element sizes from mesh to mesh of a convergence study: each has twice the elements of a solid
_SHARES = (0.5, 1.0, 2.0)  # of the stated amplitude
_TILTS = (0.5, 1.0, 2.0)  # degrees


def convergence_study(snapshot: Snapshot, plan: Plan, part: PartShape, run_alone: Run, progress: ProgressCall, give: Found) -> None:
    """First factor with meshes of falling size, the present one the third."""
    project = snapshot.project
    size = proposed_size(part.view) if project.mesh.size is None else project.value(project.mesh.size, "length")
    case = _case(project, plan)
    key = stage_keys(project, case).converge
    rows: list[tuple[float, int, int, float]] = []
    for number in range(plan.meshes):
        present = size * _RATIO ** (2 - number)
        progress(Progress(number / plan.meshes, f"Mesh {number + 1} of {plan.meshes}, {present:.3g} mm"))
        plan_of = project.mesh.model_copy(update={"size": f"{present!r} mm"})
        changed = project.changed(mesh=plan_of, criteria={**project.criteria.model_dump(), "modes": 1, "second_opinion": False})
        found = run_alone(Snapshot(changed, snapshot.files), Plan("modes", (case,)))
        keys = stage_keys(changed, case)
        modes, findings = found[keys.modes], found[keys.mesh]
        if len(modes.positive) == 0:
            raise LabilisError("There is no positive factor to follow over meshes.", f"cases/{case}", "This load cannot make the part "
                               "unstable.", "converge")
        rows.append((present, findings.count, findings.unknowns, float(modes.positive[0])))
        sizes, elements, unknowns, factors = (np.array(column) for column in zip(*rows))
        give(key, ConvergenceFindings(case, sizes, elements, unknowns, factors, *extrapolated(sizes, factors),
                                      number == plan.meshes - 1))


def amplitude_study(snapshot: Snapshot, plan: Plan, run: Run, progress: ProgressCall, give: Found) -> None:
    """Verified factor over the amplitude of the starting shape, to both sides."""
    project, case = snapshot.project, _case(snapshot.project, plan)
    if project.trace.mode == 0:
        raise LabilisError("The trace starts from the part as drawn: there is no amplitude to change.", "trace/mode",
                           "Start from the shape of a mode.", "no-amplitude")
    key = stage_keys(project, case).amplitude
    base = run(snapshot, Plan("trace", (case,)))[stage_keys(project, case).trace]
    todo = [(share, sign) for sign in ("+", "-") for share in _SHARES]
    labels, figures = [], []
    for number, (share, sign) in enumerate(todo):
        size = share * abs(base.amplitude)
        progress(Progress(number / len(todo), f"Trace {number + 1} of {len(todo)}, {size:.3g} mm"))
        changed = project.changed(trace={**project.trace.model_dump(), "amplitude": f"{size!r} mm", "sign": sign})
        found = run(Snapshot(changed, snapshot.files), Plan("trace", (case,)))[stage_keys(changed, case).trace]
        labels.append(f"{'' if sign == '+' else '−'}{size:.3g} mm")
        figures.append([found.verified, found.limit, found.first_yield])
        give(key, StudyFindings(case, "amplitude", np.array(labels), np.array(["verified factor", "limit", "first yield"]),
                                np.array(figures), number == len(todo) - 1))


def tilt_study(snapshot: Snapshot, plan: Plan, run: Run, progress: ProgressCall, give: Found) -> None:
    """First factor, first yield and largest stress over a tilt of the largest growing force, toward both axes across it."""
    project, case = snapshot.project, _case(snapshot.project, plan)
    forces = [load for name, _ in project.case_loads(case) for load in project.loads if load.name == name
              and isinstance(load, ForceLoad) and load.components is not None and load.growth == "growing"]
    if not forces:
        raise LabilisError("No growing force by components is there to tilt.", f"cases/{case}", "Tilt is for forces.", "no-tilt")

    def vector(load: ForceLoad) -> np.ndarray:
        return np.array([project.value(text, "force") for text in load.components or ()])
    load = max(forces, key=lambda item: float(np.linalg.norm(vector(item))))
    axes = list(np.argsort(np.abs(vector(load)))[:2])
    todo = [(0, 0.0)] + [(int(axis), sign * tilt) for axis in sorted(axes) for tilt in _TILTS for sign in (1, -1)]
    key = stage_keys(project, case).tilt
    labels, figures = [], []
    for number, (axis, degrees) in enumerate(todo):
        progress(Progress(number / len(todo), f"Tilt {number + 1} of {len(todo)}"))
        tilt = {"angle": f"{degrees!r} deg", "toward": "xyz"[axis]} if degrees else None
        loads = [{**item.model_dump(), "tilt": tilt} if item.name == load.name else item.model_dump() for item in project.loads]
        changed = project.changed(loads=loads)
        found, keys = run(Snapshot(changed, snapshot.files), Plan("modes", (case,))), stage_keys(changed, case)
        modes, strength = found[keys.modes], found[keys.strength]
        labels.append(f"{abs(degrees):g}° toward {'-' if degrees < 0 else ''}{'xyz'[axis]}" if degrees else "straight")
        figures.append([float(modes.positive[0]) if len(modes.positive) else float("inf"), strength.yield_factor,
                        float(von_mises(strength.stress).max())])
        give(key, StudyFindings(case, "tilt", np.array(labels), np.array(["first factor", "first yield", "largest stress, MPa"]),
                                np.array(figures), number == len(todo) - 1))


def _case(project: Project, plan: Plan) -> str:
    return (plan.cases or tuple(item.name for item in project.cases))[0]
