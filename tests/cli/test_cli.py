"""The command line, run as a user runs it."""

import csv
import json
import os
import subprocess
import sys
from pathlib import Path

import jsonschema
import pytest

from labilis.model import load_project
from labilis.run import Snapshot
from labilis.store import write_model
from tests.commands import labilis
from tests.parts import bar_step, cantilever

DEMO = Path(__file__).parents[2] / "src/labilis/demos/panel-prop/panel-prop.json"


def started(*arguments: object, display: bool = False) -> subprocess.CompletedProcess[str]:
    """The program from nothing, as a shell starts it."""
    environment = {
        key: value
        for key, value in os.environ.items()
        if display or key not in ("DISPLAY", "WAYLAND_DISPLAY")
    }
    return subprocess.run(
        [sys.executable, "-m", "labilis", *map(str, arguments)],
        capture_output=True,
        text=True,
        env=environment,
        timeout=120,
        check=False,
    )


def bar(folder: Path, **fields: object) -> Path:
    data = bar_step()
    project = cantilever(data, **fields)  # type: ignore[arg-type]
    path = folder / "bar model ä.json"
    write_model(Snapshot(project, {project.geometry[0].sha256: data}), path)
    return path


def test_check_writes_the_promised_json(tmp_path: Path) -> None:
    model = bar(tmp_path)
    done = labilis(
        "check", model, "--json", tmp_path / "r.json", "--out", tmp_path / "out", "--modes", 2
    )
    assert done.returncode == 1, done.stderr  # 0.77 against a required 3
    result = json.loads((tmp_path / "r.json").read_text())
    case = result["cases"][0]
    assert result["verdict"] == "does not meet"
    assert set(case["strength"]) == {
        "max_displacement_mm",
        "max_von_mises_mpa",
        "reaction_n",
        "spring_reaction_n",
        "yield_factor",
        "wall_yield_factor",
        "yield_mesh_error",
        "sections_yield_factor",
        "sections_mesh_error",
        "peak",
        "bolts",
    }
    assert set(case["modes"][0]) >= {
        "number",
        "factor",
        "critical_load_n",
        "driver",
        "kind",
        "required_factor",
        "meets",
    }
    assert len(case["modes"]) == 2
    assert case["modes_complete"] is True
    assert case["modes"][0]["critical_load_n"] == pytest.approx(1000 * case["modes"][0]["factor"])
    assert case["euler"]["ends"] == "fixed-free"
    assert set(result["mesh"]) == {"nodes", "elements", "unknowns", "order", "size_mm", "found_by"}
    assert {"name", "figure", "unit", "state", "text"} <= set(result["evidence"][0])
    assert {"shape", "mesh", "assemble", "factorise", "modes", "total"} <= set(result["timing_s"])
    names = {path.name for path in (tmp_path / "out").iterdir()}
    assert names == {"service.vtu", "service-modes.csv", "service-evidence.csv"}
    rows = list(
        csv.DictReader(
            (tmp_path / "out/service-modes.csv").read_text(encoding="utf-8").splitlines()
        )
    )
    assert float(rows[0]["factor"]) == pytest.approx(case["modes"][0]["factor"])
    import meshio

    grid = meshio.read(tmp_path / "out/service.vtu")
    assert len(grid.points) == result["mesh"]["nodes"]
    assert {"displacement_mm", "von_mises_mpa", "mode_1_no_unit"} <= set(grid.point_data)


def test_exit_status_follows_the_verdict(tmp_path: Path) -> None:
    from labilis.model import Criteria

    kept = bar(tmp_path, criteria=Criteria(required_factor="0.5", modes=2))
    assert (
        labilis("check", kept).returncode == 3
    )  # it buckles under the service load, whatever is asked of the ideal part
    good = bar(tmp_path, criteria=Criteria(required_factor="0.5", capacity="0.5", modes=2))
    done = started("check", good, "--json", "-")
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)["verdict"] == "meets"
    draft = bar(tmp_path, order=1, criteria=Criteria(required_factor="0.5", modes=2))
    assert labilis("check", draft).returncode == 3  # a draft is never a pass, nor a fail


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("{", "not JSON"),
        ('{"labilis": 2, "mesh": {"size": "12 kg"}}', "mesh/size: '12 kg' is a mass"),
        ('{"labilis": 2}', "no part"),
    ],
)
def test_wrong_models_exit_with_two_and_say_where(tmp_path: Path, text: str, said: str) -> None:
    path = tmp_path / "m.json"
    path.write_text(text)
    done = labilis("check", path)
    assert done.returncode == 2
    assert said in done.stderr
    assert "Traceback" not in done.stderr


def test_missing_files_and_cases(tmp_path: Path) -> None:
    assert labilis("check", tmp_path / "none.json").returncode == 2
    assert "no load case called 'x'" in labilis("check", bar(tmp_path), "--case", "x").stderr
    assert labilis("demo", "nothing").returncode == 2
    assert "no display" in labilis("open", bar(tmp_path)).stderr


@pytest.mark.full
def test_demo_without_a_display_prints_the_verdict() -> None:
    done = labilis("demo")
    assert done.returncode in (0, 1)
    assert "Does not meet 3" in done.stdout or "Meets 3" in done.stdout
    assert "Euler, fixed-fixed" in done.stdout
    assert "completeness" in done.stdout
    assert "panel-prop" in labilis("demo", "--list").stdout


def test_a_display_that_nobody_serves_counts_as_none(monkeypatch: pytest.MonkeyPatch) -> None:
    from labilis.cli.main import has_display

    monkeypatch.delenv("WAYLAND_DISPLAY", raising=False)
    assert has_display()  # the tests' own virtual screen
    for name, expected in ((":4711", False), ("", False), ("far.example:0", True)):
        monkeypatch.setenv("DISPLAY", name)
        assert has_display() is expected


def test_the_demo_is_what_its_script_writes(tmp_path: Path) -> None:
    """The shipped STEP file has the sizes of the script that is said to have written it."""
    from labilis.shape import list_bodies

    subprocess.run(
        [sys.executable, DEMO.parents[4] / "tools/make_panel_prop.py", tmp_path / "p.step"],
        check=True,
        capture_output=True,
    )
    fresh = list_bodies((tmp_path / "p.step").read_bytes())[0]
    shipped = list_bodies((DEMO.parent / "panel-prop.step").read_bytes())[0]
    assert fresh.volume == pytest.approx(shipped.volume, rel=1e-12)


def test_schema_fits_the_demo() -> None:
    schema = json.loads(labilis("schema").stdout)
    jsonschema.validate(json.loads(DEMO.read_text()), schema)


def test_model_to_project_and_back(tmp_path: Path) -> None:
    project = tmp_path / "p q.labilis"
    assert labilis("import-model", DEMO, project).returncode == 0
    assert labilis("import-model", DEMO, project).returncode == 2
    done = labilis("export-model", project, tmp_path / "back/m.json")
    assert done.returncode == 0, done.stderr
    assert (
        load_project((tmp_path / "back/m.json").read_text()).name
        == load_project(DEMO.read_text()).name
    )
    assert (tmp_path / "back/panel-prop.step").read_bytes() == (
        DEMO.parent / "panel-prop.step"
    ).read_bytes()


def test_doctor_names_the_solver() -> None:
    done = labilis("doctor")
    assert done.returncode == 0, done.stdout
    assert "Solver: " in done.stdout
    assert "none; the window cannot be opened" in done.stdout


def test_version() -> None:
    assert labilis("--version").stdout.startswith("labilis ")


BRACKET = DEMO.parents[1] / "sensor-bracket/sensor-bracket.json"
STAND = DEMO.parents[1] / "cabinet-stand/cabinet-stand.json"


@pytest.mark.full
def test_trace_writes_its_curve(tmp_path: Path) -> None:
    coarse = {**json.loads(BRACKET.read_text(encoding="utf-8")), "mesh": {"size": "14 mm"}}
    (tmp_path / "coarse.json").write_text(json.dumps(coarse), encoding="utf-8")
    done = labilis(
        "trace",
        tmp_path / "coarse.json",
        "--amplitude",
        "0.3 mm",
        "--json",
        tmp_path / "t.json",
        "--out",
        tmp_path / "out",
    )
    assert done.returncode == 0, done.stderr
    trace = json.loads((tmp_path / "t.json").read_text())["cases"][0]["trace"]
    assert trace["amplitude_mm"] == pytest.approx(0.3)
    assert 0 < trace["verified_factor"] < 4.5
    assert trace["reason_stopped"] and trace["yielding"] and trace["plastic_strain"] >= 0
    factors = [point["factor"] for point in trace["curve"]]
    assert factors[0] == 0 and len(factors) > 4
    assert {
        "probe_mm",
        "max_displacement_mm",
        "max_von_mises_mpa",
        "iterations",
        "negative_pivots",
    } <= set(trace["curve"][0])
    assert (tmp_path / "out/maintenance.vtu").exists()


@pytest.mark.full
def test_converge_lists_its_meshes() -> None:
    done = labilis("converge", BRACKET, "--meshes", 3, "--json", "-")
    assert done.returncode == 0, done.stderr
    study = json.loads(done.stdout)
    sizes = [mesh["size_mm"] for mesh in study["meshes"]]
    assert sizes == sorted(sizes, reverse=True) and len(sizes) == 3
    assert study["extrapolated_factor"] == pytest.approx(study["meshes"][-1]["factor"], rel=0.2)


@pytest.mark.full
def test_one_case_of_several_and_the_drivers_of_a_stand(tmp_path: Path) -> None:
    done = labilis("check", STAND, "--case", "cabinet with wind", "--modes", 2, "--json", "-")
    assert done.returncode == 1, done.stderr
    result = json.loads(done.stdout)
    assert [case["name"] for case in result["cases"]] == ["cabinet with wind"]
    assert {mode["driver"] for mode in result["cases"][0]["modes"]} == {"leg"}
    assert any(item["name"] == "joints" for item in result["evidence"])


def test_all_demos_are_listed() -> None:
    done = labilis("demo", "--list")
    for name in ("panel-prop", "cabinet-stand", "antenna-mast", "sensor-bracket"):
        assert name in done.stdout


def test_screening_lists_pieces_and_a_hidden_mode_is_in_the_json(tmp_path: Path) -> None:
    from tests.analysis.test_symmetry import half

    done = labilis("screen", BRACKET)
    assert done.returncode == 0 and "look closer" in done.stdout and "leave it" in done.stdout
    steel = {"name": "steel", "youngs_modulus": "210 GPa", "poisson_ratio": "0.3"}
    (tmp_path / "half.json").write_text(
        json.dumps({"labilis": 2, "materials": [steel], **half("line", True)}), encoding="utf-8"
    )
    done = labilis("check", tmp_path / "half.json", "--json", "-")
    case = json.loads(done.stdout)["cases"][0]
    assert case["antisymmetric_factor"] < case["modes"][0]["factor"]
    assert case["screening"][0]["member"] == "strut" and {
        item["check"] for item in case["hand_checks"]
    } >= {"euler", "johnson", "ec3"}


@pytest.mark.full
def test_revise_lists_what_is_blocked(tmp_path: Path) -> None:
    from tests.parts import box, to_step

    model = bar(tmp_path)
    (tmp_path / "thicker.step").write_bytes(to_step(box(244, 16, 5)))
    done = labilis("revise", model, tmp_path / "thicker.step", "--out", tmp_path / "new.json")
    assert done.returncode == 0 and "Every region found" in done.stdout, done.stderr
    checked = labilis(
        "check", tmp_path / "new.json", "--modes", 1
    )  # (5/4)³ (240/244)² of the first one's factor
    assert checked.returncode == 1 and "1.45" in checked.stdout
    (tmp_path / "other.step").write_bytes(to_step(box(10, 9, 8, (900, 0, 0))))
    done = labilis("revise", model, tmp_path / "other.step", "--out", tmp_path / "bad.labilis")
    assert done.returncode == 2
    assert "blocked: support" in done.stdout and "blocked: load" in done.stdout
    assert labilis("check", tmp_path / "bad.labilis").returncode == 2
    assert (
        labilis("revise", model, tmp_path / "missing.step", "--out", tmp_path / "x.json").returncode
        == 2
    )
