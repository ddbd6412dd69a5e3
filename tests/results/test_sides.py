"""Which side is weaker: Koiter's frame, a strut pushed off its axis, a part that is alike to
both sides."""

from typing import Any

import numpy as np
import pytest

from labilis.model import load_project
from labilis.results.weaker_side import weaker_side
from labilis.run import Plan, Runner, Snapshot, judge_project
from validation.frames import CRITICAL, STEEL, L, T, W, fall_per_turn, frame
from validation.recipes import case_of, flat, hold, line, mm, region, shell


def reported(model: dict[str, Any], run: str = "modes") -> Any:
    project = load_project({"labilis": 2, "materials": [STEEL], "criteria": {"modes": 2}, **model})
    return judge_project(project, Runner().run(Snapshot(project), Plan(run)))


def facts(model: dict[str, Any], run: str = "modes") -> Any:
    return reported(model, run).cases[0].facts


def test_the_frame_of_koiter_falls_to_one_side_as_he_found() -> None:
    """The load falls by 0.3805 of the critical one per radian of the corner (Koiter 1967)."""
    report = reported(frame())
    assert report.cases[0].facts.modes.positive[0] * W == pytest.approx(CRITICAL, rel=0.01)
    assert fall_per_turn(report) == pytest.approx(0.3805, rel=0.03)


@pytest.mark.full
def test_a_trace_to_the_weaker_side_finds_the_lower_limit() -> None:
    plan = {
        "mode": 1,
        "amplitude": "1 mm",
        "material": "elastic",
        "target": "30",
        "deflection": "60 mm",
    }
    found = {
        sign: facts(frame(trace={**plan, "sign": sign}), "trace").trace
        for sign in ("weaker", "+", "-")
    }
    limits = {sign: trace.verified for sign, trace in found.items()}
    assert limits["weaker"] == pytest.approx(min(limits["+"], limits["-"]), rel=1e-9)
    assert max(limits["+"], limits["-"]) > 1.1 * limits["weaker"]
    modes = facts(frame()).modes
    drop = 2 * np.sqrt(abs(modes.skew[0]) * 1.0)  # Koiter: λ/λc = 1 - 2 (|a| δ)^½
    assert limits["weaker"] / modes.positive[0] == pytest.approx(1 - drop, abs=0.3 * drop)


def test_a_strut_pushed_off_its_axis_bends_to_that_side() -> None:
    """The ends' moments have 4 e/π of the sine in them."""
    e = 0.7
    strip = {
        "pieces": [shell("strip", flat(L, W, T))],
        "mesh": {"size": mm(10)},
        "regions": [region("foot", "strip/side.4"), region("head", "strip/side.2")],
        "supports": [hold("foot", "x", "y", "z"), hold("head", "y", "z")],
    }
    moments = [
        {
            "kind": "moment",
            "name": f"m {on}",
            "on": on,
            "components": ["0 N*m", f"{value!r} N*mm", "0 N*m"],
        }
        for on, value in (("foot", W * e), ("head", -W * e))
    ]
    push = line("head", x=-1.0)
    found = facts(
        {
            **strip,
            "loads": [push, *moments],
            "cases": [
                {"name": "c", "loads": [{"load": load["name"]} for load in (push, *moments)]}
            ],
        }
    ).modes
    assert abs(found.pull[0]) == pytest.approx(4 * e / np.pi, rel=0.01)
    assert weaker_side(0.4, found.pull[0], found.skew[0])[0] == ("+" if found.pull[0] > 0 else "-")
    alike = facts({**strip, **case_of(push)}).modes
    assert abs(alike.pull[0]) < 1e-6 and abs(alike.skew[0]) < 1e-6
    assert weaker_side(0.4, alike.pull[0], alike.skew[0]) == (
        "",
        "both sides buckle alike: it goes to the one that yields first",
    )
