"""A long ring (plane strain) under outside pressure that follows it and that keeps its
direction."""

from __future__ import annotations

from typing import Any

import numpy as np

from labilis.shape import ShapeView
from validation.case import Case, edges_where, faces_at

E, NU = 210e3, 0.3
RADIUS, THICKNESS, WIDTH = (
    100.0,
    1.5,
    3.0,
)  # thin, so that it hardly matters at which radius the pressure acts
LEVY = "Levy 1884; Timoshenko and Gere 1961, art. 7.2; Boresi 1955"


def ring() -> Any:
    """Four quarters joined, so that the ring carries edges at 0, 90, 180 and 270 degrees."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder
    from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

    whole = None
    for turn in (gp_Dir(1, 0, 0), gp_Dir(0, 1, 0), gp_Dir(-1, 0, 0), gp_Dir(0, -1, 0)):
        axes = gp_Ax2(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1), turn)
        outer = BRepPrimAPI_MakeCylinder(axes, RADIUS + THICKNESS / 2, WIDTH, np.pi / 2).Shape()
        inner = BRepPrimAPI_MakeCylinder(axes, RADIUS - THICKNESS / 2, WIDTH, np.pi / 2).Shape()
        quarter = BRepAlgoAPI_Cut(outer, inner).Shape()
        whole = quarter if whole is None else BRepAlgoAPI_Fuse(whole, quarter).Shape()
    return whole


# Tangents are held at four points, where an oval does not move along them. Fewer would let the ring
# turn as a whole, which pressure of fixed direction drives by itself.
def regions(view: ShapeView) -> dict[str, list[tuple[str, int]]]:
    out = RADIUS + THICKNESS / 2
    outside = [
        ("face", int(index))
        for index in np.flatnonzero((view.faces.kind == "cylinder") & ~view.faces.inner)
    ]
    return {
        "sides": faces_at(view, 2, 0.0) + faces_at(view, 2, WIDTH),
        "outside": outside,
        "east and west": edges_where(view, 2, x=out, y=0.0) + edges_where(view, 2, x=-out, y=0.0),
        "north and south": edges_where(view, 2, x=0.0, y=out) + edges_where(view, 2, x=0.0, y=-out),
    }


def case(direction: str, times: float) -> Case:
    """Pressure in MPa; N = p (R + t/2) is compared with `times` E I / R² per unit length,
    E/(1-nu²) for plane strain."""
    inertia = THICKNESS**3 / 12
    reference = times * E / (1 - NU**2) * inertia / (RADIUS**2 * (RADIUS + THICKNESS / 2))
    model = {
        "supports": [
            {"name": "sides", "on": "sides", "held": ["z"]},
            {"name": "tangent", "on": "east and west", "held": ["y"]},
            {"name": "top", "on": "north and south", "held": ["x"]},
        ],
        "loads": [
            {
                "kind": "pressure",
                "name": "outside",
                "on": "outside",
                "pressure": "1 MPa",
                "direction": direction,
            }
        ],
        "cases": [{"name": "pressed", "loads": [{"load": "outside"}]}],
        "mesh": {"size": "4 mm"},
        "criteria": {"modes": 2},
    }
    words = "following it" if direction == "following" else "fixed in direction"
    return Case(
        f"long ring under pressure {words}, solid",
        "sides held, so plane strain",
        ring,
        regions,
        model,
        reference,
        f"{times:g} E I / ((1 - ν²) R³); {LEVY}",
        0.015,
        quick=True,
    )


CASES = [case("following", 3.0), case("fixed", 4.0)]
