"""Trials on a cluster of two workers of this machine: the same figures as here, also when a
worker is killed; what is missing is told."""

from __future__ import annotations

import os
import signal
from collections.abc import Iterator
from typing import Any

import pytest

from labilis.model import LabilisError, TrialPlan, Vary, load_project
from labilis.run import Snapshot
from labilis.run.trials import executors, run_plan
from tests.judge.test_mistakes import flat, strip
from tests.parts import bar_step, cantilever


@pytest.fixture(scope="module")
def cluster() -> Iterator[Any]:
    from distributed import LocalCluster

    with LocalCluster(
        n_workers=2, threads_per_worker=1, processes=True, dashboard_address=None, scheduler_port=0
    ) as made:
        yield made


def ours() -> tuple[Snapshot, TrialPlan]:
    base = load_project(strip(parameters={"t": "4 mm"}, pieces=[flat("t")], mesh={"size": "20 mm"}))
    return Snapshot(base), TrialPlan(
        name="thickness", vary=(Vary(parameter="t", low="2 mm", high="6 mm", count=7),)
    )


def figures(rows: list[Any]) -> dict[str, tuple[float, ...]]:
    return {row.texts[0]: (*row.responses.tolist(), row.mesh_error) for row in rows}


@pytest.mark.full
def test_the_cluster_finds_what_this_machine_finds_although_a_worker_is_killed(
    cluster: Any,
) -> None:
    snapshot, plan = ours()
    here = figures(list(run_plan(snapshot, plan, {}, workers=1)))
    there, killed = [], []
    for row in run_plan(snapshot, plan, {}, scheduler=cluster.scheduler_address):
        there.append(row)
        if len(there) == 2:
            worker = next(iter(cluster.workers.values()))
            killed.append(worker.process.pid)
            os.kill(worker.process.pid, signal.SIGKILL)
    assert killed and not [row.reason for row in there if row.reason]
    found = figures(there)
    assert found.keys() == here.keys()
    for text, numbers in here.items():
        assert found[text] == pytest.approx(numbers, rel=1e-9, nan_ok=True)


def test_files_go_along_and_a_goal_is_found(cluster: Any) -> None:
    data = bar_step()
    project = cantilever(data, size="8 mm")
    project = project.changed(
        parameters={"p": "1 kN"},
        loads=[{**project.loads[0].model_dump(), "components": ["0 N", "0 N", "0 N - p"]}],
    )
    plan = TrialPlan(
        name="force",
        vary=(Vary(parameter="p", low="0.5 kN", high="2 kN"),),
        how="goal",
        goal="5",
        points=6,
    )
    snapshot = Snapshot(project, {project.geometry[0].sha256: data})
    rows = list(run_plan(snapshot, plan, {}, scheduler=cluster.scheduler_address))
    assert min(abs(row.response("first factor") - 5) for row in rows) < 0.05, [
        row.reason for row in rows
    ]


def test_no_scheduler_no_worker_and_another_version_are_told(
    cluster: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    snapshot, plan = ours()
    with pytest.raises(LabilisError, match="No scheduler answers"):
        next(run_plan(snapshot, plan, {}, scheduler="tcp://127.0.0.1:9"))
    from distributed import LocalCluster

    with (
        LocalCluster(n_workers=0, dashboard_address=None, scheduler_port=0) as empty,
        pytest.raises(LabilisError, match="no worker"),
    ):
        next(run_plan(snapshot, plan, {}, scheduler=empty.scheduler_address))
    monkeypatch.setattr(executors.labilis, "__version__", "9.9")
    with pytest.raises(LabilisError, match=r"this is 9\.9"):
        next(run_plan(snapshot, plan, {}, scheduler=cluster.scheduler_address))
