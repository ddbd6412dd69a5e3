"""Own grades: kept, exported, imported, refused."""
import json
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from labilis.model import GRADES, LabilisError, Material
from labilis.store.grades import OwnGrade, import_grades, keep_grade, read_grades, write_grades
from tests.files.test_cli import labilis

_TEXT = st.text(st.characters(blacklist_categories=("Cs", "Cc")), min_size=1, max_size=20)
_GRADE = st.builds(OwnGrade, st.builds(
    Material, name=_TEXT, youngs_modulus=st.sampled_from(["210 GPa", "70 GPa"]), poisson_ratio=st.just("0.3"),
    yield_strength=st.floats(1, 2000).map(lambda value: f"{value:.6g} MPa"), source=_TEXT,
    hardening=st.sampled_from([(), (("1 %", "260 MPa"), ("5 %", "300 MPa"))])), _TEXT)


@given(st.lists(_GRADE, max_size=4, unique_by=lambda item: item.material.name))
@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_what_is_written_is_read_again(tmp_path: Path, grades: list[OwnGrade]) -> None:
    write_grades(grades, tmp_path / "g.json")
    assert read_grades(tmp_path / "g.json") == grades


def test_own_grades_are_kept_in_folders_and_replaced_by_name() -> None:
    assert read_grades() == []
    mine = Material(name="yard plate", youngs_modulus="208 GPa", poisson_ratio="0.29", source="our test of 2024")
    keep_grade(mine, "yard/plates")
    keep_grade(mine.model_copy(update={"youngs_modulus": "209 GPa"}), "yard/plates")
    assert [(item.folder, item.material.youngs_modulus) for item in read_grades()] == [("yard/plates", "209 GPa")]
    with pytest.raises(LabilisError, match="library"):
        keep_grade(GRADES[0])


_BAD = ["", "[]", '{"labilis_grades": 2, "grades": []}', '{"labilis_grades": 1, "grades": [{"material": {}}]}',
        '{"labilis_grades": 1, "grades": [{"material": {"name": "x", "youngs_modulus": "2 kg"}}]}']


@pytest.mark.parametrize("text", _BAD)
def test_a_file_that_is_none_of_ours_is_refused_and_changes_nothing(tmp_path: Path, text: str) -> None:
    keep_grade(Material(name="kept"))
    (tmp_path / "bad.json").write_text(text, encoding="utf-8")
    with pytest.raises(LabilisError):
        import_grades(tmp_path / "bad.json")
    assert [item.material.name for item in read_grades()] == ["kept"]


def test_the_command_line_lists_imports_and_exports(tmp_path: Path) -> None:
    write_grades([OwnGrade(Material(name="harbour bronze", youngs_modulus="110 GPa", poisson_ratio="0.34"), "sea")], tmp_path / "in.json")
    done = labilis("materials", "--import", tmp_path / "in.json")
    assert "harbour bronze (sea)" in done.stdout and "structural steel S235" in done.stdout, done.stderr
    assert labilis("materials", "--export", tmp_path / "out.json").returncode == 0
    assert json.loads((tmp_path / "out.json").read_text())["grades"][0]["folder"] == "sea"
