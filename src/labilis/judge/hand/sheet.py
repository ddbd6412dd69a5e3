"""A hand check as it would stand in a calculation: what was put in and from where, what came of
it, what it holds for."""

from __future__ import annotations

import math

from labilis.judge.figures import force_text
from labilis.judge.hand.checks_of_member import HandResult, Taken, raised
from labilis.model import shown


def calculation(item: HandResult, case: str) -> list[list[str]]:
    """Rows of (what, value, note), the head first; numbers with their units as shown."""
    rows = [
        [f"{item.form.title}, {item.member}, case {case}", "", ""],
        ["formula", item.form.formula, ""],
    ]
    rows += [
        [f"{taken.symbol.name}, {taken.symbol.words}", _value(taken), _whence(taken)]
        for taken in item.taken
    ]
    if item.outcome is None:
        rows.append(["gives", "nothing", item.problem])
    else:
        rows += [
            [name, shown.restated(f"{value:.6g} {unit}".strip()), "found on the way"]
            for name, value, unit in item.outcome.steps
        ]
        rows.append(
            [
                "gives",
                force_text(item.outcome.load),
                "what the real member carries" if item.form.real else "ideal critical load",
            ]
        )
        rows += (
            [["factor", f"{item.factor:.5g}", "on the growing load"]]
            if math.isfinite(item.factor)
            else []
        )
        rows += (
            [["the model beside it", f"{item.difference:+.1f} %", "; ".join(item.reasons)]]
            if math.isfinite(item.difference)
            else []
        )
        rows += [["remark", remark, ""] for remark in item.outcome.remarks]
    return [*rows, ["holds for", item.form.valid, ""], ["source", item.form.source, ""]]


def _value(taken: Taken) -> str:
    text = (
        "not known"
        if taken.value is None
        else str(taken.value)
        if taken.symbol.choices
        else taken.text
    )
    return raised(text)


def _whence(taken: Taken) -> str:
    if not taken.typed:
        return (
            "usual, not found"
            if taken.assumed
            else "of the model"
            if taken.value is not None
            else ""
        )
    return (
        f"typed; {'usual is' if taken.usual else 'the model has'} {raised(taken.found)}"
        if taken.found
        else "typed"
    )
