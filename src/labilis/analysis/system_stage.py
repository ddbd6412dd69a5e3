"""A mesh made a system: ties, elements, what loads act on, and the factor of its stiffness."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from labilis.analysis.case_loads import LoadScene
from labilis.analysis.constraints import Tied, make_tied
from labilis.analysis.elements import check_connected, make_blocks
from labilis.analysis.mechanisms import mechanism_error, refuse_soft
from labilis.mesh import Bonds, Mesh
from labilis.model import LabilisError, Project
from labilis.shape import PartShape
from labilis.solve.factor import Factor, NotPositive, factor
from labilis.solve.system import System

Timed = Callable[[str, Callable[[], Any]], Any]


def system_stage(
    project: Project,
    part: PartShape,
    mesh: Mesh,
    bonds: Bonds,
    timed: Timed = lambda _, call: call(),
) -> tuple[LoadScene, Tied, Factor]:
    """(what loads act on, its ties, its factor); `timed` is called with the name of each part of
    the work.

    Raises LabilisError for what is not held or not connected, and when memory does not suffice.
    """
    tied = make_tied(project, part.view, mesh, bonds)
    check_connected(part, mesh, tied)
    blocks, bodies = make_blocks(project, part, mesh, tied.numbering)
    system = System(mesh.nodes, (*blocks, *tied.springs), tied.ties)
    scene = LoadScene(
        project, part.view, mesh, tied.numbering, system, bodies, part.pieces, tied.held, tied.hubs
    )
    matrix = timed("assemble", lambda: system.reduced_stiffness)
    try:
        stiffness = timed("factorise", lambda: factor(matrix, groups=tied.ties.groups))
    except NotPositive as error:
        raise mechanism_error(system, part, mesh) from error
    except MemoryError as error:
        raise LabilisError(
            f"There is not enough memory to solve this mesh: {error}.",
            "mesh",
            "Mesh coarser, or close other programs.",
            "memory",
        ) from error
    refuse_soft(system, part, mesh, stiffness)
    return scene, tied, stiffness
