"""Bonded nodes as ties: they ride on a triangle of another body, at the end of a rigid arm."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from numpy.typing import NDArray

from labilis.mechanics.ties import Follow, Rule, cross_matrix

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


def _quadratic(weights: Floats) -> tuple[Floats, Floats]:
    """Shape functions (k, 6) and their slopes (k, 6, 2) to the second and third corner weight,
    mid-sides 01 12 20."""
    slope = np.array([[-1.0, -1.0], [1.0, 0.0], [0.0, 1.0]])
    a, b = np.array([0, 1, 2]), np.array([1, 2, 0])
    values = np.concatenate(
        [weights * (2 * weights - 1), 4 * weights[:, a] * weights[:, b]], axis=1
    )
    corners = (4 * weights - 1)[:, :, None] * slope
    mids = 4 * (weights[:, a, None] * slope[b] + weights[:, b, None] * slope[a])
    return values, np.concatenate([corners, mids], axis=1)


def bond_follows(
    nodes: Floats, slaves: Ints, triangles: Ints, weights: Floats, turn_of: Ints
) -> list[Follow]:
    """Ties of nodes `slaves` (k,) to triangles (k, 3 or 6) at corner weights (k, 3); nodes (n, 3)
    mm; turn_of (n,) the turn node of a node, -1 for none. On shells the frame turns with the
    shell's nodes, on solids with the triangle's surface."""
    on_shell = turn_of[triangles[:, :3]].min(axis=1) >= 0
    found = []
    for rows, make in ((on_shell, _on_shell), (~on_shell, _on_solid)):
        if rows.any():
            found += make(nodes, slaves[rows], triangles[rows], weights[rows], turn_of)
    return found


def _on_shell(
    nodes: Floats, slaves: Ints, triangles: Ints, weights: Floats, turn_of: Ints
) -> list[Follow]:
    corners = triangles[:, :3]
    masters = np.concatenate([corners, turn_of[corners]], axis=1)
    return _both(slaves, masters, partial(_shell_rule, slaves, corners, weights), nodes, turn_of)


def _shell_rule(slaves: Ints, corners: Ints, weights: Floats, nodes: Floats) -> Rule:
    arms = nodes[slaves] - np.einsum("kc,kcx->kx", weights, nodes[corners])
    shares = weights[:, :, None, None] * np.eye(3)
    lever = -weights[:, :, None, None] * cross_matrix(arms)[:, None]  # θ×r = -r×θ
    return (
        np.concatenate([shares, lever], axis=1),
        np.concatenate([0 * shares, shares], axis=1),
        arms,
    )


def _on_solid(
    nodes: Floats, slaves: Ints, triangles: Ints, weights: Floats, turn_of: Ints
) -> list[Follow]:
    if triangles.shape[1] == 6 and triangles.min() >= 0:
        values, slopes = _quadratic(weights)
    else:
        triangles = triangles[:, :3]
        values, slopes = (
            weights,
            np.broadcast_to(np.array([[-1.0, -1.0], [1.0, 0.0], [0.0, 1.0]]), (len(slaves), 3, 2)),
        )
    return _both(
        slaves, triangles, partial(_solid_rule, slaves, triangles, values, slopes), nodes, turn_of
    )


def _solid_rule(
    slaves: Ints, triangles: Ints, values: Floats, slopes: Floats, nodes: Floats
) -> Rule:
    places = nodes[triangles]
    arms = nodes[slaves] - np.einsum("kc,kcx->kx", values, places)
    tangent = np.einsum("kca,kcx->kax", slopes, places)
    normal = np.cross(tangent[:, 0], tangent[:, 1])
    normal = normal / np.sqrt((normal**2).sum(axis=1, keepdims=True))
    metric = np.linalg.inv(np.einsum("kax,kbx->kab", tangent, tangent))
    gradient = np.einsum(
        "kca,kab,kbx->kcx", slopes, metric, tangent
    )  # surface gradient of each shape function
    # the normal turns by -(∇u)ᵀ n, so that ω = n × dn; about the normal half the surface curl:
    # together linear in u
    k, p = values.shape
    tipping = -np.einsum("kij,kcj,kx->kcix", cross_matrix(normal), gradient, normal)
    spin = 0.5 * np.einsum(
        "ki,kcjx,kj->kcix",
        normal,
        cross_matrix(gradient.reshape(-1, 3)).reshape(k, p, 3, 3),
        normal,
    )
    turning = tipping + spin
    lever = -np.einsum("kij,kcjx->kcix", cross_matrix(arms), turning)
    return values[:, :, None, None] * np.eye(3) + lever, turning, arms


def _turns_only(rule: Callable[[Floats], Rule], rows: Ints, nodes: Floats) -> Rule:
    """The rule for turns that follow: they ride in the frame that the places ride in."""
    _, turning, arms = rule(nodes)
    return turning[rows], 0 * turning[rows], 0 * arms[rows]


def _both(
    slaves: Ints, masters: Ints, rule: Callable[[Floats], Rule], nodes: Floats, turn_of: Ints
) -> list[Follow]:
    """Ties of the places, and of the turns of those nodes that have one."""
    turns = turn_of[slaves]
    with_turn = np.flatnonzero(turns >= 0)
    found = [Follow(slaves, masters, *rule(nodes), rule)]
    if len(with_turn):
        follows = partial(_turns_only, rule, with_turn)
        found.append(Follow(turns[with_turn], masters[with_turn], *follows(nodes), follows))
    return found


def spread_follow(
    nodes: Floats, region: Ints, weights: Floats, hub: int, hub_turn: int
) -> list[Follow]:
    """A spread hub: nodes `hub` and `hub_turn` follow the rigid motion that fits the region's nodes
    (k,) best, each counted with its weight (k,); a load on the hub is shared out by the same rule.
    The hub stands where node `hub` is.

    Raises ValueError for a region whose nodes lie on one line: its turn about that line cannot be
    told."""
    share = weights / weights.sum()
    values = np.linalg.eigvalsh(_inertia(share, nodes[region] - share @ nodes[region]))
    if values[0] < 1e-9 * values[-1]:
        raise ValueError("the region's nodes lie on one line")
    rule = partial(_spread_rule, region, share, hub)
    turns = partial(_turns_only, rule, np.zeros(1, dtype=np.int64))
    return [
        Follow(np.array([hub]), region[None], *rule(nodes), rule),
        Follow(np.array([hub_turn]), region[None], *turns(nodes), turns),
    ]


def _inertia(share: Floats, arms: Floats) -> Floats:
    return np.einsum(
        "k,kij->ij",
        share,
        (arms**2).sum(axis=1)[:, None, None] * np.eye(3) - np.einsum("ki,kj->kij", arms, arms),
    )


def _spread_rule(region: Ints, share: Floats, hub: int, nodes: Floats) -> Rule:
    middle = share @ nodes[region]
    arms = nodes[region] - middle
    turning = np.linalg.inv(_inertia(share, arms)) @ (share[:, None, None] * cross_matrix(arms))
    arm = nodes[[hub]] - middle
    return (
        (share[:, None, None] * np.eye(3) - cross_matrix(arm)[0] @ turning)[None],
        turning[None],
        arm,
    )
