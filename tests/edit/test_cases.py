"""Cases made of others."""

from __future__ import annotations

import pytest

from labilis.edit.cases import case_at
from labilis.model import LabilisError, load_project
from tests.judge.test_mistakes import force, strip


def test_growing_loads_are_multiplied_and_held_ones_are_not_combinations_followed() -> None:
    held = {**force("-20 N"), "name": "rest", "growth": "held"}
    project = load_project(
        strip(
            force("-100 N"),
            held,
            cases=[
                {"name": "a", "loads": [{"load": "push", "factor": "1.5"}, {"load": "rest"}]},
                {
                    "name": "b",
                    "loads": [{"load": "push"}],
                    "combine": [{"case": "a", "factor": "2"}],
                },
            ],
        )
    )
    made, name = case_at(project, "b", 3.5)
    assert name == "b at 3.5" and dict(made.case_loads(name)) == pytest.approx(
        {"push": 3.5 * 4.0, "rest": 2.0}
    )
    again, other = case_at(made, "b", 3.5)
    assert other == "b at 3.5 2" and len(again.cases) == 4
    for factor in (0.0, -1.0, float("nan"), float("inf")):
        with pytest.raises(LabilisError):
            case_at(project, "b", factor)
