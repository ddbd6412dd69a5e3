"""Project files that are spoilt in every way: whatever is wrong with one, opening it ends in the
project or in words, and never in a crash, in a hang or in memory that runs out. 60 files here,
thousands in the full run."""

from __future__ import annotations

import hashlib
import resource
import sqlite3
import time
import zlib
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from labilis.model import LabilisError, load_project
from labilis.run import Plan, Runner, Snapshot
from labilis.store import ProjectFile
from tests.judge.test_mistakes import strip

COUNT, MANY = 60, 5000
VALUES: list[Any] = [
    None,
    0,
    1,
    -1,
    2**63 - 1,
    1.5,
    float("inf"),
    "",
    "x",
    "null",
    "[]",
    "{}",
    "0",
    "[" * 5000,
    b"",
    b"\x00\xff" * 20,
    '{"version": 1}',
    '{"labilis": 2, "name": 7}',
    "9" * 400,
]
TABLES = {
    "history": ("id", "made", "title", "statements"),
    "state": ("name", "value"),
    "files": ("sha256", "name", "bytes"),
    "results": ("key", "kind", "meta", "made"),
    "arrays": ("key", "name", "size", "packed"),
}


@pytest.fixture(scope="module")
def whole(tmp_path_factory: pytest.TempPathFactory) -> bytes:
    """A project file with history, an imported file and results, as the program writes it."""
    path = tmp_path_factory.mktemp("broken") / "strip.labilis"
    project = load_project(strip(mesh={"size": "20 mm"}))
    found = Runner().run(Snapshot(project), Plan("modes"))
    opened = ProjectFile.create(path, project, {hashlib.sha256(b"a").hexdigest(): ("a.step", b"a")})
    for number in range(3):
        opened.commit(project.changed(name=f"strip {number}"), f"edit {number}")
    for key, result in found.items():
        opened.put_result(key, result)
    opened.undo()
    opened.close()
    return path.read_bytes()


def spoil(data: bytes, path: Path, rng: np.random.Generator) -> str:
    """The file with something wrong; says what."""
    way = rng.choice(["cell", "cell", "cell", "bytes", "cut", "table", "view", "bomb", "empty"])
    if way in ("bytes", "cut"):
        raw = bytearray(data)
        if way == "cut":
            raw = raw[: int(rng.integers(0, len(raw)))]
        else:
            for place in rng.integers(0, len(raw), int(rng.integers(1, 40))):
                raw[place] = int(rng.integers(0, 256))
        path.write_bytes(bytes(raw))
        return str(way)
    path.write_bytes(data)
    table = str(rng.choice(list(TABLES)))
    with sqlite3.connect(path) as db:
        db.execute("PRAGMA ignore_check_constraints=1")
        if way == "cell":
            column = str(rng.choice(TABLES[table]))
            value = VALUES[int(rng.integers(0, len(VALUES)))]
            rows = [row[0] for row in db.execute(f"SELECT rowid FROM {table}")]
            try:
                if rows:
                    db.execute(
                        f"UPDATE {table} SET {column}=? WHERE rowid=?",
                        (value, int(rng.choice(rows))),
                    )
            except sqlite3.Error:
                return "nothing"
            found = f"{table}.{column}={value!r:.20}"
        elif way == "table":
            db.execute(f"DROP TABLE {table}")
            found = f"no {table}"
        elif way == "view":
            db.execute(f"DROP TABLE {table}")
            columns = ", ".join(TABLES[table])
            db.execute(
                f"CREATE VIEW {table} AS WITH RECURSIVE n({columns}) AS (SELECT "
                f"{', '.join('1' for _ in TABLES[table])} UNION ALL "
                f"SELECT {columns} FROM n) SELECT * FROM n"
            )
            found = f"{table} without end"
        elif way == "bomb":
            size = int(rng.choice([2**31, 2**40]))
            db.execute("UPDATE arrays SET size=?, packed=?", (size, zlib.compress(b"\x00" * 2**22)))
            found = "bomb"
        else:
            db.execute(f"DELETE FROM {table}")
            found = f"empty {table}"
    db.close()
    return found


def use(path: Path) -> str:
    """Everything that the program does with a file, one after the other: 'read', or what it
    refused with."""
    try:
        opened = ProjectFile.open(path)
    except LabilisError as error:
        assert error.what and error.remedy
        return "refused"
    said = "read"
    try:
        for act in (
            opened.files,
            opened.history,
            opened.results,
            opened.undo,
            opened.redo,
            lambda: opened.commit(opened.project.changed(name="later"), "later"),
            lambda: opened.project,
        ):
            try:
                act()
            except LabilisError as error:
                assert error.what and error.remedy
                said = "partly"
    finally:
        opened.close()
    return said


def test_the_whole_file_is_read(whole: bytes, tmp_path: Path) -> None:
    path = tmp_path / "whole.labilis"
    path.write_bytes(whole)
    opened = ProjectFile.open(path)
    assert len(opened.results()) >= 4 and opened.history() == (["edit 0", "edit 1"], ["edit 2"])
    opened.close()
    assert use(path) == "read"


@pytest.mark.parametrize("count", [COUNT, pytest.param(MANY, marks=pytest.mark.full)])
def test_a_spoilt_project_file_is_read_or_refused_in_words(
    whole: bytes, tmp_path: Path, count: int
) -> None:
    rng = np.random.default_rng(count)
    seen: dict[str, int] = {}
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    for number in range(count):
        path = tmp_path / f"{number}.labilis"
        way = spoil(whole, path, rng)
        started = time.monotonic()
        try:
            said = use(path)
        except Exception as error:
            raise AssertionError(f"{way}: {type(error).__name__}: {error}") from error
        assert time.monotonic() - started < 10, way
        seen[said] = seen.get(said, 0) + 1
        for left in tmp_path.iterdir():
            left.unlink()
    assert seen.get("read", 0) > 0 and seen.get("refused", 0) > 0
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 2**20  # KiB: a gigabyte


@pytest.mark.parametrize("size", [2**40, 64, -1])
def test_an_array_is_not_unpacked_to_a_size_that_its_head_does_not_tell(
    whole: bytes, tmp_path: Path, size: int
) -> None:
    """Whatever a checksum says: it is looked at before memory is asked for."""
    path = tmp_path / "size.labilis"
    path.write_bytes(whole)
    opened = ProjectFile.open(path)
    key = next(iter(opened.results()))
    opened._db.execute("UPDATE arrays SET size=?", (size,))
    with pytest.raises(ValueError, match="impossible size"):
        list(opened._arrays(key))
    opened.close()
