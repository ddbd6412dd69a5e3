"""Other designs of the same part: trials of a plan, sizing, advice, and designs by name."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING, Any

from labilis.app.events import Event
from labilis.app.runs import Job
from labilis.app.trial_table import DesignsBeside, Ranked, designs_beside, ranked
from labilis.edit.choices import offered
from labilis.edit.parameters import with_plan
from labilis.edit.retyping import retyped
from labilis.edit.variants import (
    design_names,
    design_of,
    free_name,
    keep_variant,
    meshed_alike,
    switch_design,
)
from labilis.model import LabilisError, Project, TrialPlan, Vary, shown
from labilis.results.findings import TrialFindings
from labilis.run import Plan, Snapshot, judge_project
from labilis.run.advice import Remedy, advise, tried, walls_of
from labilis.run.plan import Progress
from labilis.run.report import ProjectReport
from labilis.run.sizing import Step, best_step, words_of
from labilis.run.trials import (
    TrialsJob,
    best_of,
    figures_of,
    figures_of_trial,
    found_of,
    points_of,
    project_at,
    trial_key,
    trial_of,
    value_text,
)
from labilis.run.worker import SizeQuery
from labilis.words.plan import around, count_of

if TYPE_CHECKING:
    from labilis.app.session import Session


class Improving:
    """Trials, sizing, advice and designs of a session."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self.changed = Event()  # another trial or step was found
        self.sized: list[Step] = []
        self._sizing: Project | None = None
        self._promised: dict[str, Remedy] = {}  # by the statements that it made

    # --- trials
    # ----------------------------------------------------------------------------------------------
    def run_trials(self, name: str) -> None:
        """Run a trial plan, as many side by side as there are cores; what was found before is
        not run again. Raises LabilisError."""
        session = self._session
        session.runs.must_be_idle()
        plan = session.project.named("plans", name)
        points_of(session.project, plan)  # what does not fit is said before anything begins
        done = 0

        def begin() -> TrialsJob:
            return TrialsJob(
                Snapshot(session.project, session.files),
                plan,
                session.trials,
                os.cpu_count() or 1,
            )

        def found(key: str, trial: TrialFindings) -> None:
            nonlocal done
            done += 1
            self._keep(key, trial)
            total = max(count_of(plan), done)
            job.progress = Progress(
                len(self.trials_of(plan)) / total, f"Trials of '{plan.name}': {done} done"
            )
            self.changed.emit()
            session.runs.changed.emit()

        def end(_: dict[str, float]) -> None:
            why = best_of(session.project, plan, self.trials_of(plan))[1]
            session.note(f"Trials of '{plan.name}' done, {done} run. {why}")

        job = Job(Plan("trials"), begin, found, end, ended=self.changed.emit)
        job.progress = Progress(0.0, f"Trials of '{name}'")
        session.last_error = None
        session.runs.ask(job)

    def trials_of(self, plan: TrialPlan) -> list[TrialFindings]:
        """Trials of a plan that fit the present statements."""
        return found_of(self._session.project, plan, self._session.trials)

    def ranked(self, plan: TrialPlan) -> Ranked | None:
        """Trials of a plan that fit the present statements, best first; None without any."""
        found = self.trials_of(plan)
        return ranked(self._session.project, plan, found) if found else None

    def told(self, plan: TrialPlan) -> tuple[str, str]:
        """(sentence, tone) on what the trials of a plan came to; ('', '') without any."""
        found = self.trials_of(plan)
        if not found:
            return "", ""
        best, why = best_of(self._session.project, plan, found)
        if best is None:
            return why, "" if plan.how == "one by one" else "caution"
        at = ", ".join(f"{name} {text}" for name, text in zip(best.parameters, best.texts))
        return f"{at}: {why}", "good"

    def add_plan(self) -> None:
        """A trial plan over the first parameter, or else over the first choice. Raises LabilisError
        where nothing can be varied."""
        session, project = self._session, self._session.project
        if project.parameters:
            first = next(iter(project.parameters))
            ends = {
                key: value_text(project, first, text)
                for key, text in around(first, project.parameters[first]).items()
                if key != "parameter"
            }
            vary = Vary(parameter=first, low=ends["low"], high=ends["high"])
        elif choices := offered(project):
            vary = choices[0]
        else:
            raise LabilisError(
                "Nothing can be varied yet: there is no parameter.",
                "part",
                "Name one with '+ parameter' and use it in a size.",
                "no-parameter",
            )
        grown = with_plan(project, vary)
        session.edit(grown, f"plan '{grown.plans[-1].name}'")

    def _keep(self, key: str, trial: TrialFindings) -> None:
        self._session.trials[key] = trial
        self._session.keep_found(key, trial)

    # --- sizing
    # ----------------------------------------------------------------------------------------------
    def size_it(self) -> None:
        """The gauges of least mass that keep what is asked for, in the worker; each run stays as
        a trial, the best becomes a design. Raises LabilisError."""
        session = self._session
        session.runs.must_be_idle()
        self.sized, self._sizing = [], session.project
        design = design_of(session.project, session.project.design)
        session.ask(
            "size",
            lambda: SizeQuery(Snapshot(design, session.files)),
            lambda _: self._sized(),
            lambda _, step: self._step_found(step),
        )

    def _step_found(self, step: Step) -> None:
        self.sized.append(step)
        said = (
            step.reason
            or f"{shown.mass(step.mass / 1000.0)}, {step.ratio:.3g} of what is asked for"
        )
        gauges = ", ".join(shown.length(thickness) for thickness in step.thicknesses)
        self._session.note(f"Sizing, run {len(self.sized)}: {gauges}: {said}")
        if step.figures:
            self._keep(trial_key(step.project, {}), trial_of(step.project, {}, step.figures))
        self.changed.emit()

    def _sized(self) -> None:
        """Keeps the lightest that was found as a design and shows it, unless the statements were
        changed meanwhile."""
        best = best_step(self.sized)
        self._session.note(self.sizing_words)
        if best is not None and self._sizing is self._session.project:
            name = free_name(self._session.project, "sized")
            self._session.edit(
                keep_variant(self._session.project, name, best.project), f"design '{name}' kept"
            )
            self.choose_design(name)
        self.changed.emit()

    @property
    def sizable(self) -> bool:
        """Whether there are gauges to be sized, and a case to size them by."""
        return bool(self._session.project.cases) and bool(walls_of(self._session.project))

    @property
    def sizing_kept(self) -> bool:
        """Whether sizing found gauges that keep what is asked for."""
        return best_step(self.sized) is not None

    @property
    def sizing_words(self) -> str:
        """What sizing came to, '' before it and for statements that it was not about."""
        if not self.sized or self._sizing is None:
            return ""
        about = {
            trial_key(project, {})
            for project in (self._sizing, *(step.project for step in self.sized))
        }
        if trial_key(self._session.project, {}) not in about:
            return ""
        return words_of(walls_of(self.sized[0].project), self.sized)

    # --- designs and advice
    # ----------------------------------------------------------------------------------------------
    @property
    def designs(self) -> list[str]:
        """Names of all designs, the one that is shown first."""
        return list(design_names(self._session.project))

    def free_design(self, words: str) -> str:
        """A name for a further design that none has."""
        return free_name(self._session.project, words)

    def beside(self, most: int) -> DesignsBeside:
        """The first `most` designs side by side, by what is known of them."""
        names = self.designs[:most]
        return designs_beside(names, [self.figures_of_design(name) for name in names])

    def mesh_alike(self, size: float) -> None:
        """All designs meshed with one size (mm)."""
        session = self._session
        changed = meshed_alike(session.project, shown.stated(size, "length", 4))
        session.edit(changed, "all designs meshed alike")

    def choose_design(self, name: str) -> None:
        """Show another design; the present one waits under its name."""
        session = self._session
        if name != session.project.design:
            session.edit(switch_design(session.project, name), f"design '{name}' shown")

    def keep_design(self, name: str, point: dict[str, str] | None = None) -> None:
        """Keep a copy of the present design, with parameters set if some are given, as a further
        one."""
        session = self._session
        alone = design_of(session.project, session.project.design)
        if point:
            alone = project_at(alone, point)
        session.edit(keep_variant(session.project, name, alone), f"design '{name}' kept")

    @property
    def advice(self) -> list[Remedy]:
        """Remedies for the worst case of the present design."""
        session = self._session
        return advise(session.project, session.report, session.results, session.trials)

    def try_advice(self, remedy: Remedy) -> None:
        """Keep the design with a remedy as a further one, show it and run it; what was expected
        stands beside what is found."""
        session = self._session
        present = design_of(session.project, session.project.design)
        design = retyped(present, tried(present, remedy))
        name = free_name(session.project, remedy.words.partition(" instead")[0].partition(",")[0])
        session.edit(keep_variant(session.project, name, design), f"design '{name}' kept")
        self._promised[trial_key(design, {})] = remedy
        self.choose_design(name)
        session.run("modes")

    @property
    def promise(self) -> Remedy | None:
        """The advice that the present statements came from; none once they were changed."""
        if not self._promised:
            return None
        return self._promised.get(trial_key(self._session.project, {}))

    def report_of_design(self, name: str) -> ProjectReport | None:
        """The report of a design of which all cases have their modes, None before it was run."""
        session = self._session
        report = (
            session.report  # judged already
            if name == session.project.design
            else judge_project(design_of(session.project, name), session.results)
        )
        found = all(case.facts.modes is not None for case in report.cases)
        return report if report.cases and found else None

    def figures_of_design(
        self, name: str
    ) -> tuple[Project, dict[str, Any] | None, ProjectReport | None]:
        """(statements, figures, report) of a design by what is known of it: its own run, or the
        trial that it came from."""
        session = self._session
        design = design_of(session.project, name)
        report = self.report_of_design(name)
        if report is not None:
            return design, figures_of(design, report, session.results), report
        return design, figures_of_trial(session.trials.get(trial_key(design, {}))), None
