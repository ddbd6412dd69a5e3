"""Results in open formats: VTU for the mesh with its fields, a PVD series of a trace, CSV for tables and curves."""
from __future__ import annotations

import csv
from pathlib import Path

import numpy as np

from labilis.judge.findings import MeshFindings
from labilis.judge.looks import lever_density, nodal, skin_gain
from labilis.judge.stress import von_mises
from labilis.model import LabilisError
from labilis.run.report import CaseReport

# our mid-sides 01 12 02 03 13 23 are VTK's order as well
_CELLS = {(False, 4): "tetra", (False, 10): "tetra10", (False, 20): "hexahedron20", (False, 15): "wedge15",
          (True, 4): "quad", (True, 3): "triangle", (False, 2): "line"}


def _safe(name: str) -> str:
    return "".join(c if c.isalnum() or c in "-_" else "-" for c in name).strip("-") or "case"


def _stem(report: CaseReport) -> str:
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
    """Mesh with displacement, stress, modes and levers as VTU, a trace's shapes as a PVD series, modes, the trace's path and evidence as
    CSV; returns the files written."""
    facts, stem = report.facts, _stem(report)
    written = []
    try:
        folder.mkdir(parents=True, exist_ok=True)
        if facts.mesh is not None:
            written.append(_write_vtu(report, folder / f"{stem}.vtu"))
        if facts.modes is not None:
            path = folder / f"{stem}-modes.csv"
            force = facts.modes.growing_force

            def critical(factor: float) -> str:
                return f"{factor * force:.9g}" if force else ""

            with open(path, "w", newline="", encoding="utf-8") as target:
                rows = csv.writer(target)
                rows.writerow(["mode", "factor", "critical_load_n", "driver", "kind", "required_factor", "meets"])
                for number, (factor, kind) in enumerate(zip(facts.modes.factors, facts.kinds), 1):
                    meets = facts.meets(number - 1)
                    rows.writerow([number, f"{factor:.9g}", critical(factor), plain_cell(report.drivers[number - 1]),
                                   kind, facts.required_of(report.drivers[number - 1]), "" if meets is None else meets])
            written.append(path)
        if facts.trace is not None and facts.mesh is not None:
            written += _write_trace(report, folder, stem)
        path = folder / f"{stem}-evidence.csv"
        with open(path, "w", newline="", encoding="utf-8") as target:
            rows = csv.writer(target)
            rows.writerow(["name", "figure", "unit", "state", "text"])
            rows.writerows([plain_cell(cell) for cell in (
                item.name, item.figure, item.unit, item.state, " ".join([item.text, *(words for words, _ in item.causes)]))]
                           for item in report.evidence)
        written.append(path)
    except OSError as error:
        raise LabilisError(f"Results cannot be written ({error.strerror}).", str(folder), "Choose another folder.",
                           "disk") from error
    return written


def _write_vtu(report: CaseReport, path: Path) -> Path:
    facts = report.facts
    mesh = facts.mesh
    assert mesh is not None
    fields: dict[str, np.ndarray] = {}
    if facts.strength is not None:
        fields["displacement_mm"] = facts.strength.displacement_growing + facts.strength.displacement_held
        fields["von_mises_mpa"] = von_mises(facts.strength.stress)
        if facts.strength.layers.size:
            fields |= {f"von_mises_{side}_mpa": layer for side, layer in zip(("top", "middle", "bottom"), facts.strength.layers)}
    modes = facts.modes
    if modes is not None:
        for number, shape in enumerate(modes.shapes, 1):
            fields[f"mode_{number}_no_unit"] = shape
            fields[f"mode_{number}_energy_per_volume_relative"] = nodal(mesh, modes.energy[number - 1])
        for number, levers in enumerate(modes.levers, 1):
            fields[f"mode_{number}_gain_percent_per_percent_of_thickness"] = nodal(mesh, lever_density(mesh, levers))
        for number, skin in enumerate(modes.skin, 1):
            fields[f"mode_{number}_gain_percent_per_0.1_mm_of_skin"] = skin_gain(mesh, 100.0 * skin, 0.1)[0]
    _write_grid(mesh, fields, path)
    return path


def _write_grid(mesh: MeshFindings, fields: dict[str, np.ndarray], path: Path) -> None:
    import meshio

    blocks = [(_CELLS[shell, cells.shape[1]], cells) for shell, cells in mesh.groups()]
    meshio.write(path, meshio.Mesh(mesh.nodes, blocks, point_data=fields), file_format="vtu")


def _write_trace(report: CaseReport, folder: Path, stem: str) -> list[Path]:
    """The path as CSV, and each shape that was kept as a VTU of a PVD series whose time is the factor."""
    trace, mesh = report.facts.trace, report.facts.mesh
    assert trace is not None and mesh is not None
    table, series = folder / f"{stem}-trace.csv", folder / f"{stem}-trace.pvd"
    with open(table, "w", newline="", encoding="utf-8") as target:
        rows = csv.writer(target)
        rows.writerow(["factor", "growing_load_n", "largest_motion_mm", "probe_motion_mm", "largest_stress_mpa", "plastic_strain",
                       "iterations", "negative_pivots"])
        for row in zip(trace.factors, trace.force, trace.largest, trace.probe, trace.peak, trace.plastic, trace.iterations, trace.negative):
            rows.writerow([f"{value:.9g}" for value in row])
    written, entries = [table, series], []
    for number, (point, motion) in enumerate(zip(trace.frame, trace.motions)):
        fields = {"displacement_mm": motion}
        if trace.stress.size:
            fields |= {"largest_von_mises_mpa": nodal(mesh, trace.stress[number]), "plastic_strain": nodal(mesh, trace.strain[number])}
        path = folder / f"{stem}-trace-{number:03d}.vtu"
        _write_grid(mesh, fields, path)
        written.append(path)
        entries.append(f'    <DataSet timestep="{trace.factors[point]:.9g}" part="0" file="{path.name}"/>')
    series.write_text("\n".join(['<?xml version="1.0"?>', '<VTKFile type="Collection" version="0.1" byte_order="LittleEndian">',
                                  "  <Collection>", *entries, "  </Collection>", "</VTKFile>", ""]), encoding="utf-8")
    return written
