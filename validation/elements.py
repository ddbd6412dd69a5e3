"""Single elements and small meshes: patches, motions without energy, and the obstacle course of
curved shells."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from labilis.mechanics import bricks, tetrahedra
from labilis.mechanics.assembly import full
from labilis.mechanics.blocks import ShellBlock, SolidBlock
from labilis.mechanics.shell import smooth_triads
from labilis.mechanics.ties import HeldNodes, make_ties
from labilis.solve.factor import factor
from labilis.solve.strength import solve_linear
from labilis.solve.system import System
from validation.case import Case, Direct

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
MACNEAL = "MacNeal and Harder 1985"


def grid(nx: int, ny: int, lx: float, ly: float, distort: float = 0.0) -> tuple[Floats, Ints]:
    """Quadrilaterals over a rectangle, their inner nodes moved by at most `distort` of a side."""
    x, y = np.meshgrid(np.linspace(0, lx, nx + 1), np.linspace(0, ly, ny + 1), indexing="ij")
    nodes = np.stack([x.ravel(), y.ravel(), np.zeros(x.size)], axis=1)
    inner = (nodes[:, 0] > 0) & (nodes[:, 0] < lx) & (nodes[:, 1] > 0) & (nodes[:, 1] < ly)
    nodes[inner, :2] += (
        distort
        * np.random.default_rng(2).uniform(-1, 1, (int(inner.sum()), 2))
        * [lx / nx, ly / ny]
    )
    i, j = np.meshgrid(np.arange(nx), np.arange(ny), indexing="ij")
    a = (i * (ny + 1) + j).ravel()
    return nodes, np.stack([a, a + ny + 1, a + ny + 2, a + 1], axis=1)


class Shells:
    """Shells on a grid with held motions, through the same system as a part."""

    def __init__(
        self,
        nodes: Floats,
        elements: Ints,
        thickness: float,
        e: float,
        nu: float,
        triads: Floats | None = None,
    ) -> None:
        self.count, self.nodes = len(nodes), nodes
        self.turn_of = self.count + np.arange(self.count)
        triads = smooth_triads(nodes[elements], elements) if triads is None else triads
        self.block = ShellBlock(
            nodes, elements, self.turn_of, np.full(len(elements), thickness), triads, e, nu
        )
        self.held = np.zeros((self.count, 6), dtype=bool)

    def solve(self, force: Floats, given: Floats | None = None) -> Floats:
        """Motions (n, 6) under forces and moments (n, 6), held ones given."""
        held = []
        for axis in range(6):
            where = np.flatnonzero(self.held[:, axis])
            direction = np.broadcast_to(np.eye(3)[axis % 3], (len(where), 1, 3))
            held.append(HeldNodes(where + (self.count if axis > 2 else 0), direction, 0, axis > 2))
        place_of = np.concatenate([np.arange(self.count)] * 2)
        ties = make_ties(np.concatenate([self.nodes] * 2), held, (), (), place_of)
        system = System(self.nodes, (self.block,), ties)
        moved = None if given is None else np.concatenate([given[:, :3], given[:, 3:]]).ravel()
        solution = solve_linear(
            system,
            factor(system.reduced_stiffness, groups=ties.groups),
            np.concatenate([force[:, :3], force[:, 3:]]).ravel(),
            np.zeros(ties.size),
            moved,
        )
        return np.concatenate(
            [solution.u.reshape(2, self.count, 3)[0], solution.u.reshape(2, self.count, 3)[1]],
            axis=1,
        )


def patch(kind: str) -> Direct:
    """A distorted patch whose border moves as a constant strain asks for: largest error inside,
    relative, plus one."""
    nodes, elements = grid(4, 3, 12, 9, distort=0.25)
    model = Shells(nodes, elements, 0.6, 200e3, 0.3)
    x, y = nodes[:, 0], nodes[:, 1]
    exact = np.zeros((len(nodes), 6))
    if kind == "membrane":
        exact[:, 0], exact[:, 1] = 1e-3 * x + 0.4e-3 * y, 0.4e-3 * x - 0.7e-3 * y
    else:
        a, b, c = 1e-4, -0.6e-4, 0.8e-4
        exact[:, 2] = 0.5 * (a * x**2 + b * y**2) + c * x * y
        exact[:, 3], exact[:, 4] = b * y + c * x, -(a * x + c * y)
    model.held[(x == 0) | (x == 12) | (y == 0) | (y == 9)] = True
    u = model.solve(np.zeros_like(exact), np.where(model.held, exact, 0.0))
    return Direct(1.0 + float(np.abs(u - exact).max() / np.abs(exact).max()), len(elements), u.size)


def free_motions(n_nodes: int) -> Direct:
    """Motions without energy of a distorted solid element; of two hexahedra together, for one alone
    has six more at its 2 × 2 × 2 points, which it cannot hand on to a neighbour."""
    if n_nodes == 10:
        corners = np.array([[0.0, 0.0, 0.0], [2.1, 0.2, 0.1], [0.3, 1.8, -0.2], [0.4, 0.3, 1.6]])
        ideal = np.concatenate([corners, corners[tetrahedra.SIDES].mean(axis=1)])
    else:
        ideal = bricks.HEX_NODES if n_nodes == 20 else bricks.WEDGE_NODES
    both = np.concatenate([ideal, ideal + np.array([2.0, 0, 0])]) if n_nodes == 20 else ideal
    places, inverse = np.unique(both.round(9), axis=0, return_inverse=True)
    elements = inverse.reshape(-1, n_nodes)
    places = places + 0.04 * np.random.default_rng(3).uniform(-1, 1, places.shape)
    block = SolidBlock(places, elements, 200e3, 0.3)
    system = System(places, (block,), make_ties(places, []))
    values = np.linalg.eigvalsh(full(system.stiffness).toarray())
    return Direct(float((np.abs(values) < 1e-9 * values[-1]).sum()), len(elements), places.size)


def twisted_beam(t: float, load: float, axis: int) -> Direct:
    """L 12, width 1.1, twist 90 degrees; movement of the tip's middle along the load."""
    nx, ny = 48, 8
    flat, elements = grid(nx, ny, 12.0, 1.1)
    angle, across = flat[:, 0] * (np.pi / 2) / 12.0, flat[:, 1] - 0.55
    model = Shells(
        np.stack([flat[:, 0], across * np.cos(angle), across * np.sin(angle)], axis=1),
        elements,
        t,
        29e6,
        0.22,
    )
    model.held[flat[:, 0] == 0] = True
    tip = np.isclose(flat[:, 0], 12.0)
    force = np.zeros((len(flat), 6))
    force[tip, axis] = load * np.where(np.isclose(np.abs(across[tip]), 0.55), 0.5, 1.0) / ny
    u = model.solve(force)
    return Direct(float(np.abs(u[tip & np.isclose(across, 0.0), axis])[0]), len(elements), u.size)


def pinched_cylinder() -> Direct:
    """R 300, L 600, t 3, rigid end diaphragms, opposite unit forces; an eighth."""
    n, radius = 32, 300.0
    flat, elements = grid(n, n, 300.0, np.pi / 2)
    model = Shells(
        np.stack([flat[:, 0], radius * np.sin(flat[:, 1]), radius * np.cos(flat[:, 1])], axis=1),
        elements,
        3.0,
        3e6,
        0.3,
    )
    middle, end = flat[:, 0] == 0, np.isclose(flat[:, 0], 300.0)
    top, side = flat[:, 1] == 0, np.isclose(flat[:, 1], np.pi / 2)
    for where, motions in (
        (middle, [0, 4, 5]),
        (top, [1, 3, 5]),
        (side, [2, 3, 4]),
        (end, [1, 2, 3]),
    ):
        model.held[np.ix_(where, motions)] = True
    force = np.zeros((len(flat), 6))
    corner = int(np.flatnonzero(middle & top)[0])
    force[corner, 2] = -0.25
    u = model.solve(force)
    return Direct(float(-u[corner, 2]), len(elements), u.size)


def hemisphere(n: int = 16, distort: float = 0.0) -> Direct:
    """R 10, t 0.04, hole of 18 degrees, radial forces 2; a quarter."""
    radius = 10.0
    flat, elements = grid(n, n, np.pi / 2, np.radians(72), distort)
    a, b = flat[:, 0], flat[:, 1]
    model = Shells(
        radius * np.stack([np.cos(b) * np.cos(a), np.cos(b) * np.sin(a), np.sin(b)], 1),
        elements,
        0.04,
        6.825e7,
        0.3,
    )
    one, two = a == 0, np.isclose(a, np.pi / 2)
    model.held[np.ix_(one, [1, 3, 5])] = True
    model.held[np.ix_(two, [0, 4, 5])] = True
    out, into = int(np.flatnonzero(one & (b == 0))[0]), int(np.flatnonzero(two & (b == 0))[0])
    model.held[out, 2] = True
    force = np.zeros((len(flat), 6))
    force[out, 0], force[into, 1] = 1.0, -1.0
    u = model.solve(force)
    return Direct(float(u[out, 0]), len(elements), u.size)


def row(
    name: str,
    note: str,
    compute: Callable[[], Direct],
    reference: float,
    source: str,
    within: float,
) -> Case:
    """A row of the Elements table."""
    return Case(
        name,
        note,
        None,
        None,
        {},
        reference,
        source,
        within,
        quick=True,
        table="Elements",
        direct=compute,
    )


CASES = [
    *(
        row(
            f"patch, {kind}, distorted quadrilaterals",
            "1 + largest error",
            lambda kind=kind: patch(kind),
            1.0,
            "constant strain is exact",
            1e-7,
        )
        for kind in ("membrane", "bending")
    ),
    *(
        row(
            f"motions without energy, {name}",
            "of distorted elements",
            lambda n=n: free_motions(n),
            6.0,
            "three slides, three turns",
            1e-9,
        )
        for n, name in (
            (10, "ten-node tetrahedron"),
            (20, "two twenty-node hexahedra"),
            (15, "fifteen-node wedge"),
        )
    ),
    row(
        "twisted beam, t 0.32, across",
        "48 × 8 shells",
        lambda: twisted_beam(0.32, 1.0, 2),
        5.424e-3,
        MACNEAL,
        0.01,
    ),
    row(
        "twisted beam, t 0.32, in its plane",
        "48 × 8 shells",
        lambda: twisted_beam(0.32, 1.0, 1),
        1.754e-3,
        MACNEAL,
        0.01,
    ),
    row(
        "twisted beam, t 0.0032, across",
        "48 × 8 shells",
        lambda: twisted_beam(0.0032, 1e-6, 2),
        5.256e-3,
        "Belytschko, Wong and Stolarski 1989",
        0.01,
    ),
    row(
        "twisted beam, t 0.0032, in its plane",
        "48 × 8 shells",
        lambda: twisted_beam(0.0032, 1e-6, 1),
        1.294e-3,
        "Belytschko, Wong and Stolarski 1989",
        0.01,
    ),
    row(
        "pinched cylinder",
        "32 × 32 shells on an eighth",
        pinched_cylinder,
        1.8248e-5,
        MACNEAL,
        0.02,
    ),
    row(
        "hemisphere with a hole",
        "16 × 16 shells on a quarter",
        hemisphere,
        0.0924,
        "Simo, Fox and Rifai 1989",
        0.02,
    ),
    row(
        "hemisphere with a hole, irregular",
        "12 × 12 shells on a quarter, nodes moved by up to a quarter of a side",
        lambda: hemisphere(12, 0.25),
        0.0924,
        "Simo, Fox and Rifai 1989",
        0.02,
    ),
]
