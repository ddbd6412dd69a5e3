"""What is stated as before an edit is the very object of before it, and means the same."""

from __future__ import annotations

import json
import random
from pathlib import Path
from typing import Any

import pytest

from labilis.model import LabilisError, Project, load_project
from labilis.model.project import put_at
from labilis.model.quantities import leaves
from labilis.run.keys import shape_key, stage_keys
from labilis.store import load_model

DEMOS = Path(__file__).parents[2] / "src/labilis/demos"
MODELS = sorted(DEMOS.glob("*/*.json"))


def anew(project: Project) -> Project:
    """The same statements, read without anything of before."""
    return load_project(project.to_json())


def keys_of(project: Project) -> list[Any]:
    return [shape_key(project), *(stage_keys(project, case.name) for case in project.cases)]


@pytest.mark.parametrize("path", MODELS, ids=lambda path: path.stem)
def test_random_edits_share_and_keep_their_keys(path: Path) -> None:
    """Whatever is changed of a demo, keys are those of the same statements read anew; statements
    that are not touched stay the same objects."""
    dice = random.Random(path.stem)
    project = load_model(path).project
    places = [
        leaf
        for leaf, _ in project.quantities()
        if leaf.path[0] != "pieces" or project.pieces[leaf.path[1]].recipe is not None
    ]
    for leaf in dice.sample(places, min(25, len(places))):
        changed = project.with_value(leaf.path, f"({leaf.text}) * 1.001")
        assert changed == anew(changed)
        assert keys_of(changed) == keys_of(anew(changed))
        for field in ("pieces", "materials", "regions", "supports", "loads"):
            for number, (now, then) in enumerate(
                zip(getattr(changed, field), getattr(project, field))
            ):
                touched = leaf.path[:2] == (field, number)
                assert (now is then) != touched
        project = dice.choice((project, changed))


def test_a_parameter_changes_what_untouched_pieces_mean() -> None:
    """The piece is the same object, its number is not: nothing that is known of it is taken from
    before."""
    project = load_model(DEMOS / "cabinet-stand" / "cabinet-stand.json").project
    assert "leg_t" in project.parameters
    thicker = project.with_value(("parameters", "leg_t"), "1.3 mm")
    assert thicker.pieces[0] is project.pieces[0]
    assert shape_key(thicker) != shape_key(project)
    assert shape_key(thicker.with_value(("parameters", "leg_t"), "1.2 mm")) == shape_key(project)


def test_the_order_of_parameters_is_that_which_was_stated() -> None:
    project = load_model(DEMOS / "cabinet-stand" / "cabinet-stand.json").project
    turned = dict(reversed(project.parameters.items()))
    assert list(project.changed(parameters=turned).parameters) == list(turned)
    assert list(leaves(project.pieces[0])) == list(leaves(anew(project).pieces[0]))


def test_an_item_that_is_taken_out_leaves_the_others_as_they_were() -> None:
    project = load_model(DEMOS / "sensor-bracket" / "sensor-bracket.json").project
    loads = [*project.loads, project.loads[0].model_copy(update={"name": "second push"})]
    more = project.changed(loads=loads)
    assert [load.name for load in more.loads][-1] == "second push"
    assert more.loads[0] is project.loads[0]
    fewer = more.changed(loads=loads[1:], cases=[])
    assert [load.name for load in fewer.loads] == [load.name for load in loads[1:]]


@pytest.mark.parametrize(
    ("path", "value", "where"),
    [
        (("parameters", "leg_t"), "1.2 kg", "pieces/leg"),  # which is not touched
        (("parameters", "height"), "0.9 m + 2 N", "height"),
        (("loads", 0, "components"), ("0 N", "0 N", "-3 kg"), "components"),
        (("materials", 0, "youngs_modulus"), "210 mm", "youngs_modulus"),
        (("mesh", "size"), "9 kN", "size"),
    ],
)
def test_what_an_edit_makes_wrong_is_refused(path: Any, value: Any, where: str) -> None:
    """Also where it is another statement, left alone, that no longer can be evaluated; and the
    project of before stays as it was."""
    project = load_model(DEMOS / "cabinet-stand" / "cabinet-stand.json").project
    before = project.to_json()
    with pytest.raises(LabilisError) as refused:
        project.with_value(path, value)
    assert where in f"{refused.value.where} {refused.value.what}"
    with pytest.raises(LabilisError):
        load_project(json.dumps(put_at(json.loads(before), path, value)))
    assert project.to_json() == before


def test_a_new_statement_that_is_wrong_is_refused() -> None:
    project = load_model(DEMOS / "sensor-bracket" / "sensor-bracket.json").project
    wrong = project.loads[0].model_copy(
        update={"name": "second", "components": ("0 N", "1 MPa", "0 N")}
    )
    with pytest.raises(LabilisError, match="1 MPa"):
        project.with_item("loads", wrong)
