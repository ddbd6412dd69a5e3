"""What a mesh will cost, before it is made."""
from __future__ import annotations

import os
from dataclasses import dataclass

import numpy as np

from labilis.shape import ShapeView

_PER_CHORD = 30.0  # elements that each chord square of a curved face brings with it, the grading around it included


@dataclass(frozen=True)
class MeshEstimate:
    """Expected counts; memory in bytes that the whole run will take at its peak."""

    elements: int
    nodes: int
    unknowns: int
    memory: int


def available_memory() -> int:
    """Bytes of memory that can still be had, from the kernel; half of all if it does not say."""
    try:
        with open("/proc/meminfo") as lines:
            for line in lines:
                if line.startswith("MemAvailable"):
                    return int(line.split()[1]) * 1024
    except OSError:
        pass
    return os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") // 2


def chord_angle(view: ShapeView, size: float) -> float:
    """Rad per chord on curved faces: twelve chords round a bore, eight where a bore is small beside the element size (the
    sides of second-order elements are curved, so that is enough)."""
    radii = view.faces.radius[np.isfinite(view.faces.radius)]
    return float(np.clip(size / (5.0 * radii.min()), 0.55, 0.8)) if len(radii) else 0.55


def estimate(view: ShapeView, size: float, order: int) -> MeshEstimate:
    """Counts for elements of about `size` mm.

    Fitted to meshes of plates, struts and blocks made here (within about 40 %): the interior of a solid needs
    V / (0.1 size³) elements, and a thin body cannot have fewer than its surface asks for; a sheet area / size².
    """
    sheet = view.sheet
    elements = nodes = 0
    if not len(sheet):
        lines = sum(max(int(length / size), 8) for length in view.edges.length[view.edges.name != ""] if length > 0)
        return MeshEstimate(lines, lines + 1, 6 * (lines + 1), int(350e6))
    if not sheet.all():
        solid_area = float(view.faces.area[~sheet].sum())
        volume = view.volume - float((view.faces.area * view.faces.thickness)[sheet].sum())
        wall = max(2.0 * volume / solid_area, 1e-9)
        edge = min(size, 1.6 * wall)
        curved = np.isfinite(view.faces.radius) & ~sheet
        chord = np.minimum(view.faces.radius[curved] * chord_angle(view, size), size)
        fine = float((_PER_CHORD * view.faces.area[curved] / chord**2 * np.clip(size / chord - 1.0, 0.0, 1.0)).sum())
        elements = max(int(volume / (0.105 * edge**3) + fine), 6)
        nodes = int(elements * (0.30 if order == 1 else 1.8)) + 30
    shells = int(1.1 * float(view.faces.area[sheet].sum()) / size**2 + 2 * sheet.sum())
    unknowns = 3 * nodes + int(6 * 1.05 * shells)
    # factors of a sparse direct solver on solids grow with about the power 4/3, on shells with little more than one
    memory = int(350e6 + 2500.0 * 3 * nodes + 110.0 * (3.0 * nodes) ** (4.0 / 3.0) + 9000.0 * 6 * shells)
    return MeshEstimate(elements + shells, nodes + int(1.05 * shells), unknowns, memory)


def proposed_size(view: ShapeView) -> float:
    """Element size (mm) to begin with, rounded to two digits. Solids: 1.5 walls, at least twelve elements along the part. Sheets: five
    elements across the narrow plane faces, which is six or more per half wave of a buckling wall, at least twelve along."""
    sheet = view.sheet
    size = view.length / 12.0
    if not sheet.all():
        volume = view.volume - float((view.faces.area * view.faces.thickness)[sheet].sum())
        size = min(size, 3.0 * volume / float(view.faces.area[~sheet].sum()))
    if sheet.any():
        longest = np.zeros(len(view.faces))
        for column in (0, 1):
            there = view.edges.faces[:, column] >= 0
            np.maximum.at(longest, view.edges.faces[there, column], view.edges.length[there])
        flat = sheet & (view.faces.kind == "plane") & (longest > 0)
        flat = flat if flat.any() else sheet & (longest > 0)
        width = view.faces.area[flat] / longest[flat]
        order = np.argsort(width)
        reached = np.cumsum(view.faces.area[flat][order]) / view.faces.area[flat].sum()
        size = min(size, float(width[order][np.searchsorted(reached, 0.25)]) / 5.0)
    return float(f"{size:.1e}")
