"""Marks on the texts of statements: every quantity and every mention is found by the walker,
renaming and removal leave nothing behind."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any, Literal, get_args, get_origin

import numpy as np
import pytest
from pydantic import BaseModel

from labilis.edit.removing import NAMED, users_of_parameter, without
from labilis.model import LabilisError, Project, load_project
from labilis.model.quantities import Names, QuantityOf, _shapes, leaves, where_of
from labilis.model.renaming import mentions, renamed, renamed_parameter
from labilis.model.units import KINDS
from labilis.run import Plan, Runner, Snapshot
from labilis.run.keys import stage_keys
from labilis.words import stations
from labilis.words.joints import fastener_sentences
from labilis.words.part import parameter_sentences, part_sentences, scribe_sentences
from labilis.words.plan import improve_sentences
from labilis.words.trace import trace_sentences
from tests.parts import STEEL
from tests.run.test_keys import EVERYTHING

DEMOS = sorted(Path("src/labilis/demos").glob("*/*.json"))
# texts that are words and neither a quantity nor a mention, by statement and field
WORDS = {
    ("Material", "name"),
    ("Material", "source"),
    *(
        (kind, field)
        for kind in ("Geometry", "StoredFile", "Picture")
        for field in ("file", "sha256")
    ),
    ("Picture", "caption"),
    ("Project", "name"),
    ("Project", "scenario"),
    ("Project", "design"),
    ("Project", "parameters"),
    ("Criteria", "left_out"),
    ("Criteria", "meant"),
    ("Pick", "kind"),
    ("Vary", "values"),
    ("Vary", "low"),
    ("Vary", "high"),
    ("Support", "held"),
    ("Variant", "statements"),
}


def projects() -> list[Any]:
    """The demos, and the made-up project that states everything once."""
    found = [
        pytest.param(json.loads(path.read_text(encoding="utf-8")), id=path.stem) for path in DEMOS
    ]
    return [*found, pytest.param(EVERYTHING, id="everything")]


def statements(kind: Any, seen: set[type[BaseModel]]) -> None:
    """All classes of statements that a type leads to."""
    if isinstance(kind, type) and issubclass(kind, BaseModel) and kind not in seen:
        seen.add(kind)
        for field in kind.model_fields.values():
            statements(field.annotation, seen)
    for argument in get_args(kind):
        statements(argument, seen)


def holds_text(kind: Any) -> bool:
    if get_origin(kind) is Literal:
        return False
    return kind is str or any(holds_text(argument) for argument in get_args(kind))


def test_every_text_of_the_model_is_a_quantity_a_mention_or_known_to_be_words() -> None:
    seen: set[type[BaseModel]] = set()
    statements(Project, seen)
    assert len(seen) > 45
    for kind in seen:
        marked = {name for name, shape in _shapes(kind) if shape is not None}
        for name, field in kind.model_fields.items():
            if (
                holds_text(field.annotation)
                and name not in marked
                and name != "name"
                and kind.__name__ != "ReportPlan"
            ):
                assert (kind.__name__, name) in WORDS, (
                    f"{kind.__name__}.{name} is neither marked nor words"
                )


def test_kinds_are_known_units() -> None:
    for data in (param.values[0] for param in projects()):
        for leaf in leaves(load_project(data)):
            assert (
                isinstance(leaf.mark, Names)
                or leaf.kind in KINDS
                or leaf.owner.__class__.__name__ == "HandCheck"
            ), leaf


@pytest.mark.parametrize("data", projects())
def test_the_walker_meets_every_text_at_its_place(data: Any) -> None:
    project = load_project(data)
    dumped = project.model_dump()
    found = list(leaves(project))
    assert len({leaf.path for leaf in found}) == len(found) > 12
    for leaf in found:
        place: Any = dumped
        for step in leaf.path:
            place = place[step]
        assert place == leaf.text, leaf.path


@pytest.mark.parametrize("data", projects())
def test_what_a_sentence_offers_for_a_value_is_of_the_kind_that_its_field_has(data: Any) -> None:
    project = load_project(data)
    kinds = {leaf.path: kind for leaf, kind in project.quantities()}
    told = [
        *part_sentences(project, None, None),
        *scribe_sentences(project),
        *parameter_sentences(project),
        *stations.support_sentences(project),
        *stations.load_sentences(project),
        *stations.case_sentences(project),
        *stations.mesh_sentences(project, None, None),
        *fastener_sentences(project, {}),
        *trace_sentences(project, None),
        *improve_sentences(project),
        *stations.modes_sentences(project, None, ""),
    ]
    spans = [
        span
        for sentence in told
        for span in sentence
        if span.path is not None and span.kind in KINDS
    ]
    seen = {span.path: span.kind for span in spans if span.path in kinds}
    assert len(seen) > 10
    assert all(kinds[path] == kind for path, kind in seen.items() if path is not None), [
        (path, kind, kinds[path])
        for path, kind in seen.items()
        if path is not None and kinds[path] != kind
    ]


@pytest.mark.parametrize("data", projects())
def test_a_name_that_is_changed_and_changed_back_leaves_the_same_project(data: Any) -> None:
    project = load_project(data)
    for field in NAMED:
        for row, item in enumerate(getattr(project, field)):
            used = len(mentions(project, field, item.name))
            other = renamed(project, field, row, "quite another")
            assert not any(item.name == name.name for name in getattr(other, field))
            assert len(mentions(other, field, "quite another")) == used
            assert renamed(other, field, row, item.name) == project, (field, item.name)
    for name in project.parameters:
        other = renamed_parameter(project, name, "quite_another")

        assert stage_keys(other).modes == stage_keys(project).modes
        assert renamed_parameter(other, "quite_another", name) == project


@pytest.mark.parametrize("data", projects())
def test_whatever_is_removed_leaves_a_project_that_stands(data: Any) -> None:
    """Nothing that is left mentions it, and nothing acts on more than before."""
    project = load_project(data)
    for field in NAMED:
        for item in getattr(project, field):
            left, told = without(project, field, item.name)
            assert item.name not in {other.name for other in getattr(left, field)}
            assert load_project(json.loads(left.to_json())) == left
            assert all(" " in words for words in told)
            for load in left.loads:  # an empty list of pieces means all of them
                before = project.named("loads", load.name)
                assert bool(getattr(load, "pieces", ())) == bool(getattr(before, "pieces", ()))
            assert {region.name for region in left.regions} <= {
                region.name for region in project.regions
            }


def strip_with(**more: Any) -> Project:
    outline = [{"x": x, "y": y} for x, y in (("0 mm", "0 mm"), ("w", "0 mm"), ("w", "50 mm"))]
    plate = {"kind": "plate", "thickness": "2 mm", "outline": outline}
    return load_project(
        {
            "parameters": {"w": "90 mm", "free": "2 * w"},
            "pieces": [
                {
                    "name": "leg",
                    "recipe": plate,
                    "copies": [{"kind": "line", "count": 2, "step": ["0 mm", "0 mm", "9 mm"]}],
                },
                {"name": "cap", "recipe": plate},
            ],
            **more,
        }
    )


def test_a_load_on_one_piece_goes_with_it_and_does_not_come_to_act_on_all() -> None:
    project = strip_with(
        loads=[
            {"kind": "temperature", "name": "warm", "change": "30 K", "pieces": ["cap"]},
            {"kind": "weight", "name": "own", "pieces": ["cap", "leg"]},
        ],
        cases=[{"name": "day", "loads": [{"load": "warm"}, {"load": "own"}]}],
    )
    left, told = without(project, "pieces", "cap")
    assert [load.name for load in left.loads] == ["own"] and left.loads[0].pieces == ("leg",)  # type: ignore[union-attr]
    assert [entry.load for entry in left.cases[0].loads] == ["own"] and "load warm" in told


def test_all_that_stands_on_a_piece_goes_with_it() -> None:
    project = strip_with(
        scribes=[{"kind": "circle", "name": "mark", "face": "cap/top", "diameter": "9 mm"}],
        regions=[
            {"name": "rim", "names": ["mark/patch"]},
            {"name": "feet", "names": ["leg.1/top", "cap/top"]},
        ],
        hubs=[{"name": "hub", "region": "rim"}],
        supports=[
            {"name": "hold", "on": "hub", "held": ["x"]},
            {"name": "clamp", "on": "feet", "held": ["x", "y", "z"]},
        ],
        loads=[
            {
                "kind": "move",
                "name": "shift",
                "support": "hold",
                "components": ["1 mm", "0 mm", "0 mm"],
            }
        ],
        cases=[{"name": "day", "loads": [{"load": "shift"}]}],
        released=[["leg.2", "cap"]],
        mesh={"zones": [{"region": "rim", "size": "1 mm"}]},
    )
    left, told = without(project, "pieces", "cap")
    assert set(told) == {
        "scribe mark",
        "region rim",
        "hub hub",
        "support hold",
        "load shift",
        "mesh zone rim",
        "release of leg.2 and cap",
    }
    assert (
        left.regions[0].names == ("leg.1/top",)
        and not left.released
        and [item.name for item in left.supports] == ["clamp"]
    )
    same, _ = without(project, "supports", "clamp")
    assert same.hubs == project.hubs  # its own hub is still used
    bare, told = without(project, "supports", "hold")
    assert not bare.hubs and "hub hub" in told and "load shift" in told


def test_a_copy_and_a_piece_do_not_share_a_name() -> None:
    data = strip_with().model_dump()
    data["pieces"][1]["name"] = "leg.2"
    for copies in (
        data["pieces"][0]["copies"],
        [],
    ):  # without copies 'leg/top' would still mean faces of both
        with pytest.raises(LabilisError, match=r"leg\.2"):
            load_project(
                {**data, "pieces": [{**data["pieces"][0], "copies": copies}, data["pieces"][1]]}
            )
    data["pieces"][1]["name"] = "mast.2"  # no piece 'mast': a name like any other
    project = load_project({**data, "released": [["leg.1", "mast.2"]]})
    assert renamed(project, "pieces", 0, "arm").released == (("arm.1", "mast.2"),)


def test_a_parameter_in_use_stays_and_says_by_what_it_is_used() -> None:
    project = strip_with()
    with pytest.raises(LabilisError, match="parameter free, piece leg, piece cap"):
        without(project, "parameters", "w")
    assert users_of_parameter(project, "free") == ()
    assert set(without(project, "parameters", "free")[0].parameters) == {"w"}
    planned = strip_with(
        plans=[{"name": "p", "vary": [{"parameter": "w", "low": "free / 4", "high": "free"}]}]
    )
    with pytest.raises(LabilisError, match="plan p"):
        without(planned, "parameters", "free")


def test_a_parameter_does_not_take_the_name_of_another() -> None:
    """Two would become one, and every size that stands on either would change without a word."""
    project = strip_with()
    with pytest.raises(LabilisError, match="already"):
        renamed_parameter(project, "w", "free")
    assert renamed_parameter(project, "w", "w") == project
    other = renamed_parameter(project, "w", "wide")
    assert (
        other.parameters == {"wide": "90 mm", "free": "2 * wide"}
        and other.pieces[1].recipe.outline[1].x == "wide"
    )  # type: ignore[union-attr]


@pytest.mark.parametrize(
    "field", ["required_factor", "member_factor", "stiffener_factor", "closed_factor", "capacity"]
)
@pytest.mark.parametrize("text", ["0", "-3", "2 - 2"])
def test_nothing_passes_by_being_asked_for_nothing(field: str, text: str) -> None:
    with pytest.raises(LabilisError, match="above zero"):
        load_project({"criteria": {field: text}})


def test_a_bad_quantity_is_told_with_its_place() -> None:
    cases = {
        "criteria/capacity": {"criteria": {"capacity": "3 mm"}},
        "trace/shortest": {"trace": {"shortest": "x"}},
        "materials/s/hardening/0/1": {"materials": [{"name": "s", "hardening": [["1 %", "3 N"]]}]},
    }
    for where, data in cases.items():
        with pytest.raises(LabilisError) as caught:
            load_project(data)
        assert caught.value.where == where
    project = strip_with()
    assert (
        where_of(project, ("pieces", 1, "recipe", "outline", 2, "x"))
        == "pieces/cap/recipe/outline/2/x"
    )


def test_marks_are_in_the_schema() -> None:
    text = json.dumps(Project.model_json_schema())
    assert '"quantity": "length"' in text and '"names": ["regions", "hubs"]' in text
    assert QuantityOf("length").kind in KINDS


ACTS_ON = (("supports", "on"), ("loads", "on"), ("springs", "on"), ("hubs", "region"))


def test_what_a_load_or_support_acts_on_is_chosen_in_its_sentence() -> None:
    project = load_project(EVERYTHING)
    told = [*stations.support_sentences(project), *stations.load_sentences(project)]
    found = {span.path: span for sentence in told for span in sentence if span.path is not None}
    regions = {region.name for region in project.regions}
    hubs = {hub.name for hub in project.hubs}
    acts = [
        (field, row, name)
        for field, name in (
            ("supports", "on"),
            ("loads", "on"),
            ("springs", "on"),
            ("hubs", "region"),
        )
        for row, item in enumerate(getattr(project, field))
        if hasattr(item, name)
    ]
    assert len(acts) > 5 and len(regions) > 1
    for field, row, name in acts:
        span = found[field, row, name]
        offered = {value for _, value in span.choices}
        assert span.text in offered and regions <= offered <= regions | hubs
        assert name == "on" or not offered & hubs
        for value in offered:  # every one is a project, or says why not
            try:
                changed = project.with_value((field, row, name), value)
            except LabilisError as error:
                assert error.what
                continue
            assert getattr(getattr(changed, field)[row], name) == value


def test_pockets_and_bores_of_a_block_are_made_changed_and_taken_away_in_its_sentence() -> None:
    block = {"kind": "block", "width": "w", "height": "40 mm", "depth": "20 mm"}
    project = load_project(
        {
            "parameters": {"w": "60 mm"},
            "materials": [STEEL.model_dump()],
            "pieces": [{"name": "b", "recipe": block, "material": "steel"}],
        }
    )

    def spans() -> dict[Any, Any]:
        told = part_sentences(project, None, None)
        return {span.path: span for sentence in told for span in sentence if span.path is not None}

    here = ("pieces", 0, "recipe")
    for field in ("pockets", "bores"):
        more = next(value for words, value in spans()[*here, field].choices if "more" in words)
        project = project.with_value((*here, field), more)
    depths = (*here, "pockets", 0, "depth")
    assert spans()[depths].kind == "length" and spans()[depths].text == "10 mm"
    project = project.with_value(depths, "w / 6")
    found = Runner().run(Snapshot(project), Plan("shape"))
    volume = found[stage_keys(project).shape].volume
    assert volume == pytest.approx(60 * 40 * 20 - 30 * 20 * 10 - np.pi * 25 * 10, rel=1e-6)
    for field in ("pockets", "bores"):
        fewer = next(value for words, value in spans()[*here, field].choices if "without" in words)
        project = project.with_value((*here, field), fewer)
    assert project.pieces[0].recipe.model_dump() | block == project.pieces[0].recipe.model_dump()
