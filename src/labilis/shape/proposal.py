"""How each body of a file may be meshed, proposed from what it is, with the reason; and which
bodies carry nothing."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np

from labilis.model import LabilisError, shown
from labilis.shape.midsurface import find_midsurface
from labilis.shape.missing import missing_in
from labilis.shape.step import damaged, loose_faces, read_bodies, solids_of
from labilis.shape.topology import BodyShape, build_body

# of the volume that may lie outside of walls, or be counted twice, in a body that shells stand for
_WALLS = 0.03
_EITHER = 0.10  # the same up to which both ways are offered
_WIDE = 5.0  # thicknesses that every wall is wide at least
_TINY = 1e-5  # of the largest body's volume: markers and shavings
_ASSUMED = "2 mm"  # thickness of a surface until it is stated
# names that fasteners go by in drawings' lists of parts
_FASTENER = re.compile(
    r"(?i)\b(bolt|screw|nut|washer|rivet|stud|din\s*\d|iso\s*(4014|4017|4032|4762|7089|7090|10642)|m\d{1,2}\s*x\s*\d)"
)


@dataclass(frozen=True)
class BodyInfo:
    """What a file holds: number from 1, name in the file, length unit of the file, volume in mm³, 0
    of a surface; mesh_as with the reason in
    words; other: the way that would do as well, '' for none; thickness of a surface, or None;
    aside: it is proposed to carry nothing, because of `why_aside`; alike: number of the first body
    of the same shape; missing: what of the file did not come out as its bodies, '' where all
    did."""

    number: int
    name: str
    unit: str
    volume: float
    mesh_as: Literal["solid", "shell"] = "solid"
    reason: str = ""
    other: str = ""
    thickness: str | None = None
    aside: bool = False
    why_aside: str = ""
    alike: int = 0
    missing: str = ""


def list_bodies(data: bytes, file: str = "part.step") -> list[BodyInfo]:
    """What a STEP or STL file holds, for making pieces of it: each body with a proposal.
    Identical bodies are looked at once."""
    with damaged(file):
        bodies, unit = read_bodies(data, file)
        said = "" if file.lower().endswith(".stl") else missing_in(data, bodies)
        return [replace(info, missing=said) for info in _set_aside(_bodies(bodies, unit))]


def _bodies(bodies: Sequence[tuple[str, Any]], unit: str) -> list[BodyInfo]:
    known: list[tuple[BodyShape, BodyInfo]] = []
    found = []
    names = unique_names([name for name, _ in bodies])
    for number, (name, (_, shape)) in enumerate(zip(names, bodies), 1):
        solids = solids_of(shape)
        if not solids:
            count = len(loose_faces(shape))
            found.append(
                BodyInfo(
                    number,
                    name,
                    unit,
                    0.0,
                    "shell",
                    f"{count} face{'s' if count > 1 else ''} without a solid: shells whose "
                    "thickness has to be stated",
                    thickness=_ASSUMED,
                    alike=number,
                )
            )
            continue
        body = build_body(solids[0])
        twin = next((info for other, info in known if _same(other, body)), None)
        info = (
            replace(twin, number=number, name=name)
            if twin is not None
            else _proposed(body, number, name, unit)
        )
        if twin is None:
            known.append((body, info))
        found.append(info)
    return found


def unique_names(names: Sequence[str]) -> list[str]:
    """Names of bodies, numbered where they repeat."""
    found: list[str] = []
    for name in names:
        count, new = 1, name
        while new in found:
            count += 1
            new = f"{name} {count}"
        found.append(new)
    return found


def _same(one: BodyShape, two: BodyShape) -> bool:
    """Whether two bodies are the same but for where they stand: volume, faces and edges, told by
    their figures."""
    if (
        len(one.faces) != len(two.faces)
        or len(one.edges) != len(two.edges)
        or abs(one.volume / two.volume - 1) > 1e-6
    ):
        return False
    return bool(
        np.allclose(np.sort(one.faces.area), np.sort(two.faces.area), rtol=1e-6)
        and np.allclose(np.sort(one.edges.length), np.sort(two.edges.length), rtol=1e-6)
    )


def _proposed(body: BodyShape, number: int, name: str, unit: str) -> BodyInfo:
    info = BodyInfo(number, name, unit, body.volume, alike=number)
    try:
        found = find_midsurface(body, name)
    except LabilisError as error:
        return replace(
            info,
            reason="it is not thin"
            if error.code == "not-thin"
            else f"shells cannot be made of it ({error.what})",
        )
    except Exception as error:  # the geometry kernel gives up on some shapes in ways of its own
        return replace(info, reason=f"its walls cannot be told ({type(error).__name__})")
    thick = sorted({round(sheet.thickness, 2) for sheet in found.sheets})
    walls = (
        shown.length(thick[0])
        if len(thick) == 1
        else f"{shown.value(thick[0], 'length'):.4g} to {shown.length(thick[-1])}"
    )
    off = abs(found.deviation)
    if off <= _WALLS and found.width >= _WIDE:
        return replace(
            info,
            mesh_as="shell",
            reason=f"walls of {walls} make up {100 * found.covered:.0f} % of it",
        )
    if found.width < _WIDE and off <= _WALLS:
        return replace(
            info,
            other="shell",
            reason=f"its walls of {walls} are only {found.width:.2g} times as wide as they are "
            "thick",
        )
    if off <= _EITHER:
        return replace(
            info,
            other="shell",
            reason=f"walls of {walls} make up {100 * found.covered:.0f} % of it only",
        )
    return replace(info, reason=f"walls make up {100 * found.covered:.0f} % of it only")


def _set_aside(found: list[BodyInfo]) -> list[BodyInfo]:
    """Fasteners and what is tiny beside the rest carry nothing unless everything is of that
    kind."""
    largest = max((info.volume for info in found), default=0.0)

    def why(info: BodyInfo) -> str:
        if _FASTENER.search(info.name):
            return "it is a fastener by its name"
        return "it is tiny beside the rest" if 0 < info.volume < _TINY * largest else ""

    judged = [replace(info, aside=bool(why(info)), why_aside=why(info)) for info in found]
    return judged if any(not info.aside for info in judged) else found
