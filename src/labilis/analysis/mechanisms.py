"""What a singular stiffness lets move: its null vectors, told by piece and motion."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from labilis.analysis.constraints import describe_motions
from labilis.mechanics.blocks import SpringBlock
from labilis.mechanics.ties import cross_matrix
from labilis.mesh import Mesh
from labilis.model import LabilisError
from labilis.shape import PartShape
from labilis.solve.factor import Factor, factor
from labilis.solve.mkl import Symmetric
from labilis.solve.system import System

Floats = NDArray[np.float64]
_SHIFT = 1e-8  # of the diagonal: what makes a singular stiffness one that can be factorised
_ROUNDS, _WIDE = 6, 6
_LOOKS, _COLUMNS = 2, 2
# of the same energy: what is so soft and moves every body as a rigid one is a mechanism. A bay of
# hinged lines had 1e-13, through rounding of its turned stiffness; a sheet of 0.1 mm on 1 m, which
# bends, has 4e-13
_SOFT = 2e-12
# over that energy: share of the stiffness that is lost. A solid sheet of 0.3 mm on 1 m lost 23 % at
# 1.0e-15, one of 1 mm 0.15 % at 1.6e-13 (against shells)
_ROUNDING = 2.2e-16
_LOST = 0.01  # of the stiffness: what may be lost in rounding
_NOUGHT = 1e-6  # of the energy that the same motion would have with nothing joined: less is none
# of the largest motion, root of the mean square: what a rigid motion may leave over
_EXACTLY = 1e-3
_MOVES = 0.2  # of the largest motion: a body that moves as much is named
_TURNS = 0.05  # of a body's shift: at its rim a turn that moves less is none
_RIGID = 0.05  # of a body's motion that may be left over for it to count as rigid


def mechanism_error(
    system: System, part: PartShape, mesh: Mesh, shape: Floats | None = None
) -> LabilisError:
    """The error for a stiffness that is not positive definite: who moves how without any force, as
    its `motion` (n, 3) of all nodes, the largest 1. shape (size,): that motion in reduced unknowns,
    looked for when None."""
    shape = _null_shape(system) if shape is None else shape
    general = "Hold it, join it to what it should stand on, or look at the joints it hangs on."
    if shape is None:
        return LabilisError(
            "The stiffness is singular: something is not connected or not held.",
            "supports",
            "Check the supports and the mesh.",
            "singular",
        )
    moved = system.places(system.ties.expand(shape))
    size = np.linalg.norm(moved, axis=1)
    if size.max() < 1e-6 * np.abs(shape).max():
        return LabilisError(
            "The stiffness is singular: a node turns without moving anything.",
            "supports",
            "Hold the turns of lines about their own axis, and of hubs that only lines hang on.",
            "singular",
        )
    moved, bodies = (
        moved / size.max(),
        {
            int(body): np.unique(cell.elements[cell.body == body])
            for cell in mesh.cells
            for body in np.unique(cell.body)
        },
    )
    told = []
    for body, nodes in sorted(
        bodies.items(), key=lambda item: -float(np.linalg.norm(moved[item[1]], axis=1).max())
    ):
        if np.linalg.norm(moved[nodes], axis=1).max() > _MOVES:
            told.append((part.bodies[body], motion_words(mesh.nodes[nodes], moved[nodes])))
    name, how = told[0]
    more = [other for other, _ in told[1:4]]
    along = (
        f"; {', '.join(repr(other) for other in more)} {'goes' if len(more) == 1 else 'go'} along"
        if more
        else ""
    )
    error = LabilisError(
        f"The part is a mechanism: '{name}' {how} without any force{along}.",
        f"pieces/{name.split('.')[0]}",
        f"{general} The stage shows it.",
        "mechanism",
    )
    error.motion = moved  # type: ignore[attr-defined]
    return error


def softest(system: System, stiffness: Factor) -> tuple[float, Floats]:
    """(energy of the softest motion over what it would be with nothing joined, that motion (size,)
    reduced), by inverse iteration. The energy of a motion that costs nothing is rounding, 1e-16 to
    1e-14; of a plate of 0.1 mm on 1 m with 100,000 nodes it is some 1e-12."""
    upper = system.reduced_stiffness
    weights = np.maximum(upper.diagonal(), 1e-300)
    return _least(Symmetric(upper), weights, stiffness, _LOOKS, _COLUMNS)


def _least(
    times: Symmetric, weights: Floats, inverse: Factor, rounds: int, columns: int
) -> tuple[float, Floats]:
    x = np.random.default_rng(1).standard_normal((len(weights), columns))
    for _ in range(rounds):
        x = inverse.solve(weights[:, None] * x)
        basis, _ = np.linalg.qr(
            np.sqrt(weights)[:, None] * x / np.maximum(np.abs(x).max(axis=0), 1e-300)
        )
        x = basis / np.sqrt(weights)[:, None]
    small = x.T @ times(np.ascontiguousarray(x))
    values, vectors = np.linalg.eigh(0.5 * (small + small.T))
    return float(values[0]), np.asarray(x @ vectors[:, 0])


def _null_shape(system: System) -> Floats | None:
    """The softest motion of a stiffness that cannot be factorised, found with a small shift;
    None when there is none that costs nothing."""
    upper = system.reduced_stiffness.copy()
    diagonal = upper.diagonal()
    level = float(np.median(diagonal[diagonal > 0])) if (diagonal > 0).any() else 0.0
    if level == 0.0:
        return None
    times = Symmetric(upper.copy())
    weights = np.maximum(diagonal, 1e-6 * level)
    upper.setdiag(diagonal + _SHIFT * weights)
    try:
        shifted = factor(upper, positive=False, groups=system.ties.groups)
        energy, shape = _least(times, weights, shifted, _ROUNDS, _WIDE)
    except (ArithmeticError, MemoryError, np.linalg.LinAlgError):
        return None
    shifted.free()
    return shape if abs(energy) < _NOUGHT else None


def refuse_soft(system: System, part: PartShape, mesh: Mesh, stiffness: Factor) -> None:
    """Raises LabilisError for a stiffness that could be factorised and yet lets something move, or
    whose softest motion is lost in rounding."""
    energy, shape = softest(system, stiffness)
    springs = any(isinstance(block, SpringBlock) for block in system.blocks)
    if energy < (0.0 if springs else _SOFT) and _all_rigid(system, mesh, shape):
        raise mechanism_error(system, part, mesh, shape)
    lost = min(_ROUNDING / max(energy, 1e-300), 1.0)
    if lost > _LOST:
        raise LabilisError(
            f"The part is so soft beside its own elements that rounding takes {100 * lost:.2g} % "
            "of its stiffness away.",
            "mesh",
            "Mesh thin pieces as shells; else take fewer and longer elements.",
            "rounding",
        )


def _all_rigid(system: System, mesh: Mesh, shape: Floats) -> bool:
    """Whether a reduced motion moves every body as a rigid one."""
    moved = system.places(system.ties.expand(shape))
    largest = float(np.linalg.norm(moved, axis=1).max())
    if largest < 1e-6 * np.abs(shape).max():
        return True  # only turns
    return all(
        _rigid(mesh.nodes[nodes], moved[nodes])[1] < _EXACTLY * largest * np.sqrt(len(nodes))
        for cell in mesh.cells
        for nodes in (np.unique(cell.elements[cell.body == body]) for body in np.unique(cell.body))
    )


def _rigid(places: Floats, moved: Floats) -> tuple[Floats, float]:
    """(rigid motion (6,) about the mean of places (n, 3): shift mm and turn rad, what it leaves
    over of moved (n, 3) as a length)."""
    arms = places - places.mean(axis=0)
    radius = max(float(np.linalg.norm(arms, axis=1).max()), 1e-9)
    rows = np.concatenate(
        [np.tile(np.eye(3), (len(places), 1, 1)), -cross_matrix(arms / radius)], axis=2
    ).reshape(-1, 6)
    fit, *_ = np.linalg.lstsq(rows, moved.ravel(), rcond=1e-9)
    left = float(np.linalg.norm(rows @ fit - moved.ravel()))
    if np.linalg.norm(fit[3:]) < _TURNS * np.linalg.norm(fit[:3]):
        fit[3:] = 0.0
    return fit / np.array([1, 1, 1, radius, radius, radius]), left


def motion_words(places: Floats, moved: Floats) -> str:
    """'turns about z through (1, 2, 3) mm', 'slides along (0.6, 0.8, 0)', or 'changes its shape';
    places (n, 3) mm, moved (n, 3) to any scale."""
    rigid, left = _rigid(places, moved)
    if left > _RIGID * np.linalg.norm(moved):
        return "changes its shape"
    return describe_motions(rigid[None], places.mean(axis=0))
