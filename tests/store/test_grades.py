"""Own grades: kept, exported, imported, refused."""

import json
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from labilis.model import GRADES, LabilisError, Material, load_project
from labilis.store.grades import (
    OwnGrade,
    grades_of_table,
    import_grades,
    keep_grade,
    read_grades,
    write_grades,
)
from tests.cli.test_cli import labilis

_TEXT = st.text(st.characters(blacklist_categories=("Cs", "Cc")), min_size=1, max_size=20)
_GRADE = st.builds(
    OwnGrade,
    st.builds(
        Material,
        name=_TEXT,
        youngs_modulus=st.sampled_from(["210 GPa", "70 GPa"]),
        poisson_ratio=st.just("0.3"),
        yield_strength=st.floats(1, 2000).map(lambda value: f"{value:.6g} MPa"),
        source=_TEXT,
        hardening=st.sampled_from([(), (("1 %", "260 MPa"), ("5 %", "300 MPa"))]),
    ),
    _TEXT,
)


@given(st.lists(_GRADE, max_size=4, unique_by=lambda item: item.material.name))
@settings(
    max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
def test_what_is_written_is_read_again(tmp_path: Path, grades: list[OwnGrade]) -> None:
    write_grades(grades, tmp_path / "g.json")
    assert read_grades(tmp_path / "g.json") == grades


def test_own_grades_are_kept_in_folders_and_replaced_by_name() -> None:
    assert read_grades() == []
    mine = Material(
        name="yard plate", youngs_modulus="208 GPa", poisson_ratio="0.29", source="our test of 2024"
    )
    keep_grade(mine, "yard/plates")
    keep_grade(mine.model_copy(update={"youngs_modulus": "209 GPa"}), "yard/plates")
    assert [(item.folder, item.material.youngs_modulus) for item in read_grades()] == [
        ("yard/plates", "209 GPa")
    ]
    with pytest.raises(LabilisError, match="library"):
        keep_grade(GRADES[0])


_BAD = [
    "",
    "[]",
    '{"labilis_grades": 2, "grades": []}',
    '{"labilis_grades": 1, "grades": [{"material": {}}]}',
    '{"labilis_grades": 1, "grades": [{"material": {"name": "x", "youngs_modulus": "2 kg"}}]}',
]


@pytest.mark.parametrize("text", _BAD)
def test_a_file_that_is_none_of_ours_is_refused_and_changes_nothing(
    tmp_path: Path, text: str
) -> None:
    keep_grade(Material(name="kept"))
    (tmp_path / "bad.json").write_text(text, encoding="utf-8")
    with pytest.raises(LabilisError):
        import_grades(tmp_path / "bad.json")
    assert [item.material.name for item in read_grades()] == ["kept"]


def test_the_command_line_lists_imports_and_exports(tmp_path: Path) -> None:
    write_grades(
        [
            OwnGrade(
                Material(name="harbour bronze", youngs_modulus="110 GPa", poisson_ratio="0.34"),
                "sea",
            )
        ],
        tmp_path / "in.json",
    )
    done = labilis("materials", "--import", tmp_path / "in.json")
    assert "harbour bronze (sea)" in done.stdout and "structural steel S235" in done.stdout, (
        done.stderr
    )
    assert labilis("materials", "--export", tmp_path / "out.json").returncode == 0
    assert json.loads((tmp_path / "out.json").read_text())["grades"][0]["folder"] == "sea"


def table(path: Path, text: str) -> Path:
    path.write_text(text, encoding="utf-8")
    return path


@pytest.mark.parametrize(
    "text",
    [
        'name,folder,"youngs_modulus, GPa",poisson_ratio,"density, kg/m^3","yield_strength, '
        'MPa",source\n'
        "plate A,mill,206,0.29,7840,310,test sheet 7\n\nplate B,,2.0e2 GPa,0.3,7.8 g/cm^3,300 "
        "N/mm^2,\n",
        "\ufeffname;folder;Young's modulus [GPa];Poisson ratio;density [kg/m^3];yield strength "
        "[MPa];source\r\n"
        "plate A;mill;206,0;0,29;7840;310;test sheet 7\r\nplate B;;200 GPa;0,3;7,8 g/cm^3;300 "
        "N/mm^2;\r\n",
    ],
    ids=["commas", "semicolons"],
)
def test_a_table_of_materials_is_read_with_its_units(tmp_path: Path, text: str) -> None:
    one, two = grades_of_table(table(tmp_path / "m.csv", text))
    assert (one.material.name, one.folder, one.material.source) == (
        "plate A",
        "mill",
        "test sheet 7",
    ) and two.folder == ""
    project = load_project({"materials": [one.material.model_dump(), two.material.model_dump()]})
    for item, e, nu, rho, fy in (
        (project.materials[0], 206e3, 0.29, 7.84e-9, 310.0),
        (project.materials[1], 200e3, 0.3, 7.8e-9, 300.0),
    ):
        assert [
            project.number(item, field)
            for field in ("youngs_modulus", "poisson_ratio", "density", "yield_strength")
        ] == pytest.approx([e, nu, rho, fy])


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "The table is empty"),
        ("folder,source\na,b\n", "no column 'name'"),
        ("name,stiffness\na,3\n", "'stiffness' is no field"),
        ("name,density\na,7850\n", "'7850' of density has no unit"),
        ('name,"density, MPa"\na,7850\n', "Row 2 is no material"),
        ('name,"density, kg/m^3"\na,heavy\n', "Row 2 is no material"),
        ('name,"density, kg/m^3"\n,7850\n', "Row 2 is no material"),
        ('name,"density, kg/m^3"\na,7850\na,7850\n', "same name"),
        ('name,"density, kg/m^3","density, g/cm^3"\na,7850,7\n', "same head"),
        # decimal commas without quotes move every number one head to the right
        (
            'name,"youngs_modulus, GPa","yield_strength, MPa"\na,206,5,310\n',
            "4 cells under 3 heads",
        ),
    ],
)
def test_a_wrong_table_says_what_and_where(tmp_path: Path, text: str, words: str) -> None:
    with pytest.raises(LabilisError) as told:
        grades_of_table(table(tmp_path / "m.csv", text))
    assert words in told.value.what and told.value.remedy and "m.csv" in told.value.where


def test_a_file_cannot_put_other_values_under_a_name_of_the_library(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("LABILIS_STATE", str(tmp_path / "state"))
    name = GRADES[0].name
    path = table(tmp_path / "m.csv", f'name,"youngs_modulus, GPa"\n{name},70\n')
    with pytest.raises(LabilisError, match="grade of the library"):
        import_grades(path)
    own = write_grades(
        [OwnGrade(GRADES[0].model_copy(update={"youngs_modulus": "70 GPa"}))], tmp_path / "own.json"
    )
    with pytest.raises(LabilisError, match="grade of the library"):
        import_grades(own)
    assert read_grades() == []
    assert import_grades(
        table(tmp_path / "n.csv", 'name,"youngs_modulus, GPa"\nplate A,206\n')
    ) == ["plate A"]
    assert [item.material.youngs_modulus for item in read_grades()] == ["206 GPa"]
