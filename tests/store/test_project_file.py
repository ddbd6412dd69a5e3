"""The project file: history, damage, full disks, results."""

import sqlite3
import zlib
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from labilis.model import LabilisError, Project
from labilis.results.findings import SectionFindings
from labilis.run import pack, stage_keys, unpack
from labilis.store import ProjectFile, load_model, write_model
from labilis.store.json_form import project_files
from tests.parts import bar_step, body_of, cantilever, run


def named(name: str) -> Project:
    return Project(name=name)


def test_history_survives_closing(tmp_path: Path) -> None:
    path = tmp_path / "Träger mit Leerzeichen 1.labilis"
    store = ProjectFile.create(path, named("a"))
    store.commit(named("b"), "rename to b")
    store.commit(named("c"), "rename to c")
    assert store.undo() == named("b")
    store.close()
    store = ProjectFile.open(path)
    assert store.project == named("b")
    assert store.history() == (["rename to b"], ["rename to c"])
    assert store.redo() == named("c")
    assert store.redo() is None
    assert store.undo() is not None and store.undo() == named("a")
    assert store.undo() is None
    store.commit(named("d"), "another way")
    assert store.redo() is None
    assert store.history() == (["another way"], [])
    store.close()


@given(st.lists(st.sampled_from(["edit", "undo", "redo"]), max_size=25))
@settings(max_examples=25, deadline=None)
def test_history_behaves_like_two_stacks(
    tmp_path_factory: pytest.TempPathFactory, moves: list[str]
) -> None:
    store = ProjectFile.create(tmp_path_factory.mktemp("h") / "p.labilis", named("0"))
    past, future = ["0"], []
    for number, move in enumerate(moves, 1):
        if move == "edit":
            store.commit(named(str(number)), "edit")
            past, future = [*past, str(number)], []
        elif move == "undo":
            found = store.undo()
            assert (found is None) == (len(past) == 1)
            if len(past) > 1:
                future.append(past.pop())
        else:
            found = store.redo()
            assert (found is None) == (not future)
            if future:
                past.append(future.pop())
        assert store.project.name == past[-1]
    store.close()


def test_a_killed_window_loses_nothing(tmp_path: Path) -> None:
    """A second connection sees every edit though the first never closed its file."""
    path = tmp_path / "p.labilis"
    store = ProjectFile.create(path, named("a"))
    store.commit(named("b"), "edit")
    other = ProjectFile.open(path)
    assert other.project == named("b")
    other.close()
    store.close()


def test_results_come_back_equal(tmp_path: Path) -> None:
    data = bar_step()
    project = cantilever(data)
    body = body_of(data)
    report = run(project, data)
    store = ProjectFile.create(tmp_path / "p.labilis", project, project_files(project, {"x": b"y"}))
    keys = stage_keys(project)
    facts = report.cases[0].facts
    for key, result in (
        (keys.shape, body.view),
        (keys.mesh, facts.mesh),
        (keys.strength, facts.strength),
        (keys.modes, facts.modes),
    ):
        store.put_result(key, result)
    store.close()
    found = ProjectFile.open(tmp_path / "p.labilis").results()
    assert set(found) == {keys.shape, keys.mesh, keys.strength, keys.modes}
    assert np.array_equal(found[keys.modes].factors, facts.modes.factors)
    assert np.allclose(found[keys.modes].shapes, facts.modes.shapes, atol=1e-6)
    assert found[keys.modes].kinds.tolist() == facts.modes.kinds.tolist()
    assert found[keys.strength].supports.tolist() == ["foot fixed"]
    assert found[keys.shape].faces.kind.tolist() == body.faces.kind.tolist()
    assert found[keys.mesh].order == 2


def test_pack_refuses_objects_and_strange_parts() -> None:
    empty = np.zeros(0)
    odd = SectionFindings(
        axis=empty,
        station=empty,
        area=empty,
        i_min=empty,
        i_max=empty,
        weak=np.array([[{}, {}, {}]], dtype=object),
        strong=empty,
    )
    with pytest.raises(TypeError):
        pack(odd)
    with pytest.raises(LabilisError):
        unpack("Unheard", {}, {})


@pytest.mark.parametrize(
    ("content", "code"), [(b"", "not-project"), (b"hello world, not a database", "not-project")]
)
def test_files_of_another_kind(tmp_path: Path, content: bytes, code: str) -> None:
    path = tmp_path / "p.labilis"
    path.write_bytes(content)
    with pytest.raises(LabilisError) as caught:
        ProjectFile.open(path)
    assert caught.value.code == code
    assert path.read_bytes() == content


def test_other_databases_and_newer_versions(tmp_path: Path) -> None:
    path = tmp_path / "other.labilis"
    with sqlite3.connect(path) as other:
        other.execute("CREATE TABLE t (x)")
    with pytest.raises(LabilisError, match="not a Labilis project"):
        ProjectFile.open(path)
    newer = ProjectFile.create(tmp_path / "new.labilis", named("a"))
    newer._db.execute("PRAGMA user_version=99")
    newer.close()
    with pytest.raises(LabilisError) as caught:
        ProjectFile.open(tmp_path / "new.labilis")
    assert caught.value.code == "version"


def test_a_damaged_file_says_what_can_be_saved(tmp_path: Path) -> None:
    path = tmp_path / "p.labilis"
    store = ProjectFile.create(path, named("precious"), {"00": ("big.step", bytes(200_000))})
    store.commit(named("precious"), "edit")
    store.close()
    whole = bytearray(path.read_bytes())
    for start in range(len(whole) // 2, len(whole) - 4096, 4096):
        whole[start : start + 4096] = b"\xa5" * 4096
    path.write_bytes(whole)
    with pytest.raises(LabilisError) as caught:
        ProjectFile.open(path).files()
    assert caught.value.code == "damaged"
    assert path.read_bytes() == bytes(whole)


def test_missing_statements_are_damage_and_the_rest_is_offered(tmp_path: Path) -> None:
    path = tmp_path / "p.labilis"
    store = ProjectFile.create(path, named("older"))
    store.commit(named("newer"), "edit")
    store._db.execute("DELETE FROM history WHERE id=2")
    store.close()
    with pytest.raises(LabilisError) as caught:
        ProjectFile.open(path)
    assert "'older'" in caught.value.remedy


def test_a_full_disk_keeps_what_was_there(tmp_path: Path) -> None:
    store = ProjectFile.create(tmp_path / "p.labilis", named("a"))
    pages = store._db.execute("PRAGMA page_count").fetchone()[0]
    store._db.execute(f"PRAGMA max_page_count={pages}")
    with pytest.raises(LabilisError) as caught:
        store.commit(Project(name="b" * 200_000), "too large")
    assert caught.value.code == "disk-full"
    assert store.project == named("a")
    store.close()


def test_a_file_that_cannot_be_written(tmp_path: Path) -> None:
    path = tmp_path / "p.labilis"
    ProjectFile.create(path, named("a")).close()
    connection = sqlite3.connect(f"file:{path}?mode=ro&immutable=1", uri=True, isolation_level=None)
    store = ProjectFile(path, connection, read_only=True)
    assert store.project == named("a")
    with pytest.raises(LabilisError) as caught:
        store.commit(named("b"), "edit")
    assert caught.value.code == "read-only"
    copy = store.save_as(tmp_path / "copy.labilis")
    copy.commit(named("b"), "edit")
    assert copy.project == named("b")
    copy.close()
    with pytest.raises(LabilisError) as caught:
        store.save_as(tmp_path / "no such folder" / "copy.labilis")
    assert caught.value.code == "disk"
    store.close()


def test_json_model_beside_its_geometry(tmp_path: Path) -> None:
    data = bar_step()
    project = cantilever(data)
    from labilis.run import Snapshot

    snapshot = Snapshot(project, {project.geometry[0].sha256: data})
    written = write_model(snapshot, tmp_path / "out" / "bar.json")
    assert [path.name for path in written] == ["bar.json", "part.step"]
    back = load_model(written[0])
    assert back.project == project
    assert back.files == snapshot.files
    written[1].unlink()
    with pytest.raises(LabilisError, match="not beside the model"):
        load_model(written[0])
    (tmp_path / "latin.json").write_bytes(b'{"name": "\xe9"}')
    with pytest.raises(LabilisError, match="UTF-8"):
        load_model(tmp_path / "latin.json")
    outside = project.model_copy(
        update={"geometry": (project.geometry[0].model_copy(update={"file": "../part.step"}),)}
    )
    (tmp_path / "outside.json").write_text(
        outside.to_json().replace('"geometry": "part.step"', '"geometry": "../part.step"')
    )
    with pytest.raises(LabilisError, match="named without folders"):
        load_model(tmp_path / "outside.json")


def test_a_stored_result_that_was_changed_is_not_believed(tmp_path: Path) -> None:
    """Bits flipped at random, factors multiplied, entries taken out: what is read is what was
    written, or nothing."""
    data = bar_step()
    project = cantilever(data)
    modes = run(project, data).cases[0].facts.modes
    key = stage_keys(project).modes
    file = ProjectFile.create(tmp_path / "p.labilis", project, project_files(project, {"x": b"y"}))
    file.put_result(key, modes)
    file.close()
    whole = (tmp_path / "p.labilis").read_bytes()
    rng = np.random.default_rng(3)

    def read_after(change: str, *values: Any) -> dict[str, Any]:
        path = tmp_path / "changed.labilis"
        path.write_bytes(whole)
        database = sqlite3.connect(path)
        database.execute(change, values)
        database.commit()
        database.close()
        found = ProjectFile.open(path)
        try:
            return found.results()
        finally:
            found.close()

    database = sqlite3.connect(tmp_path / "p.labilis")
    (meta,) = database.execute("SELECT meta FROM results").fetchone()
    arrays = dict(database.execute("SELECT name, packed FROM arrays").fetchall())
    database.close()
    assert np.array_equal(read_after("UPDATE results SET made=1")[key].factors, modes.factors)
    raw = bytearray(zlib.decompress(arrays["factors"]))
    raw[-16:] = (100 * np.frombuffer(bytes(raw[-16:]))).tobytes()
    assert (
        read_after("UPDATE arrays SET packed=? WHERE name='factors'", zlib.compress(bytes(raw), 1))
        == {}
    )
    assert read_after("DELETE FROM arrays WHERE name='checks'") == {}
    assert read_after("UPDATE results SET kind='StrengthFindings'") == {}
    for _ in range(20):
        text = bytearray(meta.encode())
        text[int(rng.integers(len(text)))] ^= 1 << int(rng.integers(7))
        assert (
            read_after("UPDATE results SET meta=?", text.decode(errors="replace")) == {}
            or text.decode(errors="replace") == meta
        )
    for name, data in arrays.items():
        spoilt = bytearray(data)
        spoilt[int(rng.integers(len(spoilt)))] ^= 1 << int(rng.integers(8))
        assert read_after("UPDATE arrays SET packed=? WHERE name=?", bytes(spoilt), name) == {}
