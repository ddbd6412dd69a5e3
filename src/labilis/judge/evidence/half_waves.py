"""Elements per half wave of the first mode: too few make every factor too high."""

from __future__ import annotations

import numpy as np

from labilis.judge.evidence.base import CaseFacts, Evidence, State
from labilis.model import shown
from labilis.results.findings import Floats, MeshFindings, ModesFindings
from labilis.results.memo import once_for

_GOOD, _LEAST = 6.0, 4.0
_MOVES = 0.1  # of the largest motion: what moves less stores a hundredth of the energy or less


def elements_per_half_wave(mesh: MeshFindings, shape: Floats) -> tuple[float, float]:
    """(half wave in mm, elements along it) of a mode shape (n, 3).

    The wave number is that of the shape on the part's surface, k² = ∫|∇φ|² dA / ∫|φ|² dA, which for
    a sine is exact; the half wave π/k is compared with the mean side of the elements that move,
    each counted by |φ|² dA. A side of a solid of second order counts twice."""
    corners = mesh.triangles[:, :3]
    p = mesh.nodes[corners]
    one, two = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
    normal = np.cross(one, two)
    area = 0.5 * np.linalg.norm(normal, axis=1)
    good = area > 1e-12 * area.max()
    p, one, two, normal, area, moved = (
        p[good],
        one[good],
        two[good],
        normal[good],
        area[good],
        shape[corners[good]],
    )
    metric = np.linalg.inv(
        np.stack(
            [
                np.stack([(one * one).sum(1), (one * two).sum(1)], -1),
                np.stack([(one * two).sum(1), (two * two).sum(1)], -1),
            ],
            -2,
        )
    )
    steps = np.stack([moved[:, 1] - moved[:, 0], moved[:, 2] - moved[:, 0]], axis=1)
    slope = np.einsum("kai,kab,kbi->k", steps, metric, steps)
    size = (moved.mean(axis=1) ** 2).sum(axis=1)
    wave = np.pi / np.sqrt(
        max(float((slope * area).sum()), 1e-300) / max(float((size * area).sum()), 1e-300)
    )
    sides = np.linalg.norm(np.roll(p, -1, axis=1) - p, axis=2).mean(axis=1)
    if len(mesh.quads):  # a hexahedron's side counts whole, not the triangles it is cut into
        ring = mesh.nodes[mesh.quads[:, :4]]
        whole = np.linalg.norm(np.roll(ring, -1, axis=1) - ring, axis=2).mean(axis=1)
        sides = np.where(mesh.of_quad[good] >= 0, whole[mesh.of_quad[good]], sides)
    if mesh.order == 2:  # shells beside solids count once
        sides = np.where(np.isin(mesh.triangle_face[good], mesh.sheet_faces), sides, sides / 2.0)
    weight = size * area
    side = float((sides * weight).sum() / weight.sum())
    return float(wave), float(wave / side)


def _along_lines(mesh: MeshFindings, shape: Floats) -> tuple[float, float]:
    """The same for line elements, along their length; their bending is cubic, so that each
    counts twice."""
    ends, moved = mesh.nodes[mesh.lines], shape[mesh.lines]
    length = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    slope = float((((moved[:, 1] - moved[:, 0]) ** 2).sum(axis=1) / length).sum())
    size = float(((moved.mean(axis=1) ** 2).sum(axis=1) * length).sum())
    wave = np.pi / np.sqrt(max(slope, 1e-300) / max(size, 1e-300))
    return float(wave), 2.0 * float(wave / length.mean())


def half_wave_of(mesh: MeshFindings, shape: Floats) -> tuple[float, float]:
    """(half wave mm, elements along it) of a mode on surfaces or on lines, where it moves them:
    what has fewer elements; noughts for nothing."""
    moved = np.linalg.norm(shape, axis=1)
    found = [
        measure(mesh, shape)
        for nodes, measure in (
            (mesh.triangles[:, :3], elements_per_half_wave),
            (mesh.lines, _along_lines),
        )
        if len(nodes) and moved[nodes].max() > _MOVES * moved.max()
    ]
    return min(found, key=lambda wave: wave[1], default=(0.0, 0.0))


@once_for
def waves_of(mesh: MeshFindings, modes: ModesFindings) -> tuple[tuple[float, float], ...]:
    """(half wave mm, elements along it) of each mode."""
    return tuple(half_wave_of(mesh, shape) for shape in modes.shapes)


def half_waves(facts: CaseFacts) -> Evidence | None:
    """Judged on the first positive mode."""
    if (
        facts.mesh is None
        or facts.modes is None
        or len(facts.modes.positive) == 0
        or (len(facts.mesh.triangles) + len(facts.mesh.lines) == 0)
    ):
        return None
    first = facts.modes.first
    wave, count = waves_of(facts.mesh, facts.modes)[first]
    twice = (
        " (of second order, each counted twice)"
        if facts.mesh.has_solids and facts.mesh.order == 2
        else ""
    )
    if count >= _GOOD:
        return Evidence(
            "elements per half wave",
            f"{count:.3g}",
            "elements",
            "good",
            f"The first mode's half wave of about {shown.length(wave, 3)} spans {count:.3g} "
            f"elements{twice}.",
            "mesh",
        )
    state: State = "caution" if count >= _LEAST else "bad"
    return Evidence(
        "elements per half wave",
        f"{count:.2g}",
        "elements",
        state,
        f"The first mode's half wave of about {shown.length(wave, 3)} spans only {count:.2g} "
        f"elements{twice}; the factor is too high. "
        f"Mesh to {shown.length(wave / 8, 2)} there, or study convergence.",
        "mesh",
    )
