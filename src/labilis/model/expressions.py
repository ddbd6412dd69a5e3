"""Quantities as people write them: ``12 mm``, ``2*leg_t + 1 mm``, ``sqrt(2) * width``.

A small recursive-descent parser of our own evaluates them on pint quantities. Nothing is ever
handed to Python's own `eval`. Grammar (a unit directly behind a number binds tightest)::

    sum     = product (('+' | '-') product)*
    product = sign (('*' | '/') sign)*
    sign    = ('+' | '-') sign | power
    power   = atom (('^' | '**') sign)?
    atom    = NUMBER UNIT? | NAME | NAME '(' sum (',' sum)* ')' | '(' sum ')'
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator, Mapping
from functools import lru_cache
from typing import Any

from labilis.model.errors import LabilisError
from labilis.model.units import (
    KINDS,
    UNIT_SYMBOLS,
    describe_dimension,
    kind_dimension,
    registry,
    unit,
)

_TOKEN = re.compile(
    r"\s*(?:(?P<number>(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)|(?P<name>[A-Za-zµ][A-Za-z0-9_]*|[°%])|(?P<op>\*\*|[-+*/^(),]))"
)
_MAX_LENGTH = 400
_MAX_DEPTH = 40
_WORD = re.compile(r"(?<![A-Za-z0-9_µ.])[A-Za-zµ][A-Za-z0-9_]*")
CONSTANTS = {"pi": math.pi}


def _angle(value: Any) -> float:
    return float(
        (
            value.to("rad") if str(value.dimensionality) == "[angle]" else value.to("dimensionless")
        ).magnitude
    )


def _trig(function: Callable[[float], float]) -> Callable[[Any], Any]:
    return lambda value: registry().Quantity(function(_angle(value)), "dimensionless")


FUNCTIONS: dict[str, Callable[..., Any]] = {
    "sqrt": lambda value: value**0.5,
    "abs": abs,
    "min": lambda *values: min(values),
    "max": lambda *values: max(values),
    "sin": _trig(math.sin),
    "cos": _trig(math.cos),
    "tan": _trig(math.tan),
}


class _Parser:
    """One pass over one text; `names` gives the value of a parameter or raises KeyError."""

    def __init__(self, text: str, names: Callable[[str], Any]) -> None:
        self.text, self.names, self.depth = text, names, 0
        self.tokens: list[tuple[str, str]] = []
        position = 0
        stripped = text.rstrip()
        while position < len(stripped):
            match = _TOKEN.match(stripped, position)
            if not match:
                raise self.error(f"'{stripped[position:].strip()[:12]}' is not understood")
            kind = match.lastgroup or ""
            self.tokens.append((kind, match.group(kind)))
            position = match.end()
        self.at = 0

    def error(self, what: str) -> LabilisError:
        return LabilisError(
            f"{what} in '{self.text}'.",
            remedy="Write a number with a unit, such as 12 mm, "
            "or an expression of named parameters.",
            code="expression",
        )

    def peek(self) -> tuple[str, str]:
        return self.tokens[self.at] if self.at < len(self.tokens) else ("end", "")

    def take(self, *symbols: str) -> str:
        kind, value = self.peek()
        if kind == "op" and value in symbols:
            self.at += 1
            return value
        return ""

    def whole(self) -> Any:
        if not self.tokens:
            raise self.error("Nothing to evaluate")
        value = self.sum()
        if self.peek()[0] != "end":
            raise self.error(f"'{self.peek()[1]}' is not expected")
        return value

    def sum(self) -> Any:
        self.depth += 1
        if self.depth > _MAX_DEPTH:
            raise self.error("Too many brackets")
        value = self.product()
        while symbol := self.take("+", "-"):
            other = self.product()
            if value.dimensionality != other.dimensionality:
                raise self.error(
                    f"{describe_dimension(value)} and {describe_dimension(other)} cannot be added"
                )
            value = value + other if symbol == "+" else value - other
        self.depth -= 1
        return value

    def product(self) -> Any:
        value = self.sign()
        while symbol := self.take("*", "/"):
            other = self.sign()
            if symbol == "/" and other.magnitude == 0:
                raise self.error("Division by zero")
            value = value * other if symbol == "*" else value / other
        return value

    def sign(self) -> Any:
        if symbol := self.take("+", "-"):
            self.depth += 1
            if self.depth > _MAX_DEPTH:
                raise self.error("Too many signs")
            value = self.sign()
            self.depth -= 1
            return -value if symbol == "-" else value
        return self.power()

    def power(self) -> Any:
        value = self.atom()
        if self.take("^", "**"):
            exponent = self.sign()
            if exponent.dimensionality != kind_dimension("number"):
                raise self.error("An exponent must be a plain number")
            number = float(exponent.to("dimensionless").magnitude)
            if abs(number) > 20:
                raise self.error("An exponent beyond 20")
            if value.magnitude == 0 and number < 0:
                raise self.error("Division by zero")
            value = value**number
        return value

    def atom(self) -> Any:
        kind, text = self.peek()
        if kind == "number":
            self.at += 1
            return self.with_units(registry().Quantity(float(text), "dimensionless"))
        if kind == "name":
            self.at += 1
            return self.called(text) if text in FUNCTIONS and self.take("(") else self.named(text)
        if self.take("("):
            value = self.sum()
            if not self.take(")"):
                raise self.error("A closing bracket is missing")
            return value
        raise self.error(f"'{text}' is not expected" if text else "Something is missing at the end")

    def with_units(self, value: Any) -> Any:
        """A number with the units behind it, one after the other: "5 N mm"."""
        while self.peek()[0] == "name":
            name = self.peek()[1]
            if name not in UNIT_SYMBOLS:
                raise self.error(f"'{name}' behind a number is not a unit")
            self.at += 1
            size = 1.0
            if self.take("^", "**"):  # "5 mm^2" squares the unit, not the number
                power = self.sign()
                if (
                    power.dimensionality != kind_dimension("number")
                    or abs(float(power.magnitude)) > 20
                ):
                    raise self.error("An exponent must be a plain number under 20")
                size = float(power.magnitude)
            value = value * unit(name) ** size
        return value

    def called(self, name: str) -> Any:
        """A function behind its opening bracket."""
        arguments = [self.sum()]
        while self.take(","):
            arguments.append(self.sum())
        if not self.take(")"):
            raise self.error("A closing bracket is missing")
        try:
            return FUNCTIONS[name](*arguments)
        except LabilisError:
            raise
        except Exception as problem:
            raise self.error(f"{name}() does not take these values") from problem

    def named(self, name: str) -> Any:
        try:
            return self.names(name)
        except KeyError:
            pass
        if name in CONSTANTS:
            return registry().Quantity(CONSTANTS[name], "dimensionless")
        if name in UNIT_SYMBOLS:
            return unit(name)
        raise LabilisError(
            f"'{name}' is neither a parameter nor a unit, in '{self.text}'.",
            remedy="Add the parameter, or correct the name.",
            code="unknown-parameter",
        )


def _needed(text: str, stated: Mapping[str, str], known: Mapping[str, Any]) -> list[str]:
    """Parameters that an expression needs and that are not known, each behind those that it needs
    itself. Raises LabilisError for a circle."""

    def names(of: str) -> Iterator[str]:
        return iter(
            [
                name
                for name in _WORD.findall(of[: _MAX_LENGTH + 1])
                if name in stated and name not in known
            ]
        )

    found: dict[str, None] = {}
    path: dict[str, Iterator[str]] = {"": names(text)}
    while path:
        owner = next(reversed(path))
        for name in path[owner]:
            if name in path:
                circle = [*path][[*path].index(name) :]
                raise LabilisError(
                    f"Parameter '{name}' depends on itself.",
                    "parameters",
                    "Break the circle: " + " → ".join((*circle, name)) + ".",
                    "circle",
                )
            if name not in found:
                path[name] = names(stated[name])
                break
        else:
            del path[owner]
            if owner:
                found[owner] = None
    return list(found)


def evaluate(
    text: str, parameters: Mapping[str, str] | None = None, known: dict[str, Any] | None = None
) -> Any:
    """Value of an expression as a pint quantity; parameters are expressions themselves, each
    evaluated once, checked for circles. `known`: values of the same parameters from calls before,
    those found here are added."""
    stated = parameters or {}
    values = {} if known is None else known
    for name in _needed(text, stated, values):
        values[name] = _evaluate(stated[name], values)
    return _evaluate(text, values)


def _evaluate(text: str, values: Mapping[str, Any]) -> Any:
    if len(text) > _MAX_LENGTH:
        raise LabilisError(
            f"An expression of {len(text)} characters.", remedy=f"Keep it under {_MAX_LENGTH}."
        )
    try:
        value = _Parser(text, values.__getitem__).whole()
    except (OverflowError, ZeroDivisionError) as problem:
        raise LabilisError(
            f"'{text}' has no finite value.", remedy="Check the numbers."
        ) from problem
    magnitude = value.magnitude
    if isinstance(magnitude, complex) or not math.isfinite(magnitude):
        raise LabilisError(
            f"'{text}' has no finite real value.", remedy="Check the numbers.", code="expression"
        )
    return value


def names_in(text: str) -> set[str]:
    """Words of an expression: parameters, units and functions."""
    return set(_WORD.findall(text))


def with_name(text: str, old: str, new: str) -> str:
    """An expression with one of its names changed, written as it was otherwise."""
    return _WORD.sub(lambda word: new if word.group() == old else word.group(), text)


def number_of(
    text: str,
    kind: str,
    parameters: Mapping[str, str] | None = None,
    where: str = "",
    known: dict[str, Any] | None = None,
) -> float:
    """Kernel number (N, mm, MPa, tonne, rad) of an expression that must be of the given kind;
    `known` as in `evaluate`."""
    try:
        if len(text) <= _MAX_LENGTH and not any(
            name in (parameters or {}) for name in _WORD.findall(text)
        ):
            return _plain(text, kind)
        return _kernel(evaluate(text, parameters, known), text, kind)
    except LabilisError as error:
        if where and not error.where:
            raise LabilisError(error.what, where, error.remedy, error.code) from error
        raise


@lru_cache(maxsize=8192)
def _plain(text: str, kind: str) -> float:
    """Kernel number of an expression that names no parameter: the window asks for the same few
    hundred at every edit."""
    return _kernel(_evaluate(text, {}), text, kind)


def _kernel(value: Any, text: str, kind: str) -> float:
    if value.dimensionality != kind_dimension(kind):
        _, example, words = KINDS[kind]
        is_number = value.dimensionality == kind_dimension("number")
        if is_number and value.magnitude == 0:
            return 0.0  # nothing is nothing in any unit
        problem = "has no unit" if is_number else f"is {describe_dimension(value)}"
        raise LabilisError(
            f"'{text}' {problem}; {words} is needed here.",
            remedy=f"Write it like {example}.",
            code="unit",
        )
    return float(value.to_base_units().magnitude)


def is_name(text: str) -> bool:
    """Whether a text can be a parameter's name: a word that is not a unit, a function or a
    constant."""
    return (
        bool(re.fullmatch(r"[A-Za-z][A-Za-z0-9_]*", text))
        and text not in UNIT_SYMBOLS
        and text not in FUNCTIONS
        and text not in CONSTANTS
    )
