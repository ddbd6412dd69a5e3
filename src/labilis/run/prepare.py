"""Compiles what is compiled, so that nobody waits for it at the first part:
python -m labilis.run.prepare, at set-up. The compiled code is kept beside the source, or in the
user's cache."""

from __future__ import annotations

from typing import Any

import numpy as np

from labilis.mechanics.assembly import assemble, make_pattern
from labilis.mechanics.blocks import ShellBlock
from labilis.mechanics.bonds import bond_follows
from labilis.mechanics.plastic import YieldLaw
from labilis.mechanics.plastic_kernels import return_fibres
from labilis.mechanics.reduction import Reduction
from labilis.mechanics.shell import smooth_triads
from labilis.mechanics.ties import HeldNodes, make_ties
from labilis.mesh import flips, slivers
from labilis.mesh.tetrahedra import mesh_body
from labilis.model import Project
from labilis.run.plan import Plan, Snapshot
from labilis.run.runner import Runner
from labilis.shape import build_part
from labilis.shape.rays import Rays
from labilis.solve.system import System

_TUBE = {
    "kind": "strut",
    "length": "30 mm",
    "section": {"shape": "square tube", "width": "9 mm", "thickness": "1 mm"},
}


def prepare() -> None:
    """Mesh a small block and run a small tube as shells, which yield, and as a solid."""
    block = {"kind": "block", "width": "9 mm", "height": "6 mm", "depth": "3 mm"}
    pieces = [{"name": "small", "recipe": block, "mesh_as": "solid"}]
    solid = build_part(Project.model_validate({"pieces": pieces}), {}).solids[0]
    mesh_body(solid, 2.0)
    Rays.through(solid.tessellate(1.0, 0.5)).near_faces(np.zeros((1, 3)), len(solid.faces))
    slivers.compiled()
    runner = Runner()
    runner.run(Snapshot(_tube("shell")), Plan("trace", ("service",)))
    runner.run(Snapshot(_tube("solid")), Plan("modes", ("service",)))
    load_kernels()


def load_kernels() -> None:
    """Call what a run of shells needs of the compiled code, on matrices so small that no thread is
    started: a process that is forked may do it first."""
    flips.compiled()
    _bonded()
    _two_shells()
    _fibres()


def _two_shells() -> None:
    """K, K_G and the derivative along the path of a quadrilateral and a triangle of shells."""
    nodes = np.array([[0.0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [2, 0, 0]])
    held = [HeldNodes(np.array([0, 3]), np.broadcast_to(np.eye(3), (2, 3, 3)), 0)]
    turn_of = 5 + np.arange(5)
    ties = make_ties(np.concatenate([nodes, nodes]), held, [], (), np.tile(np.arange(5), 2))
    blocks = tuple(
        ShellBlock(
            nodes,
            elements,
            turn_of,
            np.ones(1),
            smooth_triads(nodes[elements], elements),
            1.0,
            0.3,
        )
        for elements in (np.array([[0, 1, 2, 3]]), np.array([[1, 4, 2]]))
    )
    system = System(nodes, blocks, ties)
    assert system.reduced_stiffness.shape[0]
    u = np.zeros(3 * ties.n_nodes)
    states = system.stress(u)
    system.geometric(states, u)
    system.path_derivative(ties.reduce_vector(u), u)
    for block, state in zip(blocks, states):
        block.forces(state)


def _fibres() -> None:
    """A section of one fibre."""
    law = YieldLaw(1.0, 0.3, np.zeros(1), np.ones(1))
    one, many = np.ones((1, 1, 1)), np.ones((1, 1, 3))
    rows = np.ones((1, 4))
    return_fibres(1.0, law.curve, np.ones(1), rows, np.ones(3), many, one[0], one, one)


def _bonded() -> None:
    """The stiffness of a triangle with a node bonded to it."""
    places = np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0], [0.3, 0.3, 0.1]])
    turn_of = np.full(4, -1)
    bonds = bond_follows(places, np.array([3]), np.array([[0, 1, 2]]), np.ones((1, 3)) / 3, turn_of)
    ties = make_ties(places, [], follows=bonds)
    pattern = make_pattern(4, np.array([[0, 1, 2]]))
    k = assemble(pattern, [(0, slice(None), np.eye(9)[None])])
    Reduction(pattern, ties).matrix(k, ties, np.ones(12))


def _tube(mesh_as: str) -> Project:
    """A tube held at its foot and pushed at its head."""
    material = {
        "name": "steel",
        "youngs_modulus": "210 GPa",
        "poisson_ratio": "0.3",
        "yield_strength": "235 MPa",
    }
    statement: dict[str, Any] = {
        "materials": [material],
        "pieces": [{"name": "tube", "recipe": _TUBE, "material": "steel", "mesh_as": mesh_as}],
        "regions": [{"name": end, "names": [f"tube/{end}"]} for end in ("start", "end")],
        "hubs": [{"kind": "stiff", "name": "head", "region": "end"}],
        "supports": [{"name": "foot", "on": "start", "held": ["x", "y", "z"]}],
        "loads": [
            {
                "kind": "force",
                "name": "push",
                "on": "head",
                "components": ["0 N", "0 N", "-1 kN"],
            }
        ],
        "cases": [{"name": "service", "loads": [{"load": "push"}]}],
        "mesh": {"size": "6 mm"},
        "criteria": {"modes": 5},
        "trace": {"steps": 3},
    }
    return Project.model_validate(statement)


if __name__ == "__main__":
    prepare()
