"""Results in open formats: VTU for the mesh with its fields, CSV for tables."""
from __future__ import annotations

import csv
from pathlib import Path

import numpy as np

from labilis.judge.stress import von_mises
from labilis.model import LabilisError
from labilis.run.report import CaseReport

# our mid-sides 01 12 02 03 13 23 are VTK's order as well
_CELLS = {(False, 4): "tetra", (False, 10): "tetra10", (False, 20): "hexahedron20", (False, 15): "wedge15",
          (True, 4): "quad", (True, 3): "triangle"}


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
    """Mesh with displacement, stress and mode shapes as VTU, modes and evidence as CSV; returns the files written."""
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
    import meshio

    facts = report.facts
    mesh = facts.mesh
    assert mesh is not None
    fields: dict[str, np.ndarray] = {}
    if facts.strength is not None:
        fields["displacement_mm"] = facts.strength.displacement_growing + facts.strength.displacement_held
        fields["von_mises_mpa"] = von_mises(facts.strength.stress)
    if facts.modes is not None:
        for number, shape in enumerate(facts.modes.shapes, 1):
            fields[f"mode_{number}_no_unit"] = shape
    blocks = [(_CELLS[shell, cells.shape[1]], cells) for shell, cells in mesh.groups()]
    meshio.write(path, meshio.Mesh(mesh.nodes, blocks, point_data=fields), file_format="vtu")
    return path
