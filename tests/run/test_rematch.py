"""Faces followed into a revised file: all at once, each new one for one old one at most."""

from __future__ import annotations

import hashlib
from typing import Any

import numpy as np
import pytest

from labilis.model import Geometry, Piece, Project, Region
from labilis.run import Plan, Runner, Snapshot, stage_keys
from labilis.run.picking import make_pick
from labilis.run.revision import lost_regions, revise
from labilis.shape import build_body, list_bodies, read_step
from tests.parts import STEEL, to_step
from validation.corpus import drawing as d


def plate(*holes: float, length: float = 200.0, radius: float = 4.0) -> bytes:
    """A plate along x with bolt holes at places along it."""
    return to_step(
        d.cut(d.box(length, 40, 5), *(d.cylinder(radius, 20, (x, 20, -5)) for x in holes))
    )


def project_of(data: bytes) -> tuple[Project, dict[str, bytes]]:
    """A region for each bolt hole, in order along x, and for both ends."""
    body = build_body(read_step(data)[0][0][1])
    faces, view = body.faces, body.view
    holes = sorted(
        (row for row in range(len(faces)) if faces.kind[row] == "cylinder"),
        key=lambda row: faces.centroid[row, 0],
    )
    ends = sorted(
        (row for row in range(len(faces)) if abs(faces.direction[row, 0]) > 0.9),
        key=lambda row: faces.centroid[row, 0],
    )
    regions = [
        Region(name=f"bolt {number}", piece="plate", picks=(make_pick(view, "face", row),))
        for number, row in enumerate(holes, 1)
    ]
    regions += [
        Region(name=name, piece="plate", picks=(make_pick(view, "face", row),))
        for name, row in zip(("left", "right"), ends)
    ]
    sha = hashlib.sha256(data).hexdigest()
    project = Project(
        geometry=(Geometry(file="plate.step", sha256=sha),),
        materials=(STEEL,),
        regions=tuple(regions),
        pieces=(Piece(name="plate", geometry="plate.step", material="steel"),),
    )
    return project, {sha: data}


def revised(old: bytes, new: bytes) -> tuple[dict[str, float], dict[str, str], dict[str, str]]:
    """(place along x of each region that is found, what is lost, what became of each)."""
    project, files = project_of(old)
    after, files, followed = revise(
        project, files, "plate.step", "plate.step", new, list_bodies(new)
    )
    view: Any = Runner().run(Snapshot(after, files), Plan("shape"))[stage_keys(after, "").shape]
    lost = lost_regions(after, view)
    places = {
        region.name: region.picks[0].position[0]
        for region in after.regions
        if region.name not in lost
    }
    return places, lost, {item.region: item.state for item in followed}


FOUR = (40.0, 70.0, 100.0, 130.0)


def test_nothing_changed_nothing_moved() -> None:
    places, lost, states = revised(plate(*FOUR), plate(*FOUR))
    assert not lost and set(states.values()) == {"stayed"}
    assert [places[f"bolt {k}"] for k in (1, 2, 3, 4)] == pytest.approx(list(FOUR))


@pytest.mark.parametrize("gone", [0, 1, 3])
def test_a_hole_that_is_gone_is_gone_and_blocks(gone: int) -> None:
    places, lost, states = revised(
        plate(*FOUR), plate(*(x for k, x in enumerate(FOUR) if k != gone))
    )
    assert list(lost) == [f"bolt {gone + 1}"] and states[f"bolt {gone + 1}"] == "gone"
    assert {name: place for name, place in places.items() if "bolt" in name} == pytest.approx(
        {f"bolt {k + 1}": x for k, x in enumerate(FOUR) if k != gone}
    )


@pytest.mark.parametrize("by", [20.0, -15.0, 29.0])
def test_a_pattern_that_moved_keeps_its_order(by: float) -> None:
    places, lost, states = revised(plate(*FOUR), plate(*(x + by for x in FOUR)))
    assert not lost
    assert [places[f"bolt {k}"] for k in (1, 2, 3, 4)] == pytest.approx([x + by for x in FOUR])
    assert {states[f"bolt {k}"] for k in (1, 2, 3, 4)} == {"moved"} and states["left"] == "stayed"


def test_holes_go_with_the_end_of_a_part_that_grew() -> None:
    places, lost, states = revised(
        plate(20.0, 180.0, 150.0), plate(20.0, 204.0, 174.0, length=224.0)
    )
    assert not lost
    assert (places["bolt 1"], places["bolt 2"], places["bolt 3"], places["right"]) == pytest.approx(
        (20.0, 174.0, 204.0, 224.0)
    )
    assert states["right"] == states["bolt 3"] == "moved"


def test_what_another_now_stands_in_the_place_of_is_not_guessed() -> None:
    """Grown by the pitch: where one hole was there is its neighbour."""
    _, lost, states = revised(plate(20.0, 180.0, 150.0), plate(20.0, 210.0, 180.0, length=230.0))
    assert (
        set(lost) == {"bolt 2", "bolt 3"}
        and states["bolt 3"] == "doubtful"
        and states["right"] == "moved"
    )
    places, lost, states = revised(
        plate(*FOUR), plate(*(x + 30 for x in FOUR))
    )  # or the first is gone and one added at the end
    assert "bolt 1" in lost and {states[name] for name in lost} == {"doubtful"}
    assert all(
        places[name] == pytest.approx(x)
        for name, x in zip(("bolt 1", "bolt 2", "bolt 3", "bolt 4"), FOUR)
        if name not in lost
    )


def test_other_holes_are_not_taken_for_those_that_were() -> None:
    for others in ((150.0,), (150.0, 100.0)):
        places, lost, states = revised(plate(40.0), plate(*others, radius=9.0))
        assert (
            "bolt 1" in lost and states["bolt 1"] == "gone" and places["left"] == pytest.approx(0.0)
        )


@pytest.mark.parametrize("way", ["shell", "solid"])
@pytest.mark.full
def test_picks_made_on_sheets_or_on_the_solid_follow_alike(way: str) -> None:
    """Of a thin part meshed as shells either may have been picked."""
    from validation.corpus.part import end_rows

    def angle(length: float) -> bytes:
        return to_step(d.folded([(40, 0), (0, 0), (0, 40)], 2.0, 4.0, length))

    old, new = angle(300.0), angle(330.0)
    sha = hashlib.sha256(old).hexdigest()
    base = Project(
        geometry=(Geometry(file="angle.step", sha256=sha),),
        materials=(STEEL,),
        pieces=(Piece(name="angle", geometry="angle.step", material="steel", mesh_as="shell"),),
    )
    shown = base.changed(pieces=[base.pieces[0].model_copy(update={"mesh_as": way})])
    view: Any = Runner().run(Snapshot(shown, {sha: old}), Plan("shape"))[
        stage_keys(shown, "").shape
    ]
    if way == "solid":
        picks = tuple(
            make_pick(view, "face", int(row))
            for row in end_rows(view.faces, np.array([0.0, 0.0, 1.0]), 1.0)
        )
    else:
        top = view.edges.centroid[:, 2].max()
        picks = tuple(
            make_pick(view, "edge", int(row))
            for row in np.flatnonzero(view.edges.centroid[:, 2] > top - 1e-6)
        )
    project = base.changed(regions=[Region(name="head", piece="angle", picks=picks)])
    after, files, followed = revise(
        project, {sha: old}, "angle.step", "angle.step", new, list_bodies(new)
    )
    assert {item.state for item in followed} == {"moved"} and all(
        item.moved == pytest.approx(30.0) for item in followed
    )
    now: Any = Runner().run(Snapshot(after, files), Plan("shape"))[stage_keys(after, "").shape]
    assert not lost_regions(after, now)
    from labilis.shape import find_region

    edges = find_region(after.regions[0], now).edges
    assert len(edges) and now.edges.centroid[edges, 2] == pytest.approx(np.full(len(edges), 330.0))


def test_a_patch_that_was_scribed_is_left_to_be_found_by_its_place() -> None:
    from labilis.model import Pick, ScribeCircle

    data = plate(*FOUR)
    project, files = project_of(data)
    body = build_body(read_step(data)[0][0][1])
    top = next(row for row in range(len(body.faces)) if body.faces.direction[row, 2] > 0.9)
    face = make_pick(body.view, "face", top)
    patch = Pick(
        of="face", kind="plane", position=(170.0, 20.0, 5.0), size=78.5, direction=(0.0, 0.0, 1.0)
    )
    project = project.changed(
        regions=[*project.regions, Region(name="patch", piece="plate", picks=(patch,))],
        scribes=[
            ScribeCircle(name="ring", pick=face, at=("170 mm", "20 mm", "5 mm"), diameter="10 mm")
        ],
    )
    after, _, followed = revise(
        project, files, "plate.step", "plate.step", plate(*FOUR), list_bodies(data)
    )
    assert after.named("regions", "patch").picks == (patch,) and "patch" not in {
        item.region for item in followed
    }
    assert {item.state for item in followed} == {"stayed"}


def test_what_a_pair_of_faces_costs_by_hand() -> None:
    """Place against the part's size, a fifth of the change of size, half of that of a radius,
    half of a turn; other kinds never."""
    from dataclasses import replace

    from labilis.run.rematch import _costs
    from tests.parts import body_of, bored_step

    faces = body_of(bored_step()).faces
    plane, bore = (
        int(np.flatnonzero(faces.kind == "plane")[0]),
        int(np.flatnonzero(faces.kind == "cylinder")[0]),
    )
    rows = np.array([plane, bore])
    moved = replace(
        faces,
        centroid=faces.centroid + [3.0, 4.0, 0.0],
        area=1.5 * faces.area,
        radius=2.0 * faces.radius,
        direction=-faces.direction,
    )
    assert _costs(faces, faces, rows, rows, 50.0).diagonal() == pytest.approx([0.0, 0.0])
    found = _costs(faces, moved, rows, rows, 50.0)
    size = 0.2 * np.log(1.5)
    assert found[0, 0] == pytest.approx(
        0.1 + size + 0.5 * 2.0
    )  # a plane that looks the other way is turned over
    assert found[1, 1] == pytest.approx(0.1 + size + 0.5 * np.log(2.0))  # an axis has no sense
    assert np.isinf(found[0, 1]) and np.isinf(found[1, 0])
