"""The check sheet's sentences: what has been stated and found, with the values that can be changed marked.

The window shows them live, the report prints the same ones.
"""
from __future__ import annotations

import math

from labilis.judge.evidence.base import CaseFacts
from labilis.judge.findings import ConvergenceFindings, StrengthFindings
from labilis.judge.numbers import force_text
from labilis.judge.recipe_sentences import count_words, place_sentence, recipe_spans
from labilis.judge.spans import Sentence, Span, value_span
from labilis.judge.stress import von_mises
from labilis.model import (
    CLASS_FACTORS,
    GRADES,
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
    Strut,
    Support,
    SymmetryAxes,
    TemperatureLoad,
    WeightLoad,
)


def part_sentences(project: Project, extents: tuple[float, float, float] | None, volume: float | None) -> list[Sentence]:
    """What the part is, of what, and how large."""
    if not project.pieces:
        return [(Span("No part yet. Open a STEP file, or make a piece from a recipe.", tone="quiet"),)]
    found: list[Sentence] = []
    known = {material.name for material in project.materials}
    names = (*((material.name, material.name) for material in project.materials),
             *((f"{item.name} (library)", item.name) for item in GRADES if item.name not in known))
    for index, piece in enumerate(project.pieces):
        spans = [Span(count_words(piece)), Span(piece.name, ("pieces", index, "name"), "text", strong=True)]
        if piece.set_aside:
            spans.append(Span(" is "))
            spans.append(Span("set aside", ("pieces", index, "set_aside"), choices=(("carrying load", False), ("set aside", True))))
            found.append((*spans, Span(".")))
            continue
        if piece.recipe is not None:
            spans += [Span(": "), *recipe_spans(project, piece, ("pieces", index)), Span(",")]
        spans.append(Span(" of "))
        spans.append(Span(piece.material or "no material yet", ("pieces", index, "material"), choices=names,
                          tone="" if piece.material else "bad"))
        spans.append(Span(", as "))
        ways = [("shells on its mid-surface", "shell"), ("solid elements", "solid")]
        ways += [("a line of its section", "line")] if isinstance(piece.recipe, Strut) else []
        spans.append(Span({"solid": "solid", "shell": "shells", "line": "a line"}[piece.mesh_as], ("pieces", index, "mesh_as"),
                          choices=tuple(ways)))
        if len(project.pieces) > 1:
            spans.append(Span(", "))
            spans.append(Span("carrying load", ("pieces", index, "set_aside"),
                              choices=(("carrying load", False), ("set aside", True))))
        if extents is not None and len(project.pieces) == 1:
            size = " × ".join(f"{value:.4g}" for value in sorted(extents, reverse=True))
            spans.append(Span(f", {size} mm"))
            material = next((item for item in project.materials if item.name == piece.material), None)
            if material is not None and material.density is not None and volume is not None:
                mass = 1000.0 * volume * project.value(material.density, "density")
                spans.append(Span(f", {mass:.3g} kg"))
        found.append((*spans, Span(".")))
        if piece.recipe is not None:
            found.append(place_sentence(project, piece, ("pieces", index)))
    if extents is not None and len(project.pieces) > 1:
        size = " × ".join(f"{value:.4g}" for value in extents)
        found.append((Span(f"Together {size} mm in x, y, z."),))
    used = {piece.material for piece in project.pieces if not piece.set_aside}
    for index, material in enumerate(project.materials):
        if material.name not in used:
            continue
        spans = []
        for words, field, kind, needed in (("E", "youngs_modulus", "stress", True), ("ν", "poisson_ratio", "number", True),
                                           ("yield", "yield_strength", "stress", False),
                                           ("density", "density", "density", False)):
            text = getattr(material, field)
            spans.append(Span(f"{', ' if spans else ''}{words} "))
            spans.append(Span(text or ("needed" if needed else "not given"), ("materials", index, field), kind,
                              tone="bad" if needed and text is None else ""))
        found.append((*spans, Span(".")))
    return found


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
        return ", ".join(name for name in ("radial", "tangential", "axial") if name in held) + " held"
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


def support_sentences(project: Project) -> list[Sentence]:
    """One sentence per support, then one per spring."""
    if not project.supports and not project.springs:
        return [(Span("Nothing holds the part. Pick a face on the stage and hold it.", tone="quiet"),)]
    hubs = {hub.name for hub in project.hubs}
    found: list[Sentence] = []
    for index, support in enumerate(project.supports):
        on_hub = support.on in hubs
        turns = on_hub or any(piece.mesh_as != "solid" for piece in project.active_pieces)
        found.append((Span(support.name, ("supports", index, "name"), "text", strong=True), Span(": "),
                      Span(held_words(support, turns), ("supports", index, "held"), "motions"),
                      Span(f", at {'stiff hub ' if on_hub else ''}{support.on}.")))
    found += [_spring_sentence(index, spring) for index, spring in enumerate(project.springs)]
    return found + [_hub_sentence(index, hub) for index, hub in enumerate(project.hubs)]


def _hub_sentence(index: int, hub: Hub) -> Sentence:
    spans = [Span(hub.name, ("hubs", index, "name"), "text", strong=True), Span(": "),
             Span(f"{hub.kind} hub", ("hubs", index, "kind"), choices=(
                 ("stiff: the region moves as a rigid body", "stiff"),
                 ("spread: the load is shared out, the region stays flexible", "spread"))),
             Span(f" on {hub.region}")]
    if hub.at is not None:
        spans += [Span(", at "), *_components(hub.at, ("hubs", index, "at"), "length")]
    return (*spans, Span("."))


def _spring_sentence(index: int, spring: Spring) -> Sentence:
    spans = [Span(spring.name, ("springs", index, "name"), "text", strong=True),
             Span(": a foundation of " if spring.per == "area" else ": springs of ")]
    for number, (motion, text, kind) in enumerate(spring.values()):
        spans += [Span(", " if number else ""), value_span(text, ("springs", index, motion), kind),
                  Span({"normal": " square to the face"}.get(motion, f" along {motion}" if len(motion) == 1 else f" about {motion[-1]}"))]
    return (*spans, Span(f", at {spring.on}."))


def _components(texts: tuple[str, ...], path: tuple[str | int, ...], kind: str) -> list[Span]:
    spans = []
    for axis, text in enumerate(texts):
        spans += [Span(f"{'xyz'[axis]} "), value_span(text, (*path, axis), kind), Span(", " if axis < 2 else "")]
    return spans


def _lean(load: ForceLoad, path: tuple[str | int, ...]) -> list[Span]:
    """Misalignment of a force."""
    spans: list[Span] = []
    leaning = tuple((f"leaning toward {axis}", {"angle": "1 deg" if load.tilt is None else load.tilt.angle, "toward": axis})
                    for axis in "xyz")
    if load.tilt is None:
        spans += [Span(", "), Span("straight", (*path, "tilt"), choices=(("straight", None), *leaning))]
    else:
        spans += [Span(", leaning "), value_span(load.tilt.angle, (*path, "tilt", "angle"), "angle"), Span(" "),
                  Span(f"toward {load.tilt.toward}", (*path, "tilt"), choices=(("straight", None), *leaning))]
    if load.offset is not None:
        spans += [Span(", "), *_components(load.offset, (*path, "offset"), "length"), Span(" beside")]
    return spans


def load_sentences(project: Project) -> list[Sentence]:
    """One sentence per load."""
    if not project.loads:
        return [(Span("Nothing loads the part. Pick a face on the stage and push on it.", tone="quiet"),)]
    found = []
    for index, load in enumerate(project.loads):
        path = ("loads", index)
        spans = [Span(load.name, (*path, "name"), "text", strong=True), Span(": ")]
        if isinstance(load, ForceLoad):
            if load.components is not None:
                spans += _components(load.components, (*path, "components"), "force") + _lean(load, path)
            else:
                spans += [value_span(load.normal or "", (*path, "normal"), "force"), Span(" into the face")]
            region = project.target_region(load.on)
            if len(region.picks) > 1 and load.on == region.name:
                spans.append(Span(" "))
                spans.append(Span("in all" if load.share == "total" else f"on each of {len(region.picks)}",
                                  (*path, "share"), choices=(("in all", "total"), ("on each", "each"))))
        elif isinstance(load, PressureLoad):
            spans += [value_span(load.pressure, (*path, "pressure"), "stress"), Span(" pressure, "),
                      Span("keeping its direction" if load.direction == "fixed" else "following the surface",
                           (*path, "direction"),
                           choices=(("keeping its direction", "fixed"), ("following the surface", "following"))), Span(",")]
        elif isinstance(load, LineLoad):
            spans += _components(load.components, (*path, "components"), "line force") + [Span(" per length")]
        elif isinstance(load, MomentLoad):
            spans += [Span("moment about "), *_components(load.components, (*path, "components"), "moment")]
        elif isinstance(load, WeightLoad):
            what = "all pieces" if not load.pieces else ", ".join(load.pieces)
            spans += [Span(f"weight of {what} under ")] + _components(load.acceleration, (*path, "acceleration"), "acceleration")
        elif isinstance(load, TemperatureLoad):
            spans += [value_span(load.change, (*path, "change"), "temperature"), Span(" change of temperature")]
        elif isinstance(load, MoveLoad):
            spans += [Span(f"{load.support} moved by "), *_components(load.components, (*path, "components"), "length")]
        if hasattr(load, "on"):
            spans.append(Span(f" on {load.on}"))
        spans += [Span(", "), Span(load.growth, (*path, "growth"), choices=(("growing", "growing"), ("held", "held"))), Span(".")]
        found.append(tuple(spans))
    return found


def mesh_sentences(project: Project, facts: CaseFacts | None, proposed: float | None) -> list[Sentence]:
    """Size, order, zones, and the mesh that came of it."""
    plan = project.mesh
    kinds = {piece.mesh_as for piece in project.active_pieces}
    order = Span({2: "Second-order", 1: "First-order draft"}[plan.order], ("mesh", "order"),
                 choices=(("second-order", 2), ("first-order draft, far too stiff", 1)), tone="bad" if plan.order == 1 else "")
    size = plan.size or (f"{proposed:.3g} mm (proposed)" if proposed else "a proposed size")
    what = [order, Span(" tetrahedra")] if "solid" in kinds or not kinds else []
    what += [Span(" and quadrilateral shells" if what else "Quadrilateral shells")] if "shell" in kinds else []
    what += [Span(" and line elements" if what else "Line elements")] if "line" in kinds else []
    found: list[Sentence] = [(*what, Span(" of "), value_span(size, ("mesh", "size"), "length"), Span("."))]
    for index, zone in enumerate(plan.zones):
        found.append((Span("Finer on "), Span(zone.region, strong=True), Span(": "),
                      value_span(zone.size, ("mesh", "zones", index, "size"), "length"), Span(".")))
    if facts is not None and facts.mesh is not None:
        mesh = facts.mesh
        worst = float(mesh.shape.min())
        found.append((Span(f"{mesh.words[:1].upper() + mesh.words[1:]}, {len(mesh.nodes):,} nodes, {mesh.unknowns:,} unknowns; worst "
                           f"shape {worst:.2f} of 1."),))
        if len(mesh.bonded):
            pairs = len(mesh.bonded)
            found.append((Span(f"{int(mesh.bonded[:, 2].sum()):,} nodes are bonded where {pairs} pair{'s' if pairs > 1 else ''} of bodies "
                               "touch without common edges."),))
    return found


def strength_sentences(facts: CaseFacts | None) -> list[Sentence]:
    """Displacement, stress, yield, balance."""
    if facts is None or facts.strength is None:
        return [(Span("Not run.", tone="quiet"),)]
    strength = facts.strength
    stress = float(von_mises(strength.stress).max())
    text = f"Moves {strength.max_displacement:.3g} mm at most; von Mises stress up to {stress:.3g} MPa."
    found: list[Sentence] = [(Span(text),)]
    if math.isfinite(strength.yield_factor):
        where = f", in {strength.yield_body}" if strength.yield_body else ""
        found.append((Span(f"First yield at {strength.yield_factor:.4g} × the load{where}.",
                           tone="bad" if strength.yield_factor < 1 else ""),))
    return found + [(Span(text),) for text in _reactions(strength)]


_LISTED = 4  # supports whose reactions are written out


def _reactions(strength: StrengthFindings) -> list[str]:
    """'foot pushes with z 1 kN' for each support under the service load; parts that are nothing beside the whole are left out."""
    forces = strength.reaction[:, :, :3].sum(axis=1)
    scale = max((float(abs(force).max()) for force in forces), default=0.0)
    found = []
    for name, force in list(zip(strength.supports, forces))[:_LISTED]:
        parts = [f"{axis} {force_text(float(value))}" for axis, value in zip("xyz", force) if abs(value) > 1e-4 * scale]
        found.append(f"{name} pushes back with {', '.join(parts)}." if parts else f"{name} carries no force.")
    if len(forces) > _LISTED:
        found.append(f"{len(forces) - _LISTED} more supports.")
    return found


def modes_sentences(project: Project, facts: CaseFacts | None, driver: str) -> list[Sentence]:
    """What is looked for and what was found."""
    found: list[Sentence] = [(
        Span("Find "), value_span(str(project.criteria.modes), ("criteria", "modes"), "count"), Span(" modes, "),
        Span("positive only" if project.criteria.sign == "positive" else "of both signs", ("criteria", "sign"),
             choices=(("positive only", "positive"), ("of both signs", "both"))),
        Span(", "),
        Span("with a second opinion" if project.criteria.second_opinion else "without a second opinion", ("criteria", "second_opinion"),
             choices=(("without a second opinion", False), ("with a second opinion on deflection before buckling", True))),
        Span("."))]
    if facts is not None and facts.modes is not None:
        positive = facts.modes.positive
        if len(positive):
            first = float(positive[0])
            meets = facts.meets(int((facts.modes.factors == first).argmax()))
            tone = "" if meets is None else "good" if meets else "bad"
            found.append((Span(f"First factor {first:.4g}, {driver}.", tone=tone),))
            if len(facts.modes.piece_levers) and float(facts.modes.factors[0]) == first:
                order = facts.modes.piece_levers[0].argsort()[::-1]
                best = [f"{facts.modes.pieces[k]} {facts.modes.piece_levers[0][k]:+.2g} %" for k in order[:3]]
                found.append((Span(f"1 % more thickness changes it by: {', '.join(best)}."),))
        else:
            found.append((Span("No positive factor: this load cannot make the part unstable.", tone="good"),))
    return found + _required_sentences(project)


def _required_sentences(project: Project) -> list[Sentence]:
    """'Required factor: 3 of machine parts (leg, rail), 15 of members (plate).'; pieces and factors open to change."""
    spans = [Span("Required factor ")]
    for name, field in CLASS_FACTORS.items():
        mine = [(index, piece.name) for index, piece in enumerate(project.pieces) if piece.acts_as == name and not piece.set_aside]
        if not mine:
            continue
        spans += [Span("; ")] if len(spans) > 1 else []
        spans += [value_span(getattr(project.criteria, field), ("criteria", field), "number"), Span(f" as {name}: ")]
        for place, (index, piece_name) in enumerate(mine):
            spans += [Span(", ")] if place else []
            spans.append(Span(piece_name, ("pieces", index, "acts_as"), choices=(
                ("machine part", "machine part"), ("member, or plate that acts as one", "member"), ("stiffener or rib", "stiffener"),
                ("closed thin-walled section: the trace decides", "closed section"))))
    if len(spans) == 1:
        spans += [value_span(project.criteria.required_factor, ("criteria", "required_factor"), "number")]
    return [(*spans, Span("."))]


def trace_sentences(project: Project, facts: CaseFacts | None) -> list[Sentence]:
    """Starting shape, where it ends, and what was found."""
    plan = project.trace
    modes = facts.modes if facts is not None else None
    count = len(modes.factors) if modes is not None else 0
    choices = (*((f"the shape of mode {number}", number) for number in range(1, max(count, plan.mode) + 1)), ("the part as drawn", 0))
    start = f"the shape of mode {plan.mode}" if plan.mode else "the part as drawn"
    spans = [Span("Start from "), Span(start, ("trace", "mode"), choices=choices)]
    if plan.mode:
        spans += [Span(", "), value_span(plan.amplitude or "a thousandth of the moving length", ("trace", "amplitude"), "length"),
                  Span(" out, to "), Span({"+": "its own side", "-": "the other side"}[plan.sign], ("trace", "sign"),
                                           choices=(("its own side", "+"), ("the other side", "-")))]
    spans += [Span("; at most "), value_span(str(plan.steps), ("trace", "steps"), "count"), Span(" steps, up to factor "),
              value_span(plan.target or "1.5 × the first mode's", ("trace", "target"), "number"), Span(" or a motion of "),
              value_span(plan.deflection or "a twentieth of the part's size", ("trace", "deflection"), "length"), Span(".")]
    spans += [Span(" The material "), Span({"yielding": "yields", "elastic": "stays elastic"}[plan.material], ("trace", "material"),
                                           choices=(("yields where it has a yield strength", "yielding"), ("stays elastic", "elastic")))]
    if plan.material == "yielding":
        spans += [Span(", up to "), value_span(plan.plastic_strain, ("trace", "plastic_strain"), "number"), Span(" of plastic strain")]
    spans.append(Span("."))
    found: list[Sentence] = [tuple(spans)]
    trace = facts.trace if facts is not None else None
    if trace is None:
        return [*found, (Span("Not traced. The first mode's factor is of an ideal part; this finds what the real one carries.",
                              tone="quiet"),)]
    if not trace.done:
        return [*found, (Span(f"Tracing: {len(trace.factors) - 1} steps, factor {trace.factors[-1]:.4g}.", tone="quiet"),)]
    end = "its limit" if trace.verified == trace.limit else "first yield" if trace.verified == trace.first_yield else "where it ended"
    loss = f", {trace.loss_words}" if trace.loss_words else ""
    found.insert(0, (Span(f"Verified to {trace.verified:.4g} × the load, {end}{loss}.", tone="good" if trace.verified >= 1 else "bad"),))
    steps = f"{len(trace.factors) - 1} steps, {trace.cut_backs} cut back"
    if trace.yielding and math.isfinite(trace.first_yield):
        found.append((Span(f"First yield at {trace.first_yield:.4g}; "
                           f"at the end {100 * float(trace.plastic[-1]):.2g} % of plastic strain."),))
    found.append((Span(f"Imperfection {abs(trace.amplitude):.3g} mm; {steps}; it ended because {trace.reason}.", tone="quiet"),))
    return found


def convergence_words(found: ConvergenceFindings) -> str:
    """What the meshes say together."""
    last, limit = float(found.factors[-1]), found.limit
    if found.band < 2e-3 * last:
        return f"The meshes agree on {last:.4g} within {100 * found.band / last:.1g} %."
    if not math.isfinite(found.order):
        return f"The meshes do not close in on a value: {last:.4g}, give or take {found.band:.2g}. Take finer ones."
    off = 100 * (last / limit - 1)
    return f"They go to {limit:.4g}, give or take {found.band:.2g} (order {found.order:.2g}); the finest lies {off:+.2f} % from it."


def euler_sentences(project: Project, facts: CaseFacts | None) -> list[Sentence]:
    """Euler's check in one sentence, ends and length open to change."""
    if facts is None or facts.euler is None or isinstance(facts.euler, str):
        return []
    check = facts.euler
    ends = check.governing.ends
    choices = (("found from the supports", "found"), *((name, name) for name in (
        "fixed-free", "pinned-pinned", "fixed-pinned", "fixed-fixed")))
    return [(Span("Euler: "), Span(ends.name, ("euler", "ends"), choices=choices), Span(f", K {ends.k:g}, length "),
             value_span(project.euler.length or f"{check.length:.4g} mm", ("euler", "length"), "length"),
             Span(f", I {check.governing.second_moment:.4g} mm⁴: factor {check.governing.factor:.4g}."))]
