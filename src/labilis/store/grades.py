"""Own grades: materials kept for later projects, in folders, in one JSON file of the user's;
read as JSON or from a table (CSV)."""

from __future__ import annotations

import json
import os
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from platformdirs import user_data_path
from pydantic import ValidationError

from labilis.model import GRADES, LabilisError, Material, load_project
from labilis.store.csv_table import CsvTable, head_and_unit, read_csv, with_unit

_VERSION = 1
_MOST_BYTES = 5_000_000


@dataclass(frozen=True)
class OwnGrade:
    """A material and the folder it is kept in, '' for none; folders in folders are written
    'sheet/galvanised'."""

    material: Material
    folder: str = ""


def grades_file() -> Path:
    """Where own grades are kept."""
    base = os.environ.get("LABILIS_STATE")
    return (Path(base) if base else user_data_path("labilis", ensure_exists=False)) / "grades.json"


def read_grades(path: Path | None = None) -> list[OwnGrade]:
    """Grades of a file, or the user's own; none where there is no own file yet. Raises
    LabilisError for a file that is none of ours."""
    source = path or grades_file()
    if not source.is_file():
        if path is None:
            return []
        raise LabilisError("There is no such file.", str(source), "Check the name.", "no-file")
    try:
        if source.stat().st_size > _MOST_BYTES:
            raise ValueError("it is too large")
        data = json.loads(source.read_text(encoding="utf-8-sig"))
        if data["labilis_grades"] != _VERSION:
            raise ValueError(f"version {data['labilis_grades']} is not known")
        found = [
            OwnGrade(Material.model_validate(item["material"]), str(item.get("folder", "")))
            for item in data["grades"]
        ]
    except (OSError, ValueError, KeyError, TypeError, AttributeError, ValidationError) as error:
        raise LabilisError(
            f"These are no grades ({error}).",
            str(source),
            "Choose a file that was written by exporting grades.",
            "grades",
        ) from error
    for item in found:
        load_project({"materials": [item.material.model_dump()]})  # every quantity must be one
    return found


def write_grades(grades: Sequence[OwnGrade], path: Path | None = None) -> Path:
    """Write grades to a file, or as the user's own; written beside it first, so that a full disk
    loses nothing."""
    target = path or grades_file()
    rows = [
        {"folder": item.folder, "material": item.material.model_dump(exclude_defaults=True)}
        for item in grades
    ]
    text = json.dumps({"labilis_grades": _VERSION, "grades": rows}, indent=2, ensure_ascii=False)
    part = target.with_name(f".{target.name}.part")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        part.write_text(text + "\n", encoding="utf-8")
        part.replace(target)
    except OSError as error:
        raise LabilisError(
            f"The grades cannot be written ({error.strerror}).",
            str(target),
            "Choose another place.",
            "disk",
        ) from error
    return target


_FIELDS = ("youngs_modulus", "poisson_ratio", "density", "yield_strength", "expansion")
_WORDS = ("name", "folder", "source")


def grades_of_table(path: Path) -> list[OwnGrade]:
    """Grades of a CSV file: a row each, the heads name the fields of a material, with their units:
    'youngs_modulus, GPa' or 'youngs_modulus [GPa]'. A cell may bring its own unit. With ; between
    cells decimal commas are read. Raises LabilisError with the row and the head that is wrong."""
    where = str(path)
    table = read_csv(path, "grades")
    heads = [_head(cell, where) for cell in table.heads]
    names = [name for name, _ in heads]
    if "name" not in names:
        raise LabilisError(
            "The table has no column 'name'.",
            where,
            f"Its heads are of: {', '.join((*_WORDS, *_FIELDS))}.",
            "grades",
        )
    if len(set(names)) < len(names):
        raise LabilisError(
            "Two columns have the same head.", where, "Leave one of them out.", "grades"
        )
    found = []
    for number, row in table.rows:
        stated: dict[str, str] = {}
        for (name, unit), cell in zip(heads, row):
            stated |= _stated(name, unit, cell, table, f"{where}, row {number}")
        folder = stated.pop("folder", "")
        try:
            found.append(OwnGrade(Material.model_validate(stated), folder))
            load_project({"materials": [stated]})
        except (ValidationError, LabilisError) as error:
            said = error.what if isinstance(error, LabilisError) else "a name is missing"
            raise LabilisError(
                f"Row {number} is no material: {said}", where, "Correct it in the table.", "grades"
            ) from error
    if len({item.material.name for item in found}) < len(found):
        raise LabilisError(
            "Two rows have the same name.", where, "Give each a name of its own.", "grades"
        )
    return found


def _head(cell: str, where: str) -> tuple[str, str]:
    """(field, unit) of a head."""
    name, unit = head_and_unit(cell)
    if name not in (*_WORDS, *_FIELDS):
        raise LabilisError(
            f"'{cell}' is no field of a material.",
            where,
            f"Heads are of: {', '.join((*_WORDS, *_FIELDS))}.",
            "grades",
        )
    return name, unit


def _stated(name: str, unit: str, cell: str, table: CsvTable, where: str) -> dict[str, str]:
    """What a cell states; nothing where it is empty."""
    if not cell:
        return {}
    if name in _WORDS:
        return {name: cell}
    number = table.number(cell)
    return {
        name: number if name == "poisson_ratio" else with_unit(number, unit, name, where, "grades")
    }


def keep_grade(material: Material, folder: str = "") -> None:
    """Add a material to the own grades, in place of one of that name. Raises LabilisError for
    the name of a grade of the library."""
    if material.name in {item.name for item in GRADES}:
        raise LabilisError(
            f"'{material.name}' is a grade of the library, which stays as it is.",
            "materials",
            "Copy it under another name first.",
            "grade-name",
        )
    kept = [item for item in read_grades() if item.material.name != material.name]
    write_grades([*kept, OwnGrade(material, folder)])


def import_grades(path: Path) -> list[str]:
    """Take the grades of a file, JSON or CSV, over into the own ones; names of what came. Those of
    the same name are replaced. Raises LabilisError for the name of a grade of the library with
    other values: it would stand for them unseen."""
    new = grades_of_table(path) if path.suffix.lower() == ".csv" else read_grades(path)
    names = {item.material.name for item in new}
    library = {item.name: item for item in GRADES}
    for item in new:
        if item.material.name in library and item.material != library[item.material.name]:
            raise LabilisError(
                f"'{item.material.name}' is a grade of the library, which stays as it is.",
                str(path),
                "Give it another name in the file.",
                "grade-name",
            )
    write_grades([*(item for item in read_grades() if item.material.name not in names), *new])
    return [item.material.name for item in new]
