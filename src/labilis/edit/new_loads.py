"""Loads that need no picked face: weight, warmth, a support that moves."""

from __future__ import annotations

from labilis.model import (
    CaseLoad,
    LoadCase,
    MoveLoad,
    Project,
    TemperatureLoad,
    WeightLoad,
)
from labilis.model.statements import Load


def with_load(project: Project, load: Load, case: str = "") -> Project:
    """Statements with a load that acts in a case, the one that is looked at; in the first one where
    none of that name is there."""
    project = project.with_item("loads", load)
    cases = list(project.cases) or [LoadCase(name="service")]
    at = next((k for k, known in enumerate(cases) if known.name == case), 0)
    use = CaseLoad(load=load.name)
    cases[at] = cases[at].model_copy(update={"loads": (*cases[at].loads, use)})
    return project.changed(cases=cases)


def told_in(project: Project, load: str) -> str:
    """', in case wind' where a load does not act in every case there is, else ''."""
    having = [case.name for case in project.cases if load in dict(project.case_loads(case.name))]
    if len(having) == len(project.cases):
        return ""
    return f", in case {' and '.join(having)}" if having else ", in no case"


def with_load_in_all(project: Project, load: Load) -> Project:
    """Statements with a load that acts once in every case. Where a case combines others, which
    have it each, what is over is taken off again."""
    made = project.with_item("loads", load)
    made = made.changed(cases=made.cases or (LoadCase(name="service"),))
    for name in _parts_first(made):
        there = sum(factor for other, factor in made.case_loads(name) if other == load.name)
        if abs(1.0 - there) > _NOTHING:
            use = CaseLoad(load=load.name, factor=f"{1.0 - there:.12g}")
            cases = [
                case.model_copy(update={"loads": (*case.loads, use)}) if case.name == name else case
                for case in made.cases
            ]
            made = made.changed(cases=cases)
    return made


_NOTHING = 1e-9  # of a factor


def _parts_first(project: Project) -> list[str]:
    """Names of the cases, those that a case combines before it."""
    found: list[str] = []

    def take(name: str) -> None:
        for part in project.case(name).combine:
            take(part.case)
        if name not in found:
            found.append(name)

    for case in project.cases:
        take(case.name)
    return found


def with_weight(project: Project) -> tuple[Project, str]:
    """(statements, name) with the weight of all pieces as a held load in every case."""
    name = project.free_name("loads", "own weight")
    return with_load_in_all(project, WeightLoad(name=name, growth="held")), name


def with_temperature(project: Project, case: str = "") -> tuple[Project, str]:
    """(statements, name) with a change of temperature of all pieces in a case."""
    name = project.free_name("loads", "warming")
    return with_load(project, TemperatureLoad(name=name, change="20 K"), case), name


def with_move(project: Project, support: str, case: str = "") -> tuple[Project, str]:
    """(statements, name) with a displacement of a support along the first direction that it
    holds, in a case."""
    name = project.free_name("loads", f"{support} moved")
    held = project.named("supports", support).held
    along = next((axis for axis in range(3) if "xyz"[axis] in held), 0)
    step = tuple("0.1 mm" if axis == along else "0 mm" for axis in range(3))
    load = MoveLoad(name=name, support=support, components=step)  # type: ignore[arg-type]
    return with_load(project, load, case), name
