"""Hand checks of a member: numbers from the model unless they are typed, result, difference and
likely reasons."""

from __future__ import annotations

import math
from dataclasses import dataclass

from labilis.judge.hand import COLUMNS, FORMS
from labilis.judge.hand.form import Form, Outcome, Symbol, checked
from labilis.model import HandCheck, LabilisError, Project, shown
from labilis.results.findings import MemberFindings

_USUAL = (
    "e",
    "e0",
    "curve",
    "γM1",
    "φc",
    "φ",
    "αb",
)  # choices of the engineer, with what is usual until he makes them
_NEAR = 5.0  # per cent
_JOINED = "joined to others along its length, and no column between two ends"


@dataclass(frozen=True)
class Taken:
    """A symbol with its value: value None when nothing is known; typed: stated by hand, as `text`;
    found: what the model says, as text, '' when it says nothing; usual: a usual value stands in
    `found` of which the model says nothing."""

    symbol: Symbol
    value: float | str | None
    typed: bool
    text: str
    found: str
    usual: bool = False

    @property
    def assumed(self) -> bool:
        """Whether a usual value was put in, which neither the model nor the engineer said."""
        return self.usual and not self.typed


@dataclass(frozen=True)
class HandResult:
    """One check of one member. outcome None with the reason in `problem`; factor on the growing
    load, nan when nothing compresses;
    difference: of the model's first factor from it, per cent, nan for what a real member carries or
    without a mode; reasons: why, when it is over 5 %."""

    form: Form
    member: str
    taken: tuple[Taken, ...]
    outcome: Outcome | None
    problem: str
    factor: float
    difference: float
    reasons: tuple[str, ...]
    on_ladder: bool


@dataclass(frozen=True)
class HandFacts:
    """What checks draw on: members, first factor of the model (nan without), the driver of that
    mode, the first factor that each piece drives, K and the free length (mm) found for a part that
    is one member."""

    members: MemberFindings
    first: float
    driver: str
    by_piece: tuple[tuple[str, float], ...] = ()
    k: float | None = None
    length: float | None = None


def hand_results(project: Project, facts: HandFacts, member: str) -> tuple[HandResult, ...]:
    """All checks of a member, those that fit first."""
    names = list(facts.members.names)
    if member not in names:
        return ()
    found = [hand_result(project, facts, names.index(member), form) for form in FORMS.values()]
    return tuple(sorted(found, key=lambda item: item.outcome is None))


def hand_result(project: Project, facts: HandFacts, k: int, form: Form) -> HandResult:
    """One check of member number k."""
    members = facts.members
    name = str(members.names[k])
    stated = next(
        (item for item in project.checks if item.kind == form.key and item.member == name), None
    )
    taken = tuple(_taken(project, facts, k, form, symbol, stated) for symbol in form.symbols)
    growing, held = (float(value) for value in members.axial[k])
    show = stated is not None and stated.on_ladder
    if stated is None and form.key in COLUMNS and members.joined_along(k):
        return HandResult(form, name, taken, None, _JOINED, math.nan, math.nan, (), False)
    try:
        outcome = checked(
            form, {item.symbol.name: item.value for item in taken if item.value is not None}
        )
    except LabilisError as error:
        return HandResult(form, name, taken, None, error.what, math.nan, math.nan, (), show)
    factor = (outcome.load - held) / growing if growing > 0 else math.nan
    difference = math.nan
    reasons: tuple[str, ...] = ()
    if not form.real and math.isfinite(factor) and math.isfinite(facts.first) and factor > 0:
        difference = 100.0 * (facts.first / factor - 1.0)
        if abs(difference) > _NEAR:
            reasons = _reasons(form, facts, name, difference)
    return HandResult(
        form,
        name,
        taken,
        outcome,
        "" if growing > 0 else "nothing compresses this piece",
        factor,
        difference,
        reasons,
        show,
    )


def _taken(
    project: Project, facts: HandFacts, k: int, form: Form, symbol: Symbol, stated: HandCheck | None
) -> Taken:
    found = _from_model(project, facts, k, form, symbol)
    text = "" if found is None else found if isinstance(found, str) else _said(found, symbol.kind)
    typed = None if stated is None else stated.values.get(symbol.name)
    usual = symbol.name in _USUAL or (symbol.name == "K" and facts.k is None)
    if typed is None:
        return Taken(symbol, found, False, text, text, usual)
    if symbol.choices:
        return Taken(symbol, typed, True, typed, text, usual)
    return Taken(
        symbol,
        project.value(typed, symbol.kind, f"checks/{form.key}/{symbol.name}"),
        True,
        typed,
        text,
        usual,
    )


def raised(text: str) -> str:
    """'5000 mm⁴' for what can be typed, '5000 mm^4'."""
    return text.replace("^2", "²").replace("^4", "⁴")


def _said(value: float, kind: str) -> str:
    """As it can be typed as well: '5000 mm^4'."""
    size = shown.figure(shown.value(value, kind), 5).replace(",", "")
    return f"{size} {shown.unit(kind)}".replace("²", "^2").replace("⁴", "^4").strip()


def _from_model(
    project: Project, facts: HandFacts, k: int, form: Form, symbol: Symbol
) -> float | str | None:
    """What the model says of a symbol; a usual value where it is a choice of the engineer; None
    when it knows nothing."""
    members = facts.members
    material = project.named(
        "materials", project.named("pieces", str(members.pieces[k])).material or ""
    )
    length = float(members.length[k]) if facts.length is None else facts.length
    growing, held = (float(value) for value in members.axial[k])
    mine = dict(facts.by_piece).get(str(members.pieces[k]))
    e = project.number_if(material, "youngs_modulus")
    stretch = (1.0 if facts.k is None else facts.k) * length
    critical = (
        mine * growing + held
        if mine is not None and growing > 0
        else None
        if e is None
        else (math.pi**2 * e * float(members.i_min[k]) / stretch**2)
    )  # a piece that drives no mode: Euler's load of its length
    wall = float(members.wall_width[k])
    rolled = form.key in ("plate", "cylinder")
    table: dict[str, float | str | None] = {
        "E": e,
        "fy": project.number_if(material, "yield_strength"),
        "ν": project.number_if(material, "poisson_ratio"),
        "A": float(members.area[k]),
        "I": float(members.i_min[k]),
        "c": float(members.fibre[k]),
        "L": length,
        "K": 1.0 if facts.k is None else facts.k,
        "Ncr": critical,
        "e": length / 1000,
        "e0": length / 1000,
        "curve": "c",
        "γM1": 1.0,
        "φc": 0.9,
        "φ": 0.9,
        "αb": "0.5",
        "t": (float(members.wall_thickness[k]) or float(members.thickness[k])) if rolled else None,
        "b": wall if wall > 0 else None,
        "edges": str(members.wall_edges[k]) or "one supported, one free",
        "R": float(members.radius[k]) or None,
    }
    return table[symbol.name]


def _reasons(form: Form, facts: HandFacts, name: str, difference: float) -> tuple[str, ...]:
    own = facts.driver in (name, name.split(".")[0])
    reasons = [] if own else [f"The first mode lies in '{facts.driver}', not in this piece."]
    if form.key == "euler":
        reasons.append(
            "Ends that hold more than K says, or more metal near the ends."
            if difference > 0
            else "Ends that give, walls that bend, a piece that twists, or a load off the axis."
        )
    elif form.key == "plate":
        reasons.append(
            "Edges held by their neighbours, or a wall that is short."
            if difference > 0
            else "The member bows before its wall, or the wall's edges give."
        )
    return tuple(reasons)
