"""The project file: an SQLite database with the statements and their history, imported files and
results.

Every edit is one transaction (write-ahead log), so a crash at any moment loses nothing that was
stated. Opening executes
nothing: no pickle, no `eval`, no paths followed; sizes are checked before anything is unpacked.
"""

from __future__ import annotations

import contextlib
import functools
import hashlib
import io
import json
import math
import os
import sqlite3
import tempfile
import time
import zlib
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import Any, Concatenate, ParamSpec, TypeVar

import numpy as np

import labilis
from labilis.model import LabilisError, Project, load_project
from labilis.run.codec import pack, unpack

P = ParamSpec("P")
R = TypeVar("R")
APPLICATION_ID = 0x4C41424C  # "LABL"
FILE_VERSION = 1
_SCHEMA = """
CREATE TABLE history (id INTEGER PRIMARY KEY AUTOINCREMENT, made REAL NOT NULL, title TEXT NOT NULL, statements TEXT NOT NULL);
CREATE TABLE state (name TEXT PRIMARY KEY, value TEXT NOT NULL);
CREATE TABLE files (sha256 TEXT PRIMARY KEY, name TEXT NOT NULL, bytes BLOB NOT NULL);
CREATE TABLE results (key TEXT PRIMARY KEY, kind TEXT NOT NULL, meta TEXT NOT NULL, made REAL NOT NULL);
CREATE TABLE arrays (key TEXT NOT NULL, name TEXT NOT NULL, size INTEGER NOT NULL, packed BLOB NOT NULL,
                     PRIMARY KEY (key, name));
"""  # noqa: E501
_MOST_STATEMENTS = 64 * 2**20  # bytes of JSON
_MOST_ARRAY = 2 * 2**30  # bytes of one array: 20 modes of 4 million nodes
_HEAD = 4096  # bytes of an array's description at most, for all that are kept here
_MOST_EDITS = 2**62  # beyond, SQLite has no number for the next one
_MOST_HISTORY = 500
_MOST_RESULTS = 48
_LITTLE = "TrialFindings"  # kind of results that are a few figures each and are all kept


def _checksum(key: str, kind: str, meta: Any, packed: Iterable[tuple[str, str, int, bytes]]) -> str:
    """SHA-256 over a result with all its arrays."""
    found = hashlib.sha256(json.dumps([key, kind, meta], sort_keys=True).encode())
    for _, name, size, data in sorted(packed, key=lambda item: item[1]):
        found.update(json.dumps([name, size, len(data)]).encode() + data)
    return found.hexdigest()


def _sealed(
    key: str, kind: str, meta: dict[str, Any], packed: Iterable[tuple[str, str, int, bytes]]
) -> str:
    """The JSON part of a result with the version of the program that made it and a checksum over
    all of it."""
    plain = json.loads(json.dumps(meta))
    return json.dumps(
        {
            "version": labilis.__version__,
            "checksum": _checksum(key, kind, plain, packed),
            "meta": plain,
        }
    )


def _disk_error(error: sqlite3.Error, path: Path) -> LabilisError:
    text = str(error).lower()
    if "full" in text:
        return LabilisError(
            "The disk is full; this change is not saved.",
            str(path),
            "Make room, then save again. Nothing is lost while the window is open.",
            "disk-full",
        )
    if "readonly" in text or "read-only" in text:
        return LabilisError(
            "The file cannot be written to; this change is not saved.",
            str(path),
            "Save it under another name.",
            "read-only",
        )
    return LabilisError(
        f"The file cannot be written ({error}).", str(path), "Save it under another name.", "disk"
    )


def _damaged(path: Path, why: object) -> LabilisError:
    """The error for a file that cannot be read, with what can be had of it."""
    saved = ProjectFile.salvage(path)
    remedy = (
        f"Its last readable statements ('{saved.name}') can be recovered into a new project."
        if saved is not None
        else "Nothing in it can be read; take a backup copy."
    )
    return LabilisError(f"The project file is damaged ({why}).", str(path), remedy, "damaged")


def _told(
    act: Callable[Concatenate[ProjectFile, P], R],
) -> Callable[Concatenate[ProjectFile, P], R]:
    """A method of an open file that says in words what it finds spoilt there."""

    @functools.wraps(act)
    def told(self: ProjectFile, *args: P.args, **kwargs: P.kwargs) -> R:
        try:
            return act(self, *args, **kwargs)
        except sqlite3.OperationalError as error:
            raise _disk_error(error, self.path) from error
        except (sqlite3.Error, TypeError, ValueError, OverflowError) as error:
            raise _damaged(self.path, error) from error

    return told


def _tables(connection: sqlite3.Connection) -> dict[str, str]:
    """What a database consists of, by name: the words that made it, without spaces; indices that
    SQLite makes itself left out."""
    rows = connection.execute("SELECT type, name, sql FROM sqlite_master").fetchall()
    return {
        str(name): "".join(str(sql).split())
        for kind, name, sql in rows
        if not (str(name).startswith("sqlite_") and (sql is None or kind == "table"))
    }


@functools.cache
def _own_tables() -> dict[str, str]:
    with contextlib.closing(sqlite3.connect(":memory:")) as connection:
        connection.executescript(_SCHEMA)
        return _tables(connection)


class ProjectFile:
    """One open project file. Make one with `create` or `open`."""

    def __init__(self, path: Path, connection: sqlite3.Connection, read_only: bool = False) -> None:
        self.path, self.read_only = path, read_only
        self._db = connection
        self._there = _identity(path)

    # --- opening
    # ----------------------------------------------------------------------------------------------
    @classmethod
    def create(
        cls, path: Path, project: Project, files: dict[str, tuple[str, bytes]] | None = None
    ) -> ProjectFile:
        """A new file with a first statement; `files` maps SHA-256 to (name, bytes). Replaces a
        file of that name."""
        path = Path(path)
        for suffix in ("", "-wal", "-shm"):
            Path(str(path) + suffix).unlink(missing_ok=True)
        try:
            connection = sqlite3.connect(path, isolation_level=None)
            connection.execute("PRAGMA journal_mode=WAL")
            connection.execute(f"PRAGMA application_id={APPLICATION_ID}")
            connection.execute(f"PRAGMA user_version={FILE_VERSION}")
            connection.executescript(_SCHEMA)
        except sqlite3.Error as error:
            raise _disk_error(error, path) from error
        made = cls(path, connection)
        with made._transaction():
            for sha, (name, data) in (files or {}).items():
                made._insert_file(sha, name, data)
            made._insert(project, "new project")
        return made

    @classmethod
    def open(cls, path: Path, read_only: bool = False) -> ProjectFile:
        """Open an existing file after checking that it is whole and of a known version; for reading
        only where asked for, or where it cannot be written to."""
        path = Path(path)
        if not path.is_file():
            raise LabilisError("There is no such file.", str(path), "Check the name.", "no-file")
        with open(path, "rb") as start:
            if start.read(16) != b"SQLite format 3\x00":
                raise LabilisError(
                    "This is not a Labilis project: the file does not begin like one.",
                    str(path),
                    "Open a .labilis file, or import a STEP or JSON file.",
                    "not-project",
                )
        fixed = not (os.access(path, os.W_OK) and os.access(path.parent, os.W_OK))
        read_only = read_only or fixed
        try:
            if read_only:
                how = "mode=ro&immutable=1" if fixed else "mode=ro"
                connection = sqlite3.connect(
                    f"file:{_quoted(path)}?{how}", uri=True, isolation_level=None
                )
            else:
                connection = sqlite3.connect(path, isolation_level=None, timeout=2.0)
            application = connection.execute("PRAGMA application_id").fetchone()[0]
            version = connection.execute("PRAGMA user_version").fetchone()[0]
            if application != APPLICATION_ID:
                raise LabilisError(
                    "This database is not a Labilis project.",
                    str(path),
                    "Open a .labilis file.",
                    "not-project",
                )
            if version > FILE_VERSION:
                raise LabilisError(
                    f"The file has version {version}; this program knows {FILE_VERSION}.",
                    str(path),
                    "Open it with a newer Labilis.",
                    "version",
                )
            if (
                _tables(connection) != _own_tables()
            ):  # before anything is read: a view could go on for ever
                raise sqlite3.DatabaseError("it does not hold the tables of a project")
            whole = connection.execute("PRAGMA quick_check(1)").fetchone()[0]
            if whole != "ok":
                raise sqlite3.DatabaseError(whole)
            if connection.execute("SELECT max(id) FROM history").fetchone()[0] > _MOST_EDITS:
                raise sqlite3.DatabaseError("its history has an impossible length")
            opened = cls(path, connection, read_only)
            _ = opened._stated()
            return opened
        except LabilisError as error:
            if error.code in ("not-project", "version"):
                raise
            raise _damaged(path, error.what) from error
        except (sqlite3.Error, TypeError, ValueError, OverflowError) as error:
            raise _damaged(path, error) from error

    @staticmethod
    def salvage(path: Path) -> Project | None:
        """The newest statements that can still be read from a damaged file, or None. The file is
        not touched."""
        with tempfile.TemporaryDirectory(prefix="labilis-") as folder:
            copy = Path(folder) / "copy.labilis"
            try:
                copy.write_bytes(Path(path).read_bytes())
                connection = sqlite3.connect(f"file:{_quoted(copy)}?mode=ro", uri=True)
            except (OSError, sqlite3.Error):
                return None
            try:
                if _tables(connection).get("history") != _own_tables()["history"]:
                    return None
                last = 2**63 - 1
                for _ in range(_MOST_HISTORY):
                    try:
                        row = connection.execute(
                            "SELECT id, statements FROM history WHERE id<=? ORDER BY id DESC LIMIT "
                            "1",
                            (last,),
                        ).fetchone()
                        if row is None:
                            return None
                        last = row[0] - 1
                        if isinstance(row[1], str) and len(row[1]) <= _MOST_STATEMENTS:
                            return load_project(row[1])
                    except LabilisError:
                        continue
            except (sqlite3.Error, TypeError, ValueError, OverflowError):
                return None
            finally:
                connection.close()
        return None

    def close(self) -> None:
        """Fold the log into the file and let go of it."""
        try:
            if not self.read_only:
                self._db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        except sqlite3.Error:
            pass
        self._db.close()

    # --- statements
    # ----------------------------------------------------------------------------------------------
    @property
    @_told
    def project(self) -> Project:
        """Present statements."""
        return self._stated()

    @_told
    def commit(self, project: Project, title: str) -> None:
        """Make these the present statements; what was undone is forgotten. One transaction."""
        with self._transaction():
            self._db.execute("DELETE FROM history WHERE id>?", (self._current(),))
            self._insert(project, title)
            self._db.execute(
                "DELETE FROM history WHERE id<=(SELECT max(id) FROM history)-?", (_MOST_HISTORY,)
            )

    @_told
    def undo(self, before: Project | None = None) -> Project | None:
        """Step back; None at the beginning. What is stated as in the project `before`, that of
        now, is the same object."""
        return self._step("SELECT max(id) FROM history WHERE id<?", before)

    @_told
    def redo(self, before: Project | None = None) -> Project | None:
        """Step forward again; None at the end. `before` as in `undo`."""
        return self._step("SELECT min(id) FROM history WHERE id>?", before)

    @_told
    def history(self) -> tuple[list[str], list[str]]:
        """Titles that can be undone (latest last) and redone (next first)."""
        current = self._current()
        rows = self._db.execute("SELECT id, title FROM history ORDER BY id").fetchall()
        return (
            [str(title) for number, title in rows[1:] if number <= current],
            [str(title) for number, title in rows if number > current],
        )

    # --- files and results
    # ----------------------------------------------------------------------------------------------
    @_told
    def files(self) -> dict[str, bytes]:
        """Imported files by SHA-256, each checked against it."""
        found = {}
        for sha, data in self._db.execute("SELECT sha256, bytes FROM files"):
            if not isinstance(data, bytes) or hashlib.sha256(data).hexdigest() != sha:
                raise LabilisError(
                    "An imported file inside the project is damaged.",
                    str(self.path),
                    "Import it again.",
                    "damaged",
                )
            found[sha] = data
        return found

    @_told
    def add_file(self, sha: str, name: str, data: bytes) -> None:
        """Keep an imported file; those that older statements need stay."""
        with self._transaction():
            self._insert_file(sha, name, data)

    @_told
    def put_result(self, key: str, result: Any) -> None:
        """Keep a result under its key; the oldest beyond a few dozen are dropped."""
        kind, meta, arrays = pack(result)
        packed = []
        for name, array in arrays.items():
            buffer = io.BytesIO()
            np.lib.format.write_array(buffer, np.ascontiguousarray(array), allow_pickle=False)
            raw = buffer.getvalue()
            packed.append((key, name, len(raw), zlib.compress(raw, 1)))
        with self._transaction():
            self._db.execute("DELETE FROM arrays WHERE key=?", (key,))
            self._db.execute(
                "INSERT OR REPLACE INTO results VALUES (?,?,?,?)",
                (key, kind, _sealed(key, kind, meta, packed), time.time()),
            )
            self._db.executemany("INSERT INTO arrays VALUES (?,?,?,?)", packed)
            old = [
                row[0]
                for row in self._db.execute(
                    "SELECT key FROM results WHERE kind<>? ORDER BY made DESC", (_LITTLE,)
                ).fetchall()[_MOST_RESULTS:]
            ]
            for stale in old:
                self._db.execute("DELETE FROM results WHERE key=?", (stale,))
                self._db.execute("DELETE FROM arrays WHERE key=?", (stale,))

    @_told
    def results(self, keys: Iterable[str] | None = None) -> dict[str, Any]:
        """Results by key, all but trials when no keys are given; those that cannot be read are
        left out, since a run makes them again."""
        wanted = None if keys is None else set(keys)
        found = {}
        for key, kind in self._db.execute("SELECT key, kind FROM results").fetchall():
            if (kind == _LITTLE) if wanted is None else key not in wanted:
                continue
            meta = self._db.execute("SELECT meta FROM results WHERE key=?", (key,)).fetchone()[0]
            try:
                found[key] = unpack(kind, self._opened(key, kind, meta), dict(self._arrays(key)))
            except Exception:  # whatever is wrong with it: checksum, size, shape, kind, memory
                continue
        return found

    @_told
    def trials(self) -> dict[str, Any]:
        """Trials by key."""
        rows = self._db.execute("SELECT key FROM results WHERE kind=?", (_LITTLE,)).fetchall()
        return self.results([row[0] for row in rows])

    def save_as(self, path: Path) -> ProjectFile:
        """A copy under another name, written beside it first and then put in its place; returns
        the copy, opened."""
        path = Path(path)
        temporary = path.with_name(f".{path.name}.{os.getpid()}.part")
        try:
            target = sqlite3.connect(temporary)
            with target:
                self._db.backup(target)
            target.execute("PRAGMA journal_mode=DELETE")
            target.close()
            for suffix in ("-wal", "-shm"):
                Path(str(path) + suffix).unlink(missing_ok=True)
            os.replace(temporary, path)
        except sqlite3.Error as error:
            raise _disk_error(error, path) from error
        except OSError as error:
            raise LabilisError(
                f"The file cannot be written ({error.strerror}).",
                str(path),
                "Save it in another place.",
                "disk",
            ) from error
        finally:
            temporary.unlink(missing_ok=True)
        copy = ProjectFile.open(path)
        copy._db.execute("PRAGMA journal_mode=WAL")
        return copy

    # --- helpers
    # ----------------------------------------------------------------------------------------------
    def _stated(self, before: Project | None = None) -> Project:
        row = self._db.execute(
            "SELECT statements FROM history WHERE id=?", (self._current(),)
        ).fetchone()
        if row is None or not isinstance(row[0], str) or len(row[0]) > _MOST_STATEMENTS:
            raise ValueError("the present statements are missing")
        return load_project(row[0], before)

    def _opened(self, key: str, kind: str, sealed: str) -> dict[str, Any]:
        """What a result holds besides its arrays. Raises ValueError when anything of it is not
        as it was written."""
        packed = self._db.execute(
            "SELECT key, name, size, packed FROM arrays WHERE key=?", (key,)
        ).fetchall()
        stored = json.loads(sealed)
        if (
            not isinstance(stored, dict)
            or stored.get("version") != labilis.__version__
            or stored.get("checksum") != _checksum(key, kind, stored.get("meta"), packed)
        ):
            raise ValueError("a stored result was changed, or is of another version")
        return dict(stored["meta"])

    @contextlib.contextmanager
    def _transaction(self) -> Iterator[None]:
        if self.read_only:
            raise LabilisError(
                "The file is open for reading only; this change is not saved.",
                str(self.path),
                "Save it under another name.",
                "read-only",
            )
        if (
            _identity(self.path) != self._there
        ):  # SQLite would go on writing into what has no name any more
            raise LabilisError(
                "The file is no longer where it was: it was moved, deleted or replaced. This "
                "change is not saved.",
                str(self.path),
                "Save it under a name; nothing is lost while the window is open.",
                "disk",
            )
        try:
            self._db.execute("BEGIN IMMEDIATE")
            yield
            self._db.execute("COMMIT")
        except sqlite3.Error as error:
            if self._db.in_transaction:
                self._db.execute("ROLLBACK")
            raise _disk_error(error, self.path) from error
        except BaseException:
            if self._db.in_transaction:
                self._db.execute("ROLLBACK")
            raise

    def _current(self) -> int:
        row = self._db.execute("SELECT value FROM state WHERE name='current'").fetchone()
        return int(row[0]) if row else 0

    def _insert(self, project: Project, title: str) -> None:
        cursor = self._db.execute(
            "INSERT INTO history (made, title, statements) VALUES (?,?,?)",
            (time.time(), title, project.to_json(indent=None)),
        )
        self._db.execute(
            "INSERT OR REPLACE INTO state VALUES ('current', ?)", (str(cursor.lastrowid),)
        )

    def _insert_file(self, sha: str, name: str, data: bytes) -> None:
        self._db.execute("INSERT OR REPLACE INTO files VALUES (?,?,?)", (sha, name, data))

    def _step(self, query: str, before: Project | None) -> Project | None:
        row = self._db.execute(query, (self._current(),)).fetchone()
        if row is None or row[0] is None:
            return None
        with self._transaction():
            self._db.execute("INSERT OR REPLACE INTO state VALUES ('current', ?)", (str(row[0]),))
        return self._stated(before)

    def _arrays(self, key: str) -> Iterator[tuple[str, np.ndarray]]:
        for name, size, packed in self._db.execute(
            "SELECT name, size, packed FROM arrays WHERE key=?", (key,)
        ).fetchall():
            unpacker = zlib.decompressobj()
            head = unpacker.decompress(packed, _HEAD)
            if not 0 <= size <= _MOST_ARRAY or size != _size_of(head):
                raise ValueError("an array has an impossible size")
            raw = head + (
                unpacker.decompress(unpacker.unconsumed_tail, size - len(head))
                if size > len(head)
                else b""
            )
            yield name, np.lib.format.read_array(io.BytesIO(raw), allow_pickle=False)


def _identity(path: Path) -> tuple[int, int] | None:
    """Which file a path leads to, None where there is none."""
    try:
        found = os.stat(path)
    except OSError:
        return None
    return found.st_dev, found.st_ino


def _size_of(head: bytes) -> int:
    """Bytes of an array in NumPy's format as its first ones tell; looked at before the rest is
    unpacked."""
    start = io.BytesIO(head)
    version = np.lib.format.read_magic(start)
    read = (
        np.lib.format.read_array_header_1_0
        if version == (1, 0)
        else np.lib.format.read_array_header_2_0
    )
    shape, _, dtype = read(start)
    if dtype.hasobject:
        raise ValueError("an array holds objects")
    return start.tell() + math.prod(shape) * dtype.itemsize


def _quoted(path: Path) -> str:
    from urllib.parse import quote

    return quote(str(path.absolute()))
