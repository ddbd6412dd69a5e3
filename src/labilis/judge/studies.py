"""What a study says in words."""

from __future__ import annotations

import math

import numpy as np

from labilis.judge.evidence.contact import lost
from labilis.model import shown
from labilis.results.findings import StudyFindings


def figure_words(column: str, value: float) -> str:
    """A figure of a study as it is shown: counts with thousands, errors with two digits, all
    else with four."""
    if not math.isfinite(value):
        return "–"
    value *= shown.axis(column)[1]
    return (
        f"{int(value):,}"
        if column == "unknowns"
        else f"{value:.2g}"
        if column.startswith("mesh error")
        else f"{value:.4g}"
    )


def study_words(found: StudyFindings) -> str:
    """How sensitive the part is to what was changed."""
    if found.kind == "cross":
        return _crossed(found)
    if found.kind == "contact":
        return _touching(found)
    values = found.figures[:, 0]
    good = values[np.isfinite(values)]
    if len(good) < 2:
        return "Too little was found to compare."
    lost = 100 * (1 - float(good.min()) / float(good.max()))
    worst = shown.restated(
        str(found.labels[int(np.nanargmin(np.where(np.isfinite(values), values, np.nan)))])
    )
    if found.kind == "amplitude":
        how = "hardly sensitive" if lost < 5 else "sensitive" if lost < 20 else "very sensitive"
        return (
            f"The part is {how} to its shape: the verified factor runs from {good.max():.4g} to "
            f"{good.min():.4g}, {lost:.0f} % lost, "
            f"worst with {worst}."
        )
    yields = found.figures[:, 1]
    yields = yields[np.isfinite(yields)]
    fall = f" First yield falls from {yields[0]:.4g} to {yields.min():.4g}." if len(yields) else ""
    return f"Over the misalignment the first factor changes by {lost:.1f} %, worst {worst}.{fall}"


def _crossed(found: StudyFindings) -> str:
    if len(found.figures) < 2:
        return "Too little was found to compare."
    own, other = found.figures[0, 0], found.figures[1, 0]
    return (
        f"As {found.labels[1]} the first factor is {100 * (other / own - 1.0):+.2g} % off what it "
        f"is as {found.labels[0]}: "
        f"{other:.4g} against {own:.4g}."
    )


def _touching(found: StudyFindings) -> str:
    share = lost(found)
    if not math.isfinite(share):
        return "Too little was found to compare."
    if share > 1.0 - 1e-9:
        return "Without the faces that touch it falls apart: bolts and seams alone do not hold it."
    return (
        f"{100 * share:.2g} % of the first factor hangs on the faces that touch: with them apart "
        "it is the least that bolts and seams "
        "give."
    )
