"""Variants: other designs kept in the same project. The one that is worked on is the project
itself; the others wait under their names."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from labilis.model import LabilisError, Project, TrialPlan, Variant, statements_of

_OF_ALL = {"plans", "design", "variants", "units"}  # belong to the project and not to a design
_KEYS = (
    "name",
    "kind",
    "region",
    "load",
    "case",
    "member",
)  # what tells items of a list apart, in this order


def design_names(project: Project) -> tuple[str, ...]:
    """All designs, the present one first."""
    return (project.design, *(variant.name for variant in project.variants))


def design_of(project: Project, name: str) -> Project:
    """The statements of a design by its name, without plans and other designs. Raises
    LabilisError for a name that is not there."""
    if name == project.design:
        return Project.model_validate({**_alone(project), "units": project.units})
    found = statements_of(
        project.named("variants", name)
    )  # the same object each time, by which what is known of it is found again
    return (
        found if found.units == project.units else found.model_copy(update={"units": project.units})
    )


def _alone(project: Project) -> dict[str, Any]:
    return project.model_dump(mode="json", exclude=_OF_ALL)


def keep_variant(project: Project, name: str, statements: Project | None = None) -> Project:
    """The project with a further design: these statements, or a copy of the present ones. Raises
    LabilisError for a name in use."""
    name = _free(project, name)
    return project.changed(
        variants=[*project.variants, Variant(name=name, statements=_alone(statements or project))]
    )


def free_name(project: Project, base: str) -> str:
    """A name for a design that is not taken yet: 'base', 'base 2', ..."""
    taken, name, count = design_names(project), base, 1
    while name in taken:
        count += 1
        name = f"{base} {count}"
    return name


def _free(project: Project, name: str) -> str:
    if not (name := name.strip()):
        raise LabilisError("A design needs a name.", "variants", "Give it one.", "name")
    if name in design_names(project):
        raise LabilisError(
            f"There is a design called '{name}' already.",
            "variants",
            "Give it another name.",
            "name",
        )
    return name


def switch_design(project: Project, name: str) -> Project:
    """The project with another design as the present one; the present one waits in its place.
    Raises LabilisError where a plan varies a parameter that the design does not have."""
    if name == project.design:
        return project
    chosen = design_of(project, name)
    waiting = [
        Variant(name=project.design, statements=_alone(project))
        if variant.name == name
        else variant
        for variant in project.variants
    ]
    plans = [plan for plan in project.plans if _fits(plan, chosen)]
    if len(plans) < len(project.plans):
        lost = next(plan.name for plan in project.plans if plan not in plans)
        raise LabilisError(
            f"The design '{name}' lacks a parameter that plan '{lost}' varies.",
            f"plans/{lost}",
            "Remove the plan, or give that design the parameter.",
            "plan",
        )
    return chosen.changed(plans=project.plans, design=name, variants=waiting, units=project.units)


def _fits(plan: TrialPlan, project: Project) -> bool:
    try:
        project.changed(plans=[plan])
    except LabilisError:
        return False
    return True


def remove_variant(project: Project, name: str) -> Project:
    """The project without a design that is not the present one."""
    project.named("variants", name)
    return project.changed(
        variants=[variant for variant in project.variants if variant.name != name]
    )


def meshed_alike(project: Project, size: str) -> Project:
    """The project with every design meshed to one size."""

    def alike(mesh: dict[str, Any]) -> dict[str, Any]:
        return {key: value for key, value in mesh.items() if key != "fineness"} | {"size": size}

    variants = [
        Variant(
            name=variant.name,
            statements={**variant.statements, "mesh": alike(variant.statements.get("mesh", {}))},
        )
        for variant in project.variants
    ]
    return project.changed(mesh=alike(project.mesh.model_dump()), variants=variants)


def rename_design(project: Project, old: str, new: str) -> Project:
    """A design under another name."""
    new = _free(project, new)
    if old == project.design:
        return project.changed(design=new)
    project.named("variants", old)
    return project.changed(
        variants=[
            variant.model_copy(update={"name": new}) if variant.name == old else variant
            for variant in project.variants
        ]
    )


def differences(one: Project, other: Project) -> list[tuple[str, str, str]]:
    """(where, value there, value in the other) of every statement in which two designs differ,
    '' where one has none."""
    return list(_differences(_alone(one), _alone(other), ""))


def _differences(one: Any, other: Any, where: str) -> Iterator[tuple[str, str, str]]:
    if one == other:
        return
    if isinstance(one, dict) and isinstance(other, dict):
        for key in [*one, *(key for key in other if key not in one)]:
            yield from _differences(
                one.get(key), other.get(key), f"{where}/{key}" if where else str(key)
            )
        return
    if isinstance(one, list) and isinstance(other, list):
        mine, theirs = _by_name(one), _by_name(other)
        if mine is not None and theirs is not None:
            for key in [*mine, *(key for key in theirs if key not in mine)]:
                yield from _differences(mine.get(key), theirs.get(key), f"{where}/{key}")
            return
    yield where, _words(one), _words(other)


def _by_name(items: list[Any]) -> dict[str, Any] | None:
    """Items of a list by what tells them apart, None where nothing does."""
    if not all(isinstance(item, dict) for item in items):
        return None
    for key in _KEYS:
        names = [item.get(key) for item in items]
        if all(isinstance(name, str) for name in names) and len(set(names)) == len(names):
            return dict(zip(names, items))
    return None


def _words(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, dict):
        return str(
            value.get("name")
            or value.get("kind")
            or ", ".join(f"{key} {_words(inner)}" for key, inner in value.items() if inner)
        )
    if isinstance(value, list):
        return ", ".join(_words(item) for item in value)
    return str(value)
