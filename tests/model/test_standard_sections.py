"""Sections of standards: their sizes against areas and second moments as the tables have them."""

from __future__ import annotations

import math
from typing import Any

import pytest

from labilis.edit.choices import with_choices
from labilis.model import LabilisError, Project, load_project
from labilis.model.standard_sections import StandardSection, standard_of, standard_sections
from labilis.shape.recipes.paths import section_of
from labilis.shape.recipes.sections import second_moments
from labilis.words.recipes import recipe_spans

SHAPES = ("square tube", "rectangular tube", "round tube", "angle", "I")


def project(section: dict[str, Any]) -> Project:
    return load_project(
        {
            "materials": [{"name": "steel"}],
            "pieces": [
                {
                    "name": "bar",
                    "material": "steel",
                    "mesh_as": "line",
                    "recipe": {"kind": "strut", "length": "1 m", "section": section},
                }
            ],
        }
    )


def named(shape: str, name: str) -> StandardSection:
    return next(item for item in standard_sections(shape) if item.name == name)


def properties(item: StandardSection) -> tuple[float, float]:
    """(area cm², second moment about the strong axis cm⁴) of the recipe."""
    stated = project(item.section.model_dump())
    recipe = stated.pieces[0].recipe
    area, _, moments = second_moments(section_of(recipe, stated.value, ""))  # type: ignore[arg-type]
    return area / 100, float(max(moments[0, 0], moments[1, 1])) / 1e4


@pytest.mark.parametrize(
    ("shape", "name", "area", "moment"),
    [  # as printed in the standards' tables
        ("square tube", "40 × 40 × 3", 4.21, 9.32),
        ("square tube", "50 × 50 × 3", 5.41, 19.5),
        ("square tube", "60 × 60 × 4", 8.55, 43.6),
        ("square tube", "100 × 100 × 5", 18.4, 271.0),
        ("rectangular tube", "60 × 40 × 3", 5.41, 25.4),
        ("rectangular tube", "100 × 50 × 4", 10.9, 134.0),
        ("round tube", "Ø 48.3 × 3", 4.27, 11.0),
        ("round tube", "Ø 88.9 × 4", 10.7, 96.3),
    ],
)
def test_tubes_have_the_areas_and_moments_of_their_tables(
    shape: str, name: str, area: float, moment: float
) -> None:
    found = properties(named(shape, name))
    assert found == pytest.approx((area, moment), rel=0.01)


@pytest.mark.parametrize(
    ("shape", "name", "area", "moment"),
    [
        ("I", "IPE 80", 7.64, 80.1),
        ("I", "IPE 100", 10.3, 171.0),
        ("I", "IPE 200", 28.5, 1943.0),
        ("I", "IPE 300", 53.8, 8356.0),
        ("I", "HEA 100", 21.2, 349.2),
        ("I", "HEA 200", 53.8, 3692.0),
        ("I", "HEB 100", 26.0, 449.5),
        ("I", "HEB 200", 78.1, 5696.0),
        ("angle", "30 × 30 × 3", 1.74, math.nan),
        ("angle", "50 × 50 × 5", 4.80, math.nan),
        ("angle", "100 × 100 × 10", 19.2, math.nan),
    ],
)
def test_rolled_sections_lack_their_fillets_and_no_more(
    shape: str, name: str, area: float, moment: float
) -> None:
    found = properties(named(shape, name))
    assert 0.94 * area < found[0] < 1.002 * area
    assert math.isnan(moment) or 0.94 * moment < found[1] < 1.002 * moment


def test_each_can_be_made_and_is_known_again() -> None:
    for shape in SHAPES:
        names = [item.name for item in standard_sections(shape)]
        assert len(set(names)) == len(names) and 5 <= len(names) <= 40
        for item in standard_sections(shape):
            area, _ = properties(item)
            assert area > 0.3
            stated = project(item.section.model_dump())
            assert standard_of(stated, item.section) == item
    assert standard_sections("hat") == () and standard_sections("outline") == ()


def test_one_size_that_differs_is_no_standard_any_more() -> None:
    item = named("square tube", "60 × 60 × 3")
    for change in ({"radius": "0 mm"}, {"thickness": "3.1 mm"}, {"width": "2.4 in"}):
        stated = project({**item.section.model_dump(), **change})
        assert standard_of(stated, stated.pieces[0].recipe.section) is None  # type: ignore[union-attr]
    inches = project({**item.section.model_dump(), "width": "6 cm"})
    assert standard_of(inches, inches.pieces[0].recipe.section) == item  # type: ignore[union-attr]


def test_the_sentence_offers_them_and_a_plan_tries_them() -> None:
    stated = project({"shape": "square tube", "width": "45 mm", "thickness": "2 mm"})
    spans = recipe_spans(stated, stated.pieces[0], ("pieces", 0))
    assert spans[0].text == "square tube" and spans[0].path == ("pieces", 0, "recipe", "section")
    words, value = spans[0].choices[7]
    chosen = stated.with_value(spans[0].path, value)
    told = recipe_spans(chosen, chosen.pieces[0], ("pieces", 0))[0].text
    assert told == f"square tube {words}" and "EN 10219-2" in told
    assert chosen.pieces[0].name == "bar" and chosen.pieces[0].recipe.length == "1 m"  # type: ignore[union-attr]
    assert with_choices(chosen, {"pieces/bar/material": "steel"}) == chosen


def test_an_expression_without_a_value_is_no_standard() -> None:
    stated = project({"shape": "round tube", "diameter": "48.3 mm", "thickness": "3 mm"})
    section = stated.pieces[0].recipe.section.model_copy(update={"thickness": "nobody"})  # type: ignore[union-attr]
    with pytest.raises(LabilisError):
        stated.number(section, "thickness")
    assert standard_of(stated, section) is None
