"""Line elements and the sections they stand on."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from labilis.mechanics import line
from labilis.mechanics.cross_section import CrossSection, cross_section
from labilis.mesh import mesh_section
from labilis.model import LabilisError, load_project
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.shape.profile import points_of
from labilis.shape.recipes.sections import section_shape

STEEL = {
    "name": "steel",
    "youngs_modulus": "210 GPa",
    "poisson_ratio": "0.3",
    "density": "7850 kg/m^3",
    "yield_strength": "235 MPa",
}
ODD = CrossSection(
    100.0,
    np.zeros(2),
    np.eye(2),
    800.0,
    300.0,
    150.0,
    70.0,
    60.0,
    np.array([3.0, -2.0]),
    0.0,
    np.array([1100.0, 400.0, -300.0, 30000.0]),
    np.zeros((1, 2)),
    np.zeros(1),
)


def geometry(warping: bool = False) -> line.LineGeometry:
    own = (
        line.Warping(200.0 / 2.6 * ODD.torsion, 200.0 * 5000.0, ODD.shear_centre)
        if warping
        else None
    )
    return line.line_geometry(
        np.array([[[0.0, 0, 0], [5.0, 0, 0]]]),
        np.eye(3)[None],
        line.section_stiffness(ODD, 200.0, 0.3),
        warping=own,
    )


def strains(g: line.LineGeometry, u: np.ndarray, q: int) -> np.ndarray:
    """Strains at a point for any motion, from finite rotations: what the element expands."""
    theta, slope, change = (field[0, q] @ u for field in (g.turn, g.slope, g.turn_slope))
    e1 = np.array([1.0, 0, 0])
    gamma = Rotation.from_rotvec(theta).as_matrix().T @ (e1 + slope) - e1
    size = float(np.linalg.norm(theta))
    spin = np.array([[0, -theta[2], theta[1]], [theta[2], 0, -theta[0]], [-theta[1], theta[0], 0]])
    k = (np.eye(3) - (0.5 - size**2 / 24) * spin + (1 / 6 - size**2 / 120) * spin @ spin) @ change
    return np.array(
        [
            gamma[0] + 0.5 * (gamma[1] ** 2 + gamma[2] ** 2),
            gamma[1],
            gamma[2],
            k[0],
            k[1] - k[0] * gamma[1],
            k[2] - k[0] * gamma[2],
            0.5 * k[0] ** 2,
        ]
    )


def hessian(function: Any, at: np.ndarray, h: float) -> np.ndarray:
    steps = h * np.eye(len(at))
    return np.array(
        [
            [
                (
                    function(at + a + b)
                    - function(at + a - b)
                    - function(at - a + b)
                    + function(at - a - b)
                )
                / (4 * h * h)
                for b in steps
            ]
            for a in steps
        ]
    )


@pytest.mark.parametrize("warping", [False, True])
def test_geometric_stiffness_against_the_stressed_rod_of_finite_rotation(warping: bool) -> None:
    g, state = geometry(warping), np.random.default_rng(1).normal(size=(1, 6))
    forces = line.resultants(g, state)[0]

    def work(u: np.ndarray) -> float:
        return sum(float(g.weight[0, q] * forces[q] @ strains(g, u, q)) for q in range(len(forces)))

    found = line.geometric(g, state)[0]
    assert (
        np.abs(found - hessian(work, np.zeros(len(found)), 1e-3)).max() < 1e-6 * np.abs(found).max()
    )


@pytest.mark.parametrize("warping", [False, True])
def test_path_derivative_against_differences_of_the_tangent(warping: bool) -> None:
    g = geometry(warping)
    way, points = (
        np.random.default_rng(2).normal(size=g.relative.shape[2]),
        range(g.weight.shape[1]),
    )
    way[12:] *= 0.1  # rates of twist: the differences are of large turns

    def energy(u: np.ndarray) -> float:
        found = [strains(g, u, q) for q in points]
        return sum(float(0.5 * g.weight[0, q] * found[q] @ g.section @ found[q]) for q in points)

    def difference(step: float) -> np.ndarray:
        fine, coarse = (
            (hessian(energy, step * way, h) - hessian(energy, -step * way, h)) / (2 * step)
            for h in (1e-3, 2e-3)
        )
        return (4 * fine - coarse) / 3

    exact = (4 * difference(4e-3) - difference(8e-3)) / 3
    found = line.path_derivative(g, way[None])[0]
    assert np.abs(found - exact).max() < 1e-5 * np.abs(found).max()


@pytest.mark.parametrize("warping", [False, True])
def test_six_motions_without_energy_and_no_more(warping: bool) -> None:
    """Two of the three motions of each warping node are none at all."""
    values = np.linalg.eigvalsh(line.stiffness(geometry(warping))[0])
    assert (values < 1e-9 * values[-1]).sum() == (10 if warping else 6)


def test_second_state_does_the_work_of_the_second_strain() -> None:
    g, rng = geometry(), np.random.default_rng(5)
    one, two = rng.normal(size=(2, 12))
    h = 1e-3
    second = np.stack([(strains(g, h * one, q) + strains(g, -h * one, q)) / h**2 for q in range(4)])
    linear = np.stack([np.append(g.strain[0, q] @ two, 0.0) for q in range(4)])
    expected = float(np.einsum("q,qi,ij,qj->", g.weight[0], second, g.section, linear))
    assert line.second_state(g, one[None])[0] @ g.relative[0] @ two == pytest.approx(
        expected, rel=1e-5
    )


def properties(shape: str, **sizes: float) -> CrossSection:
    found = section_shape(shape, sizes, [])
    return cross_section(
        *mesh_section([[points_of(path, 24) for path in part] for part in found.outlines])
    )


@pytest.mark.parametrize(
    ("shape", "sizes", "torsion"),
    [
        ("square", {"width": 10.0}, 0.1405770 * 1e4),
        ("flat", {"width": 40.0, "thickness": 4.0}, 40 * 4**3 / 3 * (1 - 0.63 * 0.1)),
        ("round", {"diameter": 10.0}, np.pi * 10**4 / 32),
        ("round tube", {"diameter": 30.0, "thickness": 2.0}, np.pi * (30**4 - 26**4) / 32),
        ("square tube", {"width": 42.0, "thickness": 2.0}, 4 * 40**4 * 2 / 160),
    ],
)
def test_torsion_constants(shape: str, sizes: dict[str, float], torsion: float) -> None:
    """Saint-Venant's series for rectangles, Bredt's formula for the thin tube (within its own 3
    %)."""
    assert properties(shape, **sizes).torsion == pytest.approx(
        torsion, rel=0.03 if shape == "square tube" else 0.01
    )


def test_shear_centre_warping_and_shear_areas() -> None:
    """Channel: e = 3 b² / (h + 6 b) behind the web, Cw of Timoshenko and Gere 1961; rectangle:
    5/6 of the area."""
    b, h, t = 40.0, 80.0, 1.0
    found = properties("channel", width=b + t / 2, height=h + t, thickness=t)
    place = found.centroid + found.shear_centre @ found.axes
    assert place == pytest.approx([t / 2 - 3 * b**2 / (h + 6 * b), 0.0], abs=0.05)
    assert found.warping == pytest.approx(
        t * b**3 * h**2 / 12 * (3 * b + 2 * h) / (6 * b + h), rel=0.01
    )
    square = properties("square", width=10.0)
    assert (square.shear_y, square.shear_z) == pytest.approx((250 / 3, 250 / 3), rel=1e-3)
    gapped = properties("double angle", width=30.0, height=30.0, thickness=3.0, gap=8.0)
    assert gapped.torsion == pytest.approx(
        2 * properties("angle", width=30.0, height=30.0, thickness=3.0).torsion, rel=1e-3
    )


def piece(
    name: str, length: float, at: tuple[float, float, float] = (0, 0, 0), **more: Any
) -> dict[str, Any]:
    return {
        "name": name,
        "material": "steel",
        "mesh_as": "line",
        "recipe": {
            "kind": "strut",
            "length": f"{length} mm",
            "section": {"shape": "flat", "width": "30 mm", "thickness": "4 mm"},
        },
        "place": {"at": [f"{c} mm" for c in at], **more.pop("place", {})},
        **more,
    }


def check(model: dict[str, Any]) -> Any:
    project = load_project({"materials": [STEEL], **model})
    return judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0].facts


def pushed(on: str, force: list[str]) -> dict[str, Any]:
    return {
        "loads": [{"kind": "force", "name": "push", "on": on, "components": force}],
        "cases": [{"name": "one", "loads": [{"load": "push"}]}],
    }


def cantilever(**more: Any) -> dict[str, Any]:
    return {
        "pieces": [piece("strut", 200.0)],
        "regions": [
            {"name": "foot", "names": ["strut/start"]},
            {"name": "head", "names": ["strut/end"]},
        ],
        "supports": [
            {"name": "foot", "on": "foot", "held": ["x", "y", "z", "turn_x", "turn_y", "turn_z"]}
        ],
        **pushed("head", ["0 N", "10 N", "-1 kN"]),
        **more,
    }


def test_strength_of_a_cantilever() -> None:
    """Deflection F L³ / (3 E I) with shear, direct stress with bending at the root, on the side
    where they add."""
    facts = check(cantilever())
    inertia = 30 * 4**3 / 12
    assert facts.strength.displacement_growing[:, 1].max() == pytest.approx(
        10 * 200**3 / (3 * 210e3 * inertia), rel=1e-3
    )
    assert np.abs(facts.strength.stress_growing[:, 2]).max() == pytest.approx(
        1000 / 120 + 10 * 200 * 2 / inertia, rel=0.01
    )
    assert facts.strength.yield_factor == pytest.approx(
        235 / (1000 / 120 + 2000 * 2 / inertia), rel=0.01
    )
    assert str(facts.modes.kinds[0]) == "member sway"


def test_weight_and_heat_reach_lines() -> None:
    heavy = cantilever(loads=[{"kind": "weight", "name": "push"}])
    heavy["cases"] = [{"name": "one", "loads": [{"load": "push"}]}]
    facts = check(heavy)
    assert facts.strength.reaction.sum(axis=(0, 1))[2] == pytest.approx(
        7850e-12 * 120 * 200 * 9810, rel=1e-6
    )


def test_struts_that_touch_are_joined_and_released_ones_are_not() -> None:
    """A post that stands on the middle of a beam shares a node with it; a released pair is told
    to be loose."""
    beam = piece("beam", 400.0, place={"turns": [{"about": "y", "angle": "90 deg"}]})
    post = piece("post", 100.0, (200, 0, 0))
    model = {
        "pieces": [beam, post],
        "regions": [
            {"name": "foot", "names": ["beam/start", "beam/end"]},
            {"name": "head", "names": ["post/end"]},
        ],
        "supports": [
            {"name": "foot", "on": "foot", "held": ["x", "y", "z", "turn_x", "turn_y", "turn_z"]}
        ],
        **pushed("head", ["0 N", "0 N", "-1 N"]),
    }
    assert len(check(model).modes.positive) > 0
    with pytest.raises(LabilisError, match="'post' is not connected"):
        check({**model, "released": [["beam", "post"]]})


def test_a_line_on_a_plate_is_carried_by_its_footprint() -> None:
    """A post in the middle of a thick clamped plate buckles as if it were fixed, a little below."""
    plate = {
        "name": "plate",
        "material": "steel",
        "mesh_as": "shell",
        "recipe": {
            "kind": "plate",
            "thickness": "20 mm",
            "outline": [
                {"x": f"{x} mm", "y": f"{y} mm"}
                for x, y in ((-60, -60), (60, -60), (60, 60), (-60, 60))
            ],
        },
    }
    model = {
        "pieces": [plate, piece("post", 300.0, (0, 0, 10))],
        "mesh": {"size": "10 mm"},
        "regions": [
            {"name": "rim", "names": [f"plate/side.{k}" for k in range(1, 5)]},
            {"name": "head", "names": ["post/end"]},
        ],
        "supports": [
            {"name": "rim", "on": "rim", "held": ["x", "y", "z", "turn_x", "turn_y", "turn_z"]}
        ],
        **pushed("head", ["0 N", "0 N", "-1 N"]),
    }
    euler = np.pi**2 * 210e3 * 160 / (4 * 300**2)
    assert 0.97 * euler < check(model).modes.positive[0] < euler


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (
            {"recipe": {"kind": "block", "width": "9 mm", "height": "9 mm", "depth": "9 mm"}},
            "is no strut",
        ),
        ({"cuts": [{"along": "x", "diameter": "2 mm", "z": "50 mm"}]}, "has cuts"),
    ],
)
def test_what_cannot_be_a_line_is_refused(change: dict[str, Any], said: str) -> None:
    with pytest.raises(LabilisError, match=said):
        check({**cantilever(), "pieces": [{**piece("strut", 200.0), **change}]})


def test_a_line_load_needs_length() -> None:
    with pytest.raises(LabilisError, match="is a point"):
        check(
            {
                **cantilever(),
                "loads": [
                    {
                        "kind": "line",
                        "name": "push",
                        "on": "head",
                        "components": ["0 N/mm", "0 N/mm", "-1 N/mm"],
                    }
                ],
            }
        )


def test_mirrored_struts_keep_their_sections_turned_over() -> None:
    """An angle and its mirror image carry the same."""
    angle = {
        **piece("strut", 400.0),
        "recipe": {
            "kind": "strut",
            "length": "400 mm",
            "section": {"shape": "angle", "width": "40 mm", "height": "25 mm", "thickness": "3 mm"},
        },
    }
    one = check(
        {**cantilever(), "pieces": [angle], **pushed("head", ["0 N", "0 N", "-1 N"])}
    ).modes.positive[:3]
    pair = {**angle, "copies": [{"kind": "mirror", "across": "x", "at": "100 mm"}]}
    two = check(
        {**cantilever(), "pieces": [pair], **pushed("head", ["0 N", "0 N", "-2 N"])}
    ).modes.positive[:2]
    assert two == pytest.approx([one[0]] * 2, rel=1e-3)
