"""Files that are brought into a project: read in the worker, because a damaged one can end the
process that reads it."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from labilis.app.preferences import preferred_units
from labilis.app.recovery import bytes_of
from labilis.model import LabilisError, shown
from labilis.run import Snapshot
from labilis.run.importing import STEEL, add_file, new_project, told
from labilis.run.worker import BodyQuery

if TYPE_CHECKING:
    from labilis.app.session import Session


class Reading:
    """Brings files into the project of a session."""

    def __init__(self, session: Session) -> None:
        self._session = session

    def import_step(self, path: Path) -> None:
        """Read a STEP file and make a project of its bodies. Raises LabilisError."""
        data = bytes_of(path)

        def make(bodies: list[Any]) -> None:
            sha = hashlib.sha256(data).hexdigest()
            project = new_project(bodies, path.name, sha, path.stem).changed(
                units=preferred_units()
            )
            count = f"{len(bodies)} {'bodies' if len(bodies) > 1 else 'body'}"
            self._session.new(
                project,
                {sha: data},
                f"Read {path.name}: {count}, in {bodies[0].unit}; {STEEL.name} assumed",
            )
            self._tell(bodies)

        self._ask(BodyQuery(data, path.name), make)

    def add_file(self, path: Path) -> None:
        """Bring the bodies of a further file into the project. Raises LabilisError."""
        data = bytes_of(path)

        def take(bodies: list[Any]) -> None:
            sha = hashlib.sha256(data).hexdigest()
            count = f"{len(bodies)} {'bodies' if len(bodies) > 1 else 'body'}"
            try:
                project = add_file(self._session.project, bodies, path.name, sha)
                self._session.keep_bytes(sha, path.name, data)
                self._session.edit(project, f"{path.name} added: {count}")
            except LabilisError as error:
                self._session.problem.emit(error)
                return
            self._tell(bodies)

        self._ask(BodyQuery(data, path.name), take)

    def revise(self, path: Path, old: str = "") -> None:
        """Read a revised file in place of `old`, or of the only file there is; regions then find
        their faces again. Raises LabilisError."""
        data = bytes_of(path)
        old = old or self._replaced_by(path)
        asked = self._session.project

        def take(answer: list[Any]) -> None:
            project, files, followed = answer
            try:
                if self._session.project != asked:
                    raise LabilisError(
                        "The project was changed while the file was read.",
                        "part",
                        "Read the revised file again.",
                        "changed",
                    )
                self._session.files = files
                self._session.keep_bytes(hashlib.sha256(data).hexdigest(), path.name, data)
                self._session.edit(project, f"{path.name} read in place of {old}")
            except LabilisError as error:
                self._session.problem.emit(error)
                return
            for pick in followed:
                if pick.state != "stayed":
                    by = f", by {shown.length(pick.moved)}" if pick.moved else ""
                    self._session.note(f"{pick.state}: {pick.words} of region '{pick.region}'{by}")

        self._ask(BodyQuery(data, path.name, Snapshot(asked, self._session.files), old), take)

    def _replaced_by(self, path: Path) -> str:
        known = [item.file for item in self._session.project.geometry]
        if path.name in known:
            return path.name
        if len(known) == 1:
            return known[0]
        raise LabilisError(
            "The project has " + ("several files." if known else "no imported file."),
            "part",
            "Name the revised file like the one it replaces."
            if known
            else "Open a STEP file first.",
            "which-file",
        )

    def _ask(self, query: BodyQuery, take: Callable[[list[Any]], None]) -> None:
        self._session.ask("shape", lambda: query, take)

    def _tell(self, bodies: list[Any]) -> None:
        for line in told(bodies):
            self._session.note(line)
