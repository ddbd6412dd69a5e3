"""How far an eigenvalue can be off for its mesh, from one mesh: stress that is smoothed over the
nodes is nearer to the true one than that of the elements, and the energy of what lies between the
two is the error of the energy (Zienkiewicz and Zhu 1987)."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from labilis.mechanics.blocks import ShellBlock, SolidBlock
from labilis.mechanics.shell import surface_stress
from labilis.mechanics.solid_families import family
from labilis.solve.system import System

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]
_FOLD = 0.35  # rad; walls that meet at more have stresses of their own, as in `smooth_triads`
# Errors of factors over those of the energy. Solids conform, and theirs are alike (Strang and Fix
# 1973, ch. 6). MITC4 and MITC3: measured against closed forms and finer meshes 1.0 along a strip,
# 1.25 for a square plate, 1.3 and 2.1 for a bracket of two walls (tests)
_SHELLS, _SOLIDS = 2.0, 1.0
# along an edge that is free to turn, twist fades in a layer about as wide as the wall is thick: J =
# bt³/3 (1 - 0.63 t/b), half of that lost at each edge (Timoshenko and Goodier 1951, art. 94).
# Shells have it too (Reissner's layer), at folds as well, but only once their elements are short:
# of an angle 40 x 40 x 3 twisting as a column (tests) 96, 65 and 30 % of the loss are missing at
# sides of 3.3, 2 and 1 thicknesses
_LOST, _LAYER = 0.315, 3.0


def recovered_errors(system: System, vectors: Floats) -> Floats:
    """(k,) relative errors of the eigenvalues of motions (u, k) in all unknowns; nought for
    blocks without stress."""
    found = np.zeros(vectors.shape[1])
    if not found.size:
        return found
    whole = system.energy(vectors).sum(axis=(0, 1))
    seams = {
        number: (_edges(block), _smooth_nodes(block))
        for number, block in enumerate(system.blocks)
        if isinstance(block, ShellBlock)
    }
    for mode in range(len(found)):
        for number, (block, local) in enumerate(zip(system.blocks, system.local(vectors[:, mode]))):
            if isinstance(block, ShellBlock):
                found[mode] += _of_shells(block, block.linear(local), *seams[number])
            elif isinstance(block, SolidBlock):
                found[mode] += _SOLIDS * _of_solids(block, block.linear(local))
    return found / np.maximum(whole, 1e-300)


def _of_shells(block: ShellBlock, state: Floats, edges: _Edges, smooth_at: Bools) -> float:
    """Energy (N mm), doubled, of the jumps of membrane stress and of bending, and of what twist
    loses along edges."""
    where, (top, middle, bottom) = block.corner_stress(state)
    own_top, own_middle, own_bottom = (
        block._global(layer)
        for layer in surface_stress(state, block.geometry.thickness, block.geometry.offset)
    )
    values, area = block.geometry.forms.values, block.geometry.area
    energy = 0.0
    for corners, own, share in (
        (middle, own_middle, 1.0),
        (0.5 * (top - bottom), 0.5 * (own_top - own_bottom), 1.0 / 3.0),
    ):
        smooth = _smoothed(where, corners, block.volume, smooth_at)
        off = np.einsum("gn,mns->mgs", values, smooth) - own
        energy += share * _energy(block, off, area * block.geometry.thickness[:, None])
    return _SHELLS * energy + _edge_layers(block, 0.5 * (top - bottom), edges)


class _Edges(NamedTuple):
    """Sides of elements along the edges of smooth walls: element (e,), its corner at the side's
    beginning; across and along (e, 3) unit vectors in its plane; length (e,) mm; deep (e,) mm: how
    far the element reaches inwards."""

    element: Ints
    corner: Ints
    across: Floats
    along: Floats
    length: Floats
    deep: Floats


def _edges(block: ShellBlock) -> _Edges:
    where, k = block.elements, block.elements.shape[1]
    ends = np.stack([where, np.roll(where, -1, axis=1)], axis=2)
    key = np.sort(ends.reshape(-1, 2), axis=1)
    _, side, count = np.unique(key, axis=0, return_inverse=True, return_counts=True)
    side = side.ravel()
    normal = np.repeat(block._axes[:, 2], k, axis=0)
    first = np.full(len(count), -1)
    first[side[::-1]] = np.arange(len(side))[::-1]
    folded = (
        np.bincount(
            side,
            np.abs(np.einsum("ki,ki->k", normal, normal[first[side]])) < np.cos(_FOLD),
            len(count),
        )
        > 0
    )
    edge = (count != 2) | folded
    rows = np.flatnonzero(edge[side])
    element, corner = rows // k, rows % k
    along = block.nodes[ends[element, corner, 1]] - block.nodes[ends[element, corner, 0]]
    length = np.linalg.norm(along, axis=1)
    s = along / length[:, None]
    deep = (2.0 if k == 3 else 1.0) * block.geometry.area[element].sum(axis=1) / length
    return _Edges(element, corner, np.cross(normal[rows], s), s, length, deep)


def _edge_layers(block: ShellBlock, bending: Floats, edges: _Edges) -> float:
    """Energy (N mm) of twist that layers along the edges of smooth walls do not store, as far as
    the elements are too long to show it; bending (m, k, 6): stress at the top less the middle's, at
    corners."""
    element, corner, n, s, length, deep = edges
    k = block.elements.shape[1]
    stress = 0.5 * (bending[element, corner] + bending[element, (corner + 1) % k])
    tensor = stress[:, [[0, 3, 5], [3, 1, 4], [5, 4, 2]]]
    twist = np.einsum("ki,kij,kj->k", n, tensor, s)
    thickness = block.geometry.thickness[element]
    missing = np.minimum(1.0, deep / (_LAYER * thickness))
    shear = block.modulus / (2 * (1 + block.ratio))
    return float(
        (missing * _LOST * thickness * length * thickness / 3.0 * twist**2 / (2 * shear)).sum()
    )


def _of_solids(block: SolidBlock, state: Floats) -> float:
    """Energy (N mm) of the jumps of stress."""
    where, (corners,) = block.corner_stress(state)
    smooth = _smoothed(where, corners, block.volume, None)
    off = np.einsum("gn,mns->mgs", family(where.shape[1]).values, smooth) - state
    return _energy(block, off, block.geometry.weight)


def _energy(block: ShellBlock | SolidBlock, stress: Floats, volume: Floats) -> float:
    """½ ∫ σ C⁻¹ σ dV of stresses (m, g, 6) MPa at points with volumes (m, g) mm³."""
    trace = stress[..., :3].sum(axis=-1)
    squared = (stress[..., :3] ** 2).sum(axis=-1) + 2 * (stress[..., 3:] ** 2).sum(axis=-1)
    return float(
        (((1 + block.ratio) * squared - block.ratio * trace**2) * volume).sum()
        / (2 * block.modulus)
    )


def _smooth_nodes(block: ShellBlock) -> Bools:
    """Which nodes all walls run smoothly through and are equally thick: elsewhere stress may
    jump."""
    nodes, count = block.elements.ravel(), int(block.elements.max(initial=-1)) + 1
    d = block.triads[:, :, 2].reshape(-1, 3)
    t = np.repeat(block.geometry.thickness, block.elements.shape[1])
    first = np.full(count, -1)
    # a corner of each node that the others are held against
    first[nodes[::-1]] = np.arange(len(nodes))[::-1]
    other = first[nodes]
    apart = (np.einsum("ki,ki->k", d, d[other]) < np.cos(_FOLD)) | (np.abs(t - t[other]) > 1e-6 * t)
    return np.asarray(np.bincount(nodes, apart, count) == 0)


def _smoothed(where: Ints, values: Floats, volume: Floats, smooth_at: Bools | None) -> Floats:
    """Corner values (m, k, 6) averaged by volume at their nodes (m, k), of those `smooth_at` only
    where that is given."""
    nodes = where.ravel()
    count = int(nodes.max()) + 1 if len(nodes) else 0
    weight = np.repeat(volume, where.shape[1])
    total = np.bincount(nodes, weight, count)
    flat = values.reshape(-1, values.shape[-1])
    mean = np.stack(
        [np.bincount(nodes, weight * flat[:, k], count) for k in range(flat.shape[1])], axis=1
    )
    smooth: Floats = (mean / np.maximum(total, 1e-300)[:, None])[nodes]
    if smooth_at is not None:
        smooth = np.where(smooth_at[nodes][:, None], smooth, flat)
    return smooth.reshape(values.shape)
