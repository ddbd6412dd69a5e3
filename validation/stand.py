"""One stand three ways: shells from its recipes, shells from its exported STEP solids, and
solids."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from functools import lru_cache
from typing import Any

import numpy as np

from labilis.model import load_project
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.run.picking import list_bodies, make_pick
from labilis.shape import build_part
from validation.case import Case
from validation.parts import step_bytes
from validation.recipes import case_of, flat, force, hold, mm, region, shell

WIDE, DEEP, TALL, LEG, TOP = 200.0, 150.0, 300.0, 2.0, 3.0
SIX = ("x", "y", "z", "turn_x", "turn_y", "turn_z")
ANGLE = {
    "kind": "folded sheet",
    "profile": [["30 mm", mm(LEG / 2)], [mm(LEG / 2), mm(LEG / 2)], [mm(LEG / 2), "30 mm"]],
    "thickness": mm(LEG),
    "bend": "3 mm",
    "length": mm(TALL),
}
MIRRORED = [
    {"kind": "mirror", "across": "x", "at": mm(WIDE / 2)},
    {"kind": "mirror", "across": "y", "at": mm(DEEP / 2)},
]
LOAD = {**case_of(force("top", z=-1.0)), "mesh": {"size": "5 mm"}, "criteria": {"modes": 4}}


def _pieces(mesh_as: str) -> list[dict[str, Any]]:
    plate = shell("plate", flat(WIDE, DEEP, TOP), (0, 0, TALL + TOP / 2), mesh_as=mesh_as)
    return [shell("leg", ANGLE, mesh_as=mesh_as, copies=MIRRORED), plate]


def _made(mesh_as: str) -> dict[str, Any]:
    face = "plate/face" if mesh_as == "shell" else "plate/top"
    held = SIX if mesh_as == "shell" else SIX[:3]
    regions = [region("feet", "leg/start"), region("top", face)]
    return {
        "pieces": _pieces(mesh_as),
        "regions": regions,
        "supports": [hold("feet", *held)],
        **LOAD,
    }


@lru_cache
def _solids() -> tuple[float, ...]:
    project = load_project(
        {
            **_made("solid"),
            "materials": [{"name": "steel", "youngs_modulus": "210 GPa", "poisson_ratio": "0.3"}],
        }
    )
    facts = judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0].facts
    assert facts.modes is not None
    return tuple(float(value) for value in facts.modes.positive[:3])


@lru_cache
def _exported() -> bytes:
    """The stand's solids as one STEP file."""
    from OCP.BRep import BRep_Builder
    from OCP.TopoDS import TopoDS_Compound

    whole, builder = TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(whole)
    for solid in build_part(
        load_project({"pieces": [{**piece, "material": None} for piece in _pieces("solid")]}), {}
    ).solids:
        builder.Add(whole, solid.solid)
    return step_bytes(whole)


def _imported() -> dict[str, Any]:
    data = _exported()
    sha = hashlib.sha256(data).hexdigest()
    pieces = [
        {
            "name": f"body {info.number}",
            "geometry": "stand.step",
            "body": info.number,
            "material": "steel",
            "mesh_as": "shell",
        }
        for info in list_bodies(data, "stand.step")
    ]
    bare = [{**piece, "material": None} for piece in pieces]
    view = build_part(
        load_project({"geometry": [{"file": "stand.step", "sha256": sha}], "pieces": bare}),
        {sha: data},
    ).view
    feet = [
        make_pick(view, "edge", int(row))
        for row in np.flatnonzero(np.abs(view.edges.centroid[:, 2]) < 1e-6)
    ]
    top = [
        make_pick(view, "face", int(row))
        for row in np.flatnonzero(np.abs(view.faces.centroid[:, 2] - TALL - TOP / 2) < 1e-6)
    ]
    regions = [
        {
            "name": name,
            "piece": piece["name"],
            "picks": [pick.model_dump(mode="json") for pick in picks],
        }
        for name, picks, piece in (("feet", feet, pieces[0]), ("top", top, pieces[-1]))
    ]
    return {
        "geometry": [{"file": "stand.step"}],
        "pieces": pieces,
        "regions": regions,
        "supports": [hold("feet", *SIX)],
        **LOAD,
    }


def _reference(k: int) -> Callable[[], float]:
    return lambda: _solids()[k]


def _figure(k: int) -> Callable[[Any], float]:
    return lambda report: float(report.cases[0].facts.modes.positive[k])


CASES = [
    *(
        Case(
            f"stand of angle legs, factor {k + 1} against solids",
            "shells from recipes beside swept hexahedra",
            None,
            None,
            _made("shell"),
            _reference(k),
            "the same recipes as solids",
            0.03,
            _figure(k),
        )
        for k in range(3)
    ),
    *(
        Case(
            f"stand of angle legs from STEP, factor {k + 1} against solids",
            "mid-surfaces of the exported solids",
            None,
            None,
            {},
            _reference(k),
            "the same recipes as solids",
            0.03,
            _figure(k),
            model_of=_imported,
            files=lambda: {"stand.step": _exported()},
        )
        for k in range(3)
    ),
]
