"""Something stated taken away, together with what cannot be without it. Pure functions on
statements."""

from __future__ import annotations

from typing import Any

from labilis.edit.standing import let_go
from labilis.model import LabilisError, Project, is_choice, load_project
from labilis.model.expressions import names_in
from labilis.model.quantities import Leaf, Names, label_of
from labilis.model.renaming import mentions

Path = tuple[str | int, ...]
NAMED = (
    "materials",
    "pieces",
    "bolts",
    "seams",
    "scribes",
    "regions",
    "hubs",
    "supports",
    "springs",
    "loads",
    "cases",
    "plans",
)
# mentions that say nothing when they are empty; all other single names are what their statement is
# about, which goes with them
_MAY_BE_EMPTY = {"material": None, "of": ""}


def without(project: Project, field: str, name: str) -> tuple[Project, tuple[str, ...]]:
    """(the project without one named item, what went with it: 'support foot'). Whatever stands on
    it goes too, and so on; lists of names lose it, and a statement whose list is empty then goes,
    since an empty list often means everything. A hub goes with the last that used it. Raises
    LabilisError where there is no such item, and for a parameter that is in use."""
    if field == "parameters":
        return _without_parameter(project, name), ()
    if field == "zones":  # a zone is called after its region
        zones = tuple(zone for zone in project.mesh.zones if zone.region != name)
        return project.changed(mesh=project.mesh.model_copy(update={"zones": zones})), ()
    project.named(field, name)
    if field == "pieces":  # what stands on it stays where it is
        project = let_go(project, name)
    gone: dict[Path, None] = {_path_of(project, field, name): None}
    emptied: dict[Path, Any] = {}
    while True:
        before = len(gone) + len(emptied)
        for path in tuple(gone):
            if len(path) == 2:
                item = getattr(project, str(path[0]))[path[1]]
                for leaf in (
                    mentions(project, str(path[0]), item.name) if hasattr(item, "name") else ()
                ):
                    _follow(leaf, gone, emptied)
        for path in _left_bare(project, gone):
            gone[path] = None
        for hub in _unused_hubs(project, gone):
            gone[hub] = None
        if len(gone) + len(emptied) == before:
            break
    whole = [path for path in gone if len(path) == 2 or path[:2] == ("mesh", "zones")]
    told = tuple(_told(project, path) for path in whole[1:])
    return load_project(_carried_out(project, gone, emptied)), told


def users_of_parameter(project: Project, name: str) -> tuple[str, ...]:
    """What stands on a parameter: others, plans, and statements whose expressions use it, 'load
    push'."""
    found = [leaf.path for leaf, _ in project.quantities() if name in names_in(leaf.text)]
    stated = [
        f"parameter {other}" for other, text in project.parameters.items() if name in names_in(text)
    ]
    plans = [
        f"plan {plan.name}"
        for plan in project.plans
        for vary in plan.vary
        if vary.parameter == name
        or (not is_choice(vary.parameter) and any(name in names_in(text) for text in vary.texts()))
    ]
    return tuple(dict.fromkeys([*stated, *plans, *(_told(project, path) for path in found)]))


def _without_parameter(project: Project, name: str) -> Project:
    if used := users_of_parameter(project, name):
        first = ", ".join(used[:4]) + (" and more" if len(used) > 4 else "")
        raise LabilisError(
            f"Parameter '{name}' is used: {first}.",
            f"parameters/{name}",
            "Write values in its place first.",
            "parameter",
        )
    return project.changed(
        parameters={other: text for other, text in project.parameters.items() if other != name}
    )


def _path_of(project: Project, field: str, name: str) -> Path:
    return field, next(row for row, item in enumerate(getattr(project, field)) if item.name == name)


def _follow(leaf: Leaf, gone: dict[Path, None], emptied: dict[Path, Any]) -> None:
    """What a mention of something that goes takes with it."""
    assert isinstance(leaf.mark, Names)
    if leaf.path[0] == "released":
        gone[leaf.path[:2]] = None
    elif isinstance(leaf.path[-1], int):  # one name of a list
        gone[leaf.path] = None
    elif leaf.path[0] == "regions":  # the piece that picks are on
        emptied[leaf.path] = ""
        emptied[(*leaf.path[:-1], "picks")] = []
    elif leaf.field in _MAY_BE_EMPTY:
        emptied[leaf.path] = _MAY_BE_EMPTY[leaf.field]
    else:
        gone[leaf.path[:-1]] = None


def _left_bare(project: Project, gone: dict[Path, None]) -> list[Path]:
    """Statements that were about names of which none is left, or too few."""
    found: list[Path] = []
    for row, region in enumerate(project.regions):
        lost = sum(
            1 for place in range(len(region.names)) if ("regions", row, "names", place) in gone
        )
        picks = region.picks and not any(
            path[:2] == ("pieces", number)
            for number, piece in enumerate(project.pieces)
            if piece.name == region.piece
            for path in gone
            if len(path) == 2
        )
        if lost == len(region.names) and not picks:
            found.append(("regions", row))
    for row, bolt in enumerate(project.bolts):
        if any(("bolts", row, "through", place) in gone for place in range(len(bolt.through))):
            found.append(("bolts", row))  # a bolt through fewer pieces is another bolt
    for row, load in enumerate(project.loads):
        pieces = getattr(load, "pieces", ())
        if pieces and all(("loads", row, "pieces", place) in gone for place in range(len(pieces))):
            found.append(("loads", row))
    for row, plan in enumerate(project.plans):
        if all(("plans", row, "vary", place) in gone for place in range(len(plan.vary))):
            found.append(("plans", row))
    return found


def _unused_hubs(project: Project, gone: dict[Path, None]) -> list[Path]:
    """Hubs that something used which goes, and that nothing uses any longer."""
    found: list[Path] = []
    standing = [
        (field, row, item.on)
        for field in ("supports", "springs", "loads")
        for row, item in enumerate(getattr(project, field))
        if hasattr(item, "on")
    ]
    for row, hub in enumerate(project.hubs):
        used = [(field, place) in gone for field, place, on in standing if on == hub.name]
        if used and all(used):
            found.append(("hubs", row))
    return found


def _told(project: Project, path: Path) -> str:
    """'support foot', 'mesh zone foot', 'release of leg and plate'."""
    words = {
        "materials": "material",
        "pieces": "piece",
        "bolts": "bolt",
        "seams": "seam",
        "scribes": "scribe",
        "regions": "region",
        "hubs": "hub",
        "supports": "support",
        "springs": "spring",
        "loads": "load",
        "cases": "case",
        "plans": "plan",
        "checks": "hand check of",
        "geometry": "file",
    }
    head = str(path[0])
    if head == "released":
        return f"release of {' and '.join(project.released[int(path[1])])}"
    if head == "mesh" and "zones" in path:
        return f"mesh zone {project.mesh.zones[int(path[2])].region}"
    if len(path) > 1 and isinstance(path[1], int):
        return f"{words.get(head, head)} {label_of(getattr(project, head)[path[1]])}"
    return {
        "mesh": "the mesh",
        "criteria": "what is asked",
        "trace": "the trace",
        "euler": "Euler's check",
    }.get(head, head)


def _carried_out(
    project: Project, gone: dict[Path, None], emptied: dict[Path, Any]
) -> dict[str, Any]:
    data = project.model_dump(mode="json")
    for path, value in emptied.items():
        place: Any = data
        for step in path[:-1]:
            place = place[step]
        place[path[-1]] = value
    for path in sorted(
        gone,
        key=lambda path: [step if isinstance(step, int) else -1 for step in path],
        reverse=True,
    ):
        place = data
        for step in path[:-1]:
            place = place[step]
        del place[path[-1]]
    return data
