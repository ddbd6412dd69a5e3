"""Plane paths of recipes: what an outline, its openings, a folded profile or a section come to,
and whether that can be made. No geometry kernel here; lengths in mm."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from labilis.model import Corner, FoldedSheet, LabilisError, Opening, Plate, Recipe, Strut, shown
from labilis.shape.profile import (
    Run,
    area_of,
    circle,
    counted,
    crosses_itself,
    inside,
    offset_band,
    points_of,
    rounded_path,
    slot,
)
from labilis.shape.recipes.sections import SectionShape, section_shape

Read = Callable[[str, str], float]  # text, kind of quantity -> number in mm or rad


def positive(value: float, what: str, where: str) -> float:
    if value <= 0:
        raise LabilisError(
            f"The {what} is {shown.length(value)}.", where, "Give a positive length.", "recipe"
        )
    return value


def outward(paths: list[list[Run]]) -> list[list[Run]]:
    """First path counter-clockwise, the others clockwise."""
    return [
        path
        if (area_of(path) > 0) == (number == 0)
        else [replace(run, start=run.end, end=run.start) for run in reversed(path)]
        for number, path in enumerate(paths)
    ]


def opening_path(item: Opening, read: Read, where: str) -> list[Run]:
    x, y = read(item.x, "length"), read(item.y, "length")
    diameter = positive(read(item.diameter, "length"), "diameter", f"{where}/diameter")
    if item.length is None:
        return circle((x, y), diameter / 2)
    length = positive(read(item.length, "length"), "length of the slot", f"{where}/length")
    return slot((x, y), diameter, length, read(item.angle, "angle"))


def fits(outline: list[Run], openings: list[list[Run]], where: str, whose: str) -> None:
    """Raises LabilisError for an outline that crosses itself, for an opening that reaches
    outside it, and for two that overlap."""
    if crosses_itself(outline):
        raise LabilisError(
            "The outline crosses itself.",
            f"{where}/outline",
            "Put its corners in order.",
            "outline",
        )
    border = points_of(outline)
    for number, path in enumerate(openings):
        points = points_of(path)
        if not inside(points, border).all():
            raise LabilisError(
                f"Opening {number + 1} reaches outside its {whose}.",
                f"{where}/openings/{number}",
                "Move it or make it smaller.",
                "opening",
            )
        for other in openings[:number]:
            if inside(points, points_of(other)).any() or inside(points_of(other), points).any():
                raise LabilisError(
                    f"Opening {number + 1} overlaps another.",
                    f"{where}/openings/{number}",
                    "Move one of them.",
                    "opening",
                )


def outline_path(stated: Sequence[Corner], read: Read, where: str) -> list[Run]:
    """The closed path through stated corners."""
    corners = [(read(c.x, "length"), read(c.y, "length"), read(c.radius, "length")) for c in stated]
    return rounded_path(corners, True, where, [read(c.bow, "number") for c in stated])


def folded_paths(recipe: FoldedSheet, read: Read, where: str) -> tuple[list[Run], list[Run]]:
    """(mid-line, outline) of a folded sheet's profile. Raises LabilisError where it cannot be
    folded so."""
    t = positive(read(recipe.thickness, "length"), "thickness", f"{where}/thickness")
    bend = read(recipe.bend, "length")
    if bend < 0:
        raise LabilisError(
            f"An inside bend radius of {shown.length(bend)} is below zero.",
            f"{where}/bend",
            "Give zero for a sharp fold.",
            "radius",
        )
    corners = [
        (read(x, "length"), read(y, "length"), bend + t / 2 if bend > 0 else 0.0)
        for x, y in recipe.profile
    ]
    middle = rounded_path(corners, False, f"{where}/profile")
    band = offset_band(middle, t)
    if crosses_itself(band):
        raise LabilisError(
            "The folded sheet runs into itself.", f"{where}/profile", "Open its folds.", "outline"
        )
    return middle, band


def section_of(recipe: Strut, read: Read, where: str) -> SectionShape:
    """Outline and walls of a strut's section."""
    stated = recipe.section
    if stated.shape == "outline":
        outline = outline_path(stated.outline, read, f"{where}/section/outline")
        openings = [
            opening_path(item, read, f"{where}/section/openings/{number}")
            for number, item in enumerate(stated.openings)
        ]
        fits(outline, openings, f"{where}/section", "section")
        paths = [outline]
        count = len(stated.outline)
        for path in openings:
            paths.append(counted(path, count))
            count += len(path)
        return SectionShape((tuple(tuple(path) for path in outward(paths)),))
    sizes = {
        name: read(text, "length")
        for name in ("width", "height", "diameter", "thickness", "web", "gap", "flange", "radius")
        if (text := getattr(stated, name)) is not None
    }
    try:
        return section_shape(
            stated.shape, sizes, [(read(x, "length"), read(y, "length")) for x, y in stated.corners]
        )
    except LabilisError as error:
        raise LabilisError(
            error.what, f"{where}/{error.where}", error.remedy, error.code
        ) from error


def plane_paths(recipe: Recipe, read: Read, where: str) -> list[list[Run]]:
    """What a recipe looks like in its own x and y: an outline and its openings; of a folded sheet
    the outline of its profile, then the mid-line. Nothing for recipes without an outline. Raises
    LabilisError where it cannot be made."""
    if isinstance(recipe, Plate):
        outline = outline_path(recipe.outline, read, f"{where}/outline")
        openings = [
            opening_path(item, read, f"{where}/openings/{number}")
            for number, item in enumerate(recipe.openings)
        ]
        fits(outline, openings, where, "plate")
        return [outline, *openings]
    if isinstance(recipe, FoldedSheet):
        middle, band = folded_paths(recipe, read, where)
        return [band, middle]
    if isinstance(recipe, Strut) and recipe.section.shape in ("polygon", "outline"):
        return [list(path) for face in section_of(recipe, read, where).outlines for path in face]
    return []
