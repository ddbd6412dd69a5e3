"""Load cases made of others. Pure functions on statements."""

from __future__ import annotations

from labilis.model import CaseLoad, LabilisError, LoadCase, Project


def case_at(project: Project, case: str, factor: float) -> tuple[Project, str]:
    """(the project with a further case, its name): the loads of a case with its growing ones times
    a factor, the held ones as they are. Raises LabilisError for a factor that is no number above
    nought."""
    if not 0 < factor < float("inf"):
        raise LabilisError("There is no such factor.", "cases", "Choose one above nought.", "case")
    name = project.free_name("cases", f"{case} at {factor:.4g}")
    loads = []
    for load, amount in project.case_loads(case):
        times = amount * (factor if project.named("loads", load).growth == "growing" else 1.0)
        loads.append(CaseLoad(load=load, factor=f"{times:.12g}"))
    return project.with_item("cases", LoadCase(name=name, loads=tuple(loads))), name
