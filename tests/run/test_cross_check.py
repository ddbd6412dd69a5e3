"""The same part meshed the other way, asked for as a study and taken as evidence."""

from __future__ import annotations

import dataclasses
import hashlib
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from labilis.judge.evidence import collect
from labilis.judge.studies import study_words
from labilis.judge.verdict import verdict_of_case
from labilis.model import Geometry, LabilisError, Piece, Project, Region, load_project
from labilis.run import Plan, Runner, Snapshot, judge_project, settled, stage_keys
from labilis.run.codec import pack, unpack
from labilis.run.other_idealisation import other_way
from labilis.run.picking import make_pick
from labilis.shape import build_part
from tests.commands import labilis
from tests.judge.test_mistakes import force, solid, strip
from tests.parts import STEEL, to_step
from validation.corpus import drawing as d


def crossed(project: Project, files: dict[str, bytes] | None = None) -> tuple[Any, Any]:
    """(the study, the case with it as evidence)."""
    runner, snapshot = Runner(), Snapshot(project, files or {})
    results = runner.run(snapshot, Plan("modes"))
    results |= runner.again(snapshot, Plan("cross"))
    found = results[stage_keys(settled(project, results)).cross]
    kept = unpack(*pack(found))
    assert (
        found.done
        and np.array_equal(kept.labels, found.labels)
        and np.allclose(kept.figures, found.figures, equal_nan=True)
    )
    return found, judge_project(project, results).cases[0]


def said(case: Any) -> Any:
    return next(item for item in case.evidence if item.name == "cross-check")


@pytest.mark.parametrize("model", [strip(), solid()], ids=["as shells", "as a solid"])
def test_a_strip_is_the_same_both_ways(model: dict[str, Any]) -> None:
    found, case = crossed(load_project(model))
    own, other = found.figures
    assert {str(label) for label in found.labels} == {"shells", "a solid"}
    assert other[0] == pytest.approx(own[0], rel=0.01) and other[1] == pytest.approx(
        own[1], rel=0.02
    )
    assert (
        said(case).state == "good"
        and f"As {found.labels[1]}" in said(case).text
        and "%" in study_words(found)
    )


def angle() -> bytes:
    """A folded angle, 30 x 30 x 2, 160 mm long, that stands askew."""
    profile = [(0, 0), (30, 0), (30, 2), (2, 2), (2, 30), (0, 30)]
    return to_step(d.shifted(d.turned(d.extrude(profile, 160.0), (1, 2, 3), 40.0), 300, -50, 20))


def angle_picked(way: str) -> tuple[Project, dict[str, bytes]]:
    """The angle with its ends picked on what is on the stage: the sheets' edges, or the faces of
    the solid."""
    data = angle()
    sha = hashlib.sha256(data).hexdigest()
    base = Project(
        geometry=(Geometry(file="angle.step", sha256=sha),),
        materials=(STEEL,),
        pieces=(Piece(name="angle", geometry="angle.step", material="steel", mesh_as=way),),
    )  # type: ignore[arg-type]
    view = build_part(base, {sha: data}).view
    table = view.edges if way == "shell" else view.faces
    axis = view.edges.direction[int(np.argmax(view.edges.length))]
    along = table.centroid @ axis
    rows = [
        np.flatnonzero(np.abs(along - limit) < 1e-3 * view.size)
        for limit in (along.min(), along.max())
    ]
    assert all(len(row) == (2 if way == "shell" else 1) for row in rows), along
    of = "edge" if way == "shell" else "face"
    regions = [
        Region(name=name, piece="angle", picks=tuple(make_pick(view, of, int(r)) for r in row))
        for name, row in zip(("foot", "head"), rows)
    ]
    toward = -1000.0 * axis
    held = ["x", "y", "z"] + (["turn_x", "turn_y", "turn_z"] if way == "shell" else [])
    project = base.changed(
        regions=regions,
        hubs=[{"name": "ram", "region": "head"}],
        supports=[{"name": "held", "on": "foot", "held": held}],
        loads=[
            {
                "kind": "force",
                "name": "push",
                "on": "ram",
                "components": [f"{c:.9g} N" for c in toward],
            }
        ],
        cases=[{"name": "one", "loads": [{"load": "push"}]}],
        mesh={"within": "5 %"},
    )
    return project, {sha: data}


@pytest.mark.parametrize("way", ["shell", "solid"])
def test_regions_picked_on_either_are_found_on_the_other(way: str) -> None:
    """Ends picked as edges of sheets are the end face of the solid, and back again."""
    project, files = angle_picked(way)
    found, case = crossed(project, files)
    assert found.figures[1, 0] == pytest.approx(
        found.figures[0, 0], rel=0.05
    )  # what thin parts are held to
    assert said(case).state == "good"


def test_a_pressure_on_a_sheet_pushes_the_same_way_on_the_solid() -> None:
    project, files = angle_picked("shell")
    view = build_part(project, files).view
    wall = make_pick(view, "face", int(np.argmax(view.faces.area)))
    project = project.changed(
        regions=[*project.regions, Region(name="wall", piece="angle", picks=(wall,))],
        loads=[{"kind": "pressure", "name": "push", "on": "wall", "pressure": "0.01 MPa"}],
    )
    part = build_part(project, files)
    pushed = []
    for changed in (project, other_way(project, files, part).project):
        results = Runner().run(Snapshot(changed, files), Plan("strength"))
        pushed.append(results[stage_keys(changed).strength].applied[0, :3])
    assert np.linalg.norm(pushed[0]) > 40
    # the wall of the solid reaches from fold to edge, the sheet from the middle of the other wall
    assert pushed[1] @ pushed[0] / (np.linalg.norm(pushed[0]) * np.linalg.norm(pushed[1])) > 0.999
    assert np.linalg.norm(pushed[1]) == pytest.approx(np.linalg.norm(pushed[0]), rel=0.05)


def test_two_ways_that_are_apart_keep_the_verdict_open() -> None:
    """A study of another part, of 0.8 of the thickness: half of the factor."""
    project = load_project(strip(force("-10 N")))
    _, case = crossed(project)
    assert case.verdict.meets is True
    cross = case.facts.cross
    for share, state in ((0.97, "good"), (1.07, "caution"), (0.51, "bad"), (np.nan, "bad")):
        figures = cross.figures.copy()
        figures[1, 0] = share * figures[0, 0]
        facts = dataclasses.replace(case.facts, cross=dataclasses.replace(cross, figures=figures))
        evidence = collect(facts)
        assert next(item for item in evidence if item.name == "cross-check").state == state
        assert verdict_of_case(facts, evidence).meets is (None if state == "bad" else True)


def test_the_key_of_a_cross_check_follows_the_statements() -> None:
    project = load_project(strip())
    thicker = load_project(strip(force("-200 N")))
    assert stage_keys(project).cross not in (
        "",
        stage_keys(thicker).cross,
        stage_keys(project).tilt,
    )


@pytest.mark.parametrize(
    ("model", "said"),
    [
        (
            strip(
                supports=[
                    {"name": "foot", "on": "foot", "held": ["x", "y", "z"]},
                    {"name": "head", "on": "head", "held": ["y", "z"]},
                ]
            ),
            "hinge",
        ),
        (
            strip(
                pieces=[
                    {
                        "name": "strip",
                        "material": "steel",
                        "recipe": {
                            "kind": "block",
                            "width": "20 mm",
                            "height": "20 mm",
                            "depth": "90 mm",
                        },
                    }
                ],
                regions=[
                    {"name": "foot", "names": ["strip/bottom"]},
                    {"name": "head", "names": ["strip/top"]},
                ],
                supports=[{"name": "foot", "on": "foot", "held": ["x", "y", "z"]}],
            ),
            "No piece",
        ),
    ],
)
def test_what_cannot_be_compared_is_refused(model: dict[str, Any], said: str) -> None:
    project = load_project(model)
    with pytest.raises(LabilisError, match=said):
        Runner().run(Snapshot(project), Plan("cross"))


@pytest.mark.full
def test_on_the_command_line(tmp_path: Path) -> None:
    import json

    (tmp_path / "strip.json").write_text(json.dumps({"labilis": 2, **strip(force("-10 N"))}))
    done = labilis("cross", str(tmp_path / "strip.json"), "--json", "-")
    ways = json.loads(done.stdout)["ways"]
    assert done.returncode == 0 and [way["meshed_as"] for way in ways] == ["shells", "a solid"]
    assert ways[1]["factors"][0] == pytest.approx(ways[0]["factors"][0], rel=0.01)
    done = labilis("check", str(tmp_path / "strip.json"), "--cross", "--json", "-")
    assert done.returncode == 0 and any(
        item["name"] == "cross-check" for item in json.loads(done.stdout)["evidence"]
    )


@pytest.mark.full
def test_what_cannot_be_compared_keeps_its_verdict_and_says_so(tmp_path: Path) -> None:
    import json

    hinged = strip(
        force("-10 N"),
        supports=[
            {"name": "foot", "on": "foot", "held": ["x", "y", "z"]},
            {"name": "head", "on": "head", "held": ["y", "z"]},
        ],
    )
    (tmp_path / "m.json").write_text(json.dumps({"labilis": 2, **hinged}))
    done = labilis("check", str(tmp_path / "m.json"), "--cross", "--json", "-")
    assert "No cross-check of case one" in done.stderr and "hinge" in done.stderr
    assert (
        done.returncode == labilis("check", str(tmp_path / "m.json")).returncode
        and json.loads(done.stdout)["verdict"]
    )
    (tmp_path / "n.json").write_text(json.dumps({"labilis": 2, **strip(), "cases": []}))
    for command in ("cross", "converge"):
        done = labilis(command, str(tmp_path / "n.json"))
        assert (
            done.returncode == 2
            and "no load case" in done.stderr
            and "failed inside" not in done.stderr
        )


def test_what_would_grow_too_large_is_refused_before_it_is_meshed(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    project = load_project(strip())
    part = build_part(project, {})
    assert other_way(project, {}, part).after == "a solid"
    monkeypatch.setattr("labilis.run.other_idealisation._MOST_UNKNOWNS", 100)
    with pytest.raises(LabilisError, match="unknowns") as caught:
        other_way(project, {}, part)
    assert "converge" in caught.value.remedy
