"""A force given per face where the total was meant."""

import numpy as np

from labilis.judge.evidence.base import CaseFacts, Evidence
from labilis.judge.figures import force_text
from labilis.model import ForceLoad


def each_load(facts: CaseFacts) -> Evidence | None:
    """The sum of what acts 'each'."""
    strength = facts.strength
    if strength is None:
        return None
    for name, size in zip(strength.loads, strength.load_sizes):
        load = next((item for item in facts.project.loads if item.name == name), None)
        if not isinstance(load, ForceLoad) or load.share != "each":
            continue
        one = float(
            np.linalg.norm(
                facts.project.numbers(load, "components") or [facts.project.number(load, "normal")]
            )
        )
        if one > 0 and size > 1.01 * one:
            return Evidence(
                "total or each",
                f"{size / one:.3g}",
                "times the stated force",
                "caution",
                f"'{name}' puts {force_text(one)} on each of {size / one:.3g} faces or edges, "
                f"{force_text(size)} in all. Say "
                "'total' if the sum was meant.",
                "loads",
            )
    return Evidence(
        "total or each",
        "1",
        "times the stated force",
        "good",
        "Every force is the total that is stated.",
        "loads",
    )
