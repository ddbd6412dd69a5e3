"""A name changed everywhere it is used, and who uses it."""

from __future__ import annotations

from labilis.model.errors import LabilisError
from labilis.model.expressions import with_name
from labilis.model.project import Project, load_project, put_at
from labilis.model.quantities import Leaf, Names, respelt
from labilis.model.trials import is_choice


def renamed(project: Project, field: str, index: int, new: str) -> Project:
    """Statements with the name of one item changed, and every mention of it. Raises LabilisError
    for a name that does not fit."""
    old = getattr(project, field)[index].name
    data = put_at(project.model_dump(), (field, index, "name"), new)
    both = _both(project, field, old, new)
    for leaf in mentions(project, field, old):
        assert isinstance(leaf.mark, Names)
        data = put_at(data, leaf.path, respelt(leaf.text, leaf.mark.form, field, both))
    if field == "materials":  # what a plan tries a piece's material at
        for plan in data["plans"]:
            for vary in plan["vary"]:
                if vary["parameter"].endswith("/material"):
                    vary["values"] = [new if text == old else text for text in vary["values"]]
    return load_project(data)


def renamed_parameter(project: Project, old: str, new: str) -> Project:
    """Statements with a parameter's name changed, in expressions too. Raises LabilisError for a
    name that does not fit or is taken."""
    if new != old and new in project.parameters:
        raise LabilisError(
            f"There is a parameter '{new}' already.",
            f"parameters/{old}",
            "Choose another name.",
            "parameter",
        )
    data = project.model_dump()
    data["parameters"] = {
        new if name == old else name: with_name(text, old, new)
        for name, text in project.parameters.items()
    }
    for leaf, _ in project.quantities():
        data = put_at(data, leaf.path, with_name(leaf.text, old, new))
    for leaf in mentions(project, "parameters", old):
        data = put_at(data, leaf.path, new)
    for number, plan in enumerate(project.plans):
        for row, vary in enumerate(plan.vary):
            if is_choice(vary.parameter):
                continue
            stated = data["plans"][number]["vary"][row]
            stated["values"] = [with_name(text, old, new) for text in vary.values]
            stated |= {
                end: None if stated[end] is None else with_name(stated[end], old, new)
                for end in ("low", "high")
            }
    for variant in data["variants"]:
        if old in (stated := variant["statements"].get("parameters", {})) and new not in stated:
            variant["statements"] = renamed_parameter(
                load_project(variant["statements"]), old, new
            ).model_dump(mode="json", exclude={"plans", "design", "variants", "units"})
    return load_project(data)


def mentions(project: Project, field: str, name: str) -> list[Leaf]:
    """Everywhere that something in a list of the project is named, its copies included."""
    both = _both(project, field, name, name + "?")
    return [
        leaf
        for leaf in project.names()
        if isinstance(leaf.mark, Names)
        and field in leaf.mark.to
        and respelt(leaf.text, leaf.mark.form, field, both) != leaf.text
    ]


def _both(project: Project, field: str, old: str, new: str) -> dict[str, str]:
    """Names of an item, with the new ones; of a piece those of its copies too: 'leg.2' and
    'arm.2'."""
    bodies = project.named("pieces", old).instances if field == "pieces" else ()
    return {old: new, **{body: new + body.removeprefix(old) for body in bodies}}
