"""A plan is data: which statements, how far, which cases."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Literal

from labilis.model import Project

Stage = Literal[
    "shape",
    "mesh",
    "strength",
    "modes",
    "trace",
    "path",
    "converge",
    "amplitude",
    "tilt",
    "cross",
    "contact",
    "trials",
    "size",
    "report",
    "part",
    "verify",
]


@dataclass(frozen=True)
class Snapshot:
    """The statements and the bytes of imported files by their SHA-256."""

    project: Project
    files: dict[str, bytes] = field(default_factory=dict)


@dataclass(frozen=True)
class Plan:
    """How far to go, for which load cases (all when empty); meshes: how many for the study
    converge; resume: the `TraceCheckpoint` a trace goes on from, None to begin at the beginning."""

    upto: Stage
    cases: tuple[str, ...] = ()
    meshes: int = 4
    resume: Any = None


@dataclass(frozen=True)
class Progress:
    """Where a run is: fraction 0 to 1 of the whole plan, and what it is doing."""

    fraction: float
    text: str


ProgressCall = Callable[[Progress], None]
