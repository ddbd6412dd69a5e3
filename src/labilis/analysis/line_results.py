"""What lines carry: forces and moments at both ends of each element, and the stress along it."""

from __future__ import annotations

from typing import Any

import numpy as np

from labilis.analysis.case_loads import LoadScene
from labilis.analysis.regions import Floats, Ints
from labilis.mechanics.line_block import LineBlock
from labilis.results.stress_measures import von_mises


def line_results(scene: LoadScene, states: list[list[Floats]]) -> dict[str, Any]:
    """The fields of StrengthFindings that are of lines, from the states of all blocks under the
    growing and under the held loads. Nothing without lines."""
    names = scene.view.bodies
    rows = [
        (block, bodies, growing, held)
        for block, bodies, growing, held in zip(scene.system.blocks, scene.block_bodies, *states)
        if isinstance(block, LineBlock)
    ]
    if not rows:
        return {}
    stress = []
    for block, _, growing, held in rows:
        fibres = _fibres(block, growing + held)
        stress.append(np.stack([fibres.max(axis=2), fibres.min(axis=2)], axis=2))
    return {
        "line_names": np.array([names[body] for _, bodies, _, _ in rows for body in bodies]),
        "line_nodes": np.concatenate([block.elements for block, _, _, _ in rows]),
        "line_axes": np.concatenate([block.frames for block, _, _, _ in rows]),
        "line_growing": np.concatenate([row[0].end_forces(row[2]) for row in rows]),
        "line_held": np.concatenate([row[0].end_forces(row[3]) for row in rows]),
        "line_stress": np.concatenate(stress),
    }


def line_yield(
    scene: LoadScene, states: list[list[Floats]], yields: dict[str, float | None]
) -> tuple[float, int, str]:
    """(least factor, node, piece) at which held + factor × growing direct stress reaches the yield
    strength at some point of a line's section, at either end of an element; inf, -1 and '' where
    it does nowhere. What a line carries where it is held is no peak of the idealisation."""
    best: tuple[float, int, str] = (float("inf"), -1, "")
    for block, bodies, growing, held in zip(scene.system.blocks, scene.block_bodies, *states):
        if not isinstance(block, LineBlock) or not len(bodies):
            continue
        piece = scene.pieces[int(bodies[0])]
        strength = yields.get(piece)
        if strength is None:
            continue
        grow, hold = _fibres(block, growing), _fibres(block, held)
        with np.errstate(divide="ignore", invalid="ignore"):
            factor = np.where(grow == 0, np.inf, (np.sign(grow) * strength - hold) / grow)
        factor = np.where(np.abs(hold) >= strength, 0.0, factor).min(axis=2)
        row = int(factor.argmin())
        if factor.flat[row] < best[0]:
            best = float(factor.flat[row]), int(block.elements.flat[row]), piece
    return best


def line_peaks(scene: LoadScene, states: list[list[Floats]]) -> tuple[Ints, Floats]:
    """(nodes (k,), stress (2, k, 6) MPa there under the growing and under the held loads), at the
    one point of a section, of all lines that meet at the node, that carries most under both."""
    nodes, stress = [np.zeros(0, dtype=np.int64)], [np.zeros((2, 0, 6))]
    for block, *pair in zip(scene.system.blocks, *states):
        if isinstance(block, LineBlock):
            parts = np.stack([_fibres(block, state) for state in pair])
            most = np.abs(parts.sum(axis=0)).argmax(axis=2)
            here = np.take_along_axis(parts, most[None, ..., None], axis=3)
            nodes.append(block.elements.ravel())
            stress.append((here * block.dyads[:, None]).reshape(2, -1, 6))
    everywhere, found = np.concatenate(nodes), np.concatenate(stress, axis=1)
    largest_last = np.argsort(von_mises(found.sum(axis=0)), kind="stable")
    places = np.full(len(scene.mesh.nodes), -1)
    places[everywhere[largest_last]] = largest_last
    touched = np.flatnonzero(places >= 0)
    return touched, found[:, places[touched]]


def _fibres(block: LineBlock, state: Floats) -> Floats:
    """Direct stress (m, 2, p) at the points of the section at both ends."""
    direct, bent = block.end_stress(state)
    return direct[..., None] + bent
