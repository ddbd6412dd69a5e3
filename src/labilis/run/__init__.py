"""Runs: a plan made of stages, each cached by the hash of what it read, with progress and
cancellation.

`keys` says which result belongs to which statements, `runner` calls the rooms in order, `worker`
does it in a process of its own. What the window may know of a body's faces comes through `picking`.
"""

from labilis.run.codec import pack, unpack
from labilis.run.keys import STAGES, StageKeys, stage_keys
from labilis.run.plan import Plan, Progress, Snapshot
from labilis.run.report import CaseReport, ProjectReport, judge_project
from labilis.run.runner import Runner
from labilis.run.settling import settled
from labilis.run.worker import Worker, WorkerEvent

__all__ = [
    "STAGES",
    "CaseReport",
    "Plan",
    "Progress",
    "ProjectReport",
    "Runner",
    "Snapshot",
    "StageKeys",
    "Worker",
    "WorkerEvent",
    "judge_project",
    "pack",
    "settled",
    "stage_keys",
    "unpack",
]
