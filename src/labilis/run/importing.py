"""Projects made of the bodies of files, and files added to or taken out of a project: pure
functions on statements."""

from __future__ import annotations

from collections.abc import Sequence

from labilis.model import (
    GRADES,
    Corner,
    Geometry,
    LabilisError,
    LoadCase,
    Opening,
    Piece,
    Plate,
    Project,
    Recipe,
    Section,
    Strut,
    shown,
)
from labilis.shape.dxf import Outlines, read_outlines
from labilis.shape.proposal import BodyInfo

STEEL = GRADES[0]


def new_project(bodies: Sequence[BodyInfo], file: str, sha: str, title: str) -> Project:
    """A project of all bodies of a file, each meshed as proposed; what is proposed to carry
    nothing is set aside."""
    return Project(
        name=title,
        geometry=(Geometry(file=file, sha256=sha),),
        materials=(STEEL,),
        pieces=tuple(_pieces(bodies, file, STEEL.name, set(), title)),
        cases=(LoadCase(name="service"),),
    )


def add_file(project: Project, bodies: Sequence[BodyInfo], file: str, sha: str) -> Project:
    """The project with the bodies of a further file. Raises LabilisError when it has a file of
    that name."""
    if any(item.file == file for item in project.geometry):
        raise LabilisError(
            f"The project has a file called '{file}' already.",
            "part",
            "Read it as a revision, or give it another name.",
            "file-name",
        )
    taken = {name for piece in project.pieces for name in (piece.name, *piece.instances)} | {
        item.name for item in project.scribes
    }
    materials = list(project.materials) or [STEEL]
    material = next(
        (piece.material for piece in project.pieces if piece.material), materials[0].name
    )
    return project.changed(
        geometry=[*project.geometry, Geometry(file=file, sha256=sha)],
        materials=materials,
        pieces=[*project.pieces, *_pieces(bodies, file, material, taken, file.rsplit(".", 1)[0])],
    )


def with_outline(
    project: Project, data: bytes, file: str, thickness: str = "", length: str = ""
) -> tuple[Project, str, str]:
    """(the project with a plate of a DXF outline, or a strut of that section where a length is
    given, its name, what was read in words). Raises LabilisError for what is no outline, and unless
    one of thickness and length is given."""
    if bool(thickness) == bool(length):
        raise LabilisError(
            "An outline makes a plate of a thickness or a strut of a length.",
            file,
            "Give one of the two.",
            "outline-of",
        )
    found = read_outlines(data, file)
    name = project.free_name(
        "pieces", file.rsplit(".", 1)[0].replace("/", " ").replace(".", " ").strip() or "plate"
    )
    if not project.materials:
        project = project.changed(materials=[STEEL])
    plate = Plate(outline=found.outline, thickness=thickness, openings=found.openings)
    recipe, words = (plate, _sides(found)) if thickness else _strut(found, length)
    piece = Piece(
        name=name,
        recipe=recipe,
        material=project.materials[0].name,
        mesh_as="shell" if thickness else "solid",
    )
    changed = project.with_item("pieces", piece)
    changed = changed if changed.cases else changed.changed(cases=[LoadCase(name="service")])
    return (
        changed,
        name,
        f"{words}, {shown.area(found.area, 6)} in all; unit of the file: {found.unit}",
    )


def _sides(found: Outlines) -> str:
    holes = (
        f", {len(found.openings)} opening{'s' if len(found.openings) != 1 else ''}"
        if found.openings
        else ""
    )
    return f"{len(found.outline)} sides{holes}"


def _strut(found: Outlines, length: str) -> tuple[Recipe, str]:
    """A strut with the outline as its section, about the middle of the drawing."""
    low, high = found.extent
    x, y = (f"{c:.10g} mm" for c in 0.5 * (low + high))

    def about(item: Corner | Opening) -> dict[str, str]:
        return {"x": _less(item.x, x), "y": _less(item.y, y)}

    section = Section(
        shape="outline",
        outline=tuple(corner.model_copy(update=about(corner)) for corner in found.outline),
        openings=tuple(opening.model_copy(update=about(opening)) for opening in found.openings),
    )
    return Strut(section=section, length=length), f"section of {_sides(found)}"


def _less(text: str, middle: str) -> str:
    """The difference of two lengths in mm."""
    return f"{float(text.split()[0]) - float(middle.split()[0]):.10g} mm"


def _pieces(
    bodies: Sequence[BodyInfo], file: str, material: str, taken: set[str], title: str
) -> list[Piece]:
    found = []
    for body in bodies:
        base = title if body.name == "body" else body.name
        name, count = base, 1
        while name in taken:
            count += 1
            name = f"{base} {count}"
        taken.add(name)
        found.append(
            Piece(
                name=name,
                geometry=file,
                body=body.number,
                material=material,
                mesh_as=body.mesh_as,
                thickness=body.thickness,
                set_aside=body.aside,
            )
        )
    return found


def told(bodies: Sequence[BodyInfo]) -> list[str]:
    """What is proposed for each body, a sentence each, many of one kind together; before them what
    the file did not bring."""
    groups: dict[tuple[str, str, str, bool, str], list[str]] = {}
    for body in bodies:
        groups.setdefault(
            (body.mesh_as, body.reason, body.other, body.aside, body.why_aside), []
        ).append(body.name)
    said = bodies[0].missing if bodies else ""
    found = [f"The file is not whole: {said}. Export it again."] if said else []
    for (mesh_as, reason, other, aside, why), names in groups.items():
        whose = names[0] if len(names) == 1 else f"{names[0]} and {len(names) - 1} more"
        either = f"; {other}s would do as well" if other else ""
        proposed = f"{mesh_as}{'s' if mesh_as == 'shell' else ''}, {reason}{either}"
        found.append(f"{whose}: set aside, {why}." if aside else f"{whose}: {proposed}.")
    return found
