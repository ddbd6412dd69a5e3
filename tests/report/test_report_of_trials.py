"""Trials and designs on the report's pages: every figure as it was found, none left out in
silence."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

import pytest

from labilis.edit.variants import design_of, keep_variant
from labilis.model import Project, TrialPlan, Vary, load_project, shown
from labilis.report import Content, Table, Words, content_of
from labilis.report.improving import Improved, improve_blocks, improved_of
from labilis.report.write import as_docx, as_html, as_pdf
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.run.trials import figures_of, points_of, run_plan, trial_key, trial_of
from tests.cli.test_improve_cli import inside
from tests.judge.test_mistakes import flat, strip
from tests.run.test_parameter_levers import each

T = Vary(parameter="t", low="3 mm", high="5 mm", count=3)


def planned(*plans: TrialPlan, **more: Any) -> Project:
    return load_project(
        strip(
            parameters={"t": "4 mm", "w": "20 mm"},
            pieces=[flat("t")],
            mesh={"size": "20 mm"},
            plans=[plan.model_dump(mode="json") for plan in plans],
            **more,
        )
    )


def made_up(project: Project, plan: TrialPlan) -> dict[str, Any]:
    """Trials as if they were run: factor t³, mass t."""
    kept = {}
    for number, point in enumerate(points_of(project, plan)):
        t = project.value(point["t"], "length")
        answer = (
            {"responses": {"first factor": t**3, "mass": t * 1e-3}, "mesh_error": 0.01}
            if number != 1
            else {"reason": "It broke."}
        )
        kept[trial_key(project, point)] = trial_of(project, point, answer)
    return kept


def blocks_of(project: Project, trials: dict[str, Any]) -> list[Words | Table]:
    return improve_blocks(Improved(project, trials))


def test_each_plan_stands_in_words_and_in_a_table_best_first() -> None:
    plan = TrialPlan(
        name="gauge <b>", vary=(T,), limits=({"response": "mass", "at_most": "4.5 kg"},)
    )  # type: ignore[arg-type]
    project = planned(
        plan, TrialPlan(name="never run", vary=(Vary(parameter="w", low="1 mm", high="2 mm"),))
    )
    words, why, table = blocks_of(project, made_up(project, plan))
    assert (
        isinstance(words, Words)
        and "gauge <b>: try t from 3 mm to 5 mm in 3; every value with every other, 3 trials"
        in words.text
    )
    assert isinstance(why, Words) and why.text.startswith("t 3 mm: Of 3 trials 1 keep")
    assert isinstance(table, Table) and table.heads == ("t", "first factor", "mass", "held back by")
    assert table.rows == (
        ("3 mm", "27 ± 1 %", "3 kg", "–"),
        ("5 mm", "125 ± 1 %", "5 kg", "its mass 5 kg is over 4.5 kg"),
        ("4 mm", "–", "–", "It broke."),
    )


def test_what_is_too_much_for_the_pages_is_told() -> None:
    plan = TrialPlan(name="fine", vary=(T.model_copy(update={"count": 60}),))
    project = planned(plan)
    table = blocks_of(project, made_up(project, plan))[-1]
    assert (
        isinstance(table, Table) and len(table.rows) == 40 and "the first 40 of 60" in table.caption
    )


def test_levers_stand_there_in_words() -> None:
    plan = each(Vary(parameter="t", low="2 mm", high="6 mm"))
    project = planned(plan)
    trials = made_up(project, plan)
    rows = points_of(project, plan)
    trials[trial_key(project, rows[1])] = trial_of(
        project, rows[1], {"responses": {"first factor": 3.92**3, "mass": 3.92e-3}}
    )
    assert (
        "1 % larger changes the first factor by: t +3 %, mass +1 %"
        in blocks_of(project, trials)[1].text
    )  # type: ignore[union-attr]


def whole(tmp_path: Path) -> tuple[Path, Content]:
    """A project whose plan was run, with a second design from a trial of it."""
    project = planned(TrialPlan(name="gauge", vary=(T,)))
    project = keep_variant(
        project,
        "thick",
        design_of(project, project.design).changed(parameters={"t": "5 mm", "w": "20 mm"}),
    )
    path = tmp_path / "strip.json"
    path.write_text(project.to_json(), encoding="utf-8")
    trials: dict[str, Any] = {}
    list(
        run_plan(
            Snapshot(project), project.plans[0], {}, lambda key, trial: trials.update({key: trial})
        )
    )
    results = Runner().run(Snapshot(project), Plan("modes"))
    report = judge_project(project, results)
    return path, content_of(
        project,
        report,
        results,
        improved=improved_of(project, trials, report, figures_of(project, report, results)),
    )


@pytest.mark.full
def test_designs_stand_side_by_side_with_what_their_trials_found(tmp_path: Path) -> None:
    path, content = whole(tmp_path)
    section = next(section for section in content.sections if section.key == "improve")
    table = section.blocks[-1]
    assert isinstance(table, Table) and table.heads == ("", "first design (this report)", "thick")
    rows = {row[0]: row[1:] for row in table.rows}
    assert rows["t"] == ("4 mm", "5 mm") and rows["mass"] == ("0.1256 kg", "0.157 kg  (+25.0 %)")
    assert float(re.findall(r"\(([+-]\d+\.\d) %\)", rows["first factor"][1])[0]) == pytest.approx(
        95.3, abs=0.3
    )  # (5/4)³
    assert rows["verdict"][1] == "not run" and rows["verdict"][0].startswith("Meets")
    page = as_html(content)
    assert "Trials and designs" in page and "Designs side by side" in page
    assert as_pdf(content)[:5] == b"%PDF-" and as_docx(content)[:2] == b"PK"
    # from the command line, with the trials in a file of their own; and verify holds of it
    assert inside("trials", path, "--keep", tmp_path / "kept", "--workers", "1").returncode == 0
    ran = inside(
        "report", path, "--to", tmp_path / "r.html", "--keep", tmp_path / "kept", "--no-pictures"
    )
    assert ran.returncode == 0 and "0.157 kg" in (tmp_path / "r.html").read_text(encoding="utf-8")
    assert json.loads(inside("verify", tmp_path / "r.html", "--json", "-").stdout)["holds"] is True
    assert inside("report", path, "--to", tmp_path / "s.html", "--no-pictures").returncode == 0
    without = (tmp_path / "s.html").read_text(encoding="utf-8")
    assert "Trials of gauge" not in without and "Designs side by side" in without


def test_figures_stand_in_the_units_shown(tmp_path: Path) -> None:
    project = planned(TrialPlan(name="gauge", vary=(T,)), units="in-lbf-psi")
    with shown.using("in-lbf-psi"):
        table = blocks_of(project, made_up(project, project.plans[0]))[-1]
    assert isinstance(table, Table) and table.rows[0][2].endswith(" lb")
