"""Hand checks: one file each with formula, symbols, source and range. A new one is one file and
one line in FORMS."""

from labilis.judge.hand import (
    aisc,
    as4100,
    cylinder,
    ec3,
    euler_form,
    johnson,
    perry,
    plate,
    secant,
)
from labilis.judge.hand.euler import EndCase, EulerCheck, EulerPlane, euler_check
from labilis.judge.hand.form import Form, Outcome, Symbol, checked

FORMS: dict[str, Form] = {
    module.FORM.key: module.FORM
    for module in (euler_form, johnson, secant, perry, ec3, aisc, as4100, plate, cylinder)
}

# those that take a member as a column between two ends
COLUMNS = frozenset(FORMS) - {plate.FORM.key, cylinder.FORM.key}

__all__ = [
    "COLUMNS",
    "FORMS",
    "EndCase",
    "EulerCheck",
    "EulerPlane",
    "Form",
    "Outcome",
    "Symbol",
    "checked",
    "euler_check",
]
