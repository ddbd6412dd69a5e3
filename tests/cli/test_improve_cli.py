"""`labilis trials` and `labilis compare` as a user calls them."""

from __future__ import annotations

import csv
import json
import os
import signal
import subprocess
import sys
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest
from typer.testing import CliRunner

from labilis.cli.main import app
from labilis.edit.variants import design_names
from labilis.model import LabilisError, load_project
from labilis.store import ProjectFile
from tests.judge.test_mistakes import flat, strip

PLAN = {
    "name": "thickness",
    "vary": [{"parameter": "t", "low": "3 mm", "high": "6 mm", "count": 7}],
    "limits": [
        {"response": "mass", "at_most": "0.15 kg"},
        {"response": "first factor", "at_least": "1"},
    ],
}


def inside(*words: Any) -> SimpleNamespace:
    """A command in this process: what takes seconds is the start of another."""
    ran = CliRunner().invoke(app, [str(word) for word in words])
    status = 2 if isinstance(ran.exception, LabilisError) else ran.exit_code
    return SimpleNamespace(
        returncode=status, stdout=ran.stdout, stderr=f"{ran.stderr}{ran.exception or ''}"
    )


@pytest.fixture
def stated(tmp_path: Path) -> Path:
    path = tmp_path / "strip.json"
    model = strip(
        parameters={"t": "4 mm"}, pieces=[flat("t")], mesh={"size": "20 mm"}, plans=[PLAN]
    )
    path.write_text(json.dumps(model), encoding="utf-8")
    return path


def test_a_plan_that_was_killed_goes_on_where_it_was(stated: Path, tmp_path: Path) -> None:
    """Nothing is run twice, the table is the same, and the best trial becomes a design."""
    project = tmp_path / "strip.labilis"
    assert inside("import-model", stated, project).returncode == 0
    process = subprocess.Popen(
        [sys.executable, "-m", "labilis", "trials", str(project), "--workers", "1"],
        stderr=subprocess.PIPE,
        stdout=subprocess.DEVNULL,
        text=True,
        start_new_session=True,
    )
    assert process.stderr is not None
    for _ in range(3):
        process.stderr.readline()
    os.killpg(process.pid, signal.SIGKILL)
    process.wait()
    opened = ProjectFile.open(project)
    before = opened.trials()
    opened.close()
    assert 2 <= len(before) < 7
    first = inside(
        "trials",
        project,
        "--workers",
        "2",
        "--json",
        "-",
        "--variant",
        "light",
        "--csv",
        tmp_path / "t.csv",
    )
    assert first.returncode == 0, first.stderr
    opened = ProjectFile.open(project)
    after = opened.trials()
    assert len(after) == 7 and all(
        after[key].seconds == found.seconds for key, found in before.items()
    )
    assert design_names(opened.project) == ("first design", "light")
    assert opened.project.variants[0].statements["parameters"] == {"t": "4.5 mm"}
    opened.close()
    again = json.loads(inside("trials", project, "--json", "-").stdout)
    found = json.loads(first.stdout)
    assert again == found and found["best"] == {"t": "4.5 mm"} and len(found["trials"]) == 7
    assert [row["keeps_to_limits"] for row in found["trials"]] == [True] * 4 + [False] * 3
    with open(tmp_path / "t.csv", newline="", encoding="utf-8") as source:
        rows = list(csv.DictReader(source))
    assert [row["t"] for row in rows][:2] == ["4.5 mm", "4 mm"] and float(
        rows[0]["mass, kg"]
    ) == pytest.approx(0.1413, rel=1e-3)


@pytest.mark.full
def test_trials_of_a_json_model_are_kept_where_it_is_said(stated: Path, tmp_path: Path) -> None:
    kept = tmp_path / "kept.jsonl"
    first = inside("trials", stated, "thickness", "--keep", kept)
    assert (
        first.returncode == 0
        and "Best: t 4.5 mm." in first.stdout
        and len(kept.read_text().splitlines()) == 7
    )
    assert inside("trials", stated, "--keep", kept).stdout == first.stdout
    assert len(kept.read_text().splitlines()) == 7


@pytest.mark.parametrize(
    ("change", "status", "words"),
    [
        ({"plans": []}, 2, "no trial plan"),
        (
            {"plans": [{**PLAN, "limits": [{"response": "mass", "at_most": "1 g"}]}]},
            1,
            "None of 7 trials",
        ),
        (
            {"plans": [{**PLAN, "vary": [{"parameter": "t", "values": ["3 kg"]}]}]},
            2,
            "another kind",
        ),
    ],
)
def test_plans_that_find_nothing_say_so(
    tmp_path: Path, change: dict[str, Any], status: int, words: str
) -> None:
    path = tmp_path / "strip.json"
    path.write_text(
        json.dumps(
            strip(parameters={"t": "4 mm"}, pieces=[flat("t")], mesh={"size": "50 mm"}) | change
        ),
        encoding="utf-8",
    )
    ran = inside("trials", path)
    assert ran.returncode == status and words in ran.stdout + ran.stderr
    assert inside("trials", path, "not there").returncode == 2


def test_two_designs_side_by_side(tmp_path: Path) -> None:
    thick = dict(
        strip(parameters={"t": "5 mm"}, pieces=[flat("t")], mesh={"size": "10 mm"}).items()
    )
    path = tmp_path / "two.json"
    path.write_text(
        json.dumps(
            strip(
                parameters={"t": "4 mm"},
                pieces=[flat("t")],
                mesh={"size": "20 mm"},
                variants=[{"name": "thick", "statements": thick}],
            )
        ),
        encoding="utf-8",
    )
    assert load_project(path.read_text()).variants
    ran = inside("compare", path, "first design", "thick")
    assert ran.returncode == 0, ran.stderr
    assert (
        "parameters/t" in ran.stdout
        and "Their meshes differ" in ran.stdout
        and "Meets 1" in ran.stdout
    )
    found = json.loads(inside("compare", path, "first design", "thick", "--json", "-").stdout)
    one, two = (design["responses"]["first factor"] for design in found["designs"])
    assert two / one == pytest.approx((5 / 4) ** 3, rel=0.01)
    assert {"where": "parameters/t", "first design": "4 mm", "thick": "5 mm"} in found[
        "differences"
    ]
    assert inside("compare", path, "first design", "no such").returncode == 2
