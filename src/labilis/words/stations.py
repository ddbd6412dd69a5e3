"""The check sheet's sentences: what has been stated and found, with the values that can be changed
marked.

The window shows them live, the report prints the same ones.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from labilis.judge.evidence.base import CaseFacts
from labilis.judge.figures import error_text, settled_words
from labilis.judge.gates import Gate
from labilis.judge.spans import (
    Figures,
    Path,
    Sentence,
    Span,
    blocked_span,
    component_spans,
    name_span,
    value_span,
)
from labilis.model import (
    CLASS_FACTORS,
    CylindricalAxes,
    ForceLoad,
    Hub,
    LineLoad,
    LocalAxes,
    MomentLoad,
    MoveLoad,
    NormalAxes,
    PressureLoad,
    Project,
    Spring,
    Support,
    SymmetryAxes,
    TemperatureLoad,
    WeightLoad,
    shown,
)
from labilis.model.statements import Load
from labilis.results.findings import (
    ConvergenceFindings,
    MeshFindings,
    SettledFindings,
    StrengthFindings,
)
from labilis.results.stress_measures import von_mises
from labilis.words.joints import fastener_sentences, joint_sentences

_NONE: Mapping[str, str] = {}


_TURN = {"turn_x": "turning about x", "turn_y": "turning about y", "turn_z": "turning about z"}


def held_words(support: Support, on_hub: bool) -> str:
    """'fixed', 'x, y, z held, free to turn about z'."""
    held = set(support.held)
    if isinstance(support.axes, SymmetryAxes):
        return f"a plane of symmetry square to {support.axes.normal}"
    if isinstance(support.axes, NormalAxes):
        return "held square to the face, free to slide along it"
    if isinstance(support.axes, CylindricalAxes):
        free = [name for name in ("radial", "tangential", "axial") if name not in held]
        if not free:
            return "fixed"
        if free == ["tangential"]:
            return "pinned, free to turn about its axis"
        return (
            ", ".join(name for name in ("radial", "tangential", "axial") if name in held) + " held"
        )
    every = ("x", "y", "z", *(_TURN if on_hub else ()))
    free = [name for name in every if name not in held]
    if not free:
        return "fixed"
    slides = [name for name in free if name in "xyz"]
    turns = [name[-1] for name in free if name.startswith("turn")]
    words = []
    if slides:
        words.append("slide along " + " and ".join(slides))
    if turns:
        words.append("turn about " + " and ".join(turns))
    local = " (its own axes)" if isinstance(support.axes, LocalAxes) else ""
    return "held, free to " + " and to ".join(words) + local


def _lost_words(project: Project, on: str, lost: Mapping[str, str]) -> tuple[Span, ...]:
    """'Blocked: ...' behind what stands on a region that lost faces."""
    region = project.target_region(on).name if lost and on else ""
    if region not in lost:
        return ()
    return (blocked_span(region, lost[region]),)


def support_sentences(project: Project, lost: Mapping[str, str] = _NONE) -> list[Sentence]:
    """One sentence per support, then one per spring and hub; `lost`: what regions have lost, in
    words."""
    if not project.supports and not project.springs:
        return [
            (Span("Nothing holds the part. Pick a face on the stage and hold it.", tone="quiet"),)
        ]
    hubs = {hub.name for hub in project.hubs}
    found: list[Sentence] = []
    for index, support in enumerate(project.supports):
        on_hub = support.on in hubs
        turns = on_hub or any(piece.mesh_as != "solid" for piece in project.active_pieces)
        found.append(
            (
                name_span(support.name, ("supports", index)),
                Span(": "),
                Span(held_words(support, turns), ("supports", index, "held"), "motions"),
                Span(", at stiff hub " if on_hub else ", at "),
                _place_span(project, support.on, ("supports", index, "on")),
                Span("."),
                *_lost_words(project, support.on, lost),
            )
        )
    found += [
        (*_spring_sentence(project, index, spring), *_lost_words(project, spring.on, lost))
        for index, spring in enumerate(project.springs)
    ]
    return found + [_hub_sentence(project, index, hub) for index, hub in enumerate(project.hubs)]


def _place_span(project: Project, on: str, path: Path, hubs: bool = True) -> Span:
    """What something acts on; with other regions and hubs to choose from where there are some."""
    others = [region.name for region in project.regions]
    if hubs:
        others += [hub.name for hub in project.hubs]
    choices = tuple((name, name) for name in others)
    return Span(on, path, choices=choices) if len(choices) > 1 else Span(on)


def _hub_sentence(project: Project, index: int, hub: Hub) -> Sentence:
    spans = [
        name_span(hub.name, ("hubs", index)),
        Span(": "),
        Span(
            f"{hub.kind} hub",
            ("hubs", index, "kind"),
            choices=(
                ("stiff: the region moves as a rigid body", "stiff"),
                ("spread: the load is shared out, the region stays flexible", "spread"),
            ),
        ),
        Span(" on "),
        _place_span(project, hub.region, ("hubs", index, "region"), hubs=False),
    ]
    if hub.at is not None:
        spans += [Span(", at "), *component_spans(hub.at, ("hubs", index, "at"), "length")]
    return (*spans, Span("."))


def _spring_sentence(project: Project, index: int, spring: Spring) -> Sentence:
    spans = [
        name_span(spring.name, ("springs", index)),
        Span(": a foundation of " if spring.per == "area" else ": springs of "),
    ]
    for number, (motion, text, kind) in enumerate(spring.values()):
        spans += [
            Span(", " if number else ""),
            value_span(text, ("springs", index, motion), kind),
            Span(
                {"normal": " square to the face"}.get(
                    motion, f" along {motion}" if len(motion) == 1 else f" about {motion[-1]}"
                )
            ),
        ]
    place = _place_span(project, spring.on, ("springs", index, "on"), spring.per != "area")
    return (*spans, Span(", at "), place, Span("."))


def _lean(load: ForceLoad, path: tuple[str | int, ...]) -> list[Span]:
    """Misalignment of a force."""
    spans: list[Span] = []
    leaning = tuple(
        (
            f"leaning toward {axis}",
            {"angle": "1 deg" if load.tilt is None else load.tilt.angle, "toward": axis},
        )
        for axis in "xyz"
    )
    if load.tilt is None:
        spans += [
            Span(", "),
            Span("straight", (*path, "tilt"), choices=(("straight", None), *leaning)),
        ]
    else:
        spans += [
            Span(", leaning "),
            value_span(load.tilt.angle, (*path, "tilt", "angle"), "angle"),
            Span(" "),
            Span(
                f"toward {load.tilt.toward}",
                (*path, "tilt"),
                choices=(("straight", None), *leaning),
            ),
        ]
    if load.offset is not None:
        spans += [
            Span(", "),
            *component_spans(load.offset, (*path, "offset"), "length"),
            Span(" beside"),
        ]
    return spans


def _shared(project: Project, load: ForceLoad, path: tuple[str | int, ...]) -> list[Span]:
    """Whether a force on several faces is meant in all or on each."""
    region = project.target_region(load.on)
    if len(region.picks) < 2 or load.on != region.name:
        return []
    return [
        Span(" "),
        Span(
            "in all" if load.share == "total" else f"on each of {len(region.picks)}",
            (*path, "share"),
            choices=(("in all", "total"), ("on each", "each")),
        ),
    ]


def _amount_spans(project: Project, load: Load, path: Path) -> list[Span]:
    """What a load is and how much."""
    spans: list[Span] = []
    if isinstance(load, ForceLoad):
        if load.components is not None:
            spans += component_spans(load.components, (*path, "components"), "force") + _lean(
                load, path
            )
        else:
            spans += [
                value_span(load.normal or "", (*path, "normal"), "force"),
                Span(" into the face"),
            ]
        spans += _shared(project, load, path)
    elif isinstance(load, PressureLoad):
        spans += [
            value_span(load.pressure, (*path, "pressure"), "stress"),
            Span(" pressure, "),
            Span(
                "keeping its direction" if load.direction == "fixed" else "following the surface",
                (*path, "direction"),
                choices=(
                    ("keeping its direction", "fixed"),
                    ("following the surface", "following"),
                ),
            ),
            Span(","),
        ]
    elif isinstance(load, LineLoad):
        spans += component_spans(load.components, (*path, "components"), "line force") + [
            Span(" per length")
        ]
    elif isinstance(load, MomentLoad):
        spans += [
            Span("moment about "),
            *component_spans(load.components, (*path, "components"), "moment"),
        ]
    elif isinstance(load, WeightLoad):
        what = "all pieces" if not load.pieces else ", ".join(load.pieces)
        spans += [Span(f"weight of {what} under ")] + component_spans(
            load.acceleration, (*path, "acceleration"), "acceleration"
        )
    elif isinstance(load, TemperatureLoad):
        spans += [
            value_span(load.change, (*path, "change"), "temperature"),
            Span(" change of temperature"),
        ]
    elif isinstance(load, MoveLoad):
        spans += [
            Span(f"{load.support} moved by "),
            *component_spans(load.components, (*path, "components"), "length"),
        ]
    return spans


def load_sentences(project: Project, lost: Mapping[str, str] = _NONE) -> list[Sentence]:
    """One sentence per load; `lost`: what regions have lost, in words."""
    if not project.loads:
        return [
            (
                Span(
                    "Nothing loads the part. Pick a face on the stage and push on it.", tone="quiet"
                ),
            )
        ]
    found = []
    for index, load in enumerate(project.loads):
        path = ("loads", index)
        spans = [name_span(load.name, path), Span(": ")]
        spans += _amount_spans(project, load, path)
        if hasattr(load, "on"):
            on_hubs = isinstance(load, (ForceLoad, MomentLoad))
            spans += [Span(" on "), _place_span(project, load.on, (*path, "on"), on_hubs)]
        spans += [
            Span(", "),
            Span(
                load.growth, (*path, "growth"), choices=(("growing", "growing"), ("held", "held"))
            ),
            Span("."),
            *_lost_words(project, getattr(load, "on", ""), lost),
        ]
        found.append(tuple(spans))
    return found


def case_sentences(project: Project) -> list[Sentence]:
    """One sentence per load case: its loads and the cases it combines, each with its factor;
    what else could be in it on offer."""
    found: list[Sentence] = []
    for index, case in enumerate(project.cases):
        path = ("cases", index)
        spans = [Span("Case "), name_span(case.name, path), Span(": ")]
        for number, entry in enumerate(case.loads):
            spans += [
                Span(", " if number else ""),
                value_span(entry.factor, (*path, "loads", number, "factor"), "number"),
                Span(f" × {entry.load}"),
            ]
        for number, part in enumerate(case.combine):
            spans += [
                Span(", " if number or case.loads else ""),
                value_span(part.factor, (*path, "combine", number, "factor"), "number"),
                Span(f" × case {part.case}"),
            ]
        if not case.loads and not case.combine:
            spans.append(Span("nothing acts", tone="bad"))
        inside = {entry.load for entry in case.loads}
        stated = [entry.model_dump() for entry in case.loads]
        choices = [
            (f"with {load.name}", [*stated, {"load": load.name}])
            for load in project.loads
            if load.name not in inside
        ]
        choices += [
            (f"without {name}", [entry for entry in stated if entry["load"] != name])
            for name in sorted(inside)
        ]
        if choices:
            spans += [Span("; "), Span("loads", (*path, "loads"), choices=tuple(choices), act=True)]
        parts = [part.model_dump() for part in case.combine]
        others = [
            (f"add case {other.name}", [*parts, {"case": other.name}])
            for other in project.cases
            if other.name != case.name
            and other.name not in {part["case"] for part in parts}
            and case.name not in _inside(project, other.name)
        ]
        others += [
            (f"leave out case {part['case']}", [other for other in parts if other is not part])
            for part in parts
        ]
        if others:
            spans += [
                Span(", "),
                Span("combine", (*path, "combine"), choices=tuple(others), act=True),
            ]
        found.append((*spans, Span(".")))
    return found


def _inside(project: Project, case: str) -> set[str]:
    """Names of all cases that a case is made of, itself included."""
    return {case}.union(*(_inside(project, part.case) for part in project.case(case).combine))


def _mesh_head(project: Project, facts: CaseFacts | None, proposed: float | None) -> Sentence:
    """Kinds of elements and their size."""
    plan = project.mesh
    kinds = {piece.mesh_as for piece in project.active_pieces}
    order = Span(
        {2: "Second-order", 1: "First-order draft"}[plan.order],
        ("mesh", "order"),
        choices=(("second-order", 2), ("first-order draft, far too stiff", 1)),
        tone="bad" if plan.order == 1 else "",
    )
    found_by = None if facts is None else facts.settled
    by = "found by the run" if found_by is not None and found_by.fineness != 1.0 else "proposed"
    if (
        plan.size is None
        and proposed
        and facts is not None
        and facts.mesh is not None
        and facts.mesh.size > 1.001 * proposed
    ):
        proposed, by = facts.mesh.size, "coarser than proposed"
    size = plan.size or (f"{shown.length(proposed, 3)} ({by})" if proposed else "a proposed size")
    stated = plan.size is not None and plan.fineness is not None
    finer = [Span(f" made {plan.fineness} times finer", ("mesh", "fineness"))] if stated else []
    mixed = "swept hexahedra where a solid allows it, else tetrahedra"
    solids = Span(
        mixed if plan.solids == "swept" and plan.order == 2 else "tetrahedra",
        ("mesh", "solids"),
        choices=((mixed, "swept"), ("tetrahedra everywhere", "tetrahedra")),
    )
    what = [order, Span(" "), solids] if "solid" in kinds or not kinds else []
    what += (
        [Span(" and quadrilateral shells" if what else "Quadrilateral shells")]
        if "shell" in kinds
        else []
    )
    what += [Span(" and line elements" if what else "Line elements")] if "line" in kinds else []
    return (*what, Span(" of "), value_span(size, ("mesh", "size"), "length"), *finer, Span("."))


def _settled_sentences(project: Project, found_by: SettledFindings | None) -> list[Sentence]:
    """That the run makes the mesh finer by itself, and what came of it."""
    plan, found = project.mesh, list[Sentence]()
    if (
        plan.size is None
        and plan.fineness is None
        and plan.order == 2
        and project.criteria.mesh_error
    ):
        found.append(
            (
                Span("Made finer by the run until the factors that count are known within "),
                value_span(plan.within, ("mesh", "within"), "number"),
                Span("."),
            )
        )
        if found_by is not None and found_by.fineness != 1.0:
            said = Figures()
            found.append(
                (said.span(settled_words(found_by, said), "" if found_by.enough else "caution"),)
            )
    return found


def _weld_sentences(project: Project) -> list[Sentence]:
    """Across what gaps walls count as welded."""
    plan, found = project.mesh, list[Sentence]()
    if (
        len([piece for piece in project.active_pieces if piece.mesh_as != "line"]) > 1
        or plan.weld_gap is not None
    ):
        found.append(
            (
                Span("An end of a wall counts as welded across up to "),
                value_span(
                    plan.weld_gap or "half of the thinner wall", ("mesh", "weld_gap"), "length"
                ),
                Span("."),
            )
        )
    return found


def _made_sentences(mesh: MeshFindings) -> list[Sentence]:
    """The mesh that was made."""
    worst = float(mesh.shape.min())
    said, found = Figures(), list[Sentence]()
    found.append(
        (
            said.span(
                f"{mesh.words[:1].upper() + mesh.words[1:]}, {len(mesh.nodes):,} nodes, "
                f"{mesh.unknowns:,} unknowns; worst "
                f"shape {said.plain(worst, '.2f')} of 1."
            ),
        )
    )
    found += [(Span(str(text), tone="quiet"),) for text in map(shown.restated, mesh.told.tolist())]
    return found


def mesh_sentences(
    project: Project,
    facts: CaseFacts | None,
    proposed: float | None,
    lost: Mapping[str, str] = _NONE,
    expected: str = "",
) -> list[Sentence]:
    """Size, order, zones, and the mesh that came of it, or what is `expected` before there is
    one."""
    plan, found_by = project.mesh, None if facts is None else facts.settled
    found = [_mesh_head(project, facts, proposed)]
    for index, zone in enumerate(plan.zones):
        found.append(
            (
                Span("Finer on "),
                Span(zone.region, strong=True, subject=("zones", zone.region)),
                Span(": "),
                value_span(zone.size, ("mesh", "zones", index, "size"), "length"),
                Span("."),
                *_lost_words(project, zone.region, lost),
            )
        )
    found += fastener_sentences(project, lost)
    found += _settled_sentences(project, found_by) + _weld_sentences(project)
    if (facts is None or facts.mesh is None) and expected:
        found.append((Span(expected, tone="quiet"),))
    if facts is not None and facts.mesh is not None:
        found += _made_sentences(facts.mesh)
    found += joint_sentences(project, None if facts is None else facts.mesh)
    return found


def strength_sentences(facts: CaseFacts | None) -> list[Sentence]:
    """Displacement, stress, yield, balance."""
    if facts is None or facts.strength is None:
        return [(Span("Not run.", tone="quiet"),)]
    strength = facts.strength
    said, stress = Figures(), float(von_mises(strength.stress).max())
    found: list[Sentence] = [
        (
            said.span(
                f"Moves {said.of(strength.max_displacement, 'length', 3)} at most; von Mises "
                "stress up to "
                f"{said.of(stress, 'stress', 3)}."
            ),
        )
    ]
    if math.isfinite(strength.yield_factor):
        where = f", in {strength.yield_body}" if strength.yield_body else ""
        off = "" if math.isnan(facts.yield_error) else f" ± {error_text(facts.yield_error)}"
        found.append(
            (
                said.span(
                    f"First yield at {said.plain(strength.yield_factor)}"
                    f"{'' if strength.peak else off} × the load{where}.",
                    "bad" if strength.strength_factor < 1 else "",
                ),
            )
        )
        if strength.peak:
            found.append(
                (
                    said.span(
                        f"That is a peak of the idealisation, within a wall of {strength.peak}; "
                        "the wall itself yields at "
                        f"{said.plain(strength.wall_factor)}{off} ×.",
                        "quiet",
                    ),
                )
            )
    return found + _reactions(strength)


_LISTED = 4  # supports whose reactions are written out


def _reactions(strength: StrengthFindings) -> list[Sentence]:
    """'Reaction of foot: z 1 kN' for each support and spring under the service load; parts that
    are nothing beside the whole are left out."""
    forces = [(name, row[:3]) for name, row in strength.holding]
    scale = max((float(abs(force).max()) for _, force in forces), default=0.0)
    found: list[Sentence] = []
    for name, force in forces[:_LISTED]:
        said = Figures()
        parts = [
            f"{axis} {said.of(float(value), 'force')}"
            for axis, value in zip("xyz", force)
            if abs(value) > 1e-4 * scale
        ]
        found.append(
            (
                said.span(
                    f"Reaction of {name}: {', '.join(parts)}."
                    if parts
                    else f"{name} carries no force."
                ),
            )
        )
    if len(forces) > _LISTED:
        more = "supports and springs" if len(strength.springs) else "supports"
        found.append((Span(f"{len(forces) - _LISTED} more {more}."),))
    return found


def modes_sentences(
    project: Project, facts: CaseFacts | None, driver: str, gates: Sequence[Gate] = ()
) -> list[Sentence]:
    """What is looked for and what was found."""
    found: list[Sentence] = [
        (
            Span("Find "),
            value_span(str(project.criteria.modes), ("criteria", "modes"), "count"),
            Span(" modes, "),
            Span(
                "positive only" if project.criteria.sign == "positive" else "of both signs",
                ("criteria", "sign"),
                choices=(("positive only", "positive"), ("of both signs", "both")),
            ),
            Span(", "),
            Span(
                "with a second opinion"
                if project.criteria.second_opinion
                else "without a second opinion",
                ("criteria", "second_opinion"),
                choices=(
                    ("without a second opinion", False),
                    ("with a second opinion on deflection before buckling", True),
                ),
            ),
            Span("."),
        )
    ]
    if facts is not None and facts.modes is not None:
        positive = facts.modes.positive
        if len(positive):
            first = float(positive[0])
            meets = facts.meets(int((facts.modes.factors == first).argmax()))
            tone = "" if meets is None else "good" if meets else "bad"
            error = facts.modes.first_error
            said = Figures()
            factor = said.plain(first)
            about = "" if math.isnan(error) else f" ± {error_text(error)} by its mesh"
            found.append((said.span(f"First factor {factor}{about}, {driver}.", tone),))
            if len(facts.modes.piece_levers) and float(facts.modes.factors[0]) == first:
                order = facts.modes.piece_levers[0].argsort()[::-1]
                best = [
                    f"{facts.modes.pieces[k]} "
                    f"{said.plain(facts.modes.piece_levers[0][k], '+.2g', ' %')}"
                    for k in order[:3]
                ]
                found.append((said.span(f"1 % more thickness changes it by: {', '.join(best)}."),))
        else:
            found.append(
                (Span("No positive factor: this load cannot make the part unstable.", tone="good"),)
            )
    return found + _gate_sentences(gates) + _meant_sentences(project) + _required_sentences(project)


def _gate_sentences(gates: Sequence[Gate]) -> list[Sentence]:
    """Gates that keep the verdict from being said, each with a place for the reason to leave it
    out, and those left out."""
    found: list[Sentence] = []
    for gate in gates:
        path = ("criteria", "left_out", gate.name)
        if gate.left_out:
            found.append(
                (
                    Span(f"The gate {gate.name} is left out: "),
                    Span(gate.left_out, path, "text"),
                    Span("."),
                )
            )
        elif gate.state != "passes":
            if gate.doubt:
                found.append(
                    (
                        Span(
                            f"{gate.doubt[0].upper()}{gate.doubt[1:]}: it is doubted that this is "
                            "meant. ",
                            tone="bad",
                        ),
                        Span("It is, because: "),
                        Span("no reason given", ("criteria", "meant", gate.doubt), "text"),
                        Span("."),
                    )
                )
                continue
            found.append(
                (
                    Span(
                        f"The gate {gate.name} "
                        f"{'fails' if gate.state == 'fails' else 'is ' + gate.state}. ",
                        tone="bad",
                    ),
                    Span("To leave it out give a reason: "),
                    Span("none given", path, "text"),
                    Span("."),
                )
            )
    return found


def _meant_sentences(project: Project) -> list[Sentence]:
    """Reasons that were given why what is doubted is meant so."""
    return [
        (
            Span(f"{name[0].upper()}{name[1:]}: it is meant so, because: "),
            Span(reason, ("criteria", "meant", name), "text"),
            Span("."),
        )
        for name, reason in project.criteria.meant.items()
    ]


def _required_sentences(project: Project) -> list[Sentence]:
    """'Required factor: 3 of machine parts (leg, rail), 15 of members (plate).'; pieces and
    factors open to change."""
    spans = [Span("Required factor ")]
    for name, field in CLASS_FACTORS.items():
        mine = [
            (index, piece.name)
            for index, piece in enumerate(project.pieces)
            if piece.acts_as == name and not piece.set_aside
        ]
        if not mine:
            continue
        spans += [Span("; ")] if len(spans) > 1 else []
        spans += [
            value_span(getattr(project.criteria, field), ("criteria", field), "number"),
            Span(f" as {name}: "),
        ]
        for place, (index, piece_name) in enumerate(mine):
            spans += [Span(", ")] if place else []
            spans.append(
                Span(
                    piece_name,
                    ("pieces", index, "acts_as"),
                    choices=(
                        ("machine part", "machine part"),
                        ("member, or plate that acts as one", "member"),
                        ("stiffener or rib", "stiffener"),
                        ("closed thin-walled section: the trace decides", "closed section"),
                    ),
                )
            )
    if len(spans) == 1:
        spans += [
            value_span(project.criteria.required_factor, ("criteria", "required_factor"), "number")
        ]
    carried = value_span(
        project.criteria.capacity or "half of it, at least 1", ("criteria", "capacity"), "number"
    )
    return [(*spans, Span("; of what an imperfect part carries "), carried, Span("."))]


def convergence_words(found: ConvergenceFindings) -> str:
    """What the meshes say together."""
    last, limit = float(found.factors[-1]), found.limit
    if found.band < 2e-3 * last:
        return f"The meshes agree on {last:.4g} within {100 * found.band / last:.1g} %."
    if not math.isfinite(found.order):
        return (
            f"The meshes do not close in on a value: {last:.4g}, give or take "
            f"{found.band:.2g}. "
            "Take finer ones."
        )
    off = 100 * (last / limit - 1)
    return (
        f"They go to {limit:.4g}, give or take {found.band:.2g} (order {found.order:.2g}); the "
        f"finest lies {off:+.2f} % from it."
    )


def euler_sentences(project: Project, facts: CaseFacts | None) -> list[Sentence]:
    """Euler's check in one sentence, ends and length open to change."""
    if facts is None or facts.euler is None or isinstance(facts.euler, str):
        return []
    check = facts.euler
    ends = check.governing.ends
    choices = (
        ("found from the supports", "found"),
        *((name, name) for name in ("fixed-free", "pinned-pinned", "fixed-pinned", "fixed-fixed")),
    )
    said = Figures()
    return [
        (
            Span("Euler: "),
            Span(ends.name, ("euler", "ends"), choices=choices),
            Span(f", K {ends.k:g}, length "),
            value_span(
                project.euler.length or shown.length(check.length), ("euler", "length"), "length"
            ),
            said.span(
                f", I {said.of(check.governing.second_moment, 'second moment')}: factor "
                f"{said.plain(check.governing.factor)}."
            ),
        )
    ]
