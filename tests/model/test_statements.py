"""JSON form, schema, statements that must be refused."""

import json

import jsonschema
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from labilis.model import (
    CylindricalAxes,
    ForceLoad,
    LabilisError,
    LocalAxes,
    Material,
    NormalAxes,
    Pick,
    Piece,
    PressureLoad,
    Project,
    Region,
    Support,
    load_project,
)
from labilis.model.project import Geometry, json_schema

names = st.text(min_size=1, max_size=12).filter(
    lambda text: text.strip() != "" and max(text) < "\ud800"
)
vectors = st.tuples(*[st.floats(-1e3, 1e3).map(lambda value: round(value, 3))] * 3)
axes = st.one_of(
    st.just(NormalAxes()),
    st.just(CylindricalAxes()),
    st.builds(LocalAxes, x_axis=vectors, xy_plane=vectors),
)
HELD = {"normal": ("normal",), "cylindrical": ("radial", "axial"), "local": ("x", "z")}


@st.composite
def projects(draw: st.DrawFn) -> Project:
    region_names = draw(st.lists(names, min_size=1, max_size=3, unique=True))
    regions = [
        Region(
            name=name,
            piece="p",
            picks=(
                Pick(
                    of="face",
                    kind="plane",
                    position=draw(vectors),
                    size=draw(st.floats(0.1, 1e4)),
                    direction=draw(vectors),
                ),
            ),
        )
        for name in region_names
    ]
    chosen = draw(axes)
    support = Support(name=draw(names), on=region_names[0], axes=chosen, held=HELD[chosen.kind])
    loads = [
        ForceLoad(
            name="f",
            on=region_names[-1],
            components=("1 kN", "-2 N", "a"),
            growth=draw(st.sampled_from(["growing", "held"])),
        ),
        PressureLoad(name="p", on=region_names[0], pressure="0.1 MPa"),
    ]
    return Project(
        name=draw(names),
        parameters={"a": "5 N"},
        geometry=[Geometry(file="p.step", sha256="00")],
        materials=[Material(name="m", youngs_modulus="70 GPa", poisson_ratio="0.33")],
        pieces=[Piece(name="p", geometry="p.step", material="m")],
        regions=regions,
        supports=[support],
        loads=loads,
    )


@given(projects())
@settings(max_examples=25, deadline=None)
def test_the_text_form_reads_back_and_fits_its_schema(project: Project) -> None:
    text = project.to_json()
    assert load_project(text) == project
    jsonschema.validate(json.loads(text), json_schema())


BASE = {
    "labilis": 2,
    "geometry": [{"file": "p.step"}],
    "materials": [{"name": "m"}],
    "pieces": [{"name": "p", "geometry": "p.step", "material": "m"}],
    "regions": [
        {
            "name": "r",
            "piece": "p",
            "picks": [{"of": "face", "kind": "plane", "position": [0, 0, 0], "size": 1}],
        }
    ],
    "hubs": [{"name": "h", "region": "r"}],
}


@pytest.mark.parametrize(
    ("change", "where", "said"),
    [
        (
            {"supports": [{"name": "s", "on": "nowhere", "held": ["x"]}]},
            "supports/s",
            "no region or hub called 'nowhere'",
        ),
        (
            {"supports": [{"name": "s", "on": "r", "held": ["turn_x"]}]},
            "supports/s",
            "turns can be held on a hub only",
        ),
        (
            {"supports": [{"name": "s", "on": "r", "held": ["radial"]}]},
            "supports/0",
            "does not exist in global axes",
        ),
        (
            {
                "supports": [
                    {"name": "s", "on": "h", "axes": {"kind": "normal"}, "held": ["normal"]}
                ]
            },
            "supports/s",
            "global or local",
        ),
        (
            {"loads": [{"kind": "force", "name": "f", "on": "r"}]},
            "loads/0",
            "either by its components or along the normal",
        ),
        (
            {"loads": [{"kind": "force", "name": "f", "on": "r", "normal": "3 mm"}]},
            "loads/f",
            "is a length; a force is needed",
        ),
        ({"cases": [{"name": "c", "loads": [{"load": "none"}]}]}, "cases/c", "no load called"),
        (
            {"materials": [{"name": "m", "poisson_ratio": "0.5"}]},
            "materials/m/poisson_ratio",
            "cannot be used",
        ),
        (
            {"materials": [{"name": "m", "youngs_modulus": "-1 GPa"}]},
            "materials/m/youngs_modulus",
            "not above zero",
        ),
        ({"materials": [{"name": "m"}, {"name": "m"}]}, "materials", "given twice"),
        ({"mesh": {"size": "12 kg"}}, "mesh/size", "is a mass"),
        ({"mesh": {"size": "0 mm"}}, "mesh/size", "not above zero"),
        (
            {"mesh": {"zones": [{"region": "x", "size": "1 mm"}]}},
            "mesh/zones/x",
            "no region called",
        ),
        ({"thickness": 3}, "thickness", "not known"),
        ({"labilis": 99}, "labilis", "not known to this version"),
        ({"parameters": {"N": "3 mm"}}, "parameters", "cannot be a parameter's name"),
        ({"hubs": [{"name": "r", "region": "r"}]}, "hubs", "name of a region as well"),
        ({"criteria": {"required_factor": "-3"}}, "criteria/required_factor", "above zero"),
    ],
)
def test_statements_that_make_no_sense_are_refused(change: dict, where: str, said: str) -> None:
    with pytest.raises(LabilisError) as caught:
        load_project({**BASE, **change})
    assert said in str(caught.value)
    assert caught.value.where.startswith(where)


def test_text_that_is_not_json() -> None:
    with pytest.raises(LabilisError, match="not JSON"):
        load_project("{ not json")


def test_grades_are_complete_and_sourced() -> None:
    from labilis.model import GRADES, grade

    assert len({item.name for item in GRADES}) == len(GRADES)
    project = load_project({"materials": [item.model_dump() for item in GRADES]})
    for item in GRADES:
        assert item.source and grade(item.name) is item
        assert 1e4 < project.value(item.youngs_modulus, "stress") < 3e5
        assert 1e-9 < project.value(item.density, "density") < 1e-8
        assert project.value(item.yield_strength, "stress") > 100
    assert grade("unobtainium") is None
