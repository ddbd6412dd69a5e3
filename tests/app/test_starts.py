"""Starting shapes: each reads, draws and runs at once, and answers when its numbers are changed."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from labilis.app.demos import start_model, start_names
from labilis.judge.hand import COLUMNS
from labilis.model import Project
from labilis.run import Plan, Runner, judge_project
from labilis.run.plan import Snapshot
from labilis.store import load_model
from labilis.ui.begin import starts

full = pytest.mark.full
JOBS = Path(__file__).parents[2] / "docs/guide/jobs.md"


def report_of(project: Project, upto: Any = "modes") -> Any:
    return judge_project(project, Runner().run(Snapshot(project), Plan(upto)))


def test_there_is_one_for_each_job_and_the_window_offers_them() -> None:
    assert start_names() == ["bracket", "cover", "joint", "mast", "stand", "strut"]
    offered = starts()
    assert [path for _, _, path in offered] != [] and all(words for _, words, _ in offered)
    assert {path for _, _, path in offered} == {start_model(name) for name in start_names()}
    assert len({name for name, _, _ in offered}) == 6


def test_each_has_a_worked_job_with_a_picture() -> None:
    page = JOBS.read_text(encoding="utf-8")
    for name in start_names():
        assert f"## {load_model(start_model(name)).project.name}\n" in page
        assert f"(pictures/{name}.png)" in page
        assert (JOBS.parent / f"pictures/{name}.png").stat().st_size > 50_000


@full
@pytest.mark.parametrize("name", start_names())
def test_the_figures_of_a_worked_job_are_today_s(name: str) -> None:
    project = load_model(start_model(name)).project
    told = JOBS.read_text(encoding="utf-8").split(f"## {project.name}\n")[1].split("\n## ")[0]
    case = report_of(project).cases[0]
    first = float(case.facts.modes.positive[0])
    assert f"**{case.verdict.headline}**" in told and f"comes at {first:.3g} × the load" in told


@pytest.mark.parametrize("name", start_names())
def test_each_has_numbers_to_change_and_carries_its_load(name: str) -> None:
    project = load_model(start_model(name)).project
    assert len(project.parameters) >= 4 and not project.geometry
    case = report_of(project, "strength").cases[0]
    assert case.facts.strength is not None and not any(
        item.state == "bad" for item in case.evidence
    )
    for parameter in project.parameters:
        assert any(
            parameter in leaf.text
            for leaf, _ in project.quantities()
            if leaf.path[0] != "parameters"
        ), f"{parameter} is used nowhere"


@pytest.mark.parametrize(
    "name",
    [
        "strut",
        "joint",
        *(pytest.param(n, marks=full) for n in ("bracket", "cover", "mast", "stand")),
    ],
)
def test_each_meets_with_nothing_against_it(name: str) -> None:
    project = load_model(start_model(name)).project
    found = report_of(project)
    case = found.cases[0]
    assert found.meets is True, case.verdict.detail
    assert not [item for item in case.evidence if item.state == "bad"]
    assert case.facts.modes.positive[0] > 1.5 * case.facts.required


def test_a_rib_along_its_plate_is_no_column() -> None:
    """Of a bracket's ribs no column formula is told, of a diagonal on its gusset it is; what the
    engineer states himself is still found."""
    bracket = load_model(start_model("bracket")).project
    case = report_of(bracket, "strength").cases[0]
    members = case.facts.hand.members
    assert all(members.joined_along(k) for k in range(4))  # each plate is joined to another
    told = {item.form.key: item for item in case.hand_checks("rib.1")}
    assert all(told[key].outcome is None for key in COLUMNS)
    assert "joined" in told["euler"].problem and told["plate"].outcome is not None
    stated = bracket.changed(checks=[{"kind": "euler", "member": "rib.1"}])
    told = {item.form.key: item for item in report_of(stated, "strength").cases[0].hand_checks()}
    assert told["euler"].outcome is not None
    joint = load_model(start_model("joint")).project
    case = report_of(joint, "strength").cases[0]
    members = case.facts.hand.members
    angle = list(members.names).index("angle")
    assert members.joined[angle] == 0.0  # its end on the gusset is its end
    assert case.hand_checks("angle")[0].outcome is not None


@pytest.mark.parametrize(
    ("mesh_as", "size"), [("shell", "4 mm"), ("shell", "30 mm"), ("solid", "12 mm")]
)
def test_what_is_joined_does_not_hang_on_the_mesh(mesh_as: str, size: str) -> None:
    """A rib along a plate in coarse and fine elements; a section of two parts is not joined to
    others by being one member."""
    bracket = load_model(start_model("bracket")).project
    pieces = [piece.model_copy(update={"mesh_as": mesh_as}) for piece in bracket.pieces]
    bracket = bracket.changed(pieces=pieces).with_value(("mesh", "size"), size)
    members = report_of(bracket, "strength").cases[0].facts.hand.members
    assert all(members.joined_along(k) for k in range(3))
    strut = load_model(start_model("strut")).project
    double = {"shape": "double angle", "width": "40 mm", "height": "40 mm", "thickness": "4 mm"}
    strut = strut.with_value(("pieces", 0, "recipe", "section"), {**double, "gap": "6 mm"})
    strut = strut.with_value(("pieces", 0, "mesh_as"), mesh_as).with_value(("mesh", "size"), size)
    members = report_of(strut, "strength").cases[0].facts.hand.members
    assert (members.joined == 0).all()


def test_a_plate_that_only_goes_along_is_not_the_member_that_is_checked() -> None:
    """The top of the stand has most of the mode's energy and a sixth of what a leg carries; a leg
    that drives the mode is the one, whatever another carries."""
    stand = load_model(start_model("stand")).project
    case = report_of(stand, "strength").cases[0]

    def driven_by(piece: str) -> str:
        hand = replace(case.facts.hand, driver=piece)
        return str(replace(case, facts=replace(case.facts, hand=hand)).hand_member)

    members = case.facts.hand.members
    top = float(members.axial[list(members.names).index("top"), 0])
    assert 0.05 < top / members.axial[:, 0].max() < 0.25
    assert driven_by("top").startswith("leg") and driven_by("leg").startswith("leg")
    push = members.axial.copy()
    push[list(members.names).index("top"), 0] = 0.5 * push[:, 0].max()
    heavier = replace(case.facts.hand, driver="top", members=replace(members, axial=push))
    loaded = replace(case, facts=replace(case.facts, hand=heavier))
    assert loaded.hand_member == "top"
