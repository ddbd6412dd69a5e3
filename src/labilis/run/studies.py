"""Studies: the same case run several times with one thing changed, the rows given as they are
done."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from labilis.analysis.mesh_stage import mesh_sizes
from labilis.judge.convergence import extrapolated
from labilis.model import ForceLoad, LabilisError, Project
from labilis.results.findings import ConvergenceFindings, StudyFindings
from labilis.results.stress_measures import von_mises
from labilis.run.keys import stage_keys
from labilis.run.other_idealisation import other_way
from labilis.run.plan import Plan, Progress, ProgressCall, Snapshot
from labilis.run.settling import settled
from labilis.shape import PartShape

Found = Callable[[str, Any], None]
Run = Callable[[Snapshot, Plan], dict[str, Any]]
# of element sizes from mesh to mesh of a convergence study: each has twice the elements of a solid
_RATIO = 1.26
_SHARES = (0.5, 1.0, 2.0)  # of the stated amplitude
_TILTS = (0.5, 1.0, 2.0)  # degrees
_LOOSE = (
    "free-motion",
    "singular",
    "mechanism",
    "not-connected",
)  # codes of a part that is not held
_CROSSED = 3  # factors that a cross-check compares


def convergence_study(
    snapshot: Snapshot,
    plan: Plan,
    part: PartShape,
    run_alone: Run,
    progress: ProgressCall,
    give: Found,
) -> None:
    """First factor with meshes of falling size, the present one the third."""
    project = snapshot.project
    size, _ = mesh_sizes(project, part.view)
    case = _case(project, plan)
    key = stage_keys(project, case).converge
    rows: list[tuple[float, int, int, float]] = []
    for number in range(plan.meshes):
        present = size * _RATIO ** (2 - number)
        progress(
            Progress(number / plan.meshes, f"Mesh {number + 1} of {plan.meshes}, {present:.3g} mm")
        )
        plan_of = project.mesh.model_copy(update={"size": f"{present!r} mm", "fineness": None})
        changed = project.changed(
            mesh=plan_of,
            criteria={
                **project.criteria.model_dump(),
                "modes": 1,
                "second_opinion": False,
                "mesh_error": False,
            },
        )
        found = run_alone(Snapshot(changed, snapshot.files), Plan("modes", (case,)))
        keys = stage_keys(changed, case)
        modes, findings = found[keys.modes], found[keys.mesh]
        if len(modes.positive) == 0:
            raise LabilisError(
                "There is no positive factor to follow over meshes.",
                f"cases/{case}",
                "This load cannot make the part unstable.",
                "converge",
            )
        rows.append((present, findings.count, findings.unknowns, float(modes.positive[0])))
        sizes, elements, unknowns, factors = (np.array(column) for column in zip(*rows))
        limit, band, order = extrapolated(sizes, factors)
        give(
            key,
            ConvergenceFindings(
                case=case,
                sizes=sizes,
                elements=elements,
                unknowns=unknowns,
                factors=factors,
                limit=limit,
                band=band,
                order=order,
                done=number == plan.meshes - 1,
            ),
        )


def amplitude_study(
    snapshot: Snapshot, plan: Plan, run: Run, progress: ProgressCall, give: Found
) -> None:
    """Verified factor over the amplitude of the starting shape, to both sides."""
    project, case = snapshot.project, _case(snapshot.project, plan)
    if project.trace.mode == 0:
        raise LabilisError(
            "The trace starts from the part as drawn: there is no amplitude to change.",
            "trace/mode",
            "Start from the shape of a mode.",
            "no-amplitude",
        )
    key = stage_keys(project, case).amplitude
    base = run(snapshot, Plan("trace", (case,)))[stage_keys(project, case).trace]
    todo = [(share, sign) for sign in ("+", "-") for share in _SHARES]
    labels, figures, x = [], [], []
    for number, (share, sign) in enumerate(todo):
        size = share * abs(base.amplitude)
        progress(Progress(number / len(todo), f"Trace {number + 1} of {len(todo)}, {size:.3g} mm"))
        changed = project.changed(
            trace={**project.trace.model_dump(), "amplitude": f"{size!r} mm", "sign": sign}
        )
        found = run(Snapshot(changed, snapshot.files), Plan("trace", (case,)))[
            stage_keys(changed, case).trace
        ]
        labels.append(f"{'' if sign == '+' else '−'}{size:.3g} mm")
        figures.append([found.verified, found.limit, found.first_yield])
        x.append(size if sign == "+" else -size)
        give(
            key,
            StudyFindings(
                case=case,
                kind="amplitude",
                labels=np.array(labels),
                columns=np.array(["verified factor", "limit", "first yield"]),
                figures=np.array(figures),
                done=number == len(todo) - 1,
                series=np.full(len(x), "amplitude, mm"),
                x=np.array(x),
            ),
        )


def _largest_force(project: Project, case: str) -> tuple[ForceLoad, np.ndarray]:
    """The largest growing force by components of a case, and its components, N."""
    forces = [
        load
        for name, _ in project.case_loads(case)
        for load in project.loads
        if load.name == name
        and isinstance(load, ForceLoad)
        and load.components is not None
        and load.growth == "growing"
    ]
    if not forces:
        raise LabilisError(
            "No growing force by components is there to tilt.",
            f"cases/{case}",
            "Tilt is for forces.",
            "no-tilt",
        )
    vectors = [np.array(project.numbers(load, "components")) for load in forces]
    largest = max(range(len(forces)), key=lambda item: float(np.linalg.norm(vectors[item])))
    return forces[largest], vectors[largest]


def tilt_study(
    snapshot: Snapshot, plan: Plan, run: Run, progress: ProgressCall, give: Found
) -> None:
    """First factor, first yield and largest stress over a misalignment of the largest growing
    force: tilted toward both axes across it, and moved off its place along them by half, once and
    twice the part's thickness. A force on a region is moved as the force of a spread hub there."""
    project, case = snapshot.project, _case(snapshot.project, plan)
    load, force = _largest_force(project, case)
    axes = sorted(int(axis) for axis in np.argsort(np.abs(force))[:2])
    todo = [("", 0, 0.0)] + [
        ("tilt", axis, sign * tilt) for axis in axes for tilt in _TILTS for sign in (1, -1)
    ]
    if load.share == "total":
        todo += [
            ("offset", axis, sign * share) for axis in axes for share in _SHARES for sign in (1, -1)
        ]
    key, thickness, by_moment = stage_keys(project, case).tilt, 0.0, False
    labels: list[str] = []
    figures: list[list[float]] = []
    series: list[str] = []
    x: list[float] = []

    def so_far(done: bool) -> StudyFindings:
        table = {"labels": labels, "figures": figures, "series": series, "x": x}
        columns = np.array(["first factor", "first yield", "stress, MPa"])
        arrays = {name: np.array(rows) for name, rows in table.items()}
        return StudyFindings(case=case, kind="tilt", columns=columns, done=done, **arrays)

    def solved(way: str, axis: int, amount: float) -> tuple[Project, dict[str, Any]]:
        changed = _misaligned(project, load, way, axis, amount, by_moment)
        return changed, run(Snapshot(changed, snapshot.files), Plan("modes", (case,)))

    for number, (way, axis, amount) in enumerate(todo):
        progress(Progress(number / len(todo), f"Misalignment {number + 1} of {len(todo)}"))
        amount *= thickness if way == "offset" else 1.0
        try:
            changed, found = solved(way, axis, amount)
        except LabilisError as error:
            # what is loaded is held or bonded as well: it cannot be moved as a whole
            if error.code == "tie-conflict":
                give(key, so_far(True))
                return
            if error.code != "spread-line":
                raise
            by_moment = True  # the edge of a sheet has no turn to fit, but takes moments
            changed, found = solved(way, axis, amount)
        keys = stage_keys(changed, case)
        modes, strength = found[keys.modes], found[keys.strength]
        thickness = thickness or found[keys.mesh].thickness
        label, axis_label = _misalignment_words(way, axis, amount)
        labels.append(label)
        series.append(axis_label)
        x.append(amount)
        first = modes.positive[0] if len(modes.positive) else np.inf
        stress = von_mises(strength.stress).max()
        figures.append([float(first), strength.yield_factor, float(stress)])
        give(key, so_far(number == len(todo) - 1))


def _misalignment_words(way: str, axis: int, amount: float) -> tuple[str, str]:
    """What a misalignment is called in the table, and on the axis of its chart."""
    if not way:
        return "straight", ""
    toward = f"{'-' if amount < 0 else ''}{'xyz'[axis]}"
    if way == "tilt":
        return f"{abs(amount):g}° toward {toward}", f"tilt toward {'xyz'[axis]}, °"
    return f"{abs(amount):.3g} mm off along {toward}", f"offset along {'xyz'[axis]}, mm"


def cross_check(
    snapshot: Snapshot,
    plan: Plan,
    part: PartShape,
    run: Run,
    run_alone: Run,
    progress: ProgressCall,
    give: Found,
) -> None:
    """The first factors of the same part meshed the other way."""
    project, case = snapshot.project, _case(snapshot.project, plan)
    count = min(project.criteria.modes, _CROSSED)
    key = stage_keys(project, case).cross
    asked = {"modes": count, "second_opinion": False, "mesh_error": True}
    progress(Progress(0.0, "As it stands"))
    own = project.changed(criteria={**project.criteria.model_dump(), **asked})
    other, before, after = other_way(own, snapshot.files, part)
    labels, figures = [], []
    for number, (changed, words, solve) in enumerate(
        ((own, before, run), (other, after, run_alone))
    ):
        progress(Progress(0.5 * number, f"As {words}"))
        found = solve(Snapshot(changed, snapshot.files), Plan("modes", (case,)))
        keys = stage_keys(settled(changed, found), case)
        modes, mesh = found[keys.modes], found[keys.mesh]
        if len(modes.positive) == 0:
            raise LabilisError(
                f"As {words} there is no positive factor to compare.",
                f"cases/{case}",
                "This load cannot make the part unstable.",
                "no-factor",
            )
        first = [
            *modes.positive[:count].tolist(),
            *([float("nan")] * (_CROSSED - len(modes.positive[:count]))),
        ]
        labels.append(words)
        figures.append([*first, 100 * modes.first_error, float(mesh.unknowns)])
        give(
            key,
            StudyFindings(
                case=case,
                kind="cross",
                labels=np.array(labels),
                columns=np.array(["first factor", "second", "third", "mesh error, %", "unknowns"]),
                figures=np.array(figures),
                done=number == 1,
                series=np.full(len(labels), ""),
                x=np.zeros(len(labels)),
            ),
        )


def _other_faces(project: Project) -> dict[str, Project]:
    """The project with faces at bolts and seams bonded and apart, without what stands already."""

    def with_faces(faces: str) -> Project:
        return project.changed(
            bolts=[bolt.model_copy(update={"faces": faces}) for bolt in project.bolts],
            seams=() if faces == "bonded" else project.seams,
        )

    return {
        words: changed
        for words, changed in (
            ("faces bonded", with_faces("bonded")),
            ("faces apart", with_faces("apart")),
        )
        if changed != project
    }


def contact_study(
    snapshot: Snapshot, plan: Plan, run: Run, progress: ProgressCall, give: Found
) -> None:
    """The first factor with the faces that touch at bolts and seams bonded, and with them apart:
    what a contact that opens and slides can be worth lies between. Raises LabilisError where
    neither is there."""
    project, case = snapshot.project, _case(snapshot.project, plan)
    if not project.bolts and not project.seams:
        raise LabilisError(
            "No piece is bolted or welded along a seam: the faces that touch are all that joins "
            "the pieces.",
            "bolts",
            "Join them by bolts or seams first.",
            "no-contact",
        )
    key = stage_keys(project, case).contact

    todo = _other_faces(project)
    labels, figures = [], []
    for number, (words, changed) in enumerate({"as it stands": project, **todo}.items()):
        progress(Progress(number / (len(todo) + 1), f"With {words}" if number else "As it stands"))
        try:
            found = run(Snapshot(changed, snapshot.files), Plan("modes", (case,)))
        except LabilisError as error:
            if number == 0 or error.code not in _LOOSE:
                raise
            first, error_of = 0.0, float("nan")  # the faces alone have held it
        else:
            modes = found[stage_keys(settled(changed, found), case).modes]
            first, error_of = (
                float(modes.positive[0]) if len(modes.positive) else float("inf"),
                100 * modes.first_error,
            )
        labels.append(words)
        figures.append([first, error_of])
        give(
            key,
            StudyFindings(
                case=case,
                kind="contact",
                labels=np.array(labels),
                columns=np.array(["first factor", "mesh error, %"]),
                figures=np.array(figures),
                done=number == len(todo),
                series=np.full(len(labels), ""),
                x=np.zeros(len(labels)),
            ),
        )


def _misaligned(
    project: Project, load: ForceLoad, way: str, axis: int, amount: float, by_moment: bool
) -> Project:
    """The project with one force tilted toward an axis (degrees) or moved along it (mm), as a force
    off its hub or with the moment that moving it makes."""
    if way == "offset" and by_moment:
        arm = np.eye(3)[axis] * amount
        turning = np.cross(arm, project.numbers(load, "components"))
        moment = {
            "kind": "moment",
            "name": f"{load.name} (moved)",
            "on": load.on,
            "growth": load.growth,
            "components": [f"{value!r} N*mm" for value in turning.tolist()],
        }
        cases = [
            case.model_copy(
                update={
                    "loads": (
                        *case.loads,
                        *(
                            entry.model_copy(update={"load": moment["name"]})
                            for entry in case.loads
                            if entry.load == load.name
                        ),
                    )
                }
            )
            for case in project.cases
        ]
        return project.changed(
            loads=[*(item.model_dump() for item in project.loads), moment], cases=cases
        )
    changed: dict[str, Any] = load.model_dump()
    hubs = [hub.model_dump() for hub in project.hubs]
    if way == "tilt":
        changed["tilt"] = {"angle": f"{amount!r} deg", "toward": "xyz"[axis]}
    elif way == "offset":
        before = project.numbers(load, "offset") or [0.0, 0.0, 0.0]
        before[axis] += amount
        changed["offset"] = [f"{value!r} mm" for value in before]
        if load.on not in {hub.name for hub in project.hubs}:
            changed["on"] = f"{load.on} (moved force)"
            hubs.append({"name": changed["on"], "region": load.on, "kind": "spread"})
    return project.changed(
        hubs=hubs,
        loads=[changed if item.name == load.name else item.model_dump() for item in project.loads],
    )


def _case(project: Project, plan: Plan) -> str:
    return (plan.cases or tuple(item.name for item in project.cases))[0]
