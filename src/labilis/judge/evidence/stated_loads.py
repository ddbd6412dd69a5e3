"""Loads that do not do what they were stated for: in no case, a weight or a warmth in another
unit, a thousandth of what is meant."""

from __future__ import annotations

import numpy as np

from labilis.judge.evidence.base import CaseFacts, Evidence
from labilis.model import TemperatureLoad, WeightLoad
from labilis.model.statements import Load

# mm/s²: on the moon things weigh 1,620; what is moved or shaken is accelerated by more than this
_LEAST = 1000.0
# K: beyond this the modulus of a steel is no longer that of the cold one (EN 1993-1-2, table 3.1:
# 0.9 of it at 200 °C), and who types a temperature for a change of it types 293
_WARMEST = 150.0
_OVER = 1000.0  # times what is asked of the first factor


def _acting(facts: CaseFacts) -> list[tuple[Load, float]]:
    """Loads of this case with their factors; of a case that is no longer there none."""
    project = facts.project
    if all(case.name != facts.case for case in project.cases):
        return []
    return [
        (project.named("loads", name), amount) for name, amount in project.case_loads(facts.case)
    ]


def in_no_case(facts: CaseFacts) -> Evidence | None:
    """Loads that act in no case of the project: what they would do nobody has looked at."""
    project = facts.project
    acting = {
        name for case in project.cases for name, amount in project.case_loads(case.name) if amount
    }
    idle = [load.name for load in project.loads if load.name not in acting]
    if not project.loads:
        return None
    if idle:
        names = ", ".join(f"'{name}'" for name in idle[:3]) + (" ..." if len(idle) > 3 else "")
        return Evidence(
            "loads in no case",
            str(len(idle)),
            "loads",
            "caution",
            f"{names} {'is' if len(idle) == 1 else 'are'} stated and in no case: nothing that was "
            "found knows of it. Put it into the cases in which it acts, or take it away.",
            "loads",
        )
    return Evidence("loads in no case", "0", "loads", "good", "Every load acts in a case.", "loads")


def weight(facts: CaseFacts) -> Evidence | None:
    """Weights of this case whose acceleration is no gravity."""
    sizes = [
        (abs(amount) * float(np.linalg.norm(facts.project.numbers(load, "acceleration"))), load)
        for load, amount in _acting(facts)
        if isinstance(load, WeightLoad) and amount
    ]
    if not sizes:
        return None
    size, load = min(sizes, key=lambda item: item[0])
    said = f"{size / 1000:.3g}"
    if size < _LEAST:
        return Evidence(
            "weight",
            said,
            "m/s²",
            "caution",
            f"'{load.name}' is the weight under {said} m/s²; gravity is 9.81. Check the "
            "unit of the acceleration.",
            "loads",
        )
    return Evidence(
        "weight", said, "m/s²", "good", "Weights are those of gravity or more.", "loads"
    )


def warmth(facts: CaseFacts) -> Evidence | None:
    """Changes of temperature of this case that are so large that the material is another."""
    loads = [
        (load, facts.project.number(load, "change") * amount)
        for load, amount in _acting(facts)
        if isinstance(load, TemperatureLoad)
    ]
    if not loads:
        return None
    load, change = max(loads, key=lambda item: abs(item[1]))
    if abs(change) > _WARMEST:
        return Evidence(
            "change of temperature",
            f"{change:.3g}",
            "K",
            "caution",
            f"'{load.name}' changes the temperature by {change:.3g} K, at which modulus and yield "
            "strength are others than stated. Is it a temperature instead of its change?",
            "loads",
        )
    return Evidence(
        "change of temperature",
        f"{change:.3g}",
        "K",
        "good",
        "Modulus and yield strength are those of this temperature.",
        "loads",
    )


def size_of_loads(facts: CaseFacts) -> Evidence | None:
    """A first factor so far above what is asked that the load may be a slip of a thousand."""
    modes = facts.modes
    if modes is None or len(modes.positive) == 0:
        return None
    over = float(np.fmin(modes.positive[0], modes.antisymmetric)) / facts.required
    if over > _OVER:
        return Evidence(
            "size of the loads",
            f"{over:.3g}",
            "times what is asked",
            "caution",
            f"The first factor is {over:.3g} times what is asked for. Check the unit of the loads: "
            "N for kN is a slip of a thousand.",
            "loads",
        )
    return Evidence(
        "size of the loads",
        f"{over:.3g}",
        "times what is asked",
        "good",
        "The loads are of the size that the part can bear.",
        "loads",
    )
