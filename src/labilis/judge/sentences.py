"""The check sheet's sentences: what has been stated and found, with the values that can be changed marked.

The window shows them live, the report prints the same ones.
"""
from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from labilis.judge.evidence.base import CaseFacts
from labilis.judge.stress import von_mises
from labilis.model import CylindricalAxes, ForceLoad, LocalAxes, NormalAxes, Project, Support

Path = tuple[str | int, ...]


@dataclass(frozen=True)
class Span:
    """A run of text. With a `path` it is a value that can be edited: kind of quantity (or 'text', 'count'), or one of
    `choices` as (shown, value). `strong` marks names, `tone` is '' or good, bad, caution, quiet."""

    text: str
    path: Path | None = None
    kind: str = ""
    choices: tuple[tuple[str, Any], ...] = ()
    strong: bool = False
    tone: str = ""


Sentence = tuple[Span, ...]


def _value(text: str, path: Path, kind: str) -> Span:
    return Span(text, path, kind)


def part_sentences(project: Project, extents: tuple[float, float, float] | None, volume: float | None) -> list[Sentence]:
    """What the part is, of what, and how large."""
    if not project.pieces:
        return [(Span("No part yet. Open a STEP file to begin.", tone="quiet"),)]
    found: list[Sentence] = []
    names = tuple((material.name, material.name) for material in project.materials)
    for index, piece in enumerate(project.pieces):
        spans = [Span(piece.name, ("pieces", index, "name"), "text", strong=True)]
        if piece.set_aside:
            spans.append(Span(" is "))
            spans.append(Span("set aside", ("pieces", index, "set_aside"), choices=(("carrying load", False), ("set aside", True))))
            found.append((*spans, Span(".")))
            continue
        spans.append(Span(" of "))
        spans.append(Span(piece.material or "no material yet", ("pieces", index, "material"), choices=names,
                          tone="" if piece.material else "bad"))
        spans.append(Span(", one "))
        spans.append(Span("solid"))
        if len(project.pieces) > 1:
            spans.append(Span(", "))
            spans.append(Span("carrying load", ("pieces", index, "set_aside"),
                              choices=(("carrying load", False), ("set aside", True))))
        if extents is not None:
            size = " × ".join(f"{value:.4g}" for value in sorted(extents, reverse=True))
            spans.append(Span(f", {size} mm"))
            material = next((item for item in project.materials if item.name == piece.material), None)
            if material is not None and material.density is not None and volume is not None:
                mass = 1000.0 * volume * project.value(material.density, "density")
                spans.append(Span(f", {mass:.3g} kg"))
        found.append((*spans, Span(".")))
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
    """One sentence per support."""
    if not project.supports:
        return [(Span("Nothing holds the part. Pick a face on the stage and hold it.", tone="quiet"),)]
    hubs = {hub.name for hub in project.hubs}
    found = []
    for index, support in enumerate(project.supports):
        on_hub = support.on in hubs
        found.append((Span(support.name, ("supports", index, "name"), "text", strong=True), Span(": "),
                      Span(held_words(support, on_hub), ("supports", index, "held"), "motions"),
                      Span(f", at {'stiff hub ' if on_hub else ''}{support.on}.")))
    return found


def load_sentences(project: Project) -> list[Sentence]:
    """One sentence per load."""
    if not project.loads:
        return [(Span("Nothing loads the part. Pick a face on the stage and push on it.", tone="quiet"),)]
    found = []
    for index, load in enumerate(project.loads):
        spans = [Span(load.name, ("loads", index, "name"), "text", strong=True), Span(": ")]
        if isinstance(load, ForceLoad):
            if load.components is not None:
                for axis, text in zip("xyz", load.components):
                    place = ("loads", index, "components", "xyz".index(axis))
                    spans += [Span(f"{axis} "), _value(text, place, "force"), Span(", " if axis != "z" else "")]
            else:
                spans += [_value(load.normal or "", ("loads", index, "normal"), "force"), Span(" into the face")]
            region = project.target_region(load.on)
            if len(region.picks) > 1 and load.on == region.name:
                spans.append(Span(" "))
                spans.append(Span("in all" if load.share == "total" else f"on each of {len(region.picks)}",
                                  ("loads", index, "share"), choices=(("in all", "total"), ("on each", "each"))))
        else:
            spans += [_value(load.pressure, ("loads", index, "pressure"), "stress"), Span(" pressure, "),
                      Span("keeping its direction" if load.direction == "fixed" else "following the surface",
                           ("loads", index, "direction"),
                           choices=(("keeping its direction", "fixed"), ("following the surface", "following"))), Span(",")]
        spans += [Span(f" on {load.on}, "),
                  Span(load.growth, ("loads", index, "growth"), choices=(("growing", "growing"), ("held", "held"))), Span(".")]
        found.append(tuple(spans))
    return found


def mesh_sentences(project: Project, facts: CaseFacts | None, proposed: float | None) -> list[Sentence]:
    """Size, order, zones, and the mesh that came of it."""
    plan = project.mesh
    order = Span({2: "Second-order", 1: "First-order draft"}[plan.order], ("mesh", "order"),
                 choices=(("second-order", 2), ("first-order draft, far too stiff", 1)), tone="bad" if plan.order == 1 else "")
    size = plan.size or (f"{proposed:.3g} mm (proposed)" if proposed else "a proposed size")
    found: list[Sentence] = [(order, Span(" tetrahedra of "), _value(size, ("mesh", "size"), "length"), Span("."))]
    for index, zone in enumerate(plan.zones):
        found.append((Span("Finer on "), Span(zone.region, strong=True), Span(": "),
                      _value(zone.size, ("mesh", "zones", index, "size"), "length"), Span(".")))
    if facts is not None and facts.mesh is not None:
        mesh = facts.mesh
        worst = float(mesh.shape.min())
        found.append((Span(f"{len(mesh.elements):,} elements, {len(mesh.nodes):,} nodes, {mesh.unknowns:,} unknowns; worst shape "
                           f"{worst:.2f} of 1."),))
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
        found.append((Span(f"First yield at {strength.yield_factor:.4g} × the load.",
                           tone="bad" if strength.yield_factor < 1 else ""),))
    return found


def modes_sentences(project: Project, facts: CaseFacts | None, driver: str) -> list[Sentence]:
    """What is looked for and what was found."""
    found: list[Sentence] = [(
        Span("Find "), _value(str(project.criteria.modes), ("criteria", "modes"), "count"), Span(" modes, "),
        Span("positive only" if project.criteria.sign == "positive" else "of both signs", ("criteria", "sign"),
             choices=(("positive only", "positive"), ("of both signs", "both"))),
        Span(", "),
        Span("with a second opinion" if project.criteria.second_opinion else "without a second opinion", ("criteria", "second_opinion"),
             choices=(("without a second opinion", False), ("with a second opinion on deflection before buckling", True))),
        Span("; required factor "), _value(project.criteria.required_factor, ("criteria", "required_factor"), "number"),
        Span("."))]
    if facts is not None and facts.modes is not None:
        positive = facts.modes.positive
        if len(positive):
            first = float(positive[0])
            tone = "good" if first >= facts.required else "bad"
            found.append((Span(f"First factor {first:.4g}, {driver}.", tone=tone),))
        else:
            found.append((Span("No positive factor: this load cannot make the part unstable.", tone="good"),))
    return found


def euler_sentences(project: Project, facts: CaseFacts | None) -> list[Sentence]:
    """Euler's check in one sentence, ends and length open to change."""
    if facts is None or facts.euler is None or isinstance(facts.euler, str):
        return []
    check = facts.euler
    ends = check.governing.ends
    choices = (("found from the supports", "found"), *((name, name) for name in (
        "fixed-free", "pinned-pinned", "fixed-pinned", "fixed-fixed")))
    return [(Span("Euler: "), Span(ends.name, ("euler", "ends"), choices=choices), Span(f", K {ends.k:g}, length "),
             _value(project.euler.length or f"{check.length:.4g} mm", ("euler", "length"), "length"),
             Span(f", I {check.governing.second_moment:.4g} mm⁴: factor {check.governing.factor:.4g}."))]
