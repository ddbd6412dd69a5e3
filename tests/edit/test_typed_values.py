"""What is typed into a value."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from labilis.edit.typed_values import three_parts, two_coordinates, with_unit
from labilis.model.expressions import number_of
from labilis.model.units import KINDS, UNIT_SYMBOLS

_SAID = [(kind, example) for kind, (_, example, _) in KINDS.items() if kind != "number"]


@pytest.mark.parametrize(("kind", "example"), _SAID)
@given(value=st.floats(-1e6, 1e6))
def test_a_bare_number_takes_the_unit_that_stood_there(
    kind: str, example: str, value: float
) -> None:
    made = with_unit(f"{value!r}", example, kind)
    one = number_of(example, kind, {}) / float(example.rstrip("%").partition("/")[0].split(" ")[0])
    assert number_of(made, kind, {}) == pytest.approx(value * one, rel=1e-9, abs=1e-300)


@pytest.mark.parametrize(
    "before",
    ["2*arm", "arm", "arm/2", "sqrt(2)*t", "1 mm + arm", "", "3", "200 mm*2", "3 mm - 1 mm"],
)
@pytest.mark.parametrize("typed", ["5", "-2.5", "1e3", ".5"])
def test_where_an_expression_stood_nothing_is_guessed(before: str, typed: str) -> None:
    """'5' in place of '2*arm' is no five arms."""
    assert with_unit(typed, before, "length") == typed


@pytest.mark.parametrize("typed", ["5 in", "arm", "2*arm", "", "1,5", "nonsense"])
def test_what_is_no_bare_number_is_left_as_it_is(typed: str) -> None:
    assert with_unit(typed, "3 mm", "length") == typed


def test_a_unit_of_another_kind_is_not_taken() -> None:
    assert with_unit("5", "3 kg", "length") == "5"
    assert "kg" in UNIT_SYMBOLS


def test_three_parts_are_three_values() -> None:
    before = ("1 kN", "0 N", "2*push")
    assert three_parts("0, 0 N, -400 N", before, "force") == ("0 N", "0 N", "-400 N")
    # the unit at the end is that of all, whatever stood there
    assert three_parts("-100, 0, 2 N", ("0 kN",) * 3, "force") == ("-100 N", "0 N", "2 N")
    # nobody knows which unit is meant: left without, which is refused; nought is nought
    for text in ("5 N, 3, 0", "5 kN, 3, 0 N", "0 kN, 3, 0"):
        found = three_parts(text, ("0 kN",) * 3, "force")
        assert found is not None and found[1] == "3" and found[2] in ("0 N", "0 kN")
    assert three_parts("0; push/2; -1 kN", before, "force") == ("0 kN", "push/2", "-1 kN")
    for text in ("1,5 kN", "1, 2", "1, 2, 3, 4", "max(1 N, 2 N, 3 N)", ", ,", "1 kN"):
        assert three_parts(text, before, "force") is None
    assert three_parts("1, 2, 3", ("1 mm", "2 mm"), "length") is None


def test_two_coordinates_in_one_go() -> None:
    assert two_coordinates("100, 160", "20 mm", "0.8 in") == ("100 mm", "160 in")
    assert two_coordinates("100;160 mm", "20 mm", "2 mm") == ("100 mm", "160 mm")
    assert two_coordinates("arm - 5 mm, 3", "arm", "2 mm") == ("arm - 5 mm", "3 mm")
    for text in ("1,5", "1,5 mm", "100 mm", "1, 2, 3", "max(1 mm, 2 mm)", ", 3"):
        assert two_coordinates(text, "20 mm", "20 mm") is None
