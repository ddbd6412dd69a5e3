"""Struts as lines that warp: torsion, lateral torsion and restrained torsion against closed
forms and against shells."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest

from labilis.mechanics.cross_section import CrossSection, cross_section
from labilis.mesh import mesh_section
from labilis.model import LabilisError, load_project
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.run.keys import stage_keys
from labilis.shape import build_part
from tests.judge.test_mistakes import ALL, STEEL

E, G = 210e3, 210e3 / 2.6
I_SECTION = {"shape": "I", "width": "60 mm", "height": "100 mm", "thickness": "4 mm", "web": "4 mm"}
CHANNEL = {"shape": "channel", "width": "40 mm", "height": "60 mm", "thickness": "4 mm"}
FORK = [("foot", ["x", "y", "z", "turn_z"]), ("head", ["x", "y", "turn_z"])]
PUSH = {"kind": "force", "name": "push", "on": "head", "components": ["0 N", "0 N", "-1 kN"]}


def bar(
    name: str, length: float, section: dict[str, str], at: float = 0.0, **more: Any
) -> dict[str, Any]:
    return {
        "name": name,
        "material": "steel",
        "mesh_as": "line",
        "recipe": {"kind": "strut", "length": f"{length} mm", "section": section},
        "place": {"at": ["0 mm", "0 mm", f"{at} mm"]},
        **more,
    }


def model(
    *pieces: dict[str, Any],
    supports: Any = FORK,
    loads: Any = (PUSH,),
    regions: Any = (),
    **more: Any,
) -> dict[str, Any]:
    ends = [
        {"name": "foot", "names": [f"{pieces[0]['name']}/start"]},
        {"name": "head", "names": [f"{pieces[-1]['name']}/end"]},
    ]
    return {
        "materials": [STEEL],
        "pieces": list(pieces),
        "regions": [*ends, *regions],
        "supports": [
            {"name": f"{on} {k}", "on": on, "held": held} for k, (on, held) in enumerate(supports)
        ],
        "loads": list(loads),
        "cases": [{"name": "one", "loads": [{"load": load["name"]} for load in loads]}],
        "criteria": {"required_factor": "1", "modes": 4},
        **more,
    }


def run(stated: dict[str, Any], upto: Any = "modes") -> Any:
    project = load_project(stated)
    return judge_project(project, Runner().run(Snapshot(project), Plan(upto))).cases[0].facts


def section_of(section: dict[str, str]) -> CrossSection:
    lines = build_part(load_project(model(bar("bar", 500, section))), {}).lines
    assert lines is not None
    return cross_section(*mesh_section(lines.lines[0].outlines))


def torsional(section: CrossSection, length: float) -> float:
    """Factor on 1 kN of twisting about the shear centre between forks, warping free (Timoshenko
    and Gere 1961)."""
    radius = section.polar[0] / section.area
    return float(
        (G * section.torsion + math.pi**2 * E * section.warping / length**2) / radius / 1e3
    )


@pytest.mark.parametrize("length", [500.0, 900.0, 1500.0])
def test_twisting_between_forks(length: float) -> None:
    found = run(model(bar("bar", length, I_SECTION))).modes
    twisting = found.factors[[kind == "torsion" for kind in found.kinds]]
    assert twisting[0] == pytest.approx(torsional(section_of(I_SECTION), length), rel=1e-3)


def test_warping_held_at_both_ends_is_twisting_of_half_the_length() -> None:
    """As a statement, and by clamps; free where it is stated so, whatever the ends are."""
    section, length = section_of(I_SECTION), 900.0
    held = run(model(bar("bar", length, I_SECTION, warping="held"))).modes
    assert held.factors[[kind == "torsion" for kind in held.kinds]][0] == pytest.approx(
        torsional(section, length / 2), rel=2e-3
    )
    ends = [("foot", ALL), ("head", ["x", "y", "turn_x", "turn_y", "turn_z"])]
    for warping, clamped in (("found", True), ("free", False)):
        found = run(model(bar("bar", length, I_SECTION, warping=warping), supports=ends)).modes
        twisting = found.factors[[kind == "torsion" for kind in found.kinds]]
        # held at one end, free at the other: a column that is clamped at one end and pinned at the
        # other
        assert twisting[0] == pytest.approx(
            torsional(section, 0.69916 * length if clamped else length), rel=2e-3
        )


@pytest.mark.parametrize("length", [1200.0, 2400.0])
def test_lateral_torsion_under_even_bending(length: float) -> None:
    """M = π/L √(E Iz (GJ + π² E Cw / L²)), less what bending before takes: 1 / √((1 - Iz/Iy) (1 -
    GJ.../2 E Iy)) is not counted by linear modes; shear lets it fall a little."""
    section = section_of(I_SECTION)
    turns = [
        {
            "kind": "moment",
            "name": name,
            "on": on,
            "components": [f"{size} N*mm", "0 N*mm", "0 N*mm"],
        }
        for name, on, size in (("one", "foot", 1e6), ("two", "head", -1e6))
    ]
    found = run(model(bar("bar", length, I_SECTION), loads=turns)).modes
    wanted = (
        math.pi
        / length
        * math.sqrt(
            E * section.i_z * (G * section.torsion + math.pi**2 * E * section.warping / length**2)
        )
        / 1e6
    )
    assert found.positive[0] == pytest.approx(wanted, rel=5e-3)


@pytest.mark.parametrize(("clamp", "free"), [("foot", "head"), ("head", "foot")])
def test_a_clamped_bar_under_a_moment_twists_as_a_warping_one(clamp: str, free: str) -> None:
    """φ(L) = T/GJ (L - tanh(kL)/k), k² = GJ / E Cw, and the bimoment at the clamp T/k tanh(kL)
    as stress in the flanges."""
    section, length, moment = section_of(I_SECTION), 600.0, 5e4
    twist = [
        {
            "kind": "moment",
            "name": "twist",
            "on": free,
            "components": ["0 N*mm", "0 N*mm", f"{moment} N*mm"],
        }
    ]
    stated = model(
        bar("bar", length, I_SECTION), supports=[(clamp, ALL)], loads=twist, mesh={"size": "20 mm"}
    )
    project = load_project(stated)
    results = Runner().run(Snapshot(project), Plan("strength"))
    strength = results[stage_keys(project, "one").strength]
    k = math.sqrt(G * section.torsion / (E * section.warping))
    largest = float(np.abs(strength.stress_growing[:, 2]).max())
    assert largest == pytest.approx(
        moment / k * math.tanh(k * length) * np.abs(section.omega).max() / section.warping, rel=0.01
    )
    unheld = run(
        model(bar("bar", length, I_SECTION, warping="free"), supports=[(clamp, ALL)], loads=twist),
        "strength",
    ).strength
    assert np.abs(unheld.stress_growing[:, 2]).max() < 0.01 * largest
    # reactions balance: what warping takes is no force
    assert strength.applied[0, 5] == pytest.approx(moment) and strength.reaction[
        0, 0, 5
    ] == pytest.approx(-moment, rel=1e-6)


def test_an_energy_of_its_own_is_work_done() -> None:
    """The turn of the head, from the work of the moment: T φ = 2 (strain energy)."""
    from labilis.mechanics import line

    section, length, moment = section_of(I_SECTION), 600.0, 5e4
    count = 30
    x = np.linspace(0, length, count + 1)
    g = line.line_geometry(
        np.stack(
            [
                np.stack([x[:-1], 0 * x[:-1], 0 * x[:-1]], 1),
                np.stack([x[1:], 0 * x[1:], 0 * x[1:]], 1),
            ],
            axis=1,
        ),
        np.broadcast_to(np.eye(3), (count, 3, 3)),
        line.section_stiffness(section, E, 0.3),
        warping=line.Warping(G * section.torsion, E * section.warping, section.shear_centre),
    )
    twisting = line.stiffness(g)[:, [3, 12, 9, 15]][:, :, [3, 12, 9, 15]]
    whole = np.zeros((2 * (count + 1), 2 * (count + 1)))
    for number, own in enumerate(twisting):
        whole[2 * number : 2 * number + 4, 2 * number : 2 * number + 4] += own
    force = np.zeros(len(whole))
    force[-2] = moment
    found = np.linalg.solve(whole[2:, 2:], force[2:])
    k = math.sqrt(G * section.torsion / (E * section.warping))
    assert found[-2] == pytest.approx(
        moment / (G * section.torsion) * (length - math.tanh(k * length) / k), rel=1e-5
    )


@pytest.mark.parametrize("section", [I_SECTION, CHANNEL], ids=["I", "channel"])
def test_two_lines_that_go_straight_on_are_one(section: dict[str, str]) -> None:
    one = run(model(bar("bar", 1100, section))).modes.factors
    two = run(model(bar("low", 700, section), bar("up", 400, section, 700))).modes.factors
    assert two == pytest.approx(one, rel=1e-3)
    parted = run(
        model(bar("low", 700, section, warping="free"), bar("up", 400, section, 700))
    ).modes.factors
    assert parted[0] < 0.97 * one[0] or parted[1] < 0.97 * one[1]


def test_half_a_bar_at_a_plane_of_symmetry_is_the_whole_one() -> None:
    """Twisting that is even to the plane has its warping held there; the odd one is found as
    such."""
    whole = run(
        model(bar("bar", 1000, I_SECTION), criteria={"required_factor": "1", "modes": 6})
    ).modes
    half = model(bar("bar", 500, I_SECTION), supports=FORK[1:])
    half["supports"].append(
        {
            "name": "middle",
            "on": "foot",
            "axes": {"kind": "symmetry", "normal": "z"},
            "held": ["symmetry"],
        }
    )
    found = run(half).modes
    assert found.factors[0] == pytest.approx(whole.factors[0], rel=2e-3)
    twisting = [
        factors.factors[[kind == "torsion" for kind in factors.kinds]][0]
        for factors in (whole, found)
    ]
    assert twisting[1] == pytest.approx(twisting[0], rel=2e-3)


@pytest.mark.parametrize("section", [I_SECTION, CHANNEL], ids=["I", "channel"])
def test_lines_and_shells_twist_alike(section: dict[str, str]) -> None:
    """Clamped at the foot, pushed through a stiff hub at the head that may not turn about its
    own axis only."""
    found = []
    for mesh_as in ("line", "shell"):
        piece = bar("bar", 1000, section) | {"mesh_as": mesh_as}
        stated = model(
            piece,
            supports=[("foot", ALL), ("ram", ["x", "y", "turn_x", "turn_y"])],
            loads=[{**PUSH, "on": "ram"}],
            hubs=[{"name": "ram", "region": "head"}],
            mesh={"size": "12 mm"},
            criteria={"required_factor": "1", "modes": 1, "mesh_error": False},
        )
        found.append(run(stated).modes.positive[0])
    assert found[0] == pytest.approx(found[1], rel=0.05)


def test_warping_is_stated_of_lines_only() -> None:
    with pytest.raises(LabilisError, match="lines"):
        load_project(model(bar("bar", 500, I_SECTION, warping="held") | {"mesh_as": "shell"}))


def test_what_is_stated_of_warping_is_in_the_keys_and_in_the_sentence() -> None:
    from labilis.words.part import part_sentences

    projects = [
        load_project(model(bar("bar", 500, I_SECTION, warping=warping)))
        for warping in ("found", "free", "held")
    ]
    assert len({stage_keys(project, "one").modes for project in projects}) == 3
    words = [
        "".join(span.text for span in part_sentences(project, None, None)[0])
        for project in projects
    ]
    assert [
        next(
            said
            for said in ("as they are held", "free to warp", "kept from warping")
            if said in text
        )
        for text in words
    ] == ["as they are held", "free to warp", "kept from warping"]


# --- the element and who holds it
# --------------------------------------------------------------------------------------------------
def test_the_shear_centre_stays_and_the_twist_is_cubic() -> None:
    """Rates of twist change twist and its rate as a cubic does; what the shear centre does, they
    leave alone."""
    from labilis.mechanics import line
    from tests.mechanics.test_line import ODD

    ends, frame, c = (
        np.array([[[0.0, 0, 0], [5.0, 0, 0]]]),
        np.eye(3)[None],
        line.section_stiffness(ODD, 200.0, 0.3),
    )
    plain, g = (
        line.line_geometry(ends, frame, c),
        line.line_geometry(ends, frame, c, warping=line.Warping(1e4, 1e6, ODD.shear_centre)),
    )
    u = np.random.default_rng(4).normal(size=18)
    u[[13, 14, 16, 17]] = 0.0
    strain, before = g.strain[0] @ u, plain.strain[0] @ u[:12]
    y, z = ODD.shear_centre
    assert strain[:, 1] - z * strain[:, 3] == pytest.approx(before[:, 1] - z * before[:, 3])
    assert strain[:, 2] + y * strain[:, 3] == pytest.approx(before[:, 2] + y * before[:, 3])
    x = 2.5 * (1 + np.polynomial.legendre.leggauss(len(strain))[0])
    cubic = np.linalg.solve(
        [[1, 0, 0, 0], [0, 1, 0, 0], [1, 5, 25, 125], [0, 1, 10, 75]], u[[3, 12, 9, 15]]
    )
    assert g.turn[0, :, 0] @ u == pytest.approx(np.polynomial.Polynomial(cubic)(x))
    assert strain[:, 3] == pytest.approx(np.polynomial.Polynomial(cubic).deriv()(x))


@pytest.mark.parametrize("section", [I_SECTION, CHANNEL], ids=["I", "channel"])
def test_energy_by_kinds_is_all_of_it_and_forces_are_what_stiffness_gives(
    section: dict[str, str],
) -> None:
    from labilis.mechanics import line
    from labilis.mechanics.line_block import LineBlock

    block = LineBlock(
        np.array([[0.0, 0, 0], [90.0, 0, 0]]),
        np.array([[0, 1]]),
        np.array([2, 3]),
        np.array([[4, 5]]),
        np.eye(3)[None],
        section_of(section),
        np.zeros((1, 12), dtype=bool),
        E,
        0.3,
    )
    local = np.random.default_rng(6).normal(size=(1, 6, 3)) * [
        [1.0],
        [0.02],
        [1.0],
        [0.02],
        [1e-3],
        [1e-3],
    ]
    u = local.ravel()
    k = line.stiffness(block.geometry)[0]
    assert block.energy(local[..., None]).sum() == pytest.approx(0.5 * u @ k @ u, rel=1e-9)
    assert block.forces(block.linear(local)).ravel() == pytest.approx(
        k @ u, rel=1e-9, abs=1e-6 * np.abs(k @ u).max()
    )


def test_warping_is_neither_force_nor_moment() -> None:
    from labilis.analysis.unknowns import make_numbering

    project = load_project(model(bar("bar", 500, I_SECTION)))
    from labilis.mesh import mesh_part

    mesh = mesh_part(build_part(project, {}), 100.0)
    numbering = make_numbering(mesh, [("ram", np.array([1.0, 2.0, 3.0]))], np.array([0, 3]))
    kinds = numbering.is_place.astype(int) + 2 * numbering.is_turn
    n = len(mesh.nodes)
    assert kinds.tolist() == [1] * n + [2] * n + [1, 2] + [0, 0]
    values = np.zeros((numbering.total, 3))
    values[-2:] = 7.0
    assert not numbering.resultant(np.arange(numbering.total), values).any()


def held_at(
    stated: dict[str, Any], flipped: frozenset[str] = frozenset()
) -> dict[float, list[bool]]:
    """By height: whether each warping unknown of the bars' ends there is held."""
    from labilis.analysis.warping import find_warping
    from labilis.mesh import mesh_part

    project = load_project(stated)
    part = build_part(project, {})
    mesh = mesh_part(part, 250.0)
    found = find_warping(project, part.view, mesh, flipped)
    heights = mesh.nodes[found.nodes, 2].round(6)
    stops = {0.0, 700.0, float(heights.max())}
    return {
        float(height): sorted(found.held[heights == height].tolist())
        for height in sorted(stops)
        if (heights == height).any()
    }


def test_who_holds_what() -> None:
    low, up = bar("low", 700, I_SECTION), bar("up", 400, I_SECTION, 700)
    assert held_at(model(low, up, supports=[("foot", ALL)])) == {
        0.0: [True],
        700.0: [False],
        1100.0: [False],
    }
    assert held_at(model({**low, "warping": "held"}, up)) == {
        0.0: [True],
        700.0: [True],
        1100.0: [False],
    }
    assert held_at(model(low, {**up, "warping": "held"})) == {
        0.0: [False],
        700.0: [True],
        1100.0: [True],
    }
    turned = {**up, "place": {**up["place"], "turns": [{"about": "z", "angle": "90 deg"}]}}
    assert held_at(model(low, turned))[700.0] == [
        False,
        False,
    ]  # sections that stand across each other warp by themselves
    other = bar("up", 400, CHANNEL, 700)
    assert held_at(model(low, other))[700.0] == [False, False]
    hinged = {**up, "releases": [{"end": "start", "motions": ["weak"]}]}
    assert held_at(model(low, hinged))[700.0] == [False, False]
    for kind, held in (("stiff", True), ("spread", False)):
        hubs = [{"name": "ram", "region": "head", "kind": kind}]
        assert held_at(model(low, up, hubs=hubs))[1100.0] == [held]
    cut = model(low, up, supports=[("head", ["x", "y"])])
    cut["supports"].append(
        {
            "name": "cut",
            "on": "foot",
            "axes": {"kind": "symmetry", "normal": "z"},
            "held": ["symmetry"],
        }
    )
    assert held_at(cut)[0.0] == [True] and held_at(cut, frozenset({"cut"}))[0.0] == [False]
