"""Pieces put by what is picked, without a window: on solids and on sheets, turned, and seen from
either side; what is offered can be done, and what is not is refused with nothing changed."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from labilis.app.building import recipes, strut_of
from labilis.app.pointing import Pointing
from labilis.app.putting import put
from labilis.model import LabilisError, Project
from labilis.run import Plan, Runner, Snapshot, stage_keys
from labilis.run.picking import ShapeView
from tests.app.test_joining import TURNS, plate, shown

KEYS = {"face": "new:plate", "along": "along:", "corner": "corner:", "copies": "repeat:base"}


def base(mesh_as: str, turns: Any = ()) -> tuple[Project, ShapeView]:
    return shown(plate("base", 0.0, 6.0, mesh_as, [(30.0, 30.0)], 12.0, turns))


def body_of(project: Project) -> ShapeView:
    view = Runner().run(Snapshot(project), Plan("shape"))[stage_keys(project).shape]
    assert isinstance(view, ShapeView)
    return view


def everything(project: Project, view: ShapeView) -> list[Pointing]:
    """Each face and each edge alone, and a few pairs, seen from above and from below."""
    items = [("face", row) for row in range(len(view.faces))]
    items += [("edge", row) for row in range(len(view.edges))]
    rng = np.random.default_rng(3)
    pairs = [
        (items[int(a)], items[int(b)])
        for a, b in rng.integers(0, len(items), (12, 2))
        if items[int(a)][0] == items[int(b)][0] and a != b
    ]
    picks = [*((item,) for item in items), *pairs]
    return [
        Pointing(project, view, pick, toward)
        for pick in picks
        for toward in ((0.2, 0.1, 1.0), (0.1, -0.3, -1.0))
    ]


@pytest.mark.parametrize("mesh_as", ["solid", "shell"])
@pytest.mark.parametrize("turns", TURNS)
def test_what_is_offered_can_be_done_and_nothing_else(mesh_as: str, turns: Any) -> None:
    project, view = base(mesh_as, turns)
    done = set()
    for pointing in everything(project, view):
        offers = pointing.put_offers()
        for name, key in KEYS.items():
            if getattr(offers, name):
                made = put(pointing, key)
                assert made.project != project and made.words
                if made.made:  # it goes with what it stands on
                    on = made.project.named("pieces", made.made).place.on
                    assert on is not None and on.piece == "base"
                done.add(name)
            else:
                with pytest.raises(LabilisError) as told:
                    put(pointing, key)
                assert told.value.remedy
        if offers.between:
            made = put(pointing, f"between:{strut_of(recipes().struts[0])}")
            assert len(made.project.pieces) == 2 and not made.made
    assert done >= {"face", "along"}
    # copies go along, round and mirrored in what lies along x, y or z
    assert "copies" in done


@pytest.mark.parametrize("toward", [1.0, -1.0])
def test_a_piece_stands_on_the_side_of_a_sheet_that_is_seen(toward: float) -> None:
    project, view = base("shell")
    face = int(np.argmax(view.faces.area))
    made = put(Pointing(project, view, (("face", face),), (0.0, 0.0, toward)), "new:plate")
    new = body_of(made.project)
    body = list(new.bodies).index(made.made)
    mine = np.flatnonzero(new.faces.body == body)
    corners = new.tessellation.points[
        np.unique(new.tessellation.triangles[np.isin(new.tessellation.face, mine)])
    ]
    # the sheet of 6 mm reaches 3 mm up and down from its middle, at z = 3 or 0
    middle = float(view.faces.centroid[face][2])
    assert ((corners[:, 2] - middle) * toward).min() > 3.0 - 1e-6


def test_named_and_counted() -> None:
    project, view = base("solid")
    flat = tuple(("face", int(row)) for row in np.flatnonzero(view.faces.kind == "plane")[:2])
    name, size = Pointing(project, view, flat).told()
    assert name == "2 faces" and "in all" in size
    alone = Pointing(project, view, flat[:1])
    assert alone.told()[0].startswith("flat face") and alone.owner == "base"
    assert Pointing(project, view, flat).owners == {"base"}
    assert alone.measured() and not Pointing(project, view, ()).offers()["hold"]
