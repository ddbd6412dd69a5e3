"""Snap-through of a shallow roof, as shells of an imported surface and as swept solids; a thin
square tube that buckles locally and then collapses; a strip that keeps its length while it bends
far."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np

from labilis.model import load_project
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.run.picking import make_pick
from labilis.shape import build_part
from validation.case import Case, Direct
from validation.parts import step_bytes
from validation.recipes import case_of, force, hold, mm, region, shell

# --- shallow roof
# --------------------------------------------------------------------------------------------------
RADIUS, HALF, LONG, THICK = 2540.0, 0.1, 508.0, 12.7
ROOF = {"name": "steel", "youngs_modulus": "3102.75 MPa", "poisson_ratio": "0.3"}
TRACE = {
    "mode": 0,
    "material": "elastic",
    "target": "4",
    "deflection": "24 mm",
    "beyond_yield": 1e9,
    "steps": 60,
}


SNAP = {
    **TRACE,
    "fall": "10",
    "target": "1",
    "deflection": "60 mm",
    "steps": 200,
    "first": "0.05",
    "longest": "0.4",
}


def _panel(radius: float) -> Any:
    """Cylindrical panel round an axis along y, its crown on the z axis."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
    from OCP.gp import gp_Ax3, gp_Cylinder, gp_Dir, gp_Pnt

    frame = gp_Ax3(gp_Pnt(0, 0, 0), gp_Dir(0, 1, 0), gp_Dir(0, 0, 1))
    return BRepBuilderAPI_MakeFace(gp_Cylinder(frame, radius), -HALF, HALF, 0.0, LONG).Face()


def _slab() -> Any:
    """The same with its thickness, as a solid."""
    from OCP.BRepOffset import BRepOffset_MakeSimpleOffset

    maker = BRepOffset_MakeSimpleOffset(_panel(RADIUS - THICK / 2), THICK)
    maker.SetBuildSolidFlag(True)
    maker.Perform()
    return maker.GetResultShape()


def _roof(solid: bool, thickness: float = THICK) -> dict[str, Any]:
    """A central push on a patch of one and a half thicknesses, straight edges hinged, curved
    ones free."""
    import hashlib

    data = step_bytes(_slab() if solid else _panel(RADIUS))
    sha = hashlib.sha256(data).hexdigest()
    piece: dict[str, Any] = {
        "name": "roof",
        "geometry": "roof.step",
        "mesh_as": "solid" if solid else "shell",
    }
    piece |= {} if solid else {"thickness": mm(thickness)}
    view = build_part(
        load_project({"geometry": [{"file": "roof.step", "sha256": sha}], "pieces": [piece]}),
        {sha: data},
    ).view
    top = int(np.argmax(view.faces.centroid[:, 2] * (view.faces.kind == "cylinder")))
    patch = {
        "kind": "circle",
        "name": "patch",
        "pick": make_pick(view, "face", top).model_dump(mode="json"),
        "diameter": "20 mm",
    }
    regions, scribes = [region("crown", "patch/patch")], [patch]
    if solid:
        ends = [
            int(row)
            for row in np.flatnonzero(
                (view.faces.kind == "plane") & (np.abs(view.faces.direction[:, 0]) > 0.9)
            )
        ]
        scribes += [
            {
                "kind": "line",
                "name": f"hinge {number}",
                "pick": make_pick(view, "face", row).model_dump(mode="json"),
            }
            for number, row in enumerate(ends)
        ]
        regions.append(region("hinges", *(f"hinge {number}/line" for number in range(len(ends)))))
    else:
        straight = [int(row) for row in np.flatnonzero(view.edges.kind == "line")]
        picks = [make_pick(view, "edge", row).model_dump(mode="json") for row in straight]
        regions.append({"name": "hinges", "piece": "roof", "picks": picks})
    return {
        "materials": [ROOF],
        "geometry": [{"file": "roof.step"}],
        "pieces": [{**piece, "material": "steel"}],
        "scribes": scribes,
        "regions": regions,
        "supports": [hold("hinges", "x", "y", "z")],
        **case_of(force("crown", z=-1000.0)),
        "mesh": {"size": "40 mm" if solid else "26 mm"},
        "criteria": {"modes": 1},
        "trace": TRACE if thickness == THICK else SNAP,
    }


def roof(solid: bool) -> Case:
    return Case(
        f"trace: hinged shallow roof under a central load, {'solid' if solid else 'shell'}",
        "limit load, kN; the path falls after it",
        None,
        None,
        {},
        2.2,
        "Sabir and Lock 1972; published limits lie near 2.2 kN",
        0.02,
        lambda report: _falling(report.cases[0].facts.trace),
        table="Trace",
        upto="trace",
        quick=not solid,
        model_of=lambda: _roof(solid),
        files=lambda: {"roof.step": step_bytes(_slab() if solid else _panel(RADIUS))},
    )


def snap_back() -> Case:
    """The roof at half of its thickness: the crown comes back while the load falls far under
    nought."""

    def limit(report: Any) -> float:
        trace = report.cases[0].facts.trace
        return float(trace.limit) if trace.factors.min() < -0.2 else float("nan")

    return Case(
        "trace: hinged roof of half thickness, snaps back, shell",
        "limit load, kN; the load falls under -0.2 behind it",
        None,
        None,
        {},
        0.59,
        "Sabir and Lock 1972; published limits lie near 0.59 kN",
        0.02,
        limit,
        table="Trace",
        upto="trace",
        model_of=lambda: _roof(False, THICK / 2),
        files=lambda: {"roof.step": step_bytes(_panel(RADIUS))},
    )


def _falling(trace: Any) -> float:
    """The limit, if the path was followed down behind it; nan otherwise."""
    return float(trace.limit) if trace.factors[-1] < 0.93 * trace.limit else float("nan")


# --- thin square tube
# --------------------------------------------------------------------------------------------------
WIDE, WALL, TALL, FY = 80.0, 1.0, 160.0, 235.0


def _tube(size: float) -> dict[str, Any]:
    """Walls with a wave of b / 200, ends kept in their plane; pushed down by a stiff head."""
    section = {"shape": "square tube", "width": mm(WIDE + WALL), "thickness": mm(WALL)}
    return {
        "materials": [
            {
                "name": "steel",
                "youngs_modulus": "210 GPa",
                "poisson_ratio": "0.3",
                "yield_strength": f"{FY} MPa",
            }
        ],
        "pieces": [shell("tube", {"kind": "strut", "length": mm(TALL), "section": section})],
        "regions": [region("foot", "tube/start"), region("head", "tube/end")],
        "supports": [
            hold("foot", "x", "y", "z"),
            {**hold("head", "x", "y", "z"), "name": "pressed"},
        ],
        "loads": [
            {
                "kind": "move",
                "name": "press",
                "support": "pressed",
                "components": ["0 mm", "0 mm", "-0.1 mm"],
            }
        ],
        "cases": [{"name": "load", "loads": [{"load": "press"}]}],
        "mesh": {"size": mm(size)},
        "criteria": {"modes": 1},
        "trace": {
            "mode": 1,
            "amplitude": mm(WIDE / 200),
            "target": "9",
            "deflection": "30 mm",
            "steps": 150,
            "plastic_strain": "6 %",
        },
    }


@lru_cache
def _collapse(size: float) -> Direct:
    """Largest force, kN, with elements of a size; run once for both rows."""
    project = load_project({**_tube(size), "labilis": 2})
    report = judge_project(project, Runner().run(Snapshot(project), Plan("trace")))
    assert report.mesh is not None and report.cases[0].facts.trace is not None
    force = report.cases[0].facts.trace.force
    assert force[-1] < force.max()  # the path was followed over its top
    return Direct(
        float(force.max()) / 1000,
        report.mesh.count,
        report.mesh.unknowns,
    )


def winter() -> float:
    """Squash load of the effective section, kN: ρ = (λ - 0.22) / λ² of each wall (Winter 1947;
    EN 1993-1-5, 4.4)."""
    slenderness = float(
        np.sqrt(FY / (4 * np.pi**2 * 210e3 / (12 * (1 - 0.3**2)) * (WALL / WIDE) ** 2))
    )
    return (slenderness - 0.22) / slenderness**2 * 4 * WIDE * WALL * FY / 1000


def tube(reference: Any, source: str, within: float) -> Case:
    return Case(
        "trace: thin square tube, buckles locally, then collapses",
        "largest force, kN",
        None,
        None,
        {},
        reference,
        source,
        within,
        table="Trace",
        upto="trace",
        direct=lambda: _collapse(8.0),
    )


# --- length is kept
# --------------------------------------------------------------------------------------------------
def length_kept() -> Case:
    """A strip bent by more than a right angle: its middle line against its length."""
    from validation.traces import end_force

    case = end_force(10, 0.8106, 0.5550)[0]

    def figure(report: Any) -> float:
        facts = report.cases[0].facts
        row = np.flatnonzero(np.abs(facts.mesh.nodes[:, 1] - 10.0) < 1e-6)
        row = row[np.argsort(facts.mesh.nodes[row, 0])]
        places = facts.mesh.nodes[row] + facts.trace.motions[-1][row]
        return float(
            np.linalg.norm(np.diff(places, axis=0), axis=1).sum() / np.ptp(facts.mesh.nodes[row, 0])
        )

    return Case(
        "trace: cantilever, P L²/EI = 10, its length",
        "length of the bent strip over that at rest",
        None,
        None,
        case.model,
        1.0,
        "nothing stretches it but its stress",
        0.001,
        figure,
        table="Trace",
        upto="trace",
    )


CASES = [
    roof(False),
    roof(True),
    snap_back(),
    tube(lambda: _collapse(5.0).result, "the same with elements of 5 mm instead of 8", 0.01),
    tube(winter(), "effective widths, Winter 1947; EN 1993-1-5, 4.4", 0.08),
    length_kept(),
]
