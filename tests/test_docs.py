"""What the documents show is true: the example of the model format runs, links lead somewhere."""

import json
import re
import shutil
from pathlib import Path

import numpy as np
import pytest

from labilis.run import Plan, Runner, judge_project
from labilis.run.trials import best_of, run_plan
from labilis.store import load_model

ROOT = Path(__file__).parents[1]


def test_the_example_of_the_model_format_runs(tmp_path: Path) -> None:
    text = (ROOT / "docs/model-format.md").read_text(encoding="utf-8")
    example = re.search(r"```json\n(.*?)```", text, re.S)
    assert example is not None
    (tmp_path / "m.json").write_text(example.group(1), encoding="utf-8")
    shutil.copy(ROOT / "src/labilis/demos/panel-prop/panel-prop.step", tmp_path)
    snapshot = load_model(tmp_path / "m.json")
    results = Runner().run(snapshot, Plan("modes"))
    report = judge_project(snapshot.project, results)
    assert len(report.cases[0].facts.modes.factors) == 4
    assert json.loads(snapshot.project.to_json())["euler"]["length"] == "400 mm"
    assert report.cases[0].euler.length == pytest.approx(400)


@pytest.mark.full
def test_the_example_of_recipes_runs(tmp_path: Path) -> None:
    text = (ROOT / "docs/model-format.md").read_text(encoding="utf-8")
    example = re.findall(r"```json\n(.*?)```", text, re.S)[1]
    (tmp_path / "m.json").write_text(example, encoding="utf-8")
    snapshot = load_model(tmp_path / "m.json")
    results = Runner().run(snapshot, Plan("modes"))
    report = judge_project(snapshot.project, results)
    assert [case.facts.case for case in report.cases] == ["loads", "hot day"]
    assert all(len(case.facts.modes.positive) for case in report.cases)
    assert report.mesh.has_solids is False


def test_the_example_of_lines_runs(tmp_path: Path) -> None:
    text = (ROOT / "docs/model-format.md").read_text(encoding="utf-8")
    example = re.findall(r"```json\n(.*?)```", text, re.S)[2]
    (tmp_path / "m.json").write_text(example, encoding="utf-8")
    snapshot = load_model(tmp_path / "m.json")
    case = judge_project(snapshot.project, Runner().run(snapshot, Plan("modes"))).cases[0]
    assert len(case.facts.modes.positive) and np.isfinite(case.facts.modes.antisymmetric)
    column = next(item for item in case.hand_checks() if item.form.key == "ec3")
    assert column.on_ladder and column.outcome is not None
    assert {case.facts.required_of("post"), case.facts.required_of("beam")} == {15.0, 3.0}


def test_the_example_of_bolts_and_seams_runs(tmp_path: Path) -> None:
    text = (ROOT / "docs/model-format.md").read_text(encoding="utf-8")
    (tmp_path / "m.json").write_text(
        re.findall(r"```json\n(.*?)```", text, re.S)[3], encoding="utf-8"
    )
    snapshot = load_model(tmp_path / "m.json")
    case = judge_project(snapshot.project, Runner().run(snapshot, Plan("modes"))).cases[0]
    assert len(case.facts.modes.positive) == 2 and list(case.facts.strength.bolts) == [
        "M8 first",
        "M8 second",
    ]
    assert any(item.name == "bolts" for item in case.evidence)


def test_the_example_of_plans_runs(tmp_path: Path) -> None:
    text = (
        (ROOT / "docs/model-format.md")
        .read_text(encoding="utf-8")
        .split("## Trial plans and designs")[1]
    )
    path = tmp_path / "plan.json"
    path.write_text(text.split("```json")[1].split("```")[0], encoding="utf-8")
    snapshot = load_model(path)
    plan = snapshot.project.plans[0]
    found = list(run_plan(snapshot, plan, {}, workers=2))
    best, why = best_of(snapshot.project, plan, found)
    assert len(found) == 4 and best is not None and best.texts[0] == "4 mm", why


def test_the_examples_are_the_demos() -> None:
    demos = ROOT / "src/labilis/demos"
    shipped = {
        path.name: path.read_bytes()
        for path in demos.glob("*/*")
        if path.suffix in (".json", ".step")
    }
    assert {path.name: path.read_bytes() for path in (ROOT / "examples").iterdir()} == shipped


@pytest.mark.parametrize(
    "page", ["README.md", "CONTRIBUTING.md", "docs/guide/README.md", "docs/method/README.md"]
)
def test_links_lead_somewhere(page: str) -> None:
    path = ROOT / page
    for target in re.findall(r"\]\(([^)#]+)\)", path.read_text(encoding="utf-8")):
        assert (path.parent / target).exists(), target
