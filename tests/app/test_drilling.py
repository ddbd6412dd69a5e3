"""A hole that is asked for without a place goes through a wall of its piece."""

from __future__ import annotations

from typing import Any

import pytest

from labilis.app import Session
from labilis.model import load_project
from tests.frames import STEEL


def piece(recipe: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {"name": "post", "material": STEEL["name"], "mesh_as": "solid", "recipe": recipe, **more}


TUBE = {
    "kind": "strut",
    "length": "300 mm",
    "section": {
        "shape": "rectangular tube",
        "width": "40 mm",
        "height": "60 mm",
        "thickness": "3 mm",
    },
}
PIPE = {
    "kind": "strut",
    "length": "300 mm",
    "section": {"shape": "round tube", "diameter": "40 mm", "thickness": "3 mm"},
}
BENT = {
    "kind": "folded sheet",
    "profile": [["80 mm", "0 mm"], ["0 mm", "0 mm"], ["0 mm", "30 mm"]],
    "thickness": "2 mm",
    "bend": "20 mm",
    "length": "60 mm",
}


@pytest.mark.parametrize("mesh_as", ["solid", "shell"])
@pytest.mark.parametrize(
    ("recipe", "along"),
    [(TUBE, "x"), (TUBE, "y"), (PIPE, "x"), (BENT, "x"), (BENT, "y")],
)
def test_it_meets_the_piece_wherever_that_stands(
    session: Session, recipe: dict[str, Any], along: str, mesh_as: str
) -> None:
    stated = piece(recipe, mesh_as=mesh_as, place={"at": ["500 mm", "-80 mm", "30 mm"]})
    session.new(load_project({"materials": [STEEL], "pieces": [stated]}), {}, "a post")
    assert session.wait(60)
    before = session.current("shape").volume
    session.set_value(("pieces", 0, "cuts"), [{"along": along, "diameter": "6 mm"}], "drilled")
    assert session.wait(60)
    view = session.current("shape")
    assert view is not None, session.last_error
    walls = 2 if recipe is not BENT else 1
    lost = before - view.volume
    thick = 2.0 if recipe is BENT else 3.0
    assert lost == pytest.approx(walls * thick * 9 * 3.14159, rel=0.05)


def test_a_place_that_is_stated_stays(session: Session) -> None:
    session.new(load_project({"materials": [STEEL], "pieces": [piece(TUBE)]}), {}, "a post")
    assert session.wait(60)
    cut = {"along": "x", "y": "5 mm", "z": "40 mm", "diameter": "6 mm"}
    session.set_value(("pieces", 0, "cuts"), [cut], "drilled")
    assert session.wait(60)
    made = session.project.pieces[0].cuts[0]
    assert (made.y, made.z) == ("5 mm", "40 mm")
    session.set_value(("pieces", 0, "cuts"), [], "closed again")
    assert session.project.pieces[0].cuts == ()
