"""Outlines from DXF: closed paths of lines and arcs in the plane, in mm. The file is read by
ezdxf."""

from __future__ import annotations

import io
import logging
import math
import warnings
from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

import numpy as np

from labilis.model import Corner, LabilisError, Opening
from labilis.shape.profile import (
    Run,
    arc_of,
    area_of,
    crosses_itself,
    inside,
    points_of,
    rounded_path,
)

_MM = {
    0: 1.0,
    1: 25.4,
    2: 304.8,
    4: 1.0,
    5: 10.0,
    6: 1000.0,
}  # of the file's units ($INSUNITS); without one millimetres are taken
_TOUCH = 1e-6  # of the drawing's size: ends that lie nearer to each other are one
_LOOK = (
    "TEXT",
    "MTEXT",
    "DIMENSION",
    "LEADER",
    "MULTILEADER",
    "HATCH",
    "POINT",
    "VIEWPORT",
    "ATTDEF",
    "ATTRIB",
)  # says, and is no edge
_MOST = 8_000_000  # bytes
_STRAIGHT = 1e-7  # bows under it raise a side by less than a ten-millionth of its length
_LIKE = 1e-6  # of lengths and angles that count as alike in a hole or a slot


class Stretch(NamedTuple):
    """From (x, y) to (x, y), mm, with its bow as in `Corner`."""

    start: tuple[float, float]
    end: tuple[float, float]
    bow: float


class Outlines(NamedTuple):
    """outline: corners, counter-clockwise; openings in it; area mm² with them taken out; unit: what
    the file says its lengths are in;
    extent: least and largest x and y of the outline, mm."""

    outline: tuple[Corner, ...]
    openings: tuple[Opening, ...]
    area: float
    unit: str
    extent: tuple[Any, Any]


def _entities(data: bytes, file: str) -> tuple[list[Any], int]:
    """What the file draws, blocks taken apart, and the number of its unit."""
    if len(data) > _MOST:
        raise LabilisError(
            f"The file has {len(data) / 1e6:.0f} MB; an outline needs a few kB.",
            file,
            "Export the outline alone.",
            "dxf",
        )
    try:
        import ezdxf
        from ezdxf import recover
        from ezdxf.disassemble import recursive_decompose

        # it warns of damaged files, with bytes in what it says that are no text
        logging.getLogger("ezdxf").setLevel(logging.CRITICAL + 1)
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            drawing, _ = recover.read(io.BytesIO(data))
            entities = list(recursive_decompose(drawing.modelspace()))
            unit = int(drawing.header.get("$INSUNITS", 0))
    except (
        ezdxf.DXFError,
        OSError,
        ValueError,
        IndexError,
        KeyError,
        TypeError,
        AttributeError,
    ) as error:
        raise LabilisError(
            f"This is not a DXF file that can be read ({_text(error)}).",
            file,
            "Export the outline again, as DXF of 2D lines and arcs.",
            "dxf",
        ) from error
    if unit not in _MM:
        raise LabilisError(
            f"The unit of the file's lengths (number {unit}) is not known here.",
            file,
            "Export it in mm.",
            "dxf-unit",
        )
    return entities, unit


def read_outlines(data: bytes, file: str) -> Outlines:
    """The one outline of a DXF file with its round holes and slots. Raises LabilisError, naming the
    place, for what is no closed path of lines and arcs, for several outlines, and for openings of
    another shape."""
    entities, unit = _entities(data, file)
    loops = [
        _path(loop, file)
        for loop in _loops(
            [part for entity in entities for part in _stretches(entity, _MM[unit], file)], file
        )
    ]
    if not loops:
        raise LabilisError(
            "The file holds no lines or arcs.",
            file,
            "Export the outline as lines and arcs.",
            "dxf-empty",
        )
    loops.sort(key=lambda loop: -abs(area_of(loop)))
    outer, inner = loops[0], loops[1:]
    for loop in inner:
        if not inside(points_of(loop), points_of(outer, 48)).all():
            raise LabilisError(
                f"There are several outlines: one more lies about ({_about(loop)}) mm.",
                file,
                "Keep one, or write them to files of their own.",
                "dxf-several",
            )
    openings = tuple(_opening(loop, file) for loop in inner)
    area = abs(area_of(outer)) - sum(abs(area_of(loop)) for loop in inner)
    if area_of(outer) < 0:
        outer = [Run(run.end, run.start, run.through) for run in reversed(outer)]
    return Outlines(
        tuple(_corner(run) for run in outer),
        openings,
        area,
        {0: "none, taken as mm", 1: "in", 2: "ft", 4: "mm", 5: "cm", 6: "m"}[unit],
        _extent(outer),
    )


def _text(said: object) -> str:
    """What the library says, bytes of the file that are no text shown as such."""
    return str(said).encode("utf-8", "backslashreplace").decode("utf-8")


def _stretches(entity: Any, scale: float, file: str) -> Iterator[Stretch]:
    kind = entity.dxftype()
    if kind == "LINE":
        yield _between(entity.dxf.start, entity.dxf.end, 0.0, scale)
    elif kind == "ARC":
        sweep = math.radians((entity.dxf.end_angle - entity.dxf.start_angle) % 360.0)
        yield _between(
            entity.start_point,
            entity.end_point,
            math.tan(sweep / 4.0) * (1.0 if entity.dxf.extrusion.z > 0 else -1.0),
            scale,
        )
    elif kind == "CIRCLE":
        centre, radius = entity.ocs().to_wcs(entity.dxf.center), entity.dxf.radius
        ends = [centre + (-radius, 0, 0), centre + (radius, 0, 0)]
        yield _between(ends[0], ends[1], 1.0, scale)
        yield _between(ends[1], ends[0], 1.0, scale)
    elif kind == "LWPOLYLINE" or (
        kind == "POLYLINE" and (entity.is_2d_polyline or entity.is_3d_polyline)
    ):
        corners = (
            [(*point[:2], point[2]) for point in entity.get_points("xyb")]
            if kind == "LWPOLYLINE"
            else [
                (vertex.dxf.location.x, vertex.dxf.location.y, float(vertex.dxf.get("bulge", 0.0)))
                for vertex in entity.vertices
            ]
        )
        ocs, turned = entity.ocs(), 1.0 if entity.dxf.extrusion.z > 0 else -1.0
        places = [ocs.to_wcs((x, y, 0.0)) for x, y, _ in corners]
        count = len(corners) if entity.is_closed else len(corners) - 1
        for number in range(count):
            bow = turned * corners[number][2]
            yield _between(
                places[number],
                places[(number + 1) % len(places)],
                bow if abs(bow) > _STRAIGHT else 0.0,
                scale,
            )
    elif kind not in _LOOK:
        raise LabilisError(
            f"The file holds a {_text(kind).lower()}, which is neither a line nor an arc.",
            file,
            "Turn it into lines and arcs before it is exported.",
            "dxf-kind",
        )


def _between(start: Any, end: Any, bow: float, scale: float) -> Stretch:
    return Stretch((scale * start.x, scale * start.y), (scale * end.x, scale * end.y), bow)


def _loops(stretches: Sequence[Stretch], file: str) -> Iterator[list[Stretch]]:
    """Stretches put into closed paths end to end."""
    if not stretches:
        return
    ends = np.array([point for stretch in stretches for point in (stretch.start, stretch.end)])
    if not np.isfinite(ends).all():
        raise LabilisError(
            "The file holds coordinates that are no numbers.", file, "Export it again.", "dxf"
        )
    touch = _TOUCH * max(float(np.ptp(ends, axis=0).max()), 1e-9)
    place = np.full(len(ends), -1)
    for number, point in enumerate(ends):  # one number for all ends at a place
        if place[number] < 0:
            place[(np.abs(ends - point).max(axis=1) <= touch) & (place < 0)] = number
    at: dict[int, list[int]] = {}
    keep = [row for row in range(len(stretches)) if place[2 * row] != place[2 * row + 1]]
    for row in keep:
        for end in (2 * row, 2 * row + 1):
            at.setdefault(int(place[end]), []).append(end)
    for here, meeting in at.items():
        if len(meeting) != 2:
            words = "ends there" if len(meeting) == 1 else f"{len(meeting)} lines meet there"
            raise LabilisError(
                f"The outline is not closed at ({ends[here][0]:.6g}, {ends[here][1]:.6g}) mm: "
                f"{words}.",
                file,
                "Close it, and take out lines that are no outline.",
                "dxf-open",
            )
    left = set(keep)
    while left:
        row = min(left)
        forward, loop = True, []
        while row in left:
            left.discard(row)
            stretch = stretches[row]
            loop.append(stretch if forward else Stretch(stretch.end, stretch.start, -stretch.bow))
            last = 2 * row + (1 if forward else 0)
            follows = next(end for end in at[int(place[last])] if end != last)
            row, forward = follows // 2, follows % 2 == 0
        yield loop


def _path(loop: Sequence[Stretch], file: str) -> list[Run]:
    path = rounded_path(
        [(*stretch.start, 0.0) for stretch in loop], True, file, [stretch.bow for stretch in loop]
    )
    if crosses_itself(path):
        raise LabilisError(
            f"The outline about ({_about(path)}) mm crosses itself.",
            file,
            "Draw it so that it does not.",
            "outline",
        )
    return path


def _corner(run: Run) -> Corner:
    bow = "0"
    if run.bent:
        sweep = arc_of(run)[3]
        bow = f"{math.tan(sweep / 4.0):.12g}"
    return Corner(x=f"{run.start[0]:.10g} mm", y=f"{run.start[1]:.10g} mm", bow=bow)


def _opening(loop: list[Run], file: str) -> Opening:
    """A round hole, or a slot of two half circles and two lines."""
    arcs = [arc_of(run) for run in loop if run.bent]
    radius = arcs[0][1] if arcs else 0.0
    alike = all(abs(arc[1] - radius) <= _LIKE * radius for arc in arcs)
    if (
        len(arcs) == len(loop)
        and alike
        and all(np.abs(arc[0] - arcs[0][0]).max() <= _LIKE * radius for arc in arcs)
    ):
        x, y = arcs[0][0]
        return Opening(x=f"{x:.10g} mm", y=f"{y:.10g} mm", diameter=f"{2 * radius:.10g} mm")
    if (
        len(loop) == 4
        and len(arcs) == 2
        and alike
        and all(abs(abs(arc[3]) - math.pi) <= 1e-5 for arc in arcs)
    ):
        one, two = arcs[0][0], arcs[1][0]
        x, y = 0.5 * (one + two)
        angle = math.degrees(math.atan2(two[1] - one[1], two[0] - one[0])) % 180.0
        return Opening(
            x=f"{x:.10g} mm",
            y=f"{y:.10g} mm",
            diameter=f"{2 * radius:.10g} mm",
            length=f"{float(np.linalg.norm(two - one)):.10g} mm",
            angle=f"{angle:.10g} deg",
        )
    raise LabilisError(
        f"The opening about ({_about(loop)}) mm is neither a round hole nor a slot.",
        file,
        "Cut it afterwards with a block at Part, or export the part as STEP.",
        "dxf-opening",
    )


def _extent(loop: Sequence[Run]) -> tuple[Any, Any]:
    points = np.array(
        [
            point
            for run in loop
            for point in (run.start, run.end, run.start if run.through is None else run.through)
        ]
    )
    return points.min(axis=0), points.max(axis=0)


def _about(loop: Sequence[Run]) -> str:
    low, high = _extent(loop)
    return ", ".join(f"{value:.4g}" for value in 0.5 * (low + high))
