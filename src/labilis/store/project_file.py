"""The project file: an SQLite database with the statements and their history, imported files and results.

Every edit is one transaction (write-ahead log), so a crash at any moment loses nothing that was stated. Opening executes
nothing: no pickle, no `eval`, no paths followed; sizes are checked before anything is unpacked.
"""
from __future__ import annotations

import hashlib
import io
import json
import os
import sqlite3
import tempfile
import time
import zlib
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np

import labilis
from labilis.model import LabilisError, Project, load_project
from labilis.run.pack import pack, unpack

APPLICATION_ID = 0x4C41424C  # "LABL"
FILE_VERSION = 1
_SCHEMA = """
CREATE TABLE history (id INTEGER PRIMARY KEY AUTOINCREMENT, made REAL NOT NULL, title TEXT NOT NULL, statements TEXT NOT NULL);
CREATE TABLE state (name TEXT PRIMARY KEY, value TEXT NOT NULL);
CREATE TABLE files (sha256 TEXT PRIMARY KEY, name TEXT NOT NULL, bytes BLOB NOT NULL);
CREATE TABLE results (key TEXT PRIMARY KEY, kind TEXT NOT NULL, meta TEXT NOT NULL, made REAL NOT NULL);
CREATE TABLE arrays (key TEXT NOT NULL, name TEXT NOT NULL, size INTEGER NOT NULL, packed BLOB NOT NULL,
                     PRIMARY KEY (key, name));
"""
_MOST_STATEMENTS = 64 * 2**20  # bytes of JSON
_MOST_ARRAY = 8 * 2**30  # bytes of one array
_MOST_HISTORY = 500
_MOST_RESULTS = 24


def _checksum(key: str, kind: str, meta: Any, packed: Iterable[tuple[str, str, int, bytes]]) -> str:
    """SHA-256 over a result with all its arrays."""
    found = hashlib.sha256(json.dumps([key, kind, meta], sort_keys=True).encode())
    for _, name, size, data in sorted(packed, key=lambda item: item[1]):
        found.update(json.dumps([name, size, len(data)]).encode() + data)
    return found.hexdigest()


def _sealed(key: str, kind: str, meta: dict[str, Any], packed: Iterable[tuple[str, str, int, bytes]]) -> str:
    """The JSON part of a result with the version of the program that made it and a checksum over all of it."""
    plain = json.loads(json.dumps(meta))
    return json.dumps({"version": labilis.__version__, "checksum": _checksum(key, kind, plain, packed), "meta": plain})


def _disk_error(error: sqlite3.Error, path: Path) -> LabilisError:
    text = str(error).lower()
    if "full" in text:
        return LabilisError("The disk is full; this change is not saved.", str(path),
                            "Make room, then save again. Nothing is lost while the window is open.", "disk-full")
    if "readonly" in text or "read-only" in text:
        return LabilisError("The file cannot be written to; this change is not saved.", str(path),
                            "Save it under another name.", "read-only")
    return LabilisError(f"The file cannot be written ({error}).", str(path), "Save it under another name.", "disk")


class ProjectFile:
    """One open project file. Make one with `create` or `open`."""

    def __init__(self, path: Path, connection: sqlite3.Connection, read_only: bool = False) -> None:
        self.path, self.read_only = path, read_only
        self._db = connection

    # --- opening --------------------------------------------------------------------------------------------------
    @classmethod
    def create(cls, path: Path, project: Project, files: dict[str, tuple[str, bytes]] | None = None) -> ProjectFile:
        """A new file with a first statement; `files` maps SHA-256 to (name, bytes). Replaces a file of that name."""
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
    def open(cls, path: Path) -> ProjectFile:
        """Open an existing file after checking that it is whole and of a known version."""
        path = Path(path)
        if not path.is_file():
            raise LabilisError("There is no such file.", str(path), "Check the name.", "no-file")
        with open(path, "rb") as start:
            if start.read(16) != b"SQLite format 3\x00":
                raise LabilisError("This is not a Labilis project: the file does not begin like one.", str(path),
                                   "Open a .labilis file, or import a STEP or JSON file.", "not-project")
        read_only = not (os.access(path, os.W_OK) and os.access(path.parent, os.W_OK))
        try:
            if read_only:
                connection = sqlite3.connect(f"file:{_quoted(path)}?mode=ro&immutable=1", uri=True, isolation_level=None)
            else:
                connection = sqlite3.connect(path, isolation_level=None, timeout=2.0)
            application = connection.execute("PRAGMA application_id").fetchone()[0]
            version = connection.execute("PRAGMA user_version").fetchone()[0]
            if application != APPLICATION_ID:
                raise LabilisError("This database is not a Labilis project.", str(path), "Open a .labilis file.",
                                   "not-project")
            if version > FILE_VERSION:
                raise LabilisError(f"The file has version {version}; this program knows {FILE_VERSION}.", str(path),
                                   "Open it with a newer Labilis.", "version")
            whole = connection.execute("PRAGMA quick_check(1)").fetchone()[0]
            if whole != "ok":
                raise sqlite3.DatabaseError(whole)
            opened = cls(path, connection, read_only)
            _ = opened.project
            return opened
        except sqlite3.Error as error:
            saved = cls.salvage(path)
            remedy = (f"Its last readable statements ('{saved.name}') can be recovered into a new project."
                      if saved is not None else "Nothing in it can be read; take a backup copy.")
            raise LabilisError(f"The project file is damaged ({error}).", str(path), remedy, "damaged") from error

    @staticmethod
    def salvage(path: Path) -> Project | None:
        """The newest statements that can still be read from a damaged file, or None. The file is not touched."""
        with tempfile.TemporaryDirectory(prefix="labilis-") as folder:
            copy = Path(folder) / "copy.labilis"
            try:
                copy.write_bytes(Path(path).read_bytes())
                connection = sqlite3.connect(f"file:{_quoted(copy)}?mode=ro", uri=True)
            except (OSError, sqlite3.Error):
                return None
            try:
                last = connection.execute("SELECT max(id) FROM history").fetchone()[0]
                for number in range(int(last or 0), 0, -1):
                    try:
                        row = connection.execute("SELECT statements FROM history WHERE id=?", (number,)).fetchone()
                        if row is not None:
                            return load_project(row[0])
                    except (sqlite3.Error, LabilisError):
                        continue
            except sqlite3.Error:
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

    # --- statements -----------------------------------------------------------------------------------------------
    @property
    def project(self) -> Project:
        """Present statements."""
        row = self._db.execute("SELECT statements FROM history WHERE id=?", (self._current(),)).fetchone()
        if row is None or len(row[0]) > _MOST_STATEMENTS:
            raise sqlite3.DatabaseError("the present statements are missing")
        return load_project(row[0])

    def commit(self, project: Project, title: str) -> None:
        """Make these the present statements; what was undone is forgotten. One transaction."""
        with self._transaction():
            self._db.execute("DELETE FROM history WHERE id>?", (self._current(),))
            self._insert(project, title)
            self._db.execute("DELETE FROM history WHERE id<=(SELECT max(id) FROM history)-?", (_MOST_HISTORY,))

    def undo(self) -> Project | None:
        """Step back; None at the beginning."""
        return self._step("SELECT max(id) FROM history WHERE id<?")

    def redo(self) -> Project | None:
        """Step forward again; None at the end."""
        return self._step("SELECT min(id) FROM history WHERE id>?")

    def history(self) -> tuple[list[str], list[str]]:
        """Titles that can be undone (latest last) and redone (next first)."""
        current = self._current()
        rows = self._db.execute("SELECT id, title FROM history ORDER BY id").fetchall()
        return [title for number, title in rows[1:] if number <= current], [title for number, title in rows if number > current]

    # --- files and results ----------------------------------------------------------------------------------------
    def files(self) -> dict[str, bytes]:
        """Imported files by SHA-256, each checked against it."""
        found = {}
        for sha, data in self._db.execute("SELECT sha256, bytes FROM files"):
            if hashlib.sha256(data).hexdigest() != sha:
                raise LabilisError("An imported file inside the project is damaged.", str(self.path), "Import it again.",
                                   "damaged")
            found[sha] = data
        return found

    def add_file(self, sha: str, name: str, data: bytes) -> None:
        """Keep an imported file; those that older statements need stay."""
        with self._transaction():
            self._insert_file(sha, name, data)

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
            self._db.execute("INSERT OR REPLACE INTO results VALUES (?,?,?,?)", (key, kind, _sealed(key, kind, meta, packed), time.time()))
            self._db.executemany("INSERT INTO arrays VALUES (?,?,?,?)", packed)
            old = [row[0] for row in self._db.execute("SELECT key FROM results ORDER BY made DESC").fetchall()[_MOST_RESULTS:]]
            for stale in old:
                self._db.execute("DELETE FROM results WHERE key=?", (stale,))
                self._db.execute("DELETE FROM arrays WHERE key=?", (stale,))

    def results(self, keys: Iterable[str] | None = None) -> dict[str, Any]:
        """Results by key; those that cannot be read are left out, since a run makes them again."""
        wanted = None if keys is None else set(keys)
        found = {}
        for key, kind, meta in self._db.execute("SELECT key, kind, meta FROM results").fetchall():
            if wanted is not None and key not in wanted:
                continue
            try:
                found[key] = unpack(kind, self._opened(key, kind, meta), dict(self._arrays(key)))
            except (LabilisError, ValueError, zlib.error, sqlite3.Error, MemoryError):
                continue
        return found

    def save_as(self, path: Path) -> ProjectFile:
        """A copy under another name, written beside it first and then put in its place; returns the copy, opened."""
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
            raise LabilisError(f"The file cannot be written ({error.strerror}).", str(path), "Save it in another place.",
                               "disk") from error
        finally:
            temporary.unlink(missing_ok=True)
        copy = ProjectFile.open(path)
        copy._db.execute("PRAGMA journal_mode=WAL")
        return copy

    # --- helpers --------------------------------------------------------------------------------------------------
    def _opened(self, key: str, kind: str, sealed: str) -> dict[str, Any]:
        """What a result holds besides its arrays. Raises ValueError when anything of it is not as it was written."""
        packed = self._db.execute("SELECT key, name, size, packed FROM arrays WHERE key=?", (key,)).fetchall()
        stored = json.loads(sealed)
        if not isinstance(stored, dict) or stored.get("version") != labilis.__version__ or stored.get("checksum") != _checksum(
                key, kind, stored.get("meta"), packed):
            raise ValueError("a stored result was changed, or is of another version")
        return dict(stored["meta"])

    @contextmanager
    def _transaction(self) -> Iterator[None]:
        if self.read_only:
            raise LabilisError("The file is open for reading only; this change is not saved.", str(self.path),
                               "Save it under another name.", "read-only")
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
        cursor = self._db.execute("INSERT INTO history (made, title, statements) VALUES (?,?,?)",
                                  (time.time(), title, project.to_json()))
        self._db.execute("INSERT OR REPLACE INTO state VALUES ('current', ?)", (str(cursor.lastrowid),))

    def _insert_file(self, sha: str, name: str, data: bytes) -> None:
        self._db.execute("INSERT OR REPLACE INTO files VALUES (?,?,?)", (sha, name, data))

    def _step(self, query: str) -> Project | None:
        row = self._db.execute(query, (self._current(),)).fetchone()
        if row is None or row[0] is None:
            return None
        with self._transaction():
            self._db.execute("INSERT OR REPLACE INTO state VALUES ('current', ?)", (str(row[0]),))
        return self.project

    def _arrays(self, key: str) -> Iterator[tuple[str, np.ndarray]]:
        for name, size, packed in self._db.execute("SELECT name, size, packed FROM arrays WHERE key=?", (key,)).fetchall():
            if not 0 <= size <= _MOST_ARRAY:
                raise ValueError("an array has an impossible size")
            raw = zlib.decompressobj().decompress(packed, size)
            yield name, np.lib.format.read_array(io.BytesIO(raw), allow_pickle=False)


def _quoted(path: Path) -> str:
    from urllib.parse import quote

    return quote(str(path.absolute()))
