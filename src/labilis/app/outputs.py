"""What leaves a project: reports and their check, exports, pictures for the report."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from labilis.app.recovery import bytes_of
from labilis.edit.variants import design_names, design_of
from labilis.model import LabilisError, Picture
from labilis.report.blocks import Source, source_of
from labilis.report.improving import Design, Improved
from labilis.report.job import CheckQuery, ReportQuery
from labilis.report.verify import Checking
from labilis.report.write import FORMS
from labilis.run import Snapshot
from labilis.run.comparing import worst_headline
from labilis.store import write_model
from labilis.store.export import PartQuery, ResultsQuery, write_surface

if TYPE_CHECKING:
    from labilis.app.session import Session


class Outputs:
    """Writes what a session holds."""

    def __init__(self, session: Session) -> None:
        self._session = session

    def write_report(self, path: Path) -> None:
        """Write the report of what is stated and found, in the worker; the journal tells. Raises
        LabilisError."""
        session = self._session
        session.runs.must_be_idle()
        if path.suffix.lower() not in FORMS:
            raise LabilisError(
                f"A report is written as {', '.join(FORMS)}, not as '{path.suffix}'.",
                str(path),
                "Give the file one of these endings.",
                "report-form",
            )
        query = self.report_query(path)
        session.ask("report", lambda: query, lambda f: session.note(f"Report written: {f[0]}"))

    def write_model(self, path: Path) -> None:
        """Write the JSON form with its STEP files beside it. Raises LabilisError."""
        session = self._session
        write_model(Snapshot(session.project, session.files), path)
        session.note(f"Wrote {path}")

    def write_surface(self, places: np.ndarray, triangles: np.ndarray, path: Path) -> None:
        """Write triangles (k, 3) between points (n, 3) mm as STL. Raises LabilisError."""
        write_surface(places, triangles, path)

    def source_of(self, address: str) -> Source | None:
        """Where in the window a link of the pages leads; None for one that is none of ours."""
        return source_of(address)

    def report_query(self, path: Path, looked_at: bool = False) -> ReportQuery:
        """What makes the report of what is stated and found; `looked_at`: as pages for the
        window. Raises LabilisError without modes."""
        session = self._session
        if not any(case.facts.modes is not None for case in session.report.cases):
            raise LabilisError(
                "There is nothing to report yet.", "report", "Find modes first.", "no-results"
            )
        project = design_of(session.project, session.project.design)
        return ReportQuery(
            Snapshot(project, session.files),
            session.own_results(),
            path,
            self._improved(),
            looked_at,
        )

    def _improved(self) -> Improved:
        """What was tried, for the report: trials that fit a plan, and every design by what is
        known of it, the shown one first."""
        session, designs = self._session, []
        project = session.project
        for name in design_names(project) if project.variants else ():
            design, figures, report = session.improving.figures_of_design(name)
            headline = "" if report is None else worst_headline(report)
            designs.append(Design(name, design, figures, headline))
        return Improved(project, session.trials, tuple(designs))

    def export_results(self, folder: Path) -> None:
        """Write what was found of every case into a folder, in the worker; the journal tells.
        Raises LabilisError."""
        session = self._session
        session.runs.must_be_idle()
        if not any(case.facts.mesh is not None for case in session.report.cases):
            raise LabilisError(
                "There is nothing to export yet.", "results", "Run first.", "no-results"
            )
        design = design_of(session.project, session.project.design)
        query = ResultsQuery(design, session.own_results(), folder)
        session.ask(
            "part",
            lambda: query,
            lambda found: session.note(f"{len(found)} files written into {folder}"),
        )

    def export_part(self, path: Path) -> None:
        """Write the part as a STEP file, in the worker; the journal tells. Raises LabilisError."""
        session = self._session
        if path.suffix.lower() not in (".step", ".stp"):
            path = path.with_name(path.name + ".step")
        query = PartQuery(Snapshot(session.project, session.files), path)
        session.ask("part", lambda: query, lambda found: session.note(f"Part written: {found[0]}"))

    def keep_picture(self, data: bytes, caption: str) -> None:
        """Keep a picture (PNG) for the report, at the section of the part until another is
        chosen. Raises LabilisError."""
        session = self._session
        report = session.project.report
        stored = session.stored_picture(data, "picture 1.png")
        picture = Picture(caption=caption, **stored.model_dump())
        report = report.model_copy(update={"pictures": (*report.pictures, picture)})
        session.edit(session.project.changed(report=report), f"{picture.file} for the report")

    def keep_logo(self, path: Path) -> None:
        """Take a picture (PNG) as the logo of the report. Raises LabilisError."""
        session = self._session
        logo = session.stored_picture(bytes_of(path), path.name)
        report = session.project.report.model_copy(update={"logo": logo})
        session.edit(session.project.changed(report=report), f"logo {logo.file}")

    def check_report(self, path: Path, then: Callable[[Checking], None]) -> None:
        """Run what a report carries again, in the worker, beside what is stated here; every line of
        it goes into the journal. Raises LabilisError."""
        session = self._session
        project = session.project
        model = design_of(project, project.design).to_json() if project.pieces else None

        def take(found: list[Any]) -> None:
            session.note(f"{path.name}, made with Labilis {found[0].carried.version}:")
            for line in found[0].lines():
                session.note(line)
            then(found[0])

        session.ask("verify", lambda: CheckQuery(path, model), take)
