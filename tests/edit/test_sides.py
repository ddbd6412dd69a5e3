"""Sides of rectangles and folded sheets typed where the piece is told."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from labilis.edit.sides import side_texts, with_side
from labilis.model import LabilisError, Project, load_project


def plate(*corners: tuple[str, str], **more: Any) -> Project:
    outline = [{"x": x, "y": y} for x, y in corners]
    return _project({"kind": "plate", "outline": outline, "thickness": "3 mm", **more})


def folded(*profile: tuple[str, str]) -> Project:
    return _project(
        {
            "kind": "folded sheet",
            "profile": profile,
            "thickness": "2 mm",
            "bend": "2 mm",
            "length": "300 mm",
        }
    )


def _project(recipe: dict[str, Any]) -> Project:
    return load_project(
        {
            "labilis": 2,
            "parameters": {"arm": "220 mm", "rise": "30 mm"},
            "pieces": [{"name": "sheet", "recipe": recipe}],
        }
    )


def texts(project: Project) -> tuple[str, ...]:
    return side_texts(project, project.pieces[0])


def points(project: Project) -> list[tuple[float, float]]:
    recipe: Any = project.pieces[0].recipe
    pairs = (
        [(corner.x, corner.y) for corner in recipe.outline]
        if recipe.kind == "plate"
        else recipe.profile
    )
    return [(project.value(x, "length"), project.value(y, "length")) for x, y in pairs]


_ROUND = [("0 mm", "0 mm"), ("200 mm", "0 mm"), ("200 mm", "120 mm"), ("0 mm", "120 mm")]


@pytest.mark.parametrize("first", range(4))
@pytest.mark.parametrize("way", [1, -1])
@given(width=st.floats(0.01, 1e4), height=st.floats(0.01, 1e4))
def test_a_rectangle_wherever_it_begins(first: int, way: int, width: float, height: float) -> None:
    corners = [_ROUND[(first + way * k) % 4] for k in range(4)]
    project = plate(*corners)
    assert texts(project) == ("200 mm", "120 mm")
    made = with_side(with_side(project, "sheet", 0, f"{width!r} mm"), "sheet", 1, f"{height!r} mm")
    assert texts(made) == (f"{width!r} mm", f"{height!r} mm")
    for found, known in zip(
        sorted(points(made)), [(0, 0), (0, height), (width, 0), (width, height)]
    ):
        assert found == pytest.approx(known, rel=1e-9)


def test_expressions_live_on() -> None:
    project = plate(("0 mm", "0 mm"), ("arm", "0 mm"), ("arm", "60 mm"), ("0 mm", "60 mm"))
    assert texts(project) == ("arm", "60 mm")
    made = with_side(project, "sheet", 1, "2*rise + 5 mm")
    assert texts(made) == ("arm", "2*rise + 5 mm")
    moved = plate(("rise", "0 mm"), ("250 mm", "0 mm"), ("250 mm", "60 mm"), ("rise", "60 mm"))
    assert texts(moved) == ()  # the way from one to the other is no text that stands there
    made = with_side(moved, "sheet", 0, "arm - 10 mm")
    assert points(made)[1] == pytest.approx((240, 0))
    assert points(made)[0] == pytest.approx((30, 0))


@pytest.mark.parametrize("text", ["60 mm", "arm/2", "2.5 in"])
def test_one_about_the_middle_stays_there(text: str) -> None:
    project = plate(("-40 mm", "0 mm"), ("40 mm", "0 mm"), ("40 mm", "50 mm"), ("-40 mm", "50 mm"))
    assert texts(project)[0] == "80 mm"
    made = with_side(project, "sheet", 0, text)
    half = 0.5 * project.value(text, "length")
    assert [x for x, _ in points(made)] == pytest.approx([-half, half, half, -half])
    again = with_side(made, "sheet", 0, "30 mm")
    assert [x for x, _ in points(again)] == pytest.approx([-15, 15, 15, -15])
    assert made.value(texts(made)[0], "length") == pytest.approx(2 * half)


def test_what_is_no_rectangle_is_left_to_the_plan() -> None:
    for corners in (
        [*_ROUND[:3]],
        [("0 mm", "0 mm"), ("200 mm", "0 mm"), ("190 mm", "120 mm"), ("0 mm", "120 mm")],
        [_ROUND[0], _ROUND[2], _ROUND[1], _ROUND[3]],  # crosses itself
    ):
        project = plate(*corners)
        assert texts(project) == ()
        with pytest.raises(LabilisError, match="slanted or bowed"):
            with_side(project, "sheet", 0, "10 mm")
    bowed = _project(
        {
            "kind": "plate",
            "thickness": "3 mm",
            "outline": [{"x": x, "y": y, "bow": "0.2"} for x, y in _ROUND],
        }
    )
    assert texts(bowed) == ()


@given(
    sizes=st.lists(st.floats(1.0, 500.0), min_size=3, max_size=3),
    number=st.integers(0, 2),
    new=st.floats(1.0, 500.0),
)
def test_runs_of_a_channel(sizes: list[float], number: int, new: float) -> None:
    """One run changes, the others keep their lengths and their ways."""
    a, b, c = sizes
    project = folded(
        (f"{a!r} mm", "0 mm"), ("0 mm", "0 mm"), ("0 mm", f"{b!r} mm"), (f"{c!r} mm", f"{b!r} mm")
    )
    made = with_side(project, "sheet", number, f"{new!r} mm")
    sizes[number] = new
    assert [made.value(text, "length") for text in texts(made)] == pytest.approx(sizes, rel=1e-6)
    runs = [(two[0] - one[0], two[1] - one[1]) for one, two in zip(points(made), points(made)[1:])]
    assert runs == [
        pytest.approx(run, rel=1e-6, abs=1e-6)
        for run in ((-sizes[0], 0), (0, sizes[1]), (sizes[2], 0))
    ]


def test_a_fold_with_parameters_and_a_slanted_one() -> None:
    project = folded(("40 mm", "0 mm"), ("0 mm", "0 mm"), ("0 mm", "rise"), ("20 mm", "rise"))
    assert texts(project) == ("40 mm", "rise", "20 mm")
    made = with_side(project, "sheet", 1, "arm/4")
    assert points(made)[2:] == [pytest.approx((0, 55)), pytest.approx((20, 55))]
    assert texts(folded(("40 mm", "0 mm"), ("0 mm", "0 mm"), ("-10 mm", "30 mm"))) == ()


@pytest.mark.parametrize("text", ["0 mm", "-5 mm", "3 kg", "nonsense"])
def test_what_is_no_length_is_refused(text: str) -> None:
    with pytest.raises(LabilisError):
        with_side(plate(*_ROUND), "sheet", 0, text)
