"""Runs: what stops them, keys, the worker process."""

import csv
import hashlib
import os
import signal
import threading
import time
from pathlib import Path

import pytest

from labilis.model import (
    CylindricalAxes,
    Hub,
    LabilisError,
    LoadCase,
    LocalAxes,
    Material,
    NormalAxes,
    Project,
    Support,
    load_project,
)
from labilis.run import Plan, Progress, Runner, Snapshot, Worker, judge_project, stage_keys
from labilis.run.worker import BodyQuery
from labilis.store.export import plain_cell, write_results
from tests.parts import (
    bar_step,
    body_of,
    bored_step,
    bores,
    cantilever,
    face_towards,
    first_factor,
    pinned,
    region,
    run,
)

DATA = bar_step()


def snapshot(project: Project, data: bytes = DATA) -> Snapshot:
    return Snapshot(project, {hashlib.sha256(data).hexdigest(): data})


def refused(project: Project, data: bytes = DATA) -> LabilisError:
    with pytest.raises(LabilisError) as caught:
        Runner().run(snapshot(project, data), Plan("modes"))
    return caught.value


def test_no_support() -> None:
    error = refused(cantilever(DATA).changed(supports=[]))
    assert error.code == "no-support"
    assert error.where == "supports"


def test_no_load_and_no_case() -> None:
    project = cantilever(DATA)
    assert refused(project.changed(cases=[LoadCase(name="service")])).code == "no-load"
    assert refused(project.changed(cases=[])).code == "no-load"
    assert (
        refused(project.with_value(("loads", 0, "components"), ["0 N", "0 N", "0 N"])).code
        == "no-load"
    )
    assert refused(project.with_value(("loads", 0, "growth"), "held")).code == "no-growing"


def test_missing_modulus_and_material() -> None:
    project = cantilever(DATA)
    error = refused(project.changed(materials=[Material(name="steel", poisson_ratio="0.3")]))
    assert error.code == "material-incomplete"
    assert error.where == "materials/steel/youngs_modulus"
    assert refused(project.with_value(("pieces", 0, "material"), None)).code == "no-material"


def test_sizes() -> None:
    assert refused(cantilever(DATA, size="400 mm")).code == "size-too-large"
    assert refused(cantilever(DATA, size="0.01 mm")).code == "size-too-small"


def test_free_motions_are_named() -> None:
    project = cantilever(DATA)
    error = refused(project.with_value(("supports", 0, "held"), ["x"]))
    assert error.code == "free-motion"
    for word in ("slides along y", "slides along z", "turns about x"):
        assert word in str(error)
    assert error.motion.shape == (3, 6)  # type: ignore[attr-defined]


def test_several_pieces_and_a_lost_region() -> None:
    project = cantilever(DATA)
    second = project.pieces[0].model_copy(update={"name": "second"})
    assert refused(project.changed(pieces=[*project.pieces, second])).code == "overlap"
    other = bored_step()
    swapped = project.changed(
        geometry=[
            project.geometry[0].model_copy(update={"sha256": hashlib.sha256(other).hexdigest()})
        ]
    )
    error = refused(swapped, other)
    assert error.code == "lost-region"
    assert "Pick it again" in error.remedy


def test_hub_and_support_on_one_face() -> None:
    project = cantilever(DATA).changed(hubs=[Hub(name="hub", region="foot")])
    error = refused(project)
    assert error.code == "tie-conflict"
    assert "'hub'" in str(error)


def test_cylindrical_axes_need_an_axis() -> None:
    project = cantilever(DATA)
    support = Support(
        name="foot fixed", on="foot", axes=CylindricalAxes(), held=("radial", "tangential", "axial")
    )
    assert refused(project.changed(supports=[support])).code == "no-axis"


@pytest.mark.full
def test_bore_held_point_by_point_in_its_own_cylinder() -> None:
    """Radial, tangential and axial together hold as much as x, y and z."""
    data = bored_step()
    body = body_of(data)
    foot = region(body, "foot", bores(body)[0])
    head = region(body, "head", face_towards(body, (1, 0, 0)))
    base = cantilever(bar_step()).changed(regions=[], supports=[], loads=[], cases=[])
    base = base.changed(
        geometry=[base.geometry[0].model_copy(update={"sha256": hashlib.sha256(data).hexdigest()})]
    )
    template = cantilever(DATA)
    factors = []
    for axes, held in (
        (CylindricalAxes(), ("radial", "tangential", "axial")),
        (None, ("x", "y", "z")),
    ):
        extra = {} if axes is None else {"axes": axes}
        project = base.changed(
            regions=[foot, head],
            supports=[Support(name="s", on="foot", held=held, **extra)],
            loads=template.loads,
            cases=template.cases,
        )
        factors.append(first_factor(project, data))
    assert factors[0] == pytest.approx(factors[1], rel=1e-8)
    free = base.changed(
        regions=[foot, head],
        supports=[Support(name="s", on="foot", axes=CylindricalAxes(), held=("radial", "axial"))],
        loads=template.loads,
        cases=template.cases,
    )
    error = refused(free, data)
    assert error.code == "free-motion"
    assert "turns about y" in str(error)


def test_local_axes_are_the_turned_global_ones() -> None:
    project = cantilever(DATA)
    turned = LocalAxes(x_axis=(0, 0, 2.0), xy_plane=(1.0, 1.0, 0))
    local = project.changed(supports=[project.supports[0].model_copy(update={"axes": turned})])
    assert first_factor(local, DATA) == pytest.approx(first_factor(project, DATA), rel=1e-7)


def test_sliding_on_faces_equals_the_global_directions() -> None:
    body = body_of(DATA)
    project = cantilever(DATA)
    sides = region(body, "side", face_towards(body, (0, 1, 0)))
    foot = project.supports[0]
    normal = project.changed(
        regions=[*project.regions, sides],
        supports=[foot, Support(name="side", on="side", axes=NormalAxes(), held=("normal",))],
    )
    plain = normal.changed(supports=[foot, Support(name="side", on="side", held=("y",))])
    assert first_factor(normal, DATA) == pytest.approx(first_factor(plain, DATA), rel=1e-8)


def test_reactions_balance_for_hubs_and_faces() -> None:
    data = bored_step()
    report = run(pinned(data), data, "strength")
    strength = report.cases[0].facts.strength
    total = strength.applied.sum(axis=0) + strength.reaction.sum(axis=(0, 1))
    assert abs(total[:3]).max() < 1e-5
    assert abs(total[3:]).max() < 1e-2
    assert strength.axial[0] == pytest.approx(1000, rel=1e-6)


def test_keys_follow_what_matters_and_nothing_else() -> None:
    project = cantilever(DATA)
    keys = stage_keys(project)
    assert all((keys.shape, keys.mesh, keys.strength, keys.modes))
    same = project.changed(name="other name", mesh=project.mesh)
    assert stage_keys(same) == keys
    units = project.with_value(("loads", 0, "components"), ["-1000 N", "0 kN", "0 N"])
    assert stage_keys(units).strength == keys.strength
    load = stage_keys(project.with_value(("loads", 0, "components"), ["-2 kN", "0 N", "0 N"]))
    assert (load.mesh, load.shape) == (keys.mesh, keys.shape)
    assert load.strength != keys.strength
    finer = stage_keys(project.with_value(("mesh", "size"), "3 mm"))
    assert finer.shape == keys.shape
    assert finer.mesh != keys.mesh
    more = stage_keys(project.with_value(("criteria", "modes"), 9))
    assert more.strength == keys.strength
    assert more.modes != keys.modes
    assert stage_keys(Project()).shape == ""


def test_keys_are_found_once_for_each_state_of_the_project(monkeypatch: pytest.MonkeyPatch) -> None:
    """The window asks dozens of times between two edits."""

    def plate(name: str, width: str) -> dict[str, object]:
        outline = [
            {"x": x, "y": y} for x, y in (("0 mm", "0 mm"), (width, "0 mm"), (width, "50 mm"))
        ]
        return {"name": name, "recipe": {"kind": "plate", "thickness": "2 mm", "outline": outline}}

    looked: list[int] = []
    stated = Project.evaluated
    monkeypatch.setattr(
        Project, "evaluated", lambda self, *args: looked.append(1) or stated(self, *args)
    )
    project = Project.model_validate(
        {"pieces": [plate("a", "90 mm"), plate("a/b", "w")], "parameters": {"w": "80 mm"}}
    )
    first = [stage_keys(project) for _ in range(40)]
    assert all(keys is first[0] for keys in first) and len(looked) < 16
    wider = project.changed(
        parameters={"w": "81 mm"}
    )  # a name with a stroke in it has its numbers too
    assert stage_keys(wider).shape != first[0].shape and stage_keys(project) == first[0]
    assert stage_keys(project.changed(parameters={"w": "8 cm"})).shape == first[0].shape


def test_a_second_run_reuses_what_did_not_change() -> None:
    runner = Runner()
    project = cantilever(DATA)
    runner.run(snapshot(project), Plan("modes"))
    first = dict(runner.timing)
    runner.run(snapshot(project.with_value(("criteria", "modes"), 2)), Plan("modes"))
    assert "factorise" in first
    assert "factorise" not in runner.timing


# --- the process
# --------------------------------------------------------------------------------------------------
def drain(worker: Worker, until: set[str], limit: float = 60.0) -> list:
    events, end = [], time.monotonic() + limit
    while time.monotonic() < end:
        for event in worker.poll(0.05):
            events.append(event)
            if event.kind in until:
                return events
    raise AssertionError(f"no {until} within {limit} s, only {[event.kind for event in events]}")


@pytest.fixture
def worker():
    made = Worker()
    yield made
    made.close()


def test_worker_runs_reports_and_serves_again(worker: Worker) -> None:
    project = cantilever(DATA)
    worker.submit(snapshot(project), Plan("modes"))
    with pytest.raises(RuntimeError):
        worker.submit(snapshot(project), Plan("modes"))
    events = drain(worker, {"done"})
    kinds = [event.kind for event in events]
    assert kinds.count("found") == 7
    fractions = [event.content.fraction for event in events if event.kind == "progress"]
    assert isinstance(events[0].content, Progress)
    assert fractions == sorted(fractions)
    assert events[-1].content["total"] > 0
    worker.submit(snapshot(project.changed(supports=[])), Plan("modes"))
    error, _ = drain(worker, {"error"})[-1].content
    assert error.code == "no-support"
    worker.ask(BodyQuery(DATA, "bar.step"))
    found = [event for event in drain(worker, {"done"}) if event.kind == "found"]
    assert found[0].content[1][0].volume == pytest.approx(240 * 16 * 4)
    worker.ask(BodyQuery(b"not step", "x.step"))
    error, _ = drain(worker, {"error"})[-1].content
    assert error.code == "not-step"


def test_stop_takes_effect_within_a_second(worker: Worker) -> None:
    worker.submit(snapshot(cantilever(DATA, size="1.3 mm")), Plan("modes"))
    drain(worker, {"found"})
    time.sleep(0.3)
    started = time.monotonic()
    assert worker.stop().kind == "stopped"
    assert time.monotonic() - started < 1.0
    assert not worker.busy
    worker.submit(snapshot(cantilever(DATA)), Plan("shape"))
    drain(worker, {"done"})


def test_a_killed_worker_is_an_event_and_the_next_run_works(worker: Worker) -> None:
    worker.submit(snapshot(cantilever(DATA, size="1.3 mm")), Plan("modes"))
    drain(worker, {"found"})
    assert worker.process_id is not None
    os.kill(worker.process_id, signal.SIGKILL)
    last = drain(worker, {"died"})[-1]
    assert "Nothing stated or found is lost" in last.content
    worker.submit(snapshot(cantilever(DATA)), Plan("shape"))
    drain(worker, {"done"})


@pytest.mark.parametrize("end", ["killed", "stopped"])
@pytest.mark.full
def test_a_run_that_ends_while_it_is_held_does_not_hold_its_window(
    worker: Worker, end: str
) -> None:
    """What it waits on must not wait for it in turn."""
    worker.submit(snapshot(cantilever(DATA, size="1.3 mm")), Plan("modes"))
    drain(worker, {"found"})
    worker.pause(True)
    silent = time.monotonic()
    while time.monotonic() - silent < 0.7:  # until it sleeps
        if list(worker.poll(0.05)):
            silent = time.monotonic()
    assert worker.busy and worker.process_id is not None
    if end == "killed":
        os.kill(worker.process_id, signal.SIGKILL)
    else:
        worker.stop()
    going_on = threading.Thread(target=worker.pause, args=(False,), daemon=True)
    going_on.start()
    going_on.join(5.0)
    assert not going_on.is_alive()
    if end == "killed":
        drain(worker, {"died"})
    worker.submit(snapshot(cantilever(DATA)), Plan("shape"))
    drain(worker, {"done"})


def test_another_mesh_never_meets_an_old_system() -> None:
    """One runner, sizes there and back: each time the answer of a runner that knows nothing."""
    runner, first = Runner(), {}
    for size in ("9 mm", "7 mm", "9 mm"):
        project = cantilever(DATA, size=size)
        found = runner.run(snapshot(project), Plan("modes"))[stage_keys(project).modes].factors
        fresh = first.setdefault(
            size, Runner().run(snapshot(project), Plan("modes"))[stage_keys(project).modes].factors
        )
        assert found == pytest.approx(fresh, rel=1e-9)


# --- what is written
# --------------------------------------------------------------------------------------------------
@pytest.mark.parametrize(
    "name", ["../../x.step", "/etc/x.step", "a\\b.step", "..", "", "a\nb.step", "n" * 300 + ".step"]
)
def test_an_imported_file_cannot_be_named_into_another_folder(name: str) -> None:
    """Exporting a project writes its files under their names."""
    model = cantilever(DATA).model_dump(mode="json")
    model["geometry"][0]["file"] = name
    with pytest.raises(LabilisError, match="named without folders"):
        load_project(model)


def test_tables_hold_no_formulas_and_no_case_takes_the_file_of_another(tmp_path: Path) -> None:
    project = cantilever(DATA)
    piece = '=HYPERLINK("x")'
    project = project.changed(
        pieces=[project.pieces[0].model_copy(update={"name": piece})],
        regions=[item.model_copy(update={"piece": piece}) for item in project.regions],
    )
    case = project.cases[0]
    project = project.changed(
        cases=[case.model_copy(update={"name": name}) for name in ("A b", "a-b", "a/b")]
    )
    report = judge_project(project, Runner().run(snapshot(project), Plan("modes")))
    written = [path for found in report.cases for path in write_results(found, tmp_path / "out")]
    assert len(set(written)) == len(written) == 9
    assert all(path.parent == tmp_path / "out" for path in written)
    for path in written:
        if path.suffix == ".csv":
            with open(path, newline="", encoding="utf-8") as source:
                cells = [cell for row in csv.reader(source) for cell in row]
            assert not [cell for cell in cells if cell[:1] in "=@" and cell]
    modes = (tmp_path / "out" / "A-b-modes.csv").read_text(encoding="utf-8")
    assert "'=HYPERLINK" in modes and modes.splitlines()[1].startswith("1,")


@pytest.mark.parametrize(
    ("cell", "kept"),
    [
        ("-3.5", "-3.5"),
        ("+1e5", "+1e5"),
        ("=1+1", "'=1+1"),
        ("-cmd", "'-cmd"),
        ("@a", "'@a"),
        ("plain", "plain"),
        (7, 7),
        ("", ""),
    ],
)
def test_a_cell_is_text_or_a_number(cell: object, kept: object) -> None:
    assert plain_cell(cell) == kept


def test_a_quantity_without_a_value_runs_nothing() -> None:
    """A project that was made past its checks: results under no key would be those of any case."""
    from tests.judge.test_mistakes import STEEL, force, strip

    data = strip(force("-100 N"), materials=[STEEL | {"expansion": "1.2e-05 1/K"}])
    unchecked = Project.model_validate(
        load_project(strip(force("-100 N"))).model_dump() | {"materials": data["materials"]}
    )
    with pytest.raises(LabilisError, match="no value"):
        Runner().run(Snapshot(unchecked), Plan("modes"))


@pytest.mark.parametrize("upto", ["shape", "modes"])
def test_what_the_geometry_library_cannot_measure_is_told(
    monkeypatch: pytest.MonkeyPatch, upto: str
) -> None:
    """Of 2,150 damaged files one could be read, and not be measured afterwards."""
    from OCP.StdFail import StdFail_NotDone

    from labilis.shape import BodyShape

    def fails(_: BodyShape) -> None:
        raise StdFail_NotDone("the moments of inertia")

    project = cantilever(DATA)
    monkeypatch.setattr(BodyShape, "view", property(fails))
    with pytest.raises(LabilisError) as told:
        Runner().run(snapshot(project), Plan(upto))  # type: ignore[arg-type]
    assert told.value.code == "geometry-damaged" and told.value.remedy
