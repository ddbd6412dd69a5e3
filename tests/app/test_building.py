"""What is made with nothing picked, without a window; and what is typed over values."""

from __future__ import annotations

from pathlib import Path

import pytest

from labilis.app import Session
from labilis.app.building import recipes, strut_of
from labilis.app.demos import start_model
from labilis.app.tables import write_table
from labilis.app.trial_table import designs_beside
from labilis.app.typed import now_at, typed, varied_at
from labilis.edit.new_pieces import RECIPES
from labilis.model import LabilisError, Project, WeightLoad
from tests.app.test_joining import plate, shown


def test_every_recipe_makes_a_piece_beside_what_is_there(session: Session) -> None:
    offered = [*recipes().others, *map(strut_of, recipes().struts)]
    assert sorted(offered) == sorted(RECIPES) == sorted(recipes().all)
    for count, key in enumerate(offered, 1):
        name = session.building.piece(key)
        assert len(session.project.pieces) == count and session.project.pieces[-1].name == name
        assert session.wait(60)
    view = session.current("shape")
    assert len(view.bodies) == len(offered)


def test_loads_and_cases_that_need_nothing_picked(session: Session) -> None:
    session.open(start_model("stand"))
    assert session.wait(60)
    count, first = len(session.project.loads), session.case_name
    weight = session.building.load("weight", "")
    assert isinstance(session.project.named("loads", weight), WeightLoad)
    assert all(weight in dict(session.project.case_loads(c.name)) for c in session.project.cases)
    support = session.project.supports[0].name
    assert session.building.load("temperature", "") and session.building.load("move", support)
    assert len(session.project.loads) == count + 3
    factored = session.building.case_at(1.5)
    assert session.case_name == factored != first
    made = session.building.case()
    assert session.case_name == made
    assert [name for name, _ in session.project.case_loads(made)] == [
        load.name for load in session.project.loads
    ]


def test_what_cannot_be_made_changes_nothing(session: Session, tmp_path: Path) -> None:
    session.open(start_model("strut"))
    assert session.wait(60)
    name = next(iter(session.project.parameters), None) or "wall"
    if name not in session.project.parameters:
        session.building.parameter(name)
    before = session.project
    bad = tmp_path / "bad.csv"
    bad.write_text("nothing,of,this\n1,2,3\n")
    for call in (
        lambda: session.building.parameter(name),
        lambda: session.building.outline(tmp_path / "nowhere.dxf", True, "3 mm"),
        lambda: session.building.load_table(bad),
        lambda: session.building.load_table(tmp_path / "nowhere.csv"),
        lambda: write_table(tmp_path / "no" / "table.csv", [["a"]]),
    ):
        with pytest.raises(LabilisError) as told:
            call()
        assert told.value.remedy
    assert session.project == before


def test_a_table_starts_no_spreadsheet_formula(tmp_path: Path) -> None:
    path = tmp_path / "t.csv"
    write_table(path, [["name", "N"], ["=1+1", "-3.5"], ["@x", "+2"]])
    assert path.read_text().splitlines() == ["name,N", "'=1+1,-3.5", "'@x,+2"]


def test_what_is_typed_goes_where_it_is_meant(session: Session) -> None:
    session.open(start_model("bracket"))
    project = session.project
    index = next(k for k, load in enumerate(project.loads) if hasattr(load, "components"))
    path = ("loads", index, "components", 2)
    assert typed(project, path, "force", "1, 2, 3 kN") == (path[:-1], ["1 kN", "2 kN", "3 kN"])
    assert typed(project, path, "force", "3 kN") == (path, "3 kN")
    assert typed(project, path, "force", "") == (path, None)
    assert typed(project, ("mesh", "x"), "count", "4") == (("mesh", "x"), 4)
    with pytest.raises(LabilisError, match="'four' is not a whole number"):
        typed(project, ("mesh", "x"), "count", "four")
    stated = project.loads[index].components[2]
    assert now_at(project, path, "as told (twice)", "force") == stated
    assert now_at(project, ("nowhere",), "4 kN (assumed)", "force") == "4 kN"
    assert now_at(project, path, "needed", "force") == ""
    made, name = varied_at(project, path, stated)
    assert made.loads[index].components[2] == name and made.parameters[name] == stated
    assert any(vary.parameter == name for plan in made.plans for vary in plan.vary)
    assert isinstance(made, Project)


def test_both_coordinates_of_an_opening_in_one_go() -> None:
    project, _ = shown(plate("base", 0.0, 6.0, "shell", [(20.0, 30.0)]))
    path = ("pieces", 0, "recipe", "openings", 0)
    where, value = typed(project, (*path, "x"), "length", "45, 12.5 mm")
    assert where == path and (value["x"], value["y"]) == ("45 mm", "12.5 mm")
    assert value["diameter"] == "9.0 mm"  # and nothing else of it changes
    # at the second of them a comma is none between two
    assert typed(project, (*path, "y"), "length", "45 mm") == ((*path, "y"), "45 mm")


def test_designs_that_were_not_run_are_named() -> None:
    project, _ = shown(plate("base", 0.0, 6.0, "shell", [(20.0, 30.0)]))
    nothing = (project, None, None)
    beside = designs_beside(["as drawn", "thicker"], [nothing, nothing])
    assert beside.said.startswith("as drawn, thicker: not run yet.") and beside.finest is None
    assert beside.figure(beside.rows[0], 1) is None
    assert designs_beside(["as drawn"], [nothing]).said == ""
