"""Where a trace stands, in a file beside the model: arrays in NumPy's own format, never pickled."""

from __future__ import annotations

import json
import zipfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from labilis.model import LabilisError, Project
from labilis.results.checkpoint import TraceCheckpoint
from labilis.results.findings import SettledFindings
from labilis.run import pack, stage_keys, unpack
from labilis.run.settling import with_fineness


class CheckpointFile:
    """One file. `keep` may be given to a run as its `found`."""

    def __init__(self, path: Path) -> None:
        self.path = Path(path)
        self._fineness = 1.0

    def keep(self, key: str, result: Any) -> None:
        """Write a checkpoint in place of the one before; anything else is left alone."""
        if isinstance(result, SettledFindings):
            self._fineness = result.fineness
        if not isinstance(result, TraceCheckpoint):
            return
        kind, meta, arrays = pack(result)
        part = self.path.with_name(f".{self.path.name}.part")
        head = np.frombuffer(
            json.dumps(
                {"key": key, "kind": kind, "meta": meta, "fineness": self._fineness}
            ).encode(),
            dtype=np.uint8,
        )
        try:
            with open(part, "wb") as target:
                np.savez(
                    target,
                    allow_pickle=False,
                    **{"head": head, **{f"a.{name}": array for name, array in arrays.items()}},
                )
            part.replace(self.path)
        except OSError as error:
            raise LabilisError(
                f"The checkpoint cannot be written ({error.strerror}).",
                str(self.path),
                "Choose another place.",
                "disk",
            ) from error

    def fitting(self, project: Project, cases: Sequence[str]) -> TraceCheckpoint | None:
        """The checkpoint, if it belongs to these statements, with the mesh that was found for them,
        and one of these cases (all when empty); None when there is no file or it belongs to others.
        Raises LabilisError for a file that is no checkpoint."""
        if not self.path.exists():
            return None
        try:
            with np.load(self.path, allow_pickle=False) as stored:
                head = json.loads(stored["head"].tobytes())
                found = unpack(
                    head["kind"],
                    head["meta"],
                    {name[2:]: stored[name] for name in stored.files if name.startswith("a.")},
                )
        except (OSError, ValueError, KeyError, TypeError, zipfile.BadZipFile, EOFError) as error:
            raise LabilisError(
                f"This is no checkpoint ({error}).",
                str(self.path),
                "Name another file.",
                "checkpoint",
            ) from error
        known = cases or tuple(case.name for case in project.cases)
        plan, fineness = project.mesh, float(head.get("fineness", 1.0))
        fine = (
            with_fineness(project, fineness)
            if plan.size is None and plan.fineness is None
            else project
        )
        fits = (
            isinstance(found, TraceCheckpoint)
            and found.case in known
            and stage_keys(fine, found.case).path == head["key"]
        )
        return found if fits else None
