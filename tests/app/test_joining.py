"""Bolts through all holes that lie on each other, from the holes of one piece."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from labilis.app.joining import join, join_offers
from labilis.model import Project, load_project
from labilis.run import Plan, Runner, Snapshot, stage_keys
from labilis.run.picking import ShapeView
from tests.frames import STEEL

TURNS: list[list[dict[str, str]]] = [
    [],
    [{"about": "x", "angle": "180 deg"}],
    [{"about": "y", "angle": "-37 deg"}, {"about": "z", "angle": "71 deg"}],
]


def plate(
    name: str,
    level: float,
    thick: float,
    mesh_as: str,
    holes: list[tuple[float, float]],
    diameter: float = 9.0,
    turns: Any = (),
) -> dict[str, Any]:
    """A plate of 120 × 60 mm at a level of its own z, with holes; all turned alike."""
    from scipy.spatial.transform import Rotation

    way = np.array([0.0, 0.0, level])
    for turn in turns:
        angle = float(turn["angle"].split()[0])
        way = Rotation.from_euler(turn["about"], angle, degrees=True).apply(way)
    return {
        "name": name,
        "material": STEEL["name"],
        "mesh_as": mesh_as,
        "place": {"turns": turns, "at": [f"{c:.9g} mm" for c in way]},
        "recipe": {
            "kind": "plate",
            "thickness": f"{thick} mm",
            "outline": [
                {"x": f"{x} mm", "y": f"{y} mm"} for x, y in ((0, 0), (120, 0), (120, 60), (0, 60))
            ],
            "openings": [
                {"x": f"{x} mm", "y": f"{y} mm", "diameter": f"{diameter} mm"} for x, y in holes
            ],
        },
    }


HOLES = [(20.0, 20.0), (20.0, 40.0), (100.0, 30.0)]


def shown(*plates: dict[str, Any]) -> tuple[Project, ShapeView]:
    project = load_project({"materials": [STEEL], "pieces": list(plates)})
    view = Runner().run(Snapshot(project), Plan("shape"))[stage_keys(project).shape]
    assert isinstance(view, ShapeView)
    return project, view


def holes_of(view: ShapeView, piece: str) -> tuple[tuple[str, int], ...]:
    """All that is round of a piece."""
    body = list(view.bodies).index(piece)
    faces = np.flatnonzero(view.faces.inner & (view.faces.body == body))
    if len(faces):
        return tuple(("face", int(row)) for row in faces)
    return tuple(
        ("edge", int(row))
        for row in np.flatnonzero(view.edges.kind == "circle")
        if view.body_of("edge", int(row)) == body
    )


@pytest.mark.parametrize("turns", TURNS)
@pytest.mark.parametrize("kinds", [("shell", "shell", "shell"), ("solid", "solid", "shell")])
def test_three_plates_and_three_bolts(turns: Any, kinds: tuple[str, str, str]) -> None:
    """Picked on the outermost one; the one that lies on the other side is reached through the
    middle one. The last plate has two of the holes only."""
    project, view = shown(
        plate("low", 0.0, 4.0, kinds[0], HOLES, turns=turns),
        plate("mid", 5.0, 6.0, kinds[1], HOLES, 9.5, turns),
        plate("top", 10.0, 4.0, kinds[2], HOLES[:2], turns=turns),
    )
    picked = holes_of(view, "low")
    offers = join_offers(view, picked)
    assert [offer.key for offer in offers] == ["bolts"] and "3 bolts" in offers[0].words
    made, words, field, _ = join(project, view, picked, "bolts")
    assert words == "3 bolts added" and field == "bolts" and len(made.bolts) == 3
    assert sorted(len(bolt.through) for bolt in made.bolts) == [2, 3, 3]
    assert all(bolt.diameter == "8 mm" and bolt.faces == "apart" for bolt in made.bolts)
    assert len({name for bolt in made.bolts for name in bolt.through}) == 8
    findings = Runner().run(Snapshot(made), Plan("mesh"))[stage_keys(made).mesh]
    assert len(findings.bonded) + len(findings.fused) == 0  # nothing but the bolts joins them


def test_holes_that_do_not_lie_on_each_other() -> None:
    """Beside each other, far apart, or far wider: none is offered; nor the arc of a bend."""
    for other in (
        plate("top", 4.0, 4.0, "shell", [(24.0, 20.0)]),
        plate("top", 13.0, 4.0, "shell", HOLES),
        plate("top", 4.0, 4.0, "shell", [(20.0, 30.0)], 40.0),
    ):
        _, view = shown(plate("low", 0.0, 4.0, "shell", HOLES), other)
        offers = join_offers(view, holes_of(view, "low"))
        assert not [offer for offer in offers if "bolt" in offer.key]
    folded = {
        "name": "low",
        "material": STEEL["name"],
        "mesh_as": "shell",
        "recipe": {
            "kind": "folded sheet",
            "profile": [["40 mm", "0 mm"], ["0 mm", "0 mm"], ["0 mm", "40 mm"]],
            "thickness": "2 mm",
            "bend": "4 mm",
            "length": "80 mm",
        },
    }
    for mesh_as in ("shell", "solid"):
        pieces = [
            {**folded, "mesh_as": mesh_as},
            {
                **folded,
                "mesh_as": mesh_as,
                "name": "top",
                "place": {"at": ["0 mm", "0 mm", "80 mm"]},
            },
        ]
        _, view = shown(*pieces)
        bends = [("face", int(row)) for row in np.flatnonzero(view.faces.kind == "cylinder")]
        bends += [("edge", int(row)) for row in np.flatnonzero(view.edges.kind == "circle")]
        assert len(bends) > 3
        for bend in bends:
            assert not [offer for offer in join_offers(view, (bend,)) if "bolt" in offer.key]


def test_holes_whose_axes_look_the_other_way() -> None:
    """A plate turned over, off the origin: levels along the axis change their sign with it."""
    over = plate("top", 0.0, 4.0, "solid", [(20.0, 40.0), (20.0, 20.0), (100.0, 30.0)])
    over["place"] = {
        "turns": [{"about": "x", "angle": "180 deg"}],
        "at": ["0 mm", "60 mm", "504 mm"],
    }
    low = plate("low", 0.0, 4.0, "solid", HOLES)
    low["place"] = {"at": ["0 mm", "0 mm", "500 mm"]}
    _, view = shown(low, over)
    axes = {
        float(np.sign(view.faces.direction[row][2]))
        for piece in ("low", "top")
        for _, row in holes_of(view, piece)
    }
    offers = join_offers(view, holes_of(view, "low"))
    assert axes == {-1.0, 1.0}, "or this says nothing"
    assert "3 bolts" in offers[0].words


@pytest.mark.full
def test_a_pick_looks_at_the_holes_about_it_only(monkeypatch: pytest.MonkeyPatch) -> None:
    """A perforated plate on another one: one pick does not go through all of them, which held the
    window for seconds."""
    from labilis.app import joining

    holes = [(6.0 + 12 * column, 5.0 + 10 * row) for column in range(10) for row in range(6)]
    _, view = shown(
        plate("low", 0.0, 2.0, "shell", holes, 4.0), plate("top", 2.0, 2.0, "shell", holes, 4.0)
    )
    looked: list[Any] = []
    whole = joining._hole
    monkeypatch.setattr(joining, "_hole", lambda *what: (looked.append(what), whole(*what))[1])
    assert join_offers(view, holes_of(view, "low")[:1])[0].key == "bolts"
    assert 2 <= len(looked) < 10
