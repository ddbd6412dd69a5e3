"""Two designs side by side: what makes their figures hard to compare."""
from __future__ import annotations

from collections.abc import Sequence

from labilis.model import CLASS_FACTORS, Project
from labilis.run.report import ProjectReport

_LIKE = 1.05  # of element sizes that count as alike


def finest_size(reports: Sequence[ProjectReport]) -> float | None:
    """The shortest element size (mm) of several runs where they differ, None where they are alike."""
    sizes = [report.mesh.size for report in reports if report.mesh is not None]
    return min(sizes) if len(sizes) > 1 and max(sizes) / min(sizes) > _LIKE else None


def compared(designs: Sequence[Project], reports: Sequence[ProjectReport]) -> list[str]:
    """Sentences on meshes, element families and required factors in which two designs differ."""
    found = []
    one, two = (report.mesh for report in reports)
    if one is not None and two is not None:
        if max(one.size / two.size, two.size / one.size) > _LIKE:
            found.append(f"Their meshes differ: elements of {one.size:.3g} mm and {two.size:.3g} mm. The mesh errors say what that "
                         "can make; mesh both alike by stating a size.")
        if one.order != two.order:
            found.append("One is meshed with elements of first order, which are too stiff.")
    ways = [{piece.name: piece.mesh_as for piece in design.active_pieces} for design in designs]
    if changed := [name for name, way in ways[0].items() if ways[1].get(name, way) != way]:
        found.append(f"{', '.join(changed)} {'is' if len(changed) == 1 else 'are'} meshed in another way (solid, shell or line).")
    asked = [[design.value(getattr(design.criteria, field), "number") for field in CLASS_FACTORS.values()] for design in designs]
    if asked[0] != asked[1]:
        found.append("Their required factors differ.")
    return found
