"""A part of a file that does not come out is told, and a model without it does not pass."""

from __future__ import annotations

import dataclasses
import hashlib
import re
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path

import numpy as np
import pytest

from labilis.model import load_project
from labilis.run import Plan, Runner, Snapshot, judge_project, stage_keys
from labilis.run.importing import new_project, told
from labilis.shape import list_bodies
from labilis.shape.missing import missing_in
from labilis.shape.step import gathered, read_step
from tests.judge.test_mistakes import force, strip
from tests.parts import bar_step, box, to_step

DEMOS = Path(__file__).parents[2] / "src/labilis/demos"


@lru_cache
def three() -> str:
    solids = [box(100, 20, 3), box(50, 20, 3, (200, 0, 0)), box(70, 20, 3, (0, 100, 0))]
    return to_step(gathered(solids)).decode()


def second() -> tuple[str, str]:
    """Numbers of the second solid and of its shell."""
    found = re.findall(r"#(\d+) = MANIFOLD_SOLID_BREP\('[^']*',#(\d+)\)", three())
    return found[1]


def without(kind: str, number: str, text: str) -> str:
    """The file without one statement."""
    return re.sub(rf"#{number} = {kind}\b[^;]*;", "", text, flags=re.DOTALL)


def of_triangles(text: str, link: str) -> str:
    """The file with a solid of triangles, which may be linked to one that is there."""
    solid = f"#900001 = TESSELLATED_SOLID('',(#{second()[1]}),{link});"
    return text.replace("DATA;", f"DATA;\n{solid}", 1)


def hollow(text: str) -> str:
    """The second solid with a shell that holds nothing."""
    return re.sub(rf"(#{second()[1]} = CLOSED_SHELL\('',)\([^)]*\)", r"\1()", text)


@pytest.mark.parametrize(
    ("spoil", "words"),
    [
        (lambda text: without("MANIFOLD_SOLID_BREP", second()[0], text), "refers to #"),
        (lambda text: without("CLOSED_SHELL", second()[1], text), "of the 3 solids .* 2 could"),
        (lambda text: re.sub(r"(MANIFOLD_SOLID_BREP\('',)#\d+", r"\1#987654", text), "#987654"),
        (hollow, "of the 3 solids"),
    ],
)
def test_what_does_not_come_out_is_told(spoil: Callable[[str], str], words: str) -> None:
    data = spoil(three()).encode()
    try:
        bodies = read_step(data, "three.step")[0]
    except Exception:
        bodies = []
    assert re.search(words, missing_in(data, bodies))


@pytest.mark.parametrize(("link", "missing"), [("$", True), ("#41", False)])
def test_triangles_of_a_solid_that_is_there_are_no_further_one(link: str, missing: bool) -> None:
    data = three().encode()
    bodies = read_step(data, "three.step")[0]
    assert len(bodies) == 3
    assert bool(missing_in(of_triangles(three(), link).encode(), bodies)) == missing


@pytest.mark.parametrize("path", sorted(DEMOS.rglob("*.step")), ids=lambda path: path.name)
def test_whole_files_are_whole(path: Path) -> None:
    data = path.read_bytes()
    assert missing_in(data, read_step(data, path.name)[0]) == ""


def test_words_and_remarks_refer_to_nothing_and_one_solid_may_stand_twice() -> None:
    from OCP.gp import gp_Trsf, gp_Vec
    from OCP.TopLoc import TopLoc_Location

    one, move = box(100, 20, 3), gp_Trsf()
    move.SetTranslation(gp_Vec(0, 50, 0))
    twice = [one, one.Moved(TopLoc_Location(move))]
    text = to_step(gathered(twice)).decode()
    text = text.replace("DATA;", "DATA;\n/* see #999999 = MANIFOLD_SOLID_BREP( */", 1)
    text = text.replace("PRODUCT('", "PRODUCT('it''s #888888; MANIFOLD_SOLID_BREP(", 1)
    data = text.encode()
    assert missing_in(data, read_step(data, "twice.step")[0]) == ""
    # that one stands twice does not make up for another one that is lost
    text = to_step(gathered([*twice, box(30, 30, 3, (300, 0, 0))])).decode()
    lost = re.findall(r"MANIFOLD_SOLID_BREP\('[^']*',#(\d+)\)", text)[-1]
    data = re.sub(rf"(#{lost} = CLOSED_SHELL\('',)\([^)]*\)", r"\1()", text).encode()
    bodies = read_step(data, "twice.step")[0]
    assert len(bodies) == 2 and "of the 2 solids that it states 1" in missing_in(data, bodies)


def test_a_file_that_is_not_whole_is_told_when_it_is_read_and_goes_with_its_mesh() -> None:
    data = without("MANIFOLD_SOLID_BREP", second()[0], three()).encode()
    bodies = list_bodies(data, "three.step")
    assert "not whole" in told(bodies)[0] and "not whole" not in " ".join(told(bodies)[1:])
    sha = hashlib.sha256(data).hexdigest()
    project = new_project(bodies, "three.step", sha, "three")
    mesh = Runner().run(Snapshot(project, {sha: data}), Plan("mesh"))[stage_keys(project).mesh]
    assert len(mesh.missing) == 1 and "'three.step' is not whole" in str(mesh.missing[0])
    assert "not whole" not in " ".join(told(list_bodies(bar_step(), "bar.step")))


def test_it_does_not_pass_unless_it_is_meant() -> None:
    project = load_project(strip(force("-10 N"), criteria={"modes": 2}))
    results = Runner().run(Snapshot(project), Plan("modes"))
    keys = stage_keys(project)

    def verdict(missing: list[str], meant: dict[str, str]) -> tuple[bool | None, str]:
        mesh = dataclasses.replace(results[keys.mesh], missing=np.array(missing, dtype=str))
        stated = project.changed(
            criteria=project.criteria.model_copy(update={"meant": meant})  # no key reads it
        )
        report = judge_project(stated, {**results, keys.mesh: mesh})
        reasons = " ".join(gate.reason for gate in report.cases[0].verdict.gates)
        return report.meets, reasons

    assert verdict([], {})[0] is True
    lost = ["'a.step' is not whole: of the 3 solids that it states 2 could be read."]
    assert verdict(lost, {})[0] is not True and "not whole" in verdict(lost, {})[1]
    assert verdict(lost, {"files read whole": "the third is a bought part"})[0] is True
