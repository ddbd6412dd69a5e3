"""Results put together with the judge, case by case: what the window, the command line and the
report all show."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from labilis.judge.evidence import CaseFacts, Evidence, collect
from labilis.judge.evidence.base import NEARLY
from labilis.judge.evidence.half_waves import waves_of
from labilis.judge.hand import EndCase, EulerCheck, euler_check
from labilis.judge.hand.checks_of_member import HandFacts, HandResult, hand_results
from labilis.judge.hand.column import changes
from labilis.judge.hand.euler import critical_load
from labilis.judge.screening import screened_or_none
from labilis.judge.verdict import Verdict, overall, verdict_of_case
from labilis.model import EulerChoice, LabilisError, Project, shown
from labilis.results.findings import (
    MemberFindings,
    MeshFindings,
    ModesFindings,
    SectionFindings,
    SettledFindings,
    StrengthFindings,
)
from labilis.run.keys import stage_keys
from labilis.run.settling import settled
from labilis.shape import ShapeView

# of the largest compression in any member: a plate under less only goes along with the others
_CARRIES = 0.25


@dataclass(frozen=True)
class CaseReport:
    """One load case: facts, evidence worst first, verdict, and which stages are out of date."""

    facts: CaseFacts
    evidence: tuple[Evidence, ...]
    verdict: Verdict

    @property
    def drivers(self) -> list[str]:
        """Piece that drives each mode."""
        modes = self.facts.modes
        return modes.drivers if modes is not None else []

    @property
    def driver(self) -> str:
        """Piece that drives the first mode."""
        return self.drivers[0] if self.drivers else ""

    @cached_property
    def half_waves(self) -> tuple[tuple[float, float], ...]:
        """(half wave mm, elements along it) of each mode."""
        modes, mesh = self.facts.modes, self.facts.mesh
        return () if modes is None or mesh is None else waves_of(mesh, modes)

    @property
    def hand_member(self) -> str:
        """Member that hand checks are shown for unless another is chosen: one with stated checks,
        else the copy of the driver that is compressed most, or of any piece where the driver
        carries next to nothing."""
        hand = self.facts.hand
        if hand is None or len(hand.members.names) == 0:
            return ""
        if self.facts.project.checks:
            return self.facts.project.checks[0].member
        own = hand.members.pieces == hand.driver
        pushed = np.array(hand.members.axial[:, 0])
        # a plate that carries next to nothing is no member to check, though it bends in the mode
        if own.any() and pushed[own].max() > _CARRIES * pushed.max():
            pushed = np.where(own, pushed, -np.inf)
        return str(hand.members.names[int(pushed.argmax())])

    def hand_checks(self, member: str = "") -> tuple[HandResult, ...]:
        """Hand checks of a member, of `hand_member` when none is named."""
        if self.facts.hand is None:
            return ()
        try:
            return hand_results(self.facts.project, self.facts.hand, member or self.hand_member)
        except LabilisError:
            return ()

    @property
    def euler(self) -> EulerCheck | None:
        """The hand check, if the part is a strut that it fits."""
        return self.facts.euler if isinstance(self.facts.euler, EulerCheck) else None


@dataclass(frozen=True)
class ProjectReport:
    """All cases; meets is False if any fails, None while any is open."""

    cases: tuple[CaseReport, ...]
    meets: bool | None
    mesh: MeshFindings | None

    @property
    def settled(self) -> SettledFindings | None:
        """The mesh that a run found, None where it is stated."""
        return next(
            (case.facts.settled for case in self.cases if case.facts.settled is not None), None
        )

    def case(self, name: str) -> CaseReport | None:
        """Report of a case by name."""
        return next((case for case in self.cases if case.facts.case == name), None)


def _euler(
    project: Project,
    view: ShapeView,
    strength: StrengthFindings,
    sections: SectionFindings,
    modes: ModesFindings | None,
    modulus: float,
    members: MemberFindings | None = None,
) -> EulerCheck | str:
    first = float(modes.positive[0]) if modes is not None and len(modes.positive) else None
    length = project.number_if(project.euler, "length")
    try:
        return euler_check(
            strength,
            sections,
            view.reach,
            modulus,
            first,
            project.euler,
            length,
            _along(members, sections.axis),
        )
    except LabilisError as error:
        return f"{error.what} {error.remedy}".strip()


def _along(members: MemberFindings | None, axis: np.ndarray) -> np.ndarray | None:
    """Compression (2, 2) at both ends along an axis of a part that is one member."""
    if members is None or len(members.names) != 1:
        return None
    ends = members.ends_of(0)
    return ends if float(members.axis[0] @ axis) >= 0 else ends[:, ::-1]


def judge_case(project: Project, case: str, results: Mapping[str, Any]) -> CaseReport:
    """Report of one case from results whose keys fit the present statements."""
    keys = stage_keys(settled(project, results), case)
    view, mesh = results.get(keys.shape), results.get(keys.mesh)
    strength, modes, sections = (
        results.get(keys.strength),
        results.get(keys.modes),
        results.get(keys.sections),
    )
    required = required_factor(project, modes)
    members = results.get(keys.members)
    euler, limits = _by_euler(project, view, strength, sections, modes, members)
    ends = None
    if (
        isinstance(euler, EulerCheck)
        and view is not None
        and strength is not None
        and sections is not None
    ):
        ends = _ends_found(project, view, strength, sections)
    hand = None if members is None else _hand_facts(members, modes, euler)
    facts = CaseFacts(
        project,
        case,
        mesh,
        strength,
        modes,
        euler,
        required,
        min(limits) if limits else None,
        results.get(keys.trace),
        members,
        screened_or_none(project, members, required),
        hand,
        ends,
        results.get(keys.cross),
        results.get(keys.contact),
        results.get(stage_keys(project).settled),
    )
    evidence = collect(facts)
    return CaseReport(facts, evidence, verdict_of_case(facts, evidence))


def _by_euler(
    project: Project,
    view: ShapeView | None,
    strength: StrengthFindings | None,
    sections: SectionFindings | None,
    modes: ModesFindings | None,
    members: MemberFindings | None,
) -> tuple[EulerCheck | str | None, list[float]]:
    """Euler's check of a part of one piece, and the yield strengths (MPa) of all pieces."""
    euler: EulerCheck | str | None = None
    limits: list[float] = []
    try:
        for piece in project.active_pieces:
            material = project.named("materials", piece.material) if piece.material else None
            if material is None:
                continue
            if material.yield_strength is not None:
                limits.append(project.number(material, "yield_strength"))
            if (
                view is not None
                and strength is not None
                and sections is not None
                and len(project.active_pieces) == 1
            ):
                modulus = project.number(material, "youngs_modulus")
                euler = _euler(project, view, strength, sections, modes, modulus, members)
    except LabilisError:
        pass  # a statement that cannot be evaluated stops the run with its own words
    return euler, limits


def _ends_found(
    project: Project, view: ShapeView, strength: StrengthFindings, sections: SectionFindings
) -> EndCase | None:
    """The ends of a part that is one strut as its supports make them, in the plane that governs."""
    found = _euler(
        project.model_copy(update={"euler": EulerChoice()}), view, strength, sections, None, 1.0
    )
    return found.governing.ends if isinstance(found, EulerCheck) else None


def required_factor(project: Project, modes: ModesFindings | None) -> float:
    """Required factor of the piece that drives the first mode, and of those that bend nearly as
    much; before there are modes the largest of all pieces."""
    if modes is not None and len(modes.positive):
        known = {piece.name for piece in project.pieces}
        if modes.drivers[modes.first] in known:
            return max(
                project.required_of(name)
                for name in modes.bending(modes.first, NEARLY)
                if name in known
            )
    return max(
        (project.required_of(piece.name) for piece in project.active_pieces),
        default=project.value(project.criteria.required_factor, "number"),
    )


def _hand_facts(
    members: MemberFindings, modes: ModesFindings | None, euler: EulerCheck | str | None
) -> HandFacts:
    """What hand checks draw on; ends and free length where the part is one member whose ends
    were found."""
    first, driver = float("nan"), ""
    own: dict[str, float] = {}
    if modes is not None and len(modes.positive):
        for number in np.argsort(modes.factors):
            for who in modes.bending(int(number), 0.5) if modes.factors[number] > 0 else ():
                own.setdefault(who, float(modes.factors[number]))
        first = float(modes.positive[0])
        driver = modes.drivers[modes.first]
    if isinstance(euler, EulerCheck) and len(members.names) == 1:
        if euler.uneven and 0.0 < euler.governing.factor < np.inf:
            # what an even compression with the same factor would be: the formulas know no other
            even = critical_load(
                euler.modulus, euler.governing.second_moment, euler.governing.ends.k, euler.length
            )
            members = replace(members, axial=np.array([[even / euler.governing.factor, 0.0]]))
        return HandFacts(
            members, first, driver, tuple(own.items()), euler.governing.ends.k, euler.length
        )
    # of others the ends are not known: where the compression changes along them the largest counts
    ends = np.array([members.ends_of(k) for k in range(len(members.names))]).reshape(-1, 2, 2)
    uneven = [changes(tuple(row[0])) or changes(tuple(row[1])) for row in ends]
    largest = np.maximum(ends.max(axis=2), members.axial)
    members = replace(
        members, axial=np.where(np.array(uneven, dtype=bool)[:, None], largest, members.axial)
    )
    return HandFacts(members, first, driver, tuple(own.items()))


def judge_project(
    project: Project, results: Mapping[str, Any], only: tuple[str, ...] = ()
) -> ProjectReport:
    """Reports of all cases, or of those named, in the units that the project shows its figures
    in."""
    shown.use(project.units)
    cases = tuple(
        judge_case(project, case.name, results)
        for case in project.cases
        if not only or case.name in only
    )
    return ProjectReport(
        cases,
        overall([case.verdict for case in cases]),
        results.get(stage_keys(settled(project, results)).mesh),
    )
