"""Euler's critical load of a strut, with its ends read from the supports.

    P_cr = pi² E I / (K L)²

E Young's modulus, I second moment of area of the smallest section, L distance between the ends, K L
the effective length: K = 2 fixed-free, 1 pinned-pinned, 0.6992 fixed-pinned, 0.5 fixed-fixed
(Timoshenko and Gere, Theory of Elastic Stability, 1961, chapter 2). Valid for slender straight
struts of one section, elastic, loaded along their axis."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from labilis.judge.hand.column import changes, column_factor
from labilis.model import EulerChoice, LabilisError
from labilis.results.findings import SectionFindings, StrengthFindings

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class EndCase:
    """A pair of ends and its effective length factor."""

    name: str
    k: float


FOUR_CASES = (
    EndCase("fixed-free", 2.0),
    EndCase("pinned-pinned", 1.0),
    EndCase("fixed-pinned", 0.6992),
    EndCase("fixed-fixed", 0.5),
)
_BY_ENDS = {
    frozenset(("fixed", "free")): FOUR_CASES[0],
    frozenset(("pinned",)): FOUR_CASES[1],
    frozenset(("fixed", "pinned")): FOUR_CASES[2],
    frozenset(("fixed",)): FOUR_CASES[3],
    frozenset(("fixed", "guided")): EndCase("fixed-guided", 1.0),
    frozenset(("pinned", "guided")): EndCase("pinned-guided", 2.0),
}


@dataclass(frozen=True)
class EulerPlane:
    """One plane of bending: direction (3,) the member moves in, I mm⁴, ends and K, critical load N,
    factor on the growing load (nan when nothing compresses)."""

    axis: str
    direction: tuple[float, float, float]
    second_moment: float
    ends: EndCase
    critical_load: float
    factor: float


@dataclass(frozen=True)
class EulerCheck:
    """The check with its numbers: modulus MPa, length mm, area mm², radius of gyration mm, planes
    with the lower factor first, table of the four cases for that plane (name, K, critical load N,
    factor), compression N of the growing and the held loads, difference of the model's first factor
    from it in per cent (nan without), and what to know."""

    modulus: float
    length: float
    area: float
    gyration: float
    planes: tuple[EulerPlane, ...]
    table: tuple[tuple[str, float, float, float], ...]
    growing: float
    held: float
    difference: float
    remarks: tuple[str, ...]
    uneven: bool = False

    @property
    def governing(self) -> EulerPlane:
        """The plane with the lower factor."""
        return self.planes[0]

    @property
    def slenderness(self) -> float:
        """Effective length over radius of gyration of the governing plane."""
        return self.governing.ends.k * self.length / self.gyration


def critical_load(modulus: float, second_moment: float, k: float, length: float) -> float:
    """Euler's load, N."""
    return float(np.pi**2 * modulus * second_moment / (k * length) ** 2)


def _end_state(grips: Floats, direction: Floats, turn: Floats) -> str:
    """'fixed', 'pinned', 'guided' or 'free' in one plane from summed grips (6, 6) = Cᵀ C."""
    motion, rotation = np.concatenate([direction, np.zeros(3)]), np.concatenate([np.zeros(3), turn])
    scale = max(float(np.trace(grips)), 1e-300)
    moves = motion @ grips @ motion < 1e-7 * scale
    turns = rotation @ grips @ rotation < 1e-7 * scale
    return {
        (False, False): "fixed",
        (False, True): "pinned",
        (True, False): "guided",
        (True, True): "free",
    }[(bool(moves), bool(turns))]


def _two_ends(
    strength: StrengthFindings, axis: Floats, span: tuple[float, float]
) -> tuple[Floats, Floats, list[float]]:
    """Grips summed at the lower and the upper end, and the stations between which the member is
    free."""
    low, high = span
    third = (high - low) / 3
    grips = [np.zeros((6, 6)), np.zeros((6, 6))]
    stations: list[list[float]] = [[], []]
    for support in range(len(strength.supports)):
        place = float(strength.centres[support] @ axis)
        if low + third < place < high - third:
            raise LabilisError(
                "A support stands between the ends.",
                "euler",
                "Euler's cases do not cover it.",
                "no-euler",
            )
        end = 0 if place < (low + high) / 2 else 1
        if strength.reach[support, 1] - strength.reach[support, 0] > 0.4 * (high - low):
            raise LabilisError(
                "A support holds the part along its length.",
                "euler",
                "Euler's cases do not cover it.",
                "no-euler",
            )
        grips[end] = grips[end] + strength.grips[support]
        stations[end].append(place)
    for end, border in ((0, low), (1, high)):
        if not stations[end]:
            near = [float(s) for s in strength.load_station if abs(s - border) < third]
            stations[end] = near or [border]
    return grips[0], grips[1], [float(np.mean(stations[0])), float(np.mean(stations[1]))]


def euler_check(
    strength: StrengthFindings,
    sections: SectionFindings,
    span: tuple[float, float],
    modulus: float,
    first_factor: float | None,
    choice: EulerChoice,
    length: float | None = None,
    along: Floats | None = None,
) -> EulerCheck:
    """Euler's load for both planes of bending.

    `span` is the part's extent along sections.axis, mm; `length` replaces the one found; along (2,
    2): compression N, growing and held, at both ends along sections.axis: where it changes, the
    column is solved with it and the load is the largest that it carries. Raises LabilisError with
    code 'no-euler' when the part is not a strut with two ends, or nothing pushes along it."""
    if len(sections.station) == 0:
        raise LabilisError(
            "The part has no section between its ends.",
            "euler",
            "Check it by its modes; Euler's load is of struts.",
            "no-euler",
        )
    growing, held = _compression(strength)
    smallest = int(np.argmin(sections.i_min))
    lower, upper, between = _two_ends(strength, sections.axis, span)
    free_length = length if length is not None else between[1] - between[0]
    planes = _planes(sections, modulus, free_length, (lower, upper), choice, (growing, held), along)
    governing = planes[0]
    table = tuple(
        (
            case.name,
            case.k,
            *_load(
                modulus * governing.second_moment, free_length, case, None, (growing, held), along
            ),
        )
        for case in FOUR_CASES
    )
    difference = (
        float("nan") if first_factor is None else 100.0 * (first_factor / governing.factor - 1.0)
    )
    area = float(sections.area[smallest])
    check = EulerCheck(
        modulus,
        free_length,
        area,
        float(np.sqrt(governing.second_moment / area)),
        tuple(planes),
        table,
        growing,
        held,
        difference,
        (),
        along is not None and bool(changes(tuple(along[0])) or changes(tuple(along[1]))),
    )
    return EulerCheck(**{**check.__dict__, "remarks": tuple(_remarks(check, sections))})


def _planes(
    sections: SectionFindings,
    modulus: float,
    free_length: float,
    grips: tuple[Floats, Floats],
    choice: EulerChoice,
    forces: tuple[float, float],
    along: Floats | None,
) -> list[EulerPlane]:
    """Both planes of bending, the lower factor first."""
    lower, upper = grips
    smallest = int(np.argmin(sections.i_min))
    planes = []
    for name, moment, direction in (
        ("weak", sections.i_min[smallest], sections.weak[smallest]),
        ("strong", sections.i_max[smallest], sections.strong[smallest]),
    ):
        states = (
            _end_state(lower, direction, np.cross(sections.axis, direction)),
            _end_state(upper, direction, np.cross(sections.axis, direction)),
        )
        found = states if choice.ends == "found" else None
        ends = _case_of(choice.ends, states)
        load, factor = _load(modulus * float(moment), free_length, ends, found, forces, along)
        x, y, z = (float(c) for c in direction)
        planes.append(EulerPlane(name, (x, y, z), float(moment), ends, load, factor))
    planes.sort(key=lambda plane: plane.factor)
    return planes


def _case_of(named: str, states: tuple[str, str]) -> EndCase:
    """Euler's case as it was chosen, or that of the two ends as they are held."""
    if named != "found":
        return next(case for case in FOUR_CASES if case.name == named)
    pair = frozenset(states)
    if pair not in _BY_ENDS:
        raise LabilisError(
            f"Ends that are {' and '.join(sorted(pair))} are not among Euler's cases.",
            "euler",
            "Choose the ends by hand.",
            "no-euler",
        )
    return _BY_ENDS[pair]


def _compression(strength: StrengthFindings) -> tuple[float, float]:
    """Growing and held compression, N; raises LabilisError where the growing load does not push."""
    growing, held = float(strength.axial[0]), float(strength.axial[1])
    size = float(np.linalg.norm(strength.applied[0, :3]))
    if growing <= 0.02 * size or growing <= 0:
        raise LabilisError(
            "The growing load does not push along the part.",
            "euler",
            "Euler's formula needs compression.",
            "no-euler",
        )
    return growing, held


def _load(
    stiffness: float,
    length: float,
    ends: EndCase,
    states: tuple[str, str] | None,
    forces: tuple[float, float],
    along: Floats | None,
) -> tuple[float, float]:
    """(critical load N, factor on the growing load); states: of the low and the high end, None
    where it is not known which is which: the lower factor counts; forces: growing and held in the
    middle."""
    growing, held = forces
    load = critical_load(1.0, stiffness, ends.k, length)
    if along is None or not (changes(tuple(along[0])) or changes(tuple(along[1]))):
        return load, (load - held) / growing
    one, two = ends.name.split("-") if states is None else states
    (g0, g1), (h0, h1) = along.tolist()
    pairs = [(one, two)] if states is not None else [(one, two), (two, one)]
    factor = min(column_factor(stiffness, length, pair, (g0, g1), (h0, h1)) for pair in pairs)
    largest = along[:, int(np.argmax(along.sum(axis=0)))]
    return float(factor * largest[0] + largest[1]), factor


def _remarks(check: EulerCheck, sections: SectionFindings) -> list[str]:
    remarks = []
    spread = float(sections.i_min.max() / sections.i_min.min())
    if spread > 1.1:
        remarks.append(
            f"The section varies along the part (second moment by a factor of {spread:.2g}); the "
            "smallest is used."
        )
    if check.uneven:
        remarks.append(
            "The compression changes along the part: the column is solved with it, the load is the "
            "largest in it."
        )
    if check.slenderness < 40:
        remarks.append(
            f"Slenderness {check.slenderness:.0f} is low: shear and crushing count, Euler is too "
            "high."
        )
    if np.isfinite(check.difference) and abs(check.difference) > 5:
        if check.difference > 0:
            remarks.append(
                "The model lies above Euler: ends with more metal, or held over a length, shorten "
                "the free length."
            )
        else:
            remarks.append(
                "The model lies below Euler: look for walls that bend, ends that give, a load off "
                "the axis."
            )
    return remarks
