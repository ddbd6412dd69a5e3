"""The mesh stage of a run: size, zones, bonds, and the figures of what came of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from labilis.analysis.bolting import bolted_pairs, check_seams, seam_nodes, welded
from labilis.analysis.joints import joint_figures
from labilis.analysis.regions import match_region, region_nodes
from labilis.mesh import (
    Bonds,
    Mesh,
    Zone,
    available_memory,
    estimate,
    find_bonds,
    measure_quality,
    mesh_part,
    planned_sizes,
    proposed_size,
)
from labilis.model import LabilisError, Project, shown
from labilis.results.findings import MeshFindings
from labilis.shape import PartShape, ShapeView

# unknowns of solids that a size nobody stated may lead to, some 30 s of modes here; as they are
# expected, and as they come out
_MOST, _TOO_MANY = 80_000, 130_000


def mesh_stage(
    project: Project, part: PartShape, coarser: float = 1.0
) -> tuple[Mesh, Bonds, MeshFindings]:
    """Mesh of a part with its bonds, all elements so much `coarser` than planned. Where the
    proposed size makes more of solids than a run can take, all are coarser still, which is told.

    Raises LabilisError for sizes that make no mesh, or one too large."""
    # a fineness divides what comes of it: else the next round of a mesh that is found would jump
    more = (
        1.0
        if project.mesh.size is not None or part.view.sheet.all()
        else _too_fine(project, part.view)
    )
    made = _meshed(project, part, coarser * more)
    if (
        project.mesh.size is None
        and fineness_of(project) <= 1.0
        and made[2].unknowns > _TOO_MANY
        and made[2].has_solids
    ):
        more *= (made[2].unknowns / _MOST) ** 0.5
        made = _meshed(project, part, coarser * more)
    if more == 1.0:
        return made
    mesh, bonds, findings = made
    words = (
        f"Solids are meshed {more:.2g} times coarser than proposed, to {findings.size:.3g} "
        "mm: "
        "the run would be long."
    )
    return (
        replace(mesh, told=(*mesh.told, words)),
        bonds,
        replace(findings, told=np.array([*findings.told, words], dtype=str)),
    )


def _too_fine(project: Project, view: ShapeView) -> float:
    """How many times too fine the proposed size is, whatever fineness is asked of it, from the
    unknowns expected; 1 where it is not."""
    size, solids = planned_sizes(view, None)
    expected = estimate(
        view, size, project.mesh.order, project.mesh.solids == "swept", solids
    ).unknowns
    return max(1.0, float(expected / _MOST)) ** 0.5


def _meshed(project: Project, part: PartShape, coarser: float) -> tuple[Mesh, Bonds, MeshFindings]:
    plan, view = project.mesh, part.view
    size, solids = mesh_sizes(project, view)
    zones = zones_of(project, view)
    check_size(view, size, plan.order, plan.solids == "swept", solids, zones)
    size, solids = coarser * size, None if solids is None else coarser * solids
    zones = [(faces, edges, min(coarser * fine, size)) for faces, edges, fine in zones]
    if any(fine < size / 50 for _, _, fine in zones):
        raise LabilisError(
            "A zone is more than fifty times finer than the rest.",
            "mesh/zones",
            "Give it a larger size.",
            "zone-size",
        )
    seams = welded(project, view, part.bodies)
    apart = _released(project, part) | bolted_pairs(project, view)
    # bodies that are welded have no common nodes: only the edges are joined
    # what is held fine for itself, as round edges are, follows the plan as well
    mesh = mesh_part(
        part,
        size,
        plan.order,
        zones,
        apart.union(*(seam.pairs for seam in seams)),
        plan.solids == "swept",
        coarser / fineness_of(project),
        solids,
    )
    weld = project.number_if(plan, "weld_gap", "mesh/weld_gap")
    bonds = find_bonds(mesh, apart, part.lines, weld, seam_nodes(project, view, mesh, seams))
    check_seams(
        project,
        seams,
        bonds,
        {
            seam.name: region_nodes(project.named("regions", seam.along), view, mesh)
            for seam in seams
        },
    )
    return mesh, bonds, _mesh_findings(part, mesh, bonds, size)


def zones_of(project: Project, view: ShapeView) -> list[Zone]:
    """(faces, edges, size in mm) of what the plan wants finer than the rest."""
    found = []
    for zone in project.mesh.zones:
        match = match_region(project.named("regions", zone.region), view)
        found.append((match.faces, match.edges, project.number(zone, "size")))
    return found


def mesh_sizes(project: Project, view: ShapeView) -> tuple[float, float | None]:
    """(element size, another one of solids or None), mm, by the plan."""
    plan = project.mesh
    return planned_sizes(view, project.number_if(plan, "size", "mesh/size"), fineness_of(project))


def fineness_of(project: Project) -> float:
    """Sides of elements are divided by it."""
    return (
        1.0
        if project.mesh.fineness is None
        else project.number(project.mesh, "fineness", "mesh/fineness")
    )


def _mesh_findings(part: PartShape, mesh: Mesh, bonds: Bonds, size: float) -> MeshFindings:
    """The mesh as plain figures."""
    quality = measure_quality(mesh, part.view.thickness)
    joints = joint_figures(mesh, bonds)
    return MeshFindings(
        nodes=mesh.nodes,
        connectivity=np.concatenate([cell.elements.ravel() for cell in mesh.cells]),
        sizes=np.concatenate(
            [np.full(len(cell.elements), cell.elements.shape[1]) for cell in mesh.cells]
        ),
        shells=np.concatenate([np.full(len(cell.elements), cell.shell) for cell in mesh.cells]),
        body=np.concatenate([cell.body for cell in mesh.cells]),
        bodies=np.array(part.bodies),
        triangles=mesh.triangles,
        triangle_face=mesh.triangle_face,
        shape=quality.shape,
        histogram=quality.histogram,
        mean_edge=quality.mean_edge,
        thickness=part.view.thickness,
        volume=quality.volume,
        straightened=mesh.straightened,
        size=size,
        unknowns=3 * (len(mesh.nodes) + len(mesh.turning_nodes)),
        bonded=joints.bonded,
        sheet_faces=np.flatnonzero(part.view.sheet),
        deviation=part.deviation,
        missed=bonds.missed,
        quads=mesh.quads,
        of_quad=np.full(len(mesh.triangles), -1) if mesh.of_quad is None else mesh.of_quad,
        fused=joints.fused,
        joint_reach=joints.reach,
        joint_turns=joints.turns,
        joint_area=joints.area,
        joint_gap=joints.gap,
        near=bonds.near,
        near_gap=bonds.near_gap,
        told=np.array(mesh.told, dtype=str),
        segments=mesh.segments,
        segment_edge=mesh.segment_edge,
        narrow=part.narrow,
        missing=np.array(part.missing, dtype=str),
    )


def _released(project: Project, part: PartShape) -> frozenset[tuple[int, int]]:
    """Pairs of bodies whose joint is released."""
    found = set()
    for one, two in project.released:
        for i, a in enumerate(part.bodies):
            for j, b in enumerate(part.bodies):
                if {part.pieces[i], part.pieces[j]} == {one, two} or {a, b} == {one, two}:
                    found.add((min(i, j), max(i, j)))
    return frozenset(found)


def check_size(
    view: Any,
    size: float,
    order: int,
    swept: bool = True,
    solids: float | None = None,
    zones: Sequence[Zone] = (),
) -> None:
    """Refuse an element size larger than the part, or one whose run would not fit into memory."""
    largest = float((view.extents[:, 1] - view.extents[:, 0]).max())
    if size > largest:
        raise LabilisError(
            f"An element size of {shown.length(size)} is larger than the part "
            f"({shown.length(largest)}).",
            "mesh/size",
            f"Try {shown.length(proposed_size(view), 3)}.",
            "size-too-large",
        )
    cost = estimate(view, size, order, swept, solids, zones)
    memory = available_memory()
    if cost.memory > 0.9 * memory:
        raise LabilisError(
            f"A size of {shown.length(size)} gives about {cost.unknowns:,} unknowns, which need "
            "about "
            f"{cost.memory / 2**30:.0f} GiB; {memory / 2**30:.0f} GiB are free.",
            "mesh/size",
            f"Try {shown.length(proposed_size(view), 3)}, or a finer zone only where the part "
            "bends.",
            "size-too-small",
        )
