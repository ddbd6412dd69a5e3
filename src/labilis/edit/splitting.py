"""A strut divided into two, one standing on the end of the other: for another section, a hinge, a
load or a finer mesh from some place on."""

from __future__ import annotations

import re
from typing import Any

from labilis.edit.parameters import free_parameter
from labilis.edit.standing import related
from labilis.model import LabilisError, Piece, Place, Project, Stand
from labilis.model.project import load_project, put_at
from labilis.model.quantities import Names
from labilis.model.recipes import Strut
from labilis.model.renaming import mentions

# what holds of the whole strut holds of both parts
_OF_BOTH = ("loads", "released", "checks")
_PLACES = 6  # digits of a length that is stated in mm


def split_strut(project: Project, name: str, share: float) -> tuple[Project, str]:
    """(statements, name of the further part) with a strut divided at a share of its length from
    its start. The place is a parameter, so that both lengths follow it.

    Supports, loads, hinges and what stands on its end go with the further part; what is named
    along the strut is of both. Raises LabilisError where a reference cannot be divided."""
    piece = project.named("pieces", name)
    _refuse(project, piece, share)
    assert isinstance(piece.recipe, Strut)
    length = piece.recipe.length
    whole = project.number(piece.recipe, "length", f"pieces/{name}/recipe/length")
    parameter = free_parameter(project, f"{name} split")
    further = _free_piece(project, name)
    if piece.place.on is not None and piece.place.on.by == "end":
        stand = piece.place.on.model_copy(update={"by": "itself"})
        project = related(project, name, stand)
        piece = project.named("pieces", name)
    ends = {
        end: tuple(item for item in piece.releases if item.end == end) for end in ("start", "end")
    }
    first = piece.model_copy(
        update={
            "recipe": piece.recipe.model_copy(update={"length": parameter}),
            "releases": ends["start"],
        }
    )
    second = piece.model_copy(
        update={
            "name": further,
            "recipe": piece.recipe.model_copy(update={"length": f"({length}) - {parameter}"}),
            "place": Place(on=Stand(piece=name, end="end")),
            "releases": ends["end"],
        }
    )
    data = _renamed(project, name, further)
    rows = [one.name for one in project.pieces]
    data["parameters"][parameter] = f"{round(share * whole, _PLACES):g} mm"
    pieces, row = list(data["pieces"]), rows.index(name)
    pieces[row : row + 1] = [first.model_dump(), second.model_dump()]
    return load_project({**data, "pieces": pieces}), further


def _refuse(project: Project, piece: Piece, share: float) -> None:
    """Raise LabilisError for what cannot be divided."""
    where, name = f"pieces/{piece.name}", piece.name
    if not isinstance(piece.recipe, Strut):
        raise LabilisError(f"'{name}' is no strut.", where, "Choose a strut.", "split")
    if not 0.0 < share < 1.0:
        raise LabilisError(
            f"'{name}' is divided between its ends.", where, "Choose a place on it.", "split"
        )
    if piece.cuts:
        raise LabilisError(
            f"'{name}' has holes cut through it, which could lie in either part.",
            f"{where}/cuts",
            "Take them away, divide it, and cut them again.",
            "split",
        )
    if piece.warping != "found":
        raise LabilisError(
            f"The warping of '{name}' is stated for both of its ends.",
            f"{where}/warping",
            "Let it be found, and divide it then.",
            "split",
        )


def _free_piece(project: Project, name: str) -> str:
    """'leg-2', or the next that is free."""
    taken, count = {piece.name for piece in project.pieces}, 2
    while f"{name}-{count}" in taken:
        count += 1
    return f"{name}-{count}"


def _renamed(project: Project, name: str, further: str) -> dict[str, Any]:
    """The statements with all that names the strut naming the part that is meant. Raises
    LabilisError for a mention of the whole that neither part can stand for."""
    data = project.model_dump()
    for number, region in enumerate(project.regions):
        told = [item for text in region.names for item in _parts_of(text, name, further)]
        data["regions"][number]["names"] = list(dict.fromkeys(told))
    for leaf in mentions(project, "pieces", name):
        if leaf.path[0] == "regions" or leaf.path[0] in _OF_BOTH or leaf.path[-1] == "piece":
            continue
        assert isinstance(leaf.mark, Names)
        whole = leaf.mark.form != "face"
        now = [] if whole else _parts_of(leaf.text, name, further)
        if len(now) != 1:
            raise LabilisError(
                f"Something of {leaf.path[0]} names {leaf.text}, which is divided.",
                str(leaf.path[0]),
                "Put it on something else first, make a value that is varied a parameter, or take "
                "it away.",
                "split",
            )
        data = put_at(data, leaf.path, now[0])
    for piece in data["pieces"]:
        on = piece["place"]["on"]
        if on is not None and on["piece"] == name and on["end"] == "end":
            on["piece"] = further
    _give_to_both(data, name, further)
    return data


def _give_to_both(data: dict[str, Any], name: str, further: str) -> None:
    """Loads by pieces, joints that are released and hand checks: of both parts."""

    def other(text: str) -> str:
        own = re.fullmatch(rf"{re.escape(name)}(\.\d+)?", text)
        return further + text[len(name) :] if own else text

    for load in data["loads"]:
        if name in load.get("pieces", ()):
            at = list(load["pieces"]).index(name) + 1
            load["pieces"] = [*load["pieces"][:at], further, *load["pieces"][at:]]
    pairs = [tuple(pair) for pair in data["released"]]
    more = [tuple(other(text) for text in pair) for pair in pairs]
    data["released"] = list(dict.fromkeys([*pairs, *more]))
    checks = list(data["checks"])
    data["checks"] = checks + [
        {**check, "member": other(check["member"]), "on_ladder": False}
        for check in checks
        if other(check["member"]) != check["member"]
    ]


def _parts_of(text: str, name: str, further: str) -> list[str]:
    """What a face or edge of a strut, 'leg.2/wall.1+end', is of its parts."""
    piece, word = text.split("/", 1)
    if piece != name and re.sub(r"\.\d+$", "", piece) != name:
        return [text]
    ends = {part.split(".")[0] for part in word.split("+")} & {"start", "end"}
    other = f"{further}{piece[len(name) :]}/{word}"
    if ends == {"end"}:
        return [other]
    return [text] if ends else [text, other]
