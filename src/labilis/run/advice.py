"""Remedies for what goes unstable first: which piece thicker, which parameter larger or smaller,
and where to hold the part, each with what it is expected to give."""

from __future__ import annotations

import contextlib
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.optimize import brentq

from labilis.judge.figures import place_text
from labilis.judge.spans import Figures, Span
from labilis.model import LabilisError, Piece, Project, shown
from labilis.results.findings import ModesFindings, TrialFindings
from labilis.run.keys import stage_keys
from labilis.run.masses import mass_of
from labilis.run.report import CaseReport, ProjectReport
from labilis.run.ribs import rib_of
from labilis.run.settling import settled
from labilis.run.trials.levers import Lever, levers_found
from labilis.run.trials.points import found_of, kernel_number
from labilis.shape import ShapeView

# mm: thicknesses in which sheet and plate are ordinarily sold, of EN 10131 and EN 10029
GAUGES = (
    0.5,
    0.6,
    0.7,
    0.8,
    0.9,
    1.0,
    1.2,
    1.25,
    1.5,
    1.75,
    2.0,
    2.5,
    3.0,
    4.0,
    5.0,
    6.0,
    8.0,
    10.0,
    12.0,
    15.0,
    20.0,
    25.0,
    30.0,
)
_MOST = 2.1  # times the thickness: beyond, a power law of the lever is a guess
# walls that lie across each size of a section, of which a half on each side comes off its mid-line:
# sizes are stated outside
_ACROSS = {
    "round tube": {"diameter": 1.0},
    "square tube": {"width": 1.0},
    "rectangular tube": {"width": 1.0, "height": 1.0},
    "angle": {"width": 0.5, "height": 0.5},
    "double angle": {"width": 0.5, "height": 0.5},
    "channel": {"width": 0.5, "height": 1.0},
    "hat": {"width": 1.0, "height": 1.0},
}
_MEMBER = ("member bow", "member sway")
# of a mode's energy: a piece that stores less tells nothing of its lever on other modes
_LEAST_SHARE = 0.02
_FEWEST = 3  # modes that a hold is reckoned with
# of its value, that a parameter is changed by: the power law of its lever is a guess further on
_FURTHER = 0.1


@dataclass(frozen=True)
class Remedy:
    """words: what to do; factor: the first factor of the case before; expected: after it, the least
    of all modes that are known; mass: kg that it adds, nan where a density is missing; path, value:
    the statement to change, () where none can be changed by itself; harms: the other case that it
    is expected to take below what is asked of it, in words, '' for none; adds: a piece that is
    added, whose gain (nan) only a run tells."""

    words: str
    case: str
    factor: float
    expected: float
    mass: float
    path: tuple[str | int, ...] = ()
    value: str = ""
    harms: str = ""
    adds: Piece | None = None

    def _added(self, said: Figures) -> str:
        """', +0.12 kg', '' where it adds none or a density is missing."""
        return (
            f", {said.of(self.mass / 1000.0, 'mass', 3, '+')}"
            if math.isfinite(self.mass) and self.mass
            else ""
        )

    @property
    def mass_words(self) -> str:
        """', +0.12 kg', '' where it adds none or a density is missing."""
        return self._added(Figures())

    @property
    def span(self) -> Span:
        """What to do, what it is expected to give, what it weighs and whom it harms."""
        said = Figures()
        if self.adds is not None:
            return said.span(
                f"{self.words}: what it gives is found by trying it{self._added(said)}."
            )
        most = "expected" if self.path else "at most"
        harms = f"; {self.harms}" if self.harms else ""
        gain = f"{said.plain(self.factor)} → {said.plain(self.expected)} {most}"
        return said.span(f"{self.words}: {gain}{self._added(said)}{harms}.")

    @property
    def sentence(self) -> str:
        """The same as a text."""
        return self.span.text

    @property
    def gain(self) -> float:
        """Factor gained."""
        return self.expected - self.factor


def worst_case(report: ProjectReport) -> CaseReport | None:
    """The case whose first factor is furthest under what its driver asks for, or nearest above."""
    known = [
        case
        for case in report.cases
        if case.facts.modes is not None and len(case.facts.modes.positive)
    ]

    def ratio(case: CaseReport) -> float:
        modes = case.facts.modes
        assert modes is not None
        return float(
            min(
                factor / case.facts.required_for(row)
                for row, factor in enumerate(modes.factors)
                if factor > 0
            )
        )

    return min(known, key=ratio, default=None)


def advise(
    project: Project,
    report: ProjectReport,
    results: Mapping[str, Any],
    trials: Mapping[str, TrialFindings] | None = None,
) -> list[Remedy]:
    """Remedies for the worst case: thicker pieces, and parameters whose levers were tried, those
    that cost no mass first, then by factor gained per mass; holds last. What would take another
    case below what is asked of it comes after what would not. Empty before there are modes."""
    case = worst_case(report)
    if case is None or case.facts.modes is None:
        return []
    view: ShapeView | None = results.get(
        stage_keys(settled(project, results), case.facts.case).shape
    )
    others = [other for other in report.cases if other is not case]
    found = (
        []
        if view is None
        else [
            remedy
            for wall in walls_of(project)
            for remedy in _thicker(project, case, wall, view, others)
        ]
    )
    sized = {remedy.path for remedy in found}
    whole = math.nan if view is None else 1000.0 * mass_of(project, view)
    moved = [
        remedy
        for remedy in _parameters(project, case, whole, trials or {})
        if remedy.path not in sized
    ]
    first = sorted(
        [*found, *moved],
        key=lambda item: (not item.harms, item.mass <= 0, _per_mass(item)),
        reverse=True,
    )
    return first + _ribs(project, case) + _holds(case)


def _ribs(project: Project, case: CaseReport) -> list[Remedy]:
    """A rib through the crest of a plate that bulges, along its compression."""
    found, modes = rib_of(project, case), case.facts.modes
    if found is None or modes is None:
        return []
    rib, words, volume = found
    density = project.number_if(project.named("materials", rib.material or ""), "density")
    mass = math.nan if density is None else 1000.0 * density * volume
    return [Remedy(words, case.facts.case, float(modes.positive[0]), math.nan, mass, adds=rib)]


def _thickened(case: CaseReport, wall: Wall, ratio: float, inward: float) -> np.ndarray:
    """Factors (k,) of a case with a wall so many times as thick, whose mid-lines come nearer
    (`_inward`)."""
    modes = case.facts.modes
    assert modes is not None
    # a slender member is as stiff as its second moment, thickness times the cube of how far its
    # walls lie apart
    nearer = np.array([inward**3 if kind in _MEMBER else 1.0 for kind in case.facts.kinds])
    return np.asarray(modes.factors * ratio ** powers_of(modes, wall) * nearer)


def _harmed(case: CaseReport, wall: Wall, ratio: float, inward: float) -> str:
    """What a thickness of so many times the present one does to a case that reaches what is
    asked of it; '' if it still does."""
    modes = case.facts.modes
    if modes is None or not len(modes.levers):
        return f"what it does to case '{case.facts.case}' is not known"
    positive = modes.factors > 0
    asked = np.array(
        [case.facts.required_for(row) for row in range(len(modes.factors))], dtype=float
    )
    before, after = modes.factors / asked, _thickened(case, wall, ratio, inward) / asked
    if not positive.any() or before[positive].min() < 1.0 or after[positive].min() >= 1.0:
        return ""
    worst = np.flatnonzero(positive)[int(after[positive].argmin())]
    return (
        f"takes case '{case.facts.case}' down to {after[worst] * asked[worst]:.4g} of "
        f"{asked[worst]:g}"
    )


def _parameters(
    project: Project, case: CaseReport, mass: float, trials: Mapping[str, TrialFindings]
) -> list[Remedy]:
    """Each parameter of a plan 'one by one' a tenth to the side that helps, within its range, by
    its lever."""
    modes = case.facts.modes
    assert modes is not None
    found = []
    for plan in project.plans if trials else ():
        if plan.how != "one by one" or plan.objective != "first factor" or plan.of:
            continue
        before = float(modes.positive[0])
        for lever in levers_found(project, plan, found_of(project, plan, trials)):
            if lever.known and not lever.ranged:
                vary = next(vary for vary in plan.vary if vary.parameter == lever.parameter)
                ends = sorted(kernel_number(project, str(end)) for end in (vary.low, vary.high))
                found += _changed(project, lever, case.facts.case, before, mass, (ends[0], ends[1]))
    return found


def _changed(
    project: Project, lever: Lever, case: str, before: float, mass: float, ends: tuple[float, float]
) -> list[Remedy]:
    """A tenth more or less of a parameter, or up to the end of its range; nothing where that
    gains nothing."""
    present = kernel_number(project, lever.value)
    larger = math.copysign(
        1.0, present
    )  # of its size: a parameter below nought that rises becomes smaller
    power, heavy = larger * lever.response, larger * lever.mass
    there = min(max(present * (1.0 + math.copysign(_FURTHER, power)), ends[0]), ends[1])
    number, _, unit = lever.value.partition(" ")
    text = f"{there / present:.4g} * ({lever.value})"
    with contextlib.suppress(
        ValueError, LabilisError
    ):  # an expression stays one: its unit is none that can be written by itself
        short = f"{float(number) * there / present:.4g} {unit}".strip()
        text = short if math.isclose(kernel_number(project, short), there, rel_tol=1e-3) else text
    ratio = kernel_number(project, text) / present
    if not ratio > 0:
        return []
    after = before * ratio**power
    heavier = mass * (ratio**heavy - 1.0) if math.isfinite(heavy) else math.nan
    if after <= before * 1.001:
        return []
    said = f"{lever.parameter} {text} instead of {project.parameters[lever.parameter]}"
    return [
        Remedy(
            said,
            case,
            before,
            after,
            heavier if abs(heavier) > 1e-9 * abs(mass) else 0.0,
            ("parameters", lever.parameter),
            text,
        )
    ]


@dataclass(frozen=True)
class Wall:
    """Pieces whose thickness is stated at one place: title in words, path of the statement,
    names of the pieces."""

    title: str
    path: tuple[str | int, ...]
    pieces: tuple[str, ...]


def walls_of(project: Project) -> tuple[Wall, ...]:
    """Thicknesses of shells that can be changed: a parameter where it is the thickness as it
    stands, since places may hang on it as well, with all the pieces that have it; else the
    statement of the piece."""
    found: dict[tuple[str | int, ...], Wall] = {}
    for index, piece in enumerate(project.pieces):
        sheet, inside = _sheet_of(piece.recipe)
        text = getattr(sheet, "thickness", None)
        if (
            piece.set_aside
            or piece.mesh_as != "shell"
            or text is None
            or getattr(sheet, "web", None) is not None
        ):
            continue
        path: tuple[str | int, ...] = (
            ("parameters", text)
            if text in project.parameters
            else ("pieces", index, *inside, "thickness")
        )
        known = found.get(path)
        pieces = (*(known.pieces if known is not None else ()), piece.name)
        found[path] = Wall(" and ".join(pieces), path, pieces)
    return tuple(found.values())


def _sheet_of(recipe: Any) -> tuple[Any, tuple[str, ...]]:
    """(the statement of a recipe that says its thickness, the way there): of a strut its
    section."""
    section = getattr(recipe, "section", None)
    return (recipe, ("recipe",)) if section is None else (section, ("recipe", "section"))


def _per_mass(remedy: Remedy) -> float:
    return remedy.gain / remedy.mass if remedy.mass > 0 else remedy.gain


def thickness_of(project: Project, wall: Wall) -> float:
    """Thickness of a wall, mm."""
    return project.number(_sheet_of(project.named("pieces", wall.pieces[0]).recipe)[0], "thickness")


def powers_of(modes: ModesFindings, wall: Wall) -> np.ndarray:
    """(k,) levers of a wall on every mode."""
    columns = [
        int(column) for name in wall.pieces for column in np.flatnonzero(modes.pieces == name)
    ]
    return (
        np.sum([levers_of(modes, column) for column in columns], axis=0)
        if columns
        else np.zeros(len(modes.factors))
    )


def _thicker(
    project: Project,
    case: CaseReport,
    wall: Wall,
    view: ShapeView,
    others: Sequence[CaseReport] = (),
) -> list[Remedy]:
    """The next gauge of a wall, with what it does to the other cases."""
    modes = case.facts.modes
    assert modes is not None
    if not len(modes.levers):
        return []
    thickness = thickness_of(project, wall)
    mass = 1000.0 * mass_of(project, view, wall.pieces)
    positive = modes.factors > 0
    before = float(modes.positive[0])
    found = []
    for gauge in [size for size in GAUGES if thickness * 1.02 < size <= _MOST * thickness][:1]:
        ratio, inward = gauge / thickness, _inward(project, wall, thickness, gauge)
        after = float(_thickened(case, wall, ratio, inward)[positive].min())
        if after > before * 1.001:
            found.append(
                Remedy(
                    f"{wall.title} {shown.length(gauge)} thick instead of "
                    f"{shown.length(thickness)}",
                    case.facts.case,
                    before,
                    after,
                    mass * (ratio * inward - 1.0),
                    wall.path,
                    f"{gauge:g} mm",
                    next(
                        filter(None, (_harmed(other, wall, ratio, inward) for other in others)), ""
                    ),
                )
            )
    return found


def _inward(project: Project, wall: Wall, before: float, after: float) -> float:
    """How much nearer the mid-lines of opposite walls come, sizes of sections being stated
    outside: 1 for plates and folds."""
    found = 1.0
    for name in wall.pieces:
        sheet, _ = _sheet_of(project.named("pieces", name).recipe)
        for size, share in _ACROSS.get(getattr(sheet, "shape", ""), {}).items():
            across = project.number(sheet, size)
            found = min(found, max(across - share * after, 0.0) / (across - share * before))
    return found


def levers_of(modes: ModesFindings, column: int) -> np.ndarray:
    """(k,) levers of a piece on every mode: found for the first ones; of the others by the share of
    the energy that they store in it, as the first ones' levers stand to theirs."""
    known = len(modes.piece_levers)
    levers = np.zeros(len(modes.factors))
    levers[:known] = modes.piece_levers[:, column]
    share = float(modes.shares[:known, column].sum())
    if share > _LEAST_SHARE * known:
        levers[known:] = modes.shares[known:, column] * float(levers[:known].sum()) / share
    return levers


def _holds(case: CaseReport) -> list[Remedy]:
    """A hold where the first mode moves most, along its motion: by the modes that are there,
    which overrates it."""
    modes, mesh = case.facts.modes, case.facts.mesh
    if modes is None or mesh is None or len(modes.holds) != len(modes.factors):
        return []
    rows = [
        row for row in np.argsort(modes.factors) if modes.factors[row] > 0 and modes.holds[row] > 0
    ]
    if len(rows) < _FEWEST:
        return []
    shape = modes.shapes[rows[0]]
    node = int(np.linalg.norm(shape, axis=1).argmax())
    along = shape[node] / np.linalg.norm(shape[node])
    expected = held_rigidly(modes, [int(row) for row in rows], node, along)
    place = place_text(mesh.nodes[node])
    way = ", ".join(f"{c:.2g}" for c in np.round(along, 2) + 0.0)
    before = float(modes.positive[0])
    return (
        []
        if expected <= before * 1.001
        else [
            Remedy(
                f"held at ({place}) {shown.unit('length')} along ({way}); a spring there gives "
                f"{modes.holds[rows[0]] * shown.per('stiffness'):.3g} per "
                f"{shown.unit('stiffness')} at first",
                case.facts.case,
                before,
                expected,
                0.0,
            )
        ]
    )


def held_rigidly(modes: ModesFindings, rows: list[int], node: int, along: np.ndarray) -> float:
    """First factor with a node held along a direction, by Rayleigh and Ritz over the modes `rows`:
    1/k + Σ w_i / (λ_i - λ) = 0 with w_i the gain per stiffness of each mode there, 1/k nought.
    Modes that are left out could give way, so that it is at most this."""
    factors = np.array([float(modes.factors[row]) for row in rows])
    weights = np.array(
        [float(modes.holds[row]) * float(modes.shapes[row][node] @ along) ** 2 for row in rows]
    )
    moving = weights > 1e-9 * weights.max()
    still = factors[~moving].min() if (~moving).any() else math.inf
    factors, weights = factors[moving], weights[moving]
    if len(factors) < 2 or factors[1] - factors[0] < 1e-9 * factors[0]:
        return float(min(factors[0] if len(factors) > 1 else math.inf, still))
    gap = factors[1] - factors[0]
    root = brentq(
        lambda value: float((weights / (factors - value)).sum()),
        factors[0] + 1e-9 * gap,
        factors[1] - 1e-9 * gap,
    )
    return float(min(root, still))


def tried(project: Project, remedy: Remedy) -> Project:
    """The design with a remedy. Raises LabilisError for one that no single statement makes."""
    if remedy.adds is not None:
        return project.with_item("pieces", remedy.adds)
    if not remedy.path:
        raise LabilisError(
            "A hold is stated by hand.",
            "supports",
            "Mark a line or a circle on the face there, and hold it.",
            "by-hand",
        )
    return project.with_value(remedy.path, remedy.value)
