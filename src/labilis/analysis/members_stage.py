"""What every piece carries as a member, from a strength run."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from labilis.analysis.case_loads import Ints, LoadScene
from labilis.analysis.joined_length import joined_length, uses_of
from labilis.analysis.strength_stage import SolvedCase
from labilis.mechanics.blocks import StiffBlock
from labilis.mechanics.line_block import LineBlock
from labilis.mesh import Bonds
from labilis.results.findings import MemberFindings
from labilis.results.stress_measures import along
from labilis.shape import PartShape
from labilis.shape.members import Member

Floats = NDArray[np.float64]
_MIDDLE = 0.3  # of the length either side of the middle: ends spread what goes in there
_STRAIGHT = 1 - 1e-6  # cosine between members that go on straight
# of the largest stress times the area: a force below it is what sums of opposite stresses leave
_ROUNDING = 1e-7
# of a piece's volume that lies under the compression named as its largest: corners are left out
_QUANTILE = 0.99


def members_stage(
    scene: LoadScene, part: PartShape, bonds: Bonds, solved: SolvedCase
) -> MemberFindings:
    """Sections, walls and mean axial forces of all members of a part."""
    mesh = scene.mesh
    uses = uses_of(mesh)
    blocks = scene.system.blocks[: len(scene.block_bodies)]
    bodies = np.concatenate(scene.block_bodies)
    volume = np.concatenate([block.volume for block in blocks])
    stress = [
        np.concatenate([block.mean_stress(state) for block, state in zip(blocks, states)])
        for states in (solved.growing_states, solved.held_states)
    ]
    pressed = np.concatenate(
        [_pressed(block, state) for block, state in zip(blocks, solved.growing_states)]
    )
    middle = np.concatenate(
        [scene.numbering.places[block.members].mean(axis=1) for block in blocks]
    )
    rows = []
    chains = _chains(scene, part)
    for member in part.members:
        mine = np.isin(bodies, member.bodies)
        axis = member.axis
        axial, ends = _axial(member, mine, middle, volume, stress)
        peak = _peak(pressed[mine], volume[mine])
        edges = "" if member.wall is None else member.wall.edges
        sizes_of = _sizes(member, chains)
        rows.append((member.name, member.piece, axis, sizes_of, edges, (*axial, peak), ends))
    sizes = np.array([row[3] for row in rows]).reshape(-1, 9)
    loads = np.array([row[5] for row in rows]).reshape(-1, 3)
    names, pieces, held = (np.array([row[at] for row in rows], dtype=np.str_) for at in (0, 1, 4))
    length, area, i_min, i_max, fibre, thickness, wide, thin, radius = sizes.T
    return MemberFindings(
        names=names,
        pieces=pieces,
        axis=np.array([row[2] for row in rows]).reshape(-1, 3),
        length=length,
        area=area,
        i_min=i_min,
        i_max=i_max,
        fibre=fibre,
        thickness=thickness,
        wall_width=wide,
        wall_thickness=thin,
        radius=radius,
        wall_edges=held,
        axial=loads[:, :2],
        peak=loads[:, 2],
        axial_ends=np.array([row[6] for row in rows]).reshape(-1, 2, 2),
        joined=np.array(
            [joined_length(scene.mesh, bonds, uses, member) for member in part.members]
        ),
    )


def _sizes(member: Member, chains: Mapping[str, float]) -> tuple[float, ...]:
    """Length, section and widest wall of a member, mm, in the order of the findings' columns."""
    wall = member.wall
    return (
        chains.get(member.name, member.length),
        member.area,
        member.i_min,
        member.i_max,
        member.fibre,
        member.thickness,
        0.0 if wall is None else wall.width,
        0.0 if wall is None else wall.thickness,
        member.radius,
    )


def _axial(
    member: Member, mine: NDArray[np.bool_], middle: Floats, volume: Floats, stress: list[Floats]
) -> tuple[list[float], list[tuple[float, float]]]:
    """Mean compression (N) of a member under the growing and the held loads, and that at both its
    ends, from the elements that are `mine`."""
    axis = member.axis
    inner = (
        mine
        & (
            np.abs(
                middle @ axis
                - 0.5 * (middle[mine] @ axis).min()
                - 0.5 * (middle[mine] @ axis).max()
            )
            < _MIDDLE * member.length
        )
        if mine.any()
        else mine
    )
    inner = inner if inner.any() else mine
    axial = [
        -float((along(sigma[inner], axis) * volume[inner]).sum() / volume[inner].sum())
        * member.mean_area
        for sigma in stress
    ]
    ends = [
        _ends(sigma[inner], volume[inner], middle[inner], middle[mine], member) for sigma in stress
    ]
    nothing = [
        _ROUNDING * float(np.abs(sigma[mine]).max(initial=0.0)) * member.mean_area
        for sigma in stress
    ]
    axial = [0.0 if abs(force) < least else force for force, least in zip(axial, nothing)]
    ends = [(0.0, 0.0) if max(map(abs, two)) < least else two for two, least in zip(ends, nothing)]
    return axial, ends


def _chains(scene: LoadScene, part: PartShape) -> dict[str, float]:
    """Length (mm) of the straight row of lines that each line is part of: joined end to end, with
    nothing else at the joints, they bow as one member."""
    lines = {
        int(body): cell.elements[cell.body == body]
        for cell in scene.mesh.cells
        if cell.line
        for body in np.unique(cell.body)
    }
    member_of = {
        body: member
        for member in part.members
        for body in member.bodies
        if body in lines and len(member.bodies) == 1
    }
    places = scene.numbering.place_of
    stays = set(
        np.concatenate(
            [
                np.zeros(0, dtype=np.int64),
                *(places[item.nodes] for item in scene.held),
                *(places[np.atleast_1d(hub.nodes)] for hub in scene.hubs),
            ]
        ).tolist()
    )
    released = {
        name
        for name, piece in zip(part.bodies, part.pieces)
        if scene.project.named("pieces", piece).releases
    }
    links = _straight_on(part, lines, member_of, stays, released)
    numbers = {body: k for k, body in enumerate(member_of)}
    pairs = np.array([[numbers[a], numbers[b]] for a, b in links], dtype=np.int64).reshape(-1, 2)
    graph = coo_matrix((np.ones(len(pairs)), pairs.T), shape=(len(numbers),) * 2)
    _, label = connected_components(graph, directed=False) if numbers else (0, np.zeros(0))
    lengths = np.bincount(
        label.astype(int),
        weights=np.array([member_of[body].length for body in numbers], dtype=float),
    )
    return {member_of[body].name: float(lengths[label[k]]) for body, k in numbers.items()}


def _straight_on(
    part: PartShape,
    lines: Mapping[int, Ints],
    member_of: Mapping[int, Member],
    stays: set[int],
    released: set[str],
) -> list[list[int]]:
    """Pairs of bodies that go on straight through a node with nothing else at it."""
    at: dict[int, list[int]] = {}
    for body in member_of:
        nodes, uses = np.unique(lines[body], return_counts=True)
        for node in nodes[uses == 1]:
            at.setdefault(int(node), []).append(body)
    links: list[list[int]] = []
    crossed = np.bincount(
        np.concatenate(
            [np.zeros(0, dtype=np.int64), *(np.unique(items) for items in lines.values())]
        ),
        minlength=1,
    )
    for node, bodies in at.items():
        if (
            len(bodies) == 2
            and crossed[node] == 2
            and node not in stays
            and not {part.bodies[body] for body in bodies} & released
        ):
            one, two = (member_of[body] for body in bodies)
            if abs(float(one.axis @ two.axis)) > _STRAIGHT:
                links.append(bodies)
    return links


def _ends(
    stress: Floats, volume: Floats, inner: Floats, places: Floats, member: Member
) -> tuple[float, float]:
    """Compression (N) at the low and the high end of a member: a straight line through that of
    its middle part, carried on."""
    if len(inner) == 0:
        return 0.0, 0.0
    x, force = inner @ member.axis, -along(stress, member.axis) * member.mean_area
    mean, level = (
        float((x * volume).sum() / volume.sum()),
        float((force * volume).sum() / volume.sum()),
    )
    spread = float(((x - mean) ** 2 * volume).sum())
    slope = float(((x - mean) * (force - level) * volume).sum()) / spread if spread > 0 else 0.0
    reach = places @ member.axis
    middle = 0.5 * (float(reach.min()) + float(reach.max()))
    low, high = (level + slope * (middle + side * member.length / 2 - mean) for side in (-1.0, 1.0))
    return low, high


def _pressed(block: StiffBlock, state: Floats) -> Floats:
    """Largest compression (m,) MPa, negative for tension, in each element: of its mean stress, of a
    line at any point of its section at either end, as its walls feel bending as well."""
    if isinstance(block, LineBlock):
        direct, bent = block.end_stress(state)
        return np.asarray(-(direct + bent.min(axis=2)).min(axis=1))
    xx, yy, zz, xy, yz, zx = block.mean_stress(state).T
    rows = [np.stack(row, -1) for row in ([xx, xy, zx], [xy, yy, yz], [zx, yz, zz])]
    return np.asarray(-np.linalg.eigvalsh(np.stack(rows, -2))[:, 0])


def _peak(pressed: Floats, volume: Floats) -> float:
    """Largest compression (MPa, positive) but for the last hundredth of the volume."""
    if len(pressed) == 0:
        return 0.0
    order = np.argsort(pressed)
    reached = np.cumsum(volume[order]) / volume.sum()
    row = min(int(np.searchsorted(reached, _QUANTILE)), len(order) - 1)
    return max(float(pressed[order][row]), 0.0)
