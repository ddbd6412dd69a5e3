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

    Fitted to meshes of plates, struts and blocks made here (within about 40 %): the interior needs
    V / (0.1 size³) elements, and a thin body cannot have fewer than its surface asks for.
    """
    wall = max(view.thickness, 1e-9)
    edge = min(size, 1.6 * wall)
    curved = np.isfinite(view.faces.radius)
    chord = np.minimum(view.faces.radius[curved] * chord_angle(view, size), size)
    fine = float((_PER_CHORD * view.faces.area[curved] / chord**2 * np.clip(size / chord - 1.0, 0.0, 1.0)).sum())
    elements = max(int(view.volume / (0.105 * edge**3) + fine), 6)
    nodes = int(elements * (0.30 if order == 1 else 1.8)) + 30
    unknowns = 3 * nodes
    # factors of a sparse direct solver on solids grow with about the power 4/3
    memory = int(350e6 + 2500.0 * unknowns + 110.0 * unknowns ** (4.0 / 3.0))
    return MeshEstimate(elements, nodes, unknowns, memory)


def proposed_size(view: ShapeView) -> float:
    """Element size (mm) to begin with: 1.5 walls, at least twelve elements along the part, rounded to two digits."""
    size = min(1.5 * view.thickness, view.length / 12.0)
    digits = f"{size:.1e}"
    return float(digits)
