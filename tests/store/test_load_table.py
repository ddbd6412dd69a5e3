"""Loads and cases from tables: what is stated by a table is what is stated by hand, in every unit
and manner of writing; what is doubtful is refused with its row."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from labilis.model import (
    CaseLoad,
    ForceLoad,
    Hub,
    LabilisError,
    LoadCase,
    Piece,
    Project,
    Region,
    Support,
    WeightLoad,
)
from labilis.model.grades import GRADES
from labilis.model.recipes import Section, Strut
from labilis.run import Plan, Runner, Snapshot, stage_keys
from labilis.store import load_model, write_model
from labilis.store.load_table import with_load_table
from tests.commands import labilis


def post(**fields: object) -> Project:
    """A post on its foot, with regions and no load."""
    strut = Strut(
        section=Section(shape="angle", width="40 mm", height="30 mm", thickness="3 mm"),
        length="400 mm",
    )
    piece = Piece(name="post", recipe=strut, material=GRADES[0].name, mesh_as="shell")
    return Project(
        name="post",
        materials=(GRADES[0],),
        pieces=(piece,),
        regions=(
            Region(name="foot", names=("post/start",)),
            Region(name="head", names=("post/end",)),
        ),
        supports=(
            Support(name="held", on="foot", held=("x", "y", "z", "turn_x", "turn_y", "turn_z")),
        ),
    ).changed(**fields)


def written(folder: Path, text: str) -> Path:
    path = folder / "loads.csv"
    path.write_text(text, encoding="utf-8")
    return path


SIZE = {
    "N": 1.0,
    "kN": 1e3,
    "lbf": 4.4482216152605,
    "N*m": 1e3,
    "kN*m": 1e6,
    "lbf*in": 4.4482216152605 * 25.4,
}
NUMBERS = st.lists(st.floats(-1e4, 1e4).map(lambda value: round(value, 3)), min_size=6, max_size=6)


@settings(max_examples=40, deadline=None)
@given(
    st.lists(NUMBERS, min_size=1, max_size=5),
    st.sampled_from(["N", "kN", "lbf"]),
    st.sampled_from(["N*m", "kN*m", "lbf*in"]),
    st.booleans(),
    st.permutations(["Fx", "Fy", "Fz", "Mx", "My", "Mz"]),
)
def test_what_a_table_states_is_what_it_says(
    tmp_path_factory: pytest.TempPathFactory,
    rows: list[list[float]],
    force: str,
    moment: str,
    comma: bool,
    order: list[str],
) -> None:
    """Numbers of every row come back under their heads, whatever unit, order and decimal sign
    they are written in."""
    heads = [f"{name}, {force if name[0] == 'F' else moment}" for name in order]
    sign, names = (";" if comma else ","), ["Fx", "Fy", "Fz", "Mx", "My", "Mz"]
    lines = [sign.join(["case", "on", *(head if comma else f'"{head}"' for head in heads)])]
    for number, row in enumerate(rows):
        cells = [repr(row[names.index(name)]) for name in order]
        lines.append(
            sign.join(
                [
                    f"case {number}",
                    "head",
                    *(cell.replace(".", ",") if comma else cell for cell in cells),
                ]
            )
        )
    folder = tmp_path_factory.mktemp("table")
    project, _ = with_load_table(post(), written(folder, "\n".join(lines)))
    assert [case.name for case in project.cases] == [
        f"case {number}" for number in range(len(rows))
    ] and len(project.hubs) == 1
    for number, row in enumerate(rows):
        found = np.zeros(6)
        for name, factor in project.case_loads(f"case {number}"):
            load = project.named("loads", name)
            assert load.on == project.hubs[0].name and factor == 1.0
            found[0 if load.kind == "force" else 3 :][:3] += project.numbers(load, "components")
        assert found == pytest.approx(
            [value * SIZE[force if k < 3 else moment] for k, value in enumerate(row)],
            rel=1e-12,
            abs=1e-12,
        )


def factors(project: Project, case: str) -> np.ndarray:
    return np.asarray(
        Runner().run(Snapshot(project, {}), Plan("modes"))[stage_keys(project, case).modes].factors
    )


@pytest.mark.full
def test_a_table_and_the_same_loads_by_hand_buckle_alike(tmp_path: Path) -> None:
    by_hand = post(
        hubs=[Hub(name="tip", region="head", kind="spread", at=("4 mm", "0 mm", "400 mm"))],
        loads=[
            ForceLoad(name="push", on="tip", components=("0 N", "20 N", "-900 N")),
            WeightLoad(name="own weight", growth="held"),
        ],
        cases=[
            LoadCase(
                name="lift",
                loads=(CaseLoad(load="push", factor="1.5"), CaseLoad(load="own weight")),
            )
        ],
    )
    begun = post(loads=[WeightLoad(name="own weight", growth="held")])
    path = written(
        tmp_path,
        'case,on,load,factor,"x, cm","y, cm","z, m","Fx, kN","Fy, kN","Fz, kN"\n'
        "lift,head,push,1.5,0.4,0,0.4,,0.02,-0.9\n,,own weight,,,,,,,\n",
    )
    project, words = with_load_table(begun, path)
    assert words == "1 load in 1 case: lift"
    assert factors(project, "lift") == pytest.approx(factors(by_hand, "lift"), rel=1e-9)
    again, words = with_load_table(project, path)  # a table that is read anew changes nothing
    assert (
        again == project
        and words
        == "1 load (1 in place of what was there) in 1 case (1 in place of what was there): lift"
    )


def test_a_table_of_cases_takes_factors_of_loads_that_are_there(tmp_path: Path) -> None:
    loads = [
        ForceLoad(name=name, on="head", components=("0 N", "0 N", "-100 N"))
        for name in ("wind", "snow", "live")
    ]
    project = post(
        loads=loads,
        cases=[
            LoadCase(name="old", loads=(CaseLoad(load="wind"),)),
            LoadCase(name="B", loads=(CaseLoad(load="live"),)),
        ],
    )
    found, words = with_load_table(
        project, written(tmp_path, "case;wind;live\nA;1,5;\nB;0;-0,7\nC;1.35*0.5;1\n")
    )
    assert words == "3 cases (1 in place of what was there): A, B, C"
    assert [case.name for case in found.cases] == ["old", "B", "A", "C"]
    assert dict(found.case_loads("A")) == {"wind": 1.5} and dict(found.case_loads("B")) == {
        "live": -0.7
    }
    assert dict(found.case_loads("C")) == pytest.approx(
        {"wind": 0.675, "live": 1.0}
    ) and found.case("old") == project.case("old")


def test_a_load_that_is_replaced_says_which_other_cases_change(tmp_path: Path) -> None:
    project = post(
        loads=[ForceLoad(name="wind", on="head", components=("10 N", "0 N", "0 N"))],
        cases=[LoadCase(name="old", loads=(CaseLoad(load="wind"),))],
    )
    found, words = with_load_table(
        project, written(tmp_path, 'case,on,load,"Fx, N"\nnew,head,wind,25\n')
    )
    assert words.endswith("new; changed with them: old") and found.numbers(
        found.loads[0], "components"
    ) == [25.0, 0.0, 0.0]


def test_pressures_stay_on_faces_and_each_place_gets_one_point(tmp_path: Path) -> None:
    text = (
        'case,on,growth,"pressure, MPa","Fz, N","x, mm","y, mm","z, mm"\n'
        "a,head,held,0.2,,,,\na,head,,,-5,1,0,400\na,foot,,,-5,1,0,400\nb,head,,,-7,1.0,0.0,400\nb,head,,,-7,2,0,400\n"
    )
    found, _ = with_load_table(post(), written(tmp_path, text))
    assert [(hub.region, found.numbers(hub, "at")) for hub in found.hubs] == [
        ("head", [1.0, 0.0, 400.0]),
        ("foot", [1.0, 0.0, 400.0]),
        ("head", [2.0, 0.0, 400.0]),
    ]
    assert [load.name for load in found.loads] == [
        "a, head",
        "a, head 2",
        "a, foot",
        "b, head",
        "b, head 2",
    ]
    assert (found.loads[0].kind, found.loads[0].on, found.loads[0].growth) == (
        "pressure",
        "head",
        "held",
    )
    assert with_load_table(found, tmp_path / "loads.csv")[0] == found
    with pytest.raises(
        LabilisError, match="Row 7: 'b, head' acts in 'b' already"
    ):  # the same twice would count twice
        with_load_table(post(), written(tmp_path, text + "b,head,,,-7,1,0,400\n"))


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ('case,on,"Fx, N"\na,top,5\n', "Row 2: there is no region or hub called 'top'"),
        ('case,on,"Fx, N"\na,,5\n', "it does not say what the load acts on"),
        ("case,on,Fx\na,head,5\n", "'5' of fx has no unit"),
        ('case,on,"Fx, mm"\na,head,5\n', "mm"),
        (
            'case,on,"F1, N"\na,head,5\n',
            "'F1, N' is no head of a table of loads, and no load of the project",
        ),
        ('case,on,"Fx, N","fx, kN"\na,head,5,1\n', "Two columns are of the same"),
        ('case,on,"Fx, N","x, mm"\na,head,5,3\n', "a point needs x, y and z"),
        ('case,on,load,"Fx, N"\na,head,push,5\nb,head,push,7\n', "stated otherwise further up"),
        ('case,on,"Fx, N"\na,head,5\na,head,5\n', "acts in 'a' already"),
        ('case,on,growth,"Fx, N"\na,head,falling,5\n', "grows or is held"),
        ("case,load\na,wind\n", "no load called 'wind'"),
        ('case,on,"Fx, N"\n', "nothing below them"),
        ('case,on,factor,"Fx, N"\na,head,much,5\n', "much"),
        ('case,on,"Fx, N"\na,head,5,7\n', "4 cells under 3 heads"),
        ('case,on,"pressure, MPa","Mz, N*m"\na,head,1,2\n', "a pressure acts on faces"),
        ("case;on;Fx [N]\na;head;1.000\n", "'1.000' may be 1000 or 1 here"),
        ("case;on;Fx [N]\na;head;-12.500 kN\n", "'-12.500 kN' may be"),
        ('case,on,"Fx, N"\na,head,1e999\n', ""),
    ],
)
def test_what_is_doubtful_is_refused_with_its_row(tmp_path: Path, text: str, words: str) -> None:
    project = post()
    with pytest.raises(LabilisError) as told:
        with_load_table(project, written(tmp_path, text))
    assert (
        words in told.value.what
        and (told.value.remedy or "such as" in told.value.what)
        and "loads.csv" in told.value.where
    )


@pytest.mark.full
def test_the_command_writes_a_model_that_runs(tmp_path: Path) -> None:
    write_model(Snapshot(post(), {}), tmp_path / "post.json")
    table = written(tmp_path, 'case,on,"Fz, lbf"\npressed,head,-200\n')
    done = labilis("loads", tmp_path / "post.json", table, "--out", tmp_path / "loaded.json")
    assert done.returncode == 0 and done.stdout == "1 load in 1 case: pressed\n"
    checked = labilis("check", tmp_path / "loaded.json", "--json", "-")
    assert (
        checked.returncode in (0, 1)
        and load_model(tmp_path / "loaded.json").project.cases[0].name == "pressed"
    )
    wrong = labilis(
        "loads",
        tmp_path / "post.json",
        written(tmp_path, "case,on\n"),
        "--out",
        tmp_path / "none.json",
    )
    assert wrong.returncode == 2 and not (tmp_path / "none.json").exists()
