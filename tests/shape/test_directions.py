"""The longest direction of a part, on which hand checks and kinds of modes stand: however it is
meshed and turned."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from labilis.model import load_project
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.shape import build_part
from tests.drawn_recipes import KINDS, column
from tests.judge.test_mistakes import flat, strip
from tests.shape.test_recipes import SECTIONS
from tests.shape.test_recipes import strut as strut_of

DEG = np.pi / 180


def view_of(*pieces: dict[str, Any]) -> Any:
    return build_part(
        load_project({"labilis": 2, "materials": [{"name": "steel"}], "pieces": list(pieces)}), {}
    ).view


def turned(turns: list[tuple[str, float]]) -> np.ndarray:
    """Where x and z come to lie after turns about the axes, in degrees."""
    whole = np.eye(3)
    for about, angle in turns:
        k = "xyz".index(about)
        c, s = np.cos(angle * DEG), np.sin(angle * DEG)
        one = np.eye(3)
        i, j = (k + 1) % 3, (k + 2) % 3
        one[i, i], one[i, j], one[j, i], one[j, j] = c, -s, s, c
        whole = one @ whole
    return whole


@settings(max_examples=25, deadline=None)
@given(
    st.floats(1.15, 20),
    st.floats(2, 300),
    st.lists(st.tuples(st.sampled_from("xyz"), st.floats(-180, 180)), max_size=2),
    st.sampled_from(["shell", "solid"]),
)
def test_of_a_plate_it_is_its_length(
    ratio: float, width: float, turns: list[tuple[str, float]], mesh_as: str
) -> None:
    """Two triangles stand for a rectangle: their middles lie on its diagonal."""
    plate = {
        "name": "a",
        "material": "steel",
        "mesh_as": mesh_as,
        "recipe": {
            "kind": "plate",
            "thickness": "1 mm",
            "outline": [
                {"x": f"{x!r} mm", "y": f"{y!r} mm"}
                for x, y in ((0, 0), (ratio * width, 0), (ratio * width, width), (0, width))
            ],
        },
        "place": {"turns": [{"about": about, "angle": f"{angle!r} deg"} for about, angle in turns]},
    }
    assert abs(view_of(plate).long_axis @ turned(turns)[:, 0]) == pytest.approx(1.0, abs=1e-9)


@pytest.mark.parametrize("mesh_as", ["shell", "solid", "line"])
@pytest.mark.parametrize(
    ("name", "sizes"),
    [row[:2] for row in SECTIONS if row[0] not in ("round", "square")],
    ids=[row[0] for row in SECTIONS if row[0] not in ("round", "square")],
)
def test_of_a_strut_it_is_its_run(name: str, sizes: dict[str, float], mesh_as: str) -> None:
    """A section without two axes of symmetry tilts no principal axis either: every slice is the
    same."""
    axis = view_of(strut_of(name, mesh_as=mesh_as, **sizes)).long_axis
    assert abs(axis[2]) == pytest.approx(1.0, abs=1e-6)


def test_eulers_length_and_force_are_the_same_as_shell_and_as_solid() -> None:
    """The strip of 200 mm under 100 N: as a shell it had 198 mm, and Euler's factor was 2 % too
    high."""
    for mesh_as in ("shell", "solid"):
        held = ["x", "y", "z"] + (["turn_x", "turn_y", "turn_z"] if mesh_as == "shell" else [])
        project = load_project(
            strip(
                pieces=[flat(mesh_as=mesh_as)],
                mesh={"size": "10 mm"},
                supports=[{"name": "foot", "on": "foot", "held": held}],
            )
        )
        case = judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0]
        assert case.euler is not None and case.euler.length == pytest.approx(200.0, rel=1e-6)
        assert case.euler.growing == pytest.approx(100.0, rel=1e-6)
        assert case.euler.governing.factor == pytest.approx(
            np.pi**2 * 210e3 * 20 * 4**3 / 12 / 400.0**2 / 100.0, rel=1e-3
        )


@pytest.mark.parametrize(
    "turns",
    [[], [("x", 37.0), ("z", -71.0)], [("y", 13.0), ("x", 101.0), ("z", 5.0)]],
    ids=["straight", "turned", "thrice"],
)
@pytest.mark.parametrize(
    ("section", "fibre"),
    [
        ({"shape": "square tube", "width": "40 mm", "thickness": "2 mm"}, 20.0),
        ({"shape": "round tube", "diameter": "50 mm", "thickness": "2 mm"}, 25.0),
        ({"shape": "angle", "width": "40 mm", "height": "60 mm", "thickness": "3 mm"}, 21.556),
    ],
    ids=["square", "round", "angle"],
)
@pytest.mark.full
def test_hand_checks_take_the_same_numbers_from_a_part_that_is_turned(
    section: dict[str, str], fibre: float, turns: list[tuple[str, float]]
) -> None:
    """The box round an L that lies askew has its middle beside the L, and a square tube has no
    weak axis."""
    model = column({"kind": "strut", "section": section}, 600.0)
    model["pieces"][0]["place"] = {
        "turns": [{"about": about, "angle": f"{angle!r} deg"} for about, angle in turns]
    }
    force = turned(turns) @ np.array([0.0, 0.0, -1000.0])
    model["loads"][0]["components"] = [f"{value!r} N" for value in force.tolist()]
    project = load_project(
        {**model, "mesh": {"size": "20 mm"}, "criteria": {"modes": 1, "mesh_error": False}}
    )
    case = judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0]
    assert case.euler is not None and case.euler.length == pytest.approx(600.0, rel=1e-6)
    secant = next(item for item in case.hand_checks("leg") if item.form.key == "secant")
    assert next(taken.value for taken in secant.taken if taken.symbol.name == "c") == pytest.approx(
        fibre, rel=2e-3
    )


def test_a_web_in_shear_is_compressed_by_nothing_and_not_by_rounding() -> None:
    """Sums of opposite stresses left 1e-10 N, and Euler's factor was five billions; which sign
    they had hung on where the part stood."""
    model = KINDS["sheared web"](np.random.default_rng(11))
    for at in (["0 mm"] * 3, ["30000 mm", "-50000 mm", "20000 mm"]):
        model["pieces"][0]["place"] = {"at": at}
        project = load_project(
            {**model, "mesh": {"size": "30 mm"}, "criteria": {"modes": 1, "mesh_error": False}}
        )
        case = judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0]
        assert {
            item.problem for item in case.hand_checks("web") if item.form.key != "cylinder"
        } == {"nothing compresses this piece"}
        assert not [item for item in case.hand_checks("web") if np.isfinite(item.factor)]


def outlined(
    corners: list[tuple[float, float]], turns: list[tuple[str, float]], mesh_as: str, bow: str = "0"
) -> dict[str, Any]:
    outline = [{"x": f"{x!r} mm", "y": f"{y!r} mm", "bow": bow} for x, y in corners]
    return {
        "name": "a",
        "material": "steel",
        "mesh_as": mesh_as,
        "recipe": {"kind": "plate", "thickness": "2 mm", "outline": outline},
        "place": {"turns": [{"about": about, "angle": f"{angle!r} deg"} for about, angle in turns]},
    }


@settings(max_examples=12, deadline=None)
@given(
    st.floats(20, 300),
    st.lists(st.tuples(st.sampled_from("xyz"), st.floats(-180, 180)), max_size=2),
    st.sampled_from(["shell", "solid"]),
)
def test_of_a_square_it_is_a_side_and_never_the_diagonal(
    side: float, turns: list[tuple[str, float]], mesh_as: str
) -> None:
    """Its second moments know no direction: by rounding it was the diagonal, Euler's length 1.41
    times too long, half of the area gone."""
    square = outlined([(0, 0), (side, 0), (side, side), (0, side)], turns, mesh_as)
    axes = turned(turns)
    view = view_of(square)
    assert max(abs(view.long_axis @ axes[:, k]) for k in range(2)) == pytest.approx(1.0, abs=1e-6)
    assert view.length == pytest.approx(side, rel=1e-6)


@pytest.mark.parametrize("mesh_as", ["shell", "solid"])
def test_a_square_and_one_that_is_hardly_longer_have_the_same_hand_checks(mesh_as: str) -> None:
    def members(length: float) -> Any:
        plate = outlined([(0, 0), (length, 0), (length, 150), (0, 150)], [], mesh_as)
        held = ["x", "y", "z"] + (["turn_x", "turn_y", "turn_z"] if mesh_as == "shell" else [])
        regions = [{"name": "foot", "names": ["a/side.4"]}, {"name": "head", "names": ["a/side.2"]}]
        project = load_project(
            strip(
                pieces=[plate],
                regions=regions,
                supports=[{"name": "foot", "on": "foot", "held": held}],
                mesh={"size": "15 mm"},
            )
        )
        case = judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0]
        return case.facts.members, [check.factor for check in case.hand_checks()]

    (square, checks), (longer, others) = members(150.0), members(150.6)
    for field in ("length", "area", "i_min", "wall_width"):
        assert getattr(square, field) == pytest.approx(getattr(longer, field), rel=0.01), field
    assert checks == pytest.approx(others, rel=0.02, nan_ok=True)


@pytest.mark.parametrize("mesh_as", ["shell", "solid"])
@pytest.mark.parametrize("angle", [0.0, 33.0])
def test_of_a_disc_and_a_cube_it_lies_in_them(mesh_as: str, angle: float) -> None:
    disc = view_of(outlined([(-80, 0), (80, 0)], [("y", angle)], mesh_as, "1"))
    assert abs(
        disc.long_axis @ turned([("y", angle)])[:, 2]
    ) < 1e-6 and disc.length == pytest.approx(160, rel=3e-3)
    cube = view_of(
        {
            "name": "a",
            "material": "steel",
            "recipe": {"kind": "block", "width": "30 mm", "height": "30 mm", "depth": "30 mm"},
            "place": {"turns": [{"about": "z", "angle": f"{angle!r} deg"}]},
        }
    )
    assert cube.length == pytest.approx(30, rel=1e-6)
