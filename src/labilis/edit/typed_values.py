"""What is typed into a value: a bare number takes the unit that stood there, three parts are three
values, which have the unit at the end in common."""

from __future__ import annotations

import re
from collections.abc import Sequence

from labilis.model import LabilisError
from labilis.model.expressions import number_of
from labilis.model.units import KINDS

_NUMBER = r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?"
_BARE = re.compile(_NUMBER)
_UNIT = r"\s*/?[A-Za-zµ%°]+(?:[*/][A-Za-z]+|(?:\^|\*\*)-?\d)*"
_MEASURED = re.compile(rf"{_NUMBER}({_UNIT})")


def with_unit(text: str, before: str, kind: str) -> str:
    """A bare number with the unit of the number that stood there `before`. Anything else as it is:
    where an expression stood nobody knows which unit is meant, and a number without one is refused
    then."""
    bare, measured = _BARE.fullmatch(text.strip()), _MEASURED.fullmatch(before.strip())
    if bare is None or measured is None or kind not in KINDS:
        return text
    made = text.strip() + measured.group(1)
    try:
        number_of(made, kind, {})
    except LabilisError:  # a name of a parameter stood there
        return text
    return made


def three_parts(text: str, before: Sequence[str], kind: str) -> tuple[str, ...] | None:
    """The three values of '0, 0, -1 kN' where three stood `before`, all with the unit at the end;
    without any, bare numbers with the units that stood there. None for anything else, so for a
    decimal comma and for a call of a function."""
    return _parts(text, before, kind) if len(before) == 3 else None


def two_coordinates(text: str, x: str, y: str) -> tuple[str, ...] | None:
    """The coordinates of '100, 160 mm' or '100; 160' where `x` and `y` stood, bare numbers with
    their units; None for anything else. '1,5 mm' is a decimal comma and refused as one: between
    two numbers of which none has a unit, and after which no blank comes, nothing is guessed."""
    if "," in text and ";" not in text and not re.search(r",\s", text):
        return None
    return _parts(text, (x, y), "length")


def _parts(text: str, before: Sequence[str], kind: str) -> tuple[str, ...] | None:
    parts = [part.strip() for part in re.split(r"[,;]", text)]
    if len(parts) != len(before) or "(" in text or not all(parts):
        return None
    measured = [found.group(1) for part in parts if (found := _MEASURED.fullmatch(part))]
    if not measured:
        return tuple(with_unit(part, old, kind) for part, old in zip(parts, before))
    unit = f"1{measured[-1]}"
    # "5 N, 3, 0": nobody knows whether 3 is of what stood there or of what was typed
    known = len(set(measured)) == 1 and _MEASURED.fullmatch(parts[-1]) is not None
    return tuple(with_unit(part, unit, kind) if known or _none(part) else part for part in parts)


def _none(text: str) -> bool:
    return _BARE.fullmatch(text) is not None and float(text) == 0.0
