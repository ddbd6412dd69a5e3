"""Results in open formats, read back by other libraries: every kind of mesh, the fields of the
stage, the shapes of a trace."""

from __future__ import annotations

import csv
import dataclasses
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest
import pyvista as pv

from labilis.model import load_project
from labilis.results.stress_measures import von_mises
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.store.export import _write_trace, write_results
from tests.judge.test_mistakes import STEEL


def clamped(mesh_as: str, **more: Any) -> Any:
    recipe = {
        "kind": "strut",
        "length": "200 mm",
        "section": {"shape": "flat", "width": "20 mm", "thickness": "4 mm"},
    }
    if mesh_as == "shell":
        recipe = {
            "kind": "plate",
            "thickness": "4 mm",
            "outline": [
                {"x": f"{x} mm", "y": f"{y} mm"} for x, y in ((0, 0), (200, 0), (200, 20), (0, 20))
            ],
        }
    ends = ["p/side.4", "p/side.2"] if mesh_as == "shell" else ["p/start", "p/end"]
    push = ["-100 N", "0 N", "0 N"] if mesh_as == "shell" else ["0 N", "0 N", "-100 N"]
    held = ["x", "y", "z", *(["turn_x", "turn_y", "turn_z"] if mesh_as != "solid" else [])]
    return load_project(
        {
            "materials": [STEEL],
            "pieces": [{"name": "p", "material": "steel", "mesh_as": mesh_as, "recipe": recipe}],
            "regions": [
                {"name": name, "names": [end]} for name, end in zip(("foot", "head"), ends)
            ],
            "supports": [{"name": "clamp", "on": "foot", "held": held}],
            "loads": [{"kind": "force", "name": "push", "on": "head", "components": push}],
            "cases": [{"name": "=push", "loads": [{"load": "push"}]}],
            "mesh": {"size": "10 mm"},
            "criteria": {"modes": 2},
            **more,
        }
    )


def written(project: Any, folder: Path, upto: Any = "modes") -> tuple[Any, dict[str, Path]]:
    report = judge_project(project, Runner().run(Snapshot(project), Plan(upto)))
    return report, {path.name: path for path in write_results(report.cases[0], folder)}


@pytest.mark.parametrize(
    ("mesh_as", "field"),
    [
        ("line", "mode_1_no_unit"),
        ("shell", "mode_1_gain_percent_per_percent_of_thickness"),
        ("solid", "mode_1_gain_percent_per_0.1_mm_of_skin"),
    ],
)
def test_every_kind_of_mesh_is_written(mesh_as: str, field: str, tmp_path: Path) -> None:
    report, files = written(clamped(mesh_as), tmp_path)
    facts = report.cases[0].facts
    grid = pv.read(files["push.vtu"])
    assert grid.n_points == len(facts.mesh.nodes) and grid.n_cells == facts.mesh.count
    assert np.abs(grid[field]).max() > 0
    assert np.linalg.norm(grid["mode_1_no_unit"], axis=1).max() == pytest.approx(1.0)
    assert grid["von_mises_mpa"].max() == pytest.approx(von_mises(facts.strength.stress).max())
    if mesh_as == "shell":
        for side, layer in zip(("top", "middle", "bottom"), facts.strength.layers):
            assert grid[f"von_mises_{side}_mpa"] == pytest.approx(layer)


def test_a_trace_is_a_series_with_the_extremes_of_the_window(tmp_path: Path) -> None:
    project = clamped("shell", trace={"amplitude": "1 mm", "target": "1.2"})
    report, files = written(project, tmp_path, "trace")
    trace, mesh = report.cases[0].facts.trace, report.cases[0].facts.mesh
    reader = pv.get_reader(str(files["push-trace.pvd"]))
    assert reader.time_values == pytest.approx(list(trace.factors[trace.frame]), rel=1e-8)
    from labilis.ui.stage.fields import PRESSED, trace_values

    for number in (0, len(trace.frame) // 2, len(trace.frame) - 1):
        reader.set_active_time_point(number)
        grid = reader.read()[0]
        assert np.linalg.norm(grid["displacement_mm"], axis=1).max() == pytest.approx(
            np.linalg.norm(trace.motions[number], axis=1).max(), abs=1e-12
        )
        assert grid["largest_von_mises_mpa"].max() == pytest.approx(
            trace_values(mesh, trace, PRESSED, number).max(), abs=1e-9
        )
    with open(files["push-trace.csv"], encoding="utf-8") as source:
        rows = list(csv.DictReader(source))
    assert [float(row["factor"]) for row in rows] == pytest.approx(list(trace.factors), rel=1e-8)
    assert float(rows[-1]["largest_motion_mm"]) == pytest.approx(trace.largest[-1], rel=1e-8)
    assert float(rows[-1]["growing_load_n"]) == pytest.approx(
        100 * float(rows[-1]["factor"]), rel=1e-6
    )
    # a long trace keeps some of its shapes: their times are the factors of their own points
    some = dataclasses.replace(
        trace,
        **{name: getattr(trace, name)[::2] for name in ("frame", "motions", "stress", "strain")},
    )
    _write_trace(SimpleNamespace(facts=SimpleNamespace(trace=some, mesh=mesh)), tmp_path, "some")  # type: ignore[arg-type]
    assert pv.get_reader(str(tmp_path / "some-trace.pvd")).time_values == pytest.approx(
        list(trace.factors[trace.frame[::2]]), rel=1e-8
    )
