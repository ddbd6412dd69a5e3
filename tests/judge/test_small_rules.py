"""Small rules at their borders: those that breaking a line had shown untested."""

from __future__ import annotations

import dataclasses
import math
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from labilis.analysis.mode_kinds import kind_of_line
from labilis.analysis.wall_edges import _outward
from labilis.judge.hand import FORMS
from labilis.judge.hand.form import checked
from labilis.judge.overall import overall_checks
from labilis.mesh.sizes import CHORD, _bent_sides
from labilis.model import load_project
from labilis.run.comparing import compared
from labilis.words.stations import support_sentences
from tests.judge.test_columns import column
from tests.judge.test_columns import strut as bar
from tests.judge.test_mistakes import ALL, flat, strip


# --- hand checks
# --------------------------------------------------------------------------------------------------
@pytest.mark.parametrize(
    ("critical", "stress"), [(500e3, 0.658**0.5 * 250.0), (50e3, 0.877 * 50.0)]
)
def test_aisc_carries_its_stress_over_the_section(critical: float, stress: float) -> None:
    """AISC 360-16, E3 by hand, on both sides of fy / Fe = 2.25."""
    found = checked(FORMS["aisc"], {"fy": 250.0, "A": 1000.0, "Ncr": critical, "φc": 0.9})
    assert found.load == pytest.approx(0.9 * stress * 1000.0)


@pytest.mark.parametrize(
    ("change", "growing", "told"),
    [(1.04, 1000.0, False), (1.06, 1000.0, True), (0.94, 1000.0, True), (1.0, 0.0, False)],
)
def test_reasons_are_looked_for_from_five_percent_on_and_nothing_pressed_has_no_factor(
    change: float, growing: float, told: bool
) -> None:
    from labilis.judge.hand.checks_of_member import hand_result

    case, _ = column(
        bar("bar", 2000), held={"foot": ["x", "y", "z", "turn_z"], "head": ["x", "y", "turn_z"]}
    )
    facts = case.facts.hand
    axial = facts.members.axial.copy()
    axial[0, 0] = growing
    members = dataclasses.replace(facts.members, axial=axial)
    exact = hand_result(
        case.facts.project, dataclasses.replace(facts, members=members), 0, FORMS["euler"]
    )
    if not growing:
        assert math.isnan(exact.factor) and "nothing compresses" in exact.problem
        return
    first = change * exact.factor
    found = hand_result(
        case.facts.project,
        dataclasses.replace(facts, members=members, first=first, by_piece=(("bar", first),)),
        0,
        FORMS["euler"],
    )
    assert (
        found.difference == pytest.approx(100 * (change - 1), abs=1e-6)
        and bool(found.reasons) is told
    )


# --- designs side by side
# --------------------------------------------------------------------------------------------------
@pytest.mark.parametrize(
    ("sizes", "told"),
    [((10.0, 10.3), False), ((10.3, 10.0), False), ((10.0, 12.0), True), ((12.0, 10.0), True)],
)
def test_meshes_differ_from_five_percent_on_whichever_is_finer(
    sizes: tuple[float, float], told: bool
) -> None:
    project = load_project(strip())
    reports: Any = [SimpleNamespace(mesh=SimpleNamespace(size=size, order=2)) for size in sizes]
    assert any("meshes differ" in flag for flag in compared([project, project], reports)) is told


# --- kinds and curves
# --------------------------------------------------------------------------------------------------
@pytest.mark.parametrize(("along", "kind"), [(0.0, "member bow"), (3.0, "member bow")])
def test_what_a_line_s_points_move_along_it_says_nothing_of_its_kind(
    along: float, kind: str
) -> None:
    """A bow across, with points that slide along the line most at its end."""
    place = np.linspace(0.0, 500.0, 21)
    axis = np.array([0.6, 0.0, 0.8])
    across = np.array([0.8, 0.0, -0.6])
    shape = (
        np.sin(np.pi * place / 500.0)[:, None] * across + along * (place / 500.0)[:, None] * axis
    )
    assert kind_of_line(place[:, None] * axis, shape, axis, 0.0) == kind


def test_a_bow_of_a_thin_tube_takes_its_column_curve_and_its_walls_the_knocked_one() -> None:
    """R/t of 40: of the walls' modes a seventh counts, of the member's bow all."""
    case, _ = column(
        bar("bar", 2000), held={"foot": ["x", "y", "z", "turn_z"], "head": ["x", "y", "turn_z"]}
    )
    facts = case.facts
    angle = np.linspace(0, 2 * np.pi, 25)[:-1]
    ring = np.stack([40 * np.cos(angle), 40 * np.sin(angle)], axis=1)
    nodes = np.concatenate([np.column_stack([ring, np.full(24, z)]) for z in (0.0, 20.0)])
    next_ = (np.arange(24) + 1) % 24
    triangles = np.concatenate(
        [
            np.stack([np.arange(24), next_, next_ + 24], axis=1),
            np.stack([np.arange(24), next_ + 24, np.arange(24) + 24], axis=1),
        ]
    )
    mesh = dataclasses.replace(
        facts.mesh,
        nodes=nodes,
        triangles=triangles,
        triangle_face=np.zeros(48, dtype=int),
        thickness=1.0,
    )
    kinds = np.array(
        ["member bow", "local wall"][: len(facts.modes.kinds)] or ["member bow"], dtype="U16"
    )
    modes = dataclasses.replace(facts.modes, kinds=np.resize(kinds, len(facts.modes.factors)))
    checks, why = overall_checks(dataclasses.replace(facts, mesh=mesh, modes=modes))
    assert not why
    curves = {
        str(modes.kinds[check.mode]): check.curve for check in checks[:-1]
    }  # the last is of what may lie beyond
    assert curves["member bow"] == "column curve c"
    assert all("curved wall" in curve for kind, curve in curves.items() if kind == "local wall")


# --- shapes
# --------------------------------------------------------------------------------------------------
@pytest.mark.parametrize(("radius", "points"), [(10.0, 60), (35.0, 400)])
def test_sides_on_a_bend_turn_by_the_chord(radius: float, points: int) -> None:
    angle = np.linspace(0.0, 2.0, points)
    line = np.stack([radius * np.cos(angle), radius * np.sin(angle), 0 * angle], axis=1)
    assert np.median(_bent_sides(line)) == pytest.approx(CHORD * radius, rel=0.05)


@pytest.mark.parametrize("inner", [False, True])
def test_a_cylinder_s_normal_stands_on_its_own_axis_wherever_that_is(inner: bool) -> None:
    origin, axis = np.array([100.0, -50.0, 7.0]), np.array([0.0, 0.0, 1.0])
    table = SimpleNamespace(
        kind=np.array(["cylinder"]),
        origin=origin[None],
        direction=axis[None],
        inner=np.array([inner]),
    )
    view: Any = SimpleNamespace(ancestry=SimpleNamespace(faces=table))
    out = np.array([[1.0, 0.0, 0.0], [0.0, -1.0, 0.0]])
    places = origin + 20.0 * out + np.array([[0.0, 0.0, 3.0], [0.0, 0.0, -8.0]])
    assert _outward(view, 0, places) == pytest.approx(-out if inner else out)


# --- sentences
# --------------------------------------------------------------------------------------------------
@pytest.mark.parametrize(("mesh_as", "said"), [("shell", "free to turn"), ("solid", "fixed")])
def test_what_is_said_of_turns_depends_on_whether_there_are_any(mesh_as: str, said: str) -> None:
    project = load_project(
        strip(
            pieces=[flat(mesh_as=mesh_as)],
            supports=[{"name": "foot", "on": "foot", "held": ["x", "y", "z"]}],
        )
    )
    words = "".join(span.text for span in support_sentences(project)[0])
    assert said in words, words
    hub = load_project(
        strip(
            pieces=[flat(mesh_as=mesh_as)],
            hubs=[{"name": "ram", "region": "head"}],
            supports=[
                {
                    "name": "foot",
                    "on": "foot",
                    "held": ALL if mesh_as == "shell" else ["x", "y", "z"],
                },
                {"name": "guide", "on": "ram", "held": ["x", "y", "z"]},
            ],
        )
    )
    assert "turn" in "".join(span.text for span in support_sentences(hub)[1])


@pytest.mark.parametrize(
    ("own", "other", "ratios", "error"),
    [
        (2.0, 2.2, [1.5, 1.4], 0.1 / 0.4),
        (2.0, 1.8, [1.5, 1.4], 0.1 / 0.4),
        (2.0, 2.2, [0.6, 0.5], 0.1 / 0.4),
        (2.0, 2.2, [1.01], 0.1 / 0.12),  # meshes that hardly differ
        (float("inf"), 2.0, [1.5], None),
        (2.0, float("inf"), [1.5], None),
        (2.0, float("nan"), [1.5], None),
        (0.0, 2.0, [1.5], None),
    ],
)
def test_the_error_of_first_yield(
    own: float, other: float, ratios: list[float], error: float | None
) -> None:
    from labilis.analysis.mesh_error import _yield_error

    found = _yield_error(own, other, np.array(ratios))
    assert np.isnan(found) if error is None else found == pytest.approx(error)
