"""Results in open formats: VTU for the mesh with its fields, a PVD series of a trace, CSV for
tables and curves, STL of a deformed shape, STEP of the part."""

from __future__ import annotations

import contextlib
import csv
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from labilis.judge.mesh_display import lever_density, nodal, skin_gain, surface_triangles
from labilis.model import LabilisError, Project
from labilis.results.findings import MeshFindings
from labilis.results.stress_measures import von_mises
from labilis.run.plan import Snapshot
from labilis.run.report import CaseReport, judge_project
from labilis.shape.writing import step_of

# our mid-sides 01 12 02 03 13 23 are VTK's order as well
_CELLS = {
    (False, 4): "tetra",
    (False, 10): "tetra10",
    (False, 20): "hexahedron20",
    (False, 15): "wedge15",
    (True, 4): "quad",
    (True, 3): "triangle",
    (False, 2): "line",
}


def _safe(name: str) -> str:
    return "".join(c if c.isalnum() or c in "-_" else "-" for c in name).strip("-") or "case"


@dataclass(frozen=True)
class ResultsQuery:
    """Ask the process that runs things to write what was found of every case into a folder;
    answered by the paths that were written."""

    project: Project
    results: Mapping[str, Any]
    folder: Path

    def answer(self) -> list[Any]:
        """Writes them. Raises LabilisError."""
        cases = judge_project(self.project, self.results).cases
        return [
            path
            for case in cases
            if case.facts.mesh is not None
            for path in write_results(case, self.folder)
        ]


def case_stem(report: CaseReport) -> str:
    """A file name for a case that no other case of the project has."""
    taken: set[str] = set()
    for case in report.facts.project.cases:
        stem = known = _safe(case.name)[:80]
        number = 1
        while stem.lower() in taken:  # some file systems do not tell capitals
            number += 1
            stem = f"{known}-{number}"
        if case.name == report.facts.case:
            return stem
        taken.add(stem.lower())
    return _safe(report.facts.case)[:80]


def plain_cell(text: object) -> object:
    """A cell of a table as text that no spreadsheet takes for a formula; numbers stay numbers."""
    if isinstance(text, str) and text[:1] in ("=", "+", "-", "@", "\t", "\r"):
        try:
            float(text)
        except ValueError:
            return "'" + text
    return text


def write_results(report: CaseReport, folder: Path) -> list[Path]:
    """Mesh with displacement, stress, modes and levers as VTU, a trace's shapes as a PVD series,
    modes, the trace's path and evidence as CSV; returns the files written."""
    facts, stem = report.facts, case_stem(report)
    written = []
    try:
        folder.mkdir(parents=True, exist_ok=True)
        if facts.mesh is not None:
            written.append(_write_vtu(report, folder / f"{stem}.vtu"))
        if facts.modes is not None:
            written.append(_write_modes(report, folder / f"{stem}-modes.csv"))
        if facts.trace is not None and facts.mesh is not None:
            written += _write_trace(report, folder, stem)
        written.append(_write_evidence(report, folder / f"{stem}-evidence.csv"))
    except OSError as error:
        raise LabilisError(
            f"Results cannot be written ({error.strerror}).",
            str(folder),
            "Choose another folder.",
            "disk",
        ) from error
    return written


def _write_modes(report: CaseReport, path: Path) -> Path:
    facts = report.facts
    assert facts.modes is not None
    force = facts.modes.growing_force

    def critical(factor: float) -> str:
        return f"{factor * force:.9g}" if force else ""

    with open(path, "w", newline="", encoding="utf-8") as target:
        rows = csv.writer(target)
        rows.writerow(
            [
                "mode",
                "factor",
                "critical_load_n",
                "driver",
                "kind",
                "required_factor",
                "meets",
            ]
        )
        for number, (factor, kind) in enumerate(zip(facts.modes.factors, facts.kinds), 1):
            meets = facts.meets(number - 1)
            rows.writerow(
                [
                    number,
                    f"{factor:.9g}",
                    critical(factor),
                    plain_cell(report.drivers[number - 1]),
                    kind,
                    facts.required_for(number - 1),
                    "" if meets is None else meets,
                ]
            )
    return path


def _write_evidence(report: CaseReport, path: Path) -> Path:
    with open(path, "w", newline="", encoding="utf-8") as target:
        rows = csv.writer(target)
        rows.writerow(["name", "figure", "unit", "state", "text"])
        rows.writerows(
            [
                plain_cell(cell)
                for cell in (
                    item.name,
                    item.figure,
                    item.unit,
                    item.state,
                    " ".join([item.text, *(words for words, _ in item.causes)]),
                )
            ]
            for item in report.evidence
        )
    return path


def shape_moved(
    report: CaseReport, mode: int = 0, traced: bool = False, scale: float | None = None
) -> np.ndarray:
    """Places (n, 3) mm of the nodes of a case: of a mode from 1, its largest motion a twentieth of
    the part's size unless a scale is given; at the last kept step of its trace; else under the
    loads; each at true scale unless another is given. Raises LabilisError where that was not
    found."""
    facts = report.facts
    where = f"cases/{facts.case}"
    if facts.mesh is None:
        raise LabilisError("There is no mesh yet.", where, "Run it first.", "no-results")
    nodes = facts.mesh.nodes
    if mode:
        shapes = None if facts.modes is None else facts.modes.shapes
        if shapes is None or mode > len(shapes):
            count = 0 if shapes is None else len(shapes)
            raise LabilisError(
                f"There is no mode {mode}: {count} were found.",
                where,
                "Ask for another mode, or for more of them.",
                "mode",
            )
        size = float(np.ptp(nodes, axis=0).max())
        moved = shapes[mode - 1] / max(
            float(np.linalg.norm(shapes[mode - 1], axis=1).max()), 1e-300
        )
        return np.asarray(nodes + (0.05 * size if scale is None else scale) * moved)
    if traced:
        if facts.trace is None or not len(facts.trace.motions):
            raise LabilisError("This case was not traced.", where, "Trace it first.", "no-results")
        motion = facts.trace.motions[-1]
    elif facts.strength is None:
        raise LabilisError("Strength was not run.", where, "Run it first.", "no-results")
    else:
        motion = facts.strength.displacement_growing + facts.strength.displacement_held
    return np.asarray(nodes + (1.0 if scale is None else scale) * motion)


def write_stl(report: CaseReport, places: np.ndarray, path: Path) -> None:
    """The surface of a case's mesh with its nodes at `places` (n, 3) mm, as a binary STL; of shells
    their mid-surface. Raises LabilisError for lines, which have no surface."""
    mesh = report.facts.mesh
    assert mesh is not None
    triangles, _ = surface_triangles(mesh)
    if not len(triangles):
        raise LabilisError(
            "Lines have no surface.", "mesh", "Mesh a piece as a shell or a solid.", "no-surface"
        )
    write_surface(places, triangles, path)


def write_surface(places: np.ndarray, triangles: np.ndarray, path: Path) -> None:
    """Triangles (k, 3) between points (n, 3) mm as a binary STL. Raises LabilisError where it
    cannot be written."""
    import meshio

    used, cells = np.unique(triangles, return_inverse=True)
    with told_of_disk(path):
        meshio.write(
            path,
            meshio.Mesh(places[used], [("triangle", cells.reshape(-1, 3))]),
            file_format="stl",
            binary=True,
        )


def write_part(project: Project, files: Mapping[str, bytes], path: Path) -> None:
    """The part as a STEP file. Raises LabilisError."""
    data = step_of(project, files)
    with told_of_disk(path):
        path.write_bytes(data)


@contextlib.contextmanager
def told_of_disk(path: Path) -> Iterator[None]:
    """A disk that refuses is told in words."""
    try:
        yield
    except OSError as error:
        raise LabilisError(
            f"The file cannot be written ({error.strerror}).",
            str(path),
            "Choose another place.",
            "disk",
        ) from error


@dataclass(frozen=True)
class PartQuery:
    """Ask the process that runs things for the part as a STEP file; answered by the path that
    was written."""

    project: Snapshot
    path: Path

    def answer(self) -> list[Any]:
        """Writes it. Raises LabilisError."""
        write_part(self.project.project, self.project.files, self.path)
        return [self.path]


def _write_vtu(report: CaseReport, path: Path) -> Path:
    facts = report.facts
    mesh = facts.mesh
    assert mesh is not None
    fields: dict[str, np.ndarray] = {}
    if facts.strength is not None:
        fields["displacement_mm"] = (
            facts.strength.displacement_growing + facts.strength.displacement_held
        )
        fields["von_mises_mpa"] = von_mises(facts.strength.stress)
        if facts.strength.layers.size:
            fields |= {
                f"von_mises_{side}_mpa": layer
                for side, layer in zip(("top", "middle", "bottom"), facts.strength.layers)
            }
    modes = facts.modes
    if modes is not None:
        for number, shape in enumerate(modes.shapes, 1):
            fields[f"mode_{number}_no_unit"] = shape
            fields[f"mode_{number}_energy_per_volume_relative"] = nodal(
                mesh, modes.energy[number - 1]
            )
        for number, levers in enumerate(modes.levers, 1):
            fields[f"mode_{number}_gain_percent_per_percent_of_thickness"] = nodal(
                mesh, lever_density(mesh, levers)
            )
        for number, skin in enumerate(modes.skin, 1):
            fields[f"mode_{number}_gain_percent_per_0.1_mm_of_skin"] = skin_gain(
                mesh, 100.0 * skin, 0.1
            )[0]
    _write_grid(mesh, fields, path)
    return path


def _write_grid(mesh: MeshFindings, fields: dict[str, np.ndarray], path: Path) -> None:
    import meshio

    blocks = [(_CELLS[shell, cells.shape[1]], cells) for shell, cells in mesh.groups()]
    meshio.write(path, meshio.Mesh(mesh.nodes, blocks, point_data=fields), file_format="vtu")


def _write_trace(report: CaseReport, folder: Path, stem: str) -> list[Path]:
    """The path as CSV, and each shape that was kept as a VTU of a PVD series whose time is the
    factor."""
    trace, mesh = report.facts.trace, report.facts.mesh
    assert trace is not None and mesh is not None
    table, series = folder / f"{stem}-trace.csv", folder / f"{stem}-trace.pvd"
    with open(table, "w", newline="", encoding="utf-8") as target:
        rows = csv.writer(target)
        rows.writerow(
            [
                "factor",
                "growing_load_n",
                "largest_motion_mm",
                "probe_motion_mm",
                "largest_stress_mpa",
                "plastic_strain",
                "iterations",
                "negative_pivots",
            ]
        )
        for row in zip(
            trace.factors,
            trace.force,
            trace.largest,
            trace.probe,
            trace.peak,
            trace.plastic,
            trace.iterations,
            trace.negative,
        ):
            rows.writerow([f"{value:.9g}" for value in row])
    written, entries = [table, series], []
    for number, (point, motion) in enumerate(zip(trace.frame, trace.motions)):
        fields = {"displacement_mm": motion}
        if trace.stress.size:
            fields |= {
                "largest_von_mises_mpa": nodal(mesh, trace.stress[number]),
                "plastic_strain": nodal(mesh, trace.strain[number]),
            }
        path = folder / f"{stem}-trace-{number:03d}.vtu"
        _write_grid(mesh, fields, path)
        written.append(path)
        entries.append(
            f'    <DataSet timestep="{trace.factors[point]:.9g}" part="0" file="{path.name}"/>'
        )
    series.write_text(
        "\n".join(
            [
                '<?xml version="1.0"?>',
                '<VTKFile type="Collection" version="0.1" byte_order="LittleEndian">',
                "  <Collection>",
                *entries,
                "  </Collection>",
                "</VTKFile>",
                "",
            ]
        ),
        encoding="utf-8",
    )
    return written
