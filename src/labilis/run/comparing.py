"""Designs side by side: what differs, and what makes their figures hard to compare."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from labilis.edit.variants import differences
from labilis.model import CLASS_FACTORS, RESPONSES, Project, shown
from labilis.run.report import ProjectReport
from labilis.run.trials.ranking import error_in, response_text

_LIKE = 1.05  # of element sizes that count as alike


def finest_size(reports: Sequence[ProjectReport]) -> float | None:
    """The shortest element size (mm) of several runs where they differ, None where they are
    alike."""
    sizes = [report.mesh.size for report in reports if report.mesh is not None]
    return min(sizes) if len(sizes) > 1 and max(sizes) / min(sizes) > _LIKE else None


def compared(designs: Sequence[Project], reports: Sequence[ProjectReport]) -> list[str]:
    """Sentences on meshes, element families and required factors in which two designs differ."""
    found = []
    one, two = (report.mesh for report in reports)
    if one is not None and two is not None:
        if max(one.size / two.size, two.size / one.size) > _LIKE:
            found.append(
                f"Their meshes differ: elements of {shown.length(one.size, 3)} and "
                f"{shown.length(two.size, 3)}. The mesh errors say what "
                "that can make; mesh both alike by stating a size."
            )
        if one.order != two.order:
            found.append("One is meshed with elements of first order, which are too stiff.")
    ways = [{piece.name: piece.mesh_as for piece in design.active_pieces} for design in designs]
    if changed := [name for name, way in ways[0].items() if ways[1].get(name, way) != way]:
        found.append(
            f"{', '.join(changed)} {'is' if len(changed) == 1 else 'are'} meshed in another way "
            "(solid, shell or line)."
        )
    asked = [
        [design.number(design.criteria, field) for field in CLASS_FACTORS.values()]
        for design in designs
    ]
    if asked[0] != asked[1]:
        found.append("Their required factors differ.")
    return found


@dataclass(frozen=True)
class Beside:
    """A row of designs side by side: its title, a text for each design, and the response that
    they are figures of, '' for none."""

    title: str
    texts: tuple[str, ...]
    response: str = ""


def side_by_side(
    designs: Sequence[Project], figures: Sequence[Mapping[str, Any] | None], verdicts: Sequence[str]
) -> list[Beside]:
    """What differs in what is stated, then every response with its change against the first
    design's, driver and kind, and the verdict.
    figures: what `figures_of` gives of each, None where it was not run."""
    first = designs[0]
    changes = [
        {place: (here, there) for place, here, there in differences(first, design)}
        for design in designs
    ]
    rows = []
    for where in dict.fromkeys(place for change in changes[1:] for place in change):
        own = next(change[where][0] for change in changes if where in change)
        rows.append(
            Beside(
                where.removeprefix("parameters/"),
                tuple((change[where][1] if where in change else own) or "–" for change in changes),
            )
        )
    rows += [
        Beside(name, tuple(_with_change(name, found, figures[0]) for found in figures), name)
        for name in RESPONSES
    ]
    rows.append(
        Beside(
            "driver, kind",
            tuple(
                "–" if found is None else f"{found['driver']}, {found['kind']}" for found in figures
            ),
        )
    )
    return [*rows, Beside("verdict", tuple(verdict or "not run" for verdict in verdicts))]


def worst_headline(report: ProjectReport) -> str:
    """The verdict of the case that is worst off."""
    worst = min(report.cases, key=lambda case: {False: 0, None: 1, True: 2}[case.verdict.meets])
    return str(worst.verdict.headline)


def _with_change(
    name: str, found: Mapping[str, Any] | None, first: Mapping[str, Any] | None
) -> str:
    if found is None:
        return "–"
    value = float(found["responses"][name])
    words = response_text(name, value, error_in(found, name))
    if first is None or found is first:
        return words
    base = float(first["responses"][name])
    return (
        f"{words}  ({100 * (value / base - 1):+.1f} %)"
        if math.isfinite(value) and math.isfinite(base) and base
        else words
    )
