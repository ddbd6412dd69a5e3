"""Parts made by the tests, as STEP bytes, and projects about them."""

from __future__ import annotations

import hashlib
import tempfile
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from labilis.model import (
    CaseLoad,
    Criteria,
    ForceLoad,
    Geometry,
    Hub,
    LoadCase,
    Material,
    MeshPlan,
    Piece,
    Project,
    Region,
    Support,
)
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.run.picking import make_pick
from labilis.shape import BodyShape, build_body, read_step

STEEL = Material(
    name="steel",
    youngs_modulus="210 GPa",
    poisson_ratio="0.3",
    density="7850 kg/m^3",
    yield_strength="235 MPa",
)


def to_step(shape: Any, schema: str = "AP214IS", unit: str = "MM") -> bytes:
    """A shape as STEP."""
    from OCP.Interface import Interface_Static
    from OCP.STEPControl import STEPControl_AsIs, STEPControl_Writer

    writer = STEPControl_Writer()
    Interface_Static.SetCVal_s("write.step.schema", schema)
    Interface_Static.SetCVal_s("write.step.unit", unit)
    writer.Transfer(shape, STEPControl_AsIs)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "part.step"
        writer.Write(str(path))
        Interface_Static.SetCVal_s("write.step.unit", "MM")
        return path.read_bytes()


def box(x: float, y: float, z: float, at: tuple[float, float, float] = (0, 0, 0)) -> Any:
    """A block."""
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox
    from OCP.gp import gp_Pnt

    return BRepPrimAPI_MakeBox(gp_Pnt(*at), x, y, z).Solid()


@lru_cache
def bar_step(length: float = 240.0, width: float = 16.0, thickness: float = 4.0) -> bytes:
    """Plain rectangular strut along x."""
    return to_step(box(length, width, thickness))


@lru_cache
def bored_step(
    length: float = 320.0, width: float = 18.0, height: float = 8.0, bore: float = 4.0
) -> bytes:
    """Rectangular strut along x with bores along y at x = 0 and x = length; height (z) less than
    width (y), so that it bends about the bores' axis."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder
    from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

    part = box(length + 2 * height, width, height, (-height, 0, -height / 2))
    for x in (0.0, length):
        hole = BRepPrimAPI_MakeCylinder(
            gp_Ax2(gp_Pnt(x, -1, 0), gp_Dir(0, 1, 0)), bore / 2, width + 2
        ).Shape()
        part = BRepAlgoAPI_Cut(part, hole).Shape()
    return to_step(part)


@lru_cache
def body_of(data: bytes) -> BodyShape:
    """First body of a STEP file."""
    return build_body(read_step(data)[0][0][1])


def face_towards(body: BodyShape, direction: tuple[float, float, float]) -> int:
    """The plane face whose outward normal points most in a direction."""
    planes = np.flatnonzero(body.faces.kind == "plane")
    return int(planes[np.argmax(body.faces.direction[planes] @ np.array(direction))])


def bores(body: BodyShape) -> list[int]:
    """Bores in order of x."""
    found = np.flatnonzero(body.faces.inner & (body.faces.kind == "cylinder"))
    return [int(index) for index in found[np.argsort(body.faces.centroid[found, 0])]]


def start(data: bytes, name: str = "part.step", **fields: Any) -> Project:
    """A project on one body, in steel."""
    base = dict(
        geometry=[Geometry(file=name, sha256=hashlib.sha256(data).hexdigest())],
        materials=[STEEL],
        pieces=[Piece(name="part", geometry=name, material="steel")],
    )
    return Project(**{**base, **fields})


def region(body: BodyShape, name: str, *faces: int) -> Region:
    """Region of faces."""
    return Region(
        name=name, piece="part", picks=tuple(make_pick(body.view, "face", face) for face in faces)
    )


def cantilever(
    data: bytes, push: str = "-1 kN", size: str | None = None, order: int = 2, **fields: Any
) -> Project:
    """A bar along x, fixed at its low end, pushed along x at its high end."""
    body = body_of(data)
    return start(
        data,
        regions=[
            region(body, "foot", face_towards(body, (-1, 0, 0))),
            region(body, "head", face_towards(body, (1, 0, 0))),
        ],
        supports=[Support(name="foot fixed", on="foot", held=("x", "y", "z"))],
        loads=[ForceLoad(name="push", on="head", components=(push, "0 N", "0 N"))],
        cases=[LoadCase(name="service", loads=(CaseLoad(load="push"),))],
        mesh=MeshPlan(size=size, order=order),
        **{"criteria": Criteria(modes=4), **fields},
    )


def pinned(data: bytes, push: str = "-1 kN", size: str | None = None, **fields: Any) -> Project:
    """A bored bar along x, both bores on pins along y, the high one free to slide along x."""
    body = body_of(data)
    low, high = bores(body)
    return start(
        data,
        regions=[region(body, "low bore", low), region(body, "high bore", high)],
        hubs=[Hub(name="low pin", region="low bore"), Hub(name="high pin", region="high bore")],
        supports=[
            Support(name="low", on="low pin", held=("x", "y", "z", "turn_x", "turn_z")),
            Support(name="high", on="high pin", held=("y", "z", "turn_x", "turn_z")),
        ],
        loads=[ForceLoad(name="push", on="high pin", components=(push, "0 N", "0 N"))],
        cases=[LoadCase(name="service", loads=(CaseLoad(load="push"),))],
        mesh=MeshPlan(size=size),
        **{"criteria": Criteria(modes=3), **fields},
    )


def run(project: Project, data: bytes, upto: str = "modes") -> Any:
    """Results judged."""
    results = Runner().run(Snapshot(project, {hashlib.sha256(data).hexdigest(): data}), Plan(upto))  # type: ignore[arg-type]
    return judge_project(project, results)


def first_factor(project: Project, data: bytes) -> float:
    """First positive factor of the first case."""
    return float(run(project, data).cases[0].facts.modes.positive[0])


def evidence(report: Any, name: str) -> Any:
    """A piece of evidence of the first case by name, or None."""
    return next((item for item in report.cases[0].evidence if item.name == name), None)
