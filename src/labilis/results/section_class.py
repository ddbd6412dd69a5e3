"""Which sections may yield all over before their walls buckle: class 1 or 2 of EN 1993-1-1:2005,
table 5.2."""

from __future__ import annotations

import math

_THIN = 1.5  # times the thickness of its walls that a thin section's radius of gyration is at least
# EN 1993-1-1, table 5.2, class 2: widths over thicknesses of parts in compression, diameter over
# thickness of round tubes, at 235 MPa and 210,000 MPa (other moduli: EN 1993-1-4:2006, 5.2.2)
_INNER, _OUTSTAND, _TUBE = 38.0, 10.0, 70.0


def thin_section(area: float, i_min: float, thickness: float) -> bool:
    """Whether a section, mm² and mm⁴, is far wider than its walls are thick, mm."""
    return math.sqrt(i_min / area) > _THIN * thickness


def compact_section(
    area: float,
    i_min: float,
    thickness: float,
    wall: tuple[float, float, str] | None,
    radius: float,
    yield_strength: float,
    modulus: float,
) -> bool:
    """Whether a section yields all over before a wall of it buckles, whatever it carries: area mm²,
    i_min mm⁴, thickness mm; wall: width and thickness (mm) and edges of the slimmest flat one, as
    in `Wall`; radius mm of a round tube's wall, 0 for others; strength and modulus MPa. A section
    that is thin and of whose walls nothing is known is not; nor is one whose slimmest wall is close
    to its class's bound, as another may be held along one edge only."""
    square = 235.0 / yield_strength * modulus / 210e3
    if radius > 0:
        return 2 * radius + thickness <= _TUBE * square * thickness
    width, thick, edges = (0.0, 0.0, "") if wall is None else wall
    if not edges:  # a bar, or a flat that is all of the section
        return not thin_section(area, i_min, thickness)
    slim = width / thick / math.sqrt(square)
    # the slimmest is that of the least buckling stress: an outstand beside an inner wall is at most
    # √(0.43 / 4) times as wide for its thickness
    beside = math.sqrt(0.43 / 4.0)
    if edges.startswith("both"):
        return slim <= _INNER and slim * beside <= _OUTSTAND
    return slim <= _OUTSTAND
