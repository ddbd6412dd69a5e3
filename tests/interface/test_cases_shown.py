"""What is stated while a case is shown is stated for that case."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tests.interface.conftest import Hand
from tests.judge.test_mistakes import force, strip


@pytest.mark.parametrize("shown", ["service", "wind", "both"])
@pytest.mark.parametrize("way", ["push", "temperature", "move"])
def test_a_load_acts_in_the_case_that_is_looked_at(
    hand: Hand, tmp_path: Path, shown: str, way: str
) -> None:
    """Its arrow is then seen, and the journal says in which case it acts."""
    cases = [
        {"name": "service", "loads": [{"load": "push"}]},
        {"name": "wind", "loads": [{"load": "push", "factor": "0.5"}]},
        {"name": "both", "combine": [{"case": "service"}]},
    ]
    path = tmp_path / "strip.json"
    path.write_text(json.dumps(strip(force("-100 N"), cases=cases)))
    hand.load(path)
    session, stage = hand.session, hand.window.stage
    session.choose_case(shown)
    hand.wait_idle()
    before = {
        case.name: dict(session.project.case_loads(case.name)) for case in session.project.cases
    }
    if way == "push":
        view = session.current("shape")
        assert len(view.edges.name)
        stage.select((("edge", 0),))
        stage.fill_menus()
        hand.menu(stage.push_menu, "Force by components")
    else:
        support = session.project.supports[0].name
        hand.window.add_load(way, support)
    hand.wait_idle()
    made = session.project.loads[-1].name
    for case in session.project.cases:
        acts = dict(session.project.case_loads(case.name))
        counts = case.name == shown or (shown == "service" and case.name == "both")
        assert (made in acts) == counts, case.name
        acts.pop(made, None)
        assert acts == before[case.name]
    said = session.journal[-1]
    assert f"in case {shown}" in said and "no case" not in said
