"""Following pressure: what of its load stiffness is not symmetric is left out and said."""

from labilis.judge.evidence.base import CaseFacts, Evidence
from labilis.model import PressureLoad


def following_pressure(facts: CaseFacts) -> Evidence | None:
    """Good on closed surfaces and held borders; elsewhere the pressure has no potential, and a
    static factor may mislead."""
    modes = facts.modes
    if modes is None:
        return None
    case = next((case for case in facts.project.cases if case.name == facts.case), None)
    names = {name for name, _ in facts.project.case_loads(case.name)} if case is not None else set()
    if not any(
        isinstance(load, PressureLoad) and load.direction == "following" and load.name in names
        for load in facts.project.loads
    ):
        return None
    percent = 100.0 * modes.unsymmetric
    if percent < 1.0:
        return Evidence(
            "following pressure",
            f"{percent:.2g}",
            "% not symmetric",
            "good",
            "The pressure follows the surface; its stiffness is symmetric, as on a closed surface "
            "or a held border.",
            "loads",
        )
    return Evidence(
        "following pressure",
        f"{percent:.0f}",
        "% not symmetric",
        "caution",
        f"{percent:.0f} % of the stiffness of the following pressure is not symmetric, because the "
        "pressed surface has a "
        "free border, and was left out. Such a part may also become unstable in motion, which a "
        "static factor does not "
        "show.",
        "loads",
    )
