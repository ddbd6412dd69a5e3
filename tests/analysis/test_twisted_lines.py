"""Starting shapes of lines that twist, and the side to which a bow weakens what yields."""

from __future__ import annotations

from dataclasses import dataclass, replace
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from labilis.analysis.trace_stage import _imperfect, _twisted
from labilis.judge.imperfections import recommended
from labilis.model import load_project
from labilis.run import Plan, Runner, Snapshot, judge_project
from tests.mechanics.test_line_path import block, case_of, column

ANGLE = {"shape": "angle", "width": "40 mm", "height": "70 mm", "thickness": "3 mm"}
CHANNEL = {"shape": "channel", "width": "30 mm", "height": "60 mm", "thickness": "4 mm"}


def modes_of(stated: dict[str, Any]) -> Any:
    project = load_project(stated)
    return judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0].facts


def middle(facts: Any) -> tuple[np.ndarray, np.ndarray]:
    """Places and first mode's motions of the nodes within a twentieth of mid length."""
    nodes = facts.mesh.nodes
    z = nodes[:, 2]
    near = np.abs(z - 0.5 * z.max()) < 0.05 * z.max()
    return nodes[near], facts.modes.shapes[0][near]


def test_the_twist_of_a_line_is_that_of_its_shells() -> None:
    """An unequal angle bows and twists: motion and turn of its middle, as one piece, in both."""
    line, shell = (
        modes_of(column(ANGLE, 700, 1000, mesh_as, mesh={"size": "12 mm"}))
        for mesh_as in ("line", "shell")
    )
    assert line.modes.positive[0] == pytest.approx(shell.modes.positive[0], rel=0.04)
    places, moved = middle(shell)
    own, at = middle(line)
    # u + θ × r in the plane: the best fit of the shell's section about the line's point
    arms = places[:, :2] - own[:, :2].mean(axis=0)
    rows = np.zeros((2 * len(arms), 3))
    rows[0::2, 0] = rows[1::2, 1] = 1.0
    rows[0::2, 2], rows[1::2, 2] = -arms[:, 1], arms[:, 0]
    shift_x, shift_y, turn = np.linalg.lstsq(rows, moved[:, :2].ravel(), rcond=None)[0]
    there = at[:, :2].mean(axis=0)
    scale = float(there @ [shift_x, shift_y]) / float(there @ there)
    assert np.hypot(*(scale * there - [shift_x, shift_y])) < 0.1 * np.hypot(shift_x, shift_y)
    twists = line.modes.twists[0]
    half = len(twists) // 2
    assert scale * twists[half] == pytest.approx(turn, rel=0.05)
    # a point of the section moves further than its centroid, and the shell's furthest is one
    furthest = np.linalg.norm(moved, axis=1).max()
    assert line.modes.widest[0] * abs(scale) == pytest.approx(furthest, rel=0.08)


def test_what_only_twists_is_a_starting_shape_of_its_own() -> None:
    arm, wall = 30.0, 1.5
    half = [(wall, wall), (arm, wall), (arm, -wall)]
    corners = [
        (c * x - s * y, s * x + c * y)
        for c, s in ((1, 0), (0, -1), (-1, 0), (0, 1))
        for x, y in half
    ]
    cross = {"shape": "polygon", "corners": [[f"{x} mm", f"{y} mm"] for x, y in corners]}
    case = case_of(column(cross, 300, 1000, trace={"mode": 1, "amplitude": "0.3 mm"}))
    modes, trace = case.facts.modes, case.facts.trace
    assert str(modes.kinds[0]) == "torsion" and not modes.shapes[0].any()
    # a corner moves by one: 1 / its distance, half a sine along the strut
    reach = np.hypot(arm, wall)
    assert np.abs(modes.twists[0]).max() == pytest.approx(1 / reach, rel=0.05)
    assert trace.done and trace.amplitude == 0.3
    assert recommended(case.facts, 0) == []  # and no crash for want of a moving node


@pytest.mark.parametrize("turned", [0, pytest.param(180, marks=pytest.mark.full)])
def test_a_bow_goes_to_the_side_that_yields_first(turned: int) -> None:
    """A channel about its weak axis: with the tips of its flanges pressed it yields before it does
    with its web pressed, and buckling knows no difference. Turned round, the same."""
    limits = {}
    for sign in ("weaker", "+", "-"):
        stated = column(CHANNEL, 1000, 10_000, trace={"mode": 1, "amplitude": "4 mm", "sign": sign})
        stated["pieces"][0]["place"] = {"turns": [{"about": "z", "angle": f"{turned} deg"}]}
        trace = case_of(stated).facts.trace
        assert trace.verified_by == "limit"
        limits[sign] = trace.limit
    assert max(limits["+"], limits["-"]) > 1.04 * min(limits["+"], limits["-"])
    assert limits["weaker"] == pytest.approx(min(limits["+"], limits["-"]), rel=1e-6)


def test_a_coarse_line_starts_from_the_bow_of_a_fine_one() -> None:
    """A thousandth of the member, however few nodes it has."""
    rod = {"shape": "round", "diameter": "20 mm"}
    for size in ("125 mm", "20 mm"):
        trace = case_of(
            column(rod, 500, 10_000, trace={"mode": 1}, mesh={"size": size})
        ).facts.trace
        assert abs(trace.amplitude) == pytest.approx(0.5, rel=0.1)


@dataclass(frozen=True)
class Nodes:
    nodes: np.ndarray


def test_a_starting_shape_moves_no_point_further_than_its_amplitude_and_turns_lines_with_it() -> (
    None
):
    """Right-handed about each element's own axis; a mode whose points of sections go twice as far
    as its nodes is taken by half."""
    project = load_project(column(ANGLE, 700, 1000, trace={"amplitude": "3 mm", "sign": "-"}))
    modes: Any = SimpleNamespace(
        factors=np.ones(1),
        shapes=np.array([[[0.0, 0, 0], [1, 0, 0]]]),
        twists=np.array([[0.02, -0.1]]),
        widest=np.array([2.0]),
        pull=np.zeros(1),
        skew=np.zeros(1),
    )
    mesh, twist, amplitude = _imperfect(project, Nodes(np.zeros((2, 3))), modes, "")  # type: ignore[arg-type]
    assert amplitude == -3.0
    assert mesh.nodes[1] == pytest.approx([-1.5, 0, 0]) and twist == pytest.approx([-0.03, 0.15])
    frames = Rotation.random(2, random_state=3).as_matrix()
    rod = replace(block(), frames=frames)
    (turned,) = _twisted((rod,), twist)
    for before, after, angle in zip(frames, turned.frames, twist):  # type: ignore[attr-defined]
        about = Rotation.from_rotvec(angle * before[0]).as_matrix()
        assert after == pytest.approx(before @ about.T)
