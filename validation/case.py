"""What a case is, and how it is run."""

from __future__ import annotations

import json
import math
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

import numpy as np

from labilis.model import LabilisError
from labilis.results.findings import ModesFindings
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.run.picking import make_pick
from labilis.run.settling import settled
from labilis.shape import ShapeView, build_body, read_step
from labilis.store import load_model
from validation.parts import write_step

_FINER, _MOST = (
    2.5,
    250_000,
)  # times the fineness, and about as many unknowns, of the mesh that tells the error of another

Found = Callable[[ShapeView], dict[str, list[tuple[str, int]]]]


@dataclass(frozen=True)
class Direct:
    """What a row gives that runs on elements instead of a user's file."""

    result: float
    elements: int
    unknowns: int


@dataclass(frozen=True)
class Case:
    """name; what it shows; part: makes the TopoDS shape; regions: picks by name from the measured
    part; model: statements but for geometry, pieces and regions, or all of them when part and
    regions are None (recipes); reference value of `figure` and where it comes from; within:
    tolerance as a fraction; quick: part of ./test; direct: computes the row on bare elements;
    model_of, files: statements and files beside them that take work to make."""

    name: str
    note: str
    part: Callable[[], Any] | None
    regions: Found | None
    model: dict[str, Any]
    reference: float | Callable[[], float]
    source: str
    within: float
    figure: Callable[[Any], float] = lambda report: float(report.cases[0].facts.modes.positive[0])
    quick: bool = False
    table: str = "Modes"
    upto: Literal["modes", "trace"] = "modes"
    direct: Callable[[], Direct] | None = None
    model_of: Callable[[], dict[str, Any]] | None = None
    files: Callable[[], dict[str, bytes]] | None = None


@dataclass(frozen=True)
class Row:
    """What came of a case."""

    case: Case
    reference: float
    result: float
    elements: int
    unknowns: int
    seconds: float
    told: float = float("nan")  # mesh error of the first factor, where it was asked for
    headline: str = ""
    finer: float = float(
        "nan"
    )  # the figure on a mesh of elements half as long or less, where it was asked for

    @property
    def difference(self) -> float:
        """Relative to the reference."""
        return self.result / self.reference - 1.0

    @property
    def mesh_error(self) -> float:
        """What the mesh does to the result, relative, from the finer mesh; theories and models
        that differ have no part in it."""
        return self.result / self.finer - 1.0

    @property
    def passes(self) -> bool:
        """Inside its tolerance."""
        return abs(self.difference) <= self.case.within


def faces_at(view: ShapeView, axis: int, value: float) -> list[tuple[str, int]]:
    """Plane faces square to an axis at a coordinate."""
    good = (
        (view.faces.kind == "plane")
        & (np.abs(view.faces.direction[:, axis]) > 0.999)
        & (np.abs(view.faces.centroid[:, axis] - value) < 1e-6)
    )
    return [("face", int(index)) for index in np.flatnonzero(good)]


def edges_where(view: ShapeView, along: int, **at: float) -> list[tuple[str, int]]:
    """Straight edges along an axis whose centroid has the given x, y, z."""
    good = (view.edges.kind == "line") & (np.abs(view.edges.direction[:, along]) > 0.999)
    for letter, value in at.items():
        good &= np.abs(view.edges.centroid[:, "xyz".index(letter)] - value) < 1e-6
    return [("edge", int(index)) for index in np.flatnonzero(good)]


def _imported(case: Case, folder: Path) -> dict[str, Any]:
    """Geometry, pieces and regions of a case with a STEP part, which is written to disk; nothing
    for recipes."""
    if case.part is None or case.regions is None:
        return {}
    data = write_step(case.part(), folder / "part.step")
    view = build_body(read_step(data)[0][0][1]).view
    regions = []
    for region, picks in case.regions(view).items():
        if not picks:
            raise AssertionError(f"{case.name}: region {region} found nothing")
        regions.append(
            {
                "name": region,
                "piece": "part",
                "picks": [
                    make_pick(view, of, index).model_dump(mode="json") for of, index in picks
                ],
            }
        )
    return {
        "geometry": [{"file": "part.step"}],
        "pieces": [{"name": "part", "geometry": "part.step", "material": "steel"}],
        "regions": regions,
    }


def run_case(case: Case, proposed: bool = False) -> Row:
    """Write the part and the model to disk, read them as a user's, run, and take the figure;
    `proposed`: with the mesh that the program finds instead of the stated one, its error told, and
    once more on one that is much finer."""
    if case.direct is not None:
        started = time.perf_counter()
        found = case.direct()
        stated = case.reference if isinstance(case.reference, float | int) else case.reference()
        return Row(
            case,
            float(stated),
            found.result,
            found.elements,
            found.unknowns,
            time.perf_counter() - started,
        )
    with tempfile.TemporaryDirectory(prefix="labilis-validation-") as name:
        folder = Path(name)
        model = {
            "labilis": 2,
            "name": case.name,
            "materials": [{"name": "steel", "youngs_modulus": "210 GPa", "poisson_ratio": "0.3"}],
            **_imported(case, folder),
            **case.model,
            **(case.model_of() if case.model_of is not None else {}),
        }
        # rows are held against what they should be: their mesh is judged by that
        model["criteria"] = {"mesh_error": False, **model.get("criteria", {})}
        if proposed:
            model["criteria"]["mesh_error"] = True
            model["mesh"] = {
                key: value for key, value in model.get("mesh", {}).items() if key != "size"
            }
        for file, data in (case.files() if case.files is not None else {}).items():
            (folder / file).write_bytes(data)
        (folder / "model.json").write_text(json.dumps(model), encoding="utf-8")
        snapshot = load_model(folder / "model.json")
        runner = Runner()
        results = runner.run(snapshot, Plan(case.upto))
        report = judge_project(snapshot.project, results)
        assert report.mesh is not None
        finer = (
            _on_finer(case, snapshot, results, report.mesh.unknowns) if proposed else float("nan")
        )
    reference = case.reference if isinstance(case.reference, float | int) else case.reference()
    modes, result = report.cases[0].facts.modes, case.figure(report)
    return Row(
        case,
        float(reference),
        result,
        report.mesh.count,
        report.mesh.unknowns,
        runner.timing["total"],
        float("nan") if modes is None else _told(modes, result),
        report.cases[0].verdict.headline,
        finer,
    )


def _on_finer(case: Case, snapshot: Snapshot, results: dict[str, Any], unknowns: int) -> float:
    """The figure of a case on elements `_FINER` times shorter than those that a run found, a
    little less where that would be endless."""
    found = settled(snapshot.project, results)
    times, present = (
        min(_FINER, math.sqrt(_MOST / unknowns)),
        found.value(found.mesh.fineness or "1", "number"),
    )
    while True:
        finer = found.changed(
            mesh=found.mesh.model_copy(update={"fineness": repr(times * present)}),
            criteria=found.criteria.model_copy(update={"mesh_error": False}),
        )
        try:
            return case.figure(
                judge_project(finer, Runner().run(Snapshot(finer, snapshot.files), Plan(case.upto)))
            )
        except LabilisError:  # so fine that rounding would decide
            if times < 1.5:
                raise
            times *= 0.75


def _told(modes: ModesFindings, result: float) -> float:
    """Mesh error of the factor that a row is about, of the first one where its figure is no
    factor."""
    own = np.flatnonzero(modes.factors == result)
    return (
        float(modes.mesh_error[own[0]]) if len(own) and len(modes.mesh_error) else modes.first_error
    )
