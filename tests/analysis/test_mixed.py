"""Solids, shells, springs, hubs and bonds in one system: geometric stiffness of ties, springs,
moves, heat, weight, levers."""

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from scipy.sparse import csr_matrix

from labilis.analysis.case_loads import LoadScene, load_forces
from labilis.analysis.constraints import make_tied
from labilis.analysis.elements import make_blocks
from labilis.judge.evidence.half_waves import elements_per_half_wave
from labilis.mechanics.assembly import full
from labilis.mechanics.bonds import bond_follows, spread_follow
from labilis.mechanics.shell import exponential
from labilis.mechanics.ties import StiffHub, TieConflict, make_ties
from labilis.mesh import Cells, Mesh, find_bonds, mesh_part
from labilis.model import LabilisError, load_project
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.shape import build_part
from labilis.solve.factor import factor
from labilis.solve.levers import levers_of
from labilis.solve.modes import find_modes
from labilis.solve.strength import solve_linear
from labilis.solve.system import System
from validation.recipes import case_of, flat, force, hold, line, mm, region, shell

STEEL = {
    "name": "steel",
    "youngs_modulus": "210 GPa",
    "poisson_ratio": "0.3",
    "density": "7850 kg/m^3",
    "expansion": "12e-6/K",
    "yield_strength": "235 MPa",
}
RNG = np.random.default_rng(11)
FIXED = ("x", "y", "z", "turn_x", "turn_y", "turn_z")


def report(model: dict[str, Any]) -> Any:
    project = load_project({"labilis": 2, "materials": [STEEL], "criteria": {"modes": 3}, **model})
    return judge_project(project, Runner().run(Snapshot(project), Plan("modes")))


def facts(model: dict[str, Any]) -> Any:
    return report(model).cases[0].facts


def refused(model: dict[str, Any]) -> LabilisError:
    with pytest.raises(LabilisError) as caught:
        report(model)
    return caught.value


STRIP = {
    "pieces": [shell("strip", flat(200, 20, 3))],
    "regions": [
        region("foot", "strip/side.4"),
        region("head", "strip/side.2"),
        region("all", "strip/face"),
    ],
    "mesh": {"size": "10 mm"},
}


def tee(kinds: tuple[str, str] = ("shell", "shell")) -> list[dict[str, Any]]:
    """A base plate with a rib standing on it."""
    rib = {"kind": "rib", "width": mm(90), "height": mm(40), "top": mm(30), "thickness": mm(2)}
    return [
        shell("base", flat(120, 60, 3), mesh_as=kinds[0]),
        shell("rib", rib, (10, 30, 1.5), (("x", 90.0),), mesh_as=kinds[1]),
    ]


# --- geometric stiffness of ties
# --------------------------------------------------------------------------------------------------
def second_motion_matrix(follow: Any, places: np.ndarray, internal: np.ndarray) -> np.ndarray:
    """Second derivative of the work of `internal` on the followers' true motion, by central
    differences."""
    n = 3 * len(places)

    def work(u: np.ndarray) -> float:
        at = u.reshape(-1, 3)
        turn = np.einsum("kpij,kpj->ki", follow.turning, at[follow.masters])
        moved = np.einsum("kij,kj->ki", exponential(turn) - np.eye(3), follow.arms)
        return float((internal.reshape(-1, 3)[follow.nodes] * moved).sum())

    h, unit = 1e-4, np.eye(n)
    result = np.zeros((n, n))
    for i in range(n):
        for j in range(i, n):
            signs = [
                (a, b, work(a * h * unit[i] + b * h * unit[j])) for a in (1, -1) for b in (1, -1)
            ]
            result[i, j] = result[j, i] = sum(a * b * value for a, b, value in signs) / (4 * h * h)
    return result


@pytest.mark.parametrize("kind", ["shell", "flat solid", "curved solid", "spread"])
def test_geometric_stiffness_of_bonds_and_spread_hubs(kind: str) -> None:
    corners = np.array([[0.0, 0, 0], [3, 0.2, 0], [0.5, 2.5, 0.3]])
    mids = 0.5 * (corners + np.roll(corners, -1, axis=0)) + 0.05 * RNG.standard_normal((3, 3))
    tip = np.array([[1.1, 0.8, 0.7]])
    weights = np.array([[0.4, 0.35, 0.25]])
    if kind == "shell":
        nodes = np.concatenate([corners, tip])
        places = np.concatenate([nodes, corners, tip])  # turns after places
        turn_of = np.array([4, 5, 6, 7])
        follows = bond_follows(nodes, np.array([3]), np.array([[0, 1, 2]]), weights, turn_of)
    elif kind == "spread":
        nodes = places = np.concatenate([corners, mids, tip, tip])
        turn_of = np.full(8, -1)
        follows = spread_follow(nodes, np.arange(6), np.array([1.0, 2, 1, 1, 0.5, 1]), 6, 7)
    else:
        curved = kind.startswith("curved")
        nodes = places = np.concatenate([corners, *([mids] if curved else []), tip])
        turn_of = np.full(len(nodes), -1)
        triangle = np.arange(6 if curved else 3)[None]
        follows = bond_follows(nodes, np.array([len(nodes) - 1]), triangle, weights, turn_of)
    ties = make_ties(places, [], [], follows)
    internal = RNG.standard_normal(places.size)
    expected = second_motion_matrix(follows[0], places, internal)
    t = ties.matrix.toarray()
    exact = t.T @ expected @ t
    found = full(ties.geometric(internal)).toarray()
    assert np.abs(found - exact).max() < 1e-6 * np.abs(exact).max()
    q = RNG.standard_normal(ties.size)
    assert internal @ ties.second_motion(q) == pytest.approx(q @ found @ q, rel=1e-9)
    # a rigid motion of the masters carries the followers along
    turn = np.array([0.3, -0.2, 0.5])
    rigid = np.cross(turn, places) + [1.0, 2.0, -1.0]
    is_turn = (
        np.isin(np.arange(len(places)), turn_of[turn_of >= 0])
        if kind != "spread"
        else np.arange(8) == 7
    )
    rigid[is_turn] = turn
    q = np.linalg.lstsq(t, rigid.ravel(), rcond=None)[0]
    assert np.allclose(t @ q, rigid.ravel(), atol=1e-10)


def test_a_spread_hub_on_a_line_and_double_bonds_are_refused() -> None:
    line_nodes = np.array([[0.0, 0, 0], [1, 0, 0], [2, 0, 0], [0, 1, 0], [0, 1, 0]])
    with pytest.raises(ValueError, match="one line"):
        spread_follow(line_nodes, np.arange(3), np.ones(3), 3, 4)
    places = np.concatenate([np.eye(3), [[0.3, 0.3, 0.5]]])
    bond = bond_follows(
        places, np.array([3]), np.array([[0, 1, 2]]), np.array([[0.3, 0.3, 0.4]]), np.full(4, -1)
    )
    with pytest.raises(TieConflict):
        make_ties(places, [], [], [*bond, *bond])


# --- bonds found
# --------------------------------------------------------------------------------------------------
def bonds_of(pieces: list[dict[str, Any]], size: float = 8.0) -> tuple[Mesh, Any]:
    project = load_project({"labilis": 2, "materials": [STEEL], "pieces": pieces})
    mesh = mesh_part(build_part(project, {}), size)
    return mesh, find_bonds(mesh)


@pytest.mark.parametrize("kinds", [("shell", "shell"), ("shell", "solid"), ("solid", "shell")])
def test_bonds_between_touching_bodies(kinds: tuple[str, str]) -> None:
    mesh, bonds = bonds_of(tee(kinds))
    assert len(bonds.nodes) >= 8
    foot = mesh.nodes[bonds.nodes]
    assert (foot[:, 0] > 9.9).all() and (foot[:, 0] < 100.1).all()
    assert np.allclose(bonds.gap, 0.0, atol=1e-6)  # open room: they touch


def test_laps_are_bonded_and_neighbours_without_touch_are_not() -> None:
    lap = [shell("one", flat(60, 30, 2)), shell("two", flat(60, 30, 3), (30, 0, 2.5))]
    mesh, bonds = bonds_of(lap)
    assert np.allclose(bonds.gap, 0.0)
    assert (mesh.nodes[bonds.nodes][:, 0] >= 30 - 1e-6).all()
    _, beside = bonds_of([lap[0], shell("two", flat(60, 30, 3), (30, 0, 3.0))])
    assert len(beside.nodes) == 0
    assert beside.near.tolist() == [[0, 1]]
    assert np.allclose(beside.near_gap, 0.5)
    assert len(find_bonds(mesh, frozenset({(0, 1)})).nodes) == 0


def test_shells_and_solids_mixed_agree() -> None:
    def first(kinds: tuple[str, str]) -> np.ndarray:
        model = {
            "pieces": tee(kinds),
            "regions": [region("foot", "base/side.4"), region("head", "rib/top")],
            "supports": [hold("foot", *FIXED)],
            **case_of(force("head", x=-1, z=-1)),
            "mesh": {"size": "5 mm"},
        }
        return facts(model).modes.positive[:1]

    shells = first(("shell", "shell"))
    for kinds in (("shell", "solid"), ("solid", "shell")):
        assert first(kinds) == pytest.approx(shells, rel=0.05)


def test_bodies_that_do_not_touch_are_named() -> None:
    apart = [shell("one", flat(60, 30, 2)), shell("two", flat(60, 30, 2), (0, 0, 40))]
    error = refused(
        {
            "pieces": apart,
            "regions": [region("foot", "one/side.4"), region("head", "one/side.2")],
            "supports": [hold("foot", *FIXED)],
            **case_of(force("head", x=-1)),
            "mesh": {"size": "10 mm"},
        }
    )
    assert error.code == "not-connected" and "'two'" in error.what


# --- springs, moves, heat, weight
# --------------------------------------------------------------------------------------------------
def test_springs_carry_what_their_stiffness_says() -> None:
    model = {
        **STRIP,
        "springs": [
            {"name": "s", "on": "foot", "x": "50 N/mm", "y": "40 N/mm", "z": "30 N/mm"},
            {"name": "bed", "on": "all", "per": "area", "normal": "0.01 N/mm^3"},
        ],
        "supports": [],
        **case_of(force("head", x=-100)),
    }
    found = facts(model).strength
    assert found.displacement_growing[:, 0].mean() == pytest.approx(-2.0, rel=1e-3)
    error = refused({**model, "springs": [{"name": "s", "on": "foot", "x": "-1 N/mm"}]})
    assert error.where == "springs/s/x"
    assert (
        refused(
            {**model, "springs": [{"name": "s", "on": "foot", "per": "area", "x": "1 N/mm^3"}]}
        ).code
        == "edge-for-face"
    )


def test_turning_spring_on_a_hub_and_a_moment() -> None:
    model = {
        **STRIP,
        "hubs": [{"name": "hub", "region": "all"}],
        "springs": [{"name": "s", "on": "hub", "turn_y": "1e5 N*mm/rad"}],
        "supports": [hold("hub", "x", "y", "z", "turn_x", "turn_z")],
        "loads": [
            {
                "kind": "moment",
                "name": "m",
                "on": "hub",
                "components": ["0 N*mm", "2e3 N*mm", "0 N*mm"],
            }
        ],
        "cases": [{"name": "c", "loads": [{"load": "m"}]}],
    }
    z = facts(model).strength.displacement_growing[:, 2]
    assert np.ptp(z) == pytest.approx(0.02 * 200, rel=1e-6)


def test_end_moment_bends_a_strip() -> None:
    model = {
        **STRIP,
        "supports": [hold("foot", *FIXED)],
        "loads": [
            {
                "kind": "moment",
                "name": "m",
                "on": "head",
                "components": ["0 N*mm", "-1e3 N*mm", "0 N*mm"],
            }
        ],
        "cases": [{"name": "c", "loads": [{"load": "m"}]}],
    }
    found = facts(model).strength
    exact = 1e3 * 200**2 / (2 * 210e3 * 20 * 27 / 12)
    assert np.abs(found.displacement_growing[:, 2]).max() == pytest.approx(exact, rel=0.02)
    assert np.abs(found.stress[:, 0]).max() == pytest.approx(6e3 / (20 * 9), rel=0.1)
    assert found.reaction[0, 0, 4] == pytest.approx(1e3, rel=1e-6)


def test_prescribed_displacement_squeezes_until_it_buckles() -> None:
    model = {
        **STRIP,
        "supports": [hold("foot", "x", "y", "z"), hold("head", "x", "z")],
        "loads": [
            {
                "kind": "move",
                "name": "in",
                "support": "head x z",
                "components": ["-0.01 mm", "0 mm", "0 mm"],
            }
        ],
        "cases": [{"name": "c", "loads": [{"load": "in"}]}],
    }
    found = facts(model)
    stiffness = 210e3 * 60 / 200
    assert found.strength.reaction[0, 0, 0] == pytest.approx(0.01 * stiffness, rel=0.02)
    euler = np.pi**2 * 210e3 * 20 * 27 / 12 / 200**2
    assert found.modes.positive[0] * 0.01 * stiffness == pytest.approx(euler, rel=0.02)
    assert (
        refused(
            {**model, "loads": [{**model["loads"][0], "components": ["0 mm", "1 mm", "0 mm"]}]}
        ).code
        == "move"
    )


def test_heat_between_walls_and_free_growth() -> None:
    heat = {
        "loads": [{"kind": "temperature", "name": "heat", "change": "10 K"}],
        "cases": [{"name": "c", "loads": [{"load": "heat"}]}],
    }
    walls = {**STRIP, "supports": [hold("foot", "x", "y", "z"), hold("head", "x", "z")], **heat}
    found = facts(walls)
    stress = 210e3 * 12e-6 * 10
    assert found.strength.reaction[0, 0, 0] == pytest.approx(stress * 60, rel=0.02)
    euler = np.pi**2 * 210e3 * 20 * 27 / 12 / 200**2
    assert found.modes.positive[0] * stress * 60 == pytest.approx(euler, rel=0.02)
    free = facts(
        {
            **STRIP,
            "supports": [
                hold("foot", "x", "z", "turn_y"),
                {**hold("all", "turn_z"), "name": "still"},
            ],
            "springs": [{"name": "soft", "on": "foot", "y": "1e-3 N/mm"}],
            **heat,
        }
    )
    assert np.abs(free.strength.stress[:, :3]).max() < 1e-6 * stress
    assert free.strength.displacement_growing[:, 0].max() == pytest.approx(200 * 12e-5, rel=1e-6)
    assert (
        refused({**walls, "materials": [{k: v for k, v in STEEL.items() if k != "expansion"}]}).code
        == "material-incomplete"
    )


def test_weight_of_all_and_of_one_piece() -> None:
    weight = {
        "loads": [
            {"kind": "weight", "name": "w"},
            {"kind": "weight", "name": "rib only", "pieces": ["rib"]},
        ],
        "cases": [
            {"name": "all", "loads": [{"load": "w"}]},
            {"name": "one", "loads": [{"load": "rib only"}]},
            {"name": "both", "combine": [{"case": "all", "factor": "2"}, {"case": "one"}]},
        ],
    }
    made = report(
        {
            "pieces": tee(("shell", "solid")),
            "regions": [region("foot", "base/side.4")],
            "supports": [hold("foot", *FIXED)],
            **weight,
            "mesh": {"size": "8 mm"},
        }
    )
    rho = 7.85e-9 * 9810
    rib = rho * 2 * 40 * 60
    total = [case.facts.strength.reaction[:, 0, 2].sum() for case in made.cases]
    assert total[0] == pytest.approx(rho * 3 * 120 * 60 + rib, rel=1e-6)
    assert total[1] == pytest.approx(rib, rel=1e-6)
    assert total[2] == pytest.approx(2 * total[0] + total[1], rel=1e-9)


def test_a_spread_hub_shares_a_force_and_is_not_held() -> None:
    model = {
        **STRIP,
        "hubs": [
            {"name": "hub", "region": "all", "kind": "spread", "at": ["150 mm", "10 mm", "0 mm"]}
        ],
        "supports": [hold("foot", *FIXED)],
        **case_of(force("hub", z=1.0)),
    }
    found = facts(model).strength
    assert found.reaction[0, 0, 2] == pytest.approx(-1.0, rel=1e-9)
    assert found.reaction[0, 0, 4] == pytest.approx(
        150.0, rel=1e-6
    )  # moment about the origin: the force acts where the hub stands
    assert refused({**model, "supports": [hold("hub", "x")]}).code == "spread-held"


# --- levers
# --------------------------------------------------------------------------------------------------
def test_levers_against_central_differences() -> None:
    model = {
        "labilis": 2,
        "materials": [STEEL],
        "pieces": tee(),
        "regions": [region("foot", "base/side.4"), region("head", "rib/top")],
        "hubs": [{"name": "h", "region": "head", "at": ["25 mm", "30 mm", "70 mm"]}],
        "supports": [hold("foot", *FIXED)],
        **case_of(force("h", x=-100, z=-300, y=5), {**force("head", y=3, z=-50), "growth": "held"}),
        "mesh": {"size": "12 mm"},
    }
    project = load_project(model)
    part = build_part(project, {})
    mesh = mesh_part(part, 12.0)
    tied = make_tied(project, part.view, mesh, find_bonds(mesh))

    def solve(thick: Mesh) -> Any:
        blocks, bodies = make_blocks(project, part, thick, tied.numbering)
        system = System(thick.nodes, blocks, tied.ties)
        scene = LoadScene(
            project,
            part.view,
            thick,
            tied.numbering,
            system,
            bodies,
            part.pieces,
            tied.held,
            tied.hubs,
        )
        solver = factor(system.reduced_stiffness)
        answers = [
            solve_linear(
                system,
                solver,
                sum(
                    (
                        load_forces(scene, load.name, 1.0).nodal
                        for load in project.loads
                        if load.growth == growth
                    ),
                    np.zeros(3 * tied.numbering.total),
                ),
                np.zeros(tied.ties.size),
            )
            for growth in ("growing", "held")
        ]
        k_g, k_h = (
            system.geometric(system.stress(answer.u), answer.internal) for answer in answers
        )
        base = (system.reduced_stiffness + k_h).tocsr()
        return system, solver, answers, find_modes(base, factor(base), k_g, 3, count=False)

    def thicker(rows: np.ndarray, by: float) -> Mesh:
        cell = mesh.cells[0]
        assert cell.thickness is not None
        thickness = cell.thickness.copy()
        thickness[rows] *= 1 + by
        return replace(mesh, cells=(Cells(cell.elements, cell.body, thickness), *mesh.cells[1:]))

    system, solver, answers, modes = solve(mesh)
    levers = levers_of(system, solver, modes.factors, modes.vectors, *answers).thickness
    assert levers.sum(axis=1) == pytest.approx(2.9, abs=0.3)  # nearly the cube of the thickness
    body = mesh.cells[0].body
    for rows in (np.flatnonzero(body == 0), np.flatnonzero(body == 1), np.array([7])):
        sides = [solve(thicker(rows, sign * 1e-4))[3].factors for sign in (1, -1)]
        numeric = (sides[0] - sides[1]) / 2e-4 / modes.factors
        assert levers[:, rows].sum(axis=1) == pytest.approx(numeric, rel=2e-4)


def test_case_circles_and_wrong_loads_are_refused() -> None:
    base = {**STRIP, "supports": [hold("foot", *FIXED)], **case_of(force("head", x=-1))}
    with pytest.raises(LabilisError, match="contains itself"):
        load_project(
            {
                "labilis": 2,
                "materials": [STEEL],
                **base,
                "cases": [{"name": "a", "combine": [{"case": "a"}]}],
            }
        )
    assert refused({**base, **case_of(line("all", x=-1.0))}).code == "face-for-edge"
    moment = {
        "kind": "moment",
        "name": "m",
        "on": "all",
        "components": ["0 N*mm", "1 N*mm", "0 N*mm"],
    }
    assert (
        refused(
            {**base, "loads": [moment], "cases": [{"name": "c", "loads": [{"load": "m"}]}]}
        ).code
        == "moment"
    )


def test_elements_per_half_wave_of_a_plate() -> None:
    model = {
        "pieces": [shell("plate", flat(200, 200, 2))],
        "regions": [
            region("low", "plate/side.1"),
            region("left", "plate/side.4"),
            region("right", "plate/side.2"),
            region("all", "plate/side"),
        ],
        "supports": [hold("all", "z"), hold("left", "x"), hold("low", "y")],
        **case_of(line("right", x=-1.0)),
    }

    def said(size: float) -> Any:
        case = report({**model, "mesh": {"size": mm(size)}}).cases[0]
        return next(item for item in case.evidence if item.name == "elements per half wave")

    # sin(πx/a) sin(πy/a) has k² = 2 (π/a)²: a half wave of 200/√2 mm; triangle sides are 1.14 times
    # the quadrilaterals'
    assert float(said(20.0).figure) == pytest.approx(
        200 / 2**0.5 / (20 * (2 + 2**0.5) / 3), rel=0.05
    )
    assert said(10.0).state == "good" and said(50.0).state == "bad"


@pytest.mark.parametrize(
    "kind", ["shell", "flat solid", "curved solid", "spread", "one after another", "on a hub"]
)
def test_turning_ties_against_differences(kind: str) -> None:
    """T(λ)ᵀ K T(λ) with ties made again about the moved nodes, derived at λ = 0."""
    corners = np.array([[0.0, 0, 0], [3, 0.2, 0], [0.5, 2.5, 0.3]])
    mids = 0.5 * (corners + np.roll(corners, -1, axis=0)) + 0.05 * RNG.standard_normal((3, 3))
    nodes = np.concatenate([corners, mids, [[1.1, 0.8, 0.7], [1.4, 0.2, 1.6]]])
    turn_of = 8 + np.arange(8)  # all have a turn; solids are told by the test not to
    no_turn = np.where(np.arange(8) < 6, -1, turn_of)
    weights = np.array([[0.4, 0.35, 0.25]])
    tip, last = np.array([6]), np.array([7])

    def ties_of(at: np.ndarray) -> Any:
        hubs: list[StiffHub] = []
        if kind == "spread":
            follows = spread_follow(at, np.arange(6), np.array([1.0, 2, 1, 1, 0.5, 1]), 6, 14)
        elif kind.endswith("solid"):
            follows = bond_follows(
                at, tip, np.arange(6 if kind.startswith("curved") else 3)[None], weights, no_turn
            )
        else:
            follows = bond_follows(at, tip, np.array([[0, 1, 2]]), weights, turn_of)
        if kind == "one after another":
            follows += bond_follows(at, last, np.array([[1, 6, 3]]), weights, turn_of)
        if kind == "on a hub":
            hubs = [StiffHub(np.array([1, 2, 5]), at[5], turns=turn_of[[1, 2, 5]])]
        return make_ties(np.concatenate([at, at]), [], hubs, follows)

    ties = ties_of(nodes)
    k = RNG.standard_normal((48, 48))
    k = k + k.T
    q = 0.1 * RNG.standard_normal(ties.size)
    found = full(ties.reduce_turning(csr_matrix(np.triu(k)), q)).toarray()
    u = ties.expand(q).reshape(-1, 3)

    def reduced(scale: float) -> np.ndarray:
        t = ties_of(nodes + scale * u[:8]).matrix.toarray()
        return t.T @ k @ t

    numeric = (reduced(1e-5) - reduced(-1e-5)) / 2e-5
    assert np.allclose(found, numeric, atol=1e-7 * np.abs(numeric).max())
    assert np.allclose(ties.matrix.toarray() @ q, ties.expand(q))


def test_shells_beside_solids_count_once_along_a_half_wave() -> None:
    """A solid of second order in the same mesh does not make a mesh of shells finer."""
    model = {
        "pieces": [shell("plate", flat(200, 200, 2))],
        "regions": [region("left", "plate/side.4"), region("right", "plate/side.2")],
        "supports": [hold("left", "x", "y", "z", "turn_y")],
        **case_of(line("right", x=-1.0)),
        "mesh": {"size": mm(20)},
    }
    facts = report(model).cases[0].facts
    mesh, shape = facts.mesh, facts.modes.shapes[0]
    beside = replace(
        mesh,
        connectivity=np.concatenate([mesh.connectivity, np.arange(10)]),
        sizes=np.append(mesh.sizes, 10),
        shells=np.append(mesh.shells, False),
        body=np.append(mesh.body, 0),
        shape=np.append(mesh.shape, 1.0),
    )
    assert beside.has_solids and elements_per_half_wave(beside, shape) == elements_per_half_wave(
        mesh, shape
    )
    solid = replace(beside, sheet_faces=np.zeros(0, dtype=np.int64))
    assert elements_per_half_wave(solid, shape)[1] == pytest.approx(
        2 * elements_per_half_wave(mesh, shape)[1]
    )
