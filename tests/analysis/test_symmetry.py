"""Planes of symmetry, and what they hide."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from labilis.judge.evidence import collect
from labilis.judge.verdict import verdict_of_case
from labilis.model import LabilisError
from tests.mechanics.test_line import check, piece, pushed

EULER = np.pi**2 * 210e3 * 160 / 600**2  # of the whole strut, pinned at both ends, N


def half(kind: str, middle: bool) -> dict[str, Any]:
    """Half of a pinned strut of 600 mm, cut at its middle (z = 0), where it may be held sideways
    as well."""
    strut = {**piece("strut", 300.0), "mesh_as": kind}
    if kind == "shell":
        strut["recipe"] = {
            "kind": "plate",
            "thickness": "4 mm",
            "outline": [
                {"x": f"{x} mm", "y": f"{y} mm"}
                for x, y in ((0, -15), (300, -15), (300, 15), (0, 15))
            ],
        }
        strut["place"] = {"turns": [{"about": "y", "angle": "-90 deg"}]}
        cut, head = "strut/side.4", "strut/side.2"
    else:
        cut, head = "strut/start", "strut/end"
    across = "x" if kind == "shell" else "y"
    supports = [
        {
            "name": "cut",
            "on": "cut",
            "axes": {"kind": "symmetry", "normal": "z"},
            "held": ["symmetry"],
        },
        {
            "name": "head",
            "on": "head",
            "held": ["x", "y", "turn_z"] if kind == "line" else ["x", "y"],
        },
    ]
    if middle:
        supports.append({"name": "mid", "on": "cut", "held": [across]})
    return {
        "pieces": [strut],
        "regions": [{"name": "cut", "names": [cut]}, {"name": "head", "names": [head]}],
        "supports": supports,
        "mesh": {"size": "10 mm"},
        **pushed("head", ["0 N", "0 N", "-1 N"]),
    }


@pytest.mark.parametrize("kind", ["line", "shell", "solid"])
def test_half_a_strut_stands_for_the_whole(kind: str) -> None:
    facts = check(half(kind, False))
    assert facts.modes.positive[0] == pytest.approx(
        EULER, rel=0.03
    )  # a shell's or solid's end face cannot turn about its hinge freely
    if kind != "solid":
        assert facts.modes.positive[0] == pytest.approx(EULER, rel=0.005)
        assert facts.modes.antisymmetric == pytest.approx(4 * EULER, rel=0.01)
        assert next(item for item in collect(facts) if item.name == "symmetry").state == "good"


def test_a_plane_of_symmetry_that_hides_the_lowest_mode_is_found_out() -> None:
    """Held sideways at mid length the halves bow against each other first; the symmetric mode is
    that of a fixed-pinned half."""
    model = half("line", True)
    model["criteria"] = {**model.get("criteria", {}), "meant": {"size of the loads": "a unit load"}}
    facts = check(model)
    assert facts.modes.positive[0] == pytest.approx(4 * EULER / 0.699156**2, rel=0.01)
    assert facts.modes.antisymmetric == pytest.approx(4 * EULER, rel=0.01)
    found = next(item for item in collect(facts) if item.name == "symmetry")
    assert found.state == "bad" and "hides the lowest mode" in found.text
    verdict = verdict_of_case(facts, collect(facts))
    assert "hides" in verdict.detail and verdict.factor == facts.modes.antisymmetric


def test_a_region_off_the_plane_is_refused() -> None:
    model = half("shell", False)
    model["regions"][0]["names"] = ["strut/side.1"]
    with pytest.raises(LabilisError, match="does not lie in one plane"):
        check(model)
