"""A process that is killed while it writes a project file: what it was told to be kept is there,
and what is there is whole."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

PROGRAM = r"""
import os, random, select, signal, sys, time
import numpy as np
from pathlib import Path
from labilis.results.findings import SectionFindings
from labilis.model import Project
from labilis.store import ProjectFile

path, count, seed = Path(sys.argv[1]), int(sys.argv[2]), int(sys.argv[3])
rng = random.Random(seed)


def section(number):
    size = 2000
    flat = np.full(size, float(number))
    return SectionFindings(axis=np.ones(3), station=flat, area=flat, i_min=flat, i_max=flat, weak=np.full((size, 3), float(number)),
                           strong=np.full((size, 3), float(number)))


def write(start, pipe):
    file = ProjectFile.open(path)
    number = start
    while True:
        number += 1
        file.commit(file.project.changed(parameters={"n": f"{number} mm"}), f"step {number}")
        os.write(pipe, number.to_bytes(4, "big"))
        file.put_result(f"result {number % 7}", section(number))
        if number % 5 == 0:
            file.undo()
            file.redo()
        if number % 23 == 0:
            file.close()
            file = ProjectFile.open(path)


ProjectFile.create(path, Project(parameters={"n": "0 mm"}), {}).close()
last = 0
for kill in range(count):
    reading, writing = os.pipe()
    child = os.fork()
    if child == 0:
        os.close(reading)
        try:
            write(last, writing)
        finally:
            os._exit(1)
    os.close(writing)
    if rng.random() < 0.75:  # else it may be killed before it has begun
        select.select([reading], [], [], 20)
    time.sleep(rng.uniform(0.0, 0.12))
    os.kill(child, signal.SIGKILL)
    _, status = os.waitpid(child, 0)
    assert os.WIFSIGNALED(status), f"kill {kill}: the writer ended by itself"
    told = b""
    while piece := os.read(reading, 65536):
        told += piece
    os.close(reading)
    kept = max([last, *(int.from_bytes(told[k:k + 4], "big") for k in range(0, len(told) // 4 * 4, 4))])
    file = ProjectFile.open(path)
    assert not file.read_only, f"kill {kill}"
    found = int(file.project.parameters["n"].split()[0])
    # killed between an undo and its redo, the step that was undone can be done again
    if found < kept:
        file.redo()
        found = int(file.project.parameters["n"].split()[0])
    assert kept <= found <= kept + 1, f"kill {kill}: {found} is there, {kept} was kept"
    for key, result in file.results().items():
        values = np.unique(result.station)
        assert len(values) == 1 and values[0] <= found and (result.weak == values[0]).all(), f"kill {kill}: {key} is not whole"
    before, _ = file.history()  # of the last 500 states
    assert len(before) == min(found, 499), f"kill {kill}: {len(before)} steps of history for {found}"
    last = found
    file.close()
print("kept", last)
"""  # noqa: E501


@pytest.mark.parametrize(
    "count", [12, pytest.param(1000, marks=[pytest.mark.full, pytest.mark.timeout(3600)])]
)
def test_a_killed_writer_loses_nothing_that_was_kept(count: int, tmp_path: Path) -> None:
    ran = subprocess.run(
        [sys.executable, "-c", PROGRAM, str(tmp_path / "p.labilis"), str(count), str(count)],
        capture_output=True,
        text=True,
        check=False,
    )
    assert ran.returncode == 0, ran.stderr[-2000:]
    # the writer was at work when it was killed: three of four times it was waited for
    assert int(ran.stdout.split()[-1]) > count / 2
