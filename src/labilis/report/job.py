"""A report made in the process that runs things, so that the window stays usable."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from labilis.report.content import content_of
from labilis.report.improving import Improved
from labilis.report.pictures import draw
from labilis.report.verify import check_report
from labilis.report.write import as_pages, put, write_report
from labilis.run.plan import Snapshot
from labilis.run.report import judge_project


@dataclass(frozen=True)
class CheckQuery:
    """Ask whether a report still holds, also beside other statements (JSON); answered by a
    Checking."""

    path: Path
    model: str | None = None

    def answer(self) -> list[Any]:
        """Runs what it carries. Raises LabilisError."""
        return [check_report(self.path, self.model)]


@dataclass(frozen=True)
class ReportQuery:
    """Ask for the report of a project with its results; answered by the path that was written."""

    project: Snapshot
    results: Mapping[str, Any]
    path: Path
    improved: Improved | None = None
    looked_at: bool = False

    def answer(self) -> list[Any]:
        """Writes it; `looked_at`: as pages for the window. Raises LabilisError."""
        project = self.project.project
        found = judge_project(project, self.results)
        content = content_of(
            project,
            found,
            self.results,
            draw if found.mesh is not None else None,
            self.project.files,
            improved=self.improved,
        )
        if self.looked_at:
            put(as_pages(content), self.path)
        else:
            write_report(content, self.path)
        return [self.path]
