"""Shells that are curved, on meshes that are not made for them: they must bend without straining
their membrane, in small motions and in large ones."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import sparse
from scipy.sparse.linalg import splu

from labilis.mechanics import shell
from validation.elements import Shells, grid


def shaken(flat: np.ndarray, n: tuple[int, int], part: float, seed: int) -> np.ndarray:
    """Places in the plane whose inner nodes are moved by at most `part` of a side."""
    size = np.ptp(flat[:, :2], axis=0)
    inner = ((flat[:, :2] > 1e-9) & (flat[:, :2] < size - 1e-9)).all(axis=1)
    moved = flat.copy()
    steps = np.random.default_rng(seed).uniform(-1, 1, (len(flat), 2)) * part * size / n
    moved[inner, :2] += steps[inner]
    return moved


def hemisphere(n: int, seed: int) -> tuple[np.ndarray, np.ndarray, np.ndarray, int, int]:
    """R 10 with a hole of 18 degrees, a quarter: nodes, elements, what is held (nodes, 6), and the
    nodes that are pulled out along x and pushed in along y."""
    flat, elements = grid(n, n, np.pi / 2, np.radians(72))
    a, b = shaken(flat, (n, n), 0.25, seed)[:, :2].T
    nodes = 10.0 * np.stack([np.cos(b) * np.cos(a), np.cos(b) * np.sin(a), np.sin(b)], axis=1)
    held = np.zeros((len(nodes), 6), dtype=bool)
    one, two = flat[:, 0] == 0, np.isclose(flat[:, 0], np.pi / 2)
    held[np.ix_(one, [1, 3, 5])] = True
    held[np.ix_(two, [0, 4, 5])] = True
    foot = flat[:, 1] == 0
    out, into = int(np.flatnonzero(one & foot)[0]), int(np.flatnonzero(two & foot)[0])
    held[out, 2] = True
    return nodes, elements, held, out, into


@pytest.mark.parametrize("seed", range(10))
def test_ten_irregular_hemispheres_of_twelve_elements_a_side(seed: int) -> None:
    """Reference 0.0924 (Simo, Fox and Rifai 1989; the range of the literature is 0.0924 to
    0.0935). With the displacements' own membrane they were 5 to 10 % too stiff."""
    nodes, elements, held, out, into = hemisphere(12, seed)
    model = Shells(nodes, elements, 0.04, 6.825e7, 0.3)
    model.held[:] = held
    force = np.zeros((len(nodes), 6))
    force[out, 0], force[into, 1] = 1.0, -1.0
    assert model.solve(force)[out, 0] == pytest.approx(0.0924, rel=0.02)


def halved(elements: np.ndarray, seed: int) -> np.ndarray:
    """Quadrilaterals cut into two triangles, along one diagonal or the other at random."""
    other = np.random.default_rng(seed).random(len(elements)) < 0.5
    turned = np.where(other[:, None], elements, np.roll(elements, -1, axis=1))
    return np.concatenate([turned[:, [0, 1, 2]], turned[:, [0, 2, 3]]])


@pytest.mark.parametrize("seed", range(10))
def test_ten_irregular_hemispheres_of_triangles(seed: int) -> None:
    """As above. MITC3 alone: 0.79 to 0.83 of the reference, as it locks in shear."""
    nodes, elements, held, out, into = hemisphere(12, seed)
    model = Shells(nodes, halved(elements, seed), 0.04, 6.825e7, 0.3)
    model.held[:] = held
    force = np.zeros((len(nodes), 6))
    force[out, 0], force[into, 1] = 1.0, -1.0
    assert model.solve(force)[out, 0] == pytest.approx(0.0924, rel=0.02)


@pytest.mark.parametrize("thickness", [0.1, 0.01, 1e-3, 1e-5])
@pytest.mark.parametrize("seed", range(2))
def test_a_clamped_plate_of_irregular_triangles_bends_however_thin(
    thickness: float, seed: int
) -> None:
    """Under uniform pressure, 0.00126532 q L⁴/D in the middle (Timoshenko and Woinowsky-Krieger
    1959; Taylor and Govindjee 2004 to more digits), and of a thick one 0.0015 (Mindlin's theory,
    t/L 0.1). MITC3 alone gives 0.94, 0.2 and nothing of it as the plate becomes thinner."""
    flat, elements = grid(16, 16, 1.0, 1.0)
    nodes = shaken(flat, (16, 16), 0.2, seed)
    elements = halved(elements, seed)
    model = Shells(nodes, elements, thickness, 1e7, 0.3)
    border = (np.isclose(flat[:, :2], 0) | np.isclose(flat[:, :2], 1)).any(axis=1)
    model.held[border] = True
    model.held[:, :2] = True
    corners = nodes[elements]
    area = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])[:, 2] / 2
    force = np.zeros((len(nodes), 6))
    np.add.at(force[:, 2], elements.ravel(), np.repeat(area / 3, 3))
    rigidity = 1e7 * thickness**3 / (12 * (1 - 0.3**2))
    found = np.abs(model.solve(force)[:, 2]).max() * rigidity
    assert found == pytest.approx(0.0015 if thickness == 0.1 else 0.00126532, rel=0.025)


@pytest.mark.parametrize(("axis", "expected"), [(2, 5.256e-3), (1, 1.294e-3)])
@pytest.mark.parametrize("seed", range(5))
def test_thin_twisted_beams_on_irregular_meshes(axis: int, expected: float, seed: int) -> None:
    """Twist 90 degrees, a thickness of 1/3750 of the length (Belytschko, Wong and Stolarski 1989).
    With the displacements' own membrane they were 30 to 54 % too stiff."""
    flat, elements = grid(24, 4, 12.0, 1.1)
    moved = shaken(flat, (24, 4), 0.25, seed)
    angle, across = moved[:, 0] * (np.pi / 2) / 12.0, moved[:, 1] - 0.55
    places = [moved[:, 0], across * np.cos(angle), across * np.sin(angle)]
    model = Shells(np.stack(places, axis=1), elements, 0.0032, 29e6, 0.22)
    model.held[flat[:, 0] == 0] = True
    tip = np.isclose(flat[:, 0], 12.0)
    force = np.zeros((len(flat), 6))
    force[tip, axis] = 1e-6 * np.where(np.isclose(np.abs(flat[tip, 1] - 0.55), 0.55), 0.125, 0.25)
    u = model.solve(force)
    middle = tip & np.isclose(flat[:, 1], 0.55)
    assert abs(u[middle, axis][0]) == pytest.approx(expected, rel=0.05)


def pulled(
    nodes: np.ndarray, elements: np.ndarray, held: np.ndarray, force: np.ndarray
) -> np.ndarray:
    """Displacements (n, 3) at large deflection, by Newton's method in twelve steps of the load with
    turns of at most 0.1 rad at a time."""
    geometry = shell.shell_geometry(
        nodes, elements, 0.04, 0.0, shell.smooth_triads(nodes[elements], elements)
    )
    of = geometry
    section = shell.section_stiffness(6.825e7, 0.3, of.thickness, of.offset, of.shear)
    dofs = (6 * elements[:, :, None] + np.arange(6)).reshape(len(elements), -1)
    rows = np.repeat(dofs, dofs.shape[1], axis=1).ravel()
    columns = np.tile(dofs, (1, dofs.shape[1])).ravel()
    free, size = np.flatnonzero(~held.ravel()), 6 * len(nodes)
    u, r = np.zeros((len(nodes), 3)), np.broadcast_to(np.eye(3), (len(nodes), 3, 3)).copy()
    for step in range(1, 13):
        for _ in range(60):
            f, k, _ = shell.forces_and_tangent(geometry, section, u[elements], r[elements])
            off = step / 12 * force.ravel() - np.bincount(dofs.ravel(), f.ravel(), size)
            if np.linalg.norm(off[free]) < 1e-5 * np.abs(force).max():
                break
            assert k is not None
            tangent = sparse.csc_matrix((k.ravel(), (rows, columns)), shape=(size, size))
            dq = np.zeros(size)
            dq[free] = splu(tangent[free][:, free]).solve(off[free])
            dq = dq.reshape(-1, 6) * min(1.0, 0.1 / np.abs(dq.reshape(-1, 6)[:, 3:]).max())
            u, r = u + dq[:, :3], shell.exponential(dq[:, 3:]) @ r
        else:
            raise AssertionError(f"step {step} did not converge")
    return u


@pytest.mark.parametrize("seed", [0, pytest.param(1, marks=pytest.mark.full)])
@pytest.mark.parametrize("triangles", [False, True])
def test_a_hemisphere_far_out_of_shape(seed: int, triangles: bool) -> None:
    """Forces of 400 on the whole (Sze, Liu and Lo 2004: 4.067 out, 8.178 in). With the
    displacements' own membrane: 9 to 12 and 14 to 19 % too little. Triangles give way a little
    more (1 to 4 %); by MITC3 alone 10 to 20 % too little."""
    nodes, elements, held, out, into = hemisphere(12, seed)
    elements = halved(elements, seed) if triangles else elements
    force = np.zeros((len(nodes), 6))
    force[out, 0], force[into, 1] = 200.0, -200.0
    u = pulled(nodes, elements, held, force)
    assert u[out, 0] == pytest.approx(4.067, rel=0.04 if triangles else 0.02)
    assert -u[into, 1] == pytest.approx(8.178, rel=0.04 if triangles else 0.025)


@given(
    along=st.tuples(*[st.floats(-1, 1)] * 3),
    more=st.tuples(*[st.floats(-1, 1)] * 2),
    sides=st.tuples(st.floats(0.3, 3), st.floats(0.3, 3)),
)
def test_a_curved_element_bends_without_straining_its_membrane(
    along: tuple[float, ...], more: tuple[float, ...], sides: tuple[float, float]
) -> None:
    """A shallow surface of second degree under any bending of second degree that keeps its lengths:
    w = ½ (a x² + 2 c x y + b y²) at rest, the same with A, B, C more of it where a B + b A = 2 c C
    (Gauss), u and v from the strains that must vanish."""
    a, b, c = 1e-3 * np.array(along)
    da, dc = 1e-3 * np.array(more)
    if abs(a) < 1e-4:
        a = 1e-4
    db = (2 * c * dc - b * da) / a
    p, q = np.array(sides)
    x, y = np.array([[-p, -q], [p, -q], [p, q], [-p, q]]).T

    def surface(kx: float, ky: float, kxy: float) -> np.ndarray:
        return 0.5 * (kx * x**2 + ky * y**2 + 2 * kxy * x * y)

    def slopes(kx: float, ky: float, kxy: float) -> np.ndarray:
        return np.stack([kx * x + kxy * y, kxy * x + ky * y], axis=1)

    nodes = np.stack([x, y, surface(a, b, c)], axis=1)
    normals = np.concatenate([-slopes(a, b, c), np.ones((4, 1))], axis=1)
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    triads = shell._around(normals, np.tile([1.0, 0, 0], (4, 1)))[None]
    geometry = shell.shell_geometry(nodes, np.arange(4)[None], 1.0, 0.0, triads)
    one, two = a * dc + c * da, c * db + b * dc
    u = -(a * da * x**3 / 3 + one * x**2 * y / 2 + c * dc * x * y**2 + two * y**3 / 6)
    v = -(b * db * y**3 / 3 + two * y**2 * x / 2 + c * dc * y * x**2 + one * x**3 / 6)
    motion = np.zeros((1, 4, 6))
    motion[0, :, 0], motion[0, :, 1], motion[0, :, 2] = u, v, surface(da, db, dc)
    tilt = slopes(da, db, dc)
    motion[0, :, 3], motion[0, :, 4] = tilt[:, 1], -tilt[:, 0]
    strain = shell.linear_strain(geometry, motion.reshape(1, 24, 1))[0, :, :3, 0]
    most = np.abs([a, b, c]).max() * np.abs([da, db, dc]).max() * max(p, q) ** 2
    # what is left is of fourth order in the slopes
    assert np.abs(strain).max() <= 1e-3 * most + 1e-18
