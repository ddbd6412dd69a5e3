"""Tables that are read from CSV: heads with their units, rows of cells. What is doubtful is
refused with its place."""

from __future__ import annotations

import csv
import re
from dataclasses import dataclass
from pathlib import Path

from labilis.model import LabilisError

_MOST_BYTES = 5_000_000
_THOUSANDS = re.compile(r"[+-]?\d{1,3}(\.\d{3})+(?!\d)")


@dataclass(frozen=True)
class CsvTable:
    """heads as written; rows (number of the line in the file, cells, as many as heads); comma:
    whether a comma is a decimal sign; where,
    code: of errors."""

    heads: tuple[str, ...]
    rows: tuple[tuple[int, tuple[str, ...]], ...]
    comma: bool
    where: str
    code: str

    def number(self, cell: str) -> str:
        """A cell's text as a number is written here; what is none stays as it is. Raises
        LabilisError for '1.000' beside decimal commas, which is a thousand to some and one to
        others."""
        if self.comma and _THOUSANDS.match(cell):
            raise LabilisError(
                f"'{cell}' may be {cell.replace('.', '')} or {cell.split('.')[0]} here, where "
                "commas are decimal signs.",
                self.where,
                "Write it without a point, or with a comma.",
                self.code,
            )
        return cell.replace(",", ".") if self.comma else cell


def read_csv(path: Path, code: str) -> CsvTable:
    """Reads a table whose cells are set apart by commas, or by ; with decimal commas. Raises
    LabilisError for what is no table, a row with more cells than heads, and two heads alike."""
    where = str(path)
    try:
        if path.stat().st_size > _MOST_BYTES:
            raise LabilisError(
                "The table is too large.", where, "Take the rows that are needed.", code
            )
        text = path.read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError) as error:
        raise LabilisError(
            f"The table cannot be read ({error}).", where, "Save it as CSV in UTF-8.", code
        ) from error
    comma = ";" in text.partition("\n")[0]
    try:
        lines = [
            (number, tuple(cell.strip() for cell in row))
            for number, row in enumerate(
                csv.reader(text.splitlines(), delimiter=";" if comma else ","), 1
            )
        ]
    except csv.Error as error:
        raise LabilisError(
            f"The table cannot be read ({error}).", where, "Save it as CSV in UTF-8.", code
        ) from error
    if not lines:
        raise LabilisError(
            "The table is empty.",
            where,
            "Write a head for each column and a row for each thing.",
            code,
        )
    heads = lines[0][1]
    if len({head.lower() for head in heads}) < len(heads):
        raise LabilisError("Two columns have the same head.", where, "Leave one of them out.", code)
    rows = []
    for number, cells in lines[1:]:
        if len(cells) > len(
            heads
        ):  # what stands further right would be lost, or every number one head off
            raise LabilisError(
                f"Row {number} has {len(cells)} cells under {len(heads)} heads.",
                where,
                "Put texts with commas, and "
                "numbers with decimal commas, in quotes, or set the cells apart by ;.",
                code,
            )
        if any(cells):
            rows.append((number, cells + ("",) * (len(heads) - len(cells))))
    return CsvTable(heads, tuple(rows), comma, where, code)


def head_and_unit(head: str) -> tuple[str, str]:
    """('yield_strength', 'MPa') of 'Yield strength, MPa' or 'yield strength [MPa]'."""
    name, _, unit = re.sub(r"[\[\]()]", ",", head).partition(",")
    return name.strip().lower().replace(" ", "_").replace("'", ""), unit.strip(" ,")


def with_unit(cell: str, unit: str, what: str, where: str, code: str) -> str:
    """A quantity of a cell and the unit of its head; a cell may bring its own. Raises
    LabilisError for a number without any."""
    try:
        float(cell)
    except ValueError:
        return cell  # with a unit of its own, or an expression, which the model checks
    if not unit:
        raise LabilisError(
            f"'{cell}' of {what} has no unit.",
            where,
            f"Give it in the head, such as '{what}, ...', or in the cell.",
            code,
        )
    return f"{cell} {unit}"
