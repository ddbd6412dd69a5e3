"""Shells: tangent, rigid motions, patch tests, known plates and benchmarks on structured meshes."""

import numpy as np
import pytest
from scipy import sparse
from scipy.sparse.linalg import eigsh, spsolve

from labilis.mechanics import shell
from labilis.mechanics.blocks import ShellBlock
from labilis.mechanics.shell import smooth_triads
from labilis.mechanics.shell_forms import forms_of
from validation.elements import grid as quadrilaterals

E, NU = 210e3, 0.3
RNG = np.random.default_rng(21)


def one(n: int, warp: float = 0.1) -> tuple[np.ndarray, shell.ShellGeometry, np.ndarray]:
    """One distorted, warped element with directors of its own."""
    flat = np.array([[0.0, 0, 0], [10, 1, 0], [11, 8, 0], [-1, 7, 0]])[:n]
    nodes = flat + np.array([0, 0, warp])[None] * RNG.standard_normal((n, 1)) * 5
    elements = np.arange(n)[None]
    triads = shell.flat_triads(nodes[elements])
    triads = triads @ np.swapaxes(shell.exponential(0.05 * RNG.standard_normal((1, n, 3))), -1, -2)
    geometry = shell.shell_geometry(nodes, elements, 0.8, 0.15, triads)
    return nodes, geometry, shell.section_stiffness(E, NU, geometry.thickness, geometry.offset)


def energy(
    geometry: shell.ShellGeometry, c: np.ndarray, u: np.ndarray, r: np.ndarray, initial: np.ndarray
) -> float:
    state = shell.shell_state(geometry, c, u, r)
    density = 0.5 * np.einsum("mgj,mjk,mgk->mg", state.strain, c, state.strain) + (
        state.strain * initial
    ).sum(axis=2)
    return float((density * geometry.area).sum())


@pytest.mark.parametrize("n", [3, 4])
def test_residual_and_tangent_are_derivatives_of_the_energy(n: int) -> None:
    _, geometry, c = one(n)
    u = 0.3 * RNG.standard_normal((1, n, 3))
    r = shell.exponential(0.4 * RNG.standard_normal((1, n, 3)))
    initial = 20 * RNG.standard_normal((1, len(geometry.forms.weights), 9))
    residual, tangent = shell.residual_and_tangent(geometry, c, u, r, initial)

    def at(step: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        step = step.reshape(n, 6)
        return u + step[None, :, :3], shell.exponential(step[None, :, 3:]) @ r

    h, slopes, numeric = 1e-5, np.zeros(6 * n), np.zeros((6 * n, 6 * n))
    unit = np.eye(6 * n)
    for i in range(6 * n):
        slopes[i] = (
            energy(geometry, c, *at(h * unit[i]), initial)
            - energy(geometry, c, *at(-h * unit[i]), initial)
        ) / (2 * h)
        # forces after a step, brought back to the coordinates of the present rotations: for the
        # second derivative of the energy in a pair of turns both orders are averaged, which is what
        # exp(a + b) means to second order
        plus, _ = shell.residual_and_tangent(geometry, c, *at(h * unit[i]), initial)
        minus, _ = shell.residual_and_tangent(geometry, c, *at(-h * unit[i]), initial)
        numeric[i] = (plus - minus)[0] / (2 * h)
    assert np.allclose(residual[0], slopes, rtol=1e-6, atol=1e-5 * np.abs(slopes).max())
    assert np.abs(tangent[0] - 0.5 * (numeric + numeric.T)).max() < 1e-6 * np.abs(numeric).max()
    assert np.allclose(tangent, np.swapaxes(tangent, 1, 2))


@pytest.mark.parametrize("n", [3, 4])
def test_geometric_stiffness_against_the_stressed_residual_at_rest(n: int) -> None:
    _, geometry, c = one(n)
    initial = 30 * RNG.standard_normal((1, len(geometry.forms.weights), 9))
    _, k_g = shell.at_rest(geometry, c, initial)
    numeric = np.zeros((6 * n, 6 * n))
    for i in range(6 * n):
        step = np.zeros((n, 6))
        step.flat[i] = 1e-5
        pair = [
            shell.residual_and_tangent(
                geometry,
                0 * c,
                sign * step[None, :, :3],
                shell.exponential(sign * step[None, :, 3:]),
                initial,
            )[0][0]
            for sign in (1, -1)
        ]
        numeric[i] = (pair[0] - pair[1]) / 2e-5
    assert np.abs(k_g[0] - 0.5 * (numeric + numeric.T)).max() < 1e-6 * np.abs(numeric).max()


@pytest.mark.parametrize("n", [3, 4])
def test_six_motions_without_energy_and_no_more(n: int) -> None:
    _, geometry, c = one(n)
    zero = np.zeros((1, n, 3))
    _, k = shell.residual_and_tangent(geometry, c, zero)
    scale = np.tile([1.0, 1, 1, 5, 5, 5], n)
    values = np.linalg.eigvalsh(k[0] * np.outer(1 / scale, 1 / scale))
    assert (np.abs(values) < 1e-9 * values[-1]).sum() == 6


@pytest.mark.parametrize("n", [3, 4])
def test_a_large_rigid_turn_gives_no_strain(n: int) -> None:
    nodes, geometry, c = one(n)
    turn = shell.exponential(np.array([0.7, -1.9, 1.1]))
    u = (nodes @ turn.T + np.array([3.0, -2, 5]) - nodes)[None]
    state = shell.shell_state(geometry, c, u, np.broadcast_to(turn, (1, n, 3, 3)))
    assert np.abs(state.strain).max() < 1e-12


def grid(
    nx: int, ny: int, lx: float, ly: float, triangles: bool = False, distort: float = 0.0
) -> tuple[np.ndarray, np.ndarray]:
    nodes, quads = quadrilaterals(nx, ny, lx, ly, distort)
    return nodes, np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]]) if triangles else quads


def assembled(count: int, elements: np.ndarray, blocks: np.ndarray) -> sparse.csr_matrix:
    dofs = (6 * elements[:, :, None] + np.arange(6)).reshape(len(elements), -1)
    rows = np.repeat(dofs, dofs.shape[1], axis=1).ravel()
    columns = np.tile(dofs, (1, dofs.shape[1])).ravel()
    return sparse.csr_matrix((blocks.ravel(), (rows, columns)), shape=(6 * count, 6 * count))


class Model:
    """A shell mesh with held motions, for strength and modes by plain SciPy: the elements are
    what is under test."""

    def __init__(
        self,
        nodes: np.ndarray,
        elements: np.ndarray,
        thickness: float,
        triads: np.ndarray | None = None,
        e: float = E,
        nu: float = NU,
        offset: float = 0.0,
    ) -> None:
        self.nodes, self.elements = nodes, elements
        self.geometry = shell.shell_geometry(nodes, elements, thickness, offset, triads)
        of = self.geometry
        self.c = shell.section_stiffness(e, nu, of.thickness, of.offset, of.shear)
        zero = np.zeros((*elements.shape, 3))
        self.k = assembled(
            len(nodes), elements, shell.residual_and_tangent(self.geometry, self.c, zero)[1]
        )
        self.held = np.zeros((len(nodes), 6), dtype=bool)

    def solve(self, force: np.ndarray, given: np.ndarray | None = None) -> np.ndarray:
        free = np.flatnonzero(~self.held.ravel())
        u = np.zeros(self.held.size) if given is None else given.ravel().copy()
        rhs = force.ravel() - self.k @ u
        u[free] = spsolve(self.k[free][:, free].tocsc(), rhs[free])
        return u.reshape(-1, 6)

    def linear_resultant(self, u: np.ndarray) -> np.ndarray:
        """Resultants of the linear solution, by the derivative of the strain at rest."""
        h = 1e-6 / max(np.abs(u).max(), 1e-12)
        local = u[self.elements]
        plus = shell.shell_state(
            self.geometry, self.c, h * local[..., :3], shell.exponential(h * local[..., 3:])
        )
        minus = shell.shell_state(
            self.geometry, self.c, -h * local[..., :3], shell.exponential(-h * local[..., 3:])
        )
        return (plus.resultant - minus.resultant) / (2 * h)

    def factors(self, u: np.ndarray, count: int = 2) -> np.ndarray:
        _, blocks = shell.at_rest(self.geometry, self.c, self.linear_resultant(u))
        free = np.flatnonzero(~self.held.ravel())
        k_g = assembled(len(self.nodes), self.elements, blocks)[free][:, free]
        k = self.k[free][:, free].tocsc()
        mu = eigsh(-k_g, k=count, M=k, which="LA", return_eigenvectors=False, sigma=None)
        return np.sort(1 / mu)


@pytest.mark.parametrize("kind", ["membrane", "bending"])
def test_patch_of_triangles(kind: str) -> None:
    """Quadrilaterals stand in the validation table."""
    nodes, elements = grid(4, 3, 12, 9, True, distort=0.25)
    model = Model(nodes, elements, 0.6)
    a, b, c = (1e-3, -0.7e-3, 0.4e-3) if kind == "membrane" else (1e-4, -0.6e-4, 0.8e-4)
    x, y = nodes[:, 0], nodes[:, 1]
    exact = np.zeros((len(nodes), 6))
    if kind == "membrane":
        exact[:, :2] = np.stack([a * x + c * y, c * x + b * y], axis=1)
    else:
        exact[:, 2:5] = np.stack(
            [0.5 * (a * x**2 + b * y**2) + c * x * y, b * y + c * x, -(a * x + c * y)], axis=1
        )
    model.held[(x == 0) | (x == 12) | (y == 0) | (y == 9)] = True
    u = model.solve(np.zeros_like(exact), np.where(model.held, exact, 0.0))
    assert np.allclose(u, exact, atol=1e-7 * np.abs(exact).max())


def simply_supported(nx: int, ny: int, ratio: float, triangles: bool = False) -> float:
    """k of a plate pressed along x."""
    nodes, elements = grid(nx, ny, ratio * 200.0, 200.0, triangles)
    return pressed_plate(nodes, elements, ratio, ny)


def pressed_plate(nodes: np.ndarray, elements: np.ndarray, ratio: float, ny: int) -> float:
    """The same of any mesh with `ny` equal sides along the loaded edges."""
    b, t = 200.0, 2.0
    model = Model(nodes, elements, t)
    x, y = nodes[:, 0], nodes[:, 1]
    border = (x == 0) | (y == 0) | np.isclose(x, ratio * b) | np.isclose(y, b)
    model.held[border, 2] = True
    # hard simple support: no turning along the edge
    model.held[(x == 0) | np.isclose(x, ratio * b), 3] = True
    model.held[(y == 0) | np.isclose(y, b), 4] = True
    middle = np.argmin(np.abs(x - ratio * b / 2) + np.abs(y))
    model.held[middle, :2] = True
    model.held[np.argmin(np.abs(x - ratio * b / 2) + np.abs(y - b)), 0] = True
    force = np.zeros((len(nodes), 6))
    share = np.where((y == 0) | np.isclose(y, b), 0.5, 1.0) * b / ny * t
    force[x == 0, 0] = share[x == 0]
    force[np.isclose(x, ratio * b), 0] = -share[np.isclose(x, ratio * b)]
    stress = model.factors(model.solve(force))[0]
    return float(stress * 12 * (1 - NU**2) / (np.pi**2 * E) * (b / t) ** 2)


@pytest.mark.parametrize(("ratio", "nx", "k"), [(1.0, 8, 4.0), (1.5, 12, 4.340), (2.0, 16, 4.0)])
def test_simply_supported_plates(ratio: float, nx: int, k: float) -> None:
    """Bryan 1891: k = 4, 4.340, 4, eight quadrilaterals per half wave, within 1 % in the
    converged limit."""
    coarse, fine = simply_supported(nx, 8, ratio), simply_supported(2 * nx, 16, ratio)
    assert fine == pytest.approx(k, rel=0.01)
    assert abs(fine - k) < abs(coarse - k) + 0.005


def test_plate_of_triangles() -> None:
    assert simply_supported(20, 20, 1.0, triangles=True) == pytest.approx(4.0, rel=0.02)


@pytest.mark.parametrize("seed", range(3))
def test_plates_of_irregular_triangles(seed: int) -> None:
    """Ten sides a half wave: Bryan's k is met within 2 %, and from above, so that no softness of
    theirs is told as instability. MITC3 alone is 9 % above it."""
    flat, quads = quadrilaterals(10, 10, 200.0, 200.0)
    inner = ((flat[:, :2] > 0) & (flat[:, :2] < 200)).all(axis=1)
    nodes, rng = flat.copy(), np.random.default_rng(seed)
    nodes[inner, :2] += rng.uniform(-4, 4, (int(inner.sum()), 2))
    other = rng.random(len(quads)) < 0.5
    turned = np.where(other[:, None], quads, np.roll(quads, -1, axis=1))
    elements = np.concatenate([turned[:, [0, 1, 2]], turned[:, [0, 2, 3]]])
    found = pressed_plate(nodes, elements, 1.0, 10)
    assert 4.0 < found < 4.0 * 1.02


@pytest.mark.parametrize("corners", [3, 4])
def test_the_slope_of_the_section_to_its_thickness(corners: int) -> None:
    nodes, geometry, _ = one(corners)

    def block(t: float) -> ShellBlock:
        elements = geometry.elements
        return ShellBlock(
            nodes,
            elements,
            len(nodes) + np.arange(len(nodes)),
            np.array([t]),
            geometry.triads,
            E,
            NU,
            offset=np.array([0.3]),
        )

    h = 1e-5
    slope = (block(1.7 + h).section - block(1.7 - h).section) / (2 * h)
    shear = [6, 7]
    assert block(1.7).section_slope[0][np.ix_(shear, shear)] == pytest.approx(
        slope[0][np.ix_(shear, shear)], rel=1e-6
    )
    assert block(1.7).section_slope[0] == pytest.approx(slope[0], rel=1e-6, abs=1e-3)


def test_cantilever_strip_buckles_at_eulers_load() -> None:
    length, width, t = 200.0, 10.0, 2.0
    nodes, elements = grid(24, 2, length, width)
    model = Model(nodes, elements, t, nu=0.0)
    model.held[nodes[:, 0] == 0] = True
    force = np.zeros((len(nodes), 6))
    tip = np.isclose(nodes[:, 0], length)
    force[tip, 0] = -np.array([0.25, 0.5, 0.25]) * 1000
    factor = model.factors(model.solve(force))[0]
    assert factor == pytest.approx(
        np.pi**2 * E * width * t**3 / 12 / (4 * length**2) / 1000, rel=0.005
    )


def test_offset_shifts_the_neutral_plane() -> None:
    """A strip loaded at its reference surface, half a thickness off: bends as under P t/2 (P L²
    e / 2 E I)."""
    length, width, t, push = 100.0, 4.0, 2.0, 10.0
    nodes, elements = grid(20, 1, length, width)
    model = Model(nodes, elements, t, nu=0.0, offset=t / 2)
    model.held[nodes[:, 0] == 0] = True
    force = np.zeros((len(nodes), 6))
    force[np.isclose(nodes[:, 0], length), 0] = push / 2
    tip = model.solve(force)[np.isclose(nodes[:, 0], length), 2]
    inertia = width * t**3 / 12
    assert np.abs(tip) == pytest.approx(push * (t / 2) * length**2 / (2 * E * inertia), rel=1e-3)


def test_folds_keep_their_own_directors() -> None:
    nodes = np.array([[0.0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [1, 0, 1], [1, 1, 1]])
    elements = np.array([[0, 1, 2, 3], [1, 4, 5, 2]])
    triads = shell.smooth_triads(nodes[elements], elements)
    assert np.allclose(triads[0, :, 2], [0, 0, 1])
    assert np.allclose(np.abs(triads[1, :, 2]), [1, 0, 0])
    bent = nodes.copy()
    bent[4:] = [[2, 0, 0.1], [2, 1, 0.1]]
    smooth = shell.smooth_triads(bent[elements], elements)
    assert np.allclose(smooth[0, 1, 2], smooth[1, 0, 2])


def test_stress_at_the_surfaces() -> None:
    resultant = np.zeros((1, 1, 9))
    resultant[0, 0, 0], resultant[0, 0, 3] = 40.0, 10.0
    top, middle, bottom = shell.surface_stress(resultant, np.array([2.0]), np.array([0.0]))
    assert (top[0, 0, 0], middle[0, 0, 0], bottom[0, 0, 0]) == (20 + 15, 20, 20 - 15)


def test_folded_element_is_refused() -> None:
    nodes = np.array([[0.0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]])
    with pytest.raises(ValueError, match="folded"):
        shell.shell_geometry(nodes[[0, 1, 3, 2]], np.arange(4)[None], 1.0)
    assert forms_of(3).nodes == 3


@pytest.mark.parametrize("corners", [3, 4])
def test_the_second_strain_is_the_second_derivative_of_the_strains(corners: int) -> None:
    """On a warped, irregular patch, by differences of the strains at finite turns."""
    random, n = np.random.default_rng(4), 5
    x, y = np.meshgrid(np.linspace(0, 60, n), np.linspace(0, 50, n), indexing="ij")
    z = 0.01 * x**2 - 0.005 * x * y
    nodes = np.stack([x, y, z], axis=-1).reshape(-1, 3) + 0.8 * random.normal(size=(n * n, 3))
    i, j = np.meshgrid(np.arange(n - 1), np.arange(n - 1), indexing="ij")
    a = (i * n + j).ravel()
    cells = np.stack([a, a + n, a + n + 1, a + 1], axis=1)
    if corners == 3:
        cells = np.concatenate([cells[:, [0, 1, 2]], cells[:, [0, 2, 3]]])
    count = len(nodes)
    block = ShellBlock(
        nodes,
        cells,
        count + np.arange(count),
        np.full(len(cells), 2.0),
        smooth_triads(nodes[cells], cells),
        210e3,
        0.3,
    )
    local = random.normal(size=(len(cells), 2 * corners, 3))
    local[:, 1::2] *= 0.05
    step = 1e-4
    sides = [
        shell.shell_state(
            block.geometry,
            block.section,
            sign * step * local[:, ::2],
            shell.exponential(sign * step * local[:, 1::2]),
        ).strain
        for sign in (1.0, -1.0)
    ]
    expected = (sides[0] + sides[1]) / step**2
    found = block.second_strain(local)
    scale = np.abs(expected).max(axis=(0, 1))
    assert np.all(np.abs(found - expected).max(axis=(0, 1)) < 1e-5 * scale)
