"""Units and expressions for all values, not only some."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from labilis.judge.figures import force_text
from labilis.model import LabilisError, Project
from labilis.model.expressions import evaluate, number_of
from labilis.model.units import KINDS, UNIT_SYMBOLS, unit

numbers = st.floats(min_value=-1e6, max_value=1e6, allow_nan=False).map(
    lambda value: round(value, 6)
)
LENGTHS = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4, "um": 1e-3}


@given(numbers, st.sampled_from(sorted(LENGTHS)))
def test_lengths_convert(value: float, symbol: str) -> None:
    assert number_of(f"{value!r} {symbol}", "length") == pytest.approx(
        value * LENGTHS[symbol], rel=1e-12, abs=1e-12
    )


@given(numbers, numbers, numbers)
def test_arithmetic_follows_python(a: float, b: float, c: float) -> None:
    text = f"({a!r}) + ({b!r}) * ({c!r}) - ({a!r})/4"
    assert number_of(text, "number") == pytest.approx(a + b * c - a / 4, rel=1e-9, abs=1e-6)


@given(
    st.floats(min_value=0.1, max_value=100).map(lambda v: round(v, 4)),
    st.integers(min_value=1, max_value=5),
)
def test_powers_bind_before_signs_and_products(base: float, power: int) -> None:
    assert number_of(f"-{base!r}^{power}", "number") == pytest.approx(-(base**power))
    assert number_of(f"2*{base!r}**{power}", "number") == pytest.approx(2 * base**power)


@given(st.text(max_size=60))
def test_any_text_either_evaluates_or_is_refused_in_words(text: str) -> None:
    try:
        value = evaluate(text, {"a": "2 mm"})
    except LabilisError as error:
        assert len(str(error)) > 10
    else:
        assert math.isfinite(value.magnitude)


@given(st.sampled_from(sorted(UNIT_SYMBOLS)), st.sampled_from(sorted(KINDS)))
def test_a_unit_fits_its_own_kind_only(symbol: str, kind: str) -> None:
    from labilis.model.units import kind_dimension

    fits = unit(symbol).dimensionality == kind_dimension(kind)
    try:
        number_of(f"1 {symbol}", kind)
    except LabilisError as error:
        assert not fits
        assert error.code == "unit"
    else:
        assert fits


@given(st.floats(min_value=1e-3, max_value=1e9))
def test_shown_forces_read_back(value: float) -> None:
    assert number_of(force_text(value), "force") == pytest.approx(value, rel=1e-3)


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("2*leg_t + 1 mm", 5.0),
        ("sqrt(9 mm^2)", 3.0),
        ("min(3 mm, 1 cm)", 3.0),
        ("5 mm * cos(60 deg)", 2.5),
        ("2 mm^2 / 1 mm", 2.0),
        ("1 in", 25.4),
        ("-(-3 mm)", 3.0),
        ("pi * 1 mm", math.pi),
        (".5 mm", 0.5),
        ("1e1 mm", 10.0),
    ],
)
def test_worked_lengths(text: str, expected: float) -> None:
    assert number_of(text, "length", {"leg_t": "2 mm"}) == pytest.approx(expected)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("12 kg", "is a mass; a length is needed here"),
        ("12", "has no unit"),
        ("widht + 1 mm", "neither a parameter nor a unit"),
        ("1 mm + 2 N", "cannot be added"),
        ("1/0 mm", "Division by zero"),
        ("(1 mm", "closing bracket"),
        ("1 mm)", "not expected"),
        ("__import__('os')", "not understood"),
        ("a.b", "not understood"),
        ("9^9^9 * 1 mm", "beyond 20"),
        ("", "Nothing"),
        ("loop", "depends on itself"),
        ("(-1 mm)^0.5 * 1 mm^0.5", "finite real"),
        ("1 mm ** (2 mm)", "exponent"),
        ("sqrt(1 mm, 2 mm)", "does not take"),
        ("7 widgets", "is not a unit"),
        ("(" * 60 + "1 mm" + ")" * 60, "Too many"),
    ],
)
def test_bad_expressions_say_what_is_wrong(text: str, said: str) -> None:
    with pytest.raises(LabilisError) as caught:
        number_of(text, "length", {"loop": "pool", "pool": "loop + 1 mm"})
    assert said in str(caught.value)


def test_parameters_feed_statements() -> None:
    project = Project(parameters={"t": "3 mm", "size": "2*t"})
    changed = project.with_value(("mesh", "size"), "size")
    assert changed.value(changed.mesh.size or "", "length") == 6.0
    with pytest.raises(LabilisError) as caught:
        changed.with_value(("parameters", "t"), "t + 1 mm")
    assert "depends on itself" in str(caught.value)
    with pytest.raises(LabilisError):
        changed.with_value(("parameters",), {"mm": "3 mm"})


def test_parameters_that_double_each_other_are_found_once() -> None:
    """Thirty of them would take a thousand million evaluations one by one; two thousand in a row
    hang on no stack."""
    doubled = {"p0": "1 mm"} | {f"p{k}": f"p{k - 1} + p{k - 1}" for k in range(1, 31)}
    assert number_of("p30", "length", doubled) == 2.0**30
    chain = {f"q{k}": f"q{k + 1} + 1 mm" for k in range(2000)} | {
        "q2000": "1 mm"
    }  # each stated before what it needs
    assert number_of("q0", "length", chain) == 2001.0
    assert (
        number_of("q0", "length", {**chain, "q2000": "2 mm"}) == 2002.0
    )  # what was kept is of those statements only
    with pytest.raises(LabilisError, match="depends on itself") as caught:
        number_of("q0", "length", {**chain, "q2000": "q1000"})
    assert caught.value.code == "circle" and "q1000 → q1001" in caught.value.remedy


def test_what_is_not_needed_is_not_asked() -> None:
    """A broken parameter spoils only what names it; a number with an exponent names none."""
    broken = {"e5": "1 mm / 0", "good": "3 mm"}
    assert number_of("good + 2e5 mm", "length", broken) == 200003.0
    with pytest.raises(LabilisError, match="Division"):
        number_of("good + e5", "length", broken)


def test_only_what_names_no_parameter_is_remembered() -> None:
    """The same text is another thing with other parameters, and as another kind."""
    for size in (4, 5, 4):
        assert number_of("2 * t", "length", {"t": f"{size} mm"}) == 2.0 * size
        assert (
            number_of("2 * wall + 1 mm", "length", {"t": "9 mm", "wall": f"{size} mm"})
            == 2.0 * size + 1
        )
    with pytest.raises(LabilisError, match="neither a parameter nor a unit"):
        number_of("2 * t", "length")
    assert number_of("2 mm", "length", {"t": "4 mm"}) == number_of("2 mm", "length") == 2.0
    for _ in range(2):
        with pytest.raises(LabilisError, match="length") as caught:
            number_of("2 mm", "force", where="loads/push")
        assert caught.value.where == "loads/push"
    assert number_of("0", "force") == number_of("0", "length") == 0.0
