"""Trials run side by side, each in a process of its own; what is known already is not run again."""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import FIRST_COMPLETED, Future, wait
from typing import Any

import numpy as np

from labilis.judge.gates import perfect_trace, soundness
from labilis.judge.overall import least_overall
from labilis.model import RESPONSES, LabilisError, Project, TrialPlan, load_project
from labilis.results.findings import TrialFindings
from labilis.results.stress_measures import von_mises
from labilis.run.masses import mass_of
from labilis.run.plan import Plan, Snapshot
from labilis.run.report import CaseReport, ProjectReport, judge_project
from labilis.run.trials.executors import FILES, Cluster, Lost, Place, Processes
from labilis.run.trials.points import (
    Point,
    kernel_number,
    points_of,
    project_at,
    trial_key,
    value_text,
)
from labilis.run.trials.search import search

Give = Callable[[str, TrialFindings], None]
Stop = Callable[[], bool]
_NEAR = 5e-4  # of the goal: nearer than this the mesh error decides


def run_plan(
    snapshot: Snapshot,
    plan: TrialPlan,
    known: Mapping[str, Any],
    give: Give = lambda _key, _trial: None,
    workers: int = 1,
    stop: Stop = lambda: False,
    scheduler: str | None = None,
) -> Iterator[TrialFindings]:
    """Trials of a plan as they are done, those in `known` (by `trial_key`) first; each new one is
    given with its key. Ends early when `stop` says so. They run in so many processes of this
    machine, or on the cluster of a scheduler. Raises LabilisError for a plan that does not fit the
    project, or where there is no cluster."""
    points = points_of(snapshot.project, plan)  # what does not fit is said before anything begins
    place = (
        Processes(snapshot.files, workers)
        if scheduler is None
        else Cluster(scheduler, snapshot.files)
    )
    crew = _Crew(snapshot.project, known, give, place, stop, plan.traced)
    try:
        if plan.how == "goal":
            yield from _goal(crew, plan)
        elif plan.how == "search":
            yield from search(snapshot.project, plan, crew.all, stop)
        else:
            yield from crew.all(points)
    finally:
        crew.close()


class _Crew:
    """Runs trials of one project at a place, those that are known not again."""

    def __init__(
        self,
        project: Project,
        known: Mapping[str, Any],
        give: Give,
        place: Place,
        stop: Stop,
        traced: bool,
    ) -> None:
        self.project, self._known, self._give, self._place, self._stop = (
            project,
            dict(known),
            give,
            place,
            stop,
        )
        self._traced = traced

    @property
    def stopped(self) -> bool:
        return self._stop()

    def all(self, points: list[Point]) -> Iterator[TrialFindings]:
        """Every point, known ones first, the others as they are done."""
        todo: list[tuple[str, Point]] = []
        seen: set[str] = set()
        for point in points:
            key = trial_key(self.project, point, self._traced)
            if key in seen:
                continue
            seen.add(key)
            if key in self._known:
                yield self._known[key]
            else:
                todo.append((key, point))
        waiting: dict[Future[Any], tuple[str, Point]] = {}
        tried: dict[str, int] = {}
        while (todo or waiting) and not self.stopped:
            while todo and len(waiting) < self._place.count:
                key, point = todo.pop(0)
                waiting[self._submit(point)] = (key, point)
            done, _ = wait(waiting, timeout=0.2, return_when=FIRST_COMPLETED)
            for future in done:
                key, point = waiting.pop(future)
                try:
                    found = trial_of(self.project, point, future.result())
                except Lost:  # the process died: once more by itself, and then it is said
                    self._place.lost()
                    lost = [(key, point), *waiting.values()]
                    waiting.clear()
                    for one, _ in lost:
                        tried[one] = tried.get(one, 0) + 1
                    again = [item for item in lost if tried[item[0]] < 3]
                    for one, at in lost:
                        if tried[one] >= 3:
                            why = {"reason": "The process that ran it ended without an answer."}
                            yield self._kept(one, trial_of(self.project, at, why))
                    todo = again + todo
                    break
                yield self._kept(key, found)

    def _kept(self, key: str, found: TrialFindings) -> TrialFindings:
        self._known[key] = found
        self._give(key, found)
        return found

    def _submit(self, point: Point) -> Future[Any]:
        try:
            model = project_at(self.project, point).to_json()
        except LabilisError as error:
            failed: Future[Any] = Future()
            failed.set_result({"reason": f"{error.what} {error.remedy}".strip()})
            return failed
        return self._place.submit(model, self._traced)

    def close(self) -> None:
        """Ends what is under way."""
        self._place.close(self.stopped)


def trial_of(project: Project, point: Point, answer: Mapping[str, Any]) -> TrialFindings:
    """A trial as it is kept, from the figures of `run_trial`."""
    numbers = [kernel_number(project, text, name) for name, text in point.items()]
    responses = np.array(
        [answer.get("responses", {}).get(name, math.nan) for name in RESPONSES], dtype=float
    )
    return TrialFindings(
        parameters=np.array(list(point), dtype=str),
        texts=np.array(list(point.values()), dtype=str),
        numbers=np.array(numbers, dtype=float),
        responses=responses,
        mesh_error=float(answer.get("mesh_error", math.nan)),
        unsound=str(answer.get("unsound", "")),
        meets=int(answer.get("meets", -1)),
        driver=str(answer.get("driver", "")),
        kind=str(answer.get("kind", "")),
        reason=str(answer.get("reason", "")),
        unknowns=int(answer.get("unknowns", 0)),
        seconds=float(answer.get("seconds", 0.0)),
        whose=np.array(list(answer.get("least", {})), dtype=str),
        least=np.array(list(answer.get("least", {}).values()), dtype=float),
        beyond=float(answer.get("beyond", math.nan)),
        yield_error=float(answer.get("yield_error", math.nan)),
        capacity_error=float(answer.get("capacity_error", math.nan)),
    )


def _goal(crew: _Crew, plan: TrialPlan) -> Iterator[TrialFindings]:
    """The value at which the objective reaches its goal, by Illinois' rule of false position
    between two ends."""
    project, vary = crew.project, plan.vary[0]
    aim = project.number(plan, "goal", f"plans/{plan.name}/goal")

    def off(found: TrialFindings) -> float:
        value = found.response(plan.objective, plan.of)
        return value - aim if math.isfinite(value) else math.nan

    ends = []
    for found in crew.all(points_of(project, plan)):
        ends.append(found)
        yield found
    if len(ends) < 2:
        return
    ends.sort(key=lambda found: found.numbers[0])
    low_first = kernel_number(
        project, value_text(project, vary.parameter, str(vary.low))
    ) <= kernel_number(project, value_text(project, vary.parameter, str(vary.high)))
    a, b = (0.0, 1.0) if low_first else (1.0, 0.0)
    fa, fb = off(ends[0]), off(ends[1])
    if not (math.isfinite(fa) and math.isfinite(fb)) or fa * fb > 0:
        return  # the goal does not lie between the ends; `goal_words` says so
    for _ in range(plan.points - 2):
        if crew.stopped or abs(b - a) < 1e-4:
            return
        share = (a * fb - b * fa) / (fb - fa)
        nearer = next(
            crew.all([{vary.parameter: value_text(project, vary.parameter, vary.between(share))}]),
            None,
        )
        if nearer is None:  # stopped
            return
        yield nearer
        value = off(nearer)
        if not math.isfinite(value) or abs(value) <= _NEAR * abs(aim):
            return
        if value * fb < 0:
            a, fa = b, fb
        else:
            fa *= 0.5
        b, fb = share, value


def run_trial(model: str, traced: bool = False) -> dict[str, Any]:
    """A trial from its statements in the JSON form to plain figures, its trace among them if it is
    asked for: what crosses between processes, or machines, is text and numbers."""
    from labilis.run.runner import Runner

    started = time.perf_counter()
    try:
        project = load_project(model)
        report = judge_project(
            project,
            results := Runner().run(Snapshot(project, FILES), Plan("trace" if traced else "modes")),
        )
        found = figures_of(project, report, results)
    except LabilisError as error:
        found = {"reason": f"{error.what} {error.remedy}".strip()}
    except MemoryError:
        found = {"reason": "There is not enough memory for it."}
    except Exception as error:  # a defect of the program must not end the plan
        found = {"reason": f"The run failed inside the program ({type(error).__name__}: {error})."}
    return found | {"seconds": time.perf_counter() - started}


def figures_of_trial(trial: TrialFindings | None) -> dict[str, Any] | None:
    """What `figures_of` gives of a project, by the trial that it came from; None without one, or
    of one that failed."""
    if trial is None or trial.reason:
        return None
    return {
        "responses": {name: trial.response(name) for name in RESPONSES},
        "mesh_error": trial.mesh_error,
        "yield_error": trial.yield_error,
        "capacity_error": trial.capacity_error,
        "driver": trial.driver,
        "kind": trial.kind,
    }


def figures_of(
    project: Project, report: ProjectReport, results: Mapping[str, Any]
) -> dict[str, Any]:
    """Responses of a project that was run, with what tells whether they can be trusted."""
    from labilis.run.keys import stage_keys
    from labilis.run.settling import settled

    first = _governing(report)
    modes = first.facts.modes if first is not None else None
    view = results.get(stage_keys(settled(project, results)).shape)
    responses = {
        name: _of_all(report, read, min)
        for name, read in (
            ("first factor", _factor),
            ("first yield", _yield),
            ("capacity", _capacity),
        )
    }
    responses["verified factor"] = _of_all(report, _verified, min)
    responses |= {
        name: _of_all(report, read, max)
        for name, read in (("largest motion", _motion), ("largest stress", _stress))
    }
    responses["mass"] = mass_of(project, view) if view is not None else math.nan
    number = None if modes is None or len(modes.positive) == 0 else modes.first
    least, beyond = _by_owner(report)
    return {
        "responses": responses,
        "least": least,
        "beyond": beyond,
        "mesh_error": math.nan if modes is None else modes.first_error,
        "yield_error": _yield_error(report),
        "capacity_error": _capacity_error(report),
        "unsound": next(
            (why for case in report.cases for why in soundness(case.facts, case.evidence)), ""
        ),
        "meets": {True: 1, False: 0, None: -1}[report.meets],
        "unknowns": 0 if report.mesh is None else report.mesh.unknowns,
        "driver": "" if modes is None or number is None else modes.drivers[number],
        "kind": "" if first is None or number is None else first.facts.kinds[number],
    }


def _by_owner(report: ProjectReport) -> tuple[dict[str, float], float]:
    """(first factor of every driver and every kind over all cases, the largest one up to which the
    modes of every case are known). A factor
    beyond that is left out: another case may have a lower one of the same owner that was not
    found."""
    least: dict[str, float] = {}
    beyond = math.inf
    for case in report.cases:
        modes = case.facts.modes
        if modes is None or modes.held_unstable or not modes.complete:
            return {}, math.nan
        for factor, driver, kind in zip(modes.factors, modes.drivers, case.facts.kinds):
            for owner in (driver, kind) if factor > 0 else ():
                least[owner] = min(least.get(owner, math.inf), float(factor))
        beyond = min(beyond, float(modes.positive[-1]) if len(modes.positive) else math.inf)
    return {owner: factor for owner, factor in least.items() if factor <= beyond}, beyond


def _of_all(
    report: ProjectReport, read: Callable[[CaseReport], float], pick: Callable[[list[float]], float]
) -> float:
    """The governing value of all cases; nan where that of any is not known: the others do not
    speak for it."""
    values = [read(case) for case in report.cases]
    return math.nan if not values or any(math.isnan(value) for value in values) else pick(values)


def _governing(report: ProjectReport) -> CaseReport | None:
    return min(
        (case for case in report.cases if case.facts.modes is not None), key=_factor, default=None
    )


def _factor(case: CaseReport) -> float:
    modes = case.facts.modes
    if modes is None or modes.held_unstable:
        return math.nan if modes is None else 0.0
    return float(modes.positive[0]) if len(modes.positive) else math.inf


def _yield(case: CaseReport) -> float:
    strength = case.facts.strength
    return (
        math.nan
        if strength is None or case.facts.without_yield
        else float(strength.strength_factor)
    )


def _yield_error(report: ProjectReport) -> float:
    """Mesh error of the case that yields first."""
    known = [case for case in report.cases if not math.isnan(_yield(case))]
    first = min(known, key=_yield, default=None)
    return math.nan if first is None else first.facts.yield_error


def _capacity(case: CaseReport) -> float:
    least = least_overall(case.facts)
    return math.nan if least is None else float(least.factor)


def _capacity_error(report: ProjectReport) -> float:
    """How much lower the least overall check lies with what it stands on at its low end; nan where
    that has no error."""
    known = [case for case in report.cases if not math.isnan(_capacity(case))]
    first = min(known, key=_capacity, default=None)
    if first is None or first.facts.modes is None or math.isnan(first.facts.modes.section_error):
        return math.nan
    low = least_overall(first.facts, low=True)
    return 1.0 if low is None else 1.0 - low.factor / _capacity(first)


def _verified(case: CaseReport) -> float:
    """What a trace verified; nan without one, and of one that says nothing of an imperfect part."""
    trace = case.facts.trace
    return (
        math.nan
        if trace is None or not trace.done or perfect_trace(case.facts, case.evidence) is not None
        else float(trace.verified)
    )


def _motion(case: CaseReport) -> float:
    strength = case.facts.strength
    return (
        math.nan
        if strength is None
        else float(
            np.linalg.norm(strength.displacement_growing + strength.displacement_held, axis=1).max()
        )
    )


def _stress(case: CaseReport) -> float:
    strength = case.facts.strength
    if strength is None:
        return math.nan
    layers = float(strength.layers.max()) if strength.layers.size else 0.0
    return max(layers, float(np.nan_to_num(von_mises(strength.stress)).max(initial=0.0)))
