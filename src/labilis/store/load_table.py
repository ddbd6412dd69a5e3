"""Loads and cases from a table (CSV), as an analysis of the whole machine hands them on: a row for
each load, or a row for each case.

A row for each load: `case` (empty: as in the row above), `on` (a region or a hub), `load` (its
name), `factor`, `growth`, the place of the point it acts at (`x`, `y`, `z`), forces `Fx`, `Fy`,
`Fz`, moments `Mx`, `My`, `Mz`, and `pressure`, each with its unit in the head. A row without
figures puts a load that is there into a case. A row for each case: `case`, and a column of factors
for each load that is there."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from labilis.model import (
    CaseLoad,
    ForceLoad,
    Hub,
    LabilisError,
    LoadCase,
    MomentLoad,
    PressureLoad,
    Project,
)
from labilis.store.csv_table import CsvTable, head_and_unit, read_csv, with_unit

_FORCES, _MOMENTS, _PLACE = ("fx", "fy", "fz"), ("mx", "my", "mz"), ("x", "y", "z")
_FIGURES = (*_FORCES, *_MOMENTS, "pressure")
_HEADS = ("case", "on", "load", "factor", "growth", *_PLACE, *_FIGURES)
_KIND = {
    **dict.fromkeys(_FORCES, "force"),
    **dict.fromkeys(_MOMENTS, "moment"),
    **dict.fromkeys(_PLACE, "length"),
    "pressure": "stress",
}
_CODE = "load-table"


def with_load_table(project: Project, path: Path) -> tuple[Project, str]:
    """(the project with the loads and cases of a table, what was read in words). Cases and loads of
    a name that is there are replaced. Raises LabilisError with the row that does not do; nothing is
    taken then."""
    table = read_csv(path, _CODE)
    loads = {item.name for item in project.loads}
    if (
        table.heads[0].lower() == "case"
        and len(table.heads) > 1
        and all(head in loads for head in table.heads[1:])
    ):
        reading = _of_cases(project, table, str(path))
    else:
        reading = _of_loads(project, table, str(path))
    if not reading.cases:
        raise LabilisError(
            "The table has heads and nothing below them.",
            str(path),
            "Write a row for each load.",
            _CODE,
        )
    return reading.taken(), reading.words()


@dataclass
class _Reading:
    """What the rows say so far: loads and hubs by name, and what acts in each case."""

    project: Project
    where: str
    loads: dict[str, Any] = field(default_factory=dict)
    hubs: dict[str, Hub] = field(default_factory=dict)
    cases: dict[str, dict[str, str]] = field(default_factory=dict)

    def wrong(self, row: int, what: str, remedy: str) -> LabilisError:
        return LabilisError(f"Row {row}: {what}", self.where, remedy, _CODE)

    def acts(self, row: int, case: str, load: str, factor: str) -> None:
        """Put a load into a case, once."""
        entries = self.cases.setdefault(case, {})
        if load in entries:
            raise self.wrong(
                row,
                f"'{load}' acts in '{case}' already.",
                "Give it another name in the column 'load', or take the row out.",
            )
        entries[load] = factor

    def state(self, row: int, load: Any) -> None:
        """A load of the table; the same may stand in several cases."""
        if self.loads.setdefault(load.name, load) != load:
            raise self.wrong(
                row,
                f"'{load.name}' is stated otherwise further up.",
                "Give it another name in the column 'load'.",
            )

    def numbered(self, case: str, load: Any) -> Any:
        """A load without a name of its own: the further ones at one place of a case are numbered.
        One that is stated twice alike keeps its name, so that it is refused: it would count
        twice."""
        there = [self.loads[name] for name in self.cases.get(case, ()) if name in self.loads]
        if any(item == load.model_copy(update={"name": item.name}) for item in there):
            return load
        name, count = load.name, 1
        while name in self.loads:
            count += 1
            name = f"{load.name} {count}"
        return load.model_copy(update={"name": name})

    def taken(self) -> Project:
        """The project with all of it; a case that is there keeps its place."""
        made = {
            name: LoadCase(
                name=name,
                loads=tuple(CaseLoad(load=load, factor=factor) for load, factor in entries.items()),
            )
            for name, entries in self.cases.items()
        }
        project = self.project
        return project.changed(
            hubs=[*project.hubs, *self.hubs.values()],
            loads=_merged(project.loads, self.loads),
            cases=_merged(project.cases, made),
        )

    def words(self) -> str:
        """'12 loads (3 of them in place of others) in 4 cases (1 in place of another): ...'"""
        parts = [
            f"{_counted(len(new), what)}{_instead(new, old)}"
            for new, old, what in (
                (self.loads, self.project.loads, "load"),
                (self.cases, self.project.cases, "case"),
            )
        ]
        elsewhere = [
            case.name
            for case in self.project.cases
            if case.name not in self.cases and any(entry.load in self.loads for entry in case.loads)
        ]
        also = f"; changed with them: {', '.join(elsewhere)}" if elsewhere else ""
        return f"{' in '.join(parts) if self.loads else parts[1]}: {', '.join(self.cases)}{also}"


def _merged(there: tuple[Any, ...], new: Mapping[str, Any]) -> list[Any]:
    old = {item.name for item in there}
    return [
        *(new.get(item.name, item) for item in there),
        *(item for name, item in new.items() if name not in old),
    ]


def _counted(count: int, what: str) -> str:
    return f"{count} {what}{'s' if count != 1 else ''}"


def _instead(new: Mapping[str, Any], old: tuple[Any, ...]) -> str:
    count = len({item.name for item in old} & set(new))
    return "" if not count else f" ({count} in place of what was there)"


def _of_cases(project: Project, table: CsvTable, where: str) -> _Reading:
    """A row for each case, a factor for each load; an empty cell and nought leave it out."""
    reading = _Reading(project, where)
    for row, (case, *cells) in table.rows:
        if not case:
            raise reading.wrong(row, "the case has no name.", "Name it in the first column.")
        if case in reading.cases:
            raise reading.wrong(row, f"'{case}' stands further up.", "Give each case one row.")
        reading.cases[case] = {}
        for load, cell in zip(table.heads[1:], cells):
            factor = _factor(reading, row, table.number(cell) or "0")
            if reading.project.value(factor, "number") != 0.0:
                reading.acts(row, case, load, factor)
    return reading


def _factor(reading: _Reading, row: int, text: str) -> str:
    reading.project.value(text, "number", f"{reading.where}, row {row}")
    return text


def _of_loads(project: Project, table: CsvTable, where: str) -> _Reading:
    heads = [head_and_unit(head) for head in table.heads]
    for (name, _), written in zip(heads, table.heads):
        if name not in _HEADS:
            raise LabilisError(
                f"'{written}' is no head of a table of loads, and no load of the project.",
                where,
                f"Heads are of: {', '.join(_HEADS)}.",
                _CODE,
            )
    names = [name for name, _ in heads]
    if len(set(names)) < len(names):
        raise LabilisError("Two columns are of the same.", where, "Leave one of them out.", _CODE)
    reading, case = _Reading(project, where), ""
    for row, cells in table.rows:
        said = {}
        for (name, unit), cell in zip(heads, cells):
            if cell and name in _KIND:
                text = with_unit(table.number(cell), unit, name, f"{where}, row {row}", _CODE)
                project.value(text, _KIND[name], f"{where}, row {row}")
                said[name] = text
            elif cell:
                said[name] = table.number(cell) if name == "factor" else cell
        case = _row(reading, row, said, case)
    return reading


def _row(reading: _Reading, row: int, said: dict[str, str], before: str) -> str:
    """Takes a row; returns its case, which the next one may leave out."""
    first = reading.project.cases[0].name if reading.project.cases else "service"
    case = said.get("case") or before or first
    factor = _factor(reading, row, said.get("factor", "1"))
    if not any(name in said for name in _FIGURES):
        _known(reading, row, said, case, factor)
        return case
    growth = said.get("growth", "growing")
    if growth not in ("growing", "held"):
        raise reading.wrong(
            row,
            f"a load grows or is held, and is not '{growth}'.",
            "Write growing or held in the column 'growth'.",
        )
    target = _target(reading, row, said)
    kinds = [
        kind for kind in (_FORCES, _MOMENTS, ("pressure",)) if any(name in said for name in kind)
    ]
    for kind in kinds:
        base = said.get("load") or f"{case}, {said['on']}"
        what = {_FORCES: "", _MOMENTS: " moment", ("pressure",): " pressure"}[kind]
        load = _load(reading, said, kind, base if len(kinds) == 1 else base + what, target, growth)
        if "load" not in said:
            load = reading.numbered(case, load)
        reading.state(row, load)
        reading.acts(row, case, load.name, factor)
    return case


def _known(reading: _Reading, row: int, said: Mapping[str, str], case: str, factor: str) -> None:
    """A row without figures: a load that is there, or stood further up, acts in this case as
    well."""
    name = said.get("load", "")
    if name not in reading.loads and all(item.name != name for item in reading.project.loads):
        raise reading.wrong(
            row,
            f"there are no figures, and no load called '{name}'."
            if name
            else "there are no figures.",
            "Give a force, a moment or a pressure, or name a load of the project in the column "
            "'load'.",
        )
    reading.acts(row, case, name, factor)


def _target(reading: _Reading, row: int, said: Mapping[str, str]) -> str:
    """What the row's loads act on: the region or hub it names, or a point that is tied to the
    region."""
    project, on = reading.project, said.get("on", "")
    regions, hubs = {item.name for item in project.regions}, {item.name for item in project.hubs}
    if on not in regions | hubs:
        there = ", ".join(sorted(regions | hubs)) or "none"
        raise reading.wrong(
            row,
            f"there is no region or hub called '{on}'."
            if on
            else "it does not say what the load acts on.",
            f"Name one in the column 'on'. There are: {there}.",
        )
    place = tuple(said[name] for name in _PLACE if name in said)
    if len(place) not in (0, 3):
        raise reading.wrong(
            row,
            "a point needs x, y and z.",
            "Give all three, or none for a load on the region itself.",
        )
    if place and on in hubs:
        raise reading.wrong(
            row,
            f"'{on}' is a hub, which has a place already.",
            "Leave x, y and z out, or name its region.",
        )
    turned = any(name in said for name in _MOMENTS)
    if on in hubs or not (place or turned):
        return on
    if "pressure" in said:
        raise reading.wrong(
            row,
            "a pressure acts on faces, not at a point.",
            "Give it a row of its own, without x, y and z.",
        )
    return _point(reading, on, place)


def _point(reading: _Reading, region: str, place: tuple[str, ...]) -> str:
    """A point tied to the region, which stays flexible; one that is there at the same place is
    taken."""
    project = reading.project
    wanted = None if not place else tuple(project.value(text, "length") for text in place)
    hubs: list[Hub] = [*project.hubs, *reading.hubs.values()]
    for hub in hubs:
        at = None if hub.at is None else tuple(project.numbers(hub, "at"))
        if hub.region == region and hub.kind == "spread" and at == wanted:
            return hub.name
    taken = {item.name for item in hubs} | {item.name for item in project.regions}
    count = next(
        number for number in range(1, len(taken) + 2) if f"{region}, point {number}" not in taken
    )
    hub = Hub(name=f"{region}, point {count}", region=region, kind="spread", at=place or None)  # type: ignore[arg-type]
    reading.hubs[hub.name] = hub
    return hub.name


def _load(
    reading: _Reading,
    said: Mapping[str, str],
    kind: tuple[str, ...],
    name: str,
    target: str,
    growth: str,
) -> Any:
    if kind == ("pressure",):
        return PressureLoad(name=name, on=target, pressure=said["pressure"], growth=growth)  # type: ignore[arg-type]
    nought = "0 N" if kind == _FORCES else "0 N*m"
    three = tuple(said.get(one, nought) for one in kind)
    make = ForceLoad if kind == _FORCES else MomentLoad
    return make(name=name, on=target, components=three, growth=growth)  # type: ignore[arg-type]
