"""What a STEP file speaks of and does not bring: the reader leaves out what it cannot make, and
says nothing."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import lru_cache
from typing import Any

from labilis.shape.step import solids_of

# ISO 10303-21: texts in quotes, which double inside of them, and remarks
_WORDS = re.compile(rb"'(?:[^']|'')*'|/\*.*?\*/", re.DOTALL)
_HELD, _NAMED = re.compile(rb"#0*(\d+)\s*="), re.compile(rb"#0*(\d+)")
# ISO 10303-42: solids by their faces, of which one may be two kinds at once, and by what they are
# made of; those of triangles are the same solid again where they are linked to one
_SOLIDS = re.compile(
    rb"\b(?:MANIFOLD_SOLID_BREP|BREP_WITH_VOIDS|FACETED_BREP|CSG_SOLID|EXTRUDED_AREA_SOLID|"
    rb"REVOLVED_AREA_SOLID|SWEPT_DISK_SOLID)\s*\(|\bTESSELLATED_SOLID\s*\([^;]*,\s*\$\s*\)"
)


def missing_in(data: bytes, bodies: Sequence[tuple[str, Any]]) -> str:
    """In words what of a STEP file did not come out as its bodies; '' where all of it did. Solids
    that stand in several places are one."""
    gone, stated = _stated(data)
    found = []
    if gone:
        also = "" if len(gone) == 1 else f" and {len(gone) - 1} more"
        found.append(f"it refers to #{gone[0]}{also}, which it does not hold")
    read = _count([solid for _, shape in bodies for solid in solids_of(shape)])
    if read < stated:
        found.append(f"of the {stated} solids that it states {read} could be read")
    return " and ".join(found)


@lru_cache(maxsize=4)  # as many files as the reader keeps: a part is built anew at each edit
def _stated(data: bytes) -> tuple[tuple[int, ...], int]:
    """(numbers that a file refers to and does not hold, rising; how many solids it states)."""
    plain = _WORDS.sub(b"''", data)
    gone = set(_NAMED.findall(plain)) - set(_HELD.findall(plain))
    solids = sum(_SOLIDS.search(statement) is not None for statement in plain.split(b";"))
    return tuple(sorted(int(number) for number in gone)), solids


def _count(solids: list[Any]) -> int:
    """How many they are, wherever they stand."""
    from OCP.TopLoc import TopLoc_Location
    from OCP.TopTools import TopTools_IndexedMapOfShape

    different = TopTools_IndexedMapOfShape()
    for solid in solids:
        different.Add(solid.Located(TopLoc_Location()))
    return int(different.Extent())
