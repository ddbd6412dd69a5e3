"""Sentences of the Part station: pieces, their materials, and what is scribed on them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from labilis.edit.sides import side_texts
from labilis.judge.spans import Figures, Sentence, Span, component_spans, name_span, value_span
from labilis.model import GRADES, Material, Plate, Project, ScribeLine, Strut, shown
from labilis.model.project import Piece
from labilis.words.recipes import (
    count_words,
    openings_sentence,
    place_sentence,
    recipe_spans,
)

_WARPING = {
    "found": "warping as they are held",
    "free": "free to warp",
    "held": "kept from warping",
}


def part_sentences(
    project: Project,
    extents: tuple[float, float, float] | None,
    volume: float | None,
    own: Sequence[tuple[str, str]] = (),
) -> list[Sentence]:
    """What the part is, of what, and how large; `own`: name and folder of the user's own grades."""
    if not project.pieces:
        return [
            (Span("No part yet. Open a STEP file, or make a piece from a recipe.", tone="quiet"),)
        ]
    found: list[Sentence] = []
    known = {material.name for material in project.materials}
    names = (
        *((material.name, material.name) for material in project.materials),
        *((f"{name} ({folder or 'own'})", name) for name, folder in own if name not in known),
        *((f"{item.name} (library)", item.name) for item in GRADES if item.name not in known),
    )
    for index, piece in enumerate(project.pieces):
        spans = [Span(count_words(piece)), name_span(piece.name, ("pieces", index))]
        if piece.set_aside:
            found.append((*spans, Span(" is "), _aside_span(index, "set aside"), Span(".")))
            continue
        spans += _piece_spans(project, index, names)
        if extents is not None and len(project.pieces) == 1:
            spans += _size_spans(project, piece, extents, volume)
        found.append((*spans, Span(".")))
        if piece.recipe is not None:
            openings = openings_sentence(project, piece, ("pieces", index))
            found += [openings] if openings is not None else []
            found.append(place_sentence(project, piece, ("pieces", index)))
    if extents is not None and len(project.pieces) > 1:
        found.append((_sizes("Together ", extents, " in x, y, z."),))
    used = {piece.material for piece in project.pieces if not piece.set_aside}
    return found + [
        _material_sentence(project, index)
        for index, material in enumerate(project.materials)
        if material.name in used
    ]


def _aside_span(index: int, now: str) -> Span:
    """Whether a piece carries load, to be changed."""
    return Span(
        now,
        ("pieces", index, "set_aside"),
        choices=(("carrying load", False), ("set aside", True)),
    )


def _piece_spans(project: Project, index: int, names: tuple[tuple[str, Any], ...]) -> list[Span]:
    """What a piece is, of what, meshed as what; `names` of the materials that can be chosen."""
    piece = project.pieces[index]
    spans: list[Span] = []
    if piece.recipe is not None:
        spans += [Span(": "), *recipe_spans(project, piece, ("pieces", index)), Span(",")]
    if piece.thickness is not None:
        thick = value_span(piece.thickness, ("pieces", index, "thickness"), "length")
        spans += [Span(": an imported surface, "), thick, Span(" thick,")]
    spans.append(Span(" of "))
    spans.append(
        Span(
            piece.material or "no material yet",
            ("pieces", index, "material"),
            choices=names,
            tone="" if piece.material else "bad",
        )
    )
    spans.append(Span(", as "))
    ways = [("shells on its mid-surface", "shell"), ("solid elements", "solid")]
    ways += [("a line of its section", "line")] if isinstance(piece.recipe, Strut) else []
    spans.append(
        Span(
            {"solid": "solid", "shell": "shells", "line": "a line"}[piece.mesh_as],
            ("pieces", index, "mesh_as"),
            choices=tuple(ways),
        )
    )
    if piece.mesh_as == "line":
        spans += [
            Span(", its ends "),
            Span(
                _WARPING[piece.warping],
                ("pieces", index, "warping"),
                choices=tuple((words, value) for value, words in _WARPING.items()),
            ),
        ]
    if len(project.pieces) > 1:
        spans += [Span(", "), _aside_span(index, "carrying load")]
    return spans


def _size_spans(
    project: Project, piece: Piece, extents: Sequence[float], volume: float | None
) -> list[Span]:
    """How large the only piece is, and its mass where its density is known."""
    plain = isinstance(piece.recipe, Plate) and side_texts(project, piece)
    said_already = plain and piece.count == 1 and not piece.cuts
    sizes = [value for value in sorted(extents, reverse=True) if value > 1e-9]
    spans = [] if said_already else [_sizes(", ", sizes)]
    material = next((item for item in project.materials if item.name == piece.material), None)
    if material is not None and material.density is not None and volume is not None:
        said = Figures()
        spans.append(
            said.span(f", {said.of(volume * project.number(material, 'density'), 'mass', 3)}")
        )
    return spans


def _sizes(before: str, extents: Sequence[float], after: str = "") -> Span:
    """'200 × 120 × 3 mm' with all digits of each."""
    words = " × ".join(f"{shown.value(value, 'length'):.4g}" for value in extents)
    unit = shown.unit("length")
    full = tuple(
        (
            f"{shown.value(value, 'length'):.4g} {unit}",
            f"{shown.value(float(value), 'length')!r} {unit}",
        )
        for value in extents
    )
    return Span(f"{before}{words} {unit}{after}", figures=full)


def _needs(project: Project) -> dict[str, str]:
    """Which properties the runs that are switched on need, with what needs them."""
    acting = {entry.load for case in project.cases for entry in case.loads}
    kinds = {load.kind for load in project.loads if load.name in acting}
    return {
        "youngs_modulus": "every run",
        "poisson_ratio": "every run",
        **({"density": "the weight"} if "weight" in kinds else {}),
        **({"expansion": "the change of temperature"} if "temperature" in kinds else {}),
        **(
            {"yield_strength": "its yield points"}
            if any(item.hardening for item in project.materials)
            else {}
        ),
    }


def _material_sentence(project: Project, index: int) -> Sentence:
    material, needs = project.materials[index], _needs(project)
    spans = [name_span(material.name, ("materials", index)), Span(": ")]
    for number, (words, field, kind) in enumerate(
        (
            ("E", "youngs_modulus", "stress"),
            ("ν", "poisson_ratio", "number"),
            ("yield", "yield_strength", "stress"),
            ("density", "density", "density"),
            ("expansion", "expansion", "expansion"),
        )
    ):
        text = getattr(material, field)
        if field == "expansion" and text is None and field not in needs:
            continue
        spans.append(Span(f"{', ' if number else ''}{words} "))
        missing = f"needed by {needs[field]}" if field in needs else "not given"
        spans.append(
            Span(
                text or missing,
                ("materials", index, field),
                kind,
                tone="bad" if text is None and field in needs else "",
            )
        )
    for row, (strain, stress) in enumerate(material.hardening):
        path = ("materials", index, "hardening", row)
        spans += [
            Span(", " if row else "; beyond yield "),
            value_span(stress, (*path, 1), "stress"),
            Span(" at "),
            value_span(strain, (*path, 0), "number"),
            Span(" plastic strain"),
        ]
    if material.yield_strength is not None:
        points = list(material.hardening)
        more = [*points, _next_point(project, material)]
        choices = [("add a point", [list(point) for point in more])]
        if points:
            choices.append(("remove the last point", [list(point) for point in points[:-1]]))
        spans += [
            Span("; "),
            Span(
                "points" if points else "no hardening",
                ("materials", index, "hardening"),
                choices=tuple(choices),
                act=bool(points),
            ),
        ]
    return (*spans, Span("."))


def _next_point(project: Project, material: Material) -> tuple[str, str]:
    """A point of plastic strain and stress beyond the last one, to begin with."""
    strain, stress = 0.0, project.number_if(material, "yield_strength") or 1.0
    if material.hardening:
        strain, stress = project.evaluated(material)["hardening"][-1]
    return f"{max(2 * strain, 0.01) * 100:.4g} %", shown.stated(1.1 * stress, "stress", 4)


def scribe_sentences(project: Project) -> list[Sentence]:
    """One sentence per scribe."""
    found: list[Sentence] = []
    for index, item in enumerate(project.scribes):
        path = ("scribes", index)
        on = item.face or (f"the picked {item.pick.kind} face" if item.pick is not None else "")
        spans = [name_span(item.name, path), Span(" is scribed: ")]
        if isinstance(item, ScribeLine):
            if item.between is not None:
                spans += [
                    Span("a line between "),
                    *component_spans(item.between[0], (*path, "between", 0), "length"),
                    Span(" and "),
                    *component_spans(item.between[1], (*path, "between", 1), "length"),
                    Span(f" on {on}"),
                ]
            else:
                ways = tuple((way, way) for way in ("lengthwise", "crosswise"))
                spans += [
                    Span("a line "),
                    Span(item.run, (*path, "run"), choices=ways),
                    Span(f" on {on}, "),
                    value_span(item.offset, (*path, "offset"), "length"),
                    Span(" from its middle"),
                ]
        else:
            spans += [
                Span("a circle Ø " if item.hole is None else "a washer Ø "),
                value_span(item.diameter, (*path, "diameter"), "length"),
            ]
            if item.hole is not None:
                spans += [Span(" round Ø "), value_span(item.hole, (*path, "hole"), "length")]
            spans.append(Span(f" on {on}, " + ("in its middle" if item.at is None else "at ")))
            if item.at is not None:
                spans += component_spans(item.at, (*path, "at"), "length")
        found.append((*spans, Span(".")))
    return found


def parameter_sentences(project: Project) -> list[Sentence]:
    """One sentence per parameter."""
    return [
        (
            Span(
                name,
                ("parameters", name, "name"),
                "text",
                strong=True,
                subject=("parameters", name),
            ),
            Span(" = "),
            Span(text, ("parameters", name), "any"),
            Span("."),
        )
        for name, text in project.parameters.items()
    ]
