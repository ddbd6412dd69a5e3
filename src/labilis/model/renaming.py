"""A name changed everywhere it is used."""
from __future__ import annotations

from typing import Any

from labilis.model.project import Project, load_project

# where names of each kind are used: (list, key)
_USES: dict[str, list[tuple[str, str]]] = {
    "pieces": [("regions", "piece"), ("checks", "member"), ("seams", "to")], "materials": [("pieces", "material")],
    "regions": [("hubs", "region"), ("seams", "along"), ("supports", "on"), ("springs", "on"), ("loads", "on")],
    "hubs": [("supports", "on"), ("springs", "on"), ("loads", "on")], "supports": [("loads", "support")]}


def renamed(project: Project, field: str, index: int, new: str) -> Project:
    """Statements with the name of one item changed, and every mention of it. Raises LabilisError for a name that does not fit."""
    data = project.model_dump()
    old = data[field][index]["name"]
    data[field][index]["name"] = new
    for other, key in _USES.get(field, []):
        for item in data[other]:
            if item.get(key) is not None:
                item[key] = _word(item[key], old, new) if field == "pieces" else new if item[key] == old else item[key]
    if field in ("pieces", "scribes"):
        for region in data["regions"]:
            region["names"] = [_word(word, old, new) for word in region["names"]]
        for scribe in data["scribes"]:
            scribe["face"] = _word(scribe["face"], old, new)
    if field == "pieces":
        data["released"] = [[_word(word, old, new) for word in pair] for pair in data["released"]]
        for load in data["loads"]:
            if "pieces" in load:
                load["pieces"] = [new if word == old else word for word in load["pieces"]]
    for vary in (vary for plan in data["plans"] for vary in plan["vary"] if vary["parameter"].startswith(f"{field}/{old}/")):
        vary["parameter"] = f"{field}/{new}/" + vary["parameter"].removeprefix(f"{field}/{old}/")
    if field == "pieces":
        for asked in (asked for plan in data["plans"] for asked in (plan, *plan["limits"])):
            asked["of"] = new if asked["of"] == old else asked["of"]
    if field == "materials":
        for vary in (vary for plan in data["plans"] for vary in plan["vary"] if vary["parameter"].endswith("/material")):
            vary["values"] = [new if text == old else text for text in vary["values"]]
    if field == "regions":
        for bolt in data["bolts"]:
            bolt["through"] = [new if word == old else word for word in bolt["through"]]
        for zone in data["mesh"]["zones"]:
            zone["region"] = new if zone["region"] == old else zone["region"]
    if field in ("loads", "cases"):
        _in_cases(data["cases"], field, old, new)
    return load_project(data)


def _in_cases(cases: list[dict[str, Any]], field: str, old: str, new: str) -> None:
    for case in cases:
        for entry in case["loads" if field == "loads" else "combine"]:
            key = "load" if field == "loads" else "case"
            entry[key] = new if entry[key] == old else entry[key]


def _word(word: str, old: str, new: str) -> str:
    """'leg.2/foot' with leg renamed."""
    piece, slash, rest = word.partition("/")
    base, dot, number = piece.rpartition(".")
    if piece == old:
        return new + slash + rest
    return f"{new}.{number}{slash}{rest}" if dot and base == old and number.isdigit() else word
