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


@pytest.mark.parametrize("shuffled", [False, True])
def test_weight_acts_once_in_every_case(shuffled: bool) -> None:
    """A combination adds what its parts have: the weight of both is one weight all the same."""
    from labilis.edit.new_loads import with_weight

    cases = [
        {"name": "still", "loads": [{"load": "push"}]},
        {"name": "wind", "loads": [{"load": "push", "factor": "0.5"}]},
        {
            "name": "both",
            "combine": [{"case": "still", "factor": "1.35"}, {"case": "wind", "factor": "1.5"}],
        },
        {"name": "over", "combine": [{"case": "both"}], "loads": [{"load": "push"}]},
        {"name": "empty", "loads": []},
    ]
    project = load_project(strip(cases=cases[::-1] if shuffled else cases))
    before = {case.name: dict(project.case_loads(case.name)) for case in project.cases}
    made, name = with_weight(project)
    assert load_project(made.to_json()) == made
    for case in made.cases:
        found = dict(made.case_loads(case.name))
        assert found.pop(name) == pytest.approx(1.0, abs=1e-9)
        assert found == before[case.name]
