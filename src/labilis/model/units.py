"""Units that Labilis understands, and the kernel's own: N, mm, MPa, tonne, second, radian, kelvin.

The registry is built from the list below instead of pint's large default file: it loads in a few
milliseconds, and a name that is not in it is a parameter, never a surprise unit. t and h are left
free on purpose: they are everybody's names for a thickness and a height. Temperatures are
differences throughout, so that degC and degF have no offset. Base units are the kernel's, so
converting a quantity to base units gives the number the kernel works with."""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    import pint

_DEFINITIONS = """
millimetre = [length] = mm
tonne = [mass]
second = [time] = s
radian = [angle] = rad
kelvin = [temperature] = K
degC = K
degF = 0.5555555555555556 * K
micrometre = 0.001 * mm = um = µm
centimetre = 10 * mm = cm
metre = 1000 * mm = m
inch = 25.4 * mm = in
foot = 304.8 * mm = ft
kilogram = 0.001 * tonne = kg
gram = 0.001 * kg = g
pound = 0.45359237 * kg = lb
newton = tonne * mm / s ** 2 = N
kilonewton = 1000 * N = kN
meganewton = 1000 * kN = MN
poundforce = 4.4482216152605 * N = lbf
kip = 1000 * lbf
pascal = 0.000001 * N / mm ** 2 = Pa
kilopascal = 1000 * Pa = kPa
megapascal = N / mm ** 2 = MPa
gigapascal = 1000 * MPa = GPa
bar = 0.1 * MPa
psi = 0.006894757293168361 * MPa
ksi = 1000 * psi
degree = 0.017453292519943295 * rad = deg = °
percent = 0.01 = %
"""

# kind of quantity: (kernel unit, example, how it is called in a sentence)
KINDS: dict[str, tuple[str, str, str]] = {
    "number": ("dimensionless", "3", "a plain number"),
    "length": ("mm", "12 mm", "a length"),
    "area": ("mm**2", "50 mm^2", "an area"),
    "angle": ("rad", "30 deg", "an angle"),
    "force": ("N", "1 kN", "a force"),
    "moment": ("N*mm", "5 N*m", "a moment"),
    "stress": ("MPa", "235 MPa", "a stress"),
    "density": ("tonne/mm**3", "7850 kg/m^3", "a density"),
    "mass": ("tonne", "41 kg", "a mass"),
    "line force": ("N/mm", "3 N/mm", "a force per length"),
    "stiffness": ("N/mm", "500 N/mm", "a stiffness"),
    "turn stiffness": ("N*mm/rad", "2e6 N*mm/rad", "a turning stiffness"),
    "second moment": ("mm**4", "5000 mm^4", "a second moment of area"),
    "foundation": ("N/mm**3", "10 N/mm^3", "a stiffness per area"),
    "acceleration": ("mm/s**2", "9.81 m/s^2", "an acceleration"),
    "temperature": ("K", "50 K", "a temperature difference"),
    "expansion": ("1/K", "12e-6/K", "a thermal expansion"),
}

UNIT_SYMBOLS = frozenset(
    {
        "mm",
        "um",
        "µm",
        "cm",
        "m",
        "in",
        "ft",
        "tonne",
        "kg",
        "g",
        "lb",
        "s",
        "N",
        "kN",
        "MN",
        "lbf",
        "kip",
        "Pa",
        "kPa",
        "MPa",
        "GPa",
        "bar",
        "psi",
        "ksi",
        "rad",
        "deg",
        "°",
        "K",
        "degC",
        "degF",
        "%",
    }
)


@lru_cache(maxsize=1)
def registry() -> pint.UnitRegistry:
    """The unit registry, made when first asked for."""
    import pint

    ureg: pint.UnitRegistry = pint.UnitRegistry(None, autoconvert_offset_to_baseunit=False)
    for line in _DEFINITIONS.strip().splitlines():
        ureg.define(line)
    return ureg


def unit(symbol: str) -> Any:
    """One of `UNIT_SYMBOLS` as a pint quantity."""
    name = {"°": "deg", "%": "percent"}.get(symbol, symbol)
    return 1.0 * registry().Unit(name)


def kind_dimension(kind: str) -> Any:
    """Dimensionality of a kind of quantity, as pint gives it."""
    return (1.0 * registry().parse_units(KINDS[kind][0])).dimensionality


def describe_dimension(quantity: Any) -> str:
    """'a mass' for a quantity of mass; the unit's name for something without a kind of its own."""
    for kind, (_, _, words) in KINDS.items():
        if quantity.dimensionality == kind_dimension(kind):
            return words
    return f"a quantity in {quantity.units}"
