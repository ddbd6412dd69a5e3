"""What a hand check is: a formula with named symbols, a source, and what it gives."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from labilis.model import LabilisError


@dataclass(frozen=True)
class Symbol:
    """A number that a formula takes. name: its letter; words; kind of quantity for reading and
    showing; least: it must be above this;
    choices: words to choose from, for symbols that are a kind and no number."""

    name: str
    words: str
    kind: str
    least: float = 0.0
    choices: tuple[str, ...] = ()


@dataclass(frozen=True)
class Outcome:
    """load N: what the formula gives; steps: (symbol, value, unit) of what was found on the way;
    remarks: where it leaves its range."""

    load: float
    steps: tuple[tuple[str, float, str], ...] = ()
    remarks: tuple[str, ...] = ()


Values = Mapping[str, float | str]


@dataclass(frozen=True)
class Form:
    """A hand check. key; title; formula as text; source; valid: range in words; symbols; real:
    whether it gives what the real member carries (imperfect, yielding) and not its ideal critical
    load; compute: from values by symbol, N, mm, MPa."""

    key: str
    title: str
    formula: str
    source: str
    valid: str
    symbols: tuple[Symbol, ...]
    compute: Callable[[Values], Outcome]
    real: bool = False


def number(values: Values, name: str) -> float:
    """A value that is a number."""
    found = values[name]
    if isinstance(found, str):
        raise LabilisError(f"{name} is not a number.", "checks", "Give a number.", "hand-value")
    return found


def numbers(values: Values, *names: str) -> list[float]:
    """Several of them."""
    return [number(values, name) for name in names]


E = Symbol("E", "Young's modulus", "stress")
FY = Symbol("fy", "yield strength", "stress")
AREA = Symbol("A", "area of the section", "area")
INERTIA = Symbol("I", "smallest second moment of area", "second moment")
LENGTH = Symbol("L", "length", "length")
ENDS = Symbol("K", "effective length factor", "number")
CRITICAL = Symbol("Ncr", "ideal critical load, of its first mode, else Euler's", "force")
FIBRE = Symbol("c", "distance of the extreme fibre", "length")


def slenderness(values: Values) -> tuple[float, float]:
    """(slenderness K L / i, radius of gyration i in mm)."""
    area, inertia, length, k = numbers(values, "A", "I", "L", "K")
    gyration = math.sqrt(inertia / area)
    return k * length / gyration, gyration


def checked(form: Form, values: Values) -> Outcome:
    """Compute a form after looking at its values. Raises LabilisError naming the symbol."""
    for symbol in form.symbols:
        if symbol.name not in values:
            raise LabilisError(
                f"{symbol.words[0].upper()}{symbol.words[1:]} ({symbol.name}) is not known.",
                f"checks/{form.key}/{symbol.name}",
                "Type it.",
                "hand-missing",
            )
        value = values[symbol.name]
        if symbol.choices:
            if value not in symbol.choices:
                raise LabilisError(
                    f"'{value}' is none of: {', '.join(symbol.choices)}.",
                    f"checks/{form.key}/{symbol.name}",
                    "Choose one.",
                    "hand-value",
                )
        elif not isinstance(value, str) and not (math.isfinite(value) and value > symbol.least):
            raise LabilisError(
                f"{symbol.words} ({symbol.name}) is {value:.4g}; it must be above "
                f"{symbol.least:g}.",
                f"checks/{form.key}/{symbol.name}",
                "Type another.",
                "hand-value",
            )
    return form.compute(values)
