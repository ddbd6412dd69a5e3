"""Units in which figures are shown: one set for everything that a window, a report or a command
says. What was typed stays as it was typed, and inside everything stays N, mm, MPa, tonne.

The set is part of the surroundings, like a language: it is chosen once by whoever begins to speak
(`use`), and everything that puts a figure into words asks here. It never enters a computation or a
key.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Literal, get_args

UnitsName = Literal["mm-N-MPa", "m-kN-MPa", "in-lbf-psi", "in-kip-ksi"]
NAMES: tuple[UnitsName, ...] = get_args(UnitsName)
DEFAULT: UnitsName = "mm-N-MPa"

# the definitions of `units.py`, here as numbers: this module is asked at every figure
_IN, _LBF, _LB = 25.4, 4.4482216152605, 0.45359237e-3  # mm, N, tonne
_PSI = _LBF / _IN**2  # MPa

Unit = tuple[str, float]  # symbol, kernel units in one of it
_METRIC: dict[str, Unit] = {
    "length": ("mm", 1.0),
    "area": ("mm²", 1.0),
    "second moment": ("mm⁴", 1.0),
    "force": ("N", 1.0),
    "moment": ("N mm", 1.0),
    "stress": ("MPa", 1.0),
    "line force": ("N/mm", 1.0),
    "stiffness": ("N/mm", 1.0),
    "mass": ("kg", 1e-3),
    "volume": ("mm³", 1.0),
    "acceleration": ("m/s²", 1e3),
    "temperature": ("K", 1.0),
    "angle": ("°", math.pi / 180),
}
_TABLE: dict[UnitsName, dict[str, Unit]] = {
    "mm-N-MPa": _METRIC,
    "m-kN-MPa": {
        **_METRIC,
        "length": ("m", 1e3),
        "area": ("m²", 1e6),
        "second moment": ("m⁴", 1e12),
        "force": ("kN", 1e3),
        "moment": ("kN m", 1e6),
        "line force": ("kN/m", 1.0),
        "stiffness": ("kN/m", 1.0),
        "volume": ("m³", 1e9),
    },
    "in-lbf-psi": {
        **_METRIC,
        "length": ("in", _IN),
        "area": ("in²", _IN**2),
        "second moment": ("in⁴", _IN**4),
        "force": ("lbf", _LBF),
        "moment": ("lbf in", _LBF * _IN),
        "stress": ("psi", _PSI),
        "line force": ("lbf/in", _LBF / _IN),
        "stiffness": ("lbf/in", _LBF / _IN),
        "mass": ("lb", _LB),
        "volume": ("in³", _IN**3),
        "acceleration": ("ft/s²", 304.8),
        "temperature": ("°F", 5 / 9),
    },
    "in-kip-ksi": {
        **_METRIC,
        "length": ("in", _IN),
        "area": ("in²", _IN**2),
        "second moment": ("in⁴", _IN**4),
        "force": ("kip", 1e3 * _LBF),
        "moment": ("kip in", 1e3 * _LBF * _IN),
        "stress": ("ksi", 1e3 * _PSI),
        "line force": ("kip/in", 1e3 * _LBF / _IN),
        "stiffness": ("kip/in", 1e3 * _LBF / _IN),
        "mass": ("lb", _LB),
        "volume": ("in³", _IN**3),
        "acceleration": ("ft/s²", 304.8),
        "temperature": ("°F", 5 / 9),
    },
}


class _Spoken:
    """The set that is spoken in, for the whole process: threads that write words for the same
    window speak alike."""

    chosen: UnitsName = DEFAULT
    asked: UnitsName | None = None


def use(name: UnitsName) -> None:
    """Show figures in this set from now on, as a project states it."""
    _Spoken.chosen = name


def ask(name: UnitsName | None) -> None:
    """Show figures in this set whatever a project states; None: as it states."""
    _Spoken.asked = name


@contextmanager
def using(name: UnitsName) -> Iterator[None]:
    """Show figures in this set for a while."""
    before = _Spoken.chosen
    _Spoken.chosen = name
    try:
        yield
    finally:
        _Spoken.chosen = before


def chosen() -> UnitsName:
    """The set that figures are shown in."""
    return _Spoken.asked or _Spoken.chosen


def unit(kind: str) -> str:
    """Symbol of the unit of a kind of quantity, '' of a plain number."""
    return _TABLE[chosen()].get(kind, ("", 1.0))[0]


def value(kernel: float, kind: str) -> float:
    """A kernel number in the unit that is shown."""
    return kernel / _TABLE[chosen()].get(kind, ("", 1.0))[1]


def per(kind: str) -> float:
    """What arrays of kernel numbers are divided by to be shown."""
    return _TABLE[chosen()].get(kind, ("", 1.0))[1]


def text(kernel: float, kind: str, digits: int = 4, sign: str = "") -> str:
    """'12.3 mm', '0.4843 in': a kernel number with so many digits, and its unit. Infinite and
    unknown ones are written without it."""
    if not math.isfinite(kernel):
        return "–" if math.isnan(kernel) else "∞"
    if kind == "force":
        return _force(kernel, digits, sign)
    return f"{figure(value(kernel, kind), digits, sign)} {unit(kind)}".strip()


def figure(size: float, digits: int, sign: str = "") -> str:
    """So many digits; thousands are written out."""
    short = f"{size:{sign}.{digits}g}"
    return f"{float(short):{sign},.0f}" if "e+" in short and abs(size) < 1e7 else short


def _force(kernel: float, digits: int, sign: str) -> str:
    """In N, kN or MN by size in the metric sets, where that is the habit."""
    if chosen() in ("in-lbf-psi", "in-kip-ksi"):
        return f"{figure(value(kernel, 'force'), digits, sign)} {unit('force')}"
    kernel = float(f"{kernel:.{digits}g}")  # what rounds to 1 kN is not 1000 N
    name, size = next(
        (name, size)
        for name, size in (("MN", 1e6), ("kN", 1e3), ("N", 1.0))
        if abs(kernel) >= size or size == 1.0
    )
    return f"{kernel / size:{sign}.{digits}g} {name}"


def length(kernel: float, digits: int = 4) -> str:
    """A length given in mm."""
    return text(kernel, "length", digits)


def area(kernel: float, digits: int = 4) -> str:
    """An area given in mm²."""
    return text(kernel, "area", digits)


def second_moment(kernel: float, digits: int = 4) -> str:
    """A second moment of area given in mm⁴."""
    return text(kernel, "second moment", digits)


def force(kernel: float, digits: int = 4) -> str:
    """A force given in N."""
    return text(kernel, "force", digits)


def stress(kernel: float, digits: int = 4) -> str:
    """A stress given in MPa."""
    return text(kernel, "stress", digits)


def mass(kernel: float, digits: int = 4, sign: str = "") -> str:
    """A mass given in tonne."""
    return text(kernel, "mass", digits, sign)


def place(kernel: tuple[float, ...] | list[float], digits: int = 4) -> str:
    """'(12, 0, 60) mm': a place given in mm, without what rounding leaves of nought."""
    return f"({numbers(kernel, digits)}) {unit('length')}"


def numbers(kernel: tuple[float, ...] | list[float], digits: int = 4) -> str:
    """'12, 0, 60': lengths given in mm, without their unit."""
    return ", ".join(f"{value(round(float(c), 3), 'length') + 0.0:.{digits}g}" for c in kernel)


# units in which new statements are typed, by kind
_TYPED: dict[str, dict[UnitsName, str]] = {
    "length": {"mm-N-MPa": "mm", "m-kN-MPa": "mm", "in-lbf-psi": "in", "in-kip-ksi": "in"},
    "force": {"mm-N-MPa": "N", "m-kN-MPa": "kN", "in-lbf-psi": "lbf", "in-kip-ksi": "kip"},
    "moment": {
        "mm-N-MPa": "N*m",
        "m-kN-MPa": "kN*m",
        "in-lbf-psi": "lbf*in",
        "in-kip-ksi": "kip*in",
    },
    "stress": {"mm-N-MPa": "MPa", "m-kN-MPa": "MPa", "in-lbf-psi": "psi", "in-kip-ksi": "ksi"},
    "line force": {
        "mm-N-MPa": "N/mm",
        "m-kN-MPa": "kN/m",
        "in-lbf-psi": "lbf/in",
        "in-kip-ksi": "kip/in",
    },
    "stiffness": {
        "mm-N-MPa": "N/mm",
        "m-kN-MPa": "kN/m",
        "in-lbf-psi": "lbf/in",
        "in-kip-ksi": "kip/in",
    },
    "foundation": {
        "mm-N-MPa": "N/mm^3",
        "m-kN-MPa": "N/mm^3",
        "in-lbf-psi": "lbf/in^3",
        "in-kip-ksi": "lbf/in^3",
    },
    "mass": {"mm-N-MPa": "kg", "m-kN-MPa": "kg", "in-lbf-psi": "lb", "in-kip-ksi": "lb"},
    "temperature": {"mm-N-MPa": "K", "m-kN-MPa": "K", "in-lbf-psi": "degF", "in-kip-ksi": "degF"},
}
_KERNEL = {
    "mm": 1.0,
    "in": _IN,
    "N": 1.0,
    "kN": 1e3,
    "lbf": _LBF,
    "N*m": 1e3,
    "kN*m": 1e6,
    "lbf*in": _LBF * _IN,
    "MPa": 1.0,
    "psi": _PSI,
    "ksi": 1e3 * _PSI,
    "N/mm": 1.0,
    "kN/m": 1.0,
    "lbf/in": _LBF / _IN,
    "N/mm^3": 1.0,
    "lbf/in^3": _LBF / _IN**3,
    "kg": 1e-3,
    "lb": _LB,
    "K": 1.0,
    "degF": 5 / 9,
    "kip": 1e3 * _LBF,
    "kip*in": 1e3 * _LBF * _IN,
    "kip/in": 1e3 * _LBF / _IN,
}


def stated(kernel: float, kind: str, digits: int) -> str:
    """A kernel number as a statement that can be typed: '12.5 mm', '0.4921 in'."""
    name = _TYPED[kind][chosen()]
    return f"{kernel / _KERNEL[name]:.{digits}g} {name}"


_STORED = re.compile(
    r"(?<![\w.])([−+-]?)(\d+(?:\.\d+)?(?:[eE][+-]?\d+)?) (mm²|mm|MPa|kN|N)(?![\w/²])"
)
_OF_SYMBOL = {
    "mm": ("length", 1.0),
    "mm²": ("area", 1.0),
    "MPa": ("stress", 1.0),
    "N": ("force", 1.0),
    "kN": ("force", 1e3),
}


def restated(words: str) -> str:
    """Words that a run stored, in mm, N and MPa, with their figures in the units that are shown."""
    if chosen() == DEFAULT:
        return words

    def one(found: re.Match[str]) -> str:
        kind, size = _OF_SYMBOL[found[3]]
        digits = max(len(found[2].replace(".", "").split("e")[0].lstrip("0")), 3)
        return found[1] + text(float(found[2]) * size, kind, digits)

    return axis(_STORED.sub(one, words))[0]


def axis(title: str) -> tuple[str, float]:
    """(title of an axis or a column in the unit that is shown, what its figures are multiplied by),
    of one that ends with a metric unit: 'element size, mm'. A title without one stays."""
    head, comma, symbol = title.rpartition(", ")
    if not comma or symbol not in _METRIC_KINDS:
        return title, 1.0
    kind, size = _METRIC_KINDS[symbol]
    return f"{head}, {unit(kind)}", size / per(kind)


_METRIC_KINDS = {**_OF_SYMBOL, "kg": ("mass", 1e-3)}


def typed(metric: str, kind: str, digits: int = 2) -> str:
    """A round value for a new statement: '3 mm' as it is in metric sets, '0.12 in' in others."""
    if chosen() == DEFAULT:
        return metric
    number, _, symbol = metric.partition(" ")
    name = _TYPED.get(kind, {}).get(chosen(), symbol)
    if symbol == name or symbol not in _KERNEL:
        return metric
    return f"{float(f'{float(number) * _KERNEL[symbol] / _KERNEL[name]:.{digits}g}'):g} {name}"
